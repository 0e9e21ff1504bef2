#include "model/sets.hpp"

#include "body/named.hpp"
#include "core/keys.hpp"
#include "geom/nearest_curve.hpp"
#include "model/sheet_values.hpp"
#include "model/things.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr const char* prefix = "set=";

template <class T>
bool holds(const std::vector<T>& list, const T& what) {
    return std::find(list.begin(), list.end(), what) != list.end();
}

const ModelSet* set_of(const Model& model, const std::string& id) {
    const auto name = set_named(id);
    const auto it = std::find_if(model.sets.begin(), model.sets.end(), [&](const ModelSet& s) { return name && s.name == *name; });
    return it == model.sets.end() ? nullptr : &*it;
}

bool of_body(const Model& model, BodyId body, const std::vector<std::string>& patterns) {
    return patterns.empty() || (body && is_named(model.bodies.at(body.index()), patterns));
}

bool fits(const SetRule& r, const Sheet& s, const Model& model, const std::optional<Box3>& within) {
    if (!of_body(model, s.body, r.body) || (!r.id.empty() && !has_id(s, r.id))) return false;
    if (!r.surface.empty() && !holds(r.surface, std::string(surface_name(s.chart.surface())))) return false;
    if (r.thinner && s.thickness.mean > *r.thinner * (1 + 1e-9)) return false;
    if (r.thicker && s.thickness.mean < *r.thicker * (1 - 1e-9)) return false;
    return !within || std::all_of(s.regions.begin(), s.regions.end(), [&](const Region& g) {
        return std::all_of(g.loops.begin(), g.loops.end(), [&](const auto& loop) {
            return std::all_of(loop.begin(), loop.end(), [&](const EdgeUse& u) { return within->contains(model.edges[u.edge.index()].curve.box()); });
        });
    });
}

bool fits(const SetRule& r, const Member& m, const Model& model, const std::optional<Box3>& within) {
    if (!r.surface.empty() || r.thinner || r.thicker) return false;
    if (!of_body(model, m.body, r.body) || (!r.id.empty() && !holds(r.id, m.key))) return false;
    return !within || std::all_of(m.chain.begin(), m.chain.end(), [&](const EdgeUse& u) { return within->contains(model.edges[u.edge.index()].curve.box()); });
}

}  // namespace

std::optional<std::string> set_named(const std::string& id) {
    if (!id.starts_with(prefix)) return std::nullopt;
    return id.substr(std::string(prefix).size());
}

EdgeId edge_next_to(const Model& model, const Vec3& p) {
    const NearestCurve near = nearest_curve(model.edges.size(), p, [&](std::size_t e) { return &model.edges[e].curve; });
    return near.number < 0 ? EdgeId() : EdgeId(near.number);
}

namespace {

// Places at which an expression must hold: ends and middles of all edges round a sheet, along a member or on an edge.
std::vector<Vec3> places_on(const Model& model, EdgeId e) {
    const Curve& c = model.edges[e.index()].curve;
    std::vector<Vec3> out;
    for (const double share : {0.0, 0.25, 0.5, 0.75, 1.0}) out.push_back(c.point(c.parameter_at(share)));
    return out;
}

class Picking {
public:
    Picking(const SetRule& rule, const Model& model, const std::vector<FrameRule>& frames)
        : rule_(rule), model_(model), within_(own_box(rule.within, model.shift)), frame_(frame_named(rule.frame, frames, model)) {
        if (!rule.where.empty()) where_.emplace(rule.where, rule.place);
    }

