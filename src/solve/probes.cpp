#include "solve/probes.hpp"

#include "core/index.hpp"

#include <halvo/known.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

using What = ProbeRule::What;

// What a probe looks at: figures with their places.
struct Reading {
    std::vector<std::pair<double, Vec3>> values;
    void put(double v, const Vec3& p) { values.emplace_back(v, p); }
};

class Probing {
public:
    Probing(const ProbeRule& rule, const Solution& solution, const Built& built, const Picker& picker)
        : rule_(rule), solution_(solution), built_(built), picker_(picker), frame_(picker.frame(rule.frame)), nodes_(picker.nodes(rule.of)) {}

    [[nodiscard]] ProbeResult read(const CaseResult& c, const SheetStress& stress) const {
        Reading r;
        const char* unit = "";
        switch (rule_.what) {
            case What::displacement:
                unit = "mm", at_nodes(c.movement, 0, r);
                break;
            case What::rotation:
                unit = "rad", at_nodes(c.movement, 3, r);
                break;
            case What::reaction:
                unit = "N", at_nodes(c.reaction, 0, r);
                break;
            case What::reaction_moment:
                unit = "N mm", at_nodes(c.reaction, 3, r);
                break;
            case What::von_mises:
            case What::principal:
            case What::stress:
                unit = "MPa", shell_stresses(stress, r), beams(c, r);
                break;
            case What::thickness:
                unit = "mm", thicknesses(r);
                break;
            case What::axial_force:
            case What::shear_force:
                unit = "N", beams(c, r);
                break;
            case What::torque:
            case What::bending_moment:
                unit = "N mm", beams(c, r);
                break;
            case What::frequency:  // of no case
                break;
        }
        if (r.values.empty())
            throw Error(ErrorKind::stage, fmt::format("[[probe]] \"{}\": {} picks nothing that has a {}", rule_.name, Picker::words(rule_.of), rule_.of_text));
        ProbeResult out{rule_.name, c.name, rule_.of_text, unit};
        out.min = out.max = r.values[0].first, out.min_at = out.max_at = r.values[0].second, out.count = r.values.size();
        for (const auto& [v, p] : r.values) {
            if (v < out.min) out.min = v, out.min_at = p;
            if (v > out.max) out.max = v, out.max_at = p;
            out.sum += v;
        }
        out.mean = out.sum / static_cast<double>(out.count);
        // The total of forces is that of their sum, not the sum of their sizes.
        if ((rule_.what == What::reaction || rule_.what == What::reaction_moment) && rule_.axis == 3)
            out.sum = total(c.reaction, rule_.what == What::reaction ? 0 : 3).norm();
        return out;
    }

private:
    [[nodiscard]] Vec3 total(const Eigen::VectorXd& of, Eigen::Index from) const {
        Vec3 sum = Vec3::Zero();
        for (const std::int32_t n : nodes_) sum += of.segment<3>(Eigen::Index{6} * n + from);
        return sum;
    }
    void at_nodes(const Eigen::VectorXd& of, Eigen::Index from, Reading& r) const {
        for (const std::int32_t n : nodes_) {
            const Vec3& p = solution_.nodes[ix(n)];
            const Vec3 v = of.segment<3>(Eigen::Index{6} * n + from);
            r.put(rule_.axis == 3 ? v.norm() : frame_.axes(p).col(rule_.axis).dot(v), p);
        }
    }
    // Elements that the rule means, where its box and points mean nodes; all of them where it means no elements.
    [[nodiscard]] std::vector<char> meant() const {
        Selection of = rule_.of;
        of.within.reset(), of.points.clear();
        const auto list = picker_.elements(of);
        std::vector<char> out(picker_.mesh().elements.size(), list.empty() ? 1 : 0);
        for (const std::size_t e : list) out[e] = 1;
        return out;
    }
    [[nodiscard]] bool at_node(std::int32_t n) const { return std::binary_search(nodes_.begin(), nodes_.end(), n); }
    void shell_stresses(const SheetStress& stress, Reading& r) const {
        const std::vector<char> elements = meant();
        std::set<std::pair<std::int32_t, std::int32_t>> seen;
        for (std::size_t i = 0; i < built_.structure.shells.size(); ++i) {
            if (!elements[ix(built_.shell_elements[i])]) continue;
            const ShellPart& p = built_.structure.shells[i];
            for (int k = 0; k < p.count(); ++k) {
                const std::int32_t n = p.nodes[ix(k)];
                if (!at_node(n) || !seen.emplace(p.group, n).second) continue;
                const Vec3& at = solution_.nodes[ix(n)];
                r.put(stress_figure(rule_, stress.at(p.group, n), frame_.axes(at)), at);
            }
        }
    }
    void beams(const CaseResult& c, Reading& r) const {
        const std::vector<char> elements = meant();
        for (std::size_t i = 0; i < built_.structure.beams.size(); ++i) {
            if (!elements[ix(built_.beam_elements[i])]) continue;
            for (std::size_t e = 0; e < 2; ++e) {
                const std::int32_t n = built_.structure.beams[i].nodes[e];
                const Vec3& at = solution_.nodes[ix(n)];
                if (at_node(n)) r.put(beam_figure(rule_, c.beams[i], e, frame_.axes(at)), at);
            }
        }
    }
    void thicknesses(Reading& r) const {
        for (const std::size_t e : picker_.elements(rule_.of)) {
            const Element& k = picker_.mesh().elements[e];
            if (k.kind == ElementKind::shell) r.put(k.thickness, picker_.mesh().nodes[ix(k.nodes[0])]);
        }
    }
    const ProbeRule& rule_;
    const Solution& solution_;
    const Built& built_;
    const Picker& picker_;
    LocalFrame frame_;
    std::vector<std::int32_t> nodes_;  // that the rule means, rising
};

