#pragma once
#include "halve/wall_surface.hpp"

namespace halvo {

/// A face that fills the inward corner of two sheets: a fillet or a chamfer at the root of a rib, a flange, a branch.
struct RootFillet {
    int face = -1;
    double volume = 0;  ///< of the material between it and the sheets' sides (mm3)
    double depth = 0;   ///< of that material at most (mm)
    Vec3 place = Vec3::Zero();
};

/// Those among faces that are no side and no rim of a sheet of the body, whose sheets the model has already. Volume: along the inward
/// normals to the sheets' sides, with Steiner's correction where the face is bent.
[[nodiscard]] std::vector<RootFillet> root_fillets(const Model& model, const Assembly& solids, BodyId body, const std::vector<int>& loose_faces);

}  // namespace halvo
