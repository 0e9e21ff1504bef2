// The model file: everything comes back, anyone can query it, wrong files are refused. And mesh.vtu as VTK expects it.
#include "io/blob.hpp"
#include "support.hpp"

#include <gtest/gtest.h>
#include <sqlite3.h>
#include <pugixml.hpp>

using namespace test;

namespace {

Job small_job() {
    Plan plan;
    plan.mesh.size = 25;
    return job_of({{"base", make::cut(make::box({-100, -100, 0}, {200, 200, 12}), {make::cylinder({70, 70, -5}, Vec3::UnitZ(), 9, 30)})},
                   {"post", make::moved(make::extrude(make::rectangular_tube(50, 50, 4, 8), 800), make::place({0, 0, 12}))},
                   {"rail", make::moved(make::extrude(make::tube(40, 3), 600), make::place({25, 0, 500}, Vec3::UnitX()))}},
                  plan);
}

double query(const fs::path& file, const std::string& sql) {
    sqlite3* db = nullptr;
    EXPECT_EQ(sqlite3_open(file.c_str(), &db), SQLITE_OK);
    sqlite3_stmt* s = nullptr;
    EXPECT_EQ(sqlite3_prepare_v2(db, sql.c_str(), -1, &s, nullptr), SQLITE_OK) << sqlite3_errmsg(db);
    EXPECT_EQ(sqlite3_step(s), SQLITE_ROW);
    const double v = sqlite3_column_double(s, 0);
    sqlite3_finalize(s);
    sqlite3_close(db);
    return v;
}

void execute(const fs::path& file, const std::string& sql) {
    sqlite3* db = nullptr;
    EXPECT_EQ(sqlite3_open(file.c_str(), &db), SQLITE_OK);
    EXPECT_EQ(sqlite3_exec(db, sql.c_str(), nullptr, nullptr, nullptr), SQLITE_OK) << sqlite3_errmsg(db);
    sqlite3_close(db);
}

std::vector<double> float_array(const pugi::xml_node& a) {
    // Base64 with an eight-byte length in front.
    const std::string text = a.text().as_string();
    std::string bytes;
    unsigned v = 0;
    int bits = 0;
    for (char c : text) {
        const auto at = std::string("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/").find(c);
        if (at == std::string::npos) continue;
        v = (v << 6) | static_cast<unsigned>(at);
        if ((bits += 6) >= 8) bytes += static_cast<char>(v >> (bits -= 8));
    }
    std::uint64_t n = 0;
    std::memcpy(&n, bytes.data(), 8);
    std::vector<double> out(n / 8);
    std::memcpy(out.data(), bytes.data() + 8, n);
    return out;
}

}  // namespace

TEST(ModelFile, EverythingComesBack) {
    const Folder folder;
    const Job a = small_job();
    write_model(folder / "m.halvo", a);
    Job b = read_model(folder / "m.halvo");
    EXPECT_EQ(ledger_csv(a), ledger_csv(b));
    b.timing = a.timing;
    b.solids.bodies = a.solids.bodies;
    b.survey = a.survey;
    EXPECT_EQ(summary_json(a), summary_json(b));
    write_vtu(folder / "a.vtu", a.mesh, a.solids.shift);
    write_vtu(folder / "b.vtu", b.mesh, b.solids.shift);
    EXPECT_TRUE(slurp(folder / "a.vtu") == slurp(folder / "b.vtu"));
    const Mesh again = mesh(b.model, a.plan.mesh);
    EXPECT_EQ(again.elements.size(), a.mesh.elements.size());
    write_model(folder / "n.halvo", a);
    EXPECT_TRUE(slurp(folder / "m.halvo") == slurp(folder / "n.halvo")) << "same job, same bytes";
}

TEST(ModelFile, AnyoneCanQueryIt) {
    const Folder folder;
    const Job j = small_job();
    write_model(folder / "m.halvo", j);
    EXPECT_EQ(query(folder / "m.halvo", "PRAGMA application_id"), 0x484C564F);
    EXPECT_NEAR(query(folder / "m.halvo", "SELECT sum(area) FROM sheets"), total_area(j.model), 1e-6);
    EXPECT_EQ(query(folder / "m.halvo", "SELECT count(*) FROM members"), 2);
    EXPECT_EQ(query(folder / "m.halvo", "SELECT count(*) FROM contacts WHERE joined = 0"), 0);
    EXPECT_NEAR(query(folder / "m.halvo", "SELECT thickness_mean FROM sheets"), 12, 1e-8);
}

