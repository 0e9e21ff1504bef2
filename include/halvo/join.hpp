#pragma once
#include <halvo/model.hpp>

namespace halvo {

/// Joins sheets and members of different bodies that touch or lie within `options.reach`: extends, trims and splits
/// until they share edges and vertices, or sets rigid links where they cannot; then sheets go to the side that the plan wants them at, and the
/// plan's sets are made. Running it again changes nothing.
void join(Model& model, const Assembly& solids, const JoinOptions& options = {}, const Observer& observer = {});

/// The same for a model made by hand: sheets and members are joined where they reach each other, no solids asked.
void join(Model& model, const JoinOptions& options = {}, const Observer& observer = {});

/// Moves sheets to the side of their wall that the plan wants (Sheet::reference), with everything on them: what sheets share stays
/// shared, on the surfaces they now have; free edges keep to their rims. Thickness and the offset to the middle follow from where a
/// sheet lies. `join` ends with it; sheets in which a member's line lies stay at the middle, with a finding.
void place_references(Model& model);

}  // namespace halvo
