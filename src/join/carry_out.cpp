// Carries out what was gathered: all curves split once more, cells kept or trimmed, the model written anew.
#include "core/groups.hpp"
#include "core/index.hpp"
#include "core/parallel.hpp"
#include "join/steps.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

class Carrier {
public:
    Carrier(Model& model, JoinWork& work) : model_(model), work_(work), tol_(work.tol) {}

    void run() {
        set_member_curves();
        gather();
        const Arrangement a = arrange(input_, tol_, shortest_edge());
        decide(a);
        Model next;  // what the arrangement makes anew; all else stays in the model
        next.tolerance = model_.tolerance;
        const Assembled done = assemble(next, a, input_, keep_, lines_);
        rebuild(next, done);
    }

private:
    // Final ends of each member: the demand furthest out, weak ones only where nothing stronger holds the end.
    void set_member_curves() {
        for (std::size_t m = 0; m < work_.members.size(); ++m) {
            MemberState& s = work_.members[m];
            const double was_start = s.start, was_end = s.end;
            for (const bool weak : {false, true}) {
                const auto pick = [&](const std::vector<MemberState::Demand>& list, double sign) -> std::optional<double> {
                    std::optional<double> best;
                    for (const auto& d : list)
                        if (d.weak == weak && (!best || sign * d.at > sign * *best)) best = d.at;
                    return best;
                };
                const auto strong = [](const std::vector<MemberState::Demand>& list) {
                    return std::any_of(list.begin(), list.end(), [](const auto& d) { return !d.weak; });
                };
                if (!weak || !strong(s.at_start))
                    if (const auto at = pick(s.at_start, -1)) s.start = *at;
                if (!weak || !strong(s.at_end))
                    if (const auto at = pick(s.at_end, 1)) s.end = *at;
            }
            for (double t : s.splits) s.start = std::min(s.start, t), s.end = std::max(s.end, t);
            Member& member = model_.members[m];
            const auto own = [&](double t) { return std::clamp(t, 0.0, member.own_length()); };
            if (s.start > was_start) member.trimmed += own(s.start) - own(was_start);
            if (s.end < was_end) member.trimmed += own(was_end) - own(s.end);
        }
    }

    // Where three walls nearly meet in a point, their lines cross hundredths apart: edges no longer than this share of the thinnest wall are none.
    [[nodiscard]] double shortest_edge() const {
        constexpr double share = 0.02;
        double thinnest = std::numeric_limits<double>::max();
        for (const SheetState& s : work_.sheets)
            if (s.thickest > 0) thinnest = std::min(thinnest, s.thickest);
        return thinnest < std::numeric_limits<double>::max() ? share * thinnest : 0;
    }

