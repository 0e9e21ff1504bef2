#include "body/facet_regions.hpp"

#include "geom/fit_free.hpp"

#include <Eigen/Dense>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

namespace halvo {
namespace {

constexpr double sharp = 35 * pi / 180;        // a larger turn between facets is an edge
constexpr double plane_turn = 12 * pi / 180;   // facets of a region turn from its surface by no more than this
constexpr double curved_turn = 25 * pi / 180;  // half a step of a coarse tessellation
constexpr double least_span = 8 * pi / 180;    // a curved region turns by more in all
constexpr double reach = 3.5;                  // times the scatter
constexpr double clean_form = 5;               // times what a clean tessellation may be off: splines only come near other forms

std::size_t ix(int i) {
    return static_cast<std::size_t>(i);
}

struct Grown {
    Surface surface;
    std::vector<int> facets;
    double area = 0, rms = 0;
};

class Grower {
public:
    Grower(const FacetMesh& m, double noise, double size) : m_(m), noise_(noise), clean_(noise == 0), within_(noise > 0 ? reach * noise : 2e-6 * size) {
        const std::size_t n = m.facets.size();
        normal_.resize(n), area_.resize(n), region_.assign(n, -1), mark_.assign(n, 0);
        for (std::size_t f = 0; f < n; ++f) {
            const Vec3 c = m.cross(f);
            area_[f] = 0.5 * c.norm();
            normal_[f] = area_[f] > 0 ? Vec3(c / c.norm()) : Vec3::Zero();
        }
        if (!clean_) smooth_normals();
    }

    void run() {
        const std::size_t n = m_.facets.size();
        std::vector<double> turn(n, 0);
        for (std::size_t f = 0; f < n; ++f)
            for (int g : m_.across[f])
                if (g >= 0)
                    if (const double t = angle(f, ix(g)); t < sharp) turn[f] = std::max(turn[f], t);
        std::vector<int> order(n);
        std::iota(order.begin(), order.end(), 0);
        // By hundredths of a degree: rounding must not decide where growing starts.
        const auto rank = [&](int f) { return std::lround(turn[ix(f)] * 5e3); };
        std::stable_sort(order.begin(), order.end(), [&](int a, int b) {
            if (rank(a) != rank(b)) return rank(a) < rank(b);
            return area_[ix(a)] > area_[ix(b)] * (1 + 1e-9);
        });
        std::vector<bool> tried(n, false);
        for (int seed : order) {
            if (region_[ix(seed)] >= 0 || tried[ix(seed)]) continue;
            if (auto best = best_from(seed)) take(std::move(*best));
            else
                for (int f : patch(seed, 24)) tried[ix(f)] = true;
        }
        adopt();
        clean_up();
        free_forms();
    }

    [[nodiscard]] double explained() const {
        double in = 0, all = 0;
        for (std::size_t f = 0; f < area_.size(); ++f) all += area_[f], in += region_[f] >= 0 && supported(ix(region_[f])) ? area_[f] : 0;
        return all > 0 ? in / all : 0;
    }

    std::vector<FacetRegion> result() {
        std::vector<FacetRegion> out;
        for (const Grown& g : regions_) out.push_back({g.surface, {}, g.rms});
        // What fits nothing: one region for each connected rest within sharp edges.
        for (std::size_t f = 0; f < region_.size(); ++f) {
            if (region_[f] >= 0) continue;
            const int id = static_cast<int>(out.size());
            out.push_back({FreeSurface{}, {}, 0});
            std::vector<int> queue{static_cast<int>(f)};
            region_[f] = id;
            for (std::size_t i = 0; i < queue.size(); ++i)
                for (int g : m_.across[ix(queue[i])])
                    if (g >= 0 && region_[ix(g)] < 0 && angle(ix(queue[i]), ix(g)) < sharp) region_[ix(g)] = id, queue.push_back(g);
        }
        for (std::size_t f = 0; f < region_.size(); ++f) out[ix(region_[f])].facets.push_back(static_cast<int>(f));
        for (FacetRegion& r : out)
            if (!std::holds_alternative<FreeSurface>(r.surface)) r.rms = rms(r.surface, r.facets);
        std::erase_if(out, [](const FacetRegion& r) { return r.facets.empty(); });
        return out;
    }

private:
    [[nodiscard]] double angle(std::size_t f, std::size_t g) const { return std::atan2(normal_[f].cross(normal_[g]).norm(), normal_[f].dot(normal_[g])); }

