// A structure's equations: assembled, freed of constraints, factorized, solved and looked at again element by element.
#include "solve/equations.hpp"

#include "core/index.hpp"
#include "core/parallel.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <numeric>
#include <span>

namespace halvo {
namespace {

constexpr double suspicious_pivot = 1e-10;  // of a matrix with ones on its diagonal: looked at more closely
constexpr int most_refinements = 3;         // each takes three digits of rounding out or more; what three leave stays
constexpr double refined = 1e-13;           // residual over loads at which refinement ends

double seconds_since(std::chrono::steady_clock::time_point t) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - t).count();
}

}  // namespace

ShellShape Equations::Parts::shell(std::size_t i) const {
    const ShellPart& p = structure.shells[i];
    ShellShape s;
    s.count = p.count(), s.thickness = p.thickness, s.offset = p.offset, s.normals = layout->shell_normals[i];
    for (int k = 0; k < s.count; ++k) s.nodes[ix(k)] = structure.nodes[ix(p.nodes[ix(k)])];
    return s;
}

BeamShape Equations::Parts::beam(std::size_t i) const {
    const BeamPart& p = structure.beams[i];
    return beam_shape({structure.nodes[ix(p.nodes[0])], structure.nodes[ix(p.nodes[1])]}, p);
}

std::array<Vec3, 8> Equations::Parts::solid(std::size_t i) const {
    std::array<Vec3, 8> out;
    for (std::size_t k = 0; k < 8; ++k) out[k] = structure.nodes[ix(structure.solids[i].nodes[k])];
    return out;
}

namespace {

// Six rows a node, as all elements have them; nodes of solids do not turn.
Eigen::MatrixXd with_rotations(const Matrix24& k) {
    Eigen::MatrixXd out = Eigen::MatrixXd::Zero(48, 48);
    for (Eigen::Index i = 0; i < 8; ++i)
        for (Eigen::Index j = 0; j < 8; ++j) out.block<3, 3>(6 * i, 6 * j) = k.block<3, 3>(3 * i, 3 * j);
    return out;
}

}  // namespace

Eigen::MatrixXd Equations::Parts::stiffness_of(std::size_t e) const {
    if (e < structure.shells.size()) {
        const int n = 6 * structure.shells[e].count();
        return shell_stiffness(shell(e), laws[ix(structure.shells[e].material)]).topLeftCorner(n, n);
    }
    e -= structure.shells.size();
    if (e < structure.beams.size()) {
        const BeamPart& p = structure.beams[e];
        return beam_stiffness(beam(e), structure.sections[ix(p.section)], structure.materials[ix(p.material)]);
    }
    e -= structure.beams.size();
    if (e < structure.springs.size()) return structure.springs[e].stiffness;
    e -= structure.springs.size();
    if (e < structure.masses.size()) return Eigen::MatrixXd::Zero(6, 6);
    e -= structure.masses.size();
    return with_rotations(solid_stiffness(solid(e), solid_laws[ix(structure.solids[e].material)]));
}

Eigen::MatrixXd Equations::Parts::mass_of(std::size_t e, bool lumped) const {
    if (e < structure.shells.size()) {
        const int n = 6 * structure.shells[e].count();
        return shell_mass(shell(e), structure.materials[ix(structure.shells[e].material)].density, lumped).topLeftCorner(n, n);
    }
    e -= structure.shells.size();
    if (e < structure.beams.size()) {
        const BeamPart& p = structure.beams[e];
        return beam_mass(beam(e), structure.sections[ix(p.section)], structure.materials[ix(p.material)].density, lumped);
    }
    e -= structure.beams.size();
    Eigen::MatrixXd m = Eigen::MatrixXd::Zero(6, 6);
    if (e < structure.springs.size()) return m;
    e -= structure.springs.size();
    if (e >= structure.masses.size()) {
        e -= structure.masses.size();
        return with_rotations(solid_mass(solid(e), structure.materials[ix(structure.solids[e].material)].density, lumped));
    }
    const PointMass& p = structure.masses[e];
    m.topLeftCorner<3, 3>() = p.mass * Eigen::Matrix3d::Identity(), m.bottomRightCorner<3, 3>() = p.inertia;
    return m;
}

void Equations::Parts::factorize() {
    const auto start = std::chrono::steady_clock::now();
    factor.emplace(stiffness, *layout->ordering);
    factor_time = seconds_since(start);
    if (factor->good() && factor->least_pivot() > suspicious_pivot) return;
    find_loose_motions();
}

