// A gap before and after joining: the sheets and members as they were halved, each within its own body, beside the joined model.
#include "view/content.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo::view {

Vec3 widest_gap(const Job& job) {
    // The joint that went furthest: an applied one first.
    const JointRecord* best = nullptr;
    for (const JointRecord& j : job.model.joints)
        if (j.state == EntryState::applied && (!best || j.moved + j.gap > best->moved + best->gap + 1e-9)) best = &j;
    return best ? best->place : job.solids.box.center();
}

Content compose_before(const Job& job) {
    Content out;
    for (const Body& b : job.solids.bodies)
        for (const BodyEdge& e : b.edges)
            if (!e.degenerate) out.scene.lines.push_back({e.curve.sampled(0.2, 12), faint.towards(paper, 0.4), 0.8, false, false});
    for (const Sheet& s : job.model.sheets)
        for (const auto& loop : s.own_outline) {
            std::vector<Vec3> points;
            for (const Vec2& q : loop) points.push_back(s.chart.at(q));
            if (!points.empty()) points.push_back(points.front());
            out.scene.lines.push_back({std::move(points), free_edge, 3.2, false, true});
        }
    for (const Member& m : job.model.members)
        for (const Curve& c : m.axis.between(0, m.own_length())) out.scene.lines.push_back({c.sampled(0.2, 12), member_line, 3, false, true});
    return out;
}

}  // namespace halvo::view
