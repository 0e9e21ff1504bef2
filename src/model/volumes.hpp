#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// A wall that comes from a seam, in the plane across it: its way (angle from any fixed direction, rad) and its thickness to the left and to
/// the right of its middle line as seen going that way (mm).
struct WallArm {
    double angle = 0, left = 0, right = 0;
};

/// By how much the areas of the arms, each taken from the seam on, exceed the area they cover together when the skins of neighbouring
/// arms meet in sharp edges (mm2). Between arms next to each other at an angle t the skins meet where the one is left at
/// (l cos t + r) / sin t and the other at (r cos t + l) / sin t from the seam. Arms that go straight on take nothing from each other.
[[nodiscard]] double doubled_area(std::vector<WallArm> arms);

/// Area of a surface moved by `height` along its normals over its own, at a point of it: Steiner's formula, curvatures by central differences over
/// `step` (mm).
[[nodiscard]] double area_at_height(const Chart& chart, const Vec3& at, double height, double step);

/// Mean depth of a wall over its sheet (mm): the volume between both sides, where a curved surface grows to one side and shrinks to the
/// other, over the sheet's area. Steiner's formula with the chart's curvatures by central differences.
[[nodiscard]] double wall_depth(const Model& model, const Sheet& sheet);

/// Material that a model holds twice where sheets of a body meet, in a seam or along links between edges, for each body (mm3).
[[nodiscard]] std::vector<double> doubled_at_seams(const Model& model, std::size_t bodies);

}  // namespace halvo
