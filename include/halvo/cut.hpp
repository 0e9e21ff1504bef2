#pragma once
/// Bodies cut by planes.

#include <halvo/assembly.hpp>

namespace halvo {

/// The parts of a body before and behind a plane, each closed by faces on it; empty where the body lies on one side alone. Edges and faces are
/// parted exactly where their curves and surfaces meet the plane. Throws Error{stage} where the skin is open or cannot be parted.
struct CutParts {
    std::optional<Body> front, back;
    bool crossed = false;  ///< does the plane pass through the body?
};
[[nodiscard]] CutParts cut_by(const Body& body, const Plane& plane, double tol);

}  // namespace halvo
