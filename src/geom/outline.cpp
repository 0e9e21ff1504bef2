#include "geom/outline.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

double segment_distance(const Vec2& a, const Vec2& b, const Vec2& p) {
    const Vec2 run = b - a;
    const double w = std::clamp((p - a).dot(run) / std::max(run.squaredNorm(), 1e-300), 0.0, 1.0);
    return (a + w * run - p).norm();
}

}  // namespace

double border_distance(const std::vector<std::vector<Vec2>>& loops, const Vec2& p) {
    double best = std::numeric_limits<double>::infinity();
    for (const auto& loop : loops)
        for (std::size_t i = 0, j = loop.size() - 1; i < loop.size(); j = i++) best = std::min(best, segment_distance(loop[j], loop[i], p));
    return best;
}

OutlineIndex::OutlineIndex(const std::vector<std::vector<Vec2>>& loops) {
    Box2 box;
    for (const auto& loop : loops)
        for (std::size_t i = 0, j = loop.size() - 1; i < loop.size(); j = i++) sides_.push_back({loop[i], loop[j]}), box.extend(loop[i]);
    if (sides_.empty()) return;
    constexpr std::size_t in_a_band = 4, most = 4096;
    const std::size_t n = std::clamp<std::size_t>(sides_.size() / in_a_band, 1, most);
    low_ = box.min().y(), height_ = std::max(box.sizes().y() / static_cast<double>(n), 1e-300);
    bands_.resize(n);
    for (std::size_t k = 0; k < sides_.size(); ++k) {
        const auto [from, to] = std::minmax({band_of(sides_[k].a.y()), band_of(sides_[k].b.y())});
        for (int b = from; b <= to; ++b) bands_[static_cast<std::size_t>(b)].push_back(static_cast<int>(k));
    }
}

int OutlineIndex::band_of(double y) const {
    return static_cast<int>(std::clamp(std::floor((y - low_) / height_), 0.0, static_cast<double>(bands_.size()) - 1));
}

bool OutlineIndex::inside(const Vec2& p) const {
    bool in = false;
    if (bands_.empty()) return in;
    for (int k : bands_[static_cast<std::size_t>(band_of(p.y()))]) {
        const Vec2 &a = sides_[static_cast<std::size_t>(k)].a, &b = sides_[static_cast<std::size_t>(k)].b;
        if ((a.y() > p.y()) != (b.y() > p.y()) && p.x() < (b.x() - a.x()) * (p.y() - a.y()) / (b.y() - a.y()) + a.x()) in = !in;
    }
    return in;
}

// From the point's own band outward, both ways, as far as a band may hold something nearer.
double OutlineIndex::border_distance(const Vec2& p, double most) const {
    double best = most;
    const int last = static_cast<int>(bands_.size()) - 1;
    if (last < 0) return best;
    const auto look = [&](int band) {
        for (int k : bands_[static_cast<std::size_t>(band)])
            best = std::min(best, segment_distance(sides_[static_cast<std::size_t>(k)].b, sides_[static_cast<std::size_t>(k)].a, p));
    };
    const int own = band_of(p.y());
    look(own);
    for (int b = own + 1; b <= last && low_ + b * height_ - p.y() < best; ++b) look(b);
    for (int b = own - 1; b >= 0 && p.y() - (low_ + (b + 1) * height_) < best; --b) look(b);
    return best;
}

bool OutlineIndex::border_within(const Vec2& p, double distance) const {
    if (bands_.empty()) return false;
    for (int b = band_of(p.y() - distance), last = band_of(p.y() + distance); b <= last; ++b)
        for (int k : bands_[static_cast<std::size_t>(b)])
            if (const Side& s = sides_[static_cast<std::size_t>(k)]; segment_distance(s.b, s.a, p) <= distance) return true;
    return false;
}

std::vector<Vec2> convex_hull(std::vector<Vec2> p) {
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

Rectangle smallest_rectangle(std::vector<Vec2> points) {
    Rectangle out;
    if (points.size() < 2) return out;
    const std::vector<Vec2> hull = convex_hull(std::move(points));
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
