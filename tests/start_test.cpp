// join.start = "skin": ribs end at the skin of what they stand on, and nothing is held twice.
#include "scenes.hpp"

#include <gtest/gtest.h>

using namespace test;
using namespace make;

namespace {

Plan at_skin() {
    Plan p;
    p.join.start = StartAs::skin;
    p.halve.slender = SlenderAs::shells;
    return p;
}

double sheet_area(const Job& j, double thickness) {
    double out = 0;
    for (const Sheet& s : j.model.sheets)
        if (std::abs(s.thickness.mean - thickness) < 1e-3) out += s.area();
    return out;
}

void expect_no_more_than_the_solids(const Job& j) {
    expect_whole(j);
    EXPECT_NEAR(j.proof.mass_error, 0, 2e-3);
    for (const BodyProof& b : j.proof.bodies) EXPECT_NEAR(b.mesh_error, 0, 2e-3);
}

}  // namespace

TEST(StartAtSkin, ARibOfOneSolidWithItsPlate) {
    const Solid part = unify(fuse({box({0, 0, 0}, {300, 200, 10}), box({0, 96, 10}, {300, 8, 60})}));
    EXPECT_NEAR(sheet_area(job_of(part,
                                  [] {
                                      Plan p;
                                      p.halve.slender = SlenderAs::shells;
                                      return p;
                                  }()),
                           8),
                300 * 65, 1e-6);
    const Job j = job_of(part, at_skin());
    EXPECT_NEAR(sheet_area(j, 8), 300 * 60, 1e-6);
    EXPECT_EQ(j.model.edge_links.size(), 1u);
    EXPECT_EQ(j.mesh.parts, 1);
    expect_no_more_than_the_solids(j);
}

TEST(StartAtSkin, RibsOnBothSidesAndOfAnotherBodyTurned) {
    const std::vector<Item> items{
        {"plate", box({0, 0, 0}, {300, 200, 10})}, {"upper", box({0, 96, 10}, {300, 8, 60})}, {"lower", box({0, 96, -40}, {300, 6, 40})}};
    for (const int way : {0, 1, 2}) {
        const Job j = job_of(Scene{"ribs", items, at_skin()}, way);
        EXPECT_NEAR(sheet_area(j, 8), 300 * 60, 1e-3);
        EXPECT_NEAR(sheet_area(j, 6), 300 * 40, 1e-3);
        expect_no_more_than_the_solids(j);
    }
}

TEST(StartAtSkin, WhereThreePlatesMeetInACorner) {
    // A gusset between a plate and a web, whose seams it starts at the skins of.
    const Solid part = unify(fuse({box({0, 0, 0}, {300, 200, 10}), box({100, 0, 10}, {12, 200, 120}), box({112, 96, 10}, {80, 8, 90})}));
    const Job j = job_of(part, at_skin());
    EXPECT_NEAR(sheet_area(j, 8), 80 * 90, 1e-3);
    EXPECT_NEAR(sheet_area(j, 12), 200 * 120, 1e-3);
    expect_no_more_than_the_solids(j);
}

TEST(StartAtSkin, CrossingRibs) {
    const Solid part = unify(fuse({box({0, 0, 0}, {300, 200, 6}), box({0, 98, 6}, {300, 4, 50}), box({148, 0, 6}, {4, 200, 50})}));
    const Job j = job_of(part, at_skin());
    EXPECT_NEAR(sheet_area(j, 4), 500 * 50, 1e-3);
    EXPECT_EQ(j.mesh.parts, 1);
    expect_whole(j);
}

TEST(StartAtSkin, AnUprightTubeOnAPlateAndARibOnADrum) {
    const Solid tube =
        unify(fuse({box({0, 0, 0}, {300, 300, 10}), cut(cylinder({150, 150, 10}, Vec3::UnitZ(), 60, 90), {cylinder({150, 150, 10}, Vec3::UnitZ(), 54, 90)})}));
    const Job j = job_of(tube, at_skin());
    EXPECT_NEAR(sheet_area(j, 6), 2 * pi * 57 * 90, 1);
    EXPECT_NEAR(j.proof.mass_error, 0, 5e-3);
    expect_whole(j);
    const Solid drum =
        cut(fuse({cylinder({0, 0, 0}, Vec3::UnitZ(), 150, 300), box({140, -4, 0}, {60, 8, 300})}), {cylinder({0, 0, -1}, Vec3::UnitZ(), 142, 302)});
    const Job k = job_of(unify(drum), at_skin());
    double rib = 0;
    for (const Sheet& s : k.model.sheets)
        if (s.chart.flat()) rib += s.area();
    EXPECT_NEAR(rib, 50 * 300, 0.01 * 50 * 300);
    expect_whole(k);
}

TEST(StartAtSkin, AHeatSinkWeighsWhatItsSolidDoes) {
    Scene s = scene("heat sink");
    EXPECT_GT(job_of(s, 0).proof.mass_error, 0.03);
    s.plan.join.start = StartAs::skin;
    const Job j = job_of(s, 0);
    EXPECT_NEAR(j.proof.mass_error, 0, 5e-3);
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_EQ(count_findings(j, "mesh weighs more"), 0u);
}
