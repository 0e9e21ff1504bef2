#include "print.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

using namespace halvo;

namespace {

// Rows of cells, columns as wide as their widest cell; numbers to the right.
class Table {
public:
    explicit Table(std::vector<std::string> heads) : rows_{std::move(heads)} {}
    void row(std::vector<std::string> cells) { rows_.push_back(std::move(cells)); }
    void print() const {
        if (rows_.size() == 1) {
            fmt::print("  (none)\n");
            return;
        }
        std::vector<std::size_t> width(rows_[0].size(), 0);
        for (const auto& r : rows_)
            for (std::size_t i = 0; i < r.size(); ++i) width[i] = std::max(width[i], r[i].size());
        for (const auto& r : rows_) {
            std::string line = " ";
            for (std::size_t i = 0; i < r.size(); ++i) line += numeric(i) ? fmt::format(" {:>{}}", r[i], width[i]) : fmt::format(" {:<{}}", r[i], width[i]);
            line.erase(line.find_last_not_of(' ') + 1);
            fmt::print("{}\n", line);
        }
    }

private:
    bool numeric(std::size_t column) const {
        return std::all_of(rows_.begin() + 1, rows_.end(),
                           [&](const auto& r) { return r[column].empty() || r[column].find_first_not_of("0123456789.+-e% x") == std::string::npos; });
    }
    std::vector<std::vector<std::string>> rows_;
};

std::string number(double v) {
    const double a = std::abs(v);
    if (a >= 1e6) return fmt::format("{:.4e}", v);
    if (a >= 1000) return fmt::format("{:.0f}", v);
    if (a >= 100) return fmt::format("{:.1f}", v);
    return fmt::format("{:.2f}", v);
}

// To two decimals, without a minus sign before zero.
double rounded(double v) {
    return std::round(v * 100) / 100 + 0.0;
}

std::string at(const Vec3& p, const Vec3& shift) {
    const Vec3 q = p + shift;
    return fmt::format("({:.1f}, {:.1f}, {:.1f})", q.x(), q.y(), q.z());
}

std::string thickness(double low, double high) {
    if (high <= 0) return "";
    if (high - low <= 0.005 * high) return number(high);
    return number(low) + "-" + number(high);
}

void print_findings(const std::vector<Finding>& findings, const Vec3& shift) {
    for (std::size_t i = 0; i < findings.size(); ++i) {
        const Finding& f = findings[i];
        fmt::print("  {}. {}: {}\n     at {}; {}  [{}]\n", i + 1, f.kind, f.about, at(f.place, shift), f.advice, f.key);
    }
}

std::string dimensions(const Section& s) {
    std::string out;
    for (const auto& [name, value] : s.dimensions) out += fmt::format("{}{} {}", out.empty() ? "" : ", ", name, number(value));
    return out;
}

}  // namespace

void print_survey(const Assembly& solids, const Survey& survey) {
    fmt::print("{}: {} {}, unit {}, {:.0f} x {:.0f} x {:.0f} mm\n\n", solids.file, solids.bodies.size(), solids.bodies.size() == 1 ? "body" : "bodies",
               solids.unit, solids.box.sizes().x(), solids.box.sizes().y(), solids.box.sizes().z());
    Table t({"#", "body", "class", "thickness mm", "volume mm3", "area mm2", "size mm", "centre mm", "why"});
    double volume = 0;
    int of[5] = {};
    for (std::size_t i = 0; i < solids.bodies.size(); ++i) {
        const Body& b = solids.bodies[i];
        const BodySurvey& s = survey.bodies[i];
        const Vec3 d = b.box.sizes();
        const std::string why = s.length > 0 ? fmt::format("{}, {}", s.profile, s.why) : s.why;
        t.row({std::to_string(i + 1), b.name, class_name(s.kind), thickness(s.thinnest, s.thickest), number(b.mass.volume), number(b.mass.area),
               fmt::format("{:.0f} x {:.0f} x {:.0f}", d.x(), d.y(), d.z()), at(b.mass.centre, solids.shift), why});
        volume += b.mass.volume;
        ++of[static_cast<int>(s.kind)];
    }
    t.print();
    fmt::print("\n  total {} mm3;", number(volume));
    for (int k = 0; k < 5; ++k)
        if (of[k] > 0) fmt::print(" {} {}", of[k], class_name(static_cast<BodyClass>(k)));
    fmt::print("\n\nfindings: {}\n", survey.findings.empty() ? "none" : std::to_string(survey.findings.size()));
    print_findings(survey.findings, solids.shift);
}

