#include <halvo/topology.hpp>

#include <algorithm>
#include <set>

namespace halvo {

const char* edge_kind_name(EdgeKind kind) {
    constexpr const char* names[] = {"line", "free", "shared", "tee", "cross"};
    return names[static_cast<std::size_t>(kind)];
}

Topology::Topology(const Model& model)
    : model_(model),
      edges_at_(model.vertices.size()),
      edges_of_(model.sheets.size()),
      sheets_at_(sheets_at_edges(model)),
      members_at_(model.edges.size()),
      inside_at_(model.vertices.size()) {
    for (std::size_t e = 0; e < model.edges.size(); ++e) {
        const auto& ends = model.edges[e].vertices;
        edges_at_[ends[0].index()].emplace_back(e);
        if (ends[1] != ends[0]) edges_at_[ends[1].index()].emplace_back(e);
        for (const SheetAtEdge& s : sheets_at_[e]) edges_of_[s.sheet.index()].emplace_back(e);
    }
    for (std::size_t m = 0; m < model.members.size(); ++m)
        for (const EdgeUse& u : model.members[m].chain) members_at_[u.edge.index()].emplace_back(m);
    for (std::size_t s = 0; s < model.sheets.size(); ++s)
        for (const Region& r : model.sheets[s].regions)
            for (const VertexId v : r.points) inside_at_[v.index()].emplace_back(s);
}

std::vector<SheetId> Topology::sheets_at(VertexId v) const {
    std::set<SheetId> out(inside_at_[v.index()].begin(), inside_at_[v.index()].end());
    for (const EdgeId e : edges_at(v))
        for (const SheetAtEdge& s : sheets_at(e)) out.insert(s.sheet);
    return {out.begin(), out.end()};
}

std::vector<MemberId> Topology::members_at(VertexId v) const {
    std::set<MemberId> out;
    for (const EdgeId e : edges_at(v)) out.insert(members_at(e).begin(), members_at(e).end());
    return {out.begin(), out.end()};
}

EdgeKind Topology::kind(EdgeId e) const {
    int sides = 0;
    for (const SheetAtEdge& s : sheets_at(e)) sides += s.sides;
    return sides == 0 ? EdgeKind::line : sides == 1 ? EdgeKind::free : sides == 2 ? EdgeKind::shared : sides == 3 ? EdgeKind::tee : EdgeKind::cross;
}

std::vector<EdgeId> Topology::edges_of(SheetId s, EdgeKind wanted) const {
    std::vector<EdgeId> out;
    for (const EdgeId e : edges_of(s))
        if (kind(e) == wanted) out.push_back(e);
    return out;
}

std::vector<SheetNeighbour> Topology::neighbours(SheetId s) const {
    std::vector<SheetNeighbour> out;
    for (const EdgeId e : edges_of(s))
        for (const SheetAtEdge& other : sheets_at(e))
            if (other.sheet != s) out.push_back({other.sheet, e});
    return out;
}

std::vector<std::vector<EdgeUse>> Topology::boundary_chains(SheetId s, EdgeKind wanted) const {
    std::vector<std::vector<EdgeUse>> out;
    for (const Region& r : model_.sheets[s.index()].regions)
        for (const auto& loop : r.loops) {
            // From an edge of another kind on, so that no chain is cut where the loop happens to start.
            const auto other = std::find_if(loop.begin(), loop.end(), [&](const EdgeUse& u) { return kind(u.edge) != wanted; });
            const std::size_t from = other == loop.end() ? 0 : static_cast<std::size_t>(other - loop.begin());
            bool open = false;
            for (std::size_t k = 0; k < loop.size(); ++k) {
                const EdgeUse& u = loop[(from + k) % loop.size()];
                if (kind(u.edge) != wanted) {
                    open = false;
                    continue;
                }
                if (!open) out.emplace_back();
                out.back().push_back(u);
                open = true;
            }
        }
    return out;
}

}  // namespace halvo
