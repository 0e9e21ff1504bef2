// Plates milled out of the full, where the tops of ribs and thick pieces left standing are one face.
#include "support.hpp"

#include "geom/narrow.hpp"
#include "model/volumes.hpp"
#include "spoilt.hpp"

#include <gtest/gtest.h>

#include <cmath>

using namespace test;

namespace {

constexpr double floor_thick = 2, high = 12, rib = 3, pocket = 60, pad_pitch = pocket + rib, pad_corner = 6;

double polygons_area(const std::vector<std::vector<Vec2>>& loops) {
    double sum = 0;
    for (const auto& loop : loops)
        for (std::size_t i = 0; i < loop.size(); ++i) {
            const Vec2 &a = loop[i], &b = loop[(i + 1) % loop.size()];
            sum += 0.5 * (a.x() * b.y() - b.x() * a.y());
        }
    return std::abs(sum);
}

// Pockets of nx by ny with ribs between them in a block with a border of that width, but for one that is left full.
make::Solid milled(int nx, int ny, double border, int full = -1) {
    std::vector<make::Solid> pockets;
    for (int i = 0; i < nx; ++i)
        for (int j = 0; j < ny; ++j) {
            if (i * ny + j == full) continue;
            const double x = pad_pitch * i, y = pad_pitch * j;
            const auto outline =
                make::rounded({{x, y}, {x + pocket, y}, {x + pocket, y + pocket}, {x, y + pocket}}, {pad_corner, pad_corner, pad_corner, pad_corner});
            pockets.push_back(make::moved(make::extrude({outline}, 2 * high), make::place({0, 0, floor_thick})));
        }
    return make::cut(make::box({-border, -border, 0}, {pad_pitch * nx - rib + 2 * border, pad_pitch * ny - rib + 2 * border, high}), pockets);
}

}  // namespace

TEST(WideParts, TonguesAndPassagesAreCutOff) {
    // Two squares of 40 with a passage of 4 between, and a tongue of 6.
    const std::vector<std::vector<Vec2>> loops{{{0, 0},
                                                {40, 0},
                                                {40, 18},
                                                {80, 18},
                                                {80, 0},
                                                {120, 0},
                                                {120, 40},
                                                {80, 40},
                                                {80, 22},
                                                {40, 22},
                                                {40, 40},
                                                {0, 40},
                                                {0, 23},
                                                {-30, 23},
                                                {-30, 17},
                                                {0, 17}}};
    const auto wide = wide_parts(loops, 12);
    EXPECT_EQ(wide.size(), 2u);
    EXPECT_NEAR(polygons_area(wide), 3200, 40);
    EXPECT_TRUE(inside(wide, {1, 1})) << "corners stay";
    EXPECT_FALSE(inside(wide, {60, 20}));
    EXPECT_FALSE(inside(wide, {-20, 20}));
    EXPECT_EQ(wide_parts(loops, 3), loops) << "nothing is narrower";
    EXPECT_TRUE(wide_parts(loops, 60).empty());
    // Turned and with a hole.
    std::vector<std::vector<Vec2>> turned{{{0, 0}, {40, 0}, {40, 18}, {80, 18}, {80, 22}, {40, 22}, {40, 40}, {0, 40}},
                                          {{15, 15}, {15, 25}, {25, 25}, {25, 15}}};
    for (auto& loop : turned)
        for (Vec2& p : loop) p = Vec2(0.8 * p.x() - 0.6 * p.y() + 1e4, 0.6 * p.x() + 0.8 * p.y() - 1e4);
    EXPECT_NEAR(polygons_area(wide_parts(turned, 12)), 1500, 30);
}

