#include "halve/wall_curves.hpp"

#include "body/surface_cut.hpp"
#include "core/index.hpp"
#include "geom/box_tree.hpp"
#include "geom/facet_tree.hpp"
#include "geom/nearest_curve.hpp"
#include "geom/rounds.hpp"
#include "halve/limits.hpp"
#include "halve/wall_neighbours.hpp"
#include "halve/wall_steps.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

namespace halvo {
namespace {

constexpr double deep = 1.5;  // material reaching this many thicknesses to both sides is no wall's

class Collector {
public:
    Collector(const Body& body, const Skin& skin, const std::vector<WallSurface>& walls, const Bores& bores, double tol, double slack, double openings)
        : body_(body), skin_(skin), walls_(walls), bores_(bores), tol_(tol), slack_(slack), openings_(openings) {}

    WallCurves run() {
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            input_.sheets.push_back({walls_[i].chart, {}});
            if (walls_[i].aside) continue;
            if (fills_corner(skin_, walls_, i)) continue;  // it leaves the body nowhere: what is carried on past its neighbours' edges does
            for (const Curve& c : walls_[i].outline) input_.sheets.back().curves.push_back(add(c));
        }
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            const WallSurface& w = walls_[i];
            if (w.aside) continue;
            if (w.chart.flat()) {
                add_corner_cuts(i);
                if (openings_ > 0) add_mouths(i);
                add_bore_ends(i);
            } else {
                add_bent_corner_cuts(i);
                for (const Curve& c : w.chart.cuts(w.extent, past_extent * w.thickest)) {
                    input_.cuts.push_back(add(c));
                    input_.sheets[i].curves.push_back(input_.cuts.back());
                    cut_open_[i].push_back(input_.cuts.back());
                }
            }
            if (w.wall->twin > static_cast<int>(i) && !walls_[ix(w.wall->twin)].aside) {
                const auto& ball = std::get<SphereSurface>(w.chart.surface());
                share(i, ix(w.wall->twin), Curve{CircleCurve{Frame::with_z(ball.frame.origin, w.wall->half->normal), ball.radius}, 0, 2 * pi});
            }
            add_step_cuts(i);
            for (Curve& c : ends_at_pads(body_, walls_, i, tol_)) input_.sheets[i].curves.push_back(add(c));
            for (Curve& c : thickness_steps(body_, w, tol_)) {
                input_.steps.push_back(add(c));
                input_.sheets[i].curves.push_back(input_.steps.back());
            }
            for (std::size_t j : w.near)
                if (i < j) add_crossing(i, j);
        }
        MiddleEdges middles = middle_edges(body_, skin_, walls_, tol_, slack_);
        for (const MiddleEdge& m : middles.edges)
            if (m.curve.length() > 4 * tol_) share(m.i, m.j, m.run_on);
        for (const auto& [i, cuts] : cut_open_) reach_all(i, cuts);
        for (const RunOn& r : run_on_) carry_to_next(r);
        return {std::move(input_), middles.slack, std::move(middles.edges), std::move(open_rings_), std::move(mouths_)};
    }

private:
    int add(const Curve& c) {
        input_.curves.push_back(c);
        return static_cast<int>(input_.curves.size()) - 1;
    }

    // The cuts that open a closed surface go past all that the wall may end at.
    void reach_all(std::size_t i, const std::vector<int>& cuts) {
        constexpr double clear = 0.5;  // thicknesses
        const WallSurface& w = walls_[i];
        std::vector<Vec3> points = w.extent;
        for (int c : input_.sheets[i].curves)
            if (std::find(cuts.begin(), cuts.end(), c) == cuts.end())
                for (double share : {0.0, 0.25, 0.5, 0.75, 1.0}) points.push_back(input_.curves[ix(c)].point(input_.curves[ix(c)].parameter_at(share)));
        const std::vector<Curve> wanted = w.chart.cuts(points, clear * w.thickest), longer = w.chart.cuts(points, past_extent * w.thickest);
        for (std::size_t k = 0; k < cuts.size(); ++k) {
            Curve& c = input_.curves[ix(cuts[k])];
            const auto reached = [&](const Vec3& p) { return (c.point(c.nearest(p)) - p).norm() <= 10 * tol_; };
            if (!reached(wanted[k].start()) || !reached(wanted[k].end())) c = longer[k];
        }
    }
    static constexpr double past_extent = 3;  // thicknesses

