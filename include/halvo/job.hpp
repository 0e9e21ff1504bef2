#pragma once
#include <halvo/io.hpp>

namespace halvo {

/// Runs `job.plan` from stage `from` (what earlier stages left in `job` is used) up to and with `until`, timing each; reads the plan's file first
/// where `from` is Stage::read.
void run(Job& job, Stage from = Stage::read, Stage until = Stage::solve, const Observer& observer = {});

}  // namespace halvo
