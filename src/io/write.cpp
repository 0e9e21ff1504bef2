// Text outputs: VTU, summary, ledger.
#include "io/vtu_array.hpp"

#include <halvo/io.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <unistd.h>
#include <array>
#include <cerrno>
#include <fstream>
#include <random>

namespace halvo {
namespace {

using Json = nlohmann::ordered_json;

Json place(const Vec3& p, const Vec3& shift) {
    const Vec3 q = p + shift;
    return Json::array({q.x(), q.y(), q.z()});
}

Json finding_json(const Finding& f, const Vec3& shift) {
    return {{"id", f.key},
            {"kind", kind_name(f.kind)},
            {"about", f.about},
            {"advice", f.advice},
            {"place", place(f.place, shift)},
            {"size", f.size},
            {"body", f.body},
            {"face", f.face ? Json(f.face.value + 1) : Json(nullptr)}};
}

Json bodies_json(const Assembly& solids, const Survey& survey, const Proof* proof) {
    Json out = Json::array();
    for (std::size_t i = 0; i < solids.bodies.size(); ++i) {
        const Body& b = solids.bodies[i];
        Json j{{"id", i + 1}, {"key", b.key}, {"name", b.name}, {"label", b.label}, {"path", b.path}};
        if (i < survey.bodies.size()) j["class"] = class_name(survey.bodies[i].kind);
        j["volume"] = b.mass.volume;
        j["area"] = b.mass.area;
        j["centre"] = place(b.mass.centre, solids.shift);
        if (!b.box.isEmpty()) j["box"] = {place(b.box.min(), solids.shift), place(b.box.max(), solids.shift)};
        if (i < survey.bodies.size()) {
            const BodySurvey& s = survey.bodies[i];
            j["thickness"] = {{"min", s.thinnest}, {"max", s.thickest}};
            j["why"] = s.why;
            if (s.length > 0) j["slender"] = {{"length", s.length}, {"depth", s.depth}, {"profile", s.profile}};
        }
        if (proof && i < proof->bodies.size()) {
            j["idealized_volume"] = proof->bodies[i].idealized;
            j["bridged_volume"] = proof->bodies[i].bridged;
            j["volume_error"] = proof->bodies[i].error;
            j["mesh_volume"] = proof->bodies[i].meshed;
            j["mesh_volume_net"] = proof->bodies[i].mesh_net;
            j["mesh_volume_error"] = proof->bodies[i].mesh_error;
            if (proof->bodies[i].left_out > 0) j["root_fillet_volume"] = proof->bodies[i].left_out;
            if (proof->bodies[i].filled > 0) j["filled_void_volume"] = proof->bodies[i].filled;
        }
        out.push_back(std::move(j));
    }
    return out;
}

// Faces are numbered from 1, as those of the body that was read.
Json features_json(const std::vector<Feature>& features, const Vec3& shift) {
    Json out = Json::array();
    for (const Feature& f : features) {
        std::vector<int> faces = f.faces;
        for (int& k : faces) ++k;
        Json j{{"id", f.key},          {"kind", feature_name(f.kind)},
               {"form", f.form},       {"state", state_name(f.state)},
               {"offered", f.offered}, {"size", f.size},
               {"volume", f.volume},   {"body", f.body.value + 1},
               {"faces", faces},       {"place", place(f.place, shift)},
               {"family", f.family},   {"alike", f.alike},
               {"pattern", f.pattern}, {"bolt", f.bolt},
               {"why", f.why}};
        if (!f.axis.isZero()) j["axis"] = {f.axis.x(), f.axis.y(), f.axis.z()};
        out.push_back(std::move(j));
    }
    return out;
}

Json source_json(const Assembly& solids) {
    return {{"file", solids.file}, {"sha256", solids.sha256}, {"unit", solids.unit}};
}

// Sheets, members and so on are numbered as mesh.vtu numbers them; `key` is the id that does not depend on the run.
Json sheets_json(const Model& m) {
    Json out = Json::array();
    for (std::size_t i = 0; i < m.sheets.size(); ++i) {
        const Sheet& s = m.sheets[i];
        out.push_back({{"id", i},
                       {"key", s.key},
                       {"body", s.body.value + 1},
                       {"surface", surface_name(s.chart.surface())},
                       {"area", s.area()},
                       {"thickness", {{"min", s.thickness.min}, {"mean", s.thickness.mean}, {"max", s.thickness.max}}},
                       {"own_area", s.own_area()},
                       {"offset", s.offset},
                       {"wall", s.wall},
                       {"deviation", s.deviation},
                       {"faces", {s.top_faces, s.bottom_faces}}});
    }
    return out;
}

Json members_json(const Model& m, const Vec3& shift) {
    Json out = Json::array();
    for (std::size_t i = 0; i < m.members.size(); ++i) {
        const Member& k = m.members[i];
        const Frame axes = k.axis.frame(0);
        const auto end = [&](const EdgeUse& u, bool last) { return m.vertices[m.edges[u.edge.index()].vertices[last != u.reversed ? 1 : 0].index()].point; };
        out.push_back({{"id", i},
                       {"key", k.key},
                       {"body", k.body.value + 1},
                       {"length", m.length(k)},
                       {"section", k.section.value},
                       {"start", place(end(k.chain.front(), false), shift)},
                       {"end", place(end(k.chain.back(), true), shift)},
                       {"own_length", k.own_length()},
                       {"offset", {k.offset.x(), k.offset.y()}},
                       {"y_axis", {axes.x.x(), axes.x.y(), axes.x.z()}},
                       {"straight", k.axis.is_straight()}});
    }
    return out;
}

Json sections_json(const Model& m) {
    Json out = Json::array();
    for (std::size_t i = 0; i < m.sections.size(); ++i) {
        const Section& s = m.sections[i];
        Json dims = Json::object();
        for (const auto& [name, value] : s.dimensions) dims[name] = value;
        out.push_back({{"id", i},
                       {"key", s.key},
                       {"shape", s.shape},
                       {"dimensions", dims},
                       {"area", s.area},
                       {"iyy", s.iyy},
                       {"izz", s.izz},
                       {"iyz", s.iyz},
                       {"i1", s.i1},
                       {"i2", s.i2},
                       {"j", s.j},
                       {"shear_centre", {s.shear_centre.x(), s.shear_centre.y()}},
                       {"warping", s.warping}});
    }
    return out;
}

// What only the survey says of a body.
void add_survey(Json& j, const Body& b, const BodySurvey& s, const Vec3& shift) {
    j["number"] = b.number;
    j["part"] = b.part;
    if (!b.layer.empty()) j["layer"] = b.layer;
    if (s.thickest > 0) j["thickness"]["min_at"] = place(s.thinnest_at, shift), j["thickness"]["max_at"] = place(s.thickest_at, shift);
    Json bands = Json::array(), bulk = Json::array();
    for (const ThicknessBand& t : s.bands) bands.push_back({{"from", t.from}, {"to", t.to}, {"mean", t.mean}, {"share", t.share}});
    for (const BulkRegion& r : s.bulk)
        bulk.push_back({{"area", r.area},
                        {"place", place(r.place, shift)},
                        {"size", {r.size.x(), r.size.y(), r.size.z()}},
                        {"across", r.across},
                        {"face", r.face.value + 1}});
    j["thicknesses"] = bands;
    j["skin"] = {{"walls", s.wall_area}, {"rims", s.rim_area}, {"rest", s.rest_area}, {"thin_share", s.thin_share}};
    if (!bulk.empty()) j["bulk"] = bulk;
    if (s.length > 0) {
        Json dimensions = Json::object();
        for (const auto& [name, value] : s.dimensions) dimensions[name] = value;
        j["member"] = {{"length", s.length}, {"depth", s.depth}, {"profile", s.profile}, {"dimensions", dimensions}};
    }
    j["nodes"] = {{"solid", s.solid_nodes}, {"model", s.model_nodes}};
    Json faces = Json::object();
    for (const Face& f : b.faces) {
        const std::string name = surface_name(f.surface);
        faces[name] = faces.value(name, 0) + 1;
    }
    j["faces"] = faces;
    double fit = 0;
    for (const Face& f : b.faces) fit = std::max(fit, f.fit_error);
    if (b.faceted) j["fit_error"] = fit;
}

Json joints_json(const Model& m, const Vec3& shift) {
    Json out = Json::array();
    for (const JointRecord& j : m.joints)
        out.push_back({{"id", j.key},
                       {"kind", kind_name(j.kind)},
                       {"a", j.a},
                       {"b", j.b},
                       {"bodies", {j.bodies[0].value + 1, j.bodies[1].value + 1}},
                       {"gap", j.gap},
                       {"length", j.length},
                       {"moved", j.moved},
                       {"state", state_name(j.state)},
                       {"place", place(j.place, shift)}});
    return out;
}

Json proof_json(const Job& job) {
    const Proof& p = job.proof;
    Json open = Json::array();
    for (const ContactProof& c : p.contacts)
        if (!c.joined) open.push_back({{"bodies", {c.a.value + 1, c.b.value + 1}}, {"gap", c.gap}, {"place", place(c.place, job.solids.shift)}});
    Json uncovered = Json::array();
    for (const UncoveredPatch& u : p.uncovered)
        uncovered.push_back({{"body", u.body.value + 1}, {"area", u.area}, {"place", place(u.place, job.solids.shift)}});
    const auto spread = [&](const Spread& s) -> Json {
        return {{"mean", s.mean}, {"p95", s.high}, {"worst", s.worst}, {"place", place(s.place, job.solids.shift)}, {"elements", s.count}};
    };
    return {{"volume_error", p.volume_error},
            {"worst_body_volume_error", p.worst_body_error},
            {"mesh_mass_error", p.mass_error},
            {"worst_body_mesh_error", p.worst_mesh_error},
            {"centroid_error", p.centroid_error},
            {"coverage", p.coverage},
            {"thickness_error", p.thickness_error},
            {"parts", p.parts},
            {"rigid_body_modes", p.rigid_body_modes},
            {"mechanisms", p.mechanisms},
            {"contacts", p.contacts.size()},
            {"unconnected", open},
            {"within_bounds", p.within_bounds},
            {"outside", p.outside},
            {"thickness", spread(p.thickness)},
            {"deviation", spread(p.deviation)},
            {"uncovered", uncovered}};
}

Json triple(const Vec3& v) {
    return Json::array({v.x(), v.y(), v.z()});
}

Json results_json(const Solution& s, const Vec3& shift) {
    Json out = Json::array();
    for (const CaseResult& c : s.cases) {
        Json supports = Json::array();
        for (const auto& [name, f] : c.of_support) supports.push_back({{"name", name}, {"force", triple(f.head<3>())}, {"moment", triple(f.tail<3>())}});
        out.push_back({{"case", c.name},
                       {"max_displacement", c.max_displacement},
                       {"max_displacement_at", place(c.max_displacement_at, shift)},
                       {"max_von_mises", c.max_von_mises},
                       {"max_von_mises_at", place(c.max_von_mises_at, shift)},
                       {"peak", c.peak},
                       {"max_von_mises_elsewhere", c.max_von_mises_elsewhere},
                       {"max_von_mises_elsewhere_at", place(c.max_von_mises_elsewhere_at, shift)},
                       {"stress_error", c.stress_error},
                       {"stress_error_at", place(c.stress_error_at, shift)},
                       {"energy_of", c.energy_of},
                       {"applied", {{"force", triple(c.applied_force)}, {"moment", triple(c.applied_moment)}}},
                       {"reactions", {{"force", triple(c.reaction_force)}, {"moment", triple(c.reaction_moment)}}},
                       {"supports", supports},
                       {"residual", c.residual},
                       {"energy", c.energy}});
    }
    return out;
}

Json probes_json(const Solution& s, const Vec3& shift) {
    Json out = Json::array();
    for (const ProbeResult& p : s.probes) {
        out.push_back({{"name", p.name},
                       {"case", p.load_case},
                       {"of", p.of},
                       {"min", p.min},
                       {"max", p.max},
                       {"mean", p.mean},
                       {"sum", p.sum},
                       {"unit", p.unit},
                       {"count", p.count},
                       {"min_at", place(p.min_at, shift)},
                       {"max_at", place(p.max_at, shift)}});
        if (!p.known_form.empty())
            out.back()["known"] = {{"form", p.known_form}, {"figure", p.known_figure}, {"value", p.known}, {"difference", p.off_known()}};
    }
    return out;
}

Json reference_json(const SolidReference& r) {
    Json rows = Json::array();
    for (const ReferenceRow& k : r.rows)
        rows.push_back(
            {{"what", k.what}, {"case", k.load_case}, {"unit", k.unit}, {"model", k.model}, {"solid", k.solid}, {"difference", k.model / k.solid - 1}});
    return {{"body", r.body}, {"sweep", r.sweep}, {"elements", r.solids}, {"unknowns", r.unknowns}, {"volume", r.volume}, {"figures", rows}};
}

// What goes through connections and parts, where they carry most.
void add_carried(Json& list, const Solution& s, std::vector<Carried> CaseResult::*of) {
    for (std::size_t i = 0; i < list.size(); ++i)
        if (const auto most = most_carried(s, of, i))
            list[i]["carries"] = {{"force", most->force}, {"moment", most->moment}, {"share", most->share}, {"case", most->load_case}};
}

void add_solution(Json& j, const Solution& s, const Vec3& shift) {
    if (s.nodes.empty()) return;
    add_carried(j["joints"], s, &CaseResult::through_joint), add_carried(j["seams"], s, &CaseResult::through_seam);
    for (std::size_t i = 0; i < j["seams"].size(); ++i)
        if (const auto most = most_strained(s, i)) j["seams"][i]["strain"] = {{"along", most->strain}, {"jump", most->jump}, {"case", most->load_case}};
    if (s.reference) j["reference"] = reference_json(*s.reference);
    j["results"] = results_json(s, shift), j["probes"] = probes_json(s, shift);
    Json modes = Json::array(), properties = Json::array();
    for (std::size_t i = 0; i < s.modes.size(); ++i) modes.push_back({{"number", i + 1}, {"frequency", s.modes[i].frequency}});
    for (const Property& p : s.properties)
        properties.push_back(
            {{"id", p.what}, {"body", p.body}, {"material", p.material}, {"section", p.section}, {"thickness", p.thickness}, {"mass", p.mass}});
    add_carried(properties, s, &CaseResult::through_property);
    j["modes"] = modes, j["properties"] = properties;
    j["solution"] = {{"unknowns", s.unknowns}, {"mass", s.mass}, {"mass_centre", place(s.mass_centre, shift)}};
}

std::string csv_text(const std::string& s) {
    if (s.find_first_of(",\"\n") == std::string::npos) return s;
    std::string out = "\"";
    for (char c : s) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + "\"";
}

}  // namespace

void write_text(const std::filesystem::path& file, const std::string& text) {
    const std::filesystem::path part = file.string() + fmt::format(".part{}", ::getpid());
    {
        std::ofstream out(part, std::ios::binary);
        errno = 0;
        out << text;
        out.flush();
        if (!out) {
            const bool full = errno == ENOSPC;
            std::error_code ec;
            std::filesystem::remove(part, ec);
            throw Error(ErrorKind::input, file.string() + (full ? ": the disk is full; free some room there, or give another --out"
                                                                : ": cannot be written; check the folder and its permissions"));
        }
    }
    std::error_code ec;
    std::filesystem::rename(part, file, ec);
    if (ec) {
        std::filesystem::remove(part, ec);
        throw Error(ErrorKind::input, file.string() + ": cannot be written; check the folder and its permissions");
    }
}

void write_vtu(const std::filesystem::path& file, const Mesh& mesh, const Vec3& shift) {
    pugi::xml_document doc;
    std::size_t tie_lines = 0;
    for (const TiedNode& t : mesh.ties) tie_lines += mesh.elements[static_cast<std::size_t>(t.element)].count;
    auto piece = io::start_grid(doc, mesh.nodes.size(), mesh.elements.size() + tie_lines);
    std::vector<double> points;
    for (const Vec3& p : mesh.nodes)
        for (int k = 0; k < 3; ++k) points.push_back(p[k] + shift[k]);
    io::add_array(piece.append_child("Points"), "Float64", "Points", points, 3);
    std::vector<std::int64_t> connectivity, offsets;
    std::vector<std::uint8_t> types, kind;
    std::vector<double> thickness, offset, quality, section_offset;
    std::vector<std::int32_t> sheet, member, body, section;
    for (const Element& e : mesh.elements) {
        for (std::size_t k = 0; k < e.count; ++k) connectivity.push_back(e.nodes[k]);
        offsets.push_back(static_cast<std::int64_t>(connectivity.size()));
        types.push_back(e.count == 4 ? 9 : e.count == 3 ? 5 : 3);
        kind.push_back(static_cast<std::uint8_t>(e.kind));
        thickness.push_back(e.thickness), offset.push_back(e.offset), quality.push_back(e.quality);
        sheet.push_back(e.sheet.value), member.push_back(e.member.value), section.push_back(e.section.value);
        body.push_back(!e.body ? -1 : e.body.value + 1);
        for (int k = 0; k < 3; ++k) section_offset.push_back(e.section_offset[k]);
    }
    // A tie shows as lines from its node to those of the element, each with its weight.
    std::vector<double> weight(kind.size(), 0.0);
    for (const TiedNode& t : mesh.ties) {
        const Element& e = mesh.elements[static_cast<std::size_t>(t.element)];
        for (std::size_t k = 0; k < e.count; ++k) {
            connectivity.push_back(t.node), connectivity.push_back(e.nodes[k]);
            offsets.push_back(static_cast<std::int64_t>(connectivity.size()));
            types.push_back(3), kind.push_back(3), weight.push_back(t.weights[k]);
            thickness.push_back(0), offset.push_back(0), quality.push_back(1);
            sheet.push_back(-1), member.push_back(-1), section.push_back(-1), body.push_back(-1);
            section_offset.insert(section_offset.end(), 3, 0.0);
        }
    }
    auto cells = piece.append_child("Cells");
    io::add_array(cells, "Int64", "connectivity", connectivity);
    io::add_array(cells, "Int64", "offsets", offsets);
    io::add_array(cells, "UInt8", "types", types);
    auto data = piece.append_child("CellData");
    io::add_array(data, "UInt8", "kind", kind);
    io::add_array(data, "Float64", "thickness", thickness);
    io::add_array(data, "Float64", "offset", offset);
    io::add_array(data, "Int32", "sheet", sheet);
    io::add_array(data, "Int32", "member", member);
    io::add_array(data, "Int32", "body", body);
    io::add_array(data, "Int32", "section", section);
    io::add_array(data, "Float64", "scaled_jacobian", quality);
    io::add_array(data, "Float64", "section_offset", section_offset, 3);
    if (!mesh.ties.empty()) io::add_array(data, "Float64", "tie_weight", weight);
    write_text(file, io::text_of(doc));
}

std::string summary_json(const Job& job) {
    const Vec3& shift = job.solids.shift;
    Json j{{"format", "halvo-summary"}, {"version", 1}, {"stage", job.stage}, {"source", source_json(job.solids)}};
    const bool proved = !job.stage.empty() && stage_of(job.stage) >= Stage::prove;
    j["bodies"] = bodies_json(job.solids, job.survey, proved ? &job.proof : nullptr);
    // Bodies that were sewn or cut have no one body of the file behind them.
    std::map<std::pair<std::string, int>, double> read;
    for (const Body& b : solids_as_read(job).bodies) read[{b.path, b.number}] = b.mass.volume;
    for (std::size_t i = 0; i < job.solids.bodies.size(); ++i) {
        const Body& b = job.solids.bodies[i];
        if (const auto it = read.find({b.path, b.number}); it != read.end()) j["bodies"][i]["volume_read"] = it->second;
        j["bodies"][i]["faces"] = job.solids.bodies[i].faces.size();
    }
    j["features"] = features_json(job.strip.features, shift);
    j["sheets"] = sheets_json(job.model);
    j["members"] = members_json(job.model, shift);
    j["sections"] = sections_json(job.model);
    Json seam_list = Json::array();
    int n = 0;
    for (const Seam& s : seams(job.model)) {
        Json ids = Json::array();
        for (SheetId k : s.sheets) ids.push_back(k.value);
        seam_list.push_back({{"id", n++}, {"kind", kind_name(s.kind)}, {"sheets", ids}, {"length", job.model.length(s.edge)}});
    }
    j["seams"] = seam_list;
    j["joints"] = joints_json(job.model, shift);
    const Mesh& m = job.mesh;
    j["mesh"] = {{"nodes", m.nodes.size()},
                 {"quads", m.quads},
                 {"trias", m.trias},
                 {"lines", m.lines},
                 {"links", m.links},
                 {"ties", m.ties.size()},
                 {"parts", m.parts},
                 {"free_edge_length", m.free_edge_length},
                 {"quality",
                  {{"min_scaled_jacobian", m.quality.min_scaled_jacobian},
                   {"mean_scaled_jacobian", m.quality.mean_scaled_jacobian},
                   {"max_aspect", m.quality.max_aspect},
                   {"max_warpage", m.quality.max_warpage},
                   {"quad_share", m.quality.quad_share}}}};
    j["prove"] = proof_json(job);
    add_solution(j, job.solution, shift);
    Json findings = Json::array();
    for (const Finding& f : findings_of(job)) findings.push_back(finding_json(f, shift));
    j["findings"] = findings;
    Json timing = Json::object();
    for (const auto& [stage, seconds] : job.timing) timing[stage] = seconds;
    j["timing"] = timing;
    return j.dump(1) + "\n";
}

std::string survey_json(const Assembly& solids, const Survey& survey, const std::vector<Feature>& features) {
    Json findings = Json::array(), notes = Json::array(), left_out = Json::array(), bodies = bodies_json(solids, survey, nullptr);
    for (const Finding& f : survey.findings) (f.level == FindingLevel::note ? notes : findings).push_back(finding_json(f, solids.shift));
    for (const LeftOut& l : solids.left_out)
        left_out.push_back({{"number", l.number}, {"name", l.name}, {"path", l.path}, {"why", l.why}, {"size", {l.size.x(), l.size.y(), l.size.z()}}});
    for (std::size_t i = 0; i < survey.bodies.size(); ++i) add_survey(bodies[i], solids.bodies[i], survey.bodies[i], solids.shift);
    const Json j{{"format", "halvo-survey"},
                 {"version", 1},
                 {"source", source_json(solids)},
                 {"bodies", bodies},
                 {"left_out", left_out},
                 {"estimate", {{"size", survey.size}, {"solid_nodes", survey.solid_nodes}, {"model_nodes", survey.model_nodes}, {"rule", survey.rule}}},
                 {"features", features_json(features, solids.shift)},
                 {"findings", findings},
                 {"notes", notes}};
    return j.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

std::string ledger_csv(const Job& job) {
    std::string out = "id,stage,kind,state,value,body,about\n";
    for (const LedgerEntry& e : ledger_of(job))
        out += fmt::format("{},{},{},{},{:.9g},{},{}\n", csv_text(e.key), e.stage, entry_name(e), state_name(e.state), e.value, csv_text(e.body),
                           csv_text(e.about));
    return out;
}

}  // namespace halvo
