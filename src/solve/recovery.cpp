#include "core/index.hpp"
#include "core/parallel.hpp"
#include "solve/equations.hpp"

#include <Eigen/Eigenvalues>

#include <algorithm>
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

Recovery::Recovery(const Equations::Parts& parts, const std::vector<StructureLoads>& cases) : p_(parts), cases_(cases) {}

// Force per length, with that of the beam's own mass.
Vec3 Recovery::beam_force(std::size_t c, std::size_t i) const {
    const StructureLoads& loads = cases_[c];
    Vec3 q = loads.beam_force.empty() ? Vec3(Vec3::Zero()) : loads.beam_force[i];
    if (!loads.acceleration.empty()) {
        const BeamPart& b = p_.structure.beams[i];
        const double per_length = p_.structure.materials[ix(b.material)].density * p_.structure.sections[ix(b.section)].area;
        q += 0.5 * per_length * (loads.acceleration[ix(b.nodes[0])] + loads.acceleration[ix(b.nodes[1])]);
    }
    return q;
}

Vector24 Recovery::shell_forces(std::size_t c, std::size_t i) const {
    const StructureLoads& loads = cases_[c];
    const double pressure = loads.shell_pressure.empty() ? 0 : loads.shell_pressure[i];
    const Vec3 traction = loads.shell_traction.empty() ? Vec3(Vec3::Zero()) : loads.shell_traction[i];
    const ShellShape shape = p_.shell(i);
    const ShellPart& part = p_.structure.shells[i];
    Vector24 f = pressure != 0 || !traction.isZero(0) ? shell_load(shape, pressure, traction) : Vector24(Vector24::Zero());
    if (!loads.acceleration.empty()) {
        // Pushed where the masses are: on the middle surface, with the acceleration of its nodes.
        Vector24 a = Vector24::Zero();
        for (int k = 0; k < part.count(); ++k) a.segment<3>(Eigen::Index{6} * k) = loads.acceleration[ix(part.nodes[ix(k)])];
        f += shell_mass(shape, p_.structure.materials[ix(part.material)].density, false) * a;
    }
    return f;
}

Vector24 Recovery::solid_forces(std::size_t c, std::size_t i) const {
    const StructureLoads& loads = cases_[c];
    const SolidPart& part = p_.structure.solids[i];
    Vector24 a;
    for (Eigen::Index k = 0; k < 8; ++k) a.segment<3>(3 * k) = loads.acceleration[ix(part.nodes[ix(k)])];
    return solid_mass(p_.solid(i), p_.structure.materials[ix(part.material)].density, false) * a;
}

namespace {

// Adds what an element's nodes feel to the sums at nodes: six rows a node, or three.
template <class Nodes>
void add_at_nodes(Eigen::VectorXd& f, const Nodes& nodes, int count, const Vector24& of_element, int rows = 6) {
    for (int k = 0; k < count; ++k) f.segment(Eigen::Index{6} * nodes[static_cast<std::size_t>(k)], rows) += of_element.segment(Eigen::Index{rows} * k, rows);
}

}  // namespace

Eigen::VectorXd Recovery::applied(std::size_t c) const {
    const Structure& s = p_.structure;
    const StructureLoads& loads = cases_[c];
    Eigen::VectorXd f = loads.forces.size() > 0 ? loads.forces : Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * s.nodes.size()));
    const bool on_shells = !loads.shell_pressure.empty() || !loads.shell_traction.empty() || !loads.acceleration.empty();
    std::vector<Vector24> shells(on_shells ? s.shells.size() : 0);
    parallel_for(shells.size(), [&](std::size_t i) { shells[i] = shell_forces(c, i); });
    for (std::size_t i = 0; i < shells.size(); ++i) add_at_nodes(f, s.shells[i].nodes, s.shells[i].count(), shells[i]);
    for (std::size_t i = 0; i < s.beams.size(); ++i) {
        const BeamPart& b = s.beams[i];
        const Vector12 load = beam_load(p_.beam(i), s.sections[ix(b.section)], s.materials[ix(b.material)], beam_force(c, i), 0);
        for (int k = 0; k < 2; ++k) f.segment<6>(Eigen::Index{6} * b.nodes[ix(k)]) += load.segment<6>(Eigen::Index{6} * k);
    }
    if (loads.acceleration.empty()) return f;
    std::vector<Vector24> solids(s.solids.size());
    parallel_for(solids.size(), [&](std::size_t i) { solids[i] = solid_forces(c, i); });
    for (std::size_t i = 0; i < solids.size(); ++i) add_at_nodes(f, s.solids[i].nodes, 8, solids[i], 3);
    for (const PointMass& m : s.masses) f.segment<3>(Eigen::Index{6} * m.node) += m.mass * loads.acceleration[ix(m.node)];
    return f;
}

namespace {

// Sums of what groups of elements hold at nodes where they meet.
class Meetings {
public:
    void add(std::int32_t node, bool beams, std::int32_t group, const Eigen::Matrix<double, 6, 1>& force) {
        sums_.try_emplace({node, beams, group}, Eigen::Matrix<double, 6, 1>::Zero()).first->second += force;
    }
    void list(std::vector<GroupForce>& out) const {
        for (const auto& [at, force] : sums_) out.push_back({std::get<0>(at), std::get<2>(at), std::get<1>(at), force});
    }

private:
    std::map<std::tuple<std::int32_t, bool, std::int32_t>, Eigen::Matrix<double, 6, 1>> sums_;  // by node, of beams, group
};

}  // namespace

