// Ties that the plan names outright: edges of some bodies to the sheets of others.
#include "body/named.hpp"
#include "join/steps.hpp"
#include "model/sets.hpp"
#include "model/sheet_values.hpp"
#include "model/slab.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

// What one side of a rule means: bodies, ids of sheets or walls, and sets.
class Side {
public:
    Side(const Model& model, const Assembly& solids, const std::vector<std::string>& patterns, const std::vector<SetRule>& sets,
         const std::vector<FrameRule>& frames)
        : model_(model), solids_(solids) {
        for (const std::string& p : patterns) {
            const auto name = set_named(p);
            if (!name) patterns_.push_back(p);
            for (const SetRule& r : sets)
                if (name && r.name == *name) sets_.push_back(picked(r, model, frames));
        }
    }
    [[nodiscard]] bool sheet(std::size_t i) const {
        const Sheet& s = model_.sheets[i];
        if (has_id(s, patterns_) || (!patterns_.empty() && s.body && is_named(solids_.bodies[s.body.index()], patterns_))) return true;
        return std::any_of(sets_.begin(), sets_.end(),
                           [&](const ModelSet& k) { return std::find(k.sheets.begin(), k.sheets.end(), SheetId(i)) != k.sheets.end(); });
    }
    [[nodiscard]] bool edge(std::size_t e) const {
        return std::any_of(sets_.begin(), sets_.end(),
                           [&](const ModelSet& k) { return std::find(k.edges.begin(), k.edges.end(), EdgeId(e)) != k.edges.end(); });
    }
    [[nodiscard]] bool any_edges() const {
        return std::any_of(sets_.begin(), sets_.end(), [](const ModelSet& k) { return !k.edges.empty(); });
    }

private:
    const Model& model_;
    const Assembly& solids_;
    std::vector<std::string> patterns_;
    std::vector<ModelSet> sets_;
};

// Does an edge of one sheet run over another, skin to skin within reach?
bool runs_over(const Curve& c, const Sheet& from, const Sheet& onto, const SheetState& state, double reach, double flush) {
    for (const double share : {0.03, 0.27, 0.5, 0.73, 0.97}) {
        const Vec3 p = c.point(c.parameter_at(share));
        const SlabPlace in = slab_place(onto, p);
        if (!on_sheet(onto, state, in.foot.point, flush) || skin_gap(from, p, in) > reach) return false;
    }
    return true;
}

// Free edges of one sheet that run over another follow it.
class Tier {
public:
    Tier(const Model& model, JoinWork& work) : model_(model), work_(work), uses_(sheets_at_edges(model)) {}

    // Edges of sheet `f` that `means` picks, to sheet `o`.
    template <class Picks>
    bool tie(std::size_t f, std::size_t o, double reach, const Picks& means) {
        const Sheet &from = model_.sheets[f], &onto = model_.sheets[o];
        TieWork t{{}, static_cast<int>(o), -1};
        bool any = false;
        for (const Region& r : from.regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) {
                    const std::size_t e = u.edge.index();
                    if (uses_[e].size() != 1 || uses_[e][0].sides != 1) continue;
                    if (work_.sheets[f].extended.count(static_cast<int>(e))) continue;  // a joint holds it already
                    const Curve& c = model_.edges[e].curve;
                    if (!means(e) || !runs_over(c, from, onto, work_.sheets[o], reach, 10 * work_.tol + model_.tolerance.chord)) continue;
                    JointRecord j = joint_record(JointKind::tie, from.key, from.body, onto.key, onto.body);
                    j.length = c.length(), j.place = c.middle();
                    j.gap = std::max(0.0, std::abs(onto.chart.height(c.middle())) - 0.5 * onto.thickness.max);
                    const int number = add_joint(model_, work_, j);
                    any = any || number != -1;
                    if (number >= 0) t.joint = number, t.curves.push_back(static_cast<int>(e));
                }
        if (!t.curves.empty()) work_.ties.push_back(std::move(t));
        return any;
    }

private:
    const Model& model_;
    JoinWork& work_;
    std::vector<std::vector<SheetAtEdge>> uses_;
};

}  // namespace

void find_ties(const Model& model, const Assembly& solids, JoinWork& work) {
    Tier tier(model, work);
    for (const TieRule& rule : work.options->ties) {
        const auto within = own_box(rule.within, solids.shift);
        const Side from(model, solids, rule.between[0], work.options->sets, work.options->frames),
            onto(model, solids, rule.between[1], work.options->sets, work.options->frames);
        const auto inside_box = [&](std::size_t e) { return !within || within->contains(model.edges[e].curve.middle()); };
        bool any = false;
        for (std::size_t o = 0; o < model.sheets.size(); ++o) {
            if (!onto.sheet(o)) continue;
            for (std::size_t f = 0; f < model.sheets.size(); ++f) {
                const bool all = from.sheet(f);
                if (f == o || (!all && !from.any_edges())) continue;
                any = tier.tie(f, o, rule.reach, [&](std::size_t e) { return (all || from.edge(e)) && inside_box(e); }) || any;
            }
        }
        if (!any) work.idle.push_back(fmt::format("[[tie]] entry {} found no edge over such a sheet within its reach", &rule - work.options->ties.data() + 1));
    }
    for (const auto& [a, b] : work.tied)
        for (const auto& [f, o] : {std::pair(a, b), std::pair(b, a)}) {
            const double reach = work.rules->reach(model.sheets[f].body, model.sheets[o].body, work.sheets[f].box.center());
            tier.tie(f, o, reach + 10 * work.tol, [](std::size_t) { return true; });
        }
}

}  // namespace halvo
