#include "core/groups.hpp"
#include "core/index.hpp"
#include "model/arrangement.hpp"

#include <algorithm>
#include <numeric>
#include <set>

namespace halvo {
namespace {

constexpr double smooth_join = 1e-2;  // sine of the turn at which two smooth pieces go on as one

bool both_smooth(const Curve& a, const Curve& b) {
    const auto smooth = [](const Curve& c) {
        const auto* p = std::get_if<PolylineCurve>(&c.shape);
        return p && !p->tangents.empty();
    };
    return smooth(a) && smooth(b);
}

Curve chained(const Curve& a, const Curve& b) {
    auto p = std::get<PolylineCurve>(a.shape);
    const auto& q = std::get<PolylineCurve>(b.shape);
    p.points.insert(p.points.end(), q.points.begin() + 1, q.points.end());
    p.tangents.insert(p.tangents.end(), q.tangents.begin() + 1, q.tangents.end());
    return Curve::polyline(std::move(p.points), std::move(p.tangents));
}

// The curve with its ends at the vertices it was given, which stand off by no more than the splitting's tolerance.
Curve snapped(const Curve& c, const Vec3& a, const Vec3& b, double tol) {
    const Vec3 da = a - c.start(), db = b - c.end();
    if (da.norm() <= tol && db.norm() <= tol) return c;
    if (c.is_line() || !(c.t1 > c.t0)) return Curve::segment(a, b);
    const auto* p = std::get_if<PolylineCurve>(&c.shape);
    std::vector<double> at = c.smooth_pieces();
    std::vector<Vec3> points, tangents;
    for (double t : at) {
        const double w = (t - c.t0) / (c.t1 - c.t0);
        points.emplace_back(c.point(t) + (1 - w) * da + w * db);
        if (!p || !p->tangents.empty()) tangents.push_back(c.derivative(t).normalized());
    }
    return Curve::polyline(std::move(points), std::move(tangents));
}

class Assembler {
public:
    Assembler(Model& model, const Arrangement& a, const ArrangementInput& in, const std::vector<std::vector<Keep>>& keep, const std::vector<int>& lines)
        : model_(model), a_(a), in_(in), keep_(keep), lines_(lines) {}

    Assembled run() {
        find_users();
        mark_edges();
        merge_collinear();
        number();
        Assembled out;
        for (std::size_t s = 0; s < a_.sheets.size(); ++s) out.regions.push_back(regions_of(s));
        for (VertexId v : a_.of_point) out.of_point.emplace_back(vertex_number_[v.index()]);
        out.on_curve.resize(in_.curves.size());
        for (int c : lines_) out.on_curve[ix(c)] = renumbered(a_.on_curve[ix(c)]);
        return out;
    }

private:
    bool kept(std::size_t s, int half) const {
        const int c = a_.sheets[s].cell(half);
        return c >= 0 && keep_[s][ix(c)].kept;
    }

    void find_users() {
        users_.resize(a_.edges.size());
        bounds_.assign(a_.edges.size(), false);
        for (std::size_t s = 0; s < a_.sheets.size(); ++s)
            for (const auto& [half, cell] : a_.sheets[s].cell_of) {
                if (half % 2) continue;
                const bool left = kept(s, half), right = kept(s, half + 1);
                if (left || right) users_[ix(half / 2)].push_back(static_cast<int>(s));
                if (left != right) bounds_[ix(half / 2)] = true;
            }
    }

    void mark_edges() {
        alive_.assign(a_.edges.size(), false);
        for (std::size_t e = 0; e < a_.edges.size(); ++e) alive_[e] = bounds_[e] || users_[e].size() >= 2;
        cut_.assign(a_.edges.size(), false), step_.assign(a_.edges.size(), false);
        for (int c : in_.cuts)
            for (const EdgeUse& u : a_.on_curve[ix(c)])
                if (!users_[u.edge.index()].empty()) alive_[u.edge.index()] = cut_[u.edge.index()] = true;
        for (int c : in_.steps)
            for (const EdgeUse& u : a_.on_curve[ix(c)])
                if (!users_[u.edge.index()].empty()) alive_[u.edge.index()] = step_[u.edge.index()] = true;
        matched_.assign(a_.edges.size(), false), lines_of_.resize(a_.edges.size());
        std::set<int> twins;
        for (const auto& t : in_.twins) twins.insert(t.a), twins.insert(t.b);
        for (int c : lines_)
            for (const EdgeUse& u : a_.on_curve[ix(c)]) {
                alive_[u.edge.index()] = true;
                lines_of_[u.edge.index()].push_back(c);
                if (twins.contains(c)) matched_[u.edge.index()] = true;
            }
        curves_.reserve(a_.edges.size());
        for (const Edge& e : a_.edges) curves_.push_back(e);
    }

