#pragma once
/// Curves and surfaces as Halvo keeps them. Closed families are variants; everything is a value.

#include <halvo/types.hpp>

#include <memory>
#include <optional>
#include <variant>

namespace halvo {

/// Oriented plane { x : normal . x = offset }, |normal| = 1.
struct Plane {
    Vec3 normal = Vec3::UnitZ();
    double offset = 0;
    [[nodiscard]] double height(const Vec3& p) const { return normal.dot(p) - offset; }
    [[nodiscard]] static Plane through(const Vec3& p, const Vec3& n) { return {n.normalized(), n.normalized().dot(p)}; }
    [[nodiscard]] Plane moved(const Eigen::Isometry3d& m) const { return through(m * (offset * normal), m.linear() * normal); }
    [[nodiscard]] static Plane of(const Frame& f) { return {f.z, f.z.dot(f.origin)}; }
};

struct LineCurve {  ///< parameter = length along `direction` (unit)
    Vec3 origin, direction;
};
struct CircleCurve {  ///< parameter = angle from frame.x towards frame.y
    Frame frame;
    double radius = 0;
};
struct EllipseCurve {  ///< parameter = eccentric angle; half axes a along x, b along y
    Frame frame;
    double a = 0, b = 0;
};
struct PolylineCurve {  ///< sampled curve; parameter = cumulative chord length
    std::vector<Vec3> points;
    std::vector<double> at;
    std::vector<Vec3> tangents;  ///< unit; with them the pieces are cubics (Hermite), without them straight
};

/// A bounded piece of a curve, running from parameter t0 to t1 (t0 < t1).
struct Curve {
    std::variant<LineCurve, CircleCurve, EllipseCurve, PolylineCurve> shape;
    double t0 = 0, t1 = 0;

    [[nodiscard]] static Curve segment(const Vec3& a, const Vec3& b);
    [[nodiscard]] static Curve polyline(std::vector<Vec3> points, std::vector<Vec3> tangents = {});

    [[nodiscard]] Vec3 point(double t) const;
    [[nodiscard]] Vec3 derivative(double t) const;
    [[nodiscard]] Vec3 start() const { return point(t0); }
    [[nodiscard]] Vec3 end() const { return point(t1); }
    [[nodiscard]] Vec3 middle() const { return point(0.5 * (t0 + t1)); }
    [[nodiscard]] double length() const { return length(t0, t1); }
    [[nodiscard]] double length(double a, double b) const;
    /// Parameter at a share (0..1) of the arc length.
    [[nodiscard]] double parameter_at(double share) const;
    [[nodiscard]] Curve piece(double a, double b) const;
    [[nodiscard]] Curve reversed() const;
    [[nodiscard]] Curve moved(const Eigen::Isometry3d& m) const;
    /// Points from start to end with chord error at most `chord` (at least `least` pieces on anything curved).
    [[nodiscard]] std::vector<Vec3> sampled(double chord, int least = 4) const;
    /// Parameter of the point of the curve nearest to `p`, within [t0, t1].
    [[nodiscard]] double nearest(const Vec3& p) const;
    /// Parameters between which the curve is smooth and turns little: where to cut it for quadrature.
    [[nodiscard]] std::vector<double> smooth_pieces() const;
    [[nodiscard]] bool is_line() const { return shape.index() == 0; }
    [[nodiscard]] bool closed(double tol) const { return (start() - end()).norm() <= tol && length() > 4 * tol; }
    [[nodiscard]] Box3 box() const;
};

/// All parameters in [t0, t1] where the curve meets the plane, sorted; touching counts once.
/// A curve that lies in the plane gives none.
[[nodiscard]] std::vector<double> meets(const Curve& curve, const Plane& plane);

/// True when both curves are pieces of the same line or the same circle, to `tol`.
[[nodiscard]] bool same_carrier(const Curve& a, const Curve& b, double tol);

struct PlaneSurface {
    Frame frame;
};
struct CylinderSurface {  ///< axis = frame.z
    Frame frame;
    double radius = 0;
};
struct ConeSurface {  ///< radius at frame.origin, growing along z with tan(half_angle)
    Frame frame;
    double radius = 0, half_angle = 0;
};
struct SphereSurface {
    Frame frame;
    double radius = 0;
};
struct TorusSurface {
    Frame frame;
    double major = 0, minor = 0;
};

/// Non-uniform rational B-spline surface, not periodic. Poles run v fastest; no weights means all are 1.
/// Evaluation after Piegl & Tiller, The NURBS Book, 2nd ed., algorithms A2.2, A2.3 and A4.4.
struct NurbsSurface {
    int degree_u = 1, degree_v = 1;
    std::vector<double> knots_u, knots_v;  ///< with their multiplicities written out
    std::vector<Vec3> poles;
    std::vector<double> weights;

