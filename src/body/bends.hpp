#pragma once
/// Bends: pairs of rounds that go on smoothly in the same walls on both sides.

#include "body/wall_search.hpp"

namespace halvo {

struct Bend {
    int a = -1, b = -1;      ///< faces, a < b; of a round over a sharp inner edge the round and one of the ridge
    std::vector<int> ridge;  ///< faces that meet sharply on the other side of a round
    Surface mid;
    double error = 0;  ///< largest distance of its points from equal distance (mm)
    std::vector<const Probe*> seen;
    std::vector<Probe> own;  ///< those of them that are made for a ridge
};

/// Midsurfaces of cylinders, tori and balls between walls that are known: touching the walls' own midsurfaces, with the mean of both
/// radii. So they fit without a gap, also where the rounds are no offsets of each other; on those that are, it is the same surface.
/// A sharp edge inside counts as a round of no radius.
[[nodiscard]] std::vector<Bend> find_bends(const Body& body, const Skin& skin, const std::vector<Wall>& walls, double tol);

}  // namespace halvo