void print_run(const Job& job) {
    const Model& m = job.model;
    fmt::print("{}: {} {} -> {} sheets, {} members, {} sections\n", job.solids.file, job.solids.bodies.size(),
               job.solids.bodies.size() == 1 ? "body" : "bodies", m.sheets.size(), m.members.size(), m.sections.size());
    std::map<std::string, std::pair<int, double>> seam_kinds;
    for (const Seam& s : seams(m)) ++seam_kinds[s.kind].first, seam_kinds[s.kind].second += m.length(s.edge);
    if (!seam_kinds.empty()) {
        fmt::print("  seams   ");
        for (const auto& [kind, n] : seam_kinds) fmt::print(" {} {} ({:.0f} mm)", n.first, kind, n.second);
        fmt::print("\n");
    }
    std::map<std::string, int> joint_kinds;
    for (const JointRecord& j : m.joints)
        if (j.state == EntryState::applied) ++joint_kinds[j.kind];
    if (!joint_kinds.empty()) {
        std::string text;
        for (const auto& [kind, n] : joint_kinds) text += fmt::format("{}{} {}", text.empty() ? "" : ", ", n, kind);
        fmt::print("  joints   {}\n", text);
    }
    const Mesh& k = job.mesh;
    if (!k.elements.empty())
        fmt::print("  mesh     {} nodes, {} quads, {} trias, {} lines, {} links; {:.1f} % quads, scaled Jacobian {:.2f} worst, {:.2f} mean; {} connected {}\n",
                   k.nodes.size(), k.quads, k.trias, k.lines, k.links, 100 * k.quality.quad_share, k.quality.min_scaled_jacobian,
                   k.quality.mean_scaled_jacobian, k.parts, k.parts == 1 ? "part" : "parts");
    if (job.stage == "prove") {
        const Proof& p = job.proof;
        const auto open = std::count_if(p.contacts.begin(), p.contacts.end(), [](const ContactProof& c) { return !c.joined; });
        fmt::print("  prove    volume {:+.3f} % in all, worst body {:+.3f} %{}; mass centre off by {:.2f} mm\n", 100 * p.volume_error, 100 * p.worst_body_error,
                   p.worst_body >= 0 && static_cast<std::size_t>(p.worst_body) < job.solids.bodies.size()
                       ? " (" + job.solids.bodies[static_cast<std::size_t>(p.worst_body)].name + ")"
                       : "",
                   p.centroid_error);
        fmt::print("           skin covered {:.1f} %, thickness off by {:.2g} % (99 % of elements); {} contacts of the solids, {} without a joint\n",
                   100 * p.coverage, 100 * p.thickness_error, p.contacts.size(), open);
    }
    fmt::print("  findings {}\n", m.findings.empty() ? "none" : std::to_string(m.findings.size()));
    print_findings(m.findings, job.solids.shift);
    if (job.stage == "prove" && !job.proof.within_bounds) {
        fmt::print("  outside its bounds:\n");
        for (const std::string& s : job.proof.outside) fmt::print("    {}\n", s);
    }
    if (!job.timing.empty()) {
        fmt::print("  time    ");
        double sum = 0;
        for (const auto& [stage, seconds] : job.timing) fmt::print(" {} {:.2f} s", stage, seconds), sum += seconds;
        fmt::print(", {:.2f} s in all\n", sum);
    }
}

