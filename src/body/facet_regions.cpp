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
constexpr double mostly = 0.5;                 // share of the skin that shows how exact its corners are
constexpr double clean_form = 1;               // times what a clean tessellation may be off: splines only come near other forms
constexpr double clean_within = 1e-5;  // of the body's size: what corners of a clean tessellation may be off, whose own surfaces only come near plain ones
constexpr double tight_within = 1e-7;  // what they are off in single precision

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
    Grower(const FacetMesh& m, double noise, double size)
        : m_(m), noise_(noise), clean_(noise == 0), tori_(noise == 0), within_(noise > 0 ? reach * noise : clean_within * size), loose_(within_) {
        const std::size_t n = m.facets.size();
        normal_.resize(n), area_.resize(n), region_.assign(n, -1), mark_.assign(n, 0);
        for (std::size_t f = 0; f < n; ++f) {
            const Vec3 c = m.cross(f);
            area_[f] = 0.5 * c.norm();
            normal_[f] = area_[f] > 0 ? Vec3(c / c.norm()) : Vec3::Zero();
        }
        if (!clean_) smooth_normals();
        find_groups();
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
        if (clean_) grow_tight(order);
        else grow_all(order), adopt();
        clean_up();
        const auto open = free_forms();
        if (!clean_) retry_with_tori(open, order);
    }

    // Skin between sharp edges on which curved starts keep failing is of no plain curved form; more starts would only cost time.
    struct Luck {
        int won = 0, lost = 0;
        [[nodiscard]] bool out() const { return lost > 100 + 20 * won; }
    };

    void find_groups() {
        group_.assign(region_.size(), -1);
        for (std::size_t f = 0; f < group_.size(); ++f) {
            if (group_[f] >= 0) continue;
            std::vector<int> list{static_cast<int>(f)};
            group_[f] = static_cast<int>(luck_.size());
            for (std::size_t i = 0; i < list.size(); ++i)
                for (int g : m_.across[ix(list[i])])
                    if (g >= 0 && group_[ix(g)] < 0 && angle(ix(list[i]), ix(g)) < sharp) group_[ix(g)] = group_[f], list.push_back(g);
            luck_.emplace_back();
        }
    }

    // A start beside a border may see too much of what lies behind: lone facets wait until all else has been tried.
    void grow_all(const std::vector<int>& order) {
        if (clean_) grow_from(order, false);
        grow_from(order, true);
    }

    void grow_from(const std::vector<int>& order, bool last) {
        for (Luck& luck : luck_) luck = {};
        std::vector<bool> tried(region_.size(), false);
        for (int seed : order) {
            if (region_[ix(seed)] >= 0 || tried[ix(seed)]) continue;
            Luck& luck = luck_[ix(group_[ix(seed)])];
            auto best = best_from(seed, clean_ && luck.out() ? 1 : tori_ ? 5 : 4);
            const bool curved = best && best->surface.index() > 0;
            const bool enough = best && best->facets.size() >= (best->surface.index() == 1 && within_ < loose_ ? 6U : curved ? 12U : 3U);
            if (curved) ++luck.won;
            else if (!enough) ++luck.lost;
            if (best && (last || enough)) take(std::move(*best), seed);
            else
                for (int f : patch(seed, last ? 24 : 5)) tried[ix(f)] = true;
        }
    }

    // First what is exact to the precision of the file, so that it ends where it does; of what is left, forms that are only near
    // theirs. Where neither carries a patch, it is of a free form.
    void grow_tight(const std::vector<int>& order) {
        within_ *= tight_within / clean_within;
        grow_from(order, false);
        adopt();
        release_open();
        within_ = loose_;
        const auto left = explained() >= mostly ? rests() : std::vector<std::vector<int>>{};
        grow_from(order, false);
        for (const auto& rest : left)
            if (!carried(rest, 2)) make_free(rest);
        reach_out();
        grow_from(order, true);
        adopt();
        for (const auto& rest : left) free_between(rest);
    }

    // Curved regions that end amid what goes on smoothly and has no region are pieces of another form.
    void release_open() {
        constexpr double most = 0.35;  // of a region's border
        for (bool more = true; more;) {
            std::vector<double> open(regions_.size(), 0), border(regions_.size(), 0);
            for (std::size_t f = 0; f < region_.size(); ++f)
                for (std::size_t k = 0; k < 3 && region_[f] >= 0; ++k) {
                    const int g = m_.across[f][k];
                    if (g >= 0 && region_[ix(g)] == region_[f]) continue;
                    const double length = (m_.at(f, k + 1) - m_.at(f, k)).norm();
                    border[ix(region_[f])] += length;
                    if (g >= 0 && region_[ix(g)] < 0 && angle(f, ix(g)) < sharp) open[ix(region_[f])] += length;
                }
            more = false;
            for (int& r : region_)
                if (r >= 0 && regions_[ix(r)].surface.index() > 0 && open[ix(r)] > most * border[ix(r)]) r = -1, more = true;
        }
    }

    // What no region has, in pieces that hang together within sharp edges.
    [[nodiscard]] std::vector<std::vector<int>> rests() const {
        std::vector<bool> wanted(region_.size());
        for (std::size_t f = 0; f < region_.size(); ++f) wanted[f] = region_[f] < 0;
        return connected(std::move(wanted));
    }

    [[nodiscard]] std::vector<std::vector<int>> connected(std::vector<bool> wanted) const {
        std::vector<std::vector<int>> out;
        for (std::size_t f = 0; f < wanted.size(); ++f) {
            if (!wanted[f]) continue;
            std::vector<int> list{static_cast<int>(f)};
            wanted[f] = false;
            for (std::size_t i = 0; i < list.size(); ++i)
                for (int g : m_.across[ix(list[i])])
                    if (g >= 0 && wanted[ix(g)] && angle(ix(list[i]), ix(g)) < sharp) wanted[ix(g)] = false, list.push_back(g);
            out.push_back(std::move(list));
        }
        return out;
    }

    // What lies between the large regions of a rest, as corners do between the rounds that run into them.
    void free_between(const std::vector<int>& rest) {
        const std::set<int> anchors = large_regions(rest);
        if (anchors.empty()) return;
        std::vector<bool> wanted(region_.size(), false);
        for (int f : rest) wanted[ix(f)] = !anchors.count(region_[ix(f)]);
        for (const auto& piece : connected(std::move(wanted)))
            if (!carried(piece, 1)) make_free(piece);
    }

    // Facets at the border of a region may be a little off: where the file's own surfaces only nearly met.
    void reach_out() {
        std::vector<int> border;
        for (std::size_t f = 0; f < region_.size(); ++f)
            if (region_[f] >= 0) border.push_back(static_cast<int>(f));
        for (std::size_t i = 0; i < border.size(); ++i) {
            const Surface& s = regions_[ix(region_[ix(border[i])])].surface;
            if (std::holds_alternative<FreeSurface>(s)) continue;
            const double limit = std::holds_alternative<PlaneSurface>(s) ? plane_turn : curved_turn;
            for (int g : m_.across[ix(border[i])])
                if (g >= 0 && region_[ix(g)] < 0 && angle(ix(border[i]), ix(g)) < sharp && fits(s, ix(g), limit)) {
                    region_[ix(g)] = region_[ix(border[i])], border.push_back(g);
                    regions_[ix(region_[ix(g)])].facets.push_back(g);
                }
        }
    }

    // Under scatter a torus passes for any free form nearby: only what is none, as a form closed round, is tried for tori.
    void retry_with_tori(const std::vector<std::vector<int>>& open, const std::vector<int>& order) {
        if (open.empty()) return;
        tori_ = true;
        const std::vector<int> before = region_;
        for (const auto& group : open)
            for (int f : group) region_[ix(f)] = -1;
        std::vector<int> again;
        for (int f : order)
            if (region_[ix(f)] < 0) again.push_back(f);
        grow_all(again);
        adopt();
        clean_up();
        for (const auto& group : open)
            if (!carried(group))
                for (int f : group) region_[ix(f)] = before[ix(f)];
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
        for (const auto& rest : rests()) {
            for (int f : rest) region_[ix(f)] = static_cast<int>(out.size());
            out.push_back({FreeSurface{}, {}, 0});
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
    // `alike`: only those of about the seed's size, as the long facets of a narrow ring are beside the small ones around it.
    std::vector<int> patch(int seed, std::size_t most, bool alike = false) {
        constexpr double unlike = 4;
        const double large = alike ? unlike * area_[ix(seed)] : std::numeric_limits<double>::infinity(), small = alike ? area_[ix(seed)] / unlike : 0;
        ++stamp_;
        std::vector<int> out{seed};
        mark_[ix(seed)] = stamp_;
        for (std::size_t i = 0; i < out.size() && out.size() < most; ++i)
            for (int g : m_.across[ix(out[i])])
                if (g >= 0 && mark_[ix(g)] != stamp_ && region_[ix(g)] < 0 && area_[ix(g)] >= small && area_[ix(g)] <= large &&
                    angle(ix(out[i]), ix(g)) < sharp)
                    mark_[ix(g)] = stamp_, out.push_back(g);
        return out;
    }

    [[nodiscard]] bool slender(std::size_t f) const {
        constexpr double ratio = 8;  // of length to height
        double longest = 0;
        for (std::size_t k = 0; k < 3; ++k) longest = std::max(longest, (m_.at(f, k + 1) - m_.at(f, k)).squaredNorm());
        return longest > ratio * 2 * area_[f];
    }

    // The facets of a row of long ones, as a tessellation has along what is straight one way: met across long sides only.
    std::vector<int> strip(int seed, std::size_t most) {
        constexpr double share = 0.6;
        const auto side = [&](int f, std::size_t k) { return (m_.at(ix(f), k + 1) - m_.at(ix(f), k)).norm(); };
        const double long_side = share * std::max({side(seed, 0), side(seed, 1), side(seed, 2)});
        ++stamp_;
        std::vector<int> out{seed};
        mark_[ix(seed)] = stamp_;
        for (std::size_t i = 0; i < out.size() && out.size() < most; ++i)
            for (std::size_t k = 0; k < 3; ++k) {
                const int g = m_.across[ix(out[i])][k];
                if (g >= 0 && mark_[ix(g)] != stamp_ && region_[ix(g)] < 0 && side(out[i], k) >= long_side && angle(ix(out[i]), ix(g)) < sharp)
                    mark_[ix(g)] = stamp_, out.push_back(g);
            }
        return out;
    }

    std::optional<Fit> fitted(std::size_t kind, const std::vector<int>& facets, std::size_t most, bool rough = false) {
        std::vector<Vec3> points, normals;
        // Large regions are fitted to an even share of their corners: more would not tell more while they grow.
        const std::size_t step = 1 + facets.size() / most;
        // The start is exact on a clean tessellation; on scatter a few steps are enough to grow by.
        const Effort effort = most > 200 ? Effort{} : clean_ ? Effort{rough || kind == 4 || facets.size() > 60 ? 20 : 3, 1e-9} : Effort{4, 1e-2};
        for (std::size_t i = 0; i < facets.size(); i += step)
            for (std::size_t k = 0; k < 3; ++k) points.push_back(m_.at(ix(facets[i]), k)), normals.push_back(normal_[ix(facets[i])]);
        switch (kind) {
            case 0:
                return fit_plane(points);
            case 1: {
                // The axis lies across all normals: those of large facets say most of it.
                if (rough)
                    for (std::size_t i = 0; i < normals.size(); ++i) normals[i] *= std::sqrt(area_[ix(facets[i / 3 * step])]);
                return fit_cylinder(points, normals, effort);
            }
            case 2:
                if (clean_ && most <= 200) return cone_from_corners(facets, step);
                return fit_cone(points, normals, effort);
            case 3:
                return fit_sphere(points, normals, effort);
            default:
                return torus(points, facets, step, effort);
        }
    }

    // Corners of an even share of facets, each once, with the normals there.
    std::pair<std::vector<Vec3>, std::vector<Vec3>> corners_of(const std::vector<int>& facets, std::size_t step) {
        std::set<int> corners;
        std::vector<Vec3> feet, normals;
        for (std::size_t i = 0; i < facets.size(); i += step)
            for (int c : m_.facets[ix(facets[i])])
                if (corners.insert(c).second) feet.push_back(m_.points[ix(c)]), normals.push_back(corner_normal(c, group_[ix(facets[i])]));
        return {std::move(feet), std::move(normals)};
    }

    // Facets of a fine tessellation lean to all sides of a cone's own normals; at their corners these are known better.
    std::optional<Fit> cone_from_corners(const std::vector<int>& facets, std::size_t step) {
        const auto [feet, normals] = corners_of(facets, step);
        return fit_cone(feet, normals, Effort{12, 1e-9});
    }

    std::optional<Fit> torus(const std::vector<Vec3>& points, const std::vector<int>& facets, std::size_t step, const Effort& effort) {
        const auto [feet, normals] = corners_of(facets, step);
        return fit_torus(points, feet, normals, effort);
    }

    // Of the quadric through a corner that comes nearest to its neighbours: facets' own normals tell too little of how a surface turns.
    Vec3 corner_normal(int corner, int group) {
        const auto [known, fresh] = corner_normals_.try_emplace({corner, group}, Vec3::Zero());
        if (!fresh) return known->second;
        std::set<int> near, facets;
        Vec3 mean = Vec3::Zero();
        for (int f : around(corner)) {
            if (group_[ix(f)] != group) continue;
            mean += area_[ix(f)] * normal_[ix(f)];
            facets.insert(f);
            for (int g : m_.across[ix(f)])
                if (g >= 0 && group_[ix(g)] == group) facets.insert(g);
        }
        for (int f : facets) near.insert(m_.facets[ix(f)].begin(), m_.facets[ix(f)].end());
        near.erase(corner);
        const Vec3& at = m_.points[ix(corner)];
        const Frame frame = Frame::with_z(at, mean);
        known->second = frame.z;
        if (near.size() < 6) return frame.z;
        Eigen::MatrixXd a(static_cast<Eigen::Index>(near.size()), 5);
        Eigen::VectorXd z(static_cast<Eigen::Index>(near.size()));
        Eigen::Index row = 0;
        for (int k : near) {
            const Vec3 q = frame.local(m_.points[ix(k)]);
            a.row(row) << q.x(), q.y(), q.x() * q.x(), q.x() * q.y(), q.y() * q.y();
            z[row++] = q.z();
        }
        const Eigen::VectorXd x = a.colPivHouseholderQr().solve(z);
        return known->second = (frame.z - x[0] * frame.x - x[1] * frame.y).normalized();
    }

    const std::vector<int>& around(int corner) {
        if (around_.empty()) {
            around_.resize(m_.points.size());
            for (std::size_t f = 0; f < m_.facets.size(); ++f)
                for (int c : m_.facets[f]) around_[ix(c)].push_back(static_cast<int>(f));
        }
        return around_[ix(corner)];
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

    // More than any facet of a region's own tessellation stands off.
    double most_sag(const Surface& s, const std::vector<int>& facets) const {
        std::vector<double> all;
        for (int f : facets) all.push_back(facet_sag(s, ix(f)));
        std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2), all.end());
        return 16 * all[all.size() / 2] + within_;
    }

    bool even_steps(const Surface& s, const std::vector<int>& facets) const {
        if (!clean_) return true;
        const double limit = most_sag(s, facets);
        return std::all_of(facets.begin(), facets.end(), [&](int f) { return facet_sag(s, ix(f)) <= limit; });
    }

    bool turns_in_steps(const std::vector<int>& facets) const {
        std::vector<Vec3> distinct;
        for (int f : facets) {
            if (std::any_of(distinct.begin(), distinct.end(), [&](const Vec3& d) { return d.cross(normal_[ix(f)]).norm() < 2e-3; })) continue;
            distinct.push_back(normal_[ix(f)]);
            if (distinct.size() >= 4) return true;
        }
        return false;
    }

    // Does the region turn enough, in enough steps, to be no plane?
    bool curved_enough(const std::vector<int>& facets) const {
        double span = 0;
        for (int f : facets) span = std::max(span, angle(ix(facets[0]), ix(f)));
        return span > least_span && turns_in_steps(facets);
    }

    // Fit to the part of a patch that goes best together, where some of it belongs to another surface (least trimmed squares,
    // Rousseeuw 1984, by concentration steps).
    std::optional<Fit> trimmed(std::size_t kind, std::vector<int> facets, int seed) {
        auto fit = fitted(kind, facets, 100);
        for (int step = 0; step < 4 && fit && fit->worst > within_ && facets.size() > 8; ++step) {
            std::vector<std::pair<double, int>> off;
            for (int f : facets) {
                double d = 0;
                for (std::size_t k = 0; k < 3; ++k) d = std::max(d, std::abs(signed_distance(fit->surface, m_.at(ix(f), k))));
                off.emplace_back(f == seed ? 0 : d, f);
            }
            std::stable_sort(off.begin(), off.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
            facets.clear();
            for (std::size_t i = 0; i < std::max<std::size_t>(8, off.size() * 3 / 4); ++i) facets.push_back(off[i].second);
            fit = fitted(kind, facets, 100);
        }
        return fit;
    }

    std::optional<Grown> grow(int seed, std::size_t kind, std::vector<int> facets, bool rough) {
        if (kind > 0 && facets.size() < 6) return std::nullopt;
        const double limit = kind == 0 ? plane_turn : curved_turn;
        Grown out;
        for (int round = 0; round < (clean_ ? 12 : 6); ++round) {
            const auto fit = fitted(kind, facets, 100, rough);
            auto wider = fit ? spread(seed, fit->surface, limit) : std::vector<int>{};
            if (wider.empty()) {
                return std::nullopt;
            }
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

    // Where a tessellation has strips of many facets in one plane, a start must be large to see how the surface turns.
    std::size_t wide_start(int seed) {
        constexpr std::size_t usual = 40, widest = 6000;
        std::size_t n = usual;
        for (std::size_t before = 0; n < widest; n *= 4) {
            const auto facets = patch(seed, n);
            if (facets.size() == before || turns_in_steps(facets)) break;
            before = facets.size();
        }
        return n;
    }

    // The simplest surface wins unless another carries clearly further.
    std::optional<Grown> best_from(int seed, std::size_t kinds) {
        std::optional<Grown> best;
        auto sizes = clean_ ? std::vector<std::size_t>{14, 40} : std::vector<std::size_t>{20, 80, 320};
        if (clean_ && kinds > 1)
            if (const std::size_t wide = wide_start(seed); wide > sizes.back()) sizes.push_back(wide);
        for (std::size_t kind = 0; kind < kinds; ++kind) {
            std::optional<Grown> mine;
            std::vector<std::vector<int>> tried;
            const auto attempt = [&](std::vector<int> start, bool rough = false) {
                if (std::find(tried.begin(), tried.end(), start) != tried.end()) return;
                tried.push_back(start);
                auto g = grow(seed, kind, std::move(start), rough);
                if (g && (!mine || g->area > mine->area * (1 + 1e-6))) mine = std::move(g);
            };
            for (std::size_t n : clean_&& kind == 0 ? std::vector<std::size_t>{1} : sizes) attempt(patch(seed, n));
            if (clean_ && kind > 0 && !mine) attempt(patch(seed, sizes[0], true));
            if (clean_ && (kind == 1 || kind == 2)) {
                auto row = strip(seed, sizes[1]);
                const bool short_row = row.size() < sizes[1] && slender(ix(seed));  // all of it is seen, and other starts see little of it
                if (!mine || short_row) attempt(std::move(row), short_row);
            }
            if (clean_ && kind == 4 && !mine) attempt(patch(seed, 160));  // seven numbers want more to go by
            // A band between two rings of corners is of any form: the simplest, unless another goes on well beyond it.
            const double further = clean_ && best && best->surface.index() > 0 ? 1.5 : 1.15;
            if (mine && (!best || mine->area > best->area * further)) best = std::move(mine);
        }
        if (!best) return std::nullopt;
        if (clean_ && best->surface.index() > 1) simplify(*best, seed);
        // On scattered corners a few facets prove nothing.
        if (!clean_ && best->facets.size() < 12) return std::nullopt;
        return best;
    }

    // A band between few rings of corners lies on many surfaces: where most of it is of a simpler form, it is that.
    void simplify(Grown& g, int seed) {
        for (std::size_t kind = 1; kind < g.surface.index(); ++kind) {
            const auto fit = trimmed(kind, g.facets, seed);
            if (!fit || fit->worst > within_) continue;
            Grown plain{fit->surface, spread(seed, fit->surface, curved_turn), 0, fit->rms};
            for (int f : plain.facets) plain.area += area_[ix(f)];
            if (plain.area * 1.5 < g.area || !even_steps(plain.surface, plain.facets)) continue;
            g = std::move(plain);
            return;
        }
    }

    // Once more with all it has, to full accuracy; what that reaches beyond it belongs to it too.
    void take(Grown g, int seed) {
        for (int round = 0; round < (clean_ ? 8 : 1); ++round) {
            const auto fit = fitted(g.surface.index(), g.facets, 4000);
            if (!fit || fit->surface.index() != g.surface.index() || fit->rms > 1.05 * g.rms + within_) break;
            g.surface = fit->surface, g.rms = fit->rms;
            if (!clean_) break;
            auto wider = spread(seed, g.surface, g.surface.index() == 0 ? plane_turn : curved_turn);
            if (wider.size() <= g.facets.size() || (g.surface.index() > 0 && !even_steps(g.surface, wider))) break;
            g.facets = std::move(wider);
        }
        g.area = 0;
        for (int f : g.facets) region_[ix(f)] = static_cast<int>(regions_.size()), g.area += area_[ix(f)];
        regions_.push_back(std::move(g));
    }

    double cost(int region, std::size_t f) const {
        if (std::holds_alternative<FreeSurface>(regions_[ix(region)].surface)) return std::numeric_limits<double>::infinity();
        double d = 0;
        for (std::size_t k = 0; k < 3; ++k) d = std::max(d, std::abs(signed_distance(regions_[ix(region)].surface, m_.at(f, k))));
        return d;
    }

    // Regions all of whose facets lie on a larger curved neighbour's surface as the neighbour's own do are part of it: poor
    // facets turn too far from a surface to be grown over, and the thin starts of a fine tessellation pass for planes or cones.
    void absorb() {
        for (bool changed = true; changed;) {
            changed = false;
            std::vector<std::vector<int>> facets(regions_.size());
            for (std::size_t f = 0; f < region_.size(); ++f)
                if (region_[f] >= 0) facets[ix(region_[f])].push_back(static_cast<int>(f));
            std::vector<double> area(regions_.size(), 0), limit(regions_.size(), -1);
            for (std::size_t r = 0; r < facets.size(); ++r)
                for (int f : facets[r]) area[r] += area_[ix(f)];
            std::vector<int> order(regions_.size());
            std::iota(order.begin(), order.end(), 0);
            std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return area[ix(a)] < area[ix(b)]; });
            std::vector<bool> grew(regions_.size(), false);
            for (int a : order) {
                if (facets[ix(a)].empty() || grew[ix(a)]) continue;  // one that grew waits for the next round
                std::set<int> beside;
                for (int f : facets[ix(a)])
                    for (int g : m_.across[ix(f)])
                        if (const int r = g >= 0 ? region_[ix(g)] : -1; r >= 0 && r != a && area[ix(r)] >= area[ix(a)] && facets[ix(r)].size() > 4)
                            beside.insert(r);
                int best = -1;
                const auto carries = [&](int b, const std::vector<int>& which) {
                    const Surface& s = regions_[ix(b)].surface;
                    if (std::holds_alternative<PlaneSurface>(s)) return false;
                    if (limit[ix(b)] < 0) limit[ix(b)] = most_sag(s, facets[ix(b)]);
                    // Of the same surface met from another start, the steps need no look.
                    const double most = same_surface(ix(a), s, facets[ix(a)]) ? std::numeric_limits<double>::infinity() : limit[ix(b)];
                    return std::all_of(which.begin(), which.end(), [&](int f) { return lies_on(s, b, ix(f), most); });
                };
                for (int b : beside)
                    if ((best < 0 || area[ix(b)] > area[ix(best)]) && carries(b, facets[ix(a)])) best = b;
                std::vector<int> to(facets[ix(a)].size(), best);
                // Where a profile turns from one side to the other, facets of both curves lie in one plane.
                if (best < 0 && std::holds_alternative<PlaneSurface>(regions_[ix(a)].surface))
                    for (std::size_t i = 0; i < to.size(); ++i)
                        for (int b : beside)
                            if (to[i] < 0 && carries(b, {facets[ix(a)][i]})) to[i] = b;
                if (std::find(to.begin(), to.end(), -1) != to.end()) continue;
                for (std::size_t i = 0; i < to.size(); ++i) {
                    const int f = facets[ix(a)][i];
                    region_[ix(f)] = to[i], regions_[ix(to[i])].facets.push_back(f), grew[ix(to[i])] = true;
                }
                regions_[ix(a)].facets.clear();
                facets[ix(a)].clear(), changed = true;
            }
        }
    }

    bool same_surface(std::size_t region, const Surface& s, const std::vector<int>& facets) const {
        const Surface& own = regions_[region].surface;
        if (own.index() != s.index() || facets.size() < 12) return false;
        return std::all_of(facets.begin(), facets.end(), [&](int f) {
            const Vec3 middle = (m_.at(ix(f), 0) + m_.at(ix(f), 1) + m_.at(ix(f), 2)) / 3;
            const auto a = surface_normal(own, middle), b = surface_normal(s, middle);
            return a && b && a->cross(*b).norm() < std::sin(plane_turn);
        });
    }

    // Where two surfaces run into each other, the first one took what lay within its tolerance: facets that lie much better
    // on the neighbour go there.
    void settle() {
        std::vector<double> usual(regions_.size(), 0);
        std::vector<std::vector<double>> all(regions_.size());
        for (std::size_t f = 0; f < region_.size(); ++f)
            if (region_[f] >= 0) all[ix(region_[f])].push_back(cost(region_[f], f));
        for (std::size_t r = 0; r < all.size(); ++r) {
            if (all[r].empty()) continue;
            std::nth_element(all[r].begin(), all[r].begin() + static_cast<std::ptrdiff_t>(all[r].size() / 2), all[r].end());
            usual[r] = all[r][all[r].size() / 2];
        }
        std::set<int> moved;
        for (bool changed = true; changed;) {
            changed = false;
            for (std::size_t f = 0; f < region_.size(); ++f) {
                const int own = region_[f];
                if (own < 0) continue;
                const double here = cost(own, f);
                if (here < 8 * usual[ix(own)] + 0.02 * within_) continue;
                for (int g : m_.across[f]) {
                    const int other = g >= 0 ? region_[ix(g)] : -1;
                    if (other < 0 || other == own || cost(other, f) > 0.2 * here) continue;
                    if (!lies_on(regions_[ix(other)].surface, other, f, std::numeric_limits<double>::infinity())) continue;
                    region_[f] = other, moved.insert(own), moved.insert(other), changed = true;
                    break;
                }
            }
        }
        for (int r : moved) refit(ix(r));
    }

    void refit(std::size_t r) {
        Grown& g = regions_[r];
        g.facets.clear();
        for (std::size_t f = 0; f < region_.size(); ++f)
            if (region_[f] == static_cast<int>(r)) g.facets.push_back(static_cast<int>(f));
        if (g.facets.size() < 3) return;
        if (const auto fit = fitted(g.surface.index(), g.facets, 4000); fit && fit->surface.index() == g.surface.index() && fit->rms <= within_)
            g.surface = fit->surface;
    }

    bool lies_on(const Surface& s, int region, std::size_t f, double limit) const {
        constexpr double steep = 60 * pi / 180, thin = 0.05;
        if (cost(region, f) > within_ || facet_sag(s, f) > limit) return false;
        double longest = 0;
        for (std::size_t k = 0; k < 3; ++k) longest = std::max(longest, (m_.at(f, k + 1) - m_.at(f, k)).norm());
        if (2 * area_[f] < thin * longest * longest) return true;  // a splinter's normal tells nothing
        const auto n = surface_normal(s, (m_.at(f, 0) + m_.at(f, 1) + m_.at(f, 2)) / 3);
        return n && std::abs(n->dot(normal_[f])) > std::cos(steep);
    }

    // Facets left over beside a region that nearly fit it join it; ragged boundaries are evened out.
    void adopt() {
        if (clean_) {
            absorb();
            settle();
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

    // Skin between sharp edges that a few plain surfaces do not carry is of one free form. Returns what is neither.
    std::vector<std::vector<int>> free_forms() {
        std::vector<std::vector<int>> open, plain;
        std::vector<bool> seen(region_.size(), false);
        for (std::size_t f = 0; f < region_.size(); ++f) {
            if (seen[f]) continue;
            std::vector<int> group{static_cast<int>(f)};
            seen[f] = true;
            for (std::size_t i = 0; i < group.size(); ++i)
                for (int g : m_.across[ix(group[i])])
                    if (g >= 0 && !seen[ix(g)] && angle(ix(group[i]), ix(g)) < sharp) seen[ix(g)] = true, group.push_back(g);
            if (!carried(group) && !make_free(group)) open.push_back(std::move(group));
            else if (!clean_) plain.push_back(std::move(group));
        }
        // Under scatter plain surfaces pass for pieces of such a rim.
        for (const auto& group : plain)
            if (std::set<int> used = regions_of(group); used.size() > 1) release_rim(group);
        std::erase_if(open, [&](const std::vector<int>& group) { return release_rim(group); });
        if (robbed_.empty()) return open;
        // What is left of the regions these were taken from lies across a sharp edge from them: to the neighbours there.
        for (int& r : region_)
            if (robbed_.count(r)) r = -1;
        adopt();
        clean_up();
        return open;
    }

    // Regions that have a good share of it.
    std::set<int> large_regions(const std::vector<int>& group) const {
        constexpr double large = 0.08;
        std::map<int, double> areas;
        double all = 0;
        for (int f : group) areas[region_[ix(f)]] += area_[ix(f)], all += area_[ix(f)];
        std::set<int> out;
        for (const auto& [r, a] : areas)
            if (r >= 0 && a >= large * all && supported(ix(r))) out.insert(r);
        return out;
    }

    // Is most of it of a few large regions?
    bool carried(const std::vector<int>& group, std::size_t few = 12) const {
        constexpr double enough = 0.75;
        std::map<int, double> areas;
        double all = 0;
        for (int f : group) areas[region_[ix(f)]] += area_[ix(f)], all += area_[ix(f)];
        std::vector<double> in_large;
        for (int r : large_regions(group)) in_large.push_back(areas[r]);
        std::sort(in_large.rbegin(), in_large.rend());
        in_large.resize(std::min(in_large.size(), few));
        return std::accumulate(in_large.begin(), in_large.end(), 0.0) >= enough * all;
    }

    std::set<int> regions_of(const std::vector<int>& group) const {
        std::set<int> out;
        for (int f : group) out.insert(region_[ix(f)]);
        return out;
    }

    bool make_free(const std::vector<int>& group) {
        std::map<int, int> place;
        std::vector<Vec3> points, normals;
        std::vector<std::array<int, 3>> facets;
        for (int f : group) {
            std::array<int, 3> corners{};
            for (std::size_t k = 0; k < 3; ++k) {
                const int c = m_.facets[ix(f)][k];
                const auto [it, fresh] = place.try_emplace(c, static_cast<int>(points.size()));
                if (fresh) points.push_back(m_.points[ix(c)]);
                corners[k] = it->second;
            }
            facets.push_back(corners);
            if (area_[ix(f)] > 0) normals.push_back(normal_[ix(f)]);
        }
        if (!has_inside(group, points.size())) return false;
        const auto fit = fit_skin(points, facets, normals, noise_);
        if (!fit || fit->rms > (clean_ ? clean_form * within_ : 0.5 * within_)) return false;
        Grown g{fit->surface, group, 0, fit->rms};
        for (int f : group) {
            if (region_[ix(f)] >= 0) robbed_.insert(region_[ix(f)]);
            region_[ix(f)] = static_cast<int>(regions_.size()), g.area += area_[ix(f)];
        }
        regions_.push_back(std::move(g));
        return true;
    }

    // The rim of free forms is of no plain surface either: facets say best where it is. True when `group` was such a rim.
    bool release_rim(const std::vector<int>& group) {
        std::set<int> corners;
        bool beside_free = false;
        for (int f : group) {
            corners.insert(m_.facets[ix(f)].begin(), m_.facets[ix(f)].end());
            for (int g : m_.across[ix(f)])
                if (g >= 0 && group_[ix(g)] != group_[ix(f)] && region_[ix(g)] >= 0)
                    beside_free = beside_free || std::holds_alternative<FreeSurface>(regions_[ix(region_[ix(g)])].surface);
        }
        if (!beside_free || has_inside(group, corners.size())) return false;
        for (int f : group) region_[ix(f)] = -1;
        return true;
    }

    // A row of facets between two borders, as on a rim, says nothing of how a surface runs between them.
    [[nodiscard]] bool has_inside(const std::vector<int>& group, std::size_t corners) const {
        std::set<int> border;
        for (int f : group)
            for (std::size_t k = 0; k < 3; ++k) {
                const int g = m_.across[ix(f)][k];
                if (g >= 0 && group_[ix(g)] == group_[ix(f)]) continue;
                for (const std::size_t c : {k, (k + 1) % 3}) border.insert(m_.facets[ix(f)][c]);
            }
        return 4 * border.size() < 3 * corners;
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
    bool tori_;  // tori are looked for
    double within_, loose_;
    std::vector<Vec3> normal_;
    std::vector<double> area_;
    std::vector<int> region_, mark_, group_;
    std::vector<Luck> luck_;                // of each group
    std::vector<std::vector<int>> around_;  // facets at each corner
    std::map<std::pair<int, int>, Vec3> corner_normals_;
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
