#include "mesh/idle_vertices.hpp"

#include "mesh/divisions.hpp"
#include "model/sets.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double rounding = 0.02;   // of a segment, over which a small kink between two is rounded off
constexpr double one_line = 1e-6;   // rad: a turn that is none
constexpr double same_place = 100;  // of the model's tolerance: ends that are one

class Joiner {
public:
    Joiner(const Model& model, const MeshOptions& options)
        : model_(model), options_(options), held_(held_by_others(model)), at_(model.vertices.size()), named_(model.edges.size(), false) {
        look_at_uses();
        look_at_rules();
    }

    std::optional<LongEdges> run() {
        idle_.resize(model_.vertices.size());
        bool any = false;
        for (std::size_t v = 0; v < idle_.size(); ++v) idle_[v] = goes_on(v), any = any || idle_[v];
        if (!any) return std::nullopt;
        chain_up();
        return rebuilt();
    }

private:
    struct Step {
        EdgeId edge;
        bool reversed;
    };

    [[nodiscard]] const Edge& edge(EdgeId e) const { return model_.edges[e.index()]; }

    // Edges at each vertex, of those that sheets are bounded by.
    void look_at_uses() {
        std::vector<bool> used(model_.edges.size(), false);
        for (const Sheet& s : model_.sheets)
            for (const Region& r : s.regions)
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) used[u.edge.index()] = true;
        for (std::size_t e = 0; e < used.size(); ++e)
            if (used[e] || held_.edges[e])
                for (VertexId v : model_.edges[e].vertices) at_[v.index()].emplace_back(e);
    }

    // What the plan says of single edges it says of these alone.
    void look_at_rules() {
        for (const SizeRule& r : options_.sizes)
            for (const Vec3& p : r.points)
                if (const EdgeId e = edge_next_to(model_, p)) named_[e.index()] = true;
        for (const ModelSet& s : model_.sets)
            for (EdgeId e : s.edges) named_[e.index()] = true;
    }

    [[nodiscard]] bool goes_on(std::size_t v) const {
        if (held_.vertices[v] || at_[v].size() != 2 || at_[v][0] == at_[v][1]) return false;
        const EdgeId a = at_[v][0], b = at_[v][1];
        for (EdgeId e : {a, b})
            if (held_.edges[e.index()] || named_[e.index()]) return false;
        if (edge(a).step != edge(b).step) return false;
        const Curve &c = edge(a).curve, &d = edge(b).curve;
        const VertexId at(v);
        const auto outward = [&](EdgeId e) {
            const Curve& k = edge(e).curve;
            const bool starts = edge(e).vertices[0] == at;
            return Vec3((starts ? 1 : -1) * k.derivative(starts ? k.t0 : k.t1).normalized());
        };
        const Vec3 out = outward(a), on = -outward(b);
        const double turn = std::atan2(out.cross(on).norm(), out.dot(on));
        if (turn > options_.feature) return false;
        if (std::holds_alternative<PolylineCurve>(c.shape)) return std::holds_alternative<PolylineCurve>(d.shape) && turn <= options_.feature;
        if (c.is_line() && d.is_line()) return turn <= one_line || keeps_to_chord(turn, std::min(c.length(), d.length()));
        return same_carrier(c, d, same_place * model_.tolerance.point);
    }

    // An element over a kink cuts its corner.
    [[nodiscard]] bool keeps_to_chord(double turn, double length) const {
        if (!(options_.chord > 0)) return true;
        const double size = options_.size > 0 ? options_.size : default_size(model_);
        return 0.5 * std::min(size, length) * std::tan(0.5 * turn) <= options_.chord;
    }

    void chain_up() {
        chain_of_.assign(model_.edges.size(), -1);
        const auto walk = [&](EdgeId first, bool reversed) {
            std::vector<Step> chain;
            Step at{first, reversed};
            for (;;) {
                chain_of_[at.edge.index()] = static_cast<int>(chains_.size());
                chain.push_back(at);
                const VertexId end = edge(at.edge).vertices[at.reversed ? 0 : 1];
                if (!idle_[end.index()]) break;
                const auto& both = at_[end.index()];
                const EdgeId next = both[0] == at.edge ? both[1] : both[0];
                if (chain_of_[next.index()] >= 0) break;
                at = {next, edge(next).vertices[0] != end};
            }
            chains_.push_back(std::move(chain));
        };
        for (const bool rings : {false, true})
            for (std::size_t e = 0; e < model_.edges.size(); ++e) {
                if (chain_of_[e] >= 0) continue;
                const auto& ends = model_.edges[e].vertices;
                const bool first = idle_[ends[0].index()], last = idle_[ends[1].index()];
                if (!first && !last) continue;
                if (rings) idle_[ends[0].index()] = false, walk(EdgeId(e), false);
                else if (!first || !last) walk(EdgeId(e), first);
            }
    }

    [[nodiscard]] Curve joined(const std::vector<Step>& chain) const {
        std::vector<Curve> pieces;
        for (const Step& s : chain) pieces.push_back(s.reversed ? edge(s.edge).curve.reversed() : edge(s.edge).curve);
        if (pieces[0].is_line()) return joined_lines(pieces);
        if (std::holds_alternative<PolylineCurve>(pieces[0].shape)) return joined_polylines(pieces);
        Curve out = pieces[0];
        for (std::size_t i = 1; i < pieces.size(); ++i) out.t1 += pieces[i].t1 - pieces[i].t0;
        return out;
    }

    // Straight where all are in one line; else straight up to a small rounding of each kink.
    static Curve joined_lines(const std::vector<Curve>& pieces) {
        bool straight = true;
        for (std::size_t i = 1; i < pieces.size(); ++i)
            straight = straight && pieces[i].derivative(pieces[i].t0).cross(pieces[i - 1].derivative(pieces[i - 1].t0)).norm() <= one_line;
        if (straight) return Curve::segment(pieces.front().start(), pieces.back().end());
        std::vector<Vec3> points, tangents;
        for (std::size_t i = 0; i < pieces.size(); ++i) {
            const Vec3 a = pieces[i].start(), b = pieces[i].end(), d = (b - a).normalized();
            if (i == 0) points.push_back(a), tangents.push_back(d);
            else points.emplace_back(a + rounding * (b - a)), tangents.push_back(d);
            if (i + 1 == pieces.size()) points.push_back(b), tangents.push_back(d);
            else points.emplace_back(b - rounding * (b - a)), tangents.push_back(d);
        }
        return Curve::polyline(std::move(points), std::move(tangents));
    }

    static Curve joined_polylines(const std::vector<Curve>& pieces) {
        std::vector<Vec3> points, tangents;
        bool smooth = true;
        for (const Curve& c : pieces) {
            // The bounded piece, not all of the curve it is cut from.
            const auto& p = std::get<PolylineCurve>(c.shape);
            smooth = smooth && !p.tangents.empty();
            const auto add = [&](double t) { points.push_back(c.point(t)), tangents.push_back(c.derivative(t).normalized()); };
            if (points.empty()) add(c.t0);
            for (double t : p.at)
                if (t > c.t0 && t < c.t1) add(t);
            add(c.t1);
        }
        return smooth ? Curve::polyline(std::move(points), std::move(tangents)) : Curve::polyline(std::move(points));
    }

    [[nodiscard]] LongEdges rebuilt() const {
        LongEdges out{model_, {}};
        Model& m = out.model;
        m.edges.clear();
        std::vector<EdgeId> now(model_.edges.size());
        std::vector<bool> turned(model_.edges.size(), false);
        std::vector<EdgeId> of_chain(chains_.size());
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            const int c = chain_of_[e];
            if (c >= 0 && of_chain[static_cast<std::size_t>(c)]) continue;
            if (c >= 0) {
                const auto& chain = chains_[static_cast<std::size_t>(c)];
                Edge k = edge(chain.front().edge);
                k.curve = joined(chain);
                k.vertices = {edge(chain.front().edge).vertices[chain.front().reversed ? 1 : 0],
                              edge(chain.back().edge).vertices[chain.back().reversed ? 0 : 1]};
                of_chain[static_cast<std::size_t>(c)] = EdgeId(m.edges.size());
                for (const Step& s : chain) now[s.edge.index()] = EdgeId(m.edges.size()), turned[s.edge.index()] = s.reversed;
                m.edges.push_back(std::move(k));
            } else {
                now[e] = EdgeId(m.edges.size());
                m.edges.push_back(model_.edges[e]);
            }
            out.first.emplace_back(e);
        }
        for (Sheet& s : m.sheets)
            for (Region& r : s.regions) {
                for (auto& loop : r.loops) loop = shortened(loop, now, turned);
                for (EdgeId& e : r.embedded) e = now[e.index()];
            }
        for (Member& k : m.members)
            for (EdgeUse& u : k.chain) u.edge = now[u.edge.index()];
        for (EdgeLink& l : m.edge_links) l.a = now[l.a.index()], l.b = now[l.b.index()];
        for (Tie& t : m.ties)
            for (EdgeId& e : t.edges) e = now[e.index()];
        for (Coupling& c : m.couplings)
            for (EdgeId& e : c.edges) e = now[e.index()];
        for (ModelSet& s : m.sets)
            for (EdgeId& e : s.edges) e = now[e.index()];
        return out;
    }

    // One use for each run of edges of one chain.
    [[nodiscard]] std::vector<EdgeUse> shortened(const std::vector<EdgeUse>& loop, const std::vector<EdgeId>& now, const std::vector<bool>& turned) const {
        const auto first_vertex = [&](const EdgeUse& u) { return edge(u.edge).vertices[u.reversed ? 1 : 0]; };
        std::size_t from = 0;
        while (from < loop.size() && idle_[first_vertex(loop[from]).index()]) ++from;
        std::vector<EdgeUse> out;
        for (std::size_t k = 0; k < loop.size(); ++k) {
            const EdgeUse& u = loop[(from + k) % loop.size()];
            if (k > 0 && idle_[first_vertex(u).index()]) continue;
            out.push_back({now[u.edge.index()], u.reversed != turned[u.edge.index()]});
        }
        return out;
    }

    const Model& model_;
    const MeshOptions& options_;
    Held held_;
    std::vector<std::vector<EdgeId>> at_;
    std::vector<bool> named_, idle_;
    std::vector<std::vector<Step>> chains_;
    std::vector<int> chain_of_;
};

}  // namespace

