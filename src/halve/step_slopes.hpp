#pragma once
#include "halve/wall_surface.hpp"

namespace halvo {

/// Where the thickness of a wall jumps between two pieces of it that leave a gap, as a chamfer, a fillet or a taper between them makes: half-way
/// between their borders, which is where the wall's thickness takes the one for the other. Curves of its midsurface.
[[nodiscard]] std::vector<Curve> steps_on_slopes(const Body& body, const WallSurface& w, double tol);

}  // namespace halvo
