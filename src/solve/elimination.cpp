#include "solve/elimination.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <queue>

namespace halvo {
namespace {

constexpr double nothing_left = 1e-9;  // of an equation's weight: it says nothing new (rounding of a chain of rigid arms)
constexpr double rounding = 1e-14;     // of an equation's weight: a factor that is none
constexpr double as_asked = 1e-3;      // of the largest weight: the movement asked for is still given up

}  // namespace

Elimination::Elimination(std::size_t count, double size) : size_(size), row_of_(count, -1) {}

Elimination::Outcome Elimination::add(const MotionEquation& equation, std::int64_t give_up) {
    const auto weight = [&](std::int64_t m, double f) { return std::abs(f) / (m % 6 >= 3 ? size_ : 1.0); };
    std::map<std::int64_t, double> terms;
    double whole = 0;
    for (const auto& [m, f] : equation.terms) terms[m] += f;
    for (const auto& [m, f] : terms) whole = std::max(whole, weight(m, f));
    Row row;
    row.value = equation.value;
    const auto number = static_cast<std::int32_t>(rows_.size());
    std::map<std::int32_t, double> values{{number, 1.0}};
    // Given-up movements are replaced in the order in which they were given up: a later row holds none of an earlier one.
    std::priority_queue<std::int32_t, std::vector<std::int32_t>, std::greater<>> waiting;
    for (const auto& [m, f] : terms)
        if (row_of_[static_cast<std::size_t>(m)] >= 0) waiting.push(row_of_[static_cast<std::size_t>(m)]);
    double seen = whole;
    while (!waiting.empty()) {
        const std::int32_t k = waiting.top();
        waiting.pop();
        const Row& old = rows_[static_cast<std::size_t>(k)];
        const auto it = terms.find(old.pivot);
        if (it == terms.end()) continue;
        const double share = it->second / old.pivot_factor;
        terms.erase(it);
        row.taken_off.emplace_back(k, share);
        for (const auto& [m, f] : old.terms) {
            if (m == old.pivot) continue;
            const auto [at, fresh] = terms.try_emplace(m, 0.0);
            at->second -= share * f;
            seen = std::max(seen, weight(m, share * f));
            if (fresh && row_of_[static_cast<std::size_t>(m)] >= 0) waiting.push(row_of_[static_cast<std::size_t>(m)]);
        }
        for (const auto& [v, f] : old.values) values[v] -= share * f;
    }
    double most = 0;
    std::int64_t pivot = -1;
    std::erase_if(terms, [&](const auto& t) { return weight(t.first, t.second) <= rounding * seen; });
    for (const auto& [m, f] : terms)
        if (weight(m, f) > most * (1 + nothing_left)) most = weight(m, f), pivot = m;
    if (most <= nothing_left * seen) pivot = -1;
    row.values.assign(values.begin(), values.end());
    if (pivot < 0) {
        double left = 0, size = std::abs(row.value);
        for (const auto& [v, f] : row.values) {
            const double value = v == number ? row.value : rows_[static_cast<std::size_t>(v)].value;
            left += f * value, size = std::max(size, std::abs(f * value));
        }
        row.values.clear(), row.taken_off.clear();
        rows_.push_back(std::move(row));
        return std::abs(left) > nothing_left * size ? Outcome::conflict : Outcome::said_before;
    }
    if (const auto it = terms.find(give_up); give_up >= 0 && it != terms.end() && weight(it->first, it->second) >= as_asked * most) pivot = give_up;
    row.pivot = pivot, row.pivot_factor = terms.at(pivot);
    row.terms.assign(terms.begin(), terms.end());
    row_of_[static_cast<std::size_t>(pivot)] = number;
    rows_.push_back(std::move(row));
    return Outcome::used;
}

void Elimination::finish() {
    expressions_.resize(rows_.size());
    // A row holds movements given up later, never earlier: from the last to the first, what it holds is known.
    for (auto k = static_cast<std::int32_t>(rows_.size()) - 1; k >= 0; --k) resolve(k);
}

void Elimination::resolve(std::int32_t k) {
    const Row& row = rows_[static_cast<std::size_t>(k)];
    if (row.pivot < 0) return;
    std::map<std::int64_t, double> terms;
    std::map<std::int32_t, double> values;
    for (const auto& [v, f] : row.values)
        if (rows_[static_cast<std::size_t>(v)].value != 0) values[v] += f / row.pivot_factor;
    for (const auto& [m, f] : row.terms) {
        if (m == row.pivot) continue;
        const double share = -f / row.pivot_factor;
        const std::int32_t other = row_of_[static_cast<std::size_t>(m)];
        if (other < 0) {
            terms[m] += share;
            continue;
        }
        const Expression& e = expressions_[static_cast<std::size_t>(other)];
        for (const auto& [n, g] : e.terms) terms[n] += share * g;
        for (const auto& [v, g] : e.values) values[v] += share * g;
    }
    Expression& out = expressions_[static_cast<std::size_t>(k)];
    out.terms.assign(terms.begin(), terms.end());
    out.values.assign(values.begin(), values.end());
}

const Elimination::Expression* Elimination::of(std::int64_t movement) const {
    const std::int32_t row = row_of_[static_cast<std::size_t>(movement)];
    return row < 0 ? nullptr : &expressions_[static_cast<std::size_t>(row)];
}

std::vector<double> Elimination::forces(const Eigen::VectorXd& residual) const {
    // Rows over their pivots are triangular: the first row alone holds the first pivot.
    std::vector<double> of_rows(rows_.size(), 0.0);
    Eigen::VectorXd left = residual;
    for (std::size_t k = 0; k < rows_.size(); ++k) {
        const Row& row = rows_[k];
        if (row.pivot < 0) continue;
        of_rows[k] = left[row.pivot] / row.pivot_factor;
        for (const auto& [m, f] : row.terms) left[m] -= of_rows[k] * f;
    }
    // A row is its equation less shares of earlier rows.
    for (std::size_t k = rows_.size(); k-- > 0;)
        for (const auto& [j, share] : rows_[k].taken_off) of_rows[static_cast<std::size_t>(j)] -= share * of_rows[k];
    return of_rows;
}

}  // namespace halvo
