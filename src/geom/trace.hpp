#pragma once
/// Intersection of two surfaces, traced over a triangulated patch of one of them and brought onto both.

#include <halvo/geometry.hpp>

#include <array>
#include <functional>

namespace halvo {

/// Foot of a point on a surface, with the surface's unit normal there.
using FootOn = std::function<SkinPoint(const Vec3&)>;

/// Triangles of a patch of the first surface and the signed distance of their corners from the second one.
struct TracePatch {
    std::vector<Vec3> points;
    std::vector<double> heights;
    std::vector<std::array<int, 3>> triangles;
};

/// A chain of places where the second surface passes through edges of the patch.
struct ZeroChain {
    std::vector<std::array<int, 2>> edges;  ///< corner numbers, smaller first
    std::vector<Vec3> points;               ///< straight between the corners
    bool closed = false;
};

/// All chains, each from border to border of the patch or closed. Corners at heights down to `-tol` count as above.
[[nodiscard]] std::vector<ZeroChain> zero_chains(const TracePatch& patch, double tol);

/// The point on both surfaces near `p`; nothing where the surfaces touch without crossing.
[[nodiscard]] std::optional<Vec3> onto_both(const FootOn& a, const FootOn& b, const Vec3& p);

/// Curve on both surfaces through a rough chain, its ends kept as they are; points are added until the pieces keep to `tol`.
[[nodiscard]] std::optional<Curve> curve_on_both(const FootOn& a, const FootOn& b, std::vector<Vec3> chain, bool closed, double tol);

}  // namespace halvo
