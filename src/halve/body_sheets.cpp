#include "halve/body_sheets.hpp"

#include "body/section.hpp"
#include "core/groups.hpp"
#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "geom/facet_tree.hpp"
#include "model/arrangement.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace halvo {
namespace {

constexpr double least_crossing = 0.05;   // sine of the flattest angle at which two midsurfaces are taken to cross
constexpr double supported_share = 0.25;  // a cell with this share between opposed faces is part of the sheet
constexpr double filled_share = 0.75;     // material filling less of a wall's thickness than this is not the wall's
constexpr double bridging_share = 0.5;    // a cell with this share leading to a seam is kept as a bridge

struct WallPlane {
    const Wall* wall = nullptr;
    Frame chart;
    std::vector<std::vector<SectionPiece>> loops;
    std::vector<std::vector<Vec2>> material;  // the section as polygons
    ThicknessField field;
    std::vector<Box2> piece_box;
    double thickest = 0;
    Box3 box;
    std::vector<std::size_t> near;    // walls that may cross this one
    std::vector<std::size_t> beside;  // walls parallel to it within their thickness
};

class BodyHalver {
public:
    BodyHalver(Model& model, const Assembly& solids, int body, const WallSearch& search, const HalveOptions& options)
        : model_(model),
          solids_(solids),
          id_(body),
          body_(solids.bodies[static_cast<std::size_t>(body)]),
          search_(search),
          options_(options),
          tol_(solids.tolerance.point) {}

    void run() {
        cut_walls();
        name_walls();
        find_neighbours();
        collect_curves();
        const Arrangement a = arrange(input_, tol_);
        decide(a);
        const Assembled done = assemble(model_, a, input_, keep_, {});
        make_sheets(done);
        report_outside();
        report_unexplained();
    }

private:
    // Normal of the chart points to the side with more skin; then away from the body's centre: neither depends on order.
    Frame oriented(const Wall& w) const {
        double up = 0, down = 0;
        for (const FacePair& p : w.pairs) {
            up += body_.faces[static_cast<std::size_t>(p.top)].area;
            down += body_.faces[static_cast<std::size_t>(p.bottom)].area;
        }
        const bool clear = std::abs(up - down) > 1e-6 * (up + down);
        const bool flip = clear ? down > up : w.chart.height(body_.mass.centre) > 0;
        if (!flip) return w.chart;
        Frame f = w.chart;
        f.z = -f.z, f.y = -f.y;
        return f;
    }

    void cut_walls() {
        planes_.resize(search_.walls.size());
        parallel_for(planes_.size(), [&](std::size_t i) {
            WallPlane& p = planes_[i];
            p.wall = &search_.walls[i];
            p.chart = oriented(*p.wall);
            const bool flipped = p.chart.z.dot(p.wall->chart.z) < 0;
            PlaneSection section = cut(body_, p.chart, tol_);
            p.material = section_polygons(section, p.chart, solids_.tolerance.chord);
            p.loops = std::move(section.loops);
            for (const auto& loop : p.loops)
                for (const SectionPiece& s : loop) p.box.extend(s.curve.box());
            for (const FacePair& f : p.wall->pairs) {
                const int top = flipped ? f.bottom : f.top, bottom = flipped ? f.top : f.bottom;
                p.field.pieces.push_back({flipped ? f.bottom_plane : f.top_plane, flipped ? f.top_plane : f.bottom_plane,
                                          face_outline(body_, FaceId(top), p.chart, solids_.tolerance.chord),
                                          face_outline(body_, FaceId(bottom), p.chart, solids_.tolerance.chord)});
                Box2 b;
                for (const auto& loop : p.field.pieces.back().top_outline)
                    for (const Vec2& q : loop) b.extend(q);
                p.piece_box.push_back(b);
                p.thickest = std::max(p.thickest, f.thickest);
            }
        });
    }

    void find_neighbours() {
        for (std::size_t i = 0; i < planes_.size(); ++i)
            for (std::size_t j = 0; j < planes_.size(); ++j) {
                if (i == j || planes_[i].box.isEmpty() || planes_[j].box.isEmpty()) continue;
                if (planes_[i].chart.z.cross(planes_[j].chart.z).norm() < least_crossing) {
                    if (std::abs(planes_[i].chart.height(planes_[j].chart.origin)) < planes_[i].thickest + planes_[j].thickest) planes_[i].beside.push_back(j);
                    continue;
                }
                Box3 b = planes_[i].box;
                b.min().array() -= planes_[j].thickest, b.max().array() += planes_[j].thickest;
                if (b.intersects(planes_[j].box)) planes_[i].near.push_back(j);
            }
    }

