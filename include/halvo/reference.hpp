#pragma once
/// The structure once more as a solid: eight-node elements in the body that one of its faces sweeps out, under the same supports and loads.

#include <halvo/assembly.hpp>
#include <halvo/solve.hpp>

namespace halvo {

/// Solves every case of `solution` on the solid and lists figures of both side by side. Throws Error{stage} with one line where the solid is not one body
/// that a plane face, moved along a line or turned about an axis, sweeps out, and for loads that the solid cannot be given.
[[nodiscard]] SolidReference solid_reference(const Assembly& solids, const Model& model, const Mesh& mesh, const SolveOptions& options,
                                             const JoinOptions& names, const Solution& solution, const Observer& observer = {});

}  // namespace halvo
