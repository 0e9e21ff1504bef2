// Places in sheets, as joining has them.
#include "geom/outline.hpp"
#include "geom/spread.hpp"
#include "join/steps.hpp"

#include <algorithm>
#include <limits>
#include <map>

namespace halvo {

std::vector<Vec3> spread_points(const std::vector<ContactPoint>& points, std::size_t most) {
    std::vector<Vec3> places;
    for (const ContactPoint& p : points) places.push_back(p.place);
    return far_apart(places, most);
}

bool on_sheet(const Sheet& sheet, const SheetState& state, const Vec3& p, double beside) {
    const auto copies = sheet.chart.copies(sheet.chart.local2(p));
    return std::any_of(copies.begin(), copies.end(),
                       [&](const Vec2& q) { return inside(state.polygons, q) || (beside > 0 && border_distance(state.polygons, q) <= beside); });
}

Vec3 snapped_to_sheet(const Model& model, const SheetState& state, const Sheet& sheet, const Vec3& p, double within) {
    const Vec3 q = sheet.chart.foot(p);
    Vec3 best = q;
    double distance = on_sheet(sheet, state, q, 10 * model.tolerance.point) ? within : std::numeric_limits<double>::max();
    for (const Region& r : sheet.regions)
        for (const auto& loop : r.loops)
            for (const EdgeUse& u : loop) {
                const Curve& c = model.edges[u.edge.index()].curve;
                Vec3 k = c.point(c.nearest(q));
                if ((k - q).norm() >= distance) continue;
                distance = (k - q).norm();
                // A vertex next to it serves as well, and leaves no short edge.
                for (const Vec3& end : {c.start(), c.end()})
                    if ((end - k).norm() < 0.5 * sheet.thickness.max) k = end;
                best = k;
            }
    return best;
}

std::vector<const Curve*> border_of(const Model& model, const Sheet& sheet) {
    std::vector<const Curve*> out;
    for (const Region& r : sheet.regions)
        for (const auto& loop : r.loops) {
            std::map<EdgeId, int> uses;
            for (const EdgeUse& u : loop) ++uses[u.edge];
            for (const auto& [e, n] : uses)
                if (n == 1) out.push_back(&model.edges[e.index()].curve);
        }
    return out;
}

}  // namespace halvo
