#pragma once
/// Patches in the corners where bends of unlike radii run together.

#include "body/wall_search.hpp"

namespace halvo {

/// Fits the free midsurfaces of walls whose faces go on smoothly all round anew: through points half-way between their own sides and points
/// of the midsurfaces beside them, so that they pass into these without a kink. Where that is no nearer than a share of the
/// thickness to equal distance, the wall keeps what it had.
void fit_into_corners(const Body& body, const Skin& skin, std::vector<Wall>& walls);

}  // namespace halvo