// Pivots near rounding: does a movement exist whose energy is rounding? By inverse iteration on a slightly stiffened matrix.
void Equations::Parts::find_loose_motions() {
    constexpr double stiffened = 1e-9, no_energy = 1e-13;
    constexpr int most_motions = 12, iterations = 6;
    LowerMatrix m = stiffness;
    const Eigen::VectorXd d = m.diagonal();
    const double least = std::max(1e-300, d.maxCoeff() * 1e-12);
    for (std::int64_t j = 0; j < m.size; ++j) m.value[ix(m.start[ix(j)])] += stiffened * std::max(d[j], least);
    const Factor stiff(m, *layout->ordering);
    if (!stiff.good()) return;
    const auto absolute = [&](const Eigen::VectorXd& v) {
        double sum = 0;
        for (std::int64_t j = 0; j < stiffness.size; ++j)
            for (auto k = stiffness.start[ix(j)]; k < stiffness.start[ix(j) + 1]; ++k)
                sum += (stiffness.row[ix(k)] == j ? 1 : 2) * std::abs(stiffness.value[ix(k)] * v[j] * v[stiffness.row[ix(k)]]);
        return sum;
    };
    std::vector<Eigen::VectorXd> found;
    const Eigen::VectorXd weight = d.cwiseMax(least);
    for (int i = 0; i < most_motions; ++i) {
        Eigen::VectorXd v(stiffness.size);
        std::uint64_t seed = 88172645463325252ULL + static_cast<std::uint64_t>(i);
        for (Eigen::Index k = 0; k < v.size(); ++k) {
            seed ^= seed << 13, seed ^= seed >> 7, seed ^= seed << 17;
            v[k] = (static_cast<double>(seed % 2000001) / 1e6 - 1) / std::sqrt(weight[k]);
        }
        const auto part = [&] {
            for (const auto& f : found) v -= f.dot(weight.cwiseProduct(v)) * f;
            v /= std::sqrt(v.dot(weight.cwiseProduct(v)));
        };
        part();
        for (int k = 0; k < iterations; ++k) v = stiff.solve(weight.cwiseProduct(v)), part();
        if (std::abs(v.dot(stiffness.times(v))) > no_energy * absolute(v)) break;
        found.push_back(v);
        FreeMotion f;
        f.movement = expanded(v, {});
        layout->finish_motion(f);
        motions.push_back(std::move(f));
    }
}

Eigen::VectorXd Equations::Parts::expanded(const Eigen::VectorXd& q, const std::map<std::int32_t, double>& motion) const {
    Eigen::VectorXd u = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * structure.nodes.size()));
    for (Eigen::Index m = 0; m < u.size(); ++m) {
        if (layout->unknowns.number[ix(m)] >= 0) {
            u[m] = q[layout->unknowns.number[ix(m)]];
        } else if (const auto* e = layout->elimination->of(m)) {
            for (const auto& [other, f] : e->terms)
                if (layout->unknowns.number[ix(other)] >= 0) u[m] += f * q[layout->unknowns.number[ix(other)]];
            for (const auto& [equation, f] : e->values) u[m] += f * value_of(equation, motion);
        }
    }
    return u;
}

double Equations::Parts::value_of(std::int32_t equation, const std::map<std::int32_t, double>& motion) const {
    if (equation < layout->first_equation) return 0;
    const auto i = equation - layout->first_equation;
    const auto it = motion.find(i);
    return structure.equations[ix(i)].value * (it == motion.end() ? 1 : it->second);
}

// Forces at movements as unknowns feel them.
Eigen::VectorXd Equations::Parts::reduced(const Eigen::VectorXd& f) const {
    Eigen::VectorXd out = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(layout->unknowns.movement.size()));
    for (Eigen::Index m = 0; m < f.size(); ++m) {
        if (f[m] == 0) continue;
        if (layout->unknowns.number[ix(m)] >= 0) out[layout->unknowns.number[ix(m)]] += f[m];
        else if (const auto* e = layout->elimination->of(m))
            for (const auto& [other, factor_of] : e->terms)
                if (layout->unknowns.number[ix(other)] >= 0) out[layout->unknowns.number[ix(other)]] += factor_of * f[m];
    }
    return out;
}

