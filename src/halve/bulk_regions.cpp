#include "halve/bulk_regions.hpp"

#include "core/groups.hpp"
#include "core/index.hpp"
#include "core/keys.hpp"
#include "geom/dense.hpp"
#include "geom/facet_tree.hpp"
#include "geom/outline.hpp"
#include "geom/spread.hpp"
#include "halve/bulk_grid.hpp"
#include "model/sheet_index.hpp"
#include "model/slab.hpp"
#include "model/volumes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <set>

namespace halvo {
namespace {

constexpr int most_steps = 36, least_steps = 16;  // of a grid along its longest side: where there are many regions, less
constexpr double least_share = 0.002;             // of the body's volume, for a region of its own
constexpr double sheet_reach = 2;                 // thicknesses that the sides of a sheet may be off it
constexpr double sure = 0.05;                     // by which the volume on a grid may be off
constexpr std::size_t most_points = 6;            // of a sheet beside a region, that hold it

// Corners of a face's facets.
std::vector<Vec3> corners_of(const Body& body, int face) {
    const Face& f = body.faces[ix(face)];
    std::vector<Vec3> out;
    for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
        for (int c : body.facets[i].corners) out.push_back(body.points[ix(c)]);
    return out;
}

// Which way a box round some faces stands: square to the largest plane one, or along what turns about one axis.
Vec3 upright(const Body& body, const std::vector<int>& faces) {
    double largest = 0;
    Vec3 out = Vec3::UnitZ();
    Eigen::Matrix3d ways = Eigen::Matrix3d::Zero();
    for (int f : faces) {
        const Face& face = body.faces[ix(f)];
        if (const auto* plane = std::get_if<PlaneSurface>(&face.surface); plane && face.area > largest * (1 + 1e-9)) largest = face.area, out = plane->frame.z;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            const Vec3 n = body.facet_normal(i);
            ways += body.facet_area(i) * n * n.transpose();
        }
    }
    if (largest > 0 || faces.empty()) return out;
    return principal_axes(ways).vectors.col(0);
}

// Where solid regions may be.
struct Place {
    std::vector<int> faces;    // loose
    std::vector<Vec3> points;  // of them, and others of loose skin
    OrientedBox box;
    std::optional<BulkGrid> grid;  // over the box as it is
};

void set_box(const Body& body, double beside, Place& p) {
    p.box = box_round(p.points, upright(body, p.faces));
    p.box.half.array() += beside;
    p.grid.reset();
}

// Those that overlap are one.
void unite(const Body& body, double beside, std::vector<Place>& all) {
    for (bool again = true; again;) {
        Groups groups(all.size());
        for (std::size_t i = 0; i < all.size(); ++i)
            for (std::size_t j = i + 1; j < all.size(); ++j)
                if (intersect(all[i].box, all[j].box)) groups.tie(static_cast<int>(i), static_cast<int>(j));
        std::map<int, std::vector<std::size_t>> united;
        for (std::size_t i = 0; i < all.size(); ++i) united[groups.root(static_cast<int>(i))].push_back(i);
        again = united.size() < all.size();
        std::vector<Place> out;
        for (const auto& [root, members] : united) {
            Place one = std::move(all[members[0]]);
            for (std::size_t k = 1; k < members.size(); ++k) {
                const Place& p = all[members[k]];
                one.faces.insert(one.faces.end(), p.faces.begin(), p.faces.end());
                one.points.insert(one.points.end(), p.points.begin(), p.points.end());
            }
            if (members.size() > 1) set_box(body, beside, one);
            out.push_back(std::move(one));
        }
        all = std::move(out);
    }
}

// Round loose faces and other loose skin.
std::vector<Place> places(const Body& body, const LooseSkin& loose, double beside) {
    std::vector<Place> out;
    for (int f : loose.faces) out.push_back({{f}, corners_of(body, f), {}, {}});
    std::map<std::array<long long, 3>, std::vector<Vec3>> seeds;  // those so near that their boxes overlap are one at once
    for (const Vec3& p : loose.places) seeds[{std::llround(p.x() / beside), std::llround(p.y() / beside), std::llround(p.z() / beside)}].push_back(p);
    for (auto& [cell, points] : seeds) out.push_back({{}, std::move(points), {}, {}});
    std::erase_if(out, [](const Place& p) { return p.points.empty(); });
    for (Place& p : out) set_box(body, beside, p);
    unite(body, beside, out);
    return out;
}

// The corners on one side of a box (0 and 1 the low and high one along x, and so on) of what it was set round.
std::array<Vec3, 4> side_corners(OrientedBox box, double beside, int side) {
    const int axis = side / 2, u = (axis + 1) % 3, v = (axis + 2) % 3;
    Vec3 p;
    p[axis] = (side % 2 == 0 ? -1 : 1) * box.half[axis];
    box.half.array() -= beside;
    std::array<Vec3, 4> out;
    for (int k = 0; k < 4; ++k) {
        p[u] = (k % 2 == 0 ? -1 : 1) * box.half[u], p[v] = (k / 2 == 0 ? -1 : 1) * box.half[v];
        out[ix(k)] = box.frame.at(p.x(), p.y(), p.z());
    }
    return out;
}

class Regions {
public:
    Regions(Model& model, const Assembly& solids, BodyId id, const std::vector<const WallSurface*>& walls, const LooseSkin& loose)
        : model_(model),
          body_(solids.bodies[id.index()]),
          id_(id),
          walls_(walls),
          loose_(loose),
          sheets_(model, id, sheet_reach),
          tol_(solids.tolerance.point) {}