    // Vertices between two pieces of one line or circle that carry the same sheets, members and ties mean nothing. Lines that are matched with
    // others have their pieces opposite to each other, and keep them.
    void merge_collinear() {
        std::vector<std::vector<int>> at(a_.vertices.size());
        for (std::size_t e = 0; e < curves_.size(); ++e)
            if (alive_[e])
                for (VertexId v : curves_[e].vertices) at[v.index()].push_back(static_cast<int>(e));
        std::set<int> pinned;
        for (VertexId v : a_.of_point) pinned.insert(v.value);
        for (std::size_t v = 0; v < at.size(); ++v) {
            if (at[v].size() != 2 || pinned.count(static_cast<int>(v))) continue;
            const int e = at[v][0], f = at[v][1];
            if (e == f || users_[ix(e)] != users_[ix(f)] || lines_of_[ix(e)] != lines_of_[ix(f)] || matched_[ix(e)] || matched_[ix(f)] ||
                step_[ix(e)] != step_[ix(f)])
                continue;
            if (!same_carrier(curves_[ix(e)].curve, curves_[ix(f)].curve, 4 * model_.tolerance.point) &&
                !both_smooth(curves_[ix(e)].curve, curves_[ix(f)].curve))
                continue;
            join_edges(e, f, VertexId(v), at);
        }
    }

    void join_edges(int e, int f, VertexId v, std::vector<std::vector<int>>& at) {
        Edge &a = curves_[ix(e)], &b = curves_[ix(f)];
        // Run both in one sense: a ends at v, b starts there.
        const bool flip_a = a.vertices[0] == v && a.vertices[1] != v;
        const bool flip_b = b.vertices[1] == v && b.vertices[0] != v;
        const Curve ca = flip_a ? a.curve.reversed() : a.curve, cb = flip_b ? b.curve.reversed() : b.curve;
        const VertexId start = flip_a ? a.vertices[1] : a.vertices[0], end = flip_b ? b.vertices[0] : b.vertices[1];
        const Vec3 out = ca.derivative(ca.t1).normalized(), in = cb.derivative(cb.t0).normalized();
        if (out.dot(in) <= 0) return;  // doubles back
        if (both_smooth(ca, cb) && out.cross(in).norm() > smooth_join) return;
        Curve whole = ca;
        if (ca.is_line()) whole = Curve::segment(a_.vertices[start.index()], a_.vertices[end.index()]);
        else if (both_smooth(ca, cb)) whole = chained(ca, cb);
        else whole.t1 = ca.t1 + (cb.t1 - cb.t0);
        // The sense of the first stays, so that uses of it need no change.
        if (flip_a) a = {whole.reversed(), {end, start}};
        else a = {whole, {start, end}};
        alive_[ix(f)] = false;
        merged_into_[f] = {e, flip_a != flip_b};
        for (int& k : at[end.index()])
            if (k == f) k = e;
        at[v.index()].clear();
    }

    void number() {
        vertex_number_.assign(a_.vertices.size(), -1);
        edge_number_.assign(a_.edges.size(), -1);
        const auto vertex = [&](VertexId v) {
            int& n = vertex_number_[v.index()];
            if (n < 0) {
                n = static_cast<int>(model_.vertices.size());
                model_.vertices.push_back({a_.vertices[v.index()]});
            }
            return VertexId(n);
        };
        for (std::size_t e = 0; e < curves_.size(); ++e) {
            if (!alive_[e]) continue;
            edge_number_[e] = static_cast<int>(model_.edges.size());
            const VertexId from = curves_[e].vertices[0], to = curves_[e].vertices[1];
            const Curve curve = snapped(curves_[e].curve, a_.vertices[from.index()], a_.vertices[to.index()], model_.tolerance.point);
            model_.edges.push_back({curve, {vertex(from), vertex(to)}, step_[e]});
        }
        for (VertexId v : a_.of_point) vertex(v);
    }

    // The model's edge that an edge of the arrangement became part of, and whether its sense turned.
    std::pair<int, bool> final_of(int e) const {
        bool turned = false;
        for (auto it = merged_into_.find(e); it != merged_into_.end(); it = merged_into_.find(e)) {
            turned ^= it->second.second;
            e = it->second.first;
        }
        return {e, turned};
    }

