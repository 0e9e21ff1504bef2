// What the page says: the summary, and what an analyst asks besides; each decision with the plan's key that overrules it.
#include "view/page_scene.hpp"
#include "view/palette.hpp"

#include <halvo/report.hpp>

#include "core/index.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace halvo {
namespace {

using view::Json;

// Keys of the plan that leave out what was decided, and that ask for it where it is only proposed or was refused; empty: the plan has none.
struct Overrule {
    const char *leave = "", *take = "";
};
Overrule overrule_of(EntryKind kind) {
    switch (kind) {
        case EntryKind::wall:
        case EntryKind::member:
            return {"halve.refuse", ""};
        case EntryKind::opening:
            return {"halve.keep", "halve.fill"};
        case EntryKind::joint:
        case EntryKind::fastener:
            return {"join.refuse", ""};
        case EntryKind::hole:
        case EntryKind::round:
        case EntryKind::chamfer:
        case EntryKind::raised:
        case EntryKind::sunk:
        case EntryKind::sliver:
            return {"strip.refuse", "strip.force"};
        case EntryKind::sewn:
        case EntryKind::filled:
        case EntryKind::one_face:
        case EntryKind::doubled_face:
        case EntryKind::turned_face:
        case EntryKind::void_in_solid:
        case EntryKind::overlap_cut:
        case EntryKind::doubled_body:
        case EntryKind::face_moved:
            return {"mend.refuse", "mend.force"};
        default:
            return {};
    }
}

// The list of ids that the plan gives for each of these keys now.
Json lists_of(const Plan& p) {
    return {{"mend.refuse", p.mend.refuse}, {"mend.force", p.mend.force},   {"strip.refuse", p.strip.refuse},
            {"strip.keep", p.strip.keep},   {"strip.force", p.strip.force}, {"halve.refuse", p.halve.refuse},
            {"halve.fill", p.halve.fill},   {"halve.keep", p.halve.keep},   {"join.refuse", p.join.refuse}};
}

Json place(const Vec3& p, const Vec3& shift) {
    const Vec3 q = p + shift;
    return Json::array({q.x(), q.y(), q.z()});
}

Json decisions(const Job& job) {
    Json out = Json::array();
    const auto add = [&](const std::string& id, const std::string& stage, const std::string& kind, EntryState state, const std::string& about, double value,
                         const std::string& body, const Vec3& at, const Overrule& o) {
        out.push_back({{"id", id},
                       {"stage", stage},
                       {"kind", kind},
                       {"state", state_name(state)},
                       {"about", about},
                       {"value", value},
                       {"body", body},
                       {"place", place(at, job.solids.shift)},
                       {"leave", o.leave},
                       {"take", o.take}});
    };
    std::set<std::string> known;
    for (const LedgerEntry& e : ledger_of(job)) {
        add(e.key, e.stage, entry_name(e), e.state, e.about, e.value, e.body, e.place, overrule_of(e.kind));
        known.insert(e.key);
    }
    // Features that nothing was done about.
    for (const Feature& f : job.strip.features) {
        if (known.contains(f.key)) continue;
        const auto& bodies = solids_before_strip(job).bodies;
        const std::string body = f.body && f.body.index() < bodies.size() ? bodies[f.body.index()].label : "";
        add(f.key, stage_name(Stage::strip), feature_name(f.kind), f.state,
            fmt::format("{}: {} {}, {:.4g} mm, {}", body, f.form, feature_name(f.kind), f.size, f.offered ? "small enough to go" : "stays as it is"), f.size,
            body, f.place, overrule_of(EntryKind::hole));
    }
    return out;
}

Json near_gaps(const Job& job) {
    Json out = Json::array();
    for (const NearContact& n : job.model.near)
        out.push_back({{"id", n.key}, {"bodies", {n.bodies[0].value + 1, n.bodies[1].value + 1}}, {"gap", n.gap}, {"place", place(n.place, job.solids.shift)}});
    return out;
}

Json finding_groups(const Job& job) {
    Json out = Json::array();
    for (const FindingGroup& g : grouped(findings_of(job))) {
        Json items = Json::array();
        for (const Finding& f : g.findings)
            items.push_back({{"id", f.key},
                             {"kind", kind_name(f.kind)},
                             {"about", f.about},
                             {"advice", f.advice},
                             {"place", place(f.place, job.solids.shift)},
                             {"size", f.size},
                             {"body", f.body}});
        out.push_back({{"about", g.about}, {"advice", g.findings[0].advice}, {"note", g.findings[0].level == FindingLevel::note}, {"items", items}});
    }
    return out;
}

Json contacts(const Job& job) {
    Json out = Json::array();
    for (const ContactProof& c : job.proof.contacts)
        out.push_back({{"bodies", {c.a.value + 1, c.b.value + 1}}, {"gap", c.gap}, {"joined", c.joined}, {"place", place(c.place, job.solids.shift)}});
    return out;
}

// Outlines of sections, to be drawn to scale.
Json profiles(const Model& m) {
    constexpr double turn = 0.15;  // of an arc between drawn points (rad)
    const auto rounded = [](double v) { return std::round(v * 1e4) / 1e4; };
    Json out = Json::array();
    for (const Section& s : m.sections) {
        Json loops = Json::array();
        Box3 box;
        for (const auto& loop : s.profile) {
            Json points = Json::array();
            for (const Curve& c : loop) {
                box.extend(c.box());
                for (const Vec3& p : c.sampled(turn, 4)) points.push_back({rounded(p.x()), rounded(p.y())});
            }
            loops.push_back(std::move(points));
        }
        const Vec3 size = box.isEmpty() ? Vec3(Vec3::Zero()) : Vec3(box.sizes());
        out.push_back({{"loops", std::move(loops)}, {"size", {size.x(), size.y()}}});
    }
    return out;
}

Json quality(const Job& job) {
    Json out = Json::array();
    if (job.mesh.elements.empty()) return out;
    const QualityReport r = assess(job.mesh, job.plan.mesh.limits);
    for (const MeasureSummary& m : r.measures)
        out.push_back({{"name", m.name},
                       {"unit", m.unit},
                       {"worst", m.worst},
                       {"mean", m.mean},
                       {"limit", m.limit},
                       {"least", m.least},
                       {"outside", m.outside},
                       {"place", place(m.place, job.solids.shift)},
                       {"element", m.element}});
    return out;
}

Json sets(const Model& m) {
    Json out = Json::array();
    for (const ModelSet& s : m.sets) {
        Json sheets = Json::array(), members = Json::array();
        for (const SheetId k : s.sheets) sheets.push_back(k.value);
        for (const MemberId k : s.members) members.push_back(k.value);
        out.push_back({{"name", s.name}, {"sheets", sheets}, {"members", members}, {"edges", s.edges.size()}, {"vertices", s.vertices.size()}});
    }
    return out;
}

std::string hex(const view::Colour& c) {
    const auto byte = [](double v) { return static_cast<int>(std::lround(255 * std::clamp(v, 0.0, 1.0))); };
    return fmt::format("#{:02x}{:02x}{:02x}", byte(c.r), byte(c.g), byte(c.b));
}

// The one palette, so that page and figures look alike.
Json palette() {
    constexpr int steps = 64, categories = 48;
    Json field = Json::array(), category = Json::array();
    for (int i = 0; i < steps; ++i) field.push_back(hex(view::field(static_cast<double>(i) / (steps - 1))));
    for (int i = 0; i < categories; ++i) category.push_back(hex(view::category(i)));
    return {{"field", field},
            {"category", category},
            {"paper", hex(view::paper)},
            {"ink", hex(view::ink)},
            {"neutral", hex(view::neutral)},
            {"free_edge", hex(view::free_edge)},
            {"shared_edge", hex(view::shared_edge)},
            {"three_sheets", hex(view::three_sheets)},
            {"four_sheets", hex(view::four_sheets)},
            {"member", hex(view::member_line)},
            {"link", hex(view::link_line)},
            {"tie", hex(view::tie_line)}};
}

Json study_of(const Study& s) {
    Json varied = Json::array(), figures = Json::array();
    for (const Variation& v : s.varied) varied.push_back(v.key);
    for (const StudyFigure& f : s.figures) {
        Json values = Json::array();
        for (const double v : f.values) values.push_back(std::isfinite(v) ? Json(v) : Json(nullptr));
        figures.push_back({{"name", f.name},
                           {"unit", f.unit},
                           {"values", values},
                           {"limit", f.limit ? Json(*f.limit) : Json(nullptr)},
                           {"order", f.order ? Json(*f.order) : Json(nullptr)}});
    }
    return {{"varied", varied}, {"runs", s.runs}, {"figures", figures}, {"failures", s.failures}};
}

}  // namespace

