#pragma once
#include <halvo/assembly.hpp>

namespace halvo {

/// A body that carries one profile along a straight line.
struct Prism {
    Frame frame;                              ///< origin on the centroid line, z along it, x and y the section axes
    double start = 0, end = 0;                ///< where the centroid line leaves the body, along z
    std::vector<std::vector<Curve>> profile;  ///< loops in the frame's plane (z = 0), about the centroid, outer first
    double area = 0;
    double depth = 0;           ///< largest extent of the profile across
    double width = 0;           ///< smallest extent across (in the axes of the longest side)
    std::vector<bool> lateral;  ///< for each face: is it swept along the line?
    double filled = 1;          ///< volume of the body over area times length
    [[nodiscard]] double length() const { return end - start; }
};

/// Nothing when no direction gives a constant profile.
[[nodiscard]] std::optional<Prism> find_prism(const Body& body, double tol);

/// A flat bar: one loop of four straight sides.
[[nodiscard]] bool is_flat_bar(const Prism& p);

}  // namespace halvo
