#include "geom/parameters.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {

Vec2 periods_of(const NurbsSurface& s) {
    const Vec2 lo = s.domain().min(), hi = s.domain().max();
    Vec2 out = Vec2::Zero();
    for (int k = 0; k < 2; ++k) {
        bool closed = true;
        double size = 0;
        for (int i = 0; i <= 4 && closed; ++i) {
            Vec2 a = lo + (hi - lo) * (i / 4.0), b = a, m = a;
            a[k] = lo[k], b[k] = hi[k], m[k] = 0.5 * (lo[k] + hi[k]);
            const Vec3 p = s.point(a);
            size = std::max(size, (s.point(m) - p).norm());
            closed = (s.point(b) - p).norm() <= 1e-6 * std::max(size, 1e-3);
        }
        if (closed && size > 0) out[k] = hi[k] - lo[k];
    }
    return out;
}

Vec2 periods_of(const Surface& s) {
    if (const auto* f = std::get_if<FreeSurface>(&s)) return f->spline ? periods_of(*f->spline) : Vec2(Vec2::Zero());
    if (std::holds_alternative<TorusSurface>(s)) return {2 * pi, 2 * pi};
    if (std::holds_alternative<PlaneSurface>(s)) return Vec2::Zero();
    return {2 * pi, 0};
}

Vec2 parameter_lengths(const Surface& s, const Vec2& uv) {
    if (const auto* f = std::get_if<FreeSurface>(&s); f != nullptr && f->spline) {
        const auto j = f->spline->jet(uv, 1);
        return {j.du.norm(), j.dv.norm()};
    }
    if (const auto* c = std::get_if<CylinderSurface>(&s)) return {c->radius, 1};
    if (const auto* c = std::get_if<ConeSurface>(&s)) return {std::abs(c->radius + uv.y() * std::sin(c->half_angle)), 1};
    if (const auto* b = std::get_if<SphereSurface>(&s)) return {b->radius * std::abs(std::cos(uv.y())), b->radius};
    if (const auto* t = std::get_if<TorusSurface>(&s)) return {std::abs(t->major + t->minor * std::cos(uv.y())), t->minor};
    return {1, 1};
}

}  // namespace halvo
