// Joints of curved sheets with others of another body: along the curves in which both surfaces cross.
#include "body/surface_cut.hpp"
#include "geom/foot_curve.hpp"
#include "join/sheet_contacts.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double least_curved_crossing = 0.1;  // sine of the flattest angle between sheets that meet along a curve

struct Foot {
    Vec3 at = Vec3::Zero();
    double distance = std::numeric_limits<double>::max();
};

class CurvedJoiner {
public:
    CurvedJoiner(const Model& model, const SheetContacts& contacts, JoinWork& work, std::size_t a, std::size_t b)
        : model_(model), contacts_(contacts), work_(work), a_(a), b_(b), grow_(work.sheets[a].thickest + work.sheets[b].thickest + work.reach) {}

    void run() {
        contact_ = contacts_.between(a_, b_);
        if (contacts_.known() && contact_.empty()) return;
        Box3 range = widened(a_).intersection(widened(b_));
        if (range.isEmpty()) return;
        edges_a_ = border_of(model_, sheet(a_)), edges_b_ = border_of(model_, sheet(b_));
        const bool first = work_.sheets[a_].box.sizes().norm() <= work_.sheets[b_].box.sizes().norm();
        const std::size_t on = first ? a_ : b_, other = first ? b_ : a_;
        std::vector<Vec3> span;
        for (const Region& r : sheet(on).regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop)
                    for (const Vec3& p : model_.edges[u.edge.index()].curve.sampled(0.1, 16)) span.push_back(p);
        for (const Curve& c : crossings(sheet(on).chart, sheet(other).chart, range, span, grow_, work_.tol)) along(c);
    }

private:
    const Sheet& sheet(std::size_t i) const { return model_.sheets[i]; }

    Box3 widened(std::size_t i) const {
        Box3 b = work_.sheets[i].box;
        b.min().array() -= grow_, b.max().array() += grow_;
        return b;
    }

    bool inside_sheet(std::size_t i, const Vec3& p) const { return on_sheet(sheet(i), work_.sheets[i], p, 10 * work_.tol); }

    // Nearest point of the sheet's boundary.
    Foot boundary(std::size_t i, const Vec3& p) const {
        Foot best;
        for (const Curve* c : i == a_ ? edges_a_ : edges_b_) {
            const Vec3 q = c->point(c->nearest(p));
            if ((q - p).norm() < best.distance) best = {q, (q - p).norm()};
        }
        return best;
    }

    bool in_contact(const Vec3& p, double& gap) const {
        if (!contacts_.known()) return gap = 0, true;
        bool any = false;
        for (const ContactPoint& c : contact_)
            if ((c.place - p).norm() <= grow_) gap = any ? std::min(gap, c.gap) : c.gap, any = true;
        return any;
    }

    // An edge is carried on at its own width: is the place past the end of every edge that ends at its foot?
    bool past_corner(std::size_t i, const Vec3& p, const Vec3& foot) const {
        const double near = 10 * work_.tol;
        bool at_end = false;
        for (const Curve* c : i == a_ ? edges_a_ : edges_b_) {
            if ((c->point(c->nearest(foot)) - foot).norm() > near) continue;
            const bool start = (c->start() - foot).norm() <= near, end = (c->end() - foot).norm() <= near;
            if (start == end) return false;  // within it, or round
            const Vec3 out = (start ? Vec3(-c->derivative(c->t0)) : c->derivative(c->t1)).normalized();
            if ((p - foot).dot(out) <= near) return false;
            at_end = true;
        }
        return at_end;
    }

    // A place in the sheet beside a corner of its border.
    Vec3 inward(std::size_t i, const Vec3& corner) const {
        Vec3 sum = Vec3::Zero();
        for (const Curve* c : i == a_ ? edges_a_ : edges_b_) {
            if ((c->start() - corner).norm() <= 10 * work_.tol) sum += c->derivative(c->t0).normalized();
            if ((c->end() - corner).norm() <= 10 * work_.tol) sum -= c->derivative(c->t1).normalized();
        }
        return corner + 0.5 * work_.sheets[i].thickest * (sum.norm() > 0 ? Vec3(sum.normalized()) : sum);
    }

    // Or up to the midsurface of a third sheet that stands beside that end: three plates close their corner.
    bool up_to_third(std::size_t i, std::size_t other, const Vec3& p, const Vec3& corner) const {
        for (std::size_t t = 0; t < model_.sheets.size(); ++t) {
            if (t == i || t == other) continue;
            const bool touches = sheet(t).body == sheet(i).body || contacts_.of_bodies().all().contains(std::minmax(sheet(t).body, sheet(i).body));
            if (!touches || work_.sheets[t].box.squaredExteriorDistance(corner) > grow_ * grow_) continue;
            const double at_corner = sheet(t).chart.height(corner), at_p = sheet(t).chart.height(p);
            // A sheet of the same solid that meets this one at the corner goes on as well: both end where they would cross.
            if (sheet(t).body == sheet(i).body && std::abs(at_corner) <= 10 * work_.tol) {
                const double within = sheet(t).chart.height(inward(i, corner));
                if (std::abs(within) > 10 * work_.tol && at_p * within >= -work_.tol * std::abs(within)) return true;
                continue;
            }
            const bool before = std::abs(at_corner) <= work_.sheets[t].deepest + work_.reach + 10 * work_.tol;
            if (before && std::abs(at_p) < std::abs(at_corner) && at_p * at_corner >= -10 * work_.tol * std::abs(at_corner)) return true;
        }
        return false;
    }

