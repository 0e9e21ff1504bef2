// model.halvo: entities as rows anyone can query, geometry and arrays as blobs.
#include "io/database.hpp"
#include "io/surface_blob.hpp"

#include <halvo/io.hpp>

#include <fmt/format.h>

#include <unistd.h>
#include <cmath>

namespace halvo {
namespace {

using io::BlobIn;
using io::BlobOut;
using io::Database;
using io::Statement;

constexpr int application_id = 0x484C564F;  // "HLVO"
// 1: sheets were planes; 2: all sheets at the middle, members without offsets, no couplings; 3: members straight, no ties
constexpr int schema_version = 4;

constexpr const char* schema = R"(
CREATE TABLE info(key TEXT PRIMARY KEY, value TEXT);
CREATE TABLE bodies(id INTEGER PRIMARY KEY, key TEXT, name TEXT, path TEXT, class TEXT, why TEXT, closed INTEGER, volume REAL, area REAL,
  thinnest REAL, thickest REAL, geometry BLOB);
CREATE TABLE vertices(id INTEGER PRIMARY KEY, x REAL, y REAL, z REAL);
CREATE TABLE edges(id INTEGER PRIMARY KEY, start INTEGER, end INTEGER, length REAL, curve BLOB, step INTEGER);
CREATE TABLE sheets(id INTEGER PRIMARY KEY, key TEXT, body INTEGER, area REAL, own_area REAL, trimmed_area REAL, thickness_min REAL,
  thickness_mean REAL, thickness_max REAL, offset REAL, chart BLOB, field BLOB, faces BLOB, own_outline BLOB, surface TEXT, deviation REAL, wall TEXT,
  reference INTEGER, placed INTEGER, growth REAL);
CREATE TABLE regions(sheet INTEGER, area REAL, own_area REAL, loops BLOB, embedded BLOB, points BLOB);
CREATE TABLE sections(id INTEGER PRIMARY KEY, key TEXT, shape TEXT, area REAL, iyy REAL, izz REAL, iyz REAL, i1 REAL, i2 REAL,
  principal_angle REAL, j REAL, warping REAL, shear_y REAL, shear_z REAL, depth REAL, dimensions BLOB, profile BLOB);
CREATE TABLE members(id INTEGER PRIMARY KEY, key TEXT, body INTEGER, section INTEGER, own_length REAL, trimmed REAL, axes BLOB, chain BLOB,
  end_faces BLOB, offset_y REAL, offset_z REAL);
CREATE TABLE couplings(id INTEGER PRIMARY KEY, key TEXT, body INTEGER, centre INTEGER, volume REAL, edges BLOB, vertices BLOB, faces BLOB);
CREATE TABLE near(body_a INTEGER, body_b INTEGER, gap REAL, x REAL, y REAL, z REAL);
CREATE TABLE links(a INTEGER, b INTEGER, joint INTEGER);
CREATE TABLE edge_links(a INTEGER, b INTEGER, reversed INTEGER, joint INTEGER);
CREATE TABLE ties(edges BLOB, onto INTEGER, joint INTEGER);
CREATE TABLE joints(id INTEGER PRIMARY KEY, key TEXT, kind TEXT, a TEXT, b TEXT, body_a INTEGER, body_b INTEGER, gap REAL, length REAL,
  moved REAL, state INTEGER, x REAL, y REAL, z REAL);
CREATE TABLE findings(key TEXT, kind TEXT, about TEXT, advice TEXT, size REAL, body TEXT, x REAL, y REAL, z REAL);
CREATE TABLE ledger(key TEXT, stage TEXT, kind TEXT, state INTEGER, about TEXT, value REAL, body TEXT, x REAL, y REAL, z REAL);
CREATE TABLE mesh(nodes BLOB, elements BLOB, quads INTEGER, trias INTEGER, lines INTEGER, links INTEGER, parts INTEGER,
  free_edge_length REAL, min_scaled_jacobian REAL, mean_scaled_jacobian REAL, max_aspect REAL, max_warpage REAL, quad_share REAL);
CREATE TABLE tied_nodes(node INTEGER, element INTEGER, w1 REAL, w2 REAL, w3 REAL, w4 REAL, arm_x REAL, arm_y REAL, arm_z REAL);
CREATE TABLE proof(body INTEGER PRIMARY KEY, solid REAL, idealized REAL, bridged REAL, error REAL);
CREATE TABLE uncovered(body INTEGER, area REAL, x REAL, y REAL, z REAL, facets BLOB);
CREATE TABLE contacts(a INTEGER, b INTEGER, gap REAL, joined INTEGER, x REAL, y REAL, z REAL);
)";

std::string geometry_of(const Body& b) {
    BlobOut o;
    o.put(b.points);
    o.put(static_cast<std::uint64_t>(b.facets.size()));
    for (const Facet& f : b.facets) o.put(f.corners[0]).put(f.corners[1]).put(f.corners[2]).put(f.face);
    std::uint64_t n = 0;
    for (const BodyEdge& e : b.edges) n += e.degenerate ? 0 : 1;
    o.put(n);
    for (const BodyEdge& e : b.edges)
        if (!e.degenerate) put_curve(o, e.curve);
    o.put(b.mass.centre).put(b.colour[0]).put(b.colour[1]).put(b.colour[2]);
    return o.bytes();
}

void set_geometry(Body& b, std::string bytes) {
    BlobIn i(std::move(bytes));
    b.points = i.get<std::vector<Vec3>>();
    const auto n = i.get<std::uint64_t>();
    for (std::uint64_t k = 0; k < n; ++k) {
        Facet f;
        for (int& c : f.corners) c = i.get<std::int32_t>();
        f.face = i.get<std::int32_t>();
        b.facets.push_back(f);
    }
    const auto edges = i.get<std::uint64_t>();
    for (std::uint64_t k = 0; k < edges; ++k) b.edges.push_back({get_curve(i), {-1, -1}, false});
    b.mass.centre = i.get<Vec3>();
    for (double& c : b.colour) c = i.get<double>();
    for (const Vec3& p : b.points) b.box.extend(p);
}

void save_solids(Database& db, const Job& job) {
    Statement s(db, "INSERT INTO bodies VALUES(?,?,?,?,?,?,?,?,?,?,?,?)");
    for (std::size_t i = 0; i < job.solids.bodies.size(); ++i) {
        const Body& b = job.solids.bodies[i];
        const BodySurvey v = i < job.survey.bodies.size() ? job.survey.bodies[i] : BodySurvey{};
        s.bind(static_cast<int>(i + 1)).bind(b.key).bind(b.name).bind(b.path).bind(class_name(v.kind)).bind(v.why).bind(b.closed ? 1 : 0);
        s.bind(b.mass.volume).bind(b.mass.area).bind(v.thinnest).bind(v.thickest).blob(geometry_of(b)).done();
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
    Statement s(db, "INSERT INTO sheets VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)"), r(db, "INSERT INTO regions VALUES(?,?,?,?,?,?)");
    for (std::size_t i = 0; i < m.sheets.size(); ++i) {
        const Sheet& k = m.sheets[i];
        BlobOut chart, field, faces, own;
        put_chart(chart, k.chart);
        field.put(k.field.constant).put(static_cast<std::uint64_t>(k.field.pieces.size()));
        for (const ThicknessPiece& p : k.field.pieces) {
            put_surface(field, p.top.surface()), put_surface(field, p.bottom.surface());
            field.put(p.top_outline).put(p.bottom_outline);
        }
        faces.put(k.top_faces).put(k.bottom_faces);
        own.put(k.own_outline);
        s.bind(static_cast<int>(i)).bind(k.key).bind(k.body + 1).bind(k.area()).bind(k.own_area()).bind(k.trimmed_area);
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
            .done();
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
    Statement s(db, "INSERT INTO sections VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)"), k(db, "INSERT INTO members VALUES(?,?,?,?,?,?,?,?,?,?,?)");
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
        s.blob(dims.bytes()).blob(profile.bytes()).done();
    }
    for (std::size_t i = 0; i < m.members.size(); ++i) {
        const Member& c = m.members[i];
        BlobOut axes, chain, ends;
        put_axis(axes, c.axis);
        chain.put(static_cast<std::uint64_t>(c.chain.size()));
        for (const EdgeUse& u : c.chain) chain.put(u.edge.value).put(static_cast<std::uint8_t>(u.reversed));
        ends.put(c.end_faces[0]).put(c.end_faces[1]);
        k.bind(static_cast<int>(i)).bind(c.key).bind(c.body + 1).bind(c.section.value).bind(c.own_length()).bind(c.trimmed);
        k.blob(axes.bytes()).blob(chain.bytes()).blob(ends.bytes()).bind(c.offset.x()).bind(c.offset.y()).done();
    }
}

void save_joints(Database& db, const Model& m) {
    Statement l(db, "INSERT INTO links VALUES(?,?,?)"), el(db, "INSERT INTO edge_links VALUES(?,?,?,?)");
    for (const Link& k : m.links) l.bind(k.a.value).bind(k.b.value).bind(k.joint).done();
    for (const EdgeLink& k : m.edge_links) el.bind(k.a.value).bind(k.b.value).bind(k.reversed ? 1 : 0).bind(k.joint).done();
    Statement t(db, "INSERT INTO ties VALUES(?,?,?)");
    for (const Tie& k : m.ties) {
        BlobOut edges;
        std::vector<int> numbers;
        for (EdgeId e : k.edges) numbers.push_back(e.value);
        edges.put(numbers);
        t.blob(edges.bytes()).bind(k.onto.value).bind(k.joint).done();
    }
    Statement c(db, "INSERT INTO couplings VALUES(?,?,?,?,?,?,?,?)"), n(db, "INSERT INTO near VALUES(?,?,?,?,?,?)");
    for (std::size_t i = 0; i < m.couplings.size(); ++i) {
        const Coupling& k = m.couplings[i];
        BlobOut edges, vertices, faces;
        edges.put(k.edges), vertices.put(k.vertices), faces.put(k.faces);
        c.bind(static_cast<int>(i))
            .bind(k.key)
            .bind(k.body + 1)
            .bind(k.centre.value)
            .bind(k.volume)
            .blob(edges.bytes())
            .blob(vertices.bytes())
            .blob(faces.bytes())
            .done();
    }
    for (const NearContact& k : m.near) n.bind(k.bodies[0] + 1).bind(k.bodies[1] + 1).bind(k.gap).bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).done();
    Statement j(db, "INSERT INTO joints VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?)");
    for (std::size_t i = 0; i < m.joints.size(); ++i) {
        const JointRecord& k = m.joints[i];
        j.bind(static_cast<int>(i)).bind(k.key).bind(k.kind).bind(k.a).bind(k.b).bind(k.bodies[0] + 1).bind(k.bodies[1] + 1).bind(k.gap);
        j.bind(k.length).bind(k.moved).bind(static_cast<int>(k.state)).bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).done();
    }
    Statement f(db, "INSERT INTO findings VALUES(?,?,?,?,?,?,?,?,?)"), g(db, "INSERT INTO ledger VALUES(?,?,?,?,?,?,?,?,?,?)");
    for (const Finding& k : m.findings)
        f.bind(k.key).bind(k.kind).bind(k.about).bind(k.advice).bind(k.size).bind(k.body).bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).done();
    for (const LedgerEntry& k : m.ledger)
        g.bind(k.key)
            .bind(k.stage)
            .bind(k.kind)
            .bind(static_cast<int>(k.state))
            .bind(k.about)
            .bind(k.value)
            .bind(k.body)
            .bind(k.place.x())
            .bind(k.place.y())
            .bind(k.place.z())
            .done();
}