    std::vector<int> run() {
        for (const WallSurface* w : walls_) thickest_ = std::max(thickest_, w->thickest);
        std::vector<Place> where = places(body_, loose_, thickest_);
        if (where.empty() || walls_.empty()) return {};
        lay_grids(where);
        const double least = least_share * body_.mass.volume;
        std::vector<Found> found;
        double all = 0;
        for (Place& p : where) {
            const BulkSpace space = space_at(p.box);
            for (int c = 0; c < p.grid->clusters(); ++c) {
                const double volume = p.grid->volume(c, space);
                if (volume < 0.5 * least || is_root(*p.grid, c, volume)) continue;
                found.push_back({&*p.grid, c, volume, {}, {}});
                all += volume;
            }
        }
        unite_over_necks(found);
        // What the sheets leave of the body is exact, but says nothing where they are wrong.
        const double left = body_.mass.volume - in_sheets() - in_roots(), scale = std::abs(left - all) <= sure * all ? left / all : 1;
        std::erase_if(found, [&](const Found& f) { return f.volume * scale < least; });
        for (Found& f : found) {
            f.coupling.body = id_, f.coupling.volume = f.volume * scale;
            for (int face : loose_.faces)
                if (face_beside(*f.grid, f.cluster, face)) f.coupling.faces.push_back(face);
            f.ending = edges_at(*f.grid, f.cluster, f.coupling);
        }
        take_buried_edges(found);
        std::vector<int> taken;
        for (Found& f : found) couple(f, taken);
        return taken;
    }

private:
    struct Found {
        BulkGrid* grid;
        int cluster;
        double volume;
        std::set<std::size_t> ending;  // sheets that end at it
        Coupling coupling;
    };

    // Parts of one region that hang together by less than a cell, as the sides of a trough by its bottom: one loose face runs on along them.
    void unite_over_necks(std::vector<Found>& found) const {
        std::vector<std::set<int>> faces(found.size());
        for (std::size_t i = 0; i < found.size(); ++i)
            for (int f : loose_.faces)
                if (face_beside(*found[i].grid, found[i].cluster, f)) faces[i].insert(f);
        for (std::size_t i = 0; i < found.size(); ++i)
            for (std::size_t j = i + 1; j < found.size();) {
                const bool one = found[i].grid == found[j].grid && std::any_of(faces[j].begin(), faces[j].end(), [&](int f) { return faces[i].count(f) > 0; });
                if (!one) {
                    ++j;
                    continue;
                }
                found[i].grid->unite(found[i].cluster, found[j].cluster);
                found[i].volume += found[j].volume;
                faces[i].insert(faces[j].begin(), faces[j].end());
                found.erase(found.begin() + static_cast<std::ptrdiff_t>(j)), faces.erase(faces.begin() + static_cast<std::ptrdiff_t>(j));
                j = i + 1;  // what came before may hang on the one that has just joined
            }
    }

