#pragma once
/// From broken surfaces to sound bodies: faces are sewn, openings filled, what is drawn in pieces or twice becomes one. Every repair is an
/// entry of the ledger, which a plan can refuse.

#include <halvo/assembly.hpp>
#include <halvo/ledger.hpp>
#include <halvo/options.hpp>

namespace halvo {

/// What was mended, and what could not be.
struct MendRecord {
    std::vector<LedgerEntry> ledger;
    std::vector<Finding> findings;
};

/// What became of an assembly.
struct Mended : MendRecord {
    Assembly solids;
    bool changed = false;                 ///< is anything in `solids` unlike what came in?
    bool reshaped = false;                ///< are there other bodies now, so that a survey no longer stands beside them? Else only faces and edges are fewer
    std::vector<std::vector<int>> faces;  ///< where it is not reshaped: for each body the new number of each of its faces; empty where they kept them
};

/// Connects free edges, closes openings, turns faces, merges what is one face or edge in pieces, takes doubled faces and bodies once, and cuts
/// bodies that overlap where the plan says so. Bodies of facets stay as they are. A repair that would leave a body worse is not made.
[[nodiscard]] Mended mend(const Assembly& solids, const MendOptions& options = {}, const Observer& observer = {});

/// How far apart free edges are connected where the plan gives no distance (mm).
[[nodiscard]] double sewing_distance(const Assembly& solids, const MendOptions& options);

}  // namespace halvo
