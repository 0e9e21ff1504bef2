#pragma once
/// Who is beside whom in a model, worked out once: what walks over a model, sets and supports are built on.

#include <halvo/model.hpp>

namespace halvo {

/// How many sheet sides meet at an edge.
enum class EdgeKind { line, free, shared, tee, cross };
[[nodiscard]] const char* edge_kind_name(EdgeKind kind);

/// A sheet or another beside a sheet, and the edge they have in common.
struct SheetNeighbour {
    SheetId sheet;
    EdgeId edge;
};

/// Refers to the model; to be made anew when that changes. All lists are in rising order of ids unless said.
class Topology {
public:
    explicit Topology(const Model& model);

    [[nodiscard]] const std::vector<EdgeId>& edges_at(VertexId v) const { return edges_at_[v.index()]; }
    [[nodiscard]] const std::vector<SheetAtEdge>& sheets_at(EdgeId e) const { return sheets_at_[e.index()]; }
    [[nodiscard]] const std::vector<MemberId>& members_at(EdgeId e) const { return members_at_[e.index()]; }
    /// By edges that end there, and as points inside.
    [[nodiscard]] std::vector<SheetId> sheets_at(VertexId v) const;
    [[nodiscard]] std::vector<MemberId> members_at(VertexId v) const;

    [[nodiscard]] EdgeKind kind(EdgeId e) const;
    /// Edges that a sheet is bounded by or has inside.
    [[nodiscard]] const std::vector<EdgeId>& edges_of(SheetId s) const { return edges_of_[s.index()]; }
    [[nodiscard]] std::vector<EdgeId> edges_of(SheetId s, EdgeKind kind) const;
    /// Sheets that share edges with a sheet, by edge.
    [[nodiscard]] std::vector<SheetNeighbour> neighbours(SheetId s) const;
    /// Edges of one kind on the sheet's borders that follow each other, in the sense of its loops; a chain that closes starts anywhere.
    [[nodiscard]] std::vector<std::vector<EdgeUse>> boundary_chains(SheetId s, EdgeKind kind) const;

private:
    const Model& model_;
    std::vector<std::vector<EdgeId>> edges_at_, edges_of_;
    std::vector<std::vector<SheetAtEdge>> sheets_at_;
    std::vector<std::vector<MemberId>> members_at_;
    std::vector<std::vector<SheetId>> inside_at_;  // sheets that have a vertex as a point inside
};

}  // namespace halvo
