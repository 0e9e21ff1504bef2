// Skins that lie on each other: linked node to node, tied, or one double wall.
#include "geom/foot_curve.hpp"
#include "join/steps.hpp"
#include "model/arrangement.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr double one_border = 0.3;  // of both thicknesses together: borders no further apart are one, and a seam half a thickness off is

class Lapper {
public:
    Lapper(const Model& model, const ContactTable& contacts, JoinWork& work, std::size_t a, std::size_t b, double gap, bool oblique)
        : model_(model),
          contacts_(contacts),
          work_(work),
          a_(a),
          b_(b),
          gap_(gap),
          oblique_(oblique),
          contact_(contacts.between(sheet(a).body, sheet(b).body)) {}

    void run() {
        const Vec3 place = 0.5 * (work_.sheets[a_].box.center() + work_.sheets[b_].box.center());
        const LapsAs way = joint_choice(work_, &JointRule::laps, work_.options->laps, sheet(a_).key, sheet(a_).body, sheet(b_).key, sheet(b_).body, place);
        if (way == LapsAs::tie || oblique_) tie();
        else if (way == LapsAs::merge && sheet(a_).chart.flat() && sheet(b_).chart.flat() && of_one_thickness()) merge();
        else one_borders(), link(a_, b_), link(b_, a_);
    }

private:
    const Sheet& sheet(std::size_t i) const { return model_.sheets[i]; }

    // A double wall has one thickness: steps of either sheet under the other stay.
    bool of_one_thickness() const {
        const auto one_piece = [&](std::size_t of, std::size_t other) {
            const Sheet& s = sheet(of);
            if (s.field.pieces.size() < 2) return true;
            std::set<const ThicknessPiece*> met;
            for (const auto& [from, onto] : {std::pair(of, other), std::pair(other, of)})
                for (const Over& o : edges_over(from, onto))
                    for (int k = 0; k <= 8; ++k) met.insert(&s.field.piece_at(s.chart, s.chart.local2(o.piece.point(o.piece.parameter_at((k + 0.5) / 9)))));
            return met.size() < 2;
        };
        return one_piece(a_, b_) && one_piece(b_, a_);
    }

    struct Over {
        int edge;
        Curve piece;
    };

    // Boundary of one sheet as far as it lies over the other and, between bodies, near a contact.
    std::vector<Over> edges_over(std::size_t from, std::size_t onto) const {
        std::map<int, int> edges;
        for (const Region& r : sheet(from).regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) ++edges[u.edge.value];
        std::vector<Over> out;
        for (const auto& [e, uses] : edges) {
            if (uses > 1 && !sheet(from).chart.flat()) continue;  // where a closed surface is cut open
            const Curve& c = model_.edges[static_cast<std::size_t>(e)].curve;
            for (const auto& [t0, t1] : ranges_over(c, onto)) {
                const Curve piece = c.piece(t0, t1);
                if (piece.length() < 0.25 * work_.sheets[from].thickest) continue;
                if (contacts_.known() && sheet(a_).body != sheet(b_).body && !touches(piece.middle(), work_.sheets[from].thickest + piece.length() / 2))
                    continue;
                out.push_back({e, piece});
            }
        }
        return out;
    }

    // Within the sheet's outline, or up to so far beside it: rims may be flush.
    bool over(std::size_t onto, const Vec3& p, double beside) const {
        const double furthest = work_.sheets[a_].deepest + work_.sheets[b_].deepest + work_.reach + 10 * work_.tol;
        const Chart& chart = sheet(onto).chart;
        const Vec3 q = chart.foot(p);
        // Flush rims of skins between middles that run apart are off each other by as much as these lean.
        if (oblique_ && beside > 0) beside += (p - q).norm() * sheet(onto == a_ ? b_ : a_).chart.normal(p).cross(chart.normal(q)).norm();
        return (chart.flat() || (p - q).norm() <= furthest) && on_sheet(sheet(onto), work_.sheets[onto], q, beside);
    }

