#include <halvo/job.hpp>

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
    run_stages(job, from, until, observer);
}

}  // namespace halvo
