#pragma once
#include <halvo/geometry.hpp>

namespace halvo {

/// Which of several curves passes nearest to a point, and where.
struct NearestCurve {
    int number = -1;  ///< -1: none is nearer than asked for
    double t = 0, distance = 0;
    Vec3 point = Vec3::Zero();
};

namespace detail {

// `first` is looked at before the others.
template <class CurveAt, class BoxAt>
[[nodiscard]] NearestCurve nearest_curve(std::size_t n, std::size_t first, const Vec3& p, const CurveAt& curve, const BoxAt& box, double within) {
    NearestCurve best;
    best.distance = within;
    const auto look_at = [&](std::size_t i) {
        const Curve* c = curve(i);
        if (!c || std::sqrt(box(i).squaredExteriorDistance(p)) >= best.distance) return;
        const double t = c->nearest(p);
        const Vec3 at = c->point(t);
        if (const double d = (at - p).norm(); d < best.distance) best = {static_cast<int>(i), t, d, at};
    };
    if (first < n) look_at(first);
    for (std::size_t i = 0; i < n; ++i)
        if (i != first) look_at(i);
    return best;
}

}  // namespace detail

/// Of curves 0 to n - 1; `curve` gives a pointer to each, or none for those to leave out. Nothing from `within` on counts.
template <class CurveAt>
[[nodiscard]] NearestCurve nearest_curve(std::size_t n, const Vec3& p, const CurveAt& curve, double within = std::numeric_limits<double>::max()) {
    return detail::nearest_curve(
        n, 0, p, curve, [&](std::size_t i) { return curve(i)->box(); }, within);
}

/// The same where many points are asked for: `boxes` are those of all curves, and the one that may be nearest is looked at first.
template <class CurveAt>
[[nodiscard]] NearestCurve nearest_curve(const std::vector<Box3>& boxes, const Vec3& p, const CurveAt& curve,
                                         double within = std::numeric_limits<double>::max()) {
    std::size_t first = 0;
    double least = std::numeric_limits<double>::max();
    for (std::size_t i = 0; i < boxes.size(); ++i)
        if (const double d = boxes[i].squaredExteriorDistance(p); d < least) least = d, first = i;
    return detail::nearest_curve(
        boxes.size(), first, p, curve, [&](std::size_t i) -> const Box3& { return boxes[i]; }, within);
}

}  // namespace halvo