// Energy norm of the elements' stress less its mean at the nodes, over that of the mean; both skins, by area and thickness; without elements at which
// stress has no end.
void estimate_error(CaseResult& r, const Built& built, const SheetStress& stress) {
    double error = 0, whole = 0, most = 0;
    const double near = 0.25 * std::pow(1 + 1 / std::sqrt(3.0), 2), far = 0.25 * std::pow(1 - 1 / std::sqrt(3.0), 2), beside = 1.0 / 6;
    const std::array<double, 4> point_shares{near, beside, far, beside};  // of the corners, from the nearest on
    const auto squared = [](const Stress& s) {
        double sum = 0;
        for (std::size_t k = 0; k < 6; ++k) sum += (k < 3 ? 1 : 2) * s[k] * s[k];
        return sum;
    };
    for (std::size_t i = 0; i < built.structure.shells.size(); ++i) {
        const ShellPart& p = built.structure.shells[i];
        const Vec3 a = built.structure.nodes[ix(p.nodes[1])] - built.structure.nodes[ix(p.nodes[0])],
                   b = built.structure.nodes[ix(p.nodes[2])] - built.structure.nodes[ix(p.nodes[0])];
        const double volume = a.cross(b).norm() * p.thickness / p.count();
        // Where stress has no end it never settles: such elements say nothing of the others.
        bool endless = false;
        for (int k = 0; k < p.count(); ++k) endless = endless || built.peaks.contains(p.nodes[ix(k)]);
        if (endless) continue;
        double here = 0;
        for (std::size_t side = 0; side < 2; ++side) {
            std::array<Stress, 4> own{}, mean{};
            for (int k = 0; k < p.count(); ++k) own[ix(k)] = r.shells[i].corner[side][ix(k)], mean[ix(k)] = stress.at(p.group, p.nodes[ix(k)])[side];
            // Compared at the points of integration, where an element's stress is best.
            for (int k = 0; k < p.count(); ++k) {
                Stress m{}, e{};
                for (int j = 0; j < p.count(); ++j) {
                    const double share = p.count() == 3 ? 1.0 / 3 : point_shares[ix((j - k + 4) % 4)];
                    m = sum_of(m, mean[ix(j)], share), e = sum_of(e, own[ix(j)], share);
                }
                here += volume * squared(sum_of(e, m, -1)), whole += volume * squared(m);
            }
        }
        error += here;
        if (here > most) most = here, r.stress_error_at = built.structure.nodes[ix(p.nodes[0])];
    }
    r.stress_error = whole > 0 ? std::sqrt(error / whole) : 0;
}

// Does the largest stress lie where it has no end? And the largest at least an element away from such places.
void see_peak(CaseResult& r, const Built& built) {
    std::vector<char> near(built.structure.nodes.size(), 0);
    for (const auto& [n, why] : built.peaks) near[ix(n)] = 1;
    std::vector<char> beside = near;
    for (const ShellPart& p : built.structure.shells) {
        bool any = false;
        for (int k = 0; k < p.count(); ++k) any = any || near[ix(p.nodes[ix(k)])];
        for (int k = 0; k < p.count() && any; ++k) beside[ix(p.nodes[ix(k)])] = 1;
    }
    for (std::size_t n = 0; n < near.size(); ++n) {
        const double v = r.node_von_mises[n][2];
        if (std::isnan(v)) continue;
        if (near[n] && v >= r.max_von_mises * (1 - 1e-12) && built.structure.nodes[n] == r.max_von_mises_at)
            r.peak = built.peaks.at(static_cast<std::int32_t>(n));
        if (!beside[n] && v > r.max_von_mises_elsewhere) r.max_von_mises_elsewhere = v, r.max_von_mises_elsewhere_at = built.structure.nodes[n];
    }
    for (std::size_t i = 0; i < r.beams.size(); ++i)
        for (std::size_t e = 0; e < 2; ++e)
            if (r.beams[i].von_mises[e] > r.max_von_mises_elsewhere)
                r.max_von_mises_elsewhere = r.beams[i].von_mises[e],
                r.max_von_mises_elsewhere_at = built.structure.nodes[ix(built.structure.beams[i].nodes[e])];
}

}  // namespace

