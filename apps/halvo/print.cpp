#include "print.hpp"

#include "text.hpp"

#include <halvo/quality.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

using namespace halvo;

namespace {

std::string dimensions(const Section& s) {
    std::string out;
    for (const auto& [name, value] : s.dimensions) out += fmt::format("{}{} {}", out.empty() ? "" : ", ", name, number(value));
    return out;
}

}  // namespace

namespace {

std::string body_name(const Job& job, BodyId body) {
    return body && body.index() < job.solids.bodies.size() ? job.solids.bodies[body.index()].label : "";
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
        t.row({std::to_string(i), s.key, body_name(job, s.body), surface_name(s.chart.surface()), number(s.area()), thickness(s.thickness.min, s.thickness.max),
               std::to_string(s.regions.size())});
    }
    t.print();
}

std::string face_numbers(std::vector<int> faces) {
    std::sort(faces.begin(), faces.end());
    faces.erase(std::unique(faces.begin(), faces.end()), faces.end());
    constexpr std::size_t most = 6;
    std::string out;
    for (std::size_t i = 0; i < std::min(most, faces.size()); ++i) out += (i > 0 ? "," : "") + std::to_string(faces[i] + 1);
    return faces.size() > most ? fmt::format("{}.. ({})", out, faces.size()) : out;
}

// Measures with their limits, a histogram of the scaled Jacobian, and the ten worst elements.
void list_quality(const Job& job) {
    const QualityReport r = assess(job.mesh, job.plan.mesh.limits);
    Table t({"measure", "worst", "mean", "limit", "outside", "worst at mm"});
    for (const MeasureSummary& m : r.measures)
        t.row({m.unit.empty() ? m.name : m.name + ", " + m.unit, fmt::format("{:.3f}", m.worst), fmt::format("{:.3f}", m.mean),
               m.limit > 0 ? fmt::format("{} {:g}", m.least ? ">=" : "<=", m.limit) : "", m.limit > 0 ? std::to_string(m.outside) : "",
               at(m.place, job.solids.shift)});
    t.print();
    fmt::print("  {} shells, {:.2f} % triangles (limit {:g} %), {} outside some limit\n\n", r.shells, 100 * r.tria_share, 100 * job.plan.mesh.limits.tria_share,
               r.outside);
    Table h({"scaled Jacobian", "elements", ""});
    const int most = std::max(1, *std::max_element(r.histogram.begin(), r.histogram.end()));
    for (std::size_t k = 0; k < r.histogram.size(); ++k)
        h.row({fmt::format("{:.1f}-{:.1f}", 0.1 * static_cast<double>(k), 0.1 * static_cast<double>(k + 1)), std::to_string(r.histogram[k]),
               std::string(static_cast<std::size_t>((40 * r.histogram[k] + most - 1) / most), '#')});
    h.print();
    fmt::print("\n");
    Table w({"worst", "element", "scaled Jacobian", "sheet", "at mm"});
    for (std::size_t k = 0; k < r.worst.size(); ++k) {
        const Element& e = job.mesh.elements[static_cast<std::size_t>(r.worst[k].element)];
        w.row({std::to_string(k + 1), std::to_string(r.worst[k].element), fmt::format("{:.3f}", r.worst[k].scaled_jacobian),
               job.model.sheets[e.sheet.index()].key, at(r.worst[k].place, job.solids.shift)});
    }
    w.print();
}

// Gaps that were closed, by size, and those just wider: which reach would catch them.
void list_gaps(const Job& job) {
    constexpr int bins = 8;
    double widest = 0;
    for (const JointRecord& j : job.model.joints) widest = std::max(widest, j.gap);
    for (const NearContact& k : job.model.near) widest = std::max(widest, k.gap);
    std::array<int, bins> closed{}, open{};
    int touching = 0;
    const auto bin = [&](double gap) { return std::min<std::size_t>(bins - 1, static_cast<std::size_t>(gap / widest * bins)); };
    for (const JointRecord& j : job.model.joints) {
        if (j.gap <= 1e-6) ++touching;
        else ++closed[bin(j.gap)];
    }
    for (const NearContact& k : job.model.near) ++open[bin(k.gap)];
    Table t({"gap mm", "joints", "left open", ""});
    t.row({"touching", std::to_string(touching), "0", std::string(static_cast<std::size_t>(std::min(touching, 40)), '#')});
    for (std::size_t b = 0; widest > 1e-6 && b < bins; ++b)
        t.row({fmt::format("{:.2f}-{:.2f}", widest * static_cast<double>(b) / bins, widest * static_cast<double>(b + 1) / bins), std::to_string(closed[b]),
               std::to_string(open[b]),
               std::string(static_cast<std::size_t>(std::min(closed[b], 40)), '#') + std::string(static_cast<std::size_t>(std::min(open[b], 40)), 'o')});
    t.print();
    if (job.model.near.empty()) {
        fmt::print("  no gap between the reach and four times as much\n");
        return;
    }
    double largest = 0;
    for (const NearContact& k : job.model.near) {
        largest = std::max(largest, k.gap);
        fmt::print("  {}  {} and {}: {:.3f} mm apart at {}\n", k.key, body_name(job, k.bodies[0]), body_name(job, k.bodies[1]), k.gap,
                   at(k.place, job.solids.shift));
    }
    fmt::print("  join.reach = \"{:.2g} mm\" would close them all\n", std::ceil(1.05 * largest * 20) / 20);
}

