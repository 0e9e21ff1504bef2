#pragma once
#include "halve/wall_surface.hpp"

namespace halvo {

/// Where the thickness of a wall jumps between two pieces of it that leave a gap, as a chamfer, a fillet or a taper between them makes: half-way
/// between their borders, which is where the wall's thickness takes the one for the other. Curves of its midsurface.
[[nodiscard]] std::vector<Curve> steps_on_slopes(const Body& body, const WallSurface& w, double tol);

/// Is the skin over a point of the midsurface on its way from the sides of one piece to those of another?
[[nodiscard]] bool on_slope(const Body& body, const WallSurface& w, const Vec3& m);

}  // namespace halvo
