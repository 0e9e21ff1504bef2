#include "halve/bulk_regions.hpp"

#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "geom/facet_tree.hpp"
#include "geom/outline.hpp"
#include "geom/spread.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr int most_steps = 36, least_steps = 16;  // of a grid along its longest side: where there are many regions, less
constexpr double least_share = 0.002;             // of the body's volume, for a region of its own
constexpr std::size_t most_points = 6;

std::size_t ix(int i) {
    return static_cast<std::size_t>(i);
}

class Regions {
public:
    Regions(Model& model, const Assembly& solids, int id, const std::vector<WallSurface>& walls, const LooseSkin& loose)
        : model_(model), body_(solids.bodies[ix(id)]), id_(id), walls_(walls), loose_(loose), tol_(solids.tolerance.point) {}

    std::vector<int> run() {
        const std::vector<Box3> boxes = places();
        if (boxes.empty() || walls_.empty()) return {};
        const double share = std::cbrt(static_cast<double>(boxes.size()));
        const int steps = std::clamp(static_cast<int>(most_steps / share), least_steps, most_steps);
        const double least = least_share * body_.mass.volume;
        double sheets = 0, cells = 0;
        for (const Sheet& s : model_.sheets)
            if (s.body == id_) sheets += s.thickness.mean * s.own_area();
        struct Found {
            std::size_t box;
            int cluster;
            double volume;
        };
        std::vector<Found> found;
        for (std::size_t k = 0; k < boxes.size(); ++k) {
            fill_grid(boxes[k], steps);
            std::vector<double> volume(ix(clusters()), 0.0);
            for (int c : cluster_)
                if (c >= 0) volume[ix(c)] += std::pow(pitch_, 3);
            for (std::size_t c = 0; c < volume.size(); ++c) {
                if (volume[c] < 0.5 * least || is_root(static_cast<int>(c), volume[c])) continue;
                found.push_back({k, static_cast<int>(c), volume[c]});
                cells += volume[c];
            }
        }
        double solid = body_.mass.volume - sheets;
        for (const RootFillet& r : loose_.roots) solid -= r.volume;
        const double scale = cells > 0 && solid > 0.5 * cells && solid < 2 * cells ? solid / cells : 1;
        std::vector<int> taken;
        std::size_t current = boxes.size() - 1;
        for (const Found& f : found) {
            if (f.volume * scale < least) continue;
            if (f.box != current) fill_grid(boxes[f.box], steps), clusters(), current = f.box;
            couple(f.cluster, f.volume * scale, taken);
        }
        return taken;
    }

private:
    // Nothing but the fillets and chamfers that are left out there?
    bool is_root(int cluster, double volume) const {
        double roots = 0;
        for (const RootFillet& r : loose_.roots)
            if (face_beside(cluster, r.face)) roots += r.volume;
        return roots > 0.5 * volume;
    }

    // Where solid regions may be: round loose faces and seeds, those that overlap as one.
    std::vector<Box3> places() const {
        std::vector<Box3> out;
        double beside = 0;
        for (const WallSurface& w : walls_) beside = std::max(beside, w.thickest);
        for (int f : loose_.faces) {
            const Face& face = body_.faces[ix(f)];
            Box3 box;
            for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
                for (int c : body_.facets[i].corners) box.extend(body_.points[ix(c)]);
            if (!box.isEmpty()) out.push_back(box);
        }
        for (const Vec3& p : loose_.places) out.push_back(Box3(p, p));
        for (Box3& b : out) b.min().array() -= beside, b.max().array() += beside;
        for (bool again = true; again;) {
            again = false;
            for (std::size_t i = 0; i < out.size(); ++i)
                for (std::size_t j = out.size(); j-- > i + 1;)
                    if (out[i].intersects(out[j])) out[i].extend(out[j]), out.erase(out.begin() + static_cast<std::ptrdiff_t>(j)), again = true;
        }
        return out;
    }

    // The box has the thickness of the walls beside the region round it: there their sheets end.
    void fill_grid(const Box3& box, int steps) {
        pitch_ = box.sizes().maxCoeff() / steps;
        near_walls_.clear(), near_sheets_.clear();
        for (const WallSurface& w : walls_)
            if (w.box.squaredExteriorDistance(box.center()) <= std::pow(0.5 * box.sizes().norm() + w.thickest, 2)) near_walls_.push_back(&w);
        for (const Sheet& s : model_.sheets)
            if (s.body == id_) near_sheets_.push_back(&s);
        // Off the box's own sides, where skin lies.
        origin_ = box.min() - Vec3(0.513, 0.491, 0.507) * pitch_;
        for (int k = 0; k < 3; ++k) n_[ix(k)] = static_cast<int>(std::ceil(box.sizes()[k] / pitch_)) + 2;
        cluster_.assign(ix(n_[0] * n_[1] * n_[2]), -1);
        parallel_for(cluster_.size(), [&](std::size_t i) {
            const Vec3 p = at(static_cast<int>(i));
            if (body_.tree->encloses(p) && !in_wall(p)) cluster_[i] = free_cell;
        });
    }

