#pragma once
/// Sparse symmetric matrices and their Cholesky factors; the factorization is SuiteSparse's (Chen, Davis, Hager and Rajamanickam, 2008),
/// or another that use_direct_solver was given.

#include <halvo/types.hpp>

#include <memory>

namespace halvo {

/// Lower triangle by columns, rows rising, the diagonal first.
struct LowerMatrix {
    std::int64_t size = 0;
    std::vector<std::int64_t> start, row;
    std::vector<double> value;
    [[nodiscard]] Eigen::VectorXd times(const Eigen::VectorXd& x) const;
    [[nodiscard]] Eigen::VectorXd diagonal() const;
    /// Without the entries that are zero, off the diagonal.
    [[nodiscard]] LowerMatrix without_zeros() const;
};

/// An order of elimination with few entries, and the entries: for all matrices of one pattern.
class Ordering {
public:
    /// `blocks`: number of the block of each row; rows of a block are next to each other and share their pattern.
    Ordering(const LowerMatrix& pattern, const std::vector<std::int32_t>& blocks);
    ~Ordering();
    Ordering(const Ordering&) = delete;
    Ordering& operator=(const Ordering&) = delete;
    struct Parts;
    [[nodiscard]] Parts& parts() const { return *p_; }

private:
    std::unique_ptr<Parts> p_;
};

class Factor {
public:
    /// Scaled to ones on the diagonal first. Throws std::bad_alloc where memory runs out.
    Factor(const LowerMatrix& matrix, const Ordering& ordering);
    ~Factor();
    Factor(Factor&&) noexcept;
    /// False where the matrix is not positive definite.
    [[nodiscard]] bool good() const;
    /// The least pivot of the scaled matrix: near rounding where it is singular.
    [[nodiscard]] double least_pivot() const;
    /// One column a case.
    [[nodiscard]] Eigen::MatrixXd solve(const Eigen::MatrixXd& b) const;

private:
    [[nodiscard]] std::vector<double> scaled(const LowerMatrix& matrix);
    void factorize_elsewhere(const LowerMatrix& matrix);
    struct Parts;
    std::unique_ptr<Parts> p_;
};

}  // namespace halvo
