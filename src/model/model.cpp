#include <halvo/model.hpp>

#include "core/groups.hpp"
#include "core/keys.hpp"
#include "geom/facet_tree.hpp"
#include "geom/outline.hpp"
#include "geom/rounds.hpp"
#include "model/arrangement.hpp"
#include "model/sheet_values.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace halvo {
namespace {

constexpr double smooth_turn = 0.17;  // sine: sheets that meet at less than ten degrees continue each other

}  // namespace

double Sheet::area() const {
    double a = 0;
    for (const Region& r : regions) a += r.area;
    return a;
}

double Sheet::own_area() const {
    double a = 0;
    for (const Region& r : regions) a += r.own_area;
    return a;
}

double Model::length(const Member& m) const {
    double l = 0;
    for (const EdgeUse& u : m.chain) l += length(u.edge);
    return l;
}

const ThicknessPiece& ThicknessField::piece_at(const Chart& chart, const Vec2& at) const {
    if (pieces.size() == 1) return pieces[0];
    const ThicknessPiece* best = &pieces[0];
    double best_d = std::numeric_limits<double>::max();
    const std::vector<Vec2> copies = chart.copies(at);
    // Outlines on closed surfaces may lie a turn away from the chart's own range, each by itself.
    const auto within = [&](const Polygons& outline) { return std::any_of(copies.begin(), copies.end(), [&](const Vec2& p) { return outline.inside(p); }); };
    for (const ThicknessPiece& k : pieces)
        if (within(k.top_outline) && within(k.bottom_outline)) return k;
    // How far outside an outline the point lies, if that is less than what was found.
    const auto outside = [&](const Polygons& outline) {
        if (within(outline)) return 0.0;
        double d = best_d;
        for (const Vec2& p : copies) d = outline.border_distance(p, d);
        return d;
    };
    for (const ThicknessPiece& k : pieces) {
        const double top = outside(k.top_outline);
        if (top >= best_d) continue;
        if (const double d = std::max(top, outside(k.bottom_outline)); d < best_d) best_d = d, best = &k;
    }
    return *best;
}

ThicknessField::Sides ThicknessField::sides(const Chart& chart, const Vec2& p) const {
    if (constant) return {0.5 * *constant, 0.5 * *constant};
    const auto [q, n] = chart.place(p);
    if (ridge) {
        const bool up = n.dot(spine_point(chart.surface(), q).value_or(q) - q) > 0;
        std::vector<const BaseSurface*> far;
        for (const ThicknessPiece& k : pieces) far.push_back(up ? &k.top : &k.bottom);
        const double inside = past_ridge(chart.surface(), far, q), outside = (up ? pieces[0].bottom : pieces[0].top).along(q, up ? Vec3(-n) : n);
        return up ? Sides{inside, outside} : Sides{outside, inside};
    }
    const ThicknessPiece& k = piece_at(chart, p);
    return {k.top.reach(q, n), k.bottom.reach(q, -n)};
}

std::vector<std::vector<SheetAtEdge>> sheets_at_edges(const Model& model) {
    std::vector<std::vector<SheetAtEdge>> at(model.edges.size());
    const auto add = [&](EdgeId e, SheetId s, int sides) {
        auto& list = at[e.index()];
        for (SheetAtEdge& u : list)
            if (u.sheet == s) {
                u.sides += sides;
                return;
            }
        list.push_back({s, sides});
    };
    for (std::size_t s = 0; s < model.sheets.size(); ++s)
        for (const Region& r : model.sheets[s].regions) {
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) add(u.edge, SheetId(s), 1);
            for (EdgeId e : r.embedded) add(e, SheetId(s), 2);
        }
    return at;
}

std::vector<int> sides_at_edges(const Model& model) {
    std::vector<int> sides;
    for (const auto& list : sheets_at_edges(model)) {
        int n = 0;
        for (const SheetAtEdge& u : list) n += u.sides;
        sides.push_back(n);
    }
    return sides;
}

