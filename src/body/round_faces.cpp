#include "body/round_faces.hpp"

#include "core/index.hpp"
#include "geom/fit.hpp"
#include "geom/rounds.hpp"

#include <algorithm>

namespace halvo {
namespace {

constexpr double same_cylinder = 1e-3;  // of the radius, and sine of the angle between axes
constexpr double rolled = 0.06;         // of a principal curvature, that it varies by over what a ball was rolled along

}  // namespace

RoundBand band_round(const Body& body, const CylinderSurface& c) {
    RoundBand out{{}, std::numeric_limits<double>::max(), std::numeric_limits<double>::lowest(), 0, c.radius};
    for (std::size_t k = 0; k < body.faces.size(); ++k) {
        const Face& f = body.faces[k];
        const auto* o = std::get_if<CylinderSurface>(&f.surface);
        if (!o || f.facet_count == 0 || std::abs(o->radius - c.radius) > same_cylinder * c.radius || o->frame.z.cross(c.frame.z).norm() > same_cylinder ||
            c.frame.local2(o->frame.origin).norm() > same_cylinder * c.radius)
            continue;
        out.area += f.area, out.faces.push_back(static_cast<int>(k));
        for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
            for (const int v : body.facets[i].corners) {
                const double h = c.frame.height(body.points[ix(v)]);
                out.low = std::min(out.low, h), out.high = std::max(out.high, h);
            }
    }
    return out;
}

const Surface& RoundFaces::surface(int face) const {
    const Surface& own = body_.faces[ix(face)].surface;
    if (!std::holds_alternative<FreeSurface>(own)) return own;
    const auto [it, fresh] = alike_.try_emplace(face, own);
    if (fresh)
        if (auto s = round_like(body_.faces[ix(face)])) it->second = *s;
    return it->second;
}

std::optional<Surface> RoundFaces::round_like(const Face& face) const {
    constexpr std::size_t most = 60;
    std::vector<Vec3> points, normals;
    const std::size_t step = std::max<std::size_t>(1, face.facet_count / most);
    for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; i += step) {
        const auto& c = body_.facets[i].corners;
        const auto at = [&](std::size_t k) -> const Vec3& { return body_.points[ix(c[k])]; };
        for (const Vec3& q : {Vec3((at(0) + at(1) + at(2)) / 3), Vec3(0.5 * (at(0) + at(1))), Vec3(0.5 * (at(1) + at(2)))}) {
            const SkinPoint on = body_.on_skin(i, q);
            points.push_back(on.point), normals.push_back(on.normal);
        }
    }
    if (points.size() < 9) return std::nullopt;
    const auto close = [&](const std::optional<Fit>& f) { return f && f->worst <= like * *spine_radius(f->surface); };
    if (auto f = fit_cylinder(points, normals); close(f)) return f->surface;
    if (auto f = fit_sphere(points, normals); close(f)) return f->surface;
    if (auto f = fit_torus(points, points, normals); close(f)) return f->surface;
    return std::nullopt;
}

const std::optional<RollingBall>& RoundFaces::ball_of(int face) const {
    const auto [it, fresh] = balls_.try_emplace(face, std::nullopt);
    if (fresh && std::holds_alternative<FreeSurface>(surface(face))) {
        const Face& f = body_.faces[ix(face)];
        std::vector<Vec3> points;
        const std::size_t step = std::max<std::size_t>(1, f.facet_count / 40);
        for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; i += step) points.push_back(middle_of(i));
        it->second = rolling_ball(BaseSurface(surface(face)), points, rolled);
    }
    return it->second;
}

std::optional<double> RoundFaces::radius(int face) const {
    if (const auto r = spine_radius(surface(face))) return r;
    const auto& ball = ball_of(face);
    return ball ? std::optional(ball->radius) : std::nullopt;
}

std::optional<Vec3> RoundFaces::spine(int face, const Vec3& p) const {
    if (const auto c = spine_point(surface(face), p)) return c;
    const auto& ball = ball_of(face);
    if (!ball) return std::nullopt;
    const SkinPoint foot = BaseSurface(surface(face)).foot(p);
    return foot.point + (ball->on_normal_side ? ball->radius : -ball->radius) * foot.normal;
}

Vec3 RoundFaces::middle_of(std::size_t facet) const {
    Vec3 m = Vec3::Zero();
    for (int c : body_.facets[facet].corners) m += body_.points[ix(c)] / 3;
    return m;
}

bool RoundFaces::bulges(int face) const {
    const Face& f = body_.faces[ix(face)];
    const std::size_t i = f.first_facet + f.facet_count / 2;
    const Vec3 m = middle_of(i);
    const auto centre = spine(face, m);
    return centre && body_.facet_normal(i).dot(m - *centre) > 0;
}

}  // namespace halvo
