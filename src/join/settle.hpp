#pragma once
#include "geom/dense.hpp"

#include <halvo/types.hpp>

namespace halvo {

/// The place on all planes that are asked for, by how much each counts, nearest to where it starts: by Newton, where they are tangent planes of
/// surfaces. `planes(x, add)` calls `add(normal, height of x over the plane, weight)`.
template <class Planes>
Vec3 settle(Vec3 x, const Planes& planes) {
    constexpr double in_place = 1e-10;  // along what nothing is asked of, each step is the shortest
    for (int round = 0; round < 40; ++round) {
        Eigen::Matrix3d a = in_place * Eigen::Matrix3d::Identity();
        Vec3 b = Vec3::Zero();
        planes(x, [&](const Vec3& n, double height, double weight) { a += weight * n * n.transpose(), b -= weight * height * n; });
        const Vec3 step = solve_symmetric(a, b);
        x += step;
        if (step.norm() < 1e-13 * (1 + x.norm())) break;
    }
    return x;
}

}  // namespace halvo