void save_mesh_and_proof(Database& db, const Job& job) {
    const Mesh& m = job.mesh;
    BlobOut nodes, elements;
    nodes.put(m.nodes);
    elements.put(static_cast<std::uint64_t>(m.elements.size()));
    for (const Element& e : m.elements) {
        elements.put(e.nodes).put(e.count).put(static_cast<std::uint8_t>(e.kind)).put(e.sheet).put(e.member).put(e.body).put(e.section);
        elements.put(e.thickness).put(e.offset).put(e.quality);
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
    Statement p(db, "INSERT INTO proof VALUES(?,?,?,?,?)"), c(db, "INSERT INTO contacts VALUES(?,?,?,?,?,?,?)");
    for (std::size_t i = 0; i < job.proof.bodies.size(); ++i) {
        const BodyProof& b = job.proof.bodies[i];
        p.bind(static_cast<int>(i + 1)).bind(b.solid).bind(b.idealized).bind(b.bridged).bind(b.error).done();
    }
    Statement u(db, "INSERT INTO uncovered VALUES(?,?,?,?,?,?)");
    for (const UncoveredPatch& k : job.proof.uncovered) {
        BlobOut facets;
        facets.put(k.facets);
        u.bind(k.body + 1).bind(k.area).bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).blob(facets.bytes()).done();
    }
    for (const ContactProof& k : job.proof.contacts)
        c.bind(k.a + 1).bind(k.b + 1).bind(k.gap).bind(k.joined ? 1 : 0).bind(k.place.x()).bind(k.place.y()).bind(k.place.z()).done();
}

