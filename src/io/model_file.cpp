// model.halvo: entities as rows anyone can query, geometry and arrays as blobs.
#include "io/body_blob.hpp"
#include "io/database.hpp"
#include "io/model_schema.hpp"
#include "io/solution_file.hpp"
#include "io/surface_blob.hpp"
#include "io/survey_blob.hpp"

#include <halvo/io.hpp>

#include <fmt/format.h>

#include <unistd.h>
#include <cmath>

namespace halvo {

namespace {

using io::application_id;
using io::BlobOut;
using io::Database;
using io::schema_version;
using io::Statement;

constexpr const char* schema = R"(
CREATE TABLE info(key TEXT PRIMARY KEY, value TEXT);
CREATE TABLE bodies(id INTEGER PRIMARY KEY, key TEXT, name TEXT, path TEXT, class TEXT, why TEXT, closed INTEGER, volume REAL, area REAL,
  thinnest REAL, thickest REAL, solid BLOB, number INTEGER, layer TEXT, survey BLOB);
CREATE TABLE bodies_before(stage TEXT, id INTEGER, key TEXT, name TEXT, path TEXT, layer TEXT, number INTEGER, volume REAL, solid BLOB, survey BLOB);
CREATE TABLE features(key TEXT, kind TEXT, state INTEGER, offered INTEGER, body INTEGER, faces BLOB, form TEXT, size REAL, volume REAL,
  x REAL, y REAL, z REAL, axis_x REAL, axis_y REAL, axis_z REAL, family INTEGER, alike INTEGER, pattern TEXT, bolt TEXT, why TEXT);
CREATE TABLE left_out(number INTEGER, name TEXT, path TEXT, why TEXT, x REAL, y REAL, z REAL);
CREATE TABLE notes(text TEXT);
CREATE TABLE halved(model BLOB);
CREATE TABLE vertices(id INTEGER PRIMARY KEY, x REAL, y REAL, z REAL);
CREATE TABLE edges(id INTEGER PRIMARY KEY, start INTEGER, end INTEGER, length REAL, curve BLOB, step INTEGER);
CREATE TABLE sheets(id INTEGER PRIMARY KEY, key TEXT, body INTEGER, area REAL, own_area REAL, trimmed_area REAL, thickness_min REAL,
  thickness_mean REAL, thickness_max REAL, offset REAL, chart BLOB, field BLOB, faces BLOB, own_outline BLOB, surface TEXT, deviation REAL, wall TEXT,
  reference INTEGER, placed INTEGER, growth REAL, ridge INTEGER);
CREATE TABLE regions(sheet INTEGER, area REAL, own_area REAL, loops BLOB, embedded BLOB, points BLOB);
CREATE TABLE sections(id INTEGER PRIMARY KEY, key TEXT, shape TEXT, area REAL, iyy REAL, izz REAL, iyz REAL, i1 REAL, i2 REAL,
  principal_angle REAL, j REAL, warping REAL, shear_y REAL, shear_z REAL, depth REAL, dimensions BLOB, profile BLOB,
  share_yy REAL, share_zz REAL, share_yz REAL, torsion_radius REAL);
CREATE TABLE members(id INTEGER PRIMARY KEY, key TEXT, body INTEGER, section INTEGER, own_length REAL, trimmed REAL, axes BLOB, chain BLOB,
  end_faces BLOB, offset_y REAL, offset_z REAL);
CREATE TABLE couplings(id INTEGER PRIMARY KEY, key TEXT, body INTEGER, centre INTEGER, volume REAL, edges BLOB, vertices BLOB, faces BLOB);
CREATE TABLE roots(body INTEGER, volume REAL, faces BLOB);
CREATE TABLE near(body_a INTEGER, body_b INTEGER, gap REAL, x REAL, y REAL, z REAL, key TEXT);
CREATE TABLE places(vertex INTEGER);
CREATE TABLE sets(name TEXT, sheets BLOB, members BLOB, edges BLOB, vertices BLOB);
CREATE TABLE links(a INTEGER, b INTEGER, joint INTEGER);
CREATE TABLE edge_links(a INTEGER, b INTEGER, reversed INTEGER, joint INTEGER);
CREATE TABLE shares(sheet INTEGER, body INTEGER, volume REAL);
CREATE TABLE ties(edges BLOB, onto INTEGER, joint INTEGER);
CREATE TABLE joints(id INTEGER PRIMARY KEY, key TEXT, kind TEXT, a TEXT, b TEXT, body_a INTEGER, body_b INTEGER, gap REAL, length REAL,
  moved REAL, state INTEGER, x REAL, y REAL, z REAL);
CREATE TABLE findings(key TEXT, kind TEXT, about TEXT, advice TEXT, size REAL, body TEXT, x REAL, y REAL, z REAL, product TEXT, level INTEGER,
  face INTEGER, body_key_a TEXT, body_key_b TEXT);
CREATE TABLE ledger(key TEXT, stage TEXT, kind TEXT, state INTEGER, about TEXT, value REAL, body TEXT, x REAL, y REAL, z REAL);
CREATE TABLE mesh(nodes BLOB, elements BLOB, quads INTEGER, trias INTEGER, lines INTEGER, links INTEGER, parts INTEGER,
  free_edge_length REAL, min_scaled_jacobian REAL, mean_scaled_jacobian REAL, max_aspect REAL, max_warpage REAL, quad_share REAL);
CREATE TABLE tied_nodes(node INTEGER, element INTEGER, w1 REAL, w2 REAL, w3 REAL, w4 REAL, arm_x REAL, arm_y REAL, arm_z REAL);
CREATE TABLE proof(body INTEGER PRIMARY KEY, solid REAL, idealized REAL, bridged REAL, error REAL, left_out REAL, filled REAL, meshed REAL, mesh_net REAL,
  mesh_error REAL);
CREATE TABLE uncovered(body INTEGER, area REAL, x REAL, y REAL, z REAL, facets BLOB);
CREATE TABLE contacts(a INTEGER, b INTEGER, gap REAL, joined INTEGER, x REAL, y REAL, z REAL);
)";

// Solids as they were before a stage.
void save_earlier(Database& db, const std::optional<Earlier>& earlier, const char* stage) {
    if (!earlier) return;
    Statement r(db, "INSERT INTO bodies_before VALUES(?,?,?,?,?,?,?,?,?,?)");
    for (std::size_t i = 0; i < earlier->solids.bodies.size(); ++i) {
        const Body& b = earlier->solids.bodies[i];
        r.bind(stage).bind(static_cast<int>(i + 1)).bind(b.key).bind(b.name).bind(b.path).bind(b.layer).bind(b.number).bind(b.mass.volume);
        r.blob(io::pack_finished(b)).blob(io::pack_survey(earlier->survey.bodies[i])).done();
    }
}

void save_solids(Database& db, const Job& job) {
    Statement s(db, "INSERT INTO bodies VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
    for (std::size_t i = 0; i < job.solids.bodies.size(); ++i) {
        const Body& b = job.solids.bodies[i];
        const BodySurvey v = i < job.survey.bodies.size() ? job.survey.bodies[i] : BodySurvey{};
        s.bind(static_cast<int>(i + 1)).bind(b.key).bind(b.name).bind(b.path).bind(class_name(v.kind)).bind(v.why).bind(b.closed ? 1 : 0);
        s.bind(b.mass.volume).bind(b.mass.area).bind(v.thinnest).bind(v.thickest).blob(io::pack_finished(b)).bind(b.number).bind(b.layer);
        s.blob(io::pack_survey(v)).done();
    }
    save_earlier(db, job.as_read, "mend"), save_earlier(db, job.before_strip, "strip");
    Statement l(db, "INSERT INTO left_out VALUES(?,?,?,?,?,?,?)"), n(db, "INSERT INTO notes VALUES(?)");
    for (const LeftOut& k : job.solids.left_out)
        l.bind(k.number).bind(k.name).bind(k.path).bind(k.why).bind(k.size.x()).bind(k.size.y()).bind(k.size.z()).done();
    for (const std::string& text : job.solids.notes) n.bind(text).done();
}

void save_features(Database& db, const StripRecord& strip) {
    Statement s(db, "INSERT INTO features VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
    for (const Feature& f : strip.features) {
        BlobOut faces;
        faces.put(f.faces);
        s.bind(f.key).bind(feature_name(f.kind)).bind(static_cast<int>(f.state)).bind(f.offered ? 1 : 0).bind(f.body.value + 1).blob(faces.bytes());
        s.bind(f.form).bind(f.size).bind(f.volume).bind(f.place.x()).bind(f.place.y()).bind(f.place.z());
        s.bind(f.axis.x()).bind(f.axis.y()).bind(f.axis.z()).bind(f.family).bind(f.alike).bind(f.pattern).bind(f.bolt).bind(f.why).done();
    }
}

void save_complex(Database& db, const Model& m) {
    Statement v(db, "INSERT INTO vertices VALUES(?,?,?,?)"), e(db, "INSERT INTO edges VALUES(?,?,?,?,?,?)");
    for (std::size_t i = 0; i < m.vertices.size(); ++i)
        v.bind(static_cast<int>(i)).bind(m.vertices[i].point.x()).bind(m.vertices[i].point.y()).bind(m.vertices[i].point.z()).done();
    for (std::size_t i = 0; i < m.edges.size(); ++i) {
        BlobOut curve;
        put_curve(curve, m.edges[i].curve);
        e.bind(static_cast<int>(i)).bind(m.edges[i].vertices[0].value).bind(m.edges[i].vertices[1].value).bind(m.edges[i].curve.length());
        e.blob(curve.bytes()).bind(static_cast<int>(m.edges[i].step)).done();
    }
}

void save_sheets(Database& db, const Model& m) {
    Statement s(db, "INSERT INTO sheets VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)"), r(db, "INSERT INTO regions VALUES(?,?,?,?,?,?)");
    for (std::size_t i = 0; i < m.sheets.size(); ++i) {
        const Sheet& k = m.sheets[i];
        BlobOut chart, field, faces, own;
        put_chart(chart, k.chart);
        field.put(k.field.constant.value_or(0)).put(static_cast<std::uint64_t>(k.field.pieces.size()));
        for (const ThicknessPiece& p : k.field.pieces) {
            put_surface(field, p.top.surface()), put_surface(field, p.bottom.surface());
            field.put(p.top_outline.loops()).put(p.bottom_outline.loops());
        }
        faces.put(k.top_faces).put(k.bottom_faces);
        own.put(k.own_outline);
        s.bind(static_cast<int>(i)).bind(k.key).bind(k.body.value + 1).bind(k.area()).bind(k.own_area()).bind(k.trimmed_area);
        s.bind(k.thickness.min).bind(k.thickness.mean).bind(k.thickness.max).bind(k.offset);
        s.blob(chart.bytes())
            .blob(field.bytes())
            .blob(faces.bytes())
            .blob(own.bytes())
            .bind(surface_name(k.chart.surface()))
            .bind(k.deviation)
            .bind(k.wall)
            .bind(static_cast<int>(k.reference))
            .bind(k.placed ? 1 : 0)
            .bind(k.growth)
            .bind(k.field.ridge ? 1 : 0)
            .done();
        for (const BodyShare& b : k.shares)
            Statement(db, "INSERT INTO shares VALUES(?,?,?)").bind(static_cast<int>(i)).bind(b.body.value + 1).bind(b.volume).done();
        for (const Region& g : k.regions) {
            BlobOut loops, embedded, points;
            loops.put(static_cast<std::uint64_t>(g.loops.size()));
            for (const auto& loop : g.loops) {
                loops.put(static_cast<std::uint64_t>(loop.size()));
                for (const EdgeUse& u : loop) loops.put(u.edge.value).put(static_cast<std::uint8_t>(u.reversed));
            }
            embedded.put(g.embedded), points.put(g.points);
            r.bind(static_cast<int>(i)).bind(g.area).bind(g.own_area).blob(loops.bytes()).blob(embedded.bytes()).blob(points.bytes()).done();
        }
    }
}

void save_members(Database& db, const Model& m) {
    Statement s(db, "INSERT INTO sections VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)"), k(db, "INSERT INTO members VALUES(?,?,?,?,?,?,?,?,?,?,?)");
    for (std::size_t i = 0; i < m.sections.size(); ++i) {
        const Section& c = m.sections[i];
        BlobOut dims, profile;
        dims.put(static_cast<std::uint64_t>(c.dimensions.size()));
        for (const auto& [name, value] : c.dimensions) dims.put(std::vector<char>(name.begin(), name.end())).put(value);
        profile.put(static_cast<std::uint64_t>(c.profile.size()));
        for (const auto& loop : c.profile) {
            profile.put(static_cast<std::uint64_t>(loop.size()));
            for (const Curve& q : loop) put_curve(profile, q);
        }
        s.bind(static_cast<int>(i)).bind(c.key).bind(c.shape).bind(c.area).bind(c.iyy).bind(c.izz).bind(c.iyz).bind(c.i1).bind(c.i2);
        s.bind(c.principal_angle).bind(c.j).bind(c.warping).bind(c.shear_centre.x()).bind(c.shear_centre.y()).bind(c.depth);
        s.blob(dims.bytes()).blob(profile.bytes());
        s.bind(c.shear_share(0, 0)).bind(c.shear_share(1, 1)).bind(c.shear_share(0, 1)).bind(c.torsion_radius).done();
    }
    for (std::size_t i = 0; i < m.members.size(); ++i) {
        const Member& c = m.members[i];
        BlobOut axes, chain, ends;
        put_axis(axes, c.axis);
        chain.put(static_cast<std::uint64_t>(c.chain.size()));
        for (const EdgeUse& u : c.chain) chain.put(u.edge.value).put(static_cast<std::uint8_t>(u.reversed));
        ends.put(c.end_faces[0]).put(c.end_faces[1]);
        k.bind(static_cast<int>(i)).bind(c.key).bind(c.body.value + 1).bind(c.section.value).bind(c.own_length()).bind(c.trimmed);
        k.blob(axes.bytes()).blob(chain.bytes()).blob(ends.bytes()).bind(c.offset.x()).bind(c.offset.y()).done();
    }
}

void save_joints(Database& db, const Model& m) {
    Statement l(db, "INSERT INTO links VALUES(?,?,?)"), el(db, "INSERT INTO edge_links VALUES(?,?,?,?)");
    for (const Link& k : m.links) l.bind(k.a.value).bind(k.b.value).bind(k.joint.value).done();
    for (const EdgeLink& k : m.edge_links) el.bind(k.a.value).bind(k.b.value).bind(k.reversed ? 1 : 0).bind(k.joint.value).done();
    Statement t(db, "INSERT INTO ties VALUES(?,?,?)");
    for (const Tie& k : m.ties) {
        BlobOut edges;
        std::vector<int> numbers;
        for (EdgeId e : k.edges) numbers.push_back(e.value);
        edges.put(numbers);
        t.blob(edges.bytes()).bind(k.onto.value).bind(k.joint.value).done();
    }
    Statement left(db, "INSERT INTO roots VALUES(?,?,?)");
    for (const RootMaterial& r : m.roots) {
        BlobOut faces;
        faces.put(r.faces);
        left.bind(r.body.value + 1).bind(r.volume).blob(faces.bytes()).done();
    }
    Statement c(db, "INSERT INTO couplings VALUES(?,?,?,?,?,?,?,?)"), n(db, "INSERT INTO near VALUES(?,?,?,?,?,?,?)");
    for (std::size_t i = 0; i < m.couplings.size(); ++i) {
        const Coupling& k = m.couplings[i];
        BlobOut edges, vertices, faces;
        edges.put(k.edges), vertices.put(k.vertices), faces.put(k.faces);
        c.bind(static_cast<int>(i))
            .bind(k.key)
            .bind(k.body.value + 1)
            .bind(k.centre.value)
            .bind(k.volume)
            .blob(edges.bytes())
            .blob(vertices.bytes())
            .blob(faces.bytes())
            .done();
    }
    for (const NearContact& k : m.near)
        n.bind(k.bodies[0].value + 1).bind(k.bodies[1].value + 1).bind(k.gap).bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).bind(k.key).done();
    for (VertexId v : m.places) Statement(db, "INSERT INTO places VALUES(?)").bind(v.value).done();
    Statement sets(db, "INSERT INTO sets VALUES(?,?,?,?,?)");
    for (const ModelSet& k : m.sets) {
        BlobOut sheets, members, edges, vertices;
        sheets.put(k.sheets), members.put(k.members), edges.put(k.edges), vertices.put(k.vertices);
        sets.bind(k.name).blob(sheets.bytes()).blob(members.bytes()).blob(edges.bytes()).blob(vertices.bytes()).done();
    }
    Statement j(db, "INSERT INTO joints VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
    for (std::size_t i = 0; i < m.joints.size(); ++i) {
        const JointRecord& k = m.joints[i];
        j.bind(static_cast<int>(i)).bind(k.key).bind(kind_name(k.kind)).bind(k.a).bind(k.b).bind(k.bodies[0].value + 1).bind(k.bodies[1].value + 1).bind(k.gap);
        j.bind(k.length).bind(k.moved).bind(static_cast<int>(k.state)).bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).done();
    }
}

// Each with the product that holds it.
void save_findings(Database& db, const Job& job) {
    Statement f(db, "INSERT INTO findings VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?)"), g(db, "INSERT INTO ledger VALUES(?,?,?,?,?,?,?,?,?,?)");
    const auto put = [&](const char* product, const std::vector<Finding>& list) {
        for (const Finding& k : list) {
            f.bind(k.key).bind(kind_name(k.kind)).bind(k.about).bind(k.advice).bind(k.size).bind(k.body).bind(k.place.x()).bind(k.place.y()).bind(k.place.z());
            f.bind(product).bind(static_cast<int>(k.level)).bind(k.face.value).bind(k.body_keys[0]).bind(k.body_keys[1]).done();
        }
    };
    if (job.as_read) put("survey before mend", job.as_read->survey.findings);
    if (job.before_strip) put("survey before strip", job.before_strip->survey.findings);
    put("survey", job.survey.findings), put("mend", job.mend.findings), put("strip", job.strip.findings), put("model", job.model.findings),
        put("mesh", job.mesh.findings), put("proof", job.proof.findings), put("solution", job.solution.findings);
    for (const LedgerEntry& k : ledger_of(job)) {
        g.bind(k.key).bind(k.stage).bind(entry_name(k)).bind(static_cast<int>(k.state)).bind(k.about).bind(k.value).bind(k.body);
        g.bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).done();
    }
}

void save_mesh_and_proof(Database& db, const Job& job) {
    const Mesh& m = job.mesh;
    BlobOut nodes, elements;
    nodes.put(m.nodes);
    elements.put(static_cast<std::uint64_t>(m.elements.size()));
    for (const Element& e : m.elements) {
        elements.put(e.nodes).put(e.count).put(static_cast<std::uint8_t>(e.kind)).put(e.sheet).put(e.member).put(e.body).put(e.section);
        elements.put(e.thickness).put(e.offset).put(e.quality).put(e.section_offset);
    }
    const MeshQuality& q = m.quality;
    Statement(db, "INSERT INTO mesh VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?)")
        .blob(nodes.bytes())
        .blob(elements.bytes())
        .bind(m.quads)
        .bind(m.trias)
        .bind(m.lines)
        .bind(m.links)
        .bind(m.parts)
        .bind(m.free_edge_length)
        .bind(q.min_scaled_jacobian)
        .bind(q.mean_scaled_jacobian)
        .bind(q.max_aspect)
        .bind(q.max_warpage)
        .bind(q.quad_share)
        .done();
    Statement t(db, "INSERT INTO tied_nodes VALUES(?,?,?,?,?,?,?,?,?)");
    for (const TiedNode& k : m.ties) {
        t.bind(k.node).bind(k.element);
        for (double w : k.weights) t.bind(w);
        t.bind(k.arm.x()).bind(k.arm.y()).bind(k.arm.z()).done();
    }
    Statement p(db, "INSERT INTO proof VALUES(?,?,?,?,?,?,?,?,?,?)"), c(db, "INSERT INTO contacts VALUES(?,?,?,?,?,?,?)");
    for (std::size_t i = 0; i < job.proof.bodies.size(); ++i) {
        const BodyProof& b = job.proof.bodies[i];
        p.bind(static_cast<int>(i + 1)).bind(b.solid).bind(b.idealized).bind(b.bridged).bind(b.error).bind(b.left_out).bind(b.filled);
        p.bind(b.meshed).bind(b.mesh_net).bind(b.mesh_error).done();
    }
    Statement u(db, "INSERT INTO uncovered VALUES(?,?,?,?,?,?)");
    for (const UncoveredPatch& k : job.proof.uncovered) {
        BlobOut facets;
        facets.put(k.facets);
        u.bind(k.body.value + 1).bind(k.area).bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).blob(facets.bytes()).done();
    }
    for (const ContactProof& k : job.proof.contacts)
        c.bind(k.a.value + 1).bind(k.b.value + 1).bind(k.gap).bind(k.joined ? 1 : 0).bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).done();
}

