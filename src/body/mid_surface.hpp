#pragma once
/// The surface half-way between two others.

#include <halvo/assembly.hpp>
#include <halvo/chart.hpp>
#include <halvo/options.hpp>

namespace halvo {

/// Two opposed surfaces and where they face each other.
struct OpposedSurfaces {
    Surface a, b;
    bool a_reversed = false, b_reversed = false;  ///< the outward normal is minus the surface's own
    std::vector<Vec3> seen;                       ///< points on `a` that look at `b`
    std::vector<Vec3> around;                     ///< further points of `a` up to where a fitted surface should reach
    double thickness = 0;                         ///< about
};

struct MidSurface {
    Surface surface;
    double error = 0;  ///< largest distance from equal distance at check points; 0 where exact (mm)
};

/// Plane (parallel or bisector), cylinder, cone, sphere or torus where both sides are of a kind and their axes agree to `tol`;
/// otherwise the surface of equal distance to both, sampled over where they face each other and fitted by a bicubic spline
/// (Piegl & Tiller, The NURBS Book, 2nd ed., section 9.2.5) until it keeps to `fit`. Nothing where it can't be found.
/// A method other than automatic allows only one of these, or the larger side moved by half the thickness (`offset`).
[[nodiscard]] std::optional<MidSurface> mid_surface(const OpposedSurfaces& sides, double tol, double fit, MidMethod method = MidMethod::automatic);

}  // namespace halvo
