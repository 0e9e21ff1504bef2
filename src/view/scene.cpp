#include "view/scene.hpp"

#include <GL/gl.h>
#include <GL/osmesa.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>

namespace halvo::view {
namespace {

struct Destroy {
    void operator()(OSMesaContext c) const { OSMesaDestroyContext(c); }
};

// Entry points asked from OSMesa itself: another GL library in the same process must not answer in its place.
template <class F>
F load(const char* name) {
    const auto f = reinterpret_cast<F>(OSMesaGetProcAddress(name));
    if (!f) throw Error(ErrorKind::stage, std::string("the off-screen renderer lacks ") + name + "; check the OSMesa library");
    return f;
}
struct Gl {
    decltype(&::glBegin) begin = load<decltype(&::glBegin)>("glBegin");
    decltype(&::glClear) clear = load<decltype(&::glClear)>("glClear");
    decltype(&::glClearColor) clearColor = load<decltype(&::glClearColor)>("glClearColor");
    decltype(&::glColor3d) color3d = load<decltype(&::glColor3d)>("glColor3d");
    decltype(&::glDepthFunc) depthFunc = load<decltype(&::glDepthFunc)>("glDepthFunc");
    decltype(&::glDisable) disable = load<decltype(&::glDisable)>("glDisable");
    decltype(&::glEnable) enable = load<decltype(&::glEnable)>("glEnable");
    decltype(&::glEnd) end = load<decltype(&::glEnd)>("glEnd");
    decltype(&::glFinish) finish = load<decltype(&::glFinish)>("glFinish");
    decltype(&::glLineStipple) lineStipple = load<decltype(&::glLineStipple)>("glLineStipple");
    decltype(&::glLineWidth) lineWidth = load<decltype(&::glLineWidth)>("glLineWidth");
    decltype(&::glPolygonOffset) polygonOffset = load<decltype(&::glPolygonOffset)>("glPolygonOffset");
    decltype(&::glVertex3d) vertex3d = load<decltype(&::glVertex3d)>("glVertex3d");
    decltype(&::glViewport) viewport = load<decltype(&::glViewport)>("glViewport");
};

}  // namespace

void Scene::cut(const Vec3& point, const Vec3& direction) {
    const auto beyond = [&](const Vec3& p) { return (p - point).dot(direction); };
    const auto between = [&](const Vec3& a, const Vec3& b) { return Vec3(a + (b - a) * (beyond(a) / (beyond(a) - beyond(b)))); };
    std::vector<SceneTriangle> kept;
    for (const SceneTriangle& t : triangles) {
        // Corners in turn, with a new one wherever an edge crosses the plane (Sutherland and Hodgman, 1974).
        const std::array<Vec3, 3> corners{t.a, t.b, t.c};
        std::vector<Vec3> polygon;
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec3 &a = corners[k], &b = corners[(k + 1) % 3];
            if (beyond(a) <= 0) polygon.push_back(a);
            if ((beyond(a) < 0 && beyond(b) > 0) || (beyond(a) > 0 && beyond(b) < 0)) polygon.push_back(between(a, b));
        }
        for (std::size_t k = 1; k + 1 < polygon.size(); ++k) kept.push_back({polygon[0], polygon[k], polygon[k + 1], t.colour});
    }
    triangles = std::move(kept);
    std::vector<SceneLine> pieces;
    for (const SceneLine& l : lines) {
        SceneLine piece = l;
        piece.points.clear();
        for (std::size_t k = 0; k < l.points.size(); ++k) {
            const Vec3& p = l.points[k];
            if (k > 0 && (beyond(p) > 0) != (beyond(l.points[k - 1]) > 0)) piece.points.push_back(between(l.points[k - 1], p));
            if (beyond(p) <= 0) piece.points.push_back(p);
            else if (!piece.points.empty()) {
                if (piece.points.size() > 1) pieces.push_back(piece);
                piece.points.clear();
            }
        }
        if (piece.points.size() > 1) pieces.push_back(std::move(piece));
    }
    lines = std::move(pieces);
}

