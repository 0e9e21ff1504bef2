// Sets of the plan: what they pick, the rules that mean them, and how they are listed.
#include "structures.hpp"

#include <halvo/io.hpp>
#include <halvo/mesh.hpp>

#include <gtest/gtest.h>

using namespace test;
using make::box;

namespace {

using Items = std::vector<make::Item>;

Items shelf() {
    return {{"base", box({0, 0, 0}, {300, 200, 6})},
            {"rib a", box({60, 0, 6}, {3, 200, 60})},
            {"rib b", box({160, 0, 6}, {3, 200, 60})},
            bar("rail", {0, 100, -10}, {300, 100, -10}, 20, 20, 2, Vec3::UnitZ())};
}

SetRule named(const std::string& name) {
    SetRule r;
    r.name = name;
    return r;
}

const ModelSet& of(const Job& j, const std::string& name) {
    const auto it = std::find_if(j.model.sets.begin(), j.model.sets.end(), [&](const ModelSet& s) { return s.name == name; });
    EXPECT_NE(it, j.model.sets.end()) << name;
    return *it;
}

std::string body_of(const Job& j, SheetId s) {
    return j.solids.bodies[j.model.sheets[s.index()].body.index()].name;
}

double mean_edge(const Job& j, const std::string& body) {
    double sum = 0;
    int n = 0;
    for (const Element& e : j.mesh.elements)
        if (e.kind == ElementKind::shell && j.solids.bodies[e.body.index()].name == body)
            for (std::size_t k = 0; k < e.count; ++k, ++n)
                sum += (j.mesh.nodes[static_cast<std::size_t>(e.nodes[k])] - j.mesh.nodes[static_cast<std::size_t>(e.nodes[(k + 1) % e.count])]).norm();
    return sum / n;
}

}  // namespace

TEST(Sets, PickByWhatThingsAreAndWhereTheyLie) {
    Plan plan;
    plan.join.reach = 1;
    SetRule thin = named("thin"), left = named("left"), rails = named("rails"), rim = named("rim"), none = named("none"), flat = named("flat");
    thin.thinner = 4;
    left.within = Box3(Vec3(-10, -10, 0), Vec3(100, 300, 100));
    rails.body = {"rail*"};
    rim.points = {{0, 100, 3}, {0, 100.5, 3}, {300, 70, 3}};
    none.surface = {"cone"};
    flat.surface = {"plane"}, flat.thicker = 5;
    plan.join.sets = {thin, left, rails, rim, none, flat};
    const Job j = job_of(shelf(), plan);
    ASSERT_EQ(j.model.sets.size(), 6u);
    ASSERT_EQ(of(j, "thin").sheets.size(), 2u);
    for (SheetId s : of(j, "thin").sheets) EXPECT_TRUE(body_of(j, s).starts_with("rib"));
    ASSERT_EQ(of(j, "left").sheets.size(), 1u);
    EXPECT_EQ(body_of(j, of(j, "left").sheets[0]), "rib a");
    EXPECT_EQ(of(j, "rails").members.size(), 1u);
    EXPECT_EQ(of(j, "rails").sheets.size(), 0u);
    EXPECT_GE(of(j, "rim").edges.size(), 2u) << "two points on one edge are one edge";
    EXPECT_LE(of(j, "rim").edges.size(), 3u);
    ASSERT_EQ(of(j, "flat").sheets.size(), 1u);
    EXPECT_EQ(body_of(j, of(j, "flat").sheets[0]), "base");
    EXPECT_EQ(std::ranges::count_if(findings_of(j), [](const Finding& f) { return f.about.find("\"none\"") != std::string::npos; }), 1);
}

TEST(Sets, SizesAndCountsMeanThem) {
    Plan plan;
    plan.join.reach = 1, plan.mesh.size = 20;
    SetRule ribs = named("ribs"), rim = named("rim");
    ribs.body = {"rib*"};
    rim.points = {{0, 40, 3}};
    plan.join.sets = {ribs, rim};
    const Job coarse = job_of(shelf(), plan);
    SizeRule fine, on_rim;
    fine.sheet = {"set=ribs"}, fine.size = 5;
    on_rim.sheet = {"set=rim"}, on_rim.count = 17;
    plan.mesh.sizes = {fine};
    const Job j = job_of(shelf(), plan);
    check_mesh(j.model, j.mesh);
    for (const char* rib : {"rib a", "rib b"}) {
        EXPECT_NEAR(mean_edge(j, rib), 5, 0.6);
        EXPECT_NEAR(mean_edge(coarse, rib), 20, 4);
    }
    plan.mesh.sizes = {on_rim};
    const Job counted = job_of(shelf(), plan);
    const Edge& e = counted.model.edges[of(counted, "rim").edges.at(0).index()];
    int on = 0;
    for (const Vec3& n : counted.mesh.nodes) on += (e.curve.point(e.curve.nearest(n)) - n).norm() < 1e-9 ? 1 : 0;
    EXPECT_EQ(on, 18);
}

