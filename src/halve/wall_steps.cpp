#include "halve/wall_steps.hpp"

#include "core/index.hpp"
#include "geom/nearest_curve.hpp"
#include "halve/step_slopes.hpp"

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double step_looks[] = {0.21, 0.5, 0.83};  // shares of an edge's length where its sides are compared
constexpr double pad_looks[] = {0.25, 0.5, 1.0};    // how far off its border a rib is looked for, in the pad's thicknesses

class Steps {
public:
    Steps(const Body& body, const WallSurface& w, double tol) : body_(body), w_(w), tol_(tol) {}

    std::vector<Curve> run() {
        if (w_.field.pieces.size() < 2) return {};
        if (w_.beside_ribs)
            for (std::size_t k = 0; k < w_.field.pieces.size(); ++k) {
                close_mouths(w_.tops[k], w_.field.pieces[k].top, w_.field.pieces[k].top_outline.loops());
                close_mouths(w_.bottoms[k], w_.field.pieces[k].bottom, w_.field.pieces[k].bottom_outline.loops());
            }
        for (int e : edges_of(body_, w_)) {
            const BodyEdge& edge = body_.edges[ix(e)];
            if (edge.degenerate) continue;
            for (const Curve& c : between_mouths(e))
                if (std::any_of(std::begin(step_looks), std::end(step_looks), [&](double share) { return jumps(c, share); }))
                    out_.push_back(foot_curve(w_.chart, c, tol_));
        }
        for (Curve& c : steps_on_slopes(body_, w_, tol_)) out_.push_back(std::move(c));
        return std::move(out_);
    }

private:
    // The point nearest to a place of a face's outline on the edges that bound it; the number is that of the edge.
    NearestCurve on_border(const std::vector<int>& edges, const BaseSurface& side, const Vec2& p) const {
        const auto curve = [&](std::size_t k) { return body_.edges[ix(edges[k])].degenerate ? nullptr : &body_.edges[ix(edges[k])].curve; };
        NearestCurve near = nearest_curve(edges.size(), side.foot(w_.chart.at(p)).point, curve);
        if (near.number >= 0) near.number = edges[ix(near.number)];
        return near;
    }

    // Sides of the outline that lie off the face's border are where it was cut off from the tops of ribs.
    void close_mouths(int face, const BaseSurface& side, const std::vector<std::vector<Vec2>>& outline) {
        std::vector<int> edges;
        for (const auto& loop : body_.faces[ix(face)].loops)
            for (const Coedge& u : loop) edges.push_back(u.edge.value);
        for (const auto& loop : outline)
            for (std::size_t k = 0; k < loop.size(); ++k) {
                const Vec2 &a = loop[k], &b = loop[(k + 1) % loop.size()];
                if (on_border(edges, side, 0.5 * (a + b)).distance < 0.2 * (b - a).norm()) continue;
                const NearestCurve from = on_border(edges, side, a), to = on_border(edges, side, b);
                if (from.number < 0 || to.number < 0) continue;
                Curve across = Curve::segment(w_.chart.foot(from.point), w_.chart.foot(to.point));
                if (across.length() <= 10 * tol_) continue;
                mouths_[from.number].push_back(from.t), mouths_[to.number].push_back(to.t);
                out_.push_back(std::move(across));
            }
    }

    std::vector<Curve> between_mouths(int e) const {
        const Curve& c = body_.edges[ix(e)].curve;
        const auto it = mouths_.find(e);
        if (it == mouths_.end()) return {c};
        std::vector<double> cuts = it->second;
        cuts.push_back(c.t0), cuts.push_back(c.t1);
        std::sort(cuts.begin(), cuts.end());
        std::vector<Curve> out;
        for (std::size_t k = 0; k + 1 < cuts.size(); ++k)
            if (c.length(cuts[k], cuts[k + 1]) > 10 * tol_) out.push_back(c.piece(cuts[k], cuts[k + 1]));
        return out;
    }

