#pragma once
/// Walls: opposed faces of thin regions, grouped by the surface half-way between them.

#include "body/skin.hpp"

#include <halvo/chart.hpp>
#include <halvo/options.hpp>

namespace halvo {

struct FacePair {
    int top = -1, bottom = -1;  ///< faces; top on the side of the chart's normal
    double area = 0;            ///< where the two face each other
    double thickness = 0, thinnest = 0, thickest = 0;
    double width = 0;        ///< of the facing area, across
    std::vector<Vec3> seen;  ///< points half-way between both faces
};

/// All pairs with the same midsurface and about the same thickness.
struct Wall {
    Chart chart;
    std::vector<FacePair> pairs;
    double area = 0, thickness = 0, thinnest = 0, thickest = 0, width = 0;
    double fit_error = 0;       ///< distance of a fitted midsurface from equal distance, at most (mm)
    bool bend = false;          ///< between walls it touches: see bends.hpp
    bool ridge = false;         ///< a bend with a sharp inner edge: its pairs' faces meet there
    bool named = false;         ///< the plan says it is one, whatever the limits
    std::optional<Plane> half;  ///< of a ball that no chart maps whole: the wall's part is above this plane
    int twin = -1;              ///< number of the wall that is the other half
    double alone = 0;           ///< thickness of a face that the plan takes alone: both sides of its pair are that face
};

/// Faces that the plan names: opposed, not opposed, or (b < 0) one alone with a thickness and the way from it outward to its sheet.
struct NamedFaces {
    int a = -1, b = -1;
    double thickness = 0, offset = 0;
    bool refuse = false;
    bool attempt = false;  ///< not asked for: passed over where no midsurface comes of it
};

struct WallSearch {
    std::vector<Wall> walls;
    std::vector<Wall> outside;  ///< would be walls, but for the thickness limits
    double slack = 0;           ///< by how much surfaces of this body may miss each other and still mean one (mm)
};

/// Walls of opposed faces of any kind. `tol` is the model's; on bodies of facets, `slack` grows with the scatter of the fit.
[[nodiscard]] WallSearch find_walls(const Body& body, const Skin& skin, const WallLimits& limits, double tol, const std::vector<NamedFaces>& named = {});

/// Gives a wall the midsurface that a method makes of its largest pair. False, and the wall unchanged, where it makes none.
[[nodiscard]] bool remake_mid(const Body& body, Wall& wall, MidMethod method, double tol);

}  // namespace halvo
