#pragma once
/// What the module of the distributed solver gives the program that loads it: plain C, since they are compiled apart.

#include <cstdint>

extern "C" {

struct HalvoDistributed {
    int rank, size;  ///< of this process, and how many there are
    /// 0: good, 1: nearly singular, 2: not positive definite, 3: out of memory, else what the solver itself says, negative. Nothing is kept unless 0 or 1.
    int (*factorize)(std::int64_t size, const std::int64_t* start, const std::int64_t* row, const double* value, int* factor);
    int (*solve)(int factor, double* columns, std::int64_t size, std::int64_t count);
    void (*drop)(int factor);
    /// Other processes than the first: do what that asks for, until it stops.
    void (*serve)();
    /// The first: lets the others end.
    void (*stop)();
};

/// Starts message passing; once, before anything else.
HalvoDistributed* halvo_distributed_start(int* argc, char*** argv);
}
