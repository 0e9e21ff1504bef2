// Fillets and chamfers at the roots of walls: the sheets run on through them, and what they hold is left out by name.
#include "support.hpp"

#include "spoilt.hpp"

#include <gtest/gtest.h>

#include <cmath>

using namespace test;

namespace {

make::Solid rolled_section(double h, double b, double tw, double tf, double r, double length) {
    const std::vector<Vec2> p{{-b / 2, -h / 2}, {b / 2, -h / 2}, {b / 2, -h / 2 + tf}, {tw / 2, -h / 2 + tf}, {tw / 2, h / 2 - tf},   {b / 2, h / 2 - tf},
                              {b / 2, h / 2},   {-b / 2, h / 2}, {-b / 2, h / 2 - tf}, {-tw / 2, h / 2 - tf}, {-tw / 2, -h / 2 + tf}, {-b / 2, -h / 2 + tf}};
    return make::extrude({make::rounded(p, {0, 0, 0, r, r, 0, 0, 0, 0, r, r, 0})}, length);
}

double left_out(const Job& j) {
    double sum = 0;
    for (const BodyProof& b : j.proof.bodies) sum += b.left_out;
    return sum;
}

}  // namespace

TEST(Roots, RolledSectionIsThreePlatesWithItsRadiiLeftOut) {
    const double h = 100, b = 55, tw = 4.1, tf = 5.7, r = 7, l = 300;
    const make::Solid s = rolled_section(h, b, tw, tf, r, l);
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        EXPECT_EQ(j.model.sheets.size(), 3u);
        EXPECT_TRUE(j.model.couplings.empty());
        EXPECT_NEAR(total_area(j.model), l * (2 * b + h - tf), 1e-6 * l * b);
        const double fillets = 4 * (1 - pi / 4) * r * r * l;
        EXPECT_NEAR(left_out(j), fillets, 5e-3 * fillets);
        EXPECT_NEAR(j.proof.volume_error, -fillets / make::volume(s), 1e-4);
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_GT(j.proof.coverage, 0.995);
        EXPECT_EQ(j.mesh.quality.quad_share, 1);
        check_mesh(j.model, j.mesh);
    }
}

TEST(Roots, ChamferedTeeIsTwoPlates) {
    const make::Solid s = make::extrude({make::polygon({{0, 0}, {100, 0}, {100, 6}, {59, 6}, {53, 12}, {53, 60}, {47, 60}, {47, 12}, {41, 6}, {0, 6}})}, 150);
    const Job j = job_of(s);
    EXPECT_EQ(j.model.sheets.size(), 2u);
    EXPECT_NEAR(total_area(j.model), 150 * (100 + 57), 1e-6);
    EXPECT_NEAR(left_out(j), 2 * 18 * 150, 1e-6);
    EXPECT_TRUE(j.proof.within_bounds);
    EXPECT_GT(j.proof.coverage, 0.999);
}

TEST(Roots, RibWithAFilletRoundIt) {
    const auto at_root = [](const Vec3& m) { return std::abs(m.z() - 4) < 0.1 && m.x() > 50 && m.x() < 70 && m.y() > 10 && m.y() < 70; };
    const make::Solid s = make::rounded_edges(make::unify(make::fuse({make::box({0, 0, 0}, {120, 80, 4}), make::box({58, 15, 3}, {4, 50, 40})})), 2, at_root);
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        EXPECT_EQ(j.model.sheets.size(), 2u);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_TRUE(j.model.couplings.empty());
        EXPECT_TRUE(j.proof.within_bounds);
    }
}

