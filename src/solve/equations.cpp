// A structure's equations: assembled, freed of constraints, factorized, solved and looked at again element by element.
#include "solve/equations.hpp"

#include "core/index.hpp"
#include "core/parallel.hpp"
#include "solve/normals.hpp"

#include <Eigen/Eigenvalues>

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
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
    s.count = p.count(), s.thickness = p.thickness, s.offset = p.offset, s.normals = shell_normals[i];
    for (int k = 0; k < s.count; ++k) s.nodes[ix(k)] = structure.nodes[ix(p.nodes[ix(k)])];
    return s;
}

BeamShape Equations::Parts::beam(std::size_t i) const {
    const BeamPart& p = structure.beams[i];
    return beam_shape({structure.nodes[ix(p.nodes[0])], structure.nodes[ix(p.nodes[1])]}, p);
}

// Shells, then beams, springs, and point masses.
std::size_t Equations::Parts::count() const {
    return structure.shells.size() + structure.beams.size() + structure.springs.size() + structure.masses.size();
}

std::vector<std::int32_t> Equations::Parts::nodes_of(std::size_t e) const {
    if (e < structure.shells.size()) {
        const ShellPart& p = structure.shells[e];
        return {p.nodes.begin(), p.nodes.begin() + p.count()};
    }
    e -= structure.shells.size();
    if (e < structure.beams.size()) return {structure.beams[e].nodes.begin(), structure.beams[e].nodes.end()};
    e -= structure.beams.size();
    if (e < structure.springs.size()) return {structure.springs[e].node};
    return {structure.masses[e - structure.springs.size()].node};
}

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
    return Eigen::MatrixXd::Zero(6, 6);
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
    const PointMass& p = structure.masses[e - structure.springs.size()];
    m.topLeftCorner<3, 3>() = p.mass * Eigen::Matrix3d::Identity(), m.bottomRightCorner<3, 3>() = p.inertia;
    return m;
}

void Equations::Parts::find_meetings() {
    constexpr std::int32_t none = -1;
    meets.assign(structure.nodes.size(), 0);
    // The first group seen at each node: shells of a sheet and beams of a member are told apart by one bit.
    std::vector<std::int64_t> first(structure.nodes.size(), none);
    const auto see = [&](std::int32_t node, std::int64_t group) {
        if (first[ix(node)] == none) first[ix(node)] = group;
        else if (first[ix(node)] != group) meets[ix(node)] = 1;
    };
    for (const ShellPart& p : structure.shells)
        for (int k = 0; k < p.count(); ++k) see(p.nodes[ix(k)], 2 * std::int64_t{p.group + 1});
    for (const BeamPart& p : structure.beams)
        for (const std::int32_t n : p.nodes) see(n, 2 * std::int64_t{p.group + 1} + 1);
    for (const RigidArm& a : structure.arms) meets[ix(a.master)] = meets[ix(a.slave)] = 1;
    for (const MotionEquation& e : structure.equations)
        if (e.source < 0)
            for (const auto& [movement, factor] : e.terms) meets[ix(movement / 6)] = 1;
}

void Equations::Parts::eliminate() {
    const auto give_up = [&](const MotionEquation& e, std::int64_t movement) {
        if (elimination->add(e, movement) == Elimination::Outcome::conflict) conflicts.push_back(static_cast<std::int32_t>(elimination->equations()) - 1);
    };
    for (const RigidArm& a : structure.arms) {
        const Vec3 r = structure.nodes[ix(a.slave)] - structure.nodes[ix(a.master)];
        const std::int64_t s = 6 * std::int64_t{a.slave}, m = 6 * std::int64_t{a.master};
        // Displacement: that of the master plus its rotation times the arm.
        give_up({{{s, 1}, {m, -1}, {m + 4, -r.z()}, {m + 5, r.y()}}, 0, -1}, s);
        give_up({{{s + 1, 1}, {m + 1, -1}, {m + 5, -r.x()}, {m + 3, r.z()}}, 0, -1}, s + 1);
        give_up({{{s + 2, 1}, {m + 2, -1}, {m + 3, -r.y()}, {m + 4, r.x()}}, 0, -1}, s + 2);
        for (std::int64_t k = 3; k < 6; ++k) give_up({{{s + k, 1}, {m + k, -1}}, 0, -1}, s + k);
    }
    first_equation = static_cast<std::int32_t>(elimination->equations());
    for (const MotionEquation& e : structure.equations) give_up(e, e.terms.empty() ? -1 : e.terms.front().first);
    elimination->finish();
}