    void share(std::size_t i, std::size_t j, const Curve& c) {
        const int k = add(c);
        input_.sheets[i].curves.push_back(k);
        input_.sheets[j].curves.push_back(k);
    }

    void add_crossing(std::size_t i, std::size_t j) {
        const WallSurface &a = walls_[i], &b = walls_[j];
        if (met_at_corner(i, j) || met_at_corner(j, i)) return;
        if (a.chart.flat() && b.chart.flat()) add_line_crossing(i, j);
        else {
            const double margin = a.thickest + b.thickest;
            const Box3 range = widened(a.box, margin).intersection(widened(b.box, margin));
            if (range.isEmpty()) return;
            // Searched on the smaller of both: there the grid is finer.
            const bool first = a.box.sizes().norm() <= b.box.sizes().norm();
            const WallSurface &on = first ? a : b, &other = first ? b : a;
            const std::vector<Curve> found = crossings(on.chart, other.chart, range, on.extent, margin, tol_);
            const auto open = [&](const Curve& c) { return !c.closed(tol_); };
            const bool tubes = !a.chart.flat() && !b.chart.flat() && !a.wall->bend && !b.wall->bend;
            if (tubes && !found.empty() && std::all_of(found.begin(), found.end(), open)) open_rings_.insert({i, j});
            for (const Curve& c : found)
                for (const Curve& k : outside_bends(i, j, c)) share(i, j, k);
        }
    }

    // What of a crossing is left where no bend stands that both go on in smoothly, the one perhaps through another bend.
    std::vector<Curve> outside_bends(std::size_t i, std::size_t j, const Curve& c) const {
        const auto near = smooth_in_two(i), other = smooth_in_two(j);
        std::vector<Box3> bends;
        for (const auto& [s, steps] : near)
            if (const auto it = other.find(s); it != other.end() && steps + it->second <= 3 && (walls_[s].wall->bend || goes_on_all_round(skin_, walls_, s)))
                bends.push_back(widened(walls_[s].box, walls_[s].thickest));
        if (bends.empty()) return {c};
        constexpr int n = 64;
        const auto at = [&](int k) { return c.t0 + (c.t1 - c.t0) * k / n; };
        std::vector<Curve> out;
        int from = -1;
        for (int k = 0; k <= n + 1; ++k) {
            const bool in = k > n || std::any_of(bends.begin(), bends.end(), [&](const Box3& b) { return b.contains(c.point(at(k))); });
            if (!in && from < 0) from = k;
            if (!in || from < 0) continue;
            if (from == 0 && k > n) return {c};
            if (k - 1 > from) out.push_back(c.piece(at(from), at(k - 1)));
            from = -1;
        }
        return out;
    }

    // Does wall `j` go on smoothly in what a wall that does so all round goes on in? Those touch in a corner, or not at all.
    bool met_at_corner(std::size_t i, std::size_t j) const { return goes_on_all_round(skin_, walls_, i) && smooth_in_two(i).count(j) > 0; }

    // Walls that go on smoothly from one, and from those: with the number of steps.
    std::map<std::size_t, int> smooth_in_two(std::size_t i) const {
        std::map<std::size_t, int> out;
        for (std::size_t s : walls_[i].smooth) out.emplace(s, 1);
        for (std::size_t s : walls_[i].smooth)
            for (std::size_t k : walls_[s].smooth)
                if (k != i) out.emplace(k, 2);
        return out;
    }

