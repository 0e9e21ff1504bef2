// The axis of a member, and measures of outlines and point sets.
#include "core/keys.hpp"
#include "geom/foot_curve.hpp"
#include "geom/oriented_box.hpp"
#include "geom/outline.hpp"
#include "geom/spread.hpp"

#include <halvo/axis.hpp>

#include <gtest/gtest.h>

#include <cmath>
#include <random>

using namespace halvo;

namespace {

// 100 straight along z, a quarter turn of radius 50 towards x, 80 along x.
Axis hook() {
    Frame f;
    const Frame turn{Vec3(50, 0, 100), -Vec3::UnitX(), Vec3::UnitZ(), Vec3::UnitY()};
    return Axis(f, {Curve::segment({0, 0, 0}, {0, 0, 100}), Curve{CircleCurve{turn, 50}, 0, pi / 2}, Curve::segment({50, 0, 150}, {130, 0, 150})});
}

constexpr double axis_length = 100 + 25 * pi + 80;

}  // namespace

TEST(Axis, PlacesAndFramesAlongIt) {
    const Axis a = hook();
    EXPECT_FALSE(a.is_straight());
    EXPECT_NEAR(a.length(), axis_length, 1e-12);
    EXPECT_NEAR((a.at(-10) - Vec3(0, 0, -10)).norm(), 0, 1e-12) << "it runs on straight before its start";
    EXPECT_NEAR((a.at(axis_length + 10) - Vec3(140, 0, 150)).norm(), 0, 1e-9) << "and past its end";
    const double eighth = std::sqrt(0.5);
    const Frame f = a.frame(100 + 12.5 * pi);
    EXPECT_NEAR((f.origin - Vec3(50 - 50 * eighth, 0, 100 + 50 * eighth)).norm(), 0, 1e-9);
    EXPECT_NEAR((f.z - Vec3(eighth, 0, eighth)).norm(), 0, 1e-12);
    // The section's x turned with the line, its y stayed; right-handed everywhere.
    EXPECT_NEAR((f.x - Vec3(eighth, 0, -eighth)).norm(), 0, 1e-12);
    EXPECT_NEAR((f.y - Vec3::UnitY()).norm(), 0, 1e-12);
    for (double s = -20; s < axis_length + 20; s += 7) {
        EXPECT_NEAR(a.parameter(a.frame(s).at(3, -2)), s, 1e-9);
        EXPECT_NEAR(a.frame(s).x.cross(a.frame(s).y).dot(a.frame(s).z), 1, 1e-12);
    }
}

TEST(Axis, LinesBesideItKeepTheirDistance) {
    const Axis a = hook();
    for (const Vec2& shift : {Vec2(0, 0), Vec2(12, 0), Vec2(-9, 5)}) {
        const auto line = a.between(-5, axis_length + 5, shift);
        ASSERT_EQ(line.size(), 3u);
        // Towards the centre the arc is shorter by the angle times the shift.
        EXPECT_NEAR(line[1].length(), pi / 2 * (50 - shift.x()), 1e-9);
        for (std::size_t k = 0; k + 1 < line.size(); ++k) EXPECT_NEAR((line[k].end() - line[k + 1].start()).norm(), 0, 1e-9);
        for (const Curve& c : line)
            for (const double share : {0.1, 0.5, 0.9}) {
                const Vec3 p = c.point(c.parameter_at(share));
                EXPECT_NEAR((a.frame(a.parameter(p)).at(shift) - p).norm(), 0, 1e-9);
            }
    }
    EXPECT_EQ(a.between(20, 60).size(), 1u);
    EXPECT_NEAR(a.between(90, 110)[1].length(), 10, 1e-9);
}

