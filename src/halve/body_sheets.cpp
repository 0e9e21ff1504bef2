#include "halve/body_sheets.hpp"

#include "core/groups.hpp"
#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "geom/outline.hpp"
#include "halve/leftovers.hpp"
#include "halve/limits.hpp"
#include "halve/loose_ends.hpp"
#include "halve/orientation.hpp"
#include "halve/wall_curves.hpp"
#include "halve/wall_neighbours.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace halvo {
namespace {

class BodyHalver {
public:
    BodyHalver(Model& model, const Assembly& solids, int body, const Skin& skin, const WallSearch& search, const WallRules& rules, const HalveOptions& options)
        : model_(model),
          solids_(solids),
          id_(body),
          body_(solids.bodies[static_cast<std::size_t>(body)]),
          skin_(skin),
          search_(search),
          found_(search.walls),
          rules_(rules),
          options_(options),
          tol_(std::max(solids.tolerance.point, search.slack)) {}

    // Pairs of faces that make sheets of the body's solid regions, if the plan wants that: for a second round.
    std::vector<NamedFaces> run() {
        name_walls();
        follow_rules();
        walls_.resize(found_.size());
        const BodyBoxes boxes(body_);
        const std::vector<bool> turn = to_turn_outward(body_, skin_, found_);
        parallel_for(walls_.size(),
                     [&](std::size_t i) { walls_[i] = make_wall_surface(body_, boxes, found_[i], turn[i], solids_.tolerance.point, solids_.tolerance.chord); });
        std::set<int> mouths;
        Arrangement a = halved(mouths);
        if (set_aside_empty()) a = halved(mouths);
        tell_refused();
        close_openings(a, mouths);
        const Assembled done = assemble(model_, a, input_, keep_, {});
        make_sheets(done);
        std::vector<bool> without_sheet, refused;
        for (std::size_t i = 0; i < walls_.size(); ++i) without_sheet.push_back(done.regions[i].empty()), refused.push_back(decisions_[i].refuse);
        return report_leftovers(model_, solids_, id_, skin_, {walls_, search_.outside, keys_, without_sheet, refused, tol_}, options_);
    }

private:
    // The walls cut by each other and by the body, and what of each is its sheet.
    Arrangement halved(std::set<int>& mouths) {
        find_neighbours(skin_, walls_);
        WallCurves curves = wall_curves(body_, skin_, walls_, solids_.tolerance.point, search_.slack, widest_opening());
        input_ = std::move(curves.input), middles_ = std::move(curves.middles), mouths = std::move(curves.mouths);
        middles_of_.assign(walls_.size(), {});
        for (std::size_t k = 0; k < middles_.size(); ++k) middles_of_[middles_[k].i].push_back(k), middles_of_[middles_[k].j].push_back(k);
        tol_ = std::max(tol_, curves.slack);
        // Curves traced on curved surfaces meet to a little more than the model's tolerance.
        const bool flat = std::all_of(walls_.begin(), walls_.end(), [](const WallSurface& w) { return w.chart.flat(); });
        return settle(flat ? tol_ : std::max(tol_, 4 * solids_.tolerance.point));
    }

    // What of each wall's cells is its sheet.
    Arrangement settle(double close) {
        Arrangement a = arrange(input_, close);
        keep_.clear(), slight_.clear(), cells_.clear();
        decide(a);
        drop_fins(a);
        bridge_slivers(a);
        const auto before = keep_;
        settle_loose_ends(
            a, cells_, [&](std::size_t i, int half) { return goes_on_past(i, a.edges[static_cast<std::size_t>(half / 2)].curve, half % 2 != 0); }, keep_);
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (std::size_t c = 0; c < keep_[i].size(); ++c) {
                const int changed = static_cast<int>(before[i][c].kept) - static_cast<int>(keep_[i][c].kept);
                stubs_[i].first += changed, stubs_[i].second += changed * a.sheets[i].cells[c].area;
            }
        drop_strays(a);
        return a;
    }