Held held_by_others(const Model& model) {
    Held out{std::vector<bool>(model.edges.size(), false), std::vector<int>(model.vertices.size(), 0)};
    for (const EdgeLink& l : model.edge_links) out.edges[l.a.index()] = out.edges[l.b.index()] = true;
    for (const Tie& t : model.ties)
        for (EdgeId e : t.edges) out.edges[e.index()] = true;
    for (const Member& m : model.members)
        for (const EdgeUse& u : m.chain) {
            out.edges[u.edge.index()] = true;
            for (VertexId v : model.edges[u.edge.index()].vertices) out.vertices[v.index()] = 1;
        }
    for (const Link& l : model.links) out.vertices[l.a.index()] = out.vertices[l.b.index()] = 1;
    for (const Coupling& c : model.couplings) {
        for (EdgeId e : c.edges) out.edges[e.index()] = true;
        for (VertexId v : c.vertices) out.vertices[v.index()] = 1;
    }
    for (const Sheet& s : model.sheets)
        for (const Region& r : s.regions) {
            for (EdgeId e : r.embedded) out.edges[e.index()] = true;
            for (VertexId v : r.points) out.vertices[v.index()] = 1;
        }
    return out;
}

std::optional<LongEdges> without_idle_vertices(const Model& model, const MeshOptions& options) {
    if (!(options.feature > 0)) return std::nullopt;
    return Joiner(model, options).run();
}

}  // namespace halvo
