#include "halve/body_sheets.hpp"

#include "core/groups.hpp"
#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "geom/facet_tree.hpp"
#include "geom/outline.hpp"
#include "halve/leftovers.hpp"
#include "halve/orientation.hpp"
#include "halve/sheet_cells.hpp"
#include "halve/wall_curves.hpp"
#include "halve/wall_neighbours.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>
#include <set>

namespace halvo {
namespace {

class BodyHalver {
public:
    BodyHalver(Model& model, const Assembly& solids, BodyId body, const Skin& skin, const WallSearch& search, const WallRules& rules,
               const HalveOptions& options)
        : model_(model),
          solids_(solids),
          id_(body),
          body_(solids.bodies[body.index()]),
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
        bores_.emplace(body_, boxes, walls_, solids_.tolerance.point + solids_.tolerance.chord);
        Arrangement a = halved();
        if (close_leaking(a)) a = halved();
        if (set_aside_empty()) a = halved();
        tell_refused();
        close_openings(a);
        run_through_bores();
        const Assembled done = assemble(model_, a, input_, kept_.keep, {});
        make_sheets(done);
        std::vector<bool> without_sheet;
        for (std::size_t i = 0; i < walls_.size(); ++i) without_sheet.push_back(done.regions[i].empty());
        return report_leftovers(model_, solids_, id_, skin_, {walls_, search_.outside, keys_, without_sheet, refused_, tol_}, options_);
    }

private:
    // The walls cut by each other and by the body, and what of each is its sheet.
    Arrangement halved() {
        find_neighbours(skin_, walls_);
        WallCurves curves = wall_curves(body_, skin_, walls_, *bores_, solids_.tolerance.point, search_.slack, widest_opening());
        input_ = std::move(curves.input), mouths_ = std::move(curves.mouths), open_rings_ = std::move(curves.open_rings);
        tol_ = std::max(tol_, curves.slack);
        // Curves traced on curved surfaces meet to a little more than the model's tolerance.
        const bool flat = std::all_of(walls_.begin(), walls_.end(), [](const WallSurface& w) { return w.chart.flat(); });
        Arrangement a = flat ? arrange(input_, tol_) : arrange(input_, std::max(tol_, 4 * solids_.tolerance.point), shortest_edge());
        kept_ = keep_cells(a, {body_, walls_, *bores_, curves.middles, refused_, open_rings_, tol_, solids_.tolerance.chord});
        return a;
    }

    // Three curved midsurfaces meet in points as far apart as flat angles make them, and fits: of no account against the thinnest wall.
    double shortest_edge() const {
        constexpr double of_thickness = 0.002;
        const double point = solids_.tolerance.point;
        double thinnest = 0;
        for (const WallSurface& w : walls_)
            if (std::holds_alternative<FreeSurface>(w.chart.surface())) thinnest = thinnest > 0 ? std::min(thinnest, w.wall->thickness) : w.wall->thickness;
        return std::clamp(of_thickness * thinnest, 16 * point, 64 * point);
    }

    // A curved wall of which next to nothing came, or more than is between its sides, was not closed where others cross it: beside the equator
    // of a tube almost as wide their midsurfaces pass each other. The edges of its own faces close it.
    bool close_leaking(const Arrangement& a) {
        constexpr double little = 0.5;  // of where its sides face each other
        constexpr double much = 20;     // thicknesses squared
        constexpr double most = 0.9;    // of what faces each other
        const std::vector<double> before = kept_areas(a), beyond = kept_.beyond;
        bool any = false;
        for (const std::size_t i : open_rings_) {
            if (refused_[i]) continue;
            walls_[i].cut_by_edges = before[i] < little * found_[i].area || beyond[i] > much * walls_[i].thickest * walls_[i].thickest;
            any = any || walls_[i].cut_by_edges;
        }
        if (!any) return false;
        // What is between its sides must not be lost by that.
        const std::vector<double> after = kept_areas(halved());
        for (std::size_t i = 0; i < walls_.size(); ++i)
            if (after[i] < most * std::min(before[i], found_[i].area)) walls_[i].cut_by_edges = false;
        return true;
    }

    std::vector<double> kept_areas(const Arrangement& a) const {
        std::vector<double> out(walls_.size(), 0);
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (std::size_t c = 0; c < kept_.keep[i].size(); ++c) out[i] += kept_.keep[i][c].kept ? a.sheets[i].cells[c].area : 0;
        return out;
    }

    // A wall that nothing came of, as a strip beside what it goes on in, cuts none of the others, and those that it lies between meet.
    bool set_aside_empty() {
        bool any = false;
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            if (refused_[i] || input_.sheets[i].curves.empty()) continue;
            walls_[i].aside = std::none_of(kept_.keep[i].begin(), kept_.keep[i].end(), [](const Keep& k) { return k.kept; });
            any = any || walls_[i].aside;
        }
        return any;
    }