    // Is there material past most of an edge, to its right?
    bool goes_on_past(std::size_t i, const Curve& c, bool reversed) const {
        constexpr double past = 0.25;  // thicknesses
        const WallSurface& w = walls_[i];
        const auto beyond = past_edge(w.chart, c, reversed, past * w.wall->thickness);
        return std::count_if(beyond.begin(), beyond.end(), [&](const Vec3& p) { return in_material(body_, w, p); }) >= most_past_edge;
    }

    // A wall that nothing came of, as a strip beside what it goes on in, cuts none of the others, and those that it lies between meet.
    bool set_aside_empty() {
        bool any = false;
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            if (decisions_[i].refuse || input_.sheets[i].curves.empty()) continue;
            walls_[i].aside = std::none_of(keep_[i].begin(), keep_[i].end(), [](const Keep& k) { return k.kept; });
            any = any || walls_[i].aside;
        }
        return any;
    }

    void tell_refused() {
        for (std::size_t i = 0; i < walls_.size(); ++i)
            if (decisions_[i].refuse)
                model_.ledger.push_back({wall_key(i), "halve", "wall", EntryState::refused,
                                         fmt::format("{}: wall of {:.2f} mm", body_.name, found_[i].thickness), found_[i].area, found_[i].pairs[0].seen[0],
                                         body_.name});
    }

    // From a point at a wall's border to where its sides were seen to face each other: the nearest such place, or the middle of those
    // nearby. On rounds that are no offsets of each other the nearest may lie a little past the border.
    static Vec3 nearest_from(const WallSurface& w, const Vec3& e) {
        Vec3 nearest = Vec3::Constant(std::numeric_limits<double>::max());
        for (const FacePair& p : w.wall->pairs)
            for (const Vec3& q : p.seen)
                if ((q - e).squaredNorm() < nearest.squaredNorm()) nearest = q - e;
        return nearest;
    }

