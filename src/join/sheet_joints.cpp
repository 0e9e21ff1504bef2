// Joints between sheets of different bodies: corners, tees, crosses, butts in one plane, laps face to face.
#include "geom/foot_curve.hpp"
#include "geom/outline.hpp"
#include "join/sheet_contacts.hpp"
#include "model/slab.hpp"

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr double least_crossing = 0.1;  // sine of the flattest angle between sheets that meet along a line
constexpr double parallel = 2e-3;       // sine below which two sheets run alongside
constexpr double along_skin = 0.05;     // the same where curved skins lie on each other
constexpr double drafted = 0.35;        // the same of midsurfaces whose walls' skins may lie on each other, both drafted

class SheetJoiner {
public:
    SheetJoiner(const Model& model, const ContactTable& contacts, JoinWork& work) : model_(model), contacts_(model, contacts, work), work_(work) {}

    void run() {
        for (const SheetState& s : work_.sheets) thickest_ = std::max(thickest_, s.thickest);
        std::vector<std::size_t> order(model_.sheets.size());
        for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
        const auto low = [&](std::size_t i) { return work_.sheets[i].box.min().x() - work_.sheets[i].thickest - work_.reach; };
        const auto high = [&](std::size_t i) { return work_.sheets[i].box.max().x() + work_.sheets[i].thickest + work_.reach; };
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return low(a) < low(b); });
        std::vector<std::pair<std::size_t, std::size_t>> pairs;
        for (std::size_t i = 0; i < order.size(); ++i)
            for (std::size_t j = i + 1; j < order.size() && low(order[j]) <= high(order[i]); ++j)
                if (candidates(order[i], order[j])) pairs.emplace_back(std::minmax(order[i], order[j]));
        std::sort(pairs.begin(), pairs.end());
        for (const auto& [a, b] : pairs) pair(a, b);
    }

