#include "geom/carry.hpp"

#include "geom/trace.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double parallel = 1e-9;    // sine of an angle: what exact geometry of a file gives for parallel
constexpr double least_sine = 1e-6;  // between normals: surfaces at a flatter angle touch

struct AxisLine {
    Vec3 origin, way;
    [[nodiscard]] Vec3 foot(const Vec3& p) const { return origin + (p - origin).dot(way) * way; }
};

std::optional<AxisLine> axis_of(const Surface& s) {
    if (const auto* c = std::get_if<CylinderSurface>(&s)) return AxisLine{c->frame.origin, c->frame.z};
    if (const auto* c = std::get_if<ConeSurface>(&s)) return AxisLine{c->frame.origin, c->frame.z};
    if (const auto* c = std::get_if<TorusSurface>(&s)) return AxisLine{c->frame.origin, c->frame.z};
    return std::nullopt;
}

bool turned_about(const Surface& s, const AxisLine& axis, double tol) {
    if (const auto* p = std::get_if<PlaneSurface>(&s)) return p->frame.z.cross(axis.way).norm() < parallel;
    if (const auto* b = std::get_if<SphereSurface>(&s)) return (b->frame.origin - axis.foot(b->frame.origin)).norm() <= tol;
    const auto own = axis_of(s);
    return own && own->way.cross(axis.way).norm() < parallel && (own->origin - axis.foot(own->origin)).norm() <= tol;
}

// The axis that both surfaces are turned about.
std::optional<AxisLine> common_axis(const Surface& a, const Surface& b, double tol) {
    std::vector<AxisLine> candidates;
    for (const Surface* s : {&a, &b})
        if (const auto axis = axis_of(*s)) candidates.push_back(*axis);
    const auto *ball = std::get_if<SphereSurface>(&a), *other_ball = std::get_if<SphereSurface>(&b);
    const auto *plane = std::get_if<PlaneSurface>(&b), *other_plane = std::get_if<PlaneSurface>(&a);
    if (ball && plane) candidates.push_back({ball->frame.origin, plane->frame.z});
    if (other_ball && other_plane) candidates.push_back({other_ball->frame.origin, other_plane->frame.z});
    if (ball && other_ball && (ball->frame.origin - other_ball->frame.origin).norm() > tol)
        candidates.push_back({ball->frame.origin, (other_ball->frame.origin - ball->frame.origin).normalized()});
    for (const AxisLine& axis : candidates)
        if (turned_about(a, axis, tol) && turned_about(b, axis, tol)) return axis;
    return std::nullopt;
}

bool extruded_along(const Surface& s, const Vec3& way) {
    if (const auto* p = std::get_if<PlaneSurface>(&s)) return std::abs(p->frame.z.dot(way)) < parallel;
    const auto* c = std::get_if<CylinderSurface>(&s);
    return c && c->frame.z.cross(way).norm() < parallel;
}

std::optional<Vec3> common_way(const Surface& a, const Surface& b) {
    const auto *p = std::get_if<PlaneSurface>(&a), *q = std::get_if<PlaneSurface>(&b);
    if (p && q) return p->frame.z.cross(q->frame.z).normalized();
    for (const Surface* s : {&a, &b})
        if (const auto* c = std::get_if<CylinderSurface>(s))
            if (extruded_along(a, c->frame.z) && extruded_along(b, c->frame.z)) return c->frame.z;
    return std::nullopt;
}

Curve line_from(const Vec3& from, const Vec3& way, double reach) {
    return {LineCurve{from, way}, 0, reach};
}

std::optional<Curve> circle_from(const AxisLine& axis, const Vec3& from, const Vec3& way) {
    const Vec3 centre = axis.foot(from), x = from - centre;
    const double r = x.norm();
    if (r <= 0) return std::nullopt;
    const Vec3 z = axis.way.cross(x).dot(way) < 0 ? Vec3(-axis.way) : axis.way;
    return Curve{CircleCurve{Frame::with_zx(centre, z, x), r}, 0, 2 * pi};
}

// A plane across a cylinder at a slant.
std::optional<Curve> ellipse_from(const Surface& a, const Surface& b, const Vec3& from, const Vec3& way) {
    const auto* plane = std::get_if<PlaneSurface>(&a);
    const auto* cylinder = std::get_if<CylinderSurface>(plane ? &b : &a);
    if (!plane) plane = std::get_if<PlaneSurface>(&b);
    if (!plane || !cylinder) return std::nullopt;
    const Vec3 n = plane->frame.z, axis = cylinder->frame.z;
    const double cosine = n.dot(axis);
    if (std::abs(cosine) < 1e-3) return std::nullopt;  // so long that tracing the part that is needed is more exact
    const Vec3 centre = cylinder->frame.origin + n.dot(plane->frame.origin - cylinder->frame.origin) / cosine * axis;
    const Vec3 major = (axis - cosine * n).normalized();
    const double r = cylinder->radius, a_half = r / std::abs(cosine);
    Frame f{centre, major, n.cross(major), n};
    const auto angle = [&](const Frame& k) { return std::atan2(k.y.dot(from - centre) / r, k.x.dot(from - centre) / a_half); };
    double t = angle(f);
    if ((-a_half * std::sin(t) * f.x + r * std::cos(t) * f.y).dot(way) < 0) f.y = -f.y, f.z = -f.z, t = angle(f);
    return Curve{EllipseCurve{f, a_half, r}, t, t + 2 * pi};
}

FootOn foot_on(const BaseSurface& s) {
    return [&s](const Vec3& p) { return s.foot(p); };
}