TEST(ModelFile, WrongFilesAreRefused) {
    const Folder folder;
    const auto refused = [](const fs::path& p, const std::string& part) {
        try {
            (void)read_model(p);
            ADD_FAILURE() << p;
        } catch (const Error& e) {
            EXPECT_NE(std::string(e.what()).find(part), std::string::npos) << e.what();
            EXPECT_EQ(e.kind(), ErrorKind::input);
        }
    };
    refused(folder / "none.halvo", "no such file");
    spit(folder / "text.halvo", "not a database at all, just some words that go on for a while to fill a page header");
    refused(folder / "text.halvo", "Halvo model");
    execute(folder / "other.halvo", "CREATE TABLE t(x)");
    refused(folder / "other.halvo", "not a Halvo model file");
    write_model(folder / "new.halvo", small_job());
    execute(folder / "new.halvo", "PRAGMA user_version = 99");
    refused(folder / "new.halvo", "newer");
    write_model(folder / "cut.halvo", small_job());
    execute(folder / "cut.halvo", "UPDATE mesh SET nodes = substr(nodes, 1, 100)");
    refused(folder / "cut.halvo", "damaged");
}

TEST(ModelFile, BlobsGuardTheirEnds) {
    io::BlobOut o;
    o.put(std::vector<Vec3>{{1, 2, 3}, {4, 5, 6}}).put(7.5).put(std::vector<int>{1, 2, 3});
    io::BlobIn i(o.bytes());
    const auto v = i.get<std::vector<Vec3>>();
    ASSERT_EQ(v.size(), 2u);
    EXPECT_EQ(v[1], Vec3(4, 5, 6));
    EXPECT_EQ(i.get<double>(), 7.5);
    EXPECT_EQ(i.get<std::vector<int>>()[2], 3);
    EXPECT_THROW((void)i.get<double>(), Error);
    io::BlobIn huge(std::string(8, '\x7f'));
    EXPECT_THROW((void)huge.get<std::vector<double>>(), Error);
}

TEST(Vtu, IsWhatTheContractSays) {
    const Folder folder;
    const Job j = small_job();
    write_vtu(folder / "mesh.vtu", j.mesh, j.solids.shift);
    pugi::xml_document doc;
    ASSERT_TRUE(doc.load_file((folder / "mesh.vtu").c_str()));
    const auto root = doc.child("VTKFile");
    EXPECT_STREQ(root.attribute("type").as_string(), "UnstructuredGrid");
    const auto piece = root.child("UnstructuredGrid").child("Piece");
    EXPECT_EQ(piece.attribute("NumberOfPoints").as_uint(), j.mesh.nodes.size());
    EXPECT_EQ(piece.attribute("NumberOfCells").as_uint(), j.mesh.elements.size());
    std::map<std::string, std::string> types;
    for (const auto& a : piece.child("CellData").children()) types[a.attribute("Name").as_string()] = a.attribute("type").as_string();
    const std::map<std::string, std::string> want = {
        {"kind", "UInt8"}, {"thickness", "Float64"}, {"offset", "Float64"},          {"sheet", "Int32"},           {"member", "Int32"},
        {"body", "Int32"}, {"section", "Int32"},     {"scaled_jacobian", "Float64"}, {"section_offset", "Float64"}};
    EXPECT_EQ(types, want);
    const auto points = float_array(piece.child("Points").child("DataArray"));
    ASSERT_EQ(points.size(), 3 * j.mesh.nodes.size());
    for (std::size_t i = 0; i < points.size(); ++i)
        ASSERT_NEAR(points[i], j.mesh.nodes[i / 3][static_cast<Eigen::Index>(i % 3)] + j.solids.shift[static_cast<Eigen::Index>(i % 3)], 1e-9);
    for (const auto& a : piece.child("CellData").children())
        if (std::string(a.attribute("Name").as_string()) == "thickness") {
            const auto t = float_array(a);
            for (std::size_t i = 0; i < t.size(); ++i) ASSERT_NEAR(t[i], j.mesh.elements[i].count > 2 ? 12 : 0, 1e-8);
        }
}

