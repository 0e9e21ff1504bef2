// Joints between bodies: what touches is joined, what does not is not, and only what the joint needs is moved.
#include "join/steps.hpp"
#include "spoilt.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

using namespace test;
using make::box;
using make::Item;

namespace {

struct Joined {
    Assembly solids;
    Model model;
};

Joined joined(const std::vector<Item>& items, const JoinOptions& options = {}, const HalveOptions& halving = {}) {
    Joined j{solids_of(items), {}};
    j.model = halve(j.solids, halving);
    join(j.model, j.solids, options);
    return j;
}

const Sheet& sheet_of(const Joined& j, const std::string& body) {
    for (const Sheet& s : j.model.sheets)
        if (j.solids.bodies[s.body.index()].name == body) return s;
    throw std::runtime_error("no sheet of " + body);
}

const Member& joined_member(const Joined& j, const std::string& body) {
    for (const Member& m : j.model.members)
        if (j.solids.bodies[m.body.index()].name == body) return m;
    throw std::runtime_error("no member of " + body);
}

make::Solid tube_between(double side, double wall, const Vec3& from, const Vec3& to, const Vec3& x = Vec3::UnitX()) {
    return make::moved(make::extrude(make::rectangular_tube(side, side, wall, 0), (to - from).norm()), make::place(from, to - from, x));
}

}  // namespace

TEST(Join, RibOnBaseIsATeeOverItsFullLength) {
    const auto j = joined({{"base", box({0, 0, 0}, {300, 200, 10})}, {"rib", box({50, 97, 10}, {180, 6, 80})}});
    ASSERT_EQ(j.model.sheets.size(), 2u);
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(seam_length(j.model, "tee"), 180, 1e-8);
    EXPECT_EQ(joint_count(j.model, "tee"), 1);
    EXPECT_NEAR(sheet_of(j, "rib").area(), 180 * 85, 1e-6);
    EXPECT_NEAR(sheet_of(j, "rib").own_area(), 180 * 80, 1e-6);
    EXPECT_NEAR(sheet_of(j, "base").area(), 300 * 200, 1e-6);
    for (const Seam& s : seams(j.model))
        for (const Vec3& p : {j.model.edges[s.edge.index()].curve.start(), j.model.edges[s.edge.index()].curve.end()})
            EXPECT_NEAR((p + j.solids.shift).z(), 5, 1e-9);
}

TEST(Join, ReachDecidesAboutWeldGaps) {
    const std::vector<Item> plates = {
        {"base", box({0, 0, 0}, {300, 200, 8})}, {"web", box({0, 97, 8.4}, {300, 6, 100})}, {"flange", box({0, 50, 108.8}, {300, 100, 8})}};
    const auto wide = joined(plates, {1.0, {}});
    EXPECT_EQ(connected_parts(wide.model).count, 1);
    EXPECT_NEAR(seam_length(wide.model, "tee"), 600, 1e-8);
    for (const JointRecord& k : wide.model.joints) EXPECT_NEAR(k.gap, 0.4, 1e-6);
    EXPECT_NEAR(sheet_of(wide, "web").area(), 300 * (100 + 2 * (0.4 + 4)), 1e-6);
    const auto narrow = joined(plates, {0.3, {}});
    EXPECT_EQ(connected_parts(narrow.model).count, 3);
    EXPECT_TRUE(narrow.model.joints.empty());
}

TEST(Join, CornerTrimsTheHalfThicknessPastTheSeam) {
    // The upright stands on the end of the base, flush with it.
    const auto j = joined({{"base", box({0, 0, 0}, {200, 100, 6})}, {"upright", box({0, 0, 6}, {4, 100, 90})}});
    EXPECT_EQ(seam_count(j.model, "corner"), 1);
    EXPECT_NEAR(seam_length(j.model, "corner"), 100, 1e-8);
    EXPECT_NEAR(sheet_of(j, "base").area(), 198 * 100, 1e-6);
    EXPECT_NEAR(sheet_of(j, "base").trimmed_area, 2 * 100, 1e-6);
    EXPECT_NEAR(sheet_of(j, "upright").area(), 93 * 100, 1e-6);
}

