#pragma once
#include "halve/wall_rules.hpp"

#include <halvo/model.hpp>

namespace halvo {

/// Sheets of one body from its walls, with the seams between them; adds findings and ledger entries to `model`.
void halve_into_sheets(Model& model, const Assembly& solids, int body, const Skin& skin, const WallSearch& search, const WallRules& rules,
                       const HalveOptions& options);

}  // namespace halvo
