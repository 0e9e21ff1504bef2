#include "join/flush_seams.hpp"

#include "core/groups.hpp"
#include "model/renumber.hpp"
#include "model/volumes.hpp"

#include <algorithm>
#include <optional>

namespace halvo {
namespace {

class FlushSeams {
public:
    explicit FlushSeams(Model& model) : model_(model), tol_(10 * model.tolerance.point), held_(held_edges(model)) {}

    void close() {
        std::size_t bodies = 0;
        for (const Sheet& s : model_.sheets) bodies = std::max(bodies, static_cast<std::size_t>(s.body.value + 1));
        const std::vector<double> doubled = doubled_at_seams(model_, bodies);
        part_at_ends();
        Renumbering change(model_);
        Groups together(model_.vertices.size());
        const std::vector<double> closed = close_pairs(change, together);
        const bool any = close_points(change, together) || std::any_of(closed.begin(), closed.end(), [](double d) { return d > 0; });
        if (!any) return;
        for (std::size_t v = 0; v < model_.vertices.size(); ++v) change.vertices[v] = VertexId(together.root(static_cast<int>(v)));
        renumber(model_, change);
        drop_inner();
        keep_volume(closed, doubled, doubled_at_seams(model_, bodies));
    }

private:
    const Edge& edge(EdgeId e) const { return model_.edges[e.index()]; }
    bool free(EdgeId e) const { return e.index() >= held_.size() || !held_[e.index()]; }  // parts of edges are of free ones

    void part_at_ends() {
        for (std::size_t before = 0; before != model_.edges.size();) {
            before = model_.edges.size();
            each_pair([&](EdgeId seam, EdgeId rim, std::size_t) { part_at_ends_of(rim, seam), part_at_ends_of(seam, rim); });
        }
    }

    // By sheets, the length of rims that become seams.
    std::vector<double> close_pairs(Renumbering& change, Groups& together) {
        std::vector<double> out(model_.sheets.size(), 0);
        each_pair([&](EdgeId seam, EdgeId rim, std::size_t sheet) {
            const auto alike = same_ends(seam, rim);
            if (!alike || !lies_on(seam, rim, 0.5)) return;
            change.edges[rim.index()] = {seam, !*alike};
            out[sheet] += edge(seam).curve.length();
            for (const std::size_t k : {0U, 1U}) together.tie(edge(rim).vertices[k].value, edge(seam).vertices[*alike ? k : 1 - k].value);
        });
        return out;
    }

    // Beside a seam at the end of a rim an edge may be left without length.
    bool close_points(Renumbering& change, Groups& together) const {
        bool any = false;
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            const Edge& k = model_.edges[e];
            if (!free(EdgeId(e)) || !k.vertices[0] || k.vertices[0] == k.vertices[1] || k.curve.length() > tol_) continue;
            together.tie(k.vertices[1].value, k.vertices[0].value);
            change.edges[e] = {}, any = true;
        }
        return any;
    }

    // Edges inside a region and on its outline that may lie on each other; what is done may part them.
    template <class What>
    void each_pair(const What& what) {
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            if (!model_.sheets[s].placed) continue;
            for (std::size_t r = 0; r < model_.sheets[s].regions.size(); ++r) {
                const Region region = model_.sheets[s].regions[r];
                for (EdgeId seam : region.embedded)
                    for (const auto& loop : region.loops)
                        for (const EdgeUse& u : loop) {
                            Box3 box = edge(u.edge).curve.box();
                            box.min().array() -= tol_, box.max().array() += tol_;
                            if (u.edge != seam && free(seam) && free(u.edge) && box.intersects(edge(seam).curve.box())) what(seam, u.edge, s);
                        }
            }
        }
    }

    // What a tee held twice a corner does not: its sheet stands for less by that.
    void keep_volume(const std::vector<double>& closed, const std::vector<double>& before, const std::vector<double>& after) {
        std::vector<double> all(before.size(), 0);
        for (std::size_t s = 0; s < closed.size(); ++s)
            if (model_.sheets[s].body) all[model_.sheets[s].body.index()] += closed[s];
        for (std::size_t s = 0; s < closed.size(); ++s) {
            Sheet& k = model_.sheets[s];
            if (closed[s] == 0 || !k.body) continue;
            const auto b = k.body.index();
            const double volume = wall_depth(model_, k) * k.own_area() / k.growth, less = (before[b] - after[b]) * closed[s] / all[b];
            if (volume > less) k.growth *= volume / (volume - less);
        }
    }

    bool lies_on(EdgeId e, EdgeId on, double share) const {
        const Curve &c = edge(e).curve, &o = edge(on).curve;
        const Vec3 p = c.point(c.t0 + share * (c.t1 - c.t0));
        return (o.point(o.nearest(p)) - p).norm() <= tol_;
    }

    // Where the other one starts or ends amid an edge that it lies on.
    void part_at_ends_of(EdgeId e, EdgeId other) {
        for (const std::size_t end : {0U, 1U}) {
            const Curve& c = edge(e).curve;
            const Vec3 p = end == 0 ? edge(other).curve.start() : edge(other).curve.end();
            const double t = c.nearest(p);
            if ((c.point(t) - p).norm() > tol_ || (p - c.start()).norm() <= tol_ || (p - c.end()).norm() <= tol_) continue;
            // It must run along there, not only end at it.
            if (!lies_on(other, e, end == 0 ? 0.01 : 0.99)) continue;
            split_edge(model_, e, (t - c.t0) / (c.t1 - c.t0));
            if (end == 0 && !lies_on(other, e, 0.99)) return;  // the rest runs along the other part
        }
    }

    // Do both join the same places, in the same sense?
    std::optional<bool> same_ends(EdgeId a, EdgeId b) const {
        const Curve &p = edge(a).curve, &q = edge(b).curve;
        if ((p.start() - q.start()).norm() <= tol_ && (p.end() - q.end()).norm() <= tol_) return true;
        if ((p.start() - q.end()).norm() <= tol_ && (p.end() - q.start()).norm() <= tol_) return false;
        return std::nullopt;
    }

    // What is on the outline now is no line inside.
    void drop_inner() {
        for (Sheet& s : model_.sheets)
            for (Region& r : s.regions)
                std::erase_if(r.embedded, [&](EdgeId e) {
                    return std::any_of(r.loops.begin(), r.loops.end(),
                                       [&](const auto& loop) { return std::any_of(loop.begin(), loop.end(), [&](const EdgeUse& u) { return u.edge == e; }); });
                });
    }

    Model& model_;
    double tol_;
    std::vector<bool> held_;  // edges, before any was parted
};

}  // namespace

void close_flush_seams(Model& model) {
    FlushSeams(model).close();
}

}  // namespace halvo
