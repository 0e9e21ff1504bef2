#pragma once
#include "mesh/planar.hpp"

#include <set>

namespace halvo {

/// Brings triangles left among quads together, two and two, and makes a quad of each two: a triangle walks through a quad when the five
/// nodes of both are split the other way. Done where the mesh is better for it by the measure of `badness`, points after the first `fixed`
/// following. Edges in `kept` are not crossed. Returns the points round what changed.
std::vector<int> join_triangles(PlanarMesh& mesh, std::size_t fixed, const std::set<std::pair<int, int>>& kept);

}  // namespace halvo
