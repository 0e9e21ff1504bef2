// Parts as they are built: pipes into a header, blades on a hub, ribs three ways, a bottle. Each here and anywhere.
#include "curved_parts.hpp"
#include "spoilt.hpp"

#include <gtest/gtest.h>

#include <cmath>

using namespace test;
using make::Solid;

namespace {

Solid solid_round_axis(const Solid& s, double angle) {
    return make::moved(s, make::place({0, 0, 0}, Vec3::UnitZ(), {std::cos(angle), std::sin(angle), 0}));
}

// Three bent pipes from a flange into a pipe across. Their bores run straight on for 2 mm beyond the flange, where the bends have begun.
Solid manifold() {
    std::vector<Solid> out{make::box({-25, -75, -6}, {50, 150, 6}), make::cylinder({120, -90, 60}, Vec3::UnitY(), 24, 180)};
    std::vector<Solid> bores{make::cylinder({120, -91, 60}, Vec3::UnitY(), 22, 182)};
    for (const double y : {-50.0, 0.0, 50.0})
        for (auto [all, r] : {std::pair(&out, 16.0), std::pair(&bores, 14.0)}) {
            all->push_back(make::moved(make::revolve({make::circle(r)}, {60, 0, 0}, Vec3::UnitY(), pi / 2), make::place({0, y, 0})));
            all->push_back(make::cylinder({60, y, 60}, Vec3::UnitX(), r, 60));
            if (r < 15) all->push_back(make::cylinder({0, y, -10}, Vec3::UnitZ(), r, 12));
        }
    return make::cut(make::unify(make::fuse(out)), bores);
}

// Five twisted blades on a solid cone.
Solid rotor() {
    const auto section = [](double turn) {
        std::vector<Vec2> p{{-14, -1}, {14, -1}, {14, 1}, {-14, 1}};
        for (Vec2& q : p) q = Eigen::Rotation2Dd(turn) * q;
        return p;
    };
    std::vector<Solid> all{make::moved(make::revolve({make::polygon({{15, 0}, {20, 0}, {40, 30}, {40, 34}, {15, 34}})}, Vec3::Zero(), Vec3::UnitY(), 2 * pi),
                                       make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()))};
    const Solid blade = make::moved(make::taper(section(0.5), section(0.9), 60), make::place({27, 0, 20}, Vec3::UnitX(), Vec3::UnitZ()));
    for (int i = 0; i < 5; ++i) all.push_back(solid_round_axis(blade, i * 2 * pi / 5));
    return make::unify(make::fuse(all));
}

// A plate with ribs in three directions and a border, the corners between the ribs rounded: at each node more material than the ribs hold.
Solid triangular_grid() {
    const double step = 30 * std::sqrt(3.0), length = 180, width = 3 * step;
    std::vector<Solid> ribs;
    for (int k = 0; k < 3; ++k)
        for (int i = -3; i <= 3; ++i) {
            const Vec3 along(std::cos(k * pi / 3), std::sin(k * pi / 3), 0), across(-along.y(), along.x(), 0);
            ribs.push_back(
                make::moved(make::box({-200, -1, 1}, {400, 2, 11}), make::place(Vec3(0.5 * length, 0.5 * step, 0) + i * step * across, Vec3::UnitZ(), along)));
        }
    const Solid outside = make::cut(make::box({-300, -300, 0}, {900, 900, 20}), {make::box({0, 0, -1}, {length, width, 30})});
    const Solid border = make::cut(make::box({0, 0, 0}, {length, width, 12}), {make::box({2, 2, -1}, {length - 4, width - 4, 20})});
    const Solid sharp = make::unify(make::fuse({make::box({0, 0, 0}, {length, width, 1.5}), make::cut(make::fuse(ribs), {outside}), border}));
    return make::rounded_edges(
        sharp, 3, [&](const Vec3& m) { return std::abs(m.z() - 6.75) < 0.5 && m.x() > 3 && m.x() < length - 3 && m.y() > 3 && m.y() < width - 3; });
}

