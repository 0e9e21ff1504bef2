#include "model/profile_lines.hpp"

#include "geom/cross.hpp"
#include "model/shapes.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double thin = 2;                // a wall of a profile is at least so many times as long as thick
constexpr double parallel_sides = 0.1;    // sine of the angle between both sides of a wall, tapered flanges too
constexpr double most_unexplained = 0.3;  // of the area, that walls may leave

struct Side {
    Vec2 from, to;
    [[nodiscard]] Vec2 way() const { return (to - from).normalized(); }
    [[nodiscard]] double length() const { return (to - from).norm(); }
};

struct WallLine {
    Vec2 from, to;
    double thickness = 0;
};

std::vector<Side> sides_of(const std::vector<Vec2>& corners) {
    std::vector<Side> out;
    for (std::size_t i = 0; i < corners.size(); ++i) out.push_back({corners[i], corners[(i + 1) % corners.size()]});
    return out;
}

// The middle line of the wall between two sides that face each other through the material, which lies on the left of both.
std::optional<WallLine> between(const Side& a, const Side& b) {
    const Vec2 u = a.way(), v = b.way(), n(-u.y(), u.x());
    if (u.dot(v) >= 0 || std::abs(cross(u, v)) > parallel_sides) return std::nullopt;
    const double lo = std::max(0.0, (b.to - a.from).dot(u)), hi = std::min(a.length(), (b.from - a.from).dot(u));
    const Vec2 middle = a.from + 0.5 * (lo + hi) * u;
    const double depth = (b.from - middle).dot(n) - (b.from - middle).dot(u) * v.dot(n) / v.dot(u);
    if (depth <= 0 || hi - lo < thin * depth) return std::nullopt;
    const auto at = [&](double s) {
        const Vec2 p = a.from + s * u;
        const double d = (b.from - p).dot(n) - (b.from - p).dot(u) * v.dot(n) / v.dot(u);
        return Vec2(p + 0.5 * d * n);
    };
    return WallLine{at(lo), at(hi), depth};
}

// Pieces of one wall that another wall stands on between become one.
void merge_collinear(std::vector<WallLine>& walls) {
    for (std::size_t i = 0; i < walls.size(); ++i)
        for (std::size_t j = i + 1; j < walls.size();) {
            WallLine &a = walls[i], &b = walls[j];
            const Vec2 u = (a.to - a.from).normalized(), v = (b.to - b.from).normalized();
            const double t = std::max(a.thickness, b.thickness), lo = std::min((b.from - a.from).dot(u), (b.to - a.from).dot(u)),
                         hi = std::max((b.from - a.from).dot(u), (b.to - a.from).dot(u)), length = (a.to - a.from).norm();
            const bool in_line =
                std::abs(cross(u, v)) < parallel_sides && std::abs(cross(u, b.from - a.from)) < 0.25 * t && lo <= length + 2 * t && hi >= -2 * t;
            if (!in_line) {
                ++j;
                continue;
            }
            const Vec2 from = a.from;
            a.from = from + std::min(0.0, lo) * u, a.to = from + std::max(length, hi) * u;
            walls.erase(walls.begin() + static_cast<std::ptrdiff_t>(j));
            j = i + 1;
        }
}

// Ends that stop at the side of another wall go on to its middle line.
void carry_on(std::vector<WallLine>& walls) {
    const auto before = walls;
    for (std::size_t i = 0; i < walls.size(); ++i)
        for (const bool end : {false, true}) {
            Vec2& tip = end ? walls[i].to : walls[i].from;
            const Vec2 way = (end ? before[i].to - before[i].from : Vec2(before[i].from - before[i].to)).normalized();
            for (std::size_t j = 0; j < before.size(); ++j) {
                const Vec2 v = before[j].to - before[j].from;
                const double sine = cross(way, v.normalized());
                if (i == j || std::abs(sine) < 0.3) continue;
                const double along = cross(before[j].from - tip, v) / cross(way, v), share = cross(before[j].from - tip, way) / cross(way, v);
                const double reach = 0.5 * (before[i].thickness + before[j].thickness) / std::abs(sine), slack = before[i].thickness / v.norm();
                if (along > -reach && along <= 1.5 * reach && share >= -slack && share <= 1 + slack) {
                    tip += along * way;
                    break;
                }
            }
        }
}

Curve segment(const Vec2& a, const Vec2& b) {
    return Curve::segment(Vec3(a.x(), a.y(), 0), Vec3(b.x(), b.y(), 0));
}

std::vector<Curve> outline_of(const Section& s) {
    const auto corners = sharp_corners(s.profile[0]);
    // Rounds that are no fillets of a polygon stay what they are.
    constexpr double most_rounded = 0.1;  // of the area
    std::vector<Vec2> points;
    for (const Curve& c : s.profile[0])
        for (int k = 0; k < 16; ++k) points.push_back(c.point(c.parameter_at(k / 16.0)).head<2>());
    const double all = polygon_area(points);
    if (corners.size() < 3 || std::abs(polygon_area(corners) - all) > most_rounded * std::abs(all)) return s.profile[0];
    std::vector<Curve> out;
    for (const Side& k : sides_of(corners)) out.push_back(segment(k.from, k.to));
    return out;
}

}  // namespace

std::vector<Curve> profile_lines(const Section& section) {
    if (section.profile.empty()) return {};
    if (section.profile.size() > 1) return outline_of(section);
    const auto sides = sides_of(sharp_corners(section.profile[0]));
    std::vector<WallLine> walls;
    for (std::size_t i = 0; i < sides.size(); ++i)
        for (std::size_t j = i + 1; j < sides.size(); ++j)
            if (const auto w = between(sides[i], sides[j])) walls.push_back(*w);
    double area = 0;
    for (const WallLine& w : walls) area += (w.to - w.from).norm() * w.thickness;
    if (walls.empty() || std::abs(area / section.area - 1) > most_unexplained) return outline_of(section);
    merge_collinear(walls);
    carry_on(walls);
    std::vector<Curve> out;
    for (const WallLine& w : walls) out.push_back(segment(w.from, w.to));
    return out;
}

}  // namespace halvo
