#pragma once
#include <halvo/types.hpp>

namespace halvo {

/// Twice the area of the triangle that two plane vectors span; positive where `b` lies to the left of `a`.
[[nodiscard]] inline double cross(const Vec2& a, const Vec2& b) {
    return a.x() * b.y() - a.y() * b.x();
}

}  // namespace halvo
