#pragma once
/// B-spline curves as files give them, and the surfaces they sweep.

#include <halvo/geometry.hpp>

namespace halvo {

/// Non-uniform rational B-spline curve, not periodic; no weights means all are 1.
struct SplineCurve {
    int degree = 1;
    std::vector<double> knots;  ///< with their multiplicities written out
    std::vector<Vec3> poles;
    std::vector<double> weights;

    [[nodiscard]] double first() const { return knots[static_cast<std::size_t>(degree)]; }
    [[nodiscard]] double last() const { return knots[poles.size()]; }
    [[nodiscard]] Vec3 point(double t) const { return jet(t)[0]; }
    [[nodiscard]] std::array<Vec3, 3> jet(double t) const;  ///< point, first and second derivative
    /// Parameter of the point nearest to `p`, from points spread over every span and Newton's method.
    [[nodiscard]] double nearest(const Vec3& p) const;
    /// Points with unit tangents from a to b, so dense that the tangent turns by at most `angle` (rad) and chords are within `chord`
    /// (mm); no tangents where the curve has a corner or stands still.
    void sample(double a, double b, double angle, double chord, std::vector<Vec3>& points, std::vector<Vec3>& tangents) const;
};

/// Exact splines for the ways by which plain curves sweep surfaces: a piece of a circle or ellipse (quadratic, rational), a line.
[[nodiscard]] SplineCurve spline_arc(const Frame& frame, double a, double b, double from, double to);
[[nodiscard]] SplineCurve spline_line(const Vec3& from, const Vec3& to);

/// Surface of the curve carried along `way` (u along the curve, v from 0 to 1 along the way); after The NURBS Book, section 8.3.
[[nodiscard]] NurbsSurface extruded(const SplineCurve& c, const Vec3& start, const Vec3& way);
/// Surface of the curve turned about the axis by a whole turn (u = angle by quarters of 0 to 2 pi, v along the curve); section 8.5.
[[nodiscard]] NurbsSurface revolved(const SplineCurve& c, const Vec3& origin, const Vec3& axis);

/// The part of a surface between parameters, with the same parameters (knots inserted, The NURBS Book, algorithm A5.3).
[[nodiscard]] NurbsSurface part_of(const NurbsSurface& s, const Box2& range);
/// A surface whose outer pieces go on as the polynomials they are, over a wider range; the same surface where it was. The same range where
/// that is not possible (knots that do not end together, weights that would vanish). By blossoming: Ramshaw, Blossoms are polar forms,
/// CAGD 6, 1989.
[[nodiscard]] NurbsSurface longer(const NurbsSurface& s, const Box2& range);

}  // namespace halvo
