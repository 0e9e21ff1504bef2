// Values of a plan: numbers with units, points, texts; each wrong one is one line with file and line.
#include "core/quantity.hpp"
#include "io/plan_keys.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo::plan_file {

void fail(const std::string& where, const std::string& what) {
    throw Error(where.rfind("--set", 0) == 0 ? ErrorKind::usage : ErrorKind::input, where + ": " + what);
}

const Key& find_key(const std::string& name, const std::string& where) {
    std::vector<std::string> known;
    for (const auto* table : {&keys(), &solve_keys()})
        for (const Key& k : *table) {
            if (name == k.name) return k;
            known.emplace_back(k.name);
        }
    fail(where, fmt::format("unknown key {}; the nearest known one is {}", name, nearest_name(name, known)));
}

namespace {

bool is_angle(Kind k) {
    return k == Kind::angle || k == Kind::angle_or_none || k == Kind::signed_angle;
}

double plain_number(const Key& key, const toml::node& node, const std::string& where) {
    const bool angle = is_angle(key.kind);
    const char* unit = angle ? "degree" : key.kind == Kind::number || key.kind == Kind::factor || key.kind == Kind::share ? "1" : "mm";
    if (const auto n = node.value<double>(); n && !node.is_string() && !node.is_boolean()) return *n;
    const auto* s = node.as_string();
    if (!s)
        fail(where,
             fmt::format("{} must be a {}, such as {}", key.name, angle ? "number or an angle" : "number or a length", angle ? "\"10 degree\"" : "\"3 mm\""));
    try {
        return quantity(s->get(), unit);
    } catch (const std::invalid_argument& e) {
        fail(where, fmt::format("{}: {}", key.name, e.what()));
    }
}

// Whole numbers from 1, as text.
std::vector<std::string> numbers_of(const Key& key, const toml::node& node, const std::string& where) {
    std::vector<std::string> out;
    const auto one = [&](const toml::node& n) {
        const auto* i = n.as_integer();
        if (!i || i->get() < 1 || i->get() > std::numeric_limits<int>::max())
            fail(where, fmt::format("{} must be a whole number from 1, or a list of such", key.name));
        out.push_back(std::to_string(i->get()));
    };
    if (const auto* list = node.as_array())
        for (const toml::node& n : *list) one(n);
    else one(node);
    return out;
}

double number_of(const Key& key, const toml::node& node, const std::string& where) {
    if (key.kind == Kind::flag) {
        if (const auto v = node.value<bool>(); v && node.is_boolean()) return *v ? 1 : 0;
        fail(where, fmt::format("{} must be true or false", key.name));
    }
    if (key.kind == Kind::count) return std::stod(numbers_of(key, node, where).at(0));
    const double v = plain_number(key, node, where);
    const bool none_too = key.kind == Kind::length_or_none || key.kind == Kind::angle_or_none;
    const bool any_sign = key.kind == Kind::signed_length || key.kind == Kind::signed_angle;
    if (!std::isfinite(v) || (!any_sign && (v < 0 || (v == 0 && !none_too))))
        fail(where, fmt::format("{} must be {}", key.name,
                                key.kind == Kind::signed_angle ? "an angle"
                                : any_sign                     ? "a length"
                                : none_too                     ? "0 or more"
                                                               : "more than 0"));
    if (std::string(key.name) == "mesh.growth" && v <= 1) fail(where, "mesh.growth must be more than 1: the factor from one element to the next");
    if (key.kind == Kind::share && v > 1) fail(where, fmt::format("{} is a share; give a number up to 1, or \"1.5 %\"", key.name));
    return is_angle(key.kind) ? v * pi / 180 : v;
}

// A list of points, or one point: [x, y, z] with lengths.
std::vector<Vec3> points_of(const Key& key, const toml::node& node, const std::string& where) {
    const auto bad = [&] { fail(where, fmt::format("{} must be points, such as [[0, 0, \"3 mm\"], [0, 0, 0]]", key.name)); };
    const auto* list = node.as_array();
    if (!list || list->empty()) bad();
    const auto one = [&](const toml::node& n) {
        const auto* xyz = n.as_array();
        if (!xyz || xyz->size() != 3) bad();
        Vec3 p;
        for (std::size_t k = 0; k < 3; ++k) p[static_cast<Eigen::Index>(k)] = plain_number(key, (*xyz)[k], where);
        if (!p.allFinite()) bad();
        return p;
    };
    std::vector<Vec3> out;
    if (!(*list)[0].is_array()) return {one(node)};
    for (const toml::node& n : *list) out.push_back(one(n));
    return out;
}

// A list of lists of points.
std::vector<std::vector<Vec3>> rows_of(const Key& key, const toml::node& node, const std::string& where) {
    const auto* list = node.as_array();
    if (!list || list->empty()) fail(where, fmt::format("{} must be a list of rows of points", key.name));
    std::vector<std::vector<Vec3>> out;
    for (const toml::node& n : *list) out.push_back(points_of(key, n, where));
    return out;
}

std::vector<std::string> texts_of(const Key& key, const toml::node& node, const std::string& where) {
    const auto one = [&](const toml::node& n) -> std::string {
        if (const auto* s = n.as_string()) return s->get();
        if (const auto* i = n.as_integer(); i && key.kind == Kind::texts) return std::to_string(i->get());
        fail(where, fmt::format("{} must be text in quotes{}", key.name, key.kind == Kind::texts ? ", or a list of such" : ""));
    };
    std::vector<std::string> out;
    if (const auto* list = node.as_array(); list && key.kind == Kind::texts) {
        for (const toml::node& n : *list) out.push_back(one(n));
        return out;
    }
    out.push_back(one(node));
    if (key.kind == Kind::choice && std::find(key.choices.begin(), key.choices.end(), out[0]) == key.choices.end())
        fail(where, fmt::format("{} = \"{}\" is not one of \"{}\"", key.name, out[0], fmt::join(key.choices, "\", \"")));
    return out;
}

// Three quantities of one unit.
Vec3 vector_of(const Key& key, const toml::node& node, const std::string& where) {
    const auto* xyz = node.as_array();
    if (!xyz || xyz->size() != 3) fail(where, fmt::format("{} must be three numbers with units of {}, such as [0, 0, -1]", key.name, key.unit));
    Vec3 out;
    for (std::size_t k = 0; k < 3; ++k) out[static_cast<Eigen::Index>(k)] = quantity_of((*xyz)[k], key.unit, key.name, where);
    return out;
}

}  // namespace