// Of one connected part: rigid motions that no support and no spring resists.
void Equations::Parts::find_rigid_motions() {
    const std::size_t n = structure.nodes.size();
    Groups groups(n);
    for (std::size_t e = 0; e < count(); ++e) {
        const auto nodes = nodes_of(e);
        for (const std::int32_t k : nodes) groups.tie(nodes[0], k);
    }
    for (const RigidArm& a : structure.arms) groups.tie(a.master, a.slave);
    for (const MotionEquation& e : structure.equations)
        if (e.source < 0)
            for (const auto& [m, f] : e.terms) groups.tie(static_cast<int>(e.terms[0].first / 6), static_cast<int>(m / 6));
    struct Part {
        Vec3 centre = Vec3::Zero();
        double size = 0;
        std::size_t count = 0;
        Eigen::Matrix<double, 6, 6> held = Eigen::Matrix<double, 6, 6>::Zero();
    };
    std::map<int, Part> parts;
    std::vector<char> alive(n, 0);
    for (const std::int64_t m : unknowns.movement) alive[ix(m / 6)] = 1;
    for (std::size_t e = 0; e < count(); ++e)
        for (const std::int32_t k : nodes_of(e)) alive[ix(k)] = 1;
    for (std::size_t i = 0; i < n; ++i) {
        if (!alive[i]) continue;
        Part& p = parts[groups.root(static_cast<int>(i))];
        p.centre += structure.nodes[i], ++p.count;
    }
    for (auto& [root, p] : parts) p.centre /= static_cast<double>(p.count);
    for (std::size_t i = 0; i < n; ++i)
        if (alive[i]) {
            Part& p = parts[groups.root(static_cast<int>(i))];
            p.size = std::max(p.size, (structure.nodes[i] - p.centre).norm());
        }
    // Movements of a node over the part's motion, rotations scaled by its size.
    const auto rigid = [&](const Part& p, std::size_t node) {
        Eigen::Matrix<double, 6, 6> r = Eigen::Matrix<double, 6, 6>::Identity();
        const double span = p.size > 0 ? p.size : 1;
        const Vec3 arm = (structure.nodes[node] - p.centre) / span;
        r.topRightCorner<3, 3>() << 0, arm.z(), -arm.y(), -arm.z(), 0, arm.x(), arm.y(), -arm.x(), 0;
        r.bottomRightCorner<3, 3>() /= span;
        return r;
    };
    const auto of_node = [&](std::size_t node) { return parts.find(groups.root(static_cast<int>(node))); };
    for (const MotionEquation& e : structure.equations) {
        if (e.source < 0 || e.terms.empty()) continue;
        const auto it = of_node(static_cast<std::size_t>(e.terms[0].first / 6));
        if (it == parts.end()) continue;
        Eigen::Matrix<double, 1, 6> row = Eigen::Matrix<double, 1, 6>::Zero();
        double weight = 0;
        for (const auto& [m, f] : e.terms) {
            row += f * rigid(it->second, static_cast<std::size_t>(m / 6)).row(m % 6);
            weight = std::max(weight, std::abs(f) / (m % 6 >= 3 ? std::max(it->second.size, 1e-300) : 1.0));
        }
        if (weight > 0) row /= weight, it->second.held += row.transpose() * row;
    }
    for (const GroundSpring& s : structure.springs) {
        const auto it = of_node(ix(s.node));
        if (it == parts.end()) continue;
        const auto r = rigid(it->second, ix(s.node));
        const Eigen::Matrix<double, 6, 6> k = r.transpose() * s.stiffness * r;
        if (k.trace() > 0) it->second.held += k / k.trace();
    }
    for (const auto& [root, p] : parts) {
        const Eigen::SelfAdjointEigenSolver<Eigen::Matrix<double, 6, 6>> eigen(p.held);
        constexpr double not_held = 1e-10;  // squared: a hundred thousandth of the size between the supports
        for (Eigen::Index k = 0; k < 6; ++k) {
            if (eigen.eigenvalues()[k] > not_held * std::max(1.0, eigen.eigenvalues()[5])) continue;
            FreeMotion f;
            f.movement = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * n));
            for (std::size_t i = 0; i < n; ++i)
                if (alive[i] && groups.root(static_cast<int>(i)) == root)
                    f.movement.segment<6>(static_cast<Eigen::Index>(6 * i)) = rigid(p, i) * eigen.eigenvectors().col(k);
            finish_motion(f);
            motions.push_back(std::move(f));
        }
    }
}

