#include <halvo/geometry.hpp>

#include "geom/spline_basis.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

constexpr double enough = 1e-11;  // steps shorter than this end the search for a foot

// Newton's step towards the foot; a parameter held at its border takes no part. Gauss and Newton's where Newton's would climb: where
// the curvature leaves no more than a share of the slope.
Vec2 step_to_foot(const NurbsSurface::Jet& j, const Vec3& r, bool hold_u, bool hold_v, double share = 0) {
    const double gu = hold_u ? 0 : r.dot(j.du), gv = hold_v ? 0 : r.dot(j.dv), uu = j.du.squaredNorm(), uv = j.du.dot(j.dv), vv = j.dv.squaredNorm();
    double a = uu + r.dot(j.duu), b = uv + r.dot(j.duv), c = vv + r.dot(j.dvv);
    if (hold_u || hold_v) {
        if (a <= 0) a = uu;
        if (c <= 0) c = vv;
    } else {
        if (a <= share * uu || c <= share * vv || a * c - b * b <= share * (uu * vv - uv * uv)) a = uu, b = uv, c = vv;
        if (const double det = a * c - b * b; det > 1e-300) return {-(c * gu - b * gv) / det, -(a * gv - b * gu) / det};
    }
    return {a > 0 ? -gu / a : 0, c > 0 ? -gv / c : 0};
}

template <class V>
struct Sums {
    V p, du, dv, duu, duv, dvv;
};

// Sums over the poles that count at a place, and their derivatives.
template <class Pole>
auto sums(const NurbsSurface& s, const Basis& bu, const Basis& bv, int order, const Pole& pole) {
    using V = std::decay_t<decltype(pole(std::size_t{0}))>;
    const V zero = V::Zero();
    std::conditional_t<std::is_same_v<V, Vec3>, NurbsSurface::Jet, Sums<V>> a{zero, zero, zero, zero, zero, zero};
    const std::size_t nv = s.count_v();
    for (int i = 0; i <= s.degree_u; ++i) {
        V r0 = zero, r1 = zero, r2 = zero;
        const std::size_t first = ix(bu.span - s.degree_u + i) * nv + ix(bv.span - s.degree_v);
        for (std::size_t j = 0; j <= ix(s.degree_v); ++j) {
            const V h = pole(first + j);
            r0 += bv.n[j] * h;
            if (order >= 1) r1 += bv.d1[j] * h;
            if (order >= 2) r2 += bv.d2[j] * h;
        }
        const double n = bu.n[ix(i)], d1 = order >= 1 ? bu.d1[ix(i)] : 0;
        a.p += n * r0;
        if (order >= 1) a.du += d1 * r0, a.dv += n * r1;
        if (order < 2) continue;
        a.duu += bu.d2[ix(i)] * r0, a.duv += d1 * r1, a.dvv += n * r2;
    }
    return a;
}

// From sums of weighted poles and of weights (The NURBS Book, equation 4.20).
NurbsSurface::Jet projected(const Sums<Eigen::Vector4d>& a, int order) {
    const double w = a.p[3];
    const Vec3 zero = Vec3::Zero();
    NurbsSurface::Jet out{zero, zero, zero, zero, zero, zero};
    out.p = a.p.head<3>() / w;
    if (order < 1) return out;
    out.du = (a.du.head<3>() - a.du[3] * out.p) / w;
    out.dv = (a.dv.head<3>() - a.dv[3] * out.p) / w;
    if (order < 2) return out;
    out.duu = (a.duu.head<3>() - 2 * a.du[3] * out.du - a.duu[3] * out.p) / w;
    out.duv = (a.duv.head<3>() - a.du[3] * out.dv - a.dv[3] * out.du - a.duv[3] * out.p) / w;
    out.dvv = (a.dvv.head<3>() - 2 * a.dv[3] * out.dv - a.dvv[3] * out.p) / w;
    return out;
}

}  // namespace

Box2 NurbsSurface::domain() const {
    return {Vec2(knots_u[ix(degree_u)], knots_v[ix(degree_v)]), Vec2(knots_u[knots_u.size() - ix(degree_u) - 1], knots_v[knots_v.size() - ix(degree_v) - 1])};
}

