// Free edges of sheets that stand within reach of another body's sheet: where a weld may have been missed though the bodies are joined
// elsewhere.
#include "core/keys.hpp"
#include "geom/box_tree.hpp"
#include "geom/outline.hpp"
#include "model/sheet_values.hpp"
#include "model/slab.hpp"
#include "prove/mechanisms.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr std::array<double, 5> shares{0.1, 0.3, 0.5, 0.7, 0.9};
constexpr int most_of = 4;  // of them near

class Searcher {
public:
    Searcher(const Model& model, double reach) : model_(model), reach_(reach), uses_(sheets_at_edges(model)), tree_(boxes()) { mark_joined(), find_joints(); }

    struct Near {
        std::size_t edge, sheet, other;
        double gap;
    };

    std::vector<Near> run() const {
        std::vector<Near> out;
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            if (uses_[e].size() != 1 || uses_[e][0].sides != 1 || joined_[e]) continue;
            const std::size_t own = uses_[e][0].sheet.index();
            const double length = model_.edges[e].curve.length();
            std::map<std::size_t, int> count;
            std::map<std::size_t, double> gaps;
            for (const double share : shares) {
                const Curve& c = model_.edges[e].curve;
                const Vec3 p = c.point(c.parameter_at(share));
                for (int k : tree_.touching(Box3(p))) {
                    const auto other = static_cast<std::size_t>(k);
                    if (other == own || model_.sheets[other].body == model_.sheets[own].body || shares_vertex(e, other)) continue;
                    if (length < std::max(model_.sheets[own].thickness.max, model_.sheets[other].thickness.max)) continue;  // no weld is that short
                    if (joined_beside(p, own, other)) continue;
                    if (const auto g = gap(p, own, other)) ++count[other], gaps[other] = std::max(gaps[other], *g);
                }
            }
            for (const auto& [other, n] : count)
                if (n >= most_of) {
                    out.push_back({e, own, other, gaps[other]});
                    break;
                }
        }
        return out;
    }

