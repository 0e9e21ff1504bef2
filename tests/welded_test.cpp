// Parts in one solid whose walls run into each other: lines of contact, round walls into flat ones, small tubes on large plates, spirals. Each
// is one mesh of the solid's volume, and no sheet ends inside the solid.
#include "curved_parts.hpp"
#include "prove/mechanisms.hpp"
#include "spoilt.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>

using namespace test;
using make::Solid;

namespace {

Curve welded_arc(const Vec2& centre, double radius, double from, double to) {
    Curve c{CircleCurve{{{centre.x(), centre.y(), 0}, Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()}, radius}, std::min(from, to), std::max(from, to)};
    return to < from ? c.reversed() : c;
}

// Eight half waves of 1 mm, mean radius 10, between face sheets that they run into by 0.7 mm.
Solid sandwich() {
    std::vector<Curve> one, two;
    for (int i = 0; i < 8; ++i) {
        const double s = i % 2 ? -1 : 1;
        one.push_back(welded_arc({20.0 * i, 0}, 10 - 0.5 * s, pi, s > 0 ? 0 : 2 * pi)),
            two.push_back(welded_arc({20.0 * i, 0}, 10 + 0.5 * s, pi, s > 0 ? 0 : 2 * pi));
    }
    std::vector<Curve> loop = one;
    loop.push_back(Curve::segment(one.back().end(), two.back().end()));
    for (const Curve& c : make::reversed(two)) loop.push_back(c);
    loop.push_back(Curve::segment(two[0].start(), one[0].start()));
    const Solid core = make::moved(make::extrude({loop}, 100), make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
    return make::unify(make::fuse({core, make::box({-12, -100, 9.8}, {164, 100, 1}), make::box({-12, -100, -10.8}, {164, 100, 1})}));
}

Solid welded_plate() {
    return make::box({-60, -50, 0}, {120, 200, 4});
}

Solid lying(const Solid& s, double height) {
    return make::moved(s, make::place({0, -20, height}, Vec3::UnitY(), Vec3::UnitX()));
}

Solid pipe(double outside, double inside, double length) {
    return make::cut(make::cylinder({0, 0, 0}, Vec3::UnitZ(), outside, length), {make::cylinder({0, 0, -1}, Vec3::UnitZ(), inside, length + 2)});
}

// Let into the plate by 1.5 mm along a line.
Solid pipe_in_plate() {
    return make::unify(make::fuse({welded_plate(), lying(pipe(20, 18, 140), 22.5)}));
}

Solid pipes_side_by_side() {
    std::vector<Solid> pipes, bores;
    for (int i = 0; i < 4; ++i)
        pipes.push_back(make::moved(pipe(20, 17, 140), make::place({39.0 * i, 0, 0}))),
            bores.push_back(make::cylinder({39.0 * i, 0, -1}, Vec3::UnitZ(), 17, 142));
    return make::unify(make::cut(make::fuse(pipes), bores));
}

Solid welded_half_pipe() {
    return make::unify(make::fuse({welded_plate(), make::cut(lying(pipe(20, 18, 140), 4), {make::box({-60, -150, -50}, {120, 400, 52})})}));
}

// A square tube with gussets on a base plate: its corners' rounds are small against the plate.
Solid post() {
    std::vector<Solid> all{make::moved(make::extrude(make::rectangular_tube(60, 60, 4, 6), 300), make::place({0, 0, 8})),
                           make::box({-75, -75, 0}, {150, 150, 10})};
    const Solid gusset =
        make::moved(make::extrude({make::polygon({{0, 0}, {42, 0}, {42, 8}, {8, 60}, {0, 60}})}, 6), make::place({29, 3, 9}, -Vec3::UnitY(), Vec3::UnitX()));
    for (int i = 0; i < 4; ++i) all.push_back(make::moved(gusset, make::place({0, 0, 0}, Vec3::UnitZ(), {std::cos(i * pi / 2), std::sin(i * pi / 2), 0})));
    std::vector<Solid> holes;
    for (const double x : {-60.0, 60.0})
        for (const double y : {-60.0, 60.0}) holes.push_back(make::cylinder({x, y, -1}, Vec3::UnitZ(), 7, 20));
    return make::unify(make::cut(make::fuse(all), holes));
}

// A spiral wall on a side plate: past its ends the spline would lead across itself.
Solid volute() {
    std::vector<Vec3> inside, outside;
    constexpr int n = 60;
    for (int i = 0; i <= n; ++i) {
        const double a = 1.75 * pi * i / n, r = 60 + 35.0 * i / n;
        inside.emplace_back(r * std::cos(a), r * std::sin(a), 0);
    }
    const auto ways = [](const std::vector<Vec3>& q) {
        std::vector<Vec3> t;
        for (std::size_t i = 0; i < q.size(); ++i) t.push_back((q[std::min(i + 1, q.size() - 1)] - q[i == 0 ? 0 : i - 1]).normalized());
        return t;
    };
    const auto along = ways(inside);
    for (std::size_t i = 0; i < inside.size(); ++i) outside.push_back(inside[i] + 3 * Vec3(along[i].y(), -along[i].x(), 0));
    const Curve in = curve_through(inside, along, 1e-6), out = curve_through(outside, ways(outside), 1e-6);
    const Solid wall = make::extrude({{out, Curve::segment(out.end(), in.end()), in.reversed(), Curve::segment(in.start(), out.start())}}, 50);
    const Solid side = make::moved(make::extrude({{out, Curve::segment(out.end(), out.start())}}, 3), make::place({0, 0, -3}));
    return make::unify(make::fuse({make::cut(side, {make::cylinder({0, 0, -5}, Vec3::UnitZ(), 25, 10)}), wall}));
}

Solid cup_with_a_handle() {
    const Solid strap = make::sweep({make::polygon({{-1.5, -8}, {1.5, -8}, {1.5, 8}, {-1.5, 8}})},
                                    {{38, 0, 70}, {55, 0, 72}, {64, 0, 60}, {64, 0, 40}, {55, 0, 26}, {38, 0, 24}}, Vec3::UnitX(), false, Vec3::UnitY());
    return make::unify(make::cut(make::fuse({make::cylinder({0, 0, 0}, Vec3::UnitZ(), 40, 90), strap}), {make::cylinder({0, 0, 3}, Vec3::UnitZ(), 37.5, 100)}));
}

// Bearing bars with solid cross bars of 5 x 6, all flush at the top, between end plates.
Solid grating() {
    std::vector<Solid> all;
    for (const double y : {0.0, 40.0, 80.0}) all.push_back(make::box({0, y, 0}, {300, 3, 30}));
    for (int i = 0; i < 9; ++i) all.push_back(make::box({15 + 30.0 * i, 0, 24}, {5, 83, 6}));
    for (const double x : {-5.0, 300.0}) all.push_back(make::box({x, 0, 0}, {5, 83, 60}));
    return make::unify(make::fuse(all));
}

struct Welded {
    std::string name;
    std::function<Solid()> solid;
    std::size_t sheets;
    double volume;  // bound
    double area;    // of all sheets in closed form, 0 where there is none
};

const std::vector<Welded>& welded() {
    static const std::vector<Welded> all = {{"corrugated_core", sandwich, 10, 1e-5, 8 * pi * 10 * 100 + 2.0 * 164 * 100},
                                            {"pipe_in_a_plate", pipe_in_plate, 2, 1e-5, 120 * 200 + 2 * pi * 19 * 140},
                                            {"pipes_side_by_side", pipes_side_by_side, 4, 1e-5, 4 * 2 * pi * 18.5 * 140},
                                            {"half_pipe", welded_half_pipe, 2, 2e-4, 120 * 200 + (pi + 2 * std::asin(2.0 / 19)) * 19 * 140},
                                            {"post_on_a_plate", post, 13, 1e-3, 0},
                                            {"volute", volute, 2, 1e-5, 0},
                                            {"cup_with_a_handle", cup_with_a_handle, 3, 1e-3, 0},
                                            {"grating", grating, 14, 1e-5, 3 * (305.0 * 30) + 9 * (80.0 * 6) + 2 * (80.0 * 60 + 3 * 60)}};
    return all;
}

class WeldedPart : public ::testing::TestWithParam<std::size_t> {};

}  // namespace

TEST_P(WeldedPart, IsOneMeshOfItsVolume) {
    const Welded& w = welded()[GetParam()];
    std::array<double, 2> area{};
    for (const bool moved : {false, true}) {
        const Job j = job_of_shells(w.solid(), moved);
        EXPECT_EQ(j.model.sheets.size(), w.sheets);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_LT(std::abs(j.proof.volume_error), w.volume);
        EXPECT_GT(j.proof.coverage, 0.999);
        EXPECT_GT(j.mesh.quality.quad_share, 0.97);
        EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
        EXPECT_EQ(count_findings(j, "edge inside the solid"), 0u);
        area[moved] = total_area(j.model);
    }
    EXPECT_NEAR(area[1] / area[0], 1, 1e-6);
    if (w.area > 0) {
        EXPECT_NEAR(area[0] / w.area, 1, 1e-6);
    }
}

INSTANTIATE_TEST_SUITE_P(All, WeldedPart, ::testing::Range<std::size_t>(0, 8), [](const auto& i) { return welded()[i.param].name; });

TEST(LineContact, EveryCrestOfACoreIsLinkedToItsFaceSheet) {
    const Job j = job_of_shells(sandwich(), true);
    const auto& joints = j.model.joints;
    EXPECT_EQ(std::count_if(joints.begin(), joints.end(), [](const JointRecord& r) { return r.kind == JointKind::line_contact; }), 8);
    double length = 0;
    for (const EdgeLink& l : j.model.edge_links) {
        length += j.model.length(l.a);
        EXPECT_NEAR((j.model.edges[l.a.index()].curve.middle() - j.model.edges[l.b.index()].curve.middle()).norm(), 0.3, 1e-6);
    }
    EXPECT_NEAR(length, 800, 1e-3);
}

TEST(RodOnAPlate, IsARegionOfItsOwn) {
    // A round rod fused to a plate along a line is no sheet, whatever faces see each other there, and is not lost.
    for (const bool moved : {false, true}) {
        const Job j = job_of_shells(make::unify(make::fuse({welded_plate(), lying(make::cylinder({0, 0, 0}, Vec3::UnitZ(), 3, 140), 6.5)})), moved);
        EXPECT_EQ(j.model.sheets.size(), 1u);
        EXPECT_EQ(j.model.couplings.size(), 1u);
        EXPECT_LT(std::abs(j.proof.volume_error), 1e-6);
    }
}

TEST(BuriedEdges, SheetsThatEndInsideTheirSolidAreNamed) {
    // Without its flange, the web of a tee ends where that begins: inside the solid.
    Job j = job_of_shells(make::fuse({make::box({0, 0, 0}, {200, 100, 4}), make::box({98, 0, 4}, {4, 100, 60})}), false);
    ASSERT_EQ(j.model.sheets.size(), 2u);
    EXPECT_TRUE(buried_edge_findings(j.model, j.solids).empty());
    const std::size_t flange = j.model.sheets[0].area() > j.model.sheets[1].area() ? 0 : 1;
    HalveOptions options = j.plan.halve;
    options.refuse.push_back(j.model.sheets[flange].wall);
    Model without = halve(j.solids, options);
    ASSERT_EQ(without.sheets.size(), 1u);
    const auto found = buried_edge_findings(without, j.solids);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_NEAR(found[0].size, 100, 1e-6);
    EXPECT_EQ(found[0].kind, FindingKind::edge_inside_the_solid);
    EXPECT_EQ(found[0].level, FindingLevel::warning);
}
