#pragma once
#include <filesystem>

namespace halvo::io {

/// The helper program that opens CAD files: what $HALVO_READER names, else `halvo-reader` beside the running program, in ../libexec/halvo
/// from there, where the program or library was installed, where it was built. Throws Error{stage} when it is nowhere.
[[nodiscard]] std::filesystem::path reader_program();

}  // namespace halvo::io
