// What the plan says of single walls: sides they lie at, pairs and faces by name, methods.
#include "curved_parts.hpp"

#include <halvo/halve.hpp>

#include <gtest/gtest.h>

using namespace test;
using make::box;

namespace {

Plan plan_with(const WallRule& rule) {
    Plan p;
    p.halve.walls.push_back(rule);
    return p;
}

make::Solid hollow_box(const Vec3& size, double t) {
    return make::cut(box({0, 0, 0}, size), {box({t, t, t}, size - Vec3(2 * t, 2 * t, 2 * t))});
}

make::Solid folded(double radius, double t, double leg, double width) {
    const double r = radius;
    std::vector<Vec2> outer{{0, 0}, {leg, 0}, {leg, t}, {t, t}, {t, leg}, {0, leg}};
    return make::extrude({make::rounded(outer, {r, 0, 0, r - t, 0, 0})}, width);
}

}  // namespace

TEST(Reference, ClosedBoxAtItsOuterAndInnerSide) {
    const Vec3 size(200, 150, 100);
    const double t = 4;
    for (const Reference side : {Reference::outer, Reference::inner}) {
        Plan plan;
        plan.halve.reference = side;
        const Job j = job_of(hollow_box(size, t), plan);
        ASSERT_EQ(j.model.sheets.size(), 6u);
        const Vec3 s = side == Reference::outer ? size : Vec3(size - Vec3(2 * t, 2 * t, 2 * t));
        EXPECT_NEAR(total_area(j.model), 2 * (s.x() * s.y() + s.y() * s.z() + s.z() * s.x()), 1e-6);
        for (const Element& e : j.mesh.elements) {
            EXPECT_NEAR(e.thickness, t, 1e-9);
            EXPECT_NEAR(e.offset, side == Reference::outer ? -t / 2 : t / 2, 1e-9);
        }
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_NEAR(j.mesh.free_edge_length, 0, 1e-9);
        check_mesh(j.model, j.mesh);
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_LT(j.proof.deviation.worst, 1e-9);
    }
}

TEST(Reference, FoldedSheetKeepsItsBendTangent) {
    const double r = 8, t = 2, leg = 60, width = 40;
    for (const bool turned : {false, true}) {
        Plan plan;
        plan.halve.reference = Reference::outer;
        const make::Solid s = folded(r, t, leg, width);
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s, plan);
        ASSERT_EQ(j.model.sheets.size(), 3u);
        EXPECT_NEAR(total_area(j.model), (2 * (leg - r) + pi / 2 * r) * width, 1e-6);
        for (const Sheet& k : j.model.sheets)
            if (const auto* c = std::get_if<CylinderSurface>(&k.chart.surface())) {
                EXPECT_NEAR(c->radius, r, 1e-9);
            }
        EXPECT_EQ(j.mesh.parts, 1);
        check_mesh(j.model, j.mesh);
    }
}

TEST(Reference, EveryCurvedPartStaysOneMeshAtEitherSide) {
    for (const CurvedPart& p : curved_parts()) {
        SCOPED_TRACE(p.name);
        const make::Solid solid = p.solid();
        const Job middle = job_of(solid);
        for (const Reference side : {Reference::outer, Reference::inner}) {
            Plan plan;
            plan.halve.reference = side;
            const Job j = job_of(solid, plan);
            EXPECT_EQ(j.model.sheets.size(), middle.model.sheets.size());
            EXPECT_EQ(j.mesh.parts, middle.mesh.parts);
            EXPECT_LT(std::abs(j.proof.volume_error), 0.015);
            EXPECT_GE(j.proof.coverage, middle.proof.coverage - 0.001);
            EXPECT_LT(j.proof.thickness.worst, 1e-3 + 10 * middle.proof.thickness.worst);
        }
    }
}

TEST(Reference, OneWallByItsIdTheOthersStay) {
    const make::Solid s = hollow_box({200, 150, 100}, 4);
    const Job first = job_of(s);
    WallRule rule;
    rule.wall = {first.model.sheets[0].wall};
    rule.reference = Reference::outer;
    const Job j = job_of(s, plan_with(rule));
    int moved = 0;
    for (const Sheet& k : j.model.sheets) moved += k.placed ? 1 : 0;
    EXPECT_EQ(moved, 1);
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_NEAR(j.mesh.free_edge_length, 0, 1e-9);
    check_mesh(j.model, j.mesh);
}

TEST(Reference, PlacingTwiceChangesNothing) {
    Plan plan;
    plan.halve.reference = Reference::inner;
    Job j = job_of(folded(8, 2, 60, 40), plan);
    const double area = total_area(j.model);
    const Vec3 p = j.model.vertices[0].point;
    place_references(j.model);
    EXPECT_EQ(total_area(j.model), area);
    EXPECT_EQ(j.model.vertices[0].point, p);
}

