#pragma once
#include <halvo/types.hpp>

#include <vector>

namespace halvo {

/// A box of any orientation: its frame stands in the middle.
struct OrientedBox {
    Frame frame;
    Vec3 half = Vec3::Zero();
};

/// Round points, one side square to `z`, the others along the smallest rectangle that holds what they look like from there.
[[nodiscard]] OrientedBox box_round(const std::vector<Vec3>& points, const Vec3& z);

/// Have two boxes a point in common (separating axes: S. Gottschalk et al., OBBTree, 1996)?
[[nodiscard]] bool intersect(const OrientedBox& a, const OrientedBox& b);

}  // namespace halvo
