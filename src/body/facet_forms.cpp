#include "body/facet_forms.hpp"

#include "core/index.hpp"
#include "geom/dense.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace halvo {
namespace {}  // namespace

FacetForms::FacetForms(const FacetMesh& m, double noise, double size)
    : m_(m), noise_(noise), clean_(noise == 0), tori_(noise == 0), within_(noise > 0 ? reach * noise : clean_within * size), loose_(within_) {
    const std::size_t n = m.facets.size();
    normal_.resize(n), area_.resize(n), region_.assign(n, -1);
    for (std::size_t f = 0; f < n; ++f) {
        const Vec3 c = m.cross(f);
        area_[f] = 0.5 * c.norm();
        normal_[f] = area_[f] > 0 ? Vec3(c / c.norm()) : Vec3::Zero();
    }
    if (!clean_) smooth_normals();
    find_groups();
}

void FacetForms::find_groups() {
    group_.assign(region_.size(), -1);
    for (const auto& list : connected(std::vector<bool>(region_.size(), true))) {
        for (int f : list) group_[ix(f)] = groups_;
        ++groups_;
    }
}

void FacetForms::smooth_normals() {
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

std::optional<Fit> FacetForms::fitted(std::size_t kind, const std::vector<int>& facets, std::size_t most, bool rough) {
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

std::pair<std::vector<Vec3>, std::vector<Vec3>> FacetForms::corners_of(const std::vector<int>& facets, std::size_t step) {
    std::set<int> corners;
    std::vector<Vec3> feet, normals;
    for (std::size_t i = 0; i < facets.size(); i += step)
        for (int c : m_.facets[ix(facets[i])])
            if (corners.insert(c).second) feet.push_back(m_.points[ix(c)]), normals.push_back(corner_normal(c, group_[ix(facets[i])]));
    return {std::move(feet), std::move(normals)};
}

std::optional<Fit> FacetForms::cone_from_corners(const std::vector<int>& facets, std::size_t step) {
    const auto [feet, normals] = corners_of(facets, step);
    return fit_cone(feet, normals, Effort{12, 1e-9});
}

std::optional<Fit> FacetForms::torus(const std::vector<Vec3>& points, const std::vector<int>& facets, std::size_t step, const Effort& effort) {
    const auto [feet, normals] = corners_of(facets, step);
    return fit_torus(points, feet, normals, effort);
}

Vec3 FacetForms::corner_normal(int corner, int group) {
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
    const Eigen::VectorXd x = least_squares(a, z).x;
    return known->second = (frame.z - x[0] * frame.x - x[1] * frame.y).normalized();
}

const std::vector<int>& FacetForms::around(int corner) {
    if (around_.empty()) {
        around_.resize(m_.points.size());
        for (std::size_t f = 0; f < m_.facets.size(); ++f)
            for (int c : m_.facets[f]) around_[ix(c)].push_back(static_cast<int>(f));
    }
    return around_[ix(corner)];
}

bool FacetForms::fits(const Surface& s, std::size_t f, double limit) const {
    for (std::size_t k = 0; k < 3; ++k)
        if (std::abs(signed_distance(s, m_.at(f, k))) > within_) return false;
    const Vec3 middle = (m_.at(f, 0) + m_.at(f, 1) + m_.at(f, 2)) / 3;
    return std::abs(surface_normal(s, middle)->dot(normal_[f])) > std::cos(limit);
}

double FacetForms::facet_sag(const Surface& s, std::size_t f) const {
    double d = 0;
    for (std::size_t k = 0; k < 3; ++k) d = std::max(d, std::abs(signed_distance(s, 0.5 * (m_.at(f, k) + m_.at(f, k + 1)))));
    return d;
}

double FacetForms::most_sag(const Surface& s, const std::vector<int>& facets) const {
    std::vector<double> all;
    for (int f : facets) all.push_back(facet_sag(s, ix(f)));
    std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2), all.end());
    return 16 * all[all.size() / 2] + within_;
}

bool FacetForms::even_steps(const Surface& s, const std::vector<int>& facets) const {
    if (!clean_) return true;
    const double limit = most_sag(s, facets);
    return std::all_of(facets.begin(), facets.end(), [&](int f) { return facet_sag(s, ix(f)) <= limit; });
}

std::vector<Vec3> FacetForms::distinct_normals(const std::vector<int>& facets, std::size_t most) const {
    std::vector<Vec3> out;
    for (int f : facets) {
        if (std::any_of(out.begin(), out.end(), [&](const Vec3& d) { return d.cross(normal_[ix(f)]).norm() < 2e-3; })) continue;
        out.push_back(normal_[ix(f)]);
        if (out.size() >= most) break;
    }
    return out;
}

bool FacetForms::turns_in_steps(const std::vector<int>& facets) const {
    return distinct_normals(facets, 4).size() >= 4;
}

bool FacetForms::short_bend(const std::vector<int>& facets) const {
    constexpr double alike = 0.02;  // of a step
    std::vector<Vec3> n = distinct_normals(facets, 4);
    if (!clean_ || n.size() != 3) return false;
    const auto turn = [](const Vec3& a, const Vec3& b) { return std::atan2(a.cross(b).norm(), a.dot(b)); };
    // The middle one between the other two.
    const std::array<double, 3> furthest{std::max(turn(n[0], n[1]), turn(n[0], n[2])), std::max(turn(n[1], n[0]), turn(n[1], n[2])),
                                         std::max(turn(n[2], n[0]), turn(n[2], n[1]))};
    std::swap(n[1], n[ix(static_cast<int>(std::min_element(furthest.begin(), furthest.end()) - furthest.begin()))]);
    const double step = turn(n[0], n[1]);
    if (std::abs(turn(n[1], n[2]) - step) > alike * step) return false;
    const std::set<int> own(facets.begin(), facets.end());
    const auto half_a_step_on = [&](const Vec3& of, const Vec3& from, int g) {
        const Vec3& next = normal_[ix(g)];
        return std::abs(turn(of, next) - 0.5 * step) <= alike * step && std::abs(turn(from, next) - 1.5 * step) <= alike * step;
    };
    return std::any_of(facets.begin(), facets.end(), [&](int f) {
        return std::any_of(m_.across[ix(f)].begin(), m_.across[ix(f)].end(),
                           [&](int g) { return g >= 0 && !own.count(g) && (half_a_step_on(n[0], n[1], g) || half_a_step_on(n[2], n[1], g)); });
    });
}

