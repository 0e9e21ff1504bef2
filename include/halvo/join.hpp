#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// Joins sheets and members of different bodies that touch or lie within `options.reach`: extends, trims and splits
/// until they share edges and vertices, or sets rigid links where they cannot. Running it again changes nothing.
void join(Model& model, const Assembly& solids, const JoinOptions& options = {}, const Observer& observer = {});

/// The same for a model made by hand: sheets and members are joined where they reach each other, no solids asked.
void join(Model& model, const JoinOptions& options = {}, const Observer& observer = {});

}  // namespace halvo
