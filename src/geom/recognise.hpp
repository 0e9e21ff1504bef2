#pragma once
#include <halvo/geometry.hpp>

namespace halvo {

/// Straight lines and circular arcs that a file gives as splines become what they are; the rest stays sampled.
[[nodiscard]] Curve recognise_curve(const std::vector<Vec3>& points, const std::vector<Vec3>& tangents, double tol);

/// The plane, cylinder, cone or sphere that holds all points (to `tol`, relative to their extent) and has these normals but
/// for the sign; nothing where there is none.
[[nodiscard]] std::optional<Surface> recognise_surface(const std::vector<Vec3>& points, const std::vector<Vec3>& normals, double tol);

}  // namespace halvo
