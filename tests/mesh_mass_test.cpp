// The proof weighs the mesh: what it says against sums of our own and closed forms, and what it says when something is missing.
#include "structures.hpp"
#include "support.hpp"

using namespace test;
using make::box;

namespace {

// Areas by thickness, of one body or all: a sum of our own.
double shells_weigh(const Mesh& m, std::optional<BodyId> body = {}) {
    double sum = 0;
    for (const Element& e : m.elements) {
        if (e.kind != ElementKind::shell || (body && e.body != *body)) continue;
        const auto p = [&](std::size_t k) -> const Vec3& { return m.nodes[static_cast<std::size_t>(e.nodes[k])]; };
        for (std::size_t k = 2; k < e.count; ++k) sum += 0.5 * (p(k - 1) - p(0)).cross(p(k) - p(0)).norm() * e.thickness;
    }
    return sum;
}

Plan plan_of_size(double size) {
    Plan plan;
    plan.mesh.size = size;
    return plan;
}

// Thick over 200 mm with a short collar, as turned: one solid.
make::Solid sleeve(double outer, double inner, double collar_outer, double collar_inner) {
    const auto pipe = [](double z, double height, double r, double bore) {
        return make::cut(make::cylinder({0, 0, z}, Vec3::UnitZ(), r, height), {make::cylinder({0, 0, z - 1}, Vec3::UnitZ(), bore, height + 2)});
    };
    return make::unify(make::fuse({pipe(0, 200, outer, inner), pipe(200, 20, collar_outer, collar_inner)}));
}

bool says(const Proof& p, const std::string& text) {
    return std::ranges::any_of(p.outside, [&](const std::string& line) { return line.find(text) != std::string::npos; });
}

}  // namespace

TEST(RoundSteps, EachPieceOfASleeveIsAtItsOwnRadius) {
    struct Case {
        double outer, inner, collar_outer, collar_inner;
    };
    for (const Case& c : {Case{60, 45, 60, 55}, Case{60, 54, 56, 54}, Case{60, 54, 60, 58}})
        for (const bool moved : {false, true}) {
            const make::Solid solid = sleeve(c.outer, c.inner, c.collar_outer, c.collar_inner);
            const Job j = job_of(moved ? make::moved(solid, anywhere()) : solid, plan_of_size(8));
            SCOPED_TRACE(fmt::format("{} {} {} {} {}", c.outer, c.inner, c.collar_outer, c.collar_inner, moved));
            ASSERT_EQ(j.model.sheets.size(), 2u);
            std::vector<double> radii;
            for (const Sheet& s : j.model.sheets) radii.push_back(std::get<CylinderSurface>(s.chart.surface()).radius);
            EXPECT_NEAR(radii[0], 0.5 * (c.outer + c.inner), 1e-9);
            EXPECT_NEAR(radii[1], 0.5 * (c.collar_outer + c.collar_inner), 1e-9);
            EXPECT_NEAR(j.proof.volume_error, 0, 1e-5);
            // The mesh is short of it by its chords alone.
            double around = 0;
            for (const EdgeLink& l : j.model.edge_links) around += j.model.length(l.a);
            EXPECT_NEAR(around, 2 * pi * radii[0], 1e-6 * around);
            EXPECT_NEAR(shells_weigh(j.mesh) / j.proof.bodies[0].solid, 1, 0.01);
            EXPECT_NEAR(j.proof.bodies[0].meshed, shells_weigh(j.mesh), 1e-6);
            EXPECT_EQ(j.mesh.parts, 1);
            EXPECT_TRUE(j.proof.within_bounds);
            check_mesh(j.model, j.mesh);
        }
}

TEST(RoundSteps, SmallStepsStayOneSheet) {
    const Job j = job_of(sleeve(60, 57, 60, 57.5), plan_of_size(8));
    EXPECT_EQ(j.model.sheets.size(), 1u);
    EXPECT_TRUE(j.proof.within_bounds);
}

TEST(MeshMass, JunctionsOfOneSolidCountOnce) {
    // A tee, a cross and a corner, fused: the mesh is heavier by what two slabs hold; the proof takes just that off.
    const double t = 6, r = 4, l = 200;
    const make::Solid tee = make::fuse({box({0, 0, 0}, {300, l, t}), box({100, 0, t}, {r, l, 80})});
    const make::Solid cross = make::fuse({box({0, 0, 0}, {300, l, t}), box({100, 0, -80}, {r, l, 160 + t})});
    const make::Solid corner = make::fuse({box({0, 0, 0}, {300, l, t}), box({0, 0, t}, {t, l, 80})});
    struct Case {
        make::Solid solid;
        double doubled;
    };
    for (const Case& c : {Case{tee, 0.5 * t * r * l}, Case{cross, t * r * l}, Case{corner, 0}}) {
        const Job j = job_of_shells(c.solid, true);
        const BodyProof& p = j.proof.bodies[0];
        EXPECT_NEAR(p.meshed - p.solid, c.doubled, 1e-6 * p.solid);
        EXPECT_NEAR(p.mesh_error, 0, 1e-6);
        EXPECT_NEAR(p.meshed, shells_weigh(j.mesh), 1e-6);
        EXPECT_NEAR(j.proof.mass_error, p.meshed / p.solid - 1, 1e-12);
    }
}

