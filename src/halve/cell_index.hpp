#pragma once
/// The cells of all walls of a body, by the edges they share.

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

using CellAt = std::pair<std::size_t, std::size_t>;  ///< wall and cell

/// Refers to all that it is given: `keep` may change.
class CellIndex {
public:
    CellIndex(const Arrangement& arrangement, const std::vector<WallCells>& of_walls, const std::vector<std::vector<Keep>>& kept_cells)
        : a(arrangement), walls(of_walls), keep(kept_cells), at(a.edges.size()), halves(walls.size()) {
        for (const Edge& e : a.edges) length.push_back(e.curve.length());
        for (std::size_t i = 0; i < walls.size(); ++i) {
            halves[i].resize(a.sheets[i].cells.size());
            for (const auto& [half, cell] : a.sheets[i].cell_of) {
                at[static_cast<std::size_t>(half / 2)].push_back({i, half});
                if (cell >= 0) halves[i][static_cast<std::size_t>(cell)].push_back(half);
            }
        }
    }

    /// One side of an edge on one wall.
    struct Side {
        std::size_t wall;
        int half;
    };
    /// The cell there, or -1.
    [[nodiscard]] int cell(const Side& s) const { return a.sheets[s.wall].cell(s.half); }
    [[nodiscard]] bool kept(const Side& s) const {
        const int c = cell(s);
        return c >= 0 && keep[s.wall][static_cast<std::size_t>(c)].kept;
    }
    [[nodiscard]] double outline(const CellAt& c) const {
        double sum = 0;
        for (int half : halves[c.first][c.second]) sum += length[static_cast<std::size_t>(half / 2)];
        return sum;
    }
    [[nodiscard]] double area(const CellAt& c) const { return a.sheets[c.first].cells[c.second].area; }

    const Arrangement& a;
    const std::vector<WallCells>& walls;
    const std::vector<std::vector<Keep>>& keep;
    std::vector<std::vector<Side>> at;                  ///< of each edge
    std::vector<std::vector<std::vector<int>>> halves;  ///< of each wall's cells
    std::vector<double> length;                         ///< of each edge
};

/// What is asked of the solid round the cells.
struct Surroundings {
    /// Does a wall's material go on past a half-edge, to its right?
    std::function<bool(std::size_t wall, int half)> goes_on;
    /// Is there skin straight over or under a place of a cell, with no other wall's midsurface before it?
    std::function<bool(std::size_t wall, std::size_t cell, bool over)> sees_air;
};

}  // namespace halvo
