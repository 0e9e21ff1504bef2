// Scans of free forms: one wall of one spline each side, at its true thickness under scatter.
#include "spoilt.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <functional>
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

// Both skins half the thickness off a smooth middle over a unit square, corners scattered along the normal, rims between.
make::Facets skins(const std::function<Vec3(double, double)>& middle, int nx, int ny, double noise) {
    std::mt19937 random(7);
    std::normal_distribution<double> deviate(0, 1);
    make::Facets out{"panel", {}, {}};
    constexpr double h = 1e-5;
    for (const double side : {1.0, -1.0})
        for (int i = 0; i <= nx; ++i)
            for (int j = 0; j <= ny; ++j) {
                const double u = 1.0 * i / nx, v = 1.0 * j / ny;
                const Vec3 n = (middle(u + h, v) - middle(u - h, v)).cross(middle(u, v + h) - middle(u, v - h)).normalized();
                out.points.push_back(middle(u, v) + side * (thick / 2 + noise * deviate(random)) * n);
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

make::Facets panel(int nx, int ny, double noise) {
    return skins([](double u, double v) { return Vec3(length * u, width * v, height(length * u, width * v)); }, nx, ny, noise);
}

// A hood that turns by 170 degrees along one way, bulges along the other, and is of no plain form.
Vec3 hood(double u, double v) {
    const double turn = 3.0 * (u - 0.5), y = width * (v - 0.5), r = 110 + 14 * std::cos(y / 70) + 6 * std::sin(2 * turn);
    return {1.25 * r * std::sin(turn), y, r * std::cos(turn)};
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

TEST(Scan, SkinThatTurnsFarIsOneSheet) {
    constexpr int n = 300;
    constexpr double h = 0.5 / n;
    double area = 0;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            const double u = (i + 0.5) / n, v = (j + 0.5) / n;
            area += (hood(u + h, v) - hood(u - h, v)).cross(hood(u, v + h) - hood(u, v - h)).norm();
        }
    for (const auto& [nx, noise] : {std::pair(60, 0.0), std::pair(90, 0.02)}) {
        SCOPED_TRACE(noise);
        const Folder folder;
        make::write_stl((folder / "hood.stl").string(), {skins(hood, nx, nx / 2, noise)}, true);
        Job j;
        j.plan.source.file = (folder / "hood.stl").string(), j.plan.source.unit = "mm";
        run(j);
        ASSERT_EQ(j.model.sheets.size(), 1u);
        EXPECT_NEAR(j.model.sheets[0].area(), area, 1e-3 * area);
        EXPECT_NEAR(j.model.sheets[0].thickness.mean, thick, 0.005 * thick);
        EXPECT_NEAR(j.proof.volume_error, 0, 2e-3);
        EXPECT_GT(j.proof.coverage, 0.99);
        EXPECT_TRUE(j.proof.within_bounds);
        check_mesh(j.model, j.mesh);
    }
}

TEST(Scan, PatchAlongTheEdgesOfAFacetBody) {
    // A plate of facets: the upper face between its own four edges, named by a point on each.
    const Folder f;
    make::write_stl((f / "plate.stl").string(), {make::tessellated(make::moved(make::box({0, 0, 0}, {120, 80, 3}), anywhere()), 0.1, 0.3)}, false);
    SourceOptions source;
    source.file = (f / "plate.stl").string(), source.unit = "mm";
    const Assembly solids = read(f / "plate.stl", source);
    const auto at = [](double x, double y) { return Vec3(anywhere() * Vec3(x, y, 3)); };
    HalveOptions o;
    PatchRule p;
    p.thickness = 2;
    p.edges = {at(60, 0), at(120, 40), at(50, 80), at(0, 30)};
    o.patches = {p};
    const Model m = halve(solids, o);
    const auto patch = std::find_if(m.sheets.begin(), m.sheets.end(), [](const Sheet& s) { return s.field.constant == 2; });
    ASSERT_NE(patch, m.sheets.end());
    EXPECT_NEAR(patch->area(), 120 * 80, 1e-3 * 120 * 80);
    int points = 0;
    for (const LedgerEntry& e : m.ledger)
        if (e.kind == EntryKind::patch_point) {
            ++points;
            EXPECT_LT(e.value, 1e-2);
        }
    EXPECT_EQ(points, 4 * 8);
    o.patches[0].edges = {at(60, 0), at(50, 80), at(120, 40), at(0, 30)};
    EXPECT_THROW((void)halve(solids, o), Error) << "not in their order";
    o.patches[0].edges = {at(60, 40), at(50, 80)};
    EXPECT_THROW((void)halve(solids, o), Error) << "no edge there";
}

TEST(Scan, PatchThroughGivenPointsFollowsTheSkin) {
    // On the upper skin: corners given, a four-sided and a five-sided patch.
    const auto on = [](double x, double y) {
        const Vec2 s = slope(x, y);
        return Vec3(Vec3(x, y, height(x, y)) + thick / 2 * Vec3(-s.x(), -s.y(), 1).normalized());
    };
    const Folder f;
    make::write_stl((f / "panel.stl").string(), {panel(120, 80, 0)}, true);
    const Assembly solids = read(f / "panel.stl");
    HalveOptions o;
    PatchRule four;
    four.thickness = 2;
    four.sides = {{on(60, 50), on(150, 50), on(240, 50)}, {on(240, 50), on(240, 150)}, {on(240, 150), on(60, 150)}, {on(60, 150), on(60, 50)}};
    PatchRule five = four;
    five.sides = {{on(60, 50), on(240, 50)}, {on(240, 50), on(260, 100)}, {on(260, 100), on(240, 150)}, {on(240, 150), on(60, 150)}, {on(60, 150), on(60, 50)}};
    o.patches = {four, five};
    const Model m = halve(solids, o);
    std::vector<const Sheet*> patches;
    for (const Sheet& s : m.sheets)
        if (s.field.constant == 2) patches.push_back(&s);
    ASSERT_EQ(patches.size(), 2u);
    for (const Sheet* s : patches)
        for (const double x : {80.0, 150.0, 220.0})
            for (const double y : {60.0, 100.0, 140.0}) EXPECT_NEAR(s->chart.height(on(x, y) - solids.shift), 0, 0.02);
    EXPECT_GT(patches[1]->area(), patches[0]->area() + 0.4 * 20 * 100);
    int points = 0;
    for (const LedgerEntry& e : m.ledger) {
        if (e.kind != EntryKind::patch_point) continue;
        ++points;
        EXPECT_LT(e.value, 0.02);
    }
    EXPECT_EQ(points, 5 + 5);
    five.sides[1][0] = on(200, 60);
    o.patches = {five};
    EXPECT_THROW((void)halve(solids, o), Error) << "its sides do not close";
}

TEST(Scan, FlangeWhoseMiddleCutsALongFacettedCylinder) {
    // Stringers inside half a tube; the middles of their flanges cut the tube's skins along rulings, over facets as long as the tube.
    std::vector<make::Solid> all{make::cut(make::extrude(make::tube(400, 2), 300), {make::box({-300, -300, -1}, {600, 400, 400})})};
    for (int i = 1; i < 6; ++i) {
        const double a = pi / 6 + i * pi / 9;
        const auto turn = make::place({0, 0, 0}, Vec3::UnitZ(), {std::cos(a), std::sin(a), 0});
        all.push_back(make::moved(make::box({170, -1, 0}, {29, 2, 300}), turn));
        all.push_back(make::moved(make::box({168, -1, 0}, {2, 15, 300}), turn));
    }
    const make::Solid s = make::unify(make::fuse(all));
    const Job exact = job_of(s);
    const Folder folder;
    make::write_stl((folder / "panel.stl").string(), {make::tessellated(s, 0.1, 0.25)}, true);
    Job job;
    job.plan.source.file = (folder / "panel.stl").string(), job.plan.source.unit = "mm";
    run(job);
    EXPECT_EQ(job.model.sheets.size(), exact.model.sheets.size());
    EXPECT_NEAR(total_area(job.model) / total_area(exact.model), 1, 1e-3);
    EXPECT_TRUE(job.proof.within_bounds);
    EXPECT_GT(job.proof.coverage, 0.999);
    check_mesh(job.model, job.mesh);
}

namespace {

Job scan_of(const make::Solid& s, double chord, double angle) {
    const Folder folder;
    make::write_stl((folder / "part.stl").string(), {make::tessellated(s, chord, angle)}, true);
    Job job;
    job.plan.source.file = (folder / "part.stl").string(), job.plan.source.unit = "mm";
    job.plan.halve.slender = SlenderAs::shells;
    run(job);
    return job;
}

}  // namespace

TEST(Scan, EdgesRoundedMoreThanTheCornersTheyRunRound) {
    // A box open at the top: corners of 8 outside over floor edges of 4.5, so that the torus between them meets its own axis.
    const auto upright = [](const Vec3& m) { return std::abs(m.z() - 20) < 8; };
    const auto low = [](const Vec3& m) { return m.z() < 10; };
    const make::Solid outer = make::rounded_edges(make::rounded_edges(make::box({-70, -50, 0}, {140, 100, 40}), 8, upright), 4.5, low);
    const make::Solid inner = make::rounded_edges(make::rounded_edges(make::box({-67.5, -47.5, 2.5}, {135, 95, 40}), 5.5, upright), 2, low);
    const make::Solid s = make::cut(outer, {inner});
    const Job exact = job_of(s), job = scan_of(s, 0.1, 0.25);
    ASSERT_EQ(job.solids.bodies.size(), 1u);
    EXPECT_EQ(job.solids.bodies[0].faces.size(), exact.solids.bodies[0].faces.size());
    EXPECT_EQ(job.model.sheets.size(), exact.model.sheets.size());
    EXPECT_NEAR(total_area(job.model) / total_area(exact.model), 1, 1e-3);
    EXPECT_NEAR(job.proof.volume_error, 0, 2e-3);
    EXPECT_TRUE(job.proof.within_bounds);
    EXPECT_GT(job.mesh.quality.quad_share, 0.98);
}

TEST(Scan, BellowsAreTheirTori) {
    // Half circles about 60 to and fro: where one turns into the next, facets of both lie in one plane.
    static constexpr double r = 6, t = 0.8, axis = 60;
    constexpr int n = 6;
    const auto arc = [](double y, double radius, double from, double to) {
        Curve c{CircleCurve{{{axis, y, 0}, Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()}, radius}, std::min(from, to), std::max(from, to)};
        return from < to ? c : c.reversed();
    };
    std::vector<Curve> loop, back;
    for (int i = 0; i < n; ++i) {
        const bool out = i % 2 == 0;
        const double from = out ? -pi / 2 : 3 * pi / 2;
        loop.push_back(arc(2 * r * i, r + (out ? t : -t) / 2, from, pi / 2));
        back.push_back(arc(2 * r * i, r - (out ? t : -t) / 2, from, pi / 2));
    }
    const Curve first = Curve::segment(back.front().start(), loop.front().start());
    loop.push_back(Curve::segment(loop.back().end(), back.back().end()));
    for (int i = n - 1; i >= 0; --i) loop.push_back(back[static_cast<std::size_t>(i)].reversed());
    loop.push_back(first);
    const Job job = scan_of(make::revolve({loop}, Vec3::Zero(), Vec3::UnitY(), 2 * pi), 0.1, 0.25);
    EXPECT_EQ(job.model.sheets.size(), static_cast<std::size_t>(n));
    double along = 0;
    for (const Seam& k : seams(job.model)) along += job.model.length(k.edge);
    EXPECT_NEAR(along / ((n - 1) * 2 * pi * axis), 1, 1e-6);
    // Pappus: each half circle's centroid lies 2 r / pi off its centre, in turns out and in, which cancels over all.
    EXPECT_NEAR(total_area(job.model) / (n * pi * r * 2 * pi * axis), 1, 2e-4);
    EXPECT_TRUE(job.proof.within_bounds);
    EXPECT_EQ(job.mesh.quality.quad_share, 1);
}

TEST(Scan, BendsByASmallAngleOfThreeFacetsAreRound) {
    // Folded by 20 degrees over a mean radius of 11, three facets round the bend.
    constexpr double t = 2, leg = 40, by = 20 * pi / 180, wide = 60;
    const double d = t * std::tan(by / 2);
    const Vec2 end(leg + leg * std::cos(by), leg * std::sin(by)), up(-t * std::sin(by), t * std::cos(by));
    const make::Solid s = make::extrude({make::rounded({{0, 0}, {leg, 0}, end, end + up, {leg - d, t}, {0, t}}, {0, 12, 0, 0, 10, 0})}, wide);
    for (const bool moved : {false, true}) {
        const Job job = scan_of(moved ? make::moved(s, make::place({10, 20, 30}, {1, 2, 3}, {2, -1, 0})) : s, 0.2, 0.12);
        EXPECT_EQ(job.solids.bodies[0].faces.size(), 10u);
        ASSERT_EQ(job.model.sheets.size(), 3u);
        EXPECT_NEAR(total_area(job.model), wide * (2 * (leg - d / 2 - 11 * std::tan(by / 2)) + 11 * by), 1e-2);
        EXPECT_EQ(seam_count(job.model, "smooth"), 2);
        EXPECT_NEAR(job.proof.volume_error, 0, 1e-3);
        expect_whole(job);
    }
}
