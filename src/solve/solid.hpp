#pragma once
/// Eight-node solid elements: stiffness, mass and stress of one element, movements of its nodes one after the other (x y z each).

#include "solve/shell.hpp"

namespace halvo {

struct SolidLaw {
    Eigen::Matrix<double, 6, 6> stress = Eigen::Matrix<double, 6, 6>::Zero();  ///< over strain: xx yy zz xy yz zx
    double warming = 0;                                                        ///< strain of one degree
};
/// Throws Error{stage} where the material is one of sheets alone.
[[nodiscard]] SolidLaw solid_law(const Material& material);

[[nodiscard]] Matrix24 solid_stiffness(const std::array<Vec3, 8>& nodes, const SolidLaw& law);
[[nodiscard]] Matrix24 solid_mass(const std::array<Vec3, 8>& nodes, double density, bool lumped);

struct SolidHeld {
    SolidState state;
    Vector24 forces;
};
[[nodiscard]] SolidHeld solid_state(const std::array<Vec3, 8>& nodes, const SolidLaw& law, const Vector24& movement, double kelvin);

}  // namespace halvo
