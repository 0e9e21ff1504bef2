#pragma once
/// Where charts of closed surfaces are centred, and so where they are cut open.

#include "body/wall_search.hpp"

namespace halvo {

/// Where to centre the chart of a surface of which points are given: closed surfaces are cut open where these leave the widest gap,
/// or where the CAD author's own parameters begin.
[[nodiscard]] Vec3 chart_middle(const Surface& surface, const std::vector<Vec3>& points);

/// Walls that go all round are cut open where no rib's foot runs along the cut: clear of the corners of the wall's faces beside it.
void centre_chart(const Body& body, Wall& wall);

}  // namespace halvo
