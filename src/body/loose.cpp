#include "body/loose.hpp"

#include "body/touching_edges.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/facet_tree.hpp"

#include <algorithm>
#include <map>

namespace halvo {
Body body_of_faces(const Body& from, const std::vector<std::size_t>& faces) {
    Body out;
    std::map<int, int> edges, vertices, points;
    const auto vertex = [&](int v) {
        if (v < 0) return v;
        const auto [it, fresh] = vertices.try_emplace(v, static_cast<int>(out.vertices.size()));
        if (fresh) out.vertices.push_back(from.vertices[ix(v)]);
        return it->second;
    };
    for (std::size_t k : faces) {
        Face f = from.faces[k];
        for (auto& loop : f.loops)
            for (Coedge& use : loop) {
                const auto [it, fresh] = edges.try_emplace(use.edge.value, static_cast<int>(out.edges.size()));
                if (fresh) {
                    BodyEdge e = from.edges[use.edge.index()];
                    e.vertices = {vertex(e.vertices[0]), vertex(e.vertices[1])};
                    out.edges.push_back(std::move(e));
                }
                use.edge = BodyEdgeId(it->second);
            }
        const std::size_t first = f.first_facet;
        f.first_facet = out.facets.size();
        for (std::size_t i = first; i < first + f.facet_count; ++i) {
            Facet facet = from.facets[i];
            for (int& c : facet.corners) {
                const auto [it, fresh] = points.try_emplace(c, static_cast<int>(out.points.size()));
                if (fresh) {
                    out.points.push_back(from.points[ix(c)]);
                    if (!from.parameters.empty()) out.parameters.push_back(from.parameters[ix(c)]);
                }
                c = it->second;
            }
            facet.face = static_cast<int>(out.faces.size());
            out.facets.push_back(facet);
        }
        out.faces.push_back(std::move(f));
    }
    part_touching_edges(out);
    return out;
}

std::vector<Body> split_by_touch(const Body& loose) {
    Box3 box;
    for (const Vec3& p : loose.points) box.extend(p);
    const double reach = std::max(1e-3, 1e-5 * (box.isEmpty() ? 1 : box.diagonal().norm()));
    std::vector<std::array<int, 3>> corners;
    for (const Facet& f : loose.facets) corners.push_back(f.corners);
    const FacetTree tree(loose.points, corners);
    Groups groups(loose.faces.size());
    std::vector<int> owner(loose.edges.size(), -1);
    for (std::size_t k = 0; k < loose.faces.size(); ++k)
        for (const auto& loop : loose.faces[k].loops)
            for (const Coedge& use : loop) {
                const BodyEdge& e = loose.edges[use.edge.index()];
                if (owner[use.edge.index()] >= 0) groups.tie(static_cast<int>(k), owner[use.edge.index()]);
                owner[use.edge.index()] = static_cast<int>(k);
                if (e.degenerate) continue;
                for (double share : {0.02, 0.25, 0.5, 0.75, 0.98}) {
                    const Vec3 p = e.curve.point(e.curve.t0 + share * (e.curve.t1 - e.curve.t0));
                    Box3 near(p - Vec3::Constant(reach), p + Vec3::Constant(reach));
                    for (int i : tree.touching(near)) {
                        const int other = loose.facets[ix(i)].face;
                        if (groups.root(other) == groups.root(static_cast<int>(k))) continue;
                        const auto& c = loose.facets[ix(i)].corners;
                        const FacetTree one({loose.points[ix(c[0])], loose.points[ix(c[1])], loose.points[ix(c[2])]}, {{0, 1, 2}});
                        if (one.nearest(p, reach)) groups.tie(static_cast<int>(k), other);
                    }
                }
            }
    std::map<int, std::size_t> slot;
    std::vector<std::vector<std::size_t>> members;
    for (std::size_t k = 0; k < loose.faces.size(); ++k) {
        const auto [it, fresh] = slot.try_emplace(groups.root(static_cast<int>(k)), members.size());
        if (fresh) members.emplace_back();
        members[it->second].push_back(k);
    }
    std::vector<Body> out;
    for (const auto& faces : members) out.push_back(body_of_faces(loose, faces));
    return out;
}

void turn_face(Face& f) {
    f.reversed = !f.reversed;
    for (auto& loop : f.loops) {
        std::reverse(loop.begin(), loop.end());
        for (Coedge& use : loop) {
            use.reversed = !use.reversed;
            std::swap(use.uv_start, use.uv_end);
            std::reverse(use.path.begin(), use.path.end());
        }
    }
}

void turn_outward(Body& body) {
    if (!body.closed || body.mass.volume >= 0) return;
    for (Face& f : body.faces) turn_face(f);
    for (Facet& f : body.facets) std::swap(f.corners[1], f.corners[2]);
    finish_body(body);
    body.turned = static_cast<int>(body.faces.size());
}

}  // namespace halvo
