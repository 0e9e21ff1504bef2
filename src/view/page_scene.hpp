#pragma once
/// What the page draws: solids, mesh, edges, results as arrays. Coordinates are relative to `origin`.

#include "view/pack.hpp"

#include <halvo/job.hpp>
#include <halvo/quality.hpp>

namespace halvo::view {

/// Adds the arrays; what is to be said of them besides comes back as JSON.
[[nodiscard]] Json pack_scene(Pack& pack, const Job& job);

}  // namespace halvo::view
