#include "join/round_steps.hpp"

#include "core/groups.hpp"
#include "core/index.hpp"
#include "core/keys.hpp"
#include "model/arrangement.hpp"
#include "model/references.hpp"
#include "model/sheet_values.hpp"
#include "model/volumes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr double most_cost = 0.01;  // of a sheet's mass, that one radius for all of its pieces may be off

// Regions of a sheet that hang together over edges at which its thickness does not jump, and where their middle is.
struct Piece {
    std::vector<std::size_t> regions;
    double area = 0, height = 0, thickness = 0;  // height of the middle over the sheet, by area
    double cost = 0;                             // share of mass that lying off its middle takes or adds
};

class RoundSteps {
public:
    explicit RoundSteps(Model& model) : model_(model) {}

    std::map<std::size_t, double> run() {
        const std::size_t n = model_.sheets.size();
        for (std::size_t s = 0; s < n; ++s) {
            const Sheet& sheet = model_.sheets[s];
            if (sheet.chart.flat() || sheet.placed || sheet.reference != Reference::middle || sheet.regions.size() < 2) continue;
            const auto pieces = pieces_of(sheet);
            if (pieces.size() < 2 || !worth_it(pieces)) continue;
            std::vector<std::set<VertexId>> at_steps;
            if (can_part(s, pieces, at_steps)) part(s, pieces, at_steps);
        }
        return std::move(heights_);
    }

private:
    template <class Visit>
    void each_use(const Region& r, const Visit& visit) const {
        for (const auto& loop : r.loops)
            for (const EdgeUse& u : loop) visit(u.edge);
    }

    std::vector<Piece> pieces_of(const Sheet& sheet) const {
        Groups groups(sheet.regions.size());
        std::map<EdgeId, std::size_t> first;
        for (std::size_t r = 0; r < sheet.regions.size(); ++r)
            each_use(sheet.regions[r], [&](EdgeId e) {
                if (model_.edges[e.index()].step) return;
                const auto [it, is_new] = first.try_emplace(e, r);
                if (!is_new) groups.tie(static_cast<int>(r), static_cast<int>(it->second));
            });
        std::map<int, Piece> by_root;
        for (std::size_t r = 0; r < sheet.regions.size(); ++r) by_root[groups.root(static_cast<int>(r))].regions.push_back(r);
        std::vector<Piece> out;
        for (auto& [root, piece] : by_root) {
            measure(sheet, piece);
            out.push_back(std::move(piece));
        }
        std::stable_sort(out.begin(), out.end(), [](const Piece& a, const Piece& b) { return a.area > b.area * (1 + 1e-9); });
        return out;
    }

    void measure(const Sheet& sheet, Piece& piece) const {
        for (const std::size_t r : piece.regions)
            for (const AreaSample& a : spread_inside(region_polygons(model_, sheet.chart, sheet.regions[r], model_.tolerance.chord), 40)) {
                const auto sides = sheet.field.sides(sheet.chart, a.point);
                const double grown = area_at_height(sheet.chart, sheet.chart.at(a.point), sides.offset(), 0.05 * sides.thickness());
                piece.area += a.area, piece.height += a.area * sides.offset(), piece.thickness += a.area * sides.thickness();
                piece.cost += a.area * sides.thickness() * std::abs(grown - 1);
            }
        piece.height /= piece.area, piece.cost /= piece.thickness, piece.thickness /= piece.area;
    }

    static bool worth_it(const std::vector<Piece>& pieces) {
        double cost = 0, mass = 0;
        for (const Piece& p : pieces) cost += p.cost * p.area * p.thickness, mass += p.area * p.thickness;
        return cost > most_cost * mass;
    }