TEST(Sets, MembersTakeSizesAndCounts) {
    const Items items{bar("beam", {0, 0, 0}, {1000, 0, 0}, 40, 40, 3, Vec3::UnitZ()), bar("post", {400, 0, 20}, {400, 0, 620}, 40, 40, 3, Vec3::UnitY())};
    Plan plan;
    plan.mesh.size = 100;
    SizeRule count, size;
    count.body = {"beam"}, count.count = 7;
    size.body = {"post"}, size.size = 30;
    plan.mesh.sizes = {count, size};
    const Job j = job_of(items, plan);
    int beam = 0, post = 0;
    for (const Element& e : j.mesh.elements)
        if (e.kind == ElementKind::beam) ++(j.solids.bodies[e.body.index()].name == "beam" ? beam : post);
    EXPECT_EQ(beam, 7) << "shared out over both sides of the joint";
    EXPECT_NEAR(post, 20, 1);
}

TEST(Sets, TiesMeanThem) {
    // A web that stands 3 mm off its base: one of its edges, picked by a point, on the sheets of a set.
    const Items items{{"base", box({0, 0, 0}, {200, 100, 6})}, {"web", box({97, 10, 9}, {6, 80, 60})}};
    Plan plan;
    SetRule foot = named("foot"), floor = named("floor");
    foot.points = {{100, 50, 9}};
    floor.surface = {"plane"}, floor.body = {"base"};
    plan.join.sets = {foot, floor};
    TieRule tie;
    tie.between = {{{"set=foot"}, {"set=floor"}}};
    tie.reach = 4;
    plan.join.ties = {tie};
    const Job j = job_of(items, plan);
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_EQ(joint_count(j.model, "tie"), 1);
    EXPECT_GT(j.mesh.ties.size(), 1u);
}

TEST(Sets, PlanFileModelFileAndList) {
    const Folder f;
    make::write_step((f / "shelf.step").string(), shelf());
    spit(f / "plan.toml",
         "[source]\nfile = \"shelf.step\"\n[join]\nreach = \"1 mm\"\n[mesh]\nsize = 20\n[[set]]\nname = \"ribs\"\nbody = \"rib*\"\nthinner = \"4 mm\"\n"
         "[[size]]\nid = \"set=ribs\"\nsize = 7\n");
    const std::string out = "'" + (f / "out").string() + "'", model = "'" + (f / "out" / "model.halvo").string() + "'";
    const Ran r = halvo_command("run '" + (f / "plan.toml").string() + "' --out " + out);
    ASSERT_EQ(r.code, 0) << r.err;
    const Ran list = halvo_command("list " + model + " sets");
    EXPECT_EQ(list.code, 0);
    EXPECT_NE(list.out.find("rib a"), std::string::npos) << list.out;
    const Job back = read_model(f / "out" / "model.halvo");
    ASSERT_EQ(back.model.sets.size(), 1u);
    EXPECT_EQ(back.model.sets[0].sheets.size(), 2u);
    // Another set, with the mesh alone made anew.
    spit(f / "plan.toml",
         "[source]\nfile = \"shelf.step\"\n[join]\nreach = \"1 mm\"\n[mesh]\nsize = 20\n[[set]]\nname = \"floor\"\nbody = \"base\"\n"
         "[[size]]\nid = \"set=floor\"\nsize = 7\n");
    ASSERT_EQ(halvo_command("run '" + (f / "plan.toml").string() + "' --from mesh --until mesh --out " + out).code, 0);
    const Job again = read_model(f / "out" / "model.halvo");
    ASSERT_EQ(again.model.sets.size(), 1u);
    EXPECT_EQ(again.model.sets[0].name, "floor");
    // One that picks nothing is told once, however often.
    spit(f / "plan.toml", "[source]\nfile = \"shelf.step\"\n[join]\nreach = \"1 mm\"\n[mesh]\nsize = 20\n[[set]]\nname = \"none\"\nbody = \"nowhere\"\n");
    for (int i = 0; i < 3; ++i) ASSERT_EQ(halvo_command("run '" + (f / "plan.toml").string() + "' --from mesh --until mesh --out " + out).code, 0);
    const Job none = read_model(f / "out" / "model.halvo");
    EXPECT_EQ(std::ranges::count_if(findings_of(none), [](const Finding& k) { return k.about.find("picks nothing") != std::string::npos; }), 1);
    EXPECT_NEAR(mean_edge(again, "base"), 7, 1);
    // A set nobody gave, one without a name, and one that says nothing.
    for (const char* wrong : {"[[size]]\nid = \"set=rips\"\nsize = 7\n", "[[set]]\nbody = \"rib*\"\n", "[[set]]\nname = \"x\"\n",
                              "[[set]]\nname = \"x\"\nsurface = \"wavy\"\n", "[[set]]\nname = \"x\"\nbody = \"a\"\n[[set]]\nname = \"x\"\nbody = \"b\"\n"}) {
        spit(f / "wrong.toml", std::string("[source]\nfile = \"shelf.step\"\n") + wrong);
        const Ran bad = halvo_command("run '" + (f / "wrong.toml").string() + "' --out '" + (f / "none").string() + "'");
        EXPECT_EQ(bad.code, 3) << wrong;
        EXPECT_EQ(std::count(bad.err.begin(), bad.err.end(), '\n'), 1) << bad.err;
        EXPECT_FALSE(fs::exists(f / "none"));
    }
}