    // Means of neighbouring normals, weighted by area and likeness.
    void smooth_normals() {
        for (int round = 0; round < 8; ++round) {
            std::vector<Vec3> next(normal_.size());
            for (std::size_t f = 0; f < normal_.size(); ++f) {
                Vec3 sum = area_[f] * normal_[f];
                for (int g : m_.across[f]) {
                    if (g < 0) continue;
                    const double d = (normal_[ix(g)] - normal_[f]).squaredNorm();
                    sum += area_[ix(g)] * std::exp(-d / (2 * 0.4 * 0.4)) * normal_[ix(g)];
                }
                next[f] = sum.norm() > 0 ? Vec3(sum.normalized()) : normal_[f];
            }
            normal_ = std::move(next);
        }
    }

    // The nearest facets by number of steps that are free and not behind a sharp edge.
    std::vector<int> patch(int seed, std::size_t most) {
        ++stamp_;
        std::vector<int> out{seed};
        mark_[ix(seed)] = stamp_;
        for (std::size_t i = 0; i < out.size() && out.size() < most; ++i)
            for (int g : m_.across[ix(out[i])])
                if (g >= 0 && mark_[ix(g)] != stamp_ && region_[ix(g)] < 0 && angle(ix(out[i]), ix(g)) < sharp) mark_[ix(g)] = stamp_, out.push_back(g);
        return out;
    }

    std::optional<Fit> fitted(std::size_t kind, const std::vector<int>& facets, std::size_t most) const {
        std::vector<Vec3> points, normals;
        // Large regions are fitted to an even share of their corners: more would not tell more while they grow.
        const std::size_t step = 1 + facets.size() / most;
        // The start is exact on a clean tessellation; on scatter a few steps are enough to grow by.
        const Effort effort = most > 200 ? Effort{} : clean_ ? Effort{3, 1e-9} : Effort{4, 1e-2};
        for (std::size_t i = 0; i < facets.size(); i += step)
            for (std::size_t k = 0; k < 3; ++k) points.push_back(m_.at(ix(facets[i]), k)), normals.push_back(normal_[ix(facets[i])]);
        switch (kind) {
            case 0:
                return fit_plane(points);
            case 1:
                return fit_cylinder(points, normals, effort);
            case 2:
                return fit_cone(points, normals, effort);
            default:
                return fit_sphere(points, normals, effort);
        }
    }

    [[nodiscard]] bool fits(const Surface& s, std::size_t f, double limit) const {
        for (std::size_t k = 0; k < 3; ++k)
            if (std::abs(signed_distance(s, m_.at(f, k))) > within_) return false;
        const Vec3 middle = (m_.at(f, 0) + m_.at(f, 1) + m_.at(f, 2)) / 3;
        return std::abs(surface_normal(s, middle)->dot(normal_[f])) > std::cos(limit);
    }

    std::vector<int> spread(int seed, const Surface& s, double limit) {
        ++stamp_;
        std::vector<int> out;
        if (!fits(s, ix(seed), limit)) return out;
        out.push_back(seed), mark_[ix(seed)] = stamp_;
        for (std::size_t i = 0; i < out.size(); ++i)
            for (int g : m_.across[ix(out[i])]) {
                if (g < 0 || mark_[ix(g)] == stamp_ || region_[ix(g)] >= 0) continue;
                if (angle(ix(out[i]), ix(g)) >= sharp || !fits(s, ix(g), limit)) continue;
                mark_[ix(g)] = stamp_, out.push_back(g);
            }
        return out;
    }

