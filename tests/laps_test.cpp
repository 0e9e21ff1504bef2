// Skins on skins: linked, tied or merged; plates in one plane; gaps closed by hand.
#include "spoilt.hpp"
#include "structures.hpp"

#include <gtest/gtest.h>

using namespace test;
using make::box;

namespace {

Plan lapping(LapsAs way) {
    Plan p;
    p.join.laps = way;
    p.mesh.size = 20;
    return p;
}

// A doubler of 3 mm within a plate of 5; two plates that overlap by 60 mm at their ends.
Items doubler() {
    return {{"plate", box({0, 0, 0}, {400, 300, 5})}, {"doubler", box({110, 70, 5}, {150, 120, 3})}};
}
Items shingled() {
    return {{"left", box({0, 0, 0}, {300, 200, 4})}, {"right", box({240, 0, 4}, {300, 200, 6})}};
}

// Rigid motion of the element's nodes carried to a tied node as the tie says.
Vec3 followed(const Mesh& m, const TiedNode& t, const std::function<Vec3(const Vec3&)>& motion, const Vec3& rotation) {
    const Element& e = m.elements[static_cast<std::size_t>(t.element)];
    Vec3 u = rotation.cross(t.arm);
    for (std::size_t k = 0; k < e.count; ++k) u += t.weights[k] * motion(m.nodes[static_cast<std::size_t>(e.nodes[k])]);
    return u;
}

void expect_ties_carry_rigid_motion(const Mesh& m) {
    const Vec3 rotation(0.3, -0.2, 0.7), shift(1, 2, 3);
    const auto motion = [&](const Vec3& p) { return Vec3(shift + rotation.cross(p)); };
    for (const TiedNode& t : m.ties) {
        EXPECT_NEAR(t.weights[0] + t.weights[1] + t.weights[2] + t.weights[3], 1, 1e-12);
        for (double w : t.weights) EXPECT_GE(w, -1e-12);
        const Vec3 u = motion(m.nodes[static_cast<std::size_t>(t.node)]);
        EXPECT_NEAR((followed(m, t, motion, rotation) - u).norm(), 0, 1e-9 * u.norm());
    }
}

}  // namespace

TEST(Laps, LinkedNodeToNodeAlsoWhereTheyOverlapInPart) {
    for (const bool away : {false, true}) {
        const Job j = job_of(away ? moved(shingled()) : shingled(), lapping(LapsAs::link));
        expect_whole(j);
        ASSERT_GT(j.mesh.links, 0);
        for (const Element& e : j.mesh.elements) {
            if (e.kind != ElementKind::rigid) continue;
            EXPECT_NEAR((j.mesh.nodes[static_cast<std::size_t>(e.nodes[0])] - j.mesh.nodes[static_cast<std::size_t>(e.nodes[1])]).norm(), 5, 1e-6);
        }
    }
}

TEST(Laps, LinksRoundHolesStandStraight) {
    // Two plates on each other with a hole through both and a round doubler: closed borders, linked node to opposite node.
    const make::Solid hole = make::cylinder({150, 100, -20}, Vec3::UnitZ(), 25, 60);
    const Items items{{"lower", make::cut(box({0, 0, 0}, {300, 200, 4}), {hole})},
                      {"upper", make::cut(box({40, 30, 4}, {220, 140, 6}), {hole})},
                      {"disc", make::cylinder({220, 100, 10}, Vec3::UnitZ(), 30, 2)}};
    for (const bool away : {false, true}) {
        Plan p = lapping(LapsAs::link);
        p.mesh.size = 8;
        const Job j = job_of(away ? moved(items) : items, p);
        expect_whole(j);
        ASSERT_GT(j.mesh.links, 20);
        for (const Element& e : j.mesh.elements) {
            if (e.kind != ElementKind::rigid) continue;
            const double apart = (j.mesh.nodes[static_cast<std::size_t>(e.nodes[0])] - j.mesh.nodes[static_cast<std::size_t>(e.nodes[1])]).norm();
            EXPECT_TRUE(std::abs(apart - 5) < 1e-6 || std::abs(apart - 4) < 1e-6) << apart;
        }
    }
}

