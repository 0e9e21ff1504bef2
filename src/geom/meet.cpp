// Curves through points, and where two curves meet.
#include <halvo/geometry.hpp>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

std::optional<Curve> line_through(const std::vector<Vec3>& p, double tol) {
    if ((p.back() - p.front()).norm() <= tol) return std::nullopt;
    const Vec3 d = (p.back() - p.front()).normalized();
    double last = 0;
    for (const Vec3& q : p) {
        if ((q - p.front()).cross(d).norm() > tol) return std::nullopt;
        const double at = (q - p.front()).dot(d);
        if (at < last - tol) return std::nullopt;
        last = at;
    }
    return Curve::segment(p.front(), p.back());
}

std::optional<Curve> circle_through(const std::vector<Vec3>& p, const std::vector<Vec3>& tangents, double tol) {
    if (p.size() < 3) return std::nullopt;
    const bool closed = (p.front() - p.back()).norm() <= tol;
    const Vec3 &a = p[0], &b = p[closed ? p.size() / 3 : p.size() / 2], &c = closed ? p[2 * p.size() / 3] : p.back();
    const Vec3 u = b - a, v = c - a, n = u.cross(v);
    const double n2 = n.squaredNorm();
    if (n2 < 1e-24 * u.squaredNorm() * v.squaredNorm() || n2 == 0) return std::nullopt;
    const Vec3 centre = a + (u.squaredNorm() * v.cross(n) + v.squaredNorm() * n.cross(u)) / (2 * n2);
    const double r = (a - centre).norm();
    if (r > 1e6 * std::sqrt(std::max(u.squaredNorm(), v.squaredNorm()))) return std::nullopt;
    Frame f = Frame::with_zx(centre, n, a - centre);
    if (!tangents.empty() && f.y.dot(tangents[0]) < 0) f.y = -f.y, f.z = -f.z;
    double angle = 0;
    for (std::size_t i = 0; i < p.size(); ++i) {
        const Vec3 q = f.local(p[i]);
        if (std::abs(q.z()) > tol || std::abs(std::hypot(q.x(), q.y()) - r) > tol) return std::nullopt;
        if (i == 0) continue;
        double at = std::atan2(q.y(), q.x());
        at += 2 * pi * std::round((angle - at) / (2 * pi));
        if (at < angle - tol / r && at + 2 * pi - angle < pi) at += 2 * pi;
        if (at < angle - tol / r) return std::nullopt;
        angle = at;
    }
    if (closed) angle = 2 * pi;
    if (angle > 2 * pi * (1 + 1e-12)) return std::nullopt;
    return Curve{CircleCurve{f, r}, 0, angle};
}

// How far the cubic between two points bulges to one side with a tangent that is off the curve meant by some sine, at most.
double bulge(double distance, double sine) {
    return 0.15 * distance * sine;
}

// Do the tangents at points on a line or circle follow it too? Few points alone do not tell.
bool tangents_follow(const Curve& c, const std::vector<Vec3>& p, const std::vector<Vec3>& tangents, double tol) {
    for (std::size_t i = 0; i < p.size(); ++i) {
        const Vec3 along = c.derivative(c.nearest(p[i])).normalized();
        const double to_next = i + 1 < p.size() ? (p[i + 1] - p[i]).norm() : 0, to_last = i > 0 ? (p[i] - p[i - 1]).norm() : 0;
        if (bulge(std::max(to_next, to_last), along.cross(tangents[i].normalized()).norm()) > tol) return false;
    }
    return true;
}

struct Piece {
    double t0, t1;
    Vec3 a, b;
    Box3 box;
    double bulge;  // how far the curve may stand off the chord
};

std::vector<Piece> pieces_of(const Curve& c, double tol) {
    std::vector<double> at;
    if (c.is_line()) at = {c.t0, c.t1};
    else if (const auto* p = std::get_if<PolylineCurve>(&c.shape)) {
        at.push_back(c.t0);
        for (double t : p->at)
            if (t > c.t0 && t < c.t1) {
                if (!p->tangents.empty()) at.push_back(0.5 * (at.back() + t));
                at.push_back(t);
            }
        at.push_back(c.t1);
    } else {
        const int n = std::max(2, static_cast<int>(std::ceil((c.t1 - c.t0) / 0.2)));
        for (int i = 0; i <= n; ++i) at.push_back(c.t0 + (c.t1 - c.t0) * i / n);
    }
    std::vector<Piece> out;
    for (std::size_t i = 0; i + 1 < at.size(); ++i) {
        Piece k{at[i], at[i + 1], c.point(at[i]), c.point(at[i + 1]), {}, 0};
        const Vec3 m = c.point(0.5 * (k.t0 + k.t1));
        k.bulge = c.is_line() ? 0 : 1.5 * (m - 0.5 * (k.a + k.b)).norm();
        k.box.extend(k.a).extend(k.b);
        k.box.min().array() -= k.bulge + tol, k.box.max().array() += k.bulge + tol;
        out.push_back(k);
    }
    return out;
}

