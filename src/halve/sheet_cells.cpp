#include "halve/sheet_cells.hpp"

#include "core/groups.hpp"
#include "core/parallel.hpp"
#include "geom/facet_tree.hpp"
#include "halve/limits.hpp"
#include "halve/loose_ends.hpp"
#include "halve/wall_neighbours.hpp"
#include "model/sheet_values.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <optional>
#include <set>

namespace halvo {
namespace {

class CellKeeper {
public:
    CellKeeper(const Arrangement& a, const CutWalls& cut)
        : a_(a),
          body_(cut.body),
          walls_(cut.walls),
          middles_(cut.middles),
          refused_(cut.refused),
          open_rings_(cut.open_rings),
          tol_(cut.tol),
          chord_(cut.chord),
          middles_of_(walls_.size()),
          bores_(cut.bores),
          found_bores_(walls_.size()) {
        for (std::size_t k = 0; k < middles_.size(); ++k) middles_of_[middles_[k].i].push_back(k), middles_of_[middles_[k].j].push_back(k);
    }

    KeptCells run() {
        decide();
        index_.emplace(a_, cells_, keep_);
        drop_fins();
        bridge_bores();
        bridge_slivers();
        const auto goes_on = [&](std::size_t i, int half) { return goes_on_past(i, a_.edges[static_cast<std::size_t>(half / 2)].curve, half % 2 != 0); };
        const auto sees = [&](std::size_t i, std::size_t c, bool over) { return sees_air(i, a_.sheets[i].cells[c], over); };
        LooseEnds ends(*index_, {goes_on, sees}, keep_);
        ends.settle();
        KeptCells out;
        out.strays = drop_strays(ends);
        out.stubs = stubs(out.strays);
        for (const auto& list : found_bores_)
            for (const KeptCells::Bore& b : list)
                if (b.area > 0 && keep_[b.wall][b.cell].kept) out.bores.push_back(b);
        out.keep = std::move(keep_), out.beyond = std::move(beyond_);
        return out;
    }

private:
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
            if (walls_[i].field.ridge ? d.dot(side) * middle_side(walls_[i], m.curve, e) < 0
                : o.field.ridge       ? d.dot(side) * middle_side(o, m.curve, e) > 0
                                      : d.dot(side) * nearest_from(o, e).dot(side) > 0)
                return true;
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
            if (!in_material(body_, w, foot.point) && !bores_.hold(i, foot.point)) continue;
            const double half = 0.5 * w.field.at(w.chart, w.chart.local2(at));
            if (std::abs(h) > half + tol_) continue;
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

    static constexpr double even = 1e-9;  // cells cut through their middle have shares of just a half, but for rounding

    // How much of a cell is what, as far as it was looked at.
    struct Shares {
        double in = 0, held = 0, bridge = 0, other = 0, looked = 0;
    };

    // Is each share over or under what is asked of it, whatever the rest of the cell is?
    static bool decided(const Shares& s, double held_share) {
        const double rest = 1 - s.looked;
        const auto known = [&](double share, double limit) { return share > limit + even || share + rest < limit - even; };
        if (!known(s.in, 0.5) || !known(s.in, empty_share) || !known(s.other, 0.5) || !known(s.held, held_share) || !known(s.held, 0.5)) return false;
        return s.held > held_share || known(s.held + s.bridge, bridging_share);
    }

    Shares shares(std::size_t i, const Cell& c, double held_share) const {
        const WallSurface& w = walls_[i];
        const bool to_the_end = open_rings_.count(i) > 0;  // whether it leaks is told by how much is beyond its sides
        auto samples = spread_inside(cell_polygons(a_, w.chart, c, chord_), 24);
        // Of many, those at a finely divided outline are small: the large ones decide.
        std::stable_sort(samples.begin(), samples.end(), [](const AreaSample& a, const AreaSample& b) { return a.area > b.area; });
        double all = std::numeric_limits<double>::min();
        for (const AreaSample& s : samples) all += s.area;
        Shares sum;
        for (const AreaSample& s : samples) {
            if (!to_the_end && decided(sum, held_share)) break;
            const double share = s.area / all;
            sum.looked += share;
            const Vec3 at = w.chart.at(s.point);
            if (!in_material(body_, w, at)) continue;
            sum.in += share;
            std::vector<std::size_t> passed;
            if (supported(body_, w, at)) (w.field.ridge && taken_over(i, w.chart.on(at)) ? sum.other : sum.held) += share;
            else if (foreign(body_, walls_, i, at, tol_)) sum.other += share;
            else if (bridges(i, at, passed)) sum.bridge += share;
        }
        for (double* d : {&sum.in, &sum.held, &sum.bridge, &sum.other}) *d /= std::max(sum.looked, std::numeric_limits<double>::min());
        return sum;
    }

