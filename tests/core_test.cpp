// Frames, tolerances, units, progress and cancelling.
#include "core/groups.hpp"
#include "core/parallel.hpp"
#include "core/quantity.hpp"
#include "geom/recognise.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <atomic>
#include <set>

using namespace test;

TEST(Frames, AreOrthonormalAndRightHanded) {
    for (const Vec3& z : {Vec3(0, 0, 1), Vec3(1, 0, 0), Vec3(0, -2, 0), Vec3(1, 1, 1), Vec3(1e-9, 0, -5), Vec3(3, -4, 12)})
        for (const Vec3& hint : {Vec3(1, 0, 0), Vec3(0, 1, 0), Vec3(-1, 2, 0.5), z}) {
            const Frame f = Frame::with_zx({1, 2, 3}, z, hint);
            EXPECT_NEAR(f.x.norm(), 1, 1e-14);
            EXPECT_NEAR(f.x.dot(f.y), 0, 1e-14);
            EXPECT_NEAR(f.x.dot(f.z), 0, 1e-14);
            EXPECT_LT((f.x.cross(f.y) - f.z).norm(), 1e-14);
            EXPECT_LT((f.z - z.normalized()).norm(), 1e-14);
            const Vec3 p(7, -3, 2), q = f.local(p);
            EXPECT_LT((f.at(q.x(), q.y(), q.z()) - p).norm(), 1e-13);
        }
}

TEST(Tolerances, GrowWithSizeWithinLimits) {
    EXPECT_LT(Tolerance::for_size(10).point, Tolerance::for_size(1e5).point);
    EXPECT_GE(Tolerance::for_size(1e-6).point, 1e-6);
    EXPECT_LE(Tolerance::for_size(1e12).point, 1e-2);
}

TEST(Quantities, ConvertAndRefuse) {
    EXPECT_NEAR(quantity("3 mm", "mm"), 3, 1e-15);
    EXPECT_NEAR(quantity("3mm", "mm"), 3, 1e-15);
    EXPECT_NEAR(quantity("1 inch", "mm"), 25.4, 1e-12);
    EXPECT_NEAR(quantity("0.2 m", "mm"), 200, 1e-12);
    EXPECT_NEAR(quantity("12 kN/m2", "MPa"), 0.012, 1e-12);
    EXPECT_NEAR(quantity("7", "mm"), 7, 0);
    EXPECT_NEAR(quantity("1.5 %", "1"), 0.015, 1e-15);
    EXPECT_NEAR(quantity("2 radian", "degree"), 360 / pi, 1e-9);
    for (const char* bad : {"", "mm", "3 kg", "3 frobs", "inf mm", "nan", "-"}) EXPECT_THROW((void)quantity(bad, "mm"), std::invalid_argument) << bad;
}

TEST(Recognise, LinesAndArcsGivenAsPoints) {
    std::vector<Vec3> line, arc, helix, none;
    for (int i = 0; i <= 20; ++i) {
        const double t = i / 20.0;
        line.push_back(Vec3(1, 2, 3) + t * Vec3(4, -5, 6));
        arc.emplace_back(10 * std::cos(t), 10 * std::sin(t), 5);
        helix.emplace_back(10 * std::cos(t), 10 * std::sin(t), 5 * t);
    }
    EXPECT_TRUE(recognise_curve(line, none, 1e-7).is_line());
    const Curve a = recognise_curve(arc, none, 1e-7);
    ASSERT_TRUE(std::holds_alternative<CircleCurve>(a.shape));
    EXPECT_NEAR(std::get<CircleCurve>(a.shape).radius, 10, 1e-9);
    EXPECT_NEAR(a.length(), 10, 1e-9);
    EXPECT_TRUE(std::holds_alternative<PolylineCurve>(recognise_curve(helix, none, 1e-7).shape));
}

// Points and normals of a surface on a grid of its parameters.
std::pair<std::vector<Vec3>, std::vector<Vec3>> grid_on(const Surface& s, const Vec2& from, const Vec2& to) {
    std::vector<Vec3> points, normals;
    for (int i = 0; i < 9; ++i)
        for (int j = 0; j < 9; ++j) {
            points.push_back(surface_point(s, {from.x() + (to.x() - from.x()) * i / 8, from.y() + (to.y() - from.y()) * j / 8}));
            normals.push_back(*surface_normal(s, points.back()));
        }
    return {points, normals};
}

