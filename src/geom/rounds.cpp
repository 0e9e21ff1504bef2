#include "geom/rounds.hpp"

#include "geom/pipe.hpp"

#include <Eigen/LU>

#include <cmath>

namespace halvo {
namespace {

// A surface that is extruded or turned, seen along or about its axis: a line { x : normal . x = offset } or a circle.
struct Trace {
    bool line = true;
    Vec2 normal = Vec2::UnitX();
    double offset = 0;
    Vec2 centre = Vec2::Zero();
    double radius = 0;

    [[nodiscard]] double height(const Vec2& q) const { return line ? normal.dot(q) - offset : (q - centre).norm() - radius; }
    [[nodiscard]] Vec2 gradient(const Vec2& q) const { return line ? normal : Vec2((q - centre).normalized()); }
};

std::optional<Trace> extruded(const Surface& s, const Frame& f, double sine) {
    Trace t;
    if (const auto* p = std::get_if<PlaneSurface>(&s)) {
        if (std::abs(p->frame.z.dot(f.z)) > sine) return std::nullopt;
        t.normal = Vec2(p->frame.z.dot(f.x), p->frame.z.dot(f.y)).normalized();
        t.offset = t.normal.dot(f.local2(p->frame.origin));
        return t;
    }
    const auto* c = std::get_if<CylinderSurface>(&s);
    if (!c || c->frame.z.cross(f.z).norm() > sine) return std::nullopt;
    t.line = false, t.centre = f.local2(c->frame.origin), t.radius = c->radius;
    return t;
}

// In the half plane (distance from the axis, height along it).
std::optional<Trace> turned(const Surface& s, const Frame& axis, double sine, double tol) {
    const auto coaxial = [&](const Frame& f, bool any_way) {
        const Vec3 d = f.origin - axis.origin;
        return (any_way || f.z.cross(axis.z).norm() <= sine) && (d - d.dot(axis.z) * axis.z).norm() <= tol;
    };
    Trace t;
    if (const auto* p = std::get_if<PlaneSurface>(&s)) {
        if (p->frame.z.cross(axis.z).norm() > sine) return std::nullopt;
        t.normal = Vec2::UnitY(), t.offset = axis.height(p->frame.origin);
        return t;
    }
    if (const auto* c = std::get_if<CylinderSurface>(&s)) {
        if (!coaxial(c->frame, false)) return std::nullopt;
        t.normal = Vec2::UnitX(), t.offset = c->radius;
        return t;
    }
    if (const auto* c = std::get_if<ConeSurface>(&s)) {
        if (!coaxial(c->frame, false)) return std::nullopt;
        const double way = c->frame.z.dot(axis.z) > 0 ? 1 : -1;
        t.normal = Vec2(std::cos(c->half_angle), -way * std::sin(c->half_angle));
        t.offset = t.normal.dot(Vec2(c->radius, axis.height(c->frame.origin)));
        return t;
    }
    t.line = false;
    if (const auto* k = std::get_if<SphereSurface>(&s); k && coaxial(k->frame, true)) {
        t.centre = Vec2(0, axis.height(k->frame.origin)), t.radius = k->radius;
        return t;
    }
    if (const auto* k = std::get_if<TorusSurface>(&s); k && coaxial(k->frame, false)) {
        t.centre = Vec2(k->major, axis.height(k->frame.origin)), t.radius = k->minor;
        return t;
    }
    return std::nullopt;
}

std::optional<Frame> axis_of(const Surface& s) {
    if (const auto* c = std::get_if<CylinderSurface>(&s)) return c->frame;
    if (const auto* c = std::get_if<ConeSurface>(&s)) return c->frame;
    if (const auto* c = std::get_if<TorusSurface>(&s)) return c->frame;
    return std::nullopt;
}

std::optional<Vec3> normal_of_plane(const Surface& s) {
    if (const auto* p = std::get_if<PlaneSurface>(&s)) return p->frame.z;
    return std::nullopt;
}

// Direction along which both may be extruded.
std::optional<Frame> common_direction(const Surface& a, const Surface& b) {
    if (const auto* c = std::get_if<CylinderSurface>(&a)) return c->frame;
    if (const auto* c = std::get_if<CylinderSurface>(&b)) return c->frame;
    const auto u = normal_of_plane(a), v = normal_of_plane(b);
    if (!u || !v || u->cross(*v).norm() < 1e-6) return std::nullopt;
    return Frame::with_z(std::get<PlaneSurface>(a).frame.origin, u->cross(*v));
}

// Axis about which both may be turned.
std::optional<Frame> common_axis(const Surface& a, const Surface& b) {
    for (const Surface* s : {&a, &b})
        if (const auto f = axis_of(*s)) return f;
    for (const auto& [s, o] : {std::pair{&a, &b}, std::pair{&b, &a}})
        if (const auto* ball = std::get_if<SphereSurface>(s))
            if (const auto n = normal_of_plane(*o)) return Frame::with_z(ball->frame.origin, *n);
    return std::nullopt;
}

// Centre of the circle that touches both traces on the sides that `from` lies on.
std::optional<Vec2> centre_between(const Trace& a, const Trace& b, double r, const Vec2& from) {
    const double sa = a.height(from) < 0 ? -1 : 1, sb = b.height(from) < 0 ? -1 : 1;
    Vec2 c = from;
    for (int i = 0; i < 40; ++i) {
        Eigen::Matrix2d m;
        m << a.gradient(c).transpose(), b.gradient(c).transpose();
        if (!(std::abs(m.determinant()) > 1e-6)) return std::nullopt;
        const Vec2 step = m.inverse() * Vec2(sa * r - a.height(c), sb * r - b.height(c));
        c += step;
        if (!c.allFinite() || (c - from).norm() > 20 * r) return std::nullopt;
        if (step.norm() <= 1e-14 * std::max(1.0, c.norm())) break;
    }
    return c;
}

// Where a circle touches another trace.
std::optional<Vec2> touch(const Trace& circle, const Trace& other, double tol) {
    if (circle.line) return std::nullopt;
    const double h = other.height(circle.centre);
    if (std::abs(std::abs(h) - circle.radius) <= tol) return Vec2(circle.centre - h * other.gradient(circle.centre));
    // One circle inside the other.
    const Vec2 d = circle.centre - other.centre;
    if (!other.line && d.norm() > tol && std::abs(d.norm() + other.radius - circle.radius) <= tol) return Vec2(other.centre - other.radius * d.normalized());
    return std::nullopt;
}

std::optional<Vec2> touch_of(const Trace& a, const Trace& b, double tol) {
    if (const auto q = touch(a, b, tol)) return q;
    return touch(b, a, tol);
}

Curve full_circle(const Frame& f, double radius) {
    return Curve{CircleCurve{f, radius}, 0, 2 * pi};
}

// Two tubes of one radius whose centre lines go on in each other: a circle of both.
std::optional<Curve> across_tubes(const Surface& a, const Surface& b, double tol) {
    const auto* t = std::get_if<TorusSurface>(&a);
    if (!t) return std::nullopt;
    const auto r = spine_radius(b);
    if (!r || std::abs(*r - t->minor) > tol) return std::nullopt;
    const Vec3 c = t->frame.origin;
    Vec3 at;
    if (const auto* k = std::get_if<CylinderSurface>(&b)) {
        at = k->frame.origin + k->frame.height(c) * k->frame.z;
        if (std::abs(k->frame.z.dot(t->frame.z)) * t->major > tol) return std::nullopt;
    } else if (const auto* ball = std::get_if<SphereSurface>(&b)) {
        at = ball->frame.origin;
    } else {
        return std::nullopt;
    }
    const Vec3 out = at - c;
    if (std::abs(t->frame.z.dot(out)) > tol || std::abs(out.norm() - t->major) > tol) return std::nullopt;
    return full_circle(Frame::with_z(at, t->frame.z.cross(out)), t->minor);
}

}  // namespace

std::optional<Surface> round_between(const Surface& a, const Surface& b, double r, const Vec3& inside, double tol) {
    const double sine = std::max(1e-9, tol / (10 * r));
    if (auto f = common_direction(a, b)) {
        f->origin += f->height(inside) * f->z;
        const auto u = extruded(a, *f, sine), v = extruded(b, *f, sine);
        if (u && v)
            if (const auto c = centre_between(*u, *v, r, f->local2(inside)))
                return CylinderSurface{Frame::with_zx(f->origin + c->x() * f->x + c->y() * f->y, f->z, f->x), r};
    }
    if (const auto f = common_axis(a, b)) {
        const auto u = turned(a, *f, sine, tol), v = turned(b, *f, sine, tol);
        if (!u || !v) return std::nullopt;
        const double h = f->height(inside), rho = (inside - f->origin - h * f->z).norm();
        const auto c = centre_between(*u, *v, r, Vec2(rho, h));
        constexpr double least_major = 0.02;  // of the radius: the ball hardly moves
        if (c && c->x() > least_major * r) return TorusSurface{Frame::with_zx(f->origin + c->y() * f->z, f->z, f->x), c->x(), r};
    }
    return std::nullopt;
}

std::optional<Surface> ball_between(const std::array<PlaneSurface, 3>& planes, double r, const Vec3& inside) {
    Eigen::Matrix3d m;
    Vec3 rhs;
    for (int i = 0; i < 3; ++i) {
        const Frame& f = planes[static_cast<std::size_t>(i)].frame;
        const double side = f.height(inside) < 0 ? -1 : 1;
        m.row(i) = f.z.transpose();
        rhs[i] = f.z.dot(f.origin - inside) + side * r;
    }
    if (std::abs(m.determinant()) < 1e-3) return std::nullopt;
    const Vec3 shift = m.inverse() * rhs;
    if (shift.norm() > 20 * r) return std::nullopt;
    return SphereSurface{Frame::with_z(inside + shift, planes[0].frame.z), r};
}

std::optional<Surface> mean_by_normal(const Surface& a, const Surface& b, const Vec3& place, double reach, double tol) {
    if (a.index() != b.index()) return std::nullopt;
    if (const auto* s = std::get_if<SphereSurface>(&a)) {
        const auto& o = std::get<SphereSurface>(b);
        return SphereSurface{Frame::with_zx(0.5 * (s->frame.origin + o.frame.origin), s->frame.z, s->frame.x), 0.5 * (s->radius + o.radius)};
    }
    const auto f = axis_of(a), g = axis_of(b);
    if (!f || !g || f->z.cross(g->z).norm() * reach > tol) return std::nullopt;
    const Vec3 z = f->z;
    const auto mean_at = [&](const Vec3& p, const Vec3& q) { return Frame::with_zx(0.5 * (p + q), z, f->x); };
    if (const auto* s = std::get_if<CylinderSurface>(&a)) {
        const auto& o = std::get<CylinderSurface>(b);
        const Vec3 p = f->origin + f->height(place) * f->z, q = g->origin + g->height(p) * g->z;
        return CylinderSurface{mean_at(p, q), 0.5 * (s->radius + o.radius)};
    }
    if (const auto* s = std::get_if<TorusSurface>(&a)) {
        const auto& o = std::get<TorusSurface>(b);
        return TorusSurface{mean_at(f->origin, g->origin), 0.5 * (s->major + o.major), 0.5 * (s->minor + o.minor)};
    }
    const auto& s = std::get<ConeSurface>(a);
    const auto& o = std::get<ConeSurface>(b);
    const double way = f->z.dot(g->z) > 0 ? 1 : -1;
    if (std::abs(s.half_angle - way * o.half_angle) * reach > tol || std::abs(s.half_angle) < 1e-6) return std::nullopt;
    const auto apex = [](const ConeSurface& c) { return Vec3(c.frame.origin - c.radius / std::tan(c.half_angle) * c.frame.z); };
    const Frame at = mean_at(apex(s), apex(o));
    const double h = at.height(place);
    return ConeSurface{Frame::with_zx(at.origin + h * z, z, f->x), h * std::tan(s.half_angle), s.half_angle};
}

std::optional<Curve> touching_curve(const Surface& a, const Surface& b, double tol) {
    for (const auto& [s, other] : {std::pair(&a, &b), std::pair(&b, &a)})
        if (const auto* free = std::get_if<FreeSurface>(s); free && free->pipe) return touching_pipe(*free->pipe, *other, tol);
    if (auto c = across_tubes(a, b, tol)) return c;
    if (auto c = across_tubes(b, a, tol)) return c;
    constexpr double sine = 1e-7;
    if (const auto f = common_axis(a, b)) {
        const auto u = turned(a, *f, sine, tol), v = turned(b, *f, sine, tol);
        if (u && v)
            if (const auto q = touch_of(*u, *v, tol); q && std::abs(q->x()) > tol)
                return full_circle(Frame::with_zx(f->origin + q->y() * f->z, f->z, f->x), std::abs(q->x()));
    }
    if (const auto f = common_direction(a, b)) {
        const auto u = extruded(a, *f, sine), v = extruded(b, *f, sine);
        if (u && v)
            if (const auto q = touch_of(*u, *v, tol)) {
                const Vec3 p = f->origin + q->x() * f->x + q->y() * f->y;
                return Curve{LineCurve{p, f->z}, -1, 1};
            }
    }
    return std::nullopt;
}

std::optional<Vec3> spine_point(const Surface& s, const Vec3& p) {
    if (const auto* c = std::get_if<CylinderSurface>(&s)) return Vec3(c->frame.origin + c->frame.height(p) * c->frame.z);
    if (const auto* c = std::get_if<SphereSurface>(&s)) return c->frame.origin;
    if (const auto* f = std::get_if<FreeSurface>(&s)) return f->pipe ? std::optional(f->pipe->spine.point(f->pipe->spine.nearest(p))) : std::nullopt;
    const auto* t = std::get_if<TorusSurface>(&s);
    if (!t) return std::nullopt;
    const Vec3 d = p - t->frame.origin, out = d - d.dot(t->frame.z) * t->frame.z;
    if (out.norm() == 0) return std::nullopt;
    return Vec3(t->frame.origin + t->major * out.normalized());
}

std::optional<double> spine_radius(const Surface& s) {
    if (const auto* c = std::get_if<CylinderSurface>(&s)) return c->radius;
    if (const auto* c = std::get_if<SphereSurface>(&s)) return c->radius;
    if (const auto* t = std::get_if<TorusSurface>(&s)) return t->minor;
    if (const auto* f = std::get_if<FreeSurface>(&s); f && f->pipe) return f->pipe->radius;
    return std::nullopt;
}

double past_ridge(const Surface& round, const std::vector<const BaseSurface*>& sides, const Vec3& p) {
    constexpr double on_edge = 1e-6;  // of the round's radius
    constexpr double none = std::numeric_limits<double>::lowest();
    const auto spine = spine_point(round, p);
    if (!spine) return 0;
    const Vec3 d = (*spine - p).normalized();
    double out = none;
    for (const BaseSurface* s : sides) {
        const SkinPoint near_spine = s->foot(*spine), near_p = s->foot(p);
        const double beyond = (*spine - near_spine.point).dot(near_spine.normal), here = (p - near_p.point).dot(near_p.normal), at = s->along(p, d);
        // Past it already, with the spine: it is met behind, if at all. Where the spine is the sharp edge itself, all are passed there.
        const bool past = beyond * here > 0 && std::abs(beyond) > on_edge * (*spine - p).norm();
        if (!past || at < 0) out = std::max(out, at);
    }
    return out == none ? 0 : out;
}

}  // namespace halvo
