#pragma once
/// What of a body became no sheet: said in findings, or given a stand-in of another kind.

#include "halve/wall_surface.hpp"

namespace halvo {

/// The walls of a body after its sheets are made.
struct HalvedWalls {
    const std::vector<WallSurface>& walls;
    const std::vector<Wall>& outside;  ///< of the thickness range
    const std::vector<std::string>& keys;
    const std::vector<bool>&without_sheet, &refused;
    double tol = 0;
};

/// Names walls of which no sheet or little came, walls outside the thickness range, and skin that is neither a side nor a rim of a sheet; leaves
/// fillets at the roots of walls out and couples solid regions. Returns the pairs of faces that make sheets of solid regions, if the plan wants
/// that or they are long: for a second round.
std::vector<NamedFaces> report_leftovers(Model& model, const Assembly& solids, BodyId body, const Skin& skin, const HalvedWalls& walls,
                                         const HalveOptions& options);

}  // namespace halvo
