#include "body/facet_growth.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {}  // namespace

void FacetGrowth::grow_all(const std::vector<int>& order) {
    if (clean_) grow_from(order, false);
    grow_from(order, true);
}

void FacetGrowth::grow_from(const std::vector<int>& order, bool last) {
    luck_.assign(static_cast<std::size_t>(groups_), {});
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

std::vector<int> FacetGrowth::patch(int seed, std::size_t most, bool alike) {
    constexpr double unlike = 4;
    const double large = alike ? unlike * area_[ix(seed)] : std::numeric_limits<double>::infinity(), small = alike ? area_[ix(seed)] / unlike : 0;
    ++stamp_;
    std::vector<int> out{seed};
    mark_[ix(seed)] = stamp_;
    for (std::size_t i = 0; i < out.size() && out.size() < most; ++i)
        for (int g : m_.across[ix(out[i])])
            if (g >= 0 && mark_[ix(g)] != stamp_ && region_[ix(g)] < 0 && area_[ix(g)] >= small && area_[ix(g)] <= large && angle(ix(out[i]), ix(g)) < sharp)
                mark_[ix(g)] = stamp_, out.push_back(g);
    return out;
}

bool FacetGrowth::slender(std::size_t f) const {
    constexpr double ratio = 8;  // of length to height
    double longest = 0;
    for (std::size_t k = 0; k < 3; ++k) longest = std::max(longest, (m_.at(f, k + 1) - m_.at(f, k)).squaredNorm());
    return longest > ratio * 2 * area_[f];
}

std::vector<int> FacetGrowth::strip(int seed, std::size_t most) {
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

std::vector<int> FacetGrowth::spread(int seed, const Surface& s, double limit) {
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

std::optional<GrownRegion> FacetGrowth::grow(int seed, std::size_t kind, std::vector<int> facets, bool rough) {
    if (kind > 0 && facets.size() < 6) return std::nullopt;
    const double limit = kind == 0 ? plane_turn : curved_turn;
    GrownRegion out;
    for (int round = 0; round < (clean_ ? 12 : 6); ++round) {
        const auto fit = fitted(kind, facets, 100, rough);
        auto wider = fit ? spread(seed, fit->surface, limit) : std::vector<int>{};
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

std::size_t FacetGrowth::wide_start(int seed) {
    constexpr std::size_t usual = 40, widest = 6000;
    std::size_t n = usual;
    for (std::size_t before = 0; n < widest; n *= 4) {
        const auto facets = patch(seed, n);
        if (facets.size() == before || turns_in_steps(facets)) break;
        before = facets.size();
    }
    return n;
}

std::optional<GrownRegion> FacetGrowth::best_from(int seed, std::size_t kinds) {
    std::optional<GrownRegion> best;
    auto sizes = clean_ ? std::vector<std::size_t>{14, 40} : std::vector<std::size_t>{20, 80, 320};
    if (clean_ && kinds > 1)
        if (const std::size_t wide = wide_start(seed); wide > sizes.back()) sizes.push_back(wide);
    for (std::size_t kind = 0; kind < kinds; ++kind) {
        std::optional<GrownRegion> mine;
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

void FacetGrowth::simplify(GrownRegion& g, int seed) {
    for (std::size_t kind = 1; kind < g.surface.index(); ++kind) {
        const auto fit = trimmed(kind, g.facets, seed);
        if (!fit || fit->worst > within_) continue;
        GrownRegion plain{fit->surface, spread(seed, fit->surface, curved_turn), 0, fit->rms};
        for (int f : plain.facets) plain.area += area_[ix(f)];
        if (plain.area * 1.5 < g.area || !even_steps(plain.surface, plain.facets)) continue;
        g = std::move(plain);
        return;
    }
}

void FacetGrowth::take(GrownRegion g, int seed) {
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

}  // namespace halvo
