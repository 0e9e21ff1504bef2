#pragma once
/// Which parts of the skin the sheets account for.

#include <halvo/prove.hpp>

namespace halvo {

struct SkinCover {
    double all = 0, covered = 0;            ///< skin areas of the bodies asked about (mm2)
    std::vector<UncoveredPatch> uncovered;  ///< largest first
};

/// `asked[b]`: body b has sheets, or should have.
[[nodiscard]] SkinCover cover_skin(const Assembly& solids, const Model& model, const std::vector<bool>& asked);

}  // namespace halvo