std::optional<Curve> traced_from(const BaseSurface& a, const BaseSurface& b, const Vec3& from, const Vec3& way, double reach, double tol) {
    constexpr int steps = 48;        // along the reach: what lies between is filled in to the tolerance
    constexpr double strayed = 0.3;  // of a step, by which a point may be moved onto both surfaces
    const auto tangent = [&](const Vec3& p, const Vec3& along) {
        const Vec3 t = a.foot(p).normal.cross(b.foot(p).normal);
        return t.norm() < least_sine ? Vec3(Vec3::Zero()) : Vec3(t.dot(along) < 0 ? -t.normalized() : t.normalized());
    };
    std::vector<Vec3> chain{from};
    Vec3 t = tangent(from, way);
    if (t.isZero()) return std::nullopt;
    double gone = 0, step = reach / steps;
    bool closed = false;
    constexpr std::size_t most_points = 2000;  // where steps had to be halved all along
    while (gone < reach && !closed && chain.size() < most_points) {
        const auto q = onto_both(foot_on(a), foot_on(b), chain.back() + step * t);
        if (!q || (*q - chain.back() - step * t).norm() > strayed * step) {
            step /= 2;
            if (step < 1e-3 * reach / steps) break;
            continue;
        }
        const Vec3 next = tangent(*q, *q - chain.back());
        if (next.isZero()) break;
        gone += step, chain.push_back(*q), t = next;
        closed = chain.size() > 4 && (*q - from).norm() < 0.75 * step;
        step = std::min(2 * step, reach / steps);
    }
    if (closed) chain.pop_back();
    if (chain.size() < 2) return std::nullopt;
    if (closed) chain.push_back(from);
    return curve_on_both(foot_on(a), foot_on(b), chain, closed, tol);
}

double height(const BaseSurface& s, const Vec3& p) {
    const SkinPoint f = s.foot(p);
    return (p - f.point).dot(f.normal);
}

}  // namespace

std::optional<Curve> carried_from(const BaseSurface& a, const BaseSurface& b, const Vec3& from, const Vec3& way, double reach, double tol) {
    if (a.foot(from).normal.cross(b.foot(from).normal).norm() < least_sine) return std::nullopt;
    if (const auto line = common_way(a.surface(), b.surface())) return line_from(from, line->dot(way) < 0 ? Vec3(-*line) : *line, reach);
    if (const auto axis = common_axis(a.surface(), b.surface(), tol)) return circle_from(*axis, from, way);
    if (const auto ellipse = ellipse_from(a.surface(), b.surface(), from, way)) return ellipse;
    return traced_from(a, b, from, way, reach, tol);
}

std::optional<Curve> carried_past(const Curve& curve, const BaseSurface& a, const BaseSurface& b, double reach, double tol) {
    const Vec3 end = curve.end(), way = curve.derivative(curve.t1).normalized();
    if (curve.is_line()) return line_from(end, way, reach);
    if (curve.shape.index() == 1 || curve.shape.index() == 2) {
        Curve rest = curve;
        rest.t0 = curve.t1, rest.t1 = curve.t0 + 2 * pi;
        return rest.t1 > rest.t0 ? std::optional(rest) : std::nullopt;
    }
    return carried_from(a, b, end, way, reach, tol);
}

std::vector<double> crossed_at(const Curve& curve, const BaseSurface& surface, double tol) {
    constexpr int looks = 64;
    const auto at = [&](double t) { return height(surface, curve.point(t)); };
    std::vector<double> out;
    const auto* plane = std::get_if<PlaneSurface>(&surface.surface());
    if (plane && curve.is_line()) {
        const double slope = plane->frame.z.dot(curve.derivative(curve.t0)), h = at(curve.t0);
        if (std::abs(slope) < parallel) return out;
        const double t = curve.t0 - h / slope, slack = tol / std::abs(slope);
        if (t >= curve.t0 - slack && t <= curve.t1) out.push_back(std::max(t, curve.t0));
        return out;
    }
    double t = curve.t0, h = at(t);
    if (std::abs(h) <= tol) out.push_back(t);
    for (int i = 1; i <= looks; ++i) {
        const double next = curve.t0 + (curve.t1 - curve.t0) * i / looks, g = at(next);
        if ((h < 0) != (g < 0) && !(i == 1 && !out.empty())) {
            double lo = t, hi = next, f = h;
            for (int k = 0; k < 200 && hi - lo > 1e-15 * std::max(std::abs(lo), std::abs(hi)); ++k) {
                const double m = 0.5 * (lo + hi), v = at(m);
                if ((v < 0) == (f < 0)) lo = m, f = v;
                else hi = m;
            }
            out.push_back(0.5 * (lo + hi));
        }
        t = next, h = g;
    }
    return out;
}

std::optional<Vec3> onto_three(const BaseSurface& a, const BaseSurface& b, const BaseSurface& c, const Vec3& p) {
    Vec3 q = p;
    double last = std::numeric_limits<double>::max();
    for (int i = 0; i < 40; ++i) {
        Eigen::Matrix3d n;
        Vec3 h;
        int row = 0;
        for (const BaseSurface* s : {&a, &b, &c}) {
            const SkinPoint f = s->foot(q);
            n.row(row) = f.normal.transpose(), h[row++] = (f.point - q).dot(f.normal);
        }
        if (std::abs(n.determinant()) < least_sine) return std::nullopt;
        const Vec3 step = n.inverse() * h;
        q += step;
        if (step.norm() < 1e-13 * (1 + q.norm())) return q;
        if (step.norm() > 0.5 * last) return last < 1e-9 ? std::optional(q) : std::nullopt;
        last = step.norm();
    }
    return q;
}

}  // namespace halvo
