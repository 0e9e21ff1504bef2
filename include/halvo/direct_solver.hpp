#pragma once
/// Another factorization in place of the one that the library brings along: for structures that outgrow one machine.

#include <cstdint>
#include <functional>
#include <memory>

namespace halvo {

/// Lower triangle of a symmetric matrix by columns, rows rising, the diagonal first; ones on the diagonal.
struct SymmetricColumns {
    std::int64_t size = 0;
    const std::int64_t* start = nullptr;
    const std::int64_t* row = nullptr;
    const double* value = nullptr;
};

struct DirectSolver {
    enum class Outcome { good, nearly_singular, not_positive };
    /// Keeps what `solve` needs in `factor`. Throws std::bad_alloc where memory runs out, Error{stage} where it fails otherwise.
    std::function<Outcome(const SymmetricColumns& matrix, std::shared_ptr<void>& factor)> factorize;
    /// In place, `count` columns.
    std::function<void(void* factor, double* columns, std::int64_t size, std::int64_t count)> solve;
};

/// Takes `solver` from the next equations on; one without functions: the library's own again. To be called where no equations are being made.
void use_direct_solver(DirectSolver solver);

}  // namespace halvo
