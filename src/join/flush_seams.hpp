#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// A wall that stands a half thickness in from a rim at the middle is flush with it at the side: where a seam inside a sheet that was placed
/// there lies on the sheet's rim, it becomes the rim. Edges that links, ties, members or couplings hold stay as they are.
void close_flush_seams(Model& model);

}  // namespace halvo
