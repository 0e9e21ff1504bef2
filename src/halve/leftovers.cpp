#include "halve/leftovers.hpp"

#include "core/keys.hpp"
#include "halve/bulk_regions.hpp"
#include "halve/root_fillets.hpp"
#include "halve/step_slopes.hpp"
#include "halve/wall_neighbours.hpp"
#include "model/sheet_index.hpp"
#include "model/slab.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

class Leftovers {
public:
    Leftovers(Model& model, const Assembly& solids, BodyId id, const Skin& skin, const HalvedWalls& left, const HalveOptions& options)
        : model_(model),
          solids_(solids),
          id_(id),
          body_(solids.bodies[id.index()]),
          skin_(skin),
          left_(left),
          walls_(left.walls),
          options_(options),
          tol_(left.tol) {}

    std::vector<NamedFaces> run() {
        report_lost();
        report_outside();
        report_unexplained();
        return std::move(thick_);
    }

private:
    // Is a point in one of the sheets, or within its thickness beside it?
    static bool in_a_sheet(const SheetIndex& sheets, const Vec3& p) {
        const std::vector<int> near = sheets.near(p);
        return std::any_of(near.begin(), near.end(), [&](int k) {
            const Sheet& s = sheets.sheet(k);
            if (std::abs(s.chart.height(p)) > s.thickness.max) return false;
            const Vec2 q = s.chart.local2(p);
            return sheets.outline(k).inside(q) || sheets.outline(k).border_within(q, s.thickness.max);
        });
    }

