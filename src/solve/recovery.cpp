#include "core/index.hpp"
#include "core/parallel.hpp"
#include "solve/equations.hpp"

#include <Eigen/Eigenvalues>

#include <cmath>
#include <map>
#include <tuple>

namespace halvo {

double von_mises(const Stress& s) {
    const double a = s[0] - s[1], b = s[1] - s[2], c = s[2] - s[0];
    return std::sqrt(0.5 * (a * a + b * b + c * c) + 3 * (s[3] * s[3] + s[4] * s[4] + s[5] * s[5]));
}

PrincipalStress principal(const Stress& s) {
    Eigen::Matrix3d m;
    m << s[0], s[3], s[5], s[3], s[1], s[4], s[5], s[4], s[2];
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> eigen(m);
    PrincipalStress out;
    out.values = eigen.eigenvalues().reverse();
    out.directions = eigen.eigenvectors().rowwise().reverse();
    return out;
}

Recovery::Recovery(const Equations::Parts& parts, const StructureLoads& loads) : p_(parts), loads_(loads) {}

// Force per length, with that of the beam's own mass.
Vec3 Recovery::beam_force(std::size_t i) const {
    Vec3 q = loads_.beam_force.empty() ? Vec3(Vec3::Zero()) : loads_.beam_force[i];
    if (!loads_.acceleration.empty()) {
        const BeamPart& b = p_.structure.beams[i];
        const double per_length = p_.structure.materials[ix(b.material)].density * p_.structure.sections[ix(b.section)].area;
        q += 0.5 * per_length * (loads_.acceleration[ix(b.nodes[0])] + loads_.acceleration[ix(b.nodes[1])]);
    }
    return q;
}

Vector24 Recovery::shell_forces(std::size_t i) const {
    const double pressure = loads_.shell_pressure.empty() ? 0 : loads_.shell_pressure[i];
    Vec3 traction = loads_.shell_traction.empty() ? Vec3(Vec3::Zero()) : loads_.shell_traction[i];
    const ShellShape shape = p_.shell(i);
    const ShellPart& part = p_.structure.shells[i];
    Vector24 f = pressure != 0 || !traction.isZero(0) ? shell_load(shape, pressure, traction) : Vector24(Vector24::Zero());
    if (!loads_.acceleration.empty()) {
        // Pushed where the masses are: on the middle surface, with the acceleration of its nodes.
        Vector24 a = Vector24::Zero();
        for (int k = 0; k < part.count(); ++k) a.segment<3>(Eigen::Index{6} * k) = loads_.acceleration[ix(part.nodes[ix(k)])];
        f += shell_mass(shape, p_.structure.materials[ix(part.material)].density, false) * a;
    }
    return f;
}

Eigen::VectorXd Recovery::applied() const {
    const Structure& s = p_.structure;
    Eigen::VectorXd f = loads_.forces.size() > 0 ? loads_.forces : Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * s.nodes.size()));
    std::vector<Vector24> shells(s.shells.size());
    parallel_for(s.shells.size(), [&](std::size_t i) { shells[i] = shell_forces(i); });
    for (std::size_t i = 0; i < s.shells.size(); ++i)
        for (int k = 0; k < s.shells[i].count(); ++k) f.segment<6>(Eigen::Index{6} * s.shells[i].nodes[ix(k)]) += shells[i].segment<6>(Eigen::Index{6} * k);
    for (std::size_t i = 0; i < s.beams.size(); ++i) {
        const BeamPart& b = s.beams[i];
        const Vector12 load = beam_load(p_.beam(i), s.sections[ix(b.section)], s.materials[ix(b.material)], beam_force(i), 0);
        for (int k = 0; k < 2; ++k) f.segment<6>(Eigen::Index{6} * b.nodes[ix(k)]) += load.segment<6>(Eigen::Index{6} * k);
    }
    if (!loads_.acceleration.empty())
        for (const PointMass& m : s.masses) f.segment<3>(Eigen::Index{6} * m.node) += m.mass * loads_.acceleration[ix(m.node)];
    return f;
}