    // Parameters between which a curve runs over the sheet; its ends count as the curve beside them.
    std::vector<std::pair<double, double>> ranges_over(const Curve& c, std::size_t onto) const {
        constexpr int n = 40;
        const auto at = [&](int k) { return c.parameter_at((k + 0.5) / n); };
        std::vector<std::pair<double, double>> out;
        for (int k = 0; k < n; ++k) {
            if (!over(onto, c.point(at(k)), flush())) continue;
            int last = k;
            while (last + 1 < n && over(onto, c.point(at(last + 1)), flush())) ++last;
            out.emplace_back(k == 0 ? c.t0 : border(c, onto, at(k - 1), at(k)), last == n - 1 ? c.t1 : border(c, onto, at(last + 1), at(last)));
            k = last;
        }
        return out;
    }

    double flush() const { return 10 * work_.tol + model_.tolerance.chord; }  // outlines are chords of round rims

    double border(const Curve& c, std::size_t onto, double out, double in) const {
        // Does it run along the sheet's rim there, to a corner of it?
        const double further = in + (in > out ? 1 : -1) * 50 * flush() * (c.t1 - c.t0) / c.length();
        const bool along = !over(onto, c.point(in), 0) && !over(onto, c.point(std::clamp(further, c.t0, c.t1)), 0);
        for (int i = 0; i < 50; ++i) {
            const double m = 0.5 * (out + in);
            (over(onto, c.point(m), along ? flush() : 0) ? in : out) = m;
        }
        const double end = 0.5 * (out + in);
        if (!along) return end;
        const Chart& chart = sheet(onto).chart;
        const Vec2 at = chart.local2(c.point(end));
        const Vec2* corner = nullptr;
        double nearest = 10 * flush();
        for (const auto& loop : work_.sheets[onto].polygons)
            for (const Vec2& q : loop)
                if ((q - at).norm() <= nearest) nearest = (q - at).norm(), corner = &q;
        return corner ? c.nearest(chart.at(*corner)) : end;
    }

    bool touches(const Vec3& p, double within) const {
        return std::any_of(contact_.begin(), contact_.end(), [&](const ContactPoint& c) { return (c.place - p).norm() <= within; });
    }

    int record(double length, const Vec3& place) {
        JointRecord j = joint_record(JointKind::lap, sheet(a_).key, sheet(a_).body, sheet(b_).key, sheet(b_).body);
        j.gap = std::max(0.0, gap_), j.length = length, j.place = place;
        return add_joint(model_, work_, j);
    }

    // The curve where it stands over the sheet, on the sheet's own surface.
    int imprint(const Curve& c, std::size_t onto) {
        const Chart& chart = sheet(onto).chart;
        const Vec3 shift = chart.foot(c.middle()) - c.middle();
        const int k = work_.add_curve(chart.flat() ? c.moved(Eigen::Isometry3d(Eigen::Translation3d(shift))) : foot_curve(chart, c, work_.tol));
        work_.sheets[onto].curves.push_back(k);
        return k;
    }

    // The boundary of each that lies over the other is imprinted there and linked node to node.
    void link(std::size_t from, std::size_t onto) {
        const std::vector<Over> over = edges_over(from, onto);
        for (const Over& o : over) {
            if (paired_.count(o.edge)) continue;
            if (const auto borders = borders_beside(o, over, onto); !borders.empty()) {
                const int number = record(o.piece.length(), o.piece.middle());
                if (number >= 0)
                    for (const int f : borders) work_.line_links.push_back({o.edge, f, 0, 0, -1, number});
                continue;
            }
            const Vec3 middle = o.piece.middle();
            const int number = record(o.piece.length(), 0.5 * (middle + sheet(onto).chart.foot(middle)));
            if (number >= 0) work_.line_links.push_back({o.edge, imprint(o.piece, onto), 0, 0, -1, number});
        }
    }

    using Loop = std::vector<EdgeUse>;

    std::vector<const Loop*> loops_of(std::size_t i) const {
        std::vector<const Loop*> out;
        for (const Region& r : sheet(i).regions)
            for (const Loop& loop : r.loops) out.push_back(&loop);
        return out;
    }

