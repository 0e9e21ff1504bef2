// Whole structures of many bodies: one part, nothing open, eccentricities kept.
#include "structures.hpp"

#include <halvo/halve.hpp>
#include <halvo/join.hpp>

#include <gtest/gtest.h>

#include <set>

using namespace test;
using make::box;

namespace {

Plan reaching(double reach) {
    Plan p;
    p.join.reach = reach;
    return p;
}

const Member& member_of(const Job& j, const std::string& body) {
    for (const Member& m : j.model.members)
        if (j.solids.bodies[m.body.index()].name == body) return m;
    throw std::runtime_error("no member of " + body);
}

std::set<int> shell_nodes(const Mesh& m) {
    std::set<int> out;
    for (const Element& e : m.elements)
        if (e.kind == ElementKind::shell) out.insert(e.nodes.begin(), e.nodes.begin() + e.count);
    return out;
}

}  // namespace

TEST(Structure, PlatesWithWeldGapsNeedTheReach) {
    expect_whole(job_of(three_plates(0.4), reaching(1)));
    const Job apart = job_of(three_plates(0.4), reaching(0.3));
    EXPECT_EQ(connected_parts(apart.model).count, 3);
    ASSERT_EQ(apart.model.near.size(), 2u);
    for (const NearContact& k : apart.model.near) EXPECT_NEAR(k.gap, 0.4, 1e-9);
    int named = 0;
    for (const Finding& f : findings_of(apart)) named += f.kind == FindingKind::near_miss && f.about.find("0.4 mm") != std::string::npos;
    EXPECT_EQ(named, 2);
}

TEST(Structure, ReachCanBeGivenForSomeBodiesOnly) {
    Plan plan = reaching(0.3);
    JointRule rule;
    rule.between = {std::vector<std::string>{"web"}, std::vector<std::string>{"fl*"}};
    rule.reach = 0.5;
    plan.join.joints.push_back(rule);
    const Job j = job_of(three_plates(0.4), plan);
    EXPECT_EQ(connected_parts(j.model).count, 2);
    EXPECT_EQ(j.model.joints.size(), 1u);
}

TEST(Structure, JointsAreRefusedByTheirBodies) {
    Plan plan = reaching(1);
    JointRule rule;
    rule.between = {std::vector<std::string>{"base"}, {}};
    rule.refuse = true;
    plan.join.joints.push_back(rule);
    const Job j = job_of(three_plates(0.4), plan);
    EXPECT_EQ(connected_parts(j.model).count, 2);
    int refused = 0, open = 0;
    for (const JointRecord& k : j.model.joints) refused += k.state == EntryState::refused;
    for (const ContactProof& c : j.proof.contacts) open += !c.joined;
    EXPECT_EQ(refused, 1);
    EXPECT_EQ(open, 1) << "the audit names it";
    rule.between[0] = {"no such body"};
    plan.join.joints = {rule};
    EXPECT_THROW((void)job_of(three_plates(0.4), plan), Error);
}

TEST(Structure, WeldedFrameOfTubesCutShort) {
    for (const MembersMeet way : {MembersMeet::link, MembersMeet::meet}) {
        Plan plan = reaching(3.7);
        plan.join.members = way;
        const Job j = job_of(welded_frame(), plan);
        expect_whole(j);
        ASSERT_EQ(j.model.members.size(), 24u);
        for (const Member& m : j.model.members) {
            const std::string& name = j.solids.bodies[m.body.index()].name;
            const double expected = name.rfind("post", 0) == 0 ? 622.5 : name.rfind("long", 0) == 0 ? 1200 : 800;
            EXPECT_NEAR(j.model.length(m), expected, 0.1) << name;
            const bool upper = m.axis.at(0).z() + j.solids.shift.z() > 500 && std::abs(m.axis.direction(0).z()) < 0.5;
            EXPECT_NEAR(m.offset.norm(), upper ? (40 + 5) / 2.0 : 0, 1e-9) << name;
        }
        // Nodes of the upper rails are nodes of the deck.
        const auto shells = shell_nodes(j.mesh);
        for (const Element& e : j.mesh.elements) {
            if (e.kind == ElementKind::beam && j.model.members[e.member.index()].offset.norm() > 0) {
                EXPECT_TRUE(shells.count(e.nodes[0]) && shells.count(e.nodes[1]));
            }
        }
    }
}

