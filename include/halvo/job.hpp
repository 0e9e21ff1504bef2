#pragma once
#include <halvo/io.hpp>

namespace halvo {

/// The stages in their order; names as in the plan and on the command line.
enum class Stage { read, survey, halve, join, mesh, prove };
[[nodiscard]] const char* stage_name(Stage s);
/// Throws Error{usage} for a name that is no stage.
[[nodiscard]] Stage stage_of(const std::string& name);

/// Runs `job.plan` from stage `from` (what earlier stages left in `job` is used) up to and with `until`, timing each.
void run(Job& job, Stage from = Stage::read, Stage until = Stage::prove, const Observer& observer = {});

}  // namespace halvo