void save_info(Database& db, const Job& job) {
    Statement s(db, "INSERT INTO info VALUES(?,?)");
    const Proof& p = job.proof;
    const auto put = [&](const char* key, const std::string& value) { s.bind(key).bind(value).done(); };
    const auto real = [&](const char* key, double v) { put(key, fmt::format("{:.17g}", v)); };
    put("stage", job.stage), real("precision", job.solids.precision);
    put("format", job.solids.format), put("unit_stated", job.solids.unit_stated ? "1" : "0"), put("source_options", job.solids.asked);
    real("reach", job.plan.join.reach), real("survey_size", job.survey.size), put("survey_rule", job.survey.rule);
    real("survey_solid_nodes", job.survey.solid_nodes), real("survey_model_nodes", job.survey.model_nodes);
    put("plan_file", job.plan.file), put("plan_text", job.plan.text);
    for (std::size_t i = 0; i < job.plan.set.size(); ++i) put(fmt::format("plan_set_{}", i).c_str(), job.plan.set[i]);
    put("file", job.solids.file), put("source", job.plan.source.file), put("sha256", job.solids.sha256), put("unit", job.solids.unit);
    real("shift_x", job.solids.shift.x()), real("shift_y", job.solids.shift.y()), real("shift_z", job.solids.shift.z());
    real("tolerance_point", job.solids.tolerance.point), real("tolerance_angle", job.solids.tolerance.angle),
        real("tolerance_chord", job.solids.tolerance.chord);
    real("volume_error", p.volume_error), real("mass_error", p.mass_error), real("centroid_error", p.centroid_error), real("coverage", p.coverage),
        real("thickness_error", p.thickness_error);
    for (const auto& [name, k] : {std::pair("thickness", &p.thickness), std::pair("deviation", &p.deviation)}) {
        const auto field = [&, of = name](const char* what, double v) { real(fmt::format("{}_{}", of, what).c_str(), v); };
        field("mean", k->mean), field("high", k->high), field("worst", k->worst), field("x", k->place.x()), field("y", k->place.y()), field("z", k->place.z());
        field("count", k->count);
    }
    put("parts", std::to_string(p.parts)), put("rigid_body_modes", std::to_string(p.rigid_body_modes)), put("mechanisms", std::to_string(p.mechanisms)),
        put("within_bounds", p.within_bounds ? "1" : "0");
    for (std::size_t i = 0; i < p.outside.size(); ++i) put(fmt::format("outside_{}", i).c_str(), p.outside[i]);
}

