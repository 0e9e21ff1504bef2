// Reading, mass properties and plane cuts against closed forms and the kernel's own figures.
#include "body/contacts.hpp"
#include "body/prism.hpp"
#include "body/section.hpp"
#include "core/keys.hpp"
#include "geom/facet_tree.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

using namespace test;
using make::box;

namespace {

double section_area(const Body& b, const Frame& f) {
    double sum = 0;
    for (const auto& loop : section_polygons(cut(b, f, 1e-5), f, 1e-4)) sum += polygon_area(loop);
    return sum;
}

}  // namespace

TEST(Body, VolumeAndAreaAgreeWithTheKernel) {
    const std::vector<make::Solid> parts = {
        box({0, 0, 0}, {10, 20, 30}),
        make::cylinder({5, 5, 5}, {1, 2, 3}, 7, 40),
        make::ball({1, 2, 3}, 25),
        make::instrument_shelf(),
        make::cut(box({0, 0, 0}, {100, 60, 8}), {make::cylinder({30, 30, -5}, Vec3::UnitZ(), 12, 20), make::cylinder({70, 30, 0}, Vec3(0.3, 0, 1), 6, 40)}),
        make::extrude(make::rectangular_tube(60, 90, 4, 9), 500),
        make::fuse({make::ball({0, 0, 0}, 20), make::cylinder({0, 0, 0}, Vec3(-1, 0.4, 0.3), 8, 50)})};
    for (std::size_t i = 0; i < parts.size(); ++i) {
        const Assembly a = solids_of({{"part", parts[i]}});
        ASSERT_EQ(a.bodies.size(), 1u);
        EXPECT_NEAR(a.bodies[0].mass.volume / make::volume(parts[i]), 1, 1e-6) << "part " << i;
        EXPECT_NEAR(a.bodies[0].mass.area / make::area(parts[i]), 1, 1e-6) << "part " << i;
        EXPECT_TRUE(a.bodies[0].closed);
    }
}

TEST(Body, NamesColoursAndUnitsAreRead) {
    const Assembly a =
        solids_of({{"sensor bracket", box({0, 0, 0}, {40, 30, 5}), {0.9, 0.2, 0.1}}, {"lid", box({0, 0, 9}, {40, 30, 5}), {0.1, 0.2, 0.9}}}, "INCH");
    ASSERT_EQ(a.bodies.size(), 2u);
    EXPECT_EQ(a.bodies[0].name, "lid");
    EXPECT_EQ(a.bodies[1].name, "sensor bracket");
    EXPECT_NEAR(a.bodies[1].colour[0], 0.9, 0.02);
    EXPECT_NEAR(a.bodies[0].colour[2], 0.9, 0.02);
    EXPECT_EQ(a.unit, "inch");
    EXPECT_NEAR(a.bodies[0].mass.volume, 6000, 1e-5);
    EXPECT_EQ(a.sha256.size(), 64u);
}

TEST(Body, EverySchemaIsRead) {
    const Folder folder;
    for (const char* schema : {"AP203", "AP214IS", "AP242DIS"}) {
        const std::string file = (folder / "part.step").string();
        make::write_step(file, {{"plate", box({0, 0, 0}, {40, 30, 5})}}, "MM", schema);
        const Assembly a = read(file);
        ASSERT_EQ(a.bodies.size(), 1u) << schema;
        EXPECT_EQ(a.bodies[0].name, "plate") << schema;
    }
}

