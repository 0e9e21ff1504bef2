#pragma once
/// Four- and three-node shell elements: strains, stiffness, mass, loads and stress of one element.

#include <halvo/structure.hpp>

#include <span>

namespace halvo {

using Matrix24 = Eigen::Matrix<double, 24, 24>;
using Vector24 = Eigen::Matrix<double, 24, 1>;

/// One element on its own; three nodes leave the last six rows empty.
struct ShellShape {
    std::array<Vec3, 4> nodes{};
    std::array<Vec3, 4> normals{Vec3::Zero(), Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};  ///< of the shell at its nodes; zero: the element's own there
    int count = 4;
    double thickness = 0, offset = 0;
};

/// Stress over strain in the plane of the element, and across it, along axes turned to `direction`.
struct ShellLaw {
    Eigen::Matrix3d plane = Eigen::Matrix3d::Zero();
    Eigen::Matrix2d across = Eigen::Matrix2d::Zero();  ///< with the shear factor 5/6
    double drilling = 0;                               ///< stress over the difference of drilling rotation and the plane's own
    Vec3 direction = Vec3::UnitX();
    Eigen::Vector3d warming = Eigen::Vector3d::Zero();  ///< strain of one degree
};
[[nodiscard]] ShellLaw shell_law(const Material& material);

[[nodiscard]] Matrix24 shell_stiffness(const ShellShape& shape, const ShellLaw& law);
/// Consistent, or lumped to the nodes.
[[nodiscard]] Matrix24 shell_mass(const ShellShape& shape, double density, bool lumped);
/// Loads at the nodes of a pressure along the normal and of a force per area, both on the middle surface.
[[nodiscard]] Vector24 shell_load(const ShellShape& shape, double pressure, const Vec3& traction);
/// One element in one case: how it is moved and warmed (K), its state, and the forces with which the nodes must hold it.
struct ShellMoved {
    Vector24 movement;
    double kelvin = 0;
};
struct ShellHeld {
    ShellState state;
    Vector24 forces;
};
/// As many of `out` as there are cases.
void shell_states(const ShellShape& shape, const ShellLaw& law, std::span<const ShellMoved> cases, std::span<ShellHeld> out);
/// Share of the area at each node, and the area.
[[nodiscard]] std::array<double, 4> shell_areas(const ShellShape& shape);

}  // namespace halvo
