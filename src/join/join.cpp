#include "core/keys.hpp"
#include "join/fasteners.hpp"
#include "join/start_at_skin.hpp"
#include "join/steps.hpp"
#include "model/sets.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace halvo {
namespace {

void join_with(Model& model, const Assembly* solids, const ContactTable& contacts, Fastening* fasteners, const JointRules* rules, const JoinOptions& options,
               const Observer& observer) {
    const std::vector<JointRecord> strips = solids ? close_strips(model, *solids, options) : std::vector<JointRecord>();
    JoinWork work = prepare(model, options, rules);
    for (const JointRecord& j : strips) add_joint(model, work, j);
    observer.tell("join", 0.65);
    find_sheet_joints(model, contacts, work);
    if (solids) find_named_joints(model, *solids, work);
    if (fasteners) fasteners->hold(model, work);
    fill_corners(model, work);
    settle_overhangs(model, work);
    find_member_joints(model, contacts, work);
    if (solids && options.bulk == BulkAs::coupling) find_couplings(model, *solids, contacts, work);
    if (fasteners) fasteners->hold_blocks(work);
    if (solids) find_ties(model, *solids, work), find_points(model, *solids, work);
    for (const std::string& line : work.idle)
        model.findings.push_back({make_key("finding", line, {}), FindingKind::rule_without_effect, line, "check its bodies and reach", Vec3::Zero(), 0, ""});
    observer.tell("join", 0.8);
    settle_stations(work);
    carry_out(model, work);
    if (solids && options.coplanar == CoplanarAs::one_sheet && unite_coplanar(model, *solids)) {
        JoinWork again = prepare(model, options, rules);
        carry_out(model, again);
    }
    JoinWork ends = prepare(model, options, rules);
    ends.as_joined = true;
    const bool at_sides = find_side_ends(model, contacts, ends), tied = solids && find_thickness_ties(model, *solids, ends);
    if (at_sides || tied) settle_stations(ends), carry_out(model, ends);
    if (solids) drop_stray_parts(model, *solids);
    if (options.start == StartAs::skin) start_at_skin(model);
    if (options.members == MembersMeet::meet || (rules && rules->any(&JointRule::members, MembersMeet::meet))) meet_members(model, work);
    observer.tell("join", 1);
}

// Contacts as far as the reach between their bodies lets them be; gaps are known as well as points are.
std::vector<Contact> within_reach(std::vector<Contact> all, const JointRules& rules, double tol) {
    for (Contact& c : all) std::erase_if(c.points, [&](const ContactPoint& p) { return p.gap > rules.reach(c.a, c.b, p.place) + tol; });
    std::erase_if(all, [](const Contact& c) { return c.points.empty(); });
    return all;
}

// Pairs of bodies that nothing joins, though they stand only a few times the reach apart.
void note_near(Model& model, const Assembly& solids, const std::vector<Contact>& closed, double reach) {
    std::set<BodyPair> joined;
    for (const Contact& c : closed) joined.insert({c.a, c.b});
    model.near.clear();
    for (const Contact& c : find_contacts(solids, nearly_caught * reach)) {
        if (joined.count({c.a, c.b}) || c.gap <= 0) continue;
        const auto known = std::find_if(model.near.begin(), model.near.end(), [&](const NearContact& k) { return k.bodies[0] == c.a && k.bodies[1] == c.b; });
        if (known == model.near.end()) model.near.push_back({JointRules::gap_key(solids, c.a, c.b), {c.a, c.b}, c.gap, c.centre});
        else if (c.gap < known->gap) known->gap = c.gap, known->place = c.centre;
    }
}

// Blocks that got a coupling are idealized after all.
void settle_blocks(Model& model, const Assembly& solids) {
    for (const Coupling& c : model.couplings) {
        if (!c.whole_body()) continue;  // a region, settled when its body was halved, or the end of a wall
        const Body& b = solids.bodies[c.body.index()];
        const std::string key = own_key(make_key("finding", "not idealized", {}), b.key);
        std::erase_if(model.findings, [&](const Finding& f) { return f.key == key; });
        const auto known = [&](const LedgerEntry& e) { return e.key == c.key; };
        if (std::any_of(model.ledger.begin(), model.ledger.end(), known)) continue;
        model.ledger.push_back(
            {c.key, "join", EntryKind::joint, EntryState::applied,
             fmt::format("{}: rigid, {:.0f} mm3 at its centre, coupled to {} edge(s) and {} point(s)", b.label, c.volume, c.edges.size(), c.vertices.size()),
             c.volume, b.mass.centre, b.label, JointKind::coupling});
    }
}

}  // namespace

void join(Model& model, const Assembly& solids, const JoinOptions& options, const Observer& observer) {
    const JointRules rules(options, solids);
    std::vector<Contact> contacts = within_reach(find_contacts(solids, rules.widest(), observer), rules, 10 * solids.tolerance.point);
    if (options.reach > 0) note_near(model, solids, contacts, options.reach);
    Fastening fasteners(solids, options);
    fasteners.lines(model);
    join_with(model, &solids, ContactTable(fasteners.others(std::move(contacts), rules)), &fasteners, &rules, options, observer);
    fasteners.record(model);
    settle_blocks(model, solids);
    place_references(model);
    make_sets(model, options.sets, options.frames);
}

void join(Model& model, const JoinOptions& options, const Observer& observer) {
    join_with(model, nullptr, ContactTable(), nullptr, nullptr, options, observer);
}

}  // namespace halvo
