#include <halvo/geometry.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

constexpr int most_degree = 25;  // the kernel's own limit
using Row = std::array<double, most_degree + 1>;

std::size_t ix(int i) {
    return static_cast<std::size_t>(i);
}

int span_of(const std::vector<double>& knots, int degree, double t) {
    const auto first = knots.begin() + degree, last = knots.end() - degree - 1;
    const auto it = std::upper_bound(first, last, t);
    return static_cast<int>(std::clamp<std::ptrdiff_t>(it - knots.begin() - 1, degree, last - knots.begin() - 1));
}

// Values, first and second derivatives of the basis functions that are not zero on a span: entries 0 to degree. Derivatives come from
// the values of one degree lower (The NURBS Book, equation 2.7), which needs no table of differences for the two orders wanted.
struct Basis {
    int span;
    Row n, d1, d2;
};

// Derivative of degree-p functions from values (or derivatives) `low` of degree p - 1 on the same span.
void raise(const std::vector<double>& k, int span, int p, const Row& low, Row& out) {
    double before = 0;
    for (int j = 0; j <= p; ++j) {
        const int i = span - p + j;
        const double b = k[ix(i + p + 1)] - k[ix(i + 1)], y = j < p && b > 0 ? low[ix(j)] / b : 0;
        out[ix(j)] = p * (before - y);
        before = y;
    }
}

// The values grow degree by degree; those of the two degrees below the last give the derivatives.
void basis(const std::vector<double>& k, int degree, double t, Basis& b) {
    b.span = span_of(k, degree, t);
    Row left, right, low, lower, slope;
    b.n[0] = 1;
    if (degree < 2) b.d2[0] = b.d2[1] = 0;
    if (degree < 1) b.d1[0] = 0;
    for (int j = 1; j <= degree; ++j) {
        if (j == degree - 1) std::copy_n(b.n.begin(), j, lower.begin());
        if (j == degree) std::copy_n(b.n.begin(), j, low.begin());
        left[ix(j)] = t - k[ix(b.span + 1 - j)];
        right[ix(j)] = k[ix(b.span + j)] - t;
        double saved = 0;
        for (int r = 0; r < j; ++r) {
            const double den = right[ix(r + 1)] + left[ix(j - r)], w = den != 0 ? b.n[ix(r)] / den : 0;
            b.n[ix(r)] = saved + right[ix(r + 1)] * w;
            saved = left[ix(j - r)] * w;
        }
        b.n[ix(j)] = saved;
    }
    if (degree >= 1) raise(k, b.span, degree, low, b.d1);
    if (degree >= 2) raise(k, b.span, degree - 1, lower, slope), raise(k, b.span, degree, slope, b.d2);
}

}  // namespace

Box2 NurbsSurface::domain() const {
    return {Vec2(knots_u[ix(degree_u)], knots_v[ix(degree_v)]), Vec2(knots_u[knots_u.size() - ix(degree_u) - 1], knots_v[knots_v.size() - ix(degree_v) - 1])};
}

NurbsSurface::Jet NurbsSurface::jet(const Vec2& at) const {
    const Vec2 uv = clamped(at);
    Basis bu, bv;  // NOLINT: filled as far as the degrees need
    basis(knots_u, degree_u, uv.x(), bu), basis(knots_v, degree_v, uv.y(), bv);
    // Sums of weighted poles and of weights: value, u, v, uu, uv, vv.
    std::array<Eigen::Vector4d, 6> a;
    a.fill(Eigen::Vector4d::Zero());
    const std::size_t nv = count_v();
    for (int i = 0; i <= degree_u; ++i) {
        Eigen::Vector4d r0 = Eigen::Vector4d::Zero(), r1 = r0, r2 = r0;
        for (int j = 0; j <= degree_v; ++j) {
            const std::size_t k = ix(bu.span - degree_u + i) * nv + ix(bv.span - degree_v + j);
            const double w = weights.empty() ? 1 : weights[k];
            const Eigen::Vector4d h(w * poles[k].x(), w * poles[k].y(), w * poles[k].z(), w);
            r0 += bv.n[ix(j)] * h, r1 += bv.d1[ix(j)] * h, r2 += bv.d2[ix(j)] * h;
        }
        a[0] += bu.n[ix(i)] * r0, a[1] += bu.d1[ix(i)] * r0, a[2] += bu.n[ix(i)] * r1;
        a[3] += bu.d2[ix(i)] * r0, a[4] += bu.d1[ix(i)] * r1, a[5] += bu.n[ix(i)] * r2;
    }
    const double w = a[0][3];
    Jet out;
    out.p = a[0].head<3>() / w;
    out.du = (a[1].head<3>() - a[1][3] * out.p) / w;
    out.dv = (a[2].head<3>() - a[2][3] * out.p) / w;
    out.duu = (a[3].head<3>() - 2 * a[1][3] * out.du - a[3][3] * out.p) / w;
    out.duv = (a[4].head<3>() - a[1][3] * out.dv - a[2][3] * out.du - a[4][3] * out.p) / w;
    out.dvv = (a[5].head<3>() - 2 * a[2][3] * out.dv - a[5][3] * out.p) / w;
    return out;
}

