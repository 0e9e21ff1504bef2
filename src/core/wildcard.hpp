#pragma once
#include <string_view>

namespace halvo {

/// Shell-style: * any text, ? one character, [abc] and [a-z] one of these, [!a-z] one of the others. Case counts.
[[nodiscard]] bool wildcard_match(std::string_view pattern, std::string_view text);

}  // namespace halvo
