#pragma once
#include <halvo/assembly.hpp>

namespace halvo {

/// Of the edges of a face.
[[nodiscard]] Box3 box_of_borders(const Body& body, const Face& face);
/// Are two faces of a body one face twice: of one size and kind, with borders along each other, within `reach` (mm)?
[[nodiscard]] bool lie_on_each_other(const Body& body, std::size_t f, std::size_t g, double reach);

}  // namespace halvo
