// Bolts, rivets and pins: told from other round bodies, a line between the rims of their holes, and laps that only touch under them.
#include "scenes.hpp"
#include "spoilt.hpp"

#include "body/fasteners.hpp"

#include <gtest/gtest.h>

using namespace test;
using make::box;
using make::cut;
using make::cylinder;

namespace {

make::Solid bolt(const Vec3& at, double diameter, double grip) {
    const double r = 0.5 * diameter;
    return make::unify(make::fuse({cylinder(at - Vec3(0, 0, diameter), Vec3::UnitZ(), r, grip + 2 * diameter),
                                   cylinder(at - Vec3(0, 0, 0.7 * diameter), Vec3::UnitZ(), 1.5 * r, 0.7 * diameter)}));
}

// Plates of 6 and 10 mm over each other, a bolt of 12 with a nut and a washer of their own.
Items with_nut() {
    const Vec3 at(50, 50, 0);
    const make::Solid hole = cylinder(at - Vec3(0, 0, 5), Vec3::UnitZ(), 7, 60);
    const make::Solid bore = cylinder(at - Vec3(0, 0, 50), Vec3::UnitZ(), 6, 200);
    return {{"lower", cut(box({0, 0, 0}, {100, 100, 6}), {hole})},
            {"upper", cut(box({0, 0, 6}, {160, 100, 10}), {hole})},
            {"washer", cut(cylinder(at + Vec3(0, 0, 16), Vec3::UnitZ(), 12, 2.5), {bore})},
            {"nut", cut(cylinder(at + Vec3(0, 0, 18.5), Vec3::UnitZ(), 11, 10), {bore})},
            {"bolt", bolt(at, 12, 22)}};
}

std::vector<Fastener> fasteners(const Items& items) {
    return find_fasteners(solids_of(items));
}

}  // namespace

TEST(Fasteners, AreRoundBodiesThroughHolesOfBodiesThatLieOnEachOther) {
    for (const bool turned : {false, true}) {
        const Items items = turned ? moved(with_nut()) : with_nut();
        const auto found = fasteners(items);
        ASSERT_EQ(found.size(), 1u);
        EXPECT_NEAR(found[0].radius, 6, 1e-6);
        ASSERT_EQ(found[0].grips.size(), 2u);
        EXPECT_NEAR(found[0].grips[0].high - found[0].grips[0].low + found[0].grips[1].high - found[0].grips[1].low, 16, 1e-3);
        EXPECT_EQ(found[0].rings.size(), 2u);
    }
    // A rung between rails, a tube through two plates, a post on a plate and a pin in one body are none.
    EXPECT_TRUE(fasteners(scene("ladder").items).empty());
    const make::Solid hole = cylinder({50, 50, -5}, Vec3::UnitZ(), 10, 40);
    EXPECT_TRUE(fasteners({{"a", cut(box({0, 0, 0}, {100, 100, 6}), {hole})},
                           {"b", cut(box({0, 0, 6}, {100, 100, 6}), {hole})},
                           {"tube", make::moved(make::extrude(make::tube(20, 3), 80), make::place({50, 50, -30}))}})
                    .empty());
    EXPECT_TRUE(fasteners({{"plate", box({0, 0, 0}, {100, 100, 6})}, {"post", cylinder({50, 50, 6}, Vec3::UnitZ(), 10, 40)}}).empty());
    EXPECT_TRUE(fasteners({{"plate", cut(box({0, 0, 0}, {100, 100, 6}), {hole})}, {"pin", cylinder({50, 50, -5}, Vec3::UnitZ(), 10, 40)}}).empty());
    // A rod of half a metre that two plates hold at its end is a bar.
    EXPECT_TRUE(fasteners({{"a", cut(box({0, 0, 0}, {100, 100, 6}), {hole})},
                           {"b", cut(box({0, 0, 6}, {100, 100, 6}), {hole})},
                           {"rod", cylinder({50, 50, -5}, Vec3::UnitZ(), 10, 500)}})
                    .empty());
    // A spacer of 40 mm holds them apart: no clamp.
    EXPECT_TRUE(fasteners({{"a", cut(box({0, 0, 0}, {100, 100, 6}), {hole})},
                           {"b", cut(box({0, 0, 46}, {100, 100, 6}), {cylinder({50, 50, 40}, Vec3::UnitZ(), 10, 40)})},
                           {"rod", cylinder({50, 50, -5}, Vec3::UnitZ(), 10, 70)}})
                    .empty());
}

TEST(Fasteners, AreLinesBetweenTheRimsWithTheirWholeMass) {
    for (const int way : {0, 1, 2, 3}) {
        Scene s{"nut", with_nut(), {}};
        const Job j = job_of(s, way);
        expect_whole(j);
        ASSERT_EQ(j.model.members.size(), 1u);
        EXPECT_NEAR(j.model.members[0].own_length(), 8, 1e-3);  // from middle to middle
        EXPECT_EQ(joint_count(j.model, "fastener"), 2);
        EXPECT_EQ(joint_count(j.model, "lap"), 0);
        EXPECT_EQ(findings_of(j).size(), 0u);
        for (std::size_t b = 0; b < j.solids.bodies.size(); ++b) EXPECT_NEAR(j.proof.bodies[b].mesh_error, 0, 3e-3) << j.solids.bodies[b].label;
        // Every link of it is as long as the rim is wide, or shorter: nothing reaches past the hole.
        for (const Element& e : j.mesh.elements)
            if (e.kind == ElementKind::rigid) {
                const Vec3 along = j.mesh.nodes[static_cast<std::size_t>(e.nodes[0])] - j.mesh.nodes[static_cast<std::size_t>(e.nodes[1])];
                EXPECT_LT(along.norm(), 7.01);
            }
    }
}

TEST(Fasteners, AreRigidOrLeftOutAsThePlanSays) {
    Scene s{"nut", with_nut(), {}};
    s.plan.join.fasteners = FastenersAs::rigid;
    const Job rigid = job_of(s, 0);
    expect_whole(rigid);
    EXPECT_TRUE(rigid.model.members.empty());
    EXPECT_EQ(joint_count(rigid.model, "fastener"), 2);
    s.plan.join.fasteners = FastenersAs::left_out;
    const Job without = job_of(s, 0);
    expect_whole(without);  // the plates lie on each other and are joined there
    EXPECT_EQ(joint_count(without.model, "fastener"), 0);
    EXPECT_GT(joint_count(without.model, "lap"), 0);
    const auto entries = ledger_of(without);
    EXPECT_EQ(std::ranges::count_if(entries, [](const LedgerEntry& e) { return e.kind == EntryKind::fastener; }), 1);
}

TEST(Fasteners, LapsUnderThemAreBondedWhereThePlanSaysHow) {
    Scene s{"nut", with_nut(), {}};
    JointRule rule;
    rule.between = {std::vector<std::string>{"lower"}, {"upper"}};
    rule.laps = LapsAs::link;
    s.plan.join.joints = {rule};
    const Job j = job_of(s, 0);
    EXPECT_GT(joint_count(j.model, "lap"), 0);
    EXPECT_EQ(joint_count(j.model, "fastener"), 2);
}

TEST(Fasteners, OfAPortalHoldTheColumnAndTheEndPlate) {
    const Job j = job_of(scene("portal"), 0);
    expect_whole(j);
    EXPECT_EQ(joint_count(j.model, "fastener"), 16);
    EXPECT_EQ(figures_of(j).poor, 0u);
}