TEST(Recognise, PlainSurfacesGivenAsSplines) {
    const Frame f = Frame::with_z({10, -20, 30}, Vec3(1, 2, 3));
    for (const Surface& s : {Surface(PlaneSurface{f}), Surface(CylinderSurface{f, 12}), Surface(ConeSurface{f, 12, 0.3}), Surface(SphereSurface{f, 15}),
                             Surface(TorusSurface{f, 40, 8})}) {
        const auto [points, normals] = grid_on(s, {0.2, 0.1}, {1.7, 1.0});
        const auto found = recognise_surface(points, normals, 1e-7);
        ASSERT_TRUE(found.has_value()) << surface_name(s);
        EXPECT_EQ(found->index(), s.index()) << surface_name(s);
        for (const Vec3& p : points) EXPECT_LT((*surface_foot(*found, p) - p).norm(), 1e-6) << surface_name(s);
        auto bent = points;
        for (std::size_t i = 0; i < bent.size(); ++i) bent[i] += 0.01 * std::sin(0.7 * static_cast<double>(i)) * normals[i];
        EXPECT_FALSE(recognise_surface(bent, normals, 1e-7).has_value()) << surface_name(s) << " with waves is none";
    }
}

TEST(Recognise, SplineEdgesAreCubicsOfFourthOrder) {
    // A quarter of an ellipse as points with tangents: half the spacing, a sixteenth of the error.
    const double a = 40, b = 25;
    const auto error = [&](int n) {
        std::vector<Vec3> points, tangents;
        for (int i = 0; i <= n; ++i) {
            const double t = pi / 2 * i / n;
            points.emplace_back(a * std::cos(t), b * std::sin(t), 0);
            tangents.push_back(Vec3(-a * std::sin(t), b * std::cos(t), 0).normalized());
        }
        const Curve c = Curve::polyline(points, tangents);
        for (double t : meets(c, Plane::through({20, 0, 0}, Vec3::UnitX()))) EXPECT_NEAR(c.point(t).x(), 20, 1e-10);
        double worst = 0;
        for (int i = 0; i < 10 * n; ++i) {
            const Vec3 p = c.point(c.t1 * (i + 0.5) / (10 * n));
            worst = std::max(worst, std::abs(p.x() * p.x() / (a * a) + p.y() * p.y() / (b * b) - 1));
        }
        const Curve exact{EllipseCurve{Frame{}, a, b}, 0, pi / 2};
        EXPECT_NEAR(c.length() / exact.length(), 1, 10 * worst);
        return worst;
    };
    EXPECT_NEAR(error(20) / error(40), 16, 3);
    EXPECT_NEAR(error(40) / error(80), 16, 3);
    EXPECT_LT(error(80), 1e-8);
}

TEST(Parallel, EveryTaskRunsOnce) {
    std::vector<std::atomic<int>> count(1000);
    parallel_for(count.size(), [&](std::size_t i) { ++count[i]; });
    for (const auto& c : count) EXPECT_EQ(c, 1);
}

TEST(GroupsOfNumbers, TieAndRoot) {
    Groups g(6);
    g.tie(0, 1), g.tie(2, 3), g.tie(1, 3);
    EXPECT_EQ(g.root(0), g.root(2));
    EXPECT_NE(g.root(0), g.root(4));
    EXPECT_NE(g.root(4), g.root(5));
}

TEST(Progress, EveryStageReportsAndCanBeStopped) {
    const Assembly solids = solids_of({{"base", make::box({0, 0, 0}, {300, 200, 10})}, {"rib", make::box({50, 97, 10}, {180, 6, 80})}});
    std::set<std::string> told;
    Observer watch;
    watch.report = [&](const char* stage, double share) {
        told.insert(stage);
        EXPECT_GE(share, 0);
        EXPECT_LE(share, 1);
    };
    const Survey seen = survey(solids, {}, watch);
    (void)strip(solids, seen, {}, watch);
    Model m = halve(solids, {}, watch);
    join(m, solids, {}, watch);
    const Mesh k = mesh(m, {20}, watch);
    (void)prove(solids, m, k, {}, 0.5, watch);
    EXPECT_EQ(told, (std::set<std::string>{"survey", "strip", "halve", "join", "mesh", "prove"}));
    Observer stop;
    stop.cancelled = [] { return true; };
    const auto stopped = [](const std::function<void()>& work) {
        try {
            work();
            return false;
        } catch (const Error& e) {
            return e.kind() == ErrorKind::cancelled;
        }
    };
    EXPECT_TRUE(stopped([&] { (void)survey(solids, {}, stop); }));
    EXPECT_TRUE(stopped([&] { (void)strip(solids, seen, {}, stop); }));
    EXPECT_TRUE(stopped([&] { (void)halve(solids, {}, stop); }));
    EXPECT_TRUE(stopped([&] { join(m, solids, {}, stop); }));
    EXPECT_TRUE(stopped([&] { (void)mesh(m, {20}, stop); }));
    EXPECT_TRUE(stopped([&] { (void)prove(solids, m, k, {}, 0.5, stop); }));
}
