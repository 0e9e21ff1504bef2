// Member lines that miss each other by little, brought to one point.
#include "core/groups.hpp"
#include "geom/dense.hpp"
#include "join/steps.hpp"
#include "model/references.hpp"
#include "model/renumber.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace halvo {
namespace {

class Meeter {
public:
    Meeter(Model& model, const JoinWork& work)
        : model_(model), work_(work), reach_(work.reach), at_sheet_(model.vertices.size(), false), members_(model.vertices.size()) {
        const auto on_sheet = [&](EdgeId e) {
            for (VertexId v : model.edges[e.index()].vertices) at_sheet_[v.index()] = true;
        };
        for (const Sheet& s : model.sheets)
            for (const Region& r : s.regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) on_sheet(u.edge);
                for (EdgeId e : r.embedded) on_sheet(e);
                for (VertexId v : r.points) at_sheet_[v.index()] = true;
            }
        for (std::size_t m = 0; m < model.members.size(); ++m)
            for (const EdgeUse& u : model.members[m].chain)
                for (VertexId v : model.edges[u.edge.index()].vertices) members_[v.index()].insert(m);
    }

    void run() {
        const std::size_t n = model_.vertices.size();
        Groups groups(n);
        for (const Link& l : model_.links)
            if (short_link(l)) groups.tie(l.a.value, l.b.value);
        // Pieces of a line shorter than half its section's depth, between two such places, are one place.
        std::vector<bool> linked(n, false);
        for (const Link& l : model_.links)
            if (short_link(l)) linked[l.a.index()] = linked[l.b.index()] = true;
        for (const Member& m : model_.members)
            for (const EdgeUse& u : m.chain) {
                const Edge& e = model_.edges[u.edge.index()];
                const double close = std::max(reach_, m.section ? 0.5 * model_.sections[m.section.index()].depth : 0);
                if (linked[e.vertices[0].index()] && linked[e.vertices[1].index()] && e.curve.length() <= close)
                    groups.tie(e.vertices[0].value, e.vertices[1].value);
            }
        std::map<int, std::vector<int>> clusters;
        for (std::size_t v = 0; v < n; ++v)
            if (!members_[v].empty()) clusters[groups.root(static_cast<int>(v))].push_back(static_cast<int>(v));
        to_.resize(n);
        for (std::size_t v = 0; v < n; ++v) to_[v] = VertexId(v);
        for (const auto& [root, list] : clusters)
            if (list.size() > 1) merge(list);
        rewrite();
    }

private:
    const Vec3& point(int v) const { return model_.vertices[static_cast<std::size_t>(v)].point; }

    bool short_link(const Link& l) const {
        if (members_[l.a.index()].empty() || members_[l.b.index()].empty() || (point(l.a.value) - point(l.b.value)).norm() > reach_ * (1 + 1e-9)) return false;
        const MembersMeet all = work_.options->members;
        if (!work_.rules || !l.joint) return all == MembersMeet::meet;
        const JointRecord& j = model_.joints[l.joint.index()];
        return work_.rules->choice(&JointRule::members, all, j.key, j.bodies[0], j.bodies[1], j.place) == MembersMeet::meet;
    }

    // To a vertex that a sheet holds; else to the only one in the midst of a member; else where all axes are nearest.
    void merge(const std::vector<int>& list) {
        int fixed = -1, in_sheets = 0;
        for (int v : list)
            if (at_sheet_[static_cast<std::size_t>(v)]) fixed = v, ++in_sheets;
        if (in_sheets > 1) return;
        if (in_sheets == 0) {
            int mid = -1, mids = 0;
            for (int v : list)
                if (ends_at(v) == 0) mid = v, ++mids;
            if (mids == 1) fixed = mid;
        }
        const Vec3 target = fixed >= 0 ? point(fixed) : nearest_to_axes(list);
        // Where one of them stays, the others become it: what else holds it must not lose it.
        const int stays = fixed >= 0 ? fixed : list[0];
        for (int v : list) {
            moved_ = std::max(moved_, (point(v) - target).norm());
            to_[static_cast<std::size_t>(v)] = VertexId(static_cast<std::size_t>(stays));
        }
        model_.vertices[static_cast<std::size_t>(stays)].point = target;
        ++places_;
    }

    // How many members end here.
    int ends_at(int v) const {
        int n = 0;
        for (std::size_t m : members_[static_cast<std::size_t>(v)]) {
            const Member& k = model_.members[m];
            const auto end = [&](const EdgeUse& u, bool last) { return model_.edges[u.edge.index()].vertices[last != u.reversed ? 1 : 0].value; };
            n += end(k.chain.front(), false) == v || end(k.chain.back(), true) == v ? 1 : 0;
        }
        return n;
    }

    Vec3 nearest_to_axes(const std::vector<int>& list) const {
        std::set<std::size_t> members;
        Vec3 mean = Vec3::Zero();
        for (int v : list) {
            members.insert(members_[static_cast<std::size_t>(v)].begin(), members_[static_cast<std::size_t>(v)].end());
            mean += point(v) / static_cast<double>(list.size());
        }
        constexpr double stay = 1e-6;
        Eigen::Matrix3d a = stay * Eigen::Matrix3d::Identity();
        Vec3 b = Vec3::Zero();
        for (std::size_t m : members) {
            const Member& k = model_.members[m];
            const Frame axes = k.axis.frame(k.axis.parameter(mean));
            const Vec3 on = axes.origin - k.offset.x() * axes.x - k.offset.y() * axes.y;
            const Eigen::Matrix3d square = Eigen::Matrix3d::Identity() - axes.z * axes.z.transpose();
            a += square, b += square * (on - mean);
        }
        return mean + solve_symmetric(a, b);
    }

    void rewrite() {
        if (places_ == 0) return;
        for (Member& m : model_.members) {
            std::vector<EdgeUse> chain;
            for (const EdgeUse& u : m.chain) {
                Edge& e = model_.edges[u.edge.index()];
                const VertexId a = to_[e.vertices[0].index()], b = to_[e.vertices[1].index()];
                if (a == b) continue;  // both ends have met
                chain.push_back(u);
                const Vec3 &p = model_.vertices[a.index()].point, &q = model_.vertices[b.index()].point;
                if (p != e.curve.start() || q != e.curve.end()) e.curve = Curve::segment(p, q);
                e.vertices = {a, b};
            }
            if (!chain.empty()) m.chain = std::move(chain);
        }
        std::vector<Link> links;
        for (const Link& l : model_.links) {
            const VertexId a = to_[l.a.index()], b = to_[l.b.index()];
            const auto same = [&](const Link& k) { return (k.a == a && k.b == b) || (k.a == b && k.b == a); };
            if (a != b && std::none_of(links.begin(), links.end(), same)) links.push_back({a, b, l.joint});
        }
        model_.links = std::move(links);
        each_vertex_reference(model_, [&](VertexId& v) { v = to_[v.index()]; });
        renumber(model_, Renumbering(model_));  // pieces whose ends have met go
        model_.ledger.push_back({"meet-members", "join", EntryKind::meet, EntryState::applied,
                                 fmt::format("members brought to one point in {} place(s), by up to {:.3f} mm", places_, moved_), moved_, Vec3::Zero(), ""});
    }

    Model& model_;
    const JoinWork& work_;
    double reach_, moved_ = 0;
    int places_ = 0;
    std::vector<bool> at_sheet_;
    std::vector<std::set<std::size_t>> members_;
    std::vector<VertexId> to_;
};

}  // namespace

void meet_members(Model& model, const JoinWork& work) {
    Meeter(model, work).run();
}

}  // namespace halvo