// Turned from a spline, with a bottom: many facets, of which only some are looked at.
Solid bottle() {
    const auto skin = [](double in) {
        std::vector<Vec3> points, tangents;
        for (int i = 0; i <= 40; ++i) points.emplace_back(40 - 8 * std::pow(std::sin(pi * i / 40), 2) - 22 / (1 + std::exp(-(i - 32) / 2.0)) - in, 5.0 * i, 0);
        for (std::size_t i = 0; i < points.size(); ++i)
            tangents.push_back((points[std::min(i + 1, points.size() - 1)] - points[i == 0 ? 0 : i - 1]).normalized());
        return curve_through(points, tangents, 1e-6);
    };
    const Curve out = skin(0), in = skin(1.5);
    const std::vector<Curve> wall{out, Curve::segment(out.end(), in.end()), in.reversed(), Curve::segment(in.start(), out.start())};
    const Solid turned = make::moved(make::revolve({wall}, Vec3::Zero(), Vec3::UnitY(), 2 * pi), make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
    return make::unify(make::fuse({turned, make::cylinder({0, 0, 0}, Vec3::UnitZ(), 39, 2)}));
}

struct Built {
    std::string name;
    std::function<Solid()> solid;
    std::size_t sheets, couplings;
    double volume, quads;  // bounds
};

const std::vector<Built>& built() {
    static const std::vector<Built> all = {{"pipes_into_a_header", manifold, 8, 0, 2e-3, 0.92},
                                           {"blades_on_a_hub", rotor, 5, 1, 1e-3, 0.99},
                                           {"ribs_three_ways", triangular_grid, 16, 8, 2e-3, 0.95},
                                           {"bottle", bottle, 2, 0, 4e-3, 0.99}};
    return all;
}

class BuiltPart : public ::testing::TestWithParam<std::size_t> {};

}  // namespace

TEST_P(BuiltPart, IsWholeHereAndAnywhere) {
    const Built& b = built()[GetParam()];
    std::array<double, 2> area{};
    for (const bool moved : {false, true}) {
        Plan plan;
        plan.halve.slender = SlenderAs::shells;
        const Job j = job_of({{b.name, moved ? make::moved(b.solid(), anywhere()) : b.solid()}}, plan);
        EXPECT_EQ(j.model.sheets.size(), b.sheets);
        EXPECT_EQ(j.model.couplings.size(), b.couplings);
        EXPECT_LT(std::abs(j.proof.volume_error), b.volume);
        EXPECT_GT(j.proof.coverage, 0.999);
        EXPECT_GT(j.mesh.quality.quad_share, b.quads);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_TRUE(j.proof.within_bounds) << (j.proof.outside.empty() ? "" : j.proof.outside[0]);
        area[moved] = total_area(j.model);
    }
    EXPECT_NEAR(area[1] / area[0], 1, 1e-4);
}

INSTANTIATE_TEST_SUITE_P(All, BuiltPart, ::testing::Range<std::size_t>(0, 4), [](const auto& i) { return built()[i.param].name; });

TEST(Leftovers, RefusedWallsAreNotLost) {
    // A wall that the plan refuses is not lost.
    const Solid tee = make::fuse({make::box({0, 0, 0}, {200, 100, 4}), make::box({98, 0, 4}, {4, 100, 60})});
    Job j = job_of(tee);
    ASSERT_EQ(j.model.sheets.size(), 2u);
    HalveOptions options = j.plan.halve;
    options.refuse.push_back(j.model.sheets[1].wall);
    const Model without = halve(j.solids, options);
    EXPECT_EQ(without.sheets.size(), 1u);
    EXPECT_TRUE(std::none_of(without.findings.begin(), without.findings.end(), [](const Finding& f) { return f.kind == FindingKind::wall_without_sheet; }));
}
