#include "halve/middle_edges.hpp"

#include "core/index.hpp"
#include "geom/rounds.hpp"
#include "halve/wall_neighbours.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr double most_missed = 0.03;   // of the thickness, by which middle edges may lie off the midsurfaces for all of the body to be taken that loosely
constexpr double corner_reach = 0.02;  // of the thickness, within which ends of middle edges are one corner: more apart, rounds are no offsets of each other

class Finder {
public:
    Finder(const Body& body, const Skin& skin, const std::vector<WallSurface>& walls, double tol, double slack)
        : body_(body), skin_(skin), walls_(walls), tol_(tol), slack_(slack) {}

    MiddleEdges run() {
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (std::size_t j : walls_[i].smooth)
                if (i < j) add_middle_edges(i, j);
        place_middle_edges();
        MiddleEdges out{{}, slack_};
        for (Found& m : middles_) out.edges.push_back(std::move(m));
        return out;
    }

private:
    struct Found : MiddleEdge {
        std::array<bool, 2> settled{};  // the end is a corner that it shares with others
        bool exact = false;             // both surfaces touch each other along it
    };

    // Where three walls or more go on smoothly round a corner (a moulded part's), their middle edges end at one point. On unlike rounds
    // they miss each other a little there: each is led to the mean of their ends, or of those that are known exactly and stay.
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
            const Found& own = middles_[ends[e].edge];
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
                middles_[ends[f].edge].settled[ends[f].which] = !middles_[ends[f].edge].exact;
                target[ends[f].edge][ends[f].which] = exact > 0 ? Vec3(exact_sum / exact) : Vec3(sum / count);
            }
        }
        for (std::size_t k = 0; k < middles_.size(); ++k) {
            Found& m = middles_[k];
            if (m.settled[0] || m.settled[1]) m.curve = led_to(m, target[k]);
            if (m.curve.length() > 4 * tol_) m.run_on = run_on(m);
        }
    }

    static Curve led_to(const Found& m, const std::array<Vec3, 2>& target) {
        return ending_at(m.curve, m.settled[0] ? target[0] : m.curve.start(), m.settled[1] ? target[1] : m.curve.end());
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
        if (up.empty() != down.empty() && (fills_corner(skin_, walls_, i) || fills_corner(skin_, walls_, j)))
            (up.empty() ? up : down) = edges(up.empty(), true);
        if (up.size() < down.size() || up.empty()) std::swap(up, down);
        for (int e : up) middle_edge(i, j, body_.edges[ix(e)].curve, down);
    }

    void middle_edge(std::size_t i, std::size_t j, const Curve& edge, const std::vector<int>& opposite) {
        const WallSurface &a = walls_[i], &b = walls_[j];
        const double reach = 2 * std::max(a.thickest, b.thickest);
        std::vector<Vec3> points;
        double miss = 0, apart = 0;
        const int n = edge.is_line() ? 4 : 48;
        const auto along = fills_corner(skin_, walls_, i) || fills_corner(skin_, walls_, j) ? running_along(edge, opposite, 0.75 * reach) : std::nullopt;
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
        const auto touching = touching_curve(a.chart.surface(), b.chart.surface(), 10 * tol_);
        if (touching && !overshoots(*touching, points)) {
            add(i, j, as_far_as(*touching, points), true);
            return;
        }
        if (touch_in_a_point(a.chart.surface(), b.chart.surface())) return;
        // Neighbours whose sides are no true offsets (a sharper bend inside than goes with the outside) miss each other a little.
        if (miss <= most_missed * std::min(a.thickest, b.thickest)) slack_ = std::max(slack_, 1.5 * miss);
        const Curve c = curve_through(points, std::max(tol_, 0.5 * slack_));
        add(i, j, c, false);
    }

    void add(std::size_t i, std::size_t j, const Curve& c, bool exact) {
        Found& m = middles_.emplace_back();
        m.i = i, m.j = j, m.curve = c, m.exact = exact;
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

    // A pipe that no neighbour is known to end goes on far past both of its middle edge's ends, or round its corner once more.
    [[nodiscard]] bool overshoots(const Curve& c, const std::vector<Vec3>& points) const {
        if (!std::holds_alternative<PolylineCurve>(c.shape)) return false;
        double length = 0;
        for (std::size_t k = 1; k < points.size(); ++k) length += (points[k] - points[k - 1]).norm();
        return c.length() > 1.5 * length + 100 * tol_;
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
    double to_walls_across(const Found& m, const Vec3& end, const Vec3& way) const {
        constexpr double least_slope = 0.25;
        double most = 0;
        for (std::size_t i : {m.i, m.j})
            for (std::size_t k : near_at(walls_, i, end)) {
                const WallSurface& w = walls_[k];
                if (bend_between(walls_, m.i, k, end) || bend_between(walls_, m.j, k, end)) continue;
                const double slope = -way.dot(w.chart.normal(end)), h = w.chart.height(end) / slope;
                if (std::abs(slope) > least_slope && h > 0 && h * std::abs(slope) <= w.thickest) most = std::max(most, 1.05 * h);
            }
        return most;
    }

    // A straight or round middle edge ends where its faces' edges do. Rounded rims make the midsurface reach further, and so do walls
    // across its end: their midsurfaces are half their thickness on.
    Curve run_on(const Found& m) const {
        const Curve& c = m.curve;
        const double more = 0.75 * std::max(walls_[m.i].thickest, walls_[m.j].thickest);
        const auto past = [&](std::size_t end, const Vec3& p, const Vec3& way) {
            return m.settled[end] ? 0 : std::max(more, to_walls_across(m, p, way.normalized()));
        };
        const double first = past(0, c.start(), -c.derivative(c.t0)), last = past(1, c.end(), c.derivative(c.t1));
        if (c.is_line()) return Curve::segment(c.point(c.t0 - first), c.point(c.t1 + last));
        double from = c.t0, to = c.t1;
        if (const auto* k = std::get_if<CircleCurve>(&c.shape); k && to - from < 2 * pi - 1e-9) {
            const double most = 0.5 * (2 * pi - (to - from));
            from -= std::min(first / k->radius, most), to += std::min(last / k->radius, most);
        } else if (const auto* p = std::get_if<PolylineCurve>(&c.shape)) {  // as far as it is known
            from = std::max(p->at.front(), from - first), to = std::min(p->at.back(), to + last);
        }
        return Curve{c.shape, from, to};
    }

    const Body& body_;
    const Skin& skin_;
    const std::vector<WallSurface>& walls_;
    double tol_, slack_;
    std::vector<Found> middles_;
};

}  // namespace

Curve ending_at(const Curve& c, const Vec3& a, const Vec3& b) {
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

MiddleEdges middle_edges(const Body& body, const Skin& skin, const std::vector<WallSurface>& walls, double tol, double slack) {
    return Finder(body, skin, walls, tol, slack).run();
}

}  // namespace halvo
