#include <halvo/geometry.hpp>

#include <cmath>

namespace halvo {
namespace {

Vec3 radial(const Frame& f, double u) {
    return std::cos(u) * f.x + std::sin(u) * f.y;
}

double angle_of(const Frame& f, const Vec3& p) {
    const Vec3 q = f.local(p);
    return std::atan2(q.y(), q.x());
}

struct Parameters {
    const Vec3& p;
    Vec2 operator()(const PlaneSurface& s) const { return s.frame.local2(p); }
    Vec2 operator()(const CylinderSurface& s) const { return {angle_of(s.frame, p), s.frame.height(p)}; }
    Vec2 operator()(const ConeSurface& s) const {
        // v runs along the generator from the circle through the frame's origin.
        const Vec3 q = s.frame.local(p);
        const double rho = std::hypot(q.x(), q.y());
        const double v = (rho - s.radius) * std::sin(s.half_angle) + q.z() * std::cos(s.half_angle);
        return {std::atan2(q.y(), q.x()), v};
    }
    Vec2 operator()(const SphereSurface& s) const {
        const Vec3 q = s.frame.local(p);
        return {std::atan2(q.y(), q.x()), std::atan2(q.z(), std::hypot(q.x(), q.y()))};
    }
    Vec2 operator()(const TorusSurface& s) const {
        const Vec3 q = s.frame.local(p);
        return {std::atan2(q.y(), q.x()), std::atan2(q.z(), std::hypot(q.x(), q.y()) - s.major)};
    }
    Vec2 operator()(const FreeSurface&) const { return Vec2::Zero(); }
};

struct Point {
    Vec2 uv;
    Vec3 operator()(const PlaneSurface& s) const { return s.frame.at(uv); }
    Vec3 operator()(const CylinderSurface& s) const { return s.frame.origin + s.radius * radial(s.frame, uv.x()) + uv.y() * s.frame.z; }
    Vec3 operator()(const ConeSurface& s) const {
        const double r = s.radius + uv.y() * std::sin(s.half_angle);
        return s.frame.origin + r * radial(s.frame, uv.x()) + uv.y() * std::cos(s.half_angle) * s.frame.z;
    }
    Vec3 operator()(const SphereSurface& s) const {
        return s.frame.origin + s.radius * (std::cos(uv.y()) * radial(s.frame, uv.x()) + std::sin(uv.y()) * s.frame.z);
    }
    Vec3 operator()(const TorusSurface& s) const {
        return s.frame.origin + (s.major + s.minor * std::cos(uv.y())) * radial(s.frame, uv.x()) + s.minor * std::sin(uv.y()) * s.frame.z;
    }
    Vec3 operator()(const FreeSurface& s) const { return s.spline ? s.spline->point(uv) : Vec3::Zero(); }
};

struct Normal {
    const Vec3& p;
    Vec2 uv;
    std::optional<Vec3> operator()(const PlaneSurface& s) const { return s.frame.z; }
    std::optional<Vec3> operator()(const CylinderSurface& s) const { return radial(s.frame, uv.x()); }
    std::optional<Vec3> operator()(const ConeSurface& s) const {
        return Vec3(std::cos(s.half_angle) * radial(s.frame, uv.x()) - std::sin(s.half_angle) * s.frame.z);
    }
    std::optional<Vec3> operator()(const SphereSurface& s) const { return Vec3(std::cos(uv.y()) * radial(s.frame, uv.x()) + std::sin(uv.y()) * s.frame.z); }
    std::optional<Vec3> operator()(const TorusSurface& s) const { return Vec3(std::cos(uv.y()) * radial(s.frame, uv.x()) + std::sin(uv.y()) * s.frame.z); }
    std::optional<Vec3> operator()(const FreeSurface&) const { return std::nullopt; }
};

}  // namespace

const char* surface_name(const Surface& s) {
    constexpr const char* names[] = {"plane", "cylinder", "cone", "sphere", "torus", "free"};
    return names[s.index()];
}

Vec2 surface_parameters(const Surface& s, const Vec3& p) {
    return std::visit(Parameters{p}, s);
}

Vec3 surface_point(const Surface& s, const Vec2& uv) {
    return std::visit(Point{uv}, s);
}

std::optional<Vec3> surface_normal(const Surface& s, const Vec3& p) {
    return std::visit(Normal{p, surface_parameters(s, p)}, s);
}

std::optional<Vec3> surface_foot(const Surface& s, const Vec3& p) {
    if (std::holds_alternative<FreeSurface>(s)) return std::nullopt;
    return surface_point(s, surface_parameters(s, p));
}

Frame moved(const Frame& f, const Eigen::Isometry3d& m) {
    return {m * f.origin, m.linear() * f.x, m.linear() * f.y, m.linear() * f.z};
}

Surface moved(const Surface& s, const Eigen::Isometry3d& m) {
    return std::visit(
        [&](auto k) -> Surface {
            if constexpr (std::is_same_v<decltype(k), FreeSurface>) {
                if (k.spline) k.spline = std::make_shared<const NurbsSurface>(k.spline->moved(m));
                if (k.pipe) k.pipe = std::make_shared<const Pipe>(Pipe{k.pipe->spine.moved(m), k.pipe->radius});
            } else {
                k.frame = halvo::moved(k.frame, m);
            }
            return k;
        },
        s);
}

bool inside(const std::vector<std::vector<Vec2>>& loops, const Vec2& p) {
    bool in = false;
    for (const auto& loop : loops)
        for (std::size_t i = 0, j = loop.size() - 1; i < loop.size(); j = i++) {
            const Vec2 &a = loop[i], &b = loop[j];
            if ((a.y() > p.y()) == (b.y() > p.y())) continue;
            if (p.x() < (b.x() - a.x()) * (p.y() - a.y()) / (b.y() - a.y()) + a.x()) in = !in;
        }
    return in;
}

double polygon_area(const std::vector<Vec2>& loop) {
    double sum = 0;
    for (std::size_t i = 0, j = loop.size() - 1; i < loop.size(); j = i++) sum += loop[j].x() * loop[i].y() - loop[i].x() * loop[j].y();
    return 0.5 * sum;
}

}  // namespace halvo
