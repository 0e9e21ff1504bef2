#include "solve/matrix.hpp"

#include "core/index.hpp"
#include "core/parallel.hpp"

#include <algorithm>
#include <span>

namespace halvo {

Unknowns unknowns_of(const Structure& s, const Elimination& elimination) {
    std::vector<char> held(6 * s.nodes.size(), 0);  // by stiffness, or by what follows it
    const auto hold = [&](std::int32_t n, std::int64_t movements = 6) {
        for (std::int64_t k = 0; k < movements; ++k) {
            const std::int64_t m = 6 * std::int64_t{n} + k;
            held[ix(m)] = 1;
            if (const auto* e = elimination.of(m))
                for (const auto& [other, f] : e->terms) held[ix(other)] = 1;
        }
    };
    for (const ShellPart& p : s.shells)
        for (int k = 0; k < p.count(); ++k) hold(p.nodes[ix(k)]);
    for (const BeamPart& p : s.beams)
        for (const std::int32_t n : p.nodes) hold(n);
    for (const GroundSpring& p : s.springs) hold(p.node);
    for (const SolidPart& p : s.solids)
        for (const std::int32_t n : p.nodes) hold(n, 3);
    Unknowns u;
    u.number.assign(held.size(), -1);
    for (std::size_t m = 0; m < held.size(); ++m) {
        if (!held[m] || elimination.of(static_cast<std::int64_t>(m))) continue;
        u.number[m] = static_cast<std::int64_t>(u.movement.size());
        u.movement.push_back(static_cast<std::int64_t>(m)), u.node.push_back(static_cast<std::int32_t>(m / 6));
    }
    return u;
}

Reduction reduction_of(std::span<const std::int32_t> nodes, const Unknowns& unknowns, const Elimination& elimination) {
    Reduction r;
    bool direct = true;
    for (const std::int32_t n : nodes)
        for (std::int64_t k = 0; k < 6; ++k) {
            const std::int64_t m = 6 * std::int64_t{n} + k;
            const auto* e = elimination.of(m);
            direct = direct && !e;
            if (!e && unknowns.number[ix(m)] >= 0) r.unknowns.push_back(unknowns.number[ix(m)]);
            r.direct.push_back(e ? -1 : unknowns.number[ix(m)]);
            if (e)
                for (const auto& [other, f] : e->terms) r.unknowns.push_back(unknowns.number[ix(other)]);
        }
    std::sort(r.unknowns.begin(), r.unknowns.end());
    r.unknowns.erase(std::unique(r.unknowns.begin(), r.unknowns.end()), r.unknowns.end());
    if (direct) return r;
    r.direct.clear();
    r.matrix = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(6 * nodes.size()), static_cast<Eigen::Index>(r.unknowns.size()));
    const auto column = [&](std::int64_t u) { return std::lower_bound(r.unknowns.begin(), r.unknowns.end(), u) - r.unknowns.begin(); };
    Eigen::Index row = 0;
    for (const std::int32_t n : nodes)
        for (std::int64_t k = 0; k < 6; ++k, ++row) {
            const std::int64_t m = 6 * std::int64_t{n} + k;
            if (const auto* e = elimination.of(m)) {
                for (const auto& [other, f] : e->terms) r.matrix(row, column(unknowns.number[ix(other)])) += f;
                for (const auto& [equation, f] : e->values) r.values.emplace_back(row, equation, f);
            } else if (unknowns.number[ix(m)] >= 0) {
                r.matrix(row, column(unknowns.number[ix(m)])) = 1;
            }
        }
    return r;
}

