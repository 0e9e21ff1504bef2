// Solid regions of thin parts: walls end at them, and they are rigid masses coupled to what ends there.
#include "curved_parts.hpp"

#include <gtest/gtest.h>

using namespace test;
using make::box;
using make::cylinder;
using make::fuse;

namespace {

struct Bulky {
    std::string name;
    std::function<make::Solid()> solid;
    double volume;      // of the solid region
    double area;        // of the sheets
    std::size_t edges;  // coupled; 0: points are
};

const std::vector<Bulky>& bulky() {
    static const std::vector<Bulky> all = {
        {"pipe on a block",
         [] {
             return fuse({box({-60, -60, -50}, {120, 120, 50}), pipe(30, 3, 150)});
         },
         120 * 120 * 50.0, 2 * pi * 28.5 * 150, 1},
        {"plug in a pipe",
         [] {
             return fuse({pipe(40, 2, 300), cylinder({0, 0, 130}, Vec3::UnitZ(), 38, 60)});
         },
         pi * 40 * 40 * 60, 2 * pi * 39 * 240, 2},
        {"boss on a plate",
         [] {
             return fuse({box({0, 0, 0}, {200, 150, 4}), cylinder({100, 75, 0}, Vec3::UnitZ(), 25, 40)});
         },
         pi * 25 * 25 * 40, 200 * 150 - pi * 25 * 25, 1},
    };
    return all;
}

class SolidRegion : public ::testing::TestWithParam<std::size_t> {};

}  // namespace

TEST_P(SolidRegion, IsAMassThatTheWallsEndAt) {
    const Bulky& b = bulky()[GetParam()];
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? make::moved(b.solid(), anywhere()) : b.solid());
        EXPECT_NEAR(total_area(j.model), b.area, 1e-3 * b.area);
        ASSERT_EQ(j.model.couplings.size(), 1u);
        const Coupling& c = j.model.couplings[0];
        EXPECT_NEAR(c.volume, b.volume, 1e-3 * b.volume);
        EXPECT_EQ(c.edges.size(), b.edges);
        EXPECT_EQ(connected_parts(j.model).count, 1);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_LT(std::abs(j.proof.volume_error), 1e-3);
        EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
        EXPECT_TRUE(findings_of(j).empty());
        EXPECT_GT(j.proof.coverage, 0.995) << "skin before the solid region is its own";
        check_mesh(j.model, j.mesh);
    }
}

TEST_P(SolidRegion, StaysNamedWhereThePlanWantsThat) {
    Plan plan;
    plan.halve.bulk = BulkAs::named;
    const Job j = job_of(bulky()[GetParam()].solid(), plan);
    EXPECT_TRUE(j.model.couplings.empty());
    EXPECT_TRUE(std::ranges::any_of(findings_of(j), [](const Finding& f) { return f.kind == FindingKind::skin_without_sheet; }));
    EXPECT_FALSE(j.proof.within_bounds);
}

INSTANTIATE_TEST_SUITE_P(All, SolidRegion, ::testing::Values(0, 1, 2));

// The top of a block goes on in a thin shelf in one plane, and is the shelf's side: what lies on it over the block is held by the block.
TEST(SolidRegions, HoldWhatLiesOnAFaceThatGoesOnOverAWall) {
    const make::Solid bracket = make::unify(make::fuse({make::box({0, 0, 0}, {60, 60, 40}), make::box({60, 0, 38}, {140, 60, 2})}));
    for (const bool over_block : {true, false}) {
        const std::vector<make::Item> items{{"bracket", bracket}, {"plate", make::box({over_block ? 10.0 : 110.0, 10, 40}, {40, 40, 1.5})}};
        const Job j = job_of(items);
        EXPECT_EQ(j.mesh.parts, 1);
        ASSERT_EQ(j.proof.contacts.size(), 1u);
        EXPECT_TRUE(j.proof.contacts[0].joined);
        EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
        const auto coupled = std::count_if(j.model.joints.begin(), j.model.joints.end(), [](const JointRecord& r) { return r.kind == JointKind::coupling; });
        EXPECT_EQ(coupled, over_block ? 1 : 0);
    }
}

