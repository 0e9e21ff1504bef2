#include "geom/foot_curve.hpp"

namespace halvo {

Curve foot_curve(const Chart& chart, const Curve& c, double tol) {
    if (chart.flat() && c.is_line()) return Curve::segment(chart.foot(c.start()), chart.foot(c.end()));
    constexpr int n = 48;
    std::vector<Vec3> points;
    for (int k = 0; k <= n; ++k) points.push_back(chart.foot(c.point(c.t0 + (c.t1 - c.t0) * k / n)));
    return curve_through(points, tol);
}

Curve curve_past(const std::vector<Vec3>& points, double tol) {
    std::vector<Vec3> tangents;
    for (std::size_t i = 0; i < points.size(); ++i) tangents.push_back((points[std::min(i + 1, points.size() - 1)] - points[i == 0 ? 0 : i - 1]).normalized());
    return curve_through(points, tangents, tol, Tangents::estimated);
}

}  // namespace halvo
