#include "solve/selection.hpp"

#include "body/named.hpp"
#include "core/index.hpp"
#include "model/sets.hpp"
#include "model/sheet_values.hpp"
#include "model/things.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>

namespace halvo {
namespace {

template <class T>
void sort_out(std::vector<T>& list) {
    std::sort(list.begin(), list.end());
    list.erase(std::unique(list.begin(), list.end()), list.end());
}

template <class T>
bool holds(const std::vector<T>& sorted, const T& what) {
    return std::binary_search(sorted.begin(), sorted.end(), what);
}

Vec3 centre_of(const Mesh& mesh, const Element& e) {
    Vec3 c = Vec3::Zero();
    for (std::size_t k = 0; k < e.count; ++k) c += mesh.nodes[ix(e.nodes[k])] / e.count;
    return c;
}

bool is_part(const Element& e) {
    return e.kind == ElementKind::shell || e.kind == ElementKind::beam;
}

Thing thing_of(const Model& model, const Mesh& mesh, const Element& e) {
    Thing t = e.sheet ? halvo::thing_of(model, e.sheet) : e.member ? halvo::thing_of(model, e.member) : Thing{};
    t.kind = e.kind == ElementKind::shell ? "shell" : "beam";
    t.at = centre_of(mesh, e);
    if (e.kind == ElementKind::shell) {
        const Vec3 a = mesh.nodes[ix(e.nodes[1])] - mesh.nodes[ix(e.nodes[0])], b = mesh.nodes[ix(e.nodes[2])] - mesh.nodes[ix(e.nodes[0])];
        const Vec3 c = e.count == 4 ? Vec3(mesh.nodes[ix(e.nodes[3])] - mesh.nodes[ix(e.nodes[1])]) : Vec3(b - a);
        const Vec3 n = e.count == 4 ? b.cross(c) : a.cross(b);
        t.thickness = e.thickness, t.area = 0.5 * n.norm(), t.normal = n.normalized();
    } else {
        t.length = (mesh.nodes[ix(e.nodes[1])] - mesh.nodes[ix(e.nodes[0])]).norm();
    }
    return t;
}

}  // namespace

Picker::Picker(const Model& model, const Mesh& mesh, const JoinOptions& names) : model_(model), mesh_(mesh), names_(names), index_(model, mesh) {}

bool Picker::of_body(BodyId body, const std::vector<std::string>& patterns) const {
    return patterns.empty() || (body && body.index() < model_.bodies.size() && is_named(model_.bodies[body.index()], patterns));
}

const Picker::Chosen& Picker::chosen(const std::string& set) const {
    const auto it = sets_.find(set);
    if (it != sets_.end()) return it->second;
    sets_[set];  // a set that names itself through others picks nothing there
    Chosen c = make(set);
    return sets_[set] = std::move(c);
}

Picker::Chosen Picker::make(const std::string& name) const {
    Chosen out;
    const auto own = std::find_if(model_.sets.begin(), model_.sets.end(), [&](const ModelSet& s) { return s.name == name; });
    const auto rule = std::find_if(names_.sets.begin(), names_.sets.end(), [&](const SetRule& r) { return r.name == name; });
    if (own == model_.sets.end() && rule == names_.sets.end()) throw Error(ErrorKind::stage, fmt::format("no [[set]] is named \"{}\"", name));
    if (own != model_.sets.end()) {
        for (const NodeId n : index_.nodes_of(*own)) out.nodes.push_back(n.value);
        out.elements = index_.elements_of(*own), out.edges = own->edges;
    }
    if (rule == names_.sets.end() || (rule->of != SetOf::nodes && rule->of != SetOf::elements)) return out;
    const LocalFrame frame = frame_named(rule->frame, names_.frames, model_);
    std::optional<Expression> where;
    if (!rule->where.empty()) where.emplace(rule->where, rule->place);
    const auto fits = [&](const Thing& t) { return !where || where->holds([&](std::string_view word) { return value_of(word, t, frame); }); };
    Selection of;
    of.body = rule->body, of.id = rule->id, of.within = rule->within;
    if (rule->of == SetOf::nodes) {
        for (const std::int32_t n : nodes(of)) {
            Thing t;
            t.kind = "node", t.at = mesh_.nodes[ix(n)];
            if (fits(t)) out.nodes.push_back(n);
        }
    } else {
        for (const std::size_t e : elements(of))
            if (fits(thing_of(model_, mesh_, mesh_.elements[e]))) out.elements.push_back(e);
        for (const std::size_t e : out.elements)
            for (std::size_t k = 0; k < mesh_.elements[e].count; ++k) out.nodes.push_back(mesh_.elements[e].nodes[k]);
        sort_out(out.nodes);
    }
    const auto combine = [&](const std::vector<std::string>& names, int how) {
        for (const std::string& n : names) {
            const Chosen with = chosen(n);
            if (how > 0) {
                out.nodes.insert(out.nodes.end(), with.nodes.begin(), with.nodes.end());
                out.elements.insert(out.elements.end(), with.elements.begin(), with.elements.end());
            } else {
                std::erase_if(out.nodes, [&](std::int32_t k) { return holds(with.nodes, k) == (how < 0); });
                std::erase_if(out.elements, [&](std::size_t k) { return holds(with.elements, k) == (how < 0); });
            }
            sort_out(out.nodes), sort_out(out.elements);
        }
    };
    combine(rule->plus, 1), combine(rule->common, 0), combine(rule->minus, -1);
    return out;
}

bool Picker::meant(const Element& e, const std::vector<std::string>& ids) const {
    if (ids.empty()) return true;
    if (e.sheet && has_id(model_.sheets[ix(e.sheet)], ids)) return true;
    return e.member && std::find(ids.begin(), ids.end(), model_.members[ix(e.member)].key) != ids.end();
}

bool Picker::any_edges(const std::vector<std::string>& ids) const {
    return std::any_of(ids.begin(), ids.end(), [&](const std::string& id) {
        const auto name = set_named(id);
        return name && !chosen(*name).edges.empty();
    });
}

std::vector<std::int32_t> Picker::nodes(const Selection& of) const {
    if (!of.point.empty()) {
        const auto it = points_.find(of.point);
        if (it == points_.end()) throw Error(ErrorKind::stage, fmt::format("no [[point]] is named \"{}\"", of.point));
        return {it->second};
    }
    std::vector<char> taken(mesh_.nodes.size(), of.body.empty() ? 1 : 0);
    if (!of.body.empty()) {
        for (const Element& e : mesh_.elements)
            if (is_part(e) && of_body(e.body, of.body))
                for (std::size_t k = 0; k < e.count; ++k) taken[ix(e.nodes[k])] = 1;
        for (const Coupling& c : model_.couplings)
            if (of_body(c.body, of.body))
                if (const NodeId n = index_.node_of(c.centre)) taken[ix(n)] = 1;
    }
    if (!of.id.empty()) {
        std::vector<char> meant_too(mesh_.nodes.size(), 0);
        std::vector<std::string> plain;
        for (const std::string& id : of.id) {
            if (const auto name = set_named(id)) {
                for (const std::int32_t n : chosen(*name).nodes) meant_too[ix(n)] = 1;
            } else {
                plain.push_back(id);
            }
        }
        if (!plain.empty())
            for (const Element& e : mesh_.elements)
                if (is_part(e) && meant(e, plain))
                    for (std::size_t k = 0; k < e.count; ++k) meant_too[ix(e.nodes[k])] = 1;
        for (std::size_t n = 0; n < taken.size(); ++n) taken[n] = taken[n] && meant_too[n];
    }
    const auto within = own_box(of.within, model_.shift);
    std::vector<std::int32_t> out;
    for (std::size_t n = 0; n < taken.size(); ++n)
        if (taken[n] && (!within || within->contains(mesh_.nodes[n]))) out.push_back(static_cast<std::int32_t>(n));
    if (of.points.empty()) return out;
    std::vector<std::int32_t> nearest;
    for (const Vec3& given : of.points) {
        const Vec3 p = given - model_.shift;
        std::int32_t best = -1;
        for (const std::int32_t n : out)
            if (best < 0 || (mesh_.nodes[ix(n)] - p).squaredNorm() < (mesh_.nodes[ix(best)] - p).squaredNorm()) best = n;
        if (best >= 0) nearest.push_back(best);
    }
    sort_out(nearest);
    return nearest;
}

std::vector<std::size_t> Picker::elements(const Selection& of) const {
    std::vector<std::string> plain, sets;
    for (const std::string& id : of.id) (set_named(id) ? sets : plain).push_back(id);
    const auto within = own_box(of.within, model_.shift);
    std::vector<char> at_points(mesh_.elements.size(), of.points.empty() ? 1 : 0);
    Selection points = of;
    points.within.reset();
    if (!of.points.empty())
        for (const std::int32_t n : nodes(points))
            for (const std::size_t e : index_.elements_at(NodeId(n))) at_points[e] = 1;
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < mesh_.elements.size(); ++i) {
        const Element& e = mesh_.elements[i];
        if (!is_part(e) || !at_points[i] || !of_body(e.body, of.body)) continue;
        const bool in_set = std::any_of(sets.begin(), sets.end(), [&](const std::string& id) { return holds(chosen(*set_named(id)).elements, i); });
        if (!of.id.empty() && !in_set && (plain.empty() || !meant(e, plain))) continue;
        if (within && !within->contains(centre_of(mesh_, e))) continue;
        out.push_back(i);
    }
    return out;
}