// Both sides of a trough hang together by its bottom, thinner than the grid they are found on, and so does the pin under it: one region.
TEST(SolidRegions, TroughIsOneOverItsThinBottom) {
    const make::Solid trough = make::cut(make::box({0, 0, 0}, {70, 20, 14}), {cylinder({-1, 10, 9.3}, Vec3::UnitX(), 9, 72)});
    const make::Solid part = fuse({trough, make::box({10, 9, -6}, {0.4, 2, 6.1}), make::box({-2, 0, 0}, {2, 20, 22}), make::box({70, 0, 0}, {2, 20, 22})});
    // The trough's own end faces and the plates' rims lie in one plane: as one face they are no loose face of the trough any more.
    Plan plan;
    plan.mend.merge = false;
    for (const bool moved : {false, true}) {
        const Job j = job_of(moved ? make::moved(part, anywhere()) : part, plan);
        EXPECT_EQ(j.mesh.parts, 1);
        ASSERT_EQ(j.model.couplings.size(), 1u);
        EXPECT_EQ(j.model.couplings[0].edges.size(), 3u) << "of both end plates, and of the pin";
        EXPECT_NEAR(j.model.couplings[0].volume, make::volume(part) - 2 * 440 * 2 - 0.4 * 2 * 6, 0.02 * make::volume(trough));
        EXPECT_LT(std::abs(j.proof.volume_error), 1e-4);
        EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
    }
}

TEST(SolidRegions, FinsOnABlockAreOnePart) {
    const Job j = job_of(finned_block());
    EXPECT_EQ(j.model.couplings.size(), 1u);
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_LT(std::abs(j.proof.volume_error), 1e-3);
}

TEST(SolidRegions, PinThroughALugHoldsItsSheetByPoints) {
    const make::Solid s = fuse({pipe(40, 3, 300), box({38, -4, 100}, {60, 8, 80}), cylinder({85, -15, 140}, Vec3::UnitY(), 12, 30)});
    const Job j = job_of(s);
    ASSERT_EQ(j.model.couplings.size(), 1u);
    EXPECT_FALSE(j.model.couplings[0].vertices.empty() && j.model.couplings[0].edges.empty());
    EXPECT_EQ(j.mesh.parts, 1);
    check_mesh(j.model, j.mesh);
}

// Only the bottom of the bore is skin of no wall: the region goes on under it as far as the solid does.
TEST(SolidRegions, FloorsUnderBlindBoresAreAsDeepAsTheSolid) {
    for (const double floor : {4.0, 9.0, 22.0})
        for (const bool turned : {false, true}) {
            SCOPED_TRACE(::testing::Message() << floor << " deep, " << (turned ? "turned" : "straight"));
            const double height = floor + 20;
            const make::Solid s = make::cut(fuse({box({0, 0, 0}, {60, 50, 2.5}), cylinder({30, 25, 1}, Vec3::UnitZ(), 5, height + 1.5)}),
                                            {cylinder({30, 25, 2.5 + floor}, Vec3::UnitZ(), 3.5, height)});
            const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
            ASSERT_EQ(j.model.couplings.size(), 1u);
            // The core at least; at most all that is under the bore, with the plate.
            EXPECT_GT(j.model.couplings[0].volume, pi * 3.5 * 3.5 * floor);
            EXPECT_LT(j.model.couplings[0].volume, 1.001 * pi * 25 * (floor + 2.5));
            // Over a low floor the boss's wall goes on to the plate, and the corner there, full in the solid, counts twice.
            const double corner = floor < 5 ? 2 * pi * 4.625 * 0.75 * 1.25 / (60 * 50 * 2.5) : 0;
            EXPECT_LT(std::abs(j.proof.volume_error), corner + 1e-3);
            EXPECT_GT(j.proof.coverage, 0.999);
            EXPECT_EQ(j.mesh.parts, 1);
            EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
            EXPECT_TRUE(findings_of(j).empty());
        }
}

