#pragma once
/// Where nodes stand along edges whose wanted element size varies.

#include <halvo/model.hpp>

#include <map>

namespace halvo {

/// Sizes along an edge vary where a finer sheet ends at one of its ends, and where a point or the end of a line inside a region stands beside
/// it: there one node is to be next to it, and finer ones round that where it is nearer than about half an element, or triangles between
/// would be flat. Away from there elements grow by `growth` each.
class EdgeGrading {
public:
    /// `sizes`: wanted of each edge by itself. Edges that are `even` keep evenly spaced nodes; things beside `round` ones (of holes, which have
    /// rows of elements) do not count.
    EdgeGrading(const Model& model, const std::vector<double>& sizes, const std::vector<bool>& even, const std::vector<bool>& round, double growth);

    /// Edges with sizes that vary, and the number of elements of the wanted sizes along each.
    [[nodiscard]] std::map<std::size_t, double> elements() const;
    /// Shares of the edge's length at which the inner nodes of `n` elements stand; empty where evenly.
    [[nodiscard]] std::vector<double> places(std::size_t edge, int n) const;

private:
    /// Something that stands beside an edge: the share of its length next to it, and how fine nodes should be there.
    struct Beside {
        double share, size;
    };
    void look_beside(const Model& model, const std::vector<double>& sizes, std::size_t edge, VertexId v);

    std::map<std::size_t, std::vector<Beside>> beside_;
    std::map<std::size_t, std::vector<double>> passed_;  // elements passed, at even steps of the edge's length
};

}  // namespace halvo
