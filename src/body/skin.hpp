#pragma once
/// The skin of a body told apart: walls (opposed faces of thin regions), their rims, and the rest.

#include "body/walls.hpp"

#include <halvo/survey.hpp>

namespace halvo {

/// Pairs of faces with a common edge, and whether they continue each other smoothly there.
struct FaceNeighbours {
    struct Link {
        int other = -1;
        int edge = -1;
        bool smooth = false;
        bool convex = false;  ///< material fills less than half a turn
    };
    std::vector<std::vector<Link>> of;
};

/// Two faces that see each other through the material.
struct SkinPair {
    int a = -1, b = -1;  ///< faces, a < b
    double area = 0;     ///< of skin in it, both sides
    double thinnest = 0, thickest = 0, mean = 0;
    double width = 0;   ///< across, of the smooth group of pairs it belongs to
    bool wall = false;  ///< thin against its width, and a place where ray and ball agree
};

enum class SkinKind : char { rest, wall, rim };

struct Skin {
    std::vector<Probe> probes;
    std::vector<double> ball;    ///< of each probe, diameter
    std::vector<int> pair;       ///< of each probe, -1 where it sees no other face or at a slant
    std::vector<SkinKind> kind;  ///< of each probe
    std::vector<SkinPair> pairs;
    FaceNeighbours neighbours;
    double wall = 0, rim = 0, rest = 0;  ///< skin areas

    [[nodiscard]] double thin_share() const { return wall + rim + rest > 0 ? (wall + rim) / (wall + rim + rest) : 0; }
    /// Do ray and ball agree at this probe, so that the ray's length is a thickness?
    [[nodiscard]] bool agrees(std::size_t probe) const { return ball[probe] >= 0.9 * probes[probe].distance; }
};

/// Ball at a probe (see survey.hpp): shrinking ball of Ma, Bae & Choi, 3D medial axis point approximation, 2012. A touching point
/// within 30 degrees of the first, seen from the centre, is taken for scatter of the facets.
/// A pair is a wall when its faces look at each other within the draft, rays and balls agree on most of it, and it is thinner
/// than `slimness` times the width of the smooth group it belongs to. Skin outside walls is a rim where the ball is no larger
/// than one and a half times the thickness of a wall next to it.
[[nodiscard]] Skin analyse_skin(const Body& body, std::vector<Probe> probes, const WallLimits& limits);

/// The links of every face; Skin holds them already.
[[nodiscard]] FaceNeighbours face_neighbours(const Body& body);

}  // namespace halvo
