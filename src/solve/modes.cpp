// Lowest modes by shift and inversion (Ericsson and Ruhe 1980), with the library's restarted Lanczos; small structures by a dense solution.
#include "core/index.hpp"
#include "solve/equations.hpp"

#include <Spectra/SymGEigsShiftSolver.h>
#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr Eigen::Index most_dense = 240;  // unknowns solved as a dense matrix
constexpr double shift_share = 1e-8;      // of the middle of stiffness over mass: below what swings, above rounding
constexpr double standing_share = 1e-4;   // of the shift: what swings more slowly does not swing

struct Inverse {
    using Scalar = double;
    const Factor* factor;
    Eigen::Index n;
    [[nodiscard]] Eigen::Index rows() const { return n; }
    [[nodiscard]] Eigen::Index cols() const { return n; }
    void set_shift(double) {}
    void perform_op(const double* x, double* y) const { Eigen::Map<Eigen::VectorXd>(y, n) = factor->solve(Eigen::Map<const Eigen::VectorXd>(x, n)); }
};

struct Times {
    using Scalar = double;
    const LowerMatrix* matrix;
    [[nodiscard]] Eigen::Index rows() const { return matrix->size; }
    [[nodiscard]] Eigen::Index cols() const { return matrix->size; }
    void perform_op(const double* x, double* y) const {
        Eigen::Map<Eigen::VectorXd>(y, matrix->size) = matrix->times(Eigen::Map<const Eigen::VectorXd>(x, matrix->size));
    }
};

struct Pairs {
    std::vector<double> values;
    std::vector<Eigen::VectorXd> vectors;
};

Eigen::MatrixXd dense(const LowerMatrix& m) {
    Eigen::MatrixXd out = Eigen::MatrixXd::Zero(m.size, m.size);
    for (std::int64_t j = 0; j < m.size; ++j)
        for (auto k = m.start[ix(j)]; k < m.start[ix(j) + 1]; ++k) out(m.row[ix(k)], j) = out(j, m.row[ix(k)]) = m.value[ix(k)];
    return out;
}

// Of shifted stiffness and mass, both dense: the mass may weigh nothing in some directions.
Pairs dense_pairs(const LowerMatrix& shifted, const LowerMatrix& mass, double shift, Eigen::Index count) {
    const Eigen::LLT<Eigen::MatrixXd> cholesky(dense(shifted));
    Eigen::MatrixXd a = cholesky.matrixL().solve(dense(mass));
    a = cholesky.matrixL().solve(a.transpose().eval()).eval();
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(0.5 * (a + a.transpose()));
    Pairs out;
    for (Eigen::Index k = a.rows() - 1; k >= 0 && static_cast<Eigen::Index>(out.values.size()) < count; --k) {
        if (!(eigen.eigenvalues()[k] > 1e-13 * eigen.eigenvalues()[a.rows() - 1])) break;
        out.values.push_back(1 / eigen.eigenvalues()[k] - shift);
        out.vectors.emplace_back(cholesky.matrixU().solve(eigen.eigenvectors().col(k)));
    }
    return out;
}

Pairs sparse_pairs(const Factor& factor, const LowerMatrix& mass, double shift, Eigen::Index count) {
    const Eigen::Index n = mass.size;
    Inverse inverse{&factor, n};
    Times times{&mass};
    const Eigen::Index most = std::min<Eigen::Index>(n, std::max<Eigen::Index>(2 * count + 10, 30));
    Spectra::SymGEigsShiftSolver<Inverse, Times, Spectra::GEigsMode::ShiftInvert> solver(inverse, times, count, most, -shift);
    // A start in the range of the mass: what weighs nothing must not come in.
    Eigen::VectorXd start(n);
    std::uint64_t seed = 88172645463325252ULL;
    for (Eigen::Index k = 0; k < n; ++k) {
        seed ^= seed << 13, seed ^= seed >> 7, seed ^= seed << 17;
        start[k] = static_cast<double>(seed % 2000001) / 1e6 - 1;
    }
    start = factor.solve(mass.times(start));
    solver.init(start.data());
    solver.compute(Spectra::SortRule::LargestMagn, 1000, 1e-11, Spectra::SortRule::SmallestAlge);
    if (solver.info() != Spectra::CompInfo::Successful) throw Error(ErrorKind::stage, "the modes did not converge; ask for fewer");
    Pairs out;
    const Eigen::MatrixXd vectors = solver.eigenvectors();
    for (Eigen::Index k = 0; k < vectors.cols(); ++k) out.values.push_back(solver.eigenvalues()[k]), out.vectors.emplace_back(vectors.col(k));
    return out;
}

}  // namespace

std::vector<StructureMode> Equations::modes(int wanted, bool lumped) const {
    const Parts& p = *p_;
    if (p.stiffness.size == 0) return {};  // nothing is free to swing
    const LowerMatrix mass = p.layout->assembler->fill([&](std::size_t e) { return p.mass_of(e, lumped); });
    const Eigen::VectorXd k = p.stiffness.diagonal(), m = mass.diagonal();
    std::vector<double> ratios;
    for (Eigen::Index i = 0; i < k.size(); ++i)
        if (m[i] > 0 && p.layout->unknowns.movement[ix(i)] % 6 < 3) ratios.push_back(k[i] / m[i]);
    if (ratios.empty()) throw Error(ErrorKind::stage, "modes need masses; give the materials a density");
    std::nth_element(ratios.begin(), ratios.begin() + static_cast<std::ptrdiff_t>(ratios.size() / 2), ratios.end());
    const bool held = p.motions.empty() && p.factor && p.factor->good();
    const double shift = held ? 0 : shift_share * ratios[ratios.size() / 2];
    LowerMatrix shifted = p.stiffness;
    for (std::size_t i = 0; i < shifted.value.size(); ++i) shifted.value[i] += shift * mass.value[i];
    const Eigen::Index n = p.stiffness.size;
    Pairs pairs;
    if (n <= most_dense || wanted >= n / 2) {
        pairs = dense_pairs(shifted, mass, shift, std::min<Eigen::Index>(wanted, n));
    } else if (held) {
        pairs = sparse_pairs(*p.factor, mass.without_zeros(), 0, wanted);
    } else {
        const Factor factor(shifted, *p.layout->ordering);
        if (!factor.good()) throw Error(ErrorKind::stage, "the equations cannot be solved: a stiffness or a mass is negative");
        pairs = sparse_pairs(factor, mass.without_zeros(), shift, wanted);
    }
    std::vector<StructureMode> out;
    for (std::size_t i = 0; i < pairs.values.size(); ++i) {
        StructureMode mode;
        const double square = pairs.values[i] <= standing_share * shift ? 0 : pairs.values[i];
        mode.frequency = std::sqrt(std::max(0.0, square)) / (2 * pi);
        mode.movement = p.expanded(pairs.vectors[i], {});
        double most = 0, sign = 1;
        for (Eigen::Index j = 0; j + 2 < mode.movement.size(); j += 6)
            if (const Vec3 d = mode.movement.segment<3>(j); d.norm() > most * (1 + 1e-6)) {
                most = d.norm();
                Eigen::Index axis = 0;
                d.cwiseAbs().maxCoeff(&axis);
                sign = d[axis] < 0 ? -1 : 1;
            }
        if (most > 0) mode.movement *= sign / most;
        out.push_back(std::move(mode));
    }
    std::stable_sort(out.begin(), out.end(), [](const StructureMode& a, const StructureMode& b) { return a.frequency < b.frequency; });
    return out;
}

}  // namespace halvo