    void sheets(ModelSet& out) const {
        for (std::size_t i = 0; i < model_.sheets.size(); ++i) {
            const Sheet& s = model_.sheets[i];
            if (!fits(rule_, s, model_, within_)) continue;
            Thing t = thing_of(model_, SheetId(i));
            bool all = true;
            for (const Region& r : s.regions)
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop)
                        for (const Vec3& p : places_on(model_, u.edge)) {
                            if (!where_ || !all) continue;
                            t.at = p, t.normal = s.chart.normal(p);
                            all = holds(t);
                        }
            if (all) out.sheets.emplace_back(i);
        }
    }
    void members(ModelSet& out) const {
        for (std::size_t i = 0; i < model_.members.size(); ++i) {
            const Member& m = model_.members[i];
            if (!fits(rule_, m, model_, within_)) continue;
            Thing t = thing_of(model_, MemberId(i));
            bool all = true;
            for (const EdgeUse& u : m.chain)
                if (where_) all = all && everywhere(t, places_on(model_, u.edge));
            if (all) out.members.emplace_back(i);
        }
    }
    // Edges of what fits, or vertices at their ends.
    void edges(ModelSet& out, bool vertices) const {
        const std::vector<int> sides = sides_at_edges(model_);
        const auto owners = edge_owners();
        std::vector<char> taken(model_.vertices.size(), 0);
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            if (!owners[e]) continue;
            const Edge& edge = model_.edges[e];
            Thing t = thing_of(model_, EdgeId(e), sides[e]);
            t.body = owners[e]->body, t.wall = owners[e]->wall, t.sheet = owners[e]->sheet, t.member = owners[e]->member, t.thickness = owners[e]->thickness;
            if (vertices) {
                t.kind = "vertex";
                for (VertexId v : edge.vertices) {
                    const Vec3& p = model_.vertices[v.index()].point;
                    if (!taken[v.index()] && (!within_ || within_->contains(p)) && everywhere(t, {p})) taken[v.index()] = 1;
                }
            } else if ((!within_ || within_->contains(edge.curve.box())) && everywhere(t, places_on(model_, EdgeId(e)))) {
                out.edges.emplace_back(e);
            }
        }
        for (std::size_t v = 0; v < taken.size(); ++v)
            if (taken[v]) out.vertices.emplace_back(v);
    }

private:
    [[nodiscard]] bool holds(const Thing& t) const {
        return !where_ || where_->holds([&](std::string_view word) { return value_of(word, t, frame_); });
    }
    [[nodiscard]] bool everywhere(Thing t, const std::vector<Vec3>& places) const {
        return std::all_of(places.begin(), places.end(), [&](const Vec3& p) {
            t.at = p;
            return holds(t);
        });
    }
    // For each edge one of the sheets or members that it bounds and that fits; none where none does.
    [[nodiscard]] std::vector<std::optional<Thing>> edge_owners() const {
        std::vector<std::optional<Thing>> out(model_.edges.size());
        for (std::size_t i = 0; i < model_.sheets.size(); ++i) {
            if (!fits(rule_, model_.sheets[i], model_, std::nullopt)) continue;
            const Thing t = thing_of(model_, SheetId(i));
            const auto own = [&](EdgeId e) {
                if (!out[e.index()]) out[e.index()] = t;
            };
            for (const Region& r : model_.sheets[i].regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) own(u.edge);
                for (EdgeId e : r.embedded) own(e);
            }
        }
        for (std::size_t i = 0; i < model_.members.size(); ++i)
            if (fits(rule_, model_.members[i], model_, std::nullopt))
                for (const EdgeUse& u : model_.members[i].chain)
                    if (!out[u.edge.index()]) out[u.edge.index()] = thing_of(model_, MemberId(i));
        return out;
    }

    const SetRule& rule_;
    const Model& model_;
    std::optional<Box3> within_;
    LocalFrame frame_;
    std::optional<Expression> where_;
};

template <class T>
void combine(std::vector<T>& of, const std::vector<T>& with, int how) {
    if (how > 0) of.insert(of.end(), with.begin(), with.end());
    else std::erase_if(of, [&](const T& k) { return holds(with, k) == (how < 0); });
    std::sort(of.begin(), of.end());
    of.erase(std::unique(of.begin(), of.end()), of.end());
}

