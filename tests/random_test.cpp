// Parts of everyday kinds made up by chance: whole, in one piece, with the solid's volume. Those by number are ones that were not once.
#include "random_parts.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

using namespace test;

namespace {

void expect_random_whole(const RandomPart& part, bool moved) {
    const Job j = job_of_shells(make_random(part), moved);
    SCOPED_TRACE(part.family + " " + std::to_string(part.number) + (moved ? " moved" : ""));
    EXPECT_TRUE(j.proof.within_bounds);
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_LT(std::abs(j.proof.volume_error), 0.003);
    EXPECT_GT(j.proof.coverage, 0.998);
    EXPECT_EQ(count_findings(j, "edge inside the solid"), 0u);
    EXPECT_EQ(count_findings(j, "wall without a sheet"), 0u);
}

}  // namespace

class RandomFamily : public ::testing::TestWithParam<RandomPart> {};

TEST_P(RandomFamily, IsWholeStraightAndMoved) {
    for (const bool moved : {false, true}) expect_random_whole(GetParam(), moved);
}

INSTANTIATE_TEST_SUITE_P(Each, RandomFamily,
                         ::testing::Values(RandomPart{"branch", 0}, RandomPart{"branch", 3}, RandomPart{"chambers", 1}, RandomPart{"chambers", 4},
                                           RandomPart{"flanges", 0}, RandomPart{"flanges", 3}, RandomPart{"flanges", 5}, RandomPart{"frame", 2},
                                           RandomPart{"frame", 19}, RandomPart{"frame", 32}, RandomPart{"node", 13}, RandomPart{"node", 45},
                                           RandomPart{"node", 56}, RandomPart{"smooth", 2}, RandomPart{"smooth", 5}, RandomPart{"uprights", 1},
                                           RandomPart{"uprights", 2}, RandomPart{"vessel", 4}, RandomPart{"vessel", 6}),
                         [](const auto& p) { return p.param.family + std::to_string(p.param.number); });

// Corners of drafted trays: patches that CAD leaves as splines or tori between rounds of unlike radii, each another way.
class RandomTray : public ::testing::TestWithParam<int> {};

TEST_P(RandomTray, IsWholeMoved) {
    expect_random_whole({"tray", GetParam()}, true);
}

INSTANTIATE_TEST_SUITE_P(Each, RandomTray, ::testing::Values(3, 6, 17, 18, 26, 57));

TEST(RandomParts, AreTheSameByNumber) {
    for (const std::string& family : random_families()) {
        const RandomPart part{family, 6};
        EXPECT_DOUBLE_EQ(make::volume(make_random(part)), make::volume(make_random(part))) << family;
    }
}
