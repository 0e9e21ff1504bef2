#include <halvo/job.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

namespace halvo {

void run(Job& job, Stage from, Stage until, const Observer& observer) {
    if (from == Stage::read) {
        const auto start = std::chrono::steady_clock::now();
        job.solids = read(job.plan.source.file, job.plan.source, observer), job.as_read.reset(), job.before_strip.reset(), job.mend = {}, job.strip = {};
        std::erase_if(job.timing, [](const auto& t) { return t.first == stage_name(Stage::read); });
        job.timing.emplace_back(stage_name(Stage::read), std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
        job.stage = stage_name(Stage::read);
    }
    // A model that stopped at the survey, as older versions know it, has not been stripped.
    const bool not_stripped = from == Stage::halve && job.stage == stage_name(Stage::survey);
    run_stages(job, not_stripped ? Stage::mend : from, until, observer);
}

Job resumed(Job held, const Plan& plan, Stage from, const Observer& observer, std::string& note) {
    const Stage needed = from == Stage::halve ? Stage::survey : static_cast<Stage>(static_cast<int>(from) - 1);
    if (stage_of(held.stage) < needed) throw Error(ErrorKind::usage, fmt::format("the model holds stages up to {}; start from there", held.stage));
    const std::filesystem::path file = plan.source.file;
    std::error_code ec;
    if (!std::filesystem::exists(file, ec)) note = file.string() + ": not there; its solids are taken from the model file";
    else if (file_sha256(file) != held.solids.sha256)
        throw Error(ErrorKind::usage, fmt::format("{}: the file has changed since the model was made; run all stages again", file.string()));
    if (holds_exactly(held.solids, plan.source)) return held;
    // Another choice of bodies, or a model file of an older kind: what it lacks is made anew.
    held.plan = plan;
    run(held, Stage::read, from == Stage::join ? Stage::halve : Stage::survey, observer);
    return held;
}

}  // namespace halvo
