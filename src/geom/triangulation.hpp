#pragma once
/// Constrained Delaunay triangulation in the plane.

#include <halvo/types.hpp>

#include <array>

namespace halvo {

struct Triangle {
    std::array<int, 3> v{};               ///< counter-clockwise
    std::array<int, 3> next{-1, -1, -1};  ///< neighbour across the edge opposite to corner i
    std::array<bool, 3> fixed{};          ///< that edge is a constraint
};

/// Delaunay triangulation of `points` in which every segment is an edge, by incremental insertion with flips (Lawson 1977)
/// and forced edges by flips (Sloan, A fast algorithm for generating constrained Delaunay triangulations, 1993).
/// Segments may share ends but not cross. Points are distinct. Returns the triangles inside the even-odd
/// region that `boundary` segments enclose; `inner` segments are constraints that do not bound.
[[nodiscard]] std::vector<Triangle> triangulate(const std::vector<Vec2>& points, const std::vector<std::array<int, 2>>& boundary,
                                                const std::vector<std::array<int, 2>>& inner = {});

}  // namespace halvo
