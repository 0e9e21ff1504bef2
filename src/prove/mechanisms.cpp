#include "prove/mechanisms.hpp"

#include "core/groups.hpp"
#include "core/keys.hpp"
#include "geom/dense.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double rank_tol = 1e-6;         // singular values below this share of the largest leave a motion free
constexpr double along_normal = 0.985;    // cosine between a member and a sheet's normal: it spins against drilling alone
constexpr std::size_t most_groups = 400;  // rigid pieces held by ties, for dense algebra

// Number of the group that each vertex moves with: sheets, members, links and couplings hold theirs rigidly.
class Rigid {
public:
    explicit Rigid(const Model& m) : groups_(m.vertices.size()) {
        for (const Edge& e : m.edges) groups_.tie(e.vertices[0].value, e.vertices[1].value);
        for (const Sheet& s : m.sheets) {
            std::vector<int> all;
            for (const Region& r : s.regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) all.push_back(m.edges[u.edge.index()].vertices[0].value);
                for (EdgeId e : r.embedded) all.push_back(m.edges[e.index()].vertices[0].value);
                for (VertexId v : r.points) all.push_back(v.value);
            }
            for (int v : all) groups_.tie(v, all.front());
        }
        for (const Link& l : m.links) groups_.tie(l.a.value, l.b.value);
        for (const EdgeLink& l : m.edge_links) groups_.tie(first(m, l.a), first(m, l.b));
        for (const Coupling& c : m.couplings) {
            for (EdgeId e : c.edges) groups_.tie(c.centre.value, first(m, e));
            for (VertexId v : c.vertices) groups_.tie(c.centre.value, v.value);
        }
    }
    [[nodiscard]] int of(const Model& m, EdgeId e) const { return groups_.root(first(m, e)); }

private:
    static int first(const Model& m, EdgeId e) { return m.edges[e.index()].vertices[0].value; }
    mutable Groups groups_;
};

// Displacement of a point by a rigid motion (translation, rotation about `centre`), as three rows.
void add_rows(Eigen::MatrixXd& a, Eigen::Index row, Eigen::Index column, const Vec3& arm, double sign) {
    a.block<3, 3>(row, column) += sign * Eigen::Matrix3d::Identity();
    Eigen::Matrix3d cross;
    cross << 0, arm.z(), -arm.y(), -arm.z(), 0, arm.x(), arm.y(), -arm.x(), 0;  // rotation x arm
    a.block<3, 3>(row, column + 3) += sign * cross;
}

std::string name_of(const Model& model, const Assembly& solids, const Rigid& rigid, int group) {
    for (const Sheet& s : model.sheets)
        for (const Region& r : s.regions)
            if (!r.loops.empty() && rigid.of(model, r.loops[0][0].edge) == group) return s.body ? solids.bodies[s.body.index()].label : s.key;
    for (const Member& m : model.members)
        if (!m.chain.empty() && rigid.of(model, m.chain[0].edge) == group) return m.body ? solids.bodies[m.body.index()].label : m.key;
    return "part of the model";
}

struct TiedGroups {
    int a, b;
    std::vector<Vec3> points;
    std::string sheet;
};

std::vector<TiedGroups> tied_groups(const Model& model, const Rigid& rigid) {
    std::vector<TiedGroups> out;
    for (const Tie& t : model.ties) {
        const Sheet& onto = model.sheets[t.onto.index()];
        if (onto.regions.empty() || onto.regions[0].loops.empty()) continue;
        const int b = rigid.of(model, onto.regions[0].loops[0][0].edge);
        for (EdgeId e : t.edges) {
            const int a = rigid.of(model, e);
            if (a == b) continue;
            TiedGroups k{a, b, {}, onto.key};
            const Curve& c = model.edges[e.index()].curve;
            for (const double share : {0.0, 0.25, 0.5, 0.75, 1.0}) k.points.push_back(c.point(c.parameter_at(share)));
            out.push_back(std::move(k));
        }
    }
    return out;
}

