#pragma once
/// The plan's keys: what each takes, and where it goes.

#include <halvo/plan.hpp>

#include <toml++/toml.h>

#include <functional>
#include <map>

namespace halvo::plan_file {

enum class Kind {
    text,
    texts,
    length,
    length_or_none,
    signed_length,
    angle,
    angle_or_none,
    signed_angle,
    number,
    factor,
    share,
    flag,
    choice,
    count,
    numbers,
    points,
    rows,
    quantity,  ///< in `unit`, of any sign
    vector,    ///< three of these
    node       ///< what `node` makes of it
};

struct Key {
    const char* name;
    Kind kind;
    std::function<void(Plan&, double)> number;
    std::function<void(Plan&, std::vector<std::string>)> text;
    std::vector<std::string> choices = {};
    std::function<void(Plan&, std::vector<Vec3>)> points = {};
    std::function<void(Plan&, std::vector<std::vector<Vec3>>)> rows = {};
    const char* unit = "mm";
    std::function<void(Plan&, const toml::node&, const std::string& where)> node = {};
};

/// Tables that may stand several times: each adds one record, which its keys then fill.
struct RecordTable {
    std::function<void(Plan&)> add;
    std::function<std::size_t(const Plan&)> count;
    std::function<void(Plan&, std::size_t)> swap_with_last;  ///< so that keys fill that one
};
[[nodiscard]] const std::map<std::string, RecordTable>& record_tables();
[[nodiscard]] const std::vector<Key>& keys();
[[nodiscard]] const std::vector<Key>& solve_keys();
/// A record whose values are all to be given or taken from the table of common materials.
void add_material(Plan& plan);
[[nodiscard]] Box3 box_of(const std::vector<Vec3>& corners);

/// A plan file is an input that cannot be used; a value on the command line is wrong usage.
[[noreturn]] void fail(const std::string& where, const std::string& what);
const Key& find_key(const std::string& name, const std::string& where);
/// Reads one value into the plan.
void apply(Plan& plan, const std::string& name, const toml::node& node, const std::string& where);
/// A number, or a text with a unit.
[[nodiscard]] double quantity_of(const toml::node& node, const char* unit, const char* name, const std::string& where);

/// What single keys cannot see: one record, as it is complete.
void check_record(Plan& plan, const std::string& table, const std::string& where);
void check_solve_record(Plan& plan, const std::string& table, const std::string& where);
/// And what single records cannot see.
void check_names(const Plan& plan, const std::string& where);

}  // namespace halvo::plan_file
