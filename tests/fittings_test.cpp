// What small moulded and stamped fittings have: solids that touch themselves along an edge, jogs with sharp bends, bores along walls, rims
// cut flat, pegs.
#include "support.hpp"

#include <gtest/gtest.h>

#include <cmath>

using namespace test;

namespace {

// Two square holes in a plate meet at a corner: four faces at one edge.
make::Solid touching_holes() {
    return make::cut(make::box({0, 0, 0}, {60, 40, 3}), {make::box({10, 10, -1}, {15, 10, 5}), make::box({25, 20, -1}, {15, 10, 5})});
}

// A strip 1 thick and 10 wide that jogs up at 45 degrees, with bends that are sharp on both sides.
make::Solid sharp_jog(double up) {
    const double m = 0.5 * std::tan(pi / 8);
    return make::extrude(
        {make::polygon({{0, -0.5}, {20 + m, -0.5}, {20 + up + m, up - 0.5}, {40, up - 0.5}, {40, up + 0.5}, {20 + up - m, up + 0.5}, {20 - m, 0.5}, {0, 0.5}})},
        10);
}

// Bores of 3 along a plate 5 thick: two right through, one of them under a rib, and a blind one.
make::Solid bored_plate(bool rib) {
    std::vector<make::Solid> parts{make::box({0, 0, 0}, {80, 40, 5})};
    if (rib) parts.push_back(make::box({39, 0, 4}, {2, 40, 21}));
    return make::cut(parts.size() > 1 ? make::fuse(parts) : parts[0],
                     {make::cylinder({20, -1, 2.5}, Vec3::UnitY(), 1.5, 42), make::cylinder({40, -1, 2.5}, Vec3::UnitY(), 1.5, 42),
                      make::cylinder({60, -1, 2.5}, Vec3::UnitY(), 1.5, 21)});
}
const double bores = pi * 1.5 * 1.5 * (40 + 40 + 20);

// A cup with a part of it cut off flat: the flat rim of floor and wall passes through the wall twice.
make::Solid cut_cup() {
    const make::Solid cup = make::cut(make::cylinder({0, 0, 0}, Vec3::UnitZ(), 22, 12), {make::cylinder({0, 0, 1.5}, Vec3::UnitZ(), 20.5, 20)});
    return make::cut(cup, {make::box({-30, 16, -1}, {60, 20, 20}), make::box({-30, -50, -1}, {60, 33, 20})});
}

// A floor with a short wall at its rim and two pegs under it, one of them in the plane of the wall.
make::Solid pegs() {
    return make::fuse({make::box({0, 0, 0}, {60, 40, 2}), make::box({0, 36, 1}, {20, 2, 19}), make::cylinder({48, 37, -5}, Vec3::UnitZ(), 1.5, 6),
                       make::cylinder({48, 8, -5}, Vec3::UnitZ(), 1.5, 6)});
}

class Fittings : public testing::TestWithParam<bool> {
protected:
    static Job run(const make::Solid& s) { return job_of_shells(s, GetParam()); }
};
INSTANTIATE_TEST_SUITE_P(Straight, Fittings, testing::Values(false));
INSTANTIATE_TEST_SUITE_P(Anywhere, Fittings, testing::Values(true));

TEST_P(Fittings, SolidsThatTouchThemselvesAlongAnEdgeAreClosed) {
    const Job j = run(touching_holes());
    ASSERT_TRUE(j.solids.bodies[0].closed);
    std::vector<int> uses(j.solids.bodies[0].edges.size(), 0);
    for (const Face& f : j.solids.bodies[0].faces)
        for (const auto& loop : f.loops)
            for (const Coedge& u : loop) ++uses[u.edge.index()];
    EXPECT_EQ(std::count(uses.begin(), uses.end(), 2), static_cast<long>(uses.size()));
    EXPECT_NEAR(total_area(j.model), 60 * 40 - 2 * 150, 1e-6);
    EXPECT_NEAR(j.proof.volume_error, 0, 1e-9);
    EXPECT_GT(j.proof.coverage, 0.9999);
    EXPECT_EQ(j.mesh.parts, 1);
    check_mesh(j.model, j.mesh);
}

TEST_P(Fittings, SlantsOfSharpJogsAreWallsHoweverShort) {
    for (const double up : {1.2, 1.6, 4.0}) {
        const Job j = run(sharp_jog(up));
        SCOPED_TRACE(up);
        EXPECT_EQ(j.model.sheets.size(), 3U);
        // The mitres keep the length of the middle line.
        EXPECT_NEAR(total_area(j.model), 10 * (20 + up * std::sqrt(2) + 20 - up), 1e-6);
        EXPECT_NEAR(j.proof.volume_error, 0, 1e-6);
        expect_whole(j);
    }
}

TEST_P(Fittings, BoresAlongAWallDoNotOpenItsSheet) {
    for (const bool rib : {false, true}) {
        SCOPED_TRACE(rib);
        const Job j = run(bored_plate(rib));
        EXPECT_EQ(j.model.sheets.size(), rib ? 2U : 1U);
        EXPECT_NEAR(total_area(j.model), 80 * 40 + (rib ? 40 * 22.5 : 0), 1e-6);
        const BodyProof& p = j.proof.bodies[0];
        EXPECT_NEAR(p.filled, bores, 0.01 * bores);
        EXPECT_NEAR((p.idealized - p.filled) / p.solid, 1, 5e-4);
        EXPECT_GT(j.proof.coverage, 0.999);
        expect_whole(j);
    }
}

TEST_P(Fittings, RoundWallsEndAtALongFlatRim) {
    const Job j = run(cut_cup());
    const double r = 21.25, high = 12 - 0.75, arc = r * (std::asin(16 / r) + std::asin(17 / r));
    double wall = 0;
    for (const Sheet& s : j.model.sheets)
        if (std::holds_alternative<CylinderSurface>(s.chart.surface())) wall += s.area();
    EXPECT_NEAR(wall, 2 * arc * high, 1e-3 * wall);
    EXPECT_GT(j.proof.coverage, 0.999);
    EXPECT_NEAR(j.proof.volume_error, 0, 5e-3);
    expect_whole(j);
}

TEST_P(Fittings, PegsInThePlaneOfAWallAreSolidRegions) {
    const Job j = run(pegs());
    const double peg = pi * 1.5 * 1.5 * 5;
    ASSERT_EQ(j.model.couplings.size(), 2U);
    for (const Coupling& c : j.model.couplings) EXPECT_NEAR(c.volume, peg, 0.1 * peg);
    EXPECT_NEAR(j.proof.volume_error, 0, 2e-3);
    EXPECT_GT(j.proof.coverage, 0.999);
    EXPECT_EQ(j.mesh.parts, 1);
}

TEST(Bores, StayOpenWhereThePlanSaysSo) {
    Plan plan;
    const Job first = job_of(bored_plate(false), plan);
    for (const LedgerEntry& e : ledger_of(first))
        if (e.key.rfind("bore", 0) == 0) plan.halve.keep.push_back(e.key);
    ASSERT_EQ(plan.halve.keep.size(), 3U);
    const Job j = job_of(bored_plate(false), plan);
    EXPECT_NEAR(total_area(j.model), 80 * 40 - 3 * (40 + 40 + 20), 1e-6);
    EXPECT_EQ(j.proof.bodies[0].filled, 0);
}

TEST(Bores, AreInSummaryAndModelFile) {
    const Folder dir;
    make::write_step((dir / "plate.step").string(), {{"plate", bored_plate(true)}});
    const Ran r = halvo_command("run plate.step --out out", dir.path());
    ASSERT_EQ(r.code, 0) << r.out << r.err;
    EXPECT_NE(r.out.find("voids inside walls and openings"), std::string::npos) << r.out;
    EXPECT_NE(slurp(dir / "out/summary.json").find("filled_void_volume"), std::string::npos);
    const Job j = read_model(dir / "out/model.halvo");
    EXPECT_NEAR(j.proof.bodies[0].filled, bores, 0.01 * bores);
}

}  // namespace
