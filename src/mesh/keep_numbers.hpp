#pragma once
#include <halvo/mesh.hpp>

namespace halvo {

/// Gives nodes and elements that an earlier mesh had, at the same places and on the same sheets and members, their numbers there.
/// What is new takes the numbers that have become free, lowest first. Returns how many nodes kept theirs.
int keep_numbers(Mesh& mesh, const Mesh& before);

}  // namespace halvo