    // Under the foot of a rib, and from there to the midsurface of the wall that has the bore, a wall goes on through it as it does beside it.
    void bridge_bores() {
        constexpr double between = 0.75;  // of its outline in the material, along pieces that are kept
        for (const auto& list : found_bores_) {
            std::map<int, int> of_cell;
            for (std::size_t k = 0; k < list.size(); ++k) of_cell[static_cast<int>(list[k].cell)] = static_cast<int>(k);
            const auto each_side = [&](const auto& what) {  // with what is past it: a cell, and that one's place in the list or -1
                for (std::size_t k = 0; k < list.size(); ++k)
                    for (const int half : index_->halves[list[k].wall][list[k].cell]) {
                        const int other = index_->cell({list[k].wall, half ^ 1});
                        const auto it = of_cell.find(other);
                        if (other >= 0) what(static_cast<int>(k), half, other, it == of_cell.end() ? -1 : it->second);
                    }
            };
            Groups groups(list.size());
            each_side([&](int k, int half, int, int next) {
                if (next >= 0 && index_->at[static_cast<std::size_t>(half / 2)].size() <= 2) groups.tie(k, next);
            });
            std::vector<double> outline(list.size(), 0), beside(list.size(), 0);  // of each group: in the material, and of that along what is kept
            each_side([&](int k, int half, int other, int next) {
                const std::size_t i = list[static_cast<std::size_t>(k)].wall, root = static_cast<std::size_t>(groups.root(k));
                if (next >= 0 || !cells_[i].cells[static_cast<std::size_t>(other)].inside) return;
                const double length = index_->length[static_cast<std::size_t>(half / 2)];
                outline[root] += length, beside[root] += kept_beside(i, half) ? length : 0;
            });
            for (std::size_t k = 0; k < list.size(); ++k) {
                const auto root = static_cast<std::size_t>(groups.root(static_cast<int>(k)));
                if (outline[root] > 0 && beside[root] >= between * outline[root]) keep_[list[k].wall][list[k].cell].kept = true;
            }
        }
    }

    // The void that a cell without material lies in, if it is one inside the wall.
    std::optional<KeptCells::Bore> bore_at(std::size_t i, std::size_t c) const {
        constexpr double mostly = 0.8;       // of the cell: at its rims the void may be of no depth
        constexpr std::size_t enough = 500;  // places, for its volume to a hundredth
        const WallSurface& w = walls_[i];
        if (w.wall->alone > 0 || w.field.ridge) return std::nullopt;
        const auto polygons = cell_polygons(a_, w.chart, a_.sheets[i].cells[c], chord_);
        int seen = 0, looked = 0;
        for (const AreaSample& s : spread_inside(polygons, 8)) ++looked, seen += bores_.hold(i, w.chart.at(s.point)) ? 1 : 0;
        if (2 * seen < looked) return std::nullopt;
        KeptCells::Bore out{i, c, 0, 0, false, {}, Vec3::Zero()};
        double all = 0, own = 0, through = 0;
        std::set<int> faces;
        for (const AreaSample& s : spread_inside(polygons, enough)) {
            const Vec3 at = w.chart.at(s.point);
            all += s.area;
            const auto v = bores_.at(i, at);
            through += v || bores_.hold(i, at) ? s.area : 0;
            if (!v) continue;
            own += v->own ? s.area : 0;
            out.area += s.area, out.volume += s.area * v->depth, out.place += s.area * at;
            faces.insert(v->faces.begin(), v->faces.end());
        }
        if (through < mostly * all || through <= 0) return std::nullopt;
        // A bore in another wall, that this one goes through as it goes through that.
        if (out.area < mostly * all) return KeptCells::Bore{i, c, 0, 0, false, {}, Vec3::Zero()};
        out.between_sides = own >= mostly * all;
        out.place /= out.area, out.faces.assign(faces.begin(), faces.end());
        return out;
    }

    // What is kept of a cell by itself.
    struct Decision {
        Keep keep;
        WallCells::Cell cell;
        double beyond = 0;
        std::optional<KeptCells::Bore> bore;
    };
    Decision decide(std::size_t i, std::size_t c) const {
        const WallSurface& w = walls_[i];
        const Cell& cell = a_.sheets[i].cells[c];
        const double held_share = w.wall->bend ? bend_share : supported_share;
        const Shares s = shares(i, cell, held_share);
        const bool inside = s.in > 0.5 + even, open = inside && !(s.other > 0.5 + even);
        const bool held = s.held > held_share - even;
        Decision out;
        out.keep.empty = s.in <= empty_share;
        if (out.keep.empty && !refused_[i]) out.bore = bore_at(i, c);
        out.keep.kept = (out.bore && out.bore->between_sides) || (!refused_[i] && open && (held || s.held + s.bridge > bridging_share - even));
        if (out.keep.kept) out.beyond = (s.in - s.held - s.bridge - s.other) * cell.area;
        if (out.bore) out.cell = {true, true, true, false, 1};
        else out.cell = {inside, open, held, s.held < 0.5 - even, s.held + 0.5 * s.bridge};
        return out;
    }

