#pragma once
#include <halvo/solve.hpp>

namespace halvo {

/// A place that a support holds, and how: what pictures mark.
struct HeldPlace {
    Vec3 at = Vec3::Zero();
    std::vector<Vec3> moves, springs;  ///< directions along which it is held, or sprung
    bool turns = false;                ///< held against turning too
    std::size_t support = 0;           ///< number of the rule
};

/// Of all supports, node by node. For a model that `solve` has taken: throws as that does.
[[nodiscard]] std::vector<HeldPlace> held_places(const Model& model, const Mesh& mesh, const SolveOptions& options, const JoinOptions& names);

}  // namespace halvo