TEST(WallsByHand, TwoFacesOfABlockAreAWallWhenThePlanSaysSo) {
    // 30 mm thick and 50 wide: no wall by itself.
    const make::Solid block = box({0, 0, 0}, {60, 50, 30});
    EXPECT_EQ(job_of(block).model.sheets.size(), 0u);
    WallRule rule;
    rule.points = {{20, 20, 0}, {20, 20, 30}};
    const Job j = job_of(block, plan_with(rule));
    ASSERT_EQ(j.model.sheets.size(), 1u);
    EXPECT_NEAR(j.model.sheets[0].area(), 60 * 50, 1e-6);
    EXPECT_NEAR(j.model.sheets[0].thickness.mean, 30, 1e-9);
    EXPECT_NEAR((j.model.sheets[0].chart.plane().origin + j.solids.shift).z(), 15, 1e-9);
    // The same by the numbers of the faces that this made known.
    WallRule by_number;
    by_number.faces = {j.model.sheets[0].top_faces[0] + 1, j.model.sheets[0].bottom_faces[0] + 1};
    EXPECT_NEAR(job_of(block, plan_with(by_number)).model.sheets.at(0).area(), 60 * 50, 1e-6);
}

TEST(WallsByHand, RefusedPairIsNotMade) {
    const make::Solid plate = box({0, 0, 0}, {100, 80, 5});
    WallRule rule;
    rule.points = {{20, 20, 0}, {20, 20, 5}};
    rule.refuse = true;
    const Job j = job_of(plate, plan_with(rule));
    EXPECT_EQ(j.model.sheets.size(), 0u);
    EXPECT_FALSE(j.proof.within_bounds);
    EXPECT_TRUE(
        std::any_of(j.model.ledger.begin(), j.model.ledger.end(), [](const LedgerEntry& e) { return e.kind == "wall" && e.state == EntryState::refused; }));
}

TEST(WallsByHand, FaceAloneLiesWhereThePlanPutsIt) {
    const make::Solid block = box({0, 0, 0}, {60, 50, 40});
    WallRule rule;
    rule.points = {{20, 20, 40}};
    rule.thickness = 3;
    for (const std::optional<double> offset : {std::optional<double>(), std::optional<double>(0.0), std::optional<double>(-7.0), std::optional<double>(2.0)}) {
        rule.offset = offset;
        const Job j = job_of(block, plan_with(rule));
        ASSERT_EQ(j.model.sheets.size(), 1u);
        EXPECT_NEAR(j.model.sheets[0].area(), 60 * 50, 1e-6);
        EXPECT_NEAR(j.model.sheets[0].thickness.mean, 3, 1e-12);
        EXPECT_NEAR((j.model.sheets[0].chart.plane().origin + j.solids.shift).z(), 40 + offset.value_or(-1.5), 1e-9);
        check_mesh(j.model, j.mesh);
    }
}

TEST(WallsByHand, RoundFaceAlone) {
    WallRule rule;
    rule.points = {{30, 0, 40}};
    rule.thickness = 2;
    const Job j = job_of(make::cylinder({0, 0, 0}, Vec3::UnitZ(), 30, 80), plan_with(rule));
    ASSERT_EQ(j.model.sheets.size(), 1u);
    EXPECT_NEAR(j.model.sheets[0].area(), 2 * pi * 29 * 80, 1e-6);
    check_mesh(j.model, j.mesh);
}

TEST(WallsByHand, MethodsMakeTheSameTubeByOtherWays) {
    const make::Solid tube = pipe(40, 3, 120);
    const double area = 2 * pi * 38.5 * 120;
    for (const MidMethod m : {MidMethod::exact, MidMethod::fitted, MidMethod::offset}) {
        Plan plan;
        plan.halve.method = m;
        const Job j = job_of(tube, plan);
        ASSERT_EQ(j.model.sheets.size(), 1u) << static_cast<int>(m);
        EXPECT_NEAR(j.model.sheets[0].area(), area, (m == MidMethod::fitted ? 1e-3 : 1e-9) * area);
        EXPECT_EQ(std::holds_alternative<FreeSurface>(j.model.sheets[0].chart.surface()), m == MidMethod::fitted);
        EXPECT_EQ(j.mesh.parts, 1);
    }
}

TEST(WallsByHand, RulesThatFitNothingAreNamed) {
    WallRule rule;
    rule.wall = {"wall-nosuch"};
    rule.reference = Reference::outer;
    const Job j = job_of(box({0, 0, 0}, {100, 80, 5}), plan_with(rule));
    EXPECT_TRUE(std::any_of(j.model.findings.begin(), j.model.findings.end(), [](const Finding& f) { return f.kind == "rule without effect"; }));
    WallRule off;
    off.points = {{5000, 0, 0}, {20, 20, 0}};
    EXPECT_THROW((void)job_of(box({0, 0, 0}, {100, 80, 5}), plan_with(off)), Error);
    WallRule many;
    many.faces = {1, 2};
    EXPECT_THROW((void)job_of({{"a", box({0, 0, 0}, {100, 80, 5})}, {"b", box({0, 0, 50}, {100, 80, 5})}}, plan_with(many)), Error);
}