TEST(Roots, WallsOfEqualSizeDecideAlikeInAnyPlace) {
    // Pockets milled to floors of 2 and 3 mm: which of both floors the sheet lies in must not hang on rounding.
    std::vector<make::Solid> tools;
    for (int i = 0; i < 2; ++i)
        for (int k = 0; k < 3; ++k) {
            const double x = 3 + i * 98.5, y = 3 + k * (137 / 3.0), w = 95.5, d = 137 / 3.0 - 3;
            tools.push_back(
                make::moved(make::extrude({make::rounded({{x, y}, {x + w, y}, {x + w, y + d}, {x, y + d}}, {6, 6, 6, 6})}, 30), make::place({0, 0, 2.0 + i})));
        }
    const make::Solid s = make::cut(make::box({0, 0, 0}, {200, 140, 20}), tools);
    const Job here = job_of(s), there = job_of(make::moved(s, anywhere()));
    EXPECT_EQ(here.model.sheets.size(), 8u);
    EXPECT_NEAR(total_area(there.model) / total_area(here.model), 1, 1e-6);
    EXPECT_TRUE(here.proof.within_bounds && there.proof.within_bounds);
}

TEST(Crossing, PlateThroughACurvedWallIsOneSheet) {
    // Off the tube's middle its faces end at the curved wall in different places.
    const make::Solid tube = make::cut(make::cylinder({0, 0, 0}, Vec3::UnitZ(), 100, 80), {make::cylinder({0, 0, -1}, Vec3::UnitZ(), 97, 82)});
    const make::Solid half = make::cut(tube, {make::box({-200, -200, -1}, {200, 400, 90})});
    const make::Solid s = make::fuse({half, make::box({50, -3, 0}, {150, 4, 80})});
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        EXPECT_EQ(j.model.sheets.size(), 2u);
        EXPECT_EQ(seam_count(j.model, "cross"), 1);
        EXPECT_NEAR(total_area(j.model), 80 * (pi * 98.5 + 150), 1e-5 * 80 * 450);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_TRUE(j.proof.within_bounds);
        check_mesh(j.model, j.mesh);
    }
}

TEST(Moulded, CoverWithAllEdgesRoundedIsOneMesh) {
    // Drafted walls; rounds outside and inside that are offsets of each other but for the draft.
    const auto rectangle = [](double x, double y) { return std::vector<Vec2>{{-x, -y}, {x, -y}, {x, y}, {-x, y}}; };
    const auto above = [](const Vec3& m) { return m.z() > 1; };
    const make::Solid outer = make::rounded_edges(make::taper(rectangle(80, 60), rectangle(77, 57), 40), 4.5, above);
    const make::Solid inner = make::rounded_edges(make::taper(rectangle(77.5, 57.5), rectangle(74.7, 54.7), 37.5), 2, above);
    const Job j = job_of(make::cut(outer, {inner}));
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_NEAR(j.proof.volume_error, 0, 2e-3);
    EXPECT_GT(j.proof.coverage, 0.995);
    EXPECT_GT(j.mesh.quality.quad_share, 0.95);
    EXPECT_TRUE(j.proof.within_bounds);
}

TEST(Roots, PocketsWithRoundCornersAndFloors) {
    // Milled out of the full: fillets along the floor, up the corners, and tori where they meet, deeper than either.
    std::vector<make::Solid> pockets;
    for (int i = 0; i < 3; ++i) {
        const double x = 3 + 63.0 * i;
        const auto outline = make::rounded({{x, 3}, {x + 60, 3}, {x + 60, 63}, {x, 63}}, {6, 6, 6, 6});
        pockets.push_back(make::rounded_edges(make::moved(make::extrude({outline}, 20), make::place({0, 0, 2})), 3, [](const Vec3& m) { return m.z() < 2.1; }));
    }
    const make::Solid s = make::cut(make::box({0, 0, 0}, {192, 66, 14}), pockets);
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        EXPECT_TRUE(j.model.couplings.empty()) << "no solid regions";
        EXPECT_EQ(j.model.sheets.size(), 7u);
        EXPECT_EQ(connected_parts(j.model).count, 1);
        const double area = 189 * 63 + 13 * (2 * 189 + 4 * 63);  // the walls from the floor's middle up
        EXPECT_NEAR(total_area(j.model), area, 1e-6 * area);
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_EQ(j.mesh.quality.quad_share, 1);
        check_mesh(j.model, j.mesh);
    }
}
