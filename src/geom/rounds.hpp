#pragma once
/// Rounds between surfaces, and the curves along which they touch.

#include <halvo/geometry.hpp>

namespace halvo {

/// The round of radius `r` that touches both surfaces, with its centre line near `inside`: a cylinder where both are extruded along one
/// direction (planes, cylinders), a torus where both are turned about one axis (planes, cylinders, cones, spheres, tori). Nothing
/// where they are neither, to `tol`.
[[nodiscard]] std::optional<Surface> round_between(const Surface& a, const Surface& b, double r, const Vec3& inside, double tol);

/// The ball of radius `r` that touches three planes, with its centre near `inside`.
[[nodiscard]] std::optional<Surface> ball_between(const std::array<PlaneSurface, 3>& planes, double r, const Vec3& inside);

/// The surface of the points half-way between those of `a` and `b` with the same normal: of the same kind, for cylinders, cones of one
/// angle, spheres and tori whose axes are parallel to `tol` over `reach`. It touches what lies half-way between what both touch.
[[nodiscard]] std::optional<Surface> mean_by_normal(const Surface& a, const Surface& b, const Vec3& place, double reach, double tol);

/// The line, full circle or, on pipes, traced curve along which two surfaces touch each other to `tol`; nothing where they don't, or along
/// no such curve.
[[nodiscard]] std::optional<Curve> touching_curve(const Surface& a, const Surface& b, double tol);

/// Point of the line that a round's circles or balls have their centres on, next to `p`; nothing for surfaces without one.
[[nodiscard]] std::optional<Vec3> spine_point(const Surface& s, const Vec3& p);
/// From point `p` of a round towards its spine, to where it has passed all of some surfaces that meet in a sharp edge there; negative where
/// `p` itself is past all of them, with the spine.
[[nodiscard]] double past_ridge(const Surface& round, const std::vector<const BaseSurface*>& sides, const Vec3& p);
/// Radius about that line.
[[nodiscard]] std::optional<double> spine_radius(const Surface& s);

}  // namespace halvo
