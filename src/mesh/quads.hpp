#pragma once
#include "geom/triangulation.hpp"
#include "mesh/planar.hpp"

namespace halvo {

/// Pairs triangles to quads (best first, then alternating paths to pair what is left), removes doublets, and smooths the
/// points after the first `fixed` so that no step worsens the worst element round a point. Elements the mesh has already (rows of
/// quads round holes) stay; their points, from number `given` on, give way only where that lifts the worst element.
void make_quads(PlanarMesh& mesh, const std::vector<Triangle>& triangles, std::size_t fixed, std::size_t given);

}  // namespace halvo
