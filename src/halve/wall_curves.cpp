#include "halve/wall_curves.hpp"

#include "body/surface_cut.hpp"
#include "geom/facet_tree.hpp"
#include "geom/nearest_curve.hpp"
#include "geom/rounds.hpp"
#include "halve/limits.hpp"
#include "halve/wall_neighbours.hpp"
#include "halve/wall_steps.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

std::size_t ix(int i) {
    return static_cast<std::size_t>(i);
}

constexpr double corner_reach = 0.02;  // of the thickness, within which ends of middle edges are one corner: more apart, rounds are no offsets of each other
constexpr double deep = 1.5;           // material reaching this many thicknesses to both sides is no wall's

class Collector {
public:
    Collector(const Body& body, const Skin& skin, const std::vector<WallSurface>& walls, double tol, double slack, double openings)
        : body_(body), skin_(skin), walls_(walls), tol_(tol), slack_(slack), openings_(openings) {}

    WallCurves run() {
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            input_.sheets.push_back({walls_[i].chart, {}});
            if (fills_corner(i)) continue;  // it leaves the body nowhere: what is carried on past its neighbours' edges does
            for (const Curve& c : walls_[i].outline) input_.sheets.back().curves.push_back(add(c));
        }
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            const WallSurface& w = walls_[i];
            if (w.chart.flat()) {
                add_corner_cuts(i);
                if (openings_ > 0) add_mouths(i);
            } else {
                add_bent_corner_cuts(i);
                for (const Curve& c : w.chart.cuts(w.extent, 3 * w.thickest)) {
                    input_.cuts.push_back(add(c));
                    input_.sheets[i].curves.push_back(input_.cuts.back());
                }
            }
            if (w.wall->twin > static_cast<int>(i)) {
                const auto& ball = std::get<SphereSurface>(w.chart.surface());
                share(i, ix(w.wall->twin), Curve{CircleCurve{Frame::with_z(ball.frame.origin, w.wall->half->normal), ball.radius}, 0, 2 * pi});
            }
            add_step_cuts(i);
            for (Curve& c : ends_at_pads(body_, walls_, i, tol_)) input_.sheets[i].curves.push_back(add(std::move(c)));
            for (Curve& c : thickness_steps(body_, w, tol_)) {
                input_.steps.push_back(add(std::move(c)));
                input_.sheets[i].curves.push_back(input_.steps.back());
            }
            for (std::size_t j : w.near)
                if (i < j) add_crossing(i, j);
            for (std::size_t j : w.smooth)
                if (i < j) add_middle_edges(i, j);
        }
        place_middle_edges();
        WallCurves out{std::move(input_), slack_, {}, std::move(mouths_)};
        for (const MiddleEdge& m : middles_) out.middles.push_back({m.i, m.j, m.curve});
        return out;
    }

