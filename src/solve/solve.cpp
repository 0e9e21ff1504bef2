// The stage: structure from the mesh, cases from the plan's loads, one factorization for all cases with the same supports.
#include "core/index.hpp"
#include "core/keys.hpp"
#include "core/parallel.hpp"
#include "solve/carried.hpp"
#include "solve/gaps.hpp"
#include "solve/probes.hpp"

#include <halvo/plan.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr const char* without_name = "loads";  // the case of loads that name none
constexpr double coarse_error = 1.0 / 3;       // share of stress on which elements that meet do not agree: stress is not to be read from them
constexpr double large_displacement = 0.1;     // of the structure's size: linear statics no longer holds

// What acts in a case: loads, and which supports with a case of their own, each times a factor.
struct CasePlan {
    std::string name;
    std::vector<std::pair<std::size_t, double>> loads;  // numbers of rules
    std::map<std::string, double> factors;              // of cases of supports
};

class CasePlans {
public:
    explicit CasePlans(const SolveOptions& o) : options_(o) {
        std::set<std::string> combined;
        for (const CaseRule& c : o.cases)
            for (const auto& [name, f] : c.loads) combined.insert(name);
        for (std::size_t i = 0; i < o.loads.size(); ++i) {
            const LoadRule& l = o.loads[i];
            if (l.load_case.empty() && combined.contains(l.name)) continue;  // acts through [[case]] alone
            of_name(l.load_case.empty() ? without_name : l.load_case).loads.emplace_back(i, 1.0);
        }
        for (const SupportRule& s : o.supports)
            if (!s.load_case.empty()) of_name(s.load_case);
        const bool moves = std::any_of(o.supports.begin(), o.supports.end(), [](const SupportRule& s) {
            return s.load_case.empty() && std::any_of(s.move.begin(), s.move.end(), [](const auto& m) { return m && *m != 0; });
        });
        if (plans_.empty() && moves && o.cases.empty()) of_name(without_name);
        for (CasePlan& p : plans_) p.factors[p.name] = 1;
        for (const CaseRule& c : o.cases) {
            CasePlan p;
            p.name = c.name;
            add(p, c, 1, 0);
            if (std::any_of(plans_.begin(), plans_.end(), [&](const CasePlan& q) { return q.name == c.name; }))
                throw Error(ErrorKind::stage, fmt::format("[[case]] \"{}\": a load has a case of that name already; give it another", c.name));
            plans_.push_back(std::move(p));
        }
    }
    [[nodiscard]] const std::vector<CasePlan>& all() const { return plans_; }

private:
    CasePlan& of_name(const std::string& name) {
        for (CasePlan& p : plans_)
            if (p.name == name) return p;
        plans_.push_back({name, {}, {}});
        return plans_.back();
    }
    void add(CasePlan& p, const CaseRule& rule, double factor, int depth) {
        constexpr int deepest = 20;
        if (depth > deepest) throw Error(ErrorKind::stage, fmt::format("[[case]] \"{}\" is made of itself", rule.name));
        for (const auto& [name, f] : rule.loads) {
            bool any = false;
            for (std::size_t i = 0; i < options_.loads.size(); ++i)
                if (options_.loads[i].load_case == name || options_.loads[i].name == name) p.loads.emplace_back(i, factor * f), any = true;
            for (const SupportRule& s : options_.supports)
                if (s.load_case == name) p.factors[name] = factor * f, any = true;
            for (const CaseRule& other : options_.cases)
                if (other.name == name) add(p, other, factor * f, depth + 1), any = true;
            if (!any) throw Error(ErrorKind::stage, fmt::format("[[case]] \"{}\": no load and no case is named \"{}\"", rule.name, name));
        }
    }
    const SolveOptions& options_;
    std::vector<CasePlan> plans_;
};

class Solving {
public:
    Solving(const Model& model, const Mesh& mesh, const SolveOptions& options, const JoinOptions& names, const Observer& observer, SolveMemory* memory)
        : picker_(model, mesh, names), options_(options), observer_(observer), memory_(memory) {}

