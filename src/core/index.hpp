#pragma once
#include <halvo/types.hpp>

#include <cstddef>

namespace halvo {

/// A number that is known not to be negative, as an index.
[[nodiscard]] constexpr std::size_t ix(int i) {
    return static_cast<std::size_t>(i);
}
[[nodiscard]] constexpr std::size_t ix(std::int64_t i) {
    return static_cast<std::size_t>(i);
}
template <class Tag>
[[nodiscard]] constexpr std::size_t ix(Id<Tag> id) {
    return id.index();
}

}  // namespace halvo
