// What people read of findings: one entry for each place or cause.
#include "structures.hpp"
#include "support.hpp"

using namespace test;

namespace {

Finding finding_of(FindingKind kind, const std::string& about, const Vec3& place, double size) {
    return {"finding-" + about, kind, about, "mend it", place, size, ""};
}

}  // namespace

TEST(Grouping, EqualPartsAreOneEntryTheLargestFirst) {
    std::vector<Finding> all;
    for (int k = 3; k < 9; ++k)
        all.push_back(finding_of(FindingKind::edge_inside_the_solid, fmt::format("rib (body {}): an edge of {}.5 mm ends in the solid", k, 10 + k),
                                 {1.0 * k, 0, 0}, 10 + k));
    all.push_back(finding_of(FindingKind::near_miss, "lid and box stand 3 mm apart", {0, 5, 0}, 40));
    const auto groups = grouped(all);
    ASSERT_EQ(groups.size(), 2u);
    EXPECT_EQ(groups[0].findings.size(), 1u);
    EXPECT_EQ(groups[0].about, "lid and box stand 3 mm apart");
    EXPECT_EQ(groups[1].findings.size(), 6u);
    EXPECT_EQ(groups[1].findings[0].size, 18);
    EXPECT_EQ(groups[1].about, "6 times alike, the largest: rib (body 8): an edge of 18.5 mm ends in the solid");
}

TEST(Grouping, OnePlaceIsOneEntry) {
    const Vec3 here(1, 2, 3);
    const auto groups = grouped({finding_of(FindingKind::open_body, "a is open", here, 1), finding_of(FindingKind::open_body, "b is open", here, 1),
                                 finding_of(FindingKind::open_body, "a is open", {9, 9, 9}, 1)});
    ASSERT_EQ(groups.size(), 2u);
    EXPECT_EQ(groups[0].about, "a is open; b is open");
    EXPECT_EQ(groups[1].findings.size(), 1u);
}

TEST(Grouping, NothingIsLost) {
    const Job j = job_of(portal(true));
    std::size_t n = 0;
    for (const FindingGroup& g : grouped(findings_of(j))) n += g.findings.size();
    EXPECT_EQ(n, findings_of(j).size());
    EXPECT_LE(grouped(findings_of(j)).size(), 6u);
}