// The material of bosses outside the plates they stand on, as the grid tells it and not as what is left.
TEST(SolidRegions, BossesHaveTheVolumeOutsideTheirPlates) {
    std::vector<make::Solid> all{box({0, 0, 0}, {160, 120, 10})};
    for (const double y : {30.0, 80.0}) {
        all.push_back(make::moved(make::extrude({make::polygon({{-50, 0}, {50, 0}, {50, 40}, {25, 80}, {-25, 80}, {-50, 40}})}, 10),
                                  make::place({80, y + 10, 5}, -Vec3::UnitY(), Vec3::UnitX())));
        all.push_back(cylinder({80, y, 85}, Vec3::UnitY(), 25, 10));
        all.push_back(cylinder({80, y - 4, 85}, Vec3::UnitY(), 18, 18));
    }
    const make::Solid s = make::cut(make::unify(fuse(all)), {cylinder({80, -10, 85}, Vec3::UnitY(), 10, 200)});
    const double outside = pi * (18 * 18 - 10 * 10) * 8;
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        EXPECT_EQ(j.model.sheets.size(), 3u);
        ASSERT_EQ(j.model.couplings.size(), 2u);
        for (const Coupling& c : j.model.couplings) EXPECT_NEAR(c.volume, outside, 2e-3 * outside);
        EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
        // A sheet that is wrong does not hide in them: then they keep the grid's volume, near the true one.
        Job wrong;
        wrong.solids = j.solids;
        HalveOptions thin = j.plan.halve;
        thin.refuse.push_back(j.model.sheets[0].wall);
        wrong.model = halve(wrong.solids, thin);
        for (const Coupling& c : wrong.model.couplings) EXPECT_NEAR(c.volume, outside, 0.05 * outside);
    }
}

TEST(SolidRegions, BulbsAlongStiffenersAreSheets) {
    std::vector<make::Solid> all{box({0, 0, 0}, {800, 600, 10})};
    for (const double x : {200.0, 400.0, 600.0})
        all.push_back(make::moved(make::extrude({make::polygon({{0, 0}, {9, 0}, {9, 150}, {30, 165}, {30, 175}, {25, 180}, {0, 180}})}, 600),
                                  make::place({x, 600, 5}, -Vec3::UnitY(), Vec3::UnitX())));
    const make::Solid s = make::unify(fuse(all));
    Plan plan;
    plan.halve.slender = SlenderAs::shells;
    for (const bool turned : {false, true}) {
        const Job j = job_of({{"deck", turned ? make::moved(s, anywhere()) : s}}, plan);
        EXPECT_EQ(j.model.sheets.size(), 4u);
        EXPECT_TRUE(j.model.couplings.empty()) << "rigid, they would stiffen the webs";
        EXPECT_NEAR(total_area(j.model), 600 * (800 + 3 * 180), 1e-4);
        EXPECT_NEAR(j.proof.volume_error, 0, 4e-3);
        EXPECT_LT(j.proof.centroid_error, 0.5);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_EQ(j.mesh.quality.quad_share, 1);
        check_mesh(j.model, j.mesh);
    }
}

TEST(Ball, ClosedAndHollowIsTwoHalves) {
    for (const bool turned : {false, true}) {
        const make::Solid s = make::cut(make::ball({0, 0, 0}, 80), {make::ball({0, 0, 0}, 77)});
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        ASSERT_EQ(j.model.sheets.size(), 2u);
        EXPECT_NEAR(total_area(j.model), 4 * pi * 78.5 * 78.5, 1e-5 * 4 * pi * 78.5 * 78.5);
        EXPECT_NEAR(seam_length(j.model, "smooth"), 2 * pi * 78.5, 1e-6);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_NEAR(j.mesh.free_edge_length, 0, 1e-9);
        EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
        check_mesh(j.model, j.mesh);
    }
}

