#pragma once
#include "body/walls.hpp"

#include <halvo/model.hpp>

namespace halvo {

/// Sheets of one body from its walls, with the seams between them; adds findings and ledger entries to `model`.
void halve_into_sheets(Model& model, const Assembly& solids, int body, const WallSearch& search, const HalveOptions& options);

}  // namespace halvo
