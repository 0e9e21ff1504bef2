#pragma once
#include <halvo/assembly.hpp>
#include <halvo/mesh.hpp>

#include <set>

namespace halvo {

/// A rigid element that goes past what is nearest on its other side.
struct StrayLink {
    int element = -1;
    double beyond = 0;  ///< how much longer than to the nearest node there, less half an element (mm)
};

/// Rigid elements between two bodies that are more than half an element longer than the way to the nearest node of the other body. Of those
/// between a sheet and a line the sheet's node asks: a line's end may go to many nodes of a sheet, those of its footprint. Worst first.
[[nodiscard]] std::vector<StrayLink> stray_links(const Mesh& mesh);

/// Pairs of bodies (smaller number first) whose elements share a node or are held to each other by a rigid element or a tie.
[[nodiscard]] std::set<BodyPair> connected_bodies(const Mesh& mesh);

}  // namespace halvo