// A force on a movement that nothing holds, and that follows from none that something holds, would be lost.
void Equations::Parts::must_be_carried(const Eigen::VectorXd& applied) const {
    for (Eigen::Index m = 0; m < applied.size(); ++m) {
        if (applied[m] == 0 || layout->unknowns.number[ix(m)] >= 0) continue;
        const auto* e = layout->elimination->of(m);
        const auto lost = [&](const auto& t) { return layout->unknowns.number[ix(t.first)] < 0; };
        if (e && (e->terms.empty() || !std::all_of(e->terms.begin(), e->terms.end(), lost))) continue;
        const Vec3& at = structure.nodes[ix(m / 6)];
        throw Error(ErrorKind::stage, fmt::format("a {} acts at node {} ({:.6g}, {:.6g}, {:.6g} from the model's middle), which nothing with stiffness holds",
                                                  m % 6 < 3 ? "force" : "moment", m / 6, at.x(), at.y(), at.z()));
    }
}

Equations::Equations(const Structure& structure, const Observer& observer, std::shared_ptr<const EquationLayout> like) : p_(std::make_unique<Parts>()) {
    Parts& p = *p_;
    const auto start = std::chrono::steady_clock::now();
    observer.tell("solve", 0);
    p.layout = like && like->fits(structure) ? std::move(like) : std::make_shared<const EquationLayout>(structure);
    p.structure = structure, p.motions = p.layout->rigid_motions;
    for (const Material& m : structure.materials) {
        p.laws.push_back(shell_law(m));
        if (!structure.solids.empty()) p.solid_laws.push_back(solid_law(m));
    }
    observer.tell("solve", 0.2);
    p.stiffness = p.layout->assembler->fill([&](std::size_t e) { return p.stiffness_of(e); });
    p.assembly_time = seconds_since(start);
    observer.tell("solve", 0.3);
    if (p.motions.empty() && p.layout->conflicts.empty()) p.factorize();
    observer.tell("solve", 0.8);
}

std::shared_ptr<const EquationLayout> Equations::layout() const {
    return p_->layout;
}

Equations::~Equations() = default;
Equations::Equations(Equations&&) noexcept = default;
Equations& Equations::operator=(Equations&&) noexcept = default;

std::size_t Equations::unknowns() const {
    return p_->layout->unknowns.movement.size();
}
const std::vector<FreeMotion>& Equations::free_motions() const {
    return p_->motions;
}
std::vector<std::int32_t> Equations::conflicts() const {
    std::vector<std::int32_t> out;
    for (const std::int32_t c : p_->layout->conflicts) out.push_back(c - p_->layout->first_equation);
    return out;
}
double Equations::factor_seconds() const {
    return p_->factor_time;
}
double Equations::assembly_seconds() const {
    return p_->assembly_time;
}
double Equations::recovery_seconds() const {
    return p_->recovery_time;
}

// What rounding leaves is taken up by solving again, for the cases that it helps.
Eigen::MatrixXd Equations::Parts::solved(const Eigen::MatrixXd& pushed) const {
    Eigen::MatrixXd q = Eigen::MatrixXd::Zero(pushed.rows(), pushed.cols());
    std::vector<Eigen::Index> open(static_cast<std::size_t>(pushed.cols()));
    std::iota(open.begin(), open.end(), Eigen::Index{0});
    std::vector<double> before(open.size(), std::numeric_limits<double>::infinity());
    Eigen::MatrixXd left = pushed;
    for (int i = 0; i <= most_refinements && !open.empty(); ++i) {
        if (i > 0) {
            std::erase_if(open, [&](Eigen::Index c) {
                left.col(c) = pushed.col(c) - stiffness.times(q.col(c));
                const double now = left.col(c).lpNorm<Eigen::Infinity>() / std::max(pushed.col(c).lpNorm<Eigen::Infinity>(), 1e-300);
                const bool done = now <= refined || now > 0.5 * before[ix(c)];
                before[ix(c)] = now;
                return done;
            });
        }
        if (!open.empty()) q(Eigen::all, open) += factor->solve(left(Eigen::all, open));
    }
    if (!q.allFinite())
        throw Error(ErrorKind::stage, "the solution is not finite; look for elements without size and for loads or materials that are no numbers");
    return q;
}

StructureState Equations::solve(const StructureLoads& loads) const {
    return std::move(solve(std::vector<StructureLoads>{loads}).front());
}

