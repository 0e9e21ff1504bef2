#pragma once
#include <halvo/geometry.hpp>

namespace halvo {

/// Bicubic spline through an n by m net of points, v fastest, at even parameters from 0 to 1 (Piegl & Tiller, The NURBS Book, 2nd ed.,
/// section 9.2.5).
[[nodiscard]] NurbsSurface through_net(const std::vector<Vec3>& net, std::size_t n, std::size_t m);

}  // namespace halvo