void save_info(Database& db, const Job& job) {
    Statement s(db, "INSERT INTO info VALUES(?,?)");
    const Proof& p = job.proof;
    const auto put = [&](const char* key, const std::string& value) { s.bind(key).bind(value).done(); };
    const auto real = [&](const char* key, double v) { put(key, fmt::format("{:.17g}", v)); };
    put("stage", job.stage);
    put("file", job.solids.file), put("source", job.plan.source.file), put("sha256", job.solids.sha256), put("unit", job.solids.unit);
    real("shift_x", job.solids.shift.x()), real("shift_y", job.solids.shift.y()), real("shift_z", job.solids.shift.z());
    real("tolerance_point", job.solids.tolerance.point), real("tolerance_angle", job.solids.tolerance.angle),
        real("tolerance_chord", job.solids.tolerance.chord);
    real("volume_error", p.volume_error), real("centroid_error", p.centroid_error), real("coverage", p.coverage), real("thickness_error", p.thickness_error);
    for (const auto& [name, k] : {std::pair("thickness", &p.thickness), std::pair("deviation", &p.deviation)}) {
        const auto field = [&](const char* what, double v) { real(fmt::format("{}_{}", name, what).c_str(), v); };
        field("mean", k->mean), field("high", k->high), field("worst", k->worst), field("x", k->place.x()), field("y", k->place.y()), field("z", k->place.z());
        field("count", k->count);
    }
    put("parts", std::to_string(p.parts)), put("within_bounds", p.within_bounds ? "1" : "0");
    for (std::size_t i = 0; i < p.outside.size(); ++i) put(fmt::format("outside_{}", i).c_str(), p.outside[i]);
}