    // How far the middles of a facet's sides stand off: on one tessellated surface about the same everywhere.
    double facet_sag(const Surface& s, std::size_t f) const {
        double d = 0;
        for (std::size_t k = 0; k < 3; ++k) d = std::max(d, std::abs(signed_distance(s, 0.5 * (m_.at(f, k) + m_.at(f, k + 1)))));
        return d;
    }

    bool even_steps(const Surface& s, const std::vector<int>& facets) const {
        if (!clean_) return true;
        std::vector<double> all;
        for (int f : facets) all.push_back(facet_sag(s, ix(f)));
        std::vector<double> sorted = all;
        std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2), sorted.end());
        const double limit = 16 * sorted[sorted.size() / 2] + within_;
        return std::all_of(all.begin(), all.end(), [&](double d) { return d <= limit; });
    }

    // Does the region turn enough, in enough steps, to be no plane?
    bool curved_enough(const std::vector<int>& facets) const {
        std::vector<Vec3> distinct;
        double span = 0;
        for (int f : facets) {
            span = std::max(span, angle(ix(facets[0]), ix(f)));
            if (distinct.size() < 5 && std::none_of(distinct.begin(), distinct.end(), [&](const Vec3& d) { return d.cross(normal_[ix(f)]).norm() < 2e-3; }))
                distinct.push_back(normal_[ix(f)]);
        }
        return span > least_span && distinct.size() >= 4;
    }

    std::optional<Grown> grow(int seed, std::size_t kind, std::size_t first_size) {
        std::vector<int> facets = kind == 0 && clean_ ? std::vector<int>{seed} : patch(seed, first_size);
        if (kind > 0 && facets.size() < 6) return std::nullopt;
        const double limit = kind == 0 ? plane_turn : curved_turn;
        Grown out;
        for (int round = 0; round < 6; ++round) {
            const auto fit = fitted(kind, facets, 100);
            if (!fit) return std::nullopt;
            auto wider = spread(seed, fit->surface, limit);
            if (wider.empty()) return std::nullopt;
            const bool done = wider.size() <= facets.size() && round > 0;
            if (!done || out.facets.empty()) out.surface = fit->surface, out.facets = wider;
            facets = std::move(wider);
            if (done) break;
        }
        for (int f : out.facets) out.area += area_[ix(f)];
        if (kind > 0 && (!curved_enough(out.facets) || !even_steps(out.surface, out.facets))) return std::nullopt;
        out.rms = rms(out.surface, out.facets);
        return out;
    }

    // The simplest surface wins unless another carries clearly further.
    std::optional<Grown> best_from(int seed) {
        std::optional<Grown> best;
        const auto sizes = clean_ ? std::vector<std::size_t>{14, 40} : std::vector<std::size_t>{20, 80, 320};
        for (std::size_t kind = 0; kind < 4; ++kind) {
            std::optional<Grown> mine;
            for (std::size_t n : sizes) {
                auto g = grow(seed, kind, n);
                if (g && (!mine || g->area > mine->area * (1 + 1e-6))) mine = std::move(g);
                if (clean_ && kind == 0) break;
            }
            if (mine && (!best || mine->area > best->area * (kind == 0 ? 1 : 1.15))) best = std::move(mine);
        }
        if (!best) return std::nullopt;
        // On scattered corners a few facets prove nothing.
        if (!clean_ && best->facets.size() < 12) return std::nullopt;
        return best;
    }

    // Once more with all it has, to full accuracy.
    void take(Grown g) {
        const std::size_t kind = g.surface.index();
        if (const auto fit = fitted(kind, g.facets, 4000); fit && fit->surface.index() == g.surface.index() && fit->rms <= 1.05 * g.rms + within_)
            g.surface = fit->surface;
        for (int f : g.facets) region_[ix(f)] = static_cast<int>(regions_.size());
        regions_.push_back(std::move(g));
    }

