// What structures of one shape share: which movements follow from which, the numbers of those that stay, the matrix's pattern and its order of elimination,
// and the rigid motions that no support resists.
#include "core/index.hpp"
#include "solve/equations.hpp"
#include "solve/normals.hpp"

#include <Eigen/Eigenvalues>

#include <algorithm>

namespace halvo {
namespace {

// Everything but thickness, offset and material.
bool same_place(const ShellPart& a, const ShellPart& b) {
    return a.nodes == b.nodes && a.group == b.group && a.normals == b.normals;
}
bool same_place(const BeamPart& a, const BeamPart& b) {
    return a.nodes == b.nodes && a.group == b.group;
}
bool same_place(const SolidPart& a, const SolidPart& b) {
    return a.nodes == b.nodes && a.group == b.group;
}
bool same_place(const RigidArm& a, const RigidArm& b) {
    return a.master == b.master && a.slave == b.slave;
}
bool same_place(const MotionEquation& a, const MotionEquation& b) {
    return a.terms == b.terms && a.value == b.value && a.source == b.source;
}
bool same_place(const PointMass& a, const PointMass& b) {
    return a.node == b.node;
}
bool same_place(const GroundSpring& a, const GroundSpring& b) {
    return a.node == b.node && a.source == b.source && a.stiffness == b.stiffness;
}

template <class T>
bool same_places(const std::vector<T>& a, const std::vector<T>& b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](const T& x, const T& y) { return same_place(x, y); });
}

}  // namespace

EquationLayout::EquationLayout(const Structure& structure) : shape(structure) {
    Box3 box;
    for (const Vec3& x : shape.nodes) box.extend(x);
    size = box.isEmpty() || box.diagonal().norm() == 0 ? 1 : box.diagonal().norm();
    shell_normals = smooth_normals(shape);
    elimination.emplace(6 * shape.nodes.size(), size);
    eliminate();
    find_meetings();
    unknowns = unknowns_of(shape, *elimination);
    assembler.emplace(
        count(), [&](std::size_t e) { return nodes_of(e); }, unknowns, *elimination);
    find_rigid_motions();
    ordering = std::make_unique<Ordering>(assembler->pattern(), unknowns.node);
}

bool EquationLayout::fits(const Structure& s) const {
    return shape.nodes == s.nodes && same_places(shape.shells, s.shells) && same_places(shape.beams, s.beams) && same_places(shape.solids, s.solids) &&
           same_places(shape.arms, s.arms) && same_places(shape.equations, s.equations) && same_places(shape.masses, s.masses) &&
           same_places(shape.springs, s.springs);
}

// Shells, then beams, springs, point masses, and solids.
std::size_t EquationLayout::count() const {
    return shape.shells.size() + shape.beams.size() + shape.springs.size() + shape.masses.size() + shape.solids.size();
}

std::vector<std::int32_t> EquationLayout::nodes_of(std::size_t e) const {
    if (e < shape.shells.size()) {
        const ShellPart& p = shape.shells[e];
        return {p.nodes.begin(), p.nodes.begin() + p.count()};
    }
    e -= shape.shells.size();
    if (e < shape.beams.size()) return {shape.beams[e].nodes.begin(), shape.beams[e].nodes.end()};
    e -= shape.beams.size();
    if (e < shape.springs.size()) return {shape.springs[e].node};
    e -= shape.springs.size();
    if (e < shape.masses.size()) return {shape.masses[e].node};
    const auto& nodes = shape.solids[e - shape.masses.size()].nodes;
    return {nodes.begin(), nodes.end()};
}

void EquationLayout::find_meetings() {
    constexpr std::int32_t none = -1;
    meets.assign(shape.nodes.size(), 0);
    // The first group seen at each node: shells of a sheet and beams of a member are told apart by one bit.
    std::vector<std::int64_t> first(shape.nodes.size(), none);
    const auto see = [&](std::int32_t node, std::int64_t group) {
        if (first[ix(node)] == none) first[ix(node)] = group;
        else if (first[ix(node)] != group) meets[ix(node)] = 1;
    };
    for (const ShellPart& p : shape.shells)
        for (int k = 0; k < p.count(); ++k) see(p.nodes[ix(k)], 2 * std::int64_t{p.group + 1});
    for (const BeamPart& p : shape.beams)
        for (const std::int32_t n : p.nodes) see(n, 2 * std::int64_t{p.group + 1} + 1);
    for (const RigidArm& a : shape.arms) meets[ix(a.master)] = meets[ix(a.slave)] = 1;
    for (const MotionEquation& e : shape.equations)
        if (e.source < 0)
            for (const auto& [movement, factor] : e.terms) meets[ix(movement / 6)] = 1;
}

