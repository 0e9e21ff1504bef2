#include "solve/sweep.hpp"

#include "core/index.hpp"
#include "mesh/planar.hpp"

#include <Eigen/Geometry>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double square = 1e-5;          // sine: normals of walls and caps stand as exactly as files write them
constexpr double same_area = 1e-6;       // of caps
constexpr double turn_of_element = 0.3;  // a side of an element spans at most this of a curve (rad)

struct Cap {
    FaceId face;
    Vec3 outward, centre;
    double area;
};

std::vector<Cap> plane_faces(const Body& body) {
    std::vector<Cap> out;
    for (std::size_t f = 0; f < body.faces.size(); ++f) {
        const Face& face = body.faces[f];
        const auto* plane = std::get_if<PlaneSurface>(&face.surface);
        if (!plane) continue;
        Vec3 centre = Vec3::Zero();
        double area = 0;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            const auto& c = body.facets[i].corners;
            const double a = body.facet_area(i);
            area += a, centre += a / 3 * (body.points[ix(c[0])] + body.points[ix(c[1])] + body.points[ix(c[2])]);
        }
        if (area > 0) out.push_back({FaceId(f), face.reversed ? -plane->frame.z : plane->frame.z, centre / area, face.area});
    }
    return out;
}

// Do the outward normals of all faces but these two lie square to what `way` gives for their place?
template <class Way>
bool walls_go_along(const Body& body, FaceId a, FaceId b, const Way& way) {
    for (std::size_t f = 0; f < body.faces.size(); ++f) {
        if (FaceId(f) == a || FaceId(f) == b) continue;
        const Face& face = body.faces[f];
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            const auto& c = body.facets[i].corners;
            const Vec3 middle = (body.points[ix(c[0])] + body.points[ix(c[1])] + body.points[ix(c[2])]) / 3;
            const SkinPoint on = body.on_skin(i, middle);
            const Vec3 along = way(on.point);
            if (along.norm() > 0 && std::abs(face.outward_or(on.point, on.normal).dot(along.normalized())) > square) return false;
        }
    }
    return true;
}

std::optional<Sweep> moved_from(const Body& body, const Cap& a, const Cap& b) {
    if (a.outward.dot(b.outward) > -1 + square * square) return std::nullopt;
    const double length = (b.centre - a.centre).dot(-a.outward);
    if (length <= 0 || (b.centre - a.centre + length * a.outward).norm() > square * length + 1e-6 * body.box.diagonal().norm()) return std::nullopt;
    if (!walls_go_along(body, a.face, b.face, [&](const Vec3&) { return a.outward; })) return std::nullopt;
    Sweep s;
    s.cap = a.face, s.direction = -a.outward, s.length = s.way = length;
    return s;
}

std::optional<Frame> axis_of(const Face& face) {
    if (const auto* c = std::get_if<CylinderSurface>(&face.surface)) return c->frame;
    if (const auto* c = std::get_if<ConeSurface>(&face.surface)) return c->frame;
    if (const auto* c = std::get_if<TorusSurface>(&face.surface)) return c->frame;
    return std::nullopt;
}

std::optional<Sweep> turned_from(const Body& body, const Cap& a, const Cap& b) {
    for (const Face& face : body.faces) {
        const auto frame = axis_of(face);
        if (!frame || std::abs(frame->z.dot(a.outward)) > square || std::abs(frame->z.dot(b.outward)) > square) continue;
        const auto off_axis = [&](const Vec3& p) { return Vec3(p - frame->origin - frame->z * frame->z.dot(p - frame->origin)); };
        Sweep s;
        s.cap = a.face, s.direction = -a.outward, s.centre = frame->origin, s.axis = frame->z;
        const Vec3 ra = off_axis(a.centre), rb = off_axis(b.centre);
        if (std::abs(ra.dot(a.outward)) > square * ra.norm() || std::abs(rb.dot(b.outward)) > square * rb.norm()) continue;
        if (s.axis.cross(ra).dot(s.direction) < 0) s.axis = -s.axis;
        if (s.axis.cross(rb).dot(b.outward) < 0 || std::abs(ra.norm() - rb.norm()) > square * ra.norm()) continue;
        s.angle = std::atan2(s.axis.dot(ra.cross(rb)), ra.dot(rb));
        if (s.angle <= 0) s.angle += 2 * pi;
        s.way = s.angle * ra.norm();
        if (walls_go_along(body, a.face, b.face, [&](const Vec3& p) { return Vec3(s.axis.cross(off_axis(p))); })) return s;
    }
    return std::nullopt;
}

