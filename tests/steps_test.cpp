// Walls whose thickness goes from one to another over a chamfer, a fillet or a taper: the step lies half-way, each piece at its own middle.
#include "curved_parts.hpp"
#include "spoilt.hpp"

#include <gtest/gtest.h>

using namespace test;

namespace {

// Profile in x and y, 80 wide.
make::Solid bar(const std::vector<Vec2>& profile) {
    return make::moved(make::extrude({make::polygon(profile)}, 80), make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
}

make::Solid turned_steps(const std::vector<Vec2>& profile) {
    return make::moved(make::revolve({make::polygon(profile)}, Vec3::Zero(), Vec3::UnitY(), 2 * pi), make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
}

struct Stepped {
    std::string name;
    std::function<make::Solid()> solid;
    std::array<double, 2> thickness, area;  // of both pieces, closed form
    double volume;                          // by which the volume may be off: a cone's slope is not half of it at its middle
};

const std::vector<Stepped>& stepped_wall() {
    static const std::vector<Stepped> all = {
        {"chamfered",
         [] {
             return bar({{0, 0}, {200, 0}, {200, 3}, {103, 3}, {100, 6}, {0, 6}});
         },
         {6, 3},
         {80 * 101.5, 80 * 98.5},
         1e-9},
        {"tapered",
         [] {
             return bar({{0, 0}, {200, 0}, {200, 3}, {112, 3}, {100, 6}, {0, 6}});
         },
         {6, 3},
         {80 * 106.0, 80 * 94.0},
         1e-9},
        {"tapered on both sides",
         [] {
             return bar({{0, 0}, {100, 0}, {106, 1.5}, {200, 1.5}, {200, 4.5}, {106, 4.5}, {100, 6}, {0, 6}});
         },
         {6, 3},
         {80 * 103.0, 80 * 97.0},
         1e-9},
        {"round pad with a chamfer",
         [] {
             return turned_steps({{0, 0}, {100, 0}, {100, 3}, {34, 3}, {30, 7}, {0, 7}});
         },
         {7, 3},
         {pi * 32 * 32, pi * (100 * 100 - 32 * 32)},
         3e-4},
        {"pipe with a thick end",
         [] {
             return turned_steps({{50, 0}, {58, 0}, {58, 92}, {54, 104}, {54, 200}, {50, 200}});
         },
         {8, 4},
         {},
         1e-3},
    };
    return all;
}

class Slope : public ::testing::TestWithParam<std::size_t> {};

}  // namespace

TEST_P(Slope, IsAStepHalfWay) {
    const Stepped& p = stepped_wall()[GetParam()];
    for (const bool moved : {false, true}) {
        Plan plan;
        plan.mesh.angle = 0.1;  // round steps are to have their areas
        const Job j = job_of(moved ? make::moved(p.solid(), anywhere()) : p.solid(), plan);
        // A round wall has its pieces at their own radii.
        ASSERT_EQ(j.model.sheets.size(), std::string(p.name) == "pipe with a thick end" ? 2u : 1u);
        EXPECT_NEAR(j.proof.volume_error, 0, p.volume);
        EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
        EXPECT_GT(j.mesh.quality.quad_share, 0.96);
        // Elements have one thickness or the other, nothing between; together as much of each as the pieces have.
        std::array<double, 2> area{};
        for (const Element& e : j.mesh.elements) {
            if (e.kind != ElementKind::shell) continue;
            const bool thick = std::abs(e.thickness - p.thickness[0]) < 1e-6;
            EXPECT_TRUE(thick || std::abs(e.thickness - p.thickness[1]) < 1e-6) << e.thickness;
            const auto at = [&](std::size_t k) { return j.mesh.nodes[static_cast<std::size_t>(e.nodes[k])]; };
            area[thick ? 0 : 1] += 0.5 * (at(2) - at(0)).cross(at(e.count == 4 ? 3 : 0) - at(1)).norm();
        }
        for (std::size_t k : {0u, 1u})
            if (p.area[k] > 0) {
                EXPECT_NEAR(area[k], p.area[k], 0.01 * p.area[k]) << p.name;
            }
    }
}

INSTANTIATE_TEST_SUITE_P(All, Slope, ::testing::Range<std::size_t>(0, 5), [](const auto& i) {
    std::string name = stepped_wall()[i.param].name;
    std::replace(name.begin(), name.end(), ' ', '_');
    return name;
});

TEST(Slopes, StandForTheirVolumeAtEitherSide) {
    // A pipe's thick end reaches outward alone: seen from the side, its middle lies elsewhere than that of the rest.
    for (const Reference side : {Reference::outer, Reference::inner})
        for (const std::size_t k : {3u, 4u}) {
            Plan plan;
            plan.halve.reference = side;
            const Job j = job_of(stepped_wall()[k].solid(), plan);
            ASSERT_EQ(j.model.sheets.size(), 1u);
            EXPECT_TRUE(j.model.sheets[0].placed);
            EXPECT_NEAR(j.proof.volume_error, 0, stepped_wall()[k].volume) << stepped_wall()[k].name;
            EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
        }
}
