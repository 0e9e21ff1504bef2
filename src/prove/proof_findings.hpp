#pragma once
#include <halvo/prove.hpp>

#include <set>

namespace halvo {

/// Fills the proof's findings, notes and counts of motions from what it holds and from audits of the model: contacts without a joint, bodies in
/// parts, meshes heavier than their solid, sheets that hang on by a point, mechanisms, free edges beside what they are not joined to, edges inside
/// the solid. `held`: bodies that fasteners hold together, which need no edges joined where they lie on each other. `doubled`: volume of each body
/// that several of its own walls hold in the mesh.
void add_proof_findings(Proof& proof, const Assembly& solids, const Model& model, double reach, const std::set<BodyPair>& held,
                        const std::vector<double>& doubled);

}  // namespace halvo
