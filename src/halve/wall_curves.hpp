#pragma once
/// All curves that may bound the sheets of one body: outlines, crossings, middle edges between smooth neighbours, cuts.

#include "halve/bores.hpp"
#include "halve/middle_edges.hpp"
#include "model/arrangement.hpp"

#include <set>

namespace halvo {

struct WallCurves {
    ArrangementInput input;
    double slack = 0;  ///< by how much curves that mean one point may miss each other; grows where smooth neighbours do not quite meet
    std::vector<MiddleEdge> middles;
    std::set<std::size_t> open_rings;  ///< curved walls that do not end where they cross another one: the curve does not close round them
    std::set<int> mouths;              ///< curves drawn across the mouths of notches no wider than `openings`
};
[[nodiscard]] WallCurves wall_curves(const Body& body, const Skin& skin, const std::vector<WallSurface>& walls, const Bores& bores, double tol, double slack,
                                     double openings);

}  // namespace halvo