std::vector<bool> held_edges(const Model& model) {
    std::vector<bool> out(model.edges.size(), false);
    for (const EdgeLink& l : model.edge_links) out[l.a.index()] = out[l.b.index()] = true;
    for (const Tie& t : model.ties)
        for (EdgeId e : t.edges) out[e.index()] = true;
    for (const Member& m : model.members)
        for (const EdgeUse& u : m.chain) out[u.edge.index()] = true;
    for (const Coupling& c : model.couplings)
        for (EdgeId e : c.edges) out[e.index()] = true;
    return out;
}

std::vector<Seam> seams(const Model& model) {
    std::vector<Seam> out;
    const auto at = sheets_at_edges(model);
    for (std::size_t e = 0; e < at.size(); ++e) {
        if (at[e].size() < 2) continue;
        Seam s;
        s.edge = EdgeId(e);
        int sides = 0, through = 0;
        for (const SheetAtEdge& u : at[e]) {
            s.sheets.push_back(u.sheet);
            sides += u.sides;
            if (u.sides >= 2) ++through;
        }
        const Vec3 middle = model.edges[e].curve.middle();
        const Vec3 a = model.sheets[at[e][0].sheet.index()].chart.normal(middle), b = model.sheets[at[e][1].sheet.index()].chart.normal(middle);
        const bool flat = model.sheets[at[e][0].sheet.index()].chart.flat() && model.sheets[at[e][1].sheet.index()].chart.flat();
        const double turn = a.cross(b).norm();
        if (at[e].size() == 2 && sides == 2) s.kind = flat && turn < 1e-3 ? SeamKind::butt : !flat && turn < smooth_turn ? SeamKind::smooth : SeamKind::corner;
        else if (at[e].size() == 2 && sides == 3) s.kind = SeamKind::tee;
        else if (at[e].size() == 2 && through == 2) s.kind = SeamKind::cross;
        else s.kind = SeamKind::star;
        out.push_back(std::move(s));
    }
    return out;
}

Parts connected_parts(const Model& model) {
    // Union over vertices; sheets and members hang on the vertices they use, links tie two vertices.
    Groups groups(model.vertices.size());
    const auto tie = [&](VertexId a, VertexId b) { groups.tie(a.value, b.value); };
    const auto first = [&](EdgeId e) { return model.edges[e.index()].vertices[0]; };
    for (const Edge& e : model.edges) tie(e.vertices[0], e.vertices[1]);
    for (const Link& l : model.links) tie(l.a, l.b);
    for (const EdgeLink& l : model.edge_links) tie(first(l.a), first(l.b));
    for (const Coupling& c : model.couplings) {
        for (EdgeId e : c.edges) tie(c.centre, first(e));
        for (VertexId v : c.vertices) tie(c.centre, v);
    }
    for (const Tie& t : model.ties)
        for (const Region& r : model.sheets[t.onto.index()].regions)
            if (!r.loops.empty())
                for (EdgeId e : t.edges) tie(first(e), first(r.loops[0][0].edge));
    std::vector<VertexId> of_sheet, of_member;
    for (const Sheet& s : model.sheets) {
        VertexId any;
        for (const Region& r : s.regions) {
            if (r.loops.empty()) continue;
            const VertexId v = first(r.loops[0][0].edge);
            if (any) tie(any, v);
            any = v;
            for (const auto& loop : r.loops) tie(v, first(loop[0].edge));
            for (EdgeId e : r.embedded) tie(v, first(e));
            for (VertexId p : r.points) tie(v, p);
        }
        of_sheet.push_back(any);
    }
    for (const Member& m : model.members) of_member.push_back(m.chain.empty() ? VertexId() : first(m.chain[0].edge));
    Parts parts;
    std::map<int, int> numbers;
    const auto number = [&](VertexId v) { return v ? numbers.try_emplace(groups.root(v.value), static_cast<int>(numbers.size())).first->second : -1; };
    for (VertexId v : of_sheet) parts.of_sheet.push_back(number(v));
    for (VertexId v : of_member) parts.of_member.push_back(number(v));
    parts.count = static_cast<int>(numbers.size());
    return parts;
}

