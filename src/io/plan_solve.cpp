// The keys of materials, supports, loads and what is asked of the solution.
#include "io/plan_keys.hpp"
#include "solve/figures.hpp"
#include "solve/known_quantities.hpp"

#include <halvo/known.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo::plan_file {
namespace {

using Texts = std::vector<std::string>;
using Points = std::vector<Vec3>;

constexpr std::array<const char*, 6> directions{"x", "y", "z", "rx", "ry", "rz"};

int direction_of(const std::string& name, const char* key, const std::string& where) {
    for (std::size_t k = 0; k < directions.size(); ++k)
        if (name == directions[k]) return static_cast<int>(k);
    fail(where, fmt::format("{}: \"{}\" is not one of \"{}\"", key, name, fmt::join(directions, "\", \"")));
}

// "all", "pinned", or a list of directions.
std::array<bool, 6> directions_of(const toml::node& node, const char* key, const std::string& where) {
    std::array<bool, 6> out{};
    const auto one = [&](const toml::node& n) {
        const auto* s = n.as_string();
        if (!s) fail(where, fmt::format("{} must be \"all\", \"pinned\", or a list of \"{}\"", key, fmt::join(directions, "\", \"")));
        if (s->get() == "all") out.fill(true);
        else if (s->get() == "pinned") out[0] = out[1] = out[2] = true;
        else out[static_cast<std::size_t>(direction_of(s->get(), key, where))] = true;
    };
    if (const auto* list = node.as_array())
        for (const toml::node& n : *list) one(n);
    else one(node);
    return out;
}

// { z = "2 mm", rx = "1 degree" }
template <class Put>
void by_direction(const toml::node& node, const char* key, const char* unit, const char* turning, const std::string& where, const Put& put) {
    const auto* table = node.as_table();
    if (!table) fail(where, fmt::format("{} must be a table of directions, such as {{ z = \"1 {}\" }}", key, unit));
    for (const auto& [name, value] : *table) {
        const int k = direction_of(std::string(name.str()), key, where);
        put(static_cast<std::size_t>(k), quantity_of(value, k < 3 ? unit : turning, key, where));
    }
}

// The keys that every selection has.
template <class Of>
void add_selection(std::vector<Key>& keys, const char* table, const Of& of, bool point) {
    static std::vector<std::unique_ptr<std::string>> names;  // keys hold plain pointers
    const auto name = [&](const char* key) { return names.emplace_back(std::make_unique<std::string>(fmt::format("{}.{}", table, key)))->c_str(); };
    keys.push_back({name("body"), Kind::texts, {}, [of](Plan& p, const Texts& v) { of(p).body = v; }});
    keys.push_back({name("id"), Kind::texts, {}, [of](Plan& p, const Texts& v) { of(p).id = v; }});
    keys.push_back({name("within"), Kind::points, {}, {}, {}, [of](Plan& p, const Points& v) { of(p).within = box_of(v); }});
    if (!point) return;
    keys.push_back({name("points"), Kind::points, {}, {}, {}, [of](Plan& p, const Points& v) { of(p).points = v; }});
    keys.push_back({name("point"), Kind::text, {}, [of](Plan& p, const Texts& v) { of(p).point = v[0]; }});
}

Key quantity_key(const char* name, const char* unit, std::function<void(Plan&, double)> put) {
    Key k{name, Kind::quantity, std::move(put), {}};
    k.unit = unit;
    return k;
}
Key vector_key(const char* name, const char* unit, std::function<void(Plan&, const Vec3&)> put) {
    Key k{name, Kind::vector, {}, {}, {}, [put = std::move(put)](Plan& p, const Points& v) { put(p, v[0]); }};
    k.unit = unit;
    return k;
}
Key node_key(const char* name, std::function<void(Plan&, const toml::node&, const std::string&)> put) {
    Key k{name, Kind::node, {}, {}};
    k.node = std::move(put);
    return k;
}

Material& material(Plan& p) {
    return p.solve.materials.back().material;
}
SupportRule& support(Plan& p) {
    return p.solve.supports.back();
}
LoadRule& load(Plan& p) {
    return p.solve.loads.back();
}

// One load pushes in one way.
Key load_value(const char* name, const char* unit, LoadRule::Kind kind) {
    return quantity_key(name, unit, [kind](Plan& p, double v) { load(p).kind = kind, load(p).value = v, ++load(p).ways; });
}
Key load_vector(const char* name, const char* unit, LoadRule::Kind kind) {
    return vector_key(name, unit, [kind](Plan& p, const Vec3& v) { load(p).kind = kind, load(p).vector = v, ++load(p).ways; });
}

void add_material_keys(std::vector<Key>& all) {
    all.push_back({"material.name", Kind::text, {}, [](Plan& p, Texts v) { material(p).name = v[0]; }});
    all.push_back(node_key("material.young", [](Plan& p, const toml::node& n, const std::string& where) {
        const auto* list = n.as_array();
        if (list && list->size() != 2) fail(where, "material.young must be one value, or two: along the material's direction and across it");
        material(p).young = quantity_of(list ? (*list)[0] : n, "MPa", "material.young", where);
        if (list) material(p).young2 = quantity_of((*list)[1], "MPa", "material.young", where);
    }));
    all.push_back(quantity_key("material.poisson", "1", [](Plan& p, double v) { material(p).poisson = v; }));
    all.push_back(quantity_key("material.shear", "MPa", [](Plan& p, double v) { material(p).shear = v; }));
    all.push_back(quantity_key("material.density", "t/mm3", [](Plan& p, double v) { material(p).density = v; }));
    all.push_back(quantity_key("material.expansion", "1/K", [](Plan& p, double v) { material(p).expansion = v; }));
    all.push_back(quantity_key("material.yield", "MPa", [](Plan& p, double v) { material(p).yield = v; }));
    all.push_back(quantity_key("material.tangent", "MPa", [](Plan& p, double v) { material(p).tangent = v; }));
    all.push_back(vector_key("material.direction", "1", [](Plan& p, const Vec3& v) { material(p).direction = v; }));
    add_selection(
        all, "material", [](Plan& p) -> Selection& { return p.solve.materials.back().of; }, false);
}

void add_support_keys(std::vector<Key>& all) {
    all.push_back({"support.name", Kind::text, {}, [](Plan& p, Texts v) { support(p).name = v[0]; }});
    all.push_back(
        node_key("support.fix", [](Plan& p, const toml::node& n, const std::string& where) { support(p).fixed = directions_of(n, "support.fix", where); }));
    all.push_back(vector_key("support.symmetry", "1", [](Plan& p, const Vec3& v) { support(p).symmetry = v; }));
    all.push_back(node_key("support.move", [](Plan& p, const toml::node& n, const std::string& where) {
        by_direction(n, "support.move", "mm", "rad", where, [&](std::size_t k, double v) { support(p).move[k] = v; });
    }));
    all.push_back(node_key("support.spring", [](Plan& p, const toml::node& n, const std::string& where) {
        by_direction(n, "support.spring", "N/mm", "N mm", where, [&](std::size_t k, double v) {
            if (v <= 0) fail(where, "support.spring: a stiffness must be more than 0");
            support(p).spring[k] = v;
        });
    }));
    all.push_back({"support.frame", Kind::text, {}, [](Plan& p, Texts v) { support(p).frame = v[0]; }});
    all.push_back({"support.case", Kind::text, {}, [](Plan& p, Texts v) { support(p).load_case = v[0]; }});
    add_selection(
        all, "support", [](Plan& p) -> Selection& { return support(p).of; }, true);
}

void add_load_keys(std::vector<Key>& all) {
    using Way = LoadRule::Kind;
    all.push_back({"load.name", Kind::text, {}, [](Plan& p, Texts v) { load(p).name = v[0]; }});
    all.push_back({"load.case", Kind::text, {}, [](Plan& p, Texts v) { load(p).load_case = v[0]; }});
    all.push_back({"load.frame", Kind::text, {}, [](Plan& p, Texts v) { load(p).frame = v[0]; }});
    all.push_back(load_value("load.pressure", "MPa", Way::pressure));
    all.push_back({"load.from", Kind::points, {}, {}, {}, [](Plan& p, const Points& v) { load(p).from = v[0]; }});
    all.push_back(load_vector("load.force", "N", Way::force));
    all.push_back(load_vector("load.force_per_length", "N/mm", Way::force_per_length));
    all.push_back(load_vector("load.force_per_area", "MPa", Way::force_per_area));
    all.push_back(load_vector("load.moment", "N mm", Way::moment));
    all.push_back(load_vector("load.acceleration", "mm/s2", Way::acceleration));
    all.push_back(load_value("load.spin", "rad/s", Way::spin));
    all.push_back({"load.axis", Kind::points, {}, {}, {}, [](Plan& p, const Points& v) { load(p).axis = {v[0], v.back()}; }});
    all.push_back(load_value("load.temperature", "K", Way::temperature));
    add_selection(
        all, "load", [](Plan& p) -> Selection& { return load(p).of; }, true);
}

// { form = "cylinder hoop stress", pressure = "1 MPa", radius = "500 mm", thickness = "10 mm" }
KnownRule known_of(const toml::node& node, const std::string& where) {
    const auto* table = node.as_table();
    if (!table)
        fail(where, "probe.known must be a table of a form and its quantities, such as { form = \"bar stretch\", force = \"1 kN\", length = \"2 m\", ... }");
    KnownRule out;
    for (const auto& [key, value] : *table) {
        const std::string name(key.str());
        if (name == "form" || name == "figure") {
            const auto* s = value.as_string();
            if (!s) fail(where, fmt::format("probe.known: {} must be text in quotes", name));
            (name == "form" ? out.form : out.figure) = s->get();
            continue;
        }
        const auto& all = known_quantities();
        const auto it = std::find_if(all.begin(), all.end(), [&](const auto& q) { return q.first == name; });
        if (it == all.end()) {
            std::vector<std::string> names{"form", "figure"};
            for (const auto& q : all) names.push_back(q.first);
            fail(where, fmt::format("probe.known: unknown quantity {}; the nearest known one is {}", name, nearest_name(name, names)));
        }
        out.values[name] = quantity_of(value, it->second, "probe.known", where);
    }
    if (out.form.empty()) fail(where, "probe.known: form is missing; halvo list forms has all");
    constexpr std::array figures{"mean", "largest", "least", "sum"};
    if (std::find(figures.begin(), figures.end(), out.figure) == figures.end())
        fail(where, fmt::format("probe.known: figure = \"{}\" is not one of \"{}\"", out.figure, fmt::join(figures, "\", \"")));
    try {
        [[maybe_unused]] const double checked = known_value(out);
    } catch (const Error& e) {
        fail(where, fmt::format("probe.known: {}", e.what()));
    }
    return out;
}

void add_other_keys(std::vector<Key>& all) {
    all.push_back(quantity_key("mass.mass", "t", [](Plan& p, double v) { p.solve.masses.back().mass = v; }));
    all.push_back(vector_key("mass.inertia", "t mm2", [](Plan& p, const Vec3& v) { p.solve.masses.back().inertia = v; }));
    add_selection(
        all, "mass", [](Plan& p) -> Selection& { return p.solve.masses.back().of; }, true);
    all.push_back({"point.name", Kind::text, {}, [](Plan& p, Texts v) { p.solve.points.back().name = v[0]; }});
    all.push_back(
        {"point.at", Kind::points, {}, {}, {}, [](Plan& p, const Points& v) { p.solve.points.back().at = v[0], p.solve.points.back().placed = true; }});
    all.push_back({"point.how", Kind::choice, {}, [](Plan& p, Texts v) { p.solve.points.back().rigid = v[0] == "rigid"; }, {"rigid", "average"}});
    add_selection(
        all, "point", [](Plan& p) -> Selection& { return p.solve.points.back().of; }, false);
    all.push_back({"point.points", Kind::points, {}, {}, {}, [](Plan& p, Points v) { p.solve.points.back().of.points = std::move(v); }});
    all.push_back(node_key("release.free", [](Plan& p, const toml::node& n, const std::string& where) {
        p.solve.releases.back().free = directions_of(n, "release.free", where);
    }));
    all.push_back({"release.at",
                   Kind::choice,
                   {},
                   [](Plan& p, Texts v) { p.solve.releases.back().start = v[0] != "end", p.solve.releases.back().end = v[0] != "start"; },
                   {"start", "end", "both"}});
    add_selection(
        all, "release", [](Plan& p) -> Selection& { return p.solve.releases.back().of; }, false);
    all.push_back({"case.name", Kind::text, {}, [](Plan& p, Texts v) { p.solve.cases.back().name = v[0]; }});
    all.push_back(node_key("case.loads", [](Plan& p, const toml::node& n, const std::string& where) {
        const auto* table = n.as_table();
        if (!table || table->empty()) fail(where, "case.loads must be a table of names and factors, such as { wind = 1.5, snow = 1 }");
        for (const auto& [name, value] : *table) p.solve.cases.back().loads.emplace_back(std::string(name.str()), quantity_of(value, "1", "case.loads", where));
    }));
    all.push_back({"modes.count", Kind::count, [](Plan& p, double v) { p.solve.modes.count = static_cast<int>(v); }, {}});
    all.push_back({"modes.mass", Kind::choice, {}, [](Plan& p, Texts v) { p.solve.modes.lumped = v[0] == "lumped"; }, {"consistent", "lumped"}});
    all.push_back({"reference.solid", Kind::flag, [](Plan& p, double v) { p.solve.reference.make = v != 0; }, {}});
    all.push_back({"reference.across", Kind::count, [](Plan& p, double v) { p.solve.reference.across = static_cast<int>(v); }, {}});
    all.push_back({"reference.size", Kind::length, [](Plan& p, double v) { p.solve.reference.size = v; }, {}});
    all.push_back({"probe.name", Kind::text, {}, [](Plan& p, Texts v) { p.solve.probes.back().name = v[0]; }});
    all.push_back({"probe.of", Kind::text, {}, [](Plan& p, Texts v) { p.solve.probes.back().of_text = v[0]; }});
    all.push_back({"probe.side",
                   Kind::choice,
                   {},
                   [](Plan& p, Texts v) {
                       using Side = ProbeRule::Side;
                       p.solve.probes.back().side = v[0] == "top" ? Side::top : v[0] == "bottom" ? Side::bottom : v[0] == "middle" ? Side::middle : Side::worst;
                   },
                   {"top", "bottom", "middle", "worst"}});
    all.push_back({"probe.case", Kind::text, {}, [](Plan& p, Texts v) { p.solve.probes.back().load_case = v[0]; }});
    all.push_back(node_key("probe.known", [](Plan& p, const toml::node& n, const std::string& where) { p.solve.probes.back().known = known_of(n, where); }));
    all.push_back({"probe.frame", Kind::text, {}, [](Plan& p, Texts v) { p.solve.probes.back().frame = v[0]; }});
    add_selection(
        all, "probe", [](Plan& p) -> Selection& { return p.solve.probes.back().of; }, true);
}

// What is not given comes from the table of common materials by name; what is in neither is none.
void check_material(MaterialRule& r, const std::string& where) {
    Material& m = r.material;
    const auto common = common_material(m.name);
    const auto fill = [&](double Material::*value) {
        if (std::isnan(m.*value)) m.*value = common ? (*common).*value : 0;
    };
    if (std::isnan(m.young) && !common) {
        std::vector<std::string> names;
        for (const Material& k : common_materials()) names.push_back(k.name);
        fail(where, fmt::format("[[material]] \"{}\": is none of those known by name ({}); give young, poisson and density", m.name, fmt::join(names, ", ")));
    }
    if (std::isnan(m.poisson) && !common) fail(where, fmt::format("[[material]] \"{}\": material.poisson is missing", m.name));
    for (double Material::*v : {&Material::young, &Material::poisson, &Material::density, &Material::expansion, &Material::yield, &Material::tangent}) fill(v);
    if (!(m.young > 0)) fail(where, "material.young must be more than 0");
    if (m.young2 < 0 || (m.young2 > 0 && !(m.shear > 0))) fail(where, "[[material]]: two values of young need material.shear, all of them more than 0");
    if (!(m.poisson > -1 && m.poisson < 0.5) && m.young2 == 0) fail(where, "material.poisson must be more than -1 and less than 0.5");
    if (m.young2 > 0 && m.poisson * m.poisson * m.young2 >= m.young) fail(where, "material.poisson is too large for these two values of young");
    if (m.density < 0) fail(where, "material.density must be 0 or more");
    // Tonnes per cubic millimetre: nothing solid weighs more than osmium.
    constexpr double heaviest = 2.3e-8;
    if (m.density > heaviest)
        fail(where, fmt::format("material.density = {:g} t/mm3 weighs more than anything does; write it with its unit, such as \"7850 kg/m3\"", m.density));
    if (m.direction.norm() == 0) fail(where, "material.direction must not be zero");
}

void check_support(SupportRule& r, std::size_t number, const std::string& where) {
    if (r.name.empty()) r.name = fmt::format("support {}", number);
    const bool any = std::any_of(r.fixed.begin(), r.fixed.end(), [](bool b) { return b; }) || r.symmetry ||
                     std::any_of(r.move.begin(), r.move.end(), [](const auto& m) { return m.has_value(); }) ||
                     std::any_of(r.spring.begin(), r.spring.end(), [](double k) { return k > 0; });
    if (!any) fail(where, "[[support]] holds nothing; give fix, symmetry, move or spring");
    if (r.symmetry && r.symmetry->norm() == 0) fail(where, "support.symmetry must be the normal of a plane, such as [1, 0, 0]");
    for (std::size_t k = 0; k < 6; ++k)
        if (r.spring[k] > 0 && (r.fixed[k] || r.move[k])) fail(where, fmt::format("[[support]]: {} is both held and sprung", directions[k]));
}

void check_load(const LoadRule& r, const std::string& where) {
    if (r.ways != 1) fail(where, "[[load]] takes one of pressure, force, force_per_length, force_per_area, moment, acceleration, spin, temperature");
    if (r.kind == LoadRule::Kind::pressure && !r.from) fail(where, "[[load]]: load.from is missing: a point on the side that the pressure acts from");
    if (r.kind == LoadRule::Kind::spin && (r.axis[1] - r.axis[0]).norm() == 0) fail(where, "load.axis must be two different points");
}

void check_probe(ProbeRule& r, const std::string& where) {
    if (r.name.empty()) fail(where, "[[probe]]: probe.name is missing");
    if (read_figure(r)) return;
    fail(where,
         fmt::format(
             "probe.of = \"{}\" is none of \"displacement x|y|z|total\", \"rotation x|y|z|total\", \"reaction x|y|z|total\", \"reaction moment x|y|z|total\", "
             "\"von mises\", \"principal 1|2|3\", \"stress along x|y|z\", \"axial force\", \"shear force y|z|total\", \"torque\", \"bending moment "
             "y|z|total\", \"thickness\", \"frequency 1\" (2, 3 ...)",
             r.of_text));
}

}  // namespace