Assembler::Assembler(std::size_t elements, const std::function<std::vector<std::int32_t>(std::size_t)>& nodes_of, const Unknowns& unknowns,
                     const Elimination& elimination)
    : reductions_(elements), node_(unknowns.node) {
    parallel_for(elements, [&](std::size_t e) { reductions_[e] = reduction_of(nodes_of(e), unknowns, elimination); });
    // Neighbours of each node by the elements they share; all unknowns of two such nodes meet.
    const std::size_t n = node_.empty() ? 0 : static_cast<std::size_t>(node_.back()) + 1;
    std::vector<std::vector<std::int32_t>> of_element(elements);
    std::vector<std::vector<std::uint32_t>> at_node(n);
    for (std::size_t e = 0; e < elements; ++e) {
        auto& list = of_element[e];
        for (const std::int64_t u : reductions_[e].unknowns)
            if (list.empty() || list.back() != node_[ix(u)]) list.push_back(node_[ix(u)]);
        for (const std::int32_t k : list) at_node[ix(k)].push_back(static_cast<std::uint32_t>(e));
    }
    std::vector<std::int64_t> first(n + 1, 0);
    for (const std::int32_t k : node_) ++first[ix(k) + 1];
    for (std::size_t k = 0; k < n; ++k) first[k + 1] += first[k];
    std::vector<std::vector<std::int32_t>> later(n);
    parallel_for(n, [&](std::size_t k) {
        auto& list = later[k];
        for (const std::uint32_t e : at_node[k])
            for (const std::int32_t other : of_element[e])
                if (ix(other) > k) list.push_back(other);
        std::sort(list.begin(), list.end());
        list.erase(std::unique(list.begin(), list.end()), list.end());
    });
    pattern_.size = static_cast<std::int64_t>(node_.size());
    pattern_.start.push_back(0);
    for (std::size_t k = 0; k < n; ++k)
        for (auto j = first[k]; j < first[k + 1]; ++j) {
            for (auto i = j; i < first[k + 1]; ++i) pattern_.row.push_back(i);
            for (const std::int32_t other : later[k])
                for (auto i = first[ix(other)]; i < first[ix(other) + 1]; ++i) pattern_.row.push_back(i);
            pattern_.start.push_back(static_cast<std::int64_t>(pattern_.row.size()));
        }
}

LowerMatrix Assembler::fill(const std::function<Eigen::MatrixXd(std::size_t)>& element) const {
    constexpr std::size_t at_once = 2048;  // matrices held in memory
    LowerMatrix m = pattern_;
    m.value.assign(m.row.size(), 0.0);
    std::vector<Eigen::MatrixXd> some(at_once);
    for (std::size_t from = 0; from < reductions_.size(); from += at_once) {
        const std::size_t count = std::min(at_once, reductions_.size() - from);
        parallel_for(count, [&](std::size_t i) {
            const Reduction& r = reductions_[from + i];
            some[i] = element(from + i);
            if (r.direct.empty()) some[i] = (r.matrix.transpose() * some[i] * r.matrix).eval();
        });
        for (std::size_t i = 0; i < count; ++i) add(m, reductions_[from + i], some[i]);
    }
    return m;
}

void Assembler::add(LowerMatrix& m, const Reduction& r, const Eigen::MatrixXd& k) const {
    // Where the movements are unknowns, rows of the element are in the order of its nodes.
    const std::vector<std::int64_t>& rows = r.direct.empty() ? r.unknowns : r.direct;
    for (std::size_t j = 0; j < rows.size(); ++j) {
        const std::int64_t column = rows[j];
        if (column < 0) continue;
        const auto begin = m.row.begin() + m.start[ix(column)], end = m.row.begin() + m.start[ix(column) + 1];
        auto at = begin;
        std::int64_t last = -2;
        for (std::size_t i = 0; i < rows.size(); ++i) {
            if (rows[i] < column) continue;
            // Rows of one node follow each other.
            if (rows[i] == last + 1 && at + 1 != end && *(at + 1) == rows[i]) ++at;
            else at = std::lower_bound(begin, end, rows[i]);
            last = rows[i];
            m.value[static_cast<std::size_t>(at - m.row.begin())] += k(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j));
        }
    }
}

}  // namespace halvo