private:
    std::vector<Box3> boxes() {
        std::vector<Box3> out;
        for (const Sheet& s : model_.sheets) {
            Box3 b;
            for (const Region& r : s.regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) b.extend(model_.edges[u.edge.index()].curve.box());
                polygons_[&s].push_back({});
                auto loops = region_polygons(model_, s.chart, r, model_.tolerance.chord);
                polygons_[&s].back().assign(loops.begin(), loops.end());
            }
            const double more = s.thickness.max + reach_ + (s.chart.flat() || b.isEmpty() ? 0 : 0.5 * b.sizes().norm());
            if (!b.isEmpty()) b.min().array() -= more, b.max().array() += more;
            out.push_back(b);
        }
        return out;
    }

    void mark_joined() {
        joined_ = held_edges(model_);
        of_vertex_.resize(model_.vertices.size());
        for (std::size_t i = 0; i < model_.sheets.size(); ++i)
            for (const Region& r : model_.sheets[i].regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop)
                        for (VertexId v : model_.edges[u.edge.index()].vertices) of_vertex_[v.index()].insert(i);
                for (EdgeId e : r.embedded)
                    for (VertexId v : model_.edges[e.index()].vertices) of_vertex_[v.index()].insert(i);
                for (VertexId v : r.points) of_vertex_[v.index()].insert(i);
            }
        for (const Link& l : model_.links) {
            of_vertex_[l.a.index()].insert(of_vertex_[l.b.index()].begin(), of_vertex_[l.b.index()].end());
            of_vertex_[l.b.index()].insert(of_vertex_[l.a.index()].begin(), of_vertex_[l.a.index()].end());
        }
    }

    void find_joints() {
        for (std::size_t e = 0; e < uses_.size(); ++e)
            for (std::size_t i = 0; i < uses_[e].size(); ++i)
                for (std::size_t j = i + 1; j < uses_[e].size(); ++j)
                    if (uses_[e][i].sheet != uses_[e][j].sheet)
                        joints_[std::minmax(uses_[e][i].sheet.index(), uses_[e][j].sheet.index())].push_back(EdgeId(static_cast<int>(e)));
        for (const EdgeLink& l : model_.edge_links)
            for (const SheetAtEdge& a : uses_[l.a.index()])
                for (const SheetAtEdge& b : uses_[l.b.index()]) joints_[std::minmax(a.sheet.index(), b.sheet.index())].push_back(l.a);
        for (const Tie& t : model_.ties)
            for (EdgeId e : t.edges)
                for (const SheetAtEdge& a : uses_[e.index()]) joints_[std::minmax(a.sheet.index(), t.onto.index())].push_back(e);
    }

    // The edge ends where its sheet is joined to the other: it leads away from there.
    bool shares_vertex(std::size_t e, std::size_t other) const {
        return std::any_of(model_.edges[e].vertices.begin(), model_.edges[e].vertices.end(),
                           [&](VertexId v) { return of_vertex_[v.index()].count(other) > 0; });
    }

    // Are both sheets joined to each other there already? What lies on another skin has its own rim linked or tied, not the other's beside it;
    // and a border that runs along a joint, half a thickness off, needs none of its own.
    bool joined_beside(const Vec3& p, std::size_t own, std::size_t other) const {
        const auto it = joints_.find(std::minmax(own, other));
        if (it == joints_.end()) return false;
        const double within = 0.5 * (model_.sheets[own].thickness.max + model_.sheets[other].thickness.max) + reach_;
        return std::any_of(it->second.begin(), it->second.end(), [&](EdgeId e) {
            const Curve& c = model_.edges[e.index()].curve;
            return (c.point(c.nearest(p)) - p).norm() <= within;
        });
    }

    // Between the skins at a point of an edge: over the other's side or before its rim.
    std::optional<double> gap(const Vec3& p, std::size_t own, std::size_t other) const {
        const Sheet &a = model_.sheets[own], &b = model_.sheets[other];
        const SlabPlace in = slab_place(b, p);
        if (std::abs(in.height) > b.thickness.max + a.thickness.max + reach_) return std::nullopt;
        const double above = skin_gap(a, p, in);
        if (above > reach_) return std::nullopt;
        for (const auto& loops : polygons_.at(&b))
            if (inside(loops, in.at) || border_distance(loops, in.at) <= reach_) return std::max(0.0, above);
        return std::nullopt;
    }

    const Model& model_;
    double reach_;
    std::vector<std::vector<SheetAtEdge>> uses_;
    std::map<const Sheet*, std::vector<std::vector<std::vector<Vec2>>>> polygons_;
    BoxTree tree_;
    std::vector<bool> joined_;
    std::vector<std::set<std::size_t>> of_vertex_;
    std::map<std::pair<std::size_t, std::size_t>, std::vector<EdgeId>> joints_;  // of two sheets: edges of either
};

}  // namespace

std::vector<Finding> free_edge_findings(const Model& model, const Assembly& solids, double reach) {
    std::vector<Finding> out;
    KeySet keys;
    for (const auto& n : Searcher(model, reach).run()) {
        const Sheet &a = model.sheets[n.sheet], &b = model.sheets[n.other];
        const auto name = [&](const Sheet& s) { return s.body ? solids.bodies[s.body.index()].label : s.key; };
        const auto body_key = [&](const Sheet& s) { return s.body ? solids.bodies[s.body.index()].key : s.key; };
        const Curve& c = model.edges[n.edge].curve;
        out.push_back({keys.unique(make_key("finding", "free edge " + a.key + b.key, {c.length()})),
                       FindingKind::free_edge_within_reach,
                       fmt::format("a free edge of {} ({:.1f} mm) runs within {:.2f} mm of {} and is not joined to it", name(a), c.length(), n.gap, name(b)),
                       "join it with [[joint]] edge and to, or with [[tie]], if it is welded there",
                       c.middle(),
                       c.length(),
                       name(a) + " + " + name(b),
                       FindingLevel::note,
                       {},
                       {body_key(a), body_key(b)}});
    }
    return out;
}

}  // namespace halvo
