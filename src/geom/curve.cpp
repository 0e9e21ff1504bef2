#include "geom/gauss.hpp"

#include <halvo/geometry.hpp>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

template <class... F>
struct Overload : F... {
    using F::operator()...;
};
template <class... F>
Overload(F...) -> Overload<F...>;

std::size_t polyline_piece(const PolylineCurve& p, double t) {
    const auto it = std::upper_bound(p.at.begin(), p.at.end(), t);
    const auto i = static_cast<std::size_t>(std::max<std::ptrdiff_t>(1, it - p.at.begin()));
    return std::min(i, p.at.size() - 1) - 1;
}

// Point (order 0) or derivative (order 1) of piece i at parameter t.
Vec3 on_piece(const PolylineCurve& c, std::size_t i, double t, int order) {
    const double d = c.at[i + 1] - c.at[i];
    const Vec3 &p = c.points[i], &q = c.points[i + 1];
    if (d <= 0) return order == 0 ? p : Vec3(Vec3::Zero());
    const double w = std::clamp((t - c.at[i]) / d, 0.0, 1.0);
    if (c.tangents.empty()) return order == 0 ? Vec3((1 - w) * p + w * q) : Vec3((q - p) / d);
    const Vec3 m = d * c.tangents[i], n = d * c.tangents[i + 1];
    if (order == 0) return (1 + 2 * w) * (1 - w) * (1 - w) * p + w * (1 - w) * (1 - w) * m + w * w * (3 - 2 * w) * q + w * w * (w - 1) * n;
    return (6 * w * (w - 1) * (p - q) + (1 - w) * (1 - 3 * w) * m + w * (3 * w - 2) * n) / d;
}

// Points of a smooth polyline, each cubic cut by how far it turns.
std::vector<Vec3> on_cubics(const PolylineCurve& c, double chord) {
    std::vector<Vec3> out{c.points.front()};
    for (std::size_t i = 0; i + 1 < c.points.size(); ++i) {
        const double d = c.at[i + 1] - c.at[i], turn = c.tangents[i].cross(c.tangents[i + 1]).norm();
        const int n = std::clamp(static_cast<int>(std::ceil(std::sqrt(d * turn / (8 * std::max(chord, 1e-12))))), 1, 32);
        for (int k = 1; k <= n; ++k) out.push_back(k == n ? c.points[i + 1] : on_piece(c, i, c.at[i] + d * k / n, 0));
    }
    return out;
}

// Roots of A cos t + B sin t = C inside [t0, t1].
void trig_roots(double a, double b, double c, double t0, double t1, std::vector<double>& out) {
    const double r = std::hypot(a, b);
    if (r < 1e-300 || std::abs(c) > r * (1 + 1e-12)) return;
    const double mid = std::atan2(b, a);
    double half = std::acos(std::clamp(c / r, -1.0, 1.0));
    constexpr double touching = 3e-8;  // acos of 1 less rounding: the two roots are one point of contact
    if (half < touching) half = 0;
    const double slack = 1e-12 * std::max(1.0, std::abs(t1));
    for (double root : {mid - half, mid + half}) {
        root += 2 * pi * std::ceil((t0 - slack - root) / (2 * pi));
        for (; root <= t1 + slack; root += 2 * pi) out.push_back(std::clamp(root, t0, t1));
        if (half == 0) break;
    }
}

}  // namespace

Curve Curve::segment(const Vec3& a, const Vec3& b) {
    const double n = (b - a).norm();
    return {LineCurve{a, n > 0 ? Vec3((b - a) / n) : Vec3::UnitX()}, 0, n};
}

Curve Curve::polyline(std::vector<Vec3> points, std::vector<Vec3> tangents) {
    PolylineCurve p;
    p.at.reserve(points.size());
    double s = 0;
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (i > 0) s += (points[i] - points[i - 1]).norm();
        p.at.push_back(s);
    }
    p.points = std::move(points);
    p.tangents = std::move(tangents);
    return {std::move(p), 0, s};
}

Vec3 Curve::point(double t) const {
    return std::visit(Overload{[&](const LineCurve& c) -> Vec3 { return c.origin + t * c.direction; },
                               [&](const CircleCurve& c) -> Vec3 { return c.frame.at(c.radius * std::cos(t), c.radius * std::sin(t)); },
                               [&](const EllipseCurve& c) -> Vec3 { return c.frame.at(c.a * std::cos(t), c.b * std::sin(t)); },
                               [&](const PolylineCurve& c) -> Vec3 { return on_piece(c, polyline_piece(c, t), t, 0); }},
                      shape);
}

