#pragma once
#include <halvo/assembly.hpp>
#include <halvo/axis.hpp>

namespace halvo {

inline constexpr double swept_angle = 1e-5;   ///< sine of the angle at which a surface counts as parallel to a line
inline constexpr double same_area = 5e-3;     ///< relative difference at which two sections count as one profile
inline constexpr double filled_least = 0.80;  ///< volume against area times length: bolt holes and copes take this much at most
inline constexpr double filled_most = 1.02;   // of profile by length, that a bar may have: ends that stand out

/// A body that carries one profile along a line of straight pieces and arcs.
struct Prism {
    Axis axis;                                ///< the centroid line from end to end of the body
    Frame frame;                              ///< of the section that was measured: origin on the centroid line, z along it, x and y the section axes
    std::vector<std::vector<Curve>> profile;  ///< loops in the frame's plane (z = 0), about the centroid, outer first
    double area = 0;
    double depth = 0;           ///< largest extent of the profile across
    double width = 0;           ///< smallest extent across (in the axes of the longest side)
    std::vector<bool> lateral;  ///< for each face: is it swept along the line?
    double filled = 1;          ///< volume of the body over area times length
    [[nodiscard]] double length() const { return axis.length(); }
};

/// Nothing when no direction gives a constant profile.
[[nodiscard]] std::optional<Prism> find_prism(const Body& body, double tol);

/// Is it a plane or cylinder that a profile carried along `d` sweeps?
[[nodiscard]] bool runs_along(const Surface& surface, const Vec3& d);

/// The same for bodies bent along arcs, walked from an end face that stands square to the line; part of find_prism.
[[nodiscard]] std::optional<Prism> find_bent(const Body& body, double tol);

/// The same for bodies along any smooth line, and for closed rings, section by section; part of find_prism.
[[nodiscard]] std::optional<Prism> find_swept(const Body& body, double tol);

/// Sets profile, frame (moved to the centroid, turned to the longest side), area and extents from the loops of a section in the plane
/// of `p.frame`; false when there is not one outer loop. `size` is what the chord error is measured by.
[[nodiscard]] bool take_profile(Prism& p, std::vector<std::vector<Curve>> loops, double size);

/// Centroid of a face's facets.
[[nodiscard]] Vec3 face_centroid(const Body& body, const Face& face);

/// A flat bar: one loop of four straight sides.
[[nodiscard]] bool is_flat_bar(const Prism& p);

}  // namespace halvo
