#include "view/palette.hpp"

#include <algorithm>
#include <cmath>

namespace halvo::view {
namespace {

// CIE L*C*h (D65) to sRGB, clipped.
Colour from_lch(double l, double c, double hue) {
    const double a = c * std::cos(hue), b = c * std::sin(hue);
    const double fy = (l + 16) / 116, fx = fy + a / 500, fz = fy - b / 200;
    const auto cube = [](double f) { return f > 6.0 / 29 ? f * f * f : 3 * (6.0 / 29) * (6.0 / 29) * (f - 4.0 / 29); };
    const double x = 0.95047 * cube(fx), y = cube(fy), z = 1.08883 * cube(fz);
    const auto gamma = [](double v) { return std::clamp(v <= 0.0031308 ? 12.92 * v : 1.055 * std::pow(v, 1 / 2.4) - 0.055, 0.0, 1.0); };
    return {gamma(3.2406 * x - 1.5372 * y - 0.4986 * z), gamma(-0.9689 * x + 1.8758 * y + 0.0415 * z), gamma(0.0557 * x - 0.2040 * y + 1.0570 * z)};
}

constexpr double degree = 3.14159265358979323846 / 180;

}  // namespace

Colour field(double share) {
    const double t = std::clamp(share, 0.0, 1.0);
    // Chroma stays inside sRGB along the whole path, so that no channel clips and the steps stay even.
    const double c = 46 - 16 * std::sin(3.14159265358979323846 * t) + 12 * t;
    return from_lch(26 + 64 * t, c, (305 - 210 * t) * degree);
}

Colour category(int i) {
    // Hues in steps of the golden angle, lightness alternating, so that neighbours in a list differ in both.
    const double hue = std::fmod(200 + 137.508 * i, 360.0) * degree;
    return from_lch(i % 2 ? 58 : 74, 38, hue);
}

}  // namespace halvo::view