    bool in_wall(const Vec3& p) const {
        // Over the foot of a rib or a fillet a sheet runs on where its wall has no skin of its own.
        for (const Sheet* s : near_sheets_)
            if (std::abs(s->chart.height(p)) <= 0.55 * s->thickness.max + tol_ && inside(s->own_outline, s->chart.local2(p)) && has_skin(*s, p)) return true;
        return std::any_of(near_walls_.begin(), near_walls_.end(), [&](const WallSurface* at) {
            const WallSurface& w = *at;
            if (w.box.squaredExteriorDistance(p) > w.thickest * w.thickest || std::abs(w.chart.height(p)) > 0.55 * w.thickest + tol_) return false;
            return supported(body_, w, w.chart.foot(p));
        });
    }

    // Has the sheet the skin of its wall on one side at least? In a pin through it, it has none.
    bool has_skin(const Sheet& s, const Vec3& p) const {
        const SkinPoint on = s.chart.on(p);
        const double near = 0.6 * s.thickness.max + tol_;
        const auto up = body_.tree->shoot(on.point, on.normal, 0), down = body_.tree->shoot(on.point, -on.normal, 0);
        return (up && up->distance <= near) || (down && down->distance <= near);
    }

    Vec3 at(int cell) const { return origin_ + pitch_ * Vec3(cell % n_[0], cell / n_[0] % n_[1], cell / (n_[0] * n_[1])); }

    int cell_of(const Vec3& p) const {
        int k[3];
        for (int d = 0; d < 3; ++d) {
            k[d] = static_cast<int>(std::lround((p[d] - origin_[d]) / pitch_));
            if (k[d] < 0 || k[d] >= n_[ix(d)]) return -1;
        }
        return k[0] + n_[0] * (k[1] + n_[1] * k[2]);
    }

    int clusters() {
        int count = 0;
        for (std::size_t i = 0; i < cluster_.size(); ++i) {
            if (cluster_[i] != free_cell) continue;
            std::vector<int> queue{static_cast<int>(i)};
            cluster_[i] = count;
            for (std::size_t k = 0; k < queue.size(); ++k)
                for (int near : around(queue[k]))
                    if (cluster_[ix(near)] == free_cell) cluster_[ix(near)] = count, queue.push_back(near);
            ++count;
        }
        return count;
    }

    std::vector<int> around(int cell) const {
        std::vector<int> out;
        const int x = cell % n_[0], y = cell / n_[0] % n_[1], z = cell / (n_[0] * n_[1]);
        if (x > 0) out.push_back(cell - 1);
        if (x + 1 < n_[0]) out.push_back(cell + 1);
        if (y > 0) out.push_back(cell - n_[0]);
        if (y + 1 < n_[1]) out.push_back(cell + n_[0]);
        if (z > 0) out.push_back(cell - n_[0] * n_[1]);
        if (z + 1 < n_[2]) out.push_back(cell + n_[0] * n_[1]);
        return out;
    }

    // Is a point, or the next cell to it, of the cluster?
    bool beside(int cluster, const Vec3& p) const {
        const int cell = cell_of(p);
        if (cell < 0) return false;
        if (cluster_[ix(cell)] == cluster) return true;
        const auto near = around(cell);
        return std::any_of(near.begin(), near.end(), [&](int c) { return cluster_[ix(c)] == cluster; });
    }

    void couple(int cluster, double volume, std::vector<int>& taken) {
        Coupling c;
        c.body = id_, c.volume = volume;
        Vec3 centre = Vec3::Zero();
        int cells = 0;
        for (std::size_t i = 0; i < cluster_.size(); ++i)
            if (cluster_[i] == cluster) centre += at(static_cast<int>(i)), ++cells;
        centre /= cells;
        for (int f : loose_.faces)
            if (face_beside(cluster, f)) c.faces.push_back(f);
        points_at(cluster, edges_at(cluster, c), c);
        if (c.edges.empty() && c.vertices.empty()) return;
        c.centre = VertexId(model_.vertices.size());
        model_.vertices.push_back({centre});
        c.key = make_key("bulk", "", {std::cbrt(volume), (centre - body_.mass.centre).norm()});
        model_.ledger.push_back({c.key, "halve", "bulk region", EntryState::applied,
                                 fmt::format("{}: a solid region of {:.0f} mm3 is rigid, with its mass at its centre, coupled to {} edge(s) and {} point(s)",
                                             body_.name, volume, c.edges.size(), c.vertices.size()),
                                 volume, centre, body_.name});
        taken.insert(taken.end(), c.faces.begin(), c.faces.end());
        model_.couplings.push_back(std::move(c));
    }

