// Joints of members: ends to members and sheets, sheets that end at a member's side, members along sheets.
#include "geom/outline.hpp"
#include "geom/spread.hpp"
#include "join/steps.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double pierces = 0.17;        // sine of the flattest angle at which an axis is taken to pierce a sheet
constexpr double in_plane = 5e-3;       // sine below which an axis runs along a sheet
constexpr double most_of_member = 0.5;  // of its length, over which sheets go along with a member whose line they take
constexpr double longest_strip = 2;     // times its thickness: further than this a sheet is not extended to an axis but linked
constexpr double short_of_end = 0.1;    // of the stretch where a sheet lies beside a member
constexpr std::size_t most_legs = 400;  // however long a contact is: links cost nodes
constexpr std::size_t spider_legs = 8;  // links from a member to a sheet that its axis misses
constexpr double feet_apart = 0.15;     // of the depth of the member that they hang on, at least

struct Closest {
    double a, b;  // parameters on both lines
    double distance;
    bool parallel;
};

// Where both axes pass each other next to a place; curved ones by the lines that touch them there, again and again.
Closest closest(const MemberState& m, const MemberState& n, const Vec3& near) {
    double a = m.parameter(near), b = n.parameter(near);
    const bool straight = m.axis.is_straight() && n.axis.is_straight();
    if (straight) a = b = 0;
    for (int i = 0; i < (straight ? 1 : 30); ++i) {
        const Frame fm = m.axis.frame(a), fn = n.axis.frame(b);
        const double c = fm.z.dot(fn.z);
        const Vec3 r = fn.origin - fm.origin;
        const double den = 1 - c * c;
        if (den < 1e-6) {
            a = m.parameter(near), b = n.parameter(m.at(a));
            return {a, b, (m.at(a) - n.at(b)).norm(), true};
        }
        const double da = (r.dot(fm.z) - c * r.dot(fn.z)) / den, db = (c * r.dot(fm.z) - r.dot(fn.z)) / den;
        a += da, b += db;
        if (std::abs(da) + std::abs(db) < 1e-12 * (1 + std::abs(a) + std::abs(b))) break;
    }
    return {a, b, (m.at(a) - n.at(b)).norm(), false};
}

class MemberJoiner {
public:
    MemberJoiner(const Model& model, const ContactTable& contacts, JoinWork& work) : model_(model), contacts_(contacts), work_(work) {
        for (std::size_t i = 0; i < model.members.size(); ++i)
            if (model.members[i].body) member_of_[model.members[i].body] = i;
        for (std::size_t i = 0; i < model.sheets.size(); ++i)
            if (model.sheets[i].body) sheets_of_[model.sheets[i].body].push_back(i);
    }

    void run() {
        choose_lines();
        for (const auto& [bodies, points] : contacts_.all()) {
            const auto a = member_of_.find(bodies.first), b = member_of_.find(bodies.second);
            if (a != member_of_.end() && b != member_of_.end()) {
                for (const auto& some : by_ends(a->second, points, true))
                    for (const auto& here : by_ends(b->second, some, false)) members(a->second, b->second, here);
            } else if (a != member_of_.end()) with_sheets(a->second, bodies.first, bodies.second);
            else if (b != member_of_.end()) with_sheets(b->second, bodies.second, bodies.first);
        }
        if (!contacts_.known()) by_hand();
    }

private:
    // Where a member's line could lie: `shift` from its axis, in sheets that go along with it over `length`.
    struct Line {
        Vec2 shift = Vec2::Zero();
        double length = 0;
        double raise = 0;  // towards the sheets' far side
    };

