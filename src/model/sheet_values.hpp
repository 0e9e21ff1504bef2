#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// Loops of a region as polygons in the sheet's chart, arcs within `chord`.
[[nodiscard]] std::vector<std::vector<Vec2>> region_polygons(const Model& model, const Frame& chart, const Region& region, double chord);

/// Least, mean and largest thickness over a sheet's regions, from its field.
void fill_thickness(const Model& model, Sheet& sheet);

}  // namespace halvo