    void decide() {
        keep_.resize(walls_.size()), cells_.resize(walls_.size()), beyond_.assign(walls_.size(), 0);
        std::vector<CellAt> all;
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            WallCells& own = cells_[i];
            own.chart = &walls_[i].chart;
            own.thickness = own.thickest_near = walls_[i].wall->thickness, own.fixed = refused_[i];
            for (std::size_t j : walls_[i].near) own.thickest_near = std::max(own.thickest_near, walls_[j].thickest);
            for (std::size_t c = 0; c < a_.sheets[i].cells.size(); ++c) all.emplace_back(i, c);
        }
        std::vector<Decision> decided(all.size());
        parallel_for(all.size(), [&](std::size_t k) { decided[k] = decide(all[k].first, all[k].second); });
        for (std::size_t k = 0; k < all.size(); ++k) {
            const std::size_t i = all[k].first;
            keep_[i].push_back(decided[k].keep), cells_[i].cells.push_back(decided[k].cell);
            beyond_[i] += decided[k].beyond;
            if (decided[k].bore) found_bores_[i].push_back(std::move(*decided[k].bore));
        }
    }

    // Is there material past most of an edge, to its right?
    bool goes_on_past(std::size_t i, const Curve& c, bool reversed) const {
        constexpr double past = 0.25;  // thicknesses
        const WallSurface& w = walls_[i];
        const auto beyond = past_edge(w.chart, c, reversed, past * w.wall->thickness);
        return std::count_if(beyond.begin(), beyond.end(), [&](const Vec3& p) { return in_material(body_, w, p); }) >= most_past_edge;
    }

    bool kept_beside(std::size_t i, int half) const { return index_->kept({i, half ^ 1}); }

    // Has another wall than this one a cell that is kept at an edge?
    bool others_at(std::size_t i, int edge) const {
        const auto& at = index_->at[static_cast<std::size_t>(edge)];
        return std::any_of(at.begin(), at.end(), [&](const CellIndex::Side& s) { return s.wall != i && index_->kept(s); });
    }

    // Is there skin straight over or under a place of a cell, with no other wall's midsurface before it?
    bool sees_air(std::size_t i, const Cell& c, bool over) const {
        const WallSurface& w = walls_[i];
        for (const AreaSample& s : spread_inside(cell_polygons(a_, w.chart, c, chord_), 8)) {
            const Vec3 p = w.chart.at(s.point), d = w.chart.normal(p) * (over ? 1.0 : -1.0);
            const auto hit = body_.tree->shoot(p, d, 0);
            if (!hit || hit->distance > w.thickest) continue;
            const Vec3 q = p + hit->distance * d;
            if (std::none_of(w.near.begin(), w.near.end(), [&](std::size_t j) { return walls_[j].chart.height(p) * walls_[j].chart.height(q) < 0; }))
                return true;
        }
        return false;
    }

    // Where bends run into each other in a mitre, a piece of each beyond it may yet lie between its sides for the smaller part. With nothing
    // but air round it and at the mitre, it is a fin.
    void drop_fins() {
        std::vector<CellAt> fins;
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (std::size_t c = 0; walls_[i].wall->bend && c < keep_[i].size(); ++c) {
                if (!keep_[i][c].kept || !cells_[i].cells[c].slight) continue;
                bool fin = true, crossed = false;
                for (const int half : index_->halves[i][c]) {
                    const bool goes_on = kept_beside(i, half), others = others_at(i, half / 2);
                    fin = fin && goes_on == others;
                    crossed = crossed || (goes_on && others);
                }
                if (fin && crossed) fins.emplace_back(i, c);
            }
        for (const auto& [i, c] : fins) keep_[i][c].kept = false;
    }