Eigen::VectorXd Recovery::held_by_elements(const Eigen::VectorXd& u, StructureState* state) const {
    const Structure& s = p_.structure;
    Eigen::VectorXd f = Eigen::VectorXd::Zero(u.size());
    std::vector<Vector24> shells(s.shells.size());
    std::vector<ShellState> states(s.shells.size());
    parallel_for(s.shells.size(), [&](std::size_t i) {
        const ShellPart& part = s.shells[i];
        Vector24 own = Vector24::Zero();
        for (int k = 0; k < part.count(); ++k) own.segment<6>(Eigen::Index{6} * k) = u.segment<6>(Eigen::Index{6} * part.nodes[ix(k)]);
        states[i] = shell_state(p_.shell(i), p_.laws[ix(part.material)], own, loads_.shell_warming.empty() ? 0 : loads_.shell_warming[i], shells[i]);
    });
    for (std::size_t i = 0; i < s.shells.size(); ++i)
        for (int k = 0; k < s.shells[i].count(); ++k) f.segment<6>(Eigen::Index{6} * s.shells[i].nodes[ix(k)]) += shells[i].segment<6>(Eigen::Index{6} * k);
    std::map<std::tuple<std::int32_t, bool, std::int32_t>, Eigen::Matrix<double, 6, 1>> meetings;  // node, of beams, group
    const auto meet = [&](std::int32_t node, bool beams, std::int32_t group, const Eigen::Matrix<double, 6, 1>& force) {
        meetings.try_emplace({node, beams, group}, Eigen::Matrix<double, 6, 1>::Zero()).first->second += force;
    };
    for (std::size_t i = 0; state && i < s.shells.size(); ++i) {
        const ShellPart& part = s.shells[i];
        bool any = false;
        for (int k = 0; k < part.count(); ++k) any = any || meets(part.nodes[ix(k)]);
        if (!any) continue;
        const Vector24 own = shells[i] - shell_forces(i);
        for (int k = 0; k < part.count(); ++k)
            if (meets(part.nodes[ix(k)])) meet(part.nodes[ix(k)], false, part.group, own.segment<6>(Eigen::Index{6} * k));
    }
    double energy = 0;
    for (std::size_t i = 0; i < s.beams.size(); ++i) {
        const BeamPart& b = s.beams[i];
        Vector12 own, held;
        own << u.segment<6>(Eigen::Index{6} * b.nodes[0]), u.segment<6>(Eigen::Index{6} * b.nodes[1]);
        const BeamShape shape = p_.beam(i);
        const Vec3 force = beam_force(i);
        BeamState at = beam_state(shape, s.sections[ix(b.section)], s.materials[ix(b.material)], own, force,
                                  loads_.beam_warming.empty() ? 0 : loads_.beam_warming[i], held);
        for (int k = 0; state && k < 2; ++k)
            if (meets(b.nodes[ix(k)])) meet(b.nodes[ix(k)], true, b.group, held.segment<6>(Eigen::Index{6} * k));
        // Forces of even loads are on the side of the loads.
        held += beam_load(shape, s.sections[ix(b.section)], s.materials[ix(b.material)], force, 0);
        for (int k = 0; k < 2; ++k) f.segment<6>(Eigen::Index{6} * b.nodes[ix(k)]) += held.segment<6>(Eigen::Index{6} * k);
        energy += at.energy;
        if (state) state->beams.push_back(at);
    }
    for (const GroundSpring& k : s.springs) {
        const Eigen::Matrix<double, 6, 1> held = k.stiffness * u.segment<6>(Eigen::Index{6} * k.node);
        f.segment<6>(Eigen::Index{6} * k.node) += held;
        energy += 0.5 * held.dot(u.segment<6>(Eigen::Index{6} * k.node));
    }
    if (state) {
        for (const ShellState& k : states) energy += k.energy;
        state->energy = energy, state->shells = std::move(states);
        for (const auto& [at, force] : meetings) state->meetings.push_back({std::get<0>(at), std::get<2>(at), std::get<1>(at), force});
    }
    return f;
}

}  // namespace halvo
