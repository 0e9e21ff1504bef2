// What a run did: one line a stage, and where the rest is.
#include "print.hpp"
#include "text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

using namespace halvo;

namespace {

constexpr std::size_t most_groups = 5;  // of findings: with one line a stage it is one screen

std::string several(std::size_t n, const char* one, const char* more) {
    return fmt::format("{} {}", n, n == 1 ? one : more);
}
std::string sheets_and_members(const Job& job) {
    const Model& m = job.model;
    return fmt::format("{}, {}, {}", several(m.sheets.size(), "sheet", "sheets"), several(m.members.size(), "member", "members"),
                       several(m.sections.size(), "section", "sections"));
}
std::string label_of(const Job& job, BodyId body) {
    return body && body.index() < job.solids.bodies.size() ? " (" + job.solids.bodies[body.index()].label + ")" : "";
}

std::string survey_line(const Job& job) {
    std::map<BodyClass, int> classes;
    double thinnest = 0, thickest = 0;
    for (const BodySurvey& b : job.survey.bodies) {
        ++classes[b.kind];
        if (b.thickest <= 0) continue;
        thinnest = thinnest > 0 ? std::min(thinnest, b.thinnest) : b.thinnest, thickest = std::max(thickest, b.thickest);
    }
    std::string text;
    for (const auto& [kind, n] : classes) text += fmt::format("{}{} {}", text.empty() ? "" : ", ", n, class_name(kind));
    return thickest > 0 ? fmt::format("{}; walls {} mm", text, thickness(thinnest, thickest)) : text;
}

std::string halve_line(const Job& job) {
    double low = 0, high = 0;
    for (const Sheet& s : job.model.sheets) low = low > 0 ? std::min(low, s.thickness.min) : s.thickness.min, high = std::max(high, s.thickness.max);
    std::string text = sheets_and_members(job);
    if (high > 0) text += fmt::format("; thickness {} mm", thickness(low, high));
    if (!job.model.couplings.empty()) text += fmt::format("; {}", several(job.model.couplings.size(), "coupling", "couplings"));
    return text;
}

std::string join_line(const Job& job) {
    std::map<std::string, int> kinds;
    std::size_t made = 0, refused = 0;
    for (const JointRecord& j : job.model.joints) {
        if (j.state == EntryState::applied) ++kinds[kind_name(j.kind)], ++made;
        else ++refused;
    }
    std::string text;
    for (const auto& [kind, n] : kinds) text += fmt::format("{}{} {}", text.empty() ? "" : ", ", n, kind);
    text = several(made, "joint", "joints") + (text.empty() ? "" : " (" + text + ")");
    if (refused > 0) text += fmt::format(", {} refused", refused);
    double length = 0;
    const auto all = seams(job.model);
    for (const Seam& s : all) length += job.model.length(s.edge);
    return text + fmt::format("; {}, {:.0f} mm", several(all.size(), "seam", "seams"), length);
}

std::string mesh_line(const Job& job) {
    const Mesh& k = job.mesh;
    return fmt::format("{} nodes, {} quads, {} trias, {} lines, {} links{}; scaled Jacobian {:.2f} at worst; {} connected {}", k.nodes.size(), k.quads, k.trias,
                       k.lines, k.links, k.ties.empty() ? "" : fmt::format(", {} tied nodes", k.ties.size()), k.quality.min_scaled_jacobian, k.parts,
                       k.parts == 1 ? "part" : "parts");
}

// What sheets do not stand for, or stand for too much: in words.
std::vector<std::string> left_and_filled(const Proof& p) {
    double fillets = 0, voids = 0, solid = 0, whole = 0;
    for (const BodyProof& b : p.bodies) (b.left_out > 0.999 * b.solid ? whole : fillets) += b.left_out, voids += b.filled, solid += b.solid;
    std::vector<std::string> out;
    const auto share = [&](const char* form, double v) {
        if (v > 0) out.push_back(fmt::format(fmt::runtime(form), 100 * v / solid));
    };
    share("bodies left out by the plan, {:.2f} % of the volume, have no mesh", whole);
    share("fillets at the roots of walls, {:.2f} % of the volume, are left out", fillets);
    share("voids inside walls and openings that the plan fills, {:.2f} % of the volume, are filled by sheets", voids);
    return out;
}

std::string prove_line(const Job& job) {
    const Proof& p = job.proof;
    const auto open = std::count_if(p.contacts.begin(), p.contacts.end(), [](const ContactProof& c) { return !c.joined; });
    std::string text = fmt::format("{}: volume {:+.3f} %, worst body {:+.3f} %{}; skin {:.1f} % covered; {} of {} contacts without a joint",
                                   p.within_bounds ? "within bounds" : "OUTSIDE its bounds", 100 * p.volume_error, 100 * p.worst_body_error,
                                   label_of(job, p.worst_body), 100 * p.coverage, open, p.contacts.size());
    if (p.mechanisms > 0) text += fmt::format("; {}", several(static_cast<std::size_t>(p.mechanisms), "mechanism", "mechanisms"));
    for (const std::string& more : left_and_filled(p)) text += "; " + more;
    return text;
}

// The case that moves most and the one with the most stress.
std::string solve_line(const Job& job) {
    const Solution& s = job.solution;
    std::string text = fmt::format("{} unknowns, {:.4g} kg", s.unknowns, 1000 * s.mass);
    if (!s.cases.empty()) {
        const auto moves =
            std::max_element(s.cases.begin(), s.cases.end(), [](const CaseResult& a, const CaseResult& b) { return a.max_displacement < b.max_displacement; });
        const auto stressed =
            std::max_element(s.cases.begin(), s.cases.end(), [](const CaseResult& a, const CaseResult& b) { return a.max_von_mises < b.max_von_mises; });
        double residual = 0;
        for (const CaseResult& c : s.cases) residual = std::max(residual, c.residual);
        text +=
            fmt::format("; {}: at most {:.4g} mm ({}) and {:.4g} MPa von Mises ({}{}), reactions balance to {:.0e}", several(s.cases.size(), "case", "cases"),
                        moves->max_displacement, moves->name, stressed->max_von_mises, stressed->name,
                        stressed->peak.empty() ? "" : fmt::format("; no end to it there, {:.4g} MPa elsewhere", stressed->max_von_mises_elsewhere), residual);
    }
    if (!s.modes.empty()) text += fmt::format("; modes from {:.4g} Hz", s.modes.front().frequency);
    return text;
}

void stage_line(const Job& job, const char* stage, const std::string& text) {
    const auto it = std::find_if(job.timing.begin(), job.timing.end(), [&](const auto& t) { return t.first == stage; });
    fmt::print("  {:<7}{:>7}  {}\n", stage, it == job.timing.end() ? "" : fmt::format("{:.2f} s", it->second), text);
}

}  // namespace