std::vector<Vec2> unrolled(const Chart& chart, const std::vector<Vec3>& points) {
    std::vector<Vec2> out(points.size());
    if (points.empty()) return out;
    // From the point furthest from the cut, where the chart is in no doubt.
    std::size_t first = 0;
    double clear = -1;
    if (!chart.flat())
        for (std::size_t i = 0; i < points.size(); ++i)
            if (const double c = chart.clear_of_cut(points[i]); c > clear + 1e-9) clear = c, first = i;
    out[first] = chart.local2(points[first]);
    for (std::size_t k = 1; k < points.size(); ++k) {
        const std::size_t i = (first + k) % points.size(), before = (first + k - 1) % points.size();
        out[i] = chart.local2(points[i], out[before]);
    }
    if (clear < 1e-6 && !chart.flat()) {
        // Nothing but cuts all round (a closed tube): the copy around the chart's own middle.
        Box2 box;
        for (const Vec2& q : out) box.extend(q);
        const Vec2 middle = box.center(), shift = chart.local2(chart.at(middle)) - middle;
        for (Vec2& q : out) q += shift;
    }
    return out;
}

std::array<Vec3, 5> past_edge(const Chart& chart, const Curve& edge, bool reversed, double by) {
    std::array<Vec3, 5> out;
    for (std::size_t k = 0; k < out.size(); ++k) {
        const double t = edge.parameter_at(0.1 + 0.2 * static_cast<double>(k));
        const Vec3 p = edge.point(t), along = (reversed ? -1.0 : 1.0) * edge.derivative(t).normalized();
        out[k] = chart.foot(p + by * along.cross(chart.normal(p)).normalized());
    }
    return out;
}

bool ends_in_solid(const Model& model, const Body& body, const Sheet& sheet, const EdgeUse& use) {
    constexpr double past = 0.25;  // thicknesses
    const Curve& c = model.edges[use.edge.index()].curve;
    const auto beyond = past_edge(sheet.chart, c, use.reversed, past * sheet.field.at(sheet.chart, sheet.chart.local2(c.middle())));
    return std::count_if(beyond.begin(), beyond.end(), [&](const Vec3& p) { return body.tree->encloses(p); }) >= most_past_edge;
}

bool closes(const Chart& chart, const std::vector<Vec3>& points, const std::vector<Vec2>& unrolled, double tol) {
    if (chart.flat() || chart.grid_period() == Vec2::Zero()) return true;
    for (std::size_t i = 0, j = points.size() - 1; i < points.size(); j = i++)
        if ((chart.local2(points[i], unrolled[j]) - unrolled[i]).norm() > 100 * tol) return false;
    return true;
}

std::vector<std::vector<Vec2>> region_polygons(const Model& model, const Chart& chart, const Region& region, double chord) {
    std::vector<std::vector<Vec2>> out;
    for (const auto& loop : region.loops) {
        std::vector<Vec3> points;
        for (const EdgeUse& u : loop) {
            auto pts = model.edges[u.edge.index()].curve.sampled(chord, 12);
            if (u.reversed) std::reverse(pts.begin(), pts.end());
            points.insert(points.end(), pts.begin(), pts.end() - 1);
        }
        out.push_back(unrolled(chart, points));
    }
    return out;
}

Box3 sheet_box(const Model& model, const Sheet& sheet) {
    Box3 box;
    for (const auto& loop : sheet.own_outline)
        for (const Vec2& q : loop) box.extend(sheet.chart.at(q));
    for (const Region& r : sheet.regions)
        for (const auto& loop : r.loops)
            for (const EdgeUse& u : loop) box.extend(model.edges[u.edge.index()].curve.box());
    if (sheet.chart.flat() || box.isEmpty()) return box;
    const double bulge = 0.5 * box.sizes().norm();
    box.min().array() -= bulge, box.max().array() += bulge;
    return box;
}