void add_material(Plan& plan) {
    MaterialRule r;
    const double none = std::numeric_limits<double>::quiet_NaN();
    r.material.young = r.material.poisson = r.material.density = r.material.expansion = r.material.yield = r.material.tangent = none;
    plan.solve.materials.push_back(r);
}

const std::vector<Key>& solve_keys() {
    static const std::vector<Key> all = [] {
        std::vector<Key> keys;
        add_material_keys(keys), add_support_keys(keys), add_load_keys(keys), add_other_keys(keys);
        return keys;
    }();
    return all;
}

void check_solve_record(Plan& plan, const std::string& table, const std::string& where) {
    SolveOptions& s = plan.solve;
    if (table == "material") check_material(s.materials.back(), where);
    if (table == "support") check_support(s.supports.back(), s.supports.size(), where);
    if (table == "load") check_load(s.loads.back(), where);
    if (table == "probe") check_probe(s.probes.back(), where);
    if (table == "mass" &&
        (s.masses.back().mass < 0 || s.masses.back().inertia.minCoeff() < 0 || (s.masses.back().mass == 0 && s.masses.back().inertia.isZero())))
        fail(where, "[[mass]]: mass.mass must be more than 0");
    if (table == "point") {
        if (s.points.back().name.empty() || !s.points.back().placed) fail(where, "[[point]]: give point.name and point.at");
        if (s.points.back().of.empty()) fail(where, "[[point]] holds nothing; give body, id, within or points");
        for (std::size_t i = 0; i + 1 < s.points.size(); ++i)
            if (s.points[i].name == s.points.back().name) fail(where, fmt::format("two [[point]] are named \"{}\"", s.points[i].name));
    }
    if (table == "release" && std::none_of(s.releases.back().free.begin(), s.releases.back().free.end(), [](bool b) { return b; }))
        fail(where, "[[release]] frees nothing; give free, a list of \"x\", \"y\", \"z\", \"rx\", \"ry\", \"rz\" along the member's own axes");
    if (table == "case" && (s.cases.back().name.empty() || s.cases.back().loads.empty())) fail(where, "[[case]]: give case.name and case.loads");
}

}  // namespace halvo::plan_file
