#include "join/steps.hpp"
#include "model/sheet_values.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double facing = 0.5;  // cosine: an edge extends only towards a line roughly in front of it

SheetState sheet_state(const Model& model, const Sheet& s) {
    SheetState out;
    out.thickest = s.thickness.max, out.deepest = deepest_side(model, s);
    std::map<int, int> uses;
    for (const Region& r : s.regions)
        for (const auto& loop : r.loops)
            for (const EdgeUse& u : loop) ++uses[u.edge.value];
    for (const Region& r : s.regions) {
        for (auto& p : region_polygons(model, s.chart, r, model.tolerance.chord)) out.polygons.push_back(std::move(p));
        for (const auto& loop : r.loops)
            for (std::size_t i = 0; i < loop.size(); ++i) {
                const auto curve = [&](std::size_t k) {
                    const EdgeUse& u = loop[k % loop.size()];
                    const Curve& c = model.edges[u.edge.index()].curve;
                    return u.reversed ? c.reversed() : c;
                };
                const Curve c = curve(i);
                out.box.extend(c.box());
                if (!c.is_line() || uses[loop[i].edge.value] > 1) continue;
                const Curve before = curve(i + loop.size() - 1), after = curve(i + 1);
                BoundaryEdge e;
                e.from = c.start(), e.to = c.end(), e.edge = loop[i].edge;
                e.out = (c.end() - c.start()).cross(s.chart.plane().z).normalized();
                e.before = before.is_line() ? before.derivative(before.t1) : Vec3(Vec3::Zero());
                e.after = after.is_line() ? Vec3(-after.derivative(after.t0)) : Vec3(Vec3::Zero());
                out.edges.push_back(e);
            }
    }
    return out;
}

}  // namespace

JoinWork prepare(const Model& model, const JoinOptions& options, const JointRules* rules) {
    JoinWork work;
    work.reach = rules ? rules->widest() : options.reach;
    work.options = &options;
    work.rules = rules;
    work.tol = model.tolerance.point;
    work.refused.insert(options.refuse.begin(), options.refuse.end());
    for (const Sheet& s : model.sheets) work.sheets.push_back(sheet_state(model, s));
    for (const Member& m : model.members) {
        MemberState st;
        st.axis = m.axis;
        if (m.offset != Vec2::Zero()) st.shift = -m.offset;
        const auto end = [&](const EdgeUse& u, bool last) {
            return model.vertices[model.edges[u.edge.index()].vertices[last != u.reversed ? 1 : 0].index()].point;
        };
        st.start = st.parameter(end(m.chain.front(), false));
        st.end = st.parameter(end(m.chain.back(), true));
        // A ring ends where it starts: all of it is there.
        if (m.axis.closed(10 * model.tolerance.point)) st.start = 0, st.end = m.axis.length();
        for (const EdgeUse& u : m.chain) st.splits.push_back(st.parameter(end(u, true)));
        st.splits.pop_back();
        st.depth = m.section ? model.sections[m.section.index()].depth : 0;
        work.members.push_back(std::move(st));
    }
    work.first_curve = static_cast<int>(model.edges.size());
    for (const Coupling& c : model.couplings) {
        CouplingWork k{c.key, c.body, model.vertices[c.centre.index()].point, c.volume, {}, {}, c.faces};
        for (EdgeId e : c.edges) k.curves.push_back(e.value);
        for (VertexId v : c.vertices) k.points.push_back(model.vertices[v.index()].point);
        work.couplings.push_back(std::move(k));
    }
    return work;
}

JointRecord joint_record(JointKind kind, const std::string& a, BodyId body_a, const std::string& b, BodyId body_b, const std::vector<ContactPoint>& contact) {
    JointRecord j;
    j.kind = kind, j.a = a, j.b = b, j.bodies = {body_a, body_b};
    double gap = contact.empty() ? 0 : std::numeric_limits<double>::max();
    for (const ContactPoint& p : contact) gap = std::min(gap, p.gap), j.place += p.place / static_cast<double>(contact.size());
    j.gap = std::max(0.0, gap);
    return j;
}