void load_solids(Database& db, Job& job) {
    Statement s(db, "SELECT key,name,path,class,why,closed,volume,area,thinnest,thickest,geometry FROM bodies ORDER BY id");
    while (s.step()) {
        Body b;
        BodySurvey v;
        b.key = s.text(), b.name = s.text(), b.path = s.text();
        const std::string kind = s.text();
        for (BodyClass c : {BodyClass::thin, BodyClass::slender, BodyClass::bulk, BodyClass::mixed, BodyClass::open})
            if (kind == class_name(c)) v.kind = c;
        v.why = s.text(), b.closed = s.integer() != 0, b.mass.volume = s.real(), b.mass.area = s.real(), v.thinnest = s.real(), v.thickest = s.real();
        set_geometry(b, s.text());
        job.solids.box.extend(b.box);
        job.solids.bodies.push_back(std::move(b));
        job.survey.bodies.push_back(std::move(v));
    }
}

void load_complex(Database& db, Model& m, int version) {
    Statement v(db, "SELECT x,y,z FROM vertices ORDER BY id"),
        e(db, fmt::format("SELECT start,end,curve{} FROM edges ORDER BY id", version >= 2 ? ",step" : ""));
    while (v.step()) {
        Vertex k;
        k.point.x() = v.real(), k.point.y() = v.real(), k.point.z() = v.real();
        m.vertices.push_back(k);
    }
    while (e.step()) {
        Edge k;
        k.vertices[0] = VertexId(e.number()), k.vertices[1] = VertexId(e.number());
        BlobIn curve(e.text());
        k.curve = get_curve(curve);
        if (version >= 2) k.step = e.number() != 0;
        m.edges.push_back(std::move(k));
    }
}

ThicknessPiece get_piece(BlobIn& in, int version) {
    ThicknessPiece p;
    if (version >= 2) {
        p.top = BaseSurface(get_surface(in)), p.bottom = BaseSurface(get_surface(in));
    } else {
        for (BaseSurface* side : {&p.top, &p.bottom}) {
            const Vec3 n = in.get<Vec3>();
            *side = BaseSurface(PlaneSurface{Frame::with_z(in.get<double>() * n, n)});
        }
    }
    p.top_outline = in.get<std::vector<std::vector<Vec2>>>(), p.bottom_outline = in.get<std::vector<std::vector<Vec2>>>();
    return p;
}

