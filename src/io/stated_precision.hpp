#pragma once
#include "io/kernel_file.hpp"

namespace halvo::io {

/// How exactly a file says that its places are given, in its unit of length (ISO 10303-41 uncertainty measure; the minimum resolution in the
/// global section of an IGES file); 0 where it does not say.
[[nodiscard]] double stated_precision(const std::string& bytes, FileKind kind);

}  // namespace halvo::io
