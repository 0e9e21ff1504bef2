// Meshes: quads where the shape allows, conforming across every seam, areas kept.
#include "mesh/planar.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <set>

using namespace test;
using make::box;

namespace {

Job meshed(const make::Solid& solid, std::optional<double> size) {
    Plan plan;
    plan.mesh.size = size;
    return job_of(solid, plan);
}

}  // namespace

TEST(Mesh, RectangleIsAllSquares) {
    const Job j = meshed(box({0, 0, 0}, {300, 200, 4}), 20);
    check_mesh(j.model, j.mesh);
    EXPECT_EQ(j.mesh.quads, 150);
    EXPECT_EQ(j.mesh.trias, 0);
    EXPECT_NEAR(j.mesh.quality.min_scaled_jacobian, 1, 1e-9);
    EXPECT_EQ(j.mesh.nodes.size(), 16u * 11u);
    EXPECT_NEAR(j.mesh.free_edge_length, 1000, 1e-7);
}

TEST(Mesh, ShelfIsAllQuads) {
    const Job j = meshed(make::instrument_shelf(), 15);
    check_mesh(j.model, j.mesh);
    EXPECT_EQ(j.mesh.trias, 0);
    EXPECT_GT(j.mesh.quality.min_scaled_jacobian, 0.999);
    EXPECT_EQ(j.mesh.parts, 1);
}

TEST(Mesh, TeeSharesItsNodes) {
    const Job j = meshed(make::unify(make::fuse({box({0, 0, 0}, {200, 120, 8}), box({0, 57, 8}, {200, 6, 70})})), 20);
    check_mesh(j.model, j.mesh);
    std::map<int, std::set<SheetId>> sheets_of;
    for (const Element& e : j.mesh.elements)
        for (std::size_t k = 0; k < e.count; ++k) sheets_of[e.nodes[k]].insert(e.sheet);
    int shared = 0;
    for (const auto& [node, sheets] : sheets_of) shared += sheets.size() == 2;
    EXPECT_EQ(shared, 11);
}

TEST(Mesh, PerforatedPlateStaysMostlyQuads) {
    std::vector<make::Solid> holes;
    for (int i = 0; i < 8; ++i)
        for (int k = 0; k < 5; ++k) holes.push_back(make::cylinder({50 + 60.0 * i, 50 + 60.0 * k, -5}, Vec3::UnitZ(), 8 + i, 20));
    const Job j = meshed(make::cut(box({0, 0, 0}, {520, 340, 5}), holes), 12);
    check_mesh(j.model, j.mesh);
    EXPECT_GT(j.mesh.quality.quad_share, 0.85);
    EXPECT_GT(j.mesh.quality.min_scaled_jacobian, 0.1);
    ASSERT_EQ(j.model.sheets[0].regions[0].loops.size(), 41u);
}

TEST(Mesh, RibEndingInTheMiddleOfAPlateIsASlitTheMeshFollows) {
    const Job j = meshed(make::unify(make::fuse({box({0, 0, 0}, {300, 200, 6}), box({80, 98, 6}, {140, 4, 50})})), 18);
    check_mesh(j.model, j.mesh);
    ASSERT_EQ(j.model.sheets.size(), 2u);
    int embedded = 0;
    for (const Sheet& s : j.model.sheets)
        for (const Region& r : s.regions) embedded += static_cast<int>(r.embedded.size());
    EXPECT_EQ(embedded, 1);
    EXPECT_NEAR(seam_length(j.model, "tee"), 140, 1e-8);
}

TEST(Mesh, AcuteTriangleAndLShapeHavePositiveElements) {
    for (const auto& corners : {std::vector<Vec2>{{0, 0}, {400, 0}, {30, 60}}, std::vector<Vec2>{{0, 0}, {300, 0}, {300, 60}, {70, 60}, {70, 250}, {0, 250}},
                                std::vector<Vec2>{{0, 0}, {200, 20}, {260, 140}, {120, 230}, {-40, 130}}}) {
        const Job j = meshed(make::extrude({make::polygon(corners)}, 4), 15);
        check_mesh(j.model, j.mesh);
        EXPECT_GT(j.mesh.quality.min_scaled_jacobian, 0.1);
        EXPECT_GT(j.mesh.quality.quad_share, 0.6);
    }
}

TEST(Mesh, HalvingTheSizeQuartersTheAreaErrorOfAHole) {
    const auto plate = make::cut(box({0, 0, 0}, {200, 200, 5}), {make::cylinder({100, 100, -5}, Vec3::UnitZ(), 60, 20)});
    const double area = 200 * 200 - pi * 60 * 60;
    std::vector<double> error;
    for (const double size : {12.0, 6.0, 3.0}) {
        const Job j = meshed(plate, size);
        double sum = 0;
        for (const Element& e : j.mesh.elements)
            for (std::size_t k = 1; k + 1 < e.count; ++k) {
                const auto at = [&](std::size_t i) { return j.mesh.nodes[static_cast<std::size_t>(e.nodes[i])]; };
                sum += 0.5 * (at(k) - at(0)).cross(at(k + 1) - at(0)).norm();
            }
        error.push_back(std::abs(sum - area));
    }
    EXPECT_NEAR(error[0] / error[1], 4, 0.5);
    EXPECT_NEAR(error[1] / error[2], 4, 0.5);
}

