#pragma once
#include "halve/wall_rules.hpp"

#include <halvo/model.hpp>

namespace halvo {

/// Sheets of one body from its walls, with the seams between them; adds findings and ledger entries to `model`. Keys
/// are those of the part, not yet of the body (own_key). Returns the pairs of faces that would make sheets of solid regions, if the
/// options ask for such.
std::vector<NamedFaces> halve_into_sheets(Model& model, const Assembly& solids, BodyId body, const Skin& skin, const WallSearch& search, const WallRules& rules,
                                          const HalveOptions& options);

}  // namespace halvo