    bool face_beside(int cluster, int f) const {
        const Face& face = body_.faces[ix(f)];
        double in = 0, all = 0;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            Vec3 m = Vec3::Zero();
            for (int c : body_.facets[i].corners) m += body_.points[ix(c)] / 3;
            const double a = body_.facet_area(i);
            all += a, in += beside(cluster, m - 0.6 * pitch_ * body_.facet_normal(i)) ? a : 0;
        }
        return in > 0.3 * all;
    }

    // Edges of one sheet only, with the region across them. Returns their sheets.
    std::set<std::size_t> edges_at(int cluster, Coupling& c) {
        std::set<std::size_t> sheets;
        const auto uses = sheets_at_edges(model_);
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            if (uses[e].size() != 1 || uses[e][0].sides != 1) continue;
            const Sheet& s = model_.sheets[uses[e][0].sheet.index()];
            const Curve& k = model_.edges[e].curve;
            bool all = true;
            for (const double share : {0.1, 0.37, 0.63, 0.9}) {
                const double t = k.parameter_at(share);
                const Vec3 p = k.point(t), side = s.chart.normal(p).cross(k.derivative(t)).normalized();
                const double off = std::max(0.6 * pitch_, 0.6 * s.thickness.max);
                all = all && (beside(cluster, p + off * side) || beside(cluster, p - off * side));
            }
            if (all) c.edges.push_back(EdgeId(e)), sheets.insert(uses[e][0].sheet.index());
        }
        return sheets;
    }

    // Places, far from each other, on those sheets beside the region that do not end at it.
    void points_at(int cluster, const std::set<std::size_t>& ending, Coupling& c) {
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            if (model_.sheets[s].body != id_ || ending.count(s)) continue;
            Sheet& sheet = model_.sheets[s];
            std::vector<Vec3> feet;
            for (std::size_t i = 0; i < cluster_.size(); ++i) {
                if (cluster_[i] != cluster) continue;
                const Vec3 p = at(static_cast<int>(i));
                if (std::abs(sheet.chart.height(p)) > 0.55 * sheet.thickness.max + 1.2 * pitch_) continue;
                const Vec3 q = sheet.chart.foot(p);
                if (inside(sheet.own_outline, sheet.chart.local2(q))) feet.push_back(q);
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

    static constexpr int free_cell = -2;
    Model& model_;
    const Body& body_;
    int id_;
    const std::vector<WallSurface>& walls_;
    const LooseSkin& loose_;
    double tol_, pitch_ = 1;
    Vec3 origin_ = Vec3::Zero();
    std::array<int, 3> n_{};
    std::vector<int> cluster_;  // of each point of the grid; -1 in no region
    std::vector<const WallSurface*> near_walls_;
    std::vector<const Sheet*> near_sheets_;
};

}  // namespace

std::vector<NamedFaces> thick_pairs(const Skin& skin, const std::vector<int>& loose_faces) {
    const std::set<int> loose(loose_faces.begin(), loose_faces.end());
    // Faces of one region hang together over edges; each region takes the pair that is largest for its thickness.
    std::map<int, std::vector<int>> regions;
    std::set<int> seen;
    for (int f : loose_faces) {
        if (!seen.insert(f).second) continue;
        std::vector<int> queue{f};
        for (std::size_t k = 0; k < queue.size(); ++k)
            for (const auto& link : skin.neighbours.of[ix(queue[k])])
                if (loose.count(link.other) && seen.insert(link.other).second) queue.push_back(link.other);
        regions[f] = std::move(queue);
    }
    std::vector<NamedFaces> out;
    for (const auto& [first, faces] : regions) {
        const SkinPair* best = nullptr;
        const auto worth = [](const SkinPair& p) { return p.area / (p.mean * p.mean); };
        for (const SkinPair& p : skin.pairs) {
            const bool here = std::count(faces.begin(), faces.end(), p.a) + std::count(faces.begin(), faces.end(), p.b) > 0;
            if (here && !p.wall && p.a != p.b && p.mean > 0 && (!best || worth(p) > worth(*best) * (1 + 1e-9))) best = &p;
        }
        if (best) out.push_back({best->a, best->b, 0, 0, false});
    }
    return out;
}

std::vector<int> couple_bulk_regions(Model& model, const Assembly& solids, int body, const std::vector<WallSurface>& walls, const LooseSkin& loose) {
    return Regions(model, solids, body, walls, loose).run();
}

}  // namespace halvo
