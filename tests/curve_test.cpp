// Curves, surfaces and exact predicates against closed forms.
#include "geom/predicates.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

using namespace test;

namespace {

Curve circle_arc(double r, double a, double b) {
    return {CircleCurve{Frame{}, r}, a, b};
}
Curve ellipse(double a, double b, double t0, double t1) {
    return {EllipseCurve{Frame{}, a, b}, t0, t1};
}

}  // namespace

TEST(Curve, LengthsAreClosedForms) {
    EXPECT_NEAR(Curve::segment({1, 2, 3}, {4, 6, 3}).length(), 5, 1e-14);
    EXPECT_NEAR(circle_arc(10, 0.2, 1.7).length(), 15, 1e-12);
    // Perimeter of an ellipse with a = 2, b = 1: 4 a E(sqrt(3)/2) = 9.68844822...
    EXPECT_NEAR(ellipse(2, 1, 0, 2 * pi).length(), 9.688448220547675, 1e-9);
    EXPECT_NEAR(Curve::polyline({{0, 0, 0}, {3, 0, 0}, {3, 4, 0}}).length(), 7, 1e-14);
}

TEST(Curve, ParameterAtGivesEqualArcs) {
    const Curve e = ellipse(3, 1, 0.3, 4);
    const double total = e.length();
    for (int i = 1; i < 8; ++i) EXPECT_NEAR(e.length(e.t0, e.parameter_at(i / 8.0)), total * i / 8, 1e-9);
}

TEST(Curve, FeetOnTightSplinesAreFoundFromAfar) {
    // Quarter of a circle of half a millimetre through points, and points up to twenty radii off it, on both sides of its middle.
    constexpr double r = 0.5;
    std::vector<Vec3> points, tangents;
    for (int k = 0; k <= 16; ++k) {
        const double a = 0.5 * pi * k / 16;
        points.emplace_back(r * std::cos(a), r * std::sin(a), 0), tangents.emplace_back(-std::sin(a), std::cos(a), 0);
    }
    const Curve c = Curve::polyline(points, tangents);
    for (const double away : {-0.3, 0.4, 3.0, 10.0})
        for (double a = 0.05; a < 0.5 * pi; a += 0.11) {
            const Vec3 way(std::cos(a), std::sin(a), 0), p = (r + away) * way + Vec3(0, 0, 0.3);
            const Vec3 foot = c.point(c.nearest(p));
            EXPECT_LT((foot - r * way).norm(), 1e-4) << away << " " << a;
            for (int k = 0; k <= 2000; ++k) EXPECT_LE((foot - p).norm(), (c.point(c.t0 + (c.t1 - c.t0) * k / 2000) - p).norm() + 1e-13) << away << " " << a;
        }
}

TEST(Curve, ReversedRunsTheOtherWay) {
    for (const Curve& c :
         {Curve::segment({0, 0, 0}, {1, 2, 3}), circle_arc(4, 0.5, 2.5), ellipse(3, 2, 0.5, 2.5), Curve::polyline({{0, 0, 0}, {1, 0, 0}, {1, 1, 1}})}) {
        const Curve r = c.reversed();
        EXPECT_LT((c.start() - r.end()).norm(), 1e-12);
        EXPECT_LT((c.end() - r.start()).norm(), 1e-12);
        EXPECT_LT((c.middle() - r.middle()).norm(), 1e-12);
        EXPECT_NEAR(c.length(), r.length(), 1e-12);
        EXPECT_LT(c.derivative(c.t1).normalized().dot(r.derivative(r.t0).normalized()), -1 + 1e-9);
    }
}

TEST(Curve, TwoPointsAreALineOnlyWithTangentsAlongIt) {
    const double r = 18, angle = 0.06;
    const std::vector<Vec3> points{{r, 0, 0}, {r * std::cos(angle), r * std::sin(angle), 0}}, bent{{0, 1, 0}, {-std::sin(angle), std::cos(angle), 0}};
    const Curve c = curve_through(points, bent, 1e-5);
    EXPECT_NEAR(c.middle().norm(), r, 1e-5) << "on the arc, 8 um off its chord";
    const Vec3 along = (points[1] - points[0]).normalized();
    EXPECT_TRUE(curve_through(points, {along, along}, 1e-5).is_line());
}

TEST(Curve, MeetsFindsEveryRoot) {
    EXPECT_EQ(meets(circle_arc(10, 0, 2 * pi), Plane::through({5, 0, 0}, Vec3::UnitX())).size(), 2u);
    EXPECT_EQ(meets(circle_arc(10, 0, pi / 2), Plane::through({5, 0, 0}, Vec3::UnitX())).size(), 1u);
    EXPECT_TRUE(meets(circle_arc(10, 0, 2 * pi), Plane::through({11, 0, 0}, Vec3::UnitX())).empty());
    EXPECT_EQ(meets(circle_arc(10, -1, 1), Plane::through({10, 0, 0}, Vec3::UnitX())).size(), 1u) << "touching counts once";
    EXPECT_TRUE(meets(circle_arc(10, 0, 2 * pi), Plane::through({0, 0, 0}, Vec3::UnitZ())).empty()) << "lying in the plane gives none";
    const Curve e = ellipse(5, 2, 0, 2 * pi);
    for (double t : meets(e, Plane::through({1, 1, 0}, {1, 2, 0}))) EXPECT_NEAR(Plane::through({1, 1, 0}, {1, 2, 0}).height(e.point(t)), 0, 1e-12);
    const auto poly = meets(Curve::polyline({{0, -1, 0}, {1, 1, 0}, {2, -1, 0}, {3, 1, 0}}), Plane::through({0, 0, 0}, Vec3::UnitY()));
    EXPECT_EQ(poly.size(), 3u);
}