    // The line both mid planes share, as far as both sections reach.
    void add_line_crossing(std::size_t i, std::size_t j) {
        const WallSurface &a = walls_[i], &b = walls_[j];
        const Frame &fa = a.chart.plane(), &fb = b.chart.plane();
        const Vec3 d = fa.z.cross(fb.z).normalized();
        // Point on both planes nearest to the middle of the first section.
        const Vec3 m = a.box.center();
        Eigen::Matrix3d rows;
        rows << fa.z.transpose(), fb.z.transpose(), d.transpose();
        const Vec3 p = rows.fullPivLu().solve(Vec3(fa.z.dot(fa.origin), fb.z.dot(fb.origin), d.dot(m)));
        double lo = -std::numeric_limits<double>::max(), hi = -lo;
        const double margin = 0.1 * std::max(a.thickest, b.thickest) + 10 * tol_;
        for (const WallSurface* w : {&a, &b})
            for (int k = 0; k < 3; ++k) {
                if (std::abs(d[k]) < 1e-9) {
                    if (p[k] < w->box.min()[k] - margin || p[k] > w->box.max()[k] + margin) return;
                    continue;
                }
                const double u = (w->box.min()[k] - margin - p[k]) / d[k], v = (w->box.max()[k] + margin - p[k]) / d[k];
                lo = std::max(lo, std::min(u, v)), hi = std::min(hi, std::max(u, v));
            }
        if (hi - lo > 4 * tol_) share(i, j, Curve::segment(p + lo * d, p + hi * d));
    }

    double crossing_reach(std::size_t i, const Vec3& p) const {
        double reach = 0;
        for (std::size_t j : near_at(walls_, i, p)) {
            const bool flat = walls_[i].chart.flat() && walls_[j].chart.flat();
            const double sine = flat ? walls_[i].chart.plane().z.cross(walls_[j].chart.plane().z).norm() : 0.5;
            reach = std::max(reach, walls_[j].thickest / sine);
        }
        return reach == 0 ? 0 : 1.05 * reach + 10 * tol_;
    }

    // Where the section turns inward, both sides are carried on through the material of the wall that is met there, so
    // that a wall lower than the one it ends at does not take a strip of it along.
    void add_corner_cuts(std::size_t i) {
        if (walls_[i].near.empty()) return;
        for (const auto& loop : walls_[i].loops)
            for (std::size_t k = 0; k < loop.size(); ++k) {
                const Curve &in = loop[k], &out = loop[(k + 1) % loop.size()];
                const Vec3 din = in.derivative(in.t1).normalized(), dout = out.derivative(out.t0).normalized();
                if (walls_[i].chart.plane().z.dot(din.cross(dout)) > -0.15) continue;
                const Vec3 at = in.end();
                const double reach = crossing_reach(i, at);
                if (reach == 0) continue;
                for (const Vec3& d : {din, Vec3(-dout)}) input_.sheets[i].curves.push_back(add(Curve::segment(at, at + reach * d)));
            }
    }

    // Where the outline leaves a straight line and comes back to it within the size of an opening, the line goes on.
    void add_mouths(std::size_t i) {
        constexpr std::size_t longest = 16;  // pieces of outline a notch may have
        for (const auto& loop : walls_[i].loops)
            for (std::size_t k = 0; k < loop.size(); ++k) {
                for (std::size_t m = 2; m <= std::min(longest, loop.size() - 1); ++m) {
                    const Curve& next = loop[(k + m) % loop.size()];
                    if ((next.start() - loop[k].end()).norm() > openings_ || !in_line(loop[k], next)) continue;
                    mouths_.insert(add(Curve::segment(loop[k].end(), next.start())));
                    input_.sheets[i].curves.push_back(*mouths_.rbegin());
                    break;
                }
            }
    }

    [[nodiscard]] bool in_line(const Curve& before, const Curve& next) const {
        const Vec3 d = before.derivative(before.t1).normalized(), run = next.start() - before.end();
        return run.norm() > 10 * tol_ && run.dot(d) > 0 && run.cross(d).norm() <= 10 * tol_ && next.derivative(next.t0).normalized().cross(d).norm() <= 1e-3;
    }