std::string joint_key(std::string a, std::string b) {
    if (b < a) std::swap(a, b);
    for (std::string* s : {&a, &b})
        for (const std::string w : {"sheet-", "member-", "plate-"})
            if (s->starts_with(w)) s->erase(0, w.size());
    return "joint-" + a + "-" + b;
}

int add_joint(const Model& model, JoinWork& work, JointRecord joint) {
    constexpr int again = -2;  // made by an earlier run: carried out again without a new record
    if (joint.b < joint.a) std::swap(joint.a, joint.b), std::swap(joint.bodies[0], joint.bodies[1]);
    const std::string key = joint.key = joint_key(joint.a, joint.b);
    const auto made = [&](const JointRecord& j) { return j.key == key; };
    if (std::any_of(model.joints.begin(), model.joints.end(), made)) return again;
    const auto known = std::find_if(work.joints.begin(), work.joints.end(), made);
    if (known != work.joints.end()) {
        known->length += joint.length;
        known->moved = std::max(known->moved, joint.moved);
        known->gap = std::max(known->gap, joint.gap);
        return known->state == EntryState::refused ? -1 : static_cast<int>(known - work.joints.begin());
    }
    if (work.rules ? work.rules->refuses(joint) : work.refused.count(key) > 0) joint.state = EntryState::refused;
    work.joints.push_back(joint);
    return joint.state == EntryState::refused ? -1 : static_cast<int>(work.joints.size()) - 1;
}

std::vector<LineReach> line_reaches(const Chart& chart, const SheetState& s, const Vec3& p, const Vec3& d, double furthest, double tol) {
    std::vector<LineReach> out;
    const Vec2 o = chart.local2(p), dir = chart.local2(p + d) - o, side(-dir.y(), dir.x());
    std::vector<double> cuts;
    for (const auto& poly : s.polygons)
        for (std::size_t i = 0, j = poly.size() - 1; i < poly.size(); j = i++) {
            const double a = side.dot(poly[j] - o), b = side.dot(poly[i] - o);
            if ((a > 0) == (b > 0)) continue;
            cuts.push_back(dir.dot(poly[j] + (poly[i] - poly[j]) * (a / (a - b)) - o));
        }
    std::sort(cuts.begin(), cuts.end());
    for (std::size_t i = 0; i + 1 < cuts.size(); i += 2) {
        if (!out.empty() && cuts[i] - out.back().hi <= tol) out.back().hi = cuts[i + 1];
        else if (cuts[i + 1] - cuts[i] > tol) out.push_back({cuts[i], cuts[i + 1]});
    }
    for (const BoundaryEdge& e : s.edges) {
        const auto off = [&](const Vec3& q) { return side.dot(chart.local2(q) - o); };
        const auto along = [&](const Vec3& q) { return (q - p).dot(d); };
        const double a = off(e.from), b = off(e.to);
        LineReach r{};
        if (std::abs(a) <= tol && std::abs(b) <= tol) {  // the edge lies on the line already
            r.lo = std::min(along(e.from), along(e.to)), r.hi = std::max(along(e.from), along(e.to));
            out.push_back(r);
            continue;
        }
        if (std::max(std::abs(a), std::abs(b)) > furthest) continue;
        if (a * b < 0 && std::min(std::abs(a), std::abs(b)) > tol) continue;  // crosses the line: no end of the sheet
        const Vec3 mid = 0.5 * (e.from + e.to);
        const Vec3 to_line = (p + along(mid) * d) - mid;
        if (to_line.norm() <= tol || e.out.dot(to_line.normalized()) < facing) continue;
        const auto foot = [&](const Vec3& q, const Vec3& run) {
            const double toward = run.dot(to_line.normalized());
            if (toward < 0.7) return along(q);
            return along(q + run * (std::abs(off(q)) / toward));
        };
        const double fa = foot(e.from, e.before), fb = foot(e.to, e.after);
        r.extension = true;
        r.edge = e;
        const bool forward = fa < fb;
        r.low_foot = forward ? fa : fb, r.high_foot = forward ? fb : fa;
        r.low_from = forward ? e.from : e.to, r.high_from = forward ? e.to : e.from;
        r.lo = r.low_foot, r.hi = r.high_foot;
        r.moved = std::max(std::abs(a), std::abs(b));
        if (r.hi - r.lo > tol) out.push_back(r);
    }
    return out;
}

