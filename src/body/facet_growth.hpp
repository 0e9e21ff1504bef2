#pragma once
/// Growing of regions from single facets (Besl & Jain, 1988).

#include "body/facet_forms.hpp"

namespace halvo {

/// From each start the form that carries a region furthest.
class FacetGrowth : public FacetForms {
protected:
    FacetGrowth(const FacetMesh& m, double noise, double size) : FacetForms(m, noise, size), mark_(m.facets.size(), 0) {}

    // A start beside a border may see too much of what lies behind: lone facets wait until all else has been tried.
    void grow_all(const std::vector<int>& order);
    void grow_from(const std::vector<int>& order, bool last);
    // The nearest facets by number of steps that are free and not behind a sharp edge.
    // `alike`: only those of about the seed's size, as the long facets of a narrow ring are beside the small ones around it.
    std::vector<int> patch(int seed, std::size_t most, bool alike = false);
    [[nodiscard]] bool slender(std::size_t f) const;
    // The facets of a row of long ones, as a tessellation has along what is straight one way: met across long sides only.
    std::vector<int> strip(int seed, std::size_t most);
    std::vector<int> spread(int seed, const Surface& s, double limit);
    std::optional<GrownRegion> grow(int seed, std::size_t kind, std::vector<int> facets, bool rough);
    // Where a tessellation has strips of many facets in one plane, a start must be large to see how the surface turns.
    std::size_t wide_start(int seed);
    // The simplest surface wins unless another carries clearly further.
    std::optional<GrownRegion> best_from(int seed, std::size_t kinds);
    // A band between few rings of corners lies on many surfaces: where most of it is of a simpler form, it is that.
    void simplify(GrownRegion& g, int seed);
    // Once more with all it has, to full accuracy; what that reaches beyond it belongs to it too.
    void take(GrownRegion g, int seed);

private:
    // Skin between sharp edges on which curved starts keep failing is of no plain curved form; more starts would only cost time.
    struct Luck {
        int won = 0, lost = 0;
        [[nodiscard]] bool out() const { return lost > 100 + 20 * won; }
    };
    std::vector<Luck> luck_;  // of each group
    std::vector<int> mark_;
    int stamp_ = 0;
};

}  // namespace halvo
