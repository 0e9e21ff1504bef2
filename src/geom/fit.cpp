#include "geom/fit.hpp"

#include "geom/dense.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

struct Cloud {
    Vec3 centre = Vec3::Zero();
    double size = 0;
};

Cloud measure(std::span<const Vec3> points) {
    Cloud c;
    for (const Vec3& p : points) c.centre += p / static_cast<double>(points.size());
    for (const Vec3& p : points) c.size = std::max(c.size, (p - c.centre).norm());
    return c;
}

// Signed distances, one function a surface so that the loops below see through them.
double distance(const PlaneSurface& s, const Vec3& p) {
    return s.frame.height(p);
}
double distance(const CylinderSurface& s, const Vec3& p) {
    return s.frame.local2(p).norm() - s.radius;
}
// A cone with the functions of its angle at hand.
struct ReadyCone {
    Frame frame;
    double radius = 0, cosine = 1, sine = 0;
};
double distance(const ReadyCone& s, const Vec3& p) {
    const Vec3 q = s.frame.local(p);
    return (std::sqrt(q.x() * q.x() + q.y() * q.y()) - s.radius) * s.cosine - q.z() * s.sine;
}
ReadyCone ready(const ConeSurface& s) {
    return {s.frame, s.radius, std::cos(s.half_angle), std::sin(s.half_angle)};
}
double distance(const ConeSurface& s, const Vec3& p) {
    return distance(ready(s), p);
}
template <class S>
const S& ready(const S& s) {
    return s;
}

double distance(const SphereSurface& s, const Vec3& p) {
    return (p - s.frame.origin).norm() - s.radius;
}
double distance(const TorusSurface& s, const Vec3& p) {
    const Vec3 q = s.frame.local(p);
    const double d = std::sqrt(q.x() * q.x() + q.y() * q.y()) - s.major;
    return std::sqrt(d * d + q.z() * q.z()) - s.minor;
}
double distance(const FreeSurface&, const Vec3&) {
    return 0;
}

template <class S>
Fit judged(const S& s, std::span<const Vec3> points) {
    Fit f{s, 0, 0};
    const auto fast = ready(s);
    for (const Vec3& p : points) {
        const double d = std::abs(distance(fast, p));
        f.rms += d * d, f.worst = std::max(f.worst, d);
    }
    f.rms = std::sqrt(f.rms / static_cast<double>(points.size()));
    return f;
}

// Minimizes the sum of squared distances to build(x), starting at zero; parameters are of the order of the cloud's size 1.
template <int n, class Build>
auto refine(std::span<const Vec3> points, const Effort& effort, const Build& build) {
    using Vector = Eigen::Matrix<double, n, 1>;
    using S = decltype(build(Vector()));
    Vector x = Vector::Zero();
    const auto cost = [&](const S& s) {
        double sum = 0;
        const auto fast = ready(s);
        for (const Vec3& p : points) {
            const double d = distance(fast, p);
            sum += d * d;
        }
        return sum;
    };
    S best = build(x);
    double now = cost(best), lambda = 1e-6;
    for (int round = 0; round < effort.rounds; ++round) {
        constexpr double h = 1e-6;
        std::array<std::decay_t<decltype(ready(best))>, n> plus, minus;
        const auto here = ready(best);
        for (int k = 0; k < n; ++k) {
            Vector y = x;
            y[k] += h, plus[static_cast<std::size_t>(k)] = ready(build(y));
            y[k] -= 2 * h, minus[static_cast<std::size_t>(k)] = ready(build(y));
        }
        Eigen::Matrix<double, n, n> a = Eigen::Matrix<double, n, n>::Zero();
        Vector g = Vector::Zero(), row;
        for (const Vec3& p : points) {
            for (int k = 0; k < n; ++k) row[k] = (distance(plus[static_cast<std::size_t>(k)], p) - distance(minus[static_cast<std::size_t>(k)], p)) / (2 * h);
            a += row * row.transpose();
            g += row * distance(here, p);
        }
        bool better = false;
        for (int attempt = 0; attempt < 8 && !better; ++attempt) {
            Eigen::Matrix<double, n, n> damped = a;
            damped.diagonal() *= 1 + lambda;
            damped.diagonal().array() += 1e-12 * a.trace() + 1e-300;
            const Vector step = solve_symmetric(Eigen::MatrixXd(damped), Eigen::VectorXd(-g));
            if (!step.allFinite()) return best;
            const S s = build(x + step);
            const double next = cost(s);
            if (next < now) {
                const bool done = now - next < effort.stop * now || step.norm() < 1e-13;
                x += step, best = s, now = next, lambda = std::max(1e-12, lambda * 0.1), better = true;
                if (done) return best;
            } else {
                lambda = std::max(lambda, 1e-9) * 10;
            }
        }
        if (!better) break;
    }
    return best;
}

