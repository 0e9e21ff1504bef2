#pragma once
/// Faces whose free edges run together become one skin.

#include "body/skin_graph.hpp"
#include "core/keys.hpp"

#include <halvo/mend.hpp>

#include <set>

namespace halvo {

/// How far edges may be apart, and what is not to be touched.
struct SewLimits {
    double reach = 0;  ///< mm
    double near = 0;   ///< edges this far apart are proposed (mm)
    double tol = 0;
    std::set<std::string> refuse, force;
    KeySet* keys = nullptr;  ///< of all repairs of a run: each has an id of its own, known before it is made
};

/// Skins that came of bodies sewn to each other. Nothing of them is laid in parameters or has facets yet.
struct SewnSkin {
    std::vector<Body> pieces;  ///< one for each connected skin, its names those of the largest body in it
    /// Of each face of the pieces: by how much its borders ended early, where all that were sewn did so alike (mm); else 0.
    std::vector<std::vector<double>> early;
    std::vector<bool> unlike;   ///< of the pieces: is it anything else than one of the bodies as it came?
    std::vector<int> piece_of;  ///< the piece that each of the bodies is part of
    std::vector<LedgerEntry> ledger;
    std::vector<double> gaps;  ///< of edges that are only proposed (mm)
    Vec3 proposed_place = Vec3::Zero();
};

/// Sews bodies among each other and in themselves.
[[nodiscard]] SewnSkin sewn(const std::vector<const Body*>& bodies, const std::string& name, const SewLimits& limits);

/// The bodies as one, with its edges and vertices side by side and coedges bare; which body each face came from.
[[nodiscard]] Body pooled(const std::vector<const Body*>& bodies, std::vector<int>& origin);

/// Where each edge is used; degenerate ones nowhere.
[[nodiscard]] std::vector<std::vector<EdgeSide>> edge_uses(const Body& body);

/// Faces that look the other way than most of the skin they hang together with are turned; which ones. What cannot be told stays.
[[nodiscard]] std::vector<int> turn_to_agree(Body& body);

}  // namespace halvo