TEST(Axis, ReversedAndMovedIsTheSameLine) {
    const Axis a = hook(), back = a.reversed();
    Eigen::Isometry3d m = Eigen::Isometry3d::Identity();
    m.rotate(Eigen::AngleAxisd(0.7, Vec3(1, 2, 3).normalized()));
    m.pretranslate(Vec3(1e3, -2e3, 5));
    const Axis there = a.moved(m);
    for (double s = -10; s <= axis_length + 10; s += 9) {
        EXPECT_NEAR((back.at(axis_length - s) - a.at(s)).norm(), 0, 1e-9);
        EXPECT_NEAR((back.direction(axis_length - s) + a.direction(s)).norm(), 0, 1e-9);
        EXPECT_NEAR((back.frame(axis_length - s).y - a.frame(s).y).norm(), 0, 1e-9);
        EXPECT_NEAR((there.at(s) - m * a.at(s)).norm(), 0, 1e-9);
        EXPECT_NEAR((there.frame(s).x - m.linear() * a.frame(s).x).norm(), 0, 1e-9);
    }
    const Axis straight = Axis::straight(Frame::with_z({1, 2, 3}, {1, 1, 0}), 40);
    EXPECT_TRUE(straight.is_straight());
    EXPECT_NEAR(straight.parameter({1, 2, 30}), 0, 1e-12);
    EXPECT_NEAR((straight.at(40) - Vec3(1 + 40 * std::sqrt(0.5), 2 + 40 * std::sqrt(0.5), 3)).norm(), 0, 1e-12);
}

TEST(Outline, SmallestRectangleAndBorder) {
    for (const double turn : {0.0, 0.3, 1.1}) {
        std::vector<Vec2> slot;
        const Eigen::Rotation2Dd r(turn);
        for (const Vec2& p : {Vec2(0, 0), Vec2(30, 0), Vec2(30, 8), Vec2(0, 8), Vec2(12, 4)}) slot.emplace_back(r * p);
        EXPECT_NEAR(smallest_rectangle(slot).longer, 30, 1e-9) << turn;
    }
    std::vector<Vec2> circle;
    for (int k = 0; k < 128; ++k) circle.emplace_back(6 * std::cos(k * pi / 64), 6 * std::sin(k * pi / 64));
    EXPECT_LE(smallest_rectangle(circle).longer, 12);
    EXPECT_GT(smallest_rectangle(circle).longer, 12 * std::cos(pi / 128) - 1e-9);
    const std::vector<std::vector<Vec2>> square{{{0, 0}, {10, 0}, {10, 10}, {0, 10}}};
    EXPECT_NEAR(border_distance(square, {5, 2}), 2, 1e-12);
    EXPECT_NEAR(border_distance(square, {13, 14}), 5, 1e-12);
    EXPECT_FALSE(std::isfinite(border_distance({}, {0, 0})));
    // Area times centroid by the sides alone.
    Vec2 moment = Vec2::Zero();
    for (std::size_t i = 0; i < 4; ++i) moment += moment_under(square[0][i], square[0][(i + 1) % 4]);
    EXPECT_NEAR((moment - Vec2(500, 500)).norm(), 0, 1e-9);
}

TEST(Outline, IndexSaysWhatPlainLoopsSay) {
    // A plate full of holes, turned; points anywhere, and on its corners.
    std::mt19937 random(7);
    std::uniform_real_distribution<double> any(-12, 12);
    std::vector<std::vector<Vec2>> loops{{{-10, -10}, {10, -10}, {10, 10}, {-10, 10}}};
    for (int i = -4; i <= 4; ++i)
        for (int j = -4; j <= 4; ++j) {
            auto& hole = loops.emplace_back();
            for (int k = 24; k-- > 0;) hole.emplace_back(2 * i + 0.7 * std::cos(k * pi / 12), 2 * j + 0.7 * std::sin(k * pi / 12));
        }
    for (auto& loop : loops)
        for (Vec2& p : loop) p = Eigen::Rotation2Dd(0.3) * p;
    const OutlineIndex index(loops);
    std::vector<Vec2> points = loops[5];
    for (int i = 0; i < 5000; ++i) points.emplace_back(any(random), any(random));
    for (const Vec2& p : points) {
        EXPECT_EQ(index.inside(p), inside(loops, p));
        for (const double d : {1e-9, 0.1, 1.0, 5.0}) EXPECT_EQ(index.border_within(p, d), border_distance(loops, p) <= d);
    }
    EXPECT_FALSE(OutlineIndex({}).inside({0, 0}));
    EXPECT_FALSE(OutlineIndex({}).border_within({0, 0}, 1));
}