    /// Value and derivatives up to the second order.
    struct Jet {
        Vec3 p, du, dv, duu, duv, dvv;
        [[nodiscard]] Vec3 normal() const { return du.cross(dv).normalized(); }
    };
    [[nodiscard]] std::size_t count_u() const { return knots_u.size() - static_cast<std::size_t>(degree_u) - 1; }
    [[nodiscard]] std::size_t count_v() const { return knots_v.size() - static_cast<std::size_t>(degree_v) - 1; }
    [[nodiscard]] Vec3 point(const Vec2& uv) const { return jet(uv, 0).p; }
    /// Derivatives above `order` are left zero, which is faster where they are not needed.
    [[nodiscard]] Jet jet(const Vec2& uv, int order = 2) const;
    /// Parameters the surface is defined for.
    [[nodiscard]] Box2 domain() const;
    [[nodiscard]] Vec2 clamped(const Vec2& uv) const { return uv.cwiseMax(domain().min()).cwiseMin(domain().max()); }
    /// Parameters of the foot of `p` nearest to `guess` (Newton on the squared distance, kept within the domain).
    [[nodiscard]] Vec2 foot(const Vec3& p, const Vec2& guess) const;
    /// Value and first derivatives where the surface is carried on straight beyond its domain; second ones without the part of third.
    /// Those above `order` are left zero.
    [[nodiscard]] Jet extended(const Vec2& uv, int order = 2) const;
    /// Parameters of the foot on the surface carried on straight: beyond the domain where `p` lies beyond its border.
    [[nodiscard]] Vec2 extended_foot(const Vec3& p, const Vec2& guess) const;
    [[nodiscard]] NurbsSurface moved(const Eigen::Isometry3d& m) const;
};

/// What a ball leaves that rolls with its centre on a curve.
struct Pipe {
    Curve spine;
    double radius = 0;
};

struct FreeSurface {  ///< anything else: a spline surface, or nothing but the facets (scans)
    std::shared_ptr<const NurbsSurface> spline;
    std::shared_ptr<const Pipe> pipe = nullptr;  ///< what the spline was made to follow, while that is known
};

using Surface = std::variant<PlaneSurface, CylinderSurface, ConeSurface, SphereSurface, TorusSurface, FreeSurface>;

/// Lower-case trade name: plane, cylinder, cone, sphere, torus, free.
[[nodiscard]] const char* surface_name(const Surface& s);
/// The surface taken along by a rigid motion.
[[nodiscard]] Surface moved(const Surface& s, const Eigen::Isometry3d& m);
[[nodiscard]] Frame moved(const Frame& f, const Eigen::Isometry3d& m);
/// Parameters (u, v) of the surface point nearest to `p` (not for FreeSurface: its feet need a guess, see NurbsSurface::foot).
[[nodiscard]] Vec2 surface_parameters(const Surface& s, const Vec3& p);
[[nodiscard]] Vec3 surface_point(const Surface& s, const Vec2& uv);
/// Unit normal of the surface's own orientation at the point nearest to `p`; nothing for FreeSurface.
[[nodiscard]] std::optional<Vec3> surface_normal(const Surface& s, const Vec3& p);
/// Foot of `p` on the surface; nothing for FreeSurface.
[[nodiscard]] std::optional<Vec3> surface_foot(const Surface& s, const Vec3& p);

/// A point of a surface and a unit normal there.
struct SkinPoint {
    Vec3 point, normal;
};

/// A surface, with what finding feet on it takes: spline surfaces keep a net of their points.
class BaseSurface {
public:
    BaseSurface() = default;
    explicit BaseSurface(Surface surface);
    [[nodiscard]] const Surface& surface() const { return surface_; }
    /// Nearest point and the surface's own normal; spline surfaces are carried on straight beyond their border.
    [[nodiscard]] SkinPoint foot(const Vec3& p) const;
    /// Parameters of the foot of `p`; spline surfaces beyond their domain where `p` lies beyond their border.
    [[nodiscard]] Vec2 parameters(const Vec3& p) const;
    /// Signed length from `p` along the line with unit direction `d` to the surface, the crossing next to p's own foot.
    [[nodiscard]] double along(const Vec3& p, const Vec3& d) const { return net_ ? along(p, d, parameters(p)) : along_feet(p, d); }
    /// The same, or the signed distance of the foot where the line misses the surface or meets it at a flat angle far off.
    [[nodiscard]] double reach(const Vec3& p, const Vec3& d) const;
    [[nodiscard]] BaseSurface moved(const Eigen::Isometry3d& m) const { return BaseSurface(halvo::moved(surface_, m)); }

private:
    struct Net {
        std::vector<Vec3> points;
        std::vector<Vec2> at;
        std::vector<Box3> boxes;        // of blocks of points
        std::vector<std::size_t> ends;  // of each block, the number after its last point
        [[nodiscard]] std::size_t nearest(const Vec3& p) const;
    };
    [[nodiscard]] double along(const Vec3& p, const Vec3& d, const Vec2& from) const;
    [[nodiscard]] double along_feet(const Vec3& p, const Vec3& d) const;
    Surface surface_ = PlaneSurface{};
    std::shared_ptr<const Net> net_;
};

/// Are both the same surface, to `tol` within `reach` of `place`? Spline surfaces are the same when their poles are.
[[nodiscard]] bool same_surface(const Surface& a, const Surface& b, const Vec3& place, double reach, double tol);

/// The surface at a constant distance along its own normal; nothing where that is of another kind (splines) or would vanish.
[[nodiscard]] std::optional<Surface> offset_surface(const Surface& s, double by);

/// Are unit tangents those of the curve that is meant, or made from the points alone?
enum class Tangents { exact, estimated };
/// Line, circle or smooth piecewise cubic through points with unit tangents: the simplest that keeps to `tol`, and to exact tangents too.
[[nodiscard]] Curve curve_through(const std::vector<Vec3>& points, const std::vector<Vec3>& tangents, double tol, Tangents kind = Tangents::exact);

/// The same through evenly spaced points alone, closed where their ends meet to ten times that; tangents by differences of fourth order.
[[nodiscard]] Curve curve_through(std::vector<Vec3> points, double tol);

/// Where two curves pass each other at a distance of at most `tol`: parameters on both. Curves that run along each other give none.
[[nodiscard]] std::vector<std::pair<double, double>> meets(const Curve& a, const Curve& b, double tol);

/// Even-odd test of a point against closed polygons.
[[nodiscard]] bool inside(const std::vector<std::vector<Vec2>>& loops, const Vec2& p);
/// Signed area of one closed polygon.
[[nodiscard]] double polygon_area(const std::vector<Vec2>& loop);

}  // namespace halvo
