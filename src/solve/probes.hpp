#pragma once
#include "solve/building.hpp"

namespace halvo {

/// Every probe in every case it asks for. Throws Error{stage} where one picks nothing.
[[nodiscard]] std::vector<ProbeResult> probed(const std::vector<ProbeRule>& rules, const Solution& solution, const Built& built, const Picker& picker);

/// Fills what of a case is seen at nodes: stress averaged within each sheet, its jump, extremes.
void see_case(CaseResult& result, const Built& built, const Picker& picker);

/// Stress of one shell at one corner: 0 top, 1 bottom, 2 middle.
[[nodiscard]] Stress stress_at(const ShellState& state, std::size_t corner, int side);

}  // namespace halvo
