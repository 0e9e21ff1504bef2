// Quads in flat regions: all of them where the outline lets that be, regular nodes, areas kept.
#include "mesh/planar.hpp"
#include "core/index.hpp"
#include "mesh/clean_up.hpp"
#include "mesh/last_triangles.hpp"
#include "mesh/subregions.hpp"

#include <halvo/mesh.hpp>

#include <gtest/gtest.h>

#include <cmath>

using namespace halvo;

namespace {

PlanarInput disc(int n, double radius, double size) {
    PlanarInput in;
    in.size = size;
    in.loops.emplace_back();
    for (int i = 0; i < n; ++i) {
        in.points.emplace_back(radius * std::cos(2 * pi * i / n), radius * std::sin(2 * pi * i / n));
        in.loops[0].push_back(i);
    }
    return in;
}

PlanarInput outline(const std::vector<Vec2>& corners, double size) {
    PlanarInput in;
    in.size = size;
    in.loops.emplace_back();
    int total = 0;
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Vec2 a = corners[i], b = corners[(i + 1) % corners.size()];
        int n = std::max(1, static_cast<int>(std::lround((b - a).norm() / size)));
        if (i + 1 == corners.size() && (total + n) % 2) ++n;
        total += n;
        for (int k = 0; k < n; ++k) {
            in.loops[0].push_back(static_cast<int>(in.points.size()));
            in.points.push_back(a + (b - a) * k / n);
        }
    }
    return in;
}

double outline_area(const std::vector<Vec2>& p) {
    double sum = 0;
    for (std::size_t i = 0; i < p.size(); ++i) {
        const Vec2 &a = p[i], &b = p[(i + 1) % p.size()];
        sum += 0.5 * (a.x() * b.y() - b.x() * a.y());
    }
    return sum;
}

struct Told {
    int trias = 0, irregular = 0;
    double worst = 1, area = 0;
};

Told told(const PlanarMesh& m, std::size_t fixed) {
    Told t;
    std::vector<int> count(m.points.size(), 0);
    for (const auto& e : m.elements) {
        std::vector<Vec2> corners;
        for (int v : e)
            if (v >= 0) corners.push_back(m.points[ix(v)]), ++count[ix(v)];
        t.trias += e[3] < 0;
        t.worst = std::min(t.worst, planar_quality(m.points, e));
        t.area += outline_area(corners);
    }
    for (std::size_t v = fixed; v < count.size(); ++v) t.irregular += count[v] != 4;
    return t;
}

}  // namespace

TEST(Planar, EvenOutlinesBecomeQuadsFirst) {
    struct Region {
        const char* name;
        PlanarInput in;
        double least;  // share of quads
    };
    // A few elements round a sharp bend of the outline cannot all be good quads; there are none where there is room.
    const std::vector<Region> regions{
        {"disc of 24", disc(24, 40, 10), 0.8},
        {"disc of 36", disc(36, 60, 10), 1},
        {"triangle", outline({{0, 0}, {120, 0}, {30, 90}}, 8), 1},
        {"el", outline({{0, 0}, {100, 0}, {100, 40}, {40, 40}, {40, 90}, {0, 90}}, 7), 0.95},
        {"pentagon", outline({{0, 0}, {80, -10}, {110, 50}, {50, 100}, {-20, 60}}, 9), 0.85},
    };
    for (const auto& [name, in, least] : regions) {
        SCOPED_TRACE(name);
        const PlanarMesh m = mesh_planar(in);
        std::vector<Vec2> border;
        for (int i : in.loops[0]) border.push_back(in.points[ix(i)]);
        const Told t = told(m, in.points.size());
        EXPECT_GE(1 - t.trias / static_cast<double>(m.elements.size()), least);
        EXPECT_GT(t.worst, 0.4);
        EXPECT_NEAR(t.area, outline_area(border), 1e-9 * outline_area(border));
        EXPECT_LT(t.irregular, 0.35 * static_cast<double>(m.points.size()));
    }
}