namespace {

// A new piece of a sheet's border. Another sheet in whose plane it runs shares it.
void add_side(const Model& model, JoinWork& work, int sheet, const Vec3& u, const Vec3& v) {
    if ((u - v).norm() <= work.tol) return;
    const int c = work.add_curve(Curve::segment(u, v));
    work.sheets[static_cast<std::size_t>(sheet)].curves.push_back(c);
    for (std::size_t k = 0; k < work.sheets.size(); ++k) {
        if (static_cast<int>(k) == sheet) continue;
        const Frame& f = model.sheets[k].chart.plane();
        if (std::abs(f.height(u)) > work.tol || std::abs(f.height(v)) > work.tol) continue;
        Box3 box = work.sheets[k].box;
        const double beyond = work.sheets[k].thickest + 10 * work.tol;
        box.min().array() -= beyond, box.max().array() += beyond;
        if (box.contains(0.5 * (u + v))) work.sheets[k].curves.push_back(c);
    }
}

}  // namespace

void extend_to_line(const Model& model, JoinWork& work, int sheet, const LineReach& r, const Vec3& p, const Vec3& d, double lo, double hi) {
    SheetState& s = work.sheets[static_cast<std::size_t>(sheet)];
    const Frame& chart = model.sheets[static_cast<std::size_t>(sheet)].chart.plane();
    const double tol = 10 * work.tol;
    Vec3 low_from = r.low_from, high_from = r.high_from;
    double low = r.low_foot, high = r.high_foot;
    // A joint shorter than the edge takes only its part along: cut square to the line.
    const auto on_edge = [&](double at) {
        const Vec3 run = r.high_from - r.low_from;
        const double a = (r.low_from - p).dot(d), b = (r.high_from - p).dot(d);
        const double w = std::clamp((at - a) / (b - a), 0.0, 1.0);
        return Vec3(r.low_from + w * run);
    };
    if (lo > low + tol) low = lo, low_from = on_edge(lo);
    if (hi < high - tol) high = hi, high_from = on_edge(hi);
    const Vec3 a = p + low * d, b = p + high * d;
    s.extensions.push_back({chart.local2(low_from), chart.local2(a), chart.local2(b), chart.local2(high_from)});
    s.extended.insert(r.edge.edge.value);
    if (low_from == r.low_from) s.strips.push_back({low_from, a, d});
    if (high_from == r.high_from) s.strips.push_back({high_from, b, d});
    for (const auto& [u, v] : {std::pair(low_from, a), std::pair(a, b), std::pair(b, high_from)}) add_side(model, work, sheet, u, v);
}

void fill_corners(const Model& model, JoinWork& work) {
    for (std::size_t i = 0; i < work.sheets.size(); ++i) {
        const auto strips = work.sheets[i].strips;
        for (std::size_t m = 0; m < strips.size(); ++m)
            for (std::size_t n = m + 1; n < strips.size(); ++n) {
                const SheetState::Strip &x = strips[m], &y = strips[n];
                if ((x.from - y.from).norm() > work.tol) continue;
                const Chart& chart = model.sheets[i].chart;
                const Vec2 p = chart.local2(x.foot), q = chart.local2(y.foot), v = chart.local2(x.from);
                const Vec2 dp = chart.local2(x.foot + x.direction) - p, dq = chart.local2(y.foot + y.direction) - q;
                const double sine = dp.x() * dq.y() - dp.y() * dq.x();
                if (std::abs(sine) < 0.17) continue;
                const Vec2 run = q - p, corner = p + dp * ((run.x() * dq.y() - run.y() * dq.x()) / sine);
                if ((corner - v).norm() > 2 * ((p - v).norm() + (q - v).norm())) continue;
                if ((corner - p).norm() <= 10 * work.tol || (corner - q).norm() <= 10 * work.tol) continue;
                work.sheets[i].extensions.push_back({v, p, corner, q});
                add_side(model, work, static_cast<int>(i), x.foot, chart.at(corner));
                add_side(model, work, static_cast<int>(i), chart.at(corner), y.foot);
            }
    }
}

}  // namespace halvo