    [[nodiscard]] Solution run() {
        if (picker_.mesh().elements.empty()) throw Error(ErrorKind::stage, "there is no mesh to solve");
        built_ = built(picker_, options_);
        mark_peaks(built_, picker_, options_);
        out_.nodes = built_.structure.nodes, out_.shell_elements = built_.shell_elements, out_.beam_elements = built_.beam_elements;
        out_.properties = built_.properties;
        weigh();
        connections_.emplace(built_, picker_);
        const CasePlans plans(options_);
        if (plans.all().empty() && options_.modes.count == 0)
            throw Error(ErrorKind::stage, "there are supports and nothing that pushes; add [[load]] or [modes]");
        std::map<std::vector<char>, std::vector<std::size_t>> by_supports;
        for (std::size_t i = 0; i < plans.all().size(); ++i) by_supports[active(plans.all()[i].factors)].push_back(i);
        out_.cases.resize(plans.all().size());
        const std::vector<char> always = active({});
        if (options_.modes.count > 0) by_supports[always];
        for (const auto& [supports, cases] : by_supports) {
            std::vector<std::string> of_equation;
            const Structure structure = held(supports, of_equation);
            const Equations equations(structure, observer_, memory_ ? memory_->layouts[supports] : nullptr);
            if (memory_) memory_->layouts[supports] = equations.layout();
            must_stand(equations, structure, !cases.empty());
            out_.unknowns = std::max(out_.unknowns, equations.unknowns());
            if (!cases.empty()) solve_cases(equations, plans.all(), of_equation, cases);
            if (options_.modes.count > 0 && supports == always) find_modes(equations);
            out_.factor_seconds += equations.factor_seconds(), out_.assembly_seconds += equations.assembly_seconds();
            out_.recovery_seconds += equations.recovery_seconds();
        }
        const auto start = std::chrono::steady_clock::now();
        std::vector<SheetStress> stress(out_.cases.size());
        parallel_for(stress.size(), [&](std::size_t i) { stress[i] = see_case(out_.cases[i], built_, picker_); });
        for (const CaseResult& c : out_.cases) judge(c);
        judge_bodies(), judge_parts(), judge_gaps(), judge_places();
        out_.probes = probed(options_.probes, out_, stress, built_, picker_);
        out_.recovery_seconds += std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        observer_.tell("solve", 1);
        return std::move(out_);
    }

private:
    void weigh() {
        const Structure& s = built_.structure;
        const auto add = [&](double m, const Vec3& at) { out_.mass += m, out_.mass_centre += m * at; };
        for (const ShellPart& p : s.shells) {
            ShellShape shape;
            shape.count = p.count();
            Vec3 centre = Vec3::Zero();
            for (int k = 0; k < p.count(); ++k) shape.nodes[ix(k)] = s.nodes[ix(p.nodes[ix(k)])];
            const auto areas = shell_areas(shape);
            double area = 0;
            for (int k = 0; k < p.count(); ++k) area += areas[ix(k)], centre += areas[ix(k)] * shape.nodes[ix(k)];
            if (area > 0) add(area * p.thickness * s.materials[ix(p.material)].density, centre / area);
        }
        for (const BeamPart& p : s.beams) {
            const Vec3 &a = s.nodes[ix(p.nodes[0])], &b = s.nodes[ix(p.nodes[1])];
            add((b - a).norm() * s.sections[ix(p.section)].area * s.materials[ix(p.material)].density, 0.5 * (a + b) + p.arm);
        }
        for (const PointMass& m : s.masses) add(m.mass, s.nodes[ix(m.node)]);
        if (out_.mass > 0) out_.mass_centre /= out_.mass;
    }

    [[nodiscard]] std::vector<char> active(const std::map<std::string, double>& factors) const {
        std::vector<char> out;
        for (const SupportRule& s : options_.supports) out.push_back(s.load_case.empty() || factors.contains(s.load_case) ? 1 : 0);
        return out;
    }

    Structure held(const std::vector<char>& supports, std::vector<std::string>& of_equation) const {
        Structure s = built_.structure;
        of_equation.resize(s.equations.size());
        for (std::size_t i = 0; i < supports.size(); ++i) {
            if (!supports[i]) continue;
            add_support(s, picker_, options_.supports[i], static_cast<std::int32_t>(i));
            of_equation.resize(s.equations.size(), options_.supports[i].load_case);
        }
        return s;
    }

    void must_stand(const Equations& equations, const Structure& structure, bool cases) const {
        if (const auto conflicts = equations.conflicts(); !conflicts.empty()) {
            const MotionEquation& e = structure.equations[ix(conflicts[0])];
            const auto node = e.terms.empty() ? std::int64_t{0} : e.terms[0].first / 6;
            const Vec3 p = structure.nodes[ix(node)] + picker_.model().shift;
            throw Error(ErrorKind::stage, fmt::format("{} asks for {:.6g} at ({:.6g}, {:.6g}, {:.6g}), which other supports or rigid links hold otherwise ({} "
                                                      "such conflict{}); take one of them away",
                                                      e.source >= 0 ? options_.supports[ix(e.source)].name : "a link", e.value, p.x(), p.y(), p.z(),
                                                      conflicts.size(), conflicts.size() == 1 ? "" : "s"));
        }
        if (!equations.free_motions().empty() && cases)
            throw Error(ErrorKind::stage,
                        motions_text(equations.free_motions(), built_, picker_.model(), picker_.mesh()) + "; hold them with [[support]], or join the parts");
    }