TEST(Junctions, WhatArmsHoldTwiceIsTheCrossSectionsExcess) {
    const double a = 3, b = 5;
    const auto arm = [](double degree, double t) { return WallArm{degree * pi / 180, 0.5 * t, 0.5 * t}; };
    EXPECT_NEAR(doubled_area({arm(0, a), arm(90, b)}), 0, 1e-12) << "a corner's outside makes up for its inside";
    EXPECT_NEAR(doubled_area({arm(0, a), arm(130, a)}), 0, 1e-12);
    EXPECT_NEAR(doubled_area({arm(0, a), arm(180, a), arm(90, b)}), 0.5 * a * b, 1e-12) << "tee";
    EXPECT_NEAR(doubled_area({arm(0, a), arm(180, a), arm(50, b)}), 0.5 * a * b / std::sin(50 * pi / 180), 1e-12);
    EXPECT_NEAR(doubled_area({arm(0, a), arm(180, a), arm(90, b), arm(270, b)}), a * b, 1e-12) << "cross";
    // Three of one thickness at 120 degrees: strips up to a triangle of side a, and the triangle, against strips up to the middle.
    EXPECT_NEAR(doubled_area({arm(10, a), arm(130, a), arm(250, a)}), std::sqrt(3.0) / 4 * a * a, 1e-12);
    EXPECT_EQ(doubled_area({arm(0, a)}), 0);
}

TEST(Junctions, HoneycombHasItsVolume) {
    constexpr double across = 20, t = 1.5, height = 25;
    std::vector<make::Solid> full, holes;
    for (int i = 0; i < 3; ++i)
        for (int j = 0; j < 3; ++j) {
            const Vec2 c(across * i + (j % 2 ? 0.5 * across : 0), across * std::sqrt(3.0) / 2 * j);
            const auto hexagon = [&](double width) {
                std::vector<Vec2> h;
                for (int k = 0; k < 6; ++k) h.push_back(c + width / std::sqrt(3.0) * Vec2(std::cos(pi / 6 + k * pi / 3), std::sin(pi / 6 + k * pi / 3)));
                return make::extrude({make::polygon(h)}, height);
            };
            full.push_back(hexagon(across + t)), holes.push_back(hexagon(across - t));
        }
    const Job j = job_of(make::unify(make::cut(make::fuse(full), holes)));
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(j.proof.volume_error, 0, 1e-4);
    EXPECT_TRUE(j.proof.within_bounds);
    EXPECT_EQ(j.mesh.quality.quad_share, 1);
    check_mesh(j.model, j.mesh);
}

TEST(Pads, BorderAsHighAsTheRibs) {
    const double border = 40;
    const make::Solid s = milled(4, 3, border);
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        ASSERT_EQ(j.model.sheets.size(), 6u) << "plate, three ribs and two";
        EXPECT_EQ(connected_parts(j.model).count, 1);
        const double x = 4 * pad_pitch - rib, y = 3 * pad_pitch - rib;
        const auto plate = std::max_element(j.model.sheets.begin(), j.model.sheets.end(), [](const Sheet& a, const Sheet& b) { return a.area() < b.area(); });
        EXPECT_NEAR(plate->area(), (x + 2 * border) * (y + 2 * border), 1e-6 * plate->area()) << "one sheet, step and all";
        EXPECT_NEAR(plate->thickness.min, floor_thick, 1e-7);
        EXPECT_NEAR(plate->thickness.max, high, 1e-7);
        // Ribs begin and end where the border does, give or take the round corners.
        const double ribs = total_area(j.model) - plate->area(), most = (high - 0.5 * floor_thick) * (3 * y + 2 * x);
        EXPECT_LT(ribs, most);
        EXPECT_GT(ribs, most * (1 - 2 * pad_corner / y));
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_LT(std::abs(j.proof.volume_error), 0.01);
        EXPECT_LT(j.proof.thickness_error, 1e-6);
        check_mesh(j.model, j.mesh);
    }
}

TEST(Pads, OnePocketLeftFull) {
    const make::Solid s = milled(4, 3, rib, 2 * 3 + 1);
    for (const bool turned : {false, true}) {
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        EXPECT_EQ(connected_parts(j.model).count, 1);
        const auto plate = std::max_element(j.model.sheets.begin(), j.model.sheets.end(), [](const Sheet& a, const Sheet& b) { return a.area() < b.area(); });
        EXPECT_NEAR(plate->thickness.min, floor_thick, 1e-7);
        EXPECT_NEAR(plate->thickness.max, high, 1e-7);
        EXPECT_NEAR(plate->area(), (4 * pad_pitch) * (3 * pad_pitch), 1e-6 * plate->area());
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_LT(j.proof.thickness_error, 1e-6);
        check_mesh(j.model, j.mesh);
    }
}
