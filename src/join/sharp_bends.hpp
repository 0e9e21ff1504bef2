#pragma once
/// Bends that are a sharp edge at the side their walls are to lie at.

#include <halvo/model.hpp>

#include <set>

namespace halvo {

/// Each sheet: does the line of a member lie in it? Such a sheet stays at the middle of its wall.
[[nodiscard]] std::vector<bool> sheets_with_members(const Model& model);

struct SharpBends {
    std::vector<double> volumes;  ///< each sheet left: of bends beside it that it stands for as well (mm3)
    std::set<BodyId> bodies;      ///< with a bend that cannot go: all of them stays at the middle
};

/// Nothing of such a bend's sheet is left at that side: it goes, and the walls beside it share the line where their sides meet. Their
/// edges and vertices lie where they lay: placing them is the caller's.
[[nodiscard]] SharpBends close_sharp_bends(Model& model);

}  // namespace halvo
