#pragma once
#include <halvo/assembly.hpp>
#include <halvo/options.hpp>

namespace halvo::io {

/// Moves bodies and adds copies, rule by rule. Throws Error{input} where a rule fits no body.
void place_bodies(Assembly& assembly, const std::vector<PlaceRule>& rules);

}  // namespace halvo::io
