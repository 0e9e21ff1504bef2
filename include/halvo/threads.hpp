#pragma once

namespace halvo {

/// Largest number of threads the stages use from now on in this process; 0 for all. Results do not depend on it.
void set_thread_limit(int threads);

}  // namespace halvo
