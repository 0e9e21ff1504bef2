// Constrained Delaunay triangulation: areas, the empty-circle rule, forced edges.
#include "geom/triangulation.hpp"
#include "geom/predicates.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <set>

using namespace test;

namespace {

double area_of(const std::vector<Vec2>& p, const std::vector<Triangle>& t) {
    double sum = 0;
    for (const Triangle& k : t) {
        const Vec2 u = p[static_cast<std::size_t>(k.v[1])] - p[static_cast<std::size_t>(k.v[0])],
                   v = p[static_cast<std::size_t>(k.v[2])] - p[static_cast<std::size_t>(k.v[0])];
        EXPECT_GT(u.x() * v.y() - u.y() * v.x(), 0);
        sum += 0.5 * (u.x() * v.y() - u.y() * v.x());
    }
    return sum;
}

void expect_delaunay(const std::vector<Vec2>& p, const std::vector<Triangle>& t) {
    for (std::size_t i = 0; i < t.size(); ++i)
        for (std::size_t k = 0; k < 3; ++k) {
            const int n = t[i].next[k];
            if (n < 0 || t[i].fixed[k]) continue;
            for (int v : t[static_cast<std::size_t>(n)].v)
                if (v != t[i].v[0] && v != t[i].v[1] && v != t[i].v[2]) {
                    EXPECT_LE(in_circle(p[static_cast<std::size_t>(t[i].v[0])], p[static_cast<std::size_t>(t[i].v[1])], p[static_cast<std::size_t>(t[i].v[2])],
                                        p[static_cast<std::size_t>(v)]),
                              0);
                }
        }
}

std::vector<Vec2> square_with(int inner, unsigned seed) {
    std::vector<Vec2> p = {{0, 0}, {100, 0}, {100, 100}, {0, 100}};
    unsigned state = seed;
    const auto random = [&] {
        state = state * 1664525u + 1013904223u;
        return 1 + 98 * ((state >> 8) / double(1u << 24));
    };
    for (int i = 0; i < inner; ++i) {
        const double x = random();
        p.emplace_back(x, random());
    }
    return p;
}

const std::vector<std::array<int, 2>> square = {{0, 1}, {1, 2}, {2, 3}, {3, 0}};

}  // namespace

TEST(Triangulation, RandomPointsFillTheSquare) {
    for (const unsigned seed : {1u, 2u, 3u}) {
        const auto p = square_with(500, seed);
        const auto t = triangulate(p, square);
        EXPECT_NEAR(area_of(p, t), 10000, 1e-8);
        EXPECT_EQ(t.size(), 2u * 500 + 2) << "Euler: 2 n - 2 - hull";
        expect_delaunay(p, t);
    }
}

TEST(Triangulation, LatticeWithManyCocircularPoints) {
    std::vector<Vec2> p;
    for (int j = 0; j <= 20; ++j)
        for (int i = 0; i <= 20; ++i) p.emplace_back(i, j);
    const auto t = triangulate(p, {{0, 20}, {20, 440}, {440, 420}, {420, 0}});
    EXPECT_NEAR(area_of(p, t), 400, 1e-9);
    EXPECT_EQ(t.size(), 800u);
}

TEST(Triangulation, ForcedEdgesAreThere) {
    auto p = square_with(200, 9);
    const int a = static_cast<int>(p.size());
    p.emplace_back(2, 3);
    p.emplace_back(97, 94);
    const auto t = triangulate(p, square, {{a, a + 1}});
    EXPECT_NEAR(area_of(p, t), 10000, 1e-8);
    bool found = false;
    for (const Triangle& k : t)
        for (std::size_t i = 0; i < 3; ++i) {
            const int u = k.v[(i + 1) % 3], v = k.v[(i + 2) % 3];
            if (std::minmax(u, v) == std::minmax(a, a + 1)) found = found || k.fixed[i];
        }
    EXPECT_TRUE(found);
    expect_delaunay(p, t);
}

TEST(Triangulation, EdgeThroughAPointIsSplitThere) {
    std::vector<Vec2> p = {{0, 0}, {10, 0}, {10, 10}, {0, 10}, {5, 5}, {2, 2}, {8, 8}};
    const auto t = triangulate(p, square, {{0, 2}});
    EXPECT_NEAR(area_of(p, t), 100, 1e-12);
    std::set<std::pair<int, int>> edges;
    for (const Triangle& k : t)
        for (std::size_t i = 0; i < 3; ++i) edges.insert(std::minmax(k.v[(i + 1) % 3], k.v[(i + 2) % 3]));
    for (const auto& e : {std::pair(0, 5), std::pair(4, 5), std::pair(4, 6), std::pair(2, 6)}) EXPECT_TRUE(edges.count(e));
}

TEST(Triangulation, HolesAreLeftOut) {
    std::vector<Vec2> p = {{0, 0}, {10, 0}, {10, 10}, {0, 10}, {4, 4}, {4, 6}, {6, 6}, {6, 4}};
    const auto t = triangulate(p, {{0, 1}, {1, 2}, {2, 3}, {3, 0}, {4, 5}, {5, 6}, {6, 7}, {7, 4}});
    EXPECT_NEAR(area_of(p, t), 96, 1e-12);
}

TEST(Triangulation, SegmentTwiceDoesNotBound) {
    std::vector<Vec2> p = {{0, 0}, {10, 0}, {10, 10}, {0, 10}, {3, 5}, {7, 5}};
    const auto t = triangulate(p, {{0, 1}, {1, 2}, {2, 3}, {3, 0}, {4, 5}, {5, 4}});
    EXPECT_NEAR(area_of(p, t), 100, 1e-12);
}

TEST(Triangulation, NoPointsNoTriangles) {
    EXPECT_TRUE(triangulate({}, {}).empty());
}
