#pragma once
/// Small pieces of walls where several meet, decided by what they leave loose.

#include "model/arrangement.hpp"

#include <functional>

namespace halvo {

/// What is known of the cells of one wall.
struct WallCells {
    double thickness = 0, thickest_near = 0;  ///< of it, and of it and those it may cross
    bool fixed = false;                       ///< nothing of it is to change
    std::vector<char> held;                   ///< between the wall's own sides: stays
    std::vector<char> open;                   ///< of material that is no other wall's: may be taken
};

/// Does a wall's material go on past a half-edge, to its right?
using GoesOn = std::function<bool(std::size_t wall, int half)>;

/// Where tubes or walls meet at a node, rays from a small piece of one hit the others, and do not tell whether it is a part of the sheet or
/// a stub beyond a seam. It is what leaves less of an edge loose: an edge with one sheet on it, past which that sheet's material goes on.
/// Takes and drops such pieces, as long as that gets less.
void settle_loose_ends(const Arrangement& a, const std::vector<WallCells>& walls, const GoesOn& goes_on, std::vector<std::vector<Keep>>& keep);

}  // namespace halvo
