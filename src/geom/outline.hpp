#pragma once
/// Measures of closed polygons in a plane.

#include <halvo/types.hpp>

#include <vector>

namespace halvo {

/// Distance of a point from the nearest point of the polygons' sides, inside as well as outside; infinite without any.
[[nodiscard]] double border_distance(const std::vector<std::vector<Vec2>>& loops, const Vec2& p);

/// Closed polygons looked at for many points: their sides by bands of y.
class OutlineIndex {
public:
    explicit OutlineIndex(const std::vector<std::vector<Vec2>>& loops);
    /// Even-odd, as halvo::inside of the same polygons.
    [[nodiscard]] bool inside(const Vec2& p) const;
    /// As halvo::border_distance of the same polygons, or `most` where that is less.
    [[nodiscard]] double border_distance(const Vec2& p, double most) const;
    /// Is the nearest point of their sides at most so far away?
    [[nodiscard]] bool border_within(const Vec2& p, double distance) const;

private:
    struct Side {
        Vec2 a, b;
    };
    [[nodiscard]] int band_of(double y) const;
    std::vector<Side> sides_;
    std::vector<std::vector<int>> bands_;
    double low_ = 0, height_ = 1;  // of all bands, of one
};

/// Integral of (x, y) over the triangle that a side makes with the origin; summed round polygons, area times centroid.
[[nodiscard]] inline Vec2 moment_under(const Vec2& u, const Vec2& v) {
    return (u.x() * v.y() - v.x() * u.y()) * (u + v) / 6;
}

/// Corners of the convex hull, counter-clockwise (Andrew's monotone chain).
[[nodiscard]] std::vector<Vec2> convex_hull(std::vector<Vec2> points);

struct Rectangle {
    Vec2 along = Vec2::UnitX();  ///< of its longer side
    double longer = 0, shorter = 0;
};

/// The smallest rectangle, however turned, that holds all points (Freeman & Shapira: one of its sides lies along the hull).
[[nodiscard]] Rectangle smallest_rectangle(std::vector<Vec2> points);

}  // namespace halvo
