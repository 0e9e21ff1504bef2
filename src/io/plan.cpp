#include <halvo/plan.hpp>

#include "io/quantity.hpp"

#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <cmath>
#include <functional>

namespace halvo {
namespace {

enum class Kind { text, texts, length, length_or_none, angle, number, share, flag, choice };

struct Key {
    const char* name;
    Kind kind;
    std::function<void(Plan&, double)> number;
    std::function<void(Plan&, std::vector<std::string>)> text;
    std::vector<std::string> choices = {};
};

const std::vector<Key>& keys() {
    using Texts = std::vector<std::string>;
    static const std::vector<Key> all = {
        {"source.file", Kind::text, {}, [](Plan& p, Texts v) { p.source.file = v[0]; }},
        {"source.unit", Kind::choice, {}, [](Plan& p, Texts v) { p.source.unit = v[0]; }, {"mm", "cm", "m", "inch", "ft"}},
        {"source.body", Kind::texts, {}, [](Plan& p, Texts v) { p.source.body = std::move(v); }},
        {"source.only", Kind::texts, {}, [](Plan& p, Texts v) { p.source.only = std::move(v); }},
        {"source.skip", Kind::texts, {}, [](Plan& p, Texts v) { p.source.skip = std::move(v); }},
        {"survey.thickest", Kind::length, [](Plan& p, double v) { p.survey.thickest = p.halve.survey.thickest = v; }, {}},
        {"survey.thinnest", Kind::length_or_none, [](Plan& p, double v) { p.survey.thinnest = p.halve.survey.thinnest = v; }, {}},
        {"survey.slender", Kind::number, [](Plan& p, double v) { p.survey.slender = p.halve.survey.slender = v; }, {}},
        {"survey.flat", Kind::number, [](Plan& p, double v) { p.survey.flat = p.halve.survey.flat = v; }, {}},
        {"survey.near", Kind::length, [](Plan& p, double v) { p.survey.near = p.halve.survey.near = v; }, {}},
        {"survey.tiny", Kind::length, [](Plan& p, double v) { p.survey.tiny = p.halve.survey.tiny = v; }, {}},
        {"survey.narrow", Kind::length, [](Plan& p, double v) { p.survey.narrow = p.halve.survey.narrow = v; }, {}},
        {"strip.holes", Kind::length, [](Plan& p, double v) { p.survey.holes = p.halve.survey.holes = v; }, {}},
        {"strip.rounds", Kind::length, [](Plan& p, double v) { p.survey.rounds = p.halve.survey.rounds = v; }, {}},
        {"strip.raised", Kind::length, [](Plan& p, double v) { p.survey.raised = p.halve.survey.raised = v; }, {}},
        {"halve.slender",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.halve.slender = v[0] == "beams" ? SlenderAs::beams : SlenderAs::shells; },
         {"beams", "shells"}},
        {"halve.steps",
         Kind::choice,
         {},
         [](Plan& p, Texts v) { p.halve.steps = v[0] == "continuous" ? StepsAs::continuous : StepsAs::separate; },
         {"continuous", "separate"}},
        {"halve.openings", Kind::length_or_none, [](Plan& p, double v) { p.halve.openings = v; }, {}},
        {"halve.thickness", Kind::length, [](Plan& p, double v) { p.halve.thickness = v; }, {}},
        {"halve.draft", Kind::angle, [](Plan& p, double v) { p.halve.draft = v; }, {}},
        {"halve.slimness", Kind::share, [](Plan& p, double v) { p.halve.slimness = v; }, {}},
        {"halve.refuse", Kind::texts, {}, [](Plan& p, Texts v) { p.halve.refuse = std::move(v); }},
        {"join.reach", Kind::length_or_none, [](Plan& p, double v) { p.join.reach = v; }, {}},
        {"join.refuse", Kind::texts, {}, [](Plan& p, Texts v) { p.join.refuse = std::move(v); }},
        {"mesh.size", Kind::length, [](Plan& p, double v) { p.mesh.size = v; }, {}},
        {"mesh.smallest", Kind::length, [](Plan& p, double v) { p.mesh.smallest = v; }, {}},
        {"mesh.largest", Kind::length, [](Plan& p, double v) { p.mesh.largest = v; }, {}},
        {"prove.volume", Kind::share, [](Plan& p, double v) { p.prove.volume = v; }, {}},
    };
    return all;
}

std::size_t edit_distance(const std::string& a, const std::string& b) {
    std::vector<std::size_t> row(b.size() + 1);
    for (std::size_t j = 0; j <= b.size(); ++j) row[j] = j;
    for (std::size_t i = 1; i <= a.size(); ++i) {
        std::size_t diagonal = row[0];
        row[0] = i;
        for (std::size_t j = 1; j <= b.size(); ++j) {
            const std::size_t up = row[j];
            row[j] = std::min({row[j] + 1, row[j - 1] + 1, diagonal + (a[i - 1] == b[j - 1] ? 0 : 1)});
            diagonal = up;
        }
    }
    return row[b.size()];
}

// A plan file is an input that cannot be used; a value on the command line is wrong usage.
[[noreturn]] void fail(const std::string& where, const std::string& what) {
    throw Error(where.rfind("--set", 0) == 0 ? ErrorKind::usage : ErrorKind::input, where + ": " + what);
}

const Key& find_key(const std::string& name, const std::string& where) {
    const Key* nearest = nullptr;
    for (const Key& k : keys()) {
        if (name == k.name) return k;
        if (!nearest || edit_distance(name, k.name) < edit_distance(name, nearest->name)) nearest = &k;
    }
    fail(where, fmt::format("unknown key {}; the nearest known one is {}", name, nearest->name));
}

double number_of(const Key& key, const toml::node& node, const std::string& where) {
    const char* unit = key.kind == Kind::angle ? "degree" : key.kind == Kind::number || key.kind == Kind::share ? "1" : "mm";
    double v = 0;
    if (const auto n = node.value<double>(); n && !node.is_string() && !node.is_boolean()) v = *n;
    else if (const auto* s = node.as_string()) {
        try {
            v = io::quantity(s->get(), unit);
        } catch (const std::invalid_argument& e) {
            fail(where, fmt::format("{}: {}", key.name, e.what()));
        }
    } else {
        fail(where, fmt::format("{} must be a {}, such as {}", key.name, key.kind == Kind::angle ? "number or an angle" : "number or a length",
                                key.kind == Kind::angle ? "\"10 degree\"" : "\"3 mm\""));
    }
    if (!std::isfinite(v) || v < 0 || (v == 0 && key.kind != Kind::length_or_none))
        fail(where, fmt::format("{} must be {}", key.name, key.kind == Kind::length_or_none ? "0 or more" : "more than 0"));
    if (key.kind == Kind::share && v > 1) fail(where, fmt::format("{} is a share; give a number up to 1, or \"1.5 %\"", key.name));
    return key.kind == Kind::angle ? v * pi / 180 : v;
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

void apply(Plan& plan, const std::string& name, const toml::node& node, const std::string& where) {
    const Key& key = find_key(name, where);
    if (key.number) key.number(plan, number_of(key, node, where));
    else key.text(plan, texts_of(key, node, where));
}

}  // namespace

Plan read_plan(const std::filesystem::path& file) {
    std::error_code ec;
    if (!std::filesystem::exists(file, ec)) throw Error(ErrorKind::input, file.string() + ": no such file; check the path");
    toml::table table;
    try {
        table = toml::parse_file(file.string());
    } catch (const toml::parse_error& e) {
        fail(fmt::format("{}:{}", file.string(), e.source().begin.line), fmt::format("not valid TOML: {}", e.description()));
    }
    Plan plan;
    for (const auto& [name, node] : table) {
        const auto where = [&](const toml::node& n) { return fmt::format("{}:{}", file.string(), n.source().begin.line); };
        const auto* inner = node.as_table();
        const std::string table_name(name.str());
        if (!inner) {
            find_key(table_name, where(node));
            continue;
        }
        const bool known = std::any_of(keys().begin(), keys().end(), [&](const Key& k) { return std::string(k.name).rfind(table_name + ".", 0) == 0; });
        if (!known && inner->empty()) find_key(table_name, where(node));
        for (const auto& [key, value] : *inner) apply(plan, table_name + "." + std::string(key.str()), value, where(value));
    }
    if (plan.source.file.empty()) fail(file.string(), "source.file is missing; name the STEP file, such as file = \"part.step\"");
    // The file is named from where the plan is.
    const std::filesystem::path source = plan.source.file;
    if (source.is_relative()) plan.source.file = (file.parent_path() / source).string();
    return plan;
}

void set_plan_value(Plan& plan, const std::string& assignment) {
    const std::size_t at = assignment.find('=');
    if (at == std::string::npos || at == 0) throw Error(ErrorKind::usage, fmt::format("--set {}: give KEY=VALUE, such as join.reach=2mm", assignment));
    const std::string name = assignment.substr(0, at), value = assignment.substr(at + 1), where = "--set " + assignment;
    toml::table table;
    try {
        table = toml::parse("value = " + value);
    } catch (const toml::parse_error&) {
        table = toml::table{{"value", value}};  // 2mm, beams and the like need no quotes here
    }
    apply(plan, name, *table.get("value"), where);
}

}  // namespace halvo