void load_sheets(Database& db, Model& m, int version) {
    Statement s(
        db,
        fmt::format("SELECT key,body,trimmed_area,thickness_min,thickness_mean,thickness_max,offset,chart,field,faces,own_outline{} FROM sheets ORDER BY id",
                    version >= 3   ? ",deviation,wall,reference,placed,growth"
                    : version >= 2 ? ",deviation,wall"
                                   : ""));
    while (s.step()) {
        Sheet k;
        k.key = s.text(), k.body = s.number() - 1, k.trimmed_area = s.real();
        k.thickness.min = s.real(), k.thickness.mean = s.real(), k.thickness.max = s.real(), k.offset = s.real();
        BlobIn chart(s.text()), field(s.text()), faces(s.text()), own(s.text());
        if (version >= 2) k.deviation = s.real(), k.wall = s.text();
        if (version >= 3) k.reference = static_cast<Reference>(s.integer()), k.placed = s.integer() != 0, k.growth = s.real();
        k.chart = version >= 2 ? get_chart(chart) : Chart(get_frame(chart));
        if (version >= 2) k.field.constant = field.get<double>();
        const auto n = field.get<std::uint64_t>();
        for (std::uint64_t i = 0; i < n; ++i) k.field.pieces.push_back(get_piece(field, version));
        k.top_faces = faces.get<std::vector<int>>(), k.bottom_faces = faces.get<std::vector<int>>();
        k.own_outline = own.get<std::vector<std::vector<Vec2>>>();
        m.sheets.push_back(std::move(k));
    }
    Statement r(db, "SELECT sheet,area,own_area,loops,embedded,points FROM regions ORDER BY rowid");
    while (r.step()) {
        const auto sheet = static_cast<std::size_t>(r.integer());
        Region g;
        g.area = r.real(), g.own_area = r.real();
        BlobIn loops(r.text()), embedded(r.text()), points(r.text());
        const auto n = loops.get<std::uint64_t>();
        for (std::uint64_t i = 0; i < n; ++i) {
            auto& loop = g.loops.emplace_back();
            const auto count = loops.get<std::uint64_t>();
            for (std::uint64_t j = 0; j < count; ++j) {
                const EdgeId edge(loops.get<std::int32_t>());
                loop.push_back({edge, loops.get<std::uint8_t>() != 0});
            }
        }
        g.embedded = embedded.get<std::vector<EdgeId>>(), g.points = points.get<std::vector<VertexId>>();
        if (sheet < m.sheets.size()) m.sheets[sheet].regions.push_back(std::move(g));
    }
}

void load_members(Database& db, Model& m, int version) {
    Statement s(db, "SELECT key,shape,area,iyy,izz,iyz,i1,i2,principal_angle,j,warping,shear_y,shear_z,depth,dimensions,profile FROM sections ORDER BY id");
    while (s.step()) {
        Section c;
        c.key = s.text(), c.shape = s.text(), c.area = s.real(), c.iyy = s.real(), c.izz = s.real(), c.iyz = s.real(), c.i1 = s.real(), c.i2 = s.real();
        c.principal_angle = s.real(), c.j = s.real(), c.warping = s.real(), c.shear_centre.x() = s.real(), c.shear_centre.y() = s.real(), c.depth = s.real();
        BlobIn dims(s.text()), profile(s.text());
        const auto n = dims.get<std::uint64_t>();
        for (std::uint64_t i = 0; i < n; ++i) {
            const auto name = dims.get<std::vector<char>>();
            c.dimensions.emplace_back(std::string(name.begin(), name.end()), dims.get<double>());
        }
        const auto loops = profile.get<std::uint64_t>();
        for (std::uint64_t i = 0; i < loops; ++i) {
            auto& loop = c.profile.emplace_back();
            const auto count = profile.get<std::uint64_t>();
            for (std::uint64_t j = 0; j < count; ++j) loop.push_back(get_curve(profile));
        }
        m.sections.push_back(std::move(c));
    }
    Statement k(db, fmt::format("SELECT key,body,section,own_length,trimmed,axes,chain,end_faces{} FROM members ORDER BY id",
                                version >= 3 ? ",offset_y,offset_z" : ""));
    while (k.step()) {
        Member c;
        c.key = k.text(), c.body = k.number() - 1, c.section = SectionId(k.number());
        const double own_length = k.real();
        c.trimmed = k.real();
        BlobIn axes(k.text()), chain(k.text()), ends(k.text());
        if (version >= 3) c.offset.x() = k.real(), c.offset.y() = k.real();
        c.axis = version >= 4 ? get_axis(axes) : Axis::straight(get_frame(axes), own_length);
        const auto n = chain.get<std::uint64_t>();
        for (std::uint64_t i = 0; i < n; ++i) {
            const EdgeId edge(chain.get<std::int32_t>());
            c.chain.push_back({edge, chain.get<std::uint8_t>() != 0});
        }
        if (version < 4) ends.get<Vec3>(), ends.get<Vec3>();  // both ends of the line
        for (auto& list : c.end_faces) list = ends.get<std::vector<int>>();
        m.members.push_back(std::move(c));
    }
}

