#pragma once
#include <halvo/geometry.hpp>

#include <array>

namespace halvo {

/// One of four sides of an opening: places along it in the sense in which the missing face would use them, evenly by length, and at each the
/// unit way in which the skin beside it goes on into the opening (zero where it does not go on smoothly).
struct PatchSide {
    std::vector<Vec3> points, on;
};

/// The smooth surface between four sides, each with as many points: a bilinearly blended Coons patch, bent at its borders to leave them the way the
/// skin beside them goes on (cubic blending that fades towards the corners; Farin, Curves and Surfaces for CAGD, 5th ed., chapter 22).
[[nodiscard]] NurbsSurface smooth_patch(const std::array<PatchSide, 4>& sides);

}  // namespace halvo