    bool jumps(const Curve& c, double share) const {
        const double t = c.parameter_at(share);
        const Vec3 p = w_.chart.foot(c.point(t)), n = w_.chart.normal(p);
        const Vec3 side = n.cross(c.derivative(t)).normalized() * 0.05 * w_.wall->thinnest;
        const Vec3 left = w_.chart.foot(p + side), right = w_.chart.foot(p - side);
        if (!in_material(body_, w_, left) || !in_material(body_, w_, right) || !supported(body_, w_, left) || !supported(body_, w_, right)) return false;
        const auto a = w_.field.sides(w_.chart, w_.chart.local2(left)), b = w_.field.sides(w_.chart, w_.chart.local2(right));
        const double much = 0.01 * w_.wall->thinnest;
        return std::abs(a.up - b.up) > much || std::abs(a.down - b.down) > much;
    }

    const Body& body_;
    const WallSurface& w_;
    double tol_;
    std::map<int, std::vector<double>> mouths_;  // where they begin on edges
    std::vector<Curve> out_;
};

// At a side of a piece's outline that the rib's midsurface crosses, with the rib on one side of it and no more of it on the other.
std::optional<Curve> end_at_pad(const Body& body, const WallSurface& rib, const WallSurface& pad, const Vec2& from, const Vec2& to, double tol) {
    const Vec3 a = pad.chart.at(from), b = pad.chart.at(to), n = rib.chart.plane().z;
    const double ha = rib.chart.height(a), hb = rib.chart.height(b);
    if ((ha > 0) == (hb > 0)) return std::nullopt;
    const Vec3 at = a + ha / (ha - hb) * (b - a), up = pad.chart.plane().z;
    const Vec3 along = (up - up.dot(n) * n).normalized(), side = along.cross(n).normalized();
    double high = 0, low = 0;
    for (const double s : {0.05, -0.05}) {
        const auto sides = pad.field.sides(pad.chart, pad.chart.local2(pad.chart.foot(at + s * rib.wall->thinnest * side)));
        high = std::max(high, sides.up), low = std::max(low, sides.down);
    }
    const Vec3 middle = at + 0.5 * (high - low) * along;
    const auto goes_on = [&](double sign) {
        return std::any_of(std::begin(pad_looks), std::end(pad_looks), [&](double k) { return supported(body, rib, middle + sign * k * pad.thickest * side); });
    };
    if (goes_on(1) == goes_on(-1)) return std::nullopt;
    return Curve::segment(at - (low + 20 * tol) * along, at + (high + 20 * tol) * along);
}

}  // namespace

std::set<int> edges_of(const Body& body, const WallSurface& w) {
    std::set<int> out;
    for (const std::vector<int>* faces : {&w.tops, &w.bottoms})
        for (int id : *faces)
            for (const auto& loop : body.faces[ix(id)].loops)
                for (const Coedge& u : loop) out.insert(u.edge.value);
    return out;
}

std::vector<Curve> thickness_steps(const Body& body, const WallSurface& w, double tol) {
    return Steps(body, w, tol).run();
}

std::vector<Curve> ends_at_pads(const Body& body, const std::vector<WallSurface>& walls, std::size_t i, double tol) {
    std::vector<Curve> out;
    if (!walls[i].chart.flat()) return out;
    for (std::size_t j : walls[i].near) {
        const WallSurface& pad = walls[j];
        if (!pad.beside_ribs || !pad.chart.flat()) continue;
        for (const ThicknessPiece& piece : pad.field.pieces)
            for (const auto* outline : {&piece.top_outline, &piece.bottom_outline})
                for (const auto& loop : outline->loops())
                    for (std::size_t k = 0; k < loop.size(); ++k)
                        if (auto c = end_at_pad(body, walls[i], pad, loop[k], loop[(k + 1) % loop.size()], tol)) out.push_back(std::move(*c));
    }
    return out;
}

}  // namespace halvo
