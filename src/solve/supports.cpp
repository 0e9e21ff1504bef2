#include "core/index.hpp"
#include "solve/building.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

std::vector<std::int32_t> nodes_held(const Picker& picker, const SupportRule& rule) {
    std::vector<std::int32_t> out = picker.nodes(rule.of);
    if (rule.on_plane) {
        // Those on a plane of the plan's cuts.
        const Vec3 at = *rule.on_plane - picker.model().shift, n = rule.symmetry->normalized();
        constexpr double on = 100;  // tolerances of the model, as the edges of a cut are found
        std::erase_if(out, [&](std::int32_t k) { return std::abs((picker.mesh().nodes[ix(k)] - at).dot(n)) > on * picker.model().tolerance.point; });
    }
    if (out.empty())
        throw Error(ErrorKind::stage,
                    fmt::format("{}: {} picks no nodes; halvo list MODEL sets and sheets show what there is", rule.name, Picker::words(rule.of)));
    return out;
}

MotionEquation along(std::int32_t node, bool turn, const Vec3& direction, double value, std::int32_t source) {
    MotionEquation e;
    e.source = source, e.value = value;
    for (int k = 0; k < 3; ++k)
        if (std::abs(direction[k]) > 1e-15) e.terms.emplace_back(6 * std::int64_t{node} + (turn ? 3 : 0) + k, direction[k]);
    return e;
}

}  // namespace

void add_support(Structure& s, const Picker& picker, const SupportRule& rule, std::int32_t source) {
    const auto nodes = nodes_held(picker, rule);
    const LocalFrame frame = picker.frame(rule.frame);
    const bool springs = std::any_of(rule.spring.begin(), rule.spring.end(), [](double k) { return k > 0; });
    const auto share = springs ? picker.shares(rule.of, nodes) : std::vector<double>();
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        const std::int32_t n = nodes[i];
        const Eigen::Matrix3d axes = frame.axes(s.nodes[ix(n)]);
        for (int k = 0; k < 6; ++k) {
            const Vec3 d = axes.col(k % 3);
            if (rule.move[ix(k)]) s.equations.push_back(along(n, k >= 3, d, *rule.move[ix(k)], source));
            else if (rule.fixed[ix(k)]) s.equations.push_back(along(n, k >= 3, d, 0, source));
        }
        if (rule.symmetry) {
            const Vec3 normal = (frame.kind == FrameRule::Kind::cartesian && rule.frame.empty() ? *rule.symmetry : Vec3(axes * *rule.symmetry)).normalized();
            const Vec3 one = normal.unitOrthogonal();
            s.equations.push_back(along(n, false, normal, 0, source));
            s.equations.push_back(along(n, true, one, 0, source)), s.equations.push_back(along(n, true, normal.cross(one), 0, source));
        }
        if (springs) {
            GroundSpring g;
            g.node = n, g.source = source;
            for (int k = 0; k < 6; ++k) {
                const Vec3 d = axes.col(k % 3);
                const Eigen::Index at = k >= 3 ? 3 : 0;
                g.stiffness.block<3, 3>(at, at) += share[i] * rule.spring[ix(k)] * d * d.transpose();
            }
            s.springs.push_back(g);
        }
    }
}

