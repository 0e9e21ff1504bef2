// Reads a plan: TOML in, options out.
#include "io/plan_keys.hpp"

#include <halvo/io.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <fstream>
#include <iterator>

namespace halvo {
namespace {

using namespace plan_file;

// Limits and ids stand in [strip], or in an entry of [[strip]] of their own: TOML does not let a plan have both tables.
bool of_strip_rule(std::string_view key) {
    constexpr std::array<std::string_view, 7> rule_keys{"body", "id", "like", "feature", "from", "to", "within"};
    return std::find(rule_keys.begin(), rule_keys.end(), key) != rule_keys.end();
}

void apply_strip(Plan& plan, const toml::table& entry, const std::function<std::string(const toml::node&)>& where) {
    bool rule = false;
    for (const auto& [key, value] : entry) {
        const bool keeps = key.str() == "keep" && value.is_boolean();
        if (keeps) plan.strip.rules.back().keep = *value.value<bool>();
        else apply(plan, "strip." + std::string(key.str()), value, where(value));
        rule = rule || keeps || of_strip_rule(key.str());
    }
    if (!rule) plan.strip.rules.pop_back();
    else if (plan.strip.rules.back().to < plan.strip.rules.back().from)
        fail(where(entry), "[[strip]]: strip.to must be more than strip.from: a range of sizes");
}

}  // namespace

Plan read_plan(const std::filesystem::path& file) {
    std::error_code ec;
    if (!std::filesystem::exists(file, ec)) throw Error(ErrorKind::input, file.string() + ": no such file; check the path");
    if (std::filesystem::is_directory(file, ec)) throw Error(ErrorKind::input, file.string() + ": is a folder; name the plan in it");
    std::ifstream in(file, std::ios::binary);
    std::string text((std::istreambuf_iterator<char>(in)), std::istreambuf_iterator<char>());
    if (!in) throw Error(ErrorKind::input, file.string() + ": cannot be read; check its permissions");
    return parse_plan(text, file);
}

Plan parse_plan(const std::string& text, const std::filesystem::path& file) {
    toml::table table;
    try {
        table = toml::parse(text, file.string());
    } catch (const toml::parse_error& e) {
        fail(fmt::format("{}:{}", file.string(), e.source().begin.line), fmt::format("not valid TOML: {}", e.description()));
    }
    Plan plan;
    plan.file = file.string(), plan.text = text;
    for (const auto& [name, node] : table) {
        const auto where = [&](const toml::node& n) { return fmt::format("{}:{}", file.string(), n.source().begin.line); };
        const std::string table_name(name.str());
        const auto record = record_tables().find(table_name);
        if (record != record_tables().end() && !(table_name == "strip" && node.is_table())) {
            const auto* list = node.as_array();
            if (!list || !list->is_array_of_tables()) fail(where(node), fmt::format("write [[{}]]: each adds one", table_name));
            for (const toml::node& n : *list) {
                record->second.add(plan);
                if (table_name == "strip") {
                    apply_strip(plan, *n.as_table(), where);
                    continue;
                }
                for (const auto& [key, value] : *n.as_table()) apply(plan, table_name + "." + std::string(key.str()), value, where(value));
                check_record(plan, table_name, where(n));
            }
            continue;
        }
        const auto* inner = node.as_table();
        if (!inner) {
            find_key(table_name, where(node));
            continue;
        }
        const auto of_table = [&](const Key& k) { return std::string(k.name).rfind(table_name + ".", 0) == 0; };
        const bool known = std::any_of(keys().begin(), keys().end(), of_table) || std::any_of(solve_keys().begin(), solve_keys().end(), of_table);
        if (!known && inner->empty()) find_key(table_name, where(node));
        for (const auto& [key, value] : *inner) {
            const std::string key_name = table_name + "." + std::string(key.str());
            if (table_name == "strip" && of_strip_rule(key.str())) fail(where(value), key_name + " belongs to a rule: write [[strip]], each adds one");
            if (const auto* group = value.as_table())
                for (const auto& [part, v] : *group) apply(plan, key_name + "." + std::string(part.str()), v, where(v));
            else apply(plan, key_name, value, where(value));
        }
    }
    check_names(plan, file.string());
    if (plan.source.file.empty()) fail(file.string(), "source.file is missing; name the STEP file, such as file = \"part.step\"");
    // The file is named from where the plan is.
    const std::filesystem::path source = plan.source.file;
    if (source.is_relative()) plan.source.file = (file.parent_path() / source).string();
    return plan;
}

namespace {

void set_value(Plan& plan, const std::string& assignment) {
    const std::size_t at = assignment.find('=');
    if (at == std::string::npos || at == 0) throw Error(ErrorKind::usage, fmt::format("--set {}: give KEY=VALUE, such as join.reach=2mm", assignment));
    const auto dot = assignment.find('.');
    const bool strip_limit = assignment.rfind("strip.", 0) == 0 && !of_strip_rule(assignment.substr(6, at - 6));
    if (dot < at && record_tables().count(assignment.substr(0, dot)) && !strip_limit)
        throw Error(ErrorKind::usage, fmt::format("--set {}: [[{}]] entries stand in a plan file", assignment, assignment.substr(0, dot)));
    std::string name = assignment.substr(0, at);
    const std::string value = assignment.substr(at + 1), where = "--set " + assignment;
    toml::table table;
    try {
        table = toml::parse("value = " + value);
    } catch (const toml::parse_error&) {
        table = toml::table{{"value", value}};  // 2mm, beams and the like need no quotes here
    }
    // thickness[2].thickness: the second [[thickness]] of the plan.
    const std::size_t open = name.find('['), close = name.find("].");
    if (open == std::string::npos || close == std::string::npos || close < open) return apply(plan, name, *table.get("value"), where);
    const std::string records = name.substr(0, open);
    const auto it = record_tables().find(records);
    const int number = std::atoi(name.c_str() + open + 1);
    if (it == record_tables().end()) fail(where, fmt::format("[[{}]] is no table of the plan that stands several times", records));
    const std::size_t count = it->second.count(plan);
    if (number < 1 || static_cast<std::size_t>(number) > count) fail(where, fmt::format("the plan has {} [[{}]], numbered from 1", count, records));
    const auto i = static_cast<std::size_t>(number) - 1;
    it->second.swap_with_last(plan, i);
    apply(plan, records + name.substr(close + 1), *table.get("value"), where);
    check_record(plan, records, where);
    it->second.swap_with_last(plan, i);
}

}  // namespace

void set_plan_value(Plan& plan, const std::string& assignment) {
    set_value(plan, assignment);
    // What was set before for the same key no longer counts.
    const std::string name = assignment.substr(0, assignment.find('=') + 1);
    std::erase_if(plan.set, [&](const std::string& s) { return s.starts_with(name); });
    plan.set.push_back(assignment);
}

}  // namespace halvo