    // Edges of one sheet that end in the material, with no sheet there: what is beyond is of the region nearest to them.
    void take_buried_edges(std::vector<Found>& found) {
        if (found.empty()) return;
        constexpr double most_off = 3;  // cells
        std::set<std::size_t> taken;
        for (const Found& f : found)
            for (EdgeId e : f.coupling.edges) taken.insert(e.index());
        const auto uses = sheets_at_edges(model_);
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            if (uses[e].size() != 1 || uses[e][0].sides != 1 || taken.count(e)) continue;
            const std::vector<Vec3> beyond = past_buried_edge(e, model_.sheets[uses[e][0].sheet.index()]);
            if (beyond.empty()) continue;
            Found* best = nullptr;
            double nearest = most_off;
            for (Found& f : found) {
                double cells = 0;
                for (const Vec3& p : beyond) cells = std::max(cells, f.grid->cells_off(f.cluster, p));
                if (cells < nearest) nearest = cells, best = &f;
            }
            if (best) best->coupling.edges.push_back(EdgeId(e)), best->ending.insert(uses[e][0].sheet.index());
        }
    }

    // Places beyond an edge, if all along it there is material that no sheet stands for.
    std::vector<Vec3> past_buried_edge(std::size_t e, const Sheet& s) const {
        std::vector<Vec3> out;
        const Curve& k = model_.edges[e].curve;
        for (const double share : looks) {
            const double t = k.parameter_at(share);
            const Vec3 p = k.point(t), side = s.chart.normal(p).cross(k.derivative(t)).normalized();
            const std::size_t before = out.size();
            for (const double way : {0.6, -0.6}) {
                const Vec3 q = p + way * s.thickness.max * side;
                if (body_.tree->encloses(q) && !in_sheet(q, 0.5, false)) out.push_back(q);
            }
            if (out.size() == before) return {};
        }
        return out;
    }

    // A grid over each place. Where a region runs on beyond its place's box, that is widened, and may then be one with others.
    void lay_grids(std::vector<Place>& where) const {
        constexpr int most_rounds = 12;
        const double share = std::cbrt(static_cast<double>(where.size()));
        const int steps = std::clamp(static_cast<int>(most_steps / share), least_steps, most_steps);
        for (int round = 0;; ++round) {
            bool wider = false;
            for (Place& p : where) {
                if (p.grid) continue;
                p.grid.emplace(p.box, steps, space_at(p.box));
                wider = (round < most_rounds && widen(p)) || wider;
            }
            if (!wider) return;
            unite(body_, thickest_, where);
        }
    }

    // Only from faces of its own that a region has: fillets run on beyond any box too. So do corners between walls, which no sheet's thickness
    // reaches, and which are no wider than half a thickness.
    bool widen(Place& p) const {
        if (p.faces.empty()) return false;
        const double least = thickest_ * thickest_;
        const std::size_t before = p.points.size();
        for (int side = 0; side < 6; ++side)
            for (int c = 0; c < p.grid->clusters(); ++c) {
                if (p.grid->area_at(c, side) <= least) continue;
                const auto corners = side_corners(p.box, thickest_, side);
                p.points.insert(p.points.end(), corners.begin(), corners.end());
                break;
            }
        if (p.points.size() == before) return false;
        set_box(body_, thickest_, p);
        return true;
    }

    double in_roots() const {
        double sum = 0;
        for (const RootFillet& r : loose_.roots) sum += r.volume;
        for (const RootMaterial& r : model_.roots) sum += std::min(0.0, r.volume);  // voids in walls
        return sum;
    }