TEST(Join, LipPastTheUprightStays) {
    const auto j = joined({{"base", box({-20, 0, 0}, {220, 100, 6})}, {"upright", box({0, 0, 6}, {4, 100, 90})}});
    EXPECT_EQ(seam_count(j.model, "tee"), 1);
    EXPECT_NEAR(sheet_of(j, "base").area(), 220 * 100, 1e-6);
}

TEST(Join, ShortContactTakesOnlyItsPartAlong) {
    // The wall is longer than the base it stands on: only the part above the base is carried down.
    const auto j = joined({{"base", box({0, 0, 0}, {150, 100, 10})}, {"wall", box({-60, 47, 10}, {300, 6, 80})}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(seam_length(j.model, "tee"), 150, 1e-6);
    EXPECT_NEAR(sheet_of(j, "wall").area(), 300 * 80 + 150 * 5, 1e-6);
}

TEST(Join, CrossedSlottedPlatesShareACross) {
    // Two plates that run through each other, as slotted ribs do once welded.
    const auto j = joined({{"a", box({0, 0, 0}, {200, 4, 60})}, {"b", box({98, -100, 0}, {4, 200, 60})}});
    EXPECT_EQ(seam_count(j.model, "cross"), 1);
    EXPECT_NEAR(seam_length(j.model, "cross"), 60, 1e-8);
}

TEST(Join, ButtedPlatesShareTheirEdge) {
    for (const double gap : {0.0, 0.3}) {
        const auto j = joined({{"left", box({0, 0, 0}, {100, 80, 5})}, {"right", box({100 + gap, 0, 0}, {120, 80, 5})}});
        EXPECT_EQ(connected_parts(j.model).count, 1) << gap;
        EXPECT_NEAR(seam_length(j.model, "butt"), 80, 1e-8) << gap;
        EXPECT_NEAR(total_area(j.model), 220 * 80 + gap * 80, 1e-6) << gap;
    }
}

TEST(Join, FacesInContactAreLinkedNodeToNode) {
    // A doubler on a plate: linked round its outline, link length half the sum of the thicknesses.
    const auto j = joined({{"plate", box({0, 0, 0}, {300, 200, 6})}, {"doubler", box({100, 60, 6}, {90, 70, 4})}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_EQ(joint_count(j.model, "lap"), 1);
    const Mesh m = mesh(j.model, {15});
    check_mesh(j.model, m);
    ASSERT_GT(m.links, 10);
    for (const Element& e : m.elements)
        if (e.kind == ElementKind::rigid) {
            EXPECT_NEAR((m.nodes[static_cast<std::size_t>(e.nodes[0])] - m.nodes[static_cast<std::size_t>(e.nodes[1])]).norm(), 5, 1e-8);
        }
    EXPECT_EQ(m.parts, 1);
}

TEST(Join, PostEndsOnBothPlates) {
    const auto j = joined({{"floor", box({-100, -100, 0}, {200, 200, 12})},
                           {"post", tube_between(50, 4, {0, 0, 12}, {0, 0, 812})},
                           {"roof", box({-100, -100, 812}, {200, 200, 6})}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_EQ(joint_count(j.model, "member end to sheet"), 2);
    EXPECT_NEAR(j.model.length(joined_member(j, "post")), 800 + 6 + 3, 1e-8);
    EXPECT_NEAR(joined_member(j, "post").own_length(), 800, 1e-8);
}

TEST(Join, BeamBetweenPostsReachesTheirAxes) {
    const auto j = joined({{"left", tube_between(60, 4, {0, 0, 0}, {0, 0, 900})},
                           {"right", tube_between(60, 4, {1000, 0, 0}, {1000, 0, 900})},
                           {"beam", tube_between(40, 3, {30, 0, 500}, {970, 0, 500}, Vec3::UnitZ())}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_EQ(joint_count(j.model, "member end to member"), 2);
    EXPECT_NEAR(j.model.length(joined_member(j, "beam")), 1000, 1e-8);
    EXPECT_NEAR(j.model.length(joined_member(j, "left")), 900, 1e-8);
    EXPECT_EQ(joined_member(j, "left").chain.size(), 2u) << "split where the beam meets it";
    EXPECT_TRUE(j.model.links.empty());
}

TEST(Join, EccentricBeamKeepsItsAxisAndIsLinked) {
    const auto j = joined({{"post", tube_between(60, 4, {0, 0, 0}, {0, 0, 900})}, {"beam", tube_between(40, 3, {30, 8, 500}, {600, 8, 500}, Vec3::UnitZ())}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    ASSERT_EQ(j.model.links.size(), 1u);
    const Vec3 d = j.model.vertices[j.model.links[0].a.index()].point - j.model.vertices[j.model.links[0].b.index()].point;
    EXPECT_NEAR(d.norm(), 8, 1e-7);
    for (const EdgeUse& u : joined_member(j, "beam").chain)
        EXPECT_NEAR((j.model.edges[u.edge.index()].curve.middle() + j.solids.shift).y(), 8, 1e-8) << "the axis does not move";
}

TEST(Join, CornerOfAFrameHasNoOverhang) {
    // The upright runs past the beam to its top face.
    const auto j =
        joined({{"upright", tube_between(60, 4, {0, 0, 0}, {0, 0, 900})}, {"beam", tube_between(60, 4, {30, 0, 870}, {800, 0, 870}, Vec3::UnitZ())}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(j.model.length(joined_member(j, "upright")), 870, 1e-8);
    EXPECT_NEAR(joined_member(j, "upright").trimmed, 30, 1e-8);
    EXPECT_NEAR(j.model.length(joined_member(j, "beam")), 800, 1e-8);
}

TEST(Join, TubesEndToEndMeet) {
    const auto j = joined({{"a", tube_between(50, 4, {0, 0, 0}, {0, 0, 600})}, {"b", tube_between(50, 4, {0, 0, 600}, {0, 0, 1300})}});
    EXPECT_EQ(joint_count(j.model, "member ends"), 1);
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(j.model.length(joined_member(j, "a")) + j.model.length(joined_member(j, "b")), 1300, 1e-8);
}

TEST(Join, BraceOnAPostMeetsItsAxis) {
    const Vec3 foot(0, 0, 200), top(800, 0, 900), d = (top - foot).normalized();
    auto brace = make::moved(make::extrude(make::tube(42, 3), 2000), make::place(foot - 400 * d, d));
    brace = make::cut(brace, {box({-2000, -500, -2000}, {2030, 1000, 6000}), box({770, -500, -2000}, {2000, 1000, 6000})});
    const auto j =
        joined({{"post 1", tube_between(60, 4, {0, 0, 0}, {0, 0, 1000})}, {"post 2", tube_between(60, 4, {800, 0, 0}, {800, 0, 1000})}, {"brace", brace}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(j.model.length(joined_member(j, "brace")), (top - foot).norm(), 1e-6);
    EXPECT_TRUE(j.model.links.empty());
}

TEST(Join, RailUnderADeckKeepsItsEccentricity) {
    for (const double t : {5.0, 9.0}) {
        JoinOptions linked;
        linked.along = AlongSheet::link;
        const auto j = joined({{"deck", box({0, 0, 0}, {900, 400, t})}, {"rail", tube_between(60, 4, {0, 200, -30}, {900, 200, -30}, Vec3::UnitZ())}}, linked);
        EXPECT_EQ(connected_parts(j.model).count, 1);
        EXPECT_EQ(joint_count(j.model, "member along sheet"), 1);
        const Mesh m = mesh(j.model, {50});
        check_mesh(j.model, m);
        EXPECT_EQ(m.parts, 1);
        EXPECT_EQ(m.links, m.lines + 1) << "every node of the rail has its node on the deck";
        for (const Element& e : m.elements)
            if (e.kind == ElementKind::rigid) {
                EXPECT_NEAR((m.nodes[static_cast<std::size_t>(e.nodes[0])] - m.nodes[static_cast<std::size_t>(e.nodes[1])]).norm(), (60 + t) / 2, 1e-8);
            }
    }
}

TEST(Join, GussetBesideAPostIsLinkedAlongIt) {
    const auto gusset = make::moved(make::extrude({make::polygon({{30, 0}, {110, 0}, {30, 120}})}, 8), make::place({0, 4, 12}, -Vec3::UnitY(), Vec3::UnitX()));
    const auto j = joined({{"base", box({-150, -150, 0}, {300, 300, 12})}, {"post", tube_between(60, 4, {0, 0, 12}, {0, 0, 900})}, {"gusset", gusset}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_EQ(joint_count(j.model, "sheet edge along member"), 1);
    EXPECT_EQ(joint_count(j.model, "tee"), 1);
    const Mesh m = mesh(j.model, {25});
    check_mesh(j.model, m);
    EXPECT_GE(m.links, 5);
}

TEST(Join, TubeOnAHoleIsLinkedToTheSheetRoundIt) {
    // The post stands over a hole as wide as its inside: its axis meets no sheet.
    const auto plate = make::cut(box({-150, -150, 0}, {300, 300, 10}), {make::cylinder({0, 0, -5}, Vec3::UnitZ(), 20, 20)});
    const auto post = make::moved(make::extrude(make::tube(60, 5), 700), make::place({0, 0, 10}));
    const auto j = joined({{"plate", plate}, {"post", post}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_EQ(joint_count(j.model, "links"), 1);
    const Mesh m = mesh(j.model, {30});
    check_mesh(j.model, m);
    EXPECT_GE(m.links, 4);
    EXPECT_EQ(m.parts, 1);
}

TEST(Join, ShelfPlateNotchedRoundAPostIsLinked) {
    const auto shelf = make::cut(box({-200, -30, 400}, {200, 260, 6}), {box({-30, -30, 300}, {60, 60, 200})});
    const auto j = joined({{"post", tube_between(60, 4, {0, 0, 0}, {0, 0, 900})}, {"shelf", shelf}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    const Mesh m = mesh(j.model, {25});
    check_mesh(j.model, m);
    EXPECT_EQ(m.parts, 1);
}

TEST(Join, RefusingOneJointLeavesExactlyThatOneOpen) {
    const std::vector<Item> plates = {
        {"base", box({0, 0, 0}, {300, 200, 8})}, {"web", box({0, 97, 8}, {300, 6, 100})}, {"flange", box({0, 50, 108}, {300, 100, 8})}};
    const auto all = joined(plates);
    ASSERT_EQ(all.model.joints.size(), 2u);
    JoinOptions options;
    options.refuse = {all.model.joints[0].key};
    const auto some = joined(plates, options);
    EXPECT_EQ(connected_parts(some.model).count, 2);
    int refused = 0;
    for (const JointRecord& k : some.model.joints) refused += k.state == EntryState::refused;
    EXPECT_EQ(refused, 1);
    const Proof p = prove(some.solids, some.model, mesh(some.model, {30}));
    int open = 0;
    for (const ContactProof& c : p.contacts) open += !c.joined;
    EXPECT_EQ(open, 1);
    EXPECT_FALSE(p.within_bounds);
}

TEST(Join, RunningItTwiceChangesNothing) {
    const Assembly solids = solids_of(make::weather_station());
    Model once = halve(solids);
    join(once, solids);
    Model twice = once;
    join(twice, solids);
    EXPECT_EQ(once.edges.size(), twice.edges.size());
    EXPECT_EQ(once.vertices.size(), twice.vertices.size());
    EXPECT_EQ(once.joints.size(), twice.joints.size());
    EXPECT_EQ(once.links.size(), twice.links.size());
    EXPECT_EQ(once.edge_links.size(), twice.edge_links.size());
    for (std::size_t i = 0; i < once.sheets.size(); ++i) {
        EXPECT_NEAR(once.sheets[i].area(), twice.sheets[i].area(), 1e-6) << once.sheets[i].key;
        EXPECT_NEAR(once.sheets[i].own_area(), twice.sheets[i].own_area(), 1e-6) << once.sheets[i].key;
    }
    for (std::size_t i = 0; i < once.members.size(); ++i) EXPECT_NEAR(once.length(once.members[i]), twice.length(twice.members[i]), 1e-7);
}

TEST(Join, BodiesFarApartAreNotJoined) {
    const auto j =
        joined({{"a", box({0, 0, 0}, {100, 100, 5})}, {"b", box({0, 0, 40}, {100, 100, 5})}, {"c", tube_between(40, 3, {300, 0, 0}, {300, 0, 500})}});
    EXPECT_EQ(connected_parts(j.model).count, 3);
    EXPECT_TRUE(j.model.joints.empty());
}

TEST(Join, ModelMadeByHandFindsItsSeams) {
    Model m;
    add_plate(m, {{0, 0, 0}, {400, 0, 0}, {400, 300, 0}, {0, 300, 0}}, 8);
    add_plate(m, {{0, 150, 4}, {400, 150, 4}, {400, 150, 100}, {0, 150, 100}}, 5);
    add_member(m, {200, 50, -500}, {200, 50, -4}, section_of_profile(make::rectangular_tube(50, 50, 3, 0)), Vec3::UnitX());
    join(m);
    EXPECT_EQ(connected_parts(m).count, 1);
    EXPECT_EQ(seam_count(m, "tee"), 1);
    EXPECT_NEAR(seam_length(m, "tee"), 400, 1e-9);
    EXPECT_NEAR(m.length(m.members[0]), 500, 1e-9);
    const Mesh k = mesh(m, {40});
    check_mesh(m, k);
    EXPECT_EQ(k.parts, 1);
}

TEST(Join, ThicknessStepIsLinkedAcrossItsOffset) {
    HalveOptions separate;
    separate.steps = StepsAs::separate;
    const auto j = joined({{"plate", make::unify(make::fuse({box({0, 0, 0}, {200, 100, 4}), box({200, 0, 0}, {150, 100, 8})}))}}, {}, separate);
    EXPECT_EQ(joint_count(j.model, "step"), 1);
    EXPECT_EQ(connected_parts(j.model).count, 1);
    const Mesh m = mesh(j.model, {20});
    check_mesh(j.model, m);
    EXPECT_EQ(m.links, 6);
    for (const Element& e : m.elements)
        if (e.kind == ElementKind::rigid) {
            EXPECT_NEAR((m.nodes[static_cast<std::size_t>(e.nodes[0])] - m.nodes[static_cast<std::size_t>(e.nodes[1])]).norm(), 2, 1e-8);
        }
    EXPECT_NEAR(prove(j.solids, j.model, m).volume_error, 0, 1e-9);
}

TEST(Join, FinAtTwentyDegreesTouchingWithItsEdge) {
    const auto fin = make::moved(box({0, -100, 0}, {150, 200, 5}),
                                 make::place({0, 0, 6}, Vec3(-std::sin(pi / 9), 0, std::cos(pi / 9)), Vec3(std::cos(pi / 9), 0, std::sin(pi / 9))));
    const auto j = joined({{"base", box({-150, -100, -4}, {400, 200, 10})}, {"fin", fin}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(seam_length(j.model, "tee"), 200, 1e-6);
}

TEST(Join, OverlapOfTwoPlatesIsOnePart) {
    const auto j = joined({{"base", box({0, 0, 0}, {300, 200, 8})}, {"web", box({0, 97, 7.7}, {300, 6, 100})}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(seam_length(j.model, "tee"), 300, 1e-8);
    EXPECT_NEAR(sheet_of(j, "web").area(), 300 * (100 + 3.7), 1e-6);
}

TEST(Join, LidOnABoxWithAGap) {
    const auto open_box = make::cut(box({0, 0, 0}, {300, 200, 120}), {box({3, 3, 3}, {294, 194, 200})});
    const auto j = joined({{"box", open_box}, {"lid", box({0, 0, 120.2}, {300, 200, 4})}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_EQ(joint_count(j.model, "corner") + joint_count(j.model, "tee"), 4);
    const double rim = 2 * (297.0 + 197.0);
    double on_lid = 0;
    for (const Seam& s : seams(j.model))
        for (SheetId k : s.sheets)
            if (j.solids.bodies[j.model.sheets[k.index()].body.index()].name == "lid") on_lid += j.model.length(s.edge);
    EXPECT_NEAR(on_lid, rim, 1e-6);
}

TEST(Join, PipeThroughAPlateIsLinkedRoundIt) {
    const auto plate = make::cut(box({-150, -150, 300}, {300, 300, 8}), {make::cylinder({0, 0, 0}, Vec3::UnitZ(), 30, 900)});
    const auto j = joined({{"plate", plate}, {"pipe", make::extrude(make::tube(60, 4), 900)}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(j.model.length(joined_member(j, "pipe")), 900, 1e-8);
    const Mesh m = mesh(j.model, {30});
    check_mesh(j.model, m);
    EXPECT_GE(m.links, 4);
}

TEST(Join, MitredPortalMeetsAtItsCorners) {
    const double h = 200;
    const auto profile = make::rectangular_tube(100, h, 6, 0);
    const Vec3 corner[2] = {{0, 0, 3000}, {4000, 0, 3000}};
    const auto knife = [&](int k, double side) {
        const Vec3 n = k == 0 ? Vec3(1, 0, 1).normalized() : Vec3(-1, 0, 1).normalized();
        return make::moved(box({-5000, -5000, side > 0 ? 0.0 : -5000}, {10000, 10000, 5000}), make::place(corner[k], n, Vec3::UnitY()));
    };
    // Each half plane through a corner keeps the column below it and the beam above it.
    const auto column = [&](int k) {
        return make::cut(make::moved(make::extrude(profile, 3300), make::place({k * 4000.0, 0, 0}, Vec3::UnitZ(), Vec3::UnitY())), {knife(k, 1)});
    };
    const auto beam =
        make::cut(make::moved(make::extrude(profile, 4600), make::place({-300, 0, 3000}, Vec3::UnitX(), Vec3::UnitY())), {knife(0, -1), knife(1, -1)});
    const auto j = joined({{"column 1", column(0)}, {"column 2", column(1)}, {"beam", beam}});
    EXPECT_EQ(joint_count(j.model, "member ends"), 2);
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(j.model.length(joined_member(j, "beam")), 4000, 1e-6);
    EXPECT_NEAR(j.model.length(joined_member(j, "column 1")), 3000, 1e-6);
}

// Left-over pieces narrower than thick that nothing joins are named and go; wider ones, and what anything holds, stay.
TEST(Join, StrayPartsGo) {
    const Job whole = job_of(make::box({0, 0, 0}, {100, 60, 3}));
    const auto with_piece = [&](double width, double length, bool held) {
        Model m = whole.model;
        const SheetId piece = add_plate(m, {{200, 0, 0}, {200 + length, 0, 0}, {200 + length, width, 0}, {200, width, 0}}, 3);
        m.sheets[piece.index()].body = BodyId(0);
        if (held) {
            Coupling c;
            c.body = BodyId(0), c.centre = VertexId(m.vertices.size());
            m.vertices.push_back({Vec3(200, 0, 10)});
            c.edges.push_back(m.sheets[piece.index()].regions[0].loops[0][0].edge);
            m.couplings.push_back(c);
        }
        drop_stray_parts(m, whole.solids);
        return m;
    };
    const Model gone = with_piece(1.5, 8, false);
    EXPECT_EQ(gone.sheets.size(), 1u);
    EXPECT_EQ(gone.edges.size(), whole.model.edges.size());
    ASSERT_FALSE(gone.ledger.empty());
    EXPECT_EQ(gone.ledger.back().kind, EntryKind::stray);
    EXPECT_NEAR(gone.ledger.back().value, 12, 1e-9);
    EXPECT_EQ(with_piece(1.5, 8, true).sheets.size(), 2u);
    EXPECT_EQ(with_piece(6, 6, false).sheets.size(), 2u);
    EXPECT_EQ(with_piece(1.5, 60, false).sheets.size(), 2u) << "a strip, however narrow, is named by the proof instead";
}

// A rib ends on a tube where that one's sheet is cut open, and stands off its midsurface by more than half its thinnest wall.
TEST(Join, SheetsMeetAlongTheCutOfAClosedOne) {
    const make::Solid tube =
        make::moved(make::revolve({make::polygon({{20, 0}, {23, 0}, {23, 50}, {30, 50}, {30, 100}, {20, 100}})}, Vec3::Zero(), Vec3::UnitY(), 2 * pi),
                    make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
    for (const double turn : {0.0, 0.5, pi / 2, pi}) {
        const make::Solid fin = make::moved(make::box({30, -3, 60}, {40, 6, 30}), make::place({0, 0, 0}, Vec3::UnitZ(), {std::cos(turn), std::sin(turn), 0}));
        const Job j = job_of({{"tube", tube}, {"fin", fin}});
        EXPECT_EQ(j.mesh.parts, 1);
        ASSERT_EQ(j.model.joints.size(), 1u) << turn;
        EXPECT_GE(j.model.joints[0].length, 30 - 1e-6) << "all of it, not the half on one side of the cut";
        for (const Finding& f : findings_of(j)) EXPECT_NE(f.kind, FindingKind::free_edge_within_reach) << f.about;
    }
}
