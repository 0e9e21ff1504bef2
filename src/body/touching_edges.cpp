#include "body/touching_edges.hpp"

#include <Eigen/Geometry>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double step = 0.02;        // of the edge's length, into each face: where curved faces that touch along it have come apart
constexpr double same_angle = 1e-9;  // rad

struct Use {
    std::size_t face;
    Coedge* coedge;
    double angle = 0;  // of the face about the edge
};

// Faces lie to the left of their uses, seen from outside.
double angle_of(const Body& body, const Use& u, const Curve& c, const Eigen::Matrix3d& axes) {
    const Face& face = body.faces[u.face];
    const Vec3 p = c.middle(), along = (u.coedge->reversed ? -1 : 1) * axes.col(2);
    const Vec3 in = face.outward_or(p, axes.col(0)).cross(along).normalized();
    const Vec3 inside = p + step * c.length() * in;
    const Vec3 d = surface_foot(face.surface, inside).value_or(inside) - p;
    return std::atan2(d.dot(axes.col(1)), d.dot(axes.col(0)));
}

// Turning about the edge, a use against its sense opens the material and one along it closes it: sorts them so, if they do.
bool in_turns(const Body& body, const Curve& c, std::vector<Use>& uses) {
    const std::size_t n = uses.size();
    const auto first = [&] { return std::find_if(uses.begin(), uses.end(), [](const Use& u) { return u.coedge->reversed; }); };
    if (n < 4 || n % 2 != 0 || first() == uses.end()) return false;
    const Vec3 along = c.derivative(c.parameter_at(0.5)).normalized(), side = along.unitOrthogonal();
    Eigen::Matrix3d axes;
    axes << side, along.cross(side), along;
    for (Use& u : uses) u.angle = angle_of(body, u, c, axes);
    std::sort(uses.begin(), uses.end(), [](const Use& a, const Use& b) { return a.angle < b.angle; });
    std::rotate(uses.begin(), first(), uses.end());
    for (std::size_t i = 1; i < n; ++i) {
        if (uses[i].coedge->reversed == (i % 2 == 0)) continue;
        // Faces that cannot be told apart by their angle take turns.
        if (i + 1 == n || std::abs(uses[i + 1].angle - uses[i].angle) > same_angle || uses[i + 1].coedge->reversed != (i % 2 == 0)) return false;
        std::swap(uses[i], uses[i + 1]);
    }
    return true;
}

}  // namespace

void part_touching_edges(Body& body) {
    std::vector<std::vector<Use>> uses(body.edges.size());
    for (std::size_t f = 0; f < body.faces.size(); ++f)
        for (auto& loop : body.faces[f].loops)
            for (Coedge& use : loop) uses[use.edge.index()].push_back({f, &use});
    std::vector<std::size_t> crowded;
    body.closed = true;
    for (std::size_t e = 0; e < uses.size(); ++e) {
        if (body.edges[e].degenerate || uses[e].empty() || uses[e].size() == 2) continue;
        body.closed = body.closed && in_turns(body, body.edges[e].curve, uses[e]);
        crowded.push_back(e);
    }
    if (!body.closed) return;
    for (std::size_t e : crowded)
        for (std::size_t k = 2; k < uses[e].size(); k += 2) {
            for (const std::size_t side : {k, k + 1}) uses[e][side].coedge->edge = BodyEdgeId(body.edges.size());
            body.edges.push_back(body.edges[e]);
        }
}

}  // namespace halvo