    double in_sheets() const {
        double sum = -doubled_at_seams(model_, id_.index() + 1)[id_.index()];
        for (const Sheet& s : model_.sheets)
            if (s.body == id_) sum += wall_depth(model_, s) * s.own_area();
        return sum;
    }

    // Nothing but the fillets and chamfers that are left out there?
    bool is_root(const BulkGrid& grid, int cluster, double volume) const {
        double roots = 0;
        for (const RootFillet& r : loose_.roots)
            if (face_beside(grid, cluster, r.face)) roots += r.volume;
        return roots > 0.5 * volume;
    }

    BulkSpace space_at(const OrientedBox& box) const {
        std::vector<const WallSurface*> walls;
        for (const WallSurface* w : walls_)
            if (w->box.squaredExteriorDistance(box.frame.origin) <= std::pow(box.half.norm() + w->thickest, 2)) walls.push_back(w);
        constexpr double generous = 0.55, exact = 0.5;  // of the thickness, to either side
        const auto in_wall = [this, walls](const Vec3& p, double share) {
            return std::any_of(walls.begin(), walls.end(), [&](const WallSurface* w) {
                if (w->box.squaredExteriorDistance(p) > w->thickest * w->thickest || std::abs(w->chart.height(p)) > share * w->thickest + tol_) return false;
                return supported(body_, *w, w->chart.foot(p));
            });
        };
        return {[this](const Vec3& p) { return body_.tree->encloses(p); },
                [=, this](const Vec3& p) { return in_sheet(p, generous, true) || in_wall(p, generous); },
                [=, this](const Vec3& p) { return in_sheet(p, exact, false) || in_wall(p, exact); }};
    }

    // Over the foot of a rib or a fillet a sheet runs on where its wall has no skin of its own.
    bool in_sheet(const Vec3& p, double share, bool with_skin) const {
        const std::vector<int> near = sheets_.near(p);
        return std::any_of(near.begin(), near.end(), [&](int k) {
            const Sheet& s = sheets_.sheet(k);
            if (std::abs(s.chart.height(p)) > sheet_reach * s.thickness.max) return false;
            const Vec2 at = s.chart.local2(p);
            return sheets_.outline(k).inside(at) && between_sides(s.chart, s.field, at, s.chart.height(p), 0, tol_, 2 * share) &&
                   (!with_skin || has_skin(s, p));
        });
    }

    // Has the sheet the skin of its wall on one side at least? In a pin through it, it has none.
    bool has_skin(const Sheet& s, const Vec3& p) const {
        const SkinPoint on = s.chart.on(p);
        const auto sides = s.field.sides(s.chart, s.chart.local2(p));
        const auto up = body_.tree->shoot(on.point, on.normal, 0), down = body_.tree->shoot(on.point, -on.normal, 0);
        return (up && up->distance <= 1.2 * sides.up + tol_) || (down && down->distance <= 1.2 * sides.down + tol_);
    }

    void couple(Found& found, std::vector<int>& taken) {
        Coupling& c = found.coupling;
        const double volume = c.volume;
        const Vec3 centre = found.grid->centre(found.cluster);
        points_at(*found.grid, found.cluster, found.ending, c);
        if (c.edges.empty() && c.vertices.empty()) return;
        c.centre = VertexId(model_.vertices.size());
        model_.vertices.push_back({centre});
        c.key = make_key("bulk", "", {std::cbrt(volume), (centre - body_.mass.centre).norm()});
        model_.ledger.push_back({c.key, "halve", EntryKind::bulk_region, EntryState::applied,
                                 fmt::format("{}: a solid region of {:.0f} mm3 is rigid, with its mass at its centre, coupled to {} edge(s) and {} point(s)",
                                             body_.label, volume, c.edges.size(), c.vertices.size()),
                                 volume, centre, body_.label});
        taken.insert(taken.end(), c.faces.begin(), c.faces.end());
        model_.couplings.push_back(std::move(c));
    }

