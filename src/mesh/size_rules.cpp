#include "mesh/size_rules.hpp"

#include "body/named.hpp"
#include "core/keys.hpp"
#include "model/sets.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo {
namespace {

// Keys of the sheets and members of the bodies that a rule names, as far as its own ids allow.
std::vector<std::string> keys_of_bodies(const SizeRule& rule, const Model& model) {
    std::vector<std::string> out;
    const auto add = [&](const std::string& key, BodyId body, const auto& id) {
        const bool named = body && is_named(model.bodies.at(body.index()), rule.body);
        if (named && (rule.sheet.empty() || is_meant(model, id, rule.sheet))) out.push_back(key);
    };
    for (std::size_t i = 0; i < model.sheets.size(); ++i) add(model.sheets[i].key, model.sheets[i].body, SheetId(i));
    for (std::size_t i = 0; i < model.members.size(); ++i) add(model.members[i].key, model.members[i].body, MemberId(i));
    return out;
}

void place(std::vector<SizeRule>& rules, const char* table, const Model& model) {
    for (std::size_t k = 0; k < rules.size(); ++k) {
        SizeRule& r = rules[k];
        for (Vec3& p : r.points) p -= model.shift;
        r.within = own_box(r.within, model.shift);
        if (r.body.empty()) continue;
        if (model.bodies.empty())
            throw Error(ErrorKind::usage, fmt::format("[[{}]] entry {}: names a body, but the model has no names of bodies; give ids of sheets", table, k + 1));
        if (std::none_of(model.bodies.begin(), model.bodies.end(), [&](const BodyNames& b) { return is_named(b, r.body); }))
            throw Error(ErrorKind::input, fmt::format("[[{}]] entry {}: no body \"{}\"; halvo survey lists them", table, k + 1, fmt::join(r.body, "\", \"")));
        r.sheet = keys_of_bodies(r, model);
        r.body.clear();
        if (r.sheet.empty()) r.sheet.emplace_back();  // no key is empty: it picks nothing
    }
}

bool picks_any(const SizeRule& r, const Model& model) {
    if (r.sheet.empty()) return true;  // by place, or all
    for (std::size_t i = 0; i < model.sheets.size(); ++i)
        if (is_meant(model, SheetId(i), r.sheet)) return true;
    for (std::size_t i = 0; i < model.members.size(); ++i)
        if (is_meant(model, MemberId(i), r.sheet)) return true;
    return !edges_meant(model, r.sheet).empty();
}

}  // namespace

bool SizeRule::operator==(const SizeRule& o) const {
    const auto same_box = [&] { return !within || (within->min() == o.within->min() && within->max() == o.within->max()); };
    return body == o.body && sheet == o.sheet && within.has_value() == o.within.has_value() && same_box() && size == o.size && points == o.points &&
           count == o.count;
}

MeshOptions placed_rules(MeshOptions options, const Model& model) {
    place(options.sizes, "size", model);
    place(options.thicknesses, "thickness", model);
    return options;
}

std::vector<Finding> idle_rules(const MeshOptions& placed, const Model& model) {
    std::vector<Finding> out;
    const auto look = [&](const std::vector<SizeRule>& rules, const char* table) {
        for (std::size_t k = 0; k < rules.size(); ++k)
            if (!picks_any(rules[k], model)) {
                const std::string line = fmt::format("[[{}]] entry {} picks nothing", table, k + 1);
                out.push_back({make_key("finding", line, {}), FindingKind::rule_without_effect, line,
                               "check its bodies and ids against halvo list MODEL sheets and members", Vec3::Zero(), 0, ""});
            }
    };
    look(placed.sizes, "size");
    look(placed.thicknesses, "thickness");
    return out;
}

}  // namespace halvo