TEST(Structure, HatStiffenersLieOnTheirFlanges) {
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? moved(hats_on_plate(), anywhere()) : hats_on_plate());
        expect_whole(j);
        EXPECT_EQ(joint_count(j.model, "lap"), 4);
        ASSERT_GT(j.mesh.links, 0);
        for (const Element& e : j.mesh.elements)
            if (e.kind == ElementKind::rigid) {
                EXPECT_NEAR((j.mesh.nodes[static_cast<std::size_t>(e.nodes[0])] - j.mesh.nodes[static_cast<std::size_t>(e.nodes[1])]).norm(), (4 + 2) / 2.0,
                            1e-7);
            }
    }
}

TEST(Structure, DeckOnTwentyFivePosts) {
    const Job j = job_of(deck_on_posts());
    expect_whole(j);
    EXPECT_EQ(joint_count(j.model, "member end to sheet"), 25);
    EXPECT_EQ(j.model.couplings.size(), 25u) << "each post stands on its outline";
    Plan nodes;
    nodes.join.ends = EndsAs::node;
    EXPECT_EQ(job_of(deck_on_posts(), nodes).mesh.links, 0) << "each post ends on a node of the deck";
    for (const Member& m : j.model.members) EXPECT_NEAR(j.model.length(m), 1003, 1e-8);
}

TEST(Structure, RailsAlongACurvedHoodShareItsNodes) {
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? moved(hood_with_rails(), anywhere()) : hood_with_rails());
        expect_whole(j);
        EXPECT_EQ(j.mesh.links, 0);
        const auto shells = shell_nodes(j.mesh);
        for (const Element& e : j.mesh.elements) {
            if (e.kind == ElementKind::beam) {
                EXPECT_TRUE(shells.count(e.nodes[0]) && shells.count(e.nodes[1]));
            }
        }
        for (const Member& m : j.model.members) {
            EXPECT_NEAR(m.offset.norm(), (30 + 3) / 2.0, 1e-7);
            EXPECT_NEAR(j.model.length(m), 1000, 1e-6);
        }
    }
}

TEST(Structure, RailUnderAPlateFollowsItsThickness) {
    for (const double t : {5.0, 9.0}) {
        const Job j = job_of({{"deck", box({0, 0, 0}, {900, 400, t})}, bar("rail", {-50, 200, -30}, {950, 200, -30}, 40, 60, 4, Vec3::UnitZ())});
        expect_whole(j);
        const Member& m = member_of(j, "rail");
        EXPECT_NEAR(m.offset.norm(), (60 + t) / 2, 1e-9);
        EXPECT_NEAR(j.model.length(m), 1000, 1e-8) << "what stands out past the deck stays";
        for (const Element& e : j.mesh.elements) EXPECT_NEAR(e.section_offset.z(), e.kind == ElementKind::beam ? -(60 + t) / 2 : 0, 1e-9);
    }
}

TEST(Structure, SixTubesAtANode) {
    std::vector<Vec3> axes;
    for (const MembersMeet way : {MembersMeet::link, MembersMeet::meet}) {
        Plan plan = reaching(2.5);
        plan.join.members = way;
        const Job j = job_of(six_at_a_node(), plan);
        EXPECT_EQ(connected_parts(j.model).count, 1);
        EXPECT_EQ(j.mesh.parts, 1);
        double off = 0;
        std::set<int> ends;
        for (const Member& m : j.model.members)
            for (const EdgeUse& u : m.chain)
                for (VertexId v : j.model.edges[u.edge.index()].vertices) {
                    const Vec3& p = j.model.vertices[v.index()].point;
                    off = std::max(off, (p - m.axis.at(0)).cross(m.axis.direction(0)).norm());
                    if ((p + j.solids.shift).norm() < 10) ends.insert(v.value);
                }
        if (way == MembersMeet::link) {
            EXPECT_LT(off, 1e-7) << "axes do not move";
            EXPECT_GT(j.mesh.links, 0);
        } else {
            EXPECT_EQ(ends.size(), 1u);
            EXPECT_EQ(j.mesh.links, 0);
            EXPECT_LT(off, 1.5);
        }
    }
}

