#pragma once
#include <halvo/io.hpp>

namespace halvo {

/// Runs `job.plan` from stage `from` (what earlier stages left in `job` is used) up to and with `until`, timing each; reads the plan's file first
/// where `from` is Stage::read.
void run(Job& job, Stage from = Stage::read, Stage until = Stage::solve, const Observer& observer = {});

/// What stage `from` of another run with `plan` needs of `held`, a job that was done once (read_model). The plan's file need not be there any more, which
/// `note` then says; where it is, it must be the same. Throws Error{usage} where `held` has not got far enough, or the file has changed.
[[nodiscard]] Job resumed(Job held, const Plan& plan, Stage from, const Observer& observer, std::string& note);

}  // namespace halvo