    // A bore along a flat wall may cut its outline in pieces: the line goes on past each of its ends.
    void add_bore_ends(std::size_t i) {
        constexpr double widest = 4;  // thicknesses
        const WallSurface& w = walls_[i];
        const Vec3 reach = Vec3::Constant(widest * w.thickest);
        std::vector<const Curve*> ends, starts;
        std::vector<Box3> boxes;
        for (const auto& loop : w.loops)
            for (std::size_t k = 0; k < loop.size(); ++k) {
                const Curve &c = loop[k], &next = loop[(k + 1) % loop.size()];
                if (c.derivative(c.t1).normalized().cross(next.derivative(next.t0).normalized()).norm() < least_crossing) continue;
                ends.push_back(&c), starts.push_back(&next);
                boxes.emplace_back(next.start(), next.start());
            }
        const BoxTree tree(boxes);
        for (const Curve* c : ends)
            for (const int k : tree.touching(Box3(c->end() - reach, c->end() + reach))) {
                const Curve& next = *starts[ix(k)];
                if (!in_line(*c, next)) continue;
                const Vec3 run = next.start() - c->end(), aside = 0.05 * w.thickest * w.chart.plane().z.cross(run).normalized();
                const Vec3 middle = c->end() + 0.5 * run;
                const auto bore = [&](const Vec3& p) { return !in_material(body_, w, p) && bores_.hold(i, p); };
                if (!bore(middle + aside) && !bore(middle - aside)) continue;
                input_.sheets[i].curves.push_back(add(Curve::segment(c->end(), next.start())));
            }
    }

    // The same on curved walls, where the outline is a set of loose pieces: at a corner that turns inward, each piece would
    // run on into the material behind the other one's face.
    void add_bent_corner_cuts(std::size_t i) {
        const WallSurface& w = walls_[i];
        if (w.near.empty()) return;
        struct End {
            Vec3 at, away;
        };
        std::vector<End> ends;
        for (const Curve& c : w.outline) {
            if (c.closed(tol_)) continue;
            ends.push_back({c.start(), c.derivative(c.t0).normalized()});
            ends.push_back({c.end(), -c.derivative(c.t1).normalized()});
        }
        for (std::size_t k = 0; k < ends.size(); ++k)
            for (std::size_t m = k + 1; m < ends.size(); ++m) {
                if ((ends[k].at - ends[m].at).norm() > 4 * tol_ || ends[k].away.cross(ends[m].away).norm() < 0.15) continue;
                const Vec3 between = (ends[k].away + ends[m].away).normalized();
                const double step = 0.05 * w.thickest;
                if (body_.tree->encloses(w.chart.foot(ends[k].at + step * between))) continue;  // an outer corner
                const double reach = crossing_reach(i, ends[k].at);
                if (reach == 0) continue;
                for (const End* e : {&ends[k], &ends[m]}) {
                    input_.sheets[i].curves.push_back(add(along(w.chart, e->at, -e->away, reach)));
                    run_on_.push_back({i, input_.sheets[i].curves.back(), e->at, -e->away, reach});
                }
            }
    }

    // What was carried on past a corner, and from where.
    struct RunOn {
        std::size_t wall;
        int curve;
        Vec3 at, direction;
        double reach;
    };

    // Through a wall met at a flat angle it is further than the reach: where nothing is met by then, on to what is next.
    void carry_to_next(const RunOn& r) {
        constexpr double longest = 2.5;  // times the reach
        if (next_met(r, input_.curves[ix(r.curve)])) return;
        const Curve longer = along(walls_[r.wall].chart, r.at, r.direction, longest * r.reach);
        if (const auto t = next_met(r, longer)) input_.curves[ix(r.curve)] = longer.piece(longer.t0, std::min(longer.t1, *t + 20 * tol_));
    }

    // The first place at which one that was carried on meets another curve of its wall.
    std::optional<double> next_met(const RunOn& r, const Curve& c) const {
        std::optional<double> out;
        for (int k : input_.sheets[r.wall].curves) {
            if (k == r.curve) continue;
            for (const auto& [t, u] : meets(c, input_.curves[ix(k)], tol_))
                if ((c.point(t) - r.at).norm() > 10 * tol_ && (!out || t < *out)) out = t;
        }
        return out;
    }