SheetStress see_case(CaseResult& r, const Built& built, const Picker& picker) {
    const auto& shells = built.structure.shells;
    SheetStress stress(
        r.shells, [&](std::size_t i) { return shells[i].group; }, [&](std::size_t i) { return std::span(shells[i].nodes).first(ix(shells[i].count())); });
    const double none = std::numeric_limits<double>::quiet_NaN();
    const auto& nodes = built.structure.nodes;
    r.node_von_mises.assign(nodes.size(), {none, none, none});
    const auto raise = [](double& v, double with) { v = std::isnan(v) ? with : std::max(v, with); };
    for (const auto& [key, skins] : stress.all()) {
        auto& at = r.node_von_mises[ix(key.second)];
        for (std::size_t side = 0; side < 2; ++side) raise(at[side], von_mises(skins[side])), raise(at[2], von_mises(skins[side]));
        if (at[2] > r.max_von_mises) r.max_von_mises = at[2], r.max_von_mises_at = nodes[ix(key.second)];
    }
    for (std::size_t i = 0; i < r.beams.size(); ++i)
        for (std::size_t e = 0; e < 2; ++e)
            if (r.beams[i].von_mises[e] > r.max_von_mises)
                r.max_von_mises = r.beams[i].von_mises[e], r.max_von_mises_at = nodes[ix(built.structure.beams[i].nodes[e])];
    estimate_error(r, built, stress);
    see_peak(r, built);
    r.energy_of.assign(built.properties.size(), 0.0);
    for (std::size_t i = 0; i < r.shells.size(); ++i) r.energy_of[ix(built.shell_properties[i])] += r.shells[i].energy;
    for (std::size_t i = 0; i < r.beams.size(); ++i) r.energy_of[ix(built.beam_properties[i])] += r.beams[i].energy;
    const Vec3& shift = picker.model().shift;
    for (std::size_t n = 0; n < nodes.size(); ++n) {
        const auto at = static_cast<Eigen::Index>(6 * n);
        const double d = r.movement.segment<3>(at).norm();
        if (d > r.max_displacement) r.max_displacement = d, r.max_displacement_at = nodes[n];
        const Vec3 x = nodes[n] + shift, fa = r.applied.segment<3>(at), fr = r.reaction.segment<3>(at);
        r.applied_force += fa, r.applied_moment += Vec3(r.applied.segment<3>(at + 3)) + x.cross(fa);
        r.reaction_force += fr, r.reaction_moment += Vec3(r.reaction.segment<3>(at + 3)) + x.cross(fr);
    }
    return stress;
}

namespace {

ProbeResult frequency_of(const ProbeRule& r, const Solution& solution) {
    if (ix(r.axis) > solution.modes.size())
        throw Error(ErrorKind::stage, fmt::format("[[probe]] \"{}\": there are {} modes; ask for {} with modes.count", r.name, solution.modes.size(), r.axis));
    ProbeResult out{r.name, "", r.of_text, "Hz"};
    out.min = out.max = out.mean = out.sum = solution.modes[ix(r.axis) - 1].frequency, out.count = 1;
    return out;
}

void put_known(const ProbeRule& r, ProbeResult& p) {
    if (!r.known) return;
    const KnownForm* form = known_form(r.known->form);
    p.known = known_value(*r.known), p.known_form = r.known->form, p.known_figure = r.known->figure;
    if (form && form->unit != p.unit)
        throw Error(ErrorKind::stage, fmt::format("[[probe]] \"{}\": \"{}\" is in {}, and {} in {}", r.name, form->name, form->unit, p.of, p.unit));
}

}  // namespace

std::vector<ProbeResult> probed(const std::vector<ProbeRule>& rules, const Solution& solution, const std::vector<SheetStress>& stress, const Built& built,
                                const Picker& picker) {
    std::vector<ProbeResult> out;
    for (const ProbeRule& r : rules) {
        const std::size_t first = out.size();
        if (r.what == What::frequency) {
            out.push_back(frequency_of(r, solution));
        } else {
            const Probing probing(r, solution, built, picker);
            for (std::size_t i = 0; i < solution.cases.size(); ++i)
                if (r.load_case.empty() || r.load_case == solution.cases[i].name) out.push_back(probing.read(solution.cases[i], stress[i]));
            if (out.size() == first && !r.load_case.empty())
                throw Error(ErrorKind::stage, fmt::format("[[probe]] \"{}\": no case is named \"{}\"", r.name, r.load_case));
        }
        for (std::size_t i = first; i < out.size(); ++i) put_known(r, out[i]);
    }
    return out;
}

}  // namespace halvo
