#pragma once
#include "halve/root_fillets.hpp"
#include "halve/wall_surface.hpp"

namespace halvo {

/// Skin of a body that no sheet accounts for.
struct LooseSkin {
    std::vector<int> faces;
    std::vector<Vec3> places;       ///< outside walls, on faces that lie in walls elsewhere
    std::vector<RootFillet> roots;  ///< whose material is left out already
};

/// Solid regions of a body that has sheets: what lies behind loose skin. Each becomes a coupling: rigid, with its volume at its centre,
/// tied to the sheets' edges that end at it and to points of the sheets beside it that go on. Told on grids of points in the solid, which
/// give their volumes; where these are what the sheets leave of the body to within what a grid can tell, they are made to be just that.
/// Returns the faces that this accounts for.
std::vector<int> couple_bulk_regions(Model& model, const Assembly& solids, BodyId body, const std::vector<const WallSurface*>& walls, const LooseSkin& loose);

/// For each region that skin without a sheet bounds, the two faces that make the thickest sheet of it: those that see each other over
/// most area for their distance. Only regions at least `least_long` times as long as they are wide and that is thick.
[[nodiscard]] std::vector<NamedFaces> thick_pairs(const Body& body, const Skin& skin, const std::vector<int>& loose_faces, double least_long);

}  // namespace halvo
