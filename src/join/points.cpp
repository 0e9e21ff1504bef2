// Places that the plan wants a vertex at, for loads, supports and masses.
#include "join/steps.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo {

void find_points(const Model& model, const Assembly& solids, JoinWork& work) {
    for (const Vec3& given : work.options->points) {
        const Vec3 p = given - solids.shift;
        // The nearest sheet that the place lies on, within its wall; else the nearest member, within its section.
        int sheet = -1, member = -1;
        Vec3 at = p;
        double best = std::numeric_limits<double>::max();
        for (std::size_t s = 0; s < model.sheets.size(); ++s) {
            const Sheet& k = model.sheets[s];
            if (work.sheets[s].box.squaredExteriorDistance(p) > k.thickness.max * k.thickness.max) continue;
            const Vec3 foot = k.chart.foot(p), q = snapped_to_sheet(model, work.sheets[s], k, p, 0.5 * k.thickness.max);
            // Only a place beside the sheet goes to its border.
            const Vec3 on = on_sheet(k, work.sheets[s], foot, 10 * work.tol) ? foot : q;
            const double d = (on - p).norm();
            if (d <= 0.75 * k.thickness.max + work.reach && d < best) best = d, sheet = static_cast<int>(s), at = on;
        }
        for (std::size_t m = 0; m < work.members.size(); ++m) {
            const MemberState& s = work.members[m];
            const double t = std::clamp(s.parameter(p), s.start, s.end), d = (s.at(t) - p).norm();
            if (d <= s.depth && d < best) best = d, member = static_cast<int>(m), sheet = -1;
        }
        if (sheet >= 0) {
            work.sheets[static_cast<std::size_t>(sheet)].points.emplace_back(-1, at);
            work.places.push_back(at);
        } else if (member >= 0) {
            MemberState& s = work.members[static_cast<std::size_t>(member)];
            s.splits.push_back(std::clamp(s.parameter(p), s.start, s.end));
            work.places.push_back(s.line(s.splits.back()));
        } else {
            work.idle.push_back(fmt::format("the plan's point ({:g}, {:g}, {:g}) lies on no sheet and no member", given.x(), given.y(), given.z()));
        }
    }
}

}  // namespace halvo
