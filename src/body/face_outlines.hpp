#pragma once
/// The loops of a face in the parameters of its surface.

#include <halvo/assembly.hpp>

#include <stdexcept>

namespace halvo {

/// A face whose loops cannot be laid in its parameters, or whose facets cannot be made; says why.
class NotLaid : public std::runtime_error {
public:
    using std::runtime_error::runtime_error;
};

/// Places along an edge from its start to its end, and the points there.
struct EdgePoints {
    std::vector<double> at;
    std::vector<Vec3> points;
};

/// Points on all edges, with chords within `chord` (mm) that turn by at most `turn` (rad).
[[nodiscard]] std::vector<EdgePoints> edge_points(const Body& body, double chord, double turn);

/// Closed polygons in parameters and in space, the outer one first, all in the same turn of a closed surface.
struct FaceOutline {
    struct Loop {
        std::vector<Vec2> uv;
        std::vector<Vec3> points;
    };
    std::vector<Loop> loops;
    Box2 range;
};

/// Lays the loops of a face by the points of its edges; sets the parameters of its coedges (and their paths on splines). Where a loop
/// runs into a pole or an apex it gets a degenerate coedge, with the number of an edge that is none yet (negative) or its own from before.
/// `base` is the face's surface. Throws NotLaid.
[[nodiscard]] FaceOutline lay_loops(const Body& body, Face& face, const BaseSurface& base, const std::vector<EdgePoints>& edges);

}  // namespace halvo