    // To which side of an edge, by its sense, they lie: by those within a few thicknesses of a point of it, but by enough: a single one may lie
    // where a round looks past the border. Each is looked at from the edge beside it, which may be far rounder than that.
    static double middle_side(const WallSurface& w, const Curve& edge, const Vec3& e) {
        constexpr double nearby = 4;  // thicknesses
        constexpr std::size_t enough = 8;
        std::vector<std::pair<double, Vec3>> seen;
        for (const FacePair& p : w.wall->pairs)
            for (const Vec3& q : p.seen) seen.emplace_back((q - e).norm(), q);
        std::sort(seen.begin(), seen.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
        double sum = 0;
        for (std::size_t k = 0; k < seen.size() && (k < enough || seen[k].first <= nearby * w.thickest); ++k) {
            const double t = edge.nearest(seen[k].second);
            const Vec3 at = edge.point(t);
            sum += (seen[k].second - at).dot(w.chart.normal(at).cross(edge.derivative(t)).normalized());
        }
        return sum;
    }

    // Is a point of a wall's midsurface past the edge where another wall goes on smoothly instead of it?
    bool taken_over(std::size_t i, const SkinPoint& at) const {
        for (const std::size_t k : middles_of_[i]) {
            const MiddleEdge& m = middles_[k];
            const WallSurface& o = walls_[m.i == i ? m.j : m.i];
            const double t = m.curve.nearest(at.point);
            const Vec3 e = m.curve.point(t), d = at.point - e;
            if (d.norm() > o.thickest + walls_[i].thickest) continue;
            const Vec3 side = at.normal.cross(m.curve.derivative(t)).normalized();
            if (std::abs(d.dot(side)) <= tol_) continue;
            if (walls_[i].field.ridge ? d.dot(side) * middle_side(walls_[i], m.curve, e) < 0 : d.dot(side) * nearest_from(o, e).dot(side) > 0) return true;
        }
        return false;
    }

    // Does a point off the support lead, straight across a crossing wall, back to it? That is the half of the crossing
    // wall's thickness between its skin and its midsurface; the other half leads to air and is a stub.
    bool bridges(std::size_t i, const Vec3& at, std::vector<std::size_t>& passed) const {
        const WallSurface& p = walls_[i];
        if (supported(body_, p, at)) return true;
        if (passed.size() >= 3) return false;
        const Vec3 n = p.chart.normal(at);
        for (std::size_t j : p.near) {
            if (std::find(passed.begin(), passed.end(), j) != passed.end()) continue;
            const WallSurface& w = walls_[j];
            if (!w.chart.flat() && w.box.squaredExteriorDistance(at) > w.thickest * w.thickest) continue;
            const double h = w.chart.height(at);
            if (std::abs(h) > w.thickest) continue;
            const SkinPoint foot = w.chart.on(at);
            const double half = 0.5 * w.field.at(w.chart, w.chart.local2(at));
            if (std::abs(h) > half + tol_ || !in_material(body_, w, foot.point)) continue;
            const Vec3 across = (foot.normal - foot.normal.dot(n) * n) * (h < 0 ? -1.0 : 1.0);
            const double sine = across.norm(), cosine = std::abs(foot.normal.dot(n));
            if (sine < least_crossing) continue;
            if (bend_between(walls_, i, j, at)) continue;
            if (taken_over(j, foot)) continue;
            const double step = (half - std::abs(h)) / sine + 0.04 * half + 0.5 * p.thickest * cosine / sine;
            passed.push_back(j);
            const bool leads = bridges(i, p.chart.foot(at + step / sine * across), passed);
            passed.pop_back();
            if (leads) return true;
        }
        return false;
    }

    void decide(const Arrangement& a) {
        keep_.resize(walls_.size());
        stubs_.assign(walls_.size(), {0, 0.0});
        slight_.resize(walls_.size()), cells_.resize(walls_.size());
        parallel_for(walls_.size(), [&](std::size_t i) {
            const WallSurface& p = walls_[i];
            cells_[i].thickness = cells_[i].thickest_near = p.wall->thickness, cells_[i].fixed = decisions_[i].refuse;
            for (std::size_t j : p.near) cells_[i].thickest_near = std::max(cells_[i].thickest_near, walls_[j].thickest);
            for (const Cell& c : a.sheets[i].cells) {
                Keep k;
                const auto polygons = cell_polygons(a, p.chart, c, solids_.tolerance.chord);
                const auto samples = spread_inside(polygons, 24);
                double in = 0, held = 0, bridge = 0, other = 0, all = 0;
                for (const AreaSample& s : samples) {
                    all += s.area;
                    const Vec3 at = p.chart.at(s.point);
                    if (!in_material(body_, p, at)) continue;
                    in += s.area;
                    std::vector<std::size_t> passed;
                    if (supported(body_, p, at)) (p.field.ridge && taken_over(i, p.chart.on(at)) ? other : held) += s.area;
                    else if (foreign(body_, walls_, i, at, tol_)) other += s.area;
                    else if (bridges(i, at, passed)) bridge += s.area;
                }
                k.empty = in <= 0.02 * all;
                const double enough = (found_[i].bend ? bend_share : supported_share) * all;
                cells_[i].open.push_back(in > 0.5 * all && other < 0.5 * all);
                if (in > 0.5 * all) {
                    k.kept = other < 0.5 * all && (held >= enough || held + bridge >= bridging_share * all);
                    if (!k.kept) ++stubs_[i].first, stubs_[i].second += c.area;
                }
                keep_[i].push_back(k);
                cells_[i].held.push_back(held >= enough);
                slight_[i].push_back(held < 0.5 * all);
            }
        });
        for (std::size_t i = 0; i < walls_.size(); ++i)
            if (decisions_[i].refuse)
                for (Keep& k : keep_[i]) k.kept = false;
    }

    // Of each edge, the walls that keep a cell beside it.
    std::vector<std::set<std::size_t>> keepers(const Arrangement& a) const {
        std::vector<std::set<std::size_t>> out(a.edges.size());
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (const auto& [half, cell] : a.sheets[i].cell_of)
                if (cell >= 0 && keep_[i][static_cast<std::size_t>(cell)].kept) out[static_cast<std::size_t>(half / 2)].insert(i);
        return out;
    }

    // Where bends run into each other in a mitre, a piece of each beyond it may yet lie between its sides for the smaller part. With nothing
    // but air round it and at the mitre, it is a fin.
    void drop_fins(const Arrangement& a) {
        const auto walls_at = keepers(a);
        const auto kept = [&](std::size_t i, int half) {
            const auto it = a.sheets[i].cell_of.find(half);
            return it != a.sheets[i].cell_of.end() && it->second >= 0 && keep_[i][static_cast<std::size_t>(it->second)].kept;
        };
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (std::size_t c = 0; found_[i].bend && c < a.sheets[i].cells.size(); ++c) {
                if (!keep_[i][c].kept || !slight_[i][c]) continue;
                bool fin = true, crossed = false;
                for (const auto& loop : a.sheets[i].cells[c].loops)
                    for (const int half : loop) {
                        const auto& at = walls_at[static_cast<std::size_t>(half / 2)];
                        const bool goes_on = kept(i, half ^ 1), others = std::any_of(at.begin(), at.end(), [&](std::size_t j) { return j != i; });
                        fin = fin && goes_on == others;
                        crossed = crossed || (goes_on && others);
                    }
                if (!fin || !crossed) continue;
                keep_[i][c].kept = false;
                ++stubs_[i].first, stubs_[i].second += a.sheets[i].cells[c].area;
            }
    }

    // Where a wall's two faces end at a crossing in different places, as beside a curved or an oblique one, a sliver between them lies
    // neither between the faces nor in the other's wall. With the sheet on both of its sides it is part of it.
    void bridge_slivers(const Arrangement& a) {
        constexpr double between = 0.75;  // of its outline, along pieces that are kept
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            const SheetCells& cells = a.sheets[i];
            std::vector<double> outline(cells.cells.size(), 0.0), beside(cells.cells.size(), 0.0);
            for (const auto& [half, cell] : cells.cell_of) {
                if (cell < 0 || keep_[i][static_cast<std::size_t>(cell)].kept || !cells_[i].open[static_cast<std::size_t>(cell)]) continue;
                const double length = a.edges[static_cast<std::size_t>(half / 2)].curve.length();
                const auto other = cells.cell_of.find(half ^ 1);
                outline[static_cast<std::size_t>(cell)] += length;
                if (other != cells.cell_of.end() && other->second >= 0 && keep_[i][static_cast<std::size_t>(other->second)].kept)
                    beside[static_cast<std::size_t>(cell)] += length;
            }
            const double t = walls_[i].wall->thickness;
            for (std::size_t c = 0; c < outline.size(); ++c) {
                if (outline[c] <= 0 || beside[c] < between * outline[c] || cells.cells[c].area > 0.5 * t * outline[c] || decisions_[i].refuse) continue;
                keep_[i][c].kept = true;
                --stubs_[i].first, stubs_[i].second -= cells.cells[c].area;
            }
        }
    }

