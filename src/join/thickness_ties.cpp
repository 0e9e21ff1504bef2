// Edges of walls inside the thickness of another wall of their solid, along it, that share nothing with its sheet: the end of a tube cut off
// square beside the equator of another as wide, a piece between three walls at a node. Each follows the other's sheet as a tie.
#include "geom/facet_tree.hpp"
#include "geom/spread.hpp"
#include "join/steps.hpp"
#include "model/sheet_index.hpp"
#include "model/sheet_values.hpp"
#include "model/slab.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double least_tied_edge = 0.5;  // thicknesses
constexpr double beside = 0.5;           // thicknesses, that an edge may lie past the other sheet's border
constexpr std::array<double, 5> shares{0.05, 0.27, 0.5, 0.73, 0.95};

class ThicknessTies {
public:
    ThicknessTies(const Model& model, const Assembly& solids, JoinWork& work) : model_(model), solids_(solids), work_(work) {}

    bool run() {
        part_ = connected_parts(model_).of_sheet;
        const std::vector<Loose> all = loose_edges();
        if (all.empty()) return false;
        for (const Loose& l : all)
            if (l.buried) tie(l, false);
        // Where the sheets of one solid do not hang together, the rims that lie beside each other do.
        for (const Loose& l : all)
            if (!l.buried) tie(l, true);
        for (auto& [pair, t] : ties_) work_.ties.push_back(std::move(t));
        return link_parts() || !ties_.empty();
    }

private:
    struct Loose {
        std::size_t sheet;
        int edge;
        bool buried;  // the solid goes on past it
    };