    void solve_cases(const Equations& equations, const std::vector<CasePlan>& plans, const std::vector<std::string>& of_equation,
                     const std::vector<std::size_t>& numbers) {
        std::vector<StructureLoads> loads(numbers.size());
        for (std::size_t k = 0; k < numbers.size(); ++k) {
            const CasePlan& plan = plans[numbers[k]];
            for (const auto& [rule, factor] : plan.loads) add_load(loads[k], built_, picker_, options_.loads[rule], factor);
            for (std::size_t e = 0; e < of_equation.size(); ++e)
                if (!of_equation[e].empty()) loads[k].motion[static_cast<std::int32_t>(e)] = plan.factors.at(of_equation[e]);
        }
        std::vector<StructureState> states = equations.solve(loads);
        for (std::size_t k = 0; k < numbers.size(); ++k) keep(std::move(states[k]), plans[numbers[k]].name, out_.cases[numbers[k]]);
    }

    void keep(StructureState&& state, const std::string& name, CaseResult& r) {
        r.name = name, r.movement = std::move(state.movement), r.applied = std::move(state.applied), r.reaction = std::move(state.reaction);
        r.shells = std::move(state.shells), r.beams = std::move(state.beams), r.residual = state.residual, r.energy = state.energy;
        connections_->see(r, state.meetings);
        const Vec3& shift = picker_.model().shift;
        for (const auto& [source, sum] : state.of_source) {
            Eigen::Matrix<double, 6, 1> about_file = sum;
            about_file.tail<3>() += shift.cross(Vec3(sum.head<3>()));
            r.of_support.emplace_back(options_.supports[ix(source)].name, about_file);
        }
    }

    void find_modes(const Equations& equations) {
        for (StructureMode& m : equations.modes(options_.modes.count, options_.modes.lumped)) out_.modes.push_back({m.frequency, std::move(m.movement)});
    }

    void find(FindingKind kind, const std::string& about, const std::string& advice, const Vec3& at, double size) {
        out_.findings.push_back({make_key("finding", about, {}), kind, about, advice, at, size, ""});
    }

    void judge(const CaseResult& c) {
        Box3 box;
        for (const Vec3& p : out_.nodes) box.extend(p);
        const double size = box.isEmpty() ? 0 : box.diagonal().norm();
        if (c.max_displacement > large_displacement * size)
            find(FindingKind::large_displacement,
                 fmt::format("case {}: it moves by {:.4g} mm, {:.0f} % of the model's size", c.name, c.max_displacement, 100 * c.max_displacement / size),
                 "linear statics does not hold for so much; check loads, units, joints and supports", c.max_displacement_at, c.max_displacement);
        if (c.stress_error > coarse_error)
            find(FindingKind::coarse_stress, fmt::format("case {}: elements that meet differ in {:.0f} % of their stress", c.name, 100 * c.stress_error),
                 "the mesh is coarse for stress (displacements need less); refine it, most where this is", c.stress_error_at, 0);
    }

    static constexpr double idle = 1e-4;    // of the mean energy per volume: a hundredth of its stress
    static constexpr double counts = 5e-3;  // of the volume: smaller things are clips and tags

    // A body that hangs on and carries next to nothing in any case.
    void judge_bodies() {
        std::map<std::string, double> volume, most;
        double whole = 0;
        for (const Property& p : out_.properties) volume[p.body] += p.volume, whole += p.volume;
        if (volume.size() < 2 || out_.cases.empty()) return;
        for (const CaseResult& c : out_.cases) {
            std::map<std::string, double> energy;
            double sum = 0;
            for (std::size_t i = 0; i < out_.properties.size(); ++i) energy[out_.properties[i].body] += c.energy_of[i], sum += c.energy_of[i];
            if (sum > 0)
                for (const auto& [body, e] : energy) most[body] = std::max(most[body], e / sum);
        }
        for (const auto& [body, share] : most)
            if (volume[body] > counts * whole && share < idle * volume[body] / whole)
                find(FindingKind::carries_nothing,
                     fmt::format("{}, {:.2g} % of the volume, has at most {:.1g} % of the strain energy in any case", body, 100 * volume[body] / whole,
                                 100 * share),
                     "it hangs on and does not carry; look at its joints, unless nothing is meant to load it", Vec3::Zero(), 0),
                    idle_bodies_.insert(body);
    }

