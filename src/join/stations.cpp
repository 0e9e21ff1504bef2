// Places that links go from and to. Contacts give them only roughly: two on a member's line that are all but one, or one in a sheet just
// beside a line that it shares with another, would leave elements of hundredths of a millimetre.
#include "join/steps.hpp"

#include <algorithm>
#include <map>

namespace halvo {
namespace {

constexpr double one_station = 0.05;  // of the member's depth: nearer ones are one
constexpr double beside_line = 0.6;   // of the thickness of either sheet at a line: nearer feet are on it
using Place = std::array<double, 3>;

Place of(const Vec3& p) {
    return {p.x(), p.y(), p.z()};
}

// Where each loose place goes: to a place that must stay where it is, or to the first of those near it.
std::map<double, double> settled(const MemberState& s) {
    std::vector<double> firm = s.splits;
    for (const auto& [list, end] : {std::pair(&s.at_start, s.start), std::pair(&s.at_end, s.end)}) {
        // An end that a joint carries on is no place to stay at.
        const bool moves = std::ranges::any_of(*list, [](const auto& d) { return !d.weak; });
        if (!moves) firm.push_back(end);
        for (const auto& d : *list) firm.push_back(d.at);
    }
    const double within = one_station * s.depth;
    std::vector<double> loose = s.loose;
    std::sort(loose.begin(), loose.end());
    std::map<double, double> out;
    std::optional<double> last;
    for (const double at : loose) {
        const auto nearest = std::min_element(firm.begin(), firm.end(), [&](double a, double b) { return std::abs(a - at) < std::abs(b - at); });
        if (std::abs(*nearest - at) <= within) out[at] = *nearest;
        else if (last && at - *last <= within) out[at] = *last;
        else last = at, out[at] = at;
    }
    return out;
}

}  // namespace

Vec3 loose_station(MemberState& s, double at) {
    s.loose.push_back(at);
    return s.line(at);
}

void settle_stations(JoinWork& work) {
    std::map<Place, Vec3> moved;
    for (MemberState& s : work.members) {
        for (const auto& [from, to] : settled(s)) {
            s.splits.push_back(to);
            if (from != to) moved.emplace(of(s.line(from)), s.line(to));
        }
        s.loose.clear();
    }
    // Feet of links beside a joint's line in their sheet: a sheet carried on by half a thickness leaves what stood on its border that far off.
    std::set<Place> feet;
    for (const PointLink& l : work.point_links) feet.insert(of(l.a)), feet.insert(of(l.b));
    for (const CouplingWork& c : work.couplings)
        for (const Vec3& p : c.points) feet.insert(of(p));
    for (const Vec3& p : work.places) feet.erase(of(p));
    for (MemberState& s : work.members)
        for (const double at : s.splits) feet.erase(of(s.line(at)));
    for (SheetState& s : work.sheets)
        for (auto& [number, p] : s.points) {
            if (!feet.contains(of(p))) continue;
            double least = std::numeric_limits<double>::max();
            std::optional<Vec3> best;
            for (const SheetState::Trim& t : s.trims) {
                const Vec3 foot = t.point + std::clamp((p - t.point).dot(t.direction), t.lo, t.hi) * t.direction;
                const double near = beside_line * std::max(s.thickest, work.sheets[static_cast<std::size_t>(t.partner)].thickest);
                if (const double d = (foot - p).norm(); d <= near && d < least && d > 0) least = d, best = foot;
            }
            if (!best) continue;
            moved.emplace(of(p), *best);
            p = *best;
        }
    const auto settle = [&](Vec3& p) {
        if (const auto it = moved.find(of(p)); it != moved.end()) p = it->second;
    };
    for (PointLink& l : work.point_links) settle(l.a), settle(l.b);
    for (CouplingWork& c : work.couplings)
        for (Vec3& p : c.points) settle(p);
}

}  // namespace halvo