// Connected parts, largest first, with what they hold.
void list_parts(const Job& job) {
    const Parts parts = connected_parts(job.model);
    struct Content {
        int sheets = 0, members = 0;
        std::set<std::string> bodies;
    };
    std::vector<Content> all(static_cast<std::size_t>(parts.count));
    for (std::size_t i = 0; i < parts.of_sheet.size(); ++i)
        if (parts.of_sheet[i] >= 0)
            ++all[static_cast<std::size_t>(parts.of_sheet[i])].sheets,
                all[static_cast<std::size_t>(parts.of_sheet[i])].bodies.insert(body_name(job, job.model.sheets[i].body));
    for (std::size_t i = 0; i < parts.of_member.size(); ++i)
        if (parts.of_member[i] >= 0)
            ++all[static_cast<std::size_t>(parts.of_member[i])].members,
                all[static_cast<std::size_t>(parts.of_member[i])].bodies.insert(body_name(job, job.model.members[i].body));
    std::stable_sort(all.begin(), all.end(), [](const Content& a, const Content& b) { return a.sheets + a.members > b.sheets + b.members; });
    Table t({"part", "sheets", "members", "bodies"});
    for (std::size_t i = 0; i < all.size(); ++i) {
        std::string names;
        std::size_t shown = 0;
        for (const std::string& n : all[i].bodies)
            if (shown++ < 4) names += (names.empty() ? "" : ", ") + n;
        if (shown > 4) names += fmt::format(" and {} more", shown - 4);
        t.row({std::to_string(i + 1), std::to_string(all[i].sheets), std::to_string(all[i].members), names});
    }
    t.print();
}

void list_walls(const Job& job) {
    struct Row {
        const Sheet* first;
        double area = 0, low = 1e300, high = 0, deviation = 0;
        int sheets = 0;
    };
    std::vector<std::string> order;
    std::map<std::string, Row> rows;
    for (const Sheet& s : job.model.sheets) {
        const std::string& key = s.wall.empty() ? s.key : s.wall;
        const auto [it, fresh] = rows.try_emplace(key, Row{&s});
        if (fresh) order.push_back(key);
        Row& r = it->second;
        r.area += s.area(), r.low = std::min(r.low, s.thickness.min), r.high = std::max(r.high, s.thickness.max), ++r.sheets;
        r.deviation = std::max(r.deviation, s.deviation);
    }
    Table t({"id", "body", "kind", "area mm2", "thickness mm", "faces", "opposite", "sheets", "deviation mm"});
    for (const std::string& key : order) {
        const Row& r = rows.at(key);
        t.row({key, body_name(job, r.first->body), surface_name(r.first->chart.surface()), number(r.area), thickness(r.low, r.high),
               face_numbers(r.first->top_faces), face_numbers(r.first->bottom_faces), std::to_string(r.sheets),
               r.deviation > 0 ? fmt::format("{:.2g}", r.deviation) : "exact"});
    }
    for (const LedgerEntry& e : ledger_of(job))
        if (e.kind == EntryKind::wall && e.state == EntryState::refused) t.row({e.key, e.body, "refused", number(e.value), "", "", "", "0", ""});
    t.print();
}

void list_uncovered(const Job& job) {
    Table t({"#", "body", "area mm2", "place mm"});
    for (std::size_t i = 0; i < job.proof.uncovered.size(); ++i) {
        const UncoveredPatch& u = job.proof.uncovered[i];
        t.row({std::to_string(i + 1), body_name(job, u.body), number(u.area), at(u.place, job.solids.shift)});
    }
    t.print();
}

