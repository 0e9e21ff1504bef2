#include <halvo/halve.hpp>
#include <halvo/job.hpp>
#include <halvo/join.hpp>
#include <halvo/quality.hpp>

#include "body/named.hpp"
#include "core/keys.hpp"
#include "io/select.hpp"
#include "mesh/keep_numbers.hpp"
#include "model/sets.hpp"
#include "prove/audit.hpp"
#include "prove/mechanisms.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>

namespace halvo {
namespace {

constexpr std::array<const char*, 6> names = {"read", "survey", "halve", "join", "mesh", "prove"};

void add_contact_findings(Job& job) {
    auto& list = job.model.findings;
    std::erase_if(list, [](const Finding& f) { return f.kind == "contact without a joint" || f.kind == "body in parts"; });
    for (int b : job.proof.split_bodies) {
        const Body& body = job.solids.bodies[static_cast<std::size_t>(b)];
        list.push_back({make_key("finding", "parts " + body.key, {}), "body in parts",
                        fmt::format("{}: one solid, but its sheets do not hang together", body.label),
                        "see its other findings: what joins them has no sheet yet", body.mass.centre, body.box.diagonal().norm(), body.label});
    }
    for (const ContactProof& c : job.proof.contacts) {
        if (c.joined) continue;
        const Body &a = job.solids.bodies[static_cast<std::size_t>(c.a)], &b = job.solids.bodies[static_cast<std::size_t>(c.b)];
        list.push_back({make_key("finding", "contact " + a.key + b.key, {c.gap}),
                        "contact without a joint",
                        fmt::format("{} and {} touch (gap {:.2f} mm) but share nothing in the model", a.label, b.label, c.gap),
                        "raise join.reach, or check the parts there",
                        c.place,
                        c.gap,
                        a.label + " + " + b.label,
                        FindingLevel::warning,
                        -1,
                        {a.key, b.key}});
    }
}

// What hangs on by a point, can move, or lies beside something that it is not joined to.
void add_audit_findings(Job& job) {
    auto& list = job.model.findings;
    constexpr std::array<const char*, 4> kinds = {"hangs on by a point", "mechanism", "free edge within reach", "edge inside the solid"};
    std::erase_if(list, [&](const Finding& f) { return std::find(kinds.begin(), kinds.end(), f.kind) != kinds.end(); });
    std::erase_if(job.model.ledger, [](const LedgerEntry& e) { return e.kind == "member free to spin"; });
    const Mobility free = mobility(job.model, job.solids);
    job.model.ledger.insert(job.model.ledger.end(), free.notes.begin(), free.notes.end());
    job.proof.rigid_body_modes = free.rigid_body_modes, job.proof.mechanisms = free.mechanisms;
    // Where a contact without a joint is reported already, its edges say nothing new.
    auto edges = free_edge_findings(job.model, job.solids, job.plan.join.reach);
    std::erase_if(edges, [&](const Finding& f) {
        return std::any_of(list.begin(), list.end(), [&](const Finding& k) {
            const auto pair = [](const Finding& x) { return std::minmax(x.body_keys[0], x.body_keys[1]); };
            return k.kind == "contact without a joint" && pair(k) == pair(f) && (k.place - f.place).norm() <= f.size;
        });
    });
    for (const auto& some : {hanging_findings(job.model, job.solids), free.findings, edges, buried_edge_findings(job.model, job.solids)})
        list.insert(list.end(), some.begin(), some.end());
}

// Rules of size in the model's own coordinates, bodies as the keys of their sheets and members.
void place_rules(std::vector<SizeRule>& rules, const Assembly& solids, const Model& model) {
    for (SizeRule& r : rules) {
        for (Vec3& p : r.points) p -= solids.shift;
        r.within = own_box(r.within, solids);
        if (r.body.empty()) continue;
        std::vector<std::string> ids;
        const auto add = [&](const std::string& key, int body, const auto& id) {
            const bool named = body >= 0 && is_named(solids.bodies[static_cast<std::size_t>(body)], r.body);
            if (named && (r.sheet.empty() || is_meant(model, id, r.sheet))) ids.push_back(key);
        };
        for (std::size_t i = 0; i < model.sheets.size(); ++i) add(model.sheets[i].key, model.sheets[i].body, SheetId(i));
        for (std::size_t i = 0; i < model.members.size(); ++i) add(model.members[i].key, model.members[i].body, MemberId(i));
        if (ids.empty()) ids.emplace_back("no such body");
        r.sheet = std::move(ids);
    }
}

MeshOptions placed_sizes(MeshOptions o, const Assembly& solids, const Model& model) {
    place_rules(o.sizes, solids, model);
    place_rules(o.thicknesses, solids, model);
    return o;
}

// Edges that the mesh closes to a point, and element edges that the geometry makes far shorter than their neighbours.
void note_short_edges(Job& job, const MeshOptions& options) {
    auto& list = job.model.ledger;
    std::erase_if(list, [](const LedgerEntry& e) { return e.kind == "edges bridged" || e.kind == "short element edges"; });
    const auto bridged = bridged_edges(job.model, options);
    if (!bridged.empty()) {
        const auto longest =
            *std::max_element(bridged.begin(), bridged.end(), [&](EdgeId a, EdgeId b) { return job.model.length(a) < job.model.length(b) - 1e-12; });
        const double length = job.model.length(longest);
        list.push_back({make_key("bridged", "", {length}), "mesh", "edges bridged", EntryState::applied,
                        fmt::format("{} edge(s) up to {:.3g} mm long are closed to a node each: there the mesh stands off the outline by as much; mesh.bridge "
                                    "= 0 keeps them",
                                    bridged.size(), length),
                        length, job.model.edges[longest.index()].curve.middle(), ""});
    }
    std::vector<std::vector<double>> of_sheet(job.model.sheets.size());
    const auto sides = [&](const Element& e, auto&& each) {
        for (std::size_t k = 0; k < e.count; ++k)
            each(job.mesh.nodes[static_cast<std::size_t>(e.nodes[k])], job.mesh.nodes[static_cast<std::size_t>(e.nodes[(k + 1) % e.count])]);
    };
    for (const Element& e : job.mesh.elements)
        if (e.kind == ElementKind::shell)
            sides(e, [&](const Vec3& a, const Vec3& b) { of_sheet[static_cast<std::size_t>(e.sheet)].push_back((a - b).norm()); });
    for (auto& lengths : of_sheet)
        if (!lengths.empty()) std::nth_element(lengths.begin(), lengths.begin() + static_cast<std::ptrdiff_t>(lengths.size() / 2), lengths.end());
    int count = 0;
    double least = std::numeric_limits<double>::max();
    Vec3 place = Vec3::Zero();
    for (const Element& e : job.mesh.elements) {
        if (e.kind != ElementKind::shell) continue;
        const auto& lengths = of_sheet[static_cast<std::size_t>(e.sheet)];
        const double usual = lengths[lengths.size() / 2];
        bool is_short = false;
        sides(e, [&](const Vec3& a, const Vec3& b) {
            const double l = (a - b).norm();
            is_short = is_short || l < 0.25 * usual;
            if (l < 0.25 * usual && l < least) least = l, place = 0.5 * (a + b);
        });
        count += is_short;
    }
    if (count > 0)
        list.push_back({make_key("short", "", {least}), "mesh", "short element edges", EntryState::applied,
                        fmt::format("{} element(s) have an edge shorter than a quarter of what is usual in their sheet, {:.3g} mm at least: short edges of the "
                                    "geometry ask for them",
                                    count, least),
                        least, place, ""});
}

// Sheets that the plan gives another thickness, in the ledger.
void note_thicknesses(Model& model, const MeshOptions& options) {
    std::erase_if(model.ledger, [](const LedgerEntry& e) { return e.kind == "thickness"; });
    const auto wanted = wanted_thicknesses(model, options);
    for (std::size_t i = 0; i < wanted.size(); ++i)
        if (wanted[i] > 0)
            model.ledger.push_back(
                {"thickness-" + model.sheets[i].key, "mesh", "thickness", EntryState::applied,
                 fmt::format("{}: {:.3f} mm in the mesh by the plan, {:.3f} mm in the solid", model.sheets[i].key, wanted[i], model.sheets[i].thickness.mean),
                 wanted[i], model.sheets[i].chart.plane().origin, ""});
}

}  // namespace

const char* stage_name(Stage s) {
    return names[static_cast<std::size_t>(s)];
}

Stage stage_of(const std::string& name) {
    for (std::size_t i = 0; i < names.size(); ++i)
        if (name == names[i]) return static_cast<Stage>(i);
    throw Error(ErrorKind::usage, fmt::format("\"{}\" is no stage; stages are {}", name, fmt::join(names, ", ")));
}

void run(Job& job, Stage from, Stage until, const Observer& observer) {
    const Plan& plan = job.plan;
    const auto step = [&](Stage s, auto&& work) {
        if (s < from || s > until) return;
        const auto start = std::chrono::steady_clock::now();
        work();
        std::erase_if(job.timing, [&](const auto& t) { return t.first == stage_name(s); });
        job.timing.emplace_back(stage_name(s), std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
        job.stage = stage_name(s);
    };
    step(Stage::read, [&] { job.solids = read(plan.source.file, plan.source, observer); });
    step(Stage::survey, [&] {
        job.survey = survey(job.solids, plan.survey, observer);
        io::select_by_class(job.solids, job.survey, plan.source);
    });
    step(Stage::halve, [&] {
        job.model = halve(job.solids, plan.halve, observer);
        std::vector<Finding> warnings;
        std::copy_if(job.survey.findings.begin(), job.survey.findings.end(), std::back_inserter(warnings),
                     // Gaps within reach are join's business: it closes them, and prove names those it did not.
                     [&](const Finding& f) { return f.level == FindingLevel::warning && !(f.kind == "near miss" && f.size <= plan.join.reach); });
        job.model.findings.insert(job.model.findings.begin(), warnings.begin(), warnings.end());
    });
    step(Stage::join, [&] {
        join(job.model, job.solids, plan.join, observer);
        place_references(job.model);
    });
    step(Stage::mesh, [&] {
        if (from == Stage::mesh) make_sets(job.model, job.solids, plan.join.sets);
        const MeshOptions options = placed_sizes(plan.mesh, job.solids, job.model);
        const Mesh before = std::move(job.mesh);
        job.mesh = mesh(job.model, options, observer);
        // Meshed again: what did not change keeps its numbers.
        if (!before.nodes.empty()) keep_numbers(job.mesh, before);
        note_thicknesses(job.model, options);
        std::erase_if(job.model.findings, [](const Finding& f) { return f.kind == "mesh outside its limits"; });
        note_short_edges(job, options);
        const auto found = quality_findings(assess(job.mesh, plan.mesh.limits), plan.mesh.limits);
        job.model.findings.insert(job.model.findings.end(), found.begin(), found.end());
    });
    step(Stage::prove, [&] {
        job.proof = prove(job.solids, job.model, job.mesh, plan.prove, plan.join.reach, observer);
        add_contact_findings(job);
        add_audit_findings(job);
        if (!plan.prove.strict) return;
        for (const Finding& f : job.model.findings)
            if (f.kind == "mesh outside its limits") job.proof.outside.push_back("mesh: " + f.about), job.proof.within_bounds = false;
    });
}

}  // namespace halvo