NurbsSurface::Jet NurbsSurface::jet(const Vec2& at, int order) const {
    const Vec2 uv = clamped(at);
    Basis bu, bv;  // NOLINT: filled as far as the degrees and the order need
    fill_basis(knots_u, degree_u, uv.x(), order, bu), fill_basis(knots_v, degree_v, uv.y(), order, bv);
    if (weights.empty()) return sums(*this, bu, bv, order, [&](std::size_t k) { return poles[k]; });
    const auto lifted = [&](std::size_t k) -> Eigen::Vector4d {
        return {weights[k] * poles[k].x(), weights[k] * poles[k].y(), weights[k] * poles[k].z(), weights[k]};
    };
    return projected(sums(*this, bu, bv, order, lifted), order);
}

Vec2 NurbsSurface::foot(const Vec3& p, const Vec2& guess) const {
    constexpr double sure = 1e-6;  // steps shorter than this need no proof that they lead nearer, and rounding would deny it
    const Box2 d = domain();
    const auto held = [&](const Vec2& uv, int k, double slope) { return (uv[k] <= d.min()[k] && slope > 0) || (uv[k] >= d.max()[k] && slope < 0); };
    Vec2 uv = clamped(guess);
    Jet j = jet(uv);
    double distance = (j.p - p).squaredNorm();
    for (int i = 0; i < 30; ++i) {
        const Vec3 r = j.p - p;
        const bool hold_u = held(uv, 0, r.dot(j.du)), hold_v = held(uv, 1, r.dot(j.dv));
        if (hold_u && hold_v) break;
        Vec2 step = step_to_foot(j, r, hold_u, hold_v);
        bool better = false;
        for (int half = 0; half < 12 && !better; ++half, step *= 0.5) {
            const Vec2 next = clamped(uv + step);
            const Vec2 by = next - uv;
            // So near that the next step would be lost in rounding, as would be what it gains.
            const double way = (by.x() * j.du + by.y() * j.dv).squaredNorm();
            if (way < enough * enough) return next;
            const Jet k = jet(next);
            const double far = (k.p - p).squaredNorm();
            if (far > distance && way > sure * sure) continue;
            better = true;
            uv = next, j = k, distance = far;
        }
        if (!better) break;
    }
    return uv;
}

NurbsSurface::Jet NurbsSurface::extended(const Vec2& uv, int order) const {
    const Vec2 in = clamped(uv), over = uv - in;  // how far past the border
    if (over.isZero()) return jet(in, order);
    Jet j = jet(in);
    j.p += over.x() * j.du + over.y() * j.dv;
    // Past one border the surface is ruled: the tangent along the border turns on at the same rate. Past a corner it is plane.
    if (over.x() == 0) j.du += over.y() * j.duv;
    if (over.y() == 0) j.dv += over.x() * j.duv;
    if (over.x() != 0) j.duu.setZero();
    if (over.y() != 0) j.dvv.setZero();
    if (over.x() != 0 && over.y() != 0) j.duv.setZero();
    return j;
}

Vec2 NurbsSurface::extended_foot(const Vec3& p, const Vec2& guess) const {
    Vec2 uv = foot(p, guess);
    constexpr double wary = 0.3;  // no step is tried before it is taken
    const Vec2 lo = domain().min(), hi = domain().max();
    const auto on_border = [&](int k) { return uv[k] <= lo[k] || uv[k] >= hi[k]; };
    if (!on_border(0) && !on_border(1)) return uv;
    for (int i = 0; i < 12; ++i) {
        const Jet j = extended(uv);
        const Vec2 step = step_to_foot(j, j.p - p, false, false, wary);
        uv += step;
        if ((step.x() * j.du + step.y() * j.dv).squaredNorm() < enough * enough) break;
    }
    return uv;
}

NurbsSurface NurbsSurface::moved(const Eigen::Isometry3d& m) const {
    NurbsSurface out = *this;
    for (Vec3& p : out.poles) p = m * p;
    return out;
}

}  // namespace halvo
