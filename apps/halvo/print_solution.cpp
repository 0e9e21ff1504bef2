// What was solved, as an analyst reads it.
#include "print.hpp"

#include "text.hpp"

#include <halvo/known.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

using namespace halvo;

namespace {

// Four digits, whatever the size; what is rounding beside `scale` is zero.
std::string figure(double v, double scale = 0) {
    if (std::abs(v) <= 1e-9 * scale) return "0";
    return fmt::format("{:.4g}", v);
}
std::string vector_text(const Vec3& v) {
    const double scale = v.norm();
    return fmt::format("({}, {}, {})", figure(v.x(), scale), figure(v.y(), scale), figure(v.z(), scale));
}

void list_results(const Job& job) {
    Table t({"case", "displacement mm", "at mm", "von Mises MPa", "at mm", "elsewhere MPa", "error %", "loads N", "reactions N", "energy N mm"});
    for (const CaseResult& c : job.solution.cases)
        t.row({c.name, figure(c.max_displacement), at(c.max_displacement_at, job.solids.shift), figure(c.max_von_mises),
               at(c.max_von_mises_at, job.solids.shift), c.peak.empty() ? "" : figure(c.max_von_mises_elsewhere), fmt::format("{:.0f}", 100 * c.stress_error),
               vector_text(c.applied_force), vector_text(c.reaction_force), figure(c.energy)});
    t.print();
}

void list_reactions(const Job& job) {
    Table t({"case", "support", "Fx N", "Fy N", "Fz N", "Mx N mm", "My N mm", "Mz N mm"});
    // What is rounding beside the largest of all cases is zero.
    double force = 0, moment = 0;
    for (const CaseResult& c : job.solution.cases)
        for (const auto& [name, f] : c.of_support) force = std::max(force, f.head<3>().norm()), moment = std::max(moment, f.tail<3>().norm());
    for (const CaseResult& c : job.solution.cases) {
        const auto row = [&](const std::string& name, const Vec3& f, const Vec3& m) {
            t.row({c.name, name, figure(f.x(), force), figure(f.y(), force), figure(f.z(), force), figure(m.x(), moment), figure(m.y(), moment),
                   figure(m.z(), moment)});
        };
        for (const auto& [name, f] : c.of_support) row(name, f.head<3>(), f.tail<3>());
        row("all", c.reaction_force, c.reaction_moment);
        row("loads", c.applied_force, c.applied_moment);
    }
    t.print();
    fmt::print("  moments are about the file's origin\n");
}

void list_probes(const Job& job) {
    Table t({"probe", "case", "of", "least", "most", "mean", "sum", "unit", "places", "most at mm"});
    for (const ProbeResult& p : job.solution.probes)
        t.row({p.name, p.load_case, p.of, figure(p.min), figure(p.max), figure(p.mean), figure(p.sum), p.unit, std::to_string(p.count),
               at(p.max_at, job.solids.shift)});
    t.print();
}

void list_known(const Job& job) {
    Table t({"probe", "case", "closed form", "its value", "here", "figure", "unit", "differs by %"});
    for (const ProbeResult& p : job.solution.probes)
        if (!p.known_form.empty())
            t.row({p.name, p.load_case, p.known_form, figure(p.known), figure(p.known * (1 + p.off_known())), p.known_figure, p.unit,
                   fmt::format("{:+.2f}", 100 * p.off_known())});
    t.print();
}

void list_forms() {
    Table t({"closed form", "unit", "takes", "value"});
    for (const KnownForm& f : known_forms()) t.row({f.name, f.unit, fmt::format("{}", fmt::join(f.quantities, ", ")), f.formula});
    t.print();
    fmt::print("  beside a probe: known = {{ form = \"...\", QUANTITY = \"...\", ... }}; sources are in docs/method/solving.md\n");
}

void list_reference(const Job& job) {
    if (!job.solution.reference)
        throw Error(ErrorKind::usage, "no solid reference was made; ask for it with reference.solid = true and run on with --from solve");
    const SolidReference& r = *job.solution.reference;
    fmt::print("  {}: {}; {} solid elements, {} unknowns\n", r.body, r.sweep, r.solids, r.unknowns);
    Table t({"figure", "case", "shells and beams", "solid", "unit", "differs by %"});
    for (const ReferenceRow& k : r.rows)
        t.row({k.what, k.load_case, figure(k.model), figure(k.solid), k.unit, fmt::format("{:+.2f}", 100 * (k.model / k.solid - 1))});
    t.print();
}

void list_modes(const Job& job) {
    Table t({"mode", "frequency Hz"});
    for (std::size_t i = 0; i < job.solution.modes.size(); ++i) t.row({std::to_string(i + 1), figure(job.solution.modes[i].frequency)});
    t.print();
}

void list_properties(const Job& job) {
    Table t({"id", "body", "material", "thickness mm", "section", "mass kg", "passes on N", "% of load", "case"});
    for (std::size_t i = 0; i < job.solution.properties.size(); ++i) {
        const Property& p = job.solution.properties[i];
        const auto most = most_carried(job.solution, &CaseResult::through_property, i);
        t.row({p.what, p.body, p.material, p.sheet ? figure(p.thickness) : "", p.section, figure(1000 * p.mass), most ? figure(most->force) : "",
               most ? fmt::format("{:.3g}", 100 * most->share) : "", most ? most->load_case : ""});
    }
    t.print();
    fmt::print("  {} kg in all, centre at {}\n", figure(1000 * job.solution.mass), at(job.solution.mass_centre, job.solids.shift));
}

void list_materials() {
    Table t({"material", "young MPa", "poisson", "density kg/m3", "expansion 1/K", "yield MPa"});
    for (const Material& m : common_materials())
        t.row({m.name, figure(m.young), figure(m.poisson), figure(1e12 * m.density), figure(m.expansion), figure(m.yield)});
    t.print();
    fmt::print("  means for design at room temperature; [[material]] gives others\n");
}

}  // namespace

