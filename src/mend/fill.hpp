#pragma once
/// Openings of a skin are closed by faces.

#include "mend/sew.hpp"

namespace halvo {

/// What was done to the openings of a skin.
struct FilledSkin {
    Body body;  ///< bare: nothing laid, no facets
    bool changed = false;
    std::vector<LedgerEntry> ledger;
    std::vector<Finding> findings;
};

/// Closes the rings of free edges of a skin, each by what fits it first: the surface between two rings round one axis that goes on smoothly
/// from both, or a bore's; nothing where a ring runs inside of one face, which goes on over it; a plane; a cylinder or torus that is tangent to
/// the faces beside it; these faces carried on until they meet; a cylinder, cone or sphere whose border the ring is; between four corners a smooth patch.
/// `slack` is how far a ring may be off what closes it (mm). Where the faces round a ring ended `early` elsewhere (mm, of each face), they do so at
/// the ring too, and a plane lies that much further out.
[[nodiscard]] FilledSkin filled(const Body& skin, double slack, const SewLimits& limits, const std::vector<double>& early = {});

}  // namespace halvo
