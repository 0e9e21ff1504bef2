#pragma once
/// Curves on two surfaces, carried on past where a body ends them.

#include <halvo/geometry.hpp>

namespace halvo {

/// The curve on both surfaces that starts at `from`, a point of both, and leaves it on the side of `way`: a line, a circle or an ellipse
/// where the surfaces meet in one, traced otherwise. As long as `reach` at least where it does not close before; nothing where the
/// surfaces touch without crossing. Its parameter grows along it.
[[nodiscard]] std::optional<Curve> carried_from(const BaseSurface& a, const BaseSurface& b, const Vec3& from, const Vec3& way, double reach, double tol);

/// What follows the end of a curve that lies on both surfaces: of the same line, circle or ellipse, traced otherwise.
[[nodiscard]] std::optional<Curve> carried_past(const Curve& curve, const BaseSurface& a, const BaseSurface& b, double reach, double tol);

/// Parameters at which a curve passes through a surface, in their order; its start too where that lies on the surface to `tol`.
[[nodiscard]] std::vector<double> crossed_at(const Curve& curve, const BaseSurface& surface, double tol);

/// The point on all three surfaces next to `p`; nothing where they have no such point (two of them touch, or no step leads there).
[[nodiscard]] std::optional<Vec3> onto_three(const BaseSurface& a, const BaseSurface& b, const BaseSurface& c, const Vec3& p);

}  // namespace halvo