    // A member along a sheet takes its line there: to where sheets go along with most of it, over the greatest length. Plates on a short piece of
    // it (end plates, gussets, cleats) leave it where it is.
    void choose_lines() {
        std::vector<std::vector<Line>> lines(work_.members.size());
        std::vector<bool> held(work_.members.size(), false);  // by a sheet whose own plane its axis lies in
        for (const auto& [bodies, points] : contacts_.all())
            for (const auto& [one, other] : {bodies, std::pair(bodies.second, bodies.first)}) {
                const auto m = member_of_.find(one);
                if (m == member_of_.end() || work_.members[m->second].shifted()) continue;
                for (const auto& [s, list] : contacts_by_sheet(one, other)) {
                    if (end_of(m->second, list, true) >= 0 || !runs_along(m->second, s, list)) continue;
                    const MemberState& sm = work_.members[m->second];
                    const auto [lo, hi] = range_of(sm, list);
                    const Vec2 off = foot_in_section(sm, s, 0.5 * (lo + hi));
                    if (off.norm() <= 10 * work_.tol) held[m->second] = true;
                    if (!over_sheet(s, sm, off, lo, hi)) continue;
                    const Sheet& sheet = model_.sheets[s];
                    const AlongSheet way = joint_choice(work_, &JointRule::along, work_.options->along, axis_key(m->second), one, sheet.key, other,
                                                        joint_record(JointKind::member_along_sheet, "", one, "", other, list).place);
                    if (way == AlongSheet::link) continue;
                    auto& known = lines[m->second];
                    auto line = std::find_if(known.begin(), known.end(), [&](const Line& k) { return (k.shift - off).norm() <= 10 * work_.tol; });
                    if (line == known.end()) line = known.insert(known.end(), {off, 0, 0});
                    line->length += hi - lo;
                    if (way == AlongSheet::flush)
                        line->raise = sheet.thickness.mean + joint_record(JointKind::member_along_sheet, "", one, "", other, list).gap;
                }
            }
        for (std::size_t m = 0; m < lines.size(); ++m) {
            const auto best = std::max_element(lines[m].begin(), lines[m].end(), [](const Line& a, const Line& b) { return a.length < b.length - 1e-9; });
            if (best != lines[m].end() && !held[m] && best->length >= most_of_member * model_.members[m].own_length())
                set_line(work_.members[m], best->shift, best->raise);
        }
    }

    // The line lies at `shift` from the axis; a section that is raised takes its axis along.
    static void set_line(MemberState& sm, const Vec2& shift, double raise) {
        sm.shift = shift;
        if (raise <= 0) return;
        const Vec2 up = raise * shift.normalized();
        sm.axis = Axis(Frame{sm.axis.frame(0).at(up), sm.axis.frame(0).x, sm.axis.frame(0).y, sm.axis.frame(0).z}, sm.axis.between(0, sm.axis.length(), up));
        sm.shift -= up;
    }

    static std::pair<double, double> range_of(const MemberState& sm, const std::vector<ContactPoint>& points) {
        double lo = std::numeric_limits<double>::max(), hi = -lo;
        for (const ContactPoint& p : points) lo = std::min(lo, sm.parameter(p.place)), hi = std::max(hi, sm.parameter(p.place));
        return {std::max(lo, sm.start), std::min(hi, sm.end)};
    }

    // Does the member's axis keep its distance from the sheet's surface where they are in contact?
    bool runs_along(std::size_t m, std::size_t s, const std::vector<ContactPoint>& points) const {
        const MemberState& sm = work_.members[m];
        const Chart& chart = model_.sheets[s].chart;
        const auto [lo, hi] = range_of(sm, points);
        if (hi - lo <= 10 * work_.tol) return false;
        const bool bent = !chart.flat() || !sm.axis.is_straight();
        const double first = chart.height(sm.at(lo));
        const Vec2 off = bent ? foot_in_section(sm, s, lo) : Vec2(Vec2::Zero());
        for (const double share : {0.0, 0.25, 0.5, 0.75, 1.0}) {
            const double at = lo + share * (hi - lo);
            const Vec3 p = sm.at(at);
            if (std::abs(sm.direction(at).dot(chart.normal(p))) >= in_plane) return false;
            if (!bent) continue;
            if (std::abs(chart.height(p) - first) > 10 * work_.tol || (foot_in_section(sm, s, at) - off).norm() > 20 * work_.tol) return false;
        }
        return true;
    }

    // From the axis to its foot on the sheet's surface, along the section axes.
    Vec2 foot_in_section(const MemberState& sm, std::size_t s, double at) const {
        const Frame f = sm.axis.frame(at);
        return f.local2(model_.sheets[s].chart.foot(f.origin));
    }