void Equations::Parts::finish_motion(FreeMotion& f) const {
    double most = 0;
    const auto length = [&](std::size_t i) { return f.movement.segment<3>(static_cast<Eigen::Index>(6 * i)).norm(); };
    for (std::size_t i = 0; i < structure.nodes.size(); ++i) most = std::max(most, length(i));
    if (!(most > 0)) {
        most = f.movement.lpNorm<Eigen::Infinity>();
        f.movement /= most;
        for (std::size_t i = 0; i < structure.nodes.size(); ++i)
            if (f.movement.segment<6>(static_cast<Eigen::Index>(6 * i)).lpNorm<Eigen::Infinity>() > 0.99) f.nodes.push_back(static_cast<std::int32_t>(i));
        return;
    }
    f.movement /= most;
    for (std::size_t i = 0; i < structure.nodes.size(); ++i)
        if (length(i) > 0.99) f.nodes.push_back(static_cast<std::int32_t>(i));
}

void Equations::Parts::factorize() {
    const auto start = std::chrono::steady_clock::now();
    factor.emplace(stiffness, *ordering);
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
    const Factor stiff(m, *ordering);
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
        finish_motion(f);
        motions.push_back(std::move(f));
    }
}

Eigen::VectorXd Equations::Parts::expanded(const Eigen::VectorXd& q, const std::map<std::int32_t, double>& motion) const {
    Eigen::VectorXd u = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * structure.nodes.size()));
    for (Eigen::Index m = 0; m < u.size(); ++m) {
        if (unknowns.number[ix(m)] >= 0) {
            u[m] = q[unknowns.number[ix(m)]];
        } else if (const auto* e = elimination->of(m)) {
            for (const auto& [other, f] : e->terms)
                if (unknowns.number[ix(other)] >= 0) u[m] += f * q[unknowns.number[ix(other)]];
            for (const auto& [equation, f] : e->values) u[m] += f * value_of(equation, motion);
        }
    }
    return u;
}

double Equations::Parts::value_of(std::int32_t equation, const std::map<std::int32_t, double>& motion) const {
    if (equation < first_equation) return 0;
    const auto i = equation - first_equation;
    const auto it = motion.find(i);
    return structure.equations[ix(i)].value * (it == motion.end() ? 1 : it->second);
}

// Forces at movements as unknowns feel them.
Eigen::VectorXd Equations::Parts::reduced(const Eigen::VectorXd& f) const {
    Eigen::VectorXd out = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(unknowns.movement.size()));
    for (Eigen::Index m = 0; m < f.size(); ++m) {
        if (f[m] == 0) continue;
        if (unknowns.number[ix(m)] >= 0) out[unknowns.number[ix(m)]] += f[m];
        else if (const auto* e = elimination->of(m))
            for (const auto& [other, factor_of] : e->terms)
                if (unknowns.number[ix(other)] >= 0) out[unknowns.number[ix(other)]] += factor_of * f[m];
    }
    return out;
}

// A force on a movement that nothing holds, and that follows from none that something holds, would be lost.
void Equations::Parts::must_be_carried(const Eigen::VectorXd& applied) const {
    for (Eigen::Index m = 0; m < applied.size(); ++m) {
        if (applied[m] == 0 || unknowns.number[ix(m)] >= 0) continue;
        const auto* e = elimination->of(m);
        const auto lost = [&](const auto& t) { return unknowns.number[ix(t.first)] < 0; };
        if (e && (e->terms.empty() || !std::all_of(e->terms.begin(), e->terms.end(), lost))) continue;
        const Vec3& at = structure.nodes[ix(m / 6)];
        throw Error(ErrorKind::stage, fmt::format("a {} acts at node {} ({:.6g}, {:.6g}, {:.6g} from the model's middle), which nothing with stiffness holds",
                                                  m % 6 < 3 ? "force" : "moment", m / 6, at.x(), at.y(), at.z()));
    }
}

