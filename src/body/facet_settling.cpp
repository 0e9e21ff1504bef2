#include "body/facet_settling.hpp"

#include "core/index.hpp"
#include "geom/fit_free.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <span>

namespace halvo {
namespace {}  // namespace

void FacetSettling::absorb() {
    for (bool changed = true; changed;) {
        changed = false;
        Shares all = shares();
        std::vector<int> order(regions_.size());
        std::iota(order.begin(), order.end(), 0);
        std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return all.area[ix(a)] < all.area[ix(b)]; });
        std::vector<bool> grew(regions_.size(), false);
        for (int a : order) {
            auto& own = all.facets[ix(a)];
            if (own.empty() || grew[ix(a)]) continue;  // one that grew waits for the next round
            const std::vector<int> to = homes(a, all);
            if (std::find(to.begin(), to.end(), -1) != to.end()) continue;
            for (std::size_t i = 0; i < to.size(); ++i) {
                region_[ix(own[i])] = to[i], regions_[ix(to[i])].facets.push_back(own[i]), grew[ix(to[i])] = true;
            }
            regions_[ix(a)].facets.clear();
            own.clear(), changed = true;
        }
    }
}

FacetSettling::Shares FacetSettling::shares() const {
    Shares out{std::vector<std::vector<int>>(regions_.size()), std::vector<double>(regions_.size(), 0), std::vector<double>(regions_.size(), -1)};
    for (std::size_t f = 0; f < region_.size(); ++f)
        if (region_[f] >= 0) out.facets[ix(region_[f])].push_back(static_cast<int>(f)), out.area[ix(region_[f])] += area_[f];
    return out;
}

std::vector<int> FacetSettling::homes(int a, Shares& all) const {
    const auto& own = all.facets[ix(a)];
    std::set<int> beside;
    for (int f : own)
        for (int g : m_.across[ix(f)])
            if (const int r = g >= 0 ? region_[ix(g)] : -1; r >= 0 && r != a && all.area[ix(r)] >= all.area[ix(a)] && all.facets[ix(r)].size() > 4)
                beside.insert(r);
    const auto carries = [&](int b, std::span<const int> which) {
        const Surface& s = regions_[ix(b)].surface;
        if (std::holds_alternative<PlaneSurface>(s)) return false;
        if (all.sag[ix(b)] < 0) all.sag[ix(b)] = most_sag(s, all.facets[ix(b)]);
        // Of the same surface met from another start, the steps need no look.
        const double most = same_surface(ix(a), s, own) ? std::numeric_limits<double>::infinity() : all.sag[ix(b)];
        return std::all_of(which.begin(), which.end(), [&](int f) { return lies_on(s, b, ix(f), most); });
    };
    int best = -1;
    for (int b : beside)
        if ((best < 0 || all.area[ix(b)] > all.area[ix(best)]) && carries(b, own)) best = b;
    std::vector<int> to(own.size(), best);
    // Where a profile turns from one side to the other, facets of both curves lie in one plane.
    if (best < 0 && std::holds_alternative<PlaneSurface>(regions_[ix(a)].surface))
        for (std::size_t i = 0; i < to.size(); ++i)
            for (int b : beside)
                if (to[i] < 0 && carries(b, {&own[i], 1})) to[i] = b;
    return to;
}

void FacetSettling::settle() {
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

void FacetSettling::adopt() {
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

void FacetSettling::reach_out() {
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

void FacetSettling::release_open() {
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

void FacetSettling::clean_up() {
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

bool FacetSettling::give_away(const std::vector<int>& list, int own) {
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

std::vector<std::vector<int>> FacetSettling::free_forms() {
    std::vector<std::vector<int>> open, plain;
    for (auto& group : connected(std::vector<bool>(region_.size(), true))) {
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

bool FacetSettling::make_free(const std::vector<int>& group) {
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
    GrownRegion g{fit->surface, group, 0, fit->rms};
    for (int f : group) {
        if (region_[ix(f)] >= 0) robbed_.insert(region_[ix(f)]);
        region_[ix(f)] = static_cast<int>(regions_.size()), g.area += area_[ix(f)];
    }
    regions_.push_back(std::move(g));
    return true;
}

bool FacetSettling::release_rim(const std::vector<int>& group) {
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

void FacetSettling::free_between(const std::vector<int>& rest) {
    const std::set<int> anchors = large_regions(rest);
    if (anchors.empty()) return;
    std::vector<bool> wanted(region_.size(), false);
    for (int f : rest) wanted[ix(f)] = !anchors.count(region_[ix(f)]);
    for (const auto& piece : connected(std::move(wanted)))
        if (!carried(piece, 1)) make_free(piece);
}

}  // namespace halvo
