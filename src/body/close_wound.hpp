#pragma once
/// Faces taken out of a skin, and the faces round the opening carried on until they meet.

#include "body/skin_graph.hpp"

namespace halvo {

/// How a wound closes: the change, or why it does not.
struct Closing {
    std::optional<SkinEdit> edit;
    int effort = 0;  ///< what it took: faces round the opening looked at
    std::string why;
};

inline constexpr int full_effort = 20000;  // for what the plan orders; a ring of n faces has 4 n squared besides

/// What is to be closed: the opening that faces leave which are taken out of the skin, or that is there round free edges.
struct Wound {
    std::vector<int> faces;
    std::vector<int> edges;  ///< free ones, whole rings
};

/// Takes the wound's faces out of the skin and closes it. Each neighbour is carried on along its own surface: edges between two neighbours that end at the
/// opening run on into it until a third one cuts them, new edges start there, and so on until every edge ends in another; rings of one face that has nothing to
/// meet are closed by the face itself. What is made is the least that closes; nothing is changed here. It is given up after an effort.
[[nodiscard]] Closing close_wound(const SkinGraph& graph, const Wound& wound, double tol, int effort = full_effort);

}  // namespace halvo
