// Joints that the plan names outright: an edge carried to a sheet or to another edge, or a strip closed between two edges.
#include "core/index.hpp"
#include "core/keys.hpp"
#include "geom/nearest_curve.hpp"
#include "geom/outline.hpp"
#include "join/steps.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double least_sine = 0.1;  // between sheets of which one is carried to the other
constexpr double near_edge = 3;     // thicknesses, between a point of the plan and the edge it means
constexpr int strip_cubics = 16;    // cubics along a strip between curved edges

struct FreeEdge {
    int edge = -1, sheet = -1;
    double distance = std::numeric_limits<double>::max();
};

// The free edge nearest to a point, on any sheet but one.
FreeEdge free_edge_at(const Model& model, const Vec3& p, int but = -1) {
    const auto uses = sheets_at_edges(model);
    const NearestCurve near = nearest_curve(model.edges.size(), p, [&](std::size_t e) {
        const bool free = uses[e].size() == 1 && uses[e][0].sides == 1 && uses[e][0].sheet.value != but;
        return free ? &model.edges[e].curve : nullptr;
    });
    return near.number < 0 ? FreeEdge{} : FreeEdge{near.number, uses[static_cast<std::size_t>(near.number)][0].sheet.value, near.distance};
}

[[noreturn]] void refuse(std::size_t number, const std::string& what) {
    throw Error(ErrorKind::input, fmt::format("[[joint]] entry {}: {}", number, what));
}

FreeEdge wanted_edge(const Model& model, const Assembly& solids, const Vec3& given, std::size_t number, int but = -1) {
    const FreeEdge e = free_edge_at(model, given - solids.shift, but);
    if (e.edge < 0 || e.distance > near_edge * model.sheets[static_cast<std::size_t>(e.sheet)].thickness.max)
        refuse(number,
               fmt::format("no free edge of a sheet near ({:g}, {:g}, {:g}); halvo draw MODEL --colour edges shows them", given.x(), given.y(), given.z()));
    return e;
}

// The sheet that a point lies on or next to.
int sheet_at(const Model& model, const JoinWork& work, const Vec3& p, int but) {
    int best = -1;
    double least = std::numeric_limits<double>::max();
    for (std::size_t i = 0; i < model.sheets.size(); ++i) {
        if (static_cast<int>(i) == but) continue;
        const Chart& chart = model.sheets[i].chart;
        const Vec3 foot = chart.foot(p);
        const Vec2 q = chart.local2(foot);
        const double beside = inside(work.sheets[i].polygons, q) ? 0 : border_distance(work.sheets[i].polygons, q), d = (foot - p).norm() + beside;
        if (d < least) least = d, best = static_cast<int>(i);
    }
    return best >= 0 && least <= near_edge * model.sheets[static_cast<std::size_t>(best)].thickness.max ? best : -1;
}

class NamedCarrier {
public:
    NamedCarrier(const Model& model, const Assembly& solids, JoinWork& work) : model_(model), solids_(solids), work_(work) {}

