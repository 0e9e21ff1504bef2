#include "join/start_at_skin.hpp"

#include "geom/foot_curve.hpp"
#include "model/arrangement.hpp"
#include "model/renumber.hpp"
#include "model/sheet_values.hpp"
#include "model/slab.hpp"

#include <halvo/ledger.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>
#include <set>

namespace halvo {
namespace {

constexpr double least_sine = 0.3;  // of the angle between a rib and what it stands on: flatter ones are no ribs
constexpr double most_lost = 0.5;   // of a neighbouring edge's length, that may lie in the thickness
constexpr int places = 12;          // along a curved edge

class Skins {
public:
    explicit Skins(Model& model) : model_(model), held_(held_edges(model)) {}

    std::vector<std::string> run() {
        std::vector<std::string> moved;
        find_ends();
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            double lost = 0;
            for (std::size_t r = 0; r < model_.sheets[s].regions.size(); ++r) lost += move(s, r);
            if (lost <= 0) continue;
            Sheet& sheet = model_.sheets[s];
            moved.push_back(sheet.key);
            model_.ledger.push_back(
                {"start-" + sheet.key, "join", EntryKind::start_at_skin, EntryState::applied,
                 fmt::format("{}: starts at the skin of what it stands on, {:.1f} mm2 of it in the thickness there left out", sheet.key, lost), lost,
                 sheet.chart.plane().origin, ""});
        }
        if (!ends_.empty()) renumber(model_, Renumbering(model_));  // parts of edges and vertices that nothing uses any more go
        return moved;
    }

private:
    // An edge at which a sheet ends in the middle of another: that one, and on which of its sides the rib stands.
    struct End {
        std::size_t onto;
        bool above;
    };

    const Edge& edge(EdgeId e) const { return model_.edges[e.index()]; }

    void find_ends() {
        const auto at = sheets_at_edges(model_);
        for (std::size_t e = 0; e < at.size(); ++e) {
            std::vector<std::size_t> through, ribs;
            for (const SheetAtEdge& u : at[e]) (u.sides >= 2 ? through : ribs).push_back(u.sheet.index());
            if (through.size() != 1 || ribs.empty() || edge(EdgeId(e)).curve.length() <= 0) continue;
            for (const std::size_t rib : ribs)
                if (const auto end = end_of(rib, through[0], EdgeId(e))) ends_[{rib, EdgeId(e)}] = *end;
        }
    }

    std::optional<End> end_of(std::size_t rib, std::size_t onto, EdgeId e) const {
        const Sheet &r = model_.sheets[rib], &t = model_.sheets[onto];
        if (r.placed || t.placed) return std::nullopt;
        const Curve& c = edge(e).curve;
        const Vec3 p = c.middle(), into = away(rib, e);
        if (r.chart.normal(p).cross(t.chart.normal(p)).norm() < least_sine || into == Vec3::Zero()) return std::nullopt;
        return End{onto, into.dot(t.chart.normal(p)) > 0};
    }

    // From the middle of an edge into the rib's material.
    Vec3 away(std::size_t rib, EdgeId e) const {
        for (const Region& r : model_.sheets[rib].regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop)
                    if (u.edge == e) {
                        const Curve& c = edge(e).curve;
                        const Vec3 d = c.derivative(c.parameter_at(0.5)).normalized() * (u.reversed ? -1.0 : 1.0);
                        return model_.sheets[rib].chart.normal(c.middle()).cross(d);
                    }
        return Vec3::Zero();
    }

    // How far a point of the rib is above the skin it is to start at; negative within the thickness.
    double above_skin(const End& end, const Vec3& p) const {
        const SlabPlace at = slab_place(model_.sheets[end.onto], p);
        return end.above ? at.height - at.sides.up : -at.height - at.sides.down;
    }

    // From a point within the thickness along the rib to the skin.
    std::optional<Vec3> to_skin(const Sheet& rib, const End& end, Vec3 p) const {
        const double tol = model_.tolerance.point;
        for (int i = 0; i < 30; ++i) {
            const double h = above_skin(end, p);
            if (std::abs(h) <= 0.01 * tol) return p;
            const Vec3 up = model_.sheets[end.onto].chart.normal(p) * (end.above ? 1.0 : -1.0), n = rib.chart.normal(p);
            const Vec3 along = up - up.dot(n) * n;
            if (along.norm() < least_sine) return std::nullopt;
            p = rib.chart.foot(p - h / along.squaredNorm() * along);
        }
        return std::abs(above_skin(end, p)) <= 10 * tol ? std::optional(p) : std::nullopt;
    }

