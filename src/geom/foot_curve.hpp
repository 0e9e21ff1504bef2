#pragma once
#include <halvo/chart.hpp>

namespace halvo {

/// The foot of a curve on a surface, of the simplest kind that keeps to `tol`.
[[nodiscard]] Curve foot_curve(const Chart& chart, const Curve& c, double tol);

}  // namespace halvo