    // Where a wall's two faces end at a crossing in different places, as beside a curved or an oblique one, a sliver between them lies
    // neither between the faces nor in the other's wall. With the sheet on both of its sides it is part of it.
    void bridge_slivers() {
        constexpr double between = 0.75;  // of its outline, along pieces that are kept
        std::vector<CellAt> slivers;
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (std::size_t c = 0; c < keep_[i].size() && !refused_[i]; ++c) {
                if (keep_[i][c].kept || !cells_[i].cells[c].open) continue;
                const double outline = index_->outline({i, c});
                double beside = 0;
                for (const int half : index_->halves[i][c]) beside += kept_beside(i, half) ? index_->length[static_cast<std::size_t>(half / 2)] : 0;
                if (outline > 0 && beside >= between * outline && index_->area({i, c}) <= 0.5 * walls_[i].wall->thickness * outline) slivers.emplace_back(i, c);
            }
        for (const auto& [i, c] : slivers) keep_[i][c].kept = true;
    }

    // Cells of a wall that hang together.
    struct Group {
        std::vector<std::size_t> cells;
        double area = 0, outline = 0, shared = 0;  // lengths: of its outline, and of that along others' sheets
        bool held = false;
    };
    std::vector<Group> kept_groups(std::size_t i) const {
        const std::size_t n = keep_[i].size();
        Groups groups(n);
        std::map<int, Group> found;
        const auto each_kept = [&](const auto& what) {
            for (std::size_t c = 0; c < n; ++c)
                if (keep_[i][c].kept)
                    for (const int half : index_->halves[i][c]) what(static_cast<int>(c), half);
        };
        each_kept([&](int c, int half) {
            if (kept_beside(i, half)) groups.tie(c, index_->cell({i, half ^ 1}));
        });
        for (std::size_t c = 0; c < n; ++c) {
            if (!keep_[i][c].kept) continue;
            Group& g = found[groups.root(static_cast<int>(c))];
            g.cells.push_back(c);
            g.area += index_->area({i, c});
            g.held = g.held || cells_[i].cells[c].held;
        }
        each_kept([&](int c, int half) {
            if (kept_beside(i, half)) return;
            Group& g = found[groups.root(c)];
            const double length = index_->length[static_cast<std::size_t>(half / 2)];
            g.outline += length;
            if (others_at(i, half / 2)) g.shared += length;
        });
        std::vector<Group> out;
        for (auto& [root, g] : found) out.push_back(std::move(g));
        return out;
    }

    // Cells that hang together but are, in all, narrower or smaller than makes sense for a wall of their thickness, or that nowhere lie
    // between the wall's own sides; but for those that others would end in the material without.
    std::vector<KeptCells::Dropped> drop_strays(LooseEnds& ends) {
        std::vector<KeptCells::Dropped> out(walls_.size());
        std::vector<std::vector<Group>> groups;
        for (std::size_t i = 0; i < walls_.size(); ++i) groups.push_back(kept_groups(i));
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (const Group& g : groups[i]) {
                const double t = walls_[i].wall->thickness;
                // What has others all round it, as the ball in a corner has, is no loose piece, however small.
                const bool between = g.shared > 0.99 * g.outline, small = g.area <= stray_size * t * t && !between;
                if (g.held && !small && 2 * g.area > stray_width * t * g.outline) continue;
                std::vector<CellAt> all;
                for (std::size_t c : g.cells) all.emplace_back(i, c);
                if (!g.held && ends.needed(all)) continue;
                for (std::size_t c : g.cells) keep_[i][c].kept = false;
                out[i].count += static_cast<int>(g.cells.size()), out[i].area += g.area;
            }
        return out;
    }

    // What else lies in the material and is not kept.
    std::vector<KeptCells::Dropped> stubs(const std::vector<KeptCells::Dropped>& strays) const {
        std::vector<KeptCells::Dropped> out(walls_.size());
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            for (std::size_t c = 0; c < keep_[i].size(); ++c)
                if (cells_[i].cells[c].inside && !keep_[i][c].kept) ++out[i].count, out[i].area += a_.sheets[i].cells[c].area;
            out[i].count -= strays[i].count, out[i].area -= strays[i].area;
        }
        return out;
    }

    const Arrangement& a_;
    const Body& body_;
    const std::vector<WallSurface>& walls_;
    const std::vector<MiddleEdge>& middles_;
    const std::vector<bool>& refused_;
    const std::set<std::size_t>& open_rings_;
    double tol_, chord_;
    std::vector<std::vector<std::size_t>> middles_of_;  // each wall
    std::vector<std::vector<Keep>> keep_;
    std::vector<WallCells> cells_;
    const Bores& bores_;
    std::vector<std::vector<KeptCells::Bore>> found_bores_;  // of each wall
    std::vector<double> beyond_;
    std::optional<CellIndex> index_;  // of all that, as it changes
};

}  // namespace

KeptCells keep_cells(const Arrangement& a, const CutWalls& cut) {
    return CellKeeper(a, cut).run();
}

}  // namespace halvo
