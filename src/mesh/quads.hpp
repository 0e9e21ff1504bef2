#pragma once
#include "geom/triangulation.hpp"
#include "mesh/planar.hpp"

namespace halvo {

/// Pairs triangles to quads (best first, then alternating paths to pair what is left), removes doublets, and smooths the
/// points after the first `fixed` so that no step worsens the worst element round a point. Elements the mesh has already (rows of
/// quads round holes) stay; their points, from number `given` on, give way only where that lifts the worst element.
/// `eager` pairs triangles by longer ways through worse quads: fewer triangles are left, at the price of more bent rows.
void make_quads(PlanarMesh& mesh, const std::vector<Triangle>& triangles, std::size_t fixed, std::size_t given, bool eager = false);

/// Smooths, cleans up and cuts as make_quads does with the quads it has paired; `rows` are those round holes.
void improve(PlanarMesh& mesh, std::size_t fixed, std::size_t given, const std::vector<std::array<int, 4>>& rows);

}  // namespace halvo
