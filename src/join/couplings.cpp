// Blocks between others: rigid, with their mass, coupled to the sheets and members they touch.
#include "body/skin.hpp"
#include "core/keys.hpp"
#include "join/steps.hpp"

#include <algorithm>
#include <limits>
#include <map>
#include <optional>
#include <set>

namespace halvo {
namespace {

constexpr std::size_t most_points = 12;  // on a sheet that touches a block inside its boundary

class Coupler {
public:
    Coupler(const Model& model, const Assembly& solids, const ContactTable& contacts, JoinWork& work)
        : model_(model), solids_(solids), contacts_(contacts), work_(work) {}

    void run() {
        regions_ = work_.couplings.size();
        for (std::size_t k = 0; k < regions_; ++k) couple_region(k);
        couple_beside_sheets();
        std::vector<bool> made(solids_.bodies.size(), false);
        for (const Sheet& s : model_.sheets)
            if (s.body) made[s.body.index()] = true;
        for (const Member& m : model_.members)
            if (m.body) made[m.body.index()] = true;
        for (const Coupling& c : model_.couplings) made[c.body.index()] = true;
        for (std::size_t b = 0; b < solids_.bodies.size(); ++b)
            if (!made[b] && solids_.bodies[b].closed) couple(BodyId(b));
        for (std::size_t k = regions_; k < work_.couplings.size(); ++k)
            for (std::size_t j = k + 1; j < work_.couplings.size(); ++j)
                to_region(work_.couplings[k], j, contacts_.between(work_.couplings[k].body, work_.couplings[j].body));
    }

private:
    // A solid region of a body that something else touches holds that, where nothing else of both bodies is joined.
    void couple_region(std::size_t k) {
        const BodyId body = work_.couplings[k].body;
        for (const BodyId other : touching(body))
            if (!joined(body, other)) hold(work_.couplings[k], other, at_region(k, contacts_.between(body, other)), k + 1);
    }

    // A face may be the side of a wall and go on over a solid region, whose own it is not: what touches it there is held by the region next to
    // it, where nothing else of both bodies is joined.
    void couple_beside_sheets() {
        std::set<BodyId> with_region;
        for (std::size_t k = 0; k < regions_; ++k) with_region.insert(work_.couplings[k].body);
        for (const BodyId body : with_region) {
            std::vector<BodyId> others = touching(body);
            std::erase_if(others, [&](BodyId other) { return joined(body, other, true); });
            if (others.empty()) continue;
            const FaceNeighbours beside = face_neighbours(solids_.bodies[body.index()]);
            for (const BodyId other : others) {
                std::map<std::size_t, std::vector<ContactPoint>> of_region;
                for (const ContactPoint& p : contacts_.between(body, other))
                    if (!in_sheet_of(body, p.place))
                        if (const auto k = region_beside(body, beside, p)) of_region[*k].push_back(p);
                for (const auto& [k, points] : of_region) hold(work_.couplings[k], other, points, regions_);
            }
        }
    }

    [[nodiscard]] bool in_sheet_of(BodyId body, const Vec3& p) const {
        for (std::size_t s = 0; s < model_.sheets.size(); ++s)
            if (model_.sheets[s].body == body && at_sheet(s, p)) return true;
        return false;
    }

    // Within a sheet's thickness of it.
    [[nodiscard]] bool at_sheet(std::size_t s, const Vec3& p) const {
        const Sheet& sheet = model_.sheets[s];
        const double near = sheet.thickness.max + work_.reach;
        return std::abs(sheet.chart.height(p)) <= near && (snapped_to_sheet(model_, work_.sheets[s], sheet, p, 0.5 * sheet.thickness.max) - p).norm() <= near;
    }

    // The nearest region with a face that borders on the one a contact lies on.
    [[nodiscard]] std::optional<std::size_t> region_beside(BodyId body, const FaceNeighbours& beside, const ContactPoint& p) const {
        const Body& b = solids_.bodies[body.index()];
        std::optional<std::size_t> best;
        double least = std::numeric_limits<double>::max();
        for (std::size_t k = 0; k < regions_; ++k) {
            const CouplingWork& r = work_.couplings[k];
            if (r.body != body) continue;
            const auto borders = [&](int f) {
                const auto& links = beside.of[static_cast<std::size_t>(p.face_a)];
                return std::any_of(links.begin(), links.end(), [&](const auto& l) { return l.other == f; });
            };
            if (std::none_of(r.faces.begin(), r.faces.end(), borders)) continue;
            for (const int f : r.faces) {
                const Face& face = b.faces[static_cast<std::size_t>(f)];
                for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
                    for (const int c : b.facets[i].corners)
                        if (const double d = (b.points[static_cast<std::size_t>(c)] - p.place).norm(); d < least) least = d, best = k;
            }
        }
        return best;
    }

