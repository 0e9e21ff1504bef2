#pragma once
#include <halvo/mesh.hpp>

namespace halvo {

/// Gives the shells of a mesh the thickness of their walls, or what the rules (as placed_rules left them) ask for instead, and puts sections of members on
/// the skins of these sheets.
void give_thicknesses(Mesh& mesh, const Model& model, const MeshOptions& placed);

}  // namespace halvo