    static Curve along(const Chart& chart, const Vec3& from, const Vec3& direction, double reach) {
        constexpr int n = 12;
        std::vector<Vec3> points{from}, tangents{direction};
        Vec3 d = direction;
        for (int k = 1; k <= n; ++k) {
            const Vec3 p = chart.foot(points.back() + reach / n * d);
            d = (p - points.back()).normalized();
            points.push_back(p);
            const Vec3 normal = chart.normal(p);
            d = (d - d.dot(normal) * normal).normalized();
            tangents.push_back(d);
        }
        return curve_through(points, tangents, 1e-6, Tangents::estimated);
    }

    // Edges of a wall's faces past which the material is another's: the sheet may be cut there.
    void add_step_cuts(std::size_t i) {
        const WallSurface& w = walls_[i];
        std::set<int> edges = edges_of(body_, w);
        for (int e : smooth_edges(w)) edges.erase(e);  // middle edges stand for those
        for (int e : edges) {
            const BodyEdge& edge = body_.edges[ix(e)];
            if (edge.degenerate) continue;
            if (w.chart.flat() && edge.curve.is_line()) add_straight_step(i, edge.curve);
            else add_end_at_solid(i, edge.curve);
        }
    }

    // Where a wall's face ends at solid material, its midsurface does.
    void add_end_at_solid(std::size_t i, const Curve& edge) {
        const WallSurface& w = walls_[i];
        const Curve c = foot_curve(w.chart, edge, tol_);
        if (c.length() <= 10 * tol_) return;
        bool needed = false;
        for (const double share : {0.13, 0.5, 0.87})
            for (const double sign : {1.0, -1.0}) {
                const double t = c.parameter_at(share);
                const Vec3 at = c.point(t), side = sign * w.chart.normal(at).cross(c.derivative(t)).normalized();
                const Vec3 p = w.chart.foot(at + 2 * known_depth(i, at) * side), q = w.chart.foot(at - 0.3 * w.wall->thickness * side);
                needed = needed || (in_material(body_, w, p) && solid(i, p, side) && in_material(body_, w, q) && supported(body_, w, q));
            }
        if (!needed && !w.cut_by_edges) return;
        const bool closed = c.closed(tol_);
        input_.sheets[i].curves.push_back(add(closed ? c : ending_at(c, at_outline(i, c.start()), at_outline(i, c.end()))));
        if (!closed) carry_to_rim(i, c);
    }

    // An edge may end at a round along the rim: the midsurface goes on to where it leaves the body.
    void carry_to_rim(std::size_t i, const Curve& c) {
        const WallSurface& w = walls_[i];
        for (const bool start : {true, false}) {
            const Vec3 end = start ? c.start() : c.end(), out = (start ? -c.derivative(c.t0) : c.derivative(c.t1)).normalized();
            if (!in_material(body_, w, w.chart.foot(end + 0.05 * w.wall->thickness * out))) continue;
            const Curve on = along(w.chart, end, out, w.thickest);
            double rim = std::numeric_limits<double>::max();
            for (const Curve& k : w.outline)
                for (const auto& [t, u] : meets(on, k, tol_)) rim = std::min(rim, t);
            if (rim <= on.t1) input_.sheets[i].curves.push_back(add(on.piece(on.t0, std::min(on.t1, rim + 20 * tol_))));
        }
    }

    // The foot of a corner of the skin is not quite where the midsurface leaves the solid beside it, on walls that taper and twist.
    Vec3 at_outline(std::size_t i, const Vec3& end) const {
        constexpr double beside = 0.1;  // thicknesses
        const WallSurface& w = walls_[i];
        const NearestCurve at = nearest_curve(
            w.outline.size(), end, [&](std::size_t k) { return &w.outline[k]; }, beside * w.wall->thickness);
        return at.number >= 0 ? at.point : end;
    }

    // How thick the wall and what may cross it at a point are.
    double known_depth(std::size_t i, const Vec3& p) const {
        double known = walls_[i].thickest;
        for (std::size_t j : near_at(walls_, i, p)) known = std::max(known, walls_[i].thickest + walls_[j].thickest);
        return known;
    }

