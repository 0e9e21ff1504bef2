#include "mend/patch.hpp"

#include "geom/net_spline.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

// A net of points, at even parameters each way; sides 0 and 2 run along u, 1 and 3 along v.
class Patch {
public:
    explicit Patch(const std::array<PatchSide, 4>& sides) : s_(sides), n_(sides[0].points.size()) {}

    std::vector<Vec3> net() const {
        std::vector<Vec3> out;
        for (std::size_t i = 0; i < n_; ++i)
            for (std::size_t j = 0; j < n_; ++j) {
                Vec3 p = blended(at(i), at(j));
                for (std::size_t side = 0; side < 4; ++side) p += bent(side, i, j);
                out.push_back(p);
            }
        return out;
    }

private:
    [[nodiscard]] double at(std::size_t i) const { return static_cast<double>(i) / static_cast<double>(n_ - 1); }
    // A side's place by the parameter that runs along it.
    [[nodiscard]] std::size_t along(std::size_t side, std::size_t i, std::size_t j) const {
        const std::size_t k = side % 2 == 0 ? i : j;
        return side < 2 ? k : n_ - 1 - k;
    }
    [[nodiscard]] const Vec3& border(std::size_t side, std::size_t i, std::size_t j) const { return s_[side].points[along(side, i, j)]; }

    // What turns the patch at a side the way its skin goes on: nothing on any side, and no turn at the other three.
    [[nodiscard]] Vec3 bent(std::size_t side, std::size_t i, std::size_t j) const {
        const std::size_t k = along(side, i, j);
        const Vec3& on = s_[side].on[k];
        if (on.isZero()) return Vec3::Zero();
        const double t = side % 2 == 0 ? at(i) : at(j), depth = side == 0 ? at(j) : side == 1 ? 1 - at(i) : side == 2 ? 1 - at(j) : at(i);
        // Across the patch from the place on the side, as the blended patch leaves it.
        const auto across = [&](double d) {
            return side == 0 ? blended(at(i), d) : side == 1 ? blended(1 - d, at(j)) : side == 2 ? blended(at(i), 1 - d) : blended(d, at(j));
        };
        constexpr double step = 1e-4;  // of the way across
        const Vec3 leaves = (across(step) - across(0)) / step;
        const double length = (border(side, i, j) - border((side + 2) % 4, i, j)).norm();
        const double fade = 1 - std::pow(2 * t - 1, 8);
        return depth * (1 - depth) * (1 - depth) * fade * (length * on - leaves);
    }

    // The blended patch between net lines: the sides beside are straight from place to place.
    [[nodiscard]] Vec3 between(std::size_t side, double t) const {
        const double x = (side < 2 ? t : 1 - t) * static_cast<double>(n_ - 1);
        const auto k = std::min(static_cast<std::size_t>(x), n_ - 2);
        const double w = x - static_cast<double>(k);
        return (1 - w) * s_[side].points[k] + w * s_[side].points[k + 1];
    }
    [[nodiscard]] Vec3 blended(double u, double v) const {
        const Vec3 &p00 = s_[0].points.front(), &p10 = s_[0].points.back(), &p11 = s_[2].points.front(), &p01 = s_[2].points.back();
        return (1 - v) * between(0, u) + v * between(2, u) + (1 - u) * between(3, v) + u * between(1, v) -
               ((1 - u) * (1 - v) * p00 + u * (1 - v) * p10 + u * v * p11 + (1 - u) * v * p01);
    }
    const std::array<PatchSide, 4>& s_;
    std::size_t n_;
};

}  // namespace

NurbsSurface smooth_patch(const std::array<PatchSide, 4>& sides) {
    const std::size_t n = sides[0].points.size();
    return through_net(Patch(sides).net(), n, n);
}

}  // namespace halvo
