// Curves split once and traced to cells: areas add up, edges are shared by identity.
#include "model/arrangement.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <set>

using namespace test;

namespace {

constexpr double tol = 1e-6;

ArrangementInput one_sheet(const std::vector<Curve>& curves) {
    ArrangementInput in;
    in.curves = curves;
    in.sheets.push_back({Frame{}, {}});
    for (std::size_t i = 0; i < curves.size(); ++i) in.sheets[0].curves.push_back(static_cast<int>(i));
    return in;
}

std::vector<Curve> rectangle_curves(double x0, double y0, double x1, double y1) {
    return {Curve::segment({x0, y0, 0}, {x1, y0, 0}), Curve::segment({x1, y0, 0}, {x1, y1, 0}), Curve::segment({x1, y1, 0}, {x0, y1, 0}),
            Curve::segment({x0, y1, 0}, {x0, y0, 0})};
}

Curve circle(double x, double y, double r) {
    Frame f;
    f.origin = {x, y, 0};
    return {CircleCurve{f, r}, 0, 2 * pi};
}

std::vector<double> areas(const Arrangement& a) {
    std::vector<double> out;
    for (const Cell& c : a.sheets[0].cells) out.push_back(c.area);
    std::sort(out.begin(), out.end());
    return out;
}

}  // namespace

TEST(Arrangement, LineThroughARectangleMakesTwoCells) {
    auto c = rectangle_curves(0, 0, 10, 6);
    c.push_back(Curve::segment({4, -1, 0}, {4, 7, 0}));
    const auto a = areas(arrange(one_sheet(c), tol));
    ASSERT_EQ(a.size(), 2u);
    EXPECT_NEAR(a[0], 24, 1e-9);
    EXPECT_NEAR(a[1], 36, 1e-9);
}

TEST(Arrangement, CircleCutByALineHasExactSegments) {
    const auto a = areas(arrange(one_sheet({circle(0, 0, 5), Curve::segment({3, -9, 0}, {3, 9, 0})}), tol));
    ASSERT_EQ(a.size(), 2u);
    const double angle = 2 * std::acos(3.0 / 5), small = 12.5 * (angle - std::sin(angle));
    EXPECT_NEAR(a[0], small, 1e-10);
    EXPECT_NEAR(a[1], pi * 25 - small, 1e-10);
}

TEST(Arrangement, HolesBelongToTheCellRoundThem) {
    auto c = rectangle_curves(0, 0, 20, 20);
    c.push_back(circle(6, 6, 2));
    c.push_back(circle(14, 14, 3));
    const Arrangement a = arrange(one_sheet(c), tol);
    const auto list = areas(a);
    ASSERT_EQ(list.size(), 3u);
    EXPECT_NEAR(list[2], 400 - 13 * pi, 1e-9);
    EXPECT_NEAR(list[0], 4 * pi, 1e-9);
}

TEST(Arrangement, GridOfLinesHasAllItsCells) {
    std::vector<Curve> c;
    for (int i = 0; i <= 10; ++i) {
        c.push_back(Curve::segment({double(i), -1, 0}, {double(i), 11, 0}));
        c.push_back(Curve::segment({-1, double(i), 0}, {11, double(i), 0}));
    }
    const Arrangement a = arrange(one_sheet(c), tol);
    EXPECT_EQ(a.sheets[0].cells.size(), 100u);
    EXPECT_EQ(a.vertices.size(), 121u + 44u);
    for (double k : areas(a)) EXPECT_NEAR(k, 1, 1e-12);
}

TEST(Arrangement, OverlappingLinesAreOneEdge) {
    auto c = rectangle_curves(0, 0, 10, 10);
    c.push_back(Curve::segment({-3, 0, 0}, {6, 0, 0}));  // along the bottom, beyond it on one side
    c.push_back(Curve::segment({2, 0, 0}, {2, 10, 0}));
    const Arrangement a = arrange(one_sheet(c), tol);
    EXPECT_EQ(areas(a).size(), 2u);
    std::set<std::pair<int, int>> seen;
    for (const Edge& e : a.edges) EXPECT_TRUE(seen.insert(std::minmax(e.vertices[0].value, e.vertices[1].value)).second) << "an edge twice";
}

