#pragma once
#include <halvo/mesh.hpp>

namespace halvo {

/// The four chains a region's only loop falls into at its corners, as places in the loop; empty when it is not four-sided. Edges shorter
/// than `least` do not count.
[[nodiscard]] std::vector<std::vector<std::size_t>> four_sides(const Model& model, const Sheet& sheet, const Region& region, double least = 0);

/// Does the rule speak of holes of this diameter?
[[nodiscard]] bool holds_diameter(const HoleRule& rule, double diameter);

/// Element size of a model when none is given: one hundredth of it, at least twice the thickest sheet. Small sheets are finer, see sheet_sizes.
[[nodiscard]] double default_size(const Model& model);

/// Element size of each sheet: the given one, else a sixteenth of the sheet up to the model's default; by the last rule that fits it, and fine enough for the
/// elements asked for across it.
[[nodiscard]] std::vector<double> sheet_sizes(const Model& model, const MeshOptions& options);

/// Elements along each edge of the model, and where its inner nodes stand (shares of its length) where that is not evenly.
struct EdgeDivisions {
    std::vector<int> counts;  ///< 0: closed to a point
    std::vector<std::vector<double>> places;
    std::vector<int> vertex;  ///< for each vertex the one whose node it has: itself, but at edges closed to a point
};
[[nodiscard]] EdgeDivisions edge_divisions(const Model& model, const MeshOptions& options);

}  // namespace halvo
