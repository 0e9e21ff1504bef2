#pragma once
/// A wall as halving works on it: its midsurface cut out of the body, with what is asked at points of it.

#include "body/section.hpp"
#include "body/wall_search.hpp"
#include "geom/foot_curve.hpp"

#include <halvo/model.hpp>

#include <array>
#include <optional>

namespace halvo {

struct WallSurface {
    const Wall* wall = nullptr;
    Chart chart;
    std::vector<Curve> outline;             ///< where the midsurface leaves the body, each once
    std::vector<std::vector<Curve>> loops;  ///< the same, chained, on planes only
    Polygons material;                      ///< the section as polygons, on planes and of faces alone
    std::vector<int> tops, bottoms;         ///< faces of each pair
    ThicknessField field;                   ///< one piece without outlines where all pairs lie on the same two surfaces
    struct Support {
        Polygons top, bottom;  ///< outlines of a pair in the chart
    };
    std::vector<Support> supports;  ///< on planes only
    bool beside_ribs = false;       ///< outlines of pieces leave out where their faces go on over the tops of ribs
    std::vector<Vec3> extent;       ///< points of the midsurface that span it
    Box3 box;
    double thickest = 0;
    bool aside = false;               ///< nothing comes of it: the others are halved as if it were not there
    bool cut_by_edges = false;        ///< its faces' own edges cut it, as the crossings with others do not close round it
    std::vector<std::size_t> near;    ///< walls that may cross this one
    std::vector<std::size_t> beside;  ///< walls that may run parallel to it within their thickness
    std::vector<std::size_t> smooth;  ///< walls that continue it smoothly
};

/// Cuts the body with the wall's midsurface, turned over if asked. `tol` is that of points, `chord` that of polygons.
[[nodiscard]] WallSurface make_wall_surface(const Body& body, const BodyBoxes& boxes, const Wall& wall, bool turn, double tol, double chord);

/// Do the wall's own two sides enclose the point of its midsurface?
[[nodiscard]] bool supported(const Body& body, const WallSurface& w, const Vec3& p);
[[nodiscard]] bool in_material(const Body& body, const WallSurface& w, const Vec3& p);

}  // namespace halvo