bool list_solution(const Job& job, const std::string& what) {
    if (what == "materials" || what == "forms") {
        what == "materials" ? list_materials() : list_forms();
        return true;
    }
    static const std::map<std::string, void (*)(const Job&)> lists{{"results", list_results},    {"reactions", list_reactions}, {"probes", list_probes},
                                                                   {"known", list_known},        {"modes", list_modes},         {"properties", list_properties},
                                                                   {"reference", list_reference}};
    const auto list = lists.find(what);
    if (list == lists.end()) return false;
    if (job.solution.nodes.empty())
        throw Error(ErrorKind::usage, "the model has not been solved; give its plan [[support]], [[load]] or [modes] and run it on with --from solve");
    list->second(job);
    return true;
}

void print_study(const Study& s) {
    // One row a figure reads better than one a figure's column: there are more of them than runs.
    std::vector<std::string> heads{"figure", "unit"};
    for (const auto& run : s.runs) heads.push_back(fmt::format("{}", fmt::join(run, " ")));
    const bool limits = std::any_of(s.figures.begin(), s.figures.end(), [](const StudyFigure& f) { return f.limit.has_value(); });
    if (limits) heads.emplace_back("tends to"), heads.emplace_back("order");
    Table t(heads);
    for (const StudyFigure& f : s.figures) {
        std::vector<std::string> row{f.name, f.unit};
        for (const double v : f.values) row.push_back(std::isfinite(v) ? figure(v) : "-");
        if (limits) row.push_back(f.limit ? figure(*f.limit) : ""), row.push_back(f.order ? fmt::format("{:.1f}", *f.order) : "");
        t.row(row);
    }
    t.print();
    for (std::size_t i = 0; i < s.runs.size(); ++i)
        if (!s.failures[i].empty()) fmt::print("  {}: {}\n", fmt::join(s.runs[i], " "), s.failures[i]);
}
