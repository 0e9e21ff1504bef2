#include "solve/factor.hpp"

#include "core/index.hpp"

#include <halvo/direct_solver.hpp>

#include <cholmod.h>
#include <dlfcn.h>

#include <cmath>
#include <new>

namespace halvo {
namespace {

// One thread in the dense kernels: with more, rounding would depend on their number.
void one_thread() {
    using SetThreads = void (*)(int);
    static const auto set = reinterpret_cast<SetThreads>(dlsym(RTLD_DEFAULT, "openblas_set_num_threads"));
    if (set) set(1);
}

cholmod_sparse view_of(const LowerMatrix& m, double* values) {
    cholmod_sparse a{};
    a.nrow = a.ncol = static_cast<std::size_t>(m.size), a.nzmax = m.row.size();
    a.p = const_cast<std::int64_t*>(m.start.data()), a.i = const_cast<std::int64_t*>(m.row.data()), a.x = values;
    a.stype = -1, a.itype = CHOLMOD_LONG, a.xtype = values ? CHOLMOD_REAL : CHOLMOD_PATTERN, a.dtype = CHOLMOD_DOUBLE, a.sorted = 1, a.packed = 1;
    return a;
}

}  // namespace

Eigen::VectorXd LowerMatrix::times(const Eigen::VectorXd& x) const {
    Eigen::VectorXd y = Eigen::VectorXd::Zero(size);
    for (std::int64_t j = 0; j < size; ++j) {
        const auto first = start[ix(j)], last = start[ix(j) + 1];
        if (first == last) continue;
        double sum = value[ix(first)] * x[j];
        const double xj = x[j];
        for (std::int64_t k = first + 1; k < last; ++k) {
            const std::int64_t i = row[ix(k)];
            y[i] += value[ix(k)] * xj;
            sum += value[ix(k)] * x[i];
        }
        y[j] += sum;
    }
    return y;
}

LowerMatrix LowerMatrix::without_zeros() const {
    LowerMatrix out;
    out.size = size, out.start.push_back(0);
    for (std::int64_t j = 0; j < size; ++j) {
        for (std::int64_t k = start[ix(j)]; k < start[ix(j) + 1]; ++k)
            if (row[ix(k)] == j || value[ix(k)] != 0) out.row.push_back(row[ix(k)]), out.value.push_back(value[ix(k)]);
        out.start.push_back(static_cast<std::int64_t>(out.row.size()));
    }
    return out;
}

Eigen::VectorXd LowerMatrix::diagonal() const {
    Eigen::VectorXd d(size);
    for (std::int64_t j = 0; j < size; ++j) d[j] = start[ix(j)] < start[ix(j) + 1] ? value[ix(start[ix(j)])] : 0;
    return d;
}

struct Ordering::Parts {
    cholmod_common common{};
    cholmod_factor* symbolic = nullptr;
};

namespace {

DirectSolver& other_solver() {
    static DirectSolver solver;
    return solver;
}

// The blocks' own graph is much smaller than that of the rows, and its order as good.
std::vector<std::int64_t> row_order(const LowerMatrix& pattern, const std::vector<std::int32_t>& blocks, cholmod_common& common) {
    LowerMatrix graph;
    std::vector<std::int64_t> first;  // row of each block
    for (std::size_t i = 0; i < blocks.size(); ++i)
        if (i == 0 || blocks[i] != blocks[i - 1]) first.push_back(static_cast<std::int64_t>(i));
    graph.size = static_cast<std::int64_t>(first.size());
    std::vector<std::int64_t> block_of(blocks.size());
    for (std::size_t b = 0; b < first.size(); ++b)
        for (auto r = first[b]; r < (b + 1 < first.size() ? first[b + 1] : pattern.size); ++r) block_of[ix(r)] = static_cast<std::int64_t>(b);
    graph.start.push_back(0);
    for (const std::int64_t f : first) {
        std::int64_t last = -1;
        for (auto k = pattern.start[ix(f)]; k < pattern.start[ix(f) + 1]; ++k) {
            const std::int64_t b = block_of[ix(pattern.row[ix(k)])];
            if (b != last) graph.row.push_back(b), last = b;
        }
        graph.start.push_back(static_cast<std::int64_t>(graph.row.size()));
    }
    cholmod_sparse a = view_of(graph, nullptr);
    std::vector<std::int64_t> order(first.size());
    if (!cholmod_l_metis(&a, nullptr, 0, 1, order.data(), &common) && !cholmod_l_amd(&a, nullptr, 0, order.data(), &common)) throw std::bad_alloc();
    std::vector<std::int64_t> rows;
    rows.reserve(blocks.size());
    for (const std::int64_t b : order)
        for (auto r = first[ix(b)]; r < (ix(b) + 1 < first.size() ? first[ix(b) + 1] : pattern.size); ++r) rows.push_back(r);
    return rows;
}

}  // namespace

Ordering::Ordering(const LowerMatrix& pattern, const std::vector<std::int32_t>& blocks) : p_(std::make_unique<Parts>()) {
    one_thread();
    cholmod_common& c = p_->common;
    cholmod_l_start(&c);
    c.print = 0, c.error_handler = nullptr;
    c.nmethods = 1, c.method[0].ordering = CHOLMOD_GIVEN, c.postorder = 1, c.supernodal = CHOLMOD_SUPERNODAL, c.final_ll = 1, c.quick_return_if_not_posdef = 1;
    if (blocks.empty() || other_solver().factorize) return;  // nothing is free, or not this library's to order
    std::vector<std::int64_t> order = row_order(pattern, blocks, c);
    cholmod_sparse a = view_of(pattern, nullptr);
    p_->symbolic = cholmod_l_analyze_p(&a, order.data(), nullptr, 0, &c);
    if (!p_->symbolic) {
        cholmod_l_finish(&c);
        throw std::bad_alloc();
    }
}

Ordering::~Ordering() {
    if (p_->symbolic) cholmod_l_free_factor(&p_->symbolic, &p_->common);
    cholmod_l_finish(&p_->common);
}

struct Factor::Parts {
    cholmod_common* common = nullptr;
    cholmod_factor* factor = nullptr;
    Eigen::VectorXd scale;
    bool good = false;
    double least = 1;
    std::shared_ptr<void> other;  // factor of another library
    ~Parts() {
        if (factor) cholmod_l_free_factor(&factor, common);
    }
};

Factor::Factor(const LowerMatrix& matrix, const Ordering& ordering) : p_(std::make_unique<Parts>()) {
    p_->common = &ordering.parts().common;
    p_->good = matrix.size == 0;
    if (matrix.size == 0) return;
    if (other_solver().factorize) {
        factorize_elsewhere(matrix);
        return;
    }
    p_->factor = cholmod_l_copy_factor(ordering.parts().symbolic, p_->common);
    if (!p_->factor) throw std::bad_alloc();
    std::vector<double> values = scaled(matrix);
    cholmod_sparse a = view_of(matrix, values.data());
    cholmod_l_factorize(&a, p_->factor, p_->common);
    if (p_->common->status == CHOLMOD_OUT_OF_MEMORY) throw std::bad_alloc();
    p_->good = matrix.diagonal().minCoeff() > 0 && (p_->common->status == CHOLMOD_OK && p_->factor->minor == p_->factor->n);
    if (!p_->good) return;
    // Pivots stand at the head of the columns of each dense block.
    p_->least = 1;
    const auto* super = static_cast<const std::int64_t*>(p_->factor->super);
    const auto* rows = static_cast<const std::int64_t*>(p_->factor->pi);
    const auto* at = static_cast<const std::int64_t*>(p_->factor->px);
    const auto* x = static_cast<const double*>(p_->factor->x);
    for (std::size_t s = 0; s < p_->factor->nsuper; ++s)
        for (std::int64_t k = 0; k < super[s + 1] - super[s]; ++k) {
            const double v = x[at[s] + k * (rows[s + 1] - rows[s]) + k];
            p_->least = std::min(p_->least, v * v);
        }
}

// The values with ones on the diagonal.
std::vector<double> Factor::scaled(const LowerMatrix& matrix) {
    p_->scale = matrix.diagonal().unaryExpr([](double v) { return v > 0 ? 1 / std::sqrt(v) : 1.0; });
    std::vector<double> values(matrix.value.size());
    for (std::int64_t j = 0; j < matrix.size; ++j)
        for (auto k = matrix.start[ix(j)]; k < matrix.start[ix(j) + 1]; ++k) values[ix(k)] = matrix.value[ix(k)] * p_->scale[j] * p_->scale[matrix.row[ix(k)]];
    return values;
}

void Factor::factorize_elsewhere(const LowerMatrix& matrix) {
    const std::vector<double> values = scaled(matrix);
    if (!(matrix.diagonal().minCoeff() > 0)) return;
    const auto outcome = other_solver().factorize({matrix.size, matrix.start.data(), matrix.row.data(), values.data()}, p_->other);
    p_->good = outcome != DirectSolver::Outcome::not_positive;
    p_->least = outcome == DirectSolver::Outcome::good ? 1 : 0;
}

void use_direct_solver(DirectSolver solver) {
    other_solver() = std::move(solver);
}

Factor::~Factor() = default;
Factor::Factor(Factor&&) noexcept = default;

bool Factor::good() const {
    return p_->good;
}
double Factor::least_pivot() const {
    return p_->least;
}
Eigen::MatrixXd Factor::solve(const Eigen::MatrixXd& b) const {
    if (b.size() == 0) return b;
    Eigen::MatrixXd scaled = p_->scale.asDiagonal() * b;
    if (p_->other) {
        other_solver().solve(p_->other.get(), scaled.data(), scaled.rows(), scaled.cols());
        return p_->scale.asDiagonal() * scaled;
    }
    cholmod_dense d{};
    d.nrow = d.d = static_cast<std::size_t>(b.rows()), d.ncol = static_cast<std::size_t>(b.cols()), d.nzmax = d.nrow * d.ncol;
    d.x = scaled.data(), d.xtype = CHOLMOD_REAL, d.dtype = CHOLMOD_DOUBLE;
    cholmod_dense* x = cholmod_l_solve(CHOLMOD_A, p_->factor, &d, p_->common);
    if (!x) throw std::bad_alloc();
    Eigen::MatrixXd out = p_->scale.asDiagonal() * Eigen::Map<const Eigen::MatrixXd>(static_cast<const double*>(x->x), b.rows(), b.cols());
    cholmod_l_free_dense(&x, p_->common);
    return out;
}

}  // namespace halvo
