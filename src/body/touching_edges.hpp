// Edges where a solid touches itself: four faces and more at one edge.
#pragma once

#include <halvo/assembly.hpp>

namespace halvo {

/// Says whether the body is closed: every edge bounds two faces, or an even number in turns of material and void. Edges of the second kind
/// get copies until each bounds two faces with material between them; those of a body that is not closed stay.
void part_touching_edges(Body& body);

}  // namespace halvo