namespace {

// A plate of 3 mm, thicker by `more` from the middle on; what lies on it is put under it, on the thin half, and on the thick one.
Items on_a_stepped_plate(double more, int where) {
    const make::Solid host = make::unify(make::fuse({box({0, 0, 0}, {100, 60, 3}), box({50, 0, 3}, {50, 60, more})}));
    const make::Solid guest = where == 0 ? box({20, 10, -2}, {60, 40, 2}) : where == 1 ? box({5, 10, 3}, {40, 40, 2}) : box({55, 10, 3 + more}, {40, 40, 2});
    return {{"host", host}, {"guest", guest}};
}

void expect_joined(const Job& j) {
    expect_whole(j);
    ASSERT_EQ(j.proof.contacts.size(), 1u);
    EXPECT_TRUE(j.proof.contacts[0].joined);
    EXPECT_LT(std::abs(j.proof.volume_error), 1e-4);
    for (const Finding& f : findings_of(j)) EXPECT_NE(f.kind, FindingKind::free_edge_within_reach) << f.about;
}

}  // namespace

TEST(Laps, APlateLiesOnAnyPieceOfASteppedOne) {
    for (const double more : {2.0, 9.0})
        for (const int where : {0, 1, 2})
            for (const bool away : {false, true}) {
                SCOPED_TRACE(std::to_string(more) + (where == 0 ? " below" : where == 1 ? " on the thin half" : " on the thick half"));
                const Items items = on_a_stepped_plate(more, where);
                const Job j = job_of(away ? moved(items) : items, lapping(LapsAs::link));
                expect_joined(j);
                ASSERT_GT(j.mesh.links, 0);
            }
}

