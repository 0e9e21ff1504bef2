// Reads model.halvo, of this schema and those before it.
#include "io/body_blob.hpp"
#include "io/database.hpp"
#include "io/model_schema.hpp"
#include "io/solution_file.hpp"
#include "io/surface_blob.hpp"
#include "io/survey_blob.hpp"

#include <halvo/io.hpp>

#include <fmt/format.h>

#include <cmath>

namespace halvo {

namespace {

template <class Kind>
Kind kind_of(const std::string& name) {
    if (const auto kind = kind_named<Kind>(name)) return *kind;
    throw Error(ErrorKind::input, "the model file speaks of a \"" + name + "\", which this version does not know; make it anew with halvo run");
}

using io::application_id;
using io::BlobIn;
using io::Database;
using io::schema_version;
using io::Statement;

Vec3 place(Statement& s) {
    Vec3 p;
    p.x() = s.real(), p.y() = s.real(), p.z() = s.real();
    return p;
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

// As written before schema 8: facets, and little of the survey.
void load_facets_of_solids(Database& db, Job& job, int version) {
    Statement s(db, fmt::format("SELECT key,name,path,class,why,closed,volume,area,thinnest,thickest,geometry{} FROM bodies ORDER BY id",
                                version >= 4 ? ",number" : ",id"));
    while (s.step()) {
        Body b;
        BodySurvey v;
        b.key = s.text(), b.name = s.text(), b.path = s.text();
        const std::string kind = s.text();
        for (BodyClass c : {BodyClass::thin, BodyClass::slender, BodyClass::bulk, BodyClass::mixed, BodyClass::open})
            if (kind == class_name(c)) v.kind = c;
        v.why = s.text(), b.closed = s.integer() != 0, b.mass.volume = s.real(), b.mass.area = s.real(), v.thinnest = s.real(), v.thickest = s.real();
        set_geometry(b, s.text());
        b.number = s.number();
        job.solids.bodies.push_back(std::move(b));
        job.survey.bodies.push_back(std::move(v));
    }
}

void load_solids(Database& db, Job& job, int version) {
    if (version < 8) load_facets_of_solids(db, job, version);
    else {
        Statement s(db, "SELECT key,name,path,layer,number,solid,survey FROM bodies ORDER BY id");
        while (s.step()) {
            BodyNames names;
            names.key = s.text(), names.name = s.text(), names.path = s.text(), names.layer = s.text(), names.number = s.number();
            Body b = io::unpack_finished(s.text());
            static_cast<BodyNames&>(b) = std::move(names);
            job.solids.bodies.push_back(std::move(b));
            job.survey.bodies.push_back(io::unpack_survey(s.text()));
        }
        Statement l(db, "SELECT number,name,path,why,x,y,z FROM left_out ORDER BY rowid"), n(db, "SELECT text FROM notes ORDER BY rowid");
        while (l.step()) {
            LeftOut k;
            k.number = l.number(), k.name = l.text(), k.path = l.text(), k.why = l.text(), k.size = place(l);
            job.solids.left_out.push_back(std::move(k));
        }
        while (n.step()) job.solids.notes.push_back(n.text());
    }
    for (const Body& b : job.solids.bodies) job.solids.box.extend(b.box);
    label_bodies(job.solids.bodies);
    job.model.bodies.assign(job.solids.bodies.begin(), job.solids.bodies.end());
}

// Solids as they were before a stage, with what the survey says of them where that is kept.
std::optional<Earlier> load_earlier(Database& db, const Job& job, const std::string& query, bool surveyed) {
    Statement s(db, query);
    std::vector<Body> bodies;
    Earlier out;
    while (s.step()) {
        BodyNames names;
        names.key = s.text(), names.name = s.text(), names.path = s.text(), names.layer = s.text(), names.number = s.number();
        Body b = io::unpack_finished(s.text());
        static_cast<BodyNames&>(b) = std::move(names);
        bodies.push_back(std::move(b));
        if (surveyed) out.survey.bodies.push_back(io::unpack_survey(s.text()));
    }
    if (bodies.empty()) return std::nullopt;
    label_bodies(bodies);
    if (surveyed) {
        auto list = std::move(out.survey.bodies);
        out.survey = job.survey;
        out.survey.bodies = std::move(list);
    } else {
        out.survey = job.survey;
    }
    out.solids = job.solids;
    out.solids.bodies = std::move(bodies), out.solids.box = Box3();
    for (const Body& b : out.solids.bodies) out.solids.box.extend(b.box);
    return out;
}

void load_strip(Database& db, Job& job, int version) {
    if (version == 9) job.before_strip = load_earlier(db, job, "SELECT key,name,path,layer,number,solid FROM bodies_as_read ORDER BY id", false);
    for (const auto& [stage, earlier] : {std::pair("mend", &job.as_read), std::pair("strip", &job.before_strip)})
        if (version > 9)
            *earlier = load_earlier(db, job,
                                    fmt::format("SELECT key,name,path,layer,number,solid,survey FROM bodies_before WHERE stage='{}' ORDER BY id", stage), true);
    Statement f(
        db, "SELECT key,kind,state,offered,body,faces,form,size,volume,x,y,z,axis_x,axis_y,axis_z,family,alike,pattern,bolt,why FROM features ORDER BY rowid");
    while (f.step()) {
        Feature k;
        k.key = f.text();
        const std::string kind = f.text();
        for (FeatureKind t : {FeatureKind::hole, FeatureKind::round, FeatureKind::chamfer, FeatureKind::raised, FeatureKind::sunk, FeatureKind::sliver})
            if (kind == feature_name(t)) k.kind = t;
        k.state = static_cast<EntryState>(f.integer()), k.offered = f.integer() != 0, k.body = BodyId(f.number() - 1);
        BlobIn faces(f.text());
        k.faces = faces.get<std::vector<int>>();
        k.form = f.text(), k.size = f.real(), k.volume = f.real(), k.place = place(f), k.axis = place(f);
        k.family = f.number(), k.alike = f.number(), k.pattern = f.text(), k.bolt = f.text(), k.why = f.text();
        job.strip.features.push_back(std::move(k));
    }
}

void load_complex(Database& db, Model& m, int version) {
    Statement v(db, "SELECT x,y,z FROM vertices ORDER BY id"),
        e(db, fmt::format("SELECT start,end,curve{} FROM edges ORDER BY id", version >= 2 ? ",step" : ""));
    while (v.step()) {
        Vertex k;
        k.point = place(v);
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
                    version >= 6   ? ",deviation,wall,reference,placed,growth,ridge"
                    : version >= 3 ? ",deviation,wall,reference,placed,growth"
                    : version >= 2 ? ",deviation,wall"
                                   : ""));
    while (s.step()) {
        Sheet k;
        k.key = s.text(), k.body = BodyId(s.number() - 1), k.trimmed_area = s.real();
        k.thickness.min = s.real(), k.thickness.mean = s.real(), k.thickness.max = s.real(), k.offset = s.real();
        BlobIn chart(s.text()), field(s.text()), faces(s.text()), own(s.text());
        if (version >= 2) k.deviation = s.real(), k.wall = s.text();
        if (version >= 3) k.reference = static_cast<Reference>(s.integer()), k.placed = s.integer() != 0, k.growth = s.real();
        if (version >= 6) k.field.ridge = s.integer() != 0;
        k.chart = version >= 2 ? get_chart(chart) : Chart(get_frame(chart));
        if (const double t = version >= 2 ? field.get<double>() : 0; t > 0) k.field.constant = t;
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
    Statement s(
        db,
        fmt::format("SELECT key,shape,area,iyy,izz,iyz,i1,i2,principal_angle,j,warping,shear_y,shear_z,depth,dimensions,profile{} FROM sections ORDER BY id",
                    version >= 11 ? ",share_yy,share_zz,share_yz,torsion_radius" : ""));
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
        if (version >= 11) {
            c.shear_share(0, 0) = s.real(), c.shear_share(1, 1) = s.real(), c.shear_share(0, 1) = c.shear_share(1, 0) = s.real();
            c.torsion_radius = s.real();
        }
        m.sections.push_back(std::move(c));
    }
    Statement k(db, fmt::format("SELECT key,body,section,own_length,trimmed,axes,chain,end_faces{} FROM members ORDER BY id",
                                version >= 3 ? ",offset_y,offset_z" : ""));
    while (k.step()) {
        Member c;
        c.key = k.text(), c.body = BodyId(k.number() - 1), c.section = SectionId(k.number());
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

void load_couplings(Database& db, Model& m, int version) {
    Statement c(db, "SELECT key,body,centre,volume,edges,vertices,faces FROM couplings ORDER BY id"),
        n(db, fmt::format("SELECT body_a,body_b,gap,x,y,z{} FROM near ORDER BY rowid", version >= 6 ? ",key" : ""));
    while (c.step()) {
        Coupling k;
        k.key = c.text(), k.body = BodyId(c.number() - 1), k.centre = VertexId(c.number()), k.volume = c.real();
        BlobIn edges(c.text()), vertices(c.text()), faces(c.text());
        k.edges = edges.get<std::vector<EdgeId>>(), k.vertices = vertices.get<std::vector<VertexId>>(), k.faces = faces.get<std::vector<int>>();
        m.couplings.push_back(std::move(k));
    }
    while (n.step()) {
        NearContact k;
        k.bodies[0] = BodyId(n.number() - 1), k.bodies[1] = BodyId(n.number() - 1), k.gap = n.real();
        k.place = place(n);
        if (version >= 6) k.key = n.text();
        m.near.push_back(k);
    }
}

void load_sets(Database& db, Model& m, int version) {
    Statement s(db, fmt::format("SELECT name,sheets,members,edges{} FROM sets ORDER BY rowid", version >= 11 ? ",vertices" : ""));
    while (s.step()) {
        ModelSet k;
        k.name = s.text();
        BlobIn sheets(s.text()), members(s.text()), edges(s.text());
        k.sheets = sheets.get<std::vector<SheetId>>(), k.members = members.get<std::vector<MemberId>>(), k.edges = edges.get<std::vector<EdgeId>>();
        if (version >= 11) k.vertices = BlobIn(s.text()).get<std::vector<VertexId>>();
        m.sets.push_back(std::move(k));
    }
    Statement v(db, "SELECT vertex FROM places ORDER BY rowid");
    while (v.step()) m.places.emplace_back(v.number());
}

void load_roots(Database& db, Model& m) {
    Statement r(db, "SELECT body,volume,faces FROM roots ORDER BY rowid");
    while (r.step()) {
        RootMaterial k;
        k.body = BodyId(r.number() - 1), k.volume = r.real();
        BlobIn faces(r.text());
        k.faces = faces.get<std::vector<int>>();
        m.roots.push_back(std::move(k));
    }
}

void load_joints(Database& db, Model& m) {
    Statement l(db, "SELECT a,b,joint FROM links ORDER BY rowid"), el(db, "SELECT a,b,reversed,joint FROM edge_links ORDER BY rowid");
    while (l.step()) {
        const VertexId a(l.number()), b(l.number());
        m.links.push_back({a, b, JointId(l.number())});
    }
    while (el.step()) {
        const EdgeId a(el.number()), b(el.number());
        const bool reversed = el.integer() != 0;
        m.edge_links.push_back({a, b, reversed, JointId(el.number())});
    }
    Statement j(db, "SELECT key,kind,a,b,body_a,body_b,gap,length,moved,state,x,y,z FROM joints ORDER BY id");
    while (j.step()) {
        JointRecord k;
        k.key = j.text(), k.kind = kind_of<JointKind>(j.text()), k.a = j.text(), k.b = j.text();
        k.bodies[0] = BodyId(j.number() - 1), k.bodies[1] = BodyId(j.number() - 1);
        k.gap = j.real(), k.length = j.real(), k.moved = j.real(), k.state = static_cast<EntryState>(j.integer()), k.place = place(j);
        m.joints.push_back(std::move(k));
    }
}

void load_findings(Database& db, Job& job, int version) {
    Statement f(db, fmt::format("SELECT key,kind,about,advice,size,body,x,y,z{} FROM findings ORDER BY rowid",
                                version >= 8 ? ",product,level,face,body_key_a,body_key_b" : ""));
    while (f.step()) {
        Finding k;
        k.key = f.text(), k.kind = kind_of<FindingKind>(f.text()), k.about = f.text(), k.advice = f.text(), k.size = f.real(), k.body = f.text(),
        k.place = place(f);
        std::string product = "model";
        if (version >= 8) {
            product = f.text(), k.level = static_cast<FindingLevel>(f.number()), k.face = FaceId(f.number());
            k.body_keys[0] = f.text(), k.body_keys[1] = f.text();
        }
        const bool before_mend = product == "survey before mend" && job.as_read, before_strip = product == "survey before strip" && job.before_strip;
        auto& list = before_mend             ? job.as_read->survey.findings
                     : before_strip          ? job.before_strip->survey.findings
                     : product == "survey"   ? job.survey.findings
                     : product == "mend"     ? job.mend.findings
                     : product == "strip"    ? job.strip.findings
                     : product == "mesh"     ? job.mesh.findings
                     : product == "proof"    ? job.proof.findings
                     : product == "solution" ? job.solution.findings
                                             : job.model.findings;
        list.push_back(std::move(k));
    }
    Statement g(db, "SELECT key,stage,kind,state,about,value,body,x,y,z FROM ledger ORDER BY rowid");
    while (g.step()) {
        LedgerEntry k;
        k.key = g.text(), k.stage = g.text();
        const std::string kind = g.text();
        k.joint = k.stage == "join" ? kind_named<JointKind>(kind) : std::nullopt;
        k.kind = k.joint ? EntryKind::joint : kind_of<EntryKind>(kind);
        k.state = static_cast<EntryState>(g.integer()), k.about = g.text();
        k.value = g.real(), k.body = g.text(), k.place = place(g);
        auto& list = k.stage == "mesh"    ? job.mesh.ledger
                     : k.stage == "mend"  ? job.mend.ledger
                     : k.stage == "strip" ? job.strip.ledger
                     : k.stage == "prove" ? job.proof.ledger
                                          : job.model.ledger;
        list.push_back(std::move(k));
    }
}

void load_ties(Database& db, Job& job) {
    Statement t(db, "SELECT edges,onto,joint FROM ties ORDER BY rowid"),
        n(db, "SELECT node,element,w1,w2,w3,w4,arm_x,arm_y,arm_z FROM tied_nodes ORDER BY rowid");
    while (t.step()) {
        Tie k;
        BlobIn edges(t.text());
        for (int e : edges.get<std::vector<int>>()) k.edges.emplace_back(e);
        k.onto = SheetId(t.number()), k.joint = JointId(t.number());
        job.model.ties.push_back(std::move(k));
    }
    Statement s(db, "SELECT sheet,body,volume FROM shares ORDER BY rowid");
    while (s.step()) {
        const auto sheet = static_cast<std::size_t>(s.number());
        const BodyId body(s.number() - 1);
        job.model.sheets.at(sheet).shares.push_back({body, s.real()});
    }
    while (n.step()) {
        TiedNode k;
        k.node = n.number(), k.element = n.number();
        for (double& w : k.weights) w = n.real();
        k.arm = place(n);
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
            for (std::int32_t* v : {&e.sheet.value, &e.member.value, &e.body.value, &e.section.value}) *v = elements.get<std::int32_t>();
            for (double* v : {&e.thickness, &e.offset, &e.quality}) *v = elements.get<double>();
            if (version >= 8) e.section_offset = elements.get<Vec3>();
            m.elements.push_back(e);
        }
        m.quads = s.number(), m.trias = s.number(), m.lines = s.number(), m.links = s.number(), m.parts = s.number(), m.free_edge_length = s.real();
        m.quality.min_scaled_jacobian = s.real(), m.quality.mean_scaled_jacobian = s.real(), m.quality.max_aspect = s.real();
        m.quality.max_warpage = s.real(), m.quality.quad_share = s.real();
    }
    Statement p(db, fmt::format("SELECT solid,idealized,bridged,error{} FROM proof ORDER BY body", version >= 8 ? ",left_out,filled,meshed,mesh_net,mesh_error"
                                                                                                   : version >= 7 ? ",left_out,filled"
                                                                                                   : version >= 5 ? ",left_out"
                                                                                                                  : "")),
        c(db, "SELECT a,b,gap,joined,x,y,z FROM contacts ORDER BY rowid");
    while (p.step()) {
        BodyProof b;
        b.solid = p.real(), b.idealized = p.real(), b.bridged = p.real(), b.error = p.real();
        if (version >= 5) b.left_out = p.real();
        if (version >= 7) b.filled = p.real();
        if (version >= 8) b.meshed = p.real(), b.mesh_net = p.real(), b.mesh_error = p.real();
        if (std::abs(b.mesh_error) > std::abs(job.proof.worst_mesh_error) && b.mesh_error > -1)
            job.proof.worst_mesh_error = b.mesh_error, job.proof.worst_mesh_body = BodyId(job.proof.bodies.size());
        if (b.idealized > 0 && std::abs(b.error) > std::abs(job.proof.worst_body_error))
            job.proof.worst_body_error = b.error, job.proof.worst_body = BodyId(job.proof.bodies.size());
        job.proof.bodies.push_back(b);
    }
    if (version >= 2) {
        Statement u(db, "SELECT body,area,x,y,z,facets FROM uncovered ORDER BY rowid");
        while (u.step()) {
            UncoveredPatch k;
            k.body = BodyId(u.number() - 1), k.area = u.real();
            k.place = place(u);
            BlobIn facets(u.text());
            k.facets = facets.get<std::vector<int>>();
            job.proof.uncovered.push_back(std::move(k));
        }
    }
    while (c.step()) {
        ContactProof k;
        k.a = BodyId(c.number() - 1), k.b = BodyId(c.number() - 1), k.gap = c.real(), k.joined = c.integer() != 0;
        k.place = place(c);
        job.proof.contacts.push_back(k);
    }
}

// The plan as it was; one that this version does not understand any more leaves the defaults.
Plan load_plan(std::map<std::string, std::string>& info) {
    Plan plan;
    try {
        if (!info["plan_text"].empty()) plan = parse_plan(info["plan_text"], info["plan_file"]);
        for (std::size_t i = 0; info.count(fmt::format("plan_set_{}", i)) > 0; ++i) set_plan_value(plan, info[fmt::format("plan_set_{}", i)]);
    } catch (const Error&) {
        plan = Plan{};
    }
    plan.source.file = info["source"];
    return plan;
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
    job.stage = info["stage"], job.solids.precision = real("precision");
    job.plan = load_plan(info);
    job.solids.file = info["file"], job.solids.sha256 = info["sha256"], job.solids.unit = info["unit"];
    job.solids.shift = {real("shift_x"), real("shift_y"), real("shift_z")};
    job.solids.tolerance = {real("tolerance_point"), real("tolerance_angle"), real("tolerance_chord")};
    job.model.tolerance = job.solids.tolerance, job.model.shift = job.solids.shift;
    if (info.count("format")) job.solids.format = info["format"], job.solids.unit_stated = info["unit_stated"] == "1";
    job.solids.asked = info["source_options"];
    if (info.count("reach")) job.plan.join.reach = real("reach");
    job.survey.size = real("survey_size"), job.survey.rule = info["survey_rule"];
    job.survey.solid_nodes = real("survey_solid_nodes"), job.survey.model_nodes = real("survey_model_nodes");
    Proof& p = job.proof;
    p.volume_error = real("volume_error"), p.mass_error = real("mass_error"), p.centroid_error = real("centroid_error"), p.coverage = real("coverage"),
    p.thickness_error = real("thickness_error");
    for (const auto& [name, k] : {std::pair("thickness", &p.thickness), std::pair("deviation", &p.deviation)}) {
        const auto field = [&, of = name](const char* what) { return real(fmt::format("{}_{}", of, what).c_str()); };
        k->mean = field("mean"), k->high = field("high"), k->worst = field("worst"), k->place = {field("x"), field("y"), field("z")};
        k->count = static_cast<int>(field("count"));
    }
    p.rigid_body_modes = static_cast<int>(real("rigid_body_modes")), p.mechanisms = static_cast<int>(real("mechanisms"));
    p.parts = static_cast<int>(real("parts")), p.within_bounds = info["within_bounds"] == "1";
}

void load_model(Database& db, Job& job, int version) {
    load_complex(db, job.model, version);
    load_sheets(db, job.model, version);
    load_members(db, job.model, version);
    if (version >= 3) load_couplings(db, job.model, version);
    load_joints(db, job.model);
    load_findings(db, job, version);
    if (version == 9 && job.before_strip) job.before_strip->survey.findings = job.survey.findings;
    if (version >= 4) load_ties(db, job);
    if (version >= 5) load_roots(db, job.model);
    if (version >= 6) load_sets(db, job.model, version);
}

void load_halved(Database& db, Job& job, int version) {
    Statement s(db, "SELECT model FROM halved");
    if (!s.step()) return;
    Database inner(s.text());
    Job only;
    load_model(inner, only, version);
    job.halved = std::move(only.model);
    job.halved.tolerance = job.model.tolerance, job.halved.bodies = job.model.bodies, job.halved.shift = job.model.shift;
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

Job read_model(const std::filesystem::path& file) {
    std::error_code ec;
    if (!std::filesystem::exists(file, ec)) throw Error(ErrorKind::input, file.string() + ": no such file; check the path");
    if (std::filesystem::is_directory(file, ec)) throw Error(ErrorKind::input, file.string() + ": is a folder; name the model.halvo in it");
    Database db(file, Database::Mode::read);
    const int version = checked_version(db, file);
    Job job;
    load_info(db, job);
    load_solids(db, job, version);
    if (version >= 9) load_strip(db, job, version);
    load_model(db, job, version);
    if (version >= 8) load_halved(db, job, version);
    load_mesh_and_proof(db, job, version);
    if (version >= 11) io::load_solution(db, job.solution, version);
    for (Element& e : job.mesh.elements)
        if (version < 8 && e.member)
            e.section_offset = section_offset(job.model.members[e.member.index()], 0.5 * (job.mesh.nodes[static_cast<std::size_t>(e.nodes[0])] +
                                                                                          job.mesh.nodes[static_cast<std::size_t>(e.nodes[1])]));
    return job;
}

}  // namespace halvo