std::string report_content(const Job& job, const ReportOptions& options) {
    if (job.solids.bodies.empty()) throw Error(ErrorKind::usage, "the model holds no solids; run a CAD file first");
    const Vec3& shift = job.solids.shift;
    Json c{{"format", "halvo-page"}, {"version", 1}};
    c["title"] = options.title.empty() ? job.solids.file : options.title;
    c["model"] = options.model.empty() ? "model.halvo" : options.model.string();
    c["live"] = !options.token.empty(), c["back"] = options.back;
    view::Pack pack;
    c["scene"] = view::pack_scene(pack, job);
    c["summary"] = Json::parse(summary_json(job));
    c["decisions"] = decisions(job), c["near"] = near_gaps(job), c["groups"] = finding_groups(job), c["contacts"] = contacts(job);
    c["profiles"] = profiles(job.model), c["quality"] = quality(job), c["sets"] = sets(job.model);
    Json uncovered = Json::array();
    for (const UncoveredPatch& u : job.proof.uncovered) uncovered.push_back({{"body", u.body.value + 1}, {"area", u.area}, {"place", place(u.place, shift)}});
    c["uncovered"] = uncovered;
    c["plan"] = {
        {"file", job.plan.file}, {"set", job.plan.set}, {"lists", lists_of(job.plan)}, {"reach", job.plan.join.reach}, {"bound", job.plan.prove.volume}};
    c["before_strip"] = job.before_strip.has_value(), c["as_read"] = job.as_read.has_value();
    c["palette"] = palette();
    if (options.study) c["study"] = study_of(*options.study);
    return pack.packed(std::move(c));
}

}  // namespace halvo