void save_model(Database& db, const Model& model) {
    save_complex(db, model);
    save_sheets(db, model);
    save_members(db, model);
    save_joints(db, model);
}

// The model as halve left it, in the same tables, as a database within: where a later run of join starts.
void save_halved(Database& db, const Model& halved) {
    Database inner{std::string()};
    inner.run("BEGIN;");
    inner.run(schema);
    save_model(inner, halved);
    Job only;
    only.model.findings = halved.findings, only.model.ledger = halved.ledger;
    save_findings(inner, only);
    inner.run("COMMIT");
    Statement(db, "INSERT INTO halved VALUES(?)").blob(inner.bytes()).done();
}

}  // namespace

void write_model(const std::filesystem::path& file, const Job& job) {
    const std::filesystem::path part = file.string() + fmt::format(".part{}", ::getpid());
    std::error_code ec;
    std::filesystem::remove(part, ec);
    try {
        Database db(part, Database::Mode::create);
        db.run(fmt::format("PRAGMA journal_mode=OFF; PRAGMA synchronous=OFF; PRAGMA application_id={}; PRAGMA user_version={}; BEGIN;", application_id,
                           schema_version));
        db.run(schema), db.run(io::solution_schema);
        save_info(db, job);
        save_solids(db, job);
        save_features(db, job.strip);
        save_model(db, job.model);
        save_halved(db, job.halved);
        save_mesh_and_proof(db, job);
        save_findings(db, job);
        io::save_solution(db, job.solution);
        db.run("COMMIT");
    } catch (...) {
        std::filesystem::remove(part, ec);
        throw;
    }
    std::filesystem::rename(part, file, ec);
    if (ec) {
        std::filesystem::remove(part, ec);
        throw Error(ErrorKind::input, file.string() + ": cannot be written; check the folder and its permissions");
    }
}

}  // namespace halvo
