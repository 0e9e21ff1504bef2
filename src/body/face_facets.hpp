#pragma once
/// Facets of bodies from their exact faces: an index for finding things, not the answer.

#include "body/face_outlines.hpp"

namespace halvo {

struct FacetLimits {
    double chord = 0.1;  ///< how far facets may stand off the surface (mm)
    double turn = 0.2;   ///< how far the surface may turn along one (rad)
};

/// Sets points, facets, parameters, the coedges' parameters, and degenerate edges at poles, of a body that has faces, loops and edges.
/// Facets of neighbours share places on their edge. Throws NotLaid.
void facet_faces(Body& body, const FacetLimits& limits);

/// Splines that are plain surfaces where a face lies become these; the others keep what the faces on them take of them. `chord` is how
/// finely loops are laid out for that.
void trim_splines(Body& body, double chord);

/// Both, with a chord error made from the thickness of the body.
void facet_by_thickness(Body& body);

}  // namespace halvo
