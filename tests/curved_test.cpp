// Walls of every kind, one solid each: areas and thicknesses against closed forms, one connected part, nothing left out.
#include "curved_parts.hpp"

#include <algorithm>
#include <cmath>

using namespace test;

namespace {

class CurvedWall : public testing::TestWithParam<int> {
protected:
    const CurvedPart& part() const { return curved_parts()[static_cast<std::size_t>(GetParam())]; }
};

std::string part_name(const testing::TestParamInfo<int>& info) {
    std::string s = curved_parts()[static_cast<std::size_t>(info.param)].name;
    std::replace(s.begin(), s.end(), ' ', '_');
    return s;
}

void expect_whole(const CurvedPart& p, const Job& job) {
    EXPECT_EQ(connected_parts(job.model).count, 1);
    EXPECT_TRUE(job.proof.within_bounds) << (job.proof.outside.empty() ? "" : job.proof.outside[0]);
    EXPECT_LT(std::abs(job.proof.volume_error), 0.01);
    EXPECT_GT(job.proof.coverage, p.coverage);
    EXPECT_LT(job.proof.thickness_error, p.thickness > 0 ? 1e-6 : 1e-3);
    if (p.sheets > 0) {
        EXPECT_EQ(job.model.sheets.size(), static_cast<std::size_t>(p.sheets));
    }
    if (p.area > 0) {
        EXPECT_NEAR(total_area(job.model) / p.area, 1, p.tolerance);
    }
    if (p.thickness > 0)
        for (const Sheet& s : job.model.sheets) {
            EXPECT_NEAR(s.thickness.min, p.thickness, 1e-6 * p.thickness);
            EXPECT_NEAR(s.thickness.max, p.thickness, 1e-6 * p.thickness);
        }
    check_mesh(job.model, job.mesh);
}

}  // namespace

TEST_P(CurvedWall, IsWhole) {
    expect_whole(part(), job_of(part().solid()));
}

INSTANTIATE_TEST_SUITE_P(Every, CurvedWall, testing::Range(0, static_cast<int>(curved_parts().size())), part_name);
