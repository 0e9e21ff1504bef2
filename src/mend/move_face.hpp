#pragma once
/// A plane face of a body moved along its normal; what borders on it goes on or ends earlier.

#include <halvo/mend.hpp>

namespace halvo {

/// A body that runs into another one, or stops short of it, with one of its plane faces moved to the other's.
struct FaceMoved {
    std::optional<Body> body;
    int face = -1;
    double by = 0;  ///< outward; negative where it is moved back (mm)
    Vec3 place = Vec3::Zero();
};

/// The body with a plane face moved outward by a distance; nothing where faces beside it do not meet it then, or are tangent to it.
[[nodiscard]] std::optional<Body> with_face_moved(const Body& body, int face, double by, double tol);

/// Moves the plane face of `body` that lies inside `other`, and looks against a plane face of it, back to that: the one that has to go least far
/// for the two to run into each other no more.
[[nodiscard]] FaceMoved moved_back(const Body& body, const Body& other, double tol);
/// Moves the plane face of `body` that stands off a plane face of `other`, in front of it and by at most `reach`, up to that.
[[nodiscard]] FaceMoved moved_up(const Body& body, const Body& other, double reach, double tol);

}  // namespace halvo
