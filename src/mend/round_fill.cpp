#include "mend/round_fill.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double least_on = 0.05;     // cosine: an arc that turns back by half round is a rim's, which is closed straight
constexpr double coaxial_way = 1e-4;  // between unit vectors: what files give for tangent and coaxial

void of_two(const CircleCurve& a, const CircleCurve& b, double slack, std::vector<Surface>& out) {
    const Vec3 apart = b.frame.origin - a.frame.origin;
    const Frame axis = Frame::with_z(a.frame.origin, a.frame.z);
    const bool coaxial = a.frame.z.cross(b.frame.z).norm() <= coaxial_way && (apart - apart.dot(axis.z) * axis.z).norm() <= slack;
    if (coaxial) {
        const double along = apart.dot(axis.z);
        if (std::abs(along) > slack && std::abs(a.radius - b.radius) > slack)
            out.emplace_back(ConeSurface{axis, a.radius, std::atan((b.radius - a.radius) / along)});
        return;
    }
    // Two circles of one ball: their axes meet in its centre.
    const Vec3 n = a.frame.z.cross(b.frame.z);
    if (n.squaredNorm() > coaxial_way) {
        const double s = apart.cross(b.frame.z).dot(n) / n.squaredNorm();
        const Vec3 centre = a.frame.origin + s * a.frame.z;
        const Vec3 d = centre - b.frame.origin;
        if ((d - d.dot(b.frame.z) * b.frame.z).norm() <= slack) out.emplace_back(SphereSurface{Frame::with_z(centre, a.frame.z), std::hypot(a.radius, s)});
    }
    // Two sections of a bend: circles of one size whose planes meet in its axis.
    if (std::abs(a.radius - b.radius) <= slack && n.norm() > coaxial_way) {
        const Vec3 z = n.normalized();
        // The point of both planes next to the first centre.
        const Vec3 in_a = z.cross(a.frame.z).normalized();
        const double step = apart.dot(b.frame.z) / in_a.dot(b.frame.z);
        const Vec3 centre = a.frame.origin + step * in_a;
        if (std::abs((b.frame.origin - centre).norm() - std::abs(step)) <= slack && std::abs(step) > a.radius)
            out.emplace_back(TorusSurface{Frame::with_z(centre, z), std::abs(step), a.radius});
    }
}

}  // namespace

// In the half plane through the axis: from one place and direction to another, and against the direction there.
std::optional<Surface> smooth_between(const CircleRing& a, const CircleRing& b, double slack) {
    const Vec3 out = (a.at - a.centre).normalized();
    const auto flat = [&](const Vec3& d) { return Vec2(d.dot(out), d.dot(a.axis)); };
    const Vec3 b_out = (b.at - b.centre).normalized();
    const Vec2 p(a.radius, 0), q(b.radius, (b.centre - a.centre).dot(a.axis)), d = flat(a.on), e(b.on.dot(b_out), b.on.dot(a.axis));
    const Vec2 chord = q - p;
    if (chord.norm() <= slack) return std::nullopt;
    const Vec2 c = chord.normalized();
    const double turn = std::max(100 * coaxial_way, 2 * slack / chord.norm());
    if (d.dot(c) <= least_on || e.dot(c) >= -least_on || std::abs(d.dot(c) + e.dot(c)) > turn) return std::nullopt;
    const double bend = d.x() * c.y() - d.y() * c.x(), other = e.x() * c.y() - e.y() * c.x();
    if (std::abs(bend - other) > turn) return std::nullopt;
    const Frame axis = Frame::with_z(a.centre, a.axis);
    if (std::abs(bend) <= turn) {
        if (std::abs(chord.x()) <= slack) return Surface(CylinderSurface{axis, a.radius});
        if (std::abs(chord.y()) <= slack) return Surface(PlaneSurface{axis});
        return Surface(ConeSurface{axis, a.radius, std::atan(chord.x() / chord.y())});
    }
    // The arc's centre: on the normal at p, as far from q.
    const Vec2 n = (bend > 0 ? Vec2(-d.y(), d.x()) : Vec2(d.y(), -d.x()));
    const double radius = chord.squaredNorm() / (2 * chord.dot(n));
    const Vec2 centre = p + radius * n;
    if (!(radius > 0)) return std::nullopt;
    if (std::abs(centre.x()) <= slack) return Surface(SphereSurface{Frame::with_z(a.centre + centre.y() * a.axis, a.axis), radius});
    return Surface(TorusSurface{Frame::with_z(a.centre + centre.y() * a.axis, a.axis), centre.x(), radius});
}

std::vector<Surface> surfaces_of_arcs(const std::vector<const CircleCurve*>& arcs, double slack) {
    std::vector<Surface> out;
    for (const auto* k : arcs) out.emplace_back(CylinderSurface{Frame::with_z(k->frame.origin, k->frame.z), k->radius});
    for (std::size_t i = 0; i < arcs.size(); ++i)
        for (std::size_t j = i + 1; j < arcs.size(); ++j) of_two(*arcs[i], *arcs[j], slack, out);
    return out;
}

}  // namespace halvo
