#pragma once
/// Faces side by side on one surface, which are one face drawn in pieces.

#include "body/skin_graph.hpp"

namespace halvo {

/// Faces that are one. The largest comes first: its surface stays.
struct FacesInPieces {
    std::vector<int> faces;
    std::vector<int> edges;  ///< between them
    double length = 0;       ///< of these (mm)
    double area = 0;         ///< of all pieces (mm2)
    Vec3 place = Vec3::Zero();
};

/// All groups of faces that lie on one surface, to `tol`, and hang together by edges at which nothing else ends. Those of splines are none.
/// Groups that close in themselves (both halves of a ball) are none either: nothing would bound them.
[[nodiscard]] std::vector<FacesInPieces> faces_in_pieces(const SkinGraph& graph, double tol);

/// The change that makes one face of them; nothing where what bounds them does not close.
[[nodiscard]] std::optional<SkinEdit> made_one(const SkinGraph& graph, const FacesInPieces& pieces);

}  // namespace halvo