    std::vector<Loose> loose_edges() const {
        std::vector<bool> held = held_edges(model_);
        for (const CouplingWork& c : work_.couplings)
            for (int e : c.curves) held[static_cast<std::size_t>(e)] = true;
        const auto uses = sheets_at_edges(model_);
        const std::set<BodyId> in_parts = bodies_in_parts();
        std::vector<Loose> out;
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            const Sheet& sheet = model_.sheets[s];
            if (!in_solid(sheet)) continue;
            for (const Region& r : sheet.regions)
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) {
                        const auto& use = uses[u.edge.index()];
                        if (use.size() != 1 || use[0].sides != 1 || held[u.edge.index()]) continue;
                        if (model_.length(u.edge) < least_tied_edge * sheet.thickness.min) continue;
                        const bool deep = ends_in_solid(model_, body(sheet), sheet, u);
                        if (deep || in_parts.count(sheet.body)) out.push_back({s, u.edge.value, deep});
                    }
        }
        return out;
    }

    // Is it of a solid, and where that is?
    bool in_solid(const Sheet& s) const { return s.body && !s.placed && body(s).tree != nullptr; }

    // Those whose sheets do not hang together.
    std::set<BodyId> bodies_in_parts() const {
        std::map<BodyId, int> first;
        std::set<BodyId> out;
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            const Sheet& sheet = model_.sheets[s];
            if (in_solid(sheet) && first.try_emplace(sheet.body, part_[s]).first->second != part_[s]) out.insert(sheet.body);
        }
        return out;
    }

    const Body& body(const Sheet& s) const { return solids_.bodies[s.body.index()]; }

    void tie(const Loose& l, bool between_parts) {
        const Sheet& sheet = model_.sheets[l.sheet];
        const Curve& c = model_.edges[static_cast<std::size_t>(l.edge)].curve;
        std::array<Vec3, shares.size()> points;
        for (std::size_t k = 0; k < shares.size(); ++k) points[k] = c.point(c.parameter_at(shares[k]));
        const SheetIndex& index = of_body(sheet.body);
        std::pair<int, double> best{most_past_edge - 1, 0};  // points in the thickness; less is the sum of their heights
        std::size_t onto = l.sheet;
        for (const int k : index.near(points[shares.size() / 2])) {
            const auto o = static_cast<std::size_t>(&index.sheet(k) - model_.sheets.data());
            if (o == l.sheet || (between_parts && part_[o] == part_[l.sheet]) || leads_to(o, l.sheet)) continue;
            std::pair<int, double> here{0, 0};
            for (const Vec3& p : points)
                if (const auto height = height_in(index, k, p)) ++here.first, here.second -= *height;
            if (here > best) best = here, onto = o;
        }
        if (onto != l.sheet) record(l, onto);
    }

    // How far a point in the thickness of a sheet is from that, with nothing but solid between.
    std::optional<double> height_in(const SheetIndex& index, int k, const Vec3& p) const {
        const Sheet& s = index.sheet(k);
        const SlabPlace in = slab_place(s, p);
        const auto copies = s.chart.copies(in.at);
        const auto over = [&](const Vec2& q) { return index.outline(k).inside(q) || index.outline(k).border_within(q, beside * s.thickness.max); };
        if (std::ranges::none_of(copies, over) || in.beyond() > work_.tol) return std::nullopt;
        const auto solid = [&](double share) { return body(s).tree->encloses(p + share * (in.foot.point - p)); };
        if (!solid(0.25) || !solid(0.5) || !solid(0.75)) return std::nullopt;
        return std::abs(in.height);
    }

    // Nothing may follow what follows it.
    bool leads_to(std::size_t from, std::size_t to) const {
        if (from == to) return true;
        return std::any_of(ties_.begin(), ties_.end(), [&](const auto& t) { return t.first.first == from && leads_to(t.first.second, to); });
    }

    void record(const Loose& l, std::size_t onto) {
        const Sheet &sheet = model_.sheets[l.sheet], &other = model_.sheets[onto];
        const Curve& c = model_.edges[static_cast<std::size_t>(l.edge)].curve;
        const std::string key = joint_key(sheet.key, other.key);
        const auto made = std::find_if(model_.joints.begin(), model_.joints.end(), [&](const JointRecord& j) { return j.key == key; });
        if (made != model_.joints.end() && made->state == EntryState::refused) return;
        JointRecord j = joint_record(JointKind::tie, sheet.key, sheet.body, other.key, other.body);
        j.length = c.length(), j.place = c.middle();
        const int number = add_joint(model_, work_, j);
        if (number == -1) return;
        TieWork& t = ties_.try_emplace({l.sheet, onto}, TieWork{{}, static_cast<int>(onto), std::max(number, -1)}).first->second;
        t.curves.push_back(l.edge);
        unite(l.sheet, onto);
    }

    // A place on an edge of one sheet in the thickness of another that it does not hang together with.
    struct Touch {
        Vec3 at;
        std::size_t sheet, onto;
    };

    // Sheets of one solid that still hang together by nothing, as where rims cross, are held by a few rigid links.
    bool link_parts() {
        constexpr std::size_t most = 4;
        bool any = false;
        for (const auto& [parts, touches] : touches_between_parts()) {
            std::vector<Vec3> places;
            for (const Touch& t : touches)
                if (part_[t.sheet] != part_[t.onto]) places.push_back(t.at);
            for (const Vec3& p : far_apart(places, most))
                any = link(*std::find_if(touches.begin(), touches.end(), [&](const Touch& t) { return t.at == p; })) || any;
            if (!places.empty()) unite(touches[0].sheet, touches[0].onto);
        }
        return any;
    }

    std::map<std::pair<int, int>, std::vector<Touch>> touches_between_parts() {
        constexpr int n = 12;  // looks along an edge
        std::map<std::pair<int, int>, std::vector<Touch>> out;
        const std::set<BodyId> in_parts = bodies_in_parts();
        for (std::size_t s = 0; s < model_.sheets.size(); ++s) {
            if (!in_solid(model_.sheets[s]) || in_parts.count(model_.sheets[s].body) == 0) continue;
            const SheetIndex& index = of_body(model_.sheets[s].body);
            for (const Region& r : model_.sheets[s].regions)
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop)
                        for (int k = 0; k < n; ++k) {
                            const Curve& c = model_.edges[u.edge.index()].curve;
                            const Vec3 p = c.point(c.parameter_at(static_cast<double>(k) / n));
                            for (const int i : index.near(p)) {
                                const auto o = static_cast<std::size_t>(&index.sheet(i) - model_.sheets.data());
                                if (part_[o] != part_[s] && height_in(index, i, p)) out[std::minmax(part_[s], part_[o])].push_back({p, s, o});
                            }
                        }
        }
        return out;
    }

    bool link(const Touch& t) {
        const Sheet &sheet = model_.sheets[t.sheet], &other = model_.sheets[t.onto];
        JointRecord j = joint_record(JointKind::point_contact, sheet.key, sheet.body, other.key, other.body);
        j.place = t.at;
        const int number = add_joint(model_, work_, j);
        if (number < 0) return false;
        const Vec3 q = snapped_to_sheet(model_, work_.sheets[t.onto], other, t.at, 0.5 * other.thickness.min);
        work_.sheets[t.sheet].points.emplace_back(-1, t.at);
        work_.sheets[t.onto].points.emplace_back(-1, q);
        if ((t.at - q).norm() > 10 * work_.tol) work_.point_links.push_back({t.at, q, number});
        return true;
    }

    void unite(std::size_t a, std::size_t b) {
        const int from = part_[a], to = part_[b];
        std::replace(part_.begin(), part_.end(), from, to);
    }

    const SheetIndex& of_body(BodyId body) {
        auto it = indices_.find(body);
        if (it == indices_.end()) it = indices_.emplace(body, SheetIndex(model_, body, 1)).first;
        return it->second;
    }

    const Model& model_;
    const Assembly& solids_;
    JoinWork& work_;
    std::vector<int> part_;  // of each sheet: that it hangs together with
    std::map<std::pair<std::size_t, std::size_t>, TieWork> ties_;
    std::map<BodyId, SheetIndex> indices_;
};

}  // namespace

bool find_thickness_ties(const Model& model, const Assembly& solids, JoinWork& work) {
    return ThicknessTies(model, solids, work).run();
}

}  // namespace halvo