    // Does the line at that shift run inside the sheet over most of a range?
    bool over_sheet(std::size_t s, const MemberState& sm, const Vec2& shift, double lo, double hi) const {
        int in = 0;
        constexpr int n = 16;
        for (int k = 0; k < n; ++k) {
            const Vec3 p = sm.axis.frame(lo + (k + 0.5) / n * (hi - lo)).at(shift);
            const Chart& chart = model_.sheets[s].chart;
            in += inside(work_.sheets[s].polygons, chart.local2(p)) ? 1 : 0;
        }
        return 2 * in > n;
    }

    // Which end of a member a set of contact points lies on: 0, 1, or -1 for its side.
    int end_of(std::size_t m, const std::vector<ContactPoint>& points, bool first) const {
        const Member& member = model_.members[m];
        // By the area that faces the other body; where they only touch along a line, by points.
        double area[2] = {0, 0}, all_area = 0;
        std::size_t count[2] = {0, 0};
        for (const ContactPoint& p : points) {
            const int face = first ? p.face_a : p.face_b;
            all_area += p.area;
            for (std::size_t e : {0U, 1U})
                if (std::find(member.end_faces[e].begin(), member.end_faces[e].end(), face) != member.end_faces[e].end()) ++count[e], area[e] += p.area;
        }
        if (all_area > 0) {
            const std::size_t best = area[0] >= area[1] ? 0 : 1;
            if (2 * area[best] >= all_area) return static_cast<int>(best);
        }
        const std::size_t best = count[0] >= count[1] ? 0 : 1;
        return 3 * count[best] >= points.size() ? static_cast<int>(best) : -1;
    }

    // A member may touch another body with both of its ends, and with its side besides: each is a contact of its own.
    std::vector<std::vector<ContactPoint>> by_ends(std::size_t m, const std::vector<ContactPoint>& points, bool first) const {
        const Member& member = model_.members[m];
        const MemberState& sm = work_.members[m];
        std::vector<std::vector<ContactPoint>> at(3);  // both ends, the side
        std::vector<const ContactPoint*> side;
        for (const ContactPoint& p : points) {
            const auto on = [&](std::size_t e) {
                const auto& f = member.end_faces[e];
                return std::find(f.begin(), f.end(), first ? p.face_a : p.face_b) != f.end();
            };
            if (on(0)) at[0].push_back(p);
            else if (on(1)) at[1].push_back(p);
            else side.push_back(&p);
        }
        if (at[0].empty() || at[1].empty()) return {points};
        for (const ContactPoint* p : side) {
            const double s = sm.parameter(p->place);
            at[s - sm.start < sm.depth ? 0 : sm.end - s < sm.depth ? 1 : 2].push_back(*p);
        }
        std::erase_if(at, [](const auto& list) { return list.empty(); });
        return at;
    }

    std::string axis_key(std::size_t m) const { return model_.members[m].key; }

    void demand(std::size_t m, int end, double at, bool weak) { (end == 0 ? work_.members[m].at_start : work_.members[m].at_end).push_back({at, weak}); }

    void connect(std::size_t m, double a, std::size_t n, double b, int joint) {
        const Vec3 p = work_.members[m].line(a), q = work_.members[n].line(b);
        if (joint >= 0 && (p - q).norm() > 10 * work_.tol) work_.point_links.push_back({p, q, joint});
    }