Vec3 Curve::derivative(double t) const {
    return std::visit(Overload{[&](const LineCurve& c) -> Vec3 { return c.direction; },
                               [&](const CircleCurve& c) -> Vec3 { return c.radius * (-std::sin(t) * c.frame.x + std::cos(t) * c.frame.y); },
                               [&](const EllipseCurve& c) -> Vec3 { return -c.a * std::sin(t) * c.frame.x + c.b * std::cos(t) * c.frame.y; },
                               [&](const PolylineCurve& c) -> Vec3 { return on_piece(c, polyline_piece(c, t), t, 1); }},
                      shape);
}

double Curve::length(double a, double b) const {
    if (const auto* c = std::get_if<CircleCurve>(&shape)) return c->radius * (b - a);
    const auto* p = std::get_if<PolylineCurve>(&shape);
    if (is_line() || (p && p->tangents.empty())) return b - a;
    std::vector<double> cuts{a};
    if (p) {
        for (double t : p->at)
            if (t > a && t < b) cuts.push_back(t);
    } else {
        const int pieces = std::max(4, static_cast<int>(std::ceil((b - a) / 0.1)));
        for (int i = 1; i < pieces; ++i) cuts.push_back(a + (b - a) * i / pieces);
    }
    cuts.push_back(b);
    double sum = 0;
    for (std::size_t i = 0; i + 1 < cuts.size(); ++i) {
        const double h = cuts[i + 1] - cuts[i];
        for (std::size_t k = 0; k < gauss_at.size(); ++k) sum += h * gauss_weight[k] * derivative(cuts[i] + h * gauss_at[k]).norm();
    }
    return sum;
}

std::vector<double> Curve::smooth_pieces() const {
    std::vector<double> out{t0};
    if (const auto* p = std::get_if<PolylineCurve>(&shape)) {
        for (double t : p->at)
            if (t > t0 && t < t1) out.push_back(t);
    } else if (!is_line()) {
        const int n = std::max(2, static_cast<int>(std::ceil((t1 - t0) / 0.4)));
        for (int i = 1; i < n; ++i) out.push_back(t0 + (t1 - t0) * i / n);
    }
    out.push_back(t1);
    return out;
}

double Curve::parameter_at(double share) const {
    if (share <= 0) return t0;
    if (share >= 1) return t1;
    double t = t0 + share * (t1 - t0);
    if (!std::holds_alternative<EllipseCurve>(shape)) return t;
    const double want = share * length();
    for (int i = 0; i < 20; ++i) {
        const double step = (want - length(t0, t)) / derivative(t).norm();
        t = std::clamp(t + step, t0, t1);
        if (std::abs(step) < 1e-14) break;
    }
    return t;
}

Curve Curve::piece(double a, double b) const {
    if (const auto* p = std::get_if<PolylineCurve>(&shape)) {
        std::vector<double> at{a};
        for (double t : p->at)
            if (t > a && t < b) at.push_back(t);
        at.push_back(b);
        std::vector<Vec3> pts, tangents;
        for (double t : at) {
            pts.push_back(point(t));
            if (!p->tangents.empty()) tangents.push_back(derivative(t).normalized());
        }
        return polyline(std::move(pts), std::move(tangents));
    }
    Curve c = *this;
    c.t0 = a;
    c.t1 = b;
    return c;
}

Curve Curve::reversed() const {
    Curve c = *this;
    std::visit(Overload{[&](LineCurve& l) {
                            l.direction = -l.direction;
                            c.t0 = -t1, c.t1 = -t0;
                        },
                        [&](CircleCurve& k) {
                            k.frame.y = -k.frame.y, k.frame.z = -k.frame.z;
                            c.t0 = -t1, c.t1 = -t0;
                        },
                        [&](EllipseCurve& k) {
                            k.frame.y = -k.frame.y, k.frame.z = -k.frame.z;
                            c.t0 = -t1, c.t1 = -t0;
                        },
                        [&](PolylineCurve&) {}},
               c.shape);
    if (const auto* p = std::get_if<PolylineCurve>(&shape)) {
        std::vector<Vec3> tangents;
        for (auto it = p->tangents.rbegin(); it != p->tangents.rend(); ++it) tangents.push_back(-*it);
        return polyline({p->points.rbegin(), p->points.rend()}, std::move(tangents));
    }
    return c;
}

