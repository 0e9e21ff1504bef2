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

// Values, first and second derivatives of the basis functions that are not zero on a span. Derivatives come from the values
// of one degree lower (The NURBS Book, equation 2.7), which needs no table of differences for the two orders wanted.
struct Basis {
    int span = 0;
    Row n{}, d1{}, d2{};
};

void values(const std::vector<double>& k, int span, int degree, double t, Row& n) {
    Row left{}, right{};
    n[0] = 1;
    for (int j = 1; j <= degree; ++j) {
        left[ix(j)] = t - k[ix(span + 1 - j)];
        right[ix(j)] = k[ix(span + j)] - t;
        double saved = 0;
        for (int r = 0; r < j; ++r) {
            const double den = right[ix(r + 1)] + left[ix(j - r)], w = den != 0 ? n[ix(r)] / den : 0;
            n[ix(r)] = saved + right[ix(r + 1)] * w;
            saved = left[ix(j - r)] * w;
        }
        n[ix(j)] = saved;
    }
}

// Derivative of degree-p functions from values (or derivatives) `low` of degree p - 1 on the same span.
Row raised(const std::vector<double>& k, int span, int p, const Row& low) {
    Row out{};
    for (int j = 0; j <= p; ++j) {
        const int i = span - p + j;
        const double a = k[ix(i + p)] - k[ix(i)], b = k[ix(i + p + 1)] - k[ix(i + 1)];
        const double x = j > 0 && a > 0 ? low[ix(j - 1)] / a : 0, y = j < p && b > 0 ? low[ix(j)] / b : 0;
        out[ix(j)] = p * (x - y);
    }
    return out;
}

Basis basis(const std::vector<double>& k, int degree, double t) {
    Basis b;
    b.span = span_of(k, degree, t);
    values(k, b.span, degree, t, b.n);
    if (degree >= 1) {
        Row low{};
        values(k, b.span, degree - 1, t, low);
        b.d1 = raised(k, b.span, degree, low);
    }
    if (degree >= 2) {
        Row low{};
        values(k, b.span, degree - 2, t, low);
        b.d2 = raised(k, b.span, degree, raised(k, b.span, degree - 1, low));
    }
    return b;
}

}  // namespace

Box2 NurbsSurface::domain() const {
    return {Vec2(knots_u[ix(degree_u)], knots_v[ix(degree_v)]), Vec2(knots_u[knots_u.size() - ix(degree_u) - 1], knots_v[knots_v.size() - ix(degree_v) - 1])};
}

NurbsSurface::Jet NurbsSurface::jet(const Vec2& at) const {
    const Vec2 uv = clamped(at);
    const Basis bu = basis(knots_u, degree_u, uv.x()), bv = basis(knots_v, degree_v, uv.y());
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

Vec2 NurbsSurface::foot(const Vec3& p, const Vec2& guess) const {
    Vec2 uv = clamped(guess);
    Jet j = jet(uv);
    double distance = (j.p - p).squaredNorm();
    for (int i = 0; i < 30; ++i) {
        const Vec3 r = j.p - p;
        const double gu = r.dot(j.du), gv = r.dot(j.dv);
        double a = j.du.squaredNorm() + r.dot(j.duu), b = j.du.dot(j.dv) + r.dot(j.duv), c = j.dv.squaredNorm() + r.dot(j.dvv);
        if (a <= 0 || a * c - b * b <= 0) a = j.du.squaredNorm(), b = j.du.dot(j.dv), c = j.dv.squaredNorm();  // Gauss-Newton where Newton would climb
        const double det = a * c - b * b;
        Vec2 step = det > 1e-300 ? Vec2(-(c * gu - b * gv) / det, -(a * gv - b * gu) / det) : Vec2(a > 0 ? -gu / a : 0, c > 0 ? -gv / c : 0);
        bool better = false;
        for (int half = 0; half < 12 && !better; ++half, step *= 0.5) {
            const Vec2 next = clamped(uv + step);
            const Jet k = jet(next);
            const double d = (k.p - p).squaredNorm();
            if (d > distance) continue;
            better = (next - uv).squaredNorm() > 0;
            const double moved = (k.p - j.p).norm();
            uv = next, j = k, distance = d;
            if (moved < 1e-11) return uv;
            break;
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
