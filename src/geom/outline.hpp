#pragma once
/// Measures of closed polygons in a plane.

#include <halvo/types.hpp>

#include <vector>

namespace halvo {

/// Distance of a point from the nearest point of the polygons' sides, inside as well as outside; infinite without any.
[[nodiscard]] double border_distance(const std::vector<std::vector<Vec2>>& loops, const Vec2& p);

/// Integral of (x, y) over the triangle that a side makes with the origin; summed round polygons, area times centroid.
[[nodiscard]] inline Vec2 moment_under(const Vec2& u, const Vec2& v) {
    return (u.x() * v.y() - v.x() * u.y()) * (u + v) / 6;
}

struct Rectangle {
    Vec2 along = Vec2::UnitX();  ///< of its longer side
    double longer = 0, shorter = 0;
};

/// The smallest rectangle, however turned, that holds all points (Freeman & Shapira: one of its sides lies along the hull).
[[nodiscard]] Rectangle smallest_rectangle(std::vector<Vec2> points);

}  // namespace halvo
