#pragma once
#include <halvo/chart.hpp>

namespace halvo {

/// The foot of a curve on a surface, of the simplest kind that keeps to `tol`.
[[nodiscard]] Curve foot_curve(const Chart& chart, const Curve& c, double tol);

/// Curve through points at any distances, its tangents along the chords between each one's neighbours.
[[nodiscard]] Curve curve_past(const std::vector<Vec3>& points, double tol);

}  // namespace halvo
