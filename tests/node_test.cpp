// Nodes of frames and crowded parts in one solid: tubes at flat and steep angles, branches amid a tube, ribs that end at thicker pieces, moulded
// boxes full of ribs and bosses, turned shells with rings close to their bends. Each is one mesh of the solid's volume, here and anywhere.
#include "body/section.hpp"
#include "curved_parts.hpp"
#include "random_parts.hpp"
#include "spoilt.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>

using namespace test;
using make::Solid;

namespace {

struct NodeTube {
    Vec3 way;
    double diameter, length;
    bool through = false;  // as far to the other side
};

// Tubes of one thickness from the origin outward, bored through to the node.
Solid node(const std::vector<NodeTube>& tubes, double thickness) {
    std::vector<Solid> outside, bores;
    for (const NodeTube& t : tubes) {
        const Vec3 way = t.way.normalized();
        const double back = t.through ? t.length : 0;
        outside.push_back(make::cylinder(-back * way, way, 0.5 * t.diameter, t.length + back));
        bores.push_back(make::cylinder(-(back + t.through) * way, way, 0.5 * t.diameter - thickness, t.length + back + 1 + t.through));
    }
    return make::unify(make::cut(make::fuse(outside), bores));
}

Solid turned_node(const std::vector<Vec2>& profile) {
    return make::moved(make::revolve({make::polygon(profile)}, Vec3::Zero(), Vec3::UnitY(), 2 * pi), make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
}

// An open channel leans on a tube: its seams on the tube hang together and on nothing else.
Solid channel_on_a_tube() {
    const Solid tube = make::moved(make::extrude(make::tube(100, 4.5), 350), make::place({-175, 0, 0}, Vec3::UnitX(), Vec3::UnitY()));
    const std::vector<Vec2> profile{{-32, -32}, {32, -32}, {32, -28}, {-28, -28}, {-28, 28}, {32, 28}, {32, 32}, {-32, 32}};
    const Solid channel = make::moved(make::extrude({make::polygon(profile)}, 300), make::place({0, 0, 0}, {std::sin(0.6), 0, std::cos(0.6)}, Vec3::UnitY()));
    return make::unify(make::fuse({tube, make::cut(channel, {make::cylinder({-300, 0, 0}, Vec3::UnitX(), 47.75, 600)})}));
}

// Pockets milled into a plate leave ribs of 3 mm on a floor of 2 mm, within a border as thick as the plate.
Solid pockets_in_a_border() {
    std::vector<Solid> pockets;
    for (int i = 0; i < 4; ++i)
        for (int j = 0; j < 3; ++j) {
            const double x = 3 + 63 * i, y = 3 + 63 * j;
            const auto outline = make::rounded({{x, y}, {x + 60, y}, {x + 60, y + 60}, {x, y + 60}}, {6, 6, 6, 6});
            pockets.push_back(make::moved(make::extrude({outline}, 20), make::place({0, 0, 2})));
        }
    return make::cut(make::box({-37, -37, 0}, {329, 266, 12}), pockets);
}

// Rounds outside by so much more than inside as the wall is thick, sharp inside where there is no more; ribs across, a boss with a blind hole.
Solid moulded(double upright, double floor) {
    constexpr double t = 3, x = 130, y = 120, h = 45;
    const auto side = [](const Vec3& m) { return std::abs(m.z() - 0.5 * h - 1) < 0.5 * h - 6; };
    const auto low = [](const Vec3& m) { return m.z() < 5; };
    const Solid outer = make::rounded_edges(make::rounded_edges(make::box({0, 0, 0}, {x, y, h}), upright, side), floor, low);
    Solid inner = make::box({t, t, t}, {x - 2 * t, y - 2 * t, h});
    if (upright > t) inner = make::rounded_edges(inner, upright - t, side);
    if (floor > t) inner = make::rounded_edges(inner, floor - t, low);
    const Solid beyond = make::cut(make::box({-50, -50, -50}, {x + 100, y + 100, h + 100}), {outer});
    const Solid ribs =
        make::fuse({make::box({44, 0, 0}, {1.75, y, 36}), make::box({0, 71, 0}, {x, 2.5, 28}), make::cylinder({90, 38, 0}, Vec3::UnitZ(), 4.5, 30)});
    return make::unify(make::cut(make::fuse({make::cut(outer, {inner}), make::cut(ribs, {beyond})}), {make::cylinder({90, 38, t + 1}, Vec3::UnitZ(), 3, h)}));
}

// A cone that goes on in a cylinder at two degrees, and a ring that hides where.
Solid cone_into_cylinder() {
    const Solid shell = turned_node({{88, 0}, {92, 0}, {95, 80}, {95, 150}, {91, 150}, {91, 80}});
    return make::unify(
        make::fuse({shell, make::cut(make::cylinder({0, 0, 82}, Vec3::UnitZ(), 108, 2.5), {make::cylinder({0, 0, 81}, Vec3::UnitZ(), 93, 10)})}));
}

// A ring on a cone 3.8 mm under the flat step that the cone ends in: between them it shows on neither side.
Solid ring_under_a_step() {
    const Solid shell = turned_node({{84, 0}, {86.6, 0}, {97, 76.2}, {97, 77.5}, {75, 77.5}, {37, 150}, {34.4, 150}, {72.6, 75}, {94.2, 75}});
    return make::unify(
        make::fuse({shell, make::cut(make::cylinder({0, 0, 69.5}, Vec3::UnitZ(), 107, 3.5), {make::cylinder({0, 0, 60}, Vec3::UnitZ(), 93.7, 30)})}));
}

struct Crowded {
    std::string name;
    std::function<Solid()> solid;
    std::size_t sheets;
    double volume;  // bound
    double area;    // of all sheets in closed form, 0 where there is none
};

const std::vector<Crowded>& crowded() {
    static const std::vector<Crowded> all = {{"two_tubes_at_a_flat_mitre",
                                              [] {
                                                  return node({{{0, 1, 0}, 40, 260}, {{-0.26, -0.94, 0.2}, 40, 250}}, 2.5);
                                              },
                                              2, 2e-4, 0},
                                             {"two_tubes_at_a_steep_mitre",
                                              [] {
                                                  return node({{{0, 0, 1}, 40, 260}, {{0, 0.94, -0.34}, 40, 250}}, 2.5);
                                              },
                                              2, 2e-4, 0},
                                             {"tubes_of_unlike_size",
                                              [] {
                                                  return node({{{1, 0, 0}, 55, 300, true}, {{0.2, 0.3, 1}, 40, 250}, {{-0.3, 1, -0.2}, 30, 220}}, 3);
                                              },
                                              3, 3e-3, 0},
                                             {"channel_on_a_tube", channel_on_a_tube, 4, 1e-3, 0},
                                             {"pockets_in_a_border", pockets_in_a_border, 6, 5e-3, 0},
                                             {"moulded_sharp_inside", [] { return moulded(8.5, 3); }, 20, 1e-3, 0},
                                             {"moulded_all_sharp_inside", [] { return moulded(3, 3); }, 20, 2e-3, 0},
                                             {"moulded_round", [] { return moulded(9, 5); }, 20, 1e-3, 0},
                                             {"cone_into_cylinder", cone_into_cylinder, 3, 1e-3, 0},
                                             {"ring_under_a_step", ring_under_a_step, 4, 2e-3, 0}};
    return all;
}

class CrowdedPart : public ::testing::TestWithParam<std::size_t> {};

}  // namespace

TEST_P(CrowdedPart, IsOneMeshOfItsVolume) {
    const Crowded& c = crowded()[GetParam()];
    std::array<double, 2> area{};
    for (const bool moved : {false, true}) {
        const Job j = job_of_shells(c.solid(), moved);
        EXPECT_EQ(j.model.sheets.size(), c.sheets);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_LT(std::abs(j.proof.volume_error), c.volume);
        EXPECT_GT(j.proof.coverage, 0.998);
        EXPECT_GT(j.mesh.quality.quad_share, 0.9);
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_EQ(count_findings(j, "edge inside the solid"), 0u);
        area[moved] = total_area(j.model);
    }
    EXPECT_NEAR(area[1] / area[0], 1, 1e-4);
}

INSTANTIATE_TEST_SUITE_P(All, CrowdedPart, ::testing::Range<std::size_t>(0, 10), [](const auto& i) { return crowded()[i.param].name; });

// At the inner side of the tray nothing is left of its rounds and of the balls in its corners: five walls, two ribs and a boss.
TEST(Reference, SharpRoundsOfATrayGoWithTheBallsInItsCorners) {
    for (const bool turned_node : {false, true}) {
        Plan plan;
        plan.halve.reference = Reference::inner;
        const Solid solid = moulded(3, 3);
        const Job j = job_of(turned_node ? make::moved(solid, anywhere()) : solid, plan);
        for (const Finding& f : findings_of(j)) EXPECT_NE(f.kind, FindingKind::reference_at_the_middle) << f.about;
        EXPECT_EQ(j.model.sheets.size(), 8u);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_NEAR(j.proof.volume_error, 0, 5e-3);
        EXPECT_GT(j.proof.coverage, 0.99);
        check_mesh(j.model, j.mesh);
    }
}

TEST(TubeNode, SheetsAtAMitreAreAsLongAsTheirAxes) {
    // Two equal tubes cut off at their mitre have the areas of full tubes as long as their axes; outside the node's own closed side none is lost.
    const double r = 18.75, fold = std::acos(Vec3(-0.26, -0.94, 0.2).normalized().dot(-Vec3::UnitY()));
    const Job j = job_of_shells(node({{{0, 1, 0}, 40, 260}, {{-0.26, -0.94, 0.2}, 40, 250}}, 2.5), true);
    // Past the mitre, on its outer side, both run on to where they begin: a wedge of each, from the end plane through the node to the mitre.
    const double wedge = 2 * r * r * std::tan(0.5 * fold);
    EXPECT_NEAR(total_area(j.model), 2 * pi * r * (260 + 250) - 2 * wedge, 0.02 * wedge);
}

TEST(EndAtSide, RibsAreHeldByThePieceTheyEndAt) {
    const Job j = job_of_shells(pockets_in_a_border(), false);
    const auto& all = j.model.couplings;
    EXPECT_EQ(all.size(), 10u);  // three ribs and two, each at both ends
    for (const Coupling& c : all) {
        EXPECT_EQ(c.volume, 0);
        EXPECT_FALSE(c.whole_body());
        ASSERT_EQ(c.edges.size(), 1u);
        const Curve& e = j.model.edges[c.edges[0].index()].curve;
        const Vec3 at = j.model.vertices[c.centre.index()].point;
        EXPECT_LT(std::min((e.start() - at).norm(), (e.end() - at).norm()), 1e-6);
        EXPECT_NEAR(e.length(), 11, 0.1);
    }
}

TEST(EndAtSide, NothingIsHeldWhereTheJointIsRefused) {
    Job j = job_of_shells(pockets_in_a_border(), false);
    Model model = halve(j.solids, j.plan.halve);
    JoinOptions options;
    for (const JointRecord& r : j.model.joints)
        if (r.kind == JointKind::end_at_side) options.refuse.push_back(r.key);
    ASSERT_FALSE(options.refuse.empty());
    join(model, j.solids, options);
    EXPECT_TRUE(model.couplings.empty());
}

TEST(ThicknessTies, HoldABranchAsWideAsItsTube) {
    for (const bool moved : {false, true}) {
        const Job j = job_of_shells(make_random({"branch", 7}), moved);
        ASSERT_FALSE(j.model.ties.empty());
        ASSERT_FALSE(j.mesh.ties.empty());
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_EQ(count_findings(j, "edge inside the solid"), 0u);
        for (const TiedNode& t : j.mesh.ties) {
            const Sheet& onto = j.model.sheets[j.mesh.elements[static_cast<std::size_t>(t.element)].sheet.index()];
            EXPECT_LE(t.arm.norm(), onto.thickness.max) << "within its thickness, or beside its border by half of that";
        }
    }
}

TEST(ThicknessTies, TubesWhoseRimsOnlyCrossAreLinkedThere) {
    for (const bool moved : {false, true}) {
        const Job j = job_of_shells(make_random({"node", 67}), moved);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_GE(joint_count(j.model, "point contact"), 1);
        double thickest = 0;
        for (const Sheet& s : j.model.sheets) thickest = std::max(thickest, s.thickness.max);
        for (const Link& l : j.model.links) EXPECT_LT((j.model.vertices[l.a.index()].point - j.model.vertices[l.b.index()].point).norm(), thickest);
    }
}

TEST(ThicknessTies, NothingIsTiedWhereTheJointIsRefused) {
    const Job j = job_of_shells(make_random({"branch", 7}), false);
    Model model = halve(j.solids, j.plan.halve);
    JoinOptions options;
    for (const JointRecord& r : j.model.joints) options.refuse.push_back(r.key);  // where a line contact holds both sheets already, of that
    ASSERT_FALSE(options.refuse.empty());
    join(model, j.solids, options);
    EXPECT_TRUE(model.ties.empty());
}

TEST(Section, OfATorusSquareToItsAxisIsACircle) {
    const Solid ring = make::revolve({make::circle(4, {20, 0})}, Vec3::Zero(), Vec3::UnitY(), 2 * pi);
    const Job j = job_of_shells(make::moved(make::cut(ring, {make::box({-50, -50, -50}, {50, 100, 100})}), anywhere()), false);
    const Body& body = j.solids.bodies[0];
    const auto torus = std::find_if(body.faces.begin(), body.faces.end(), [](const Face& f) { return std::holds_alternative<TorusSurface>(f.surface); });
    ASSERT_NE(torus, body.faces.end());
    const auto& t = std::get<TorusSurface>(torus->surface);
    const PlaneSection s = cut(body, Frame::with_z(t.frame.origin + 2.5 * t.frame.z, t.frame.z), 1e-6, nullptr);
    ASSERT_EQ(s.loops.size(), 1u);
    std::vector<double> radii;
    for (const SectionPiece& p : s.loops[0])
        if (const auto* k = std::get_if<CircleCurve>(&p.curve.shape)) radii.push_back(k->radius);
    std::sort(radii.begin(), radii.end());
    ASSERT_GE(radii.size(), 2u);
    EXPECT_NEAR(radii.front(), 20 - std::sqrt(16 - 6.25), 1e-9);
    EXPECT_NEAR(radii.back(), 20 + std::sqrt(16 - 6.25), 1e-9);
    for (const double r : radii) EXPECT_NEAR(std::abs(r - 20), std::sqrt(16 - 6.25), 1e-9);
}

TEST(Section, PiecesKeepToThePlaneAtTheirEnds) {
    // Cut where a corner's torus begins, a passage all but lies on the side of a facet.
    const Job j = job_of_shells(moulded(4.5, 3), true);
    const Body& body = j.solids.bodies[0];
    int curved = 0;
    for (const Sheet& s : j.model.sheets) {
        if (!s.chart.flat()) continue;
        const Frame& plane = s.chart.plane();
        for (const auto& loop : cut(body, plane, j.solids.tolerance.point, nullptr).loops)
            for (const SectionPiece& p : loop)
                for (const double t : {p.curve.t0, p.curve.t1}) {
                    EXPECT_LT(std::abs(p.curve.derivative(t).normalized().dot(plane.z)), 1e-5);
                    curved += p.curve.is_line() ? 0 : 1;
                }
    }
    EXPECT_GT(curved, 8);
}

TEST(BendMesh, NoElementGoesRoundMoreThanAboutARightAngle) {
    // Folded by 115 degrees over an inner radius of 0.5: with one element round the bend its mesh would lack a seventh of its area.
    const double a = 115 * pi / 180;
    const Vec2 d(std::cos(a), std::sin(a)), n(-d.y(), d.x());
    const Vec2 at(80, 0);
    const Vec2 corner = at + Vec2(-std::tan(0.5 * a), 1);  // of the inner lines
    const std::vector<Vec2> outline{{0, 0}, at, at + 60 * d, at + 60 * d + n, corner, {0, 1}};
    const Job j = job_of_shells(make::extrude({make::rounded(outline, {0, 1.5, 0, 0, 0.5, 0})}, 100), true);
    EXPECT_TRUE(j.proof.within_bounds);
    for (std::size_t s = 0; s < j.model.sheets.size(); ++s) {
        double area = 0;
        for (const Element& e : j.mesh.elements)
            if (e.sheet == SheetId(s))
                for (std::size_t k = 2; k < e.count; ++k) {
                    const auto p = [&](std::size_t i) { return j.mesh.nodes[static_cast<std::size_t>(e.nodes[i])]; };
                    area += 0.5 * (p(k - 1) - p(0)).cross(p(k) - p(0)).norm();
                }
        EXPECT_NEAR(area / j.model.sheets[s].area(), 1, 0.05);
    }
}
