// Sheets moved from the middle of their walls to one side, once everything is joined.
#include <halvo/join.hpp>

#include "core/keys.hpp"
#include "join/flush_seams.hpp"
#include "join/round_steps.hpp"
#include "join/settle.hpp"
#include "join/sharp_bends.hpp"
#include "model/arrangement.hpp"
#include "model/sheet_values.hpp"
#include "model/volumes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

// How much each condition counts where not all can be met: surfaces, member lines, rims.
constexpr double on_surface = 1, on_line = 1, on_rim = 1e-7;

class Placer {
public:
    explicit Placer(Model& model) : model_(model), bends_(close_sharp_bends(model)), charts_(model.sheets.size()) {}
    // Sheets that go to their own middles, each by so much along its normal.
    Placer(Model& model, const std::map<std::size_t, double>& heights) : model_(model), charts_(model.sheets.size()) {
        bends_.volumes.assign(model.sheets.size(), 0.0);
        for (const auto& [s, height] : heights) {
            const Chart& c = model.sheets[s].chart;
            if (const auto at = offset_surface(c.surface(), c.reversed() ? -height : height)) charts_[s] = Chart(*at, c.plane().origin, c.reversed());
        }
        to_middle_ = true;
    }

    // Numbers of the sheets of which nothing sound has come.
    std::vector<std::size_t> run() {
        if (!to_middle_) choose();
        if (std::none_of(charts_.begin(), charts_.end(), [](const auto& c) { return c.has_value(); })) return {};
        gather();
        const std::set<std::size_t> changed = sheets_at_moved();
        std::set<std::size_t> sound_before;
        for (const std::size_t s : changed)
            if (sound(model_.sheets[s])) sound_before.insert(s);
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            const Sheet& sheet = model_.sheets[s];
            volumes_.push_back(wall_depth(model_, sheet) * sheet.own_area() / sheet.growth + bends_.volumes[s]);
        }
        std::vector<Vec3> points;
        for (std::size_t v = 0; v < model_.vertices.size(); ++v) points.push_back(settled(model_.vertices[v].point, at_vertex_[v]));
        std::vector<Curve> curves;
        for (std::size_t e = 0; e < model_.edges.size(); ++e) curves.push_back(moved_edge(e, points));
        for (std::size_t v = 0; v < points.size(); ++v) model_.vertices[v].point = points[v];
        for (std::size_t e = 0; e < curves.size(); ++e) model_.edges[e].curve = std::move(curves[e]);
        std::vector<std::size_t> out;
        for (std::size_t s = 0; s < model_.sheets.size(); ++s)
            if (!resized(s, changed.count(s) > 0) && sound_before.count(s) > 0) out.push_back(s);
        return out;
    }

    // Sheets that were moved and share an edge with a sheet, itself first if it was.
    std::vector<std::size_t> moved_beside(std::size_t s) const {
        std::set<std::size_t> out;
        for (const Place& p : at_edge_)
            if (p.sheets.count(s)) out.insert(p.sheets.begin(), p.sheets.end());
        std::erase_if(out, [&](std::size_t k) { return !charts_[k]; });
        return charts_[s] ? std::vector{s} : std::vector<std::size_t>(out.begin(), out.end());
    }

