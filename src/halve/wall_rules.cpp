#include "halve/wall_rules.hpp"

#include "body/named.hpp"
#include "core/index.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo {
namespace {}  // namespace

WallRules::WallRules(const HalveOptions& options, const Assembly& solids) : options_(options), solids_(solids) {
    for (std::size_t i = 0; i < options.walls.size(); ++i) place(options.walls[i], i + 1);
}

void WallRules::place(const WallRule& rule, std::size_t number) {
    const auto fail = [&](const std::string& what) { throw Error(ErrorKind::input, fmt::format("[[wall]] entry {}: {}", number, what)); };
    auto p = std::make_unique<Placed>();
    p->rule = &rule;
    for (const Body& b : solids_.bodies) p->bodies.push_back(is_named(b, rule.body));
    p->within = own_box(rule.within, solids_.shift);
    // A point says its body by itself: the one whose skin it lies on.
    for (const Vec3& given : rule.points) {
        const Vec3 at = given - solids_.shift;
        const auto near = skin_at(solids_, at, p->bodies);
        if (!near) fail(fmt::format("no skin near the point ({:g}, {:g}, {:g})", given.x(), given.y(), given.z()));
        p->faces.push_back(solids_.bodies[near->body.index()].facets[ix(near->facet)].face);
        std::fill(p->bodies.begin(), p->bodies.end(), false);
        p->bodies[near->body.index()] = true;
    }
    const auto count = std::count(p->bodies.begin(), p->bodies.end(), true);
    if (!rule.faces.empty() && count != 1)
        fail(count == 0 ? "no body has this name; halvo survey lists them" : "faces are numbered body by body; say which one with wall.body");
    for (int f : rule.faces) {
        const auto b = static_cast<std::size_t>(std::find(p->bodies.begin(), p->bodies.end(), true) - p->bodies.begin());
        if (f < 1 || ix(f) > solids_.bodies[b].faces.size())
            fail(fmt::format("{} has faces 1 to {}, no face {}", solids_.bodies[b].label, solids_.bodies[b].faces.size(), f));
        p->faces.push_back(f - 1);
    }
    if (p->faces.size() == 2 && p->faces[0] == p->faces[1]) fail("both sides are the same face");
    rules_.push_back(std::move(p));
}

std::vector<NamedFaces> WallRules::named(BodyId body) const {
    std::vector<NamedFaces> out;
    for (const auto& p : rules_) {
        if (!p->bodies[ix(body)]) continue;
        const WallRule& r = *p->rule;
        if (p->faces.size() == 2) out.push_back({p->faces[0], p->faces[1], 0, 0, r.refuse, false});
        else if (r.face_alone()) out.push_back({p->faces[0], -1, *r.thickness, r.offset.value_or(-0.5 * *r.thickness), r.refuse, false});
        else continue;
        p->used = true;
    }
    return out;
}

bool WallRules::fits(const Placed& p, BodyId body, const std::string& key, const Wall& wall) const {
    if (!p.bodies[ix(body)]) return false;
    const auto& ids = p.rule->wall;
    if (!ids.empty() && std::find(ids.begin(), ids.end(), key) == ids.end()) return false;
    for (int f : p.faces)
        if (std::none_of(wall.pairs.begin(), wall.pairs.end(), [&](const FacePair& q) { return q.top == f || q.bottom == f; })) return false;
    if (!p.within) return true;
    return std::all_of(wall.pairs.begin(), wall.pairs.end(),
                       [&](const FacePair& q) { return std::all_of(q.seen.begin(), q.seen.end(), [&](const Vec3& at) { return p.within->contains(at); }); });
}

WallRules::Decision WallRules::decide(BodyId body, const std::string& key, const Wall& wall) const {
    Decision d{false, options_.reference, options_.method, options_.openings};
    d.refuse = std::find(options_.refuse.begin(), options_.refuse.end(), key) != options_.refuse.end();
    for (const auto& p : rules_) {
        if (!fits(*p, body, key, wall)) continue;
        p->used = true;
        const WallRule& r = *p->rule;
        if (p->faces.size() != 2 || !r.refuse) d.refuse = d.refuse || r.refuse;  // a refused pair is taken out before
        if (r.reference) d.reference = *r.reference;
        if (r.method) d.method = *r.method;
        if (r.openings) d.openings = *r.openings;
    }
    return d;
}

std::vector<std::string> WallRules::idle() const {
    std::vector<std::string> out;
    for (std::size_t i = 0; i < rules_.size(); ++i)
        if (!rules_[i]->used) out.push_back(fmt::format("[[wall]] entry {} fits no wall", i + 1));
    return out;
}

}  // namespace halvo
