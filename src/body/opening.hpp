#pragma once
/// What lies round faces that are taken out of a skin, and what is known while it closes.

#include "body/close_wound.hpp"
#include "core/index.hpp"

#include <halvo/chart.hpp>

#include <set>

namespace halvo::wound {

/// An edge between two faces that runs into the opening. Seen along the ring, `prev` comes before it and `next` after.
struct Strand {
    int prev = -1, next = -1;
    int edge = -1, end = 0;  // of the body, and which of its ends is open; -1: a new one, from `vertex` on
    int vertex = -1;
    std::optional<Curve> way;  // along the edge and on from its open end; of a new one from its start
    double open = 0;           // where on it the open end is
};

/// A face on a ring round the opening.
struct Slot {
    int face = -1, strand = -1;  // the strand to the next slot; -1 where one face goes all round
    int loop = -1;               // of the face, where it goes all round
};
using Ring = std::vector<Slot>;

struct NewEdge {
    BodyEdge edge;
    int prev = -1, next = -1;
};

/// How far a wound is closed: what is still open, and what has come.
struct State {
    std::vector<Ring> rings;
    std::vector<Strand> strands;
    std::vector<Vec3> vertices;
    std::vector<NewEdge> edges;
    std::map<int, BodyEdge> carried;
    std::vector<std::pair<int, int>> united;
    std::vector<int> ends;
};

/// The opening that faces leave, or that free edges run round: the rings of faces round it, the edges that end there, and where each face
/// ends now.
class Opening {
public:
    Opening(const SkinGraph& graph, const Wound& wound, double tol)
        : graph_(graph), gone_(wound.faces.begin(), wound.faces.end()), free_(wound.edges), tol_(tol) {}

    /// Fills the rings and strands; false with the reason where the skin is open there.
    bool open(State& s, std::string& why);

protected:
    [[nodiscard]] const Body& body() const { return graph_.body(); }
    [[nodiscard]] const BodyEdge& edge_of(const Coedge& c) const { return body().edges[c.edge.index()]; }
    [[nodiscard]] Vec3 normal(int face, const Vec3& p) const;  ///< outward
    /// Of the box round its edges.
    [[nodiscard]] Vec3 middle_of(int face) const;
    [[nodiscard]] bool in_wound(const Coedge& c) const { return wound_.count(c.edge.value) > 0; }

    /// The next coedge of a loop, degenerate ones passed over.
    [[nodiscard]] EdgeSide next_of(EdgeSide s) const;
    [[nodiscard]] Vec3 point(const State& s, int vertex) const;
    /// From a point to the nearest place of a face's border with what goes; nothing for faces that touch it in a corner alone.
    [[nodiscard]] std::optional<Vec3> to_border(int face, const Vec3& p) const;
    /// How far a face has to be carried on to a point.
    [[nodiscard]] double beyond(int face, const Vec3& p) const;
    /// Does an edge that leaves `p` along `way` have `prev` on its one side and `next` on the other? By where both end now: positive if so,
    /// negative if it is the other way round, about 0 where that does not tell.
    [[nodiscard]] double parts(int prev, int next, const Vec3& p, const Vec3& way) const;

    const SkinGraph& graph_;
    std::set<int> gone_;
    std::vector<int> free_;  ///< edges that bound one face alone
    double tol_, size_ = 0;
    Box3 box_;
    std::set<int> wound_;                                         ///< edges between what goes and what stays
    std::set<std::pair<int, int>> used_;                          ///< loops that change: face and loop
    std::map<int, std::vector<std::pair<Box3, int>>> borders_;    ///< of the faces that stay: their edges with what goes
    std::map<int, std::set<int>> kept_beside_, gone_beside_;      ///< of the faces that go
    std::vector<std::pair<int, std::vector<int>>> beside_patch_;  ///< faces all among those that go, and the rounds at them

private:
    bool starts_of(std::vector<EdgeSide>& starts, std::string& why);
    bool ring_from(const EdgeSide& start, State& s, std::set<int>& seen, std::string& why);
};

/// The change that a closed wound comes to; false with the reason where the faces beside it would not be whole.
bool write_edit(const Opening& opening, const State& s, SkinEdit& edit, std::string& why);

}  // namespace halvo::wound
