#pragma once
#include <halvo/assembly.hpp>

namespace halvo {

/// Is the body meant by one of the patterns: its number, its key, or its name or path with wildcards? Without patterns any body is.
[[nodiscard]] bool is_named(const Body& body, const std::vector<std::string>& patterns);

}  // namespace halvo
