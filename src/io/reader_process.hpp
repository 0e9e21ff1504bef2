#pragma once
#include "io/kernel_file.hpp"

#include <halvo/types.hpp>

#include <filesystem>

namespace halvo::io {

/// Reads a file with the CAD kernel in a helper program (src/reader), several processes at once for the tessellation. Whatever happens to the
/// kernel there (a crash, a hang, memory without end) ends as an Error{input} here; a request to stop ends the children.
/// `bytes` is the size of the file: it sets how much memory and processor time a child may take.
[[nodiscard]] KernelFile read_in_process(const std::filesystem::path& file, FileKind kind, const std::string& shown, std::size_t bytes,
                                         const Observer& observer);

}  // namespace halvo::io