    const Curve& curve_of(const EdgeUse& u) const { return model_.edges[u.edge.index()].curve; }

    // The edge of the loop that one faces which runs through `p` along `d`, no further off than `near`; -1 where there is none.
    int faced(const Loop& loop, const Vec3& p, const Vec3& d, double near) const {
        constexpr double alike = 0.7;
        int best = -1;
        for (const EdgeUse& u : loop) {
            const Curve& c = curve_of(u);
            const double t = c.nearest(p);
            if (std::abs(c.derivative(t).normalized().dot(d)) < alike) continue;  // round a corner
            if (const double off = (c.point(t) - p).norm(); off <= near) near = off, best = u.edge.value;
        }
        return best;
    }

    // Edges of `loop`, each with the edges of `other` that it runs along: all of it within a share of the thickness; nothing where any of it
    // does not.
    std::set<std::pair<int, int>> runs_along(const Loop& loop, const Loop& other, std::size_t onto, double near) const {
        constexpr int n = 12;
        std::set<std::pair<int, int>> out;
        for (const EdgeUse& u : loop) {
            const Curve& c = curve_of(u);
            for (int k = 0; k < n; ++k) {
                const double t = c.parameter_at((k + 0.5) / n);
                const int edge = faced(other, sheet(onto).chart.foot(c.point(t)), c.derivative(t).normalized(), near);
                if (edge < 0) return {};
                out.emplace(u.edge.value, edge);
            }
        }
        return out;
    }

    // Borders of the other sheet that all of a piece runs beside, so near that its imprint would leave a sliver; where nothing else is
    // imprinted from its ends.
    std::set<int> borders_beside(const Over& o, const std::vector<Over>& all, std::size_t onto) const {
        const double near = one_border * (work_.sheets[a_].thickest + work_.sheets[b_].thickest), touching = 10 * work_.tol;
        for (const Over& k : all)
            if (k.edge != o.edge)
                for (const Vec3& p : {k.piece.start(), k.piece.end()})
                    if ((p - o.piece.start()).norm() <= touching || (p - o.piece.end()).norm() <= touching) return {};
        constexpr int n = 12;
        std::set<int> out;
        bool coincides = true;
        for (int k = 0; k < n; ++k) {
            const double t = o.piece.parameter_at((k + 0.5) / n);
            const Vec3 p = sheet(onto).chart.foot(o.piece.point(t)), d = o.piece.derivative(t).normalized();
            int edge = -1;
            for (const Loop* loop : loops_of(onto))
                if (edge < 0) edge = faced(*loop, p, d, near);
            if (edge < 0) return {};
            const Curve& c = model_.edges[static_cast<std::size_t>(edge)].curve;
            coincides = coincides && (c.point(c.nearest(p)) - p).norm() <= flush();
            out.insert(edge);
        }
        return coincides ? std::set<int>() : out;  // an imprint on the border is that border
    }

    // Openings (and outlines) that go through both skins are one border, though they lie a little apart: on round skins a bore is wider in the
    // outer one. They are linked to each other, and neither is imprinted on the other's sheet, where it would leave slivers.
    void one_borders() {
        const double near = one_border * (work_.sheets[a_].thickest + work_.sheets[b_].thickest);
        for (const Loop* la : loops_of(a_))
            for (const Loop* lb : loops_of(b_)) {
                const auto there = runs_along(*la, *lb, b_, near);
                if (there.empty() || runs_along(*lb, *la, a_, near).empty()) continue;
                const Curve& c = curve_of(la->front());
                if (contacts_.known() && sheet(a_).body != sheet(b_).body && !touches(c.middle(), work_.sheets[a_].thickest + c.length() / 2)) continue;
                double length = 0;
                for (const EdgeUse& u : *la) length += curve_of(u).length();
                const int number = record(length, curve_of(la->front()).middle());
                for (const EdgeUse& u : *la) paired_.insert(u.edge.value);
                for (const EdgeUse& u : *lb) paired_.insert(u.edge.value);
                if (number >= 0)
                    for (const auto& [e, f] : there) work_.line_links.push_back({e, f, 0, 0, -1, number});
            }
    }

