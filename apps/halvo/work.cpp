#include "work.hpp"

#include "progress.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

using namespace halvo;
namespace fs = std::filesystem;

bool has_extension(const fs::path& p, std::initializer_list<const char*> list) {
    std::string e = p.extension().string();
    std::transform(e.begin(), e.end(), e.begin(), [](unsigned char c) { return std::tolower(c); });
    return std::any_of(list.begin(), list.end(), [&](const char* x) { return e == x; });
}

Plan plan_for(const std::string& input, const std::vector<std::string>& sets) {
    Plan plan;
    if (has_extension(input, {".toml"})) plan = read_plan(input);
    else plan.source.file = input;
    for (const std::string& s : sets) set_plan_value(plan, s);
    return plan;
}

fs::path folder_of(const RunArguments& a) {
    return a.out.empty() ? fs::path(fs::path(a.input).stem().string() + ".out") : fs::path(a.out);
}

Job carried_out(const RunArguments& a, const Common& common) {
    Job job;
    Plan plan = plan_for(a.input, a.sets);
    if (!a.size.empty()) set_plan_value(plan, "mesh.size=" + a.size);
    const Stage from = stage_of(a.from), until = stage_of(a.until);
    if (until < from) throw Error(ErrorKind::usage, fmt::format("--until {} comes before --from {}", a.until, a.from));
    if (from == Stage::solve && !plan.solve.any())
        throw Error(ErrorKind::usage, a.input + ": the plan has nothing to solve; give it [[support]], [[load]] or [modes]");
    const fs::path out = folder_of(a);
    const Observer observer = terminal_observer(common.quiet);
    if (from > Stage::read) {
        std::string note;
        job = resumed(read_model(out / "model.halvo"), plan, from, observer, note);
        if (!note.empty()) fmt::print(stderr, "halvo: {}\n", note);
    }
    job.plan = plan;
    run(job, from, until, observer);
    if (observer.cancelled && observer.cancelled()) throw Error(ErrorKind::cancelled, "stopped on request; nothing was written");
    hold_signals();
    write_results(out, job);
    catch_signals();
    end_progress();
    return job;
}

int code_of(const Job& job) {
    return stage_of(job.stage) >= Stage::prove && !job.proof.within_bounds ? exit_bounds : 0;
}
