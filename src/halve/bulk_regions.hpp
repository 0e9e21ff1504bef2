#pragma once
#include "halve/wall_surface.hpp"

namespace halvo {

/// Solid regions of a body that has sheets: what lies behind skin that no sheet accounts for. Each becomes a coupling: rigid, with its
/// volume at its centre, tied to the sheets' edges that end at it and to points of the sheets beside it that go on. Told on grids of
/// points in the solid, round the loose faces and round `seeds` (places of skin outside walls on faces that lie in walls elsewhere);
/// volumes add up to what the sheets leave of the body. Returns the faces that this accounts for.
std::vector<int> couple_bulk_regions(Model& model, const Assembly& solids, int body, const std::vector<WallSurface>& walls,
                                     const std::vector<int>& loose_faces, const std::vector<Vec3>& seeds);

/// For each region that skin without a sheet bounds, the two faces that make the thickest sheet of it: those that see each other over
/// most area for their distance.
[[nodiscard]] std::vector<NamedFaces> thick_pairs(const Skin& skin, const std::vector<int>& loose_faces);

}  // namespace halvo
