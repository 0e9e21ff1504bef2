#pragma once
#include <Eigen/Core>

#include <memory>
#include <optional>
#include <vector>

/// Large sparse systems, solved in one place: what stands behind them takes long to compile.
namespace halvo {

/// One term of a sparse matrix; terms of one place add up.
struct SparseTerm {
    SparseTerm(Eigen::Index r, Eigen::Index c, double v) : row(static_cast<int>(r)), column(static_cast<int>(c)), value(v) {}
    int row = 0, column = 0;
    double value = 0;
};

/// A symmetric positive definite matrix, factorized once (LDLT with fill-reducing ordering).
class SparseSymmetric {
public:
    SparseSymmetric(Eigen::Index size, const std::vector<SparseTerm>& terms);
    ~SparseSymmetric();
    SparseSymmetric(const SparseSymmetric&) = delete;
    SparseSymmetric& operator=(const SparseSymmetric&) = delete;
    [[nodiscard]] bool factorized() const;  ///< false where a pivot is zero
    /// x of a x = b, column by column.
    [[nodiscard]] Eigen::MatrixXd solve(const Eigen::MatrixXd& b) const;

private:
    struct Factors;
    std::unique_ptr<Factors> factors_;
};

/// x of least |a x - b| by the normal equations; nothing where columns of `a` depend on each other.
[[nodiscard]] std::optional<Eigen::VectorXd> sparse_least_squares(Eigen::Index columns, const std::vector<SparseTerm>& terms, const Eigen::VectorXd& b);

}  // namespace halvo
