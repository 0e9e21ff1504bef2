#pragma once
#include <halvo/mesh.hpp>

namespace halvo {

/// A model in which edges that go on in each other are one.
struct LongEdges {
    Model model;
    std::vector<EdgeId> first;  ///< for each of its edges, one of those in the model it was made from
};

/// Takes edges together where nothing but these two meets and the outline turns by no more than `options.feature`, or runs on smoothly
/// in a piece that is short against the elements. Nothing where there is no such place.
[[nodiscard]] std::optional<LongEdges> without_idle_vertices(const Model& model, const MeshOptions& options);

/// Edges that members, links, ties and couplings run along or, if asked, that lie inside a region, and vertices that something hangs on.
struct Held {
    std::vector<bool> edges;
    std::vector<int> vertices;
};
[[nodiscard]] Held held_by_others(const Model& model, bool lines_inside = true);

}  // namespace halvo
