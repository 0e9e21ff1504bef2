#pragma once
/// STEP files written as text, for parts that the CAD kernel can neither build nor read in reasonable time.

#include <string>

namespace make {

enum class Bores {
    with_seam,
    no_seam,  ///< as many CAD systems write it: two circles bound the round face
    turned    ///< and these begin at different places
};

/// A plate of n x n bores of radius 3 at 10 mm, 2 thick, as the text of a STEP file. `more_items` are references that the shape holds
/// beside the solid, such as ",#7".
[[nodiscard]] std::string perforated(int n, Bores kind, const std::string& name = "sheet", const std::string& more_items = "");

}  // namespace make