std::vector<Eigen::VectorXd> Recovery::held_by_elements(const Movements& u, std::vector<StructureState>* states) const {
    Movements f(u.size());
    for (std::size_t c = 0; c < u.size(); ++c) f[c] = Eigen::VectorXd::Zero(u[c].size());
    hold_shells(u, f, states);
    hold_solids(u, f, states);
    parallel_for(u.size(), [&](std::size_t c) {
        StructureState* state = states ? &(*states)[c] : nullptr;
        hold_beams(c, u[c], f[c], state);
        for (const GroundSpring& k : p_.structure.springs) {
            const Eigen::Matrix<double, 6, 1> moved = u[c].segment<6>(Eigen::Index{6} * k.node), held = k.stiffness * moved;
            f[c].segment<6>(Eigen::Index{6} * k.node) += held;
            if (state) state->energy += 0.5 * held.dot(moved);
        }
    });
    return f;
}

void Recovery::hold_shells(const Movements& u, Movements& forces, std::vector<StructureState>* states) const {
    const auto& parts = p_.structure.shells;
    const std::size_t cases = u.size();
    std::vector<std::vector<ShellHeld>> held(cases, std::vector<ShellHeld>(parts.size()));
    parallel_for(parts.size(), [&](std::size_t i) {
        const ShellPart& part = parts[i];
        std::vector<ShellMoved> moved(cases);
        std::vector<ShellHeld> own(cases);
        for (std::size_t c = 0; c < cases; ++c) {
            moved[c].movement.setZero();
            for (int k = 0; k < part.count(); ++k) moved[c].movement.segment<6>(Eigen::Index{6} * k) = u[c].segment<6>(Eigen::Index{6} * part.nodes[ix(k)]);
            moved[c].kelvin = cases_[c].shell_warming.empty() ? 0 : cases_[c].shell_warming[i];
        }
        shell_states(p_.shell(i), p_.laws[ix(part.material)], moved, own);
        for (std::size_t c = 0; c < cases; ++c) held[c][i] = own[c];
    });
    parallel_for(cases, [&](std::size_t c) {
        for (std::size_t i = 0; i < parts.size(); ++i) add_at_nodes(forces[c], parts[i].nodes, parts[i].count(), held[c][i].forces);
        if (!states) return;
        StructureState& state = (*states)[c];
        Meetings meetings;
        for (std::size_t i = 0; i < parts.size(); ++i) {
            const ShellPart& part = parts[i];
            state.energy += held[c][i].state.energy, state.shells.push_back(held[c][i].state);
            if (std::none_of(part.nodes.begin(), part.nodes.begin() + part.count(), [&](std::int32_t n) { return meets(n); })) continue;
            const Vector24 own = held[c][i].forces - shell_forces(c, i);
            for (int k = 0; k < part.count(); ++k)
                if (meets(part.nodes[ix(k)])) meetings.add(part.nodes[ix(k)], false, part.group, own.segment<6>(Eigen::Index{6} * k));
        }
        meetings.list(state.meetings);
    });
}

void Recovery::hold_beams(std::size_t c, const Eigen::VectorXd& u, Eigen::VectorXd& f, StructureState* state) const {
    const Structure& s = p_.structure;
    const StructureLoads& loads = cases_[c];
    Meetings meetings;
    for (std::size_t i = 0; i < s.beams.size(); ++i) {
        const BeamPart& b = s.beams[i];
        Vector12 own, held;
        own << u.segment<6>(Eigen::Index{6} * b.nodes[0]), u.segment<6>(Eigen::Index{6} * b.nodes[1]);
        const BeamShape shape = p_.beam(i);
        const Vec3 force = beam_force(c, i);
        BeamState at =
            beam_state(shape, s.sections[ix(b.section)], s.materials[ix(b.material)], own, force, loads.beam_warming.empty() ? 0 : loads.beam_warming[i], held);
        for (int k = 0; state && k < 2; ++k)
            if (meets(b.nodes[ix(k)])) meetings.add(b.nodes[ix(k)], true, b.group, held.segment<6>(Eigen::Index{6} * k));
        // Forces of even loads are on the side of the loads.
        held += beam_load(shape, s.sections[ix(b.section)], s.materials[ix(b.material)], force, 0);
        for (int k = 0; k < 2; ++k) f.segment<6>(Eigen::Index{6} * b.nodes[ix(k)]) += held.segment<6>(Eigen::Index{6} * k);
        if (state) state->energy += at.energy, state->beams.push_back(at);
    }
    if (!state) return;
    meetings.list(state->meetings);
    std::stable_sort(state->meetings.begin(), state->meetings.end(),
                     [](const GroupForce& a, const GroupForce& b) { return std::tuple(a.node, a.beams, a.group) < std::tuple(b.node, b.beams, b.group); });
}

void Recovery::hold_solids(const Movements& u, Movements& forces, std::vector<StructureState>* states) const {
    const auto& parts = p_.structure.solids;
    if (parts.empty()) return;
    for (std::size_t c = 0; c < u.size(); ++c) {
        std::vector<SolidHeld> held(parts.size());
        parallel_for(parts.size(), [&](std::size_t i) {
            Vector24 moved;
            for (Eigen::Index k = 0; k < 8; ++k) moved.segment<3>(3 * k) = u[c].segment<3>(Eigen::Index{6} * parts[i].nodes[ix(k)]);
            held[i] = solid_state(p_.solid(i), p_.solid_laws[ix(parts[i].material)], moved, cases_[c].solid_warming.empty() ? 0 : cases_[c].solid_warming[i]);
        });
        for (std::size_t i = 0; i < parts.size(); ++i) {
            add_at_nodes(forces[c], parts[i].nodes, 8, held[i].forces, 3);
            if (states) (*states)[c].energy += held[i].state.energy, (*states)[c].solids.push_back(held[i].state);
        }
    }
}

}  // namespace halvo
