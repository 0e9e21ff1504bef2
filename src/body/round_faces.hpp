#pragma once
/// Rounds among the faces of a body, also those that CAD leaves as splines.

#include "geom/pipe.hpp"

#include <halvo/assembly.hpp>

#include <map>
#include <optional>

namespace halvo {

/// All faces of a body that lie on one cylinder, and how far they go along it and round it.
struct RoundBand {
    std::vector<int> faces;
    double low = 0, high = 0;  ///< along the cylinder's axis (mm)
    double area = 0;           ///< (mm2)
    double radius = 0;         ///< (mm)
    /// How often they go round, if they were so long along the axis (mm).
    [[nodiscard]] double turns(double length) const { return area / (2 * pi * radius * std::max(length, 1e-12)); }
};
[[nodiscard]] RoundBand band_round(const Body& body, const CylinderSurface& cylinder);

/// Refers to the body. What is found out of a face is kept.
class RoundFaces {
public:
    explicit RoundFaces(const Body& body) : body_(body) {}

    static constexpr double like = 0.01;  ///< of the radius, within which a spline face counts as the round it is close to

    /// The face's surface, or the round that a spline one is close to.
    [[nodiscard]] const Surface& surface(int face) const;
    /// Of its circles, or of the ball that a spline face was rolled by; nothing where it is no round.
    [[nodiscard]] std::optional<double> radius(int face) const;
    /// The centre of its circle, or of that ball, at a point.
    [[nodiscard]] std::optional<Vec3> spine(int face, const Vec3& p) const;
    /// Does the skin bulge out, away from the line its circles have their centres on?
    [[nodiscard]] bool bulges(int face) const;

private:
    [[nodiscard]] std::optional<Surface> round_like(const Face& face) const;
    /// Of spline faces that are no cylinder, torus or sphere: the ball they are rolled by.
    [[nodiscard]] const std::optional<RollingBall>& ball_of(int face) const;
    [[nodiscard]] Vec3 middle_of(std::size_t facet) const;

    const Body& body_;
    mutable std::map<int, Surface> alike_;  // of spline faces
    mutable std::map<int, std::optional<RollingBall>> balls_;
};

}  // namespace halvo