    void members(std::size_t m, std::size_t n, const std::vector<ContactPoint>& points) {
        MemberState &sm = work_.members[m], &sn = work_.members[n];
        int em = end_of(m, points, true), en = end_of(n, points, false);
        Vec3 near = Vec3::Zero();
        for (const ContactPoint& p : points) near += p.place / static_cast<double>(points.size());
        const Closest c = closest(sm, sn, near);
        // An axis runs on through half the other member, further the flatter they meet.
        const double sine = std::max(0.1, sm.direction(c.a).cross(sn.direction(c.b)).norm());
        const double near_enough = 0.75 * (sm.depth + sn.depth) / sine + work_.reach;
        const auto beyond = [&](const MemberState& s, double at) { return std::max(s.start - at, at - s.end); };
        const bool usable = beyond(sm, c.a) <= near_enough && beyond(sn, c.b) <= near_enough && (sm.at(c.a) - near).norm() <= 3 * near_enough;
        // Sides that touch, but both ends stand where the axes pass: they end there.
        if (em < 0 && en < 0 && usable && !c.parallel) {
            const auto end_at = [&](const MemberState& s, double at, double within) {
                const bool first = std::abs(at - s.start) <= within, last = std::abs(at - s.end) <= within;
                return first == last ? -1 : first ? 0 : 1;
            };
            const int a_end = end_at(sm, c.a, near_enough), b_end = end_at(sn, c.b, near_enough);
            if (a_end >= 0 && b_end >= 0) em = a_end, en = b_end;
        }
        JointRecord j = joint_record(em >= 0 && en >= 0   ? JointKind::member_ends
                                     : em >= 0 || en >= 0 ? JointKind::member_end_to_member
                                                          : JointKind::members_crossing,
                                     axis_key(m), model_.members[m].body, axis_key(n), model_.members[n].body, points);
        if (em < 0 && en < 0 && c.parallel) j.kind = JointKind::members_side_by_side;

        const auto moved = [&](const MemberState& s, double at, int e) { return e < 0 ? 0.0 : std::abs(at - (e == 0 ? s.start : s.end)); };
        double a = c.a, b = c.b;
        if (em >= 0 && en >= 0 && (c.parallel || !usable)) {
            // End to end on one line: meet half-way.
            const Vec3 half = 0.5 * (sm.at(em == 0 ? sm.start : sm.end) + sn.at(en == 0 ? sn.start : sn.end));
            a = sm.parameter(half), b = sn.parameter(half);
        } else if (em >= 0 && (c.parallel || !usable)) {
            a = em == 0 ? sm.start : sm.end, b = sn.parameter(sm.at(a));
        } else if (en >= 0 && (c.parallel || !usable)) {
            b = en == 0 ? sn.start : sn.end, a = sm.parameter(sn.at(b));
        } else if (em < 0 && en < 0 && (c.parallel || !usable)) {
            side_by_side(m, n, points, j);
            return;
        }
        a = em < 0 ? std::clamp(a, sm.start - near_enough, sm.end + near_enough) : a;
        b = en < 0 ? std::clamp(b, sn.start - near_enough, sn.end + near_enough) : b;
        j.moved = std::max(moved(sm, a, em), moved(sn, b, en));
        const int number = add_joint(model_, work_, j);
        if (number == -1) return;
        attach(m, em, a, sn.depth);
        attach(n, en, b, sm.depth);
        connect(m, a, n, b, number);
    }

    // An end is carried to the point; a side is split there, and a short overhang beyond it is cut.
    void attach(std::size_t m, int end, double at, double other_depth) {
        MemberState& s = work_.members[m];
        if (end >= 0) {
            demand(m, end, at, false);
            return;
        }
        s.splits.push_back(at);
        const double overhang = work_.options->overhang.value_or(0.75 * other_depth + work_.reach);
        if (at - s.start <= overhang) demand(m, 0, at, true);
        if (s.end - at <= overhang) demand(m, 1, at, true);
    }

    void side_by_side(std::size_t m, std::size_t n, const std::vector<ContactPoint>& points, JointRecord j) {
        MemberState &sm = work_.members[m], &sn = work_.members[n];
        double lo = std::numeric_limits<double>::max(), hi = -lo;
        for (const ContactPoint& p : points) lo = std::min(lo, sm.parameter(p.place)), hi = std::max(hi, sm.parameter(p.place));
        // As far as both run: contact is found to about the breadth of a facet.
        const auto [low, high] = std::minmax({sm.parameter(sn.at(sn.start)), sm.parameter(sn.at(sn.end))});
        lo = std::max({lo, sm.start, low}), hi = std::min({hi, sm.end, high});
        j.length = hi - lo;
        const int number = add_joint(model_, work_, j);
        if (number < 0) return;
        const int pieces = std::max(1, static_cast<int>(std::round((hi - lo) / (2 * std::max(sm.depth, sn.depth)))));
        for (int i = 0; i <= pieces; ++i) {
            const double a = lo + (hi - lo) * i / pieces;
            const double b = std::clamp(sn.parameter(sm.at(a)), sn.start, sn.end);
            sm.splits.push_back(a), sn.splits.push_back(b);
            connect(m, a, n, b, number);
        }
    }