TEST(Structure, SaddleOnAPipeIsLinkedRoundItsEdges) {
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? moved(pipe_with_saddle(), anywhere()) : pipe_with_saddle());
        expect_whole(j);
        EXPECT_EQ(joint_count(j.model, "lap"), 1);
        ASSERT_GT(j.mesh.links, 0);
        for (const Element& e : j.mesh.elements)
            if (e.kind == ElementKind::rigid) {
                EXPECT_NEAR((j.mesh.nodes[static_cast<std::size_t>(e.nodes[0])] - j.mesh.nodes[static_cast<std::size_t>(e.nodes[1])]).norm(), (5 + 4) / 2.0,
                            1e-6);
            }
    }
}

TEST(Structure, SheetHeldAtOnePointIsNamed) {
    // The second plate touches the first with one corner only.
    const auto turned = make::moved(box({0, 0, 0}, {100, 100, 5}), make::place({200, 100, 0}, Vec3::UnitZ(), Vec3(1, -1, 0)));
    const Job j = job_of({{"one", box({0, 0, 0}, {200, 200, 5})}, {"two", turned}});
    int named = 0;
    for (const Finding& f : findings_of(j)) named += f.kind == FindingKind::hangs_on_by_point || f.kind == FindingKind::contact_without_joint;
    EXPECT_GE(named, 1);
}

TEST(Structure, OverlapDoublesNoMaterial) {
    const Job j = job_of(overlapping_tee());
    expect_whole(j);
    EXPECT_NEAR(seam_length(j.model, "tee"), 300, 1e-8);
    double sheets = 0;
    for (const Sheet& s : j.model.sheets) sheets += s.area() * s.thickness.mean;
    // The web runs on to the base's middle: half its thickness, less what stood in it already.
    EXPECT_NEAR(sheets, 300 * 200 * 6 + 300 * 6 * (100 + 2.7), 1e-6);
}

TEST(Structure, GridOfPlatesAndTubesIsOnePart) {
    const Job j = job_of(grid(8));
    EXPECT_EQ(j.model.members.size(), 81u);
    EXPECT_EQ(j.model.sheets.size(), 144u);
    expect_whole(j);
}

TEST(Structure, TubeInTubeAsBeamsAndAsShells) {
    const auto tube = [](double d, double from, double to) { return make::moved(make::extrude(make::tube(d, 3), to - from), make::place({0, 0, from})); };
    for (const double play : {0.0, 0.2})
        for (const bool shells : {false, true}) {
            Plan p = reaching(0.5);
            p.halve.slender = shells ? SlenderAs::shells : SlenderAs::beams;
            p.mesh.size = 20;
            const Job j = job_of({{"outer", tube(60, 0, 600)}, {"inner", tube(54 - 2 * play, 450, 1100)}}, p);
            expect_whole(j);
            if (!shells) {
                EXPECT_NEAR(j.model.length(member_of(j, "outer")), 600, 1e-6);
                EXPECT_NEAR(j.model.length(member_of(j, "inner")), 650, 1e-6);
                EXPECT_EQ(j.mesh.links, 0) << "both lines are one where they overlap";
                continue;
            }
            ASSERT_GT(j.mesh.links, 0);
            for (const Element& e : j.mesh.elements)
                EXPECT_TRUE(e.kind != ElementKind::rigid ||
                            std::abs((j.mesh.nodes[static_cast<std::size_t>(e.nodes[0])] - j.mesh.nodes[static_cast<std::size_t>(e.nodes[1])]).norm() - 3 -
                                     play) < 1e-6);
        }
}