TEST(MeshMass, WhatIsCarriedIntoANeighbourIsNotTheBodys) {
    // A rib on a plate, over a gap or not, and two plates that meet at a corner: extended and trimmed, each holds its own solid.
    const Items rib{{"plate", box({0, 0, 0}, {300, 200, 6})}, {"rib", box({100, 0, 6}, {4, 200, 80})}};
    const Items gap{{"plate", box({0, 0, 0}, {300, 200, 6})}, {"rib", box({100, 0, 6.3}, {4, 200, 80})}};
    const Items corner{{"plate", box({0, 0, 0}, {300, 200, 6})}, {"wall", box({0, 0, 6}, {6, 200, 80})}};
    for (const Items& items : {rib, gap, corner})
        for (const bool away : {false, true}) {
            const Job j = job_of(away ? moved(items) : items, plan_of_size(20));
            for (std::size_t b = 0; b < 2; ++b) {
                EXPECT_NEAR(j.proof.bodies[b].mesh_error, 0, 1e-4) << b;
                EXPECT_NEAR(j.proof.bodies[b].meshed, shells_weigh(j.mesh, BodyId(b)), 1e-6);
            }
            EXPECT_TRUE(j.proof.within_bounds);
        }
}

TEST(MeshMass, WhatIsMissingIsSaid) {
    const Job j = job_of({{"plate", box({0, 0, 0}, {300, 200, 6})}, {"rib", box({100, 0, 6}, {4, 200, 80})}}, plan_of_size(20));
    ASSERT_TRUE(j.proof.within_bounds);
    Mesh less = j.mesh;
    std::erase_if(less.elements, [](const Element& e) { return e.body == BodyId(1); });
    const Proof none = prove(j.solids, j.model, less);
    EXPECT_FALSE(none.within_bounds);
    EXPECT_TRUE(says(none, "rib: nothing in the mesh stands for it (-100 %)"));
    EXPECT_EQ(none.bodies[1].error, -1);
    less = j.mesh;
    for (Element& e : less.elements)
        if (e.body == BodyId(0)) e.thickness *= 0.8;
    const Proof thin = prove(j.solids, j.model, less);
    EXPECT_TRUE(says(thin, "plate: its mesh holds -20.00 %"));
}

TEST(MeshMass, ABodyWithoutAModelIsMinusAHundred) {
    // A block that touches nothing is neither sheet nor member nor coupled.
    const Job j = job_of({{"plate", box({0, 0, 0}, {300, 200, 6})}, {"block", box({600, 0, 0}, {60, 60, 60})}}, plan_of_size(20));
    EXPECT_FALSE(j.proof.within_bounds);
    EXPECT_TRUE(says(j.proof, "block: nothing in the mesh stands for it"));
}

TEST(Portal, ColumnsStayWhereTheyAre) {
    for (const bool away : {false, true}) {
        const Job j = job_of(away ? moved(portal(false)) : portal(false), plan_of_size(40));
        ASSERT_EQ(j.model.members.size(), 2u);
        for (const Member& m : j.model.members) EXPECT_EQ(m.offset, Vec2(0, 0)) << m.key;
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_NEAR(j.proof.worst_mesh_error, 0, 1e-4);
        EXPECT_EQ(count_findings(j, "hangs on by a point"), 0u);
    }
}

TEST(Portal, MemberEndsStandOnTheLinesOfTheirProfile) {
    Plan plan = plan_of_size(40);
    const Job stands = job_of(portal(false), plan);
    // Base plate: both flanges and the web of the column, at the plate's middle.
    double length = 0;
    int couplings = 0;
    for (const Coupling& c : stands.model.couplings) {
        ++couplings;
        EXPECT_EQ(c.volume, 0);
        for (const EdgeId e : c.edges) length += stands.model.length(e);
    }
    EXPECT_EQ(couplings, 2);
    EXPECT_NEAR(length, 2 * 200 + (190 - 10) + 2 * 120 + (240 - 9.8), 1e-6);
    plan.join.ends = EndsAs::node;
    const Job node = job_of(portal(false), plan);
    EXPECT_TRUE(node.model.couplings.empty());
    EXPECT_LT(node.mesh.links, stands.mesh.links);
}

TEST(StrayLinks, GoPastWhatIsNearest) {
    const Job j = job_of(hats_on_plate());
    ASSERT_TRUE(j.proof.within_bounds);
    Mesh mesh = j.mesh;
    const auto link = std::ranges::find_if(mesh.elements, [](const Element& e) { return e.kind == ElementKind::rigid; });
    ASSERT_NE(link, mesh.elements.end());
    // To the node of the same body that is furthest from it.
    std::set<BodyId> near;
    for (const Element& e : mesh.elements)
        if (e.kind == ElementKind::shell && std::ranges::find(e.nodes, link->nodes[1]) != e.nodes.end()) near.insert(e.body);
    double furthest = 0;
    for (const Element& e : mesh.elements)
        if (e.kind == ElementKind::shell && near.contains(e.body))
            for (std::size_t k = 0; k < e.count; ++k)
                if (const double d = (mesh.nodes[static_cast<std::size_t>(e.nodes[k])] - mesh.nodes[static_cast<std::size_t>(link->nodes[0])]).norm();
                    d > furthest)
                    furthest = d, link->nodes[1] = e.nodes[k];
    const Proof p = prove(j.solids, j.model, mesh);
    EXPECT_FALSE(p.within_bounds);
    EXPECT_TRUE(std::ranges::any_of(p.outside, [](const std::string& o) { return o.find("past the nearest node") != std::string::npos; }));
}

TEST(StrayLinks, JointsThatTheMeshDoesNotHaveAreNamed) {
    const Job j = job_of(hats_on_plate());
    Mesh mesh = j.mesh;
    std::erase_if(mesh.elements, [](const Element& e) { return e.kind == ElementKind::rigid; });
    const Proof p = prove(j.solids, j.model, mesh);
    EXPECT_TRUE(std::ranges::any_of(p.outside, [](const std::string& o) { return o.find("is listed, but nothing in the mesh holds") != std::string::npos; }));
}
