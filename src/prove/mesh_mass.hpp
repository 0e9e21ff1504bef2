#pragma once
#include <halvo/prove.hpp>

namespace halvo {

/// What the elements of each body weigh (as volume, mm3).
struct MeshMass {
    double raw = 0;      ///< areas by thickness, lines by section, couplings: as an analysis program sees it
    double beyond = 0;   ///< of that outside the body: carried on into neighbours and over gaps
    double doubled = 0;  ///< held by two slabs of the body where its sheets meet, less what neither holds at their outer corner
    double spared = 0;   ///< material of the body past a junction with another that its own slabs do not hold: slabs of that other stand for as much
    [[nodiscard]] double net() const { return raw - beyond - doubled + spared; }
};

/// From the mesh and the solids alone; of the model only areas of sections, axes of members and volumes of couplings. Junctions are element edges
/// at which several sheets meet: there the slabs of one body are taken off each other in closed form, and those that run into another body are
/// followed to where their own solid begins.
[[nodiscard]] std::vector<MeshMass> mesh_masses(const Assembly& solids, const Model& model, const Mesh& mesh);

}  // namespace halvo
