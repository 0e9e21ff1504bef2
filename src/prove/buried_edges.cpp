// Free edges that end inside their own solid: where the sheet should have gone on to something, or something should have met it.
#include "core/keys.hpp"
#include "geom/facet_tree.hpp"
#include "model/sheet_values.hpp"
#include "prove/mechanisms.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo {
namespace {

constexpr double past = 0.25;       // thicknesses, that are looked past the edge: where a sheet ends at air, that is past its rim
constexpr double least_long = 0.5;  // thicknesses: shorter edges are the ends of others

// Is there material of its own solid past most of the edge?
bool buried(const Model& model, const Body& body, const Sheet& s, const EdgeUse& u) {
    const Curve& c = model.edges[u.edge.index()].curve;
    const auto beyond = past_edge(s.chart, c, u.reversed, past * s.field.at(s.chart, s.chart.local2(c.middle())));
    return std::count_if(beyond.begin(), beyond.end(), [&](const Vec3& p) { return body.tree->encloses(p); }) >= most_past_edge;
}

}  // namespace

std::vector<Finding> buried_edge_findings(const Model& model, const Assembly& solids) {
    std::vector<Finding> out;
    KeySet keys;
    const auto uses = sheets_at_edges(model);
    const std::vector<bool> held = held_edges(model);
    for (const Sheet& s : model.sheets) {
        if (s.body < 0 || s.placed) continue;
        const Body& body = solids.bodies[static_cast<std::size_t>(s.body)];
        if (!body.tree) continue;
        double sum = 0, longest = 0;
        Vec3 place = Vec3::Zero();
        for (const Region& r : s.regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) {
                    const auto& use = uses[u.edge.index()];
                    const double length = model.length(u.edge);
                    if (use.size() != 1 || use[0].sides != 1 || held[u.edge.index()] || length < least_long * s.thickness.min || !buried(model, body, s, u))
                        continue;
                    sum += length;
                    if (length > longest) longest = length, place = model.edges[u.edge.index()].curve.middle();
                }
        if (sum == 0) continue;
        out.push_back({keys.unique(make_key("finding", "buried edge " + s.key, {})),
                       "edge inside the solid",
                       fmt::format("{}: {:.1f} mm of free edge of a sheet {:.2f} mm thick end inside the solid, and nothing meets them there", body.name, sum,
                                   s.thickness.mean),
                       "name the walls that should meet there with [[wall]], or join them with [[joint]] edge and to",
                       place,
                       sum,
                       body.name,
                       FindingLevel::warning,
                       -1,
                       {body.key, body.key}});
    }
    return out;
}

}  // namespace halvo