// how: 1 with all of it, -1 without any of it, 0 what is in both.
void combine(ModelSet& of, const ModelSet& with, int how) {
    combine(of.sheets, with.sheets, how), combine(of.members, with.members, how);
    combine(of.edges, with.edges, how), combine(of.vertices, with.vertices, how);
}

bool empty(const ModelSet& s) {
    return s.sheets.empty() && s.members.empty() && s.edges.empty() && s.vertices.empty();
}

bool selects(const SetRule& r) {
    return !r.body.empty() || !r.id.empty() || !r.surface.empty() || r.thinner || r.thicker || r.within || !r.points.empty() || !r.where.empty() ||
           r.of != SetOf::any;
}

}  // namespace

ModelSet picked(const SetRule& rule, const Model& model, const std::vector<FrameRule>& frames) {
    ModelSet out;
    out.name = rule.name;
    for (const Vec3& p : rule.points)
        if (const EdgeId e = edge_next_to(model, p - model.shift); e && !holds(out.edges, e)) out.edges.push_back(e);
    std::sort(out.edges.begin(), out.edges.end());
    if (!rule.points.empty() || !selects(rule)) return out;
    const Picking picking(rule, model, frames);
    if (rule.of == SetOf::any || rule.of == SetOf::sheets) picking.sheets(out);
    if (rule.of == SetOf::any || rule.of == SetOf::members) picking.members(out);
    if (rule.of == SetOf::edges) picking.edges(out, false);
    if (rule.of == SetOf::vertices) picking.edges(out, true);
    return out;
}

void combine_sets(Model& model, const std::vector<SetRule>& rules) {
    for (const SetRule& r : rules) {
        const auto own = std::find_if(model.sets.begin(), model.sets.end(), [&](const ModelSet& s) { return s.name == r.name; });
        if (own == model.sets.end()) continue;
        for (const auto& [names, how] : {std::pair(&r.plus, 1), std::pair(&r.common, 0), std::pair(&r.minus, -1)})
            for (const std::string& name : *names)
                for (const ModelSet& s : model.sets)
                    if (s.name == name && &s != &*own) combine(*own, s, how);
        const std::string line = fmt::format("[[set]] \"{}\" picks nothing", r.name), key = make_key("finding", line, {});
        std::erase_if(model.findings, [&](const Finding& f) { return f.key == key; });  // of the run before
        // What a set picks of the mesh is known when there is one.
        if (r.of != SetOf::nodes && r.of != SetOf::elements && empty(*own))
            model.findings.push_back(
                {key, FindingKind::rule_without_effect, line, "check its bodies, ids and places against halvo list MODEL sheets", Vec3::Zero(), 0, ""});
    }
}

void make_sets(Model& model, const std::vector<SetRule>& rules, const std::vector<FrameRule>& frames) {
    model.sets.clear();
    for (const SetRule& r : rules) model.sets.push_back(picked(r, model, frames));
    combine_sets(model, rules);
}

bool is_meant(const Model& model, SheetId sheet, const std::vector<std::string>& ids) {
    if (has_id(model.sheets[sheet.index()], ids)) return true;
    return std::any_of(ids.begin(), ids.end(), [&](const std::string& id) {
        const ModelSet* s = set_of(model, id);
        return s && holds(s->sheets, sheet);
    });
}

bool is_meant(const Model& model, MemberId member, const std::vector<std::string>& ids) {
    return std::any_of(ids.begin(), ids.end(), [&](const std::string& id) {
        const ModelSet* s = set_of(model, id);
        return s ? holds(s->members, member) : model.members[member.index()].key == id;
    });
}

std::vector<EdgeId> edges_meant(const Model& model, const std::vector<std::string>& ids) {
    std::set<EdgeId> out;
    for (const std::string& id : ids)
        if (const ModelSet* s = set_of(model, id)) out.insert(s->edges.begin(), s->edges.end());
    return {out.begin(), out.end()};
}

}  // namespace halvo