void EquationLayout::eliminate() {
    const auto give_up = [&](const MotionEquation& e, std::int64_t movement) {
        if (elimination->add(e, movement) == Elimination::Outcome::conflict) conflicts.push_back(static_cast<std::int32_t>(elimination->equations()) - 1);
    };
    for (const RigidArm& a : shape.arms) {
        const Vec3 r = shape.nodes[ix(a.slave)] - shape.nodes[ix(a.master)];
        const std::int64_t s = 6 * std::int64_t{a.slave}, m = 6 * std::int64_t{a.master};
        // Displacement: that of the master plus its rotation times the arm.
        give_up({{{s, 1}, {m, -1}, {m + 4, -r.z()}, {m + 5, r.y()}}, 0, -1}, s);
        give_up({{{s + 1, 1}, {m + 1, -1}, {m + 5, -r.x()}, {m + 3, r.z()}}, 0, -1}, s + 1);
        give_up({{{s + 2, 1}, {m + 2, -1}, {m + 3, -r.y()}, {m + 4, r.x()}}, 0, -1}, s + 2);
        for (std::int64_t k = 3; k < 6; ++k) give_up({{{s + k, 1}, {m + k, -1}}, 0, -1}, s + k);
    }
    first_equation = static_cast<std::int32_t>(elimination->equations());
    for (const MotionEquation& e : shape.equations) give_up(e, e.terms.empty() ? -1 : e.terms.front().first);
    elimination->finish();
}

// Of one connected part: rigid motions that no support and no spring resists.
void EquationLayout::find_rigid_motions() {
    const std::size_t n = shape.nodes.size();
    Groups groups(n);
    for (std::size_t e = 0; e < count(); ++e) {
        const auto nodes = nodes_of(e);
        for (const std::int32_t k : nodes) groups.tie(nodes[0], k);
    }
    for (const RigidArm& a : shape.arms) groups.tie(a.master, a.slave);
    for (const MotionEquation& e : shape.equations)
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
        p.centre += shape.nodes[i], ++p.count;
    }
    for (auto& [root, p] : parts) p.centre /= static_cast<double>(p.count);
    for (std::size_t i = 0; i < n; ++i)
        if (alive[i]) {
            Part& p = parts[groups.root(static_cast<int>(i))];
            p.size = std::max(p.size, (shape.nodes[i] - p.centre).norm());
        }
    // Movements of a node over the part's motion, rotations scaled by its size.
    const auto rigid = [&](const Part& p, std::size_t node) {
        Eigen::Matrix<double, 6, 6> r = Eigen::Matrix<double, 6, 6>::Identity();
        const double span = p.size > 0 ? p.size : 1;
        const Vec3 arm = (shape.nodes[node] - p.centre) / span;
        r.topRightCorner<3, 3>() << 0, arm.z(), -arm.y(), -arm.z(), 0, arm.x(), arm.y(), -arm.x(), 0;
        r.bottomRightCorner<3, 3>() /= span;
        return r;
    };
    const auto of_node = [&](std::size_t node) { return parts.find(groups.root(static_cast<int>(node))); };
    for (const MotionEquation& e : shape.equations) {
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
    for (const GroundSpring& s : shape.springs) {
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
            rigid_motions.push_back(std::move(f));
        }
    }
}

void EquationLayout::finish_motion(FreeMotion& f) const {
    double most = 0;
    const auto length = [&](std::size_t i) { return f.movement.segment<3>(static_cast<Eigen::Index>(6 * i)).norm(); };
    for (std::size_t i = 0; i < shape.nodes.size(); ++i) most = std::max(most, length(i));
    if (!(most > 0)) {
        most = f.movement.lpNorm<Eigen::Infinity>();
        f.movement /= most;
        for (std::size_t i = 0; i < shape.nodes.size(); ++i)
            if (f.movement.segment<6>(static_cast<Eigen::Index>(6 * i)).lpNorm<Eigen::Infinity>() > 0.99) f.nodes.push_back(static_cast<std::int32_t>(i));
        return;
    }
    f.movement /= most;
    for (std::size_t i = 0; i < shape.nodes.size(); ++i)
        if (length(i) > 0.99) f.nodes.push_back(static_cast<std::int32_t>(i));
}

}  // namespace halvo
