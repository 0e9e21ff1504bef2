#pragma once
#include "geom/fit.hpp"

namespace halvo {

/// Bicubic spline over the mean plane of points whose normals (outward, all of one skin) keep within about 70 degrees of their
/// mean: fitted by least squares with a trace of bending energy, refined until refining gains nothing more (Eilers & Marx,
/// Flexible smoothing with B-splines and penalties, 1996). With `noise` (scatter of the points, mm) only as fine as averages it out.
/// Nothing where the points do not lie over a plane so.
[[nodiscard]] std::optional<Fit> fit_free(std::span<const Vec3> points, std::span<const Vec3> normals, double noise);

/// The same for a patch of facets (corners' places in `points`) that may turn by any angle: where it does not lie over a plane, it is
/// laid out flat first. Nothing for patches that cannot be (closed round, or folded into themselves).
[[nodiscard]] std::optional<Fit> fit_skin(std::span<const Vec3> points, std::span<const std::array<int, 3>> facets, std::span<const Vec3> normals,
                                          double noise);

}  // namespace halvo
