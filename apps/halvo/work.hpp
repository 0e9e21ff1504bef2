#pragma once
/// What several commands do: a plan from arguments, a run with its files.

#include <halvo/job.hpp>

#include <initializer_list>

inline constexpr int exit_usage = 2, exit_input = 3, exit_stage = 4, exit_bounds = 5, exit_stopped = 130;

/// Options that most commands take.
struct Common {
    bool quiet = false, json = false;
    int threads = 0;
};

struct RunArguments {
    std::string input, out, until = "solve", from = "read", size;
    std::vector<std::string> sets;
};

[[nodiscard]] bool has_extension(const std::filesystem::path& p, std::initializer_list<const char*> list);
/// The plan in `input`, or that of a CAD file with nothing said, with `sets` over it.
[[nodiscard]] halvo::Plan plan_for(const std::string& input, const std::vector<std::string>& sets);
/// Where the results of a run go.
[[nodiscard]] std::filesystem::path folder_of(const RunArguments& arguments);
/// The run, with its files written.
[[nodiscard]] halvo::Job carried_out(const RunArguments& arguments, const Common& common);
/// Exit code of a run that came to its end.
[[nodiscard]] int code_of(const halvo::Job& job);