// Newton's step towards the foot; a parameter held at its border takes no part.
static Vec2 step_to_foot(const NurbsSurface::Jet& j, const Vec3& r, bool hold_u, bool hold_v) {
    const double gu = hold_u ? 0 : r.dot(j.du), gv = hold_v ? 0 : r.dot(j.dv), uu = j.du.squaredNorm(), uv = j.du.dot(j.dv), vv = j.dv.squaredNorm();
    double a = uu + r.dot(j.duu), b = uv + r.dot(j.duv), c = vv + r.dot(j.dvv);
    if (hold_u || hold_v) {
        if (a <= 0) a = uu;
        if (c <= 0) c = vv;
    } else {
        if (a <= 0 || a * c - b * b <= 0) a = uu, b = uv, c = vv;  // Gauss-Newton where Newton would climb
        if (const double det = a * c - b * b; det > 1e-300) return {-(c * gu - b * gv) / det, -(a * gv - b * gu) / det};
    }
    return {a > 0 ? -gu / a : 0, c > 0 ? -gv / c : 0};
}

Vec2 NurbsSurface::foot(const Vec3& p, const Vec2& guess) const {
    constexpr double enough = 1e-11;
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
            if ((by.x() * j.du + by.y() * j.dv).squaredNorm() < enough * enough) return next;
            const Jet k = jet(next);
            const double far = (k.p - p).squaredNorm();
            if (far > distance) continue;
            better = true;
            uv = next, j = k, distance = far;
        }
        if (!better) break;
    }
    return uv;
}

NurbsSurface::Jet NurbsSurface::extended(const Vec2& uv) const {
    const Vec2 in = clamped(uv), over = uv - in;  // how far past the border
    Jet j = jet(in);
    if (over.isZero()) return j;
    j.p += over.x() * j.du + over.y() * j.dv;
    // Past one border the surface is ruled: the tangent along the border turns on at the same rate. Past a corner it is plane.
    if (over.x() == 0) j.du += over.y() * j.duv;
    if (over.y() == 0) j.dv += over.x() * j.duv;
    j.duu.setZero(), j.duv.setZero(), j.dvv.setZero();
    return j;
}

Vec2 NurbsSurface::extended_foot(const Vec3& p, const Vec2& guess) const {
    Vec2 uv = foot(p, guess);
    const Vec2 lo = domain().min(), hi = domain().max();
    const auto on_border = [&](int k) { return uv[k] <= lo[k] || uv[k] >= hi[k]; };
    if (!on_border(0) && !on_border(1)) return uv;
    for (int i = 0; i < 12; ++i) {
        const Jet j = extended(uv);
        const Vec3 r = p - j.p;
        const double a = j.du.squaredNorm(), b = j.du.dot(j.dv), c = j.dv.squaredNorm(), det = a * c - b * b;
        if (det <= 1e-300) break;
        Vec2 step((c * r.dot(j.du) - b * r.dot(j.dv)) / det, (a * r.dot(j.dv) - b * r.dot(j.du)) / det);
        uv += step;
        if (step.x() * step.x() * a + step.y() * step.y() * c < 1e-24) break;
    }
    return uv;
}

NurbsSurface NurbsSurface::moved(const Eigen::Isometry3d& m) const {
    NurbsSurface out = *this;
    for (Vec3& p : out.poles) p = m * p;
    return out;
}

}  // namespace halvo