TEST(Structure, BlockBetweenOthersIsACoupling) {
    Items items{{"block", box({0, 0, 0}, {200, 200, 120})},
                bar("post", {100, 100, 120}, {100, 100, 1200}, 60, 60, 4, Vec3::UnitY()),
                {"wing", box({200, 97, 20}, {300, 6, 80})}};
    const Job j = job_of(items);
    expect_whole(j);
    ASSERT_EQ(j.model.couplings.size(), 1u);
    const Coupling& c = j.model.couplings[0];
    EXPECT_NEAR(c.volume, 200 * 200 * 120, 1e-3);
    EXPECT_NEAR((j.model.vertices[c.centre.index()].point + j.solids.shift - Vec3(100, 100, 60)).norm(), 0, 1e-9);
    EXPECT_EQ(c.edges.size(), 1u) << "the wing's whole edge";
    EXPECT_EQ(c.vertices.size(), 1u) << "the post's end";
    EXPECT_LT(j.proof.centroid_error, 1.0);
    Plan plan;
    plan.join.bulk = BulkAs::named;
    const Job named = job_of(items, plan);
    EXPECT_TRUE(named.model.couplings.empty());
    EXPECT_TRUE(std::ranges::any_of(findings_of(named), [](const Finding& f) { return f.kind == FindingKind::not_idealized; }));
}

TEST(Structure, JoiningTwiceChangesNothing) {
    Items items = welded_frame();
    items.push_back({"block", box({-100, -100, -100}, {200, 200, 100})});
    const Job first = job_of(items, reaching(3.7));
    Model twice = first.model;
    JoinOptions options;
    options.reach = 3.7;
    join(twice, first.solids, options);
    EXPECT_EQ(first.model.edges.size(), twice.edges.size());
    EXPECT_EQ(first.model.vertices.size(), twice.vertices.size());
    EXPECT_EQ(first.model.joints.size(), twice.joints.size());
    EXPECT_EQ(first.model.links.size(), twice.links.size());
    ASSERT_EQ(first.model.couplings.size(), 1u);
    ASSERT_EQ(twice.couplings.size(), 1u);
    EXPECT_EQ(first.model.couplings[0].vertices.size(), twice.couplings[0].vertices.size());
    for (std::size_t i = 0; i < twice.members.size(); ++i) {
        EXPECT_NEAR(first.model.length(first.model.members[i]), twice.length(twice.members[i]), 1e-7);
        EXPECT_NEAR((first.model.members[i].offset - twice.members[i].offset).norm(), 0, 1e-9);
    }
}

TEST(Structure, ModelFileKeepsOffsetsCouplingsAndNearGaps) {
    Items items = welded_frame();
    items.push_back({"block", box({-100, -100, -100}, {200, 200, 100})});
    Plan plan = reaching(3);
    plan.halve.reference = Reference::outer;
    const Job j = job_of(items, plan);
    const Folder folder;
    write_model(folder / "model.halvo", j);
    const Job back = read_model(folder / "model.halvo");
    ASSERT_EQ(back.model.members.size(), j.model.members.size());
    for (std::size_t i = 0; i < j.model.members.size(); ++i) EXPECT_EQ(back.model.members[i].offset, j.model.members[i].offset);
    ASSERT_EQ(back.model.couplings.size(), j.model.couplings.size());
    EXPECT_EQ(back.model.couplings[0].volume, j.model.couplings[0].volume);
    ASSERT_EQ(back.model.near.size(), j.model.near.size());
    EXPECT_EQ(back.model.near.at(0).gap, j.model.near[0].gap);
    for (std::size_t i = 0; i < j.model.sheets.size(); ++i) {
        EXPECT_EQ(back.model.sheets[i].reference, j.model.sheets[i].reference);
        EXPECT_EQ(back.model.sheets[i].placed, j.model.sheets[i].placed);
        EXPECT_EQ(back.model.sheets[i].growth, j.model.sheets[i].growth);
    }
    ASSERT_EQ(back.mesh.elements.size(), j.mesh.elements.size());
    for (std::size_t i = 0; i < j.mesh.elements.size(); ++i) EXPECT_EQ(back.mesh.elements[i].section_offset, j.mesh.elements[i].section_offset);
}