TEST(OrientedBoxes, HoldTheirPointsAndMeetWhereTheyHaveOneInCommon) {
    std::mt19937 random(11);
    std::uniform_real_distribution<double> any(-1, 1);
    // A long slab, turned: its box is as small as it is.
    const Frame slab = Frame::with_zx({3, -2, 5}, Vec3(1, 2, -0.5).normalized(), Vec3(0.3, 0.2, 1));
    std::vector<Vec3> points;
    for (int i = 0; i < 8; ++i) points.push_back(slab.at(i & 1 ? 20 : -20, i & 2 ? 3 : -3, i & 4 ? 0.5 : -0.5));
    const OrientedBox box = box_round(points, slab.z);
    EXPECT_NEAR(box.half.prod(), 20 * 3 * 0.5, 1e-9);
    EXPECT_NEAR((box.frame.origin - slab.origin).norm(), 0, 1e-9);
    // Two boxes, against points spread over the one and held by the other.
    const auto holds = [](const OrientedBox& b, const Vec3& p) { return (b.frame.local(p).cwiseAbs() - b.half).maxCoeff() <= 0; };
    int met = 0;
    for (int trial = 0; trial < 200; ++trial) {
        const auto made = [&](double apart) {
            OrientedBox b;
            b.frame = Frame::with_zx(apart * Vec3(any(random), any(random), any(random)), Vec3(any(random), any(random), any(random)).normalized(),
                                     Vec3(any(random), any(random), any(random)));
            b.half = Vec3(1.2, 0.6, 0.3);
            return b;
        };
        const OrientedBox a = made(0), b = made(2);
        bool common = false;
        for (int i = 0; i < 4000 && !common; ++i) common = holds(b, a.frame.at(1.2 * any(random), 0.6 * any(random), 0.3 * any(random)));
        if (common) {
            EXPECT_TRUE(intersect(a, b)) << trial;
        }
        // The other way round: boxes a little smaller that meet have a point in common.
        OrientedBox less_a = a, less_b = b;
        less_a.half *= 0.8, less_b.half *= 0.8;
        if (intersect(less_a, less_b)) {
            EXPECT_TRUE(common) << trial;
            ++met;
        }
        EXPECT_EQ(intersect(a, b), intersect(b, a));
    }
    EXPECT_GT(met, 20);
}

TEST(Spread, PointsFarApart) {
    std::vector<Vec3> line;
    for (int k = 0; k <= 100; ++k) line.emplace_back(k, 0, 0);
    const auto three = far_apart(line, 3);
    ASSERT_EQ(three.size(), 3u);
    EXPECT_EQ(three[1], Vec3(100, 0, 0));
    EXPECT_EQ(three[2], Vec3(50, 0, 0));
    EXPECT_EQ(far_apart({Vec3::Zero(), Vec3::Zero()}, 5).size(), 1u) << "the same place once";
    EXPECT_TRUE(far_apart({}, 5).empty());
}

TEST(CurvePast, UnevenPointsOfAnArcAndALine) {
    std::vector<Vec3> arc;
    for (const double t : {0.0, 0.05, 0.2, 0.31, 0.5, 0.72, 0.8, 1.0}) arc.emplace_back(40 * std::cos(t), 40 * std::sin(t), 7);
    const Curve c = curve_past(arc, 1e-5);
    for (const Vec3& p : arc) EXPECT_NEAR((c.point(c.nearest(p)) - p).norm(), 0, 1e-6);
    EXPECT_NEAR(c.length(), 40, 0.01);
    EXPECT_TRUE(curve_past({{0, 0, 0}, {1, 1, 0}, {5, 5, 0}, {9, 9, 0}}, 1e-6).is_line());
}