TEST(Convert, ModelToMeshSummaryAndLedger) {
    const Folder folder;
    const Job j = small_job();
    write_results(folder / "out", j);
    const auto convert = [&](const std::string& to) {
        return halvo_command("convert '" + (folder / "out" / "model.halvo").string() + "' '" + (folder / to).string() + "'");
    };
    EXPECT_EQ(convert("again.vtu").code, 0);
    EXPECT_TRUE(slurp(folder / "again.vtu") == slurp(folder / "out" / "mesh.vtu"));
    EXPECT_EQ(convert("again.csv").code, 0);
    EXPECT_TRUE(slurp(folder / "again.csv") == slurp(folder / "out" / "ledger.csv"));
    EXPECT_EQ(convert("again.json").code, 0);
    EXPECT_EQ(convert("again.xyz").code, 2);
    for (const char* what : {"findings", "bodies", "walls", "sheets", "members", "sections", "seams", "joints", "contacts", "ledger"}) {
        const Ran r = halvo_command("list '" + (folder / "out" / "model.halvo").string() + "' " + what);
        EXPECT_EQ(r.code, 0) << what << r.err;
        EXPECT_FALSE(r.out.empty()) << what;
    }
    EXPECT_EQ(halvo_command("list '" + (folder / "out" / "model.halvo").string() + "' dreams").code, 2);
}

namespace {

void set_blob(const fs::path& file, const std::string& sql, const std::string& bytes) {
    sqlite3* db = nullptr;
    ASSERT_EQ(sqlite3_open(file.c_str(), &db), SQLITE_OK);
    sqlite3_stmt* q = nullptr;
    ASSERT_EQ(sqlite3_prepare_v2(db, sql.c_str(), -1, &q, nullptr), SQLITE_OK);
    sqlite3_bind_blob(q, 1, bytes.data(), static_cast<int>(bytes.size()), SQLITE_TRANSIENT);
    ASSERT_EQ(sqlite3_step(q), SQLITE_DONE);
    sqlite3_finalize(q);
    sqlite3_close(db);
}

// Before schema 8: solids as facets, elements without offsets of sections, findings in one list.
void take_back_to_facets(const fs::path& file, const Job& job) {
    execute(file,
            "ALTER TABLE bodies ADD COLUMN geometry BLOB; ALTER TABLE bodies DROP COLUMN solid; ALTER TABLE bodies DROP COLUMN survey;"
            "ALTER TABLE bodies DROP COLUMN layer; DROP TABLE halved; DROP TABLE left_out; DROP TABLE notes; ALTER TABLE findings DROP COLUMN product;"
            "ALTER TABLE findings DROP COLUMN level; ALTER TABLE findings DROP COLUMN face; ALTER TABLE findings DROP COLUMN body_key_a;"
            "ALTER TABLE findings DROP COLUMN body_key_b; PRAGMA user_version = 7;");
    for (std::size_t i = 0; i < job.solids.bodies.size(); ++i) {
        const Body& b = job.solids.bodies[i];
        io::BlobOut o;
        o.put(b.points).put(static_cast<std::uint64_t>(b.facets.size()));
        for (const Facet& f : b.facets) o.put(f.corners[0]).put(f.corners[1]).put(f.corners[2]).put(f.face);
        o.put(std::uint64_t{0}).put(b.mass.centre).put(b.colour[0]).put(b.colour[1]).put(b.colour[2]);
        set_blob(file, fmt::format("UPDATE bodies SET geometry = ? WHERE id = {}", i + 1), o.bytes());
    }
    io::BlobOut elements;
    elements.put(static_cast<std::uint64_t>(job.mesh.elements.size()));
    for (const Element& e : job.mesh.elements) {
        elements.put(e.nodes).put(e.count).put(static_cast<std::uint8_t>(e.kind)).put(e.sheet).put(e.member).put(e.body).put(e.section);
        elements.put(e.thickness).put(e.offset).put(e.quality);
    }
    set_blob(file, "UPDATE mesh SET elements = ?", elements.bytes());
}

// A file as earlier versions wrote it: the same rows, without what came later. Flat sheets and no members, whose blobs were others.
void take_back(const fs::path& file, int version, const Job& job) {
    const Model& m = job.model;
    take_back_to_facets(file, job);
    execute(file, "ALTER TABLE proof DROP COLUMN meshed; ALTER TABLE proof DROP COLUMN mesh_net; ALTER TABLE proof DROP COLUMN mesh_error;");
    if (version <= 6) execute(file, "ALTER TABLE proof DROP COLUMN filled; PRAGMA user_version = 6;");
    if (version <= 5)
        execute(file, "DROP TABLE sets; DROP TABLE places; ALTER TABLE near DROP COLUMN key; ALTER TABLE sheets DROP COLUMN ridge; PRAGMA user_version = 5;");
    if (version <= 4) execute(file, "DROP TABLE roots; ALTER TABLE proof DROP COLUMN left_out; PRAGMA user_version = 4;");
    if (version <= 3)
        execute(file, "DROP TABLE ties; DROP TABLE tied_nodes; DROP TABLE shares; ALTER TABLE bodies DROP COLUMN number; PRAGMA user_version = 3;");
    if (version <= 2)
        execute(file,
                "DROP TABLE couplings; DROP TABLE near; ALTER TABLE sheets DROP COLUMN reference; ALTER TABLE sheets DROP COLUMN placed;"
                "ALTER TABLE sheets DROP COLUMN growth; ALTER TABLE members DROP COLUMN offset_y; ALTER TABLE members DROP COLUMN offset_z;"
                "PRAGMA user_version = 2;");
    if (version > 1) return;
    execute(file,
            "DROP TABLE uncovered; ALTER TABLE edges DROP COLUMN step; ALTER TABLE sheets DROP COLUMN deviation; ALTER TABLE sheets DROP COLUMN wall;"
            "ALTER TABLE sheets DROP COLUMN surface; PRAGMA user_version = 1;");
    sqlite3* db = nullptr;
    ASSERT_EQ(sqlite3_open(file.c_str(), &db), SQLITE_OK);
    for (std::size_t i = 0; i < m.sheets.size(); ++i) {
        const Sheet& s = m.sheets[i];
        io::BlobOut chart, field;
        const auto frame = [](io::BlobOut& o, const Frame& f) { o.put(f.origin).put(f.x).put(f.y).put(f.z); };
        frame(chart, s.chart.plane());
        field.put(static_cast<std::uint64_t>(s.field.pieces.size()));
        for (const ThicknessPiece& p : s.field.pieces) {
            for (const BaseSurface* side : {&p.top, &p.bottom}) {
                const Frame& f = std::get<PlaneSurface>(side->surface()).frame;
                field.put(f.z).put(f.z.dot(f.origin));
            }
            field.put(p.top_outline.loops()).put(p.bottom_outline.loops());
        }
        sqlite3_stmt* q = nullptr;
        ASSERT_EQ(sqlite3_prepare_v2(db, "UPDATE sheets SET chart = ?, field = ? WHERE key = ?", -1, &q, nullptr), SQLITE_OK);
        sqlite3_bind_blob(q, 1, chart.bytes().data(), static_cast<int>(chart.bytes().size()), SQLITE_TRANSIENT);
        sqlite3_bind_blob(q, 2, field.bytes().data(), static_cast<int>(field.bytes().size()), SQLITE_TRANSIENT);
        sqlite3_bind_text(q, 3, s.key.c_str(), -1, SQLITE_TRANSIENT);
        ASSERT_EQ(sqlite3_step(q), SQLITE_DONE);
        sqlite3_finalize(q);
    }
    sqlite3_close(db);
}

}  // namespace

