// Free edges that end inside their own solid: where the sheet should have gone on to something, or something should have met it.
#include "core/groups.hpp"
#include "core/keys.hpp"
#include "model/sheet_values.hpp"
#include "prove/mechanisms.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <numeric>

namespace halvo {
namespace {

constexpr double least_long = 1;  // thicknesses: shorter ones are where a border runs into the thickness of another sheet

// Free edges of a sheet that hang together and end in its solid.
struct Run {
    double length = 0, longest = 0;
    Vec3 place = Vec3::Zero();  // on the longest of them
};

// Does the edge go straight on from one that the sheet shares? There an overhang was cut all along its side, past the end of the joint.
bool goes_on_from_joint(const Model& model, const std::vector<std::vector<SheetAtEdge>>& uses, const Sheet& s, EdgeId edge) {
    constexpr double straight = 1e-3;
    const Edge& own = model.edges[edge.index()];
    if (!own.curve.is_line()) return false;
    const Vec3 d = (own.curve.end() - own.curve.start()).normalized();
    const auto goes_on = [&](EdgeId other) {
        const Edge& o = model.edges[other.index()];
        if (other == edge || uses[other.index()].size() < 2 || !o.curve.is_line()) return false;
        const bool touches = std::ranges::any_of(o.vertices, [&](VertexId v) { return v == own.vertices[0] || v == own.vertices[1]; });
        return touches && (o.curve.end() - o.curve.start()).normalized().cross(d).norm() < straight;
    };
    return std::ranges::any_of(s.regions, [&](const Region& r) {
        return std::ranges::any_of(r.loops, [&](const auto& loop) { return std::ranges::any_of(loop, [&](const EdgeUse& u) { return goes_on(u.edge); }); });
    });
}

std::vector<Run> buried_runs(const Model& model, const Body& body, const Sheet& s, const std::vector<EdgeUse>& free,
                             const std::vector<std::vector<SheetAtEdge>>& uses) {
    std::map<int, int> first;  // edge at each vertex
    std::vector<EdgeUse> edges;
    for (const EdgeUse& u : free)
        if (ends_in_solid(model, body, s, u) && !goes_on_from_joint(model, uses, s, u.edge)) edges.push_back(u);
    Groups groups(edges.size());
    for (std::size_t k = 0; k < edges.size(); ++k)
        for (VertexId v : model.edges[edges[k].edge.index()].vertices)
            groups.tie(static_cast<int>(k), first.try_emplace(v.value, static_cast<int>(k)).first->second);
    std::map<int, Run> runs;
    for (std::size_t k = 0; k < edges.size(); ++k) {
        Run& r = runs[groups.root(static_cast<int>(k))];
        const double length = model.length(edges[k].edge);
        r.length += length;
        if (length > r.longest) r.longest = length, r.place = model.edges[edges[k].edge.index()].curve.middle();
    }
    std::vector<Run> out;
    for (const auto& [root, r] : runs)
        if (r.length > least_long * s.thickness.max) out.push_back(r);
    return out;
}

}  // namespace

std::vector<Finding> buried_edge_findings(const Model& model, const Assembly& solids) {
    std::vector<Finding> out;
    KeySet keys;
    const auto uses = sheets_at_edges(model);
    const std::vector<bool> held = held_edges(model);
    for (const Sheet& s : model.sheets) {
        if (!s.body || s.placed) continue;
        const Body& body = solids.bodies[s.body.index()];
        if (!body.tree) continue;
        std::vector<EdgeUse> free;
        for (const Region& r : s.regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop)
                    if (const auto& use = uses[u.edge.index()]; use.size() == 1 && use[0].sides == 1 && !held[u.edge.index()]) free.push_back(u);
        const auto runs = buried_runs(model, body, s, free, uses);
        if (runs.empty()) continue;
        const double sum = std::accumulate(runs.begin(), runs.end(), 0.0, [](double l, const Run& r) { return l + r.length; });
        const Vec3 place = std::max_element(runs.begin(), runs.end(), [](const Run& x, const Run& y) { return x.length < y.length; })->place;
        out.push_back({keys.unique(make_key("finding", "buried edge " + s.key, {})),
                       FindingKind::edge_inside_the_solid,
                       fmt::format("{}: {:.1f} mm of free edge of a sheet {:.2f} mm thick end inside the solid, and nothing meets them there", body.label, sum,
                                   s.thickness.mean),
                       "name the walls that should meet there with [[wall]], or join them with [[joint]] edge and to",
                       place,
                       sum,
                       body.label,
                       FindingLevel::warning,
                       {},
                       {body.key, body.key}});
    }
    return out;
}

}  // namespace halvo
