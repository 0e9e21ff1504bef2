#include "mend/move_face.hpp"

#include "body/face_facets.hpp"
#include "body/touching_edges.hpp"
#include "core/index.hpp"
#include "geom/facet_tree.hpp"
#include "mend/cut_back.hpp"
#include "mend/refit.hpp"
#include "mend/sew.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double against = 1e-6;     // of a cosine: faces that look at each other, as exact geometry of a file gives it
constexpr double as_expected = 0.5;  // of the face's area times the way, that the volume may differ from: what is beside it may stand at a slant

struct Facing {
    int own = -1;
    double by = 0;  // outward, until it lies in the other's plane
};

std::optional<Plane> outward_plane(const Face& f) {
    const auto* p = std::get_if<PlaneSurface>(&f.surface);
    if (!p) return std::nullopt;
    return Plane::through(p->frame.origin, f.reversed ? Vec3(-p->frame.z) : p->frame.z);
}

// Pairs of plane faces that look at each other, or through each other where the bodies overlap.
std::vector<Facing> facing(const Body& body, const Body& other) {
    std::vector<Facing> out;
    for (std::size_t f = 0; f < body.faces.size(); ++f) {
        const auto own = outward_plane(body.faces[f]);
        if (!own) continue;
        for (const Face& g : other.faces) {
            const auto face = outward_plane(g);
            if (face && own->normal.dot(face->normal) < against - 1) out.push_back({static_cast<int>(f), -face->offset - own->offset});
        }
    }
    return out;
}

std::vector<Vec3> places_on(const Body& body, int face) {
    std::vector<Vec3> out;
    const Face& f = body.faces[ix(face)];
    for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i) {
        const auto& c = body.facets[i].corners;
        const Vec3 &p = body.points[ix(c[0])], &q = body.points[ix(c[1])], &r = body.points[ix(c[2])];
        for (const Vec3& w : {Vec3(1, 1, 1), Vec3(8, 1, 1), Vec3(1, 8, 1), Vec3(1, 1, 8)}) out.push_back((w[0] * p + w[1] * q + w[2] * r) / w.sum());
    }
    return out;
}

}  // namespace

std::optional<Body> with_face_moved(const Body& body, int face, double by, double tol) {
    std::vector<int> origin;
    Body out = pooled({&body}, origin);
    static_cast<BodyNames&>(out) = body;
    out.colour = body.colour, out.place = body.place, out.part = body.part;
    const auto plane = outward_plane(body.faces[ix(face)]);
    if (!plane) return std::nullopt;
    auto& surface = std::get<PlaneSurface>(out.faces[ix(face)].surface);
    surface.frame.origin += by * plane->normal;
    Apart apart;
    apart.vertices.assign(out.vertices.size(), 0), apart.edges.assign(out.edges.size(), 0);
    for (const auto& loop : out.faces[ix(face)].loops)
        for (const Coedge& c : loop) {
            apart.edges[c.edge.index()] = std::abs(by);
            for (int v : out.edges[c.edge.index()].vertices) apart.vertices[ix(v)] = std::abs(by);
        }
    refit(out, apart, 2 * std::abs(by), tol);
    // Every edge of the face must lie on both of its faces now.
    const auto uses = edge_uses(out);
    for (std::size_t e = 0; e < out.edges.size(); ++e) {
        if (apart.edges[e] == 0) continue;
        const Curve& c = out.edges[e].curve;
        for (const EdgeSide& u : uses[e]) {
            const BaseSurface s(out.faces[ix(u.face)].surface);
            for (const double w : {0.0, 0.3, 0.5, 0.7, 1.0}) {
                const Vec3 p = c.point(c.t0 + w * (c.t1 - c.t0));
                if ((s.foot(p).point - p).norm() > 10 * tol) return std::nullopt;
            }
        }
    }
    try {
        part_touching_edges(out);
        facet_by_thickness(out);
        finish_body(out);
    } catch (const NotLaid&) {
        return std::nullopt;
    }
    const double expected = by * body.faces[ix(face)].area;
    if (!out.closed || std::abs(out.mass.volume - body.mass.volume - expected) > as_expected * std::abs(expected)) return std::nullopt;
    return out;
}

FaceMoved moved_back(const Body& body, const Body& other, double tol) {
    FaceMoved out;
    auto list = facing(body, other);
    std::erase_if(list, [&](const Facing& f) { return f.by >= -tol; });
    std::sort(list.begin(), list.end(), [](const Facing& a, const Facing& b) { return a.by > b.by; });
    for (const Facing& f : list) {
        auto made = with_face_moved(body, f.own, f.by, tol);
        if (!made || run_into_each_other(*made, other, tol)) continue;
        out.by = f.by, out.face = f.own, out.place = places_on(*made, f.own)[0], out.body = std::move(made);
        break;
    }
    return out;
}

FaceMoved moved_up(const Body& body, const Body& other, double reach, double tol) {
    FaceMoved out;
    auto list = facing(body, other);
    std::erase_if(list, [&](const Facing& f) { return f.by <= tol || f.by > reach; });
    std::sort(list.begin(), list.end(), [](const Facing& a, const Facing& b) { return a.by < b.by; });
    for (const Facing& f : list) {
        // Something of the other body must stand before it.
        const Vec3 n = outward_plane(body.faces[ix(f.own)])->normal;
        const auto places = places_on(body, f.own);
        const bool before = std::any_of(places.begin(), places.end(), [&](const Vec3& p) { return other.tree->nearest(p + f.by * n, 10 * tol).has_value(); });
        if (!before) continue;
        auto made = with_face_moved(body, f.own, f.by, tol);
        if (!made || run_into_each_other(*made, other, tol)) continue;
        out.by = f.by, out.face = f.own, out.place = places[0] + f.by * n, out.body = std::move(made);
        break;
    }
    return out;
}

}  // namespace halvo
