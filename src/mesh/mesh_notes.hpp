#pragma once
#include <halvo/mesh.hpp>

namespace halvo {

/// Writes into the mesh what its ledger says (sheets that the plan gives another thickness, edges closed to a point, element edges that the geometry makes
/// far shorter than their neighbours) and its findings (elements beyond the limits, rules that pick nothing).
void note_mesh(Mesh& mesh, const Model& model, const MeshOptions& placed);
/// The same where the thicknesses alone are others than before.
void note_other_thicknesses(Mesh& mesh, const Model& model, const MeshOptions& placed);

}  // namespace halvo
