// What must hold of a model after every stage.
#include "core/index.hpp"
#include "model/point_registry.hpp"
#include "model/references.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace halvo {
namespace {

constexpr double at_vertex = 20;  // tolerances, between the end of a curve and its vertex: traced curves end by as much off

class Validator {
public:
    explicit Validator(const Model& model) : model_(model) {}

    std::vector<Violation> run() {
        dangling();
        if (!out_.empty()) return std::move(out_);  // the rest would follow them
        curve_ends();
        loops();
        chains();
        one_place();
        return std::move(out_);
    }

private:
    void say(ViolationKind kind, std::string about, const Vec3& place = Vec3::Zero()) { out_.push_back({kind, std::move(about), place}); }

    template <class T>
    void check(const char* what, T id, std::size_t size) {
        if (!id || id.index() >= size) say(ViolationKind::dangling_id, fmt::format("{} {} of {}", what, id.value, size));
    }

    void dangling() {
        each_vertex_reference(model_, [&](VertexId v) { check("vertex", v, model_.vertices.size()); });
        for (std::size_t e = 0; e < model_.edges.size(); ++e)
            for (const VertexId v : model_.edges[e].vertices)
                if (!v) say(ViolationKind::dangling_id, fmt::format("edge {} has no vertex at an end", e));
        each_edge_reference(model_, [&](EdgeId e) { check("edge", e, model_.edges.size()); });
        each_sheet_reference(model_, [&](SheetId s) { check("sheet", s, model_.sheets.size()); });
        each_member_reference(model_, [&](MemberId m) { check("member", m, model_.members.size()); });
        each_section_reference(model_, [&](SectionId s) { check("section", s, model_.sections.size()); });
        each_joint_reference(model_, [&](JointId j) { check("joint", j, model_.joints.size()); });
        if (!model_.bodies.empty()) each_body_reference(model_, [&](BodyId b) { check("body", b, model_.bodies.size()); });
    }

    void curve_ends() {
        const double off = at_vertex * model_.tolerance.point;
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            const Edge& k = model_.edges[e];
            const Vec3 &a = model_.vertices[k.vertices[0].index()].point, &b = model_.vertices[k.vertices[1].index()].point;
            const double gap = std::max((k.curve.start() - a).norm(), (k.curve.end() - b).norm());
            if (!(gap <= off)) say(ViolationKind::edge_off_vertex, fmt::format("edge {} ends {:.3g} mm off its vertex", e, gap), a);
        }
    }

    [[nodiscard]] VertexId from(const EdgeUse& u) const { return model_.edges[u.edge.index()].vertices[u.reversed ? 1 : 0]; }
    [[nodiscard]] VertexId to(const EdgeUse& u) const { return model_.edges[u.edge.index()].vertices[u.reversed ? 0 : 1]; }

    void loops() {
        for (const Sheet& s : model_.sheets)
            for (const Region& r : s.regions) {
                if (r.loops.empty()) say(ViolationKind::open_loop, s.key + ": a region without an outline", s.chart.plane().origin);
                for (const auto& loop : r.loops) {
                    if (loop.empty()) say(ViolationKind::open_loop, s.key + ": a loop without edges", s.chart.plane().origin);
                    for (std::size_t k = 0; k < loop.size(); ++k)
                        if (to(loop[k]) != from(loop[(k + 1) % loop.size()]))
                            say(ViolationKind::open_loop,
                                fmt::format("{}: a loop does not close between edges {} and {}", s.key, loop[k].edge.value,
                                            loop[(k + 1) % loop.size()].edge.value),
                                model_.vertices[to(loop[k]).index()].point);
                }
            }
    }

    void chains() {
        for (const Member& m : model_.members) {
            if (m.chain.empty()) say(ViolationKind::broken_member, m.key + ": no edges");
            for (std::size_t k = 0; k + 1 < m.chain.size(); ++k)
                if (to(m.chain[k]) != from(m.chain[k + 1]))
                    say(ViolationKind::broken_member, fmt::format("{}: its line is broken after edge {}", m.key, m.chain[k].edge.value),
                        model_.vertices[to(m.chain[k]).index()].point);
        }
    }

    // Vertices of one body that are one point. Those of several bodies are joined later, or never.
    void one_place() {
        std::map<BodyId, std::vector<VertexId>> of_body;
        const auto add = [&](BodyId body, EdgeId e) {
            for (const VertexId v : model_.edges[e.index()].vertices) of_body[body].push_back(v);
        };
        int by_hand = -1;
        for (const Sheet& s : model_.sheets) {
            const BodyId body = s.body ? s.body : BodyId(--by_hand);
            for (const Region& r : s.regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) add(body, u.edge);
                for (const EdgeId e : r.embedded) add(body, e);
                of_body[body].insert(of_body[body].end(), r.points.begin(), r.points.end());
            }
        }
        for (const Member& m : model_.members)
            for (const EdgeUse& u : m.chain) add(m.body ? m.body : BodyId(--by_hand), u.edge);
        for (const auto& [body, list] : of_body) {
            PointRegistry places(model_.tolerance.point);
            std::map<int, VertexId> first;
            for (const VertexId v : list) {
                const auto [it, is_new] = first.try_emplace(places.at(model_.vertices[v.index()].point), v);
                if (!is_new && it->second != v)
                    say(ViolationKind::vertices_at_one_place, fmt::format("vertices {} and {} are one point", it->second.value, v.value),
                        model_.vertices[v.index()].point);
            }
        }
    }

    const Model& model_;
    std::vector<Violation> out_;
};

}  // namespace

const char* violation_name(ViolationKind kind) {
    constexpr const char* names[] = {"dangling id", "edge off its vertex", "open loop", "broken member", "vertices at one place"};
    return names[static_cast<std::size_t>(kind)];
}

std::vector<Violation> validate(const Model& model) {
    return Validator(model).run();
}

}  // namespace halvo