TEST(Planar, MapsWhoseQuadsFoldGiveWayToOnesThatDoNot) {
    // A parallelogram of 40 by 20 leaning by 45 degrees: its map's quads lean as much, and on a bent surface would fold.
    PlanarInput in = outline({{0, 0}, {40, 0}, {60, 20}, {20, 20}}, 5);
    in.sides.resize(4);
    for (std::size_t i = 0, k = 0; k < 4; ++k)
        for (std::size_t n = k % 2 ? 6 : 8, j = 0; j <= n; i += j++ < n ? 1 : 0) in.sides[k].push_back(static_cast<int>(i % in.points.size()));
    const auto leaning = [](const std::array<Vec2, 4>& e) { return std::abs((e[1] - e[0]).normalized().dot((e[3] - e[0]).normalized())) > 0.6; };
    const auto count = [&](const PlanarMesh& m) {
        return std::count_if(m.elements.begin(), m.elements.end(), [&](const auto& e) {
            return e[3] >= 0 && leaning({m.points[ix(e[0])], m.points[ix(e[1])], m.points[ix(e[2])], m.points[ix(e[3])]});
        });
    };
    EXPECT_EQ(count(mesh_planar(in)), 48);
    in.folds = leaning;
    const PlanarMesh other = mesh_planar(in);
    EXPECT_LT(count(other), 12);
    EXPECT_NEAR(told(other, in.points.size()).area, 800, 1e-9);
}

TEST(Planar, SmallDiscsAreAllQuads) {
    for (const int n : {6, 8, 10, 12, 14, 16, 18, 20, 24, 28}) {
        SCOPED_TRACE(n);
        const PlanarInput in = disc(n, 10, 2 * pi * 10 / n);
        const PlanarMesh m = mesh_planar(in);
        const Told t = told(m, in.points.size());
        EXPECT_EQ(t.trias, 0);
        EXPECT_GT(t.worst, 0.4);
        std::vector<Vec2> border = in.points;
        EXPECT_NEAR(t.area, outline_area(border), 1e-9 * outline_area(border));
    }
}

TEST(LastTriangles, WalkThroughAStripAndBecomeAQuad) {
    // A strip of n squares in n - 1 leaning quads and a triangle at either end.
    for (const int n : {2, 5, 8}) {
        SCOPED_TRACE(n);
        PlanarMesh m;
        for (int i = 0; i <= n; ++i) m.points.emplace_back(i, 0);
        for (int i = 0; i <= n; ++i) m.points.emplace_back(i, 1);
        const auto top = [&](int i) { return n + 1 + i; };
        m.elements.push_back({0, 1, top(0), -1});
        for (int i = 1; i < n; ++i) m.elements.push_back({i, i + 1, top(i), top(i - 1)});
        m.elements.push_back({n, top(n), top(n - 1), -1});
        const std::vector<Vec2> were = m.points;
        EXPECT_FALSE(join_triangles(m, m.points.size(), {}).empty());
        ASSERT_EQ(m.elements.size(), ix(n));
        for (const auto& e : m.elements) EXPECT_NEAR(planar_quality(m.points, e), 1, 1e-12);
        EXPECT_EQ(m.points, were);
    }
}

TEST(LastTriangles, StayWhereAKeptEdgeIsBetweenThem) {
    PlanarMesh m;
    m.points = {{0, 0}, {1, 0}, {2, 0}, {0, 1}, {1, 1}, {2, 1}};
    m.elements = {{0, 1, 3, -1}, {1, 2, 4, 3}, {2, 5, 4, -1}};
    EXPECT_TRUE(join_triangles(m, m.points.size(), {{2, 4}}).empty());
    EXPECT_EQ(m.elements.size(), 3u);
    EXPECT_FALSE(join_triangles(m, m.points.size(), {}).empty());
    EXPECT_EQ(m.elements.size(), 2u);
}

TEST(LastTriangles, BetweenHolesAtACoarseSize) {
    // Two holes close to each other and to the border, a few elements across: next to no triangles are left.
    for (const double turn : {0.0, 0.3, 0.7}) {
        SCOPED_TRACE(turn);
        PlanarInput in = outline({{0, 0}, {40, 0}, {40, 35}, {0, 35}}, 5);
        for (const Vec2& c : {Vec2(16, 18), Vec2(28, 18)}) {
            auto& loop = in.loops.emplace_back();
            for (int i = 0; i < 8; ++i) {
                const double a = turn - 2 * pi * i / 8;
                loop.push_back(static_cast<int>(in.points.size()));
                in.points.emplace_back(c.x() + 3.5 * std::cos(a), c.y() + 3.5 * std::sin(a));
            }
        }
        const PlanarMesh m = mesh_planar(in);
        const Told t = told(m, in.points.size());
        EXPECT_LE(t.trias, 2);
        EXPECT_GT(t.worst, 0.5);
    }
}

