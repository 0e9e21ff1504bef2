#pragma once
/// Strains of one shell element over its nodes' movements, at its points of integration.

#include "solve/shell.hpp"

namespace halvo {

using Row24 = Eigen::Matrix<double, 1, 24>;

/// Rows of strains: three in the plane, three curvatures, two across. `inner` multiplies movements within the element that no other shares.
struct ShellPoint {
    Eigen::Matrix<double, 8, 24> strain = Eigen::Matrix<double, 8, 24>::Zero();
    Eigen::Matrix<double, 8, 4> inner = Eigen::Matrix<double, 8, 4>::Zero();
    Row24 drilling = Row24::Zero();  ///< rotation about the normal less that of the plane
    Eigen::Vector4d shape = Eigen::Vector4d::Zero();
    Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();  ///< columns: two in the plane, normal
    double area = 0;                                     ///< weight times Jacobian
};

struct ShellPoints {
    std::array<ShellPoint, 6> point;
    int count = 0;
    int inner = 0;              ///< columns of `inner` in use
    std::array<Vec3, 4> arm{};  ///< from the nodes to the middle surface
};

/// Places of integration alone: what areas, masses and loads need.
struct ShellPlace {
    Eigen::Vector4d shape = Eigen::Vector4d::Zero();
    Vec3 normal = Vec3::UnitZ();
    double area = 0;  ///< weight times Jacobian
};
struct ShellPlaces {
    std::array<ShellPlace, 6> place;
    int count = 0;
    std::array<Vec3, 4> arm{};  ///< from the nodes to the middle surface
};
[[nodiscard]] ShellPlaces quad_places(const ShellShape& shape);
[[nodiscard]] ShellPlaces tria_places(const ShellShape& shape);
[[nodiscard]] inline ShellPlaces shell_places(const ShellShape& shape) {
    return shape.count == 4 ? quad_places(shape) : tria_places(shape);
}

/// Of the middle surface; arms of an offset are not yet in the rows.
[[nodiscard]] ShellPoints quad_points(const ShellShape& shape, const Vec3& direction);
[[nodiscard]] ShellPoints tria_points(const ShellShape& shape, const Vec3& direction);
[[nodiscard]] inline ShellPoints shell_points(const ShellShape& shape, const Vec3& direction) {
    return shape.count == 4 ? quad_points(shape, direction) : tria_points(shape, direction);
}

/// Axes in the plane square to `n`, the first along `direction` as far as it lies in it.
[[nodiscard]] Eigen::Matrix3d axes_along(const Vec3& n, const Vec3& direction);
/// Strains along axes from strains along the base vectors: columns of `dual` are the components of the dual base along the axes.
[[nodiscard]] Eigen::Matrix3d plane_strains(const Eigen::Matrix2d& dual);

}  // namespace halvo
