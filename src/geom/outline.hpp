#pragma once
/// Measures of closed polygons in a plane.

#include <halvo/types.hpp>

#include <vector>

namespace halvo {

/// Distance of a point from the nearest point of the polygons' sides, inside as well as outside; infinite without any.
[[nodiscard]] double border_distance(const std::vector<std::vector<Vec2>>& loops, const Vec2& p);

/// Longer side of the smallest rectangle, however turned, that holds all points (Freeman & Shapira: one of its sides lies along the hull).
[[nodiscard]] double longer_side(std::vector<Vec2> points);

}  // namespace halvo