    [[nodiscard]] std::vector<BodyId> touching(BodyId body) const {
        std::vector<BodyId> out;
        for (const auto& [pair, all] : contacts_.all())
            if (pair.first == body || pair.second == body) out.push_back(pair.first == body ? pair.second : pair.first);
        return out;
    }

    // What of another body touches a rigid one: its sheets and members, and its solid regions from number `first` on.
    void hold(CouplingWork& k, BodyId other, const std::vector<ContactPoint>& points, std::size_t first) {
        if (points.empty()) return;
        for (std::size_t s = 0; s < model_.sheets.size(); ++s)
            if (model_.sheets[s].body == other) to_sheet(k, s, points);
        for (std::size_t m = 0; m < model_.members.size(); ++m)
            if (model_.members[m].body == other) to_member(k, m, points);
        for (std::size_t r = first; r < regions_; ++r)
            if (work_.couplings[r].body == other) to_region(k, r, at_region(r, contacts_.between(other, k.body)));
    }

    [[nodiscard]] bool joined(BodyId a, BodyId b, bool or_coupled = false) const {
        return std::any_of(work_.joints.begin(), work_.joints.end(), [&](const JointRecord& j) {
            return (or_coupled || j.kind != JointKind::coupling) && j.state == EntryState::applied &&
                   std::minmax(j.bodies[0], j.bodies[1]) == std::minmax(a, b);
        });
    }

    // Of contacts, the body of the region first, those on its own skin.
    [[nodiscard]] std::vector<ContactPoint> at_region(std::size_t k, std::vector<ContactPoint> points) const {
        const std::vector<int>& faces = work_.couplings[k].faces;
        std::erase_if(points, [&](const ContactPoint& p) { return std::find(faces.begin(), faces.end(), p.face_a) == faces.end(); });
        return points;
    }

    // Two rigid ones move as one.
    void to_region(CouplingWork& k, std::size_t region, const std::vector<ContactPoint>& points) {
        const CouplingWork& r = work_.couplings[region];
        if (points.empty()) return;
        JointRecord j = joint_record(JointKind::coupling, k.key, k.body, r.key, r.body, points);
        if (add_joint(model_, work_, j) != -1) k.points.push_back(r.centre);
    }

    void couple(BodyId block) {
        const Body& body = solids_.bodies[block.index()];
        CouplingWork k{make_key("coupling", body.key, {}), block, body.mass.centre, body.mass.volume, {}, {}, {}};
        for (const BodyId other : touching(block)) hold(k, other, contacts_.between(other, block), 0);
        if (!k.curves.empty() || !k.points.empty()) work_.couplings.push_back(std::move(k));
    }

    // Whole edges of the sheet in the contact, or else points spread over it.
    void to_sheet(CouplingWork& k, std::size_t s, const std::vector<ContactPoint>& contact) {
        const Sheet& sheet = model_.sheets[s];
        const double near = sheet.thickness.max + work_.reach;
        std::vector<ContactPoint> mine;
        for (const ContactPoint& p : contact)
            if (at_sheet(s, p.place)) mine.push_back(p);
        if (mine.empty()) return;
        JointRecord j = joint_record(JointKind::coupling, sheet.key, sheet.body, k.key, k.body, mine);
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
        JointRecord j = joint_record(JointKind::coupling, model_.members[m].key, model_.members[m].body, k.key, k.body, contact);
        if (add_joint(model_, work_, j) == -1) return;
        double at = 0;
        for (const ContactPoint& p : contact) at += sm.parameter(p.place) / static_cast<double>(contact.size());
        at = std::clamp(at, sm.start, sm.end);
        // Near its end the member is held by its end.
        if (at - sm.start <= 0.5 * sm.depth + work_.reach) at = sm.start;
        else if (sm.end - at <= 0.5 * sm.depth + work_.reach) at = sm.end;
        k.points.push_back(loose_station(sm, at));
    }

    const Model& model_;
    const Assembly& solids_;
    const ContactTable& contacts_;
    JoinWork& work_;
    std::size_t regions_ = 0;  // couplings that were there before
};

}  // namespace

void find_couplings(const Model& model, const Assembly& solids, const ContactTable& contacts, JoinWork& work) {
    Coupler(model, solids, contacts, work).run();
}

}  // namespace halvo