void fill_thickness(const Model& model, Sheet& sheet) {
    double sum = 0, area = 0, low = std::numeric_limits<double>::max(), high = 0;
    for (const Region& r : sheet.regions) {
        const auto polygons = region_polygons(model, sheet.chart, r, model.tolerance.chord);
        double part = 0, weight = 0;
        const auto sample = [&](std::size_t least) {
            part = weight = 0;
            double from = std::numeric_limits<double>::max(), to = 0;
            for (const AreaSample& s : spread_inside(polygons, least)) {
                const double t = sheet.field.at(sheet.chart, s.point);
                part += t * s.area, weight += s.area;
                from = std::min(from, t), to = std::max(to, t);
            }
            low = std::min(low, from), high = std::max(high, to);
            return to - from;
        };
        // Linear between planes: one point is exact. Elsewhere as many as it takes.
        const auto plane = [](const BaseSurface& b) { return std::holds_alternative<PlaneSurface>(b.surface()); };
        const bool linear =
            sheet.chart.flat() && sheet.field.pieces.size() <= 1 &&
            std::all_of(sheet.field.pieces.begin(), sheet.field.pieces.end(), [&](const ThicknessPiece& k) { return plane(k.top) && plane(k.bottom); });
        if (linear) sample(1);
        else if (sheet.field.pieces.size() > 1 || sample(64) > 1e-7 * high) sample(1500);
        if (sheet.field.pieces.size() == 1)
            for (const auto& p : polygons)
                for (const Vec2& q : p) {
                    const double t = sheet.field.at(sheet.chart, q);
                    low = std::min(low, t), high = std::max(high, t);
                }
        if (weight > 0) sum += part / weight * r.area;
        area += r.area;
    }
    sheet.thickness = {low, area > 0 ? sum / area : 0, high};
}

double deepest_side(const Model& model, const Sheet& sheet) {
    double deepest = 0.5 * sheet.thickness.min;
    const auto look = [&](const Vec2& p) {
        const auto sides = sheet.field.sides(sheet.chart, p);
        deepest = std::max({deepest, std::abs(sides.up), std::abs(sides.down)});
    };
    for (const Region& r : sheet.regions) {
        const auto polygons = region_polygons(model, sheet.chart, r, model.tolerance.chord);
        for (const auto& loop : polygons)
            for (const Vec2& q : loop) look(q);
        if (sheet.field.pieces.size() > 1)
            for (const AreaSample& s : spread_inside(polygons, 200)) look(s.point);
    }
    return deepest;
}

void take_as_it_is(const Model& model, Sheet& sheet, double thickness) {
    sheet.field.constant = thickness;
    sheet.thickness = {thickness, thickness, thickness};
    for (Region& r : sheet.regions) {
        r.own_area = r.area;
        for (auto& loop : region_polygons(model, sheet.chart, r, model.tolerance.chord)) sheet.own_outline.push_back(std::move(loop));
    }
}

bool has_id(const Sheet& sheet, const std::vector<std::string>& ids) {
    return std::any_of(ids.begin(), ids.end(), [&](const std::string& k) { return k == sheet.key || k == sheet.wall; });
}

Vec3 section_offset(const Member& member, const Vec3& p) {
    if (member.offset == Vec2::Zero()) return Vec3::Zero();
    const Frame axes = member.axis.frame(member.axis.parameter(p));
    return member.offset.x() * axes.x + member.offset.y() * axes.y;
}