    // The corner that a rib has between two sheets: at the skins of both, each in turn.
    std::optional<Vec3> to_both(const Sheet& rib, const End& a, const End& b, Vec3 p) const {
        for (int i = 0; i < 60; ++i) {
            const auto q = to_skin(rib, a, p);
            const auto r = q ? to_skin(rib, b, *q) : std::nullopt;
            if (!r) return std::nullopt;
            if ((*r - p).norm() <= model_.tolerance.point) return r;
            p = *r;
        }
        return std::nullopt;
    }

    // Where an edge that leaves a vertex passes the skin, as a share of its curve; 0 and 1 are its ends.
    std::optional<double> passes_skin(const End& end, EdgeId e, VertexId from) const {
        const Curve& c = edge(e).curve;
        const bool forward = edge(e).vertices[0] == from;
        const auto at = [&](double share) { return above_skin(end, c.point(c.t0 + (forward ? share : 1 - share) * (c.t1 - c.t0))); };
        if (std::abs(at(1)) <= 10 * model_.tolerance.point) return forward ? 1.0 : 0.0;
        if (at(0) > 0 || at(most_lost) < 0) return std::nullopt;
        double low = 0, high = most_lost;
        for (int i = 0; i < 60; ++i) (at(0.5 * (low + high)) < 0 ? low : high) = 0.5 * (low + high);
        return forward ? high : 1 - high;
    }

    const End* end_at(std::size_t s, EdgeId e) const {
        const auto it = ends_.find({s, e});
        return it == ends_.end() ? nullptr : &it->second;
    }

    // The vertex that a rib has in place of one in the thickness.
    std::optional<VertexId> new_vertex(std::size_t s, VertexId v, const End& end, const End* other, const std::vector<EdgeId>& stay) {
        if (const auto known = vertex_.find({s, v}); known != vertex_.end()) return known->second;
        std::optional<VertexId> out;
        for (const EdgeId e : stay) {
            const auto share = passes_skin(end, e, v);
            if (!share || held_at(e)) return std::nullopt;
            if (*share <= 0 || *share >= 1) {
                out = edge(e).vertices[*share >= 1 ? 1 : 0];
            } else {
                part(e, *share);
                out = edge(e).vertices[1];
            }
        }
        if (!out) {
            const Sheet& rib = model_.sheets[s];
            const Vec3& from = model_.vertices[v.index()].point;
            const auto at = other && other->onto != end.onto ? to_both(rib, end, *other, from) : to_skin(rib, end, from);
            if (!at) return std::nullopt;
            out = vertex_at(s, *at);
        }
        vertex_[{s, v}] = *out;
        return out;
    }

    // Both parts of an edge end where the whole one did.
    void part(EdgeId e, double share) {
        const EdgeId more = split_edge(model_, e, share);
        held_.resize(model_.edges.size(), false);
        std::vector<std::pair<std::size_t, End>> same;
        for (const auto& [at, end] : ends_)
            if (at.second == e) same.emplace_back(at.first, end);
        for (const auto& [s, end] : same) ends_.insert_or_assign({s, more}, end);
    }

    // The rib's new vertex at a place: in a corner of three sheets several of the old ones come to one.
    VertexId vertex_at(std::size_t s, const Vec3& p) {
        for (auto it = vertex_.lower_bound({s, VertexId()}); it != vertex_.end() && it->first.first == s; ++it)
            if ((model_.vertices[it->second.index()].point - p).norm() <= 10 * model_.tolerance.point) return it->second;
        model_.vertices.push_back({p});
        return VertexId(model_.vertices.size() - 1);
    }

    bool held_at(EdgeId e) const { return e.index() < held_.size() && held_[e.index()]; }

    // Edges of a region at a vertex that do not end in the middle of another sheet.
    std::vector<EdgeId> staying(std::size_t s, std::size_t r, VertexId v) const {
        std::vector<EdgeId> out;
        const auto look = [&](EdgeId e) {
            const auto& ends = edge(e).vertices;
            if ((ends[0] == v || ends[1] == v) && !end_at(s, e) && std::find(out.begin(), out.end(), e) == out.end()) out.push_back(e);
        };
        const Region& region = model_.sheets[s].regions[r];
        for (const auto& loop : region.loops)
            for (const EdgeUse& u : loop) look(u.edge);
        for (const EdgeId e : region.embedded) look(e);
        return out;
    }

