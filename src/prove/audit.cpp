#include "prove/audit.hpp"

#include "core/keys.hpp"

#include <fmt/format.h>

#include <set>

namespace halvo {

std::vector<Finding> hanging_findings(const Model& model, const Assembly& solids) {
    // Who uses each vertex and edge: sheets by number; members, which hold a sheet with all of their section, and couplings; links.
    constexpr int other = -1, link = -2;
    std::vector<std::set<int>> at_vertex(model.vertices.size()), at_edge(model.edges.size());
    const auto use = [&](EdgeId e, int who) {
        at_edge[e.index()].insert(who);
        for (VertexId v : model.edges[e.index()].vertices) at_vertex[v.index()].insert(who);
    };
    for (std::size_t i = 0; i < model.sheets.size(); ++i)
        for (const Region& r : model.sheets[i].regions) {
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) use(u.edge, static_cast<int>(i));
            for (EdgeId e : r.embedded) use(e, static_cast<int>(i));
            for (VertexId v : r.points) at_vertex[v.index()].insert(static_cast<int>(i));
        }
    for (const Member& m : model.members)
        for (const EdgeUse& u : m.chain) use(u.edge, other);
    for (const Link& l : model.links) at_vertex[l.a.index()].insert(link), at_vertex[l.b.index()].insert(link);
    for (const EdgeLink& l : model.edge_links) use(l.a, link), use(l.b, link);
    for (const Coupling& c : model.couplings) {
        for (EdgeId e : c.edges) use(e, other);
        for (VertexId v : c.vertices) at_vertex[v.index()].insert(other);
    }
    std::vector<std::set<std::size_t>> held(model.sheets.size());
    std::vector<bool> along(model.sheets.size(), false);
    for (std::size_t v = 0; v < at_vertex.size(); ++v)
        if (at_vertex[v].size() > 1)
            for (int s : at_vertex[v])
                if (s >= 0) held[static_cast<std::size_t>(s)].insert(v);
    for (const auto& users : at_edge)
        if (users.size() > 1)
            for (int s : users)
                if (s >= 0) along[static_cast<std::size_t>(s)] = true;
    std::vector<Finding> out;
    for (std::size_t i = 0; i < model.sheets.size(); ++i) {
        if (along[i] || held[i].size() != 1 || at_vertex[*held[i].begin()].count(other)) continue;
        const Sheet& s = model.sheets[i];
        const Body* body = s.body ? &solids.bodies[s.body.index()] : nullptr;
        out.push_back({make_key("finding", "hangs " + s.key, {}), FindingKind::hangs_on_by_point,
                       fmt::format("{} of {} is held at one point only", s.key, body ? body->label : ""),
                       "a weld or contact along an edge may be missing there; raise join.reach, or check the parts", model.vertices[*held[i].begin()].point, 0,
                       body ? body->label : ""});
    }
    return out;
}

}  // namespace halvo
