#pragma once
/// Maps of a patch of facets to the plane.

#include <halvo/geometry.hpp>

#include <array>
#include <optional>
#include <span>
#include <vector>

namespace halvo {

/// Places of the points in a plane such that the facets keep their shape as well as they can: a conformal start with free borders
/// (Levy, Petitjean, Ray & Maillot, Least squares conformal maps, 2002), then as near to length-true as rotations of the facets
/// allow (Liu, Zhang, Xu, Gotsman & Gortler, A local/global approach to mesh parameterization, 2008). For one connected patch,
/// holes allowed. Facets are corners' places in `points`, counterclockwise from outside. Nothing where some facet would turn over.
[[nodiscard]] std::optional<std::vector<Vec2>> flattened(std::span<const Vec3> points, std::span<const std::array<int, 3>> facets);

}  // namespace halvo
