#pragma once
#include <string>

namespace halvo {

/// "3 mm", "0.5inch", "12 kN/m2": the number in `unit` (any unit the UDUNITS-2 library can convert to it).
/// A bare number is in `unit` already. Throws std::invalid_argument with what is wrong.
[[nodiscard]] double quantity(const std::string& text, const std::string& unit);

}  // namespace halvo