namespace {

// Bodies whose nodes move, most first; a node that only turns moves too.
std::vector<std::string> moving_bodies(const FreeMotion& f, const Model& model, const Mesh& mesh) {
    std::map<std::string, double> moving;
    const double turning = f.movement.size() > 0 ? f.movement.lpNorm<Eigen::Infinity>() : 0;
    for (const Element& e : mesh.elements) {
        if (!e.body || ix(e.body) >= model.bodies.size() || e.kind == ElementKind::rigid) continue;
        for (std::size_t k = 0; k < e.count; ++k) {
            const auto u = f.movement.segment<6>(Eigen::Index{6} * e.nodes[k]);
            const double d = std::max(u.head<3>().norm(), turning > 0 ? u.tail<3>().norm() / turning : 0.0);
            if (d > 0.05) moving[model.bodies[ix(e.body)].label] = std::max(moving[model.bodies[ix(e.body)].label], d);
        }
    }
    std::vector<std::pair<double, std::string>> order;
    for (const auto& [name, d] : moving) order.emplace_back(-std::round(1e3 * d), name);
    std::sort(order.begin(), order.end());
    std::vector<std::string> out;
    for (const auto& [d, name] : order) out.push_back(name);
    return out;
}

// The rigid motion nearest to a free one.
std::string motion_words(const FreeMotion& f, const Structure& s, const Vec3& shift) {
    Vec3 centre = Vec3::Zero(), move = Vec3::Zero(), turn = Vec3::Zero(), own_turn = Vec3::Zero();
    double count = 0;
    std::vector<std::size_t> nodes;
    for (std::size_t n = 0; n < s.nodes.size(); ++n)
        if (f.movement.segment<6>(static_cast<Eigen::Index>(6 * n)).norm() > 1e-9) nodes.push_back(n), centre += s.nodes[n], count += 1;
    if (count == 0) return "moves";
    centre /= count;
    Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
    for (const std::size_t n : nodes) {
        const Vec3 r = s.nodes[n] - centre, u = f.movement.segment<3>(static_cast<Eigen::Index>(6 * n));
        move += u / count, turn += r.cross(u), own_turn += f.movement.segment<3>(static_cast<Eigen::Index>(6 * n) + 3) / count;
        spread += r.squaredNorm() * Eigen::Matrix3d::Identity() - r * r.transpose();
    }
    const double size = std::sqrt(spread.trace() / count);
    if (spread.trace() > 0) turn = (spread + 1e-9 * spread.trace() * Eigen::Matrix3d::Identity()).inverse() * turn;
    const auto direction = [](Vec3 d) {
        d.normalize();
        for (double& v : d) v = std::abs(v) < 5e-3 ? 0.0 : v;
        return fmt::format("({:.2g}, {:.2g}, {:.2g})", d.x(), d.y(), d.z());
    };
    if (move.norm() + turn.norm() * size < 1e-6) return fmt::format("can turn about {}", direction(own_turn));
    // The axis of a turn passes nearest to the middle of what moves there.
    constexpr double turns = 0.1;  // of what moves: less turning than this is a shift
    if (turn.norm() * size > turns * move.norm()) {
        const Vec3 on = centre + turn.cross(move) / turn.squaredNorm() + shift;
        return fmt::format("can turn about the line through ({:.6g}, {:.6g}, {:.6g}) along {}", on.x(), on.y(), on.z(), direction(turn));
    }
    return fmt::format("can move along {}", direction(move));
}

}  // namespace

std::string motions_text(const std::vector<FreeMotion>& motions, const Built& built, const Model& model, const Mesh& mesh) {
    std::vector<std::pair<std::string, std::vector<std::string>>> by_body;
    for (const FreeMotion& f : motions) {
        const auto bodies = moving_bodies(f, model, mesh);
        std::string who = bodies.empty() ? "the model" : bodies[0];
        if (bodies.size() > 1) who += fmt::format(" and {} more bod{}", bodies.size() - 1, bodies.size() == 2 ? "y" : "ies");
        auto it = std::find_if(by_body.begin(), by_body.end(), [&](const auto& b) { return b.first == who; });
        if (it == by_body.end()) it = by_body.insert(by_body.end(), {who, {}});
        it->second.push_back(motion_words(f, built.structure, model.shift));
    }
    std::vector<std::string> lines;
    constexpr std::size_t rigid = 6, most = 4;
    for (const auto& [who, words] : by_body)
        lines.push_back(words.size() == rigid ? who + " is held by nothing" : fmt::format("{} {}", who, fmt::join(words, " and ")));
    const std::size_t shown = std::min(lines.size(), most);
    return fmt::format("{} motion{} left: {}{}", motions.size(), motions.size() == 1 ? " is" : "s are",
                       fmt::join(lines.begin(), lines.begin() + static_cast<std::ptrdiff_t>(shown), "; "), lines.size() > shown ? "; and others" : "");
}

}  // namespace halvo
