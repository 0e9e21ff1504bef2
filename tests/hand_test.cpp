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

make::Solid folded_by_hand(double radius, double t, double leg, double width) {
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
        const make::Solid s = folded_by_hand(r, t, leg, width);
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
            const bool sharp = p.name == "sharp inside" && side == Reference::inner;  // its bend is an edge there
            EXPECT_EQ(j.model.sheets.size(), middle.model.sheets.size() - (sharp ? 1 : 0));
            EXPECT_EQ(j.mesh.parts, middle.mesh.parts);
            EXPECT_LT(std::abs(j.proof.volume_error), 0.015);
            EXPECT_GE(j.proof.coverage, middle.proof.coverage - 0.001);
            EXPECT_LT(j.proof.thickness.worst, 1e-3 + 10 * middle.proof.thickness.worst);
        }
    }
}

// Legs of 60 and 45 inside, 3 thick, 40 wide, sharp inside and round outside by `radius`; a rib across the bend or on one leg alone.
struct SharpFold {
    std::string name;
    double radius;
    std::vector<make::Solid> ribs;
    int sheets;
    double ribs_area;    // from the legs' inner sides on
    double more_volume;  // that sheets which meet in a corner stand for, of what is rounded off
};

const std::vector<SharpFold>& sharp_folds() {
    static const std::vector<SharpFold> all = {
        {"plain", 3, {}, 2, 0, 0},
        {"round by less", 2, {}, 2, 0, (1 - pi / 4) * 2 * 2 * 40},
        {"a rib across", 3, {box({3, 3, 19}, {20, 12, 2})}, 3, 20 * 12, 0},
        {"a rib on one leg", 3, {box({3, 30, 19}, {20, 2, 2})}, 3, 20 * 2, 0},
        {"a rib on one leg at the bend", 3, {box({30, 3, 0}, {2, 20, 40}), box({10, 3, 19}, {20, 15, 2})}, 4, 20 * 40 + 20 * 15, 0},
    };
    return all;
}

TEST(Reference, WallsMeetInTheSharpEdgeOfTheirBend) {
    for (const SharpFold& fold : sharp_folds())
        for (const bool turned : {false, true}) {
            SCOPED_TRACE(fold.name + (turned ? ", turned" : ""));
            make::Solid s = make::extrude({make::rounded({{0, 0}, {63, 0}, {63, 3}, {3, 3}, {3, 48}, {0, 48}}, {fold.radius, 0, 0, 0, 0, 0})}, 40);
            if (!fold.ribs.empty()) {
                std::vector<make::Solid> all = fold.ribs;
                all.push_back(s);
                s = make::unify(make::fuse(all));
            }
            Plan plan;
            plan.halve.reference = Reference::inner;
            const Job j = job_of(turned ? make::moved(s, anywhere()) : s, plan);
            EXPECT_EQ(j.model.sheets.size(), static_cast<std::size_t>(fold.sheets));
            for (const Sheet& k : j.model.sheets) EXPECT_TRUE(k.chart.flat());
            for (const Finding& f : findings_of(j)) EXPECT_NE(f.kind, FindingKind::reference_at_the_middle) << f.about;
            EXPECT_NEAR(total_area(j.model), (60 + 45) * 40 + fold.ribs_area, 1e-5 * total_area(j.model));
            EXPECT_EQ(j.mesh.parts, 1);
            check_mesh(j.model, j.mesh);
            const double solid = j.solids.bodies[0].mass.volume;
            EXPECT_NEAR(j.proof.volume_error, fold.more_volume / solid, fold.ribs.empty() ? 1e-7 : 0.01);
            EXPECT_NEAR(j.proof.coverage, 1, 1e-9);
            EXPECT_TRUE(j.proof.within_bounds);
        }
}

TEST(Reference, SharpBendsOfSomeBodiesGoAndOthersStay) {
    // The last one's bend cannot go: a wall beside it is to stay at the middle.
    const make::Solid fold = make::extrude({make::rounded({{0, 0}, {63, 0}, {63, 3}, {3, 3}, {3, 48}, {0, 48}}, {3, 0, 0, 0, 0, 0})}, 40);
    std::vector<make::Item> items;
    for (int i = 0; i < 4; ++i) items.push_back({"fold " + std::to_string(i), make::moved(fold, make::place({100.0 * i, 0, 0}))});
    Plan plan;
    plan.halve.reference = Reference::inner;
    WallRule stays;
    stays.within = Box3(Vec3(299, 2.5, -1), Vec3(304, 60, 41));
    stays.reference = Reference::middle;
    plan.halve.walls.push_back(stays);
    plan.mesh.angle = 0.3;
    const Job j = job_of(items, plan);
    EXPECT_EQ(j.model.sheets.size(), 3u * 2 + 3);
    EXPECT_EQ(count_findings(j, "reference at the middle"), 1u);
    for (const Sheet& s : j.model.sheets) EXPECT_EQ(s.placed, s.body < BodyId(3)) << s.body.value;
    for (const BodyProof& b : j.proof.bodies) EXPECT_NEAR(b.error, 0, 1e-6);
    check_mesh(j.model, j.mesh);
}