    // Solid on one side at least: deep along the normal and all round it, as over the foot of a rib it is not.
    bool solid(std::size_t i, const Vec3& p, const Vec3& side) const {
        const WallSurface& w = walls_[i];
        if (supported(body_, w, p)) return false;
        const double enough = deep * known_depth(i, p);
        const Frame f = Frame::with_zx(p, w.chart.normal(p), side);  // aligned with the edge: the answer must not turn with the part
        for (const double sign : {1.0, -1.0}) {
            bool all = true;
            for (const Vec3& d : {Vec3(f.z), Vec3(f.z + f.x), Vec3(f.z - f.x), Vec3(f.z + f.y), Vec3(f.z - f.y)}) {
                const Vec3 way = (d.dot(f.z) * sign * f.z + d.dot(f.x) * f.x + d.dot(f.y) * f.y).normalized();
                const auto hit = body_.tree->shoot(p, way, 0);
                all = all && hit && hit->distance > enough;
            }
            if (all) return true;
        }
        return false;
    }

    // Material far deeper than the wall and those it may cross: the wall ends there.
    bool bulk(std::size_t i, const Vec3& p) const {
        const WallSurface& w = walls_[i];
        if (supported(body_, w, p)) return false;
        const Vec3 n = w.chart.normal(p);
        const auto up = body_.tree->shoot(p, n, 0), down = body_.tree->shoot(p, -n, 0);
        return up && down && std::min(up->distance, down->distance) > deep * known_depth(i, p);
    }

    // Edges at which the wall's faces go on smoothly in those of another wall.
    std::set<int> smooth_edges(const WallSurface& w) const {
        std::set<int> out, others;
        for (std::size_t j : w.smooth)
            for (const std::vector<int>* faces : {&walls_[j].tops, &walls_[j].bottoms}) others.insert(faces->begin(), faces->end());
        for (const std::vector<int>* faces : {&w.tops, &w.bottoms})
            for (int f : *faces)
                for (const auto& l : skin_.neighbours.of[ix(f)])
                    if (l.smooth && others.count(l.other)) out.insert(l.edge);
        return out;
    }

    void add_straight_step(std::size_t i, const Curve& c) {
        const WallSurface& w = walls_[i];
        const Vec3 a = w.chart.foot(c.start()), b = w.chart.foot(c.end());
        if ((b - a).norm() <= 10 * tol_) return;
        const Vec3 d = (b - a).normalized(), side = w.chart.plane().z.cross(d);
        bool needed = false;
        for (const double sign : {1.0, -1.0})
            for (const double share : {0.13, 0.5, 0.87}) {
                const Vec3 at = a + share * (b - a), p = at + sign * 0.05 * w.wall->thickness * side, q = at + sign * 2 * known_depth(i, at) * side;
                needed = needed || (in_material(body_, w, p) && (foreign(body_, walls_, i, p, tol_) || bulk(i, p)));
                needed = needed || (in_material(body_, w, p) && !supported(body_, w, p) && in_material(body_, w, q) && solid(i, q, side));
            }
        if (needed) input_.sheets[i].curves.push_back(add(Curve::segment(a - 20 * tol_ * d, b + 20 * tol_ * d)));
    }

    const Body& body_;
    const Skin& skin_;
    const std::vector<WallSurface>& walls_;
    const Bores& bores_;
    double tol_, slack_, openings_;
    ArrangementInput input_;
    std::vector<RunOn> run_on_;
    std::map<std::size_t, std::vector<int>> cut_open_;  // of each wall that closes on itself
    std::set<std::size_t> open_rings_;
    std::set<int> mouths_;
};

}  // namespace

WallCurves wall_curves(const Body& body, const Skin& skin, const std::vector<WallSurface>& walls, const Bores& bores, double tol, double slack,
                       double openings) {
    return Collector(body, skin, walls, bores, tol, slack, openings).run();
}

}  // namespace halvo
