#pragma once
#include "mesh/planar.hpp"

namespace halvo {

/// A part of a region, to be meshed by itself.
struct Subregion {
    PlanarInput in;
    std::vector<int> global;  ///< of each of its points, that of the whole region
};

/// Cuts a region along the lines inside it: each line's free end is led straight on to a point of the outline or of another line where one
/// stands ahead within a few elements, with points on the way that `points`, those of the region, are followed by. Nothing where that leaves
/// the region whole, or holes that lines run round.
[[nodiscard]] std::vector<Subregion> subregions(const PlanarInput& input, std::vector<Vec2>& points);

}  // namespace halvo