// A direction near `z` by two small turns.
Vec3 tilted(const Frame& f, double a, double b) {
    return (f.z + a * f.x + b * f.y).normalized();
}

// Circle through projected points by algebraic least squares (Kasa, 1976).
std::optional<std::pair<Vec2, double>> circle_of(const std::vector<Vec2>& q) {
    Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
    Vec3 b = Vec3::Zero();
    for (const Vec2& p : q) {
        const Vec3 row(p.x(), p.y(), 1);
        a += row * row.transpose();
        b += row * p.squaredNorm();
    }
    const auto solved = least_squares(a, b);
    if (solved.rank < 3) return std::nullopt;
    const Vec3 x = solved.x;
    const Vec2 c(0.5 * x.x(), 0.5 * x.y());
    const double r2 = x.z() + c.squaredNorm();
    if (!(r2 > 0)) return std::nullopt;
    return std::pair{c, std::sqrt(r2)};
}

}  // namespace

double signed_distance(const Surface& s, const Vec3& p) {
    return std::visit([&](const auto& k) { return distance(k, p); }, s);
}

std::optional<Fit> fit_plane(std::span<const Vec3> points) {
    if (points.size() < 3) return std::nullopt;
    const Cloud c = measure(points);
    Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
    for (const Vec3& p : points) m += (p - c.centre) * (p - c.centre).transpose();
    const auto axes = principal_axes(m);
    if (!(c.size > 0) || axes.values[1] < 1e-18 * c.size * c.size) return std::nullopt;
    return judged(PlaneSurface{Frame::with_z(c.centre, axes.vectors.col(0))}, points);
}

std::optional<Fit> fit_sphere(std::span<const Vec3> points, std::span<const Vec3> normals, const Effort& effort) {
    if (points.size() < 6 || points.size() != normals.size()) return std::nullopt;
    const Cloud c = measure(points);
    Eigen::Matrix4d a = Eigen::Matrix4d::Zero();
    Eigen::Vector4d b = Eigen::Vector4d::Zero();
    for (const Vec3& p : points) {
        const Vec3 q = (p - c.centre) / c.size;
        const Eigen::Vector4d row(q.x(), q.y(), q.z(), 1);
        a += row * row.transpose(), b += row * q.squaredNorm();
    }
    const auto solved = least_squares(a, b);
    if (solved.rank < 4) return std::nullopt;
    const Eigen::Vector4d x = solved.x;
    const Vec3 centre = 0.5 * x.head<3>();
    const double r2 = x[3] + centre.squaredNorm();
    if (!(r2 > 0) || r2 > 1e8) return std::nullopt;
    const double r = std::sqrt(r2);
    const auto s = refine<4>(points, effort, [&](const auto& y) {
        return SphereSurface{Frame{c.centre + c.size * (centre + Vec3(y[0], y[1], y[2]))}, c.size * (r + y[3])};
    });
    return s.radius > 0 ? std::optional(judged(s, points)) : std::nullopt;
}

std::optional<Fit> fit_cylinder(std::span<const Vec3> points, std::span<const Vec3> normals, const Effort& effort) {
    if (points.size() < 6 || points.size() != normals.size()) return std::nullopt;
    const Cloud c = measure(points);
    Eigen::Matrix3d m = Eigen::Matrix3d::Zero();
    for (const Vec3& n : normals) m += n * n.transpose();
    const auto axes = principal_axes(m);
    if (!(c.size > 0) || axes.values[1] < 1e-9 * axes.values[2]) return std::nullopt;
    const Frame f = Frame::with_z(c.centre, axes.vectors.col(0));
    std::vector<Vec2> q;
    for (const Vec3& p : points) q.push_back(f.local2(p) / c.size);
    const auto circle = circle_of(q);
    if (!circle || circle->second > 1e4) return std::nullopt;
    const auto s = refine<5>(points, effort, [&](const auto& y) {
        const Vec3 at = f.at(c.size * (circle->first.x() + y[2]), c.size * (circle->first.y() + y[3]));
        return CylinderSurface{Frame::with_zx(at, tilted(f, y[0], y[1]), f.x), c.size * (circle->second + y[4])};
    });
    return s.radius > 0 ? std::optional(judged(s, points)) : std::nullopt;
}