    std::vector<EdgeUse> renumbered(const std::vector<EdgeUse>& uses) const {
        std::vector<EdgeUse> out;
        for (const EdgeUse& u : uses) {
            const auto [e, turned] = final_of(u.edge.value);
            const EdgeUse n{EdgeId(edge_number_[ix(e)]), u.reversed != turned};
            if (out.empty() || out.back().edge != n.edge) out.push_back(n);
        }
        return out;
    }

    // Cells joined across dead edges, then traced round.
    std::vector<Region> regions_of(std::size_t s) {
        const SheetCells& sc = a_.sheets[s];
        Groups groups(sc.cells.size());
        for (const auto& [half, cell] : sc.cell_of) {
            if (half % 2 || !kept(s, half) || !kept(s, half + 1)) continue;
            if (!alive_[ix(final_of(half / 2).first)]) groups.tie(cell, sc.cell_of.at(half + 1));
        }
        std::map<int, Region> regions;
        for (std::size_t c = 0; c < sc.cells.size(); ++c)
            if (keep_[s][c].kept) {
                Region& r = regions[groups.root(static_cast<int>(c))];
                r.area += sc.cells[c].area;
                if (keep_[s][c].own) r.own_area += sc.cells[c].area;
            }
        const auto region_at = [&](int half) { return kept(s, half) ? groups.root(sc.cell_of.at(half)) : -1; };
        const auto cut = [&](int half) { return !in_.sheets[s].chart.flat() && cut_[ix(final_of(half / 2).first)] && region_at(half) >= 0; };
        const auto bounds = [&](int half) { return region_at(half) != region_at(half ^ 1) || cut(half); };
        std::set<int> seen;
        std::set<std::pair<int, int>> embedded;
        for (const auto& [half, cell] : sc.cell_of) {
            const int r = region_at(half);
            if (r < 0 || seen.count(half)) continue;
            const int e = final_of(half / 2).first;
            if (!bounds(half)) {
                if (alive_[ix(e)] && embedded.insert({r, e}).second) regions[r].embedded.emplace_back(edge_number_[ix(e)]);
                continue;
            }
            std::vector<int> loop;
            for (int h = half; seen.insert(h).second;) {
                loop.push_back(h);
                int n = sc.next.at(h);
                while (!bounds(n)) n = sc.next.at(n ^ 1);
                h = n;
            }
            add_loop(regions[r], loop, in_.sheets[s].chart);
        }
        std::vector<Region> out;
        for (auto& [k, r] : regions) {
            if (in_.sheets[s].chart.flat()) measure(r, in_.sheets[s].chart);
            out.push_back(std::move(r));
        }
        return out;
    }

    // As its edges are now: points that were merged, and pieces of one line, may have moved them by a few tolerances.
    void measure(Region& r, const Chart& chart) const {
        double area = 0;
        for (const auto& loop : r.loops) {
            std::vector<int> halves;
            for (const EdgeUse& u : loop) halves.push_back(2 * u.edge.value + static_cast<int>(u.reversed));
            area += chain_area(model_.edges, chart, halves);
        }
        r.own_area *= area / r.area, r.area = area;
    }

    void add_loop(Region& r, const std::vector<int>& halves, const Chart& chart) {
        std::vector<EdgeUse> uses;
        for (int h : halves) uses.push_back({EdgeId(h / 2), h % 2 != 0});
        uses = renumbered(uses);
        if (uses.size() > 1 && uses.front().edge == uses.back().edge) uses.pop_back();
        const bool outer = chain_area(a_.edges, chart, halves) > 0;
        if (outer) r.loops.insert(r.loops.begin(), std::move(uses));
        else r.loops.push_back(std::move(uses));
    }

    Model& model_;
    const Arrangement& a_;
    const ArrangementInput& in_;
    const std::vector<std::vector<Keep>>& keep_;
    const std::vector<int>& lines_;
    std::vector<std::vector<int>> users_;
    std::vector<bool> bounds_, alive_, cut_, step_;
    std::vector<bool> matched_;               // pieces of curves with a twin
    std::vector<std::vector<int>> lines_of_;  // curves that are no mere borders: of members, ties, links
    std::vector<Edge> curves_;
    std::vector<int> vertex_number_, edge_number_;
    std::map<int, std::pair<int, bool>> merged_into_;
};

}  // namespace

Assembled assemble(Model& model, const Arrangement& a, const ArrangementInput& input, const std::vector<std::vector<Keep>>& keep,
                   const std::vector<int>& lines) {
    return Assembler(model, a, input, keep, lines).run();
}

}  // namespace halvo
