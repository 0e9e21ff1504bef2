#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// What becomes of the vertices, edges and sheets of a model.
struct Renumbering {
    std::vector<VertexId> vertices;            ///< each: itself, or the one that it becomes
    std::vector<EdgeUse> edges;                ///< each: itself, or the one that it becomes and how that runs; none where it shrinks to a point
    std::vector<bool> goes;                    ///< each sheet: is nothing left of it?
    explicit Renumbering(const Model& model);  ///< all stay what they are
};

/// Whatever refers to what changes is led to what it becomes; loops, chains, ties and couplings lose edges that shrink to points, regions without
/// edges go; what nothing uses any more goes, and the rest is numbered anew.
void renumber(Model& model, const Renumbering& change);

/// Parts an edge that no link, tie, member or coupling holds at a share of its curve's parameter: the first part keeps the number. Gives the
/// second one.
EdgeId split_edge(Model& model, EdgeId edge, double share);

}  // namespace halvo
