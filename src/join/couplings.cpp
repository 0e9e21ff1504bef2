// Blocks between others: rigid, with their mass, coupled to the sheets and members they touch.
#include "core/keys.hpp"
#include "join/work.hpp"

#include <algorithm>

namespace halvo {
namespace {

constexpr std::size_t most_points = 12;  // on a sheet that touches a block inside its boundary

class Coupler {
public:
    Coupler(const Model& model, const Assembly& solids, const ContactTable& contacts, JoinWork& work)
        : model_(model), solids_(solids), contacts_(contacts), work_(work) {}

    void run() {
        std::vector<bool> made(solids_.bodies.size(), false);
        for (const Sheet& s : model_.sheets)
            if (s.body >= 0) made[static_cast<std::size_t>(s.body)] = true;
        for (const Member& m : model_.members)
            if (m.body >= 0) made[static_cast<std::size_t>(m.body)] = true;
        for (const Coupling& c : model_.couplings) made[static_cast<std::size_t>(c.body)] = true;
        for (std::size_t b = 0; b < solids_.bodies.size(); ++b)
            if (!made[b] && solids_.bodies[b].closed) couple(static_cast<int>(b));
    }

private:
    void couple(int block) {
        const Body& body = solids_.bodies[static_cast<std::size_t>(block)];
        CouplingWork k{make_key("coupling", body.key, {}), block, body.mass.centre, body.mass.volume, {}, {}, {}};
        for (const auto& [pair, all] : contacts_.all()) {
            if (pair.first != block && pair.second != block) continue;
            const int other = pair.first == block ? pair.second : pair.first;
            const auto points = contacts_.between(other, block);
            for (std::size_t s = 0; s < model_.sheets.size(); ++s)
                if (model_.sheets[s].body == other) to_sheet(k, s, points);
            for (std::size_t m = 0; m < model_.members.size(); ++m)
                if (model_.members[m].body == other) to_member(k, m, points);
        }
        if (!k.curves.empty() || !k.points.empty()) work_.couplings.push_back(std::move(k));
    }

    // Whole edges of the sheet in the contact, or else points spread over it.
    void to_sheet(CouplingWork& k, std::size_t s, const std::vector<ContactPoint>& contact) {
        const Sheet& sheet = model_.sheets[s];
        const double near = sheet.thickness.max + work_.reach;
        std::vector<ContactPoint> mine;
        for (const ContactPoint& p : contact)
            if (std::abs(sheet.chart.height(p.place)) <= near &&
                (snapped_to_sheet(model_, work_.sheets[s], sheet, p.place, 0.5 * sheet.thickness.max) - p.place).norm() <= near)
                mine.push_back(p);
        if (mine.empty()) return;
        JointRecord j = joint_record("coupling", sheet.key, sheet.body, k.key, k.body, mine);
        if (add_joint(model_, work_, j) == -1) return;
        const auto touched = [&](const Vec3& p) {
            return std::any_of(mine.begin(), mine.end(), [&](const ContactPoint& c) { return (c.place - p).norm() <= near; });
        };
        bool any = false;
        std::set<int> edges;
        for (const Region& r : sheet.regions)
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) edges.insert(u.edge.value);
        for (int e : edges) {
            const Curve& c = model_.edges[static_cast<std::size_t>(e)].curve;
            const bool in = touched(c.point(c.parameter_at(0.05))) && touched(c.middle()) && touched(c.point(c.parameter_at(0.95)));
            if (in) k.curves.push_back(e), any = true;
        }
        if (any) return;
        for (const Vec3& p : spread_points(mine, most_points)) {
            k.points.push_back(snapped_to_sheet(model_, work_.sheets[s], sheet, p, 0.5 * sheet.thickness.max));
            work_.sheets[s].points.emplace_back(-1, k.points.back());
        }
    }

    void to_member(CouplingWork& k, std::size_t m, const std::vector<ContactPoint>& contact) {
        MemberState& sm = work_.members[m];
        JointRecord j = joint_record("coupling", model_.members[m].key, model_.members[m].body, k.key, k.body, contact);
        if (add_joint(model_, work_, j) == -1) return;
        double at = 0;
        for (const ContactPoint& p : contact) at += sm.parameter(p.place) / static_cast<double>(contact.size());
        at = std::clamp(at, sm.start, sm.end);
        // Near its end the member is held by its end.
        if (at - sm.start <= 0.5 * sm.depth + work_.reach) at = sm.start;
        else if (sm.end - at <= 0.5 * sm.depth + work_.reach) at = sm.end;
        sm.splits.push_back(at);
        k.points.push_back(sm.line(at));
    }

    const Model& model_;
    const Assembly& solids_;
    const ContactTable& contacts_;
    JoinWork& work_;
};

}  // namespace

void find_couplings(const Model& model, const Assembly& solids, const ContactTable& contacts, JoinWork& work) {
    Coupler(model, solids, contacts, work).run();
}

}  // namespace halvo
