#pragma once
/// Walls that are one with a thickness that jumps.

#include "body/wall_search.hpp"

#include <functional>
#include <vector>

namespace halvo {

/// Walls that run side by side and hang together through a step become one; those merged into another are left without pairs. Only `thin`
/// ones; `like` tells, for a thickness (mm), how far two surfaces may be apart (mm) to count as one.
void merge_steps(const Body& body, const Skin& skin, const std::function<double(double)>& like, std::vector<Wall>& walls, const std::vector<bool>& thin);

/// Is the pair's top face on the side the chart's normal points away from?
[[nodiscard]] bool turned(const Body& body, const Chart& chart, const FacePair& pair);

}  // namespace halvo