SheetId add_plate(Model& model, const std::vector<Vec3>& outline, double thickness, const std::vector<std::vector<Vec3>>& holes) {
    Vec3 normal = Vec3::Zero();
    for (std::size_t i = 0; i < outline.size(); ++i) normal += (outline[i] - outline[0]).cross(outline[(i + 1) % outline.size()] - outline[0]);
    if (outline.size() < 3 || normal.norm() == 0) throw Error(ErrorKind::usage, "plate outline has no area; give at least three points not in line");
    Sheet s;
    s.chart = Frame::with_z(outline[0], normal);
    const Vec3 n = s.chart.plane().z;
    double size = 0;
    for (const Vec3& p : outline) size = std::max(size, (p - outline[0]).norm());
    model.tolerance = Tolerance::for_size(std::max(size, 1e7 * model.tolerance.point));
    ArrangementInput in;
    in.sheets.push_back({s.chart, {}});
    const auto add_loop = [&](const std::vector<Vec3>& loop) {
        for (std::size_t i = 0; i < loop.size(); ++i) {
            if (std::abs(s.chart.height(loop[i])) > 10 * model.tolerance.point)
                throw Error(ErrorKind::usage, "plate outline is not flat; split it into flat plates");
            in.sheets[0].curves.push_back(static_cast<int>(in.curves.size()));
            in.curves.push_back(Curve::segment(loop[i], loop[(i + 1) % loop.size()]));
        }
    };
    add_loop(outline);
    for (const auto& h : holes) add_loop(h);
    const Arrangement a = arrange(in, model.tolerance.point);
    std::vector<std::vector<Vec2>> polygons;
    for (const auto* loop : {&outline}) {
        polygons.emplace_back();
        for (const Vec3& p : *loop) polygons.back().push_back(s.chart.local2(p));
    }
    for (const auto& h : holes) {
        polygons.emplace_back();
        for (const Vec3& p : h) polygons.back().push_back(s.chart.local2(p));
    }
    std::vector<std::vector<Keep>> keep(1);
    for (const Cell& c : a.sheets[0].cells) {
        const auto samples = spread_inside(cell_polygons(a, s.chart, c, model.tolerance.chord), 1);
        keep[0].push_back({!samples.empty() && inside(polygons, samples[0].point), true});
    }
    s.regions = assemble(model, a, in, keep, {}).regions[0];
    const auto side = [&](double at) { return BaseSurface(PlaneSurface{Frame::with_z(outline[0] + at * n, n)}); };
    s.field.pieces.push_back({side(thickness / 2), side(-thickness / 2), {}, {}});
    fill_thickness(model, s);
    s.own_outline = polygons;
    s.key = "plate-" + std::to_string(model.sheets.size() + 1);
    model.sheets.push_back(std::move(s));
    return SheetId(model.sheets.size() - 1);
}

MemberId add_member(Model& model, const Vec3& start, const Vec3& end, Section section, const Vec3& up) {
    if ((end - start).norm() == 0) throw Error(ErrorKind::usage, "member has no length; give two different ends");
    model.tolerance = Tolerance::for_size(std::max((end - start).norm(), 1e7 * model.tolerance.point));
    section.key = make_key("section", section.shape, {std::sqrt(section.area), std::pow(section.i1, 0.25), std::pow(section.i2, 0.25)});
    SectionId id;
    for (std::size_t i = 0; i < model.sections.size(); ++i)
        if (model.sections[i].key == section.key) id = SectionId(i);
    if (!id) {
        id = SectionId(model.sections.size());
        model.sections.push_back(std::move(section));
    }
    Member m;
    m.section = id;
    m.axis = Axis::straight(Frame::with_zx(start, end - start, up.cross(end - start)), (end - start).norm());
    const auto vertex = [&](const Vec3& p) {
        model.vertices.push_back({p});
        return VertexId(model.vertices.size() - 1);
    };
    model.edges.push_back({Curve::segment(start, end), {vertex(start), vertex(end)}});
    m.chain.push_back({EdgeId(model.edges.size() - 1), false});
    m.key = "member-" + std::to_string(model.members.size() + 1);
    model.members.push_back(std::move(m));
    return MemberId(model.members.size() - 1);
}

}  // namespace halvo
