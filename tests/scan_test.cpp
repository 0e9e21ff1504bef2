// Scans of free forms: one wall of one spline each side, at its true thickness under scatter.
#include "spoilt.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

using namespace test;

namespace {

constexpr double length = 300, width = 200, thick = 3;

double height(double x, double y) {
    return 25 * std::sin(x / 110) * std::cos(y / 90) + 0.0008 * (x - 150) * (x - 150);
}

Vec2 slope(double x, double y) {
    return {25.0 / 110 * std::cos(x / 110) * std::cos(y / 90) + 0.0016 * (x - 150), -25.0 / 90 * std::sin(x / 110) * std::sin(y / 90)};
}

// Both skins half the thickness off a smooth middle, corners scattered along the normal, rims between.
make::Facets panel(int nx, int ny, double noise) {
    std::mt19937 random(7);
    std::normal_distribution<double> deviate(0, 1);
    make::Facets out{"panel", {}, {}};
    for (const double side : {1.0, -1.0})
        for (int i = 0; i <= nx; ++i)
            for (int j = 0; j <= ny; ++j) {
                const double x = length * i / nx, y = width * j / ny;
                const Vec2 s = slope(x, y);
                const Vec3 n = Vec3(-s.x(), -s.y(), 1).normalized();
                out.points.push_back(Vec3(x, y, height(x, y)) + side * (thick / 2 + noise * deviate(random)) * n);
            }
    const auto at = [&](int side, int i, int j) { return side * (nx + 1) * (ny + 1) + i * (ny + 1) + j; };
    const auto quad = [&](int a, int b, int c, int d) { out.facets.push_back({a, b, c}), out.facets.push_back({a, c, d}); };
    for (int i = 0; i < nx; ++i)
        for (int j = 0; j < ny; ++j) {
            quad(at(0, i, j), at(0, i + 1, j), at(0, i + 1, j + 1), at(0, i, j + 1));
            quad(at(1, i, j), at(1, i, j + 1), at(1, i + 1, j + 1), at(1, i + 1, j));
        }
    for (int i = 0; i < nx; ++i)
        quad(at(1, i, 0), at(1, i + 1, 0), at(0, i + 1, 0), at(0, i, 0)), quad(at(0, i, ny), at(0, i + 1, ny), at(1, i + 1, ny), at(1, i, ny));
    for (int j = 0; j < ny; ++j)
        quad(at(0, 0, j), at(0, 0, j + 1), at(1, 0, j + 1), at(1, 0, j)), quad(at(1, nx, j), at(1, nx, j + 1), at(0, nx, j + 1), at(0, nx, j));
    return out;
}

double middle_area() {
    constexpr int n = 400;
    double sum = 0;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) sum += std::sqrt(1 + slope((i + 0.5) * length / n, (j + 0.5) * width / n).squaredNorm());
    return sum * length * width / n / n;
}

}  // namespace

TEST(Scan, FreeFormIsOneSheetAtItsThickness) {
    for (const auto& [nx, noise] : {std::pair(30, 0.0), std::pair(60, 0.02)}) {
        const Folder folder;
        make::write_stl((folder / "panel.stl").string(), {panel(nx, nx * 2 / 3, noise)}, true);
        Job j;
        j.plan.source.file = (folder / "panel.stl").string(), j.plan.source.unit = "mm";
        run(j);
        ASSERT_EQ(j.model.sheets.size(), 1u) << noise;
        EXPECT_NEAR(j.model.sheets[0].area(), middle_area(), 1e-3 * middle_area());
        EXPECT_NEAR(j.model.sheets[0].thickness.mean, thick, 0.005 * thick);
        EXPECT_NEAR(j.proof.volume_error, 0, 1e-3);
        EXPECT_GT(j.proof.coverage, 0.99);
        EXPECT_TRUE(j.proof.within_bounds);
        check_mesh(j.model, j.mesh);
    }
}
