#pragma once
#include <halvo/strip.hpp>

namespace halvo {

/// Sets families and patterns, and which holes look like bolt holes. Holes of other bodies across from one count for that.
void sort_families(const Assembly& solids, std::vector<Feature>& features);

}  // namespace halvo