    void with_sheets(std::size_t m, BodyId member_body, BodyId sheet_body) {
        const auto of = contacts_by_sheet(member_body, sheet_body);
        for (const auto& [s, points] : of) {
            if (points.size() < 2 && of.size() > 1) continue;
            // The ends' edges of a member that runs along a sheet all its way touch it too: that is no contact of theirs.
            const bool along = end_of(m, points, true) < 0 && !faces_with_an_end(m, points) && runs_along(m, s, points);
            for (const auto& here : along ? std::vector<std::vector<ContactPoint>>{points} : by_ends(m, points, true)) with_sheet(m, s, here);
        }
    }

    bool faces_with_an_end(std::size_t m, const std::vector<ContactPoint>& points) const {
        return std::any_of(points.begin(), points.end(), [&](const ContactPoint& p) {
            const auto& ends = model_.members[m].end_faces;
            return p.area > 0 && std::any_of(ends.begin(), ends.end(), [&](const auto& f) { return std::find(f.begin(), f.end(), p.face_a) != f.end(); });
        });
    }

    // Contact of a member's body with the sheets of another, each point with the sheet it belongs to.
    std::map<std::size_t, std::vector<ContactPoint>> contacts_by_sheet(BodyId member_body, BodyId sheet_body) const {
        std::map<std::size_t, std::vector<ContactPoint>> of;
        const auto it = sheets_of_.find(sheet_body);
        if (it == sheets_of_.end()) return of;
        for (const ContactPoint& p : contacts_.between(member_body, sheet_body)) {
            std::size_t best = it->second.size();
            double best_score = 1.05;
            for (std::size_t k = 0; k < it->second.size(); ++k) {
                const Sheet& s = model_.sheets[it->second[k]];
                const auto side_of = [&](const std::vector<int>& f) { return std::find(f.begin(), f.end(), p.face_b) != f.end(); };
                if (!near_sheet(it->second[k], p.place)) continue;
                // Faces of the wall first, then its rims: those lie within its thickness.
                const double score = side_of(s.top_faces) || side_of(s.bottom_faces)
                                         ? 0.0
                                         : std::abs(s.chart.height(p.place)) / (work_.sheets[it->second[k]].deepest + work_.reach + 10 * work_.tol);
                if (score < best_score) best_score = score, best = k;
            }
            if (best < it->second.size()) of[it->second[best]].push_back(p);
        }
        drop_borders(of);
        return of;
    }

    // A wall whose skin faces the member lies on it; walls that end in that one touch the member along the edge they share with it, and need
    // no joint of their own.
    void drop_borders(std::map<std::size_t, std::vector<ContactPoint>>& of) const {
        std::vector<std::size_t> facing;
        for (const auto& [s, points] : of)
            if (std::ranges::any_of(points, [](const ContactPoint& p) { return p.area > 0; })) facing.push_back(s);
        if (facing.empty()) return;
        std::erase_if(of, [&](const auto& group) {
            return std::ranges::find(facing, group.first) == facing.end() && std::ranges::all_of(group.second, [&](const ContactPoint& p) {
                       return std::ranges::any_of(facing, [&](std::size_t s) { return near_sheet(s, p.place); });
                   });
        });
    }

    bool near_sheet(std::size_t s, const Vec3& p) const {
        const Sheet& sheet = model_.sheets[s];
        const double within = sheet.thickness.max + work_.reach + 10 * work_.tol;
        if (std::abs(sheet.chart.height(p)) > within) return false;
        Box3 b = work_.sheets[s].box;
        b.min().array() -= within, b.max().array() += within;
        return b.contains(p);
    }

