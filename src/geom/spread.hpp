#pragma once
#include <halvo/types.hpp>

#include <vector>

namespace halvo {

/// Diameter of a set of points, within a few per cent: twice from the farthest point, and that is all a threshold needs.
[[nodiscard]] inline double spread(const std::vector<Vec3>& pts) {
    Vec3 from = pts[0];
    double best = 0;
    for (int round = 0; round < 3; ++round) {
        Vec3 far = from;
        for (const Vec3& p : pts)
            if (const double d = (p - from).norm(); d > best) best = d, far = p;
        from = far;
    }
    return best;
}

/// A few of the points, each as far as can be from those taken before.
[[nodiscard]] inline std::vector<Vec3> far_apart(const std::vector<Vec3>& points, std::size_t most) {
    std::vector<Vec3> out;
    if (points.empty()) return out;
    out.push_back(points[0]);
    std::vector<double> from(points.size(), std::numeric_limits<double>::max());
    while (out.size() < most) {
        std::size_t far = 0;
        for (std::size_t i = 0; i < points.size(); ++i) {
            from[i] = std::min(from[i], (points[i] - out.back()).norm());
            if (from[i] > from[far]) far = i;
        }
        if (from[far] <= 0) break;
        out.push_back(points[far]);
    }
    return out;
}

/// Middles of the n * n equal triangles that a triangle falls into.
[[nodiscard]] inline std::vector<Vec3> middles_of_pieces(const Vec3& a, const Vec3& b, const Vec3& c, int n) {
    std::vector<Vec3> out;
    for (int row = 0; row < n; ++row)
        for (int k = 0; k < 2 * (n - row) - 1; ++k) {
            const int column = k / 2;
            const double third = k % 2 ? 2.0 / 3 : 1.0 / 3;  // every other one stands on its head
            out.emplace_back(a + (column + third) / n * (b - a) + (row + third) / n * (c - a));
        }
    return out;
}

}  // namespace halvo
