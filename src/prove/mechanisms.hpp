#pragma once
#include <halvo/assembly.hpp>
#include <halvo/model.hpp>

namespace halvo {

/// How many ways the model can move without any stiffness of its own against it.
struct Mobility {
    int rigid_body_modes = 0;        ///< six for each connected part, and one for each mechanism
    int mechanisms = 0;              ///< sheets on a hinge: what only ties along straight lines hold
    std::vector<Finding> findings;   ///< each mechanism
    std::vector<LedgerEntry> notes;  ///< members that nothing but sheets' drilling stiffness keeps from spinning
};

/// Whatever shares edges, vertices or rigid links moves as one; ties hold displacements and no rotations. The rank of what the ties ask
/// of the rigid motions of these groups says what is left free.
[[nodiscard]] Mobility mobility(const Model& model, const Assembly& solids);

/// Free edges of sheets that lie within reach of another body's sheet along most of their length and are not joined to it.
[[nodiscard]] std::vector<Finding> free_edge_findings(const Model& model, const Assembly& solids, double reach);

/// Free edges of sheets past which their own solid goes on along most of their length, and that nothing holds: one finding a sheet.
[[nodiscard]] std::vector<Finding> buried_edge_findings(const Model& model, const Assembly& solids);

}  // namespace halvo
