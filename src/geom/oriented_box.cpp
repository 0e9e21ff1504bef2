#include "geom/oriented_box.hpp"

#include "geom/outline.hpp"

#include <array>
#include <cmath>

namespace halvo {

OrientedBox box_round(const std::vector<Vec3>& points, const Vec3& z) {
    if (points.empty()) return {};
    const Frame across = Frame::with_z(points[0], z);
    std::vector<Vec2> seen;
    for (const Vec3& p : points) seen.push_back(across.local2(p));
    const Vec2 along = smallest_rectangle(std::move(seen)).along;
    OrientedBox out;
    out.frame = Frame::with_zx(points[0], z, along.x() * across.x + along.y() * across.y);
    Box3 local;
    for (const Vec3& p : points) local.extend(out.frame.local(p));
    const Vec3 middle = local.center();
    out.frame.origin = out.frame.at(middle.x(), middle.y(), middle.z());
    out.half = 0.5 * local.sizes();
    return out;
}

bool intersect(const OrientedBox& a, const OrientedBox& b) {
    constexpr double parallel = 1e-12;
    const Vec3 d = b.frame.origin - a.frame.origin;
    const std::array<Vec3, 3> u{a.frame.x, a.frame.y, a.frame.z}, v{b.frame.x, b.frame.y, b.frame.z};
    const auto apart = [&](const Vec3& axis) {
        double reach = 0;
        for (std::size_t k = 0; k < 3; ++k)
            reach += a.half[static_cast<int>(k)] * std::abs(u[k].dot(axis)) + b.half[static_cast<int>(k)] * std::abs(v[k].dot(axis));
        return std::abs(d.dot(axis)) > reach;
    };
    for (std::size_t k = 0; k < 3; ++k)
        if (apart(u[k]) || apart(v[k])) return false;
    for (const Vec3& p : u)
        for (const Vec3& q : v)
            if (const Vec3 axis = p.cross(q); axis.squaredNorm() > parallel && apart(axis)) return false;
    return true;
}

}  // namespace halvo
