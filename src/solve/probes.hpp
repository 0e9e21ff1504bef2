#pragma once
#include "solve/building.hpp"
#include "solve/figures.hpp"

namespace halvo {

/// Fills what of a case is seen at nodes: stress averaged within each sheet, its error, extremes. Returns that stress.
SheetStress see_case(CaseResult& result, const Built& built, const Picker& picker);

/// Every probe in every case it asks for; `stress` of each case. Throws Error{stage} where one picks nothing.
[[nodiscard]] std::vector<ProbeResult> probed(const std::vector<ProbeRule>& rules, const Solution& solution, const std::vector<SheetStress>& stress,
                                              const Built& built, const Picker& picker);

}  // namespace halvo