    // Does each of both sheets reach the place, as it is or carried on along its surface?
    bool reached(const Vec3& p) const {
        const Vec3 na = sheet(a_).chart.normal(p), nb = sheet(b_).chart.normal(p);
        const double sine = na.cross(nb).norm(), cosine = std::abs(na.dot(nb));
        if (sine < least_curved_crossing) return false;
        for (const auto& [i, other] : {std::pair(a_, b_), std::pair(b_, a_)}) {
            const double furthest = (work_.sheets[other].deepest + cosine * work_.sheets[i].deepest + work_.reach) / sine + 10 * work_.tol;
            if (inside_sheet(i, p)) continue;
            const Foot foot = boundary(i, p);
            if (foot.distance > furthest || (past_corner(i, p, foot.at) && !up_to_third(i, other, p, foot.at))) return false;
        }
        double gap = 0;
        return in_contact(p, gap);
    }

    void along(const Curve& c) {
        const int n = std::max(32, static_cast<int>(c.length() / std::max(0.25 * grow_, 1e-3)));
        const int count = std::min(n, 400);
        std::vector<bool> in;
        for (int k = 0; k < count; ++k) in.push_back(reached(c.point(c.parameter_at((k + 0.5) / count))));
        if (std::all_of(in.begin(), in.end(), [](bool v) { return v; })) {
            join_along(c);
            return;
        }
        for (int k = 0; k < count; ++k) {
            if (!in[static_cast<std::size_t>(k)] || (k > 0 && in[static_cast<std::size_t>(k) - 1])) continue;
            int end = k;
            while (end < count && in[static_cast<std::size_t>(end)]) ++end;
            join_along(c.piece(edge_between(c, k, count), edge_between(c, end, count)));
        }
    }

    // Parameter where the state changes next to sample k, by halving.
    double edge_between(const Curve& c, int k, int count) const {
        if (k == 0) return c.t0;
        if (k == count) return c.t1;
        double lo = c.parameter_at((k - 0.5) / count), hi = c.parameter_at((k + 0.5) / count);
        const bool low = reached(c.point(lo));
        for (int i = 0; i < 40; ++i) {
            const double m = 0.5 * (lo + hi);
            (reached(c.point(m)) == low ? lo : hi) = m;
        }
        return 0.5 * (lo + hi);
    }

    void join_along(const Curve& c) {
        if (c.length() <= 10 * work_.tol) return;
        const auto bridging = [&](std::size_t i, double share) { return !inside_sheet(i, c.point(c.parameter_at(share))); };
        const bool far_a = bridging(a_, 0.37) && bridging(a_, 0.71), far_b = bridging(b_, 0.37) && bridging(b_, 0.71);
        JointRecord j = joint_record(far_a && far_b   ? JointKind::corner
                                     : far_a || far_b ? JointKind::tee
                                                      : JointKind::cross,
                                     sheet(a_).key, sheet(a_).body, sheet(b_).key, sheet(b_).body);
        j.length = c.length(), j.place = c.middle();
        in_contact(j.place, j.gap);
        j.gap = std::max(0.0, j.gap);
        for (const auto& [far, i] : {std::pair(far_a, a_), std::pair(far_b, b_)})
            if (far) j.moved = std::max(j.moved, boundary(i, c.middle()).distance);
        if (add_joint(model_, work_, j) == -1) return;
        const int k = work_.add_curve(c);
        work_.sheets[a_].curves.push_back(k);
        work_.sheets[b_].curves.push_back(k);
        if (far_a) extend(a_, c);
        if (far_b) extend(b_, c);
    }

    // The strip of the sheet's own surface between its boundary and the curve.
    void extend(std::size_t i, const Curve& c) {
        SheetState& s = work_.sheets[i];
        const Chart& chart = sheet(i).chart;
        const auto points = c.sampled(model_.tolerance.chord, 48);
        std::vector<Vec3> feet;
        for (const Vec3& p : points) feet.push_back(boundary(i, p).at);
        for (std::size_t k = 0; k + 1 < points.size(); ++k) {
            const Vec2 p = chart.local2(points[k]);
            s.extensions.push_back({p, chart.local2(points[k + 1], p), chart.local2(feet[k + 1], p), chart.local2(feet[k], p)});
        }
        std::vector<Vec3> strip = points;
        strip.insert(strip.end(), feet.begin(), feet.end());
        if (c.closed(10 * work_.tol)) {
            for (const Curve& cut : chart.cuts(strip, 10 * work_.tol)) s.curves.push_back(work_.add_curve(cut)), s.cuts.push_back(s.curves.back());
            return;
        }
        for (const auto& [p, q] : {std::pair(points.front(), feet.front()), std::pair(points.back(), feet.back())}) {
            if ((p - q).norm() <= work_.tol) continue;
            // The side runs in the chart as straight as the surface lets it.
            const Vec2 u = chart.local2(p), v = chart.local2(q, u);
            std::vector<Vec3> side;
            for (int k = 0; k <= 16; ++k) side.push_back(k == 0 ? p : k == 16 ? q : chart.at(u + (v - u) * (k / 16.0)));
            s.curves.push_back(work_.add_curve(curve_past(side, work_.tol)));
        }
    }

    const Model& model_;
    const SheetContacts& contacts_;
    JoinWork& work_;
    std::size_t a_, b_;
    double grow_;
    std::vector<ContactPoint> contact_;
    std::vector<const Curve*> edges_a_, edges_b_;
};

}  // namespace

void meet_curved(const Model& model, const SheetContacts& contacts, JoinWork& work, std::size_t a, std::size_t b) {
    CurvedJoiner(model, contacts, work, a, b).run();
}

}  // namespace halvo