namespace {

std::string body_name(const Job& job, int body) {
    return body >= 0 && static_cast<std::size_t>(body) < job.solids.bodies.size() ? job.solids.bodies[static_cast<std::size_t>(body)].name : "";
}

void list_bodies(const Job& job) {
    Table t({"#", "id", "body", "class", "volume mm3", "idealized mm3", "bridged mm3", "error %"});
    for (std::size_t i = 0; i < job.solids.bodies.size(); ++i) {
        const BodyProof p = i < job.proof.bodies.size() ? job.proof.bodies[i] : BodyProof{};
        t.row({std::to_string(i + 1), job.solids.bodies[i].key, job.solids.bodies[i].name, class_name(job.survey.bodies[i].kind),
               number(job.solids.bodies[i].mass.volume), number(p.idealized), number(p.bridged), fmt::format("{:+.3f}", 100 * p.error)});
    }
    t.print();
}

void list_sheets(const Job& job) {
    Table t({"#", "id", "body", "surface", "area mm2", "thickness mm", "regions"});
    for (std::size_t i = 0; i < job.model.sheets.size(); ++i) {
        const Sheet& s = job.model.sheets[i];
        t.row({std::to_string(i), s.key, body_name(job, s.body), "plane", number(s.area()), thickness(s.thickness.min, s.thickness.max),
               std::to_string(s.regions.size())});
    }
    t.print();
}

void list_members(const Job& job) {
    Table t({"#", "id", "body", "length mm", "own mm", "section", "dimensions mm"});
    for (std::size_t i = 0; i < job.model.members.size(); ++i) {
        const Member& m = job.model.members[i];
        const Section& s = job.model.sections[m.section.index()];
        t.row({std::to_string(i), m.key, body_name(job, m.body), number(job.model.length(m)), number(m.own_length), s.shape, dimensions(s)});
    }
    t.print();
}

void list_sections(const Job& job) {
    Table t({"#", "id", "shape", "area mm2", "iyy mm4", "izz mm4", "iyz mm4", "j mm4", "shear centre mm", "dimensions mm"});
    for (std::size_t i = 0; i < job.model.sections.size(); ++i) {
        const Section& s = job.model.sections[i];
        t.row({std::to_string(i), s.key, s.shape, number(s.area), number(s.iyy), number(s.izz), number(std::abs(s.iyz) < 1e-9 * s.iyy ? 0 : s.iyz), number(s.j),
               fmt::format("({:.2f}, {:.2f})", rounded(s.shear_centre.x()), rounded(s.shear_centre.y())), dimensions(s)});
    }
    t.print();
}

void list_joints(const Job& job) {
    Table t({"#", "id", "kind", "between", "and", "gap mm", "length mm", "moved mm", "state"});
    for (std::size_t i = 0; i < job.model.joints.size(); ++i) {
        const JointRecord& j = job.model.joints[i];
        t.row({std::to_string(i), j.key, j.kind, body_name(job, j.bodies[0]), body_name(job, j.bodies[1]), number(j.gap), number(j.length), number(j.moved),
               state_name(j.state)});
    }
    t.print();
}

void list_seams(const Job& job) {
    Table t({"#", "kind", "sheets", "length mm"});
    int n = 0;
    for (const Seam& s : seams(job.model)) {
        std::string names;
        for (SheetId k : s.sheets) names += (names.empty() ? "" : " ") + job.model.sheets[k.index()].key;
        t.row({std::to_string(n++), s.kind, names, number(job.model.length(s.edge))});
    }
    t.print();
}

void list_ledger(const Job& job, const std::string& kind) {
    Table t({"id", "stage", "kind", "state", "about"});
    for (const LedgerEntry& e : job.model.ledger)
        if (kind.empty() || e.kind == kind) t.row({e.key, e.stage, e.kind, state_name(e.state), e.about});
    t.print();
}

void list_contacts(const Job& job) {
    Table t({"between", "and", "gap mm", "joined", "place mm"});
    for (const ContactProof& c : job.proof.contacts)
        t.row({body_name(job, c.a), body_name(job, c.b), number(c.gap), c.joined ? "yes" : "NO", at(c.place, job.solids.shift)});
    t.print();
}

}  // namespace

void print_list(const Job& job, const std::string& what) {
    if (what == "bodies") list_bodies(job);
    else if (what == "walls") list_ledger(job, "wall");
    else if (what == "sheets") list_sheets(job);
    else if (what == "members") list_members(job);
    else if (what == "sections") list_sections(job);
    else if (what == "seams") list_seams(job);
    else if (what == "joints") list_joints(job);
    else if (what == "ledger") list_ledger(job, "");
    else if (what == "contacts") list_contacts(job);
    else if (what == "findings") {
        if (job.model.findings.empty()) fmt::print("  (none)\n");
        print_findings(job.model.findings, job.solids.shift);
    } else {
        throw Error(ErrorKind::usage,
                    fmt::format("cannot list \"{}\"; choose bodies, walls, sheets, members, sections, seams, joints, contacts, ledger or findings", what));
    }
}
