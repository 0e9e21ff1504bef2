#include "geom/outline.hpp"

#include <algorithm>

namespace halvo {
namespace {

// Andrew's monotone chain.
std::vector<Vec2> hull_of(std::vector<Vec2> p) {
    std::sort(p.begin(), p.end(), [](const Vec2& a, const Vec2& b) { return a.x() != b.x() ? a.x() < b.x() : a.y() < b.y(); });
    std::vector<Vec2> hull;
    const auto left = [](const Vec2& a, const Vec2& b, const Vec2& c) { return (b - a).x() * (c - a).y() - (b - a).y() * (c - a).x() > 0; };
    for (int round = 0; round < 2; ++round) {
        const std::size_t base = hull.size();
        for (const Vec2& q : p) {
            while (hull.size() >= base + 2 && !left(hull[hull.size() - 2], hull.back(), q)) hull.pop_back();
            hull.push_back(q);
        }
        hull.pop_back();
        std::reverse(p.begin(), p.end());
    }
    return hull;
}

}  // namespace

double border_distance(const std::vector<std::vector<Vec2>>& loops, const Vec2& p) {
    double best = std::numeric_limits<double>::infinity();
    for (const auto& loop : loops)
        for (std::size_t i = 0, j = loop.size() - 1; i < loop.size(); j = i++) {
            const Vec2 run = loop[i] - loop[j];
            const double w = std::clamp((p - loop[j]).dot(run) / std::max(run.squaredNorm(), 1e-300), 0.0, 1.0);
            best = std::min(best, (loop[j] + w * run - p).norm());
        }
    return best;
}

Rectangle smallest_rectangle(std::vector<Vec2> points) {
    Rectangle out;
    if (points.size() < 2) return out;
    const std::vector<Vec2> hull = hull_of(std::move(points));
    double least = std::numeric_limits<double>::max();
    for (std::size_t i = 0; i < hull.size(); ++i) {
        const Vec2 d = (hull[(i + 1) % hull.size()] - hull[i]).normalized(), n(-d.y(), d.x());
        Box2 box;
        for (const Vec2& p : hull) box.extend(Vec2(p.dot(d), p.dot(n)));
        const Vec2 size = box.sizes();
        if (size.prod() >= least * (1 - 1e-9)) continue;
        least = size.prod();
        out = {size.x() >= size.y() ? d : n, size.maxCoeff(), size.minCoeff()};
    }
    return out;
}

}  // namespace halvo