bool FacetForms::curved_enough(const std::vector<int>& facets) const {
    double span = 0;
    for (int f : facets) span = std::max(span, angle(ix(facets[0]), ix(f)));
    return span > least_span && (turns_in_steps(facets) || short_bend(facets));
}

std::optional<Fit> FacetForms::trimmed(std::size_t kind, std::vector<int> facets, int seed) {
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

double FacetForms::rms(const Surface& s, const std::vector<int>& facets) const {
    if (std::holds_alternative<FreeSurface>(s)) return 0;  // a spline brings its own
    double sum = 0;
    for (int f : facets)
        for (std::size_t k = 0; k < 3; ++k) sum += std::pow(signed_distance(s, m_.at(ix(f), k)), 2);
    return facets.empty() ? 0 : std::sqrt(sum / (3.0 * static_cast<double>(facets.size())));
}

double FacetForms::cost(int region, std::size_t f) const {
    if (std::holds_alternative<FreeSurface>(regions_[ix(region)].surface)) return std::numeric_limits<double>::infinity();
    double d = 0;
    for (std::size_t k = 0; k < 3; ++k) d = std::max(d, std::abs(signed_distance(regions_[ix(region)].surface, m_.at(f, k))));
    return d;
}

bool FacetForms::supported(std::size_t r) const {
    const GrownRegion& g = regions_[r];
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

double FacetForms::explained() const {
    double in = 0, all = 0;
    for (std::size_t f = 0; f < area_.size(); ++f) all += area_[f], in += region_[f] >= 0 && supported(ix(region_[f])) ? area_[f] : 0;
    return all > 0 ? in / all : 0;
}

std::vector<std::vector<int>> FacetForms::connected(std::vector<bool> wanted) const {
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

std::vector<std::vector<int>> FacetForms::rests() const {
    std::vector<bool> wanted(region_.size());
    for (std::size_t f = 0; f < region_.size(); ++f) wanted[f] = region_[f] < 0;
    return connected(std::move(wanted));
}

std::set<int> FacetForms::large_regions(const std::vector<int>& group) const {
    constexpr double large = 0.08;
    std::map<int, double> areas;
    double all = 0;
    for (int f : group) areas[region_[ix(f)]] += area_[ix(f)], all += area_[ix(f)];
    std::set<int> out;
    for (const auto& [r, a] : areas)
        if (r >= 0 && a >= large * all && supported(ix(r))) out.insert(r);
    return out;
}

bool FacetForms::carried(const std::vector<int>& group, std::size_t few) const {
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

std::set<int> FacetForms::regions_of(const std::vector<int>& group) const {
    std::set<int> out;
    for (int f : group) out.insert(region_[ix(f)]);
    return out;
}

bool FacetForms::lies_on(const Surface& s, int region, std::size_t f, double limit) const {
    constexpr double steep = 60 * pi / 180, thin = 0.05;
    if (cost(region, f) > within_ || facet_sag(s, f) > limit) return false;
    double longest = 0;
    for (std::size_t k = 0; k < 3; ++k) longest = std::max(longest, (m_.at(f, k + 1) - m_.at(f, k)).norm());
    if (2 * area_[f] < thin * longest * longest) return true;  // a splinter's normal tells nothing
    const auto n = surface_normal(s, (m_.at(f, 0) + m_.at(f, 1) + m_.at(f, 2)) / 3);
    return n && std::abs(n->dot(normal_[f])) > std::cos(steep);
}

bool FacetForms::same_surface(std::size_t region, const Surface& s, const std::vector<int>& facets) const {
    const Surface& own = regions_[region].surface;
    if (own.index() != s.index() || facets.size() < 12) return false;
    return std::all_of(facets.begin(), facets.end(), [&](int f) {
        const Vec3 middle = (m_.at(ix(f), 0) + m_.at(ix(f), 1) + m_.at(ix(f), 2)) / 3;
        const auto a = surface_normal(own, middle), b = surface_normal(s, middle);
        return a && b && a->cross(*b).norm() < std::sin(plane_turn);
    });
}

void FacetForms::refit(std::size_t r) {
    GrownRegion& g = regions_[r];
    g.facets.clear();
    for (std::size_t f = 0; f < region_.size(); ++f)
        if (region_[f] == static_cast<int>(r)) g.facets.push_back(static_cast<int>(f));
    if (g.facets.size() < 3) return;
    if (const auto fit = fitted(g.surface.index(), g.facets, 4000); fit && fit->surface.index() == g.surface.index() && fit->rms <= within_)
        g.surface = fit->surface;
}

bool FacetForms::has_inside(const std::vector<int>& group, std::size_t corners) const {
    std::set<int> border;
    for (int f : group)
        for (std::size_t k = 0; k < 3; ++k) {
            const int g = m_.across[ix(f)][k];
            if (g >= 0 && group_[ix(g)] == group_[ix(f)]) continue;
            for (const std::size_t c : {k, (k + 1) % 3}) border.insert(m_.facets[ix(f)][c]);
        }
    return 4 * border.size() < 3 * corners;
}

}  // namespace halvo
