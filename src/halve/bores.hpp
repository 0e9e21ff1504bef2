#pragma once
/// Voids inside the thickness of walls, as bores along them: their sheets run through.

#include "geom/box_tree.hpp"
#include "halve/wall_surface.hpp"

namespace halvo {

/// A void over and under a point of a midsurface, with the wall's material between it and both sides, one of them its own at least.
struct VoidInside {
    double depth = 0;
    std::array<int, 2> faces{-1, -1};  ///< of the void, no sides of walls
    bool own = true;                   ///< behind the material are the wall's own sides, not a rib that stands there
};

/// Refers to the walls: their `near` may change.
class Bores {
public:
    /// `tol`: by how much points, and polygons and their curves, miss each other.
    Bores(const Body& body, const BodyBoxes& boxes, const std::vector<WallSurface>& walls, double tol);

    /// The void of wall `i` at a point of its midsurface.
    [[nodiscard]] std::optional<VoidInside> at(std::size_t i, const Vec3& p) const;
    /// Is a point of wall `i` that lies in no material in a void of it, or of one that may cross it?
    [[nodiscard]] bool hold(std::size_t i, const Vec3& p) const;

private:
    [[nodiscard]] std::vector<Box3> ceilings_of(const WallSurface& w, const std::vector<int>& faces, const BodyBoxes& boxes) const;

    const Body& body_;
    const std::vector<WallSurface>& walls_;
    double tol_;
    std::vector<bool> is_side_;      // each face: of some wall
    std::vector<BoxTree> ceilings_;  // each wall: skin within its thickness that looks at its midsurface and is no side
};

}  // namespace halvo
