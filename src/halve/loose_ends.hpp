#pragma once
/// Small pieces of walls where several meet, decided by what they leave loose.

#include "model/arrangement.hpp"

#include <functional>

namespace halvo {

/// What is known of the cells of one wall.
struct WallCells {
    const Chart* chart = nullptr;
    double thickness = 0, thickest_near = 0;  ///< of it, and of it and those it may cross
    bool fixed = false;                       ///< nothing of it is to change
    struct Cell {
        bool inside = false;  ///< in the body's material
        bool open = false;    ///< of material that is no other wall's: may be taken
        bool held = false;    ///< between the wall's own sides: stays
        bool slight = false;  ///< but for the smaller part at most
        double share = 0;     ///< of its area, between them or leading there
    };
    std::vector<Cell> cells;
};

/// Does a wall's material go on past a half-edge, to its right?
using GoesOn = std::function<bool(std::size_t wall, int half)>;

/// Where tubes or walls meet at a node, rays from a small piece of one hit the others, and do not tell whether it is a part of the sheet or
/// a stub beyond a seam. It is what leaves less of an edge loose: an edge with one sheet on it, past which that sheet's material goes on.
class LooseEnds {
public:
    /// Refers to all that it is given, and changes `keep`.
    LooseEnds(const Arrangement& a, const std::vector<WallCells>& walls, GoesOn goes_on, std::vector<std::vector<Keep>>& keep);

    /// Takes and drops small pieces.
    void settle();
    /// Would others be loose along more than a little, if these cells of a wall were dropped?
    [[nodiscard]] bool needed(std::size_t wall, const std::vector<std::size_t>& cells);

private:
    struct Side {
        std::size_t wall;
        int half;
    };
    [[nodiscard]] int cell(const Side& s) const;
    [[nodiscard]] double loose(int edge);
    [[nodiscard]] double loose_round(std::size_t i, std::size_t c);
    [[nodiscard]] bool meets_another(std::size_t i, std::size_t c) const;
    [[nodiscard]] bool goes_on_from(std::size_t i, std::size_t c) const;
    bool settle(std::size_t i, std::size_t c);

    const Arrangement& a_;
    const std::vector<WallCells>& walls_;
    GoesOn goes_on_;
    std::vector<std::vector<Keep>>& keep_;
    std::vector<std::vector<Side>> at_;                  // each edge
    std::vector<std::vector<std::vector<int>>> halves_;  // of each wall's cells
    std::vector<double> length_;
    std::vector<std::map<int, bool>> known_;  // of each wall's half-edges: does the material go on past it?
};

}  // namespace halvo