// Tabs flush with the rim of their plate, over a part of it: their seams stand in from the rim at the middle, and are on it at the outer side.
TEST(Reference, SeamsOfFlushTabsAreTheRimAtTheOuterSide) {
    struct Tabs {
        std::vector<make::Solid> solids;
        double area;  // of the tabs, from the plate's outer side on
    };
    const std::vector<Tabs> all{{{box({98, 15, 0}, {2, 24, 30})}, 24 * 30},
                                {{box({98, 15, 0}, {2, 24, 30}), box({0, 10, 0}, {2, 20, 25})}, 24 * 30 + 20 * 25},
                                {{box({98, 15, 0}, {2, 24, 30}), box({20, 0, 0}, {30, 2, 25}), box({0, 40, 0}, {2, 20, 25})}, 24 * 30 + 30 * 25 + 20 * 25}};
    for (const Tabs& tabs : all)
        for (const bool turned : {false, true}) {
            std::vector<make::Solid> solids = tabs.solids;
            solids.push_back(box({0, 0, 0}, {100, 60, 2}));
            const make::Solid s = make::unify(make::fuse(solids));
            Plan plan;
            plan.halve.reference = Reference::outer;
            const Job j = job_of(turned ? make::moved(s, anywhere()) : s, plan);
            EXPECT_EQ(j.model.sheets.size(), solids.size());
            EXPECT_NEAR(total_area(j.model), 100 * 60 + tabs.area, 1e-5 * total_area(j.model));
            EXPECT_EQ(j.mesh.parts, 1);
            EXPECT_GT(j.mesh.quality.min_scaled_jacobian, 0.3);
            EXPECT_NEAR(j.proof.volume_error, 0, 1e-7);
            EXPECT_TRUE(j.proof.within_bounds);
            check_mesh(j.model, j.mesh);
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
    Job j = job_of(folded_by_hand(8, 2, 60, 40), plan);
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
    EXPECT_TRUE(std::ranges::any_of(ledger_of(j), [](const LedgerEntry& e) { return e.kind == EntryKind::wall && e.state == EntryState::refused; }));
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
    EXPECT_TRUE(std::ranges::any_of(findings_of(j), [](const Finding& f) { return f.kind == FindingKind::rule_without_effect; }));
    WallRule off;
    off.points = {{5000, 0, 0}, {20, 20, 0}};
    EXPECT_THROW((void)job_of(box({0, 0, 0}, {100, 80, 5}), plan_with(off)), Error);
    WallRule many;
    many.faces = {1, 2};
    EXPECT_THROW((void)job_of({{"a", box({0, 0, 0}, {100, 80, 5})}, {"b", box({0, 0, 50}, {100, 80, 5})}}, plan_with(many)), Error);
}

namespace {

// A plate with a round hole of 12 and a turned slot of 30 x 8.
make::Solid pierced() {
    const make::Solid slot = make::moved(
        make::fuse({box({-11, -4, -5}, {22, 8, 20}), make::cylinder({-11, 0, -5}, Vec3::UnitZ(), 4, 20), make::cylinder({11, 0, -5}, Vec3::UnitZ(), 4, 20)}),
        make::place({140, 50, 0}, Vec3::UnitZ(), Vec3(0.8, 0.6, 0)));
    return make::cut(box({0, 0, 0}, {200, 100, 4}), {make::cylinder({50, 50, -5}, Vec3::UnitZ(), 6, 20), slot});
}

LedgerEntry opening(const Job& j, double size) {
    for (const LedgerEntry& e : ledger_of(j))
        if (e.kind == EntryKind::opening && std::abs(e.value - size) < 0.01 * size) return e;
    throw std::runtime_error("no such opening");
}

constexpr double round_hole = pi * 36, slot_hole = 22 * 8 + pi * 16;

}  // namespace

TEST(Openings, AreFilledBySizeByRuleAndById) {
    const double plate = 200 * 100;
    const Job open = job_of(pierced());
    EXPECT_NEAR(total_area(open.model), plate - round_hole - slot_hole, 1e-6);
    EXPECT_EQ(opening(open, round_hole).state, EntryState::proposed);
    Plan plan;
    plan.halve.openings = 12;
    EXPECT_NEAR(total_area(job_of(pierced(), plan).model), plate - slot_hole, 1e-6);
    plan.halve.openings = 30;  // a slot is as large as it is long, however it lies
    EXPECT_NEAR(total_area(job_of(pierced(), plan).model), plate, 1e-6);
    plan.halve.keep = {opening(open, round_hole).key};
    const Job kept = job_of(pierced(), plan);
    EXPECT_NEAR(total_area(kept.model), plate - round_hole, 1e-6);
    EXPECT_EQ(opening(kept, round_hole).state, EntryState::refused);
    Plan by_id;
    by_id.halve.fill = {opening(open, slot_hole).key};
    const Job filled = job_of(pierced(), by_id);
    EXPECT_NEAR(total_area(filled.model), plate - round_hole, 1e-6);
    EXPECT_EQ(opening(filled, slot_hole).state, EntryState::applied);
    WallRule rule;
    rule.openings = 15;
    const Job ruled = job_of(pierced(), plan_with(rule));
    EXPECT_NEAR(total_area(ruled.model), plate - slot_hole, 1e-6);
}

TEST(Openings, IdsHoldForEveryPlaceOfAPart) {
    // One part in two places: ids told in one run name the same things when the next run takes bodies one by one.
    const Folder f;
    make::write_step_assembly((f / "pair.step").string(), "pair", {"plate", pierced()},
                              {Eigen::Isometry3d::Identity(), make::place({0, 0, 500}, Vec3::UnitX(), Vec3::UnitY())});
    Job first;
    first.plan.source.file = (f / "pair.step").string();
    run(first);
    ASSERT_EQ(first.model.sheets.size(), 2u);
    EXPECT_NE(first.model.sheets[0].wall, first.model.sheets[1].wall);
    Job second;
    second.plan = first.plan;
    second.plan.halve.refuse = {first.model.sheets[1].wall};
    run(second);
    ASSERT_EQ(second.model.sheets.size(), 1u);
    EXPECT_EQ(second.model.sheets[0].key, first.model.sheets[0].key);
    std::vector<std::string> ids;
    for (const LedgerEntry& e : ledger_of(first))
        if (e.kind == EntryKind::opening && ids.size() < 2) ids.push_back(e.key);
    second.plan.halve.refuse.clear();
    second.plan.halve.fill = ids;
    run(second);
    EXPECT_NEAR(total_area(second.model), 2 * 200 * 100 - round_hole - slot_hole, 1e-6);
}

TEST(Places, MovesAndCopiesOfBodies) {
    const Folder f;
    make::write_step((f / "a.step").string(), {{"base", box({0, 0, 0}, {600, 200, 6})}, {"web", box({0, 0, 56}, {5, 200, 80})}});
    Plan plan;
    plan.source.file = (f / "a.step").string();
    PlaceRule down;
    down.body = {"web"};
    down.move = {50, 0, -50};
    PlaceRule row;
    row.body = {"web"};
    row.move = {100, 0, 0};
    row.copies = 4;
    plan.source.places = {down, row};
    Job j;
    j.plan = plan;
    run(j);
    ASSERT_EQ(j.model.sheets.size(), 6u);
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_EQ(seam_count(j.model, "tee"), 5);
    EXPECT_TRUE(j.proof.within_bounds);
    // Round an axis: six spokes of a wheel, each on the rim's inside.
    make::write_step((f / "b.step").string(), {{"rim", make::moved(pipe(300, 4, 60), make::place({1000, 0, 0}))}, {"spoke", box({1000, -2, 0}, {296, 4, 60})}});
    PlaceRule round;
    round.body = {"spoke"};
    round.turn = pi / 3;
    round.axis = {Vec3(1000, 0, 0), Vec3(1000, 0, 1)};
    round.copies = 5;
    j = Job();
    j.plan.source.file = (f / "b.step").string();
    j.plan.source.places = {round};
    run(j);
    EXPECT_EQ(j.solids.bodies.size(), 7u);
    EXPECT_EQ(connected_parts(j.model).count, 1);
    for (const ContactProof& c : j.proof.contacts) EXPECT_TRUE(c.joined);
    PlaceRule nobody = round;
    nobody.body = {"nobody"};
    j.plan.source.places = {nobody};
    EXPECT_THROW(run(j), Error);
}