Scene::View Scene::fit(int width, int height) const {
    View v;
    const double a = azimuth * pi / 180, e = elevation * pi / 180;
    v.toward = Vec3(std::cos(a) * std::cos(e), std::sin(a) * std::cos(e), std::sin(e));
    v.right = Vec3(-std::sin(a), std::cos(a), 0);
    v.up = v.toward.cross(v.right);
    Box2 box;
    v.near = std::numeric_limits<double>::max(), v.far = -v.near;
    const auto take = [&](const Vec3& p) {
        box.extend(Vec2(v.right.dot(p), v.up.dot(p)));
        v.near = std::min(v.near, v.toward.dot(p)), v.far = std::max(v.far, v.toward.dot(p));
    };
    for (const SceneTriangle& t : triangles) take(t.a), take(t.b), take(t.c);
    for (const SceneLine& l : lines)
        for (const Vec3& p : l.points) take(p);
    if (box.isEmpty()) box.extend(Vec2(0, 0)), v.near = 0, v.far = 1;
    v.centre = box.center();
    v.width = width, v.height = height;
    v.scale = 0.92 * std::min(width / std::max(box.sizes().x(), 1e-9), height / std::max(box.sizes().y(), 1e-9));
    const double depth = std::max(v.far - v.near, 1e-6);
    v.near -= 0.05 * depth, v.far += 0.05 * depth;
    return v;
}

std::vector<std::uint8_t> Scene::render(const View& v, int factor) const {
    const int w = v.width * factor, h = v.height * factor;
    std::vector<std::uint8_t> pixels(static_cast<std::size_t>(w) * h * 4);
    const std::unique_ptr<osmesa_context, Destroy> context(OSMesaCreateContextExt(OSMESA_RGBA, 24, 0, 0, nullptr));
    if (!context || !OSMesaMakeCurrent(context.get(), pixels.data(), GL_UNSIGNED_BYTE, w, h))
        throw Error(ErrorKind::stage, "the off-screen renderer cannot be started; check the OSMesa library");
    const Gl gl;
    gl.viewport(0, 0, w, h);
    gl.clearColor(static_cast<float>(paper.r), static_cast<float>(paper.g), static_cast<float>(paper.b), 1);
    gl.clear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    gl.enable(GL_DEPTH_TEST);
    gl.depthFunc(GL_LEQUAL);
    const double depth = v.far - v.near;
    // Screen position and depth in clip coordinates; nearer to the viewer is smaller.
    const auto put = [&](const Vec3& p, double forward) {
        const Vec2 s = v.pixel(p);
        gl.vertex3d(2 * s.x() / v.width - 1, 1 - 2 * s.y() / v.height, 1 - 2 * (v.toward.dot(p) - v.near) / depth - forward);
    };
    const auto colour = [&](const Colour& c) { gl.color3d(std::min(1.0, c.r), std::min(1.0, c.g), std::min(1.0, c.b)); };
    const Vec3 light = (v.toward + 0.55 * v.up - 0.35 * v.right).normalized();
    // Faces a little back, the more the steeper they stand: lines on them stay whole.
    gl.enable(GL_POLYGON_OFFSET_FILL);
    gl.polygonOffset(2, 2);
    gl.begin(GL_TRIANGLES);
    for (const SceneTriangle& t : triangles) {
        Vec3 n = (t.b - t.a).cross(t.c - t.a);
        if (n.norm() > 0) n.normalize();
        if (n.dot(v.toward) < 0) n = -n;
        colour(t.colour.shaded(0.60 + 0.42 * std::max(0.0, n.dot(light))));
        put(t.a, 0), put(t.b, 0), put(t.c, 0);
    }
    gl.end();
    for (const SceneLine& l : lines) {
        gl.lineWidth(static_cast<float>(l.width * factor));
        if (l.dashed) {
            gl.enable(GL_LINE_STIPPLE);
            gl.lineStipple(2 * factor, 0x7777);
        }
        colour(l.colour);
        gl.begin(GL_LINE_STRIP);
        for (const Vec3& p : l.points) put(p, l.on_top ? 2.5e-3 : 8e-4);
        gl.end();
        gl.disable(GL_LINE_STIPPLE);
    }
    gl.finish();
    OSMesaMakeCurrent(nullptr, nullptr, GL_UNSIGNED_BYTE, 0, 0);
    return pixels;
}

}  // namespace halvo::view