    double cost(int region, std::size_t f) const {
        if (std::holds_alternative<FreeSurface>(regions_[ix(region)].surface)) return std::numeric_limits<double>::infinity();
        double d = 0;
        for (std::size_t k = 0; k < 3; ++k) d = std::max(d, std::abs(signed_distance(regions_[ix(region)].surface, m_.at(f, k))));
        return d;
    }

    // Poor facets of a curved tessellation turn too far from it to be grown over, but all their corners lie on it.
    void adopt_splinters() {
        for (std::size_t f = 0; f < region_.size(); ++f) {
            const int own = region_[f];
            if (own >= 0 && regions_[ix(own)].facets.size() > 2) continue;
            int best = -1;
            for (int g : m_.across[f]) {
                const int r = g >= 0 ? region_[ix(g)] : -1;
                if (r < 0 || r == own || std::holds_alternative<PlaneSurface>(regions_[ix(r)].surface) || cost(r, f) > within_) continue;
                if (best < 0 || regions_[ix(r)].facets.size() > regions_[ix(best)].facets.size()) best = r;
            }
            if (best >= 0) region_[f] = best;
        }
    }

    // Facets left over beside a region that nearly fit it join it; ragged boundaries are evened out.
    void adopt() {
        if (clean_) {
            adopt_splinters();
            return;
        }
        for (int round = 0; round < 40; ++round) {
            bool changed = false;
            for (std::size_t f = 0; f < region_.size(); ++f) {
                if (region_[f] >= 0) continue;
                int best = -1;
                double least = (round < 10 ? 1.5 : 3) * within_;
                for (int g : m_.across[f])
                    if (g >= 0 && region_[ix(g)] >= 0 && angle(f, ix(g)) < sharp * (round < 10 ? 1 : 1.5))
                        if (const double c = cost(region_[ix(g)], f); c < least) least = c, best = region_[ix(g)];
                if (best >= 0) region_[f] = best, changed = true;
            }
            for (std::size_t f = 0; f < region_.size(); ++f) {
                std::map<int, int> around;
                for (int g : m_.across[f])
                    if (g >= 0) ++around[region_[ix(g)]];
                for (const auto& [r, n] : around)
                    if (n >= 2 && r >= 0 && r != region_[f] && cost(r, f) < 2 * within_) region_[f] = r, changed = round < 20;
            }
            if (!changed) break;
        }
    }

    // Skin between sharp edges that a few plain surfaces do not carry is of one free form.
    void free_forms() {
        std::vector<bool> seen(region_.size(), false);
        for (std::size_t f = 0; f < region_.size(); ++f) {
            if (seen[f]) continue;
            std::vector<int> group{static_cast<int>(f)};
            seen[f] = true;
            for (std::size_t i = 0; i < group.size(); ++i)
                for (int g : m_.across[ix(group[i])])
                    if (g >= 0 && !seen[ix(g)] && angle(ix(group[i]), ix(g)) < sharp) seen[ix(g)] = true, group.push_back(g);
            if (!carried(group)) make_free(group);
        }
        if (robbed_.empty()) return;
        // What is left of the regions these were taken from lies across a sharp edge from them: to the neighbours there.
        for (int& r : region_)
            if (robbed_.count(r)) r = -1;
        adopt();
        clean_up();
    }

    bool carried(const std::vector<int>& group) const {
        constexpr double large = 0.08, enough = 0.75;
        std::map<int, double> areas;
        double all = 0;
        for (int f : group) areas[region_[ix(f)]] += area_[ix(f)], all += area_[ix(f)];
        double in_large = 0;
        for (const auto& [r, a] : areas)
            if (r >= 0 && a >= large * all && supported(ix(r))) in_large += a;
        return in_large >= enough * all;
    }

