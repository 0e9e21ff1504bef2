#pragma once
/// The surface a sheet lies on, with its map to the plane.

#include <halvo/geometry.hpp>

#include <algorithm>

namespace halvo {

/// Map between a surface and the plane. Planes, cylinders and cones are unrolled true to length; spheres keep their areas
/// (Lambert's azimuthal map); tori and splines have their parameters scaled to mean lengths. x, y and the normal are right-handed.
/// Closed surfaces are cut open along one line, opposite to where the chart is centred; what the map gives is between both sides of it.
class Chart {
public:
    Chart() : Chart(Frame{}) {}
    Chart(const Frame& plane);  ///< plane z = 0 of the frame
    /// Chart of any surface, centred at the surface point nearest to `middle`.
    Chart(const Surface& surface, const Vec3& middle, bool reversed = false);

    [[nodiscard]] bool flat() const { return std::holds_alternative<PlaneSurface>(base_.surface()); }
    [[nodiscard]] const Surface& surface() const { return base_.surface(); }
    [[nodiscard]] bool reversed() const { return reversed_; }
    /// The plane itself, or the tangent plane in the chart's middle.
    [[nodiscard]] const Frame& plane() const { return plane_; }
    [[nodiscard]] Vec2 local2(const Vec3& p) const;
    /// The same, continued past the cut: the copy nearest to `near`.
    [[nodiscard]] Vec2 local2(const Vec3& p, const Vec2& near) const;
    [[nodiscard]] Vec3 at(const Vec2& q) const;
    /// The same point with the sheet's normal there.
    [[nodiscard]] SkinPoint place(const Vec2& q) const;
    /// The same place one turn on and one turn back on closed surfaces, itself first.
    [[nodiscard]] std::vector<Vec2> copies(const Vec2& q) const;
    /// Foot of `p` and the sheet's normal there.
    [[nodiscard]] SkinPoint on(const Vec3& p) const;
    [[nodiscard]] Vec3 foot(const Vec3& p) const { return on(p).point; }
    [[nodiscard]] Vec3 normal(const Vec3& p) const { return on(p).normal; }
    /// Signed distance of `p` from the surface, along the normal.
    [[nodiscard]] double height(const Vec3& p) const;
    /// Share (0..1) of half a turn by which `p` stays clear of the cut; 1 where the surface is not closed.
    [[nodiscard]] double clear_of_cut(const Vec3& p) const;
    /// The lines along which the surface is cut open, as far as the points reach and `margin` (mm) beyond.
    [[nodiscard]] std::vector<Curve> cuts(const std::vector<Vec3>& points, double margin) const;
    /// Signed area on the surface inside a closed polygon of chart coordinates.
    [[nodiscard]] double area(const std::vector<Vec2>& polygon) const;
    /// Lengths along the surface's own parameter lines, measured in the middle of the chart, for grids: angles unrolled even on cones.
    [[nodiscard]] Vec2 grid(const Vec3& p) const;
    [[nodiscard]] Vec3 at_grid(const Vec2& g) const;
    [[nodiscard]] Vec2 grid_period() const { return period_.cwiseProduct(grid_scale()); }  ///< 0 where not closed
    [[nodiscard]] Chart turned_over() const;
    [[nodiscard]] Chart moved(const Eigen::Isometry3d& m) const;

private:
    [[nodiscard]] Vec2 parameters(const Vec3& p) const;  // own parameters, angles relative to the centre
    [[nodiscard]] Vec2 mapped(const Vec2& uv) const;
    [[nodiscard]] Vec2 unmapped(const Vec2& q) const;
    [[nodiscard]] Vec2 grid_scale() const { return sine_ > 0 ? Vec2(std::max(slant_ * sine_, 1e-9), 1) : scale_; }

    BaseSurface base_;
    bool reversed_ = false;
    Frame plane_;
    Vec2 centre_ = Vec2::Zero(), scale_ = Vec2::Ones();  // parameters in the middle; mm to one unit of each
    Vec2 period_ = Vec2::Zero();                         // in parameters; 0 where not closed
    double sine_ = 0, slant_ = 0;                        // of cones: sine of the half angle, slant length from the apex to the middle
};

}  // namespace halvo
