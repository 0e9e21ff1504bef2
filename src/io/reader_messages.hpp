#pragma once
/// What the reader's helper program and its caller say to each other: a letter, a length, and so many bytes.
#include "io/kernel_file.hpp"

#include <string>

namespace halvo::io {

enum class Message : char { progress = 'p', tree = 't', part = 'b', error = 'e', done = 'd' };

/// The helper's ends of the pipes have the numbers from here on.
constexpr int reader_first_pipe = 3;

[[nodiscard]] std::string pack_tree(const Tree& tree);
[[nodiscard]] Tree unpack_tree(std::string bytes);

}  // namespace halvo::io
