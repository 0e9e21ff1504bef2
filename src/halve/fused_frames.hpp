#pragma once
#include <halvo/assembly.hpp>
#include <halvo/model.hpp>

namespace halvo {

/// Names bodies that are frames of bars run together into one solid, whose bars became shells though members were wanted.
void note_fused_frames(Model& model, const Assembly& solids, double slender);

}  // namespace halvo
