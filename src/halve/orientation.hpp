#pragma once
#include "body/wall_search.hpp"

namespace halvo {

/// For each wall, whether its chart must be turned over so that normals point outward, and alike on walls that go on in each other
/// on both sides: smoothly or round a corner. Outward is where the larger skin lies, over all of these; then away from the middle.
[[nodiscard]] std::vector<bool> to_turn_outward(const Body& body, const Skin& skin, const std::vector<Wall>& walls);

}  // namespace halvo
