#pragma once
#include <halvo/assembly.hpp>
#include <halvo/model.hpp>

#include <array>

namespace halvo {

/// A closed chain of points in the chart; on closed surfaces it is followed past the cut rather than jumping there.
[[nodiscard]] std::vector<Vec2> unrolled(const Chart& chart, const std::vector<Vec3>& points);

/// Does the unrolled chain come back to where it began? Not when it runs once round a closed surface.
[[nodiscard]] bool closes(const Chart& chart, const std::vector<Vec3>& points, const std::vector<Vec2>& unrolled, double tol);

/// Places on the surface just past an edge, `by` mm to its right in the sense of use: away from a sheet whose loop it is part of.
[[nodiscard]] std::array<Vec3, 5> past_edge(const Chart& chart, const Curve& edge, bool reversed, double by);
/// So many of these tell what lies past most of it.
inline constexpr int most_past_edge = 4;  // of five places

/// Does the body go on past most of an edge of a sheet, a quarter of its thickness from it? Where a sheet ends at air, that is past its rim.
[[nodiscard]] bool ends_in_solid(const Model& model, const Body& body, const Sheet& sheet, const EdgeUse& use);

/// Loops of a region as polygons in the sheet's chart, arcs within `chord`.
[[nodiscard]] std::vector<std::vector<Vec2>> region_polygons(const Model& model, const Chart& chart, const Region& region, double chord);

/// Least, mean and largest thickness over a sheet's regions, from its field.
void fill_thickness(const Model& model, Sheet& sheet);

/// How far the sides of a sheet's wall are from it at most: half its thickness where it is the wall's middle, more where the wall has steps or
/// the sheet lies at a side of it.
[[nodiscard]] double deepest_side(const Model& model, const Sheet& sheet);

/// A sheet whose surface no solid is behind on two sides: one thickness, all of its area its own.
void take_as_it_is(const Model& model, Sheet& sheet, double thickness);

/// Round the sheet, with what it may bulge between its outline where it is curved.
[[nodiscard]] Box3 sheet_box(const Model& model, const Sheet& sheet);

/// Is the sheet, or the wall that it is the midsurface of, among the ids?
[[nodiscard]] bool has_id(const Sheet& sheet, const std::vector<std::string>& ids);

}  // namespace halvo
