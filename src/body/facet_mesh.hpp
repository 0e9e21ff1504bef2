#pragma once
/// Facets of one skin with their neighbours: what a facet file becomes before faces are found on it.

#include <halvo/types.hpp>

#include <array>

namespace halvo {

struct FacetMesh {
    std::vector<Vec3> points;
    std::vector<std::array<int, 3>> facets;
    std::vector<std::array<int, 3>> across;  ///< the facet behind the side from corner k to corner k + 1; -1: none
    std::string name;
    int turned = 0;  ///< facets that looked the wrong way and were turned

    [[nodiscard]] const Vec3& at(std::size_t facet, std::size_t corner) const { return points[static_cast<std::size_t>(facets[facet][corner % 3])]; }
    [[nodiscard]] Vec3 cross(std::size_t facet) const { return (at(facet, 1) - at(facet, 0)).cross(at(facet, 2) - at(facet, 0)); }
    [[nodiscard]] double volume() const;
};

/// Welds corners with exactly the same coordinates, finds neighbours, and splits what does not hang together by sides. Where
/// more than two facets share a side, those that bound the same material are neighbours. Facets of a piece are turned to agree
/// with each other, then outward; a skin that encloses a void of another stays with it.
/// `group` and `names` name the pieces; with `separate` groups never weld.
[[nodiscard]] std::vector<FacetMesh> facet_meshes(const std::vector<Vec3>& points, const std::vector<std::array<int, 3>>& facets, const std::vector<int>& group,
                                                  const std::vector<std::string>& names, bool separate);

}  // namespace halvo
