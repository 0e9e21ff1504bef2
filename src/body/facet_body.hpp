#pragma once
#include "body/facet_mesh.hpp"

#include <halvo/assembly.hpp>

namespace halvo {

/// A body from facets: faces with fitted surfaces, edges between them (lines and arcs where they are, else chains of facet
/// sides), corners where faces meet, the facets as they came. Not finished.
[[nodiscard]] Body body_from_facets(const FacetMesh& mesh);

}  // namespace halvo
