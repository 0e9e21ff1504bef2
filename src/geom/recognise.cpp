#include "geom/recognise.hpp"

#include "geom/fit.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
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

std::optional<Surface> recognise_surface(const std::vector<Vec3>& points, const std::vector<Vec3>& normals, double tol) {
    if (points.size() < 9) return std::nullopt;
    Box3 box;
    for (const Vec3& p : points) box.extend(p);
    const double allowed = tol * std::max(box.diagonal().norm(), 1.0);
    for (const auto& fit :
         {fit_plane(points), fit_cylinder(points, normals), fit_cone(points, normals), fit_sphere(points, normals), fit_torus(points, points, normals)}) {
        if (!fit || fit->worst > allowed) continue;
        if (const auto* c = std::get_if<CylinderSurface>(&fit->surface); c && c->radius > 1e4 * box.diagonal().norm()) continue;
        const bool along = std::all_of(points.begin(), points.end(), [&](const Vec3& p) {
            const auto i = static_cast<std::size_t>(&p - points.data());
            return std::abs(surface_normal(fit->surface, p)->dot(normals[i])) > 1 - 1e-6;
        });
        if (along) return fit->surface;
    }
    return std::nullopt;
}

}  // namespace halvo