TEST(Body, AssemblyPlacementsAreApplied) {
    const Folder folder;
    const std::string file = (folder / "assembly.step").string();
    const Eigen::Isometry3d turned = Eigen::Translation3d(500, 40, 7) * Eigen::Isometry3d(Eigen::AngleAxisd(pi / 2, Vec3::UnitZ()));
    make::write_step_assembly(file, "rack", {"shelf plate", box({0, 0, 0}, {100, 60, 5})}, {Eigen::Isometry3d::Identity(), turned});
    const Assembly a = read(file);
    ASSERT_EQ(a.bodies.size(), 2u);
    std::vector<Vec3> centres;
    for (const Body& b : a.bodies) {
        EXPECT_EQ(b.name, "shelf plate");
        EXPECT_EQ(b.path, "rack/shelf plate");
        EXPECT_NEAR(b.mass.volume, 30000, 1e-6);
        centres.push_back(b.mass.centre + a.shift);
    }
    std::sort(centres.begin(), centres.end(), [](const Vec3& p, const Vec3& q) { return p.x() < q.x(); });
    EXPECT_LT((centres[0] - Vec3(50, 30, 2.5)).norm(), 1e-9);
    EXPECT_LT((centres[1] - turned * Vec3(50, 30, 2.5)).norm(), 1e-9);
    EXPECT_NE(a.bodies[0].key, a.bodies[1].key);
}

TEST(Body, FarCoordinatesLoseNothing) {
    const auto part = make::cut(box({0, 0, 0}, {100, 60, 8}), {make::cylinder({30, 30, -5}, Vec3::UnitZ(), 12, 20)});
    const Assembly near = solids_of({{"part", part}}), far = solids_of({{"part", make::moved(part, anywhere())}});
    EXPECT_NEAR(far.bodies[0].mass.volume / near.bodies[0].mass.volume, 1, 1e-9);
    EXPECT_GT(far.shift.norm(), 9e4);
    EXPECT_EQ(far.bodies[0].key, near.bodies[0].key);
}

TEST(Section, PlaneCutsOfKnownArea) {
    const Assembly a = solids_of({{"ball", make::ball({0, 0, 0}, 30)}, {"drum", make::cylinder({100, 0, 0}, Vec3::UnitZ(), 20, 50)}});
    const Body& ball = a.bodies[0];
    const Vec3 c = ball.mass.centre;
    EXPECT_NEAR(section_area(ball, Frame::with_z(c + Vec3(0, 0, 18), Vec3::UnitZ())) / (pi * (900 - 324)), 1, 1e-4);
    const Body& drum = a.bodies[1];
    const Frame oblique = Frame::with_z(drum.mass.centre, Vec3(0.4, 0.1, 1));
    EXPECT_NEAR(section_area(drum, oblique) / (pi * 400 / oblique.z.z()), 1, 1e-4) << "an ellipse";
    EXPECT_NEAR(section_area(drum, Frame::with_z(drum.mass.centre + Vec3(5, 0, 0), Vec3::UnitX())) / (2 * std::sqrt(400 - 25.0) * 50), 1, 1e-6)
        << "two rulings";
}

TEST(Section, PlaneOnAFaceCutsJustBelowIt) {
    const Assembly a = solids_of({{"step", make::unify(make::fuse({box({0, 0, 0}, {40, 30, 10}), box({0, 0, 10}, {20, 30, 10})}))}});
    const Body& b = a.bodies[0];
    double low = 1e9;
    for (const Vec3& v : b.vertices) low = std::min(low, v.z());
    // Exactly on the step: what lies on the plane counts as above it, so the cut sees the wide part.
    EXPECT_NEAR(section_area(b, Frame::with_z({0, 0, low + 10}, Vec3::UnitZ())), 40 * 30, 1e-6);
    EXPECT_NEAR(section_area(b, Frame::with_z({0, 0, low + 12}, Vec3::UnitZ())), 20 * 30, 1e-6);
    EXPECT_NEAR(section_area(b, Frame::with_z({0, 0, low + 25}, Vec3::UnitZ())), 0, 1e-12);
}

TEST(Section, LoopsCloseThroughRandomPlanes) {
    const Assembly a = solids_of({{"part", make::cut(make::instrument_shelf(), {make::cylinder({60, 60, -5}, Vec3::UnitZ(), 15, 20)})}});
    unsigned state = 7;
    const auto random = [&] {
        state = state * 1664525u + 1013904223u;
        return (state >> 8) / double(1u << 24) - 0.5;
    };
    for (int i = 0; i < 200; ++i) {
        const double x = random(), y = random(), z = random();
        const Frame f = Frame::with_z(a.bodies[0].mass.centre + 200 * Vec3(random(), random(), 0.2 * random()), Vec3(x, y, z).normalized());
        EXPECT_EQ(cut(a.bodies[0], f, 1e-5).open_chains, 0) << i;
    }
}