void load_couplings(Database& db, Model& m) {
    Statement c(db, "SELECT key,body,centre,volume,edges,vertices,faces FROM couplings ORDER BY id"),
        n(db, "SELECT body_a,body_b,gap,x,y,z FROM near ORDER BY rowid");
    while (c.step()) {
        Coupling k;
        k.key = c.text(), k.body = c.number() - 1, k.centre = VertexId(c.number()), k.volume = c.real();
        BlobIn edges(c.text()), vertices(c.text()), faces(c.text());
        k.edges = edges.get<std::vector<EdgeId>>(), k.vertices = vertices.get<std::vector<VertexId>>(), k.faces = faces.get<std::vector<int>>();
        m.couplings.push_back(std::move(k));
    }
    while (n.step()) {
        NearContact k;
        k.bodies[0] = n.number() - 1, k.bodies[1] = n.number() - 1, k.gap = n.real();
        k.place.x() = n.real(), k.place.y() = n.real(), k.place.z() = n.real();
        m.near.push_back(k);
    }
}

void load_joints(Database& db, Model& m) {
    Statement l(db, "SELECT a,b,joint FROM links ORDER BY rowid"), el(db, "SELECT a,b,reversed,joint FROM edge_links ORDER BY rowid");
    while (l.step()) {
        const VertexId a(l.number()), b(l.number());
        m.links.push_back({a, b, l.number()});
    }
    while (el.step()) {
        const EdgeId a(el.number()), b(el.number());
        const bool reversed = el.integer() != 0;
        m.edge_links.push_back({a, b, reversed, el.number()});
    }
    const auto place = [](Statement& s) {
        Vec3 p;
        p.x() = s.real(), p.y() = s.real(), p.z() = s.real();
        return p;
    };
    Statement j(db, "SELECT key,kind,a,b,body_a,body_b,gap,length,moved,state,x,y,z FROM joints ORDER BY id");
    while (j.step()) {
        JointRecord k;
        k.key = j.text(), k.kind = j.text(), k.a = j.text(), k.b = j.text();
        k.bodies[0] = j.number() - 1, k.bodies[1] = j.number() - 1;
        k.gap = j.real(), k.length = j.real(), k.moved = j.real(), k.state = static_cast<EntryState>(j.integer()), k.place = place(j);
        m.joints.push_back(std::move(k));
    }
    Statement f(db, "SELECT key,kind,about,advice,size,body,x,y,z FROM findings ORDER BY rowid");
    while (f.step()) {
        Finding k;
        k.key = f.text(), k.kind = f.text(), k.about = f.text(), k.advice = f.text(), k.size = f.real(), k.body = f.text(), k.place = place(f);
        m.findings.push_back(std::move(k));
    }
    Statement g(db, "SELECT key,stage,kind,state,about,value,body,x,y,z FROM ledger ORDER BY rowid");
    while (g.step()) {
        LedgerEntry k;
        k.key = g.text(), k.stage = g.text(), k.kind = g.text(), k.state = static_cast<EntryState>(g.integer()), k.about = g.text();
        k.value = g.real(), k.body = g.text(), k.place = place(g);
        m.ledger.push_back(std::move(k));
    }
}