TEST(Ball, WithAPipeThroughItsMiddle) {
    const make::Solid out = fuse({make::ball({0, 0, 0}, 80), cylinder({-200, 0, 0}, Vec3::UnitX(), 30, 400)});
    const make::Solid in = fuse({make::ball({0, 0, 0}, 77), cylinder({-210, 0, 0}, Vec3::UnitX(), 27, 420)});
    const make::Solid s = make::cut(out, {in});
    const Job j = job_of(s);
    EXPECT_EQ(j.model.sheets.size(), 4u);
    EXPECT_EQ(connected_parts(j.model).count, 1);
    const double r = 28.5, reach = std::sqrt(78.5 * 78.5 - r * r);
    EXPECT_NEAR(total_area(j.model), 2 * 2 * pi * r * (200 - reach) + 2 * 2 * pi * 78.5 * reach, 1e-4 * 4 * pi * 78.5 * 78.5);
    EXPECT_NEAR(seam_length(j.model, "corner"), 2 * 2 * pi * r, 1e-5);
    EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
    check_mesh(j.model, j.mesh);
}

TEST(SolidRegion, IsAThickSheetWhenThePlanSaysSo) {
    // A boss on a plate, a block with a plate each side, both here and anywhere.
    const make::Solid boss = fuse({box({0, 0, 0}, {200, 150, 4}), cylinder({100, 75, 0}, Vec3::UnitZ(), 25, 40)});
    Plan plan;
    plan.halve.bulk = BulkAs::sheet;
    plan.mesh.angle = 0.25;  // chords of the boss's outline would take a tenth of its mass
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? make::moved(boss, anywhere()) : boss, plan);
        EXPECT_TRUE(j.model.couplings.empty());
        EXPECT_EQ(connected_parts(j.model).count, 1);
        double thickest = 0;
        for (const Sheet& s : j.model.sheets) thickest = std::max(thickest, s.thickness.max);
        EXPECT_NEAR(thickest, 40, 1e-6);
        EXPECT_NEAR(total_area(j.model), 200 * 150, 1e-3 * 200 * 150);
        EXPECT_LT(std::abs(j.proof.volume_error), 5e-3);
        EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
        check_mesh(j.model, j.mesh);
    }
}

namespace {

// A plate with a block on it, 12 high.
make::Solid plate_with_block() {
    return fuse({box({0, 0, 0}, {80, 60, 2}), box({34, 24, 1}, {12, 12, 11})});
}

}  // namespace

TEST(SolidRegions, HoldTheSheetsOfOtherBodiesThatTouchThem) {
    for (const bool moved : {false, true}) {
        const auto placed = [&](const make::Solid& s) { return moved ? make::moved(s, anywhere()) : s; };
        const Job j = job_of({{"base", placed(plate_with_block())}, {"lid", placed(box({10, 10, 12}, {60, 40, 1.5}))}});
        EXPECT_EQ(joint_count(j.model, "coupling"), 1);
        EXPECT_EQ(j.mesh.parts, 1);
        ASSERT_EQ(j.proof.contacts.size(), 1u);
        EXPECT_TRUE(j.proof.contacts[0].joined);
        EXPECT_EQ(j.proof.rigid_body_modes, 6);
        expect_whole(j);
    }
}

TEST(SolidRegions, HoldEachOtherAndBlocks) {
    const auto on_top = make::place({0, 60, 24}, -Vec3::UnitZ(), Vec3::UnitX());
    const Job j = job_of({{"base", plate_with_block()}, {"lid", make::moved(plate_with_block(), on_top)}, {"block", box({46, 26, 6}, {8, 8, 4})}});
    EXPECT_EQ(joint_count(j.model, "coupling"), 2);
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_EQ(j.proof.rigid_body_modes, 6);
    for (const ContactProof& c : j.proof.contacts) EXPECT_TRUE(c.joined);
    EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
}