TEST(Prism, LengthProfileAndLateralFaces) {
    const Assembly a = solids_of({{"tube", make::moved(make::extrude(make::tube(48.3, 3.2), 900), anywhere())}});
    const auto p = find_prism(a.bodies[0], a.tolerance.point);
    ASSERT_TRUE(p.has_value());
    EXPECT_NEAR(p->length(), 900, 1e-7);
    EXPECT_NEAR(p->depth, 48.3, 0.01);
    EXPECT_NEAR(p->filled, 1, 1e-3);
    EXPECT_FALSE(find_prism(solids_of({{"ball", make::ball({0, 0, 0}, 20)}}).bodies[0], 1e-5).has_value());
}

TEST(FacetTree, RaysAndFeet) {
    const Assembly a = solids_of({{"box", box({0, 0, 0}, {10, 20, 30})}});
    const FacetTree& t = *a.bodies[0].tree;
    const auto hit = t.shoot({0, 0, 0}, Vec3::UnitX(), 0);
    ASSERT_TRUE(hit.has_value());
    EXPECT_NEAR(hit->distance, 5, 1e-12);
    EXPECT_TRUE(t.encloses({1, 2, 3}));
    EXPECT_FALSE(t.encloses({6, 2, 3}));
    EXPECT_NEAR(t.nearest({8, 0, 0}, 100)->distance, 3, 1e-12);
    EXPECT_FALSE(t.nearest({8, 0, 0}, 2).has_value());
    EXPECT_FALSE(t.shoot({0, 0, 0}, Vec3::UnitX(), 6).has_value());
}

TEST(Contacts, GapsTouchesAndOverlaps) {
    const auto gap = [](double dz) {
        const Assembly a = solids_of({{"low", box({0, 0, 0}, {50, 50, 10})}, {"high", box({10, 10, 10 + dz}, {20, 20, 10})}});
        const auto c = find_contacts(a, 0.5);
        return c.size() == 1 ? c[0].gap : -99.0;
    };
    EXPECT_NEAR(gap(0), 0, 1e-7);
    EXPECT_NEAR(gap(0.3), 0.3, 1e-7);
    EXPECT_EQ(gap(0.7), -99);
    EXPECT_LT(gap(-3), 0.51) << "overlapping bodies are in contact";
    const Assembly round = solids_of({{"shaft", make::cylinder({0, 0, 0}, Vec3::UnitZ(), 10, 60)}, {"plate", box({10.2, -20, 0}, {5, 40, 60})}});
    const auto c = find_contacts(round, 0.5);
    ASSERT_EQ(c.size(), 1u);
    EXPECT_NEAR(c[0].gap, 0.2, 2e-3) << "along the exact cylinder, not its facets";
}

TEST(Keys, NaturalOrderAndQuanta) {
    EXPECT_TRUE(natural_less("post 2", "post 10"));
    EXPECT_FALSE(natural_less("post 10", "post 2"));
    EXPECT_TRUE(natural_less("a", "b"));
    EXPECT_FALSE(natural_less("a", "a"));
    EXPECT_EQ(make_key("sheet", "x", {100.0, 5.0}), make_key("sheet", "x", {100.0 * (1 + 1e-12), 5.0 - 1e-11}));
    EXPECT_NE(make_key("sheet", "x", {100.0, 5.0}), make_key("sheet", "x", {100.1, 5.0}));
    EXPECT_NE(make_key("sheet", "x", {100.0, 5.0}), make_key("sheet", "y", {100.0, 5.0}));
    KeySet keys;
    EXPECT_EQ(keys.unique("a"), "a");
    EXPECT_EQ(keys.unique("a"), "a-2");
}
