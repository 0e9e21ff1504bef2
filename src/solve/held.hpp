#pragma once
#include "solve/building.hpp"

namespace halvo {

/// A node that a support holds, and how.
struct HeldNode {
    std::vector<std::pair<Vec3, double>> moves;  ///< unit directions along which it is held, and how far along each it is moved (mm)
    std::vector<Vec3> springs;                   ///< directions along which it is sprung
    bool turns = false;                          ///< held against turning too
    bool turned = false;                         ///< and turned by so much as is not nothing
};
/// What one rule asks of each node, by its number among `nodes`.
[[nodiscard]] std::map<std::int32_t, HeldNode> held_by(const std::vector<Vec3>& nodes, const Picker& picker, const SupportRule& rule);

/// The same of all supports of a model, with places: what pictures mark.
struct HeldPlace {
    Vec3 at = Vec3::Zero();
    std::size_t support = 0;  ///< number of the rule
    HeldNode how;
};
/// For a model that `solve` has taken: throws as that does.
[[nodiscard]] std::vector<HeldPlace> held_places(const Model& model, const Mesh& mesh, const SolveOptions& options, const JoinOptions& names);

}  // namespace halvo
