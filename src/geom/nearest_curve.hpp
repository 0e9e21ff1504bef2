#pragma once
#include <halvo/geometry.hpp>

namespace halvo {

/// Which of several curves passes nearest to a point, and where.
struct NearestCurve {
    int number = -1;  ///< -1: none is nearer than asked for
    double t = 0, distance = 0;
    Vec3 point = Vec3::Zero();
};

/// Of curves 0 to n - 1; `curve` gives a pointer to each, or none for those to leave out. Nothing from `within` on counts.
template <class CurveAt>
[[nodiscard]] NearestCurve nearest_curve(std::size_t n, const Vec3& p, const CurveAt& curve, double within = std::numeric_limits<double>::max()) {
    NearestCurve best;
    best.distance = within;
    for (std::size_t i = 0; i < n; ++i) {
        const Curve* c = curve(i);
        if (!c || std::sqrt(c->box().squaredExteriorDistance(p)) >= best.distance) continue;
        const double t = c->nearest(p);
        const Vec3 at = c->point(t);
        if (const double d = (at - p).norm(); d < best.distance) best = {static_cast<int>(i), t, d, at};
    }
    return best;
}

/// The same where many points are asked for: `boxes` are those of all curves, and the one that may be nearest is looked at first.
template <class CurveAt>
[[nodiscard]] NearestCurve nearest_curve(const std::vector<Box3>& boxes, const Vec3& p, const CurveAt& curve,
                                         double within = std::numeric_limits<double>::max()) {
    NearestCurve best;
    best.distance = within;
    std::size_t first = 0;
    double least = std::numeric_limits<double>::max();
    for (std::size_t i = 0; i < boxes.size(); ++i)
        if (const double d = boxes[i].squaredExteriorDistance(p); d < least) least = d, first = i;
    const auto look_at = [&](std::size_t i) {
        const Curve* c = curve(i);
        if (!c || boxes[i].squaredExteriorDistance(p) >= best.distance * best.distance) return;
        const double t = c->nearest(p);
        const Vec3 at = c->point(t);
        if (const double d = (at - p).norm(); d < best.distance) best = {static_cast<int>(i), t, d, at};
    };
    if (!boxes.empty()) look_at(first);
    for (std::size_t i = 0; i < boxes.size(); ++i)
        if (i != first) look_at(i);
    return best;
}

}  // namespace halvo
