#include "geom/narrow.hpp"

#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/triangulation.hpp"

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double outline_spacing = 1 / 3.0;  // widths, between points of the outline
constexpr std::size_t most_points = 40000;   // of an outline; a finer one is left as it is

struct Divided {
    std::vector<Vec2> points;
    std::vector<std::array<int, 2>> segments;
};

Divided divided(const std::vector<std::vector<Vec2>>& loops, double step) {
    Divided d;
    for (const auto& loop : loops) {
        const int first = static_cast<int>(d.points.size());
        for (std::size_t i = 0; i < loop.size(); ++i) {
            const Vec2 &a = loop[i], &b = loop[(i + 1) % loop.size()];
            if ((b - a).norm() <= 1e-9 * step) continue;
            const int n = std::max(1, static_cast<int>(std::ceil((b - a).norm() / step)));
            for (int k = 0; k < n; ++k) d.points.push_back(a + k * (b - a) / n);
        }
        const int end = static_cast<int>(d.points.size());
        for (int i = first; i < end; ++i) d.segments.push_back({i, i + 1 < end ? i + 1 : first});
    }
    return d;
}

double circumradius(const Vec2& a, const Vec2& b, const Vec2& c) {
    const Vec2 u = b - a, v = c - a;
    const double twice = std::abs(u.x() * v.y() - u.y() * v.x());
    return twice > 0 ? u.norm() * v.norm() * (c - b).norm() / (2 * twice) : 0;
}

// Narrow triangles that hang together, no further from wide ones than a corner of theirs, go to those.
void take_corners(const std::vector<Vec2>& points, const std::vector<Triangle>& triangles, double width, std::vector<bool>& wide) {
    Groups groups(triangles.size());
    std::map<int, std::vector<Vec2>> mouths;  // middles of sides to wide triangles
    for (std::size_t t = 0; t < triangles.size(); ++t)
        for (int n : triangles[t].next)
            if (n >= 0 && !wide[t] && !wide[ix(n)]) groups.tie(static_cast<int>(t), n);
    for (std::size_t t = 0; t < triangles.size(); ++t)
        for (std::size_t k = 0; k < 3 && !wide[t]; ++k)
            if (const int n = triangles[t].next[k]; n >= 0 && wide[ix(n)])
                mouths[groups.root(static_cast<int>(t))].push_back(0.5 * (points[ix(triangles[t].v[(k + 1) % 3])] + points[ix(triangles[t].v[(k + 2) % 3])]));
    std::map<int, double> reach;
    for (std::size_t t = 0; t < triangles.size(); ++t) {
        if (wide[t]) continue;
        const int g = groups.root(static_cast<int>(t));
        for (int v : triangles[t].v) {
            double nearest = std::numeric_limits<double>::max();
            for (const Vec2& m : mouths[g]) nearest = std::min(nearest, (points[ix(v)] - m).norm());
            reach[g] = std::max(reach[g], nearest);
        }
    }
    for (std::size_t t = 0; t < triangles.size(); ++t)
        if (!wide[t] && reach[groups.root(static_cast<int>(t))] <= width) wide[t] = true;
}

std::vector<std::vector<Vec2>> outline_of(const std::vector<Vec2>& points, const std::vector<Triangle>& triangles, const std::vector<bool>& in) {
    std::multimap<int, int> next;
    for (std::size_t t = 0; t < triangles.size(); ++t)
        for (std::size_t k = 0; k < 3 && in[t]; ++k)
            if (const int n = triangles[t].next[k]; n < 0 || !in[ix(n)]) next.emplace(triangles[t].v[(k + 1) % 3], triangles[t].v[(k + 2) % 3]);
    std::vector<std::vector<Vec2>> out;
    while (!next.empty()) {
        auto& loop = out.emplace_back();
        for (auto it = next.begin(); it != next.end();) {
            loop.push_back(points[ix(it->first)]);
            const int to = it->second;
            next.erase(it);
            it = next.find(to);
        }
    }
    return out;
}

}  // namespace

std::vector<std::vector<Vec2>> wide_parts(const std::vector<std::vector<Vec2>>& loops, double width) {
    const Divided d = divided(loops, outline_spacing * width);
    if (d.points.size() > most_points) return loops;
    const std::vector<Triangle> triangles = triangulate(d.points, d.segments);
    std::vector<bool> wide;
    for (const Triangle& t : triangles) wide.push_back(circumradius(d.points[ix(t.v[0])], d.points[ix(t.v[1])], d.points[ix(t.v[2])]) >= 0.5 * width);
    if (std::find(wide.begin(), wide.end(), true) == wide.end()) return {};
    take_corners(d.points, triangles, width, wide);
    if (std::find(wide.begin(), wide.end(), false) == wide.end()) return loops;
    return outline_of(d.points, triangles, wide);
}

}  // namespace halvo
