#include "geom/sparse.hpp"

#include <Eigen/SparseCholesky>

namespace halvo {
namespace {

using Matrix = Eigen::SparseMatrix<double>;

Matrix matrix_of(Eigen::Index rows, Eigen::Index columns, const std::vector<SparseTerm>& terms) {
    std::vector<Eigen::Triplet<double>> entries;
    entries.reserve(terms.size());
    for (const SparseTerm& t : terms) entries.emplace_back(t.row, t.column, t.value);
    Matrix out(rows, columns);
    out.setFromTriplets(entries.begin(), entries.end());
    return out;
}

}  // namespace

struct SparseSymmetric::Factors {
    Eigen::SimplicialLDLT<Matrix> ldlt;
};

SparseSymmetric::SparseSymmetric(Eigen::Index size, const std::vector<SparseTerm>& terms) : factors_(std::make_unique<Factors>()) {
    factors_->ldlt.compute(matrix_of(size, size, terms));
}

SparseSymmetric::~SparseSymmetric() = default;

bool SparseSymmetric::factorized() const {
    return factors_->ldlt.info() == Eigen::Success;
}

Eigen::MatrixXd SparseSymmetric::solve(const Eigen::MatrixXd& b) const {
    return factors_->ldlt.solve(b);
}

std::optional<Eigen::VectorXd> sparse_least_squares(Eigen::Index columns, const std::vector<SparseTerm>& terms, const Eigen::VectorXd& b) {
    const Matrix a = matrix_of(b.size(), columns, terms);
    Eigen::SimplicialLDLT<Matrix> ldlt;
    ldlt.compute(Matrix(a.transpose() * a));
    if (ldlt.info() != Eigen::Success) return std::nullopt;
    const Eigen::MatrixXd right = a.transpose() * b;
    return ldlt.solve(right).eval();
}

}  // namespace halvo