    // Walls of which nothing or little is left: named, unless sheets of others stand where their sides face each other.
    void report_lost() {
        constexpr double covered = 0.7, little = 0.5;  // shares of where its sides face each other
        const SheetIndex sheets(model_, id_, 1.1);
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            if (left_.refused[i]) continue;
            double all = 0, in = 0;
            for (const FacePair& f : walls_[i].wall->pairs)
                for (const Vec3& q : f.seen) ++all, in += in_a_sheet(sheets, q) ? 1 : 0;
            if (in >= (left_.without_sheet[i] ? covered : little) * all) continue;
            const std::string of_it = left_.without_sheet[i] ? "no sheet came of it" : fmt::format("sheets came of {:.0f} % of it only", 100 * in / all);
            model_.findings.push_back({make_key("finding", "lost " + left_.keys[i], {}), FindingKind::wall_without_sheet,
                                       fmt::format("{}: a wall {:.2f} mm thick, {:.0f} mm2 of it facing, was found and {}", body_.label,
                                                   walls_[i].wall->thickness, walls_[i].wall->area, of_it),
                                       "name its two faces in a [[wall]] entry, or give it another method", walls_[i].wall->pairs[0].seen[0],
                                       walls_[i].wall->thickness, body_.label});
        }
    }

    void report_outside() {
        for (const Wall& w : left_.outside)
            model_.findings.push_back({make_key("finding", "thickness", {w.thickness, std::sqrt(w.area)}), FindingKind::wall_outside_the_thickness_range,
                                       fmt::format("{}: a wall {:.2f} mm thick ({:.0f} mm2) is outside {:.2f} to {:.2f} mm and got no sheet", body_.label,
                                                   w.thickness, w.area, options_.survey.thinnest, options_.survey.thickest),
                                       "widen survey.thinnest or survey.thickest", w.pairs[0].seen[0], w.thickness, body_.label});
    }

    // Skin that no sheet accounts for: neither a side of one nor a rim within its thickness.
    void report_unexplained() {
        std::vector<bool> paired(body_.faces.size(), false);
        std::vector<const WallSurface*> with_sheet;
        for (std::size_t i = 0; i < walls_.size(); ++i) {
            if (left_.without_sheet[i] && !left_.refused[i]) continue;  // what is behind it is a solid region, if anything
            with_sheet.push_back(&walls_[i]);
            for (const FacePair& f : walls_[i].wall->pairs) paired[static_cast<std::size_t>(f.top)] = paired[static_cast<std::size_t>(f.bottom)] = true;
        }
        std::vector<int> loose;
        for (std::size_t f = 0; f < body_.faces.size(); ++f)
            if (!paired[f] && body_.faces[f].facet_count > 0) loose.push_back(static_cast<int>(f));
        for (const RootMaterial& r : model_.roots)
            for (int f : r.faces) std::erase(loose, f);
        const std::vector<RootFillet> roots = leave_out_roots(loose);
        const SheetIndex sheets(model_, id_, 1);
        std::erase_if(loose, [&](int f) { return loose_share(body_.faces[static_cast<std::size_t>(f)], sheets) < 0.5; });
        double skin = 0;
        for (int f : loose) skin += body_.faces[static_cast<std::size_t>(f)].area;
        const LooseSkin left{loose, skin_outside_walls(paired), roots};
        // A solid region of any account may have little skin of its own: under a blind hole, that of its bottom.
        if (skin < 0.0002 * body_.mass.area && left.places.empty()) return;
        // Long ones would stiffen the walls that they run along, were they rigid.
        constexpr double long_region = 5;  // times as long as thick
        if (options_.bulk != BulkAs::named) thick_ = thick_pairs(body_, skin_, loose, options_.bulk == BulkAs::sheet ? 0 : long_region);
        if (options_.bulk == BulkAs::coupling)
            for (int f : couple_bulk_regions(model_, solids_, id_, with_sheet, left)) std::erase(loose, f);
        double area = 0, largest = 0;
        Vec3 place = body_.mass.centre;
        std::string kind;
        for (int f : loose) {
            const Face& face = body_.faces[static_cast<std::size_t>(f)];
            area += face.area;
            if (face.area > largest) largest = face.area, place = middle_of(face), kind = surface_name(face.surface);
        }
        const std::size_t count = loose.size();
        if (area < 0.002 * body_.mass.area) return;
        model_.findings.push_back({make_key("finding", "skin without a sheet", {}), FindingKind::skin_without_sheet,
                                   fmt::format("{}: {} face(s), {:.0f} mm2 ({:.1f} % of the skin) are neither a side nor a rim of a sheet; the largest is a {}",
                                               body_.label, count, area, 100 * area / body_.mass.area, kind),
                                   "solid regions, and faces at more than the draft to what they oppose, get no sheet; model them apart or widen halve.draft",
                                   place, std::sqrt(area), body_.label});
    }

    // Places on faces that are sides of walls where they no longer are: the end of a tube that a plug closes.
    std::vector<Vec3> skin_outside_walls(const std::vector<bool>& paired) const {
        std::vector<Vec3> out;
        for (std::size_t i = 0; i < skin_.probes.size(); ++i) {
            const Probe& p = skin_.probes[i];
            if (skin_.kind[i] == SkinKind::rest && paired[static_cast<std::size_t>(p.face)] && !between_sides(p.point)) out.push_back(p.point);
        }
        return out;
    }

    // Fillets and chamfers in the corners of sheets are no walls and no solid regions: their material is left out, and said to be.
    std::vector<RootFillet> leave_out_roots(std::vector<int>& unpaired) {
        RootMaterial all;
        all.body = id_;
        double deepest = 0;
        Vec3 place = Vec3::Zero();
        const std::vector<RootFillet> found = root_fillets(model_, solids_, id_, unpaired);
        for (const RootFillet& r : found) {
            all.faces.push_back(r.face), all.volume += r.volume;
            if (r.depth > deepest) deepest = r.depth, place = r.place;
        }
        if (all.faces.empty()) return found;
        std::erase_if(unpaired, [&](int f) { return std::find(all.faces.begin(), all.faces.end(), f) != all.faces.end(); });
        const double volume = all.volume;
        const std::size_t count = all.faces.size();
        model_.roots.push_back(std::move(all));
        model_.ledger.push_back({make_key("root", "", {std::cbrt(volume), (place - body_.mass.centre).norm()}), "halve", EntryKind::root_fillets,
                                 EntryState::applied,
                                 fmt::format("{}: {} fillet(s) or chamfer(s) at the roots of walls, {:.0f} mm3 ({:.2f} % of the solid), are left out",
                                             body_.label, count, volume, 100 * volume / body_.mass.volume),
                                 volume, place, body_.label});
        return found;
    }

    // Share of a face that lies in no wall, or where the wall has no sheet.
    double loose_share(const Face& face, const SheetIndex& sheets) const {
        double out = 0, all = 0;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            const double a = body_.facet_area(i);
            const Vec3 m = facet_middle(i);
            all += a, out += in_some_wall(m, in_a_sheet(sheets, m)) ? 0 : a;
        }
        return all > 0 ? out / all : 0;
    }

    Vec3 facet_middle(std::size_t i) const {
        Vec3 m = Vec3::Zero();
        for (int k : body_.facets[i].corners) m += body_.points[static_cast<std::size_t>(k)] / 3;
        return body_.on_skin(i, m).point;
    }

    Vec3 middle_of(const Face& face) const {
        Vec3 sum = Vec3::Zero();
        double all = 0;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
            all += body_.facet_area(i), sum += body_.facet_area(i) * facet_middle(i);
        return sum / std::max(all, 1e-300);
    }

    // What the plan refuses is not asked for: its walls count without a sheet.
    bool in_some_wall(const Vec3& m, bool in_sheet) const {
        for (std::size_t i = 0; i < walls_.size(); ++i)
            if ((in_sheet || left_.refused[i]) && within(walls_[i], m)) return true;
        return false;
    }

    bool within(const WallSurface& p, const Vec3& m) const {
        if (p.box.squaredExteriorDistance(m) > 3 * p.thickest * p.thickest || !widened(p.box, p.thickest).contains(m)) return false;
        const double h = p.chart.height(m);
        if (p.field.pieces.size() < 2 || p.field.ridge) return std::abs(h) <= 0.52 * p.thickest + tol_;
        return std::abs(h) <= 1.02 * p.thickest + tol_ &&
               (halvo::between_sides(p.chart, p.field, p.chart.local2(m), h, 0.05 * p.thickest, 0, 1.02) || on_slope(body_, p, p.chart.foot(m)));
    }

    // Nearer than in_some_wall: the wall's two sides must face each other there.
    bool between_sides(const Vec3& m) const {
        return std::any_of(walls_.begin(), walls_.end(), [&](const WallSurface& p) {
            return p.box.squaredExteriorDistance(m) <= p.thickest * p.thickest && std::abs(p.chart.height(m)) <= p.thickest &&
                   supported(body_, p, p.chart.foot(m));
        });
    }

    Model& model_;
    const Assembly& solids_;
    BodyId id_;
    const Body& body_;
    const Skin& skin_;
    const HalvedWalls& left_;
    const std::vector<WallSurface>& walls_;
    const HalveOptions& options_;
    double tol_;
    std::vector<NamedFaces> thick_;
};

}  // namespace

std::vector<NamedFaces> report_leftovers(Model& model, const Assembly& solids, BodyId body, const Skin& skin, const HalvedWalls& walls,
                                         const HalveOptions& options) {
    return Leftovers(model, solids, body, skin, walls, options).run();
}

}  // namespace halvo