TEST(Laps, SkinsBetweenMidsurfacesThatRunApartAreTied) {
    for (const double degrees : {0.5, 2.0, 8.0})
        for (const bool away : {false, true}) {
            const double high = 2 + 80 * std::tan(degrees * pi / 180);
            const Items items{{"host", box({-30, -3, -20}, {160, 3, 80})},
                              {"wedge", make::extrude({make::polygon({{0, 0}, {80, 0}, {80, high}, {0, 2}})}, 30)}};
            const Job j = job_of(away ? moved(items) : items, lapping(LapsAs::link));
            EXPECT_EQ(j.mesh.links, 0);
            EXPECT_GT(j.mesh.ties.size(), 10u);
            expect_ties_carry_rigid_motion(j.mesh);
            EXPECT_TRUE(j.proof.contacts.size() == 1 && j.proof.contacts[0].joined);
            EXPECT_EQ(j.mesh.parts, 1);
            for (const Finding& f : findings_of(j)) EXPECT_NE(f.kind, FindingKind::free_edge_within_reach) << f.about;
        }
    // A bush that grows along its pipe, flush with the pipe's end.
    const make::Solid bush = make::moved(make::revolve({make::polygon({{20, 0}, {22, 0}, {24, 40}, {20, 40}})}, Vec3::Zero(), Vec3::UnitY(), 2 * pi),
                                         make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
    const Job j = job_of({{"pipe", make::extrude({make::circle(20), make::reversed(make::circle(17))}, 120)}, {"bush", bush}}, lapping(LapsAs::link));
    EXPECT_GT(j.mesh.ties.size(), 10u);
    expect_joined(j);
}

TEST(Laps, RimsThatAreFlushAreLinked) {
    const make::Solid host = box({0, 0, 0}, {100, 60, 3});
    const std::pair<make::Solid, double> guests[] = {
        {box({0, 10, -2}, {40, 40, 2}), 160}, {box({0, 0, -2}, {40, 60, 2}), 200}, {box({0, 0, -2}, {100, 60, 2}), 320}};
    for (const auto& [guest, rim] : guests)
        for (const bool away : {false, true}) {
            const Items items{{"host", host}, {"guest", guest}};
            const Job j = job_of(away ? moved(items) : items, lapping(LapsAs::link));
            expect_joined(j);
            double linked = 0;
            for (const EdgeLink& l : j.model.edge_links) linked += j.model.edges[l.a.index()].curve.length();
            EXPECT_NEAR(linked, rim, 1e-6);
        }
}

TEST(Laps, RoundRimsThatAreFlushAreLinked) {
    const auto ring = [](const std::vector<Vec2>& profile) {
        return make::moved(make::revolve({make::polygon(profile)}, Vec3::Zero(), Vec3::UnitY(), 2 * pi), make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
    };
    const Items items{{"upper", ring({{20, 0}, {50, 0}, {50, 4}, {23, 4}, {23, 40}, {20, 40}})},
                      {"lower", ring({{20, -40}, {23, -40}, {23, -6}, {50, -6}, {50, 0}, {20, 0}})}};
    for (const bool away : {false, true}) {
        const Job j = job_of(away ? moved(items) : items, lapping(LapsAs::link));
        EXPECT_EQ(j.mesh.parts, 1);
        double linked = 0;
        for (const EdgeLink& l : j.model.edge_links) linked += j.model.edges[l.a.index()].curve.length();
        EXPECT_NEAR(linked, 2 * pi * (50 + 21.5), 1e-6 * linked) << "the rims, and the corners of flanges and necks";
        for (const Finding& f : findings_of(j)) EXPECT_NE(f.kind, FindingKind::free_edge_within_reach) << f.about;
    }
}

TEST(Laps, DraftedPlatesBackToBackAreTiedAllRound) {
    const auto half = [](double y0, double y1) {
        return make::taper({{-80, std::min(0.0, y0)}, {80, std::min(0.0, y0)}, {80, std::max(0.0, y0)}, {-80, std::max(0.0, y0)}},
                           {{-80, std::min(0.0, y1)}, {80, std::min(0.0, y1)}, {80, std::max(0.0, y1)}, {-80, std::max(0.0, y1)}}, 60);
    };
    const Job j = job_of({{"left", half(-8, -4)}, {"right", half(8, 4)}}, lapping(LapsAs::link));
    expect_joined(j);
    std::size_t tied = 0;
    for (const Tie& t : j.model.ties) tied += t.edges.size();
    EXPECT_EQ(tied, 4u);
}

// How far a sheet is carried on to another one is told by where that one's wall has its side, not by half its thickness.
TEST(Tees, StandOnThickPiecesOfSteppedPlates) {
    const make::Solid host = make::unify(make::fuse({box({-100, -60, -4}, {200, 120, 4}), box({0, -60, 0}, {100, 120, 4})}));
    const make::Solid tube = make::moved(make::extrude({make::circle(25), make::reversed(make::circle(22))}, 60), make::place({50, 0, 4}));
    for (const make::Solid& guest : {box({20, -30, 4}, {60, 3, 30}), tube})
        for (const Reference r : {Reference::middle, Reference::outer})
            for (const bool away : {false, true}) {
                Plan p = lapping(LapsAs::link);
                p.halve.reference = r;
                const Items items{{"host", host}, {"guest", guest}};
                const Job j = job_of(away ? moved(items) : items, p);
                EXPECT_EQ(j.mesh.parts, 1);
                EXPECT_TRUE(j.proof.contacts.size() == 1 && j.proof.contacts[0].joined);
                EXPECT_TRUE(j.proof.within_bounds) << fmt::format("{}", fmt::join(j.proof.outside, "; "));
                check_mesh(j.model, j.mesh);
            }
}

TEST(Tees, WhatARibIsCarriedOnByIsNoVolumeOfIts) {
    const make::Solid rib = make::taper({{-80, -4}, {80, -4}, {80, 4}, {-80, 4}}, {{-80, -2}, {80, -2}, {80, 2}, {-80, 2}}, 40);
    for (const Reference r : {Reference::middle, Reference::outer, Reference::inner}) {
        Plan p = lapping(LapsAs::link);
        p.halve.reference = r;
        const Job j = job_of({{"plate", box({-100, -60, -4}, {200, 120, 4})}, {"rib", rib}}, p);
        EXPECT_EQ(j.mesh.parts, 1);
        for (const BodyProof& b : j.proof.bodies) EXPECT_NEAR(b.idealized, b.solid, 1e-3 * b.solid);
    }
}

// A floor through a wall ends at the cover on the wall's outer side, however thin that is.
TEST(Tees, OverhangsThatReachOneMoreSheetStay) {
    const make::Solid wall = make::cut(box({90, 0, -40}, {10, 60, 100}), {box({80, 10, 0}, {40, 40, 3})});
    for (const double cover : {0.2, 1.0, 6.0}) {
        const Job j = job_of({{"wall", wall}, {"floor", box({0, 10, 0}, {100, 40, 3})}, {"cover", box({100, 0, -20}, {cover, 60, 60})}}, lapping(LapsAs::link));
        EXPECT_EQ(j.proof.contacts.size(), 3u);
        for (const ContactProof& c : j.proof.contacts) EXPECT_TRUE(c.joined) << cover;
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_LT(std::abs(j.proof.volume_error), 1e-9);
    }
    const Job j = job_of({{"wall", wall}, {"floor", box({0, 10, 0}, {100, 40, 3})}}, lapping(LapsAs::link));
    EXPECT_NEAR(total_area(j.model), 95 * 40 + 60 * 100, 1e-6) << "with nothing there the overhang goes";
}

// Where a plan wants double walls, a plate across a step stays one of its own; a double wall's thickness is that of both bodies.
TEST(Laps, DoubleWallsHaveOneThickness) {
    for (const int where : {0, 1, 2}) {
        const Job j = job_of(on_a_stepped_plate(2, where), lapping(LapsAs::merge));
        expect_joined(j);
        EXPECT_EQ(j.model.sheets.size(), where == 0 ? 2u : 1u);
        EXPECT_EQ(j.mesh.links > 0, where == 0);
        EXPECT_LT(j.proof.thickness.worst, 1e-9);
        EXPECT_LT(j.proof.deviation.worst, 1e-9);
    }
}

TEST(Laps, TiesReproduceRigidMotion) {
    for (const Items& items : {doubler(), shingled(), moved(doubler())}) {
        const Job j = job_of(items, lapping(LapsAs::tie));
        expect_whole(j);
        EXPECT_EQ(j.mesh.links, 0);
        ASSERT_GT(j.mesh.ties.size(), 8u);
        expect_ties_carry_rigid_motion(j.mesh);
        const double apart = 0.5 * (j.model.sheets[0].thickness.mean + j.model.sheets[1].thickness.mean);
        for (const TiedNode& t : j.mesh.ties) EXPECT_NEAR(t.arm.norm(), apart, 1e-6) << "the thickness between is accounted for";
    }
}

TEST(Laps, TieOnACurvedSkin) {
    const Job j = job_of(pipe_with_saddle(), lapping(LapsAs::tie));
    EXPECT_EQ(j.mesh.parts, 1);
    ASSERT_GT(j.mesh.ties.size(), 8u);
    expect_ties_carry_rigid_motion(j.mesh);
}

TEST(Laps, MergedDoublerIsOneSheetWithAStep) {
    for (const bool away : {false, true}) {
        const Job j = job_of(away ? moved(doubler()) : doubler(), lapping(LapsAs::merge));
        expect_whole(j);
        ASSERT_EQ(j.model.sheets.size(), 1u);
        const Sheet& s = j.model.sheets[0];
        EXPECT_NEAR(s.area(), 400 * 300, 1e-5);
        EXPECT_NEAR(s.thickness.min, 5, 1e-6);
        EXPECT_NEAR(s.thickness.max, 8, 1e-6);
        EXPECT_NEAR(j.proof.volume_error, 0, 1e-6);
        EXPECT_NEAR(j.proof.coverage, 1, 1e-3);
        double thick = 0;
        for (const Element& e : j.mesh.elements) {
            EXPECT_TRUE(std::abs(e.thickness - 5) < 1e-6 || std::abs(e.thickness - 8) < 1e-6);
            if (e.thickness < 6) continue;
            EXPECT_NEAR(std::abs(e.offset), 1.5, 1e-6);
            std::vector<Vec3> x;
            for (std::size_t k = 0; k < e.count; ++k) x.push_back(j.mesh.nodes[static_cast<std::size_t>(e.nodes[k])]);
            for (std::size_t k = 1; k + 1 < x.size(); ++k) thick += 0.5 * (x[k] - x[0]).cross(x[k + 1] - x[0]).norm();
        }
        EXPECT_NEAR(thick, 150 * 120, 1e-4);
    }
}

TEST(Laps, MergedShinglesKeepTheRestOfBoth) {
    for (const bool away : {false, true}) {
        const Job j = job_of(away ? moved(shingled()) : shingled(), lapping(LapsAs::merge));
        expect_whole(j);
        EXPECT_NEAR(total_area(j.model), 300 * 200 + 240 * 200, 1e-4);
        EXPECT_NEAR(j.proof.volume_error, 0, 1e-6);
        EXPECT_GT(j.mesh.links, 0) << "what is left of the one is linked to the double wall's edge";
    }
}

TEST(Laps, AHemIsTwoWallsOrADoubleOne) {
    // Sheet of 2 mm folded back on itself round a small radius, its skins 0.1 mm apart.
    const double t = 2, r = 0.05;
    const auto outer = [&](double x, double y, double k) { return Vec2(x, y + k); };
    std::vector<Vec2> corners{
        outer(0, 0, 0),   outer(102, 0, 0), outer(102, 2 * t + 2 * r, 0), outer(70, 2 * t + 2 * r, 0), outer(70, t + 2 * r, 0), outer(100, t + 2 * r, 0),
        outer(100, t, 0), outer(0, t, 0)};
    const std::vector<double> radius{0, t + r, t + r, 0, 0, r, r, 0};
    const make::Solid hem = make::extrude({make::rounded(corners, radius)}, 60);
    const Job two = job_of(hem, lapping(LapsAs::link));
    EXPECT_EQ(connected_parts(two.model).count, 1);
    Plan plan = lapping(LapsAs::merge);
    const Job merged = job_of(hem, plan);
    EXPECT_EQ(connected_parts(merged.model).count, 1);
    EXPECT_EQ(merged.mesh.parts, 1);
    double most = 0;
    for (const Sheet& s : merged.model.sheets) most = std::max(most, s.thickness.max);
    EXPECT_NEAR(most, 2 * t, 1e-3);
    EXPECT_LT(total_area(merged.model), total_area(two.model) - 0.8 * 30 * 60);
    EXPECT_LT(std::abs(merged.proof.volume_error), 0.015);
}

TEST(Laps, PlanSaysWhichByRule) {
    Items items = doubler();
    items.push_back({"second", box({20, 20, -3}, {60, 60, 3})});
    Plan p = lapping(LapsAs::link);
    JointRule r;
    r.between = {std::vector<std::string>{"doubler"}, {}};
    r.laps = LapsAs::merge;
    p.join.joints.push_back(r);
    const Job j = job_of(items, p);
    expect_whole(j);
    EXPECT_EQ(j.model.sheets.size(), 2u);
    EXPECT_GT(j.mesh.links, 0);
}

TEST(Ties, NamedOutright) {
    // A shelf whose edge stands 4 mm off a wall: beyond reach, but tied by the plan.
    const Items items{{"wall", box({0, 0, 0}, {5, 300, 300})}, {"shelf", box({9, 40, 150}, {120, 200, 4})}};
    EXPECT_EQ(job_of(items).mesh.parts, 2);
    Plan p;
    TieRule t;
    t.between = {std::vector<std::string>{"shelf"}, std::vector<std::string>{"wall"}};
    t.reach = 5;
    p.join.ties.push_back(t);
    const Job j = job_of(items, p);
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_EQ(connected_parts(j.model).count, 1);
    expect_ties_carry_rigid_motion(j.mesh);
    for (const TiedNode& k : j.mesh.ties) EXPECT_NEAR(k.arm.norm(), 4 + 2.5, 1e-9);
    p.join.ties[0].reach = 1;
    const Job none = job_of(items, p);
    EXPECT_TRUE(std::ranges::any_of(findings_of(none), [](const Finding& f) { return f.kind == FindingKind::rule_without_effect; }));
}

TEST(Coplanar, PiecesOfSeveralBodiesAreOneSheetIfAsked) {
    const Items items{{"a", box({0, 0, 0}, {200, 150, 4})},
                      {"b", box({200, 0, 0}, {180, 150, 4})},
                      {"c", box({380.3, 0, 0}, {100, 150, 4})},
                      {"thick", box({0, 150, 0}, {480.3, 100, 4.5})}};
    for (const bool away : {false, true}) {
        Plan p;
        const Job apart = job_of(away ? moved(items) : items, p);
        EXPECT_EQ(apart.model.sheets.size(), 4u);
        p.join.coplanar = CoplanarAs::one_sheet;
        const Job j = job_of(away ? moved(items) : items, p);
        EXPECT_EQ(j.model.sheets.size(), 2u);
        EXPECT_NEAR(total_area(j.model), total_area(apart.model), 1e-5);
        EXPECT_NEAR(j.proof.volume_error, apart.proof.volume_error, 1e-9);
        for (std::size_t b = 0; b < j.proof.bodies.size(); ++b) EXPECT_NEAR(j.proof.bodies[b].idealized, apart.proof.bodies[b].idealized, 1e-3);
        EXPECT_NEAR(j.proof.coverage, apart.proof.coverage, 1e-6);
        for (const ContactProof& c : j.proof.contacts) EXPECT_TRUE(c.joined);
        check_mesh(j.model, j.mesh);
    }
}

TEST(ByHand, TwoPointsCloseTheGapBetweenTheirBodies) {
    const Items items{{"base", box({0, 0, 0}, {300, 200, 8})}, {"web", box({0, 97, 11}, {300, 6, 100})}, {"other", box({150, 20, 11}, {100, 6, 100})}};
    EXPECT_EQ(job_of(items).mesh.parts, 3);
    Plan p;
    JointRule r;
    r.points = {{100, 100, 8}, {100, 100, 11}};
    p.join.joints.push_back(r);
    const Job j = job_of(items, p);
    EXPECT_EQ(j.mesh.parts, 2) << "only the two pointed at";
    EXPECT_NEAR(seam_length(j.model, "tee"), 300, 1e-6);
    p.join.joints[0].points[1] = {120, 100, 8};
    EXPECT_THROW((void)job_of(items, p), Error) << "both on one body";
}

TEST(Laps, ModelFileKeepsTiesAndShares) {
    const Folder f;
    const Job tied = job_of(doubler(), lapping(LapsAs::tie));
    write_model(f / "t.halvo", tied);
    const Job back = read_model(f / "t.halvo");
    ASSERT_EQ(back.model.ties.size(), tied.model.ties.size());
    EXPECT_EQ(back.model.ties[0].edges, tied.model.ties[0].edges);
    ASSERT_EQ(back.mesh.ties.size(), tied.mesh.ties.size());
    EXPECT_EQ(back.mesh.ties[0].arm, tied.mesh.ties[0].arm);
    const Job merged = job_of(doubler(), lapping(LapsAs::merge));
    write_model(f / "m.halvo", merged);
    ASSERT_EQ(read_model(f / "m.halvo").model.sheets[0].shares.size(), 1u);
    EXPECT_EQ(read_model(f / "m.halvo").model.sheets[0].shares[0].volume, merged.model.sheets[0].shares[0].volume);
}