private:
    // Sheets that are moved, or have a vertex in common with one that is.
    std::set<std::size_t> sheets_at_moved() const {
        std::set<std::size_t> out;
        for (const Place& p : at_vertex_)
            if (std::any_of(p.sheets.begin(), p.sheets.end(), [&](std::size_t s) { return charts_[s].has_value(); }))
                out.insert(p.sheets.begin(), p.sheets.end());
        return out;
    }

    // A plane that a place keeps to: rims, and two for each member line.
    struct Rule {
        Vec3 normal, point;
        double weight;
    };
    struct Place {
        std::set<std::size_t> sheets;
        std::vector<Rule> rules;
    };

    void choose() {
        const std::vector<bool> with_member = sheets_with_members(model_);
        for (std::size_t i = 0; i < model_.sheets.size(); ++i) {
            Sheet& s = model_.sheets[i];
            if (s.reference == Reference::middle || s.placed || s.field.pieces.empty() || bends_.bodies.count(s.body)) continue;
            if (with_member[i]) {
                model_.findings.push_back({make_key("finding", "reference " + s.key, {}), FindingKind::reference_at_the_middle,
                                           fmt::format("{}: a member's line lies in it, so it stays at the middle of its wall", s.key),
                                           "give the wall reference = \"middle\" in the plan, or refuse the joint", s.chart.plane().origin, s.thickness.max,
                                           ""});
                continue;
            }
            charts_[i] = side_of(s);
        }
    }

    // The surface of the side that most of the sheet has, cut open where the sheet is.
    Chart side_of(const Sheet& s) const {
        const auto size = [](const ThicknessPiece& p) {
            double a = 0;
            for (const auto& loop : p.top_outline.loops()) a += std::abs(polygon_area(loop));
            return a;
        };
        const auto lead = std::max_element(s.field.pieces.begin(), s.field.pieces.end(), [&](const auto& a, const auto& b) { return size(a) < size(b); });
        const BaseSurface& side = s.reference == Reference::outer ? lead->top : lead->bottom;
        Vec3 middle = side.foot(s.chart.plane().origin).point;
        // Cylinders and cones need not be coaxial with the midsurface: theirs is cut open where it is.
        const bool round = std::holds_alternative<CylinderSurface>(side.surface()) || std::holds_alternative<ConeSurface>(side.surface());
        if (const auto cut = cut_of(s); cut && round) middle = surface_point(side.surface(), surface_parameters(side.surface(), *cut) + Vec2(pi, 0));
        const Chart c(side.surface(), middle);
        return c.normal(middle).dot(s.chart.normal(middle)) < 0 ? c.turned_over() : c;
    }

    std::optional<Vec3> cut_of(const Sheet& s) const {
        if (s.chart.flat()) return std::nullopt;
        for (const Region& r : s.regions) {
            std::set<int> once;
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop)
                    if (!once.insert(u.edge.value).second) return model_.edges[u.edge.index()].curve.middle();
        }
        return std::nullopt;
    }

    const Chart& chart(std::size_t s) const { return charts_[s] ? *charts_[s] : model_.sheets[s].chart; }

    void gather() {
        at_vertex_.resize(model_.vertices.size()), at_edge_.resize(model_.edges.size());
        for (std::size_t i = 0; i < model_.sheets.size(); ++i)
            for (const Region& r : model_.sheets[i].regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) at_edge_[u.edge.index()].sheets.insert(i);
                for (EdgeId e : r.embedded) at_edge_[e.index()].sheets.insert(i);
                for (VertexId v : r.points) at_vertex_[v.index()].sheets.insert(i);
            }
        for (const Member& m : model_.members)
            for (const EdgeUse& u : m.chain) {
                const Frame axes = m.axis.frame(m.axis.parameter(model_.edges[u.edge.index()].curve.middle()));
                for (const Vec3& n : {axes.x, axes.y}) at_edge_[u.edge.index()].rules.push_back({n, axes.origin, on_line});
            }
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            const Edge& edge = model_.edges[e];
            const Place& p = at_edge_[e];
            for (std::size_t end : {0U, 1U}) {
                Place& v = at_vertex_[edge.vertices[end].index()];
                v.sheets.insert(p.sheets.begin(), p.sheets.end());
                v.rules.insert(v.rules.end(), p.rules.begin(), p.rules.end());
                if (const auto rim = rim_at(e, end == 0 ? edge.curve.t0 : edge.curve.t1)) v.rules.push_back(*rim);
            }
        }
    }

    // Square to a sheet that alone has the edge.
    std::optional<Rule> rim_at(std::size_t e, double t) const {
        if (at_edge_[e].sheets.size() != 1) return std::nullopt;
        const Curve& c = model_.edges[e].curve;
        const Vec3 p = c.point(t), n = model_.sheets[*at_edge_[e].sheets.begin()].chart.normal(p);
        return Rule{c.derivative(t).cross(n).normalized(), p, on_rim};
    }

    // The place that keeps to all surfaces and, as far as these let it, to the rules, nearest to where it was.
    Vec3 settled(const Vec3& start, const Place& place) const {
        if (std::none_of(place.sheets.begin(), place.sheets.end(), [&](std::size_t s) { return charts_[s].has_value(); })) return start;
        return settle(start, [&](const Vec3& x, const auto& add) {
            for (std::size_t s : place.sheets) {
                const SkinPoint f = chart(s).on(x);
                add(f.normal, (x - f.point).dot(f.normal), on_surface);
            }
            for (const Rule& r : place.rules) add(r.normal, (x - r.point).dot(r.normal), r.weight);
        });
    }

    Curve moved_edge(std::size_t e, const std::vector<Vec3>& points) const {
        const Edge& edge = model_.edges[e];
        const Place& place = at_edge_[e];
        const bool stays = std::none_of(place.sheets.begin(), place.sheets.end(), [&](std::size_t s) { return charts_[s].has_value(); });
        const Vec3 &from = points[edge.vertices[0].index()], &to = points[edge.vertices[1].index()];
        if (stays && from == edge.curve.start() && to == edge.curve.end()) return edge.curve;
        const bool flat = std::all_of(place.sheets.begin(), place.sheets.end(), [&](std::size_t s) { return chart(s).flat(); });
        if (edge.curve.is_line() && (flat || stays)) return Curve::segment(from, to);
        constexpr int n = 48;
        std::vector<Vec3> row;
        for (int k = 0; k <= n; ++k) {
            const double t = edge.curve.t0 + (edge.curve.t1 - edge.curve.t0) * k / n;
            Place here = place;
            if (const auto rim = rim_at(e, t)) here.rules.push_back(*rim);
            row.push_back(k == 0 ? from : k == n ? to : settled(edge.curve.point(t), here));
        }
        return curve_through(row, model_.tolerance.point);
    }

    bool resized(std::size_t i, bool changed) {
        try {
            resize(i);
        } catch (const Error&) {
            return false;  // its edges cross
        }
        return !changed || sound(model_.sheets[i]);
    }

    // Do its outlines enclose, once, the area that they run round?
    bool sound(const Sheet& s) const {
        constexpr double most = 0.05;
        for (const double d : {s.area(), s.thickness.mean, s.growth})
            if (!std::isfinite(d)) return false;
        return std::all_of(s.regions.begin(), s.regions.end(), [&](const Region& r) {
            const auto polygons = region_polygons(model_, s.chart, r, model_.tolerance.chord);
            double round = 0, inside = 0;
            for (const auto& loop : polygons) round += polygon_area(loop);
            std::vector<std::vector<Vec2>> lines;
            for (EdgeId e : s.chart.flat() ? r.embedded : std::vector<EdgeId>{}) {
                auto& line = lines.emplace_back();
                for (const Vec3& p : model_.edges[e.index()].curve.sampled(model_.tolerance.chord, 12)) line.push_back(s.chart.local2(p));
            }
            try {
                for (const AreaSample& a : spread_inside(polygons, 1, lines)) inside += a.area;
            } catch (const Error&) {
                return false;
            }
            return round > 0 && std::abs(inside - round) <= most * round;
        });
    }

    // Outlines, areas and thickness of a sheet that has moved, or whose edges have.
    void resize(std::size_t i) {
        Sheet& s = model_.sheets[i];
        const Chart old = s.chart;
        if (charts_[i]) {
            const auto carried = [&](std::vector<std::vector<Vec2>> outline) {
                for (auto& loop : outline) {
                    std::vector<Vec3> p;
                    for (const Vec2& q : loop) p.push_back(charts_[i]->foot(old.at(q)));
                    loop = charts_[i]->flat() ? loop : unrolled(*charts_[i], p);
                    if (charts_[i]->flat()) std::transform(p.begin(), p.end(), loop.begin(), [&](const Vec3& q) { return charts_[i]->local2(q); });
                }
                return outline;
            };
            for (ThicknessPiece& k : s.field.pieces) k.top_outline = carried(k.top_outline.loops()), k.bottom_outline = carried(k.bottom_outline.loops());
            s.own_outline = carried(std::move(s.own_outline));
            s.chart = *charts_[i];
            s.placed = true;
        }
        const double before = s.area();
        for (Region& r : s.regions) {
            double area = 0;
            for (const auto& loop : r.loops) {
                std::vector<int> halves;
                for (const EdgeUse& u : loop) halves.push_back(2 * u.edge.value + (u.reversed ? 1 : 0));
                area += chain_area(model_.edges, s.chart, halves);
            }
            r.own_area *= r.area > 0 ? area / r.area : 1;
            r.area = area;
        }
        fill_thickness(model_, s);
        if (before > 0) s.growth *= s.area() / before;
        if (!charts_[i]) return;
        // Of a wall whose pieces lie at unlike distances from its middle no area says it.
        if (volumes_[i] > 0) s.growth = s.own_area() * s.thickness.mean / volumes_[i];
        if (to_middle_) return;
        const auto sides = s.field.sides(s.chart, s.chart.local2(s.chart.plane().origin));
        model_.ledger.push_back({"reference-" + s.key, "halve", EntryKind::reference, EntryState::applied,
                                 fmt::format("{}: at the {} side of its wall, the middle {:+.3f} mm along its normal", s.key,
                                             s.reference == Reference::outer ? "outer" : "inner", sides.offset()),
                                 sides.offset(), s.chart.plane().origin, ""});
    }

    Model& model_;
    SharpBends bends_;
    std::vector<double> volumes_;               // of each sheet's wall, before
    std::vector<std::optional<Chart>> charts_;  // where each sheet goes, if anywhere
    std::vector<Place> at_vertex_, at_edge_;
    bool to_middle_ = false;
};

