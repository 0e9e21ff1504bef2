#pragma once
#include <halvo/assembly.hpp>

#include <functional>

namespace halvo {

/// Up to five values integrated at once.
using FaceIntegrals = Eigen::Matrix<double, 5, 1>;
/// What is integrated: a function of the point and the outward unit normal, a polynomial in them of at most the second degree in the point.
using FaceFunction = std::function<FaceIntegrals(const Vec3& point, const Vec3& normal)>;

/// Integral over a face of known surface (not a free one), by Green's theorem along its exact boundary in the parameter plane.
[[nodiscard]] FaceIntegrals face_integrals(const Body& body, const Face& face, const FaceFunction& what);

}  // namespace halvo
