#pragma once
#include <array>

namespace halvo {

/// Gauss-Legendre points and weights on [0, 1], eight points: exact for polynomials up to degree 15.
inline constexpr std::array<double, 8> gauss_at = {0.019855071751231884, 0.10166676129318664, 0.2372337950418355, 0.4082826787521751,
                                                   0.5917173212478249,   0.7627662049581645,  0.8983332387068134, 0.9801449282487681};
inline constexpr std::array<double, 8> gauss_weight = {0.05061426814518813, 0.11119051722668724, 0.15685332293894363, 0.18134189168918100,
                                                       0.18134189168918100, 0.15685332293894363, 0.11119051722668724, 0.05061426814518813};

}  // namespace halvo
