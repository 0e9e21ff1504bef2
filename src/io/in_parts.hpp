#pragma once
#include "core/parallel.hpp"

#include <halvo/types.hpp>

namespace halvo::io {

/// work(i) for all parts, many at once, with progress from one share to another told between them, by the thread that called.
inline void for_parts(std::size_t n, const Observer& observer, double from, double to, const std::function<void(std::size_t)>& work) {
    const std::size_t chunk = std::max<std::size_t>(1, n / 20);
    for (std::size_t first = 0; first < n; first += chunk) {
        observer.tell("read", from + (to - from) * static_cast<double>(first) / static_cast<double>(n));
        parallel_for(std::min(chunk, n - first), [&](std::size_t k) { work(first + k); });
    }
}

}  // namespace halvo::io
