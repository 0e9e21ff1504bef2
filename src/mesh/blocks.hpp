#pragma once
#include "mesh/planar.hpp"

namespace halvo {

/// All quads in a small round region: a block of rows in its middle and one row of quads round it. The block's first corner stands
/// opposite to boundary point `turn`. Nothing where the region has holes or lines inside, an odd number of points on its outline, or an
/// outline that its middle does not see all of.
[[nodiscard]] std::optional<PlanarMesh> block_in_ring(const PlanarInput& input, std::size_t turn);

/// All quads in a three-sided region: three blocks of rows that meet at its middle. Nothing where its outline has other than three corners,
/// sides that do not go together (one longer than both others in elements, or an odd number in all), holes or lines inside.
[[nodiscard]] std::optional<PlanarMesh> three_blocks(const PlanarInput& input);

/// Up to how many points on its outline a region is small in this sense.
inline constexpr std::size_t most_round_block = 40;  // nodes round a disc or triangle that is meshed as one block

}  // namespace halvo
