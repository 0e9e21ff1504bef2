#pragma once
/// Surfaces that a ball leaves which rolls along two others.

#include <halvo/geometry.hpp>

namespace halvo {

/// The ball of radius `r` rolled along both surfaces, with its centre near `inside` and as far as it comes near the points `over`: a
/// spline that keeps to the pipe within `tol` or a hundred-thousandth of `r`, with the pipe. Nothing where the surfaces are about
/// parallel there, or the ball comes back to where it began.
[[nodiscard]] std::optional<Surface> pipe_between(const Surface& a, const Surface& b, double r, const Vec3& inside, const std::vector<Vec3>& over, double tol);

/// The curve along which a pipe touches a surface that its ball rolls along, or the circle that it shares with a cylinder of its radius that
/// goes on in it.
[[nodiscard]] std::optional<Curve> touching_pipe(const Pipe& pipe, const Surface& other, double tol);

/// The pipe between where it runs into others that go on in it, cylinders of its radius, on both sides of the place next to `within`.
[[nodiscard]] Pipe trimmed(const Pipe& pipe, const std::vector<Surface>& next, const Vec3& within, double tol);

/// Radius of the ball that a spline surface is rolled by near some of its points, and whether its centre lies on the side of the surface's own
/// normal: where one of the principal curvatures is the same all over, to `share`.
struct RollingBall {
    double radius = 0;
    bool on_normal_side = false;
};
[[nodiscard]] std::optional<RollingBall> rolling_ball(const BaseSurface& surface, const std::vector<Vec3>& points, double share);

}  // namespace halvo
