// Members along splines and closed rings; sheets that touch along a line.
#include "curved_parts.hpp"
#include "structures.hpp"

#include "spoilt.hpp"

#include <gtest/gtest.h>

#include <cmath>

using namespace test;

namespace {

std::vector<Vec3> swept_wave(double z = 0) {
    std::vector<Vec3> out;
    for (int i = 0; i <= 8; ++i) out.push_back({100.0 * i, 60 * std::sin(0.7 * i), z});
    return out;
}

std::vector<Vec3> in_space() {
    std::vector<Vec3> out;
    for (int i = 0; i <= 8; ++i) out.push_back({100.0 * i, 60 * std::sin(0.7 * i), 40 * std::cos(0.5 * i)});
    return out;
}

// A ring of round bar about the z axis.
make::Solid hoop(double major, double minor, double z) {
    return make::moved(make::revolve({make::circle(minor, {major, 0})}, Vec3::Zero(), Vec3::UnitY(), 2 * pi),
                       make::place({0, 0, z}, -Vec3::UnitY(), Vec3::UnitX()));
}

}  // namespace

TEST(Swept, OneMemberAlongASplineWithItsTrueSection) {
    struct Case {
        const char* name;
        make::Solid solid;
        double area;
    };
    const double tube = 30 * 20 - 26 * 16 - (4 - pi) * (16 - 4);  // corners of radius 4 outside and 2 inside
    const std::vector<Case> cases{{"rectangular tube in a plane", make::sweep(make::rectangular_tube(30, 20, 2, 4), swept_wave(), Vec3::UnitZ()), tube},
                                  {"round bar in space", make::moved(make::sweep({make::circle(8)}, in_space(), Vec3::UnitZ()), anywhere()), 64 * pi}};
    for (const Case& c : cases) {
        SCOPED_TRACE(c.name);
        const Job j = job_of(c.solid);
        ASSERT_EQ(j.model.members.size(), 1u);
        EXPECT_TRUE(j.model.sheets.empty());
        const Member& m = j.model.members[0];
        EXPECT_NEAR(j.model.sections[m.section.index()].area / c.area, 1, 1e-4);
        // The centroid runs along the spline (Pappus): volume over area is its length.
        EXPECT_NEAR(m.own_length() * c.area / make::volume(c.solid), 1, 1e-4);
        EXPECT_NEAR(j.proof.volume_error, 0, 1e-4);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_TRUE(j.proof.within_bounds);
    }
}

TEST(Swept, RailAlongASplineLiesInThePlateItRunsOn) {
    const Items items{{"rail", make::sweep(make::rectangular_tube(20, 20, 2, 4), swept_wave(10), Vec3::UnitZ())},
                      {"plate", make::box({-50, -150, -4}, {900, 300, 4})}};
    const Job j = job_of(items);
    expect_whole(j);
    ASSERT_EQ(j.model.members.size(), 1u);
    EXPECT_EQ(joint_count(j.model, "member along sheet"), 1);
    EXPECT_NEAR(j.model.members[0].offset.norm(), 0.5 * (20 + 4), 1e-3);
}

TEST(Swept, RingsHaveNoEndAndStandOnPosts) {
    Items items{{"ring", hoop(150, 8, 100)}};
    const Job alone = job_of(items);
    ASSERT_EQ(alone.model.members.size(), 1u);
    EXPECT_NEAR(alone.model.length(alone.model.members[0]), 2 * pi * 150, 1e-3);
    EXPECT_NEAR(alone.proof.volume_error, 0, 1e-5);
    EXPECT_EQ(alone.mesh.parts, 1);
    for (int k = 0; k < 3; ++k) {
        const double a = 2 * pi * k / 3 + 0.4;
        items.push_back({"post", make::cylinder({150 * std::cos(a), 150 * std::sin(a), -100}, Vec3::UnitZ(), 6, 194)});
    }
    for (const Items& all : {items, moved(items)}) {
        const Job j = job_of(all);
        EXPECT_EQ(j.model.members.size(), 4u);
        EXPECT_EQ(joint_count(j.model, "member end to member"), 3);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_NEAR(j.proof.volume_error, 0, 1e-5);
    }
}

TEST(Swept, RingAlongASplineComesBackToItsStart) {
    std::vector<Vec3> oval;
    for (int i = 0; i < 8; ++i) oval.push_back({200 * std::cos(i * pi / 4), 140 * std::sin(i * pi / 4), 0});
    const make::Solid s = make::sweep({make::circle(8)}, oval, Vec3::UnitZ(), true);
    const Job j = job_of(s);
    ASSERT_EQ(j.model.members.size(), 1u);
    EXPECT_NEAR(j.model.length(j.model.members[0]) * 64 * pi / make::volume(s), 1, 1e-4);
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_TRUE(j.proof.within_bounds);
}

TEST(LineContact, PipeOnAPlateAndPipesSideBySideAreOnePart) {
    const Items on_plate{{"pipe", make::moved(pipe(40, 3, 200), make::place({0, 0, 43}, Vec3::UnitX(), Vec3::UnitY()))},
                         {"plate", make::box({-50, -150, -1}, {300, 300, 4})}};
    const Items beside{{"one", pipe(40, 3, 200)}, {"other", make::moved(pipe(30, 2, 150), make::place({70, 0, 20}))}};
    for (const auto& [items, length, apart] : {std::tuple(on_plate, 200.0, 3.5), std::tuple(beside, 150.0, 2.5)})
        for (const Items& all : {items, moved(items)}) {
            const Job j = job_of(all);
            expect_whole(j);
            ASSERT_EQ(joint_count(j.model, "line contact"), 1);
            for (const JointRecord& k : j.model.joints) EXPECT_NEAR(k.length, length, 0.05 * length);
            int links = 0;
            for (const Element& e : j.mesh.elements) {
                if (e.kind != ElementKind::rigid) continue;
                const Vec3 &a = j.mesh.nodes[static_cast<std::size_t>(e.nodes[0])], &b = j.mesh.nodes[static_cast<std::size_t>(e.nodes[1])];
                EXPECT_NEAR((a - b).norm(), apart, 1e-6);
                ++links;
            }
            EXPECT_GT(links, 3);
        }
}
