// Free surfaces cut in pieces: pieces of one wall are one sheet, with one midsurface fitted over all of them.
#include "spoilt.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <set>

using namespace test;
using make::Solid;

namespace {

// A symmetrical profile 12 per cent thick, chord 200, `in` inside its line, ended square at `end`.
std::vector<Curve> profile(double in, double end) {
    constexpr int n = 24;
    std::vector<Vec2> line;
    for (int i = 0; i <= 2 * n; ++i) {
        const double a = pi * i / n, x = 0.5 * (1 + std::cos(a));
        const double y = 0.6 * (0.2969 * std::sqrt(x) - 0.126 * x - 0.3516 * x * x + 0.2843 * x * x * x - 0.1036 * x * x * x * x);
        line.emplace_back(200 * x, a < pi ? 200 * y : -200 * y);
    }
    line.front() = line.back() = Vec2(200, 0);
    std::vector<Vec3> points;
    for (std::size_t i = 1; i + 1 < line.size(); ++i) {
        const Vec2 along = (line[i + 1] - line[i - 1]).normalized(), p = line[i] + in * Vec2(-along.y(), along.x());
        if (p.x() < end) points.emplace_back(p.x(), p.y(), 0);
    }
    std::vector<Vec3> tangents;
    for (std::size_t i = 0; i < points.size(); ++i) tangents.push_back((points[std::min(i + 1, points.size() - 1)] - points[i == 0 ? 0 : i - 1]).normalized());
    return {curve_through(points, tangents, 1e-6), Curve::segment(points.back(), points.front())};
}

// A hollow wing with a spar and a rib: what is between them sees the skin in four pieces. Its ends are open.
const Solid& wing() {
    static const Solid made = [] {
        const auto solid = [](double in, double end, double from, double height) {
            return make::moved(make::extrude({profile(in, end)}, height), make::place({0, 0, from}));
        };
        const Solid outside = make::cut(make::box({-10, -50, -10}, {300, 100, 400}), {solid(0.6, 179, -10, 320)});
        const Solid cross = make::fuse({make::box({60, -30, 0}, {2, 60, 300}), make::box({-5, -30, 150}, {184, 60, 2})});
        return make::unify(make::fuse({make::cut(solid(0, 180, 0, 300), {solid(1.2, 178, -1, 302)}), make::cut(cross, {outside})}));
    }();
    return made;
}

constexpr double pitch = 60, inner = 18, outer = 62;

// Two turns of a flight through the wall of a tube.
Solid screw() {
    constexpr int n = 33;
    std::vector<Vec3> path;
    for (int i = 0; i < n; ++i) {
        const double turn = 4 * pi * i / (n - 1);
        path.emplace_back(0.5 * (inner + outer) * std::cos(turn), 0.5 * (inner + outer) * std::sin(turn), 20 + pitch * turn / (2 * pi));
    }
    constexpr double half = 0.5 * (outer - inner);
    const Solid flight = make::sweep({make::polygon({{-half, -1}, {half, -1}, {half, 1}, {-half, 1}})}, path, Vec3::UnitX(), false, Vec3::UnitZ());
    return make::unify(make::fuse({make::extrude(make::tube(50, 3), 160), flight}));
}

// Of a helicoid from its axis to a radius, each turn.
double helicoid(double r) {
    const double c = pitch / (2 * pi), root = std::hypot(r, c);
    return pi * (r * root + c * c * std::log((r + root) / c));
}

}  // namespace

TEST(FreePieces, SkinBehindRibsAndSparsIsOneSheet) {
    for (const bool moved : {false, true}) {
        const Job j = job_of(moved ? make::moved(wing(), anywhere()) : wing());
        EXPECT_EQ(j.model.sheets.size(), 4u);  // and the square end
        EXPECT_LT(std::abs(j.proof.volume_error), 1e-3);
        EXPECT_LT(j.proof.deviation.worst, 2e-3);
        EXPECT_GT(j.proof.coverage, 0.999);
        EXPECT_TRUE(findings_of(j).empty());
        expect_whole(j);
    }
}

TEST(FreePieces, FacesOnOneSurfaceHaveIt) {
    const Assembly solids = solids_of({{"wing", wing()}});
    std::set<double> poles;
    int free = 0;
    for (const Face& f : solids.bodies[0].faces)
        if (const auto* s = std::get_if<FreeSurface>(&f.surface)) ++free, poles.insert(s->spline->poles.front().y());
    EXPECT_GE(free, 7);
    EXPECT_EQ(poles.size(), 2u) << "all inner pieces lie on one surface, the outer face on another";
}

TEST(FreePieces, FlightOfAScrewIsOneSheet) {
    const double flight = 2 * (helicoid(outer) - helicoid(inner)), tube = 2 * pi * 23.5 * 160;
    for (const bool moved : {false, true}) {
        const Job j = job_of(moved ? make::moved(screw(), anywhere()) : screw());
        ASSERT_EQ(j.model.sheets.size(), 2u);
        EXPECT_NEAR(total_area(j.model), flight + tube, 1e-4 * (flight + tube));
        EXPECT_NEAR(seam_length(j.model, "cross"), 4 * pi * std::hypot(23.5, pitch / (2 * pi)), 1);  // ends square to the path
        EXPECT_LT(std::abs(j.proof.volume_error), 1e-3);
        EXPECT_GT(j.mesh.quality.quad_share, 0.95);
        EXPECT_TRUE(j.proof.within_bounds);
    }
}
