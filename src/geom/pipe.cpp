#include "geom/pipe.hpp"

#include "geom/net_spline.hpp"
#include "geom/rounds.hpp"

#include <Eigen/LU>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double least_sine = 0.15;       // between both surfaces' normals
constexpr double step_share = 0.03;       // of the radius, between traced places of the ball
constexpr double beyond = 0.75;           // radii, that the ball rolls past what it is to cover
constexpr double turn_step = 0.08;        // rad, that it turns by at most between them
constexpr double beyond_turn = 0.8;       // rad, likewise
constexpr double more_turn = 0.3;         // rad, that the surface reaches past the places it touches at
constexpr double most_turn = 2.8;         // rad, from one of its sides to the other
constexpr std::size_t most_steps = 4000;  // along a line that is followed: bounds the time

// Where a ball touches two surfaces.
class Roller {
public:
    Roller(const Surface& a, const Surface& b, double r, const Vec3& inside) : a_(a), b_(b), r_(r) {
        const SkinPoint p = a_.foot(inside), q = b_.foot(inside);
        side_a_ = (inside - p.point).dot(p.normal) >= 0 ? 1 : -1, side_b_ = (inside - q.point).dot(q.normal) >= 0 ? 1 : -1;
    }

    // The nearest place at the ball's radius from both.
    [[nodiscard]] std::optional<Vec3> settled(Vec3 x) const {
        for (int i = 0; i < 40; ++i) {
            const SkinPoint p = a_.foot(x), q = b_.foot(x);
            const Vec3 m = side_a_ * p.normal, n = side_b_ * q.normal;
            const double u = (x - p.point).dot(m) - r_, v = (x - q.point).dot(n) - r_, c = m.dot(n), d = 1 - c * c;
            if (d < least_sine * least_sine) return std::nullopt;
            const Vec3 step = ((c * v - u) * m + (c * u - v) * n) / d;
            x += step;
            if (step.norm() < 1e-13 * (1 + x.norm())) return x;
            if (step.norm() > 4 * r_) return std::nullopt;
        }
        return std::nullopt;
    }

    [[nodiscard]] Vec3 direction(const Vec3& x) const { return (side_a_ * a_.foot(x).normal).cross(side_b_ * b_.foot(x).normal).normalized(); }
    [[nodiscard]] Vec3 to_a(const Vec3& x) const { return (a_.foot(x).point - x).normalized(); }
    [[nodiscard]] Vec3 to_b(const Vec3& x) const { return (b_.foot(x).point - x).normalized(); }

private:
    BaseSurface a_, b_;
    double r_, side_a_ = 1, side_b_ = 1;
};

double distance(const Vec3& p, const std::vector<Vec3>& to) {
    double d = std::numeric_limits<double>::max();
    for (const Vec3& q : to) d = std::min(d, (p - q).norm());
    return d;
}

// How far along a path others are passed.
class Passed {
public:
    Passed(const std::vector<Vec3>& points, const Vec3& start) : points_(points) {
        for (const Vec3& p : points) nearest_.push_back((p - start).norm());
    }
    // Is one of them nearer to this place than to all before it?
    bool any(const Vec3& x) {
        bool out = false;
        for (std::size_t k = 0; k < points_.size(); ++k)
            if (const double d = (points_[k] - x).norm(); d < nearest_[k]) nearest_[k] = d, out = true;
        return out;
    }

private:
    const std::vector<Vec3>& points_;
    std::vector<double> nearest_;
};

// One way from the start until the ball is well past everything, or has turned by much since it passed the last of it: round a tight corner it
// would come back. The start is left out.
std::optional<std::vector<Vec3>> rolled(const Roller& ball, const Vec3& start, double way, double r, const std::vector<Vec3>& over) {
    std::vector<Vec3> out;
    Passed passed(over, start);
    Vec3 x = start, last = ball.direction(start);
    for (std::size_t i = 0; i < most_steps; ++i) {
        // Half a step first, for the direction there.
        double step = step_share * r;
        auto half = ball.settled(x + 0.5 * way * step * ball.direction(x));
        if (!half) return out;
        if (const double turn = ball.direction(x).cross(ball.direction(*half)).norm(); turn > 0.5 * turn_step) {
            step *= 0.5 * turn_step / turn;
            half = ball.settled(x + 0.5 * way * step * ball.direction(x));
            if (!half) return out;
        }
        const auto next = ball.settled(x + way * step * ball.direction(*half));
        if (!next || (*next - x).norm() < 0.2 * step) return out;
        x = *next;
        if (i > 10 && (x - start).norm() < step) return std::nullopt;
        out.push_back(x);
        if (passed.any(x)) last = ball.direction(x);
        if (distance(x, over) > (1 + beyond) * r || ball.direction(x).dot(last) < std::cos(beyond_turn)) return out;
    }
    return out;
}

}  // namespace

