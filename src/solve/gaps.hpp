#pragma once
/// Does it act as one: edges of sheets that stand close beside another sheet and are not joined to it.

#include "solve/building.hpp"

namespace halvo {

/// A run of an edge that moves against the sheet beside it.
struct Gap {
    std::int32_t edge_of = -1, beside = -1;  ///< numbers of properties
    double length = 0, width = 0;            ///< of the gap between their skins (mm)
    double slip = 0, share = 0;              ///< largest movement against each other (mm), and over the largest displacement of the case
    std::string load_case;
    Vec3 at = Vec3::Zero();
};

/// Largest first. Every case has been looked at.
[[nodiscard]] std::vector<Gap> gaps_beside_sheets(const Built& built, const Solution& solution);

}  // namespace halvo
