#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// Walls to midsurface sheets, slender bodies to members; sheets of one body already share their seams.
/// What could not be idealized is in Model::findings, every decision in Model::ledger.
[[nodiscard]] Model halve(const Assembly& solids, const HalveOptions& options = {}, const Observer& observer = {});

/// Section values of a profile given as closed loops of curves in the plane z = 0, outer loop first and
/// counter-clockwise, holes clockwise. Area and second moments by exact contour integrals, torsion constant, shear
/// centre and warping constant from a finite-element solution of the Saint-Venant problem with six-node triangles
/// (formulas as in Pilkey, Analysis and Design of Elastic Beams, 2002). Coordinates are moved to the centroid.
[[nodiscard]] Section section_of_profile(std::vector<std::vector<Curve>> loops);

}  // namespace halvo
