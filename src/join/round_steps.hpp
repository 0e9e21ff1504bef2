#pragma once
#include <halvo/model.hpp>

#include <map>

namespace halvo {

/// A round sheet whose pieces of unlike thickness have their middles at unlike radii weighs too much or too little at any one of these. Where that
/// costs more than a hundredth of its mass, the pieces become sheets of their own, linked along their steps, still where they were. Gives how far
/// each of these sheets is to go along its normal (mm).
[[nodiscard]] std::map<std::size_t, double> part_round_steps(Model& model);

}  // namespace halvo
