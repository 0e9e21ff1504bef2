// All files of a run, or none of them.
#include "io/left_behind.hpp"

#include <halvo/io.hpp>

#include <fmt/format.h>

#include <unistd.h>

namespace halvo {

void write_results(const std::filesystem::path& folder, const Job& job) {
    std::error_code ec;
    const bool was_there = std::filesystem::exists(folder, ec);
    std::filesystem::create_directories(folder, ec);
    if (ec || !std::filesystem::is_directory(folder))
        throw Error(ErrorKind::input, folder.string() + ": the output folder cannot be made; check its permissions");
    // All files come to be in a folder of their own first, so that a failure leaves what was there before.
    io::clear_left_behind(folder, ".halvo-part");
    const std::filesystem::path stage = folder / fmt::format(".halvo-part{}", ::getpid());
    // And where nothing was, nothing is left.
    const auto clear = [&] {
        std::error_code ignored;
        std::filesystem::remove_all(stage, ignored);
        if (!was_there) std::filesystem::remove(folder, ignored);
    };
    std::filesystem::remove_all(stage, ec);
    std::filesystem::create_directory(stage, ec);
    if (ec) throw Error(ErrorKind::input, folder.string() + ": the output folder cannot be written; check its permissions");
    try {
        const bool meshed = !job.stage.empty() && stage_of(job.stage) >= Stage::mesh;
        write_model(stage / "model.halvo", job);
        if (meshed) write_vtu(stage / "mesh.vtu", job.mesh, job.solids.shift);
        if (!job.solution.nodes.empty()) write_solution_vtu(stage / "results.vtu", job.mesh, job.solution, job.solids.shift);
        write_text(stage / "summary.json", summary_json(job));
        write_text(stage / "ledger.csv", ledger_csv(job));
        for (const char* name : {"model.halvo", "mesh.vtu", "results.vtu", "summary.json", "ledger.csv"}) {
            // A mesh of an earlier run does not belong to a model that stops before meshing.
            if (std::filesystem::exists(stage / name)) std::filesystem::rename(stage / name, folder / name);
            else std::filesystem::remove(folder / name);
        }
    } catch (const std::filesystem::filesystem_error&) {
        clear();
        throw Error(ErrorKind::input, folder.string() + ": the results cannot be written; check the folder's permissions");
    } catch (...) {
        clear();
        throw;
    }
    std::filesystem::remove_all(stage, ec);
}

}  // namespace halvo