private:
    struct MiddleEdge {
        std::size_t i, j;  // walls
        Curve curve;
        std::array<bool, 2> settled{};  // the end is a corner that it shares with others
        bool exact = false;             // both surfaces touch each other along it
    };

    // Where three walls or more go on smoothly round a corner (a moulded part's), their middle edges end at one point. On unlike rounds
    // they miss each other a little there: each is led to the mean of their ends, or of those that are known exactly.
    void place_middle_edges() {
        struct End {
            std::size_t edge;
            std::size_t which;
            Vec3 at;
        };
        std::vector<End> ends;
        for (std::size_t k = 0; k < middles_.size(); ++k)
            if (!middles_[k].curve.closed(tol_)) ends.push_back({k, 0, middles_[k].curve.start()}), ends.push_back({k, 1, middles_[k].curve.end()});
        std::vector<bool> done(ends.size(), false);
        std::vector<std::array<Vec3, 2>> target(middles_.size());
        for (std::size_t e = 0; e < ends.size(); ++e) {
            if (done[e]) continue;
            const MiddleEdge& own = middles_[ends[e].edge];
            const double near = corner_reach * std::min(walls_[own.i].thickest, walls_[own.j].thickest);
            std::vector<std::size_t> group;
            std::set<std::size_t> walls;
            Vec3 sum = Vec3::Zero(), exact_sum = Vec3::Zero();
            double apart = 0, exact = 0;
            for (std::size_t f = e; f < ends.size(); ++f) {
                if (done[f] || (ends[f].at - ends[e].at).norm() > near) continue;
                group.push_back(f), walls.insert({middles_[ends[f].edge].i, middles_[ends[f].edge].j});
                sum += ends[f].at, apart = std::max(apart, (ends[f].at - ends[e].at).norm());
                if (middles_[ends[f].edge].exact) exact_sum += ends[f].at, ++exact;
            }
            const auto count = static_cast<double>(group.size());
            if (count < 3 || walls.size() > group.size() || exact == count || (exact == 0 && apart <= 4 * tol_)) continue;
            for (std::size_t f : group) {
                done[f] = true;
                middles_[ends[f].edge].settled[ends[f].which] = true;
                target[ends[f].edge][ends[f].which] = exact > 0 ? Vec3(exact_sum / exact) : Vec3(sum / count);
            }
        }
        for (std::size_t k = 0; k < middles_.size(); ++k) {
            MiddleEdge& m = middles_[k];
            if (m.settled[0] || m.settled[1]) m.curve = led_to(m, target[k]);
            if (m.curve.length() > 4 * tol_) share(m.i, m.j, run_on(m));
        }
    }

    static Curve led_to(const MiddleEdge& m, const std::array<Vec3, 2>& target) {
        return ending_at(m.curve, m.settled[0] ? target[0] : m.curve.start(), m.settled[1] ? target[1] : m.curve.end());
    }

    // A curve with ends a little elsewhere.
    static Curve ending_at(const Curve& c, const Vec3& a, const Vec3& b) {
        const Vec3 da = a - c.start(), db = b - c.end();
        if (da.isZero() && db.isZero()) return c;
        if (c.is_line()) return Curve::segment(a, b);
        std::vector<Vec3> points, tangents;
        const int n = 24;
        for (int k = 0; k <= n; ++k) {
            const double w = static_cast<double>(k) / n, t = c.t0 + w * (c.t1 - c.t0);
            points.emplace_back(c.point(t) + (1 - w) * da + w * db);
            tangents.push_back((c.derivative(t) + (db - da) / (c.t1 - c.t0)).normalized());
        }
        return Curve::polyline(std::move(points), std::move(tangents));
    }

    int add(const Curve& c) {
        input_.curves.push_back(c);
        return static_cast<int>(input_.curves.size()) - 1;
    }

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
            for (const Curve& c : crossings(on.chart, other.chart, range, on.extent, margin, tol_))
                for (const Curve& k : outside_bends(i, j, c)) share(i, j, k);
        }
    }

    // What of a crossing is left where no bend stands that both go on in smoothly, the one perhaps through another bend.
    std::vector<Curve> outside_bends(std::size_t i, std::size_t j, const Curve& c) const {
        const auto near = smooth_in_two(i), other = smooth_in_two(j);
        std::vector<Box3> bends;
        for (const auto& [s, steps] : near)
            if (const auto it = other.find(s); (walls_[s].wall->bend || goes_on_all_round(s)) && it != other.end() && steps + it->second <= 3)
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

    // Corners of moulded and pressed parts: all that a wall's faces border on are faces of walls that it goes on smoothly in.
    bool goes_on_all_round(std::size_t i) const {
        const WallSurface& w = walls_[i];
        if (w.chart.flat()) return false;
        std::set<int> own(w.tops.begin(), w.tops.end()), others;
        own.insert(w.bottoms.begin(), w.bottoms.end());
        for (std::size_t j : w.smooth)
            for (const std::vector<int>* faces : {&walls_[j].tops, &walls_[j].bottoms}) others.insert(faces->begin(), faces->end());
        return std::all_of(own.begin(), own.end(), [&](int f) {
            const auto& links = skin_.neighbours.of[ix(f)];
            return std::all_of(links.begin(), links.end(), [&](const auto& l) { return own.count(l.other) > 0 || others.count(l.other) > 0; });
        });
    }

    bool fills_corner(std::size_t i) const { return std::holds_alternative<FreeSurface>(walls_[i].chart.surface()) && goes_on_all_round(i); }

    // Does wall `j` go on smoothly in what a wall that does so all round goes on in? Those touch in a corner, or not at all.
    bool met_at_corner(std::size_t i, std::size_t j) const { return smooth_in_two(i).count(j) > 0 && goes_on_all_round(i); }

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

    // Between walls that go on smoothly: half-way between the edges where their faces meet on either side.
    void add_middle_edges(std::size_t i, std::size_t j) {
        const WallSurface &a = walls_[i], &b = walls_[j];
        const std::set<int> own = going_on(a), others = going_on(b);
        const auto edges = [&](bool top_a, bool kinked) {
            // The sides that lie on one side of both: told by the faces that are linked.
            std::vector<int> out;
            const auto& fa = top_a ? a.tops : a.bottoms;
            for (int f : std::set<int>(fa.begin(), fa.end()))
                for (const auto& l : skin_.neighbours.of[ix(f)])
                    if ((l.smooth || kinked) && own.count(f) && others.count(l.other)) out.push_back(l.edge);
            return out;
        };
        auto up = edges(true, false), down = edges(false, false);
        // Patches that fill narrow corners may not be quite smooth.
        if (up.empty() != down.empty() && (fills_corner(i) || fills_corner(j))) (up.empty() ? up : down) = edges(up.empty(), true);
        if (up.size() < down.size() || up.empty()) std::swap(up, down);
        for (int e : up) middle_edge(i, j, body_.edges[ix(e)].curve, down);
    }

    void middle_edge(std::size_t i, std::size_t j, const Curve& edge, const std::vector<int>& opposite) {
        const WallSurface &a = walls_[i], &b = walls_[j];
        const double reach = 2 * std::max(a.thickest, b.thickest);
        std::vector<Vec3> points;
        double miss = 0, apart = 0;
        const int n = edge.is_line() ? 4 : 48;
        const auto along = fills_corner(i) || fills_corner(j) ? running_along(edge, opposite, 0.75 * reach) : std::nullopt;
        for (int k = 0; k <= n; ++k) {
            const double share = static_cast<double>(k) / n;
            const Vec3 p = edge.point(along ? edge.parameter_at(share) : edge.t0 + share * (edge.t1 - edge.t0));
            Vec3 q = along ? along->point(along->parameter_at(share)) : p;
            double best = reach;
            for (std::size_t e = 0; !along && e < opposite.size(); ++e) {
                const Curve& c = body_.edges[ix(opposite[e])].curve;
                const double t = c.nearest(p);
                const double d = (c.point(t) - p).norm();
                // Past its end the other edge says nothing of this place.
                const bool inside = t > c.t0 && t < c.t1;
                if (d < best && (inside || d < 0.75 * reach)) best = d, q = c.point(t);
            }
            Vec3 m = q == p ? a.chart.foot(p) : Vec3(0.5 * (p + q));
            m = onto_both(a, b, m, apart);
            points.push_back(m);
            miss = std::max(miss, apart);
        }
        if (const auto touching = touching_curve(a.chart.surface(), b.chart.surface(), 10 * tol_)) {
            middles_.push_back({i, j, as_far_as(*touching, points), {}, true});
            return;
        }
        if (touch_in_a_point(a.chart.surface(), b.chart.surface())) return;
        // Neighbours whose sides are no true offsets (a sharper bend inside than goes with the outside) miss each other a little.
        if (miss <= 0.1 * std::min(a.thickest, b.thickest)) slack_ = std::max(slack_, 1.5 * miss);
        const Curve c = curve_through(points, std::max(tol_, 0.5 * slack_));
        middles_.push_back({i, j, c, {}, false});
    }

    // The only edge opposite to a bent one, if it runs from where that begins to where it ends: in corners their ends are opposite to each
    // other, whatever lies nearest.
    std::optional<Curve> running_along(const Curve& edge, const std::vector<int>& opposite, double reach) const {
        if (opposite.size() != 1 || edge.is_line() || edge.closed(tol_)) return std::nullopt;
        const Curve& c = body_.edges[ix(opposite[0])].curve;
        const auto ends = [&](const Curve& k) { return std::max((k.start() - edge.start()).norm(), (k.end() - edge.end()).norm()); };
        const Curve turned = c.reversed();
        const bool same = ends(c) <= ends(turned);
        if (c.is_line() || c.closed(tol_) || ends(same ? c : turned) > reach) return std::nullopt;
        return same ? c : turned;
    }

    // A point on both midsurfaces; where they only nearly touch, half-way between. What is fitted and carried on beyond what its sides tell
    // would lead far along what it touches: where both are near, or that far away, the point stays, on the one that is exact.
    Vec3 onto_both(const WallSurface& a, const WallSurface& b, const Vec3& from, double& apart) const {
        const auto fitted = [](const WallSurface& w) { return std::holds_alternative<FreeSurface>(w.chart.surface()); };
        const double near = corner_reach * std::min(a.thickest, b.thickest);
        const Vec3 on_a = a.chart.foot(from), on_b = b.chart.foot(from);
        apart = (on_a - on_b).norm();
        const Vec3 stays = fitted(a) ? on_b : on_a;
        if (fitted(a) != fitted(b) && apart <= near) return stays;
        const double there = apart;
        Vec3 m = from;
        for (int r = 0; r < 50; ++r) {
            const Vec3 u = a.chart.foot(m), v = b.chart.foot(m), next = 0.5 * (u + v);
            apart = (u - v).norm();
            const double moved = (next - m).norm();
            m = next;
            if (moved < 1e-10) break;
        }
        if (fitted(a) == fitted(b) || (m - 0.5 * (on_a + on_b)).norm() <= near) return m;
        apart = there;
        return stays;
    }

    // A ball on a plane, a round or another ball that its own rounds touch, too: CAD gives their faces a short edge there.
    bool touch_in_a_point(const Surface& a, const Surface& b) const {
        for (const auto& [s, other] : {std::pair(&a, &b), std::pair(&b, &a)})
            if (const auto* ball = std::get_if<SphereSurface>(s)) {
                const auto foot = surface_foot(*other, ball->frame.origin);
                if (foot && std::abs((*foot - ball->frame.origin).norm() - ball->radius) <= 100 * tol_) return true;
            }
        return false;
    }

    // The part of a line or circle that points next to it span.
    static Curve as_far_as(Curve c, const std::vector<Vec3>& points) {
        if (const auto* line = std::get_if<LineCurve>(&c.shape)) {
            c.t0 = std::numeric_limits<double>::max(), c.t1 = -c.t0;
            for (const Vec3& p : points) {
                const double t = line->direction.dot(p - line->origin);
                c.t0 = std::min(c.t0, t), c.t1 = std::max(c.t1, t);
            }
            return c;
        }
        if (std::holds_alternative<PolylineCurve>(c.shape)) return c;  // a pipe's, that ends where it does
        const auto* circle = std::get_if<CircleCurve>(&c.shape);
        const auto angle = [&](const Vec3& p) {
            const Vec2 q = circle->frame.local2(p);
            return std::atan2(q.y(), q.x());
        };
        double at = angle(points[0]), least = at, most = at;
        for (const Vec3& p : points) {
            at += std::remainder(angle(p) - at, 2 * pi);
            least = std::min(least, at), most = std::max(most, at);
        }
        c.t0 = least, c.t1 = std::min(most, least + 2 * pi);
        if (c.t1 - c.t0 > 2 * pi - 1e-6) c.t1 = c.t0 + 2 * pi;
        return c;
    }

    // How far a middle edge is from the midsurfaces of walls across its end, where it comes to them straight on within their thickness.
    double to_walls_across(const MiddleEdge& m, const Vec3& end, const Vec3& way) const {
        constexpr double least_slope = 0.25;
        double most = 0;
        for (std::size_t i : {m.i, m.j})
            for (std::size_t k : near_at(i, end)) {
                const WallSurface& w = walls_[k];
                if (bend_between(walls_, m.i, k, end) || bend_between(walls_, m.j, k, end)) continue;
                const double slope = -way.dot(w.chart.normal(end)), h = w.chart.height(end) / slope;
                if (std::abs(slope) > least_slope && h > 0 && h * std::abs(slope) <= w.thickest) most = std::max(most, 1.05 * h);
            }
        return most;
    }

    // A straight or round middle edge ends where its faces' edges do. Rounded rims make the midsurface reach further, and so do walls
    // across its end: their midsurfaces are half their thickness on.
    Curve run_on(const MiddleEdge& m) const {
        const Curve& c = m.curve;
        const double more = 0.75 * std::max(walls_[m.i].thickest, walls_[m.j].thickest);
        const auto past = [&](std::size_t end, const Vec3& p, const Vec3& way) {
            return m.settled[end] ? 0 : std::max(more, to_walls_across(m, p, way.normalized()));
        };
        const double first = past(0, c.start(), -c.derivative(c.t0)), last = past(1, c.end(), c.derivative(c.t1));
        if (c.is_line()) return Curve::segment(c.point(c.t0 - first), c.point(c.t1 + last));
        if (const auto* k = std::get_if<CircleCurve>(&c.shape); k && c.t1 - c.t0 < 2 * pi - 1e-9) {
            const double most = 0.5 * (2 * pi - (c.t1 - c.t0));
            Curve out = c;
            out.t0 -= std::min(first / k->radius, most), out.t1 += std::min(last / k->radius, most);
            return out;
        }
        if (const auto* p = std::get_if<PolylineCurve>(&c.shape)) {  // as far as it is known
            Curve out = c;
            out.t0 = std::max(p->at.front(), c.t0 - first), out.t1 = std::min(p->at.back(), c.t1 + last);
            return out;
        }
        return c;
    }

    // Walls that may cross wall `i` near a point of it. Their boxes alone would say more of how the part stands.
    std::vector<std::size_t> near_at(std::size_t i, const Vec3& p) const {
        std::vector<std::size_t> out;
        for (std::size_t j : walls_[i].near) {
            const double both = walls_[i].thickest + walls_[j].thickest;
            if (walls_[j].box.squaredExteriorDistance(p) <= both * both && std::abs(walls_[j].chart.height(p)) <= both) out.push_back(j);
        }
        return out;
    }

    double crossing_reach(std::size_t i, const Vec3& p) const {
        double reach = 0;
        for (std::size_t j : near_at(i, p)) {
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
                const Vec3 from = loop[k].end(), d = loop[k].derivative(loop[k].t1).normalized();
                for (std::size_t m = 2; m <= std::min(longest, loop.size() - 1); ++m) {
                    const Curve& next = loop[(k + m) % loop.size()];
                    const Vec3 run = next.start() - from;
                    if (run.norm() > openings_ || run.norm() <= 10 * tol_ || run.dot(d) <= 0) continue;
                    if (run.cross(d).norm() > 10 * tol_ || next.derivative(next.t0).normalized().cross(d).norm() > 1e-3) continue;
                    mouths_.insert(add(Curve::segment(from, next.start())));
                    input_.sheets[i].curves.push_back(*mouths_.rbegin());
                    break;
                }
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
                for (const End* e : {&ends[k], &ends[m]}) input_.sheets[i].curves.push_back(add(along(w.chart, e->at, -e->away, reach)));
            }
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
        return curve_through(points, tangents, 1e-6);
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
        if (!needed) return;
        input_.sheets[i].curves.push_back(add(c.closed(tol_) ? c : ending_at(c, at_outline(i, c.start()), at_outline(i, c.end()))));
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
        for (std::size_t j : near_at(i, p)) known = std::max(known, walls_[i].thickest + walls_[j].thickest);
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
    double tol_, slack_, openings_;
    ArrangementInput input_;
    std::set<int> mouths_;
    std::vector<MiddleEdge> middles_;
};

}  // namespace

WallCurves wall_curves(const Body& body, const Skin& skin, const std::vector<WallSurface>& walls, double tol, double slack, double openings) {
    return Collector(body, skin, walls, tol, slack, openings).run();
}

}  // namespace halvo
