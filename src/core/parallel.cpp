#include "core/parallel.hpp"

#include <halvo/threads.hpp>

#include <oneapi/tbb/global_control.h>
#include <oneapi/tbb/parallel_for.h>

#include <memory>

namespace halvo {

void parallel_for(std::size_t n, const std::function<void(std::size_t)>& task) {
    oneapi::tbb::parallel_for(std::size_t{0}, n, [&](std::size_t i) { task(i); });
}

int thread_count() {
    return static_cast<int>(oneapi::tbb::global_control::active_value(oneapi::tbb::global_control::max_allowed_parallelism));
}

void set_thread_limit(int threads) {
    static std::unique_ptr<oneapi::tbb::global_control> limit;
    limit.reset();
    if (threads > 0)
        limit = std::make_unique<oneapi::tbb::global_control>(oneapi::tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(threads));
}

}  // namespace halvo
