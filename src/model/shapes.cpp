#include "model/shapes.hpp"
#include "geom/cross.hpp"

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

Vec2 flat(const Vec3& p) {
    return {p.x(), p.y()};
}

// Centre and radius when every piece of the loop lies on one circle.
std::optional<std::pair<Vec2, double>> as_circle(const std::vector<Curve>& loop, double tol) {
    const CircleCurve* first = nullptr;
    for (const Curve& c : loop) {
        const auto* k = std::get_if<CircleCurve>(&c.shape);
        if (!k) return std::nullopt;
        if (!first) first = k;
        if (std::abs(k->radius - first->radius) > tol || (k->frame.origin - first->frame.origin).norm() > tol) return std::nullopt;
    }
    if (!first) return std::nullopt;
    return std::pair(flat(first->frame.origin), first->radius);
}

// '+' for convex, '-' for reflex corners, turned so that it starts at its lexically greatest rotation.
std::string turns(const std::vector<Vec2>& p) {
    std::string s;
    for (std::size_t i = 0; i < p.size(); ++i) {
        const Vec2 &a = p[(i + p.size() - 1) % p.size()], &b = p[i], &c = p[(i + 1) % p.size()];
        s += cross(b - a, c - b) > 0 ? 'p' : 'm';
    }
    std::string best = s;
    for (std::size_t i = 0; i < s.size(); ++i) {
        std::rotate(s.begin(), s.begin() + 1, s.end());
        best = std::max(best, s);
    }
    return best;
}

// Thickness of the material met first by a line through the profile.
double first_run(const std::vector<std::vector<Curve>>& loops, const Vec2& from, const Vec2& dir) {
    const Plane plane = Plane::through(Vec3(from.x(), from.y(), 0), Vec3(-dir.y(), dir.x(), 0));
    std::vector<double> at;
    for (const auto& loop : loops)
        for (const Curve& c : loop)
            for (double t : meets(c, plane)) at.push_back((flat(c.point(t)) - from).dot(dir));
    std::sort(at.begin(), at.end());
    return at.size() >= 2 ? at[1] - at[0] : 0;
}

struct Extent {
    double width, height;
    Vec2 low, high;
};
Extent extent(const Section& s) {
    Box2 b;
    for (const auto& loop : s.profile)
        for (const Curve& c : loop)
            for (const Vec3& p : c.sampled(1e-4, 32)) b.extend(flat(p));
    return {b.sizes().x(), b.sizes().y(), b.min(), b.max()};
}

void name_open(Section& s, const std::vector<Vec2>& corners, double tol) {
    static const std::vector<std::pair<std::string, std::string>> names = {
        {"pppppm", "angle"}, {"ppppppmm", "channel"}, {"pppppmppm", "?"}, {"ppppmppm", "tee"}, {"pppmpppm", "Z"}, {"ppppmmppppmm", "I"}, {"pppp", "flat"}};
    const std::string pattern = turns(corners);
    const Extent e = extent(s);
    for (const auto& [turn, name] : names) {
        if (pattern != turn) continue;
        if (name == "flat") {
            const double tol_angle = 1e-6;
            for (std::size_t i = 0; i < 4; ++i) {
                const Vec2 u = (corners[(i + 1) % 4] - corners[i]).normalized(), v = (corners[(i + 2) % 4] - corners[(i + 1) % 4]).normalized();
                if (std::abs(u.dot(v)) > tol_angle) return;
            }
            const double a = (corners[1] - corners[0]).norm(), b = (corners[2] - corners[1]).norm();
            s.shape = std::abs(a - b) <= tol ? "square" : "flat";
            s.dimensions = {{"width", std::max(a, b)}, {"thickness", std::min(a, b)}};
            return;
        }
        s.shape = name;
        s.dimensions = {{"height", e.height}, {"width", e.width}};
        // Thickness of the parts along both directions, a quarter in from where they start.
        std::set<double> seen;
        for (double w : {0.1, 0.5, 0.9}) {
            const double a = first_run(s.profile, {e.low.x(), e.low.y() + w * e.height}, {1, 0});
            const double b = first_run(s.profile, {e.low.x() + w * e.width, e.low.y()}, {0, 1});
            for (double t : {a, b})
                if (t > tol && t < 0.45 * std::max(e.width, e.height)) seen.insert(std::round(t * 1e6) / 1e6);
        }
        if (!seen.empty()) s.dimensions.emplace_back("thinnest", *seen.begin());
        return;
    }
}

}  // namespace

std::vector<Vec2> sharp_corners(const std::vector<Curve>& loop) {
    std::vector<std::pair<Vec2, Vec2>> runs;
    for (const Curve& c : loop) {
        if (!c.is_line()) continue;
        const Vec2 a = flat(c.start()), b = flat(c.end());
        if (!runs.empty() && std::abs(cross((runs.back().second - runs.back().first).normalized(), (b - a).normalized())) < 1e-6 &&
            (b - a).dot(runs.back().second - runs.back().first) > 0)
            runs.back().second = b;
        else runs.emplace_back(a, b);
    }
    if (runs.size() > 2) {
        const Vec2 u = (runs.back().second - runs.back().first).normalized(), v = (runs[0].second - runs[0].first).normalized();
        if (std::abs(cross(u, v)) < 1e-6 && u.dot(v) > 0) runs[0].first = runs.back().first, runs.pop_back();
    }
    std::vector<Vec2> out;
    for (std::size_t i = 0; i < runs.size(); ++i) {
        const auto& [a, b] = runs[i];
        const auto& [c, d] = runs[(i + 1) % runs.size()];
        const double det = cross(b - a, d - c);
        if (std::abs(det) < 1e-9) return {};
        out.push_back(a + (b - a) * cross(c - a, d - c) / det);
    }
    return out;
}

void name_shape(Section& s) {
    s.shape = "solid";
    s.dimensions.clear();
    const double tol = 1e-6 * std::max(s.depth, 1.0);
    const auto outer = as_circle(s.profile[0], tol);
    if (s.profile.size() == 1 && outer) {
        s.shape = "round";
        s.dimensions = {{"diameter", 2 * outer->second}};
        return;
    }
    if (s.profile.size() == 2) {
        const auto inner = as_circle(s.profile[1], tol);
        if (outer && inner && (outer->first - inner->first).norm() <= tol) {
            s.shape = "tube";
            s.dimensions = {{"diameter", 2 * outer->second}, {"thickness", outer->second - inner->second}};
            return;
        }
        const auto a = sharp_corners(s.profile[0]), b = sharp_corners(s.profile[1]);
        if (a.size() == 4 && b.size() == 4 && turns(a) == "pppp") {
            const double height = (a[1] - a[0]).norm(), width = (a[2] - a[1]).norm();
            const double inner_height = (b[1] - b[0]).norm(), inner_width = (b[2] - b[1]).norm();
            s.shape = "rectangular tube";
            s.dimensions = {{"height", std::max(height, width)},
                            {"width", std::min(height, width)},
                            {"thickness", 0.5 * (std::max(height, width) - std::max(inner_height, inner_width))}};
            return;
        }
        s.shape = "hollow";
        return;
    }
    if (s.profile.size() == 1) {
        const auto corners = sharp_corners(s.profile[0]);
        if (corners.size() >= 4) name_open(s, corners, tol);
    }
}

}  // namespace halvo
