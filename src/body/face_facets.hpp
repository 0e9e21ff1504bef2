#pragma once
/// Facets of bodies from their exact faces: an index for finding things, not the answer.

#include "body/face_outlines.hpp"

#include <optional>

namespace halvo {

inline constexpr double coarse_chord = 0.005;  // of a body's size: facets that tell volume and area to a few per cent

/// Sets facets, parameters, seams and degenerate edges at poles of a body that has faces, loops and edges. Facets only find things: their
/// chord error is made from the body's thickness, and corners of neighbours are the same to the last digit. Splines that are plain surfaces
/// where a face lies become these; the others keep what the faces on them take of them. Throws NotLaid.
void facet_by_thickness(Body& body);

/// The chord error (mm) that facets need to lie well within thin curved walls, a few hundredths of the thickness that coarse ones tell;
/// nothing where these, turning by no more than `turn` (rad), do already. `size` is the body's.
[[nodiscard]] std::optional<double> finer_chord(const Body& body, double size, double turn);

}  // namespace halvo
