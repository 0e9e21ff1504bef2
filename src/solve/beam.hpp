#pragma once
/// Two-node shear-flexible beams: exact for straight pieces of one section.

#include <halvo/structure.hpp>

namespace halvo {

using Matrix12 = Eigen::Matrix<double, 12, 12>;
using Vector12 = Eigen::Matrix<double, 12, 1>;

struct BeamShape {
    std::array<Vec3, 2> nodes{};
    Vec3 arm = Vec3::Zero();
    Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();  ///< columns: along, y, z
    double length = 0;
    std::array<std::array<bool, 6>, 2> released{};
};
[[nodiscard]] BeamShape beam_shape(const std::array<Vec3, 2>& ends, const BeamPart& part);

[[nodiscard]] Matrix12 beam_stiffness(const BeamShape& shape, const BeamSection& section, const Material& material);
[[nodiscard]] Matrix12 beam_mass(const BeamShape& shape, const BeamSection& section, double density, bool lumped);
/// Loads at the nodes of a force per length at the centroid, and of a change of temperature.
[[nodiscard]] Vector12 beam_load(const BeamShape& shape, const BeamSection& section, const Material& material, const Vec3& force, double kelvin);
/// `force` and `kelvin` as the beam is loaded; `forces`: with which the nodes must hold it.
[[nodiscard]] BeamState beam_state(const BeamShape& shape, const BeamSection& section, const Material& material, const Vector12& movement, const Vec3& force,
                                   double kelvin, Vector12& forces);

}  // namespace halvo