    void gather() {
        for (const Edge& e : model_.edges) {
            if (e.step) input_.steps.push_back(static_cast<int>(input_.curves.size()));
            input_.curves.push_back(e.curve);
        }
        input_.curves.insert(input_.curves.end(), work_.curves.begin(), work_.curves.end());
        for (MemberState& s : work_.members) {
            for (const Curve& c : s.axis.between(s.start, s.end, s.shift)) {
                s.curves.push_back(static_cast<int>(input_.curves.size()));
                lines_.push_back(s.curves.back());
                input_.curves.push_back(c);
            }
            for (double t : s.splits) {
                const Vec3 p = s.line(t);
                input_.splits.push_back({nearest_of(s.curves, p), p});
                input_.points.push_back(p);
            }
        }
        for (std::size_t i = 0; i < model_.sheets.size(); ++i) {
            const Sheet& s = model_.sheets[i];
            ArrangementInput::SheetSurface plane{s.chart, work_.sheets[i].curves};
            std::set<int> own, in_another;
            for (const Region& r : s.regions) {
                std::set<int> once;
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) {
                        const bool twice = !once.insert(u.edge.value).second || in_another.count(u.edge.value);
                        if (twice && cuts_open(s.chart, u.edge, !in_another.count(u.edge.value))) input_.cuts.push_back(u.edge.value);
                    }
                in_another.insert(once.begin(), once.end());
                own.insert(once.begin(), once.end());
                for (EdgeId e : r.embedded) own.insert(e.value);
                for (VertexId v : r.points) work_.sheets[i].points.emplace_back(-1, model_.vertices[v.index()].point);
            }
            // A place that the plan wants keeps its vertex in the sheet, also where the edge that it lies on goes.
            for (const int e : own)
                for (const VertexId v : model_.edges[ix(e)].vertices)
                    if (std::find(model_.places.begin(), model_.places.end(), v) != model_.places.end())
                        work_.sheets[i].points.emplace_back(-1, model_.vertices[v.index()].point);
            plane.curves.insert(plane.curves.end(), own.begin(), own.end());
            input_.cuts.insert(input_.cuts.end(), work_.sheets[i].cuts.begin(), work_.sheets[i].cuts.end());
            input_.sheets.push_back(std::move(plane));
        }
        for (const MemberState& s : work_.members)
            for (int k : s.in_sheets) lay_into(input_.sheets[ix(k)], s.curves);
        share_member_lines();
        input_.steps.insert(input_.steps.end(), work_.steps.begin(), work_.steps.end());
        for (const TieWork& t : work_.ties) lines_.insert(lines_.end(), t.curves.begin(), t.curves.end());
        for (const Tie& t : model_.ties)
            for (EdgeId e : t.edges) lines_.push_back(e.value);
        for (LineLink& l : work_.line_links) {
            if (l.b_member >= 0) l.b_curve = work_.members[ix(l.b_member)].curves[0];
            input_.twins.push_back({l.a_curve, l.b_curve});
            lines_.push_back(l.a_curve);
            if (l.b_member < 0) lines_.push_back(l.b_curve);
        }
        for (const EdgeLink& l : model_.edge_links) {
            input_.twins.push_back({l.a.value, l.b.value});
            lines_.push_back(l.a.value), lines_.push_back(l.b.value);
        }
        for (SheetState& s : work_.sheets)
            for (auto& [number, p] : s.points) number = point(p);
        for (const VertexId v : model_.places) places_wanted_.push_back(point(model_.vertices[v.index()].point));
        for (const Vec3& p : work_.places) places_wanted_.push_back(point(p));
        for (const PointLink& l : work_.point_links) link_points_.emplace_back(point(l.a), point(l.b));
        for (const Link& l : model_.links) old_link_points_.emplace_back(point(model_.vertices[l.a.index()].point), point(model_.vertices[l.b.index()].point));
        for (const CouplingWork& k : work_.couplings) {
            lines_.insert(lines_.end(), k.curves.begin(), k.curves.end());
            auto& points = coupling_points_.emplace_back();
            points.push_back(point(k.centre));
            for (const Vec3& p : k.points) points.push_back(point(p));
        }
        std::sort(lines_.begin(), lines_.end());
        lines_.erase(std::unique(lines_.begin(), lines_.end()), lines_.end());
    }

    // Is an edge that a sheet has on both of its sides the line along which its closed surface is cut open? Between two regions (which
    // such a line and a seam opposite to it make of a tube) it is when it lies on the chart's cut.
    bool cuts_open(const Chart& chart, EdgeId e, bool within_region) const {
        constexpr double on_cut = 1e-4;  // of the half period
        return !chart.flat() && (within_region || chart.clear_of_cut(model_.edges[e.index()].curve.middle()) < on_cut);
    }

    int nearest_of(const std::vector<int>& curves, const Vec3& p) const {
        int best = curves[0];
        double distance = std::numeric_limits<double>::max();
        for (int k : curves) {
            const Curve& c = input_.curves[ix(k)];
            const double d = curves.size() == 1 ? 0 : (c.point(c.nearest(p)) - p).norm();
            if (d < distance) distance = d, best = k;
        }
        return best;
    }

    // Those of a member's curves that lie on the sheet's surface; a straight one does when it was asked for.
    void lay_into(ArrangementInput::SheetSurface& sheet, const std::vector<int>& curves) const {
        for (int k : curves) {
            const Curve& c = input_.curves[ix(k)];
            const auto off = [&](double share) { return std::abs(sheet.chart.height(c.point(c.parameter_at(share)))); };
            if (curves.size() == 1 || std::max({off(0), off(0.37), off(1)}) <= 10 * tol_) sheet.curves.push_back(k);
        }
    }

    // Member lines that already are edges of sheets (from an earlier run) stay in those sheets' planes.
    void share_member_lines() {
        for (std::size_t m = 0; m < model_.members.size(); ++m) {
            std::set<int> own;
            for (const EdgeUse& u : model_.members[m].chain) own.insert(u.edge.value);
            for (auto& plane : input_.sheets)
                if (std::any_of(plane.curves.begin(), plane.curves.end(), [&](int c) { return own.count(c) > 0; })) lay_into(plane, work_.members[m].curves);
        }
    }

    int point(const Vec3& p) {
        input_.points.push_back(p);
        return static_cast<int>(input_.points.size()) - 1;
    }

    bool in_sheet(std::size_t s, const Vec2& q) const {
        if (inside(work_.sheets[s].polygons, q)) return true;
        return std::any_of(work_.sheets[s].extensions.begin(), work_.sheets[s].extensions.end(), [&](const auto& e) { return inside({e}, q); });
    }

    // Beyond a seam, within the other sheet's thickness, and with nothing of the sheet past it: an overhang.
    bool overhangs(std::size_t s, const Vec2& q, const SheetState::Trim& t) const {
        const Frame& chart = model_.sheets[s].chart.plane();
        const Sheet& other = model_.sheets[ix(t.partner)];
        const Vec3 at = chart.at(q);
        const double along = (at - t.point).dot(t.direction);
        if (along < t.lo - tol_ || along > t.hi + tol_) return false;
        const double h = other.chart.height(at);
        if (!(h < 0 ? t.below : t.above)) return false;
        const auto sides = other.field.sides(other.chart, other.chart.local2(at));
        const double side = h < 0 ? sides.down : sides.up;
        if (std::abs(h) > side + work_.reach) return false;
        const Vec3 across = (other.chart.plane().z - other.chart.plane().z.dot(chart.z) * chart.z) * (h < 0 ? -1.0 : 1.0);
        const double sine = across.norm(), cosine = std::abs(other.chart.plane().z.dot(chart.z));
        const double step = (side + work_.reach - std::abs(h)) / sine + 0.5 * work_.sheets[s].thickest * cosine / sine + 10 * tol_;
        const Vec3 end = at + step / sine * across;
        return !in_sheet(s, chart.local2(end)) && !meets_another(s, at, end, t.partner);
    }

    // Does the sheet meet one more between two places of it?
    bool meets_another(std::size_t s, const Vec3& from, const Vec3& to, int partner) const {
        const Frame& chart = model_.sheets[s].chart.plane();
        const Vec2 a = chart.local2(from), run = chart.local2(to) - a;
        const auto cross = [](const Vec2& x, const Vec2& y) { return x.x() * y.y() - x.y() * y.x(); };
        return std::any_of(work_.sheets[s].trims.begin(), work_.sheets[s].trims.end(), [&](const SheetState::Trim& t) {
            if (t.partner == partner) return false;
            const Vec2 b = chart.local2(t.point) - a, d = chart.local2(t.point + t.direction) - chart.local2(t.point);
            const double area = cross(run, d);
            if (std::abs(area) < 0.1 * run.norm()) return false;  // it runs along
            const double share = cross(b, d) / area, along = cross(b, run) / area;
            return share * run.norm() >= -tol_ && share <= 1 && along >= t.lo - tol_ && along <= t.hi + tol_;
        });
    }

    void decide(const Arrangement& a) {
        keep_.resize(model_.sheets.size());
        trimmed_.assign(model_.sheets.size(), 0.0);
        lost_.assign(work_.merges.size(), 0.0);
        parallel_for(model_.sheets.size(), [&](std::size_t i) {
            const Sheet& s = model_.sheets[i];
            std::vector<bool> trimmed;
            for (const Cell& c : a.sheets[i].cells) {
                const auto samples = spread_inside(cell_polygons(a, s.chart, c, model_.tolerance.chord), 6);
                double all = 0, in = 0, own = 0, over = 0;
                for (const AreaSample& q : samples) {
                    all += q.area;
                    if (in_sheet(i, q.point)) in += q.area;
                    if (inside(s.own_outline, q.point)) own += q.area;
                    const auto& trims = work_.sheets[i].trims;
                    if (std::any_of(trims.begin(), trims.end(), [&](const auto& t) { return overhangs(i, q.point, t); })) over += q.area;
                }
                Keep k{in > 0.5 * all, own > 0.5 * all};
                trimmed.push_back(k.kept && over > 0.999 * all);
                if (trimmed.back()) k.kept = false;
                for (std::size_t m = 0; m < work_.merges.size(); ++m)
                    if (k.kept && static_cast<std::size_t>(work_.merges[m].lost) == i && over_keeper(work_.merges[m], s.chart, samples)) {
                        k.kept = false;
                        for (const AreaSample& q : samples) lost_[m] += q.area * s.field.at(s.chart, q.point);
                    }
                keep_[i].push_back(k);
            }
            settle_islands(a.sheets[i], trimmed, keep_[i]);
            for (std::size_t c = 0; c < trimmed.size(); ++c)
                if (trimmed[c] && !keep_[i][c].kept && keep_[i][c].own) trimmed_[i] += a.sheets[i].cells[c].area;
        });
    }

    // What a sheet was carried on by hangs on the rest of it: over an overhang that stays for its sake, or it goes.
    static void settle_islands(const SheetCells& sheet, const std::vector<bool>& trimmed, std::vector<Keep>& keep) {
        const auto each_beside = [&](std::size_t c, const auto& what) {
            for (const auto& loop : sheet.cells[c].loops)
                for (const int half : loop)
                    if (const int n = sheet.cell(half ^ 1); n >= 0) what(ix(n));
        };
        Groups groups(keep.size());
        const auto group = [&](std::size_t c) { return groups.root(static_cast<int>(c)); };
        for (std::size_t c = 0; c < keep.size(); ++c)
            if (keep[c].kept)
                each_beside(c, [&](std::size_t n) {
                    if (keep[n].kept) groups.tie(static_cast<int>(c), static_cast<int>(n));
                });
        std::set<int> own;
        for (std::size_t c = 0; c < keep.size(); ++c)
            if (keep[c].kept && keep[c].own) own.insert(group(c));
        if (own.empty()) return;
        const auto of_rest = [&](std::size_t c) { return keep[c].kept && own.count(group(c)) > 0; };
        std::map<int, std::set<std::size_t>> between;  // of each island: trimmed cells between it and the rest
        for (std::size_t c = 0; c < keep.size(); ++c) {
            if (!keep[c].kept || of_rest(c)) continue;
            auto& list = between[group(c)];
            each_beside(c, [&](std::size_t n) {
                bool reaches = false;
                if (trimmed[n]) each_beside(n, [&](std::size_t m) { reaches = reaches || of_rest(m); });
                if (reaches) list.insert(n);
            });
        }
        for (std::size_t c = 0; c < keep.size(); ++c)
            if (const auto it = between.find(group(c)); it != between.end() && it->second.empty()) keep[c].kept = false;
        for (const auto& [root, cells] : between)
            for (std::size_t c : cells) keep[c].kept = true;
    }

    bool over_keeper(const MergeWork& m, const Chart& chart, const std::vector<AreaSample>& samples) const {
        const Chart& onto = model_.sheets[ix(m.keeper)].chart;
        double all = 0, over = 0;
        for (const AreaSample& q : samples) all += q.area, over += in_sheet(static_cast<std::size_t>(m.keeper), onto.local2(chart.at(q.point))) ? q.area : 0;
        return over > 0.5 * all;
    }

    // Sheets take over what lies on them; those that it leaves nothing of go.
    void merge_sheets(Model& next) {
        for (std::size_t m = 0; m < work_.merges.size(); ++m) {
            MergeWork& w = work_.merges[m];
            Sheet& keeper = next.sheets[ix(w.keeper)];
            for (ThicknessPiece& p : keeper.field.pieces) {
                if (p.top_outline.empty()) p.top_outline = keeper.own_outline;
                if (p.bottom_outline.empty()) p.bottom_outline = keeper.own_outline;
            }
            keeper.field.pieces.insert(keeper.field.pieces.begin(), std::move(w.piece));
            const BodyId body = next.sheets[ix(w.lost)].body;
            if (body != keeper.body && body) keeper.shares.push_back({body, lost_[m]});
        }
    }

    // Numbers of the sheets once those without regions are gone; -1 for those.
    static std::vector<int> drop_empty(Model& next) {
        std::vector<int> number;
        std::vector<Sheet> kept;
        for (Sheet& s : next.sheets) {
            number.push_back(s.regions.empty() ? -1 : static_cast<int>(kept.size()));
            if (!s.regions.empty()) kept.push_back(std::move(s));
        }
        next.sheets = std::move(kept);
        return number;
    }

    // Links of edges that nothing is left on say nothing: after a merge, or of a line that runs past an outline by what is between that and its
    // chords.
    static void drop_idle_links(Model& next) {
        std::vector<bool> used(next.edges.size(), false);
        const auto at = sheets_at_edges(next);
        for (std::size_t e = 0; e < at.size(); ++e) used[e] = !at[e].empty();
        for (const Member& m : next.members)
            for (const EdgeUse& u : m.chain) used[u.edge.index()] = true;
        std::erase_if(next.edge_links, [&](const EdgeLink& l) { return !used[l.a.index()] || !used[l.b.index()]; });
    }

    // Neither carried on nor cut?
    [[nodiscard]] bool unchanged(std::size_t i) const {
        const auto of_it = [&](const MergeWork& m) { return ix(m.lost) == i; };
        return work_.sheets[i].extensions.empty() && trimmed_[i] == 0 && std::none_of(work_.merges.begin(), work_.merges.end(), of_it);
    }

    void rebuild(Model& next, const Assembled& done) {
        for (std::size_t i = 0; i < model_.sheets.size(); ++i) {
            Sheet s = std::move(model_.sheets[i]);
            keys_.push_back(s.key), places_.push_back(s.chart.plane().origin);
            const double own = s.own_area(), all = s.area();
            s.regions = done.regions[i];
            // Where an earlier run carried it on shows no more in its cells.
            if (work_.as_joined && all > 0 && unchanged(i))
                for (Region& r : s.regions) r.own_area = r.area * own / all;
            s.trimmed_area += trimmed_[i];
            std::set<int> on_edges;
            for (const Region& r : s.regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop)
                        for (VertexId v : next.edges[u.edge.index()].vertices) on_edges.insert(v.value);
                for (EdgeId e : r.embedded)
                    for (VertexId v : next.edges[e.index()].vertices) on_edges.insert(v.value);
            }
            for (const auto& [number, p] : work_.sheets[i].points) {
                const VertexId v = done.of_point[ix(number)];
                if (!on_edges.insert(v.value).second) continue;
                for (Region& r : s.regions)
                    if (inside(region_polygons(next, s.chart, r, next.tolerance.chord), s.chart.local2(p))) r.points.push_back(v);
            }
            next.sheets.push_back(std::move(s));
        }
        merge_sheets(next);
        std::vector<int> sheet_number;
        if (work_.merges.empty())
            for (std::size_t i = 0; i < next.sheets.size(); ++i) sheet_number.push_back(static_cast<int>(i));
        else sheet_number = drop_empty(next);
        for (Sheet& s : next.sheets) fill_thickness(next, s);
        for (std::size_t m = 0; m < model_.members.size(); ++m) {
            Member member = std::move(model_.members[m]);
            member.chain.clear();
            for (int k : work_.members[m].curves) member.chain.insert(member.chain.end(), done.on_curve[ix(k)].begin(), done.on_curve[ix(k)].end());
            if (work_.members[m].shifted()) member.offset = -work_.members[m].shift, member.axis = work_.members[m].axis;
            next.members.push_back(std::move(member));
        }
        const int base = static_cast<int>(model_.joints.size());
        const auto number = [&](int j) { return j < 0 ? JointId() : JointId(base + j); };
        for (std::size_t k = 0; k < model_.links.size(); ++k)
            next.links.push_back({done.of_point[ix(old_link_points_[k].first)], done.of_point[ix(old_link_points_[k].second)], model_.links[k].joint});
        for (std::size_t k = 0; k < work_.point_links.size(); ++k)
            next.links.push_back({done.of_point[ix(link_points_[k].first)], done.of_point[ix(link_points_[k].second)], number(work_.point_links[k].joint)});
        for (const EdgeLink& l : model_.edge_links) match_edges(next, done, l.a.value, l.b.value, l.joint);
        for (const LineLink& l : work_.line_links) match_edges(next, done, l.a_curve, l.b_curve, number(l.joint));
        for (std::size_t k = 0; k < work_.couplings.size(); ++k) {
            const CouplingWork& w = work_.couplings[k];
            Coupling c{w.key, w.body, done.of_point[ix(coupling_points_[k][0])], w.volume, {}, {}, w.faces};
            for (int curve : w.curves)
                for (const EdgeUse& u : done.on_curve[ix(curve)]) c.edges.push_back(u.edge);
            for (std::size_t i = 1; i < coupling_points_[k].size(); ++i) c.vertices.push_back(done.of_point[ix(coupling_points_[k][i])]);
            next.couplings.push_back(std::move(c));
        }
        for (const int p : places_wanted_)
            if (const VertexId v = done.of_point[ix(p)]; std::find(next.places.begin(), next.places.end(), v) == next.places.end()) next.places.push_back(v);
        drop_idle_links(next);
        const auto add_tie = [&](const std::vector<int>& curves, int onto, JointId joint) {
            Tie t;
            t.onto = SheetId(sheet_number[ix(onto)]), t.joint = joint;
            for (int c : curves)
                for (const EdgeUse& u : done.on_curve[ix(c)]) t.edges.push_back(u.edge);
            if (t.onto && !t.edges.empty()) next.ties.push_back(std::move(t));
        };
        for (const Tie& t : model_.ties) {
            std::vector<int> curves;
            for (EdgeId e : t.edges) curves.push_back(e.value);
            add_tie(curves, t.onto.value, t.joint);
        }
        for (const TieWork& t : work_.ties) add_tie(t.curves, t.onto, number(t.joint));
        model_.vertices = std::move(next.vertices), model_.edges = std::move(next.edges);
        model_.sheets = std::move(next.sheets), model_.members = std::move(next.members);
        model_.links = std::move(next.links), model_.edge_links = std::move(next.edge_links), model_.ties = std::move(next.ties);
        model_.couplings = std::move(next.couplings), model_.places = std::move(next.places);
        model_.sets.clear();  // of sheets and edges that are no more; made again when all is joined
        record();
    }

    // Pieces of one curve with the pieces of its twin that stand opposite.
    void match_edges(Model& next, const Assembled& done, int a, int b, JointId joint) {
        for (const EdgeUse& u : done.on_curve[ix(a)]) {
            const Curve& ca = next.edges[u.edge.index()].curve;
            for (const EdgeUse& v : done.on_curve[ix(b)]) {
                const Curve& cb = next.edges[v.edge.index()].curve;
                // Places were carried over from one curve to the other, either way.
                const auto is_foot = [&](const Curve& on, const Vec3& from, const Vec3& foot) {
                    const double t = on.nearest(from);
                    const Vec3 way = from - foot;  // square to the curve, but past its ends
                    return (on.point(t) - foot).norm() <= 10 * tol_ && std::abs(way.dot(on.derivative(t).normalized())) <= 10 * tol_ + 0.02 * way.norm();
                };
                const auto opposite = [&](const Vec3& p, const Vec3& q) { return is_foot(cb, p, q) || is_foot(ca, q, p); };
                const bool same = opposite(ca.start(), cb.start()) && opposite(ca.end(), cb.end());
                bool turned = opposite(ca.start(), cb.end()) && opposite(ca.end(), cb.start());
                // Round closed curves both ends are one: the way round shows on the way.
                if (same && turned) {
                    const Vec3 quarter = cb.point(cb.nearest(ca.point(ca.parameter_at(0.25))));
                    turned = (quarter - cb.point(cb.parameter_at(0.75))).norm() < (quarter - cb.point(cb.parameter_at(0.25))).norm();
                }
                // Halves of a circle have the same ends, either way: what is opposite is so in its middle too.
                const Vec3 end = ca.start() - (turned ? cb.end() : cb.start()), middle = ca.middle() - cb.point(cb.nearest(ca.middle()));
                if ((middle - end).norm() > 0.25 * ca.length()) continue;
                // Rims that are flush are matched from either sheet.
                if ((same || turned) && linked_.insert(std::minmax(u.edge.value, v.edge.value)).second)
                    next.edge_links.push_back({u.edge, v.edge, turned, joint});
            }
        }
    }

    void record() {
        for (JointRecord& j : work_.joints) {
            model_.ledger.push_back({j.key, "join", EntryKind::joint, j.state,
                                     fmt::format("{} to {}: gap {:.2f} mm, {:.1f} mm long, furthest extension {:.2f} mm", j.a, j.b, j.gap, j.length, j.moved),
                                     j.moved, j.place, j.a + " + " + j.b, j.kind});
            model_.joints.push_back(std::move(j));
        }
        // The kind of a sheet joint shows on the edges it left behind.
        std::map<std::pair<std::string, std::string>, SeamKind> kinds;
        for (const Seam& s : seams(model_))
            for (std::size_t a = 0; a < s.sheets.size(); ++a)
                for (std::size_t b = 0; b < s.sheets.size(); ++b)
                    kinds[{model_.sheets[s.sheets[a].index()].key, model_.sheets[s.sheets[b].index()].key}] = s.kind;
        for (JointRecord& j : model_.joints)
            if (j.kind == JointKind::corner || j.kind == JointKind::tee || j.kind == JointKind::cross)
                if (const auto it = kinds.find({j.a, j.b}); it != kinds.end()) j.kind = joint_of(it->second);
        for (std::size_t i = 0; i < trimmed_.size(); ++i)
            if (trimmed_[i] > 0)
                model_.ledger.push_back({"trim-" + keys_[i], "join", EntryKind::trim, EntryState::applied,
                                         fmt::format("{}: overhangs beyond joints cut, {:.1f} mm2", keys_[i], trimmed_[i]), trimmed_[i], places_[i], ""});
        for (std::size_t m = 0; m < work_.merges.size(); ++m) {
            const std::string &keeper = keys_[ix(work_.merges[m].keeper)], &lost = keys_[ix(work_.merges[m].lost)];
            model_.ledger.push_back({fmt::format("merge-{}-{}", keeper, lost), "join", EntryKind::merge, EntryState::applied,
                                     fmt::format("{} takes {:.1f} mm3 of {} over: one double wall where they lie on each other", keeper, lost_[m], lost),
                                     lost_[m], places_[ix(work_.merges[m].lost)], ""});
        }
    }

    Model& model_;
    JoinWork& work_;
    double tol_;
    ArrangementInput input_;
    std::vector<int> lines_;
    std::vector<std::pair<int, int>> link_points_, old_link_points_;
    std::vector<int> places_wanted_;
    std::set<std::pair<int, int>> linked_;           // edges, smaller number first
    std::vector<std::vector<int>> coupling_points_;  // of each coupling: centre first
    std::vector<std::vector<Keep>> keep_;
    std::vector<double> trimmed_, lost_;  // area of each sheet, volume of each merge
    std::vector<std::string> keys_;       // of the sheets, and a place on each, as they were
    std::vector<Vec3> places_;
};

}  // namespace

void carry_out(Model& model, JoinWork& work) {
    Carrier(model, work).run();
}

}  // namespace halvo