double quantity_of(const toml::node& node, const char* unit, const char* name, const std::string& where) {
    double v = 0;
    if (const auto n = node.value<double>(); n && !node.is_string() && !node.is_boolean()) {
        v = *n;
    } else if (const auto* s = node.as_string()) {
        const std::string& text = s->get();
        // A difference of temperature has no zero of its own: degrees of Celsius are kelvins there.
        if (std::string(unit) == "K" && (text.find('C') != std::string::npos || text.find('F') != std::string::npos))
            fail(where, fmt::format("{} = \"{}\": is a difference; give it in K, such as \"40 K\"", name, text));
        try {
            v = quantity(text, unit);
        } catch (const std::invalid_argument& e) {
            fail(where, fmt::format("{}: {}", name, e.what()));
        }
    } else {
        fail(where, fmt::format("{} must be a number or a text with a unit, such as \"1 {}\"", name, unit));
    }
    if (!std::isfinite(v)) fail(where, fmt::format("{} must be a finite number", name));
    return v;
}

void apply(Plan& plan, const std::string& name, const toml::node& node, const std::string& where) {
    const Key& key = find_key(name, where);
    if (key.kind == Kind::node) key.node(plan, node, where);
    else if (key.kind == Kind::quantity) key.number(plan, quantity_of(node, key.unit, key.name, where));
    else if (key.kind == Kind::vector) key.points(plan, {vector_of(key, node, where)});
    else if (key.number) key.number(plan, number_of(key, node, where));
    else if (key.points) key.points(plan, points_of(key, node, where));
    else if (key.rows) key.rows(plan, rows_of(key, node, where));
    else if (key.kind == Kind::numbers) key.text(plan, numbers_of(key, node, where));
    else key.text(plan, texts_of(key, node, where));
}

}  // namespace halvo::plan_file
