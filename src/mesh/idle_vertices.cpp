#include "mesh/idle_vertices.hpp"

#include "mesh/divisions.hpp"
#include "model/references.hpp"
#include "model/sets.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double rounding = 0.02;            // of a piece, over which a kink between two is rounded off
constexpr double no_turn = 1e-9;             // rad: a turn that is none
constexpr double runs_on = 1e-3;             // rad: at which an outline runs on smoothly
constexpr double short_piece = 0.5;          // of the size: pieces that would be an element on their own
constexpr double most_bent = 15 * pi / 180;  // and that turn by no more than this, so that none of their shape is lost
constexpr double same_place = 100;           // of the model's tolerance: carriers that are one
constexpr double arc_piece = 3 * pi / 180;   // of an arc as a cubic

double turn_of(const Curve& c) {
    if (c.is_line()) return 0;
    if (!std::holds_alternative<PolylineCurve>(c.shape)) return c.t1 - c.t0;
    double sum = 0;
    Vec3 last = c.derivative(c.t0).normalized();
    for (double t : c.smooth_pieces()) {
        const Vec3 d = c.derivative(std::clamp(t, c.t0, c.t1)).normalized();
        sum += std::atan2(last.cross(d).norm(), last.dot(d)), last = d;
    }
    return sum;
}

class Joiner {
public:
    Joiner(const Model& model, const MeshOptions& options)
        : model_(model),
          options_(options),
          size_(options.size ? *options.size : default_size(model)),
          held_(held_by_others(model)),
          at_(model.vertices.size()),
          named_(model.edges.size(), false) {
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
        if (options_.feature && turn <= *options_.feature) return turn <= runs_on || keeps_to_chord(turn, std::min(c.length(), d.length()));
        if (turn > runs_on) return false;
        const Curve& shorter = c.length() < d.length() ? c : d;
        return shorter.length() < short_piece * size_ && turn_of(shorter) <= most_bent;
    }

    // An element over a kink cuts its corner.
    [[nodiscard]] bool keeps_to_chord(double turn, double length) const {
        if (!options_.chord) return true;
        return 0.5 * std::min(size_, length) * std::tan(0.5 * turn) <= *options_.chord;
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
        bool same = true;
        for (std::size_t i = 1; i < pieces.size(); ++i) same = same && kink(pieces[i - 1], pieces[i]) <= no_turn && pieces[i].is_line() == pieces[0].is_line();
        if (same && pieces[0].is_line()) return Curve::segment(pieces.front().start(), pieces.back().end());
        for (std::size_t i = 1; i < pieces.size(); ++i) same = same && same_carrier(pieces[0], pieces[i], same_place * model_.tolerance.point);
        if (!same) return as_cubics(pieces);
        Curve out = pieces[0];
        for (std::size_t i = 1; i < pieces.size(); ++i) out.t1 += pieces[i].t1 - pieces[i].t0;
        return out;
    }

    static double kink(const Curve& a, const Curve& b) {
        const Vec3 in = a.derivative(a.t1).normalized(), out = b.derivative(b.t0).normalized();
        return std::atan2(in.cross(out).norm(), in.dot(out));
    }

    // What each piece is, up to a small rounding of the kinks between.
    static Curve as_cubics(const std::vector<Curve>& pieces) {
        std::vector<Vec3> points, tangents;
        for (std::size_t i = 0; i < pieces.size(); ++i) {
            const Curve& c = pieces[i];
            const bool kink_before = i > 0 && kink(pieces[i - 1], c) > no_turn, kink_after = i + 1 < pieces.size() && kink(c, pieces[i + 1]) > no_turn;
            const double from = kink_before ? c.parameter_at(rounding) : c.t0, to = kink_after ? c.parameter_at(1 - rounding) : c.t1;
            std::vector<double> at{from};
            if (std::holds_alternative<PolylineCurve>(c.shape)) {
                for (double t : c.smooth_pieces())
                    if (t > from && t < to) at.push_back(t);
            } else if (!c.is_line()) {
                const int n = static_cast<int>(std::ceil((to - from) / arc_piece));
                for (int k = 1; k < n; ++k) at.push_back(from + (to - from) * k / n);
            }
            at.push_back(to);
            if (i > 0 && !kink_before) at.erase(at.begin());  // the last piece's end
            for (double t : at) points.push_back(c.point(t)), tangents.push_back(c.derivative(t).normalized());
        }
        return Curve::polyline(std::move(points), std::move(tangents));
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
        // Of the rest none holds an edge of a chain.
        auto sheets = std::move(m.sheets);
        m.sheets.clear();
        each_edge_reference(m, [&](EdgeId& e) { e = now[e.index()]; });
        m.sheets = std::move(sheets);
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
    double size_;
    Held held_;
    std::vector<std::vector<EdgeId>> at_;
    std::vector<bool> named_, idle_;
    std::vector<std::vector<Step>> chains_;
    std::vector<int> chain_of_;
};

}  // namespace

Held held_by_others(const Model& model, bool lines_inside) {
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
            for (EdgeId e : r.embedded) out.edges[e.index()] = out.edges[e.index()] || lines_inside;
            for (VertexId v : r.points) out.vertices[v.index()] = 1;
        }
    for (VertexId v : model.places) out.vertices[v.index()] = 1;
    return out;
}

std::optional<LongEdges> without_idle_vertices(const Model& model, const MeshOptions& options) {
    return Joiner(model, options).run();
}

}  // namespace halvo
