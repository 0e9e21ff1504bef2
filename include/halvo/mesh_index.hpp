#pragma once
/// Nodes and elements of what a model is made of: for loads, supports and probes.

#include <halvo/mesh.hpp>

namespace halvo {

/// Refers to both; to be made anew when one of them changes. Made from the places of the nodes, so it also serves meshes that come from a file.
class MeshIndex {
public:
    MeshIndex(const Model& model, const Mesh& mesh);

    /// None where the mesh has no node of its own there: a vertex that an outline runs on past, or one that nothing meshed has.
    [[nodiscard]] NodeId node_of(VertexId v) const { return vertex_[v.index()]; }
    /// From the start of the edge to its end, in the sense of use. An edge that is part of a longer one for the mesh has the nodes that lie on it.
    [[nodiscard]] std::vector<NodeId> nodes_along(const EdgeUse& use) const;
    [[nodiscard]] std::vector<NodeId> nodes_of(SheetId s) const;
    [[nodiscard]] std::vector<NodeId> nodes_of(MemberId m) const;
    [[nodiscard]] std::vector<NodeId> nodes_of(BodyId b) const;
    /// All nodes of what is in a set.
    [[nodiscard]] std::vector<NodeId> nodes_of(const ModelSet& set) const;
    /// The node nearest to a place (in the model's own coordinates); none in a mesh without nodes.
    [[nodiscard]] NodeId node_next_to(const Vec3& p) const;

    /// Numbers in Mesh::elements, rising.
    [[nodiscard]] const std::vector<std::size_t>& elements_of(SheetId s) const { return of_sheet_[s.index()]; }
    [[nodiscard]] const std::vector<std::size_t>& elements_of(MemberId m) const { return of_member_[m.index()]; }
    [[nodiscard]] std::vector<std::size_t> elements_of(BodyId b) const;
    [[nodiscard]] std::vector<std::size_t> elements_of(const ModelSet& set) const;
    [[nodiscard]] const std::vector<std::size_t>& elements_at(NodeId n) const { return at_node_[n.index()]; }

private:
    [[nodiscard]] std::vector<NodeId> nodes_of(const std::vector<std::size_t>& elements) const;
    const Model& model_;
    const Mesh& mesh_;
    std::vector<std::vector<std::size_t>> of_sheet_, of_member_, at_node_;
    std::vector<NodeId> vertex_;
    std::vector<std::vector<NodeId>> along_;
};

}  // namespace halvo
