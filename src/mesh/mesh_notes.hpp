#pragma once
#include <halvo/mesh.hpp>

namespace halvo {

/// What the ledger says of a mesh: sheets that the plan gives another thickness, edges closed to a point, and element edges that the
/// geometry makes far shorter than their neighbours.
[[nodiscard]] std::vector<LedgerEntry> mesh_notes(const Model& model, const Mesh& mesh, const MeshOptions& placed);

}  // namespace halvo
