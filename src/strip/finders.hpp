#pragma once
/// The parts of looking for features: each finds one family of them in one body.

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

/// Sets families and patterns, and which holes look like bolt holes. Holes of other bodies across from one count for that.
void sort_families(const Assembly& solids, std::vector<Feature>& features);

}  // namespace halvo