    void make_free(const std::vector<int>& group) {
        std::set<int> corners;
        std::vector<Vec3> points, normals;
        for (int f : group) {
            corners.insert(m_.facets[ix(f)].begin(), m_.facets[ix(f)].end());
            if (area_[ix(f)] > 0) normals.push_back(normal_[ix(f)]);
        }
        for (int c : corners) points.push_back(m_.points[ix(c)]);
        const auto fit = fit_free(points, normals, noise_);
        if (!fit || fit->rms > (clean_ ? clean_form * within_ : 0.5 * within_)) return;
        Grown g{fit->surface, group, 0, fit->rms};
        for (int f : group) {
            if (region_[ix(f)] >= 0) robbed_.insert(region_[ix(f)]);
            region_[ix(f)] = static_cast<int>(regions_.size()), g.area += area_[ix(f)];
        }
        regions_.push_back(std::move(g));
    }

    // Small rests between regions go to the neighbour they lie nearest to; so do crumbs cut off from their region.
    void clean_up() {
        if (clean_) return;
        constexpr std::size_t crumb = 60;
        for (int round = 0; round < 4; ++round) {
            std::vector<int> piece(region_.size(), -1);
            std::vector<std::vector<int>> pieces;
            std::map<int, std::size_t> largest;
            for (std::size_t f = 0; f < region_.size(); ++f) {
                if (piece[f] >= 0) continue;
                std::vector<int> list{static_cast<int>(f)};
                piece[f] = static_cast<int>(pieces.size());
                for (std::size_t i = 0; i < list.size(); ++i)
                    for (int g : m_.across[ix(list[i])])
                        if (g >= 0 && piece[ix(g)] < 0 && region_[ix(g)] == region_[f]) piece[ix(g)] = piece[f], list.push_back(g);
                largest[region_[f]] = std::max(largest[region_[f]], list.size());
                pieces.push_back(std::move(list));
            }
            bool changed = false;
            for (const auto& list : pieces) {
                const int own = region_[ix(list[0])];
                const bool small = list.size() < crumb && (own < 0 || list.size() < largest[own] || list.size() < 12);
                if (small) changed = give_away(list, own) || changed;
            }
            if (!changed) break;
        }
    }

    // From the border inwards, each facet to the neighbouring region that costs least.
    bool give_away(const std::vector<int>& list, int own) {
        std::map<int, int> to;
        for (bool more = true; more;) {
            more = false;
            std::map<int, int> next;
            for (int f : list) {
                if (to.count(f)) continue;
                double least = std::numeric_limits<double>::infinity();
                for (int g : m_.across[ix(f)]) {
                    if (g < 0) continue;
                    const auto given = to.find(g);
                    const int r = given != to.end() ? given->second : region_[ix(g)] != own ? region_[ix(g)] : -1;
                    if (r >= 0)
                        if (const double c = cost(r, ix(f)); c < least) least = c, next[f] = r;
                }
            }
            for (const auto& [f, r] : next) to[f] = r, more = true;
        }
        for (const auto& [f, r] : to) region_[ix(f)] = r;
        return !to.empty();
    }

    // Enough facets, or bounded by sharp edges: a lone facet is a plane of its own and explains nothing.
    [[nodiscard]] bool supported(std::size_t r) const {
        const Grown& g = regions_[r];
        if (g.facets.size() >= 4) return true;
        double edge = 0, all = 0;
        for (int f : g.facets)
            for (std::size_t k = 0; k < 3; ++k) {
                const int h = m_.across[ix(f)][k];
                if (h >= 0 && region_[ix(h)] == static_cast<int>(r)) continue;
                const double length = (m_.at(ix(f), k + 1) - m_.at(ix(f), k)).norm();
                all += length;
                if (h < 0 || angle(ix(f), ix(h)) >= sharp || (region_[ix(h)] >= 0 && regions_[ix(region_[ix(h)])].facets.size() >= 4)) edge += length;
            }
        return edge >= 0.6 * all;
    }

    double rms(const Surface& s, const std::vector<int>& facets) const {
        if (std::holds_alternative<FreeSurface>(s)) return 0;  // a spline brings its own
        double sum = 0;
        for (int f : facets)
            for (std::size_t k = 0; k < 3; ++k) sum += std::pow(signed_distance(s, m_.at(ix(f), k)), 2);
        return facets.empty() ? 0 : std::sqrt(sum / (3.0 * static_cast<double>(facets.size())));
    }