TEST(Arrangement, SheetsShareTheEdgeTheyMeetAlong) {
    ArrangementInput in;
    const auto flat = rectangle_curves(0, 0, 10, 10);
    in.curves = flat;
    in.curves.push_back(Curve::segment({4, 0, 0}, {4, 10, 0}));  // the seam
    in.curves.push_back(Curve::segment({4, 10, 0}, {4, 10, 5}));
    in.curves.push_back(Curve::segment({4, 10, 5}, {4, 0, 5}));
    in.curves.push_back(Curve::segment({4, 0, 5}, {4, 0, 0}));
    in.sheets.push_back({Frame{}, {0, 1, 2, 3, 4}});
    in.sheets.push_back({Frame::with_zx({4, 0, 0}, Vec3::UnitX(), Vec3::UnitY()), {4, 5, 6, 7}});
    const Arrangement a = arrange(in, tol);
    Model m;
    m.tolerance.point = tol;
    const std::vector<std::vector<Keep>> keep = {std::vector<Keep>(a.sheets[0].cells.size(), {true, true}),
                                                 std::vector<Keep>(a.sheets[1].cells.size(), {true, true})};
    const Assembled done = assemble(m, a, in, keep, {});
    ASSERT_EQ(done.regions[0].size(), 2u);
    ASSERT_EQ(done.regions[1].size(), 1u);
    std::set<int> first, both;
    for (const Region& r : done.regions[0])
        for (const auto& u : r.loops[0]) first.insert(u.edge.value);
    for (const auto& u : done.regions[1][0].loops[0])
        if (first.count(u.edge.value)) both.insert(u.edge.value);
    EXPECT_EQ(both.size(), 1u);
}

TEST(Arrangement, NeedlessEdgesAndVerticesAreGone) {
    auto c = rectangle_curves(0, 0, 10, 10);
    c.push_back(Curve::segment({4, -2, 0}, {4, 12, 0}));  // joins nothing
    const auto in = one_sheet(c);
    const Arrangement a = arrange(in, tol);
    Model m;
    m.tolerance.point = tol;
    std::vector<std::vector<Keep>> keep(1);
    for (const Cell& k : a.sheets[0].cells) keep[0].push_back({k.area > 0, true});
    const Assembled done = assemble(m, a, in, keep, {});
    ASSERT_EQ(done.regions[0].size(), 1u);
    EXPECT_EQ(m.edges.size(), 4u);
    EXPECT_EQ(m.vertices.size(), 4u);
    EXPECT_NEAR(done.regions[0][0].area, 100, 1e-12);
}

TEST(Arrangement, TangentLineAndArcAreOrderedByCurvature) {
    // A stadium: lines run into arcs with one tangent; the cell must still close.
    Frame left, right;
    left.origin = {-5, 0, 0}, right.origin = {5, 0, 0};
    const std::vector<Curve> stadium = {Curve::segment({-5, -3, 0}, {5, -3, 0}), Curve{CircleCurve{right, 3}, -pi / 2, pi / 2},
                                        Curve::segment({5, 3, 0}, {-5, 3, 0}),   Curve{CircleCurve{left, 3}, pi / 2, 3 * pi / 2},
                                        Curve::segment({5, -9, 0}, {5, 9, 0}),   Curve::segment({-20, -3, 0}, {20, -3, 0})};
    const auto a = areas(arrange(one_sheet(stadium), tol));
    ASSERT_EQ(a.size(), 2u);
    EXPECT_NEAR(a[0], pi * 9 / 2, 1e-7);
    EXPECT_NEAR(a[0] + a[1], 60 + pi * 9, 1e-7);
}

TEST(Arrangement, PointsAFewTolerancesApartAreOneWhereAskedFor) {
    // Three lines through one point but for 4e-6 and 3e-6, and the outline that they end on: six wedges, and no sliver between them.
    auto c = rectangle_curves(-5, -5, 5, 5);
    c.push_back(Curve::segment({-5, 0, 0}, {5, 0, 0}));
    c.push_back(Curve::segment({4e-6, -5, 0}, {4e-6, 5, 0}));
    c.push_back(Curve::segment({-5 + 3e-6, -5, 0}, {5, 5 - 3e-6, 0}));
    // Seen one by one, the places where they cross two and two have a triangle between them.
    EXPECT_EQ(areas(arrange(one_sheet(c), 1e-8)).size(), 7u);
    const auto merged = areas(arrange(one_sheet(c), 1e-8, 2e-5));
    ASSERT_EQ(merged.size(), 6u);
    for (std::size_t k = 0; k < 4; ++k) EXPECT_NEAR(merged[k], 12.5, 1e-3);
    EXPECT_NEAR(merged[4] + merged[5], 50, 1e-3);
}

TEST(Arrangement, CurvesThatRunAlikeBetweenMergedPointsAreOneEdge) {
    // A circle that leaves a line it touches: up to where both have parted by the tolerance they are one, and what is cut off is closed.
    auto c = rectangle_curves(-10, 0, 10, 20);
    c.push_back(circle(0, 5, 5));
    const Arrangement a = arrange(one_sheet(c), tol, 1e-2);
    const auto all = areas(a);
    ASSERT_EQ(all.size(), 2u);
    EXPECT_NEAR(all[0], 25 * pi, 1e-3);
    EXPECT_NEAR(all[1], 400 - 25 * pi, 1e-3);
    for (const auto& e : a.edges) EXPECT_GT(e.curve.length(), 1e-2);
}