    int add_curve(const Curve& c) {
        input_.curves.push_back(c);
        return static_cast<int>(input_.curves.size()) - 1;
    }

    void collect_curves() {
        for (const WallPlane& p : planes_) {
            input_.sheets.push_back({p.chart, {}});
            for (const auto& loop : p.loops)
                for (const SectionPiece& s : loop) input_.sheets.back().curves.push_back(add_curve(s.curve));
        }
        for (std::size_t i = 0; i < planes_.size(); ++i) {
            add_corner_cuts(i);
            add_step_cuts(i);
            for (std::size_t j : planes_[i].near)
                if (i < j) add_crossing(i, j);
        }
    }

    // The line both midsurfaces share, as far as both sections reach.
    void add_crossing(std::size_t i, std::size_t j) {
        const WallPlane &a = planes_[i], &b = planes_[j];
        const Vec3 d = a.chart.z.cross(b.chart.z).normalized();
        // Point on both planes nearest to the middle of the first section.
        const Vec3 m = a.box.center();
        Eigen::Matrix3d rows;
        rows << a.chart.z.transpose(), b.chart.z.transpose(), d.transpose();
        const Vec3 p = rows.fullPivLu().solve(Vec3(a.chart.z.dot(a.chart.origin), b.chart.z.dot(b.chart.origin), d.dot(m)));
        double lo = -std::numeric_limits<double>::max(), hi = -lo;
        const double margin = 0.1 * std::max(a.thickest, b.thickest) + 10 * tol_;
        for (const WallPlane* w : {&a, &b})
            for (int k = 0; k < 3; ++k) {
                if (std::abs(d[k]) < 1e-9) {
                    if (p[k] < w->box.min()[k] - margin || p[k] > w->box.max()[k] + margin) return;
                    continue;
                }
                const double u = (w->box.min()[k] - margin - p[k]) / d[k], v = (w->box.max()[k] + margin - p[k]) / d[k];
                lo = std::max(lo, std::min(u, v)), hi = std::min(hi, std::max(u, v));
            }
        if (hi - lo <= 4 * tol_) return;
        const int c = add_curve(Curve::segment(p + lo * d, p + hi * d));
        input_.sheets[i].curves.push_back(c);
        input_.sheets[j].curves.push_back(c);
    }

    // Where the section turns inward, both sides are carried on through the material of the wall that is met there, so
    // that a wall lower than the one it ends at does not take a strip of it along.
    void add_corner_cuts(std::size_t i) {
        const WallPlane& p = planes_[i];
        double reach = 0;
        for (std::size_t j : p.near) reach = std::max(reach, planes_[j].thickest / p.chart.z.cross(planes_[j].chart.z).norm());
        if (reach == 0) return;
        reach = 1.05 * reach + 10 * tol_;
        for (const auto& loop : p.loops)
            for (std::size_t k = 0; k < loop.size(); ++k) {
                const Curve &in = loop[k].curve, &out = loop[(k + 1) % loop.size()].curve;
                const Vec3 din = in.derivative(in.t1).normalized(), dout = out.derivative(out.t0).normalized();
                if (p.chart.z.dot(din.cross(dout)) > -0.15) continue;
                const Vec3 at = in.end();
                for (const Vec3& d : {din, Vec3(-dout)}) input_.sheets[i].curves.push_back(add_curve(Curve::segment(at, at + reach * d)));
            }
    }

    bool supported(const WallPlane& p, const Vec2& q) const {
        for (std::size_t k = 0; k < p.field.pieces.size(); ++k)
            if (p.piece_box[k].contains(q) && inside(p.field.pieces[k].top_outline, q) && inside(p.field.pieces[k].bottom_outline, q)) return true;
        return false;
    }