    // Steps that nothing else of the model ends at: else what ends there would have to be parted as well.
    bool can_part(std::size_t s, const std::vector<Piece>& pieces, std::vector<std::set<VertexId>>& at_steps) const {
        const Sheet& sheet = model_.sheets[s];
        std::set<EdgeId> steps, own;
        for (const Region& r : sheet.regions) each_use(r, [&](EdgeId e) { (model_.edges[e.index()].step ? steps : own).insert(e); });
        std::set<VertexId> ends;
        for (const EdgeId e : steps) ends.insert(model_.edges[e.index()].vertices.begin(), model_.edges[e.index()].vertices.end());
        bool free = true;
        const auto others_edge = [&](EdgeId e) {
            if (steps.count(e)) free = false;
            else if (!own.count(e))
                for (const VertexId v : model_.edges[e.index()].vertices) free = free && !ends.count(v);
        };
        for (std::size_t k = 0; k < model_.sheets.size(); ++k)
            for (const Region& r : model_.sheets[k].regions) {
                if (k != s) each_use(r, others_edge);
                for (const EdgeId e : r.embedded) others_edge(e);
            }
        for (const Member& m : model_.members)
            for (const EdgeUse& u : m.chain) others_edge(u.edge);
        for (const EdgeLink& l : model_.edge_links) others_edge(l.a), others_edge(l.b);
        for (const Tie& t : model_.ties)
            for (const EdgeId e : t.edges) others_edge(e);
        for (const Coupling& c : model_.couplings) {
            for (const EdgeId e : c.edges) others_edge(e);
            for (const VertexId v : c.vertices) free = free && !ends.count(v);
        }
        for (const Link& l : model_.links) free = free && !ends.count(l.a) && !ends.count(l.b);
        at_steps.assign(pieces.size(), {});
        for (std::size_t p = 0; p < pieces.size(); ++p)
            for (const std::size_t r : pieces[p].regions)
                each_use(sheet.regions[r], [&](EdgeId e) {
                    if (steps.count(e)) at_steps[p].insert(model_.edges[e.index()].vertices.begin(), model_.edges[e.index()].vertices.end());
                });
        return free && !steps.empty();
    }

    // The largest piece keeps the sheet, its edges and vertices; the others get their own along the steps.
    void part(std::size_t s, const std::vector<Piece>& pieces, const std::vector<std::set<VertexId>>& at_steps) {
        const Sheet whole = model_.sheets[s];
        heights_[s] = pieces[0].height;
        std::set<EdgeId> taken;
        for (std::size_t p = 0; p < pieces.size(); ++p) {
            Sheet piece = whole;
            piece.regions.clear();
            for (const std::size_t r : pieces[p].regions) piece.regions.push_back(whole.regions[r]);
            if (p > 0) {
                own_border(piece, at_steps[p], taken);
                piece.key = fmt::format("{}-step{}", whole.key, p), piece.trimmed_area = 0;
            }
            for (const Region& r : piece.regions) each_use(r, [&](EdgeId e) { taken.insert(e); });
            fill_thickness(model_, piece);
            model_.ledger.push_back({"middle-" + piece.key, "join", EntryKind::step_in_radius, EntryState::applied,
                                     fmt::format("{}: {:.3f} mm thick, at its own middle {:+.3f} mm off the wall's, linked along the step", piece.key,
                                                 pieces[p].thickness, pieces[p].height),
                                     pieces[p].height, piece.chart.plane().origin, ""});
            if (p == 0) model_.sheets[s] = std::move(piece);
            else heights_[model_.sheets.size()] = pieces[p].height, model_.sheets.push_back(std::move(piece));
        }
    }

    void own_border(Sheet& piece, const std::set<VertexId>& ends, const std::set<EdgeId>& taken) {
        std::map<VertexId, VertexId> vertex;
        for (const VertexId v : ends) {
            vertex[v] = VertexId(model_.vertices.size());
            model_.vertices.push_back(model_.vertices[v.index()]);
        }
        std::map<EdgeId, EdgeId> edge;
        const auto moved = [&](VertexId v) { return vertex.count(v) ? vertex.at(v) : v; };
        for (Region& r : piece.regions)
            for (auto& loop : r.loops)
                for (EdgeUse& u : loop) {
                    if (const auto it = edge.find(u.edge); it != edge.end()) {
                        u.edge = it->second;
                    } else if (taken.count(u.edge)) {
                        Edge own = model_.edges[u.edge.index()];
                        for (VertexId& v : own.vertices) v = moved(v);
                        edge[u.edge] = EdgeId(model_.edges.size());
                        model_.edge_links.push_back({u.edge, EdgeId(model_.edges.size()), false, {}});
                        model_.edges.push_back(std::move(own));
                        u.edge = edge.at(u.edge);
                    } else {
                        for (VertexId& v : model_.edges[u.edge.index()].vertices) v = moved(v);
                    }
                }
    }

    Model& model_;
    std::map<std::size_t, double> heights_;
};

}  // namespace

std::map<std::size_t, double> part_round_steps(Model& model) {
    return RoundSteps(model).run();
}

}  // namespace halvo
