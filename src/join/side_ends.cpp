// Ends of walls at the side of a thicker piece of another wall: a rib at the thick border of the plate it stands on, at a pad, at a solid
// node of a grid. The sheet of the thicker piece crosses the rib's end edge in one point only; its normal there takes all of the edge along.
#include "core/keys.hpp"
#include "join/steps.hpp"
#include "model/sheet_index.hpp"
#include "model/sheet_values.hpp"
#include "model/slab.hpp"

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double past = 0.25;           // thicknesses, that are looked past the edge
constexpr double least_side_end = 0.5;  // thicknesses
constexpr double steep = 0.7;           // least cosine between the edge and the other sheet's normal

class SideEnds {
public:
    SideEnds(const Model& model, const ContactTable& contacts, JoinWork& work) : model_(model), contacts_(contacts), work_(work) {}

    bool run() {
        std::vector<bool> held = held_edges(model_);
        const auto uses = sheets_at_edges(model_);
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            const Sheet& sheet = model_.sheets[s];
            if (!sheet.body) continue;
            for (const Region& r : sheet.regions)
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) {
                        const auto& use = uses[u.edge.index()];
                        if (use.size() != 1 || use[0].sides != 1 || held[u.edge.index()]) continue;
                        if (model_.length(u.edge) >= least_side_end * sheet.thickness.min) hold(s, u);
                    }
        }
        return any_;
    }

private:
    void hold(std::size_t s, const EdgeUse& u) {
        const Sheet& sheet = model_.sheets[s];
        const Curve& c = model_.edges[u.edge.index()].curve;
        const auto beyond = past_edge(sheet.chart, c, u.reversed, past * sheet.field.at(sheet.chart, sheet.chart.local2(c.middle())));
        const Vec3& middle = beyond[beyond.size() / 2];
        for (const BodyId body : beside(sheet.body, middle, sheet.thickness.max)) {
            const SheetIndex& index = of_body(body);
            for (const int k : index.near(middle)) {
                const Sheet& other = index.sheet(k);
                if (&other == &sheet || std::abs(other.chart.normal(c.middle()).dot((c.end() - c.start()).normalized())) < steep) continue;
                const auto in = std::count_if(beyond.begin(), beyond.end(), [&](const Vec3& p) { return within(index, k, p); });
                if (in < most_past_edge) continue;
                couple(s, static_cast<std::size_t>(&other - model_.sheets.data()), u.edge);
                return;
            }
        }
    }

    // In the thickness of a sheet?
    bool within(const SheetIndex& index, int k, const Vec3& p) const {
        const Sheet& s = index.sheet(k);
        const SlabPlace in = slab_place(s, p);
        return in.beyond() <= work_.tol && index.outline(k).inside(in.at);
    }

    // The sheet's own body, and those that touch it there.
    std::vector<BodyId> beside(BodyId body, const Vec3& place, double near) const {
        std::vector<BodyId> out{body};
        for (const auto& [pair, points] : contacts_.all()) {
            if (pair.first != body && pair.second != body) continue;
            const auto close = [&](const ContactPoint& p) { return (p.place - place).norm() <= near + work_.reach; };
            if (std::any_of(points.begin(), points.end(), close)) out.push_back(pair.first == body ? pair.second : pair.first);
        }
        return out;
    }

    const SheetIndex& of_body(BodyId body) {
        auto it = indices_.find(body);
        if (it == indices_.end()) it = indices_.emplace(body, SheetIndex(model_, body, 1)).first;
        return it->second;
    }

    void couple(std::size_t s, std::size_t onto, EdgeId e) {
        const Sheet &sheet = model_.sheets[s], &other = model_.sheets[onto];
        const Curve& c = model_.edges[e.index()].curve;
        const std::string key = joint_key(sheet.key, other.key);
        const auto made = std::find_if(model_.joints.begin(), model_.joints.end(), [&](const JointRecord& j) { return j.key == key; });
        if (made != model_.joints.end() && made->state == EntryState::refused) return;
        const Vec3 crossing = crosses(c, other);
        JointRecord j = joint_record(JointKind::end_at_side, sheet.key, sheet.body, other.key, other.body);
        j.length = c.length(), j.place = c.middle();
        if (add_joint(model_, work_, j) == -1) return;
        CouplingWork k{make_key("end", sheet.key + " " + other.key, {(c.middle() - sheet.chart.plane().origin).norm(), c.length()}),
                       sheet.body,
                       crossing,
                       0,
                       {e.value},
                       {},
                       {}};
        work_.sheets[onto].points.emplace_back(-1, crossing);
        work_.couplings.push_back(std::move(k));
        any_ = true;
    }

    // Where the edge, or its line, crosses the other sheet.
    Vec3 crosses(const Curve& c, const Sheet& other) const {
        const auto height = [&](const Vec3& p) { return std::abs(other.chart.height(p)); };
        const Vec3 &from = c.start(), &to = c.end();
        const Vec3 near = height(from) < height(to) ? from : to;
        if (height(near) <= 10 * work_.tol) return near;
        const std::size_t onto = static_cast<std::size_t>(&other - model_.sheets.data());
        return snapped_to_sheet(model_, work_.sheets[onto], other, c.middle(), 0.5 * other.thickness.min);
    }

    const Model& model_;
    const ContactTable& contacts_;
    JoinWork& work_;
    std::map<BodyId, SheetIndex> indices_;
    bool any_ = false;
};

}  // namespace

bool find_side_ends(const Model& model, const ContactTable& contacts, JoinWork& work) {
    return SideEnds(model, contacts, work).run();
}

}  // namespace halvo