    // All of a region's edges that end so, or none of them. Gives the area that it loses.
    double move(std::size_t s, std::size_t r) {
        std::set<EdgeId> wanted;
        const Region before = model_.sheets[s].regions[r];
        std::map<VertexId, std::vector<const End*>> at_vertex;
        for (const auto& loop : before.loops)
            for (const EdgeUse& u : loop)
                if (const End* end = end_at(s, u.edge)) {
                    wanted.insert(u.edge);
                    for (const VertexId v : edge(u.edge).vertices) at_vertex[v].push_back(end);
                }
        if (wanted.empty()) return 0;
        for (const auto& [v, here] : at_vertex) {
            const std::vector<const End*>& ends = here;
            const auto other = std::find_if(ends.begin(), ends.end(), [&](const End* k) { return k->onto != ends[0]->onto; });
            if (!new_vertex(s, v, *ends[0], other == ends.end() ? nullptr : *other, staying(s, r, v))) return 0;
        }
        std::map<EdgeId, EdgeId> own;
        for (const EdgeId e : wanted) {
            if (in_corner(s, e)) continue;
            const auto made = own_edge(s, e, *end_at(s, e));
            if (!made) return 0;
            own[e] = *made;
        }
        return rebuild(s, r, own);
    }

    // Does an edge shrink to the corner of what the rib stands on?
    bool in_corner(std::size_t s, EdgeId e) const {
        const auto& v = edge(e).vertices;
        const auto a = vertex_.find({s, v[0]}), b = vertex_.find({s, v[1]});
        return v[0] != v[1] && a != vertex_.end() && b != vertex_.end() && a->second == b->second;
    }

    std::optional<EdgeId> own_edge(std::size_t s, EdgeId e, const End& end) {
        if (const auto known = edge_.find({s, e}); known != edge_.end()) return known->second;
        const Edge old = edge(e);
        const Sheet& rib = model_.sheets[s];
        const VertexId from = vertex_.at({s, old.vertices[0]}), to = vertex_.at({s, old.vertices[1]});
        const Vec3 &a = model_.vertices[from.index()].point, &b = model_.vertices[to.index()].point;
        Edge out;
        out.vertices = {from, to};
        if (old.curve.is_line() && rib.chart.flat() && model_.sheets[end.onto].chart.flat()) {
            out.curve = Curve::segment(a, b);
        } else {
            std::vector<Vec3> points{a};
            for (int k = 1; k < places; ++k) {
                const auto p = to_skin(rib, end, old.curve.point(old.curve.parameter_at(static_cast<double>(k) / places)));
                if (!p) return std::nullopt;
                points.push_back(*p);
            }
            points.push_back(b);
            out.curve = foot_curve(rib.chart, curve_past(points, model_.tolerance.point), model_.tolerance.point);
        }
        const EdgeId id(model_.edges.size());
        model_.edges.push_back(std::move(out));
        model_.edge_links.push_back({e, id, false, {}});
        return edge_[{s, e}] = id;
    }

    // Loops with the new edges, and without the parts of others that lie in the thickness.
    double rebuild(std::size_t s, std::size_t r, const std::map<EdgeId, EdgeId>& own) {
        Sheet& sheet = model_.sheets[s];
        Region& region = sheet.regions[r];
        const auto in_thickness = [&](EdgeId e) {
            if (in_corner(s, e)) return true;
            const auto& v = edge(e).vertices;
            const auto a = vertex_.find({s, v[0]}), b = vertex_.find({s, v[1]});
            return (a != vertex_.end() && a->second == v[1]) || (b != vertex_.end() && b->second == v[0]);
        };
        double length = 0, inner = 0;  // of the edges, and of those where the strip beside them lies in the sheet's own body
        for (const auto& [e, made] : own) {
            const Vec3 beside = 0.5 * (edge(e).curve.middle() + edge(made).curve.middle());
            length += edge(e).curve.length();
            if (inside(sheet.own_outline, sheet.chart.local2(sheet.chart.foot(beside)))) inner += edge(e).curve.length();
        }
        for (auto& loop : region.loops) {
            std::erase_if(loop, [&](const EdgeUse& u) { return !own.count(u.edge) && in_thickness(u.edge); });
            for (EdgeUse& u : loop)
                if (const auto it = own.find(u.edge); it != own.end()) u.edge = it->second;
        }
        std::erase_if(region.embedded, in_thickness);
        double left = 0;
        for (const AreaSample& q : spread_inside(region_polygons(model_, sheet.chart, region, model_.tolerance.chord), 1)) left += q.area;
        const double lost = region.area - left;
        region.area = left;
        region.own_area = std::max(0.0, region.own_area - lost * inner / length);
        return lost;
    }

    Model& model_;
    std::vector<bool> held_;
    std::map<std::pair<std::size_t, EdgeId>, End> ends_;           // of ribs
    std::map<std::pair<std::size_t, VertexId>, VertexId> vertex_;  // of ribs: what they have instead
    std::map<std::pair<std::size_t, EdgeId>, EdgeId> edge_;
};

}  // namespace

std::vector<std::string> start_at_skin(Model& model) {
    return Skins(model).run();
}

}  // namespace halvo
