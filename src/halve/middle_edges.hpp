#pragma once
/// The edges along which walls go on smoothly in each other.

#include "halve/wall_surface.hpp"

namespace halvo {

struct MiddleEdge {
    std::size_t i, j;  ///< walls that go on in each other
    Curve curve;       ///< between the places half-way between the ends of their faces' edges
    Curve run_on;      ///< the same, carried on as far as the sheets may reach past these
};

struct MiddleEdges {
    std::vector<MiddleEdge> edges;
    double slack = 0;  ///< as given, or more where smooth neighbours do not quite meet (mm)
};

/// Of all smooth neighbours: half-way between the edges where their faces meet on either side, on both midsurfaces, or the line or circle
/// along which these touch.
[[nodiscard]] MiddleEdges middle_edges(const Body& body, const Skin& skin, const std::vector<WallSurface>& walls, double tol, double slack);

/// A curve with ends a little elsewhere.
[[nodiscard]] Curve ending_at(const Curve& c, const Vec3& a, const Vec3& b);

}  // namespace halvo
