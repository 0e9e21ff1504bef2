#pragma once
/// What counts as a corner of an outline and what as none: the same on a model's edges and on the points of a mesh's border.

#include <halvo/types.hpp>

#include <cmath>
#include <optional>

namespace halvo {

inline constexpr double corner_turn = 40 * pi / 180;  ///< more than this is a corner
inline constexpr double smooth_turn = 25 * pi / 180;  ///< less than this is none

/// Places in a loop of points where the outline turns to the left by at least a corner's angle; nothing where it turns by something
/// between that and none, or to the right.
inline std::optional<std::vector<std::size_t>> corners_of(const std::vector<Vec2>& points, const std::vector<int>& loop) {
    const std::size_t n = loop.size();
    const auto at = [&](std::size_t i) -> const Vec2& { return points[static_cast<std::size_t>(loop[i % n])]; };
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < n; ++i) {
        const Vec2 in = at(i) - at(i + n - 1), on = at(i + 1) - at(i);
        const double turn = std::atan2(in.x() * on.y() - in.y() * on.x(), in.dot(on));
        if (turn >= corner_turn) out.push_back(i);
        else if (std::abs(turn) > smooth_turn) return std::nullopt;
    }
    return out;
}

}  // namespace halvo
