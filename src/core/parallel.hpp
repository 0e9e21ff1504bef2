#pragma once
#include <cstddef>
#include <functional>

namespace halvo {

/// Runs task(i) for i in [0, n); tasks write to slots of their own, so that the result does not depend on threads.
void parallel_for(std::size_t n, const std::function<void(std::size_t)>& task);

/// How many threads parallel_for may use.
[[nodiscard]] int thread_count();

}  // namespace halvo
