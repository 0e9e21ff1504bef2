#pragma once
/// Round surfaces that circles and arcs round an opening tell of.

#include <halvo/geometry.hpp>

namespace halvo {

/// A ring that is one circle, and how the skin beside it goes on over it.
struct CircleRing {
    std::size_t ring = 0;
    Vec3 centre, axis;  ///< the axis with a sign of its own
    double radius = 0;
    Vec3 at, on, outward;  ///< a place of it, the way in which the skin goes on there, the skin's normal
    int face = -1;
};

/// Between two rings round one axis: the arc or line that leaves the one as its skin goes on and arrives at the other against the way in which that
/// one's goes on, turned about the axis; nothing where there is none, to `slack` (mm).
[[nodiscard]] std::optional<Surface> smooth_between(const CircleRing& a, const CircleRing& b, double slack);

/// Cylinders that arcs lie on, cones through two of one axis, spheres and tori of which two are sections; to `slack` (mm).
[[nodiscard]] std::vector<Surface> surfaces_of_arcs(const std::vector<const CircleCurve*>& arcs, double slack);

}  // namespace halvo
