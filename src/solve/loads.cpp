#include "core/index.hpp"
#include "solve/building.hpp"

#include <halvo/solve.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr std::array<const char*, 9> kind_words = {"load",   "pressure",     "force", "force per length", "force per area",
                                                   "moment", "acceleration", "spin",  "temperature"};

class Loading {
public:
    Loading(StructureLoads& loads, const Built& built, const Picker& picker, const LoadRule& rule, double factor)
        : loads_(loads), built_(built), picker_(picker), rule_(rule), factor_(factor), frame_(picker.frame(rule.frame)) {
        shell_of_.assign(picker.mesh().elements.size(), -1), beam_of_ = shell_of_;
        for (std::size_t i = 0; i < built.shell_elements.size(); ++i) shell_of_[ix(built.shell_elements[i])] = static_cast<std::int32_t>(i);
        for (std::size_t i = 0; i < built.beam_elements.size(); ++i) beam_of_[ix(built.beam_elements[i])] = static_cast<std::int32_t>(i);
    }

    void add() {
        using Kind = LoadRule::Kind;
        switch (rule_.kind) {
            case Kind::pressure:
            case Kind::force_per_area:
                return on_areas();
            case Kind::force:
            case Kind::moment:
                return in_all();
            case Kind::force_per_length:
                return on_lines();
            case Kind::acceleration:
            case Kind::spin:
                return on_masses();
            case Kind::temperature:
                return warming();
            case Kind::none:
                break;
        }
    }

private:
    [[noreturn]] void nothing(const char* what) const {
        throw Error(ErrorKind::stage,
                    fmt::format("{}: {} picks no {}; halvo list MODEL sets and sheets show what there is", called(rule_), Picker::words(rule_.of), what));
    }
    [[nodiscard]] Vec3 along(const Vec3& at) const { return factor_ * (frame_.axes(at) * rule_.vector); }
    [[nodiscard]] const Structure& s() const { return built_.structure; }
    template <class T>
    void sized(std::vector<T>& list, std::size_t n, const T& none) {
        if (list.empty()) list.assign(n, none);
    }
    Eigen::VectorXd& forces() {
        if (loads_.forces.size() == 0) loads_.forces = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * s().nodes.size()));
        return loads_.forces;
    }

    void on_areas() {
        bool any = false;
        sized(loads_.shell_pressure, s().shells.size(), 0.0), sized(loads_.shell_traction, s().shells.size(), Vec3(Vec3::Zero()));
        for (const std::size_t e : picker_.elements(rule_.of)) {
            if (shell_of_[e] < 0) continue;
            any = true;
            const std::size_t i = ix(shell_of_[e]);
            const ShellPart& p = s().shells[i];
            Vec3 centre = Vec3::Zero();
            for (int k = 0; k < p.count(); ++k) centre += s().nodes[ix(p.nodes[ix(k)])] / p.count();
            if (rule_.kind == LoadRule::Kind::force_per_area) {
                loads_.shell_traction[i] += along(centre);
                continue;
            }
            const Vec3 a = s().nodes[ix(p.nodes[1])] - s().nodes[ix(p.nodes[0])], b = s().nodes[ix(p.nodes[2])] - s().nodes[ix(p.nodes[0])];
            const Vec3 n = p.count() == 4 ? b.cross(Vec3(s().nodes[ix(p.nodes[3])] - s().nodes[ix(p.nodes[1])])) : a.cross(b);
            // It pushes away from the side it acts from.
            const double side = n.dot(*rule_.from - picker_.model().shift - centre) > 0 ? -1 : 1;
            loads_.shell_pressure[i] += factor_ * side * rule_.value;
        }
        if (!any) nothing("shells");
    }

    void in_all() {
        const auto nodes = picker_.nodes(rule_.of);
        if (nodes.empty()) nothing("nodes");
        const auto share = picker_.shares(rule_.of, nodes);
        const Eigen::Index at = rule_.kind == LoadRule::Kind::moment ? 3 : 0;
        for (std::size_t i = 0; i < nodes.size(); ++i) forces().segment<3>(Eigen::Index{6} * nodes[i] + at) += share[i] * along(s().nodes[ix(nodes[i])]);
    }

    void on_lines() {
        bool any = false;
        // Members carry it along their length, edges at their nodes.
        std::vector<char> on_beam(s().nodes.size(), 0);
        sized(loads_.beam_force, s().beams.size(), Vec3(Vec3::Zero()));
        std::map<std::array<std::int32_t, 2>, std::size_t> beams;
        for (std::size_t b = 0; b < s().beams.size(); ++b)
            beams[{std::min(s().beams[b].nodes[0], s().beams[b].nodes[1]), std::max(s().beams[b].nodes[0], s().beams[b].nodes[1])}] = b;
        for (const auto& [a, b] : picker_.stretches(rule_.of)) {
            any = true;
            const Vec3 d = s().nodes[ix(b)] - s().nodes[ix(a)], f = along(0.5 * (s().nodes[ix(a)] + s().nodes[ix(b)]));
            if (const auto it = beams.find({a, b}); it != beams.end()) loads_.beam_force[it->second] += f;
            else forces().segment<3>(Eigen::Index{6} * a) += 0.5 * d.norm() * f, forces().segment<3>(Eigen::Index{6} * b) += 0.5 * d.norm() * f;
        }
        if (!any) nothing("edges");
    }

    [[nodiscard]] Vec3 acceleration(const Vec3& at) const {
        if (rule_.kind == LoadRule::Kind::acceleration) return along(at);
        const Vec3 axis = (rule_.axis[1] - rule_.axis[0]).normalized(), r = at - (rule_.axis[0] - picker_.model().shift);
        return factor_ * rule_.value * rule_.value * (r - axis * axis.dot(r));
    }

    void on_masses() {
        if (rule_.of.empty()) {
            sized(loads_.acceleration, s().nodes.size(), Vec3(Vec3::Zero()));
            for (std::size_t n = 0; n < s().nodes.size(); ++n) loads_.acceleration[n] += acceleration(s().nodes[n]);
            return;
        }
        const auto list = picker_.elements(rule_.of);
        const auto nodes = picker_.nodes(rule_.of);
        if (list.empty() && nodes.empty()) nothing("elements");
        sized(loads_.beam_force, s().beams.size(), Vec3(Vec3::Zero()));
        for (const std::size_t e : list) {
            if (shell_of_[e] >= 0) push_shell(s().shells[ix(shell_of_[e])]);
            if (beam_of_[e] < 0) continue;
            const BeamPart& p = s().beams[ix(beam_of_[e])];
            loads_.beam_force[ix(beam_of_[e])] += s().materials[ix(p.material)].density * s().sections[ix(p.section)].area *
                                                  acceleration(0.5 * (s().nodes[ix(p.nodes[0])] + s().nodes[ix(p.nodes[1])]));
        }
        for (const PointMass& m : s().masses)
            if (std::binary_search(nodes.begin(), nodes.end(), m.node))
                forces().segment<3>(Eigen::Index{6} * m.node) += m.mass * acceleration(s().nodes[ix(m.node)]);
    }
    void push_shell(const ShellPart& p) {
        ShellShape shape;
        shape.count = p.count(), shape.thickness = p.thickness, shape.offset = p.offset;
        Vector24 a = Vector24::Zero();
        for (int k = 0; k < p.count(); ++k) {
            shape.nodes[ix(k)] = s().nodes[ix(p.nodes[ix(k)])];
            a.segment<3>(Eigen::Index{6} * k) = acceleration(shape.nodes[ix(k)]);
        }
        const Vector24 f = shell_mass(shape, s().materials[ix(p.material)].density, false) * a;
        for (int k = 0; k < p.count(); ++k) forces().segment<6>(Eigen::Index{6} * p.nodes[ix(k)]) += f.segment<6>(Eigen::Index{6} * k);
    }

    void warming() {
        bool any = false;
        sized(loads_.shell_warming, s().shells.size(), 0.0), sized(loads_.beam_warming, s().beams.size(), 0.0);
        for (const std::size_t e : picker_.elements(rule_.of)) {
            any = true;
            if (shell_of_[e] >= 0) loads_.shell_warming[ix(shell_of_[e])] += factor_ * rule_.value;
            if (beam_of_[e] >= 0) loads_.beam_warming[ix(beam_of_[e])] += factor_ * rule_.value;
        }
        if (!any) nothing("elements");
    }

    StructureLoads& loads_;
    const Built& built_;
    const Picker& picker_;
    const LoadRule& rule_;
    double factor_;
    LocalFrame frame_;
    std::vector<std::int32_t> shell_of_, beam_of_;
};

}  // namespace

std::string called(const LoadRule& rule) {
    return rule.name.empty() ? fmt::format("[[load]] ({})", kind_words[static_cast<std::size_t>(rule.kind)]) : fmt::format("[[load]] \"{}\"", rule.name);
}

void add_load(StructureLoads& loads, const Built& built, const Picker& picker, const LoadRule& rule, double factor) {
    Loading(loads, built, picker, rule, factor).add();
}

std::vector<Vec3> places_named(const SolveOptions& options) {
    std::vector<Vec3> out;
    const auto add = [&](const Selection& s) { out.insert(out.end(), s.points.begin(), s.points.end()); };
    for (const auto& r : options.supports) add(r.of);
    for (const auto& r : options.loads) add(r.of);
    for (const auto& r : options.masses) add(r.of);
    for (const auto& r : options.points) add(r.of);
    for (const auto& r : options.probes) add(r.of);
    return out;
}

}  // namespace halvo