std::optional<Surface> pipe_between(const Surface& a, const Surface& b, double r, const Vec3& inside, const std::vector<Vec3>& over, double tol) {
    const auto known = [](const Surface& s) {
        const auto* f = std::get_if<FreeSurface>(&s);
        return !f || f->spline;
    };
    if (!known(a) || !known(b) || over.empty()) return std::nullopt;
    const Roller ball(a, b, r, inside);
    const auto start = ball.settled(inside);
    if (!start || distance(*start, over) > (1 + beyond) * r) return std::nullopt;
    const auto back = rolled(ball, *start, -1, r, over), on = rolled(ball, *start, 1, r, over);
    if (!back || !on || back->size() + on->size() < 8) return std::nullopt;
    std::vector<Vec3> points(back->rbegin(), back->rend()), tangents;
    points.push_back(*start);
    points.insert(points.end(), on->begin(), on->end());
    for (const Vec3& p : points) tangents.push_back(ball.direction(p));
    const Pipe pipe{Curve::polyline(points, tangents), r};
    std::optional<NurbsSurface> best;
    for (const std::size_t n : {33U, 65U}) {
        std::vector<Vec3> net;
        for (std::size_t i = 0; i < n; ++i) {
            const Vec3 c = *ball.settled(pipe.spine.point(pipe.spine.parameter_at(static_cast<double>(i) / static_cast<double>(n - 1))));
            const Vec3 u = ball.to_a(c), v = ball.to_b(c), w = (v - v.dot(u) * u).normalized();
            const double turn = std::acos(std::clamp(u.dot(v), -1.0, 1.0)), more = std::min(more_turn, 0.5 * (most_turn - turn));
            if (more <= 0) return std::nullopt;
            for (std::size_t j = 0; j < n; ++j) {
                const double at = -more + (turn + 2 * more) * static_cast<double>(j) / static_cast<double>(n - 1);
                net.push_back(c + r * (std::cos(at) * u + std::sin(at) * w));
            }
        }
        best = through_net(net, n, n);
        double off = 0;
        for (double u = 0.013; u < 1; u += 0.083)
            for (double v = 0.017; v < 1; v += 0.079) {
                const Vec3 p = best->point({u, v});
                off = std::max(off, std::abs((p - pipe.spine.point(pipe.spine.nearest(p))).norm() - r));
            }
        if (off <= std::max(tol, 1e-5 * r)) break;
    }
    return FreeSurface{std::make_shared<const NurbsSurface>(std::move(*best)), std::make_shared<const Pipe>(pipe)};
}

namespace {

// Where the directions of a pipe turn out of an axis that they come near to at the traced place `best`: between these by inverse interpolation.
std::optional<double> turns_from(const PolylineCurve& p, std::size_t best, const Vec3& axis) {
    const auto& t = p.tangents;
    const std::size_t low = best < 3 ? 0 : best - 3, high = std::min(best + 3, t.size() - 1);
    Vec3 way = t[high] - t[low];
    way -= way.dot(axis) * axis;
    if (way.norm() < 1e-9) return std::nullopt;
    way.normalize();
    const auto off = [&](std::size_t k) { return t[k].dot(way); };
    std::size_t k = low;
    while (k < high && off(k) * off(k + 1) > 0) ++k;
    if (k == high) return std::nullopt;
    const std::size_t first = std::min(k < 1 ? 0 : k - 1, t.size() - 4);
    double at = 0;
    for (std::size_t i = first; i < first + 4; ++i) {
        double weight = 1;
        for (std::size_t j = first; j < first + 4; ++j)
            if (j != i) weight *= -off(j) / (off(i) - off(j));
        at += weight * p.at[i];
    }
    return at;
}

// Both ends of a pipe go on in cylinders of its radius: where on the spine it runs into the cylinder's axis. A pipe traced round more than half
// of a tight corner runs along the axis elsewhere, too.
std::optional<double> runs_into(const Pipe& pipe, const CylinderSurface& c, double tol) {
    if (std::abs(c.radius - pipe.radius) > std::max(tol, 1e-6 * pipe.radius)) return std::nullopt;
    const auto* p = std::get_if<PolylineCurve>(&pipe.spine.shape);
    if (!p || p->points.size() < 8 || p->tangents.empty()) return std::nullopt;
    const std::size_t last = p->tangents.size() - 1;
    const auto sine = [&](std::size_t k) { return p->tangents[k].cross(c.frame.z).norm(); };
    for (std::size_t k = 0; k <= last; ++k) {
        if ((k > 0 && sine(k - 1) < sine(k)) || (k < last && sine(k + 1) < sine(k))) continue;
        const auto at = turns_from(*p, k, c.frame.z);
        if (!at) continue;
        const Vec3 away = pipe.spine.point(*at) - c.frame.origin;
        if ((away - away.dot(c.frame.z) * c.frame.z).norm() <= std::max(10 * tol, 1e-4 * pipe.radius)) return at;
    }
    return std::nullopt;
}

}  // namespace

