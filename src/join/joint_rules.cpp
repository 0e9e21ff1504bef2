#include "join/joint_rules.hpp"

#include "body/named.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo {

JointRules::JointRules(const JoinOptions& options, const Assembly& solids) : options_(options), widest_(options.reach) {
    for (std::size_t i = 0; i < options.joints.size(); ++i) {
        const JointRule& r = options.joints[i];
        Placed p{&r, {}, std::nullopt};
        for (std::size_t side : {0U, 1U}) {
            for (const Body& b : solids.bodies) p.bodies[side].push_back(is_named(b, r.between[side]));
            if (!r.between[side].empty() && std::find(p.bodies[side].begin(), p.bodies[side].end(), true) == p.bodies[side].end())
                throw Error(ErrorKind::input,
                            fmt::format("[[joint]] entry {}: no body \"{}\"; halvo survey lists them", i + 1, fmt::join(r.between[side], "\", \"")));
        }
        if (r.within) p.within = Box3(r.within->min() - solids.shift, r.within->max() - solids.shift);
        if (r.reach) widest_ = std::max(widest_, *r.reach);
        rules_.push_back(std::move(p));
    }
}

bool JointRules::fits(const Placed& p, int a, int b, const Vec3& place) {
    if (p.within && !p.within->contains(place)) return false;
    if (a < 0 || b < 0) return false;
    const auto i = static_cast<std::size_t>(a), j = static_cast<std::size_t>(b);
    return (p.bodies[0][i] && p.bodies[1][j]) || (p.bodies[0][j] && p.bodies[1][i]);
}

double JointRules::reach(int a, int b, const Vec3& place) const {
    double reach = options_.reach;
    for (const Placed& p : rules_)
        if (p.rule->reach && p.rule->id.empty() && fits(p, a, b, place)) reach = *p.rule->reach;
    return reach;
}

bool JointRules::refuses(const JointRecord& joint) const {
    return std::any_of(rules_.begin(), rules_.end(), [&](const Placed& p) {
        if (!p.rule->refuse) return false;
        if (!p.rule->id.empty() && std::find(p.rule->id.begin(), p.rule->id.end(), joint.key) == p.rule->id.end()) return false;
        return fits(p, joint.bodies[0], joint.bodies[1], joint.place);
    });
}

}  // namespace halvo