std::vector<std::array<std::int32_t, 2>> Picker::stretches(const Selection& of) const {
    const bool edges = any_edges(of.id);
    std::vector<char> node(mesh_.nodes.size(), 0);
    Selection all = of;
    for (const std::int32_t n : nodes(all)) node[ix(n)] = 1;
    std::vector<char> edge(model_.edges.size(), edges ? 0 : 1);
    for (const std::string& id : of.id)
        if (const auto name = set_named(id); name && edges)
            for (const EdgeId e : chosen(*name).edges) edge[ix(e)] = 1;
    std::set<std::array<std::int32_t, 2>> out;
    for (std::size_t e = 0; e < model_.edges.size(); ++e) {
        if (!edge[e]) continue;
        const auto along = index_.nodes_along({EdgeId(e), false});
        for (std::size_t k = 0; k + 1 < along.size(); ++k) {
            const auto a = along[k].value, b = along[k + 1].value;
            if (node[ix(a)] && node[ix(b)]) out.insert({std::min(a, b), std::max(a, b)});
        }
    }
    return {out.begin(), out.end()};
}

std::vector<double> Picker::shares(const Selection& of, const std::vector<std::int32_t>& nodes) const {
    std::vector<double> share(nodes.size(), 0.0);
    const auto place = [&](std::int32_t n) -> std::ptrdiff_t {
        const auto it = std::lower_bound(nodes.begin(), nodes.end(), n);
        return it != nodes.end() && *it == n ? it - nodes.begin() : -1;
    };
    const auto give = [&](std::int32_t n, double v) { share[static_cast<std::size_t>(place(n))] += v; };
    const auto even = [&] {
        double sum = 0;
        for (double s : share) sum += s;
        for (double& s : share) s = sum > 0 ? s / sum : 1.0 / static_cast<double>(share.size());
    };
    if (any_edges(of.id)) {
        for (const auto& [a, b] : stretches(of)) {
            const double l = (mesh_.nodes[ix(a)] - mesh_.nodes[ix(b)]).norm();
            give(a, 0.5 * l), give(b, 0.5 * l);
        }
        even();
        return share;
    }
    if (nodes.size() > 1 && of.points.empty() && of.point.empty()) {
        const auto all_in = [&](const Element& e) {
            for (std::size_t k = 0; k < e.count; ++k)
                if (place(e.nodes[k]) < 0) return false;
            return true;
        };
        bool area = false;
        for (const Element& e : mesh_.elements) {
            if (e.kind != ElementKind::shell || !all_in(e)) continue;
            area = true;
            ShellShape s;
            s.count = e.count, s.thickness = 1;
            for (std::size_t k = 0; k < e.count; ++k) s.nodes[k] = mesh_.nodes[ix(e.nodes[k])];
            const auto of_corner = shell_areas(s);
            for (std::size_t k = 0; k < e.count; ++k) give(e.nodes[k], of_corner[k]);
        }
        std::set<std::array<std::int32_t, 2>> sides;
        for (const Element& e : mesh_.elements) {
            if (area || !is_part(e)) continue;
            for (std::size_t k = 0; k < (e.count == 2 ? 1u : e.count); ++k) {
                const auto a = e.nodes[k], b = e.nodes[(k + 1) % e.count];
                if (place(a) >= 0 && place(b) >= 0) sides.insert({std::min(a, b), std::max(a, b)});
            }
        }
        for (const auto& [a, b] : sides) {
            const double l = (mesh_.nodes[ix(a)] - mesh_.nodes[ix(b)]).norm();
            give(a, 0.5 * l), give(b, 0.5 * l);
        }
    }
    even();
    return share;
}

std::string Picker::words(const Selection& of) {
    std::vector<std::string> parts;
    if (!of.body.empty()) parts.push_back(fmt::format("body {}", fmt::join(of.body, ", ")));
    if (!of.id.empty()) parts.push_back(fmt::format("id {}", fmt::join(of.id, ", ")));
    if (of.within) parts.emplace_back("within a box");
    if (!of.points.empty()) parts.emplace_back("points");
    if (!of.point.empty()) parts.push_back("point " + of.point);
    return parts.empty() ? "everything" : fmt::format("{}", fmt::join(parts, ", "));
}

}  // namespace halvo
