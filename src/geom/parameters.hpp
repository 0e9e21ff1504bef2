#pragma once
#include <halvo/geometry.hpp>

namespace halvo {

/// After how much of each parameter a surface is where it was; 0 where it is not closed. Splines are closed when both borders hold the
/// same points.
[[nodiscard]] Vec2 periods_of(const NurbsSurface& s);
[[nodiscard]] Vec2 periods_of(const Surface& s);

/// How long (mm) a step of each parameter is at a place: of an angle the radius that it turns at.
[[nodiscard]] Vec2 parameter_lengths(const Surface& s, const Vec2& uv);

}  // namespace halvo
