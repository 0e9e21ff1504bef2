#pragma once
#include <halvo/mesh.hpp>

namespace halvo {

/// The rules of the options in the model's own coordinates, bodies as the keys of their sheets and members. Throws Error{input} where a rule
/// names a body that the model does not have, and Error{usage} where the model does not know the names of its bodies.
[[nodiscard]] MeshOptions placed_rules(MeshOptions options, const Model& model);

/// A finding for each rule (as placed_rules left it) that picks nothing of the model.
[[nodiscard]] std::vector<Finding> idle_rules(const MeshOptions& placed, const Model& model);

}  // namespace halvo