    void with_sheet(std::size_t m, std::size_t s, const std::vector<ContactPoint>& points) {
        const MemberState& sm = work_.members[m];
        const Chart& chart = model_.sheets[s].chart;
        const int end = end_of(m, points, true);
        const double at = end == 0 ? sm.start : end == 1 ? sm.end : sm.parameter(points[0].place);
        const double sine = std::abs(sm.direction(at).dot(chart.normal(end >= 0 ? sm.at(at) : points[0].place)));
        if (end >= 0 && sine >= pierces && end_on_sheet(m, s, end, sine, points)) return;
        if (end < 0 && runs_along(m, s, points)) {
            const auto [lo, hi] = range_of(sm, points);
            const Vec3 middle = sm.at(0.5 * (lo + hi));
            const bool flat = chart.flat() && sm.axis.is_straight();
            if (flat && std::abs(chart.height(middle)) <= 10 * work_.tol && edge_to_axis(m, s, points)) return;
            if (sm.shifted() && std::abs(chart.height(sm.line(0.5 * (lo + hi)))) <= 10 * work_.tol && line_in_sheet(m, s, points)) return;
            if (flat && along_sheet(m, s, points)) return;
        }
        spider(m, s, end, points);
    }

    bool end_on_sheet(std::size_t m, std::size_t s, int end, double sine, const std::vector<ContactPoint>& points) {
        MemberState& sm = work_.members[m];
        const Sheet& sheet = model_.sheets[s];
        const double from = end == 0 ? sm.start : sm.end;
        double at = from;
        for (int i = 0; i < (sheet.chart.flat() && sm.axis.is_straight() ? 1 : 20); ++i)
            at -= sheet.chart.height(sm.at(at)) / sm.direction(at).dot(sheet.chart.normal(sm.at(at)));
        if (!std::isfinite(at)) return false;
        const double furthest = (work_.sheets[s].deepest + work_.reach) / sine + 0.5 * sm.depth * std::sqrt(1 - sine * sine) / sine + 10 * work_.tol;
        const Vec3 x = sm.at(at);
        if (std::abs(at - from) > furthest || !on_sheet(sheet, work_.sheets[s], x, 10 * work_.tol)) return false;
        JointRecord j = joint_record(JointKind::member_end_to_sheet, axis_key(m), model_.members[m].body, sheet.key, sheet.body, points);
        j.moved = std::abs(at - from), j.place = x;
        const int number = add_joint(model_, work_, j);
        if (number == -1) return true;
        demand(m, end, at, false);
        sm.splits.push_back(at);
        work_.sheets[s].points.emplace_back(-1, x);
        if (number >= 0 && work_.options->ends == EndsAs::footprint) add_footprint(model_, work_, m, s, at, x);
        if (sm.shifted() && number >= 0) work_.point_links.push_back({sm.line(at), x, number});
        return true;
    }

    // The sheet's plane holds the axis: its edge is carried to the axis and shared.
    bool edge_to_axis(std::size_t m, std::size_t s, const std::vector<ContactPoint>& points) {
        MemberState& sm = work_.members[m];
        double furthest = 0, lo = std::numeric_limits<double>::max(), hi = -lo;
        for (const ContactPoint& p : points) {
            const double t = sm.parameter(p.place);
            furthest = std::max(furthest, (p.place - sm.at(t)).norm());
            lo = std::min(lo, t), hi = std::max(hi, t);
        }
        bool any = false, linked = false;
        const Vec3 origin = sm.at(0), direction = sm.direction(0);
        for (const LineReach& r :
             line_reaches(model_.sheets[s].chart, work_.sheets[s], origin, direction, furthest + work_.reach + 10 * work_.tol, work_.tol)) {
            const double slack = model_.sheets[s].thickness.max + work_.reach;
            const double a = std::max(r.lo, lo - slack), b = std::min(r.hi, hi + slack);
            if (b - a <= 10 * work_.tol) continue;
            JointRecord j =
                joint_record(JointKind::sheet_edge_to_member, model_.sheets[s].key, model_.sheets[s].body, axis_key(m), model_.members[m].body, points);
            j.moved = r.moved, j.length = b - a;
            // Across a deep member an extension would double material that carries; matched links stand for the rigid profile.
            if (sm.shifted() || (r.extension && r.moved > longest_strip * model_.sheets[s].thickness.max)) {
                j.kind = JointKind::sheet_edge_along_member;
                const int number = add_joint(model_, work_, j);
                if (number >= 0) work_.line_links.push_back({r.edge.edge.value, -1, a, b, static_cast<int>(m), number});
                linked = true;
                continue;
            }
            if (add_joint(model_, work_, j) == -1) return true;
            if (r.extension) extend_to_line(model_, work_, static_cast<int>(s), r, origin, direction, a, b);
            any = true;
        }
        if (any && std::find(sm.in_sheets.begin(), sm.in_sheets.end(), static_cast<int>(s)) == sm.in_sheets.end()) sm.in_sheets.push_back(static_cast<int>(s));
        return any || linked;
    }