    bool face_beside(const BulkGrid& grid, int cluster, int f) const {
        const Face& face = body_.faces[ix(f)];
        double in = 0, all = 0;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            Vec3 m = Vec3::Zero();
            for (int c : body_.facets[i].corners) m += body_.points[ix(c)] / 3;
            const double a = body_.facet_area(i);
            const Vec3 n = body_.facet_normal(i);
            all += a, in += grid.beside(cluster, m - 0.6 * grid.pitch(n) * n) ? a : 0;
        }
        return in > 0.3 * all;
    }

    // Edges of one sheet only, with the region across them, and seams that run inside it. Returns their sheets, and those that such seams end on.
    std::set<std::size_t> edges_at(const BulkGrid& grid, int cluster, Coupling& c) const {
        std::set<std::size_t> sheets;
        std::set<VertexId> inside;  // ends of such seams
        const auto uses = sheets_at_edges(model_);
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            const bool seam = uses[e].size() > 1;
            if (uses[e].empty() || (!seam && uses[e][0].sides != 1)) continue;
            const Sheet& s = model_.sheets[uses[e][0].sheet.index()];
            const Curve& k = model_.edges[e].curve;
            const bool all = std::all_of(std::begin(looks), std::end(looks), [&](double share) {
                const double t = k.parameter_at(share);
                const Vec3 p = k.point(t);
                if (seam) return grid.beside(cluster, p);
                const Vec3 side = s.chart.normal(p).cross(k.derivative(t)).normalized();
                const double off = std::max(0.6 * grid.pitch(side), 0.6 * s.thickness.max);
                return grid.beside(cluster, p + off * side) || grid.beside(cluster, p - off * side);
            });
            if (!all) continue;
            c.edges.push_back(EdgeId(e));
            for (const SheetAtEdge& u : uses[e]) sheets.insert(u.sheet.index());
            if (seam) inside.insert(model_.edges[e].vertices[0]), inside.insert(model_.edges[e].vertices[1]);
        }
        for (std::size_t e = 0; e < model_.edges.size() && !inside.empty(); ++e)
            if (inside.count(model_.edges[e].vertices[0]) || inside.count(model_.edges[e].vertices[1]))
                for (const SheetAtEdge& u : uses[e]) sheets.insert(u.sheet.index());
        return sheets;
    }
    static constexpr std::array<double, 4> looks{0.1, 0.37, 0.63, 0.9};  // shares of an edge's length

    // Places, far from each other, on those sheets beside the region that do not end at it.
    void points_at(const BulkGrid& grid, int cluster, const std::set<std::size_t>& ending, Coupling& c) {
        const std::vector<Vec3> cells = grid.points(cluster);
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            if (model_.sheets[s].body != id_ || ending.count(s)) continue;
            Sheet& sheet = model_.sheets[s];
            std::vector<Vec3> feet;
            for (const Vec3& p : cells) {
                const SkinPoint on = sheet.chart.on(p);
                if ((p - on.point).norm() > 0.55 * sheet.thickness.max + 1.2 * grid.pitch(on.normal)) continue;
                if (inside(sheet.own_outline, sheet.chart.local2(on.point))) feet.push_back(on.point);
            }
            // Clear of the sheet's border, where there are such.
            std::vector<Vec3> clear;
            for (const Vec3& p : feet)
                if (border_distance(sheet.own_outline, sheet.chart.local2(p)) > 1.5 * sheet.thickness.max) clear.push_back(p);
            for (const Vec3& p : far_apart(clear.empty() ? feet : clear, most_points)) {
                c.vertices.push_back(VertexId(model_.vertices.size()));
                model_.vertices.push_back({p});
                sheet.regions[0].points.push_back(c.vertices.back());
            }
        }
    }

    Model& model_;
    const Body& body_;
    BodyId id_;
    const std::vector<const WallSurface*>& walls_;
    const LooseSkin& loose_;
    SheetIndex sheets_;
    double tol_, thickest_ = 0;
};

}  // namespace

