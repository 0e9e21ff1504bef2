#pragma once
/// Details of a body: holes, what is raised or sunk, rounds, chamfers. Each function finds one family of them.

#include "body/skin.hpp"

#include <halvo/strip.hpp>

namespace halvo {

/// A body whose features are looked for.
struct Searched {
    const Body& body;
    const FaceNeighbours& neighbours;
    double tol = 0;
    [[nodiscard]] Vec3 middle(int face) const;  ///< of its facets' box
};

/// Holes and what is raised or sunk: all that lies behind loops inside of faces and leads nowhere else.
[[nodiscard]] std::vector<Feature> find_islands(const Searched& s);
/// Chains of rounds of one radius, at most `largest` (mm). Bends of sheet, round on both skins, are none.
[[nodiscard]] std::vector<Feature> find_round_chains(const Searched& s, double largest);
/// Chains of chamfers with legs of at most `largest` (mm).
[[nodiscard]] std::vector<Feature> find_chamfers(const Searched& s, double largest);

/// A sliver, or some that hang together, and which faces could go with it so that the others meet: it alone, or with all on one side of it.
struct SliverFound {
    Feature feature;
    std::vector<std::vector<int>> ways;
};
/// Faces at most `widest` wide (mm, area over half the border); those `taken` by other features are passed over.
[[nodiscard]] std::vector<SliverFound> find_slivers(const Searched& s, double widest, const std::vector<bool>& taken);

}  // namespace halvo
