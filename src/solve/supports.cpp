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

std::string motions_text(const std::vector<FreeMotion>& motions, const Built& built, const Model& model, const Mesh& mesh) {
    // Bodies by the nodes that move; a motion as the rigid one nearest to it.
    std::vector<std::string> lines;
    for (const FreeMotion& f : motions) {
        std::map<std::string, double> moving;
        Vec3 centre = Vec3::Zero();
        double weight = 0;
        const auto moved = [&](std::int32_t n) { return f.movement.segment<3>(Eigen::Index{6} * n).norm(); };
        for (const Element& e : mesh.elements) {
            const std::string name = e.body && ix(e.body) < model.bodies.size() ? model.bodies[ix(e.body)].label : std::string();
            for (std::size_t k = 0; k < e.count; ++k) {
                const double d = moved(e.nodes[k]);
                centre += d * mesh.nodes[ix(e.nodes[k])], weight += d;
                if (d > 0.05 && !name.empty()) moving[name] = std::max(moving[name], d);
            }
        }
        std::string who = moving.empty() ? "the model" : moving.begin()->first;
        double most = 0;
        for (const auto& [name, d] : moving)
            if (d > most * (1 + 1e-6)) most = d, who = name;
        if (moving.size() > 1) who += fmt::format(" and {} more", moving.size() - 1);
        Vec3 shift = Vec3::Zero(), turn = Vec3::Zero();
        if (weight > 0) centre /= weight;
        double count = 0;
        Eigen::Matrix3d spread = Eigen::Matrix3d::Zero();
        for (std::size_t n = 0; n < built.structure.nodes.size(); ++n) {
            const auto k = static_cast<std::int32_t>(n);
            if (moved(k) < 1e-9) continue;
            const Vec3 r = built.structure.nodes[n] - centre, u = f.movement.segment<3>(Eigen::Index{6} * k);
            shift += u, turn += r.cross(u), count += 1;
            spread += r.squaredNorm() * Eigen::Matrix3d::Identity() - r * r.transpose();
        }
        if (count > 0) shift /= count;
        if (spread.trace() > 0) turn = (spread + 1e-9 * spread.trace() * Eigen::Matrix3d::Identity()).inverse() * turn;
        const double size = count > 0 ? std::sqrt(spread.trace() / count) : 0;
        const Vec3 place = built.structure.nodes[f.nodes.empty() ? 0 : ix(f.nodes[0])] + model.shift;
        if (turn.norm() * size > shift.norm())
            lines.push_back(fmt::format("{} can turn about ({:.2g}, {:.2g}, {:.2g}), most at ({:.6g}, {:.6g}, {:.6g})", who, turn.normalized().x() + 0.0,
                                        turn.normalized().y() + 0.0, turn.normalized().z() + 0.0, place.x(), place.y(), place.z()));
        else
            lines.push_back(fmt::format("{} can move along ({:.2g}, {:.2g}, {:.2g})", who, shift.normalized().x() + 0.0, shift.normalized().y() + 0.0,
                                        shift.normalized().z() + 0.0));
    }
    const std::size_t shown = std::min<std::size_t>(lines.size(), 6);
    return fmt::format("{} motion{} left: {}{}", lines.size(), lines.size() == 1 ? " is" : "s are",
                       fmt::join(lines.begin(), lines.begin() + static_cast<std::ptrdiff_t>(shown), "; "), lines.size() > shown ? "; ..." : "");
}

}  // namespace halvo