    void carry(const JointRule& rule, std::size_t number) {
        const FreeEdge from = wanted_edge(model_, solids_, rule.edge[0], number);
        const Sheet& a = model_.sheets[ix(from.sheet)];
        const int onto = sheet_at(model_, work_, rule.to[0] - solids_.shift, from.sheet);
        if (onto < 0) refuse(number, fmt::format("no sheet at ({:g}, {:g}, {:g}) to carry the edge to", rule.to[0].x(), rule.to[0].y(), rule.to[0].z()));
        const Sheet& b = model_.sheets[ix(onto)];
        if (!a.chart.flat() || !b.chart.flat() || !model_.edges[ix(from.edge)].curve.is_line())
            refuse(number, "only a straight edge of a flat sheet can be carried to a flat sheet; close a strip between two edges instead");
        const Frame &fa = a.chart.plane(), &fb = b.chart.plane();
        const double sine = fa.z.cross(fb.z).norm();
        Vec3 p, d;
        if (sine >= least_sine) {
            d = fa.z.cross(fb.z).normalized();
            Eigen::Matrix3d rows;
            rows << fa.z.transpose(), fb.z.transpose(), d.transpose();
            p = rows.fullPivLu().solve(Vec3(fa.z.dot(fa.origin), fb.z.dot(fb.origin), d.dot(model_.edges[ix(from.edge)].curve.middle())));
        } else {
            // In one plane: up to the other sheet's nearest edge.
            const FreeEdge other = wanted_edge(model_, solids_, rule.to[0], number, from.sheet);
            const Curve& c = model_.edges[ix(other.edge)].curve;
            if (std::abs(fa.height(c.middle())) > 10 * work_.tol || !c.is_line())
                refuse(number, "the two sheets run beside each other; tie them, or close a strip between two edges");
            p = c.start(), d = (c.end() - c.start()).normalized();
        }
        join_there(from, onto, p, d, sine < least_sine, number);
    }

private:
    void join_there(const FreeEdge& from, int onto, const Vec3& p, const Vec3& d, bool in_plane, std::size_t number) {
        constexpr double anywhere = 1e9;
        bool any = false;
        for (const LineReach& x : line_reaches(model_.sheets[ix(from.sheet)].chart, work_.sheets[ix(from.sheet)], p, d, anywhere, work_.tol)) {
            if (!x.extension || x.edge.edge.value != from.edge) continue;
            const double reach = in_plane ? work_.tol : work_.sheets[ix(from.sheet)].deepest + work_.reach;
            for (const LineReach& y : line_reaches(model_.sheets[ix(onto)].chart, work_.sheets[ix(onto)], p, d, reach, work_.tol)) {
                const double lo = std::max(x.lo, y.lo), hi = std::min(x.hi, y.hi);
                if (hi - lo <= 10 * work_.tol) continue;
                const Sheet &a = model_.sheets[ix(from.sheet)], &b = model_.sheets[ix(onto)];
                JointRecord j = joint_record(in_plane ? JointKind::butt : y.extension ? JointKind::corner : JointKind::tee, a.key, a.body, b.key, b.body);
                j.moved = x.moved, j.length = hi - lo, j.place = p + 0.5 * (lo + hi) * d;
                j.gap = std::max(0.0, x.moved - 0.5 * b.thickness.max);
                any = true;
                if (add_joint(model_, work_, j) < 0) continue;
                extend_to_line(model_, work_, from.sheet, x, p, d, lo, hi);
                if (y.extension) extend_to_line(model_, work_, onto, y, p, d, lo, hi);
                const int c = work_.add_curve(Curve::segment(p + lo * d, p + hi * d));
                work_.sheets[ix(from.sheet)].curves.push_back(c), work_.sheets[ix(onto)].curves.push_back(c);
            }
        }
        if (!any) work_.idle.push_back(fmt::format("[[joint]] entry {}: the edge, carried on, does not meet that sheet", number));
    }

    const Model& model_;
    const Assembly& solids_;
    JoinWork& work_;
};

// Poles of cubics along a curve, run in a sense, each piece on an even share of its parameter.
struct Row {
    std::vector<Vec3> poles;  // 3 * strip_cubics + 1
};

Row row_of(const Curve& c, bool reversed, int n) {
    Row out;
    const Curve run = reversed ? c.reversed() : c;
    for (int k = 0; k < n; ++k) {
        const double a = run.t0 + (run.t1 - run.t0) * k / n, b = run.t0 + (run.t1 - run.t0) * (k + 1) / n, third = (b - a) / 3;
        if (k == 0) out.poles.push_back(run.point(a));
        out.poles.push_back(run.point(a) + third * run.derivative(a));
        out.poles.push_back(run.point(b) - third * run.derivative(b));
        out.poles.push_back(run.point(b));
    }
    return out;
}

