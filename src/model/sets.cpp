#include "model/sets.hpp"

#include "body/named.hpp"
#include "core/keys.hpp"
#include "geom/nearest_curve.hpp"
#include "model/sheet_values.hpp"

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

ModelSet picked(const SetRule& rule, const Model& model) {
    ModelSet out{rule.name, {}, {}, {}};
    for (const Vec3& p : rule.points)
        if (const EdgeId e = edge_next_to(model, p - model.shift); e && !holds(out.edges, e)) out.edges.push_back(e);
    std::sort(out.edges.begin(), out.edges.end());
    if (!rule.points.empty()) return out;
    const auto within = own_box(rule.within, model.shift);
    for (std::size_t i = 0; i < model.sheets.size(); ++i)
        if (fits(rule, model.sheets[i], model, within)) out.sheets.emplace_back(i);
    for (std::size_t i = 0; i < model.members.size(); ++i)
        if (fits(rule, model.members[i], model, within)) out.members.emplace_back(i);
    return out;
}

void make_sets(Model& model, const std::vector<SetRule>& rules) {
    model.sets.clear();
    for (const SetRule& r : rules) {
        ModelSet s = picked(r, model);
        const std::string line = fmt::format("[[set]] \"{}\" picks nothing", r.name), key = make_key("finding", line, {});
        std::erase_if(model.findings, [&](const Finding& f) { return f.key == key; });  // of the run before
        if (s.sheets.empty() && s.members.empty() && s.edges.empty())
            model.findings.push_back(
                {key, FindingKind::rule_without_effect, line, "check its bodies, ids and places against halvo list MODEL sheets", Vec3::Zero(), 0, ""});
        model.sets.push_back(std::move(s));
    }
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