namespace {

// A rectangle of 40 by 30 with a line up its middle that ends at `to`; the left and right side get `more` elements than others.
PlanarInput with_a_line(double to, int more) {
    PlanarInput in;
    in.size = 5;
    in.loops.emplace_back();
    const std::array<Vec2, 4> corners{Vec2(0, 0), Vec2(40, 0), Vec2(40, 30), Vec2(0, 30)};
    for (std::size_t k = 0; k < 4; ++k) {
        const int n = k % 2 ? 6 + more : 8;
        for (int i = 0; i < n; ++i) in.points.emplace_back(corners[k] + i * (corners[(k + 1) % 4] - corners[k]) / n);
    }
    for (int i = 0; i < static_cast<int>(in.points.size()); ++i) in.loops[0].push_back(i);
    int before = 4;  // (20, 0)
    for (double y = 5; y <= to; y += 5) {
        const int p = static_cast<int>(in.points.size());
        in.points.emplace_back(20, y);
        in.inner.push_back({before, p});
        before = p;
    }
    return in;
}

}  // namespace

TEST(Subregions, LinesShortOfTheBorderCutAndThePartsAreMapped) {
    for (const double to : {25.0, 20.0, 10.0}) {
        SCOPED_TRACE(to);
        const PlanarInput in = with_a_line(to, 0);
        std::vector<Vec2> points;
        const auto parts = subregions(in, points);
        ASSERT_EQ(parts.size(), 2u);
        for (const Subregion& s : parts) {
            EXPECT_EQ(s.in.sides.size(), 4u);
            EXPECT_TRUE(s.in.inner.empty());
        }
        const PlanarMesh m = mesh_planar(in);
        ASSERT_EQ(m.elements.size(), 48u);
        for (const auto& e : m.elements) EXPECT_NEAR(planar_quality(m.points, e), 1, 1e-9);
    }
}

TEST(Subregions, RowsBetweenPartsMakeTheirOutlinesEven) {
    const PlanarInput in = with_a_line(20, 1);
    std::vector<Vec2> points;
    const auto parts = subregions(in, points);
    ASSERT_EQ(parts.size(), 2u);
    for (const Subregion& s : parts) EXPECT_EQ(s.in.loops[0].size() % 2, 0u);
    const Told t = told(mesh_planar(in), in.points.size());
    EXPECT_EQ(t.trias, 0);
    EXPECT_NEAR(t.area, 1200, 1e-9);
}

TEST(Subregions, LinesWithNothingAheadCutNothing) {
    std::vector<Vec2> points;
    PlanarInput in = with_a_line(20, 0);
    in.size = 1;  // ten sizes to the border
    EXPECT_TRUE(subregions(in, points).empty());
    // A line between a hole and the border, and one that runs round a hole.
    PlanarInput round = outline({{0, 0}, {40, 0}, {40, 40}, {0, 40}}, 5);
    auto& hole = round.loops.emplace_back();
    const int first = static_cast<int>(round.points.size());
    for (int i = 0; i < 8; ++i) {
        hole.push_back(static_cast<int>(round.points.size()));
        round.points.emplace_back(20 + 4 * std::cos(-i * pi / 4), 20 + 4 * std::sin(-i * pi / 4));
    }
    const int ring = static_cast<int>(round.points.size());
    for (int i = 0; i < 8; ++i) {
        round.points.emplace_back(20 + 12 * std::cos(i * pi / 4), 20 + 12 * std::sin(i * pi / 4));
        round.inner.push_back({ring + i, ring + (i + 1) % 8});
    }
    EXPECT_TRUE(subregions(round, points).empty());
    EXPECT_GT(told(mesh_planar(round), round.points.size()).worst, 0.3);
    round.inner = {{first, ring}};
    EXPECT_TRUE(subregions(round, points).size() <= 2);
    EXPECT_GT(told(mesh_planar(round), round.points.size()).worst, 0.3);
}

