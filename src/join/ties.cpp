// Ties that the plan names outright: edges of some bodies to the sheets of others.
#include "body/named.hpp"
#include "join/work.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

bool is_of(const Sheet& s, const Assembly& solids, const std::vector<std::string>& patterns) {
    return has_id(s, patterns) || (s.body >= 0 && is_named(solids.bodies[static_cast<std::size_t>(s.body)], patterns));
}

// Does an edge of one sheet run over another, skin to skin within reach?
bool runs_over(const Curve& c, const Sheet& from, const Sheet& onto, const SheetState& state, double reach) {
    for (const double share : {0.03, 0.27, 0.5, 0.73, 0.97}) {
        const Vec3 p = c.point(c.parameter_at(share));
        const SkinPoint foot = onto.chart.on(p);
        if (!inside(state.polygons, onto.chart.local2(foot.point))) return false;
        const double across = std::abs(foot.normal.dot(from.chart.normal(p)));
        if ((p - foot.point).norm() - 0.5 * onto.thickness.max - 0.5 * from.thickness.max * across > reach) return false;
    }
    return true;
}

}  // namespace

void find_ties(const Model& model, const Assembly& solids, JoinWork& work) {
    const auto uses = sheets_at_edges(model);
    for (const TieRule& rule : work.options->ties) {
        const auto within = own_box(rule.within, solids);
        bool any = false;
        for (std::size_t o = 0; o < model.sheets.size(); ++o) {
            const Sheet& onto = model.sheets[o];
            if (!is_of(onto, solids, rule.between[1])) continue;
            std::map<std::size_t, TieWork> of_sheet;
            for (std::size_t e = 0; e < model.edges.size(); ++e) {
                if (uses[e].size() != 1 || uses[e][0].sides != 1 || uses[e][0].sheet.index() == o) continue;
                if (work.sheets[uses[e][0].sheet.index()].extended.count(static_cast<int>(e))) continue;  // a joint holds it already
                const Sheet& from = model.sheets[uses[e][0].sheet.index()];
                const Curve& c = model.edges[e].curve;
                if (!is_of(from, solids, rule.between[0]) || (within && !within->contains(c.middle()))) continue;
                if (!runs_over(c, from, onto, work.sheets[o], rule.reach)) continue;
                JointRecord j = joint_record("tie", from.key, from.body, onto.key, onto.body);
                j.length = c.length(), j.place = c.middle();
                j.gap = std::max(0.0, std::abs(onto.chart.height(c.middle())) - 0.5 * onto.thickness.max);
                const int number = add_joint(model, work, j);
                any = any || number != -1;
                if (number < 0) continue;
                TieWork& t = of_sheet.try_emplace(uses[e][0].sheet.index(), TieWork{{}, static_cast<int>(o), number}).first->second;
                t.curves.push_back(static_cast<int>(e));
            }
            for (auto& [from, t] : of_sheet) work.ties.push_back(std::move(t));
        }
        if (!any) work.idle.push_back(fmt::format("[[tie]] entry {} found no edge over such a sheet within its reach", &rule - work.options->ties.data() + 1));
    }
}

}  // namespace halvo
