#pragma once
#include <string_view>

namespace halvo::view {

/// A file of web/, or three.js, as it was when the library was built; empty for names that are none.
[[nodiscard]] std::string_view web_file(std::string_view name);

}  // namespace halvo::view