TEST(Planar, ThreeSidedRegionsAreThreeBlocks) {
    // Triangles, and a patch with round sides as a ball's in a corner; sides of unlike counts.
    const std::vector<PlanarInput> regions{outline({{0, 0}, {40, 0}, {20, 34.64}}, 10), outline({{0, 0}, {60, 0}, {20, 40}}, 7),
                                           outline({{0, 0}, {30, 0}, {0, 30}}, 5)};
    for (const PlanarInput& in : regions) {
        SCOPED_TRACE(in.points.size());
        const PlanarMesh m = mesh_planar(in);
        std::vector<Vec2> border;
        for (int i : in.loops[0]) border.push_back(in.points[ix(i)]);
        const Told t = told(m, in.points.size());
        EXPECT_EQ(t.trias, 0);
        EXPECT_GT(t.worst, 0.4);
        EXPECT_NEAR(t.area, outline_area(border), 1e-9 * outline_area(border));
    }
}

TEST(Planar, OddOutlinesKeepOneTriangleAtLeast) {
    PlanarInput in = disc(25, 40, 10);
    const Told t = told(mesh_planar(in), in.points.size());
    EXPECT_EQ(t.trias % 2, 1);  // the number of triangles has the parity of the outline
    EXPECT_GT(t.worst, 0.4);
}

TEST(CleanUp, TurnedEdgesOfAGridAreTurnedBack) {
    // A grid of squares in which two neighbours share a slanted edge: four irregular nodes.
    constexpr int n = 7;
    PlanarMesh m;
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i)
            if (i == 0 || j == 0 || i == n - 1 || j == n - 1) m.points.emplace_back(i, j);
    const std::size_t fixed = m.points.size();
    std::vector<std::vector<int>> id(n, std::vector<int>(n));
    int border = 0;
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) {
            if (i == 0 || j == 0 || i == n - 1 || j == n - 1) id[ix(i)][ix(j)] = border++;
            else id[ix(i)][ix(j)] = static_cast<int>(m.points.size()), m.points.emplace_back(i, j);
        }
    for (int j = 0; j + 1 < n; ++j)
        for (int i = 0; i + 1 < n; ++i) {
            if (j == 3 && (i == 2 || i == 3)) continue;
            m.elements.push_back({id[ix(i)][ix(j)], id[ix(i + 1)][ix(j)], id[ix(i + 1)][ix(j + 1)], id[ix(i)][ix(j + 1)]});
        }
    const auto at = [&](int i, int j) { return id[ix(i)][ix(j)]; };
    m.elements.push_back({at(2, 3), at(3, 3), at(4, 3), at(2, 4)});
    m.elements.push_back({at(4, 3), at(4, 4), at(3, 4), at(2, 4)});
    ASSERT_EQ(told(m, fixed).irregular, 4);
    const double before = badness(m, fixed);
    EXPECT_FALSE(clean_up(m, fixed, {}).empty());
    EXPECT_EQ(told(m, fixed).irregular, 0);
    EXPECT_LT(badness(m, fixed), before);
    EXPECT_NEAR(told(m, fixed).area, (n - 1) * (n - 1), 1e-12);
    EXPECT_TRUE(clean_up(m, fixed, {}).empty()) << "a second time there is nothing to do";
}

TEST(KeepNumbers, OldOnesStayAndNewOnesFillWhatIsFree) {
    const auto quad = [](int a, int b, int c, int d, int sheet) {
        Element e;
        e.count = 4, e.nodes = {a, b, c, d}, e.sheet = SheetId(sheet);
        return e;
    };
    Mesh before;
    before.nodes = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {2, 0, 0}, {2, 1, 0}};
    before.elements = {quad(0, 1, 2, 3, 0), quad(1, 4, 5, 2, 1)};
    // The second sheet is divided; everything comes in another order.
    Mesh now;
    now.nodes = {{1.5, 0, 0}, {1.5, 1, 0}, {2, 1, 0}, {2, 0, 0}, {0, 1, 0}, {1, 1, 0}, {1, 0, 0}, {0, 0, 0}};
    now.elements = {quad(6, 0, 1, 5, 1), quad(0, 3, 2, 1, 1), quad(7, 6, 5, 4, 0)};
    EXPECT_EQ(keep_numbers(now, before), 6);
    for (std::size_t i = 0; i < 6; ++i) EXPECT_EQ(now.nodes[i], before.nodes[i]);
    EXPECT_EQ(now.elements[0].nodes, before.elements[0].nodes);
    EXPECT_EQ(now.elements.size(), 3u);
    double area = 0;
    for (const Element& e : now.elements) {
        const auto p = [&](std::size_t k) { return now.nodes[ix(e.nodes[k])]; };
        area += (p(1) - p(0)).cross(p(3) - p(0)).z();
    }
    EXPECT_NEAR(area, 2, 1e-12);
}
