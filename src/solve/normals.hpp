#pragma once
#include <halvo/structure.hpp>

namespace halvo {

/// Normal of the shell at each corner of each element: one for all elements round a node that go on smoothly in each other, so that bending and
/// twist pass from one to the next and do not lean on the rotation about the normal (the hook that Raasch posed; Knight, AIAA Journal 35, 1997).
[[nodiscard]] std::vector<std::array<Vec3, 4>> smooth_normals(const Structure& structure);

}  // namespace halvo
