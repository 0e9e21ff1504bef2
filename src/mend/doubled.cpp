#include "mend/doubled.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double same_area = 1e-3;  // of the area, of faces that lie on each other

}  // namespace

Box3 box_of_borders(const Body& body, const Face& face) {
    Box3 out;
    for (const auto& loop : face.loops)
        for (const Coedge& c : loop) out.extend(body.edges[c.edge.index()].curve.box());
    return out;
}

bool lie_on_each_other(const Body& body, std::size_t f, std::size_t g, double reach) {
    const Face &p = body.faces[f], &q = body.faces[g];
    const Box3 a = box_of_borders(body, p), b = box_of_borders(body, q);
    if (p.surface.index() != q.surface.index() || std::abs(p.area - q.area) > same_area * p.area) return false;
    if ((a.min() - b.min()).norm() > 2 * reach || (a.max() - b.max()).norm() > 2 * reach) return false;
    if (!std::holds_alternative<FreeSurface>(p.surface)) {
        const BaseSurface other(q.surface);
        for (const auto& loop : p.loops)
            for (const Coedge& c : loop) {
                const Vec3 m = body.edges[c.edge.index()].curve.middle();
                if ((other.foot(m).point - m).norm() > reach) return false;
            }
    }
    if (p.surface.index() != 0 && p.surface.index() != 5 && !same_surface(p.surface, q.surface, a.center(), a.diagonal().norm(), 10 * reach)) return false;
    // Every edge of one lies along the other's border.
    const auto along = [&](const Face& one, const Face& two) {
        for (const auto& loop : one.loops)
            for (const Coedge& c : loop) {
                const Curve& k = body.edges[c.edge.index()].curve;
                for (const double w : {0.25, 0.5, 0.75}) {
                    const Vec3 x = k.point(k.parameter_at(w));
                    double least = std::numeric_limits<double>::max();
                    for (const auto& l : two.loops)
                        for (const Coedge& u : l) {
                            const Curve& m = body.edges[u.edge.index()].curve;
                            least = std::min(least, (m.point(m.nearest(x)) - x).norm());
                        }
                    if (least > reach) return false;
                }
            }
        return true;
    };
    if (!along(p, q) || !along(q, p)) return false;
    // Both halves of a ball have one border: what they hold between must be on one side.
    const auto middle = [&](const Face& one) {
        Vec3 sum = Vec3::Zero();
        int n = 0;
        for (const auto& loop : one.loops)
            for (const Coedge& c : loop) {
                const Curve& k = body.edges[c.edge.index()].curve;
                const Vec3 x = k.middle(), t = (c.reversed ? -1 : 1) * k.derivative(k.parameter_at(0.5)).normalized();
                sum += one.outward_or(x, Vec3::Zero()).cross(t), ++n;
            }
        return Vec3(sum / std::max(n, 1));
    };
    return p.surface.index() == 0 || p.surface.index() == 5 || (middle(p) - middle(q)).norm() < 0.1;
}

}  // namespace halvo