void load_ties(Database& db, Job& job) {
    Statement t(db, "SELECT edges,onto,joint FROM ties ORDER BY rowid"),
        n(db, "SELECT node,element,w1,w2,w3,w4,arm_x,arm_y,arm_z FROM tied_nodes ORDER BY rowid");
    while (t.step()) {
        Tie k;
        BlobIn edges(t.text());
        for (int e : edges.get<std::vector<int>>()) k.edges.emplace_back(e);
        k.onto = SheetId(t.number()), k.joint = t.number();
        job.model.ties.push_back(std::move(k));
    }
    while (n.step()) {
        TiedNode k;
        k.node = n.number(), k.element = n.number();
        for (double& w : k.weights) w = n.real();
        k.arm.x() = n.real(), k.arm.y() = n.real(), k.arm.z() = n.real();
        job.mesh.ties.push_back(k);
    }
}

void load_mesh_and_proof(Database& db, Job& job, int version) {
    Statement s(db,
                "SELECT nodes,elements,quads,trias,lines,links,parts,free_edge_length,min_scaled_jacobian,mean_scaled_jacobian,max_aspect,max_warpage,"
                "quad_share FROM mesh");
    if (s.step()) {
        Mesh& m = job.mesh;
        BlobIn nodes(s.text()), elements(s.text());
        m.nodes = nodes.get<std::vector<Vec3>>();
        const auto count = elements.get<std::uint64_t>();
        for (std::uint64_t i = 0; i < count; ++i) {
            Element e;
            e.nodes = elements.get<std::array<std::int32_t, 4>>(), e.count = elements.get<std::uint8_t>();
            e.kind = static_cast<ElementKind>(elements.get<std::uint8_t>());
            for (std::int32_t* v : {&e.sheet, &e.member, &e.body, &e.section}) *v = elements.get<std::int32_t>();
            for (double* v : {&e.thickness, &e.offset, &e.quality}) *v = elements.get<double>();
            m.elements.push_back(e);
        }
        m.quads = s.number(), m.trias = s.number(), m.lines = s.number(), m.links = s.number(), m.parts = s.number(), m.free_edge_length = s.real();
        m.quality.min_scaled_jacobian = s.real(), m.quality.mean_scaled_jacobian = s.real(), m.quality.max_aspect = s.real();
        m.quality.max_warpage = s.real(), m.quality.quad_share = s.real();
    }
    Statement p(db, "SELECT solid,idealized,bridged,error FROM proof ORDER BY body"), c(db, "SELECT a,b,gap,joined,x,y,z FROM contacts ORDER BY rowid");
    while (p.step()) {
        BodyProof b;
        b.solid = p.real(), b.idealized = p.real(), b.bridged = p.real(), b.error = p.real();
        if (std::abs(b.error) > std::abs(job.proof.worst_body_error))
            job.proof.worst_body_error = b.error, job.proof.worst_body = static_cast<int>(job.proof.bodies.size());
        job.proof.bodies.push_back(b);
    }
    if (version >= 2) {
        Statement u(db, "SELECT body,area,x,y,z,facets FROM uncovered ORDER BY rowid");
        while (u.step()) {
            UncoveredPatch k;
            k.body = u.number() - 1, k.area = u.real();
            k.place.x() = u.real(), k.place.y() = u.real(), k.place.z() = u.real();
            BlobIn facets(u.text());
            k.facets = facets.get<std::vector<int>>();
            job.proof.uncovered.push_back(std::move(k));
        }
    }
    while (c.step()) {
        ContactProof k;
        k.a = c.number() - 1, k.b = c.number() - 1, k.gap = c.real(), k.joined = c.integer() != 0;
        k.place.x() = c.real(), k.place.y() = c.real(), k.place.z() = c.real();
        job.proof.contacts.push_back(k);
    }
}

void load_info(Database& db, Job& job) {
    std::map<std::string, std::string> info;
    Statement s(db, "SELECT key,value FROM info ORDER BY rowid");
    while (s.step()) {
        const std::string key = s.text();
        info[key] = s.text();
        if (key.rfind("outside_", 0) == 0) job.proof.outside.push_back(info[key]);
    }
    const auto real = [&](const char* key) { return info.count(key) ? std::strtod(info[key].c_str(), nullptr) : 0.0; };
    job.stage = info["stage"];
    job.solids.file = info["file"], job.plan.source.file = info["source"], job.solids.sha256 = info["sha256"], job.solids.unit = info["unit"];
    job.solids.shift = {real("shift_x"), real("shift_y"), real("shift_z")};
    job.solids.tolerance = {real("tolerance_point"), real("tolerance_angle"), real("tolerance_chord")};
    job.model.tolerance = job.solids.tolerance;
    Proof& p = job.proof;
    p.volume_error = real("volume_error"), p.centroid_error = real("centroid_error"), p.coverage = real("coverage"),
    p.thickness_error = real("thickness_error");
    for (const auto& [name, k] : {std::pair("thickness", &p.thickness), std::pair("deviation", &p.deviation)}) {
        const auto field = [&](const char* what) { return real(fmt::format("{}_{}", name, what).c_str()); };
        k->mean = field("mean"), k->high = field("high"), k->worst = field("worst"), k->place = {field("x"), field("y"), field("z")};
        k->count = static_cast<int>(field("count"));
    }
    p.parts = static_cast<int>(real("parts")), p.within_bounds = info["within_bounds"] == "1";
}