// Pieces of round walls go to their own radii, all or none.
void centre_round_steps(Model& model) {
    const bool any = std::any_of(model.edges.begin(), model.edges.end(), [](const Edge& e) { return e.step; });
    if (!any) return;
    Model trial = model;
    const auto heights = part_round_steps(trial);
    if (heights.empty()) return;
    Placer placer(trial, heights);
    if (placer.run().empty()) {
        model = std::move(trial);
        return;
    }
    model.findings.push_back({make_key("finding", "round steps", {}), FindingKind::step_in_radius,
                              "pieces of a round wall stay at one radius: at their own ones their "
                              "sheets would cross",
                              "give halve.steps = \"separate\", or see the mass of the mesh in the proof", Vec3::Zero(), 0, ""});
}

}  // namespace

// Narrow sheets between walls that come nearer to each other there, or bends about less than nothing, have no place at the side: they stay.
void place_references(Model& model) {
    centre_round_steps(model);
    const auto wanted = [](const Sheet& s) { return s.reference != Reference::middle && !s.placed; };
    while (std::any_of(model.sheets.begin(), model.sheets.end(), wanted)) {
        Model trial = model;
        Placer placer(trial);
        std::set<std::string> stay;
        for (const std::size_t s : placer.run())
            for (const std::size_t k : placer.moved_beside(s)) stay.insert(trial.sheets[k].key);
        if (stay.empty()) {
            model = std::move(trial);
            close_flush_seams(model);
            return;
        }
        for (Sheet& s : model.sheets) {
            if (!stay.count(s.key)) continue;
            model.findings.push_back({make_key("finding", "unsound " + s.key, {}), FindingKind::reference_at_the_middle,
                                      fmt::format("{}: nothing sound is left of it, or of one beside it, at the {} side, so it stays at the middle of its wall",
                                                  s.key, s.reference == Reference::outer ? "outer" : "inner"),
                                      "ask for the other side there, or give its wall reference = \"middle\"", s.chart.plane().origin, s.thickness.max, ""});
            s.reference = Reference::middle;
        }
    }
}

}  // namespace halvo
