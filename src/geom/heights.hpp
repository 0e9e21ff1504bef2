#pragma once
/// Signed distances of many points from a surface, where only those near it are wanted to the full.

#include <halvo/types.hpp>

#include <array>
#include <functional>

namespace halvo {

/// For each point its height by `height`; points that lie all to one side of the surface, as the distance of the middle of a box
/// around them tells, get that of the middle instead. Of triangles through which the surface passes all corners are exact.
/// `height` is to change by hardly more than the way that its point goes, as distances do.
[[nodiscard]] std::vector<double> heights_near_zero(const std::vector<Vec3>& points, const std::vector<std::array<int, 3>>& triangles,
                                                    const std::function<double(const Vec3&)>& height);

}  // namespace halvo
