#pragma once
#include "mesh/planar.hpp"

#include <set>

namespace halvo {

/// Takes irregular nodes out of a mesh of quads where that can be done: edges between two quads are turned, and quads between two
/// nodes of three edges closed, if fewer nodes are left with more or fewer edges than their place asks for and no element gets worse
/// than the worst of those it replaces or 0.6. Points before `fixed` and edges in `kept` stay. Returns the points round what changed.
std::vector<int> clean_up(PlanarMesh& mesh, std::size_t fixed, const std::set<std::pair<int, int>>& kept);

/// How good a mesh is, for choosing between two of one region: smaller is better.
[[nodiscard]] double badness(const PlanarMesh& mesh, std::size_t fixed);

/// What one element adds to it, and what a free node with so many elements.
[[nodiscard]] double badness_of(const std::vector<Vec2>& points, const std::array<int, 4>& e);
[[nodiscard]] double badness_of(std::size_t elements);

}  // namespace halvo