TEST(OwnKey, TellsBodiesApartAndKeepsTheKind) {
    const std::string in_part = make_key("wall", "", {12.5, 3});
    const std::string a = own_key(in_part, "body-aaaaaa"), b = own_key(in_part, "body-bbbbbb");
    EXPECT_NE(a, b);
    EXPECT_EQ(a, own_key(in_part, "body-aaaaaa"));
    EXPECT_EQ(a.rfind("wall-", 0), 0u);
}

TEST(Axis, SplinesCarryTheirFrameWithoutTurningIt) {
    // One turn of a helix: against the normal of the curve, such a frame turns back by torsion times length.
    constexpr double a = 100, b = 20;
    constexpr int n = 120;
    const double c = std::hypot(a, b), axis_length = 2 * pi * c, torsion = b / (c * c);
    std::vector<Vec3> points, tangents;
    for (int i = 0; i <= n; ++i) {
        const double t = 2 * pi * i / n;
        points.emplace_back(a * std::cos(t), a * std::sin(t), b * t);
        tangents.push_back(Vec3(-a * std::sin(t), a * std::cos(t), b) / c);
    }
    const Frame start = Frame::with_zx(points[0], tangents[0], -Vec3::UnitX());  // x along the curve's normal
    const Axis axis(start, {Curve::polyline(points, tangents)});
    EXPECT_NEAR(axis.length(), axis_length, 1e-6 * axis_length);
    const Frame end = axis.frame(axis.length());
    EXPECT_LT(end.z.cross(tangents.back()).norm(), 1e-9);
    const Vec3 normal = -Vec3::UnitX(), binormal = end.z.cross(normal);
    const double turn = std::atan2(end.x.dot(binormal), end.x.dot(normal));
    EXPECT_NEAR(std::remainder(turn + torsion * axis_length, 2 * pi), 0, 1e-5);
    for (const double s : {0.0, 0.1, 0.37, 0.5, 0.93}) {
        EXPECT_NEAR(axis.parameter(axis.at(s * axis_length)), s * axis_length, 1e-5 * axis_length);
        const Frame f = axis.frame(s * axis_length);
        EXPECT_NEAR(f.x.dot(f.z), 0, 1e-12);
        EXPECT_NEAR(f.x.cross(f.y).dot(f.z), 1, 1e-12);
    }
}

TEST(Axis, ShiftedSplinesAreParallelCurves) {
    // In a plane a curve beside another is shorter by the shift times the angle turned (Steiner).
    std::vector<Vec3> points, tangents;
    constexpr int n = 200;
    for (int i = 0; i <= n; ++i) {
        const double x = 400.0 * i / n;
        points.emplace_back(x, 0.0005 * x * x, 0);
        tangents.push_back(Vec3(1, 0.001 * x, 0).normalized());
    }
    const Axis axis(Frame::with_zx(points[0], tangents[0], Vec3::UnitY()), {Curve::polyline(points, tangents)});
    const double turned = std::atan(0.4);
    double inside = 0, part = 0;
    for (const Curve& c : axis.between(0, axis.length(), {30, 0})) inside += c.length();
    EXPECT_NEAR(inside, axis.length() - 30 * turned, 1e-5 * inside);
    for (const Curve& c : axis.between(50, 150)) part += c.length();
    EXPECT_NEAR(part, 100, 1e-4);
    EXPECT_FALSE(axis.closed(1e-3));
    // There and back: the same points.
    const Axis back = axis.reversed();
    EXPECT_LT((back.at(70) - axis.at(axis.length() - 70)).norm(), 1e-6);
}