// The cap's borders as points in its plane, divided for elements of a size, and the middle of each side on its curve.
class CapMesh {
public:
    CapMesh(const Body& body, const Sweep& sweep, double size) : frame_(frame_of(body, sweep)) {
        input_.size = 2 * size;
        for (const auto& loop : body.faces[ix(sweep.cap)].loops) add_loop(body, loop);
        std::stable_sort(input_.loops.begin(), input_.loops.end(), [&](const auto& p, const auto& q) { return std::abs(area(p)) > std::abs(area(q)); });
        for (std::size_t i = 0; i < input_.loops.size(); ++i)
            if ((area(input_.loops[i]) > 0) != (i == 0)) std::reverse(input_.loops[i].begin(), input_.loops[i].end());
        input_.holes.assign(input_.loops.size() - 1, HoleRows{});
        divide(mesh_planar(input_));
    }
    std::vector<Vec3> points;
    std::vector<std::array<int, 4>> quads;

private:
    // Along its longest side, so that a body gets the same elements wherever it stands.
    static Frame frame_of(const Body& body, const Sweep& sweep) {
        const Curve* longest = nullptr;
        for (const auto& loop : body.faces[ix(sweep.cap)].loops)
            for (const Coedge& c : loop) {
                const Curve& curve = body.edges[ix(c.edge)].curve;
                if (!longest || curve.length() > (1 + 1e-9) * longest->length()) longest = &curve;
            }
        return Frame::with_zx(longest->start(), sweep.direction, longest->middle() - longest->start());
    }
    void add_loop(const Body& body, const std::vector<Coedge>& coedges) {
        std::vector<int> loop;
        std::vector<Vec2> middles;
        for (const Coedge& c : coedges) {
            const BodyEdge& e = body.edges[ix(c.edge)];
            if (e.degenerate) continue;
            const Curve curve = c.reversed ? e.curve.reversed() : e.curve;
            const double length = curve.length();
            double turned = 0;
            const auto fine = curve.sampled(0.002 * length, 8);
            for (std::size_t i = 2; i < fine.size(); ++i)
                turned += std::acos(std::clamp((fine[i] - fine[i - 1]).normalized().dot((fine[i - 1] - fine[i - 2]).normalized()), -1.0, 1.0));
            const int n = std::max({1, static_cast<int>(std::lround(length / input_.size)), static_cast<int>(std::ceil(turned / (2 * turn_of_element)))});
            for (int i = 0; i < n; ++i) {
                loop.push_back(static_cast<int>(input_.points.size()));
                input_.points.push_back(frame_.local2(curve.point(curve.parameter_at(static_cast<double>(i) / n))));
                middles.push_back(frame_.local2(curve.point(curve.parameter_at((i + 0.5) / n))));
            }
        }
        for (std::size_t i = 0; i < loop.size(); ++i) middle_[std::minmax(loop[i], loop[(i + 1) % loop.size()])] = middles[i];
        if (loop.size() > 2) input_.loops.push_back(loop);
    }
    [[nodiscard]] double area(const std::vector<int>& loop) const {
        std::vector<Vec2> corners;
        for (const int i : loop) corners.push_back(input_.points[ix(i)]);
        return polygon_area(corners);
    }
    // Each element into quads about its middle: what is left of triangles goes.
    void divide(const PlanarMesh& coarse) {
        std::vector<Vec2> flat = coarse.points;
        std::map<std::pair<int, int>, int> on_side;
        const auto middle_of = [&](int a, int b) {
            const auto key = std::minmax(a, b);
            const auto [it, fresh] = on_side.try_emplace(key, static_cast<int>(flat.size()));
            if (!fresh) return it->second;
            const auto curved = middle_.find(key);
            flat.push_back(curved != middle_.end() ? curved->second : Vec2(0.5 * (flat[ix(a)] + flat[ix(b)])));
            return it->second;
        };
        for (const auto& e : coarse.elements) {
            const int n = e[3] < 0 ? 3 : 4;
            std::array<int, 4> sides{};
            Vec2 centre = Vec2::Zero();
            for (int k = 0; k < n; ++k) sides[ix(k)] = middle_of(e[ix(k)], e[ix((k + 1) % n)]);
            for (int k = 0; k < n; ++k) centre += flat[ix(sides[ix(k)])] / n;
            const int at = static_cast<int>(flat.size());
            flat.push_back(centre);
            for (int k = 0; k < n; ++k) quads.push_back({e[ix(k)], sides[ix(k)], at, sides[ix((k + n - 1) % n)]});
        }
        for (const Vec2& p : flat) points.push_back(frame_.at(p));
    }

