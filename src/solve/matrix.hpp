#pragma once
/// Stiffness and mass of a structure over the movements that stay when its equations are eliminated.

#include "solve/elimination.hpp"
#include "solve/factor.hpp"

#include <functional>
#include <span>
#include <tuple>

namespace halvo {

/// What stays free, numbered node by node.
struct Unknowns {
    std::vector<std::int64_t> number;  ///< of each movement; -1: given up, or nothing holds it
    std::vector<std::int64_t> movement;
    std::vector<std::int32_t> node;  ///< of each unknown
};
[[nodiscard]] Unknowns unknowns_of(const Structure& structure, const Elimination& elimination);

/// How the movements of some nodes follow from unknowns: one matrix times these, plus what equations ask for.
struct Reduction {
    std::vector<std::int64_t> unknowns;                                  ///< rising
    Eigen::MatrixXd matrix;                                              ///< 6 rows a node; empty where the movements are unknowns themselves
    std::vector<std::int64_t> direct;                                    ///< then: the unknown of each movement
    std::vector<std::tuple<Eigen::Index, std::int32_t, double>> values;  ///< row, equation, factor
};
[[nodiscard]] Reduction reduction_of(std::span<const std::int32_t> nodes, const Unknowns& unknowns, const Elimination& elimination);

/// Pattern over all elements; then filled with one matrix an element.
class Assembler {
public:
    Assembler(std::size_t elements, const std::function<std::vector<std::int32_t>(std::size_t)>& nodes_of, const Unknowns& unknowns,
              const Elimination& elimination);
    /// `element(i)` is called from several threads; sums run in the order of elements.
    [[nodiscard]] LowerMatrix fill(const std::function<Eigen::MatrixXd(std::size_t)>& element) const;
    [[nodiscard]] const LowerMatrix& pattern() const { return pattern_; }  ///< without values
    [[nodiscard]] const Reduction& reduction(std::size_t element) const { return reductions_[element]; }

private:
    void add(LowerMatrix& m, const Reduction& r, const Eigen::MatrixXd& k) const;

    std::vector<Reduction> reductions_;
    std::vector<std::int32_t> node_;
    LowerMatrix pattern_;
};

}  // namespace halvo
