#pragma once
/// Bolts, rivets and pins, told from the solids alone.

#include <halvo/assembly.hpp>

namespace halvo {

/// A round solid body through coaxial holes of others, or through their material, which it clamps together.
struct Fastener {
    BodyId body;
    Frame axis;                ///< z along the shank
    double radius = 0;         ///< of the shank (mm)
    double low = 0, high = 0;  ///< extent of the whole body along the axis
    std::vector<int> shank;    ///< faces of it round the axis
    /// A body that it holds, and between which places along the axis.
    struct Grip {
        BodyId body;
        double low = 0, high = 0;
        double radius = 0;  ///< of the hole; of the shank where there is none
    };
    std::vector<Grip> grips;    ///< along the axis
    std::vector<BodyId> rings;  ///< nuts and washers: bodies that lie round the shank and hold on to nothing else
};

/// Stable id of the decision what becomes of a fastener.
[[nodiscard]] std::string fastener_key(const Body& body);

/// All of an assembly. A bolt holds two bodies at least, and these lie on each other there, with no more than a shank's radius between.
[[nodiscard]] std::vector<Fastener> find_fasteners(const Assembly& solids);

}  // namespace halvo
