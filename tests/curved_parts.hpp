#pragma once
/// Single thin solids of bent, round, tapered and freeform walls, with what is known of their midsurfaces.

#include "support.hpp"

namespace test {

struct CurvedPart {
    std::string name;
    std::function<make::Solid()> solid;
    double area = 0;       ///< of all midsurfaces, closed form; 0 where there is none
    double tolerance = 0;  ///< relative, on the area
    int sheets = 0;        ///< 0 where the number tells nothing
    double thickness = 0;  ///< the one thickness; 0 where it varies
    double coverage = 0.999;
    std::optional<double> angle;  ///< that elements may span, where the usual ones are too coarse for the check of areas (rad)
};

/// Made by name, so that tests can be listed without making any.
[[nodiscard]] const std::vector<CurvedPart>& curved_parts();

/// Further ones of them: see stiffened_parts.cpp.
void add_stiffened_parts(std::vector<CurvedPart>& parts);
/// Arcs one after the other that turn about. Where they meet, coarse facets of one lie in a plane with those of the next.
[[nodiscard]] std::vector<CurvedPart> waved_parts();
/// Five thin fins on a solid block.
[[nodiscard]] make::Solid finned_block();
/// Closed tube along z: outer radius `radius`, wall `t`, from z = 0 to `height`.
[[nodiscard]] make::Solid pipe(double radius, double t, double height);

}  // namespace test