    // Material at `q` that is not this wall's: it does not fill the wall's thickness, or it belongs to a parallel wall of
    // another thickness beside it.
    bool foreign(std::size_t i, const Vec2& q) const {
        const WallPlane& p = planes_[i];
        if (supported(p, q)) return false;
        const Vec3 at = p.chart.at(q);
        for (std::size_t j : p.beside) {
            const WallPlane& w = planes_[j];
            const Vec2 foot = w.chart.local2(at);
            if (std::abs(w.chart.height(at)) <= 0.5 * w.thickest + tol_ && supported(w, foot)) return true;
        }
        const auto up = body_.tree->shoot(at, p.chart.z, 0), down = body_.tree->shoot(at, -p.chart.z, 0);
        const double filled = (up ? up->distance : 0) + (down ? down->distance : 0);
        return filled < filled_share * p.field.at(p.chart, q);
    }

    // Edges of a wall's faces past which the material is another's: the sheet may be cut there.
    void add_step_cuts(std::size_t i) {
        const WallPlane& p = planes_[i];
        std::set<int> edges;
        for (const FacePair& f : p.wall->pairs)
            for (int id : {f.top, f.bottom})
                for (const auto& loop : body_.faces[static_cast<std::size_t>(id)].loops)
                    for (const Coedge& u : loop) edges.insert(u.edge.value);
        for (int e : edges) {
            const Curve& c = body_.edges[static_cast<std::size_t>(e)].curve;
            if (body_.edges[static_cast<std::size_t>(e)].degenerate || !c.is_line()) continue;
            const auto flat = [&](const Vec3& v) { return Vec3(v - p.chart.height(v) * p.chart.z); };
            const Vec3 a = flat(c.start()), b = flat(c.end());
            if ((b - a).norm() <= 10 * tol_) continue;
            const Vec3 d = (b - a).normalized(), side = p.chart.z.cross(d);
            bool needed = false;
            for (const double sign : {1.0, -1.0})
                for (const double w : {0.13, 0.5, 0.87}) {
                    const Vec2 q = p.chart.local2(a + w * (b - a) + sign * 0.05 * p.wall->thickness * side);
                    needed = needed || (inside(p.material, q) && foreign(i, q));
                }
            if (needed) input_.sheets[i].curves.push_back(add_curve(Curve::segment(a - 20 * tol_ * d, b + 20 * tol_ * d)));
        }
    }

    // Does a point off the support lead, straight across a crossing wall, back to it? That is the half of the crossing
    // wall's thickness between its skin and its midsurface; the other half leads to air and is a stub.
    bool bridges(std::size_t i, const Vec2& q, std::vector<std::size_t>& passed) const {
        const WallPlane& p = planes_[i];
        if (supported(p, q)) return true;
        if (passed.size() >= 3) return false;
        const Vec3 at = p.chart.at(q);
        for (std::size_t j : p.near) {
            if (std::find(passed.begin(), passed.end(), j) != passed.end()) continue;
            const WallPlane& w = planes_[j];
            const double h = w.chart.height(at);
            if (std::abs(h) > w.thickest) continue;
            const Vec2 foot = w.chart.local2(at);
            const double half = 0.5 * w.field.at(w.chart, foot);
            if (std::abs(h) > half + tol_ || !inside(w.material, foot)) continue;
            const Vec3 across = (w.chart.z - w.chart.z.dot(p.chart.z) * p.chart.z) * (h < 0 ? -1.0 : 1.0);
            const double sine = across.norm(), cosine = std::abs(w.chart.z.dot(p.chart.z));
            const double step = (half - std::abs(h)) / sine + 0.04 * half + 0.5 * p.thickest * cosine / sine;
            passed.push_back(j);
            const bool leads = bridges(i, p.chart.local2(at + step / sine * across), passed);
            passed.pop_back();
            if (leads) return true;
        }
        return false;
    }

    void decide(const Arrangement& a) {
        keep_.resize(planes_.size());
        stubs_.assign(planes_.size(), {0, 0.0});
        parallel_for(planes_.size(), [&](std::size_t i) {
            const WallPlane& p = planes_[i];
            for (const Cell& c : a.sheets[i].cells) {
                Keep k;
                const auto samples = spread_inside(cell_polygons(a, p.chart, c, solids_.tolerance.chord), 24);
                double in = 0, held = 0, bridge = 0, other = 0, all = 0;
                for (const AreaSample& s : samples) {
                    all += s.area;
                    if (!inside(p.material, s.point)) continue;
                    in += s.area;
                    std::vector<std::size_t> passed;
                    if (supported(p, s.point)) held += s.area;
                    else if (foreign(i, s.point)) other += s.area;
                    else if (bridges(i, s.point, passed)) bridge += s.area;
                }
                if (in > 0.5 * all) {
                    k.kept = other < 0.5 * all && (held >= supported_share * all || held + bridge >= bridging_share * all);
                    if (!k.kept) ++stubs_[i].first, stubs_[i].second += c.area;
                }
                keep_[i].push_back(k);
            }
        });
        for (std::size_t i = 0; i < planes_.size(); ++i)
            if (std::find(options_.refuse.begin(), options_.refuse.end(), wall_key(i)) != options_.refuse.end()) {
                model_.ledger.push_back({wall_key(i), "halve", "wall", EntryState::refused,
                                         fmt::format("{}: wall of {:.2f} mm", body_.name, planes_[i].wall->thickness), planes_[i].wall->area,
                                         planes_[i].wall->pairs[0].seen[0], body_.name});
                for (Keep& k : keep_[i]) k.kept = false;
            }
    }

