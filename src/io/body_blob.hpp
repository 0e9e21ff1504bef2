#pragma once
/// A body as read, in bytes: how one crosses from the reader's process to ours.

#include <halvo/assembly.hpp>

namespace halvo::io {

[[nodiscard]] std::string pack(const Body& body);
[[nodiscard]] Body unpack_body(std::string bytes);

/// A body as finish_body and the reader left it, but for its names: with everything that they worked out.
[[nodiscard]] std::string pack_finished(const Body& body);
[[nodiscard]] Body unpack_finished(std::string bytes);

}  // namespace halvo::io
