#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// Moves the profile to its centroid and fills area, second moments, principal values and depth.
void fill_area_values(Section& s);

/// Recognises the profile by its corners (fillets and toe rounds set aside) and fills shape and dimensions.
void name_shape(Section& s);

/// Corners of a profile's loop where neighbouring straight runs meet when rounds between them are set aside; none where two of them are parallel.
[[nodiscard]] std::vector<Vec2> sharp_corners(const std::vector<Curve>& loop);

}  // namespace halvo