std::vector<StructureState> Equations::solve(const std::vector<StructureLoads>& cases) const {
    const Parts& p = *p_;
    if (!p.motions.empty()) throw Error(ErrorKind::stage, "the structure can still move; give it more supports");
    if (!p.layout->conflicts.empty()) throw Error(ErrorKind::stage, "two supports ask for different movements of one node");
    if (!p.factor || !p.factor->good()) throw Error(ErrorKind::stage, "the equations cannot be solved: a stiffness is zero or negative");
    const Recovery recovery(p, cases);
    const auto unknowns = static_cast<Eigen::Index>(p.layout->unknowns.movement.size()), count = static_cast<Eigen::Index>(cases.size());
    std::vector<StructureState> out(cases.size());
    std::vector<Eigen::VectorXd> asked(cases.size());
    bool held_before = false;
    for (std::size_t c = 0; c < cases.size(); ++c) {
        out[c].applied = recovery.applied(c);
        p.must_be_carried(out[c].applied);
        asked[c] = p.expanded(Eigen::VectorXd::Zero(unknowns), cases[c].motion);
        held_before =
            held_before || !asked[c].isZero(0) || !cases[c].shell_warming.empty() || !cases[c].beam_warming.empty() || !cases[c].solid_warming.empty();
    }
    // What equations ask for and warmth, as the elements then hold it, are loads too.
    const auto before = held_before ? recovery.held_by_elements(asked, nullptr) : std::vector<Eigen::VectorXd>();
    Eigen::MatrixXd pushed(unknowns, count);
    for (std::size_t c = 0; c < cases.size(); ++c) {
        pushed.col(static_cast<Eigen::Index>(c)) = p.reduced(out[c].applied);
        if (held_before) pushed.col(static_cast<Eigen::Index>(c)) -= p.reduced(before[c]);
    }
    const Eigen::MatrixXd q = p.solved(pushed);
    const auto start = std::chrono::steady_clock::now();
    std::vector<Eigen::VectorXd> movements(cases.size());
    for (std::size_t c = 0; c < cases.size(); ++c) movements[c] = p.expanded(q.col(static_cast<Eigen::Index>(c)), cases[c].motion);
    const auto held = recovery.held_by_elements(movements, &out);
    for (std::size_t c = 0; c < cases.size(); ++c) {
        out[c].movement = std::move(movements[c]);
        p.add_reactions(held[c] - out[c].applied, out[c]);
    }
    p.recovery_time += seconds_since(start);
    return out;
}

void Equations::Parts::add_reactions(const Eigen::VectorXd& left, StructureState& out) const {
    out.reaction = Eigen::VectorXd::Zero(left.size());
    const std::vector<double> forces = layout->elimination->forces(left);
    Vec3 centre = Vec3::Zero();
    for (const Vec3& x : structure.nodes) centre += x / static_cast<double>(structure.nodes.size());
    const auto count_in = [&](std::int32_t source, std::int64_t movement, double force) {
        out.reaction[movement] += force;
        auto& sum = out.of_source[source];
        const auto k = static_cast<Eigen::Index>(movement % 6);
        if (k >= 3) {
            sum[k] += force;
            return;
        }
        sum[k] += force;
        sum.tail<3>() += structure.nodes[ix(movement / 6)].cross(force * Vec3::Unit(k));
    };
    for (const MotionEquation& e : structure.equations)
        if (e.source >= 0) out.of_source.try_emplace(e.source, Eigen::Matrix<double, 6, 1>::Zero());
    for (const GroundSpring& s : structure.springs) out.of_source.try_emplace(s.source, Eigen::Matrix<double, 6, 1>::Zero());
    for (std::size_t i = 0; i < structure.equations.size(); ++i) {
        const MotionEquation& e = structure.equations[i];
        if (e.source < 0) continue;
        for (const auto& [m, f] : e.terms) count_in(e.source, m, f * forces[ix(layout->first_equation) + i]);
    }
    for (const GroundSpring& s : structure.springs) {
        const Eigen::Matrix<double, 6, 1> f = -s.stiffness * out.movement.segment<6>(Eigen::Index{6} * s.node);
        for (std::int64_t k = 0; k < 6; ++k) count_in(s.source, 6 * std::int64_t{s.node} + k, f[k]);
    }
    // Force and moment that nothing balances, about the middle of the structure.
    Vec3 force = Vec3::Zero(), moment = Vec3::Zero();
    double forces_in_all = 0;
    for (std::size_t i = 0; i < structure.nodes.size(); ++i) {
        const auto at = static_cast<Eigen::Index>(6 * i);
        const Vec3 fa = out.applied.segment<3>(at), fr = out.reaction.segment<3>(at), ma = out.applied.segment<3>(at + 3), mr = out.reaction.segment<3>(at + 3);
        force += fa + fr, moment += ma + mr + (structure.nodes[i] - centre).cross(fa + fr);
        forces_in_all += fa.norm() + fr.norm() + (ma.norm() + mr.norm()) / layout->size;
    }
    out.residual = forces_in_all > 0 ? std::max(force.norm(), moment.norm() / layout->size) / forces_in_all : 0;
}

}  // namespace halvo