void list_members(const Job& job) {
    Table t({"#", "id", "body", "length mm", "own mm", "section", "dimensions mm"});
    for (std::size_t i = 0; i < job.model.members.size(); ++i) {
        const Member& m = job.model.members[i];
        const Section& s = job.model.sections[m.section.index()];
        t.row({std::to_string(i), m.key, body_name(job, m.body), number(job.model.length(m)), number(m.own_length()), s.shape, dimensions(s)});
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

// What goes through it where it carries most: force, share of the load, case; empty where nothing was solved.
std::vector<std::string> carried_cells(const Job& job, std::vector<Carried> CaseResult::*list, std::size_t i) {
    if (job.solution.cases.empty()) return {};
    const auto most = most_carried(job.solution, list, i);
    if (!most) return {"", "", "", ""};
    return {fmt::format("{:.4g}", most->force), fmt::format("{:.4g}", most->moment), fmt::format("{:.3g}", 100 * most->share), most->load_case};
}
std::vector<std::string> with_carried(const Job& job, std::vector<std::string> heads) {
    if (!job.solution.cases.empty()) heads.insert(heads.end(), {"carries N", "N mm", "% of load", "case"});
    return heads;
}
std::vector<std::string> joined(std::vector<std::string> a, const std::vector<std::string>& b) {
    a.insert(a.end(), b.begin(), b.end());
    return a;
}

void list_joints(const Job& job) {
    Table t(with_carried(job, {"#", "id", "kind", "between", "and", "gap mm", "length mm", "moved mm", "state"}));
    for (std::size_t i = 0; i < job.model.joints.size(); ++i) {
        const JointRecord& j = job.model.joints[i];
        t.row(joined({std::to_string(i), j.key, kind_name(j.kind), body_name(job, j.bodies[0]), body_name(job, j.bodies[1]), number(j.gap), number(j.length),
                      number(j.moved), state_name(j.state)},
                     carried_cells(job, &CaseResult::through_joint, i)));
    }
    t.print();
}

void list_seams(const Job& job) {
    auto heads = with_carried(job, {"#", "kind", "sheets", "length mm"});
    if (!job.solution.cases.empty()) heads = joined(heads, {"strain", "jump %"});
    Table t(heads);
    std::size_t n = 0;
    for (const Seam& s : seams(job.model)) {
        std::string names;
        for (SheetId k : s.sheets) names += (names.empty() ? "" : " ") + job.model.sheets[k.index()].key;
        auto cells = joined({std::to_string(n), kind_name(s.kind), names, number(job.model.length(s.edge))}, carried_cells(job, &CaseResult::through_seam, n));
        if (const auto most = most_strained(job.solution, n))
            cells = joined(cells, {fmt::format("{:.3g}", most->strain), fmt::format("{:.3g}", 100 * most->jump / most->strain)});
        else if (!job.solution.cases.empty()) cells = joined(cells, {"", ""});
        t.row(cells);
        ++n;
    }
    t.print();
}

void list_ledger(const Job& job) {
    Table t({"id", "stage", "kind", "state", "about"});
    for (const LedgerEntry& e : ledger_of(job)) t.row({e.key, e.stage, entry_name(e), state_name(e.state), e.about});
    t.print();
}

// What the plan's sets pick: one row an entity.
void list_sets(const Job& job) {
    if (job.model.sets.empty()) {
        fmt::print("  (none: [[set]] entries of the plan give names to sheets, members, edges and vertices)\n");
        return;
    }
    Table t({"set", "holds", "body", "measure", "at mm"});
    for (const ModelSet& s : job.model.sets) {
        if (s.sheets.empty() && s.members.empty() && s.edges.empty() && s.vertices.empty()) t.row({s.name, "nothing", "", "", ""});
        for (SheetId i : s.sheets) {
            const Sheet& k = job.model.sheets[i.index()];
            Box3 box;
            for (const Region& r : k.regions)
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) box.extend(job.model.edges[u.edge.index()].curve.box());
            t.row({s.name, k.key, body_name(job, k.body), fmt::format("{:.1f} mm2, {:.2f} mm thick", k.area(), k.thickness.mean),
                   at(k.chart.foot(box.center()), job.solids.shift)});
        }
        for (MemberId i : s.members) {
            const Member& k = job.model.members[i.index()];
            t.row({s.name, k.key, body_name(job, k.body), fmt::format("{:.1f} mm long", job.model.length(k)),
                   at(k.axis.at(0.5 * k.own_length()), job.solids.shift)});
        }
        for (EdgeId e : s.edges)
            t.row({s.name, fmt::format("edge {}", e.value), "", fmt::format("{:.1f} mm long", job.model.length(e)),
                   at(job.model.edges[e.index()].curve.middle(), job.solids.shift)});
        for (VertexId v : s.vertices) t.row({s.name, fmt::format("vertex {}", v.value), "", "", at(job.model.vertices[v.index()].point, job.solids.shift)});
    }
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
    else if (what == "proof") list_proof(job);
    else if (what == "features") list_features(job);
    else if (what == "walls") list_walls(job);
    else if (what == "uncovered") list_uncovered(job);
    else if (what == "sheets") list_sheets(job);
    else if (what == "members") list_members(job);
    else if (what == "sections") list_sections(job);
    else if (what == "seams") list_seams(job);
    else if (what == "joints") list_joints(job);
    else if (what == "quality") list_quality(job);
    else if (what == "gaps") list_gaps(job);
    else if (what == "parts") list_parts(job);
    else if (what == "sets") list_sets(job);
    else if (what == "ledger") list_ledger(job);
    else if (what == "contacts") list_contacts(job);
    else if (list_solution(job, what)) return;
    else if (what == "findings") {
        if (findings_of(job).empty()) fmt::print("  (none)\n");
        print_findings(findings_of(job), job.solids.shift);
        list_repairs(job);
    } else {
        throw Error(
            ErrorKind::usage,
            fmt::format(
                "cannot list \"{}\"; choose bodies, features, walls, sheets, members, sections, seams, joints, gaps, parts, quality, "
                "proof, contacts, uncovered, sets, ledger, properties, results, reactions, probes, known, reference, modes, materials, forms or findings",
                what));
    }
}