    const FacetMesh& m_;
    double noise_;
    bool clean_;
    double within_;
    std::vector<Vec3> normal_;
    std::vector<double> area_;
    std::vector<int> region_, mark_;
    int stamp_ = 0;
    std::set<int> robbed_;  // regions that lost facets to a free form
    std::vector<Grown> regions_;
};

double mean_side(const FacetMesh& m) {
    double sum = 0;
    for (std::size_t f = 0; f < m.facets.size(); ++f)
        for (std::size_t k = 0; k < 3; ++k) sum += (m.at(f, k + 1) - m.at(f, k)).norm();
    return sum / (3.0 * static_cast<double>(m.facets.size()));
}

// Scatter of the corners: how far they lie from quadrics through two rings of neighbours. The lower third of all places
// tells: edges and tight bends only add.
double scatter(const FacetMesh& m) {
    std::vector<std::vector<int>> ring(m.points.size());
    for (const auto& f : m.facets)
        for (std::size_t k = 0; k < 3; ++k) ring[ix(f[k])].push_back(f[(k + 1) % 3]), ring[ix(f[k])].push_back(f[(k + 2) % 3]);
    for (auto& r : ring) {
        std::sort(r.begin(), r.end());
        r.erase(std::unique(r.begin(), r.end()), r.end());
    }
    std::vector<double> found;
    const std::size_t step = 1 + m.points.size() / 3000;
    for (std::size_t v = 0; v < m.points.size(); v += step) {
        std::vector<int> near{static_cast<int>(v)};
        near.insert(near.end(), ring[v].begin(), ring[v].end());
        for (int k : ring[v]) near.insert(near.end(), ring[ix(k)].begin(), ring[ix(k)].end());
        std::sort(near.begin(), near.end());
        near.erase(std::unique(near.begin(), near.end()), near.end());
        if (near.size() < 12) continue;
        std::vector<Vec3> pts;
        for (int k : near) pts.push_back(m.points[ix(k)]);
        const auto plane = fit_plane(pts);
        if (!plane) continue;
        const Frame& frame = std::get<PlaneSurface>(plane->surface).frame;
        Eigen::MatrixXd a(static_cast<Eigen::Index>(pts.size()), 6);
        Eigen::VectorXd z(static_cast<Eigen::Index>(pts.size()));
        for (std::size_t i = 0; i < pts.size(); ++i) {
            const Vec3 q = frame.local(pts[i]);
            const auto r = static_cast<Eigen::Index>(i);
            a.row(r) << 1, q.x(), q.y(), q.x() * q.x(), q.x() * q.y(), q.y() * q.y();
            z[r] = q.z();
        }
        const Eigen::VectorXd x = a.colPivHouseholderQr().solve(z);
        found.push_back(std::sqrt((a * x - z).squaredNorm() / static_cast<double>(pts.size() - 6)));
    }
    if (found.empty()) return 0;
    const auto at = found.begin() + static_cast<std::ptrdiff_t>(found.size() / 3);
    std::nth_element(found.begin(), at, found.end());
    return *at;
}

}  // namespace

FacetRegions facet_regions(const FacetMesh& mesh) {
    FacetRegions out;
    Box3 box;
    for (const Vec3& p : mesh.points) box.extend(p);
    // Corners in single precision, far from the origin, are that much off.
    const double farthest = std::max(box.min().cwiseAbs().maxCoeff(), box.max().cwiseAbs().maxCoeff());
    const double size = std::max(box.diagonal().norm(), 0.15 * farthest);
    out.side = mean_side(mesh);
    Grower clean(mesh, 0, size);
    clean.run();
    constexpr double enough = 0.6;
    if (clean.explained() < enough) {
        out.noise = scatter(mesh);
        if (out.noise > 2e-6 * size) {
            Grower scanned(mesh, out.noise, size);
            scanned.run();
            out.regions = scanned.result();
            return out;
        }
        out.noise = 0;
    }
    out.regions = clean.result();
    return out;
}

}  // namespace halvo
