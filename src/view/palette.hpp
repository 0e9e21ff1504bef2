#pragma once
#include <array>

namespace halvo::view {

struct Colour {
    double r = 0, g = 0, b = 0;
    [[nodiscard]] Colour shaded(double k) const { return {r * k, g * k, b * k}; }
    [[nodiscard]] Colour towards(const Colour& o, double w) const { return {r + w * (o.r - r), g + w * (o.g - g), b + w * (o.b - b)}; }
};

/// One palette for everything drawn. The field map runs from dark violet to light yellow with lightness rising evenly in
/// CIELAB, so that it reads in grey as well; lines differ in width or pattern besides their colour.
[[nodiscard]] Colour field(double share);
[[nodiscard]] Colour category(int i);

inline constexpr Colour paper{0.985, 0.985, 0.98}, ink{0.13, 0.15, 0.19}, faint{0.55, 0.58, 0.62};
inline constexpr Colour free_edge{0.47, 0.16, 0.62}, shared_edge{0.62, 0.64, 0.66}, three_sheets{0.05, 0.42, 0.75}, four_sheets{0.90, 0.45, 0.05};
inline constexpr Colour member_line{0.10, 0.36, 0.36}, link_line{0.72, 0.10, 0.25}, tie_line{0.35, 0.45, 0.10}, neutral{0.80, 0.82, 0.84};

}  // namespace halvo::view
