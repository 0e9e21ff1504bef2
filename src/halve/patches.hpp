#pragma once
#include <halvo/model.hpp>
#include <halvo/options.hpp>

namespace halvo {

/// Sheets through points that the plan gives, over the skin of a body: a spline fitted to the skin inside the sides and to the points,
/// which are in the ledger each with its distance from it. Throws Error{input} where a patch has no body or its sides do not close.
void add_patches(Model& model, const Assembly& solids, const std::vector<PatchRule>& patches);

}  // namespace halvo
