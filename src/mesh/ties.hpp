#pragma once
#include <halvo/mesh.hpp>

namespace halvo {

/// Nodes of tied edges with the element of the sheet that each lies over. `on_edge` gives the nodes of a model edge.
[[nodiscard]] std::vector<TiedNode> tied_nodes(const Model& model, const Mesh& mesh, const std::vector<std::vector<int>>& on_edge);

}  // namespace halvo
