#pragma once
#include "mesh/planar.hpp"

namespace halvo {

/// All quads in a small round region: a block of rows in its middle and one row of quads round it. The block's first corner stands
/// opposite to boundary point `turn`. Nothing where the region has holes or lines inside, an odd number of points on its outline, or an
/// outline that its middle does not see all of.
[[nodiscard]] std::optional<PlanarMesh> block_in_ring(const PlanarInput& input, std::size_t turn);

/// Up to how many points on its outline a region is small in this sense.
inline constexpr std::size_t most_round_block = 40;

}  // namespace halvo