// Newton on the squared distance of both points, from parameters near a crossing.
bool polish(const Curve& a, const Curve& b, double& s, double& t) {
    const double slack_a = 0.02 * (a.t1 - a.t0), slack_b = 0.02 * (b.t1 - b.t0);
    for (int i = 0; i < 30; ++i) {
        const Vec3 r = b.point(std::clamp(t, b.t0, b.t1)) - a.point(std::clamp(s, a.t0, a.t1));
        const Vec3 da = a.derivative(std::clamp(s, a.t0, a.t1)), db = b.derivative(std::clamp(t, b.t0, b.t1));
        const double aa = da.squaredNorm(), bb = db.squaredNorm(), ab = da.dot(db), det = aa * bb - ab * ab;
        if (!(det > 1e-8 * aa * bb)) return false;  // they run along each other, or one stands still
        const double ds = (bb * r.dot(da) - ab * r.dot(db)) / det, dt = (ab * r.dot(da) - aa * r.dot(db)) / det;
        s = std::clamp(s + ds, a.t0 - slack_a, a.t1 + slack_a), t = std::clamp(t + dt, b.t0 - slack_b, b.t1 + slack_b);
        if (std::abs(ds) * std::sqrt(aa) + std::abs(dt) * std::sqrt(bb) < 1e-12) break;
    }
    return true;
}

// Parameters (0..1) of the nearest points of two segments.
std::pair<double, double> between(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const Vec3 u = b - a, v = d - c, w = a - c;
    const double uu = u.squaredNorm(), vv = v.squaredNorm(), uv = u.dot(v), det = uu * vv - uv * uv;
    double s = det > 1e-14 * uu * vv ? std::clamp((uv * v.dot(w) - vv * u.dot(w)) / det, 0.0, 1.0) : 0.5;
    const double t = vv > 0 ? std::clamp((u.dot(v) * s + v.dot(w)) / vv, 0.0, 1.0) : 0;
    s = uu > 0 ? std::clamp((uv * t - u.dot(w)) / uu, 0.0, 1.0) : 0;
    return {s, t};
}

// Tangent at one of evenly spaced points: fourth-order differences inside, second-order at free ends.
template <class At>
Vec3 slope(const At& at, int k, int n, bool closed) {
    Vec3 d;
    if (closed || (k >= 2 && k + 2 <= n)) d = 8 * (at(k + 1) - at(k - 1)) - (at(k + 2) - at(k - 2));
    else if (k == 0 && n >= 2) d = -3 * at(0) + 4 * at(1) - at(2);
    else if (k == n && n >= 2) d = 3 * at(n) - 4 * at(n - 1) + at(n - 2);
    else d = at(k + 1) - at(k - 1);
    return d.norm() > 0 ? Vec3(d.normalized()) : Vec3::UnitX();
}

}  // namespace

Curve curve_through(std::vector<Vec3> points, double tol) {
    const int n = static_cast<int>(points.size()) - 1;
    const bool closed = n > 2 && (points.front() - points.back()).norm() <= 10 * tol;
    if (closed) points.back() = points.front();
    const auto at = [&](int k) { return points[static_cast<std::size_t>(closed ? (k + n) % n : std::clamp(k, 0, n))]; };
    std::vector<Vec3> tangents;
    for (int k = 0; k <= n; ++k) tangents.push_back(slope(at, k, n, closed));
    return curve_through(points, tangents, tol, Tangents::estimated);
}

Curve curve_through(const std::vector<Vec3>& points, const std::vector<Vec3>& tangents, double tol, Tangents kind) {
    const auto follows = [&](const Curve& c) { return kind == Tangents::estimated || tangents_follow(c, points, tangents, tol); };
    if (const auto l = line_through(points, tol); l && follows(*l)) return *l;
    if (const auto c = circle_through(points, tangents, tol); c && follows(*c)) return *c;
    return Curve::polyline(points, tangents);
}

std::vector<std::pair<double, double>> meets(const Curve& a, const Curve& b, double tol) {
    std::vector<std::pair<double, double>> out;
    const auto pa = pieces_of(a, tol), pb = pieces_of(b, tol);
    Box3 box_b;
    for (const Piece& q : pb) box_b.extend(q.box);
    for (const Piece& p : pa) {
        if (!p.box.intersects(box_b)) continue;
        for (const Piece& q : pb) {
            if (!p.box.intersects(q.box)) continue;
            const auto [x, y] = between(p.a, p.b, q.a, q.b);
            if (((p.a + x * (p.b - p.a)) - (q.a + y * (q.b - q.a))).norm() > p.bulge + q.bulge + tol) continue;
            double s = p.t0 + x * (p.t1 - p.t0), t = q.t0 + y * (q.t1 - q.t0);
            if (!polish(a, b, s, t)) continue;
            s = std::clamp(s, a.t0, a.t1), t = std::clamp(t, b.t0, b.t1);
            const Vec3 at = a.point(s);
            if ((at - b.point(t)).norm() > tol) continue;
            const auto known = [&](const auto& k) { return (a.point(k.first) - at).norm() <= tol && (b.point(k.second) - b.point(t)).norm() <= tol; };
            if (std::none_of(out.begin(), out.end(), known)) out.emplace_back(s, t);
        }
    }
    return out;
}

}  // namespace halvo
