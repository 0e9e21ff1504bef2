#pragma once
#include <halvo/assembly.hpp>

namespace halvo {

/// Some faces of a body with the edges, vertices and facets they use.
[[nodiscard]] Body body_of_faces(const Body& from, const std::vector<std::size_t>& faces);

/// Faces that belong to no shell, split into groups that touch each other within a thousandth of a millimetre (or a
/// hundred-thousandth of the whole). Edges stay each face's own: nothing is sewn.
[[nodiscard]] std::vector<Body> split_by_touch(const Body& loose);

/// Turns a face over; facets stay as they are.
void turn_face(Face& face);

/// A closed skin that encloses a negative volume is turned inside out; Body::turned says so.
void turn_outward(Body& body);

}  // namespace halvo
