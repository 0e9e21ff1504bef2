#pragma once
#include <halvo/assembly.hpp>
#include <halvo/model.hpp>

namespace halvo {

/// Sheets that the rest of the model holds at a single point: they can turn about it as on a ball joint where elements do not
/// carry that, and no weld looks like it.
[[nodiscard]] std::vector<Finding> hanging_findings(const Model& model, const Assembly& solids);

}  // namespace halvo