TEST(Mesh, DefaultSizeIsTwiceTheThicknessAtLeast) {
    const Job j = meshed(box({0, 0, 0}, {100, 100, 12}), {});
    check_mesh(j.model, j.mesh);
    for (const Element& e : j.mesh.elements)
        for (std::size_t k = 0; k < e.count; ++k)
            EXPECT_GE((j.mesh.nodes[static_cast<std::size_t>(e.nodes[k])] - j.mesh.nodes[static_cast<std::size_t>(e.nodes[(k + 1) % e.count])]).norm(), 15);
}

TEST(Mesh, ThicknessOfADraftedRibFollowsTheDraft) {
    const auto rib = make::taper({{0, -3}, {200, -3}, {200, 3}, {0, 3}}, {{0, -1.5}, {200, -1.5}, {200, 1.5}, {0, 1.5}}, 60);
    const Job j = meshed(rib, 10);
    check_mesh(j.model, j.mesh);
    double low = 10, high = 0;
    for (const Element& e : j.mesh.elements) low = std::min(low, e.thickness), high = std::max(high, e.thickness);
    EXPECT_NEAR(low, 3 + 3 * 5.0 / 60, 0.01);
    EXPECT_NEAR(high, 6 - 3 * 5.0 / 60, 0.01);
    EXPECT_NEAR(j.proof.thickness_error, 0, 1e-6);
}

TEST(Mesh, ScaledJacobianOfKnownShapes) {
    EXPECT_NEAR(scaled_jacobian({{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}}), 1, 1e-12);
    EXPECT_NEAR(scaled_jacobian({{0, 0, 0}, {1, 0, 0}, {0.5, std::sqrt(3.0) / 2, 0}}), 1, 1e-12);
    // Rhombus with 60 degrees: sine of the corner.
    EXPECT_NEAR(scaled_jacobian({{0, 0, 0}, {1, 0, 0}, {1.5, std::sqrt(3.0) / 2, 0}, {0.5, std::sqrt(3.0) / 2, 0}}), std::sin(pi / 3), 1e-12);
}

TEST(Mesh, RandomPolygonsAlwaysMesh) {
    // Star-shaped polygons with a hole, from a fixed generator.
    unsigned state = 12345;
    const auto random = [&] {
        state = state * 1664525u + 1013904223u;
        return (state >> 8) / double(1u << 24);
    };
    for (int round = 0; round < 60; ++round) {
        PlanarInput in;
        const int n = 12 + static_cast<int>(random() * 60);
        in.loops.resize(2);
        for (int i = 0; i < n; ++i) {
            const double a = 2 * pi * i / n, r = 60 + 50 * random();
            in.loops[0].push_back(static_cast<int>(in.points.size()));
            in.points.emplace_back(r * std::cos(a), r * std::sin(a));
        }
        for (int i = 0; i < 10; ++i) {
            const double a = -2 * pi * i / 10;
            in.loops[1].push_back(static_cast<int>(in.points.size()));
            in.points.emplace_back(20 * std::cos(a), 20 * std::sin(a));
        }
        in.size = 4 + 12 * random();
        std::vector<std::vector<Vec2>> outline(2);
        double want = 0;
        for (std::size_t l = 0; l < 2; ++l) {
            for (int i : in.loops[l]) outline[l].push_back(in.points[static_cast<std::size_t>(i)]);
            want += polygon_area(outline[l]);
        }
        const PlanarMesh m = mesh_planar(in);
        double area = 0;
        for (const auto& e : m.elements) {
            EXPECT_GT(planar_quality(m.points, e), 0) << "round " << round;
            std::vector<Vec2> p;
            for (int v : e)
                if (v >= 0) p.push_back(m.points[static_cast<std::size_t>(v)]);
            area += polygon_area(p);
        }
        EXPECT_NEAR(area, want, 1e-9 * want) << "round " << round;
        for (std::size_t i = 0; i < in.points.size(); ++i) ASSERT_EQ(m.points[i], in.points[i]);
    }
}

TEST(Mesh, WhatIsGivenIsSomething) {
    const Job j = meshed(box({0, 0, 0}, {100, 100, 3}), 20);
    for (const auto value :
         {&MeshOptions::size, &MeshOptions::smallest, &MeshOptions::largest, &MeshOptions::angle, &MeshOptions::chord, &MeshOptions::ring_width})
        for (const double v : {0.0, -1.0, std::nan("")}) {
            MeshOptions o;
            o.*value = v;
            EXPECT_THROW((void)mesh(j.model, o), Error) << "an angle of 0 divided edges without end";
        }
}