    Frame frame_;
    PlanarInput input_;
    std::map<std::pair<int, int>, Vec2> middle_;
};

}  // namespace

double hexahedron_volume(const std::array<Vec3, 8>& x) {
    // Six tetrahedra about one diagonal.
    constexpr std::array<std::array<std::size_t, 2>, 6> sides{{{1, 2}, {2, 3}, {3, 7}, {7, 4}, {4, 5}, {5, 1}}};
    double v = 0;
    for (const auto& [a, b] : sides) v += (x[a] - x[0]).cross(x[b] - x[0]).dot(x[6] - x[0]) / 6;
    return v;
}

Vec3 Sweep::moved(const Vec3& p, double share) const {
    if (length > 0) return p + share * length * direction;
    return centre + Eigen::AngleAxisd(share * angle, axis) * (p - centre);
}

std::string Sweep::words() const {
    const auto text = [](const Vec3& d) {
        const auto clean = [](double v) { return std::abs(v) < 5e-4 ? 0.0 : v; };
        return fmt::format("({:.3g}, {:.3g}, {:.3g})", clean(d.x()), clean(d.y()), clean(d.z()));
    };
    if (length > 0) return fmt::format("a plane face moved by {:.6g} mm along {}", length, text(direction));
    return fmt::format("a plane face turned by {:.4g} degrees about {}", angle * 180 / pi, text(axis));
}

std::optional<Sweep> sweep_of(const Body& body) {
    std::optional<Sweep> best;
    if (!body.closed || body.faceted) return best;
    const auto caps = plane_faces(body);
    for (std::size_t i = 0; i < caps.size(); ++i)
        for (std::size_t j = i + 1; j < caps.size(); ++j) {
            if (std::abs(caps[i].area - caps[j].area) > same_area * caps[i].area) continue;
            for (const auto& s : {moved_from(body, caps[i], caps[j]), turned_from(body, caps[i], caps[j])})
                if (s && (!best || s->way < best->way * (1 - 1e-9))) best = s;
        }
    return best;
}

SolidMesh swept(const Body& body, const Sweep& sweep, double size, int layers) {
    const CapMesh cap(body, sweep, size);
    SolidMesh out;
    const auto n = static_cast<std::int32_t>(cap.points.size());
    for (int l = 0; l <= layers; ++l)
        for (const Vec3& p : cap.points) out.nodes.push_back(sweep.moved(p, static_cast<double>(l) / layers));
    for (int l = 0; l < layers; ++l)
        for (const auto& q : cap.quads) {
            std::array<std::int32_t, 8> solid{};
            std::array<Vec3, 8> corners;
            for (std::size_t k = 0; k < 4; ++k) solid[k] = l * n + q[k], solid[k + 4] = (l + 1) * n + q[k];
            for (std::size_t k = 0; k < 8; ++k) corners[k] = out.nodes[ix(solid[k])];
            out.volume += hexahedron_volume(corners);
            out.solids.push_back(solid);
        }
    return out;
}

}  // namespace halvo