Equations::Equations(const Structure& structure, const Observer& observer) : p_(std::make_unique<Parts>()) {
    Parts& p = *p_;
    const auto start = std::chrono::steady_clock::now();
    p.structure = structure;
    Box3 box;
    for (const Vec3& x : structure.nodes) box.extend(x);
    p.size = box.isEmpty() || box.diagonal().norm() == 0 ? 1 : box.diagonal().norm();
    for (const Material& m : structure.materials) p.laws.push_back(shell_law(m));
    p.shell_normals = smooth_normals(structure);
    p.elimination.emplace(6 * structure.nodes.size(), p.size);
    observer.tell("solve", 0);
    p.eliminate();
    p.find_meetings();
    p.unknowns = unknowns_of(structure, *p.elimination);
    p.assembler.emplace(
        p.count(), [&](std::size_t e) { return p.nodes_of(e); }, p.unknowns, *p.elimination);
    p.stiffness = p.assembler->fill([&](std::size_t e) { return p.stiffness_of(e); });
    p.assembly_time = seconds_since(start);
    observer.tell("solve", 0.2);
    p.find_rigid_motions();
    p.ordering = std::make_unique<Ordering>(p.stiffness, p.unknowns.node);
    observer.tell("solve", 0.3);
    if (p.motions.empty() && p.conflicts.empty()) p.factorize();
    observer.tell("solve", 0.8);
}

Equations::~Equations() = default;
Equations::Equations(Equations&&) noexcept = default;
Equations& Equations::operator=(Equations&&) noexcept = default;

std::size_t Equations::unknowns() const {
    return p_->unknowns.movement.size();
}
const std::vector<FreeMotion>& Equations::free_motions() const {
    return p_->motions;
}
std::vector<std::int32_t> Equations::conflicts() const {
    std::vector<std::int32_t> out;
    for (const std::int32_t c : p_->conflicts) out.push_back(c - p_->first_equation);
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

StructureState Equations::solve(const StructureLoads& loads) const {
    const Parts& p = *p_;
    if (!p.motions.empty()) throw Error(ErrorKind::stage, "the structure can still move; give it more supports");
    if (!p.conflicts.empty()) throw Error(ErrorKind::stage, "two supports ask for different movements of one node");
    if (!p.factor || !p.factor->good()) throw Error(ErrorKind::stage, "the equations cannot be solved: a stiffness is zero or negative");
    const Recovery recovery(p, loads);
    const Eigen::VectorXd applied = recovery.applied();
    Eigen::VectorXd q = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(p.unknowns.movement.size()));
    StructureState out;
    // What equations ask for and warmth, as the elements then hold it, are loads too.
    Eigen::VectorXd pushed = p.reduced(applied);
    const Eigen::VectorXd asked = p.expanded(q, loads.motion);
    if (!asked.isZero(0) || !loads.shell_warming.empty() || !loads.beam_warming.empty()) pushed -= p.reduced(recovery.held_by_elements(asked, nullptr));
    p.must_be_carried(applied);
    // What rounding leaves is taken up by solving again.
    const double scale = std::max(pushed.lpNorm<Eigen::Infinity>(), 1e-300);
    double before = std::numeric_limits<double>::infinity();
    for (int i = 0; i <= most_refinements; ++i) {
        const Eigen::VectorXd left = i == 0 ? pushed : Eigen::VectorXd(pushed - p.stiffness.times(q));
        const double now = left.lpNorm<Eigen::Infinity>() / scale;
        if (i > 0 && (now <= refined || now > 0.5 * before)) break;
        before = now;
        q += p.factor->solve(left);
    }
    if (!q.allFinite())
        throw Error(ErrorKind::stage, "the solution is not finite; look for elements without size and for loads or materials that are no numbers");
    const auto start = std::chrono::steady_clock::now();
    out.movement = p.expanded(q, loads.motion);
    out.applied = applied;
    const Eigen::VectorXd held = recovery.held_by_elements(out.movement, &out);
    p.add_reactions(held - applied, out);
    p.recovery_time += seconds_since(start);
    return out;
}

void Equations::Parts::add_reactions(const Eigen::VectorXd& left, StructureState& out) const {
    out.reaction = Eigen::VectorXd::Zero(left.size());
    const std::vector<double> forces = elimination->forces(left);
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
        for (const auto& [m, f] : e.terms) count_in(e.source, m, f * forces[ix(first_equation) + i]);
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
        forces_in_all += fa.norm() + fr.norm() + (ma.norm() + mr.norm()) / size;
    }
    out.residual = forces_in_all > 0 ? std::max(force.norm(), moment.norm() / size) / forces_in_all : 0;
}

}  // namespace halvo