std::optional<Fit> fit_cone(std::span<const Vec3> points, std::span<const Vec3> normals, const Effort& effort) {
    if (points.size() < 7 || points.size() != normals.size()) return std::nullopt;
    const Cloud c = measure(points);
    // Tangent planes of a cone meet in its apex, and its normals lie on a circle about the axis.
    Vec3 mean = Vec3::Zero();
    for (const Vec3& n : normals) mean += n / static_cast<double>(normals.size());
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero(), a = Eigen::Matrix3d::Zero();
    Vec3 b = Vec3::Zero();
    for (std::size_t i = 0; i < points.size(); ++i) {
        const Vec3 &n = normals[i], q = (points[i] - c.centre) / c.size;
        spread += (n - mean) * (n - mean).transpose();
        a += n * n.transpose(), b += n * n.dot(q);
    }
    const auto axes = principal_axes(spread);
    const auto planes = principal_axes(a);
    if (!(c.size > 0) || planes.values[0] < 1e-9 * planes.values[2] || axes.values[1] < 1e-9 * planes.values[2]) return std::nullopt;
    const Vec3 apex = solve_symmetric(a, b);
    if (!apex.allFinite() || apex.norm() > 1e4) return std::nullopt;
    Vec3 axis = axes.vectors.col(0);
    if (axis.dot(-apex) < 0) axis = -axis;  // from the apex towards the points
    double angle = 0;
    for (const Vec3& n : normals) angle += std::asin(std::clamp(std::abs(n.dot(axis)), 0.0, 1.0)) / static_cast<double>(normals.size());
    if (angle < 1e-4 || angle > 0.5 * pi - 1e-3) return std::nullopt;
    const Frame f = Frame::with_z(c.centre + c.size * apex, axis);
    const double along = std::max(axis.dot(-apex), 1e-3);  // the reference circle goes through the middle of the points
    const auto s = refine<6>(points, effort, [&](const auto& y) {
        const Vec3 z = tilted(f, y[0], y[1]);
        const double half = angle + y[5];
        const Vec3 tip = f.origin + c.size * (y[2] * f.x + y[3] * f.y + y[4] * f.z);
        return ConeSurface{Frame::with_zx(tip + c.size * along * z, z, f.x), c.size * along * std::tan(half), half};
    });
    return s.half_angle > 1e-4 && s.half_angle < 0.5 * pi ? std::optional(judged(s, points)) : std::nullopt;
}

constexpr double least_major = 0.02;  // of the minor radius: less tells no torus from a sphere

std::optional<Fit> fit_torus(std::span<const Vec3> points, std::span<const Vec3> feet, std::span<const Vec3> normals, const Effort& effort) {
    if (points.size() < 8 || feet.size() < 6 || feet.size() != normals.size()) return std::nullopt;
    const Cloud c = measure(points);
    if (!(c.size > 0)) return std::nullopt;
    // All normals meet the axis: for axis (l, m) in Pluecker coordinates, n.m + (q x n).l = 0.
    Eigen::Matrix<double, 6, 6> a = Eigen::Matrix<double, 6, 6>::Zero();
    for (std::size_t i = 0; i < feet.size(); ++i) {
        Eigen::Matrix<double, 6, 1> row;
        row << ((feet[i] - c.centre) / c.size).cross(normals[i]), normals[i];
        a += row * row.transpose();
    }
    const auto axes = principal_axes(a);
    if (axes.values[1] < 1e-9 * axes.values[5]) return std::nullopt;  // a plane, cylinder or sphere: many axes
    const Vec3 l = axes.vectors.col(0).head<3>(), m = axes.vectors.col(0).tail<3>();
    if (l.norm() < 1e-3) return std::nullopt;
    const Vec3 axis = l.normalized(), foot = l.cross(m) / l.squaredNorm();
    const Frame f = Frame::with_z(c.centre + c.size * foot, axis);
    std::vector<Vec2> q;  // the meridian half plane
    for (const Vec3& p : points) q.emplace_back(f.local2(p).norm() / c.size, f.height(p) / c.size);
    const auto circle = circle_of(q);
    if (!circle || circle->first.x() <= 0 || circle->second > 1e3 || circle->first.x() > 1e3) return std::nullopt;
    const auto s = refine<7>(points, effort, [&](const auto& y) {
        const Vec3 at = f.origin + c.size * (y[2] * f.x + y[3] * f.y + (circle->first.y() + y[4]) * f.z);
        return TorusSurface{Frame::with_zx(at, tilted(f, y[0], y[1]), f.x), c.size * (circle->first.x() + y[5]), c.size * (circle->second + y[6])};
    });
    // A ball rolling round less than its own radius (an edge rounded more than the corner it runs round) leaves a torus that meets its axis.
    return s.major > least_major * s.minor && s.minor > 0 ? std::optional(judged(s, points)) : std::nullopt;
}

}  // namespace halvo