    // The member's line lies in the sheet: they share its edges, and the section stands off.
    bool line_in_sheet(std::size_t m, std::size_t s, const std::vector<ContactPoint>& points) {
        MemberState& sm = work_.members[m];
        const auto [lo, hi] = range_of(sm, points);
        JointRecord j = joint_record(JointKind::member_along_sheet, axis_key(m), model_.members[m].body, model_.sheets[s].key, model_.sheets[s].body, points);
        j.length = hi - lo;
        if (add_joint(model_, work_, j) == -1) return true;
        if (std::find(sm.in_sheets.begin(), sm.in_sheets.end(), static_cast<int>(s)) == sm.in_sheets.end()) sm.in_sheets.push_back(static_cast<int>(s));
        return true;
    }

    // The axis runs alongside: its line is imprinted on the sheet and linked node to node, so that the eccentricity stays.
    bool along_sheet(std::size_t m, std::size_t s, const std::vector<ContactPoint>& points) {
        MemberState& sm = work_.members[m];
        const Frame& f = model_.sheets[s].chart.plane();
        double lo = std::numeric_limits<double>::max(), hi = -lo;
        for (const ContactPoint& p : points) lo = std::min(lo, sm.parameter(p.place)), hi = std::max(hi, sm.parameter(p.place));
        lo = std::max(lo, sm.start), hi = std::min(hi, sm.end);
        const auto foot = [&](double t) { return Vec3(sm.at(t) - f.height(sm.at(t)) * f.z); };
        const Vec3 p = foot(0), d = (foot(1) - p).normalized();
        bool any = false;
        for (const LineReach& r : line_reaches(f, work_.sheets[s], p, d, work_.tol, work_.tol)) {
            // The points of a contact fall short of its ends by chance: what is left of the sheet there is part of it.
            const double slack = std::max(model_.sheets[s].thickness.max + work_.reach, short_of_end * (r.hi - r.lo));
            const double a = std::max(sm.start, lo <= r.lo + slack ? r.lo : lo), b = std::min(sm.end, hi >= r.hi - slack ? r.hi : hi);
            if (b - a <= 10 * work_.tol) continue;
            JointRecord j =
                joint_record(JointKind::member_along_sheet, axis_key(m), model_.members[m].body, model_.sheets[s].key, model_.sheets[s].body, points);
            j.length = b - a;
            const int number = add_joint(model_, work_, j);
            if (number < 0) return true;
            const int imprint = work_.add_curve(Curve::segment(p + a * d, p + b * d));
            work_.sheets[s].curves.push_back(imprint);
            work_.line_links.push_back({imprint, -1, a, b, static_cast<int>(m), number});
            any = true;
        }
        return any;
    }