std::optional<Curve> touching_pipe(const Pipe& pipe, const Surface& other, double tol) {
    if (const auto* c = std::get_if<CylinderSurface>(&other))
        if (const auto t = runs_into(pipe, *c, tol)) return Curve{CircleCurve{Frame::with_z(pipe.spine.point(*t), c->frame.z), pipe.radius}, 0, 2 * pi};
    const BaseSurface b(other);
    const Curve& s = pipe.spine;
    constexpr int n = 96;
    const double h = 1e-3 * (s.t1 - s.t0);
    std::vector<Vec3> points, tangents;
    for (int k = 0; k <= n; ++k) {
        const double t = s.t0 + (s.t1 - s.t0) * k / n;
        const Vec3 c = s.point(t), foot = b.foot(c).point;
        if (std::abs((foot - c).norm() - pipe.radius) > std::max(10 * tol, 1e-5 * pipe.radius)) return std::nullopt;
        const double lo = std::max(s.t0, t - h), hi = std::min(s.t1, t + h);
        points.push_back(foot), tangents.push_back((b.foot(s.point(hi)).point - b.foot(s.point(lo)).point).normalized());
    }
    return Curve::polyline(std::move(points), std::move(tangents));
}

Pipe trimmed(const Pipe& pipe, const std::vector<Surface>& next, const Vec3& within, double tol) {
    const Curve& s = pipe.spine;
    const double middle = s.nearest(within);
    double from = s.t0, to = s.t1;
    for (const Surface& k : next)
        if (const auto* c = std::get_if<CylinderSurface>(&k))
            if (const auto t = runs_into(pipe, *c, tol)) (*t < middle ? from : to) = *t < middle ? std::max(from, *t) : std::min(to, *t);
    // A little past both, so that what it touches along crosses the circles there for certain. What was traced beyond stays known.
    Curve cut = s;
    cut.t0 = std::max(s.t0, from - tol), cut.t1 = std::min(s.t1, to + tol);
    return {cut, pipe.radius};
}

std::optional<RollingBall> rolling_ball(const BaseSurface& surface, const std::vector<Vec3>& points, double share) {
    const auto* free = std::get_if<FreeSurface>(&surface.surface());
    if (!free || !free->spline || points.empty()) return std::nullopt;
    std::vector<double> sharpest;
    for (const Vec3& p : points) {
        const auto j = free->spline->jet(free->spline->clamped(surface.parameters(p)));
        const Vec3 n = j.normal();
        Eigen::Matrix2d first, second;
        first << j.du.dot(j.du), j.du.dot(j.dv), j.du.dot(j.dv), j.dv.dot(j.dv);
        second << j.duu.dot(n), j.duv.dot(n), j.duv.dot(n), j.dvv.dot(n);
        if (first.determinant() <= 1e-12 * first.trace() * first.trace()) continue;
        const Eigen::Matrix2d shape = first.inverse() * second;
        const double half = 0.5 * shape.trace(), root = std::sqrt(std::max(0.0, half * half - shape.determinant()));
        sharpest.push_back(half >= 0 ? half + root : half - root);
    }
    if (sharpest.size() < 4) return std::nullopt;
    std::sort(sharpest.begin(), sharpest.end());
    const double middle = sharpest[sharpest.size() / 2], low = sharpest[sharpest.size() / 20], high = sharpest[sharpest.size() - 1 - sharpest.size() / 20];
    if (std::abs(middle) < 1e-9 || high - low > share * std::abs(middle)) return std::nullopt;
    return RollingBall{1 / std::abs(middle), middle > 0};
}

}  // namespace halvo