int checked_version(Database& db, const std::filesystem::path& file) {
    Statement id(db, "PRAGMA application_id"), version(db, "PRAGMA user_version");
    if (!id.step() || id.integer() != application_id)
        throw Error(ErrorKind::input, file.string() + ": not a Halvo model file; give a model.halvo that halvo run wrote");
    if (!version.step()) db.fail("cannot be read");
    const auto v = version.integer();
    if (v > schema_version)
        throw Error(ErrorKind::input,
                    fmt::format("{}: written by a newer Halvo (schema {}, this one knows {}); update Halvo", file.string(), v, schema_version));
    return static_cast<int>(v);
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
        db.run(schema);
        save_info(db, job);
        save_solids(db, job);
        save_complex(db, job.model);
        save_sheets(db, job.model);
        save_members(db, job.model);
        save_joints(db, job.model);
        save_mesh_and_proof(db, job);
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

Job read_model(const std::filesystem::path& file) {
    std::error_code ec;
    if (!std::filesystem::exists(file, ec)) throw Error(ErrorKind::input, file.string() + ": no such file; check the path");
    Database db(file, Database::Mode::read);
    const int version = checked_version(db, file);
    Job job;
    load_info(db, job);
    load_solids(db, job);
    load_complex(db, job.model, version);
    load_sheets(db, job.model, version);
    load_members(db, job.model, version);
    if (version >= 3) load_couplings(db, job.model);
    load_joints(db, job.model);
    if (version >= 4) load_ties(db, job);
    load_mesh_and_proof(db, job, version);
    for (Element& e : job.mesh.elements)
        if (e.member >= 0)
            e.section_offset = section_offset(job.model.members[static_cast<std::size_t>(e.member)],
                                              0.5 * (job.mesh.nodes[static_cast<std::size_t>(e.nodes[0])] + job.mesh.nodes[static_cast<std::size_t>(e.nodes[1])]));
    return job;
}

void write_results(const std::filesystem::path& folder, const Job& job) {
    std::error_code ec;
    std::filesystem::create_directories(folder, ec);
    if (ec || !std::filesystem::is_directory(folder))
        throw Error(ErrorKind::input, folder.string() + ": the output folder cannot be made; check its permissions");
    // All files come to be in a folder of their own first, so that a failure leaves what was there before.
    const std::filesystem::path stage = folder / fmt::format(".halvo-part{}", ::getpid());
    std::filesystem::remove_all(stage, ec);
    std::filesystem::create_directory(stage, ec);
    if (ec) throw Error(ErrorKind::input, folder.string() + ": the output folder cannot be written; check its permissions");
    try {
        const bool meshed = job.stage == "mesh" || job.stage == "prove";
        write_model(stage / "model.halvo", job);
        if (meshed) write_vtu(stage / "mesh.vtu", job.mesh, job.solids.shift);
        write_text(stage / "summary.json", summary_json(job));
        write_text(stage / "ledger.csv", ledger_csv(job.model));
        for (const char* name : {"model.halvo", "mesh.vtu", "summary.json", "ledger.csv"}) {
            // A mesh of an earlier run does not belong to a model that stops before meshing.
            if (std::filesystem::exists(stage / name)) std::filesystem::rename(stage / name, folder / name);
            else std::filesystem::remove(folder / name);
        }
    } catch (const std::filesystem::filesystem_error&) {
        std::filesystem::remove_all(stage, ec);
        throw Error(ErrorKind::input, folder.string() + ": the results cannot be written; check the folder's permissions");
    } catch (...) {
        std::filesystem::remove_all(stage, ec);
        throw;
    }
    std::filesystem::remove_all(stage, ec);
}

}  // namespace halvo
