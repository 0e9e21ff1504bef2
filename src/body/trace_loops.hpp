#pragma once
/// Loops of a face from the coedges that bound it.

#include <halvo/assembly.hpp>
#include <halvo/chart.hpp>

#include <functional>

namespace halvo {

/// A coedge of a face, and the number of the one that follows it, where that is known; else it is found by the vertex they share.
struct LoopUse {
    Coedge use;
    std::ptrdiff_t after = -1;
};

/// The loops that coedges make. Where a face touches itself in a vertex, as at the ends of seams, the one that follows is the first on the
/// inside of the one that arrives. `edge_of` gives an edge by its number, `normal` the face's outward normal. Nothing where they do not close.
[[nodiscard]] std::optional<std::vector<std::vector<Coedge>>> trace_loops(const std::vector<LoopUse>& uses,
                                                                          const std::function<const BodyEdge&(BodyEdgeId)>& edge_of,
                                                                          const std::function<Vec3(const Vec3&)>& normal);

/// A coedge whose parameters are still to be laid.
[[nodiscard]] Coedge bare_coedge(int edge, bool reversed);

/// A loop in a chart about its middle.
struct LaidLoop {
    Chart chart;
    std::vector<Vec2> outline;
    double area = 0;     ///< positive where the loop runs round its face
    bool winds = false;  ///< runs all round the surface, or does not close
    /// Does it run round something that is not of its face?
    [[nodiscard]] bool is_inner() const { return !winds && area < 0; }
};
[[nodiscard]] LaidLoop laid_loop(const Surface& surface, bool reversed, const std::vector<Coedge>& loop, const std::vector<BodyEdge>& edges);

}  // namespace halvo
