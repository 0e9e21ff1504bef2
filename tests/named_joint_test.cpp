// Joints by name: edges carried to sheets, strips between edges; what the audit says of edges, hinges and members that can spin.
#include "prove/mechanisms.hpp"
#include "structures.hpp"

#include <halvo/quality.hpp>

#include <gtest/gtest.h>

#include <cmath>

using namespace test;
using make::box;

namespace {

int findings(const Job& j, const std::string& kind) {
    return static_cast<int>(std::ranges::count_if(findings_of(j), [&](const Finding& f) { return kind_name(f.kind) == kind; }));
}

Plan with(const JointRule& rule) {
    Plan p;
    p.join.joints = {rule};
    return p;
}

}  // namespace

TEST(NamedJoint, EdgeIsCarriedToASheetHoweverFar) {
    // A web that stops 30 mm short of a base.
    const Items items{{"base", box({0, 0, 0}, {200, 100, 6})}, {"web", box({97, 0, 36}, {6, 100, 60})}};
    EXPECT_EQ(job_of(items).mesh.parts, 2);
    JointRule r;
    r.edge = {{100, 50, 36}}, r.to = {{100, 50, 6}};
    const Job j = job_of(items, with(r));
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_EQ(joint_count(j.model, "tee"), 1);
    EXPECT_NEAR(seam_length(j.model, "tee"), 100, 1e-6);
    EXPECT_NEAR(total_area(j.model), 200 * 100 + 100 * (60 + 33), 1e-6);
    for (const JointRecord& k : j.model.joints) EXPECT_NEAR(k.moved, 33, 1e-6);
    check_mesh(j.model, j.mesh);
    // Away from the origin and turned, with the points turned as well.
    r.edge = {anywhere() * r.edge[0]}, r.to = {anywhere() * r.to[0]};
    const Job there = job_of(moved(items), with(r));
    EXPECT_EQ(there.mesh.parts, 1);
    EXPECT_NEAR(total_area(there.model), total_area(j.model), 1e-5);
}

TEST(NamedJoint, EdgeIsCarriedToAnotherInItsPlane) {
    const Items items{{"one", box({0, 0, 0}, {80, 60, 4})}, {"two", box({105, 0, 0}, {80, 60, 4})}};
    JointRule r;
    r.edge = {{80, 30, 2}}, r.to = {{105, 30, 2}};
    const Job j = job_of(items, with(r));
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_NEAR(total_area(j.model), 60 * 185, 1e-6);
    check_mesh(j.model, j.mesh);
}

TEST(NamedJoint, StripsCloseStraightAndTangent) {
    // Two plates square to each other, 40 mm apart both ways: a quarter turn between them.
    const Items items{{"floor", box({0, 0, 0}, {100, 60, 4})}, {"wall", box({138, 0, 42}, {4, 60, 80})}};
    JointRule r;
    r.edge = {{100, 30, 2}}, r.to = {{140, 30, 42}};
    for (const StripAs kind : {StripAs::straight, StripAs::tangent}) {
        r.strip = kind;
        const Job j = job_of(items, with(r));
        EXPECT_EQ(j.mesh.parts, 1);
        ASSERT_EQ(j.model.sheets.size(), 3u);
        EXPECT_EQ(joint_count(j.model, "strip"), 1);
        double length = std::sqrt(2.0) * 40;
        if (kind == StripAs::tangent) {
            // A cubic with end tangents as long as the chord.
            length = 0;
            const Vec2 p[4] = {{0, 0}, {std::sqrt(2.0) * 40 / 3, 0}, {40, 40 - std::sqrt(2.0) * 40 / 3}, {40, 40}};
            constexpr int n = 20000;
            for (int k = 0; k < n; ++k) {
                const double t = (k + 0.5) / n, s = 1 - t;
                length += (3 * (s * s * (p[1] - p[0]) + 2 * s * t * (p[2] - p[1]) + t * t * (p[3] - p[2]))).norm() / n;
            }
        }
        EXPECT_NEAR(total_area(j.model), 60 * (100 + 80 + length), 1e-3 * 60 * length);
        check_mesh(j.model, j.mesh);
        // No solid is behind it: the bodies' volumes stay what they are.
        EXPECT_NEAR(j.proof.volume_error, 0, 1e-9);
    }
}

TEST(NamedJoint, PointsThatMeanNothingAreErrors) {
    const Items items{{"base", box({0, 0, 0}, {200, 100, 6})}, {"web", box({97, 0, 36}, {6, 100, 60})}};
    JointRule r;
    r.edge = {{100, 50, 500}}, r.to = {{100, 50, 6}};
    EXPECT_THROW((void)job_of(items, with(r)), Error);
    r.edge = {{100, 50, 36}}, r.to = {{100, 50, -300}};
    EXPECT_THROW((void)job_of(items, with(r)), Error);
}

