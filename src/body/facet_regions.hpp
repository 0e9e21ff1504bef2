#pragma once
#include "body/facet_mesh.hpp"

#include <halvo/geometry.hpp>

namespace halvo {

/// Facets that lie on one plane, cylinder, cone or sphere; FreeSurface where they fit none.
struct FacetRegion {
    Surface surface;
    std::vector<int> facets;
    double rms = 0;  ///< of the corners' distances from the surface
};

struct FacetRegions {
    std::vector<FacetRegion> regions;
    double noise = 0;  ///< estimated scatter of the corners; 0 for a clean tessellation
    double side = 0;   ///< mean length of a facet side
};

/// Segments a skin by growing regions from flat seeds, each with the plain surface that carries it furthest, fitted again as it
/// grows (Besl & Jain, Segmentation through variable-order surface fitting, 1988). A clean tessellation is tried first: corners
/// exactly on the surface, steps of the facets alike; then forms that the corners only come near, and splines where neither carries a
/// patch. What that leaves unexplained counts as scanned: the scatter is estimated
/// from local quadric fits, normals are smoothed (Zheng, Fu, Au & Tai, Bilateral normal filtering, 2011), and distances within
/// a few times the scatter count as on the surface.
[[nodiscard]] FacetRegions facet_regions(const FacetMesh& mesh);

}  // namespace halvo