void find_hinges(const Model& model, const Assembly& solids, Mobility& out) {
    const Rigid rigid(model);
    const auto ties = tied_groups(model, rigid);
    if (ties.empty()) return;
    std::map<int, Eigen::Index> number;
    for (const TiedGroups& t : ties)
        for (int g : {t.a, t.b}) number.try_emplace(g, static_cast<Eigen::Index>(number.size()));
    if (number.size() > most_groups) return;
    Groups parts(number.size());
    Vec3 centre = Vec3::Zero();
    double size = 1e-300;
    std::size_t points = 0;
    for (const TiedGroups& t : ties) {
        parts.tie(static_cast<int>(number.at(t.a)), static_cast<int>(number.at(t.b)));
        for (const Vec3& p : t.points) centre += p, ++points;
    }
    centre /= static_cast<double>(points);
    for (const TiedGroups& t : ties)
        for (const Vec3& p : t.points) size = std::max(size, (p - centre).norm());
    std::set<int> roots;
    for (std::size_t g = 0; g < number.size(); ++g) roots.insert(parts.root(static_cast<int>(g)));
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(3 * points), 6 * static_cast<Eigen::Index>(number.size()));
    Eigen::Index row = 0;
    for (const TiedGroups& t : ties)
        for (const Vec3& p : t.points) {
            add_rows(a, row, 6 * number.at(t.a), (p - centre) / size, 1);
            add_rows(a, row, 6 * number.at(t.b), (p - centre) / size, -1);
            row += 3;
        }
    // One group of each part stands still; what can move then is a mechanism.
    for (int r : roots) a.middleCols(Eigen::Index{6} * r, 6).setZero();
    const SingularValues svd = singular_values(a);
    const auto& values = svd.values;
    Eigen::Index rank = 0;
    while (rank < values.size() && values[rank] > rank_tol * std::max(values[0], 1e-300)) ++rank;
    out.mechanisms = static_cast<int>(a.cols() - rank) - 6 * static_cast<int>(roots.size());
    std::set<std::string> named;
    for (Eigen::Index k = rank; k < a.cols(); ++k) {
        const Eigen::VectorXd v = svd.directions.col(k);
        for (const auto& [of_ties, n] : number) {
            const int group = of_ties;
            if (roots.count(static_cast<int>(n)) || v.segment(6 * n, 6).norm() < 0.1) continue;
            const std::string name = name_of(model, solids, rigid, group);
            if (!named.insert(name).second) continue;
            const auto t = std::find_if(ties.begin(), ties.end(), [&](const TiedGroups& q) { return q.a == group || q.b == group; });
            out.findings.push_back({make_key("finding", "hinge " + name, {}), FindingKind::mechanism,
                                    fmt::format("{} is held by ties along a straight line only and can turn about it", name),
                                    "tie another edge of it, or join it with links or shared edges", t->points[2], 0, name});
        }
    }
}

// Members whose every hold is a single point of a sheet that stands square to them.
void find_spinning(const Model& model, const Assembly& solids, Mobility& out) {
    const auto at_edge = sheets_at_edges(model);
    std::vector<std::vector<int>> point_of(model.vertices.size());
    std::vector<int> held(model.vertices.size(), 0);
    for (std::size_t i = 0; i < model.sheets.size(); ++i)
        for (const Region& r : model.sheets[i].regions) {
            for (VertexId v : r.points) point_of[v.index()].push_back(static_cast<int>(i));
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop)
                    for (VertexId v : model.edges[u.edge.index()].vertices) ++held[v.index()];
        }
    for (const Member& m : model.members)
        for (const EdgeUse& u : m.chain)
            for (VertexId v : model.edges[u.edge.index()].vertices) ++held[v.index()];
    for (const Link& l : model.links) held[l.a.index()] += 10, held[l.b.index()] += 10;
    for (const EdgeLink& l : model.edge_links)
        for (EdgeId e : {l.a, l.b})
            for (VertexId v : model.edges[e.index()].vertices) held[v.index()] += 10;
    for (const Coupling& c : model.couplings)
        for (VertexId v : c.vertices) held[v.index()] += 10;
    for (const Member& m : model.members) {
        std::map<int, int> own;  // its own edges at each vertex
        bool fast = false, any = false;
        for (const EdgeUse& u : m.chain) {
            fast = fast || !at_edge[u.edge.index()].empty();
            for (VertexId v : model.edges[u.edge.index()].vertices) ++own[v.value];
        }
        for (const auto& [v, n] : own) {
            const auto i = static_cast<std::size_t>(v);
            if (held[i] > n) fast = true;
            const Vec3& p = model.vertices[i].point;
            for (int s : point_of[i]) {
                any = true;
                const Vec3 d = m.axis.direction(m.axis.parameter(p));
                fast = fast || std::abs(d.dot(model.sheets[static_cast<std::size_t>(s)].chart.normal(p))) < along_normal;
            }
        }
        if (fast || !any || !m.axis.is_straight()) continue;
        const std::string name = m.body ? solids.bodies[m.body.index()].label : m.key;
        out.notes.push_back({"spin-" + m.key, "prove", EntryKind::member_free_to_spin, EntryState::proposed,
                             fmt::format("{} ends square on sheets at single nodes: only their drilling stiffness keeps it from spinning; where its torsion "
                                         "matters, take it as shells or couple a ring of nodes round its ends",
                                         name),
                             m.own_length(), m.axis.at(0), name});
    }
}

}  // namespace

Mobility mobility(const Model& model, const Assembly& solids) {
    Mobility out;
    find_hinges(model, solids, out);
    find_spinning(model, solids, out);
    out.rigid_body_modes = 6 * connected_parts(model).count + out.mechanisms;
    return out;
}

}  // namespace halvo
