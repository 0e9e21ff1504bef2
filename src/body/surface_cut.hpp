#pragma once
/// Where any surface cuts the faces of a body.

#include <halvo/assembly.hpp>
#include <halvo/chart.hpp>

namespace halvo {

/// Curves along which the chart's surface passes through the skin of `body` inside `range`. Facets find them, the exact surfaces and
/// edges decide where they are. Facets that `range` does not touch are left out, so that curves may end where it does;
/// else they end on the faces' edges. Of a spline, what is carried on past its border by more than twice the `reach` is left out, too.
[[nodiscard]] std::vector<Curve> cut_faces(const Body& body, const Chart& chart, const Box3& range, double reach, double tol);

/// Curves along which two surfaces cross within `range`; the patch that `corners` (points on the first) span is searched.
[[nodiscard]] std::vector<Curve> crossings(const Chart& a, const Chart& b, const Box3& range, const std::vector<Vec3>& corners, double margin, double tol);

}  // namespace halvo
