#pragma once
#include <string>
#include <utility>
#include <vector>

namespace halvo {

/// Names of the quantities that closed forms take, and the unit each is read in.
[[nodiscard]] const std::vector<std::pair<std::string, const char*>>& known_quantities();

}  // namespace halvo
