#pragma once
/// Narrow passages of regions in the plane.

#include <halvo/types.hpp>

#include <vector>

namespace halvo {

/// The parts of a region (loops, by the even-odd rule) where a disc `width` across finds room, with their corners: passages and tongues
/// narrower than that and longer than wide are cut off where they begin. Nothing when no such disc fits; the loops as they are when nothing
/// is cut off. Told by the circumcircles of a constrained Delaunay triangulation of the densely divided outline.
[[nodiscard]] std::vector<std::vector<Vec2>> wide_parts(const std::vector<std::vector<Vec2>>& loops, double width);

}  // namespace halvo
