// Openings that another body lies over, and what filling them does to the proof; ends of members on curved sheets.
#include "scenes.hpp"

#include <gtest/gtest.h>

using namespace test;
using namespace make;

namespace {

// A plate with a hole under a strap and one beside it.
std::vector<Item> strapped() {
    return {{"plate", cut(box({0, 0, 0}, {400, 300, 8}), {cylinder({100, 150, -1}, Vec3::UnitZ(), 20, 10), cylinder({300, 150, -1}, Vec3::UnitZ(), 20, 10)})},
            {"strap", box({50, 110, 8}, {100, 80, 5})}};
}

}  // namespace

TEST(CoveredOpenings, AreFilledByRuleAndAreNoVolumeError) {
    for (const int way : {0, 1}) {
        Scene s{"strap", strapped(), {}};
        const Job open = job_of(s, way);
        s.plan.halve.covered = CoveredAs::filled;
        const Job filled = job_of(s, way);
        const auto plate = [](const Job& j) {
            for (std::size_t b = 0; b < j.solids.bodies.size(); ++b)
                if (j.solids.bodies[b].name == "plate") return BodyId(b);
            return BodyId();
        };
        const auto area = [&](const Job& j) {
            double out = 0;
            for (const Sheet& k : j.model.sheets)
                if (k.body == plate(j)) out += k.area();
            return out;
        };
        EXPECT_NEAR(area(open), 400 * 300 - 2 * pi * 400, 1e-3);
        EXPECT_NEAR(area(filled), 400 * 300 - pi * 400, 1e-3);
        expect_whole(filled);
        EXPECT_NEAR(filled.proof.bodies[plate(filled).index()].filled, pi * 400 * 8, 1);
    }
}

TEST(CoveredOpenings, OfAnySizeThatThePlanFillsAreNoVolumeError) {
    const std::vector<Item> items{{"grid", cut(box({0, 0, 0}, {200, 100, 4}), {box({20, 20, -1}, {60, 60, 6}), box({120, 20, -1}, {60, 60, 6})})}};
    Plan p;
    p.halve.openings = 60;
    const Job j = job_of(items, p);
    EXPECT_NEAR(total_area(j.model), 200 * 100, 1e-6);
    expect_whole(j);
    EXPECT_NEAR(j.proof.bodies[0].filled, 2 * 60 * 60 * 4, 1e-6);
}

TEST(Footprint, OfATubeOnADrumIsItsProfileOnTheCurvedSheet) {
    // A post stands on a drum of 300 mm radius, square to its skin.
    const Solid drum = cut(cylinder({0, 0, -400}, Vec3::UnitZ(), 300, 800), {cylinder({0, 0, -401}, Vec3::UnitZ(), 292, 802)});
    const Solid post = moved(cut(cylinder({0, 0, 200}, Vec3::UnitZ(), 50, 1300),
                                 {
                                     cylinder({0, 0, 100}, Vec3::UnitZ(), 46, 1500),
                                 }),
                             place({0, 0, 0}, Vec3::UnitX()));
    const Solid seat = cut(post, {cylinder({0, 0, -400}, Vec3::UnitZ(), 300, 800)});
    for (const int way : {0, 1}) {
        const Job j = job_of(Scene{"post", {{"drum", drum}, {"post", seat}}, {}}, way);
        ASSERT_EQ(j.model.members.size(), 1u);
        const auto c = std::ranges::find_if(j.model.couplings, [&](const Coupling& k) { return k.body == j.model.members[0].body; });
        ASSERT_NE(c, j.model.couplings.end());
        double length = 0;
        for (const EdgeId e : c->edges) {
            length += j.model.length(e);
            for (const double share : {0.0, 0.3, 0.7}) {
                const Curve& k = j.model.edges[e.index()].curve;
                double off = 1e9;
                for (const Sheet& s : j.model.sheets) off = std::min(off, std::abs(s.chart.height(k.point(k.parameter_at(share)))));
                EXPECT_LT(off, 1e-3);
            }
        }
        EXPECT_NEAR(length, 2 * pi * 50, 1);  // its outline, a little longer than the circle: it goes round on the drum
        EXPECT_EQ(j.mesh.parts, 1);
        expect_whole(j);
    }
}