// Away from the sheet's material at an edge, square to it.
Vec3 outward(const Model& model, const FreeEdge& e, const Vec3& p) {
    const Sheet& s = model.sheets[static_cast<std::size_t>(e.sheet)];
    const Curve& c = model.edges[static_cast<std::size_t>(e.edge)].curve;
    const Vec3 side = c.derivative(c.nearest(p)).normalized().cross(s.chart.normal(p)).normalized();
    for (const Region& r : s.regions)
        for (const auto& loop : r.loops)
            for (const EdgeUse& u : loop)
                if (u.edge.value == e.edge) return u.reversed ? Vec3(-side) : side;  // loops run with the material on their left
    return side;
}

// Straight or tangent between two rows of points; `ta`, `tb`: ways off both edges at each pole.
NurbsSurface strip_surface(const Row& a, const Row& b, const std::vector<Vec3>& ta, const std::vector<Vec3>& tb, bool tangent) {
    NurbsSurface s;
    const int n = (static_cast<int>(a.poles.size()) - 1) / 3;
    s.degree_u = 3, s.degree_v = tangent ? 3 : 1;
    s.knots_u.assign(4, 0.0);
    for (int k = 1; k < n; ++k) s.knots_u.insert(s.knots_u.end(), 3, static_cast<double>(k));
    s.knots_u.insert(s.knots_u.end(), 4, static_cast<double>(n));
    s.knots_v.assign(static_cast<std::size_t>(s.degree_v) + 1, 0.0);
    s.knots_v.insert(s.knots_v.end(), static_cast<std::size_t>(s.degree_v) + 1, 1.0);
    for (std::size_t i = 0; i < a.poles.size(); ++i) {
        s.poles.push_back(a.poles[i]);
        if (tangent) {
            const double third = (b.poles[i] - a.poles[i]).norm() / 3;
            s.poles.push_back(a.poles[i] + third * ta[i]), s.poles.push_back(b.poles[i] + third * tb[i]);
        }
        s.poles.push_back(b.poles[i]);
    }
    return s;
}

Curve end_of_strip(const NurbsSurface& s, double u, bool tangent) {
    const auto at = [&](double v) { return s.jet({u, v}); };
    if (!tangent) return Curve::segment(at(0).p, at(1).p);
    std::vector<Vec3> points, tangents;
    constexpr int n = 12;
    for (int k = 0; k <= n; ++k) {
        const auto j = at(static_cast<double>(k) / n);
        points.push_back(j.p), tangents.push_back(j.dv.normalized());
    }
    return Curve::polyline(std::move(points), std::move(tangents));
}