private:
    const Sheet& sheet(std::size_t i) const { return model_.sheets[i]; }
    JointRecord between(JointKind kind, std::size_t a, std::size_t b) const {
        return joint_record(kind, sheet(a).key, sheet(a).body, sheet(b).key, sheet(b).body);
    }

    bool candidates(std::size_t a, std::size_t b) const {
        const bool one_body = sheet(a).body == sheet(b).body && sheet(a).body, flat = sheet(a).chart.flat() && sheet(b).chart.flat();
        if (one_body && flat && sheet(a).chart.plane().z.cross(sheet(b).chart.plane().z).norm() >= parallel) return false;  // their seams are made already
        Box3 box = work_.sheets[a].box;
        const double grow = work_.sheets[a].thickest + work_.sheets[b].thickest + work_.reach;
        box.min().array() -= grow, box.max().array() += grow;
        if (!box.intersects(work_.sheets[b].box)) return false;
        if (!one_body && contacts_.known() &&
            !contacts_.of_bodies().all().count({std::min(sheet(a).body, sheet(b).body), std::max(sheet(a).body, sheet(b).body)}))
            return false;
        return true;
    }

    void pair(std::size_t a, std::size_t b) {
        const Vec3 place = work_.sheets[a].box.intersection(work_.sheets[b].box).isEmpty() ? work_.sheets[a].box.center()
                                                                                           : work_.sheets[a].box.intersection(work_.sheets[b].box).center();
        if (sheet(a).body != sheet(b).body &&
            joint_choice(work_, &JointRule::edges, EdgesAs::carry, sheet(a).key, sheet(a).body, sheet(b).key, sheet(b).body, place) == EdgesAs::tie) {
            work_.tied.emplace_back(a, b);
            return;
        }
        if (!sheet(a).chart.flat() || !sheet(b).chart.flat()) {
            if (sheet(a).body == sheet(b).body && sheet(a).body) {
                run_together(a, b);
                return;
            }
            const std::size_t before = work_.joints.size();
            meet_curved(model_, contacts_, work_, a, b);
            if (work_.joints.size() == before) beside_curved(a, b);
            if (work_.joints.size() == before) lie_on_each_other(a, b);
            return;
        }
        const std::size_t before = work_.joints.size();
        const double sine = sheet(a).chart.plane().z.cross(sheet(b).chart.plane().z).norm();
        if (sine >= least_crossing) meet(a, b, sine);
        else if (sine < parallel) beside(a, b);
        if (work_.joints.size() == before) lie_on_each_other(a, b);
    }

    // Smallest gap of the solids near a piece of a line; nothing when they are not in contact there.
    std::optional<double> gap_near(std::size_t a, std::size_t b, const Vec3& p, const Vec3& q, double moved = 0) const {
        if (!contacts_.known()) return 0.0;
        const double near = work_.sheets[a].thickest + work_.sheets[b].thickest + work_.reach + moved;
        std::optional<double> best;
        for (const ContactPoint& c : contacts_.between(a, b)) {
            const Vec3 run = q - p;
            const double w = std::clamp((c.place - p).dot(run) / std::max(run.squaredNorm(), 1e-300), 0.0, 1.0);
            if ((c.place - (p + w * run)).norm() > near) continue;
            if (!best || c.gap < *best) best = c.gap;
        }
        return best;
    }

    double furthest(std::size_t from, std::size_t to, double sine) const {
        const double cosine = std::sqrt(std::max(0.0, 1 - sine * sine));
        return (work_.sheets[to].deepest + cosine * work_.sheets[from].deepest + work_.reach) / sine + 10 * work_.tol;
    }

    void meet(std::size_t a, std::size_t b, double sine) {
        const Frame &fa = sheet(a).chart.plane(), &fb = sheet(b).chart.plane();
        const Vec3 d = fa.z.cross(fb.z).normalized();
        Eigen::Matrix3d rows;
        rows << fa.z.transpose(), fb.z.transpose(), d.transpose();
        const Vec3 p = rows.fullPivLu().solve(Vec3(fa.z.dot(fa.origin), fb.z.dot(fb.origin), d.dot(work_.sheets[a].box.center())));
        const auto ra = exact(a, line_reaches(fa, work_.sheets[a], p, d, furthest(a, b, sine), work_.tol), p, d);
        if (ra.empty()) return;
        const auto rb = exact(b, line_reaches(fb, work_.sheets[b], p, d, furthest(b, a, sine), work_.tol), p, d);
        for (const LineReach& x : ra)
            for (const LineReach& y : rb) {
                const double lo = std::max(x.lo, y.lo), hi = std::min(x.hi, y.hi);
                if (hi - lo <= 10 * work_.tol) continue;
                join_along(a, b, x, y, p, d, lo, hi, sine);
            }
    }

    // Reaches end at the chords of a round border: moved onto the border itself.
    std::vector<LineReach> exact(std::size_t s, std::vector<LineReach> reaches, const Vec3& p, const Vec3& d) const {
        for (LineReach& r : reaches)
            if (!r.extension) r.lo = at_border(s, p, d, r.lo), r.hi = at_border(s, p, d, r.hi);
        return reaches;
    }

    double at_border(std::size_t s, const Vec3& p, const Vec3& d, double from) const {
        const double near = 2 * model_.tolerance.chord;
        for (const Region& r : sheet(s).regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) {
                    const Curve& c = model_.edges[u.edge.index()].curve;
                    if (c.is_line() || c.box().squaredExteriorDistance(p + from * d) > near * near) continue;
                    double t = from;
                    for (int k = 0; k < 40; ++k) t = (c.point(c.nearest(p + t * d)) - p).dot(d);
                    if (std::abs(t - from) <= near && (c.point(c.nearest(p + t * d)) - (p + t * d)).norm() <= work_.tol) return t;
                }
        return from;
    }

    void join_along(std::size_t a, std::size_t b, const LineReach& x, const LineReach& y, const Vec3& p, const Vec3& d, double lo, double hi, double sine) {
        const auto gap = gap_near(a, b, p + lo * d, p + hi * d, std::max(x.moved, y.moved));
        if (!gap) return;
        if (!contacts_.known()) {
            // By hand there are no solids to ask: an extension may bridge half the thickness and the reach.
            const auto too_far = [&](const LineReach& r, std::size_t other) {
                return r.extension && r.moved * sine - work_.sheets[other].deepest > work_.reach + 10 * work_.tol;
            };
            if (too_far(x, b) || too_far(y, a)) return;
        }
        JointRecord j = between(x.extension && y.extension ? JointKind::corner : x.extension || y.extension ? JointKind::tee : JointKind::cross, a, b);
        j.gap = std::max(0.0, *gap);
        j.length = hi - lo;
        j.moved = std::max(x.moved, y.moved);
        j.place = p + 0.5 * (lo + hi) * d;
        if (add_joint(model_, work_, j) == -1) return;
        if (x.extension) extend_to_line(model_, work_, static_cast<int>(a), x, p, d, lo, hi);
        if (y.extension) extend_to_line(model_, work_, static_cast<int>(b), y, p, d, lo, hi);
        // The shared line runs past both ends, as far as a third sheet there may make both of these longer; what no two sheets use
        // falls away again.
        const double margin = 0.25 * std::max(work_.sheets[a].thickest, work_.sheets[b].thickest) + 0.5 * thickest_ + work_.reach;
        const int c = work_.add_curve(Curve::segment(p + (lo - margin) * d, p + (hi + margin) * d));
        work_.sheets[a].curves.push_back(c);
        work_.sheets[b].curves.push_back(c);
        work_.sheets[a].trims.push_back({p, d, lo, hi, static_cast<int>(b)});
        work_.sheets[b].trims.push_back({p, d, lo, hi, static_cast<int>(a)});
    }

    void beside(std::size_t a, std::size_t b) {
        const Frame &fa = sheet(a).chart.plane(), &fb = sheet(b).chart.plane();
        const Vec3 on_b = work_.sheets[b].box.center() - fb.height(work_.sheets[b].box.center()) * fb.z;
        const double apart = std::abs(fa.height(on_b));
        const double touching = 0.5 * (work_.sheets[a].thickest + work_.sheets[b].thickest);
        if (sheet(a).body == sheet(b).body && sheet(a).body) {
            if (apart < touching - 10 * work_.tol) step(a, b);
            else if (apart <= touching + work_.reach && joint_choice(work_, &JointRule::laps, work_.options->laps, sheet(a).key, sheet(a).body, sheet(b).key,
                                                                     sheet(b).body, on_b) == LapsAs::merge)
                lap(a, b, apart - touching);
            return;
        }
        if (apart <= 10 * work_.tol || apart < touching - work_.reach) {
            butt(a, b, apart > 10 * work_.tol);
            return;
        }
        if (apart <= touching + work_.reach + 10 * work_.tol) lap(a, b, apart - touching);
    }

    // Curved sheets whose skins lie on each other: a doubler round a pipe, a strap in a bend.
    void beside_curved(std::size_t a, std::size_t b) {
        if (sheet(a).body == sheet(b).body || !contacts_.known()) return;
        if (touch_along_line(a, b)) return;
        if (sheet(a).chart.flat() || sheet(b).chart.flat()) return;  // they touch along a line at most
        const double touching = 0.5 * (work_.sheets[a].thickest + work_.sheets[b].thickest), within = touching + work_.reach + 10 * work_.tol;
        double gap = std::numeric_limits<double>::max(), oblique = 0;
        for (const ContactPoint& c : contacts_.between(a, b)) {
            const SkinPoint p = sheet(a).chart.on(c.place), q = sheet(b).chart.on(c.place);
            const double apart = (p.point - q.point).norm(), sine = p.normal.cross(q.normal).norm();
            if (apart > within || apart < 0.5 * touching || sine > along_skin) continue;
            gap = std::min(gap, std::max(0.0, c.gap)), oblique = std::max(oblique, sine);
        }
        if (gap < std::numeric_limits<double>::max()) lap(a, b, gap, oblique > parallel);
    }

    // Skins that touch between midsurfaces that are not alongside each other: of drafted walls, and of walls in steps.
    void lie_on_each_other(std::size_t a, std::size_t b) {
        if (sheet(a).body == sheet(b).body || !contacts_.known()) return;
        const Box3 both = within_skins(a).intersection(within_skins(b));
        double gap = std::numeric_limits<double>::max();
        for (const ContactPoint& c : contacts_.between(a, b)) {
            if (c.area <= 0 || !both.contains(c.place)) continue;
            if (gap <= 10 * work_.tol) break;  // no closer one to be found
            const auto na = normal_under_skin(a, c), nb = normal_under_skin(b, c);
            if (na && nb && na->cross(*nb).norm() <= drafted) gap = std::min(gap, std::max(0.0, c.gap));
        }
        const Chart &ca = sheet(a).chart, &cb = sheet(b).chart;
        const bool alongside = ca.flat() && cb.flat() && ca.plane().z.cross(cb.plane().z).norm() < parallel;
        if (gap < std::numeric_limits<double>::max()) lap(a, b, gap, !alongside);
    }

    Box3 within_skins(std::size_t i) const {
        Box3 box = work_.sheets[i].box;
        const double more = work_.sheets[i].deepest + work_.reach + (sheet(i).chart.flat() ? 0 : 0.5 * box.sizes().norm());  // it may bulge
        box.min().array() -= more, box.max().array() += more;
        return box;
    }

    // The normal of the sheet where a place of contact is on a side of its wall.
    std::optional<Vec3> normal_under_skin(std::size_t i, const ContactPoint& c) const {
        const SlabPlace in = slab_place(sheet(i), c.place);
        if (!on_sheet(sheet(i), work_.sheets[i], in.foot.point, 0)) return std::nullopt;
        constexpr double slack = 0.01;  // thicknesses: of fitted midsurfaces and facets
        if (in.from_side() > 0.5 * std::abs(c.gap) + 10 * work_.tol + slack * in.sides.thickness()) return std::nullopt;
        return in.foot.normal;
    }

    // In one solid a round wall runs into a flat or another round one along a line, less deep than their midsurfaces would meet: a corrugated
    // core at its face sheets, a pipe let into a plate.
    void run_together(std::size_t a, std::size_t b) {
        const auto line = line_between(a, b);
        if (!line || share_edge(a, b)) return;
        const Vec3 &p = line->on_a, &q = line->on_b, &d = line->direction;
        const double apart = (p - q).norm();
        if (apart <= 10 * work_.tol || apart >= 0.5 * (work_.sheets[a].thickest + work_.sheets[b].thickest)) return;
        const auto both = [&](double s) {
            return on_sheet(sheet(a), work_.sheets[a], p + s * d, work_.tol) && on_sheet(sheet(b), work_.sheets[b], q + s * d, work_.tol);
        };
        for (const auto& [lo, hi] : stretches(a, b, p, d, both)) {
            if (!(hi - lo > 0.5 * work_.sheets[a].thickest)) continue;
            JointRecord j = between(JointKind::line_contact, a, b);
            j.length = hi - lo, j.place = p + 0.5 * (lo + hi) * d;
            link_along(a, b, p, q, d, lo, hi, j);
        }
    }

    bool share_edge(std::size_t a, std::size_t b) const {
        std::set<int> own;
        bool any = false;
        each_edge(a, [&](int e) { own.insert(e); });
        each_edge(b, [&](int e) { any = any || own.count(e) > 0; });
        return any;
    }

    template <class What>
    void each_edge(std::size_t i, const What& what) const {
        for (const Region& r : sheet(i).regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) what(u.edge.value);
    }

    // Where a condition holds along a line, within the boxes of both sheets: ends to the tolerance, by halving.
    template <class Holds>
    std::vector<std::pair<double, double>> stretches(std::size_t a, std::size_t b, const Vec3& p, const Vec3& d, const Holds& holds) const {
        constexpr int n = 200;
        Box3 box = work_.sheets[a].box;
        box.extend(work_.sheets[b].box);
        const double middle = (box.center() - p).dot(d), half = 0.5 * box.sizes().norm(), low = middle - half, high = middle + half;
        const auto at = [&](int k) { return low + (high - low) * k / n; };
        const auto change = [&](double in, double out) {
            while (std::abs(in - out) > 0.1 * work_.tol) {
                const double m = 0.5 * (in + out);
                (holds(m) ? in : out) = m;
            }
            return in;
        };
        std::vector<std::pair<double, double>> out;
        for (int k = 0; k <= n; ++k) {
            if (!holds(at(k))) continue;
            const double from = k > 0 ? change(at(k), at(k - 1)) : low;
            while (k < n && holds(at(k + 1))) ++k;
            out.emplace_back(from, k < n ? change(at(k), at(k + 1)) : high);
        }
        return out;
    }

    void link_along(std::size_t a, std::size_t b, const Vec3& p, const Vec3& q, const Vec3& d, double lo, double hi, const JointRecord& j) {
        const int number = add_joint(model_, work_, j);
        if (number < 0) return;
        const int ca = work_.add_curve(Curve::segment(p + lo * d, p + hi * d)), cb = work_.add_curve(Curve::segment(q + lo * d, q + hi * d));
        work_.sheets[a].curves.push_back(ca), work_.sheets[b].curves.push_back(cb);
        work_.line_links.push_back({ca, cb, 0, 0, -1, number});
    }

    // A round skin lies on a flat or another round one along a straight line: imprinted on both sheets and linked across their distance.
    bool touch_along_line(std::size_t a, std::size_t b) {
        const auto line = line_between(a, b);
        if (!line) return false;
        const Vec3 &p = line->on_a, &q = line->on_b, &d = line->direction;
        double lo = std::numeric_limits<double>::max(), hi = -lo, gap = lo;
        const double within = work_.sheets[a].deepest + work_.sheets[b].deepest + work_.reach + 10 * work_.tol;
        if ((p - q).norm() > within) return false;
        if (runs_into_foot(a, p, d, b) || runs_into_foot(b, q, d, a)) return false;
        for (const ContactPoint& c : contacts_.between(a, b)) {
            const double s = (c.place - p).dot(d);
            if ((c.place - (p + s * d)).norm() > 2 * within) continue;
            if (!reaches(a, p + s * d) || !reaches(b, q + s * d)) continue;
            lo = std::min(lo, s), hi = std::max(hi, s), gap = std::min(gap, std::max(0.0, c.gap));
        }
        if (!(hi - lo > 0.5 * work_.sheets[a].thickest)) return false;
        JointRecord j = between(JointKind::line_contact, a, b);
        j.gap = gap, j.length = hi - lo, j.place = p + 0.5 * (lo + hi) * d;
        link_along(a, b, p, q, d, lo, hi, j);
        return true;
    }

    // Is the line on the sheet its border with another wall of the body that lies on the other: a bend at its foot?
    bool runs_into_foot(std::size_t i, const Vec3& p, const Vec3& d, std::size_t other) const {
        if (sheet(i).body == sheet(other).body) return false;
        const auto along = [&](const Vec3& at) { return (at - p).cross(d).norm() <= 10 * work_.tol + model_.tolerance.chord; };
        std::set<int> own;
        each_edge(i, [&](int e) {
            const Curve& c = model_.edges[static_cast<std::size_t>(e)].curve;
            if (c.is_line() && along(c.start()) && along(c.end())) own.insert(e);
        });
        if (own.empty()) return false;
        for (std::size_t k = 0; k < model_.sheets.size(); ++k) {
            if (k == i || sheet(k).body != sheet(i).body || !contacts_.faces(k, sheet(other).body)) continue;
            bool shared = false;
            each_edge(k, [&](int e) { shared = shared || own.count(e) > 0; });
            if (shared) return true;
        }
        return false;
    }

    bool reaches(std::size_t i, const Vec3& p) const { return on_sheet(sheet(i), work_.sheets[i], p, 10 * work_.tol); }

    struct NearLines {
        Vec3 on_a, on_b, direction;
    };

    // Where the surface of a round sheet comes nearest to a flat one beside it, or to a round one of a parallel axis.
    std::optional<NearLines> line_between(std::size_t a, std::size_t b) const {
        const auto* ca = std::get_if<CylinderSurface>(&sheet(a).chart.surface());
        const auto* cb = std::get_if<CylinderSurface>(&sheet(b).chart.surface());
        if (!ca && !cb) return std::nullopt;
        if (ca && cb) {
            const Vec3 d = ca->frame.z;
            if (d.cross(cb->frame.z).norm() > parallel) return std::nullopt;
            Vec3 across = cb->frame.origin - ca->frame.origin;
            across -= across.dot(d) * d;
            const double apart = across.norm();
            if (apart < 0.05 * std::min(ca->radius, cb->radius)) return std::nullopt;  // round the same axis: a sleeve
            across /= apart;
            if (apart < std::max(ca->radius, cb->radius)) return std::nullopt;  // the one inside the other
            const Vec3 axis_b = ca->frame.origin + apart * across;
            return NearLines{ca->frame.origin + ca->radius * across, axis_b - cb->radius * across, d};
        }
        const std::size_t flat = ca ? b : a;
        if (!sheet(flat).chart.flat()) return std::nullopt;
        const CylinderSurface& c = ca ? *ca : *cb;
        const Frame& plane = sheet(flat).chart.plane();
        if (std::abs(c.frame.z.dot(plane.z)) > parallel) return std::nullopt;
        const double h = plane.height(c.frame.origin);
        const Vec3 n = (plane.z - plane.z.dot(c.frame.z) * c.frame.z).normalized() * (h > 0 ? -1.0 : 1.0);
        const Vec3 g = c.frame.origin + c.radius * n, foot = g - plane.height(g) * plane.z;
        return ca ? NearLines{g, foot, c.frame.z} : NearLines{foot, g, c.frame.z};
    }

    // Edges that face each other: the first sheet closes the gap, then both share the line. Where plates of unlike thickness stand
    // end to end with their middles beside each other, the line is linked across.
    void butt(std::size_t a, std::size_t b, bool beside) {
        std::vector<BoundaryEdge> edges = work_.sheets[b].edges;
        for (BoundaryEdge& e : edges)
            if (beside) e.from = sheet(a).chart.foot(e.from), e.to = sheet(a).chart.foot(e.to);
        for (const BoundaryEdge& e : edges) {
            const Vec3 d = (e.to - e.from).normalized();
            const double length = (e.to - e.from).norm();
            for (const LineReach& r : line_reaches(sheet(a).chart, work_.sheets[a], e.from, d, work_.reach + 10 * work_.tol, work_.tol)) {
                const double lo = std::max(r.lo, 0.0), hi = std::min(r.hi, length);
                if (hi - lo <= 10 * work_.tol || (!r.extension && r.edge.edge.value >= 0)) continue;
                // A line that only crosses the sheet has it on both sides: no end of it.
                if (beside && !r.extension && !ends_at(a, e, lo, hi)) continue;
                const auto gap = gap_near(a, b, e.from + lo * d, e.from + hi * d);
                if (!gap) continue;
                JointRecord j = between(JointKind::butt, a, b);
                j.gap = std::max(0.0, *gap), j.length = hi - lo, j.moved = r.moved;
                j.place = e.from + 0.5 * (lo + hi) * d;
                const int number = add_joint(model_, work_, j);
                if (number == -1 || (beside && number < 0)) continue;
                if (r.extension) extend_to_line(model_, work_, static_cast<int>(a), r, e.from, d, lo, hi);
                const int c = work_.add_curve(Curve::segment(e.from + lo * d, e.from + hi * d));
                work_.sheets[a].curves.push_back(c);
                if (beside) work_.line_links.push_back({c, e.edge.value, 0, 0, -1, number});
                else work_.sheets[b].curves.push_back(c);
            }
        }
    }

    // Has the sheet its material on the other side of the line only, away from the edge's own sheet?
    bool ends_at(std::size_t a, const BoundaryEdge& e, double lo, double hi) const {
        const Vec3 d = (e.to - e.from).normalized();
        const double off = 0.05 * work_.sheets[a].thickest;
        for (const double share : {0.2, 0.5, 0.8}) {
            const Vec3 at = e.from + (lo + share * (hi - lo)) * d;
            const auto in = [&](double by) { return inside(work_.sheets[a].polygons, sheet(a).chart.local2(at + by * e.out)); };
            if (!in(off) || in(-off)) return false;
        }
        return true;
    }

    // A thickness step inside one body: both midsurfaces end over the step's line and are linked across their offset.
    void step(std::size_t a, std::size_t b) {
        const Frame& f = sheet(a).chart.plane();
        const auto flat = [&](const Vec3& p) { return Vec3(p - f.height(p) * f.z); };
        for (const BoundaryEdge& e : work_.sheets[a].edges)
            for (const BoundaryEdge& k : work_.sheets[b].edges) {
                const Vec3 from = flat(e.from), d = (flat(e.to) - from).normalized();
                const double length = (flat(e.to) - from).norm();
                const auto off = [&](const Vec3& p) { return (flat(p) - from).cross(d).norm(); };
                if (off(k.from) > 10 * work_.tol || off(k.to) > 10 * work_.tol) continue;
                const double s = (flat(k.from) - from).dot(d), t = (flat(k.to) - from).dot(d);
                const double overlap = std::min(length, std::max(s, t)) - std::max(0.0, std::min(s, t));
                if (overlap <= 10 * work_.tol || e.out.dot(k.out) > 0) continue;
                JointRecord j = between(JointKind::step, a, b);
                j.length = overlap;
                j.place = 0.25 * (e.from + e.to + k.from + k.to);
                const int number = add_joint(model_, work_, j);
                if (number >= 0) work_.line_links.push_back({e.edge.value, k.edge.value, 0, 0, -1, number});
            }
    }

    void lap(std::size_t a, std::size_t b, double gap, bool oblique = false) { join_lap(model_, contacts_.of_bodies(), work_, a, b, gap, oblique); }

    const Model& model_;
    SheetContacts contacts_;
    JoinWork& work_;
    double thickest_ = 0;
};

}  // namespace

void find_sheet_joints(const Model& model, const ContactTable& contacts, JoinWork& work) {
    SheetJoiner(model, contacts, work).run();
}

}  // namespace halvo
