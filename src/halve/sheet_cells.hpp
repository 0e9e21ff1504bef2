#pragma once
/// What of each wall's cells is its sheet.

#include "halve/bores.hpp"
#include "halve/middle_edges.hpp"
#include "halve/wall_surface.hpp"
#include "model/arrangement.hpp"

#include <set>

namespace halvo {

/// Walls that an arrangement's sheets lie on, one each, and what they were cut with.
struct CutWalls {
    const Body& body;
    const std::vector<WallSurface>& walls;
    const Bores& bores;  ///< of these walls
    const std::vector<MiddleEdge>& middles;
    const std::vector<bool>& refused;         ///< by the plan: nothing of them is kept
    const std::set<std::size_t>& open_rings;  ///< as of wall_curves()
    double tol = 0, chord = 0;                ///< by how much points miss each other, and polygons their curves
};

struct KeptCells {
    struct Dropped {
        int count = 0;
        double area = 0;
    };
    /// A void inside a wall's thickness, as a bore along it: the sheet runs through.
    struct Bore {
        std::size_t wall, cell;
        double area = 0, volume = 0;
        bool between_sides = false;  ///< of the wall, not under the foot of another
        std::vector<int> faces;      ///< of the void, over and under the cell
        Vec3 place = Vec3::Zero();
    };
    std::vector<std::vector<Keep>> keep;  ///< of each wall's cells
    std::vector<double> beyond;           ///< of each wall (of open rings exactly): area of kept cells (mm2) that lies neither between its sides nor
                                          ///< leads to a seam
    std::vector<Dropped> stubs, strays;   ///< of each wall: pieces beyond seams, and pieces too small to be one
    std::vector<Bore> bores;              ///< in cells that are kept
};

/// Keeps the cells between a wall's own sides and those that lead from there to a seam; small ones at nodes by what they leave loose.
[[nodiscard]] KeptCells keep_cells(const Arrangement& a, const CutWalls& cut);

}  // namespace halvo