Curve Curve::moved(const Eigen::Isometry3d& m) const {
    Curve c = *this;
    const auto move_frame = [&](Frame& f) {
        f.origin = m * f.origin;
        f.x = m.linear() * f.x, f.y = m.linear() * f.y, f.z = m.linear() * f.z;
    };
    std::visit(Overload{[&](LineCurve& l) { l.origin = m * l.origin, l.direction = m.linear() * l.direction; }, [&](CircleCurve& k) { move_frame(k.frame); },
                        [&](EllipseCurve& k) { move_frame(k.frame); },
                        [&](PolylineCurve& p) {
                            for (Vec3& q : p.points) q = m * q;
                            for (Vec3& q : p.tangents) q = m.linear() * q;
                            // As the moved points have it, to the last digit: a file keeps only these.
                            const bool whole = c.t1 == p.at.back();
                            for (std::size_t i = 1; i < p.points.size(); ++i) p.at[i] = p.at[i - 1] + (p.points[i] - p.points[i - 1]).norm();
                            if (whole) c.t1 = p.at.back();
                        }},
               c.shape);
    return c;
}

std::vector<Vec3> Curve::sampled(double chord, int least) const {
    if (is_line()) return {start(), end()};
    if (const auto* p = std::get_if<PolylineCurve>(&shape)) return p->tangents.empty() ? p->points : on_cubics(*p, chord);
    double r = 0;
    if (const auto* c = std::get_if<CircleCurve>(&shape)) r = c->radius;
    if (const auto* e = std::get_if<EllipseCurve>(&shape)) r = std::max(e->a, e->b);
    const double step = 2 * std::acos(std::clamp(1 - chord / std::max(r, chord), 0.0, 1.0));
    const int n = std::clamp(static_cast<int>(std::ceil((t1 - t0) / std::max(step, 1e-3))), least, 4096);
    std::vector<Vec3> out;
    for (int i = 0; i <= n; ++i) out.push_back(point(t0 + (t1 - t0) * i / n));
    return out;
}

namespace {

// Gauss-Newton from a parameter near a point's foot. From about as far away as the curve is round, or further, that is slow or leads astray:
// then Newton steps with the curve's own second derivative, as long as they lead nearer.
double refined_foot(const Curve& c, double t, const Vec3& p) {
    constexpr int most = 12;
    constexpr double slow = 0.2;  // of the step before
    Vec3 off = c.point(t) - p;
    double last = std::numeric_limits<double>::max();
    for (int i = 0; i < most; ++i) {
        const Vec3 d = c.derivative(t);
        double step = off.dot(d) / std::max(d.squaredNorm(), 1e-300);
        double next = std::clamp(t - step, c.t0, c.t1);
        Vec3 there = c.point(next) - p;
        const double now = off.squaredNorm() * (1 + 1e-12) + 1e-24;
        if (there.squaredNorm() > now || std::abs(step) > slow * last) {
            const double h = 1e-4 * (c.t1 - c.t0), a = std::max(c.t0, t - h), b = std::min(c.t1, t + h);
            const double bend = d.squaredNorm() + off.dot(c.derivative(b) - c.derivative(a)) / (b - a);
            if (bend > 0) step = off.dot(d) / bend;
            for (int k = 0; k < 20; ++k, step *= 0.5) {
                next = std::clamp(t - step, c.t0, c.t1), there = c.point(next) - p;
                if (there.squaredNorm() <= now) break;
            }
        }
        const double moved = std::abs(next - t);
        t = next, off = there, last = moved;
        if (moved <= 1e-15 * (std::abs(c.t0) + std::abs(c.t1))) break;
    }
    return t;
}

}  // namespace

double Curve::nearest(const Vec3& p) const {
    const auto angle_in_range = [&](double a) {
        a += 2 * pi * std::ceil((t0 - a) / (2 * pi));
        if (a <= t1) return a;
        return (p - start()).norm() <= (p - end()).norm() ? t0 : t1;
    };
    if (const auto* l = std::get_if<LineCurve>(&shape)) return std::clamp((p - l->origin).dot(l->direction), t0, t1);
    if (const auto* c = std::get_if<CircleCurve>(&shape)) {
        const Vec2 q = c->frame.local2(p);
        return angle_in_range(std::atan2(q.y(), q.x()));
    }
    if (const auto* pl = std::get_if<PolylineCurve>(&shape)) {
        double best = t0, best_d = std::numeric_limits<double>::max();
        for (std::size_t i = 0; i + 1 < pl->points.size(); ++i) {
            const Vec3 d = pl->points[i + 1] - pl->points[i];
            const double w = std::clamp((p - pl->points[i]).dot(d) / std::max(d.squaredNorm(), 1e-300), 0.0, 1.0);
            const double dist = (pl->points[i] + w * d - p).squaredNorm();
            if (dist < best_d) best_d = dist, best = pl->at[i] + w * (pl->at[i + 1] - pl->at[i]);
        }
        if (!pl->tangents.empty()) best = refined_foot(*this, best, p);
        return best;
    }
    const auto& e = std::get<EllipseCurve>(shape);
    double best = t0, best_d = std::numeric_limits<double>::max();
    for (int i = 0; i <= 64; ++i) {
        const double t = t0 + (t1 - t0) * i / 64;
        const double d = (point(t) - p).squaredNorm();
        if (d < best_d) best_d = d, best = t;
    }
    for (int i = 0; i < 30; ++i) {
        const Vec3 d1 = derivative(best);
        const Vec3 d2 = e.frame.origin - point(best);
        const Vec3 r = point(best) - p;
        const double g = r.dot(d1), h = d1.squaredNorm() + r.dot(d2);
        const double step = h > 0 ? g / h : 0;
        best = std::clamp(best - step, t0, t1);
        if (std::abs(step) < 1e-15) break;
    }
    return best;
}

