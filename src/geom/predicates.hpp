#pragma once
#include <halvo/types.hpp>

namespace halvo {

/// Sign of the doubled area of triangle abc: > 0 counter-clockwise. Exact sign: a floating-point filter first, then
/// expansion arithmetic (Shewchuk, Adaptive precision floating-point arithmetic and fast robust geometric predicates, 1997).
[[nodiscard]] double orient(const Vec2& a, const Vec2& b, const Vec2& c);
/// > 0 when d lies inside the circle through a, b, c (counter-clockwise). Exact sign, same method.
[[nodiscard]] double in_circle(const Vec2& a, const Vec2& b, const Vec2& c, const Vec2& d);

}  // namespace halvo