    // The axis misses the sheet (a hole under a tube, a plate notched round one, an edge beside it): rigid links from
    // one point of the axis to points of the sheet spread over the contact.
    void spider(std::size_t m, std::size_t s, int end, const std::vector<ContactPoint>& points) {
        MemberState& sm = work_.members[m];
        const Sheet& sheet = model_.sheets[s];
        Vec3 near = Vec3::Zero();
        for (const ContactPoint& p : points) near += p.place / static_cast<double>(points.size());
        double at = sm.parameter(near);
        const double slope = sm.direction(at).dot(sheet.chart.normal(near));
        if (end >= 0) at = end == 0 ? sm.start : sm.end;
        else if (std::abs(slope) >= pierces) at = sm.parameter(near) - sheet.chart.height(sm.at(sm.parameter(near))) / slope;
        at = std::clamp(at, sm.start, sm.end);
        JointRecord j = joint_record(JointKind::links, axis_key(m), model_.members[m].body, sheet.key, sheet.body, points);
        const int number = add_joint(model_, work_, j);
        if (number < 0) return;
        const Vec3 hub = loose_station(sm, at);
        std::vector<Vec3> feet;
        const auto [lo, hi] = range_of(sm, points);
        const auto legs = static_cast<std::size_t>(std::clamp((hi - lo) / std::max(sm.depth, work_.tol), 1.0 * spider_legs, 1.0 * most_legs));
        for (const Vec3& p : spread_points(points, legs)) {
            const Vec3 q = onto_lines(s, snapped_to_sheet(model_, work_.sheets[s], sheet, p, sheet.thickness.max));
            const double apart = std::max(0.5 * sheet.thickness.max, feet_apart * sm.depth);
            if (std::any_of(feet.begin(), feet.end(), [&](const Vec3& k) { return (k - q).norm() < apart; })) continue;
            feet.push_back(q);
            work_.sheets[s].points.emplace_back(-1, q);
            // Along the member each foot hangs on the place beside it.
            const double beside = std::clamp(sm.parameter(q), sm.start, sm.end);
            const Vec3 from = end < 0 && std::abs(beside - at) > 0.5 * sm.depth ? loose_station(sm, beside) : hub;
            if ((q - from).norm() > 10 * work_.tol) work_.point_links.push_back({from, q, number});
        }
    }

    // A foot beside the line of a member that runs in the sheet goes onto it: close to it, it would leave slivers.
    Vec3 onto_lines(std::size_t s, const Vec3& q) const {
        const Sheet& sheet = model_.sheets[s];
        for (const MemberState& m : work_.members) {
            if (!m.shifted()) continue;
            const double t = m.parameter(q);
            if (t < m.start || t > m.end) continue;
            const Vec3 line = m.line(t);
            if ((line - q).norm() < sheet.thickness.max && std::abs(sheet.chart.height(line)) <= 10 * work_.tol) return line;
        }
        return q;
    }

    // No solids: ends that come within reach of an axis or a sheet.
    void by_hand() {
        for (std::size_t m = 0; m < work_.members.size(); ++m)
            for (int e : {0, 1}) {
                const Vec3 p = work_.members[m].at(e == 0 ? work_.members[m].start : work_.members[m].end);
                for (std::size_t n = 0; n < work_.members.size(); ++n) {
                    if (n == m) continue;
                    const double b = std::clamp(work_.members[n].parameter(p), work_.members[n].start, work_.members[n].end);
                    if ((work_.members[n].at(b) - p).norm() > work_.reach + 10 * work_.tol) continue;
                    JointRecord j = joint_record(JointKind::member_end_to_member, axis_key(m), {}, axis_key(n), {});
                    j.place = p;
                    j.gap = (work_.members[n].at(b) - p).norm();
                    const int number = add_joint(model_, work_, j);
                    if (number == -1) continue;
                    work_.members[n].splits.push_back(b);
                    connect(m, e == 0 ? work_.members[m].start : work_.members[m].end, n, b, number);
                }
                for (std::size_t s = 0; s < work_.sheets.size(); ++s) {
                    const double sine = std::abs(work_.members[m].direction(work_.members[m].parameter(p)).dot(model_.sheets[s].chart.normal(p)));
                    if (sine >= pierces) end_by_hand(m, s, e, sine);
                }
            }
    }

    void end_by_hand(std::size_t m, std::size_t s, int end, double sine) {
        const MemberState& sm = work_.members[m];
        const Sheet& sheet = model_.sheets[s];
        const double from = end == 0 ? sm.start : sm.end;
        const double gap = std::abs(sheet.chart.height(sm.at(from))) - work_.sheets[s].deepest;
        if (gap > work_.reach + 10 * work_.tol) return;
        end_on_sheet(m, s, end, sine, {});
    }

    const Model& model_;
    const ContactTable& contacts_;
    JoinWork& work_;
    std::map<BodyId, std::size_t> member_of_;
    std::map<BodyId, std::vector<std::size_t>> sheets_of_;
};

}  // namespace

void find_member_joints(const Model& model, const ContactTable& contacts, JoinWork& work) {
    MemberJoiner(model, contacts, work).run();
}

}  // namespace halvo
