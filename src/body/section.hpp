#pragma once
/// Where a plane cuts a body: exact curves, chained to closed loops by identity of the edges they cross.

#include <halvo/assembly.hpp>

namespace halvo {

struct SectionPiece {
    Curve curve;  ///< runs with the material on its left, seen against the plane's normal
    int face = -1;
};

struct PlaneSection {
    std::vector<std::vector<SectionPiece>> loops;
    int open_chains = 0;  ///< pieces that found no neighbour; not zero on open or broken bodies
};

/// Boxes of a body's edges and faces, for many cuts of one body.
struct BodyBoxes {
    std::vector<Box3> edges, faces;
    explicit BodyBoxes(const Body& body);
};

/// Cuts `body` with the plane z = 0 of `frame`. Vertices on the plane count as just above it, so that coplanar faces
/// and edges need no special case. Plane faces give lines, quadrics their circles and ellipses; the rest comes from facets.
[[nodiscard]] PlaneSection cut(const Body& body, const Frame& frame, double tol, const BodyBoxes* boxes = nullptr);

/// Among polygons in a frame's chart, the outline (counter-clockwise) whose box is centred nearest to its origin; -1: none.
[[nodiscard]] int outline_at_origin(const std::vector<std::vector<Vec2>>& polygons);

/// The loops as polygons in the frame's chart.
[[nodiscard]] std::vector<std::vector<Vec2>> section_polygons(const PlaneSection& section, const Frame& frame, double chord);

}  // namespace halvo
