#pragma once
/// Quads first in a flat region with a given boundary.

#include <halvo/types.hpp>

#include <array>
#include <functional>

namespace halvo {

/// Rows of quads round a round hole, where there is room.
struct HoleRows {
    int rows = 1;
    double width = 0;  ///< of each; 0: by the size and the hole's divisions
};

struct PlanarInput {
    std::vector<Vec2> points;               ///< fixed: boundary, embedded lines and points
    std::vector<std::vector<int>> loops;    ///< boundary, material on the left; the first is the outer one
    std::vector<std::array<int, 2>> inner;  ///< embedded segments
    std::vector<std::vector<int>> sides;    ///< four chains of points when the region may be mapped; else empty
    double size = 1;
    double growth = 0;            ///< where the boundary is finer than the size, points grow apart by this factor each; 0: one size throughout
    std::vector<HoleRows> holes;  ///< for each loop after the first
    Vec2 axis = Vec2::UnitX();    ///< direction in which elements may be longer than the size, as along a bend, when the region is not mapped
    double stretch = 1;           ///< by this factor
    /// On the surface that the region is part of, does a quad with these corners fold too much? Null: none does.
    std::function<bool(const std::array<Vec2, 4>&)> folds;
};

struct PlanarMesh {
    std::vector<Vec2> points;                  ///< the fixed ones first, unchanged
    std::vector<std::array<int, 4>> elements;  ///< counter-clockwise; last is -1 for triangles
};

/// Even rows between opposite sides where the region is four-sided and its sides agree; otherwise points on a lattice along
/// the boundary's main direction between rows of quads round each hole, triangulated, paired to quads and smoothed.
[[nodiscard]] PlanarMesh mesh_planar(const PlanarInput& input);

/// Scaled Jacobian of a flat element (three corners when d < 0).
[[nodiscard]] double planar_quality(const std::vector<Vec2>& points, const std::array<int, 4>& e);

/// The least of its scaled Jacobian and of what its aspect ratio and its taper count for: what to lift in elements that may be moved.
[[nodiscard]] double planar_fitness(const std::vector<Vec2>& points, const std::array<int, 4>& e);

}  // namespace halvo
