#pragma once
#include <halvo/types.hpp>

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

}  // namespace halvo