    void tell_refused() {
        for (std::size_t i = 0; i < walls_.size(); ++i)
            if (refused_[i])
                model_.ledger.push_back({wall_key(i), "halve", EntryKind::wall, EntryState::refused,
                                         fmt::format("{}: wall of {:.2f} mm", body_.label, found_[i].thickness), found_[i].area, found_[i].pairs[0].seen[0],
                                         body_.label});
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
        std::vector<Vec3> outline;
    };

    // Those no larger than the plan's openings, or named by it, are filled.
    void close_openings(const Arrangement& a) {
        std::set<int> mouth_edges;
        for (int c : mouths_)
            for (const EdgeUse& u : a.on_curve[static_cast<std::size_t>(c)]) mouth_edges.insert(u.edge.value);
        const auto named = [](const std::vector<std::string>& list, const std::string& key) { return std::find(list.begin(), list.end(), key) != list.end(); };
        KeySet keys;
        RootMaterial filled;  // that the body does not have
        filled.body = id_;
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            std::vector<Opening> list = openings_of(a, i, mouth_edges);
            for (Opening& o : list) o.key = make_key("opening", wall_key(i), {std::sqrt(o.area), (o.place - body_.mass.centre).norm()});
            std::stable_sort(list.begin(), list.end(), [](const Opening& x, const Opening& y) { return x.key < y.key; });
            for (Opening& o : list) {
                o.key = keys.unique(o.key);
                const std::string id = own_key(o.key, body_.key);
                const bool kept = named(options_.keep, id), small = o.size <= decisions_[i].openings * (1 + 1e-9);
                const bool covered = options_.covered == CoveredAs::filled && covered_by_another(walls_[i], o);
                const bool fill = !kept && (small || covered || named(options_.fill, id));
                const char* done = fill ? "ignored: the sheet runs through" : kept ? "stays open, by the plan" : "stays open";
                model_.ledger.push_back({o.key, "halve", EntryKind::opening,
                                         fill   ? EntryState::applied
                                         : kept ? EntryState::refused
                                                : EntryState::proposed,
                                         fmt::format("{}: an opening {:.2f} mm across, {:.1f} mm2, {}", body_.label, o.size, o.area, done), o.area, o.place,
                                         body_.label});
                if (!fill) continue;
                const WallSurface& w = walls_[i];
                filled.volume -= o.area * w.field.at(w.chart, w.chart.local2(o.place));
                for (std::size_t c : o.cells) kept_.keep[i][c].kept = true, kept_.keep[i][c].own = false;
            }
        }
        if (filled.volume < 0) model_.roots.push_back(std::move(filled));
    }

    // Does another body lie over all of an opening, skin on skin on one side of the wall?
    bool covered_by_another(const WallSurface& w, const Opening& o) const {
        constexpr double within = 0.05;  // thicknesses past the skin that are looked at
        constexpr double shrunk = 0.9;   // of the outline: a little inside it
        const std::size_t every = std::max<std::size_t>(1, o.outline.size() / 16);
        for (const double side : {1.0, -1.0}) {
            const auto under_another = [&](const Vec3& p) {
                const Vec3 foot = w.chart.foot(o.place + shrunk * (p - o.place));
                const auto sides = w.field.sides(w.chart, w.chart.local2(foot));
                const Vec3 at = foot + side * ((side > 0 ? sides.up : sides.down) + within * sides.thickness()) * w.chart.normal(foot);
                return std::ranges::any_of(solids_.bodies, [&](const Body& b) { return &b != &body_ && b.tree && b.box.contains(at) && b.tree->encloses(at); });
            };
            bool all = under_another(o.place);
            for (std::size_t k = 0; all && k < o.outline.size(); k += every) all = under_another(o.outline[k]);
            if (all) return true;
        }
        return false;
    }

    // Voids inside a wall's thickness open its sheet only where the plan says so.
    void run_through_bores() {
        KeySet keys;
        RootMaterial all;
        all.body = id_;
        for (const KeptCells::Bore& b : kept_.bores) {
            const std::string key = keys.unique(make_key("bore", wall_key(b.wall), {std::sqrt(b.area), (b.place - body_.mass.centre).norm()}));
            const bool open = std::find(options_.keep.begin(), options_.keep.end(), own_key(key, body_.key)) != options_.keep.end();
            model_.ledger.push_back({key, "halve", EntryKind::opening, open ? EntryState::refused : EntryState::applied,
                                     fmt::format("{}: a void inside a wall's thickness, {:.1f} mm2, {:.1f} mm3, {}", body_.label, b.area, b.volume,
                                                 open ? "stays open, by the plan" : "ignored: the sheet runs through"),
                                     b.area, b.place, body_.label});
            if (open) {
                kept_.keep[b.wall][b.cell].kept = false;
                continue;
            }
            all.volume -= b.volume;
            all.faces.insert(all.faces.end(), b.faces.begin(), b.faces.end());
        }
        if (all.volume < 0) model_.roots.push_back(std::move(all));
    }

    std::vector<Opening> openings_of(const Arrangement& a, std::size_t i, const std::set<int>& mouth_edges) const {
        const SheetCells& cells = a.sheets[i];
        const auto void_cell = [&](int c) { return c >= 0 && kept_.keep[i][static_cast<std::size_t>(c)].empty; };
        const auto opposite = [&](int half) { return cells.cell(half ^ 1); };
        Groups groups(cells.cells.size());
        for (const auto& [half, cell] : cells.cell_of)
            if (void_cell(cell) && void_cell(opposite(half))) groups.tie(cell, opposite(half));
        std::set<int> open;
        for (const auto& [half, cell] : cells.cell_of) {
            const int other = opposite(half);
            if (!void_cell(cell) || void_cell(other) || mouth_edges.count(half / 2)) continue;
            if (other < 0 || !kept_.keep[i][static_cast<std::size_t>(other)].kept) open.insert(groups.root(cell));
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
            if (!kept_.keep[i][c].empty || open.count(root)) continue;
            found[root].cells.push_back(c);
            found[root].area += cells.cells[c].area;
        }
        std::vector<Opening> out;
        for (auto& [root, o] : found) {
            Vec3 sum = Vec3::Zero();
            for (const Vec3& p : outline[root]) sum += p;
            o.outline = outline[root];
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
            refused_.push_back(decisions_[i].refuse);
            const MidMethod method = decisions_[i].method;
            if (method == MidMethod::automatic || remake_mid(body_, found_[i], method, solids_.tolerance.point)) continue;
            model_.findings.push_back(
                {make_key("finding", "method " + keys_[i], {}), FindingKind::method_not_possible,
                 fmt::format("{}: the method the plan asks for makes no midsurface of {}; it was made the usual way", body_.label, keys_[i]),
                 "take the wall's method out of the plan, or ask for fitted", found_[i].pairs[0].seen[0], found_[i].thickness, body_.label});
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
                {wall_key(i), "halve", EntryKind::wall, EntryState::applied,
                 w.alone > 0 ? fmt::format("{}: face {} alone, {:.2f} mm thick by the plan, {:.0f} mm2", body_.label, w.pairs[0].top + 1, w.alone, area)
                             : fmt::format("{}: {} face pair(s), {:.2f} to {:.2f} mm thick, halved to {:.0f} mm2", body_.label, w.pairs.size(), w.thinnest,
                                           w.thickest, area),
                 area, w.pairs[0].seen[0], body_.label});
            if (kept_.strays[i].count > 0)
                model_.ledger.push_back({make_key("stray", wall_key(i), {}), "halve", EntryKind::stray, EntryState::applied,
                                         fmt::format("{}: {} stray piece(s) dropped, {:.3g} mm2", body_.label, kept_.strays[i].count, kept_.strays[i].area),
                                         kept_.strays[i].area, w.pairs[0].seen[0], body_.label});
            if (kept_.stubs[i].count > 0)
                model_.ledger.push_back(
                    {make_key("stub", wall_key(i), {}), "halve", EntryKind::stub, EntryState::applied,
                     fmt::format("{}: {} piece(s) beyond seams dropped, {:.1f} mm2", body_.label, kept_.stubs[i].count, kept_.stubs[i].area),
                     kept_.stubs[i].area, w.pairs[0].seen[0], body_.label});
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
    BodyId id_;
    const Body& body_;
    const Skin& skin_;
    const WallSearch& search_;
    std::vector<Wall> found_;
    const WallRules& rules_;
    const HalveOptions& options_;
    double tol_;
    std::vector<WallRules::Decision> decisions_;
    std::vector<bool> refused_;
    std::vector<WallSurface> walls_;
    std::optional<Bores> bores_;  // of these walls
    std::vector<std::string> keys_;
    ArrangementInput input_;
    KeptCells kept_;
    std::set<std::size_t> open_rings_;
    std::set<int> mouths_;
};

}  // namespace

std::vector<NamedFaces> halve_into_sheets(Model& model, const Assembly& solids, BodyId body, const Skin& skin, const WallSearch& search, const WallRules& rules,
                                          const HalveOptions& options) {
    return BodyHalver(model, solids, body, skin, search, rules, options).run();
}

}  // namespace halvo
