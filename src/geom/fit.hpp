#pragma once
/// Least-squares fits of plain surfaces to points.

#include <halvo/geometry.hpp>

#include <span>

namespace halvo {

struct Fit {
    Surface surface;
    double rms = 0, worst = 0;  ///< distances of the points from the surface
};

/// How far a fit is refined: at most so many steps, until a step gains less than a share `stop` of the sum of squares.
struct Effort {
    int rounds = 30;
    double stop = 1e-12;
};

/// Orthogonal distance fits: a start from the points' moments and normals, then Levenberg-Marquardt on the distances
/// (Lukacs, Martin & Marshall, Faithful least-squares fitting of spheres, cylinders, cones and tori, 1998).
/// Normals need not have a consistent sign. Nothing where the points do not determine such a surface.
[[nodiscard]] std::optional<Fit> fit_plane(std::span<const Vec3> points);
[[nodiscard]] std::optional<Fit> fit_cylinder(std::span<const Vec3> points, std::span<const Vec3> normals, const Effort& effort = {});
[[nodiscard]] std::optional<Fit> fit_cone(std::span<const Vec3> points, std::span<const Vec3> normals, const Effort& effort = {});
[[nodiscard]] std::optional<Fit> fit_sphere(std::span<const Vec3> points, std::span<const Vec3> normals, const Effort& effort = {});
/// The start takes the axis that the normals' lines, each through its foot, meet (linear line geometry; Pottmann & Randrup, 1998).
[[nodiscard]] std::optional<Fit> fit_torus(std::span<const Vec3> points, std::span<const Vec3> feet, std::span<const Vec3> normals, const Effort& effort = {});
/// Distance of `p` from a plain surface, positive on the side of its normal.
[[nodiscard]] double signed_distance(const Surface& s, const Vec3& p);

}  // namespace halvo
