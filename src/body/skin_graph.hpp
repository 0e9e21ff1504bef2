#pragma once
/// The skin of a body while it is edited: which faces meet at an edge, which edges end at a vertex, and changes made as a whole.

#include <halvo/assembly.hpp>

#include <map>
#include <set>

namespace halvo {

/// A change of a body's skin, worked out before anything is touched. Numbers of new vertices and edges go on where the body's end.
struct SkinEdit {
    std::vector<int> faces;                                    ///< that go
    std::vector<std::pair<int, int>> loops;                    ///< that go: face, and number of the loop in it
    std::vector<Vec3> vertices;                                ///< that come
    std::vector<BodyEdge> edges;                               ///< that come
    std::vector<std::pair<int, BodyEdge>> carried;             ///< edges that are longer or shorter now
    std::vector<std::pair<int, std::vector<Coedge>>> borders;  ///< loops that come, each with its face
    std::vector<std::pair<int, int>> united;                   ///< faces that become one: the first stays
    std::vector<int> ends;                                     ///< vertices at which edges may go on in each other now
    [[nodiscard]] bool empty() const { return faces.empty() && loops.empty() && borders.empty(); }
};

/// Where an edge is used.
struct EdgeSide {
    int face = -1, loop = -1, place = -1;
};

/// Faces and edges keep their numbers while the body is edited; what goes is only marked. Edges that go on in each other between the same
/// two faces are one from the start.
class SkinGraph {
public:
    explicit SkinGraph(Body body);

    [[nodiscard]] const Body& body() const { return body_; }
    [[nodiscard]] const std::vector<EdgeSide>& sides(int edge) const { return sides_[static_cast<std::size_t>(edge)]; }
    [[nodiscard]] bool has_face(int face) const { return face_there_[static_cast<std::size_t>(face)]; }
    [[nodiscard]] const BaseSurface& base(int face) const;
    [[nodiscard]] const Coedge& coedge(const EdgeSide& s) const;
    [[nodiscard]] int start_of(const Coedge& c) const;
    [[nodiscard]] int end_of(const Coedge& c) const;
    [[nodiscard]] int loops_of(int face) const;  ///< that are still there

    /// Lets the spline of a face go on past its border by a length (mm) each way, as the polynomials its pieces are.
    void lengthen(int face, double by);
    void apply(const SkinEdit& edit);
    /// The same as result() without facets and figures, its loops not laid.
    [[nodiscard]] Body bare() const;
    /// The body with the changes, its numbers closed up; edges that go on in each other between the same faces are one where an edit was.
    /// Facets and figures are made anew. Throws NotLaid.
    [[nodiscard]] Body result() const;

private:
    void add_sides(int face, int loop);
    Body body_;
    std::vector<std::vector<EdgeSide>> sides_;  // of edges
    std::vector<bool> face_there_;
    std::vector<std::vector<bool>> loop_there_;
    std::vector<int> loop_count_;
    std::set<int> touched_;  // vertices at which edits ended
    mutable std::map<int, BaseSurface> bases_;
};

/// By how much an edit changes volume and area, from exact integrals over what goes and what comes alone (mm3, mm2); about `origin`, a
/// point near it. The faces are those of `graph`, before the edit. Nothing where a spline's facets would be needed.
[[nodiscard]] std::optional<MassProperties> change_by(const SkinGraph& graph, const SkinEdit& edit, const Vec3& origin);

}  // namespace halvo
