#include "io/recognise.hpp"

#include <algorithm>
#include <cmath>

namespace halvo::io {
namespace {

std::optional<Curve> as_arc(const std::vector<Vec3>& pts, double tol) {
    const Vec3 &a = pts.front(), &b = pts[pts.size() / 3], &c = pts[2 * pts.size() / 3];
    const Vec3 ab = b - a, ac = c - a, n = ab.cross(ac);
    if (n.norm() < 1e-12 * ab.norm() * ac.norm() || n.norm() == 0) return std::nullopt;
    const Vec3 centre = a + (n.cross(ab) * ac.squaredNorm() + ac.cross(n) * ab.squaredNorm()) / (2 * n.squaredNorm());
    const double r = (a - centre).norm();
    const Frame f = Frame::with_zx(centre, n, a - centre);
    double last = 0;
    for (const Vec3& p : pts) {
        const Vec3 q = f.local(p);
        if (std::abs(q.z()) > tol || std::abs(std::hypot(q.x(), q.y()) - r) > tol) return std::nullopt;
        double angle = std::atan2(q.y(), q.x());
        while (angle < last - 1e-9) angle += 2 * pi;
        last = angle;
    }
    if (last > 2 * pi + 1e-9) return std::nullopt;
    return Curve{CircleCurve{f, r}, 0, last};
}

}  // namespace

Curve recognise_curve(const std::vector<Vec3>& points, const std::vector<Vec3>& tangents, double tol) {
    const Vec3 chord = points.back() - points.front();
    double off = 0;
    for (const Vec3& p : points) off = std::max(off, (p - points.front()).cross(chord).norm());
    if (chord.norm() > 10 * tol && off <= tol * chord.norm()) return Curve::segment(points.front(), points.back());
    if (points.size() >= 5)
        if (auto arc = as_arc(points, tol)) return *arc;
    return Curve::polyline(points, tangents);
}

std::optional<Frame> recognise_plane(const std::vector<Vec3>& points, const Vec3& normal, double tol) {
    Vec3 centre = Vec3::Zero();
    for (const Vec3& p : points) centre += p / static_cast<double>(points.size());
    const Frame f = Frame::with_z(centre, normal);
    double extent = 0, off = 0;
    for (const Vec3& p : points) {
        extent = std::max(extent, (p - centre).norm());
        off = std::max(off, std::abs(f.height(p)));
    }
    if (off > tol * std::max(extent, 1.0)) return std::nullopt;
    return f;
}

}  // namespace halvo::io
