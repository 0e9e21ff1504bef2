#pragma once
/// The slab of a sheet or wall: its thickness over its surface. The one answer to whether a point lies inside it, and how far from its sides.

#include <halvo/model.hpp>

#include <algorithm>
#include <cmath>

namespace halvo {

/// A point against a slab, across its surface alone; its outline is asked apart.
struct SlabPlace {
    SkinPoint foot;     ///< on the surface
    Vec2 at;            ///< of the foot, in the chart
    double height = 0;  ///< distance from the foot, negative below the surface (mm)
    ThicknessField::Sides sides;
    /// Past the nearer side; negative between both (mm).
    [[nodiscard]] double beyond() const { return std::max(height - sides.up, -height - sides.down); }
    /// From the nearer side, on either hand of it (mm).
    [[nodiscard]] double from_side() const { return std::min(std::abs(height - sides.up), std::abs(height + sides.down)); }
    /// From the surface to the side that the point is on (mm).
    [[nodiscard]] double side() const { return height < 0 ? sides.down : sides.up; }
};

[[nodiscard]] SlabPlace slab_place(const Chart& chart, const ThicknessField& field, const Vec3& p);
[[nodiscard]] inline SlabPlace slab_place(const Sheet& sheet, const Vec3& p) {
    return slab_place(sheet.chart, sheet.field, p);
}

/// Is a height over a place between the slab's sides, or, where the thickness jumps within `beside` of it, between those of either piece?
/// `share` widens the sides by a factor, `slack` by a length (mm).
[[nodiscard]] bool between_sides(const Chart& chart, const ThicknessField& field, const Vec2& at, double height, double beside, double slack, double share = 1);

/// From skin to skin between a point on an edge of a sheet and the slab it lies over; negative where they run into each other (mm).
[[nodiscard]] double skin_gap(const Sheet& from, const Vec3& p, const SlabPlace& over);

}  // namespace halvo