    const std::string& wall_key(std::size_t i) const { return keys_[i]; }

    // From exact measures of the wall's faces and its place in the body; probes and order play no part.
    void name_walls() {
        KeySet keys;
        for (const WallPlane& p : planes_) {
            double top = 0, bottom = 0, spread = 0;
            int count = 0;
            for (const FacePair& f : p.wall->pairs) {
                top += body_.faces[static_cast<std::size_t>(f.top)].area;
                bottom += body_.faces[static_cast<std::size_t>(f.bottom)].area;
                for (int id : {f.top, f.bottom})
                    for (const auto& loop : body_.faces[static_cast<std::size_t>(id)].loops)
                        for (const Coedge& u : loop)
                            if (const int v = body_.edges[u.edge.index()].vertices[0]; v >= 0)
                                spread += (body_.vertices[static_cast<std::size_t>(v)] - body_.mass.centre).norm(), ++count;
            }
            keys_.push_back(keys.unique(make_key("wall", body_.key,
                                                 {std::sqrt(std::max(top, bottom)), std::sqrt(std::min(top, bottom)),
                                                  std::abs(p.chart.height(body_.mass.centre)), spread / std::max(count, 1)})));
        }
    }

    void make_sheets(const Assembled& done) {
        for (std::size_t i = 0; i < planes_.size(); ++i) {
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
                s.chart = planes_[i].chart;
                fill_field(planes_[i], s);
                fill_thickness(model_, s);
                for (const Region& r : s.regions)
                    for (auto& loop : region_polygons(model_, s.chart, r, solids_.tolerance.chord)) s.own_outline.push_back(std::move(loop));
                s.key = make_key("sheet", wall_key(i), {std::sqrt(s.area()), s.thickness.mean, (centroid(s) - body_.mass.centre).norm()});
                made.push_back(std::move(s));
            }
            std::stable_sort(made.begin(), made.end(), [](const Sheet& a, const Sheet& b) { return a.key < b.key; });
            double area = 0;
            for (Sheet& s : made) {
                area += s.area();
                model_.sheets.push_back(std::move(s));
            }
            const Wall& w = *planes_[i].wall;
            model_.ledger.push_back(
                {wall_key(i), "halve", "wall", EntryState::applied,
                 fmt::format("{}: {} face pair(s), {:.2f} to {:.2f} mm thick, halved to {:.0f} mm2", body_.name, w.pairs.size(), w.thinnest, w.thickest, area),
                 area, w.pairs[0].seen[0], body_.name});
            if (stubs_[i].first > 0)
                model_.ledger.push_back({make_key("stub", wall_key(i), {}), "halve", "stub", EntryState::applied,
                                         fmt::format("{}: {} piece(s) beyond seams dropped, {:.1f} mm2", body_.name, stubs_[i].first, stubs_[i].second),
                                         stubs_[i].second, w.pairs[0].seen[0], body_.name});
        }
    }

    void fill_field(const WallPlane& p, Sheet& s) const {
        s.field = p.field;
        const bool flipped = p.chart.z.dot(p.wall->chart.z) < 0;
        for (const FacePair& f : p.wall->pairs) {
            s.top_faces.push_back(flipped ? f.bottom : f.top);
            s.bottom_faces.push_back(flipped ? f.top : f.bottom);
        }
        // Pieces between the same two planes are one field.
        const auto same = [&](const Plane& a, const Plane& b) {
            return (a.normal - b.normal).norm() < 1e-9 && std::abs(a.height(p.chart.origin) - b.height(p.chart.origin)) < tol_;
        };
        const bool uniform = std::all_of(s.field.pieces.begin(), s.field.pieces.end(), [&](const ThicknessPiece& k) {
            return same(k.top, s.field.pieces[0].top) && same(k.bottom, s.field.pieces[0].bottom);
        });
        if (uniform) {
            s.field.pieces.resize(1);
            s.field.pieces[0].top_outline.clear(), s.field.pieces[0].bottom_outline.clear();
        }
    }