Box3 Curve::box() const {
    Box3 b;
    b.extend(start()), b.extend(end());
    // Exact extremes of an arc: the ends and the axis-extreme angles that lie on it.
    const auto extremes = [&](const Vec3& x, const Vec3& y) {
        for (int k = 0; k < 3; ++k) {
            const double a = std::atan2(y[k], x[k]);
            for (double t : {a, a + pi}) {
                t += 2 * pi * std::ceil((t0 - t) / (2 * pi));
                if (t <= t1) b.extend(point(t));
            }
        }
    };
    if (const auto* c = std::get_if<CircleCurve>(&shape)) extremes(c->frame.x, c->frame.y);
    if (const auto* c = std::get_if<EllipseCurve>(&shape)) extremes(c->a * c->frame.x, c->b * c->frame.y);
    if (std::holds_alternative<PolylineCurve>(shape)) {
        // The curve may bulge beyond what stands for it by as much as it was sampled to.
        constexpr double chord = 1e-2;
        for (const Vec3& p : sampled(chord, 32)) b.extend(p);
        b.min().array() -= chord, b.max().array() += chord;
    }
    return b;
}

std::vector<double> meets(const Curve& curve, const Plane& plane) {
    std::vector<double> out;
    std::visit(Overload{[&](const LineCurve& c) {
                            const double rate = plane.normal.dot(c.direction);
                            const double h = plane.height(c.origin);
                            const double slack = 1e-12 * std::max(1.0, std::abs(curve.t1));
                            if (std::abs(rate) < 1e-15) return;
                            const double t = -h / rate;
                            if (t >= curve.t0 - slack && t <= curve.t1 + slack) out.push_back(std::clamp(t, curve.t0, curve.t1));
                        },
                        [&](const CircleCurve& c) {
                            trig_roots(c.radius * plane.normal.dot(c.frame.x), c.radius * plane.normal.dot(c.frame.y), -plane.height(c.frame.origin), curve.t0,
                                       curve.t1, out);
                        },
                        [&](const EllipseCurve& c) {
                            trig_roots(c.a * plane.normal.dot(c.frame.x), c.b * plane.normal.dot(c.frame.y), -plane.height(c.frame.origin), curve.t0, curve.t1,
                                       out);
                        },
                        [&](const PolylineCurve& c) {
                            for (std::size_t i = 0; i + 1 < c.points.size(); ++i) {
                                const double a = plane.height(c.points[i]), b = plane.height(c.points[i + 1]);
                                if ((a < 0) == (b < 0)) continue;
                                double t = c.at[i] + (c.at[i + 1] - c.at[i]) * (a / (a - b));
                                for (int k = 0; k < 6 && !c.tangents.empty(); ++k) {
                                    const double rate = plane.normal.dot(on_piece(c, i, t, 1));
                                    if (std::abs(rate) < 1e-12) break;
                                    t = std::clamp(t - plane.height(on_piece(c, i, t, 0)) / rate, c.at[i], c.at[i + 1]);
                                }
                                out.push_back(t);
                            }
                        }},
               curve.shape);
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

bool same_carrier(const Curve& a, const Curve& b, double tol) {
    if (a.is_line() && b.is_line()) {
        const auto& l = std::get<LineCurve>(a.shape);
        const auto off = [&](const Vec3& p) { return (p - l.origin).cross(l.direction).norm(); };
        return off(b.start()) <= tol && off(b.end()) <= tol;
    }
    const auto *ca = std::get_if<CircleCurve>(&a.shape), *cb = std::get_if<CircleCurve>(&b.shape);
    if (!ca || !cb) return false;
    return (ca->frame.origin - cb->frame.origin).norm() <= tol && std::abs(ca->radius - cb->radius) <= tol &&
           ca->frame.z.cross(cb->frame.z).norm() * ca->radius <= tol;
}

}  // namespace halvo
