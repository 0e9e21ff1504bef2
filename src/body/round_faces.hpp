#pragma once
/// Rounds among the faces of a body, also those that CAD leaves as splines.

#include "geom/pipe.hpp"

#include <halvo/assembly.hpp>

#include <map>
#include <optional>

namespace halvo {

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
