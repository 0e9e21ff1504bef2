// Pieces of a body's walls that nothing joins to the rest of it and that are no walls of their own: narrower than thick.
#include "join/steps.hpp"
#include "model/renumber.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace halvo {
namespace {

constexpr double most_area = 4;     // thicknesses squared
constexpr double most_width = 0.6;  // thicknesses
constexpr double most_share = 0.1;  // of the area of its body's sheets

struct Part {
    std::vector<std::size_t> sheets;
    double area = 0, outline = 0, thickness = 0;
    BodyId body;
    bool held = false;  ///< by links, ties, couplings or members, or it is of several bodies
};

std::map<int, Part> parts_of(const Model& model) {
    const Parts parts = connected_parts(model);
    const auto sides = sides_at_edges(model);
    const auto held = held_edges(model);
    std::map<int, Part> out;
    for (std::size_t s = 0; s < model.sheets.size(); ++s) {
        const Sheet& sheet = model.sheets[s];
        Part& p = out[parts.of_sheet[s]];
        p.held = p.held || (!p.sheets.empty() && p.body != sheet.body);
        p.body = sheet.body;
        p.sheets.push_back(s);
        p.area += sheet.area(), p.thickness = std::max(p.thickness, sheet.thickness.max);
        for (const Region& r : sheet.regions) {
            p.held = p.held || !r.points.empty();
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) {
                    p.held = p.held || held[u.edge.index()];
                    if (sides[u.edge.index()] == 1) p.outline += model.length(u.edge);
                }
        }
    }
    return out;
}

}  // namespace

void drop_stray_parts(Model& model, const Assembly& solids) {
    const auto parts = parts_of(model);
    if (parts.size() < 2) return;
    std::map<BodyId, double> of_body;
    for (const Sheet& s : model.sheets) of_body[s.body] += s.area();
    Renumbering change(model);
    bool any = false;
    for (const auto& [number, p] : parts) {
        if (p.held || !p.body || p.area > most_share * of_body[p.body]) continue;
        if (p.area > most_area * p.thickness * p.thickness || 2 * p.area > most_width * p.thickness * p.outline) continue;
        const Body& body = solids.bodies[p.body.index()];
        const Sheet& first = model.sheets[p.sheets[0]];
        model.ledger.push_back(
            {"stray-" + first.key, "join", EntryKind::stray, EntryState::applied,
             fmt::format("{}: a piece {:.2f} mm thick and narrower, {:.3g} mm2, that nothing joins is dropped", body.label, p.thickness, p.area), p.area,
             first.chart.plane().origin, body.label});
        for (std::size_t s : p.sheets) change.goes[s] = any = true;
    }
    if (any) renumber(model, change);
}

}  // namespace halvo