void print_run(const Job& job, const std::string& model) {
    const auto done = [&](Stage s) { return !job.stage.empty() && stage_of(job.stage) >= s; };
    double seconds = 0;
    for (const auto& [stage, t] : job.timing) seconds += t;
    fmt::print("{}: {}{}{}\n", job.solids.file, several(job.solids.bodies.size(), "body", "bodies"), done(Stage::halve) ? " -> " + sheets_and_members(job) : "",
               seconds > 0 ? fmt::format("; {:.2f} s", seconds) : "");
    if (done(Stage::survey)) stage_line(job, "survey", survey_line(job));
    if (const std::string text = mend_text(job); !text.empty()) stage_line(job, "mend", text);
    if (const std::string text = strip_text(job); !text.empty()) stage_line(job, "strip", text);
    if (done(Stage::halve)) stage_line(job, "halve", halve_line(job));
    if (done(Stage::join)) stage_line(job, "join", join_line(job));
    if (done(Stage::mesh)) stage_line(job, "mesh", mesh_line(job));
    if (done(Stage::prove)) stage_line(job, "prove", prove_line(job));
    if (!job.solution.nodes.empty()) stage_line(job, "solve", solve_line(job));
    const auto findings = findings_of(job);
    const auto groups = grouped(findings);
    fmt::print("  findings {}\n", findings.empty()                  ? std::string("none")
                                  : groups.size() < findings.size() ? fmt::format("{}, of {} kinds and places", findings.size(), groups.size())
                                                                    : std::to_string(findings.size()));
    print_groups(groups, job.solids.shift, most_groups, model);
    if (done(Stage::prove) && !job.proof.within_bounds) {
        fmt::print("  outside its bounds:\n");
        for (std::size_t i = 0; i < job.proof.outside.size() && i < most_groups; ++i) fmt::print("    {}\n", job.proof.outside[i]);
        if (job.proof.outside.size() > most_groups) fmt::print("    and {} more; halvo list {} proof\n", job.proof.outside.size() - most_groups, model);
    }
    fmt::print("  more: halvo list {0} {1}; halvo report {0} -o page.html\n", model,
               !job.solution.nodes.empty() ? "proof|findings|joints|results|probes"
               : done(Stage::prove)        ? "proof|findings|joints|walls"
                                           : "findings|ledger");
}

void list_proof(const Job& job) {
    if (job.stage.empty() || stage_of(job.stage) < Stage::prove) throw Error(ErrorKind::usage, "the model has no proof yet; run it on with --from prove");
    const Proof& p = job.proof;
    const auto open = std::count_if(p.contacts.begin(), p.contacts.end(), [](const ContactProof& c) { return !c.joined; });
    fmt::print("  volume {:+.3f} % in all, worst body {:+.3f} %{}, bound {:g} %; mass centre off by {:.2f} mm\n", 100 * p.volume_error,
               100 * p.worst_body_error, label_of(job, p.worst_body), 100 * job.plan.prove.volume, p.centroid_error);
    fmt::print("  the mesh weighs {:+.3f} %, junctions counted once worst body {:+.3f} %{}, bound {:g} %\n", 100 * p.mass_error, 100 * p.worst_mesh_error,
               label_of(job, p.worst_mesh_body), 100 * job.plan.prove.mesh);
    for (const std::string& text : left_and_filled(p)) fmt::print("  {}\n", text);
    fmt::print("  skin covered {:.1f} %", 100 * p.coverage);
    if (!p.uncovered.empty()) fmt::print(", largest uncovered patch {} mm2 at {}", number(p.uncovered[0].area), at(p.uncovered[0].place, job.solids.shift));
    fmt::print("; {} contacts of the solids, {} without a joint; {} rigid-body modes{}\n", p.contacts.size(), open, p.rigid_body_modes,
               p.mechanisms > 0 ? fmt::format(", {} of them mechanisms", p.mechanisms) : "");
    if (p.thickness.count > 0)
        fmt::print("  thickness off by {:.2g} % on the mean, {:.2g} % at 95 % of elements, {:.2g} % at worst{}; middle off by {:.2g} mm at worst\n",
                   100 * p.thickness.mean, 100 * p.thickness.high, 100 * p.thickness.worst,
                   p.thickness.worst > 1e-6 ? " " + at(p.thickness.place, job.solids.shift) : "", p.deviation.worst);
    if (job.proof.within_bounds) fmt::print("  within its bounds\n");
    else
        for (const std::string& s : job.proof.outside) fmt::print("  outside its bounds: {}\n", s);
}
