#include "solve/carried.hpp"

#include "core/groups.hpp"
#include "core/index.hpp"
#include "solve/shell_facets.hpp"

#include <Eigen/LU>

#include <algorithm>
#include <cmath>
#include <limits>

namespace halvo {
namespace {

using Force = Eigen::Matrix<double, 6, 1>;

}  // namespace

Connections::Connections(const Built& built, const Picker& picker) : built_(built) {
    const Structure& s = built.structure;
    const Model& model = picker.model();
    std::map<std::string, std::int32_t> by_key;
    for (std::size_t i = 0; i < built.properties.size(); ++i) {
        const Property& p = built.properties[i];
        property_[{static_cast<bool>(p.member), p.member ? p.member.value : p.sheet.value}] = static_cast<std::int32_t>(i);
        by_key[p.what] = static_cast<std::int32_t>(i);
    }
    Groups places(s.nodes.size());
    for (const RigidArm& a : s.arms) places.tie(a.master, a.slave);
    for (const MotionEquation& e : s.equations)
        if (e.source < 0)
            for (const auto& [movement, factor] : e.terms) places.tie(static_cast<int>(e.terms.front().first / 6), static_cast<int>(movement / 6));
    for (std::size_t i = 0; i < s.nodes.size(); ++i) place_.push_back(places.root(static_cast<int>(i)));
    std::map<std::int32_t, int> ends;  // how many seams end at a node: they share what goes through it
    for (const Seam& k : seams(model)) {
        Seamed& out = seams_.emplace_back();
        for (const NodeId n : picker.index().nodes_along({k.edge, false}))
            if (n) out.nodes.emplace_back(n.value, 1.0);
        if (out.nodes.size() > 1) ++ends[out.nodes.front().first], ++ends[out.nodes.back().first];
    }
    for (Seamed& k : seams_)
        if (k.nodes.size() > 1)
            for (auto* end : {&k.nodes.front(), &k.nodes.back()}) end->second = 1.0 / ends.at(end->first);
    const auto on_side = shells_at_sides(s);
    for (Seamed& k : seams_)
        for (std::size_t i = 0; i + 1 < k.nodes.size(); ++i) {
            const auto it = on_side.find(std::minmax(k.nodes[i].first, k.nodes[i + 1].first));
            k.shells_between.push_back(it == on_side.end() ? std::vector<std::int32_t>() : it->second);
        }
    const auto number = [&](const std::string& key) {
        const auto it = by_key.find(key);
        return it == by_key.end() ? -1 : it->second;
    };
    for (const JointRecord& j : model.joints) joints_.push_back({number(j.a), number(j.b)});
}

std::int32_t Connections::property_of(const GroupForce& f) const {
    const auto it = property_.find({f.beams, f.group});
    return it == property_.end() ? -1 : it->second;
}

std::int32_t Connections::place_of(std::int32_t node) const {
    return place_[ix(node)];
}

void Connections::see(CaseResult& result, const std::vector<GroupForce>& meetings) const {
    constexpr double unknown = std::numeric_limits<double>::quiet_NaN();
    const auto& nodes = built_.structure.nodes;
    for (Eigen::Index i = 0; i < result.applied.size() / 6; ++i) result.load += result.applied.segment<3>(6 * i).norm();
    // Force of each property at each node, and at each place: there about its first node.
    std::map<std::pair<std::int32_t, std::int32_t>, Force> at_node, at_place;
    for (const GroupForce& f : meetings) {
        const std::int32_t p = property_of(f);
        if (p < 0) continue;
        at_node.try_emplace({f.node, p}, Force::Zero()).first->second += f.force;
        Force moved = f.force;
        moved.tail<3>() += (nodes[ix(f.node)] - nodes[ix(place_of(f.node))]).cross(Vec3(f.force.head<3>()));
        at_place.try_emplace({place_of(f.node), p}, Force::Zero()).first->second += moved;
    }
    result.through_property.assign(built_.properties.size(), {});
    for (const auto& [at, f] : at_place) {
        Carried& c = result.through_property[ix(at.second)];
        c.force += 0.5 * f.head<3>().norm(), c.moment += 0.5 * f.tail<3>().norm();
    }
    // Through a seam goes what the sheet takes that takes most there.
    result.through_seam.clear();
    for (const Seamed& s : seams_) {
        std::map<std::int32_t, Carried> of;
        for (const auto& [node, share] : s.nodes)
            for (auto it = at_node.lower_bound({node, 0}); it != at_node.end() && it->first.first == node; ++it)
                of[it->first.second].force += share * it->second.head<3>().norm(), of[it->first.second].moment += share * it->second.tail<3>().norm();
        Carried most{s.nodes.empty() ? unknown : 0, s.nodes.empty() ? unknown : 0};
        for (const auto& [property, c] : of) most = {std::max(most.force, c.force), std::max(most.moment, c.moment)};
        result.through_seam.push_back(most);
    }
    result.seam_strain.clear();
    for (const Seamed& s : seams_) result.seam_strain.push_back(strain_of(s, result.movement));
    // Through a joint goes, place by place, what both sides have in common there.
    std::map<std::int32_t, std::vector<std::pair<std::int32_t, const Force*>>> places_of;
    for (const auto& [at, f] : at_place) places_of[at.second].emplace_back(at.first, &f);
    result.through_joint.clear();
    for (const Joined& j : joints_) {
        Carried sum{0, 0};
        bool any = false;
        if (j.a >= 0 && j.b >= 0)
            for (const auto& [place, f] : places_of[j.a]) {
                const auto other = at_place.find({place, j.b});
                if (other == at_place.end()) continue;
                any = true;
                sum.force += std::min(f->head<3>().norm(), other->second.head<3>().norm());
                sum.moment += std::min(f->tail<3>().norm(), other->second.tail<3>().norm());
            }
        result.through_joint.push_back(any ? sum : Carried{unknown, unknown});
    }
}

// Change of length of the reference surface along a direction, at the middle of the element.
double Connections::strain_along(std::int32_t shell, const Vec3& along, const Eigen::VectorXd& movement) const {
    const ShellPart& p = built_.structure.shells[ix(shell)];
    constexpr std::array<double, 4> r{-0.25, 0.25, 0.25, -0.25}, s{-0.25, -0.25, 0.25, 0.25};  // slopes of the bilinear functions at the middle
    Vec3 xr = Vec3::Zero(), xs = Vec3::Zero(), ur = Vec3::Zero(), us = Vec3::Zero();
    for (int k = 0; k < p.count(); ++k) {
        // Of three nodes: the sides from the first to the others.
        const double fr = p.count() == 4 ? r[ix(k)] : k == 0 ? -1 : k == 1 ? 1 : 0, fs = p.count() == 4 ? s[ix(k)] : k == 0 ? -1 : k == 2 ? 1 : 0;
        const Vec3 x = built_.structure.nodes[ix(p.nodes[ix(k)])], u = movement.segment<3>(Eigen::Index{6} * p.nodes[ix(k)]);
        xr += fr * x, xs += fs * x, ur += fr * u, us += fs * u;
    }
    Eigen::Matrix2d g;
    g << xr.dot(xr), xr.dot(xs), xs.dot(xr), xs.dot(xs);
    const Vec2 parts = g.inverse() * Vec2(xr.dot(along), xs.dot(along));
    return along.dot(parts.x() * ur + parts.y() * us);
}

SeamStrain Connections::strain_of(const Seamed& seam, const Eigen::VectorXd& movement) const {
    constexpr double unknown = std::numeric_limits<double>::quiet_NaN();
    double length = 0, strain = 0, jump = 0;
    for (std::size_t i = 0; i < seam.shells_between.size(); ++i) {
        const auto& shells = seam.shells_between[i];
        if (shells.size() < 2) continue;
        const Vec3 step = built_.structure.nodes[ix(seam.nodes[i + 1].first)] - built_.structure.nodes[ix(seam.nodes[i].first)];
        const double l = step.norm();
        double low = std::numeric_limits<double>::max(), high = -low, squares = 0;
        for (const std::int32_t e : shells) {
            const double v = strain_along(e, step / l, movement);
            low = std::min(low, v), high = std::max(high, v), squares += v * v;
        }
        length += l, strain += l * squares / static_cast<double>(shells.size()), jump += l * (high - low) * (high - low);
    }
    return length > 0 ? SeamStrain{std::sqrt(strain / length), std::sqrt(jump / length)} : SeamStrain{unknown, unknown};
}

std::optional<MostStrained> most_strained(const Solution& solution, std::size_t seam) {
    std::optional<MostStrained> out;
    for (const CaseResult& c : solution.cases)
        if (seam < c.seam_strain.size() && !std::isnan(c.seam_strain[seam].strain) && (!out || c.seam_strain[seam].strain > out->strain))
            out = MostStrained{c.seam_strain[seam].strain, c.seam_strain[seam].jump, c.name};
    return out;
}

std::optional<MostCarried> most_carried(const Solution& solution, std::vector<Carried> CaseResult::*list, std::size_t number) {
    std::optional<MostCarried> out;
    for (const CaseResult& c : solution.cases) {
        const std::vector<Carried>& all = c.*list;
        if (number >= all.size() || std::isnan(all[number].force)) continue;
        const double share = c.load > 0 ? all[number].force / c.load : 0;
        if (!out || share > out->share || (share == out->share && all[number].moment > out->moment))
            out = MostCarried{all[number].force, all[number].moment, share, c.name};
    }
    return out;
}

}  // namespace halvo