namespace {

// What may be a thick sheet's two sides, if it is as long as that against its other measures.
class ThickPairs {
public:
    ThickPairs(const Body& body, const Skin& skin, double least_long) : body_(body), skin_(skin), least_long_(least_long) {}

    // The pair of a region that is largest for its thickness.
    std::optional<NamedFaces> of_region(const std::set<int>& faces) const {
        const SkinPair* best = nullptr;
        for (const SkinPair& p : skin_.pairs)
            if (faces.count(p.a) + faces.count(p.b) > 0 && may_be(p) && (!best || worth(p) > worth(*best) * (1 + 1e-9))) best = &p;
        if (!best || !is_long({faces.begin(), faces.end()}, best->mean)) return std::nullopt;
        return NamedFaces{best->a, best->b, 0, 0, false, true};
    }

    // Of many bars with a face in common, as the cross bars of a grating have with its bearing bars: each pair that is long itself.
    std::vector<NamedFaces> of_bars(const std::set<int>& faces) const {
        std::vector<const SkinPair*> pairs;
        for (const SkinPair& p : skin_.pairs)
            if (faces.count(p.a) > 0 && faces.count(p.b) > 0 && may_be(p) && is_long({p.a, p.b}, p.mean)) pairs.push_back(&p);
        std::stable_sort(pairs.begin(), pairs.end(), [](const SkinPair* a, const SkinPair* b) { return worth(*a) > worth(*b) * (1 + 1e-9); });
        std::vector<NamedFaces> out;
        std::set<int> used;
        for (const SkinPair* p : pairs) {
            if (used.count(p->a) + used.count(p->b) > 0) continue;
            out.push_back({p->a, p->b, 0, 0, false, true});
            used.insert({p->a, p->b});
            // What lies between both sides is a rim of theirs.
            for (const auto& l : skin_.neighbours.of[ix(p->a)])
                for (const auto& k : skin_.neighbours.of[ix(p->b)])
                    if (l.other == k.other && faces.count(l.other) > 0) used.insert(l.other);
        }
        return out;
    }

private:
    static bool may_be(const SkinPair& p) { return !p.wall && p.a != p.b && p.mean > 0; }
    static double worth(const SkinPair& p) { return p.area / (p.mean * p.mean); }

    [[nodiscard]] bool is_long(const std::vector<int>& faces, double thickness) const {
        std::vector<Vec3> points;
        for (int f : faces) {
            const auto corners = corners_of(body_, f);
            points.insert(points.end(), corners.begin(), corners.end());
        }
        Vec3 size = 2 * box_round(points, upright(body_, faces)).half;
        std::sort(size.begin(), size.end());
        return size[2] >= least_long_ * std::max(size[1], thickness);
    }

    const Body& body_;
    const Skin& skin_;
    double least_long_;
};

}  // namespace

std::vector<NamedFaces> thick_pairs(const Body& body, const Skin& skin, const std::vector<int>& loose_faces, double least_long) {
    const std::set<int> loose(loose_faces.begin(), loose_faces.end());
    const ThickPairs pairs(body, skin, least_long);
    std::vector<NamedFaces> out;
    std::set<int> seen;
    for (int f : loose) {
        if (!seen.insert(f).second) continue;
        // Faces of one region hang together over edges.
        std::vector<int> queue{f};
        for (std::size_t k = 0; k < queue.size(); ++k)
            for (const auto& link : skin.neighbours.of[ix(queue[k])])
                if (loose.count(link.other) && seen.insert(link.other).second) queue.push_back(link.other);
        const std::set<int> region(queue.begin(), queue.end());
        if (const auto whole = pairs.of_region(region)) {
            out.push_back(*whole);
        } else {
            const auto bars = pairs.of_bars(region);
            out.insert(out.end(), bars.begin(), bars.end());
        }
    }
    return out;
}

std::vector<int> couple_bulk_regions(Model& model, const Assembly& solids, BodyId body, const std::vector<const WallSurface*>& walls, const LooseSkin& loose) {
    return Regions(model, solids, body, walls, loose).run();
}

}  // namespace halvo