TEST(Audit, FreeEdgesWithinReachAreNamed) {
    // A bracket welded along one foot; its other foot ends a tenth of a millimetre over the base and was refused.
    const Items items{{"base", box({0, 0, 0}, {200, 100, 6})}, {"web", box({97, 0, 6.1}, {6, 100, 60})}, {"far", box({0, 0, 200}, {200, 100, 6})}};
    EXPECT_EQ(findings(job_of(items), "free edge within reach"), 0);
    JointRule r;
    r.between[0] = {"web"}, r.refuse = true;
    const Job j = job_of(items, with(r));
    // The contact is reported, so that its edge says nothing new there; asked for by itself, it is told.
    EXPECT_EQ(findings(j, "contact without a joint"), 1);
    EXPECT_EQ(findings(j, "free edge within reach"), 0);
    EXPECT_EQ(free_edge_findings(j.model, j.solids, 0.5).size(), 1u);
    EXPECT_EQ(j.proof.rigid_body_modes, 6 * j.mesh.parts);
}

TEST(Audit, SheetHeldByOneTiedEdgeIsAHinge) {
    // A shelf whose edge is tied to a wall along one line can turn about it; tied along two it can not.
    const Items one{{"wall", box({0, 0, 0}, {4, 200, 200})}, {"shelf", box({6, 20, 98}, {80, 160, 4})}};
    Plan p;
    TieRule tie;
    tie.between = {std::vector<std::string>{"shelf"}, std::vector<std::string>{"wall"}}, tie.reach = 5;
    p.join.ties = {tie};
    const Job j = job_of(one, p);
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_EQ(j.proof.mechanisms, 1);
    EXPECT_EQ(j.proof.rigid_body_modes, 7);
    EXPECT_EQ(findings(j, "mechanism"), 1);
    Items two = one;
    two.push_back({"other wall", box({88, 0, 0}, {4, 200, 200})});
    two.push_back({"floor", box({4, 0, 0}, {84, 200, 4})});
    p.join.ties[0].between[1] = {"wall", "other wall"};
    const Job held = job_of(two, p);
    EXPECT_EQ(held.proof.mechanisms, 0);
    EXPECT_EQ(held.proof.rigid_body_modes, 6 * held.mesh.parts);
}

TEST(Audit, PostsThatOnlyDrillingHoldsAreTold) {
    const Job j = job_of(deck_on_posts());
    const auto told = std::ranges::count_if(ledger_of(j), [](const LedgerEntry& e) { return e.kind == EntryKind::member_free_to_spin; });
    EXPECT_EQ(told, 25);
    EXPECT_EQ(j.proof.mechanisms, 0);
}

TEST(JointByRule, RibReachesTheDecksTopWhereAsked) {
    // By rule for one of two rails; its section rises by the deck's thickness and follows it.
    for (const double t : {5.0, 9.0}) {
        const Items items{{"deck", box({0, 0, 0}, {900, 400, t})},
                          bar("rail", {0, 100, -30}, {900, 100, -30}, 40, 60, 4, Vec3::UnitZ()),
                          bar("sunk", {0, 300, -30}, {900, 300, -30}, 40, 60, 4, Vec3::UnitZ())};
        JointRule r;
        r.between = {{{"sunk"}, {"deck"}}};
        r.along = AlongSheet::flush;
        Plan plan = with(r);
        for (const bool turned : {false, true}) {
            const Job j = job_of(turned ? moved(items, anywhere()) : items, plan);
            EXPECT_EQ(j.mesh.parts, 1);
            EXPECT_EQ(j.mesh.links, 0);
            for (const Member& m : j.model.members) {
                const bool sunk = j.solids.bodies[m.body.index()].name == "sunk";
                EXPECT_NEAR(m.offset.norm(), sunk ? (60 - t) / 2 : (60 + t) / 2, 1e-7);
                EXPECT_NEAR(j.model.length(m), 900, 1e-8);
            }
            Model twice = j.model;
            join(twice, j.solids, plan.join);
            for (std::size_t i = 0; i < twice.members.size(); ++i) EXPECT_EQ(twice.members[i].offset, j.model.members[i].offset);
        }
        // A thicker deck about the same middle moves the one down and the other up.
        SizeRule thicker;
        thicker.size = t + 2;
        plan.mesh.thicknesses = {thicker};
        const Job j = job_of(items, plan);
        for (const Element& e : j.mesh.elements)
            if (e.kind == ElementKind::beam) {
                const bool sunk = j.solids.bodies[e.body.index()].name == "sunk";
                EXPECT_NEAR(e.section_offset.z(), sunk ? -(60 - t - 2) / 2 : -(60 + t + 2) / 2, 1e-9);
            }
    }
}

