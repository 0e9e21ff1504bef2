// The same part turned, moved far, in inches, with its faces in another order, or with another number of threads gives
// the same model: same entities, same ids, areas and lengths to 1e-9.
#include "structures.hpp"

#include <halvo/threads.hpp>

#include <gtest/gtest.h>

#include <set>

using namespace test;

namespace {

struct Digest {
    std::map<std::string, double> sheets, members, bodies;
    std::set<std::string> joints, sections, walls;
    std::map<std::string, int> seams;
    double seam_length = 0, volume = 0;
};

Digest digest(const Job& job) {
    Digest d;
    const Model& m = job.model;
    for (const Sheet& s : m.sheets) d.sheets[s.key] = s.area();
    for (const Member& k : m.members) d.members[k.key] = m.length(k);
    for (const Body& b : job.solids.bodies) d.bodies[b.key] = b.mass.volume;
    for (const JointRecord& j : m.joints) d.joints.insert(j.key + " " + kind_name(j.kind));
    for (const Section& s : m.sections) d.sections.insert(s.key);
    for (const LedgerEntry& e : m.ledger)
        if (e.kind == EntryKind::wall) d.walls.insert(e.key);
    for (const Seam& s : seams(m)) ++d.seams[kind_name(s.kind)], d.seam_length += m.length(s.edge);
    return d;
}

// Volumes of solids with spline edges (copes) come from sampled edges; everything in the model itself is exact.
void expect_same(const Digest& a, const Digest& b, double volume = 1e-9) {
    const auto same_keys = [](const std::map<std::string, double>& x, const std::map<std::string, double>& y, const char* what, double bound = 1e-9) {
        ASSERT_EQ(x.size(), y.size()) << what;
        for (const auto& [k, v] : x) {
            ASSERT_TRUE(y.count(k)) << what << " " << k;
            EXPECT_NEAR(v / y.at(k), 1, bound) << what << " " << k;
        }
    };
    same_keys(a.sheets, b.sheets, "sheets");
    same_keys(a.members, b.members, "members");
    same_keys(a.bodies, b.bodies, "bodies", volume);
    EXPECT_EQ(a.joints, b.joints);
    EXPECT_EQ(a.sections, b.sections);
    EXPECT_EQ(a.walls, b.walls);
    EXPECT_EQ(a.seams, b.seams);
    EXPECT_NEAR(a.seam_length, b.seam_length, 1e-9 * std::max(1.0, a.seam_length));
}

// A part with no symmetry: every entity can be told from every other.
make::Solid odd_part() {
    using make::box;
    const auto fused = make::unify(
        make::fuse({box({0, 0, 0}, {310, 190, 6}), box({40, 0, 6}, {5, 190, 70}), box({150, 0, 6}, {4, 190, 50}), box({40, 120, 6}, {270, 3, 42})}));
    return make::cut(fused, {make::cylinder({250, 60, -5}, Vec3::UnitZ(), 21, 30), make::cylinder({100, 50, -5}, Vec3::UnitZ(), 12, 30)});
}

std::vector<make::Item> odd_assembly() {
    return {{"frame plate", odd_part()},
            {"post", make::moved(make::extrude(make::rectangular_tube(40, 60, 3, 6), 700), make::place({200, 40, 6}))},
            {"angle", make::moved(make::extrude({make::polygon({{0, 0}, {50, 0}, {50, 5}, {5, 5}, {5, 70}, {0, 70}})}, 620), make::place({60, 20, -620}))}};
}

Job run_items(const std::vector<make::Item>& items, const std::string& unit = "MM") {
    Plan plan;
    plan.mesh.size = 20;
    return job_of(items, plan, unit);
}

}  // namespace

TEST(Invariance, TurnedAndMovedByAHundredMetres) {
    expect_same(digest(run_items(odd_assembly())), digest(run_items(moved(odd_assembly(), anywhere()))));
}

TEST(Invariance, InInchesAndInMetres) {
    const Digest mm = digest(run_items(odd_assembly()));
    const Job inch = run_items(odd_assembly(), "INCH"), metre = run_items(odd_assembly(), "M");
    EXPECT_EQ(inch.solids.unit, "inch");
    EXPECT_EQ(metre.solids.unit, "m");
    expect_same(mm, digest(inch));
    expect_same(mm, digest(metre));
}

TEST(Invariance, FacesInAnotherOrder) {
    const Digest plain = digest(run_items(odd_assembly()));
    for (const unsigned seed : {7u, 99u, 12345u}) {
        auto items = odd_assembly();
        for (make::Item& i : items) i.solid = make::shuffled(i.solid, seed);
        expect_same(plain, digest(run_items(items)));
    }
}

TEST(Invariance, BodiesInAnotherOrder) {
    auto items = odd_assembly();
    std::reverse(items.begin(), items.end());
    const Job a = run_items(odd_assembly()), b = run_items(items);
    expect_same(digest(a), digest(b));
    ASSERT_EQ(a.solids.bodies.size(), b.solids.bodies.size());
    for (std::size_t i = 0; i < a.solids.bodies.size(); ++i) EXPECT_EQ(a.solids.bodies[i].name, b.solids.bodies[i].name);
}

TEST(Invariance, ShelfAnywhere) {
    const auto shelf = make::instrument_shelf();
    expect_same(digest(run_items({{"shelf", shelf}})), digest(run_items({{"shelf", make::moved(shelf, anywhere())}})));
}

TEST(Invariance, StationTurned) {
    const auto items = make::weather_station();
    Plan plan;
    plan.mesh.size = 40;
    const Job a = job_of(items, plan), b = job_of(moved(items, anywhere()), plan);
    expect_same(digest(a), digest(b));
    EXPECT_EQ(b.proof.parts, 1);
    EXPECT_TRUE(b.proof.within_bounds);
}

TEST(Invariance, MirroredTurnsKeepTheMesh) {
    // The mesh is not asked to be the same node for node, but its counts do not hang on the position.
    const Job a = run_items(odd_assembly()), b = run_items(moved(odd_assembly(), anywhere()));
    EXPECT_NEAR(a.mesh.quads, b.mesh.quads, 0.03 * a.mesh.quads);
    EXPECT_EQ(a.mesh.lines, b.mesh.lines);
    check_mesh(a.model, a.mesh);
    check_mesh(b.model, b.mesh);
}

TEST(Invariance, ThreadsDoNotShow) {
    const Folder folder;
    for (const int n : {1, 2}) {
        const Ran r = halvo_command("run '" HALVO_SOURCE "/demo/station.toml' --quiet --threads " + std::to_string(n) + " --out '" +
                                    (folder / std::to_string(n)).string() + "'");
        ASSERT_EQ(r.code, 0) << r.err;
    }
    for (const char* name : {"mesh.vtu", "ledger.csv", "model.halvo"}) EXPECT_TRUE(slurp(folder / "1" / name) == slurp(folder / "2" / name)) << name;
    // The summary differs by its timing only.
    const auto without_timing = [](std::string s) { return s.substr(0, s.find("\"timing\"")); };
    EXPECT_EQ(without_timing(slurp(folder / "1" / "summary.json")), without_timing(slurp(folder / "2" / "summary.json")));
}