    // The smaller one's boundary follows the larger one, wherever that has its nodes.
    void tie() {
        const std::size_t onto = sheet(a_).area() >= sheet(b_).area() ? a_ : b_, from = onto == a_ ? b_ : a_;
        TieWork t{{}, static_cast<int>(onto), -1};
        for (const Over& o : edges_over(from, onto)) {
            const int number = record(o.piece.length(), o.piece.middle());
            if (number < 0) return;
            t.joint = number;
            t.curves.push_back(o.edge);
        }
        if (!t.curves.empty()) work_.ties.push_back(std::move(t));
    }

    // Where the smaller one lies over the larger, that takes its thickness over; what is left of the smaller is linked to it.
    void merge() {
        const std::size_t keeper = sheet(a_).area() >= sheet(b_).area() ? a_ : b_, lost = keeper == a_ ? b_ : a_;
        const auto mine = edges_over(lost, keeper), theirs = edges_over(keeper, lost);
        if (mine.empty() && theirs.empty()) return;
        double length = 0;
        for (const auto* list : {&mine, &theirs})
            for (const Over& o : *list) length += o.piece.length();
        const int number = record(length, work_.sheets[lost].box.center());
        if (number < 0) return;
        for (const Over& o : mine) {
            const int k = imprint(o.piece, keeper);
            work_.steps.push_back(k);
            work_.line_links.push_back({o.edge, k, 0, 0, -1, number});
        }
        for (const Over& o : theirs) {
            work_.line_links.push_back({o.edge, imprint(o.piece, lost), 0, 0, -1, number});
            work_.steps.push_back(o.edge);
        }
        work_.merges.push_back({static_cast<int>(keeper), static_cast<int>(lost), double_wall(keeper, lost)});
    }

    // Both sides of the two skins together; a gap between them is no material.
    ThicknessPiece double_wall(std::size_t keeper, std::size_t lost) const {
        const Frame &f = sheet(keeper).chart.plane(), &g = sheet(lost).chart.plane();
        const bool above = f.height(g.origin) > 0, alike = f.z.dot(g.z) > 0;
        const Vec2 there = sheet(lost).chart.local2(work_.sheets[lost].box.center());
        const ThicknessPiece& far = sheet(lost).field.piece_at(sheet(lost).chart, there);
        const ThicknessPiece& own = sheet(keeper).field.piece_at(sheet(keeper).chart, sheet(keeper).chart.local2(work_.sheets[lost].box.center()));
        const double close = std::max(0.0, gap_) * (above ? -1 : 1);
        const BaseSurface outer = (above == alike ? far.top : far.bottom).moved(Eigen::Isometry3d(Eigen::Translation3d(close * f.z)));
        ThicknessPiece piece{above ? outer : own.top, above ? own.bottom : outer, {}, {}};
        std::vector<std::vector<Vec2>> outlines;
        for (const auto& loop : work_.sheets[lost].polygons) {
            std::vector<Vec2>& outline = outlines.emplace_back();
            for (const Vec2& q : loop) outline.push_back(sheet(keeper).chart.local2(sheet(lost).chart.at(q)));
        }
        piece.top_outline = piece.bottom_outline = std::move(outlines);
        return piece;
    }

    const Model& model_;
    const ContactTable& contacts_;
    JoinWork& work_;
    std::size_t a_, b_;
    double gap_;
    bool oblique_;
    std::vector<ContactPoint> contact_;
    std::set<int> paired_;  // edges of loops that are one border with the other sheet's
};

}  // namespace

void join_lap(const Model& model, const ContactTable& contacts, JoinWork& work, std::size_t a, std::size_t b, double gap, bool oblique) {
    Lapper(model, contacts, work, a, b, gap, oblique).run();
}

}  // namespace halvo
