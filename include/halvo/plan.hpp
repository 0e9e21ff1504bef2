#pragma once
#include <halvo/options.hpp>

#include <filesystem>

namespace halvo {

/// What an analyst decided, stage by stage. Read from TOML; see docs/plan.md for the keys.
struct Plan {
    SourceOptions source;
    SurveyOptions survey;
    HalveOptions halve;
    JoinOptions join;
    MeshOptions mesh;
    ProveOptions prove;
};

/// Reads a plan file. Unknown keys, wrong types and wrong units are errors with file and line.
[[nodiscard]] Plan read_plan(const std::filesystem::path& file);
/// Overrides one key, "join.reach=2mm"; the same checks as in a file.
void set_plan_value(Plan& plan, const std::string& assignment);

}  // namespace halvo
