#pragma once
#include <halvo/assembly.hpp>

namespace halvo {

/// Faces that run all round a cylinder, a cone, a sphere or a torus and whose loops do so without touching: a seam joins them, as most
/// files give it, so that each face is bounded by one loop that closes in the surface's parameters. Round a pole or an apex the seam ends
/// there. Edges are parted where the seam meets none of their ends.
void add_seams(Body& body);

}  // namespace halvo
