#include "join/joint_rules.hpp"

#include "body/named.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo {

JointRules::JointRules(const JoinOptions& options, const Assembly& solids) : options_(options), solids_(solids), widest_(options.reach) {
    for (std::size_t i = 0; i < options.joints.size(); ++i) {
        const JointRule& r = options.joints[i];
        Placed p{&r, r.reach, {}, std::nullopt};
        for (std::size_t side : {0U, 1U}) {
            for (const Body& b : solids.bodies) p.bodies[side].push_back(is_named(b, r.between[side]));
            if (!r.between[side].empty() && std::find(p.bodies[side].begin(), p.bodies[side].end(), true) == p.bodies[side].end())
                throw Error(ErrorKind::input,
                            fmt::format("[[joint]] entry {}: no body \"{}\"; halvo survey lists them", i + 1, fmt::join(r.between[side], "\", \"")));
        }
        p.within = own_box(r.within, solids.shift);
        if (!r.points.empty()) point_out(p, solids, i + 1);
        if (r.force) widest_ = std::max(widest_, nearly_caught * options.reach);
        if (p.reach) widest_ = std::max(widest_, *p.reach);
        rules_.push_back(std::move(p));
    }
}

bool JointRules::fits(const Placed& p, BodyId a, BodyId b, const Vec3& place) {
    if (p.within && !p.within->contains(place)) return false;
    if (!a || !b) return false;
    const std::size_t i = a.index(), j = b.index();
    return (p.bodies[0][i] && p.bodies[1][j]) || (p.bodies[0][j] && p.bodies[1][i]);
}

double JointRules::reach(BodyId a, BodyId b, const Vec3& place) const {
    double reach = options_.reach;
    for (const Placed& p : rules_) {
        if (!fits(p, a, b, place)) continue;
        if (p.reach && p.rule->id.empty()) reach = *p.reach;
        if (p.rule->force && forces_gap(p, a, b)) reach = std::max(reach, nearly_caught * options_.reach);
    }
    return reach;
}

bool JointRules::forces_gap(const Placed& p, BodyId a, BodyId b) const {
    return p.rule->id.empty() || named(p, gap_key(solids_, a, b));
}

std::string JointRules::gap_key(const Assembly& solids, BodyId a, BodyId b) {
    std::string k = solids.bodies[a.index()].key, m = solids.bodies[b.index()].key;
    return "gap-" + std::min(k, m) + "-" + std::max(k, m);
}

// A point means the body whose skin it lies on; the gap between both is what is to be closed.
void JointRules::point_out(Placed& p, const Assembly& solids, std::size_t number) {
    std::array<BodyId, 2> body;
    std::array<Vec3, 2> skin{Vec3::Zero(), Vec3::Zero()};
    for (std::size_t side : {0U, 1U}) {
        const Vec3 at = p.rule->points[side] - solids.shift;
        const auto near = skin_at(solids, at);
        const Vec3& given = p.rule->points[side];
        if (!near)
            throw Error(ErrorKind::input,
                        fmt::format("[[joint]] entry {}: no skin near the point ({:g}, {:g}, {:g})", number, given.x(), given.y(), given.z()));
        body[side] = near->body;
        skin[side] = solids.bodies[near->body.index()].on_skin(static_cast<std::size_t>(near->facet), at).point;
        p.bodies[side].assign(solids.bodies.size(), false);
        p.bodies[side][body[side].index()] = true;
    }
    if (body[0] == body[1]) throw Error(ErrorKind::input, fmt::format("[[joint]] entry {}: both points are on the same body", number));
    p.reach = (skin[0] - skin[1]).norm() + 10 * solids.tolerance.point;
}

bool JointRules::named(const Placed& p, const std::string& key) {
    return p.rule->id.empty() || std::find(p.rule->id.begin(), p.rule->id.end(), key) != p.rule->id.end();
}

bool JointRules::refuses(const JointRecord& joint) const {
    bool refused = std::find(options_.refuse.begin(), options_.refuse.end(), joint.key) != options_.refuse.end();
    for (const Placed& p : rules_) {
        if ((!p.rule->refuse && !p.rule->force) || !named(p, joint.key) || !fits(p, joint.bodies[0], joint.bodies[1], joint.place)) continue;
        refused = p.rule->refuse;
    }
    return refused;
}

}  // namespace halvo
