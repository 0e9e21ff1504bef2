#include "geom/foot_curve.hpp"

namespace halvo {

Curve foot_curve(const Chart& chart, const Curve& c, double tol) {
    if (chart.flat() && c.is_line()) return Curve::segment(chart.foot(c.start()), chart.foot(c.end()));
    constexpr int n = 48;
    std::vector<Vec3> points;
    for (int k = 0; k <= n; ++k) points.push_back(chart.foot(c.point(c.t0 + (c.t1 - c.t0) * k / n)));
    return curve_through(points, tol);
}

}  // namespace halvo