void add_strip(Model& model, const Assembly& solids, const JointRule& rule, std::size_t number, std::vector<JointRecord>& made) {
    const FreeEdge ea = wanted_edge(model, solids, rule.edge[0], number), eb = wanted_edge(model, solids, rule.to[0], number, ea.sheet);
    const Edge a = model.edges[static_cast<std::size_t>(ea.edge)], b = model.edges[static_cast<std::size_t>(eb.edge)];
    const bool closed_a = a.vertices[0] == a.vertices[1], closed_b = b.vertices[0] == b.vertices[1];
    if (closed_a || closed_b) refuse(number, "a strip runs between two edges with ends; one of these is closed");
    const bool crossed = (a.curve.start() - b.curve.start()).norm() + (a.curve.end() - b.curve.end()).norm() >
                         (a.curve.start() - b.curve.end()).norm() + (a.curve.end() - b.curve.start()).norm();
    const bool tangent = rule.strip == StripAs::tangent;
    const int n = a.curve.is_line() && b.curve.is_line() ? 1 : strip_cubics;
    const Row ra = row_of(a.curve, false, n), rb = row_of(b.curve, crossed, n);
    std::vector<Vec3> ta, tb;
    for (const Vec3& p : ra.poles) ta.push_back(outward(model, ea, p));
    for (const Vec3& p : rb.poles) tb.push_back(outward(model, eb, p));
    const NurbsSurface surface = strip_surface(ra, rb, ta, tb, tangent);
    const Sheet &sa = model.sheets[static_cast<std::size_t>(ea.sheet)], &sb = model.sheets[static_cast<std::size_t>(eb.sheet)];
    JointRecord j = joint_record(JointKind::strip, sa.key, sa.body, sb.key, sb.body);
    j.length = 0.5 * (a.curve.length() + b.curve.length()), j.gap = j.moved = (ra.poles[0] - rb.poles[0]).norm();
    j.place = 0.25 * (ra.poles.front() + ra.poles.back() + rb.poles.front() + rb.poles.back());
    Sheet strip;
    strip.body = sa.body;
    strip.key = make_key("strip", sa.key + sb.key, {j.length, j.gap});
    // Four corners in a plane make a plane.
    const Vec3 normal = (ra.poles.back() - ra.poles.front()).cross(rb.poles.front() - ra.poles.front());
    const bool flat =
        n == 1 && !tangent && normal.norm() > 0 && std::abs((rb.poles.back() - ra.poles.front()).dot(normal.normalized())) <= 10 * model.tolerance.point;
    if (flat) strip.chart = Chart(Frame::with_z(ra.poles.front(), normal));
    else strip.chart = Chart(FreeSurface{std::make_shared<NurbsSurface>(surface)}, j.place);
    const VertexId b0 = b.vertices[crossed ? 1 : 0], b1 = b.vertices[crossed ? 0 : 1];
    const double thickness = 0.5 * (sa.thickness.mean + sb.thickness.mean);
    model.edges.push_back({end_of_strip(surface, n, tangent), {a.vertices[1], b1}});
    model.edges.push_back({end_of_strip(surface, 0, tangent), {a.vertices[0], b0}});
    const EdgeId last(model.edges.size() - 2), first(model.edges.size() - 1);
    Region r;
    r.loops.push_back({{EdgeId(ea.edge), false}, {last, false}, {EdgeId(eb.edge), !crossed}, {first, true}});
    strip.regions.push_back(std::move(r));
    const auto polygons = region_polygons(model, strip.chart, strip.regions[0], model.tolerance.chord);
    if (!polygons.empty() && polygon_area(polygons[0]) < 0) strip.chart = strip.chart.turned_over();
    take_as_it_is(model, strip, thickness);
    // It bridges: no solid is behind it.
    strip.own_outline.clear();
    for (Region& k : strip.regions) k.own_area = 0;
    model.sheets.push_back(std::move(strip));
    made.push_back(std::move(j));
}

}  // namespace

std::vector<JointRecord> close_strips(Model& model, const Assembly& solids, const JoinOptions& options) {
    std::vector<JointRecord> made;
    const auto is_strip = [](const JointRecord& j) { return j.kind == JointKind::strip; };
    if (std::any_of(model.joints.begin(), model.joints.end(), is_strip)) return made;  // joined before
    for (std::size_t i = 0; i < options.joints.size(); ++i)
        if (options.joints[i].strip != StripAs::none) {
            const JointRule& rule = options.joints[i];
            if (rule.edge.size() != 1 || rule.to.size() != 1) refuse(i + 1, "a strip needs edge and to: one point on each of two free edges");
            add_strip(model, solids, rule, i + 1, made);
        }
    return made;
}

void find_named_joints(const Model& model, const Assembly& solids, JoinWork& work) {
    for (std::size_t i = 0; i < work.options->joints.size(); ++i) {
        const JointRule& rule = work.options->joints[i];
        if (rule.edge.empty() || rule.strip != StripAs::none) continue;
        if (rule.edge.size() != 1 || rule.to.size() != 1) refuse(i + 1, "edge and to are one point each: on the edge, and on the sheet it is carried to");
        NamedCarrier(model, solids, work).carry(rule, i + 1);
    }
}

}  // namespace halvo