TEST(JointByRule, ForcedGapsAndJointsAreClosed) {
    // Two webs that stop 1.2 mm short of their base, which the reach of 0.5 mm does not close.
    const Items items{{"base", box({0, 0, 0}, {200, 100, 6})}, {"web", box({47, 0, 7.2}, {6, 100, 60})}, {"fin", box({147, 0, 7.2}, {6, 100, 60})}};
    const Job open = job_of(items);
    EXPECT_EQ(open.mesh.parts, 3);
    ASSERT_EQ(open.model.near.size(), 2u);
    const NearContact& gap = open.model.near[0];
    JointRule by_gap;
    by_gap.id = {gap.key}, by_gap.force = true;
    const Job one = job_of(items, with(by_gap));
    EXPECT_EQ(one.mesh.parts, 2);
    ASSERT_EQ(one.model.joints.size(), 1u);
    EXPECT_NEAR(one.model.joints[0].gap, gap.gap, 1e-9);
    EXPECT_EQ(one.model.near.size(), 1u) << "the other one is still only nearly caught";
    JointRule by_bodies;
    by_bodies.between[0] = {"base"}, by_bodies.force = true;
    EXPECT_EQ(job_of(items, with(by_bodies)).mesh.parts, 1);
    // What one entry refuses, a later one forces; and the other way round.
    JointRule refuse = by_bodies, force = by_bodies;
    refuse.force = false, refuse.refuse = true, force.between[0] = {"web"};
    Plan plan = with(by_bodies);
    plan.join.joints = {by_bodies, refuse, force};
    EXPECT_EQ(job_of(items, plan).mesh.parts, 2);
    plan.join.joints = {by_bodies, refuse};
    EXPECT_EQ(job_of(items, plan).mesh.parts, 3);
    // And what join.refuse names.
    const Job closed = job_of(items, with(by_bodies));
    plan.join.joints = {by_bodies}, plan.join.refuse = {closed.model.joints[0].key};
    EXPECT_EQ(job_of(items, plan).mesh.parts, 1);
    plan.join.joints = {by_gap}, plan.join.reach = 2;
    EXPECT_EQ(job_of(items, plan).mesh.parts, 2);
}

TEST(JointByRule, EdgeIsTiedInPlaceOfCarriedOn) {
    const Items items{{"base", box({0, 0, 0}, {200, 100, 6})}, {"web", box({97, 10, 6}, {6, 80, 60})}, {"fin", box({30, 10, 6}, {4, 80, 60})}};
    JointRule r;
    r.between = {{{"web"}, {"base"}}};
    r.edges = EdgesAs::tie;
    const Job j = job_of(items, with(r));
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_EQ(joint_count(j.model, "tie"), 1);
    EXPECT_EQ(joint_count(j.model, "tee"), 1);
    EXPECT_GT(j.mesh.ties.size(), 0u);
    EXPECT_TRUE(j.proof.within_bounds);
    // Nothing of the web is carried to the base's middle.
    for (const Sheet& s : j.model.sheets)
        if (j.solids.bodies[s.body.index()].name == "web") {
            EXPECT_NEAR(s.area(), 80 * 60, 1e-9);
        }
    // The same by the joint's own id.
    const Job carried = job_of(items);
    JointRule by_id;
    for (const JointRecord& k : carried.model.joints)
        for (const BodyId b : k.bodies)
            if (carried.solids.bodies[b.index()].name == "web") by_id.id = {k.key};
    by_id.edges = EdgesAs::tie;
    EXPECT_EQ(joint_count(job_of(items, with(by_id)).model, "tie"), 1);
}

TEST(JointByRule, MembersMeetWhereTheRuleSaysSo) {
    // Two crossings of round bars whose axes miss each other; one is brought to a point.
    Items items;
    for (const double x : {0.0, 1000.0}) {
        const std::string n = x == 0 ? "a" : "b";
        items.push_back(bar("beam " + n, {x - 300, 0, 0}, {x + 300, 0, 0}, 40, 40, 3, Vec3::UnitZ()));
        items.push_back(bar("post " + n, {x, 1, 20}, {x, 1, 600}, 40, 40, 3, Vec3::UnitY()));
    }
    JointRule r;
    r.between = {{{"post a"}, {"beam a"}}};
    r.reach = 30, r.members = MembersMeet::meet;
    Plan plan = with(r);
    plan.join.reach = 3;
    const Job j = job_of(items, plan);
    const auto links_near = [&](double x) {
        int n = 0;
        for (const Link& l : j.model.links) n += std::abs(j.model.vertices[l.a.index()].point.x() + j.solids.shift.x() - x) < 50 ? 1 : 0;
        return n;
    };
    EXPECT_EQ(links_near(0), 0);
    EXPECT_GT(links_near(1000), 0);
    EXPECT_EQ(connected_parts(j.model).count, 2);
}