TEST(Curve, NearestIsTheFoot) {
    EXPECT_NEAR(circle_arc(10, 0, pi).nearest({0, 20, 5}), pi / 2, 1e-12);
    EXPECT_NEAR(circle_arc(10, 0, 1).nearest({-10, 0.1, 0}), 1, 1e-12) << "clamped to the nearer end";
    const Curve e = ellipse(5, 2, 0, 2 * pi);
    const Vec3 p(3, 4, 0);
    const double t = e.nearest(p);
    EXPECT_NEAR((e.point(t) - p).dot(e.derivative(t)), 0, 1e-9);
    EXPECT_NEAR(Curve::segment({0, 0, 0}, {10, 0, 0}).nearest({4, 3, 2}), 4, 1e-14);
}

TEST(Curve, BoxHoldsTheWholeCurve) {
    const Frame f = Frame::with_zx(Vec3(5, -3, 2), Vec3(0.3, -0.5, 0.8), Vec3(1, 0.2, 0));
    const Curve ellipse{EllipseCurve{f, 80, 18.5}, 0.4, 5.9};
    std::vector<Vec3> points;
    for (int i = 0; i <= 12; ++i) points.push_back(ellipse.point(0.4 + 5.5 * i / 12));
    for (const Curve& c : {ellipse, Curve::polyline(points)}) {
        Box3 b = c.box();
        b.min().array() -= 1e-9, b.max().array() += 1e-9;
        for (int i = 0; i <= 5000; ++i) ASSERT_TRUE(b.contains(c.point(c.t0 + (c.t1 - c.t0) * i / 5000)));
    }
}

TEST(Curve, BoxOfAnArcIsExact) {
    const Box3 b = circle_arc(10, pi / 4, 5 * pi / 4).box();
    EXPECT_NEAR(b.min().x(), -10, 1e-12);
    EXPECT_NEAR(b.max().y(), 10, 1e-12);
    EXPECT_NEAR(b.max().x(), 10 * std::cos(pi / 4), 1e-12);
}

TEST(Curve, CarriersAreRecognised) {
    EXPECT_TRUE(same_carrier(Curve::segment({0, 0, 0}, {1, 0, 0}), Curve::segment({5, 0, 0}, {3, 0, 0}), 1e-9));
    EXPECT_FALSE(same_carrier(Curve::segment({0, 0, 0}, {1, 0, 0}), Curve::segment({5, 1e-3, 0}, {3, 0, 0}), 1e-9));
    EXPECT_TRUE(same_carrier(circle_arc(5, 0, 1), circle_arc(5, 2, 3), 1e-9));
    EXPECT_FALSE(same_carrier(circle_arc(5, 0, 1), circle_arc(5.1, 2, 3), 1e-9));
    EXPECT_FALSE(same_carrier(circle_arc(5, 0, 1), Curve::segment({0, 0, 0}, {1, 0, 0}), 1e-9));
}

TEST(Surface, FeetAndNormalsAgree) {
    const Frame f = Frame::with_z({1, 2, 3}, {1, 1, 2});
    const std::vector<Surface> all = {PlaneSurface{f}, CylinderSurface{f, 4}, ConeSurface{f, 3, 0.4}, SphereSurface{f, 6}, TorusSurface{f, 9, 2}};
    for (const Surface& s : all) {
        const Vec3 p(7, 5, 6);
        const Vec3 q = *surface_foot(s, p);
        EXPECT_LT((*surface_foot(s, q) - q).norm(), 1e-9) << surface_name(s) << ": a foot is its own foot";
        const Vec3 n = *surface_normal(s, p);
        EXPECT_NEAR(n.norm(), 1, 1e-12);
        EXPECT_LT((p - q).cross(n).norm(), 1e-8 * (p - q).norm()) << surface_name(s) << ": the way to the foot is normal";
    }
    EXPECT_FALSE(surface_foot(FreeSurface{}, {0, 0, 0}).has_value());
}

TEST(Predicates, SignsAreExactWhereDoublesAreNot) {
    // Points on a line to the last bit, then off it by one unit in the last place.
    const Vec2 a(12, 12), b(24, 24);
    int wrong = 0;
    for (int i = 0; i < 256; ++i)
        for (int k = 0; k < 256; ++k) {
            const Vec2 p(0.5 + i * std::ldexp(1, -53), 0.5 + k * std::ldexp(1, -53));
            const double s = orient(p, a, b);
            const double want = static_cast<double>(p.x() < p.y()) - static_cast<double>(p.x() > p.y());
            if ((s > 0) - (s < 0) != (want > 0) - (want < 0)) ++wrong;
        }
    EXPECT_EQ(wrong, 0);
    EXPECT_EQ(in_circle({0, 0}, {1, 0}, {1, 1}, {0, 1}), 0);
    EXPECT_GT(in_circle({0, 0}, {1, 0}, {1, 1}, {1e-30, 0.5}), 0);
    EXPECT_LT(in_circle({0, 0}, {1, 0}, {1, 1}, {0, 1 + 1e-15}), 0);
    EXPECT_GT(in_circle({1e5, 1e5}, {1e5 + 1, 1e5}, {1e5 + 1, 1e5 + 1}, {1e5 + 0.5, 1e5 + 0.5}), 0);
}
