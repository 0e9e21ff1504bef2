#pragma once
#include <halvo/model.hpp>

#include <string>
#include <vector>

namespace halvo {

/// Sheets that end in the middle of others that go on past them (ribs) end at their skin instead, linked rigidly across the half thickness: the
/// mesh does not hold the material between twice. Edges that members, links, ties or couplings hold stay as they are. After all joints; gives the
/// ids of the sheets that moved.
std::vector<std::string> start_at_skin(Model& model);

}  // namespace halvo
