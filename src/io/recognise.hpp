#pragma once
#include <halvo/geometry.hpp>

namespace halvo::io {

/// Straight lines and circular arcs that a file gives as splines become what they are; the rest stays sampled.
[[nodiscard]] Curve recognise_curve(const std::vector<Vec3>& points, const std::vector<Vec3>& tangents, double tol);

/// The plane through all points (to `tol`, relative to their extent), with its normal on the side of `normal`.
[[nodiscard]] std::optional<Frame> recognise_plane(const std::vector<Vec3>& points, const Vec3& normal, double tol);

}  // namespace halvo::io