    Vec3 centroid(const Sheet& s) const {
        Vec2 sum = Vec2::Zero();
        double area = 0;
        for (const Region& r : s.regions)
            for (const AreaSample& a : spread_inside(region_polygons(model_, s.chart, r, solids_.tolerance.chord), 1)) sum += a.area * a.point, area += a.area;
        return s.chart.at(Vec2(sum / std::max(area, 1e-300)));
    }

    void report_outside() {
        for (const Wall& w : search_.outside)
            model_.findings.push_back({make_key("finding", "thickness " + body_.key, {w.thickness, std::sqrt(w.area)}), "wall outside the thickness range",
                                       fmt::format("{}: a wall {:.2f} mm thick ({:.0f} mm2) is outside {:.2f} to {:.2f} mm and got no sheet", body_.name,
                                                   w.thickness, w.area, options_.survey.thinnest, options_.survey.thickest),
                                       "widen survey.thinnest or survey.thickest", w.pairs[0].seen[0], w.thickness, body_.name});
    }

    // Skin that no sheet accounts for: neither a side of one nor a rim within its thickness.
    void report_unexplained() {
        std::vector<bool> paired(body_.faces.size(), false);
        for (const WallPlane& p : planes_)
            for (const FacePair& f : p.wall->pairs) paired[static_cast<std::size_t>(f.top)] = paired[static_cast<std::size_t>(f.bottom)] = true;
        double area = 0, largest = 0;
        int count = 0;
        Vec3 place = body_.mass.centre;
        std::string kind;
        for (std::size_t f = 0; f < body_.faces.size(); ++f) {
            const Face& face = body_.faces[f];
            if (paired[f] || face.facet_count == 0) continue;
            Vec3 middle = Vec3::Zero();
            double loose = 0, all = 0;
            for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
                Vec3 m = Vec3::Zero();
                for (int k : body_.facets[i].corners) m += body_.points[static_cast<std::size_t>(k)] / 3;
                const double a = body_.facet_area(i);
                all += a, middle += a * m;
                if (!in_some_wall(m)) loose += a;
            }
            if (loose < 0.5 * all) continue;
            ++count, area += face.area;
            if (face.area > largest) largest = face.area, place = middle / all, kind = surface_name(face.surface);
        }
        if (area < 0.002 * body_.mass.area) return;
        model_.findings.push_back({make_key("finding", "skin without a sheet " + body_.key, {}), "skin without a sheet",
                                   fmt::format("{}: {} face(s), {:.0f} mm2 ({:.1f} % of the skin) are neither a side nor a rim of a sheet; the largest is a {}",
                                               body_.name, count, area, 100 * area / body_.mass.area, kind),
                                   "curved walls and solid regions are not idealized yet; model them apart", place, std::sqrt(area), body_.name});
    }

    bool in_some_wall(const Vec3& m) const {
        return std::any_of(planes_.begin(), planes_.end(), [&](const WallPlane& p) {
            const double slack = 0.02 * p.thickest + tol_;
            Box3 b = p.box;
            b.min().array() -= p.thickest, b.max().array() += p.thickest;
            return b.contains(m) && std::any_of(p.field.pieces.begin(), p.field.pieces.end(),
                                                [&](const ThicknessPiece& k) { return k.top.height(m) < slack && k.bottom.height(m) < slack; });
        });
    }

    Model& model_;
    const Assembly& solids_;
    int id_;
    const Body& body_;
    const WallSearch& search_;
    const HalveOptions& options_;
    double tol_;
    std::vector<WallPlane> planes_;
    std::vector<std::string> keys_;
    ArrangementInput input_;
    std::vector<std::vector<Keep>> keep_;
    std::vector<std::pair<int, double>> stubs_;
};

}  // namespace

void halve_into_sheets(Model& model, const Assembly& solids, int body, const WallSearch& search, const HalveOptions& options) {
    BodyHalver(model, solids, body, search, options).run();
}

}  // namespace halvo
