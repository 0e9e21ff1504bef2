#pragma once
/// Edges and vertices where faces were sewn, put where their surfaces meet.

#include "mend/sew.hpp"

namespace halvo {

/// How far apart what now is one was: of vertices (spread) and edges (gap), in mm.
struct Apart {
    std::vector<double> vertices, edges;
};

/// Moves vertices onto the surfaces of the faces round them and draws the edges that end there, or that were apart, as the curves in which
/// their faces' surfaces meet; where these touch, the edge stays as it was but for its ends. `reach` bounds how far a vertex may move.
void refit(Body& body, const Apart& apart, double reach, double tol);

}  // namespace halvo