TEST(ModelFile, FilesOfEverySchemaAreRead) {
    const Job job = job_of({{"base", make::box({0, 0, 0}, {200, 120, 8})}, {"web", make::box({0, 57, 8}, {200, 6, 80})}});
    for (int version = 7; version >= 1; --version) {
        SCOPED_TRACE(version);
        const Folder f;
        write_model(f / "m.halvo", job);
        take_back(f / "m.halvo", version, job);
        const Job back = read_model(f / "m.halvo");
        ASSERT_EQ(back.model.sheets.size(), job.model.sheets.size());
        for (std::size_t i = 0; i < back.model.sheets.size(); ++i) {
            const Sheet &a = back.model.sheets[i], &b = job.model.sheets[i];
            EXPECT_NEAR(a.area(), b.area(), 1e-9 * b.area());
            EXPECT_NEAR(a.thickness.mean, b.thickness.mean, 1e-12);
            const Vec2 middle = b.chart.local2(b.chart.plane().origin);
            EXPECT_NEAR(a.field.at(a.chart, middle), b.field.at(b.chart, middle), 1e-9);
        }
        EXPECT_EQ(back.mesh.nodes.size(), job.mesh.nodes.size());
        EXPECT_EQ(back.proof.volume_error, job.proof.volume_error);
        // And meshed from what was read.
        const Mesh again = mesh(back.model, job.plan.mesh);
        EXPECT_EQ(again.nodes.size(), job.mesh.nodes.size());
        check_mesh(back.model, again);
    }
}
