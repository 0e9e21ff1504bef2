#pragma once
/// Faces that are one in pieces, put together where the shape stays.

#include "mend/sew.hpp"

namespace halvo {

/// What one part has become, and its faces' new numbers; the ledger's ids and texts are those within the part.
struct MergedPart {
    std::optional<Body> body;
    std::vector<int> faces;
    std::vector<LedgerEntry> ledger;
};

/// Of all bodies that are one part by its first; what is refused of one of them stays in all.
[[nodiscard]] MergedPart merged_part(const std::vector<Body>& bodies, const std::vector<std::size_t>& of_part, const SewLimits& limits);

}  // namespace halvo
