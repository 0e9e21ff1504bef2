#pragma once
/// The bytes of an input file and what they are.

#include "io/kernel_file.hpp"

namespace halvo::io {

/// Whole file, unpacked if it is gzip. Throws Error{input} where it cannot be had.
struct Bytes {
    std::string data;
    bool packed = false;
};
[[nodiscard]] Bytes load(const std::filesystem::path& file);
[[nodiscard]] std::string sha256(const std::string& bytes);
/// By content; the name only decides what a damaged file is called. Throws Error{input} for anything else.
[[nodiscard]] FileKind recognise_kind(const std::filesystem::path& file, const std::string& bytes);
/// What the file's ending says, nothing for unknown endings.
[[nodiscard]] std::optional<FileKind> kind_by_name(const std::filesystem::path& file);
/// Damage that the kernel would pass over: a STEP or IGES file that ends early.
void check_whole(const std::filesystem::path& file, FileKind kind, const std::string& bytes);

}  // namespace halvo::io
