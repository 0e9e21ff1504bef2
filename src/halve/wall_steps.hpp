#pragma once
/// Where a wall's thickness jumps, and where ribs end at its thick pieces.

#include "halve/wall_surface.hpp"

#include <set>

namespace halvo {

/// Edges of the faces on either side of a wall.
[[nodiscard]] std::set<int> edges_of(const Body& body, const WallSurface& w);

/// Curves of its midsurface past which the wall's own thickness is another: pieces of its faces' edges, and, where a face was cut off from the
/// tops of ribs it goes on over, straight across from edge to edge.
[[nodiscard]] std::vector<Curve> thickness_steps(const Body& body, const WallSurface& w, double tol);

/// Lines in the midsurface of wall `i`, a rib, where it runs into a thick piece of a wall it stands on that is as high as the rib.
[[nodiscard]] std::vector<Curve> ends_at_pads(const Body& body, const std::vector<WallSurface>& walls, std::size_t i, double tol);

}  // namespace halvo