    // The same of a sheet or member of a body that does carry, through which nothing goes to others or to supports either.
    void judge_parts() {
        constexpr double passes = 1e-3;  // of the load
        double whole = 0;
        for (const Property& p : out_.properties) whole += p.volume;
        for (std::size_t i = 0; i < out_.properties.size() && !out_.cases.empty(); ++i) {
            const Property& p = out_.properties[i];
            if (p.volume <= counts * whole || idle_bodies_.contains(p.body) || out_.properties.size() < 2) continue;
            double energy = 0, through = 0;
            for (const CaseResult& c : out_.cases) {
                double sum = 0;
                for (const double e : c.energy_of) sum += e;
                if (sum > 0) energy = std::max(energy, c.energy_of[i] / sum);
                if (c.load > 0) through = std::max(through, c.through_property[i].force / c.load);
            }
            if (energy >= idle * p.volume / whole || through >= passes) continue;
            find(
                FindingKind::carries_nothing,
                fmt::format("{} of {}, {:.2g} % of the volume, has at most {:.1g} % of the strain energy in any case, and {:.1g} % of the load goes through it",
                            p.what, p.body, 100 * p.volume / whole, 100 * energy, 100 * through),
                "it hangs on and does not carry; look at its seams, unless nothing is meant to load it", middle_of(i), 0);
        }
    }

    [[nodiscard]] Vec3 middle_of(std::size_t property) const {
        Vec3 sum = Vec3::Zero();
        double count = 0;
        const auto add = [&](const auto& parts, const std::vector<std::int32_t>& properties) {
            for (std::size_t i = 0; i < parts.size(); ++i)
                if (ix(properties[i]) == property) sum += out_.nodes[ix(parts[i].nodes[0])], count += 1;
        };
        add(built_.structure.shells, built_.shell_properties), add(built_.structure.beams, built_.beam_properties);
        return count > 0 ? Vec3(sum / count) : sum;
    }

    // Edges that stand off the sheet beside them and move against it.
    void judge_gaps() {
        for (const Gap& g : gaps_beside_sheets(built_, out_)) {
            const Property &a = out_.properties[ix(g.edge_of)], &b = out_.properties[ix(g.beside)];
            find(FindingKind::carries_nothing,
                 fmt::format("{} stands {:.3g} mm off {} along {:.4g} mm and moves against it by {:.3g} mm, {:.0f} % of the largest displacement of case {}: "
                             "there they do not act as one",
                             named(a), g.width, named(b), g.length, g.slip, 100 * g.share, g.load_case),
                 "join them (join.reach, or [[joint]] with points), unless they are meant to be apart", g.at, g.width);
        }
    }
    [[nodiscard]] static std::string named(const Property& p) { return p.body.empty() ? p.what : fmt::format("{} ({})", p.what, p.body); }

    // Points of the plan that no node is at.
    void judge_places() {
        const auto look = [&](const Selection& of, const std::string& who) {
            for (const Vec3& given : of.points) {
                const Vec3 p = given - picker_.model().shift;
                const NodeId near = picker_.index().node_next_to(p);
                // A point on the skin of what the node is in the middle of means the node; a millimetre off is a plan written by hand.
                double within = 1 + 100 * picker_.model().tolerance.point;
                for (const std::size_t e : picker_.index().elements_at(near)) {
                    const Element& k = picker_.mesh().elements[e];
                    const double depth = k.kind == ElementKind::beam && k.section ? picker_.model().sections[ix(k.section)].depth : k.thickness;
                    within = std::max(within, 0.5 * depth + std::abs(k.offset) + k.section_offset.norm());
                }
                const double best = (picker_.mesh().nodes[ix(near)] - p).norm();
                if (best > within)
                    find(FindingKind::rule_without_effect,
                         fmt::format("{}: the node nearest to ({:g}, {:g}, {:g}) is {:.3g} mm away, and taken", who, given.x(), given.y(), given.z(), best),
                         "give a place on a sheet's middle or a member's line", given - picker_.model().shift, best);
            }
        };
        for (const SupportRule& r : options_.supports) look(r.of, r.name);
        for (const LoadRule& r : options_.loads) look(r.of, called(r));
        for (const MassRule& r : options_.masses) look(r.of, "[[mass]]");
        for (const ProbeRule& r : options_.probes) look(r.of, fmt::format("[[probe]] \"{}\"", r.name));
    }

    Picker picker_;
    const SolveOptions& options_;
    const Observer& observer_;
    SolveMemory* memory_;
    std::optional<Connections> connections_;
    std::set<std::string> idle_bodies_;
    Built built_;
    Solution out_;
};

}  // namespace

Solution solve(const Model& model, const Mesh& mesh, const SolveOptions& options, const JoinOptions& names, const Observer& observer, SolveMemory* memory) {
    return Solving(model, mesh, options, names, observer, memory).run();
}

}  // namespace halvo