    // Cells that hang together but are, in all, narrower or smaller than makes sense for a wall of their thickness, or that
    // nowhere lie between the wall's own sides.
    void drop_strays(const Arrangement& a) {
        strays_.assign(walls_.size(), {0, 0.0});
        const auto walls_at = keepers(a);
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            const SheetCells& cells = a.sheets[i];
            const auto kept = [&](int c) { return c >= 0 && keep_[i][static_cast<std::size_t>(c)].kept; };
            Groups groups(cells.cells.size());
            for (const auto& [half, cell] : cells.cell_of)
                if (const auto other = cells.cell_of.find(half ^ 1); kept(cell) && other != cells.cell_of.end() && kept(other->second))
                    groups.tie(cell, other->second);
            struct Measures {
                double area = 0, outline = 0, shared = 0;
            };
            std::map<int, Measures> measures;
            std::set<int> held;
            for (std::size_t c = 0; c < cells.cells.size(); ++c) {
                if (!keep_[i][c].kept) continue;
                measures[groups.root(static_cast<int>(c))].area += cells.cells[c].area;
                if (cells_[i].held[c]) held.insert(groups.root(static_cast<int>(c)));
            }
            for (const auto& [half, cell] : cells.cell_of) {
                const auto other = cells.cell_of.find(half ^ 1);
                if (!kept(cell) || (other != cells.cell_of.end() && kept(other->second))) continue;
                const double length = a.edges[static_cast<std::size_t>(half / 2)].curve.length();
                measures[groups.root(cell)].outline += length;
                measures[groups.root(cell)].shared += walls_at[static_cast<std::size_t>(half / 2)].size() > 1 ? length : 0;
            }
            for (std::size_t c = 0; c < cells.cells.size(); ++c) {
                if (!keep_[i][c].kept) continue;
                const auto& [area, outline, shared] = measures[groups.root(static_cast<int>(c))];
                const double t = walls_[i].wall->thickness;
                // What has others all round it, as the ball in a corner has, is no loose piece, however small.
                const bool between = shared > 0.99 * outline, small = area <= stray_size * t * t && !between;
                if (held.count(groups.root(static_cast<int>(c))) && !small && 2 * area > stray_width * t * outline) continue;
                keep_[i][c].kept = false;
                ++strays_[i].first, strays_[i].second += cells.cells[c].area;
            }
        }
    }

    double widest_opening() const {
        double out = options_.openings;
        for (const auto& d : decisions_) out = std::max(out, d.openings);
        return out;
    }

    // A void with nothing but sheet, or the mouth of a notch, round it.
    struct Opening {
        std::string key;
        std::vector<std::size_t> cells;
        double area = 0, size = 0;
        Vec3 place = Vec3::Zero();
    };

    // Those no larger than the plan's openings, or named by it, are filled.
    void close_openings(const Arrangement& a, const std::set<int>& mouths) {
        std::set<int> mouth_edges;
        for (int c : mouths)
            for (const EdgeUse& u : a.on_curve[static_cast<std::size_t>(c)]) mouth_edges.insert(u.edge.value);
        const auto named = [](const std::vector<std::string>& list, const std::string& key) { return std::find(list.begin(), list.end(), key) != list.end(); };
        KeySet keys;
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            std::vector<Opening> list = openings_of(a, i, mouth_edges);
            for (Opening& o : list) o.key = make_key("opening", wall_key(i), {std::sqrt(o.area), (o.place - body_.mass.centre).norm()});
            std::stable_sort(list.begin(), list.end(), [](const Opening& x, const Opening& y) { return x.key < y.key; });
            for (Opening& o : list) {
                o.key = keys.unique(o.key);
                const std::string id = own_key(o.key, body_.key);
                const bool kept = named(options_.keep, id), small = o.size <= decisions_[i].openings * (1 + 1e-9);
                const bool fill = !kept && (small || named(options_.fill, id));
                const char* done = fill ? "ignored: the sheet runs through" : kept ? "stays open, by the plan" : "stays open";
                model_.ledger.push_back({o.key, "halve", "opening",
                                         fill   ? EntryState::applied
                                         : kept ? EntryState::refused
                                                : EntryState::proposed,
                                         fmt::format("{}: an opening {:.2f} mm across, {:.1f} mm2, {}", body_.name, o.size, o.area, done), o.area, o.place,
                                         body_.name});
                if (!fill) continue;
                for (std::size_t c : o.cells) keep_[i][c].kept = true, keep_[i][c].own = false;
            }
        }
    }

    std::vector<Opening> openings_of(const Arrangement& a, std::size_t i, const std::set<int>& mouth_edges) const {
        const SheetCells& cells = a.sheets[i];
        const auto void_cell = [&](int c) { return c >= 0 && keep_[i][static_cast<std::size_t>(c)].empty; };
        const auto opposite = [&](int half) {
            const auto it = cells.cell_of.find(half ^ 1);
            return it == cells.cell_of.end() ? -1 : it->second;
        };
        Groups groups(cells.cells.size());
        for (const auto& [half, cell] : cells.cell_of)
            if (void_cell(cell) && void_cell(opposite(half))) groups.tie(cell, opposite(half));
        std::set<int> open;
        for (const auto& [half, cell] : cells.cell_of) {
            const int other = opposite(half);
            if (!void_cell(cell) || void_cell(other) || mouth_edges.count(half / 2)) continue;
            if (other < 0 || !keep_[i][static_cast<std::size_t>(other)].kept) open.insert(groups.root(cell));
        }
        std::map<int, std::vector<Vec3>> outline;
        for (const auto& [half, cell] : cells.cell_of) {
            if (!void_cell(cell) || open.count(groups.root(cell))) continue;
            const auto points = a.edges[static_cast<std::size_t>(half / 2)].curve.sampled(solids_.tolerance.chord, 128);
            auto& all = outline[groups.root(cell)];
            all.insert(all.end(), points.begin(), points.end());
        }
        std::map<int, Opening> found;
        for (std::size_t c = 0; c < cells.cells.size(); ++c) {
            const int root = groups.root(static_cast<int>(c));
            if (!keep_[i][c].empty || open.count(root)) continue;
            found[root].cells.push_back(c);
            found[root].area += cells.cells[c].area;
        }
        std::vector<Opening> out;
        for (auto& [root, o] : found) {
            Vec3 sum = Vec3::Zero();
            for (const Vec3& p : outline[root]) sum += p;
            o.place = sum / static_cast<double>(outline[root].size());
            std::vector<Vec2> flat;
            for (const Vec3& p : outline[root]) flat.push_back(walls_[i].chart.local2(p, walls_[i].chart.local2(o.place)));
            o.size = smallest_rectangle(flat).longer;
            out.push_back(std::move(o));
        }
        return out;
    }

    const std::string& wall_key(std::size_t i) const { return keys_[i]; }

    // From exact measures of the wall's faces and its place in the body; probes and order play no part.
    void name_walls() {
        KeySet keys;
        for (const Wall& p : found_) {
            double top = 0, bottom = 0, spread = 0;
            int count = 0;
            for (const FacePair& f : p.pairs) {
                top += body_.faces[static_cast<std::size_t>(f.top)].area;
                bottom += body_.faces[static_cast<std::size_t>(f.bottom)].area;
                for (int id : {f.top, f.bottom})
                    for (const auto& loop : body_.faces[static_cast<std::size_t>(id)].loops)
                        for (const Coedge& u : loop)
                            if (const int v = body_.edges[u.edge.index()].vertices[0]; v >= 0)
                                spread += (body_.vertices[static_cast<std::size_t>(v)] - body_.mass.centre).norm(), ++count;
            }
            keys_.push_back(keys.unique(make_key("wall", "",
                                                 {std::sqrt(std::max(top, bottom)), std::sqrt(std::min(top, bottom)),
                                                  std::abs(p.chart.height(body_.mass.centre)), spread / std::max(count, 1)})));
        }
    }

    // Refusals, references and methods, by the walls' keys as Halvo found them.
    void follow_rules() {
        for (std::size_t i = 0; i < found_.size(); ++i) {
            decisions_.push_back(rules_.decide(id_, own_key(keys_[i], body_.key), found_[i]));
            const MidMethod method = decisions_[i].method;
            if (method == MidMethod::automatic || remake_mid(body_, found_[i], method, solids_.tolerance.point)) continue;
            model_.findings.push_back(
                {make_key("finding", "method " + keys_[i], {}), "method not possible",
                 fmt::format("{}: the method the plan asks for makes no midsurface of {}; it was made the usual way", body_.name, keys_[i]),
                 "take the wall's method out of the plan, or ask for fitted", found_[i].pairs[0].seen[0], found_[i].thickness, body_.name});
        }
    }

    void make_sheets(const Assembled& done) {
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            const auto& regions = done.regions[i];
            if (regions.empty()) continue;
            // Regions that share an edge are one sheet; loose ones are sheets of their own.
            Groups groups(regions.size());
            std::map<int, int> owner;
            for (std::size_t r = 0; r < regions.size(); ++r)
                for (const auto& loop : regions[r].loops)
                    for (const EdgeUse& u : loop) {
                        const auto [it, fresh] = owner.try_emplace(u.edge.value, static_cast<int>(r));
                        if (!fresh) groups.tie(static_cast<int>(r), it->second);
                    }
            std::map<int, Sheet> sheets;
            for (std::size_t r = 0; r < regions.size(); ++r) sheets[groups.root(static_cast<int>(r))].regions.push_back(regions[r]);
            std::vector<Sheet> made;
            for (auto& [g, s] : sheets) {
                s.body = id_;
                s.chart = walls_[i].chart;
                fill_field(walls_[i], s);
                fill_thickness(model_, s);
                for (const Region& r : s.regions)
                    for (auto& loop : region_polygons(model_, s.chart, r, solids_.tolerance.chord)) s.own_outline.push_back(std::move(loop));
                s.wall = wall_key(i);
                s.reference = decisions_[i].reference;
                s.key = make_key("sheet", wall_key(i), {std::sqrt(s.area()), s.thickness.mean, (centroid(s) - body_.mass.centre).norm()});
                made.push_back(std::move(s));
            }
            std::stable_sort(made.begin(), made.end(), [](const Sheet& a, const Sheet& b) { return a.key < b.key; });
            double area = 0;
            for (Sheet& s : made) {
                area += s.area();
                model_.sheets.push_back(std::move(s));
            }
            const Wall& w = found_[i];
            model_.ledger.push_back(
                {wall_key(i), "halve", "wall", EntryState::applied,
                 w.alone > 0 ? fmt::format("{}: face {} alone, {:.2f} mm thick by the plan, {:.0f} mm2", body_.name, w.pairs[0].top + 1, w.alone, area)
                             : fmt::format("{}: {} face pair(s), {:.2f} to {:.2f} mm thick, halved to {:.0f} mm2", body_.name, w.pairs.size(), w.thinnest,
                                           w.thickest, area),
                 area, w.pairs[0].seen[0], body_.name});
            if (strays_[i].first > 0)
                model_.ledger.push_back({make_key("stray", wall_key(i), {}), "halve", "stray", EntryState::applied,
                                         fmt::format("{}: {} stray piece(s) dropped, {:.3g} mm2", body_.name, strays_[i].first, strays_[i].second),
                                         strays_[i].second, w.pairs[0].seen[0], body_.name});
            if (stubs_[i].first > 0)
                model_.ledger.push_back({make_key("stub", wall_key(i), {}), "halve", "stub", EntryState::applied,
                                         fmt::format("{}: {} piece(s) beyond seams dropped, {:.1f} mm2", body_.name, stubs_[i].first, stubs_[i].second),
                                         stubs_[i].second, w.pairs[0].seen[0], body_.name});
        }
    }

    void fill_field(const WallSurface& p, Sheet& s) const {
        s.field = p.field;
        s.deviation = p.wall->fit_error;
        s.top_faces = p.tops, s.bottom_faces = p.bottoms;
    }

    Vec3 centroid(const Sheet& s) const {
        Vec2 sum = Vec2::Zero();
        double area = 0;
        for (const Region& r : s.regions)
            for (const AreaSample& a : spread_inside(region_polygons(model_, s.chart, r, solids_.tolerance.chord), 1)) sum += a.area * a.point, area += a.area;
        return s.chart.at(Vec2(sum / std::max(area, 1e-300)));
    }

    Model& model_;
    const Assembly& solids_;
    int id_;
    const Body& body_;
    const Skin& skin_;
    const WallSearch& search_;
    std::vector<Wall> found_;
    const WallRules& rules_;
    const HalveOptions& options_;
    double tol_;
    std::vector<WallRules::Decision> decisions_;
    std::vector<WallSurface> walls_;
    std::vector<std::string> keys_;
    ArrangementInput input_;
    std::vector<MiddleEdge> middles_;
    std::vector<std::vector<std::size_t>> middles_of_;  // each wall
    std::vector<std::vector<Keep>> keep_;
    std::vector<WallCells> cells_;
    std::vector<std::vector<char>> slight_;               // cells that do so for the smaller part at most
    std::vector<std::pair<int, double>> stubs_, strays_;  // pieces dropped of each wall, and their area
};

}  // namespace

std::vector<NamedFaces> halve_into_sheets(Model& model, const Assembly& solids, int body, const Skin& skin, const WallSearch& search, const WallRules& rules,
                                          const HalveOptions& options) {
    return BodyHalver(model, solids, body, skin, search, rules, options).run();
}

}  // namespace halvo
