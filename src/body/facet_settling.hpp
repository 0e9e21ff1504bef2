#pragma once
/// What becomes of regions once they are grown: pieces of one are brought together, borders are set right, and what plain forms do not
/// carry is of a free form.

#include "body/facet_growth.hpp"

namespace halvo {

/// Regions set right.
class FacetSettling : public FacetGrowth {
protected:
    using FacetGrowth::FacetGrowth;

    // Regions all of whose facets lie on a larger curved neighbour's surface as the neighbour's own do are part of it: poor
    // facets turn too far from a surface to be grown over, and the thin starts of a fine tessellation pass for planes or cones.
    void absorb();
    // Where two surfaces run into each other, the first one took what lay within its tolerance: facets that lie much better
    // on the neighbour go there.
    void settle();
    // Facets left over beside a region that nearly fit it join it; ragged boundaries are evened out.
    void adopt();
    // Facets at the border of a region may be a little off: where the file's own surfaces only nearly met.
    void reach_out();
    // Curved regions that end amid what goes on smoothly and has no region are pieces of another form.
    void release_open();
    // Small rests between regions go to the neighbour they lie nearest to; so do crumbs cut off from their region.
    void clean_up();
    // From the border inwards, each facet to the neighbouring region that costs least.
    bool give_away(const std::vector<int>& list, int own);
    // Skin between sharp edges that a few plain surfaces do not carry is of one free form. Returns what is neither.
    std::vector<std::vector<int>> free_forms();
    bool make_free(const std::vector<int>& group);
    // The rim of free forms is of no plain surface either: facets say best where it is. True when `group` was such a rim.
    bool release_rim(const std::vector<int>& group);
    // What lies between the large regions of a rest, as corners do between the rounds that run into them.
    void free_between(const std::vector<int>& rest);

private:
    // What each region has now; `sag` is filled as it is asked for.
    struct Shares {
        std::vector<std::vector<int>> facets;
        std::vector<double> area, sag;
    };
    [[nodiscard]] Shares shares() const;
    // For each facet of a region the larger curved neighbour that carries it, -1 where none does.
    [[nodiscard]] std::vector<int> homes(int region, Shares& all) const;

    std::set<int> robbed_;  // regions that lost facets to a free form
};

}  // namespace halvo
