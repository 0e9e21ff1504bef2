#pragma once
/// The stages in their order, on a plan's options: what the tool does, a program does.

#include <halvo/mend.hpp>
#include <halvo/mesh.hpp>
#include <halvo/model.hpp>
#include <halvo/plan.hpp>
#include <halvo/prove.hpp>
#include <halvo/solve.hpp>
#include <halvo/strip.hpp>
#include <halvo/survey.hpp>

namespace halvo {

/// The stages in their order; names as in the plan and on the command line.
enum class Stage { read, survey, mend, strip, halve, join, mesh, prove, solve };
[[nodiscard]] const char* stage_name(Stage s);
/// Throws Error{usage} for a name that is no stage.
[[nodiscard]] Stage stage_of(const std::string& name);
/// The first stage that a key of the plan touches ("join.reach", "size[2].size"): those before it need not run again where it alone changes.
[[nodiscard]] Stage stage_of_key(const std::string& key);

/// Solids as they were before a stage that changed them, and what the survey says of them.
struct Earlier {
    Assembly solids;
    Survey survey;
};

/// Everything a run has produced so far; what a later stage needs and what the files are written from.
struct Job {
    Plan plan;
    Assembly solids;                      ///< as they are idealized
    Survey survey;                        ///< of these; its findings those of the bodies before cuts
    std::optional<Earlier> as_read;       ///< before mend, where that changed them
    std::optional<Earlier> before_strip;  ///< before strip, where that changed them
    MendRecord mend;
    StripRecord strip;
    Model halved;  ///< as halve left it: where join starts from, also when it is run again
    Model model;
    Mesh mesh;
    /// With what this program has made the mesh: where thicknesses alone change, it stays.
    struct MeshedWith {
        MeshOptions options;
        std::vector<ModelSet> sets;
    };
    std::optional<MeshedWith> meshed_with;
    std::shared_ptr<SolveMemory> solve_memory;  ///< where given: shared with the runs that go on from here
    Proof proof;
    Solution solution;                                   ///< empty where the plan has nothing to solve
    std::string stage;                                   ///< last stage done
    std::vector<std::pair<std::string, double>> timing;  ///< seconds a stage; not part of the result
};

/// The solids as they came from the file.
[[nodiscard]] const Assembly& solids_as_read(const Job& job);
/// The solids whose features strip found.
[[nodiscard]] const Assembly& solids_before_strip(const Job& job);

/// All stages from survey on, as far as `until`; solve where the plan has something to solve. Reads and writes no files.
[[nodiscard]] Job run(const Plan& plan, Assembly solids, Stage until = Stage::solve, const Observer& observer = {});

/// Runs the job's plan from stage `from` (survey or later; what earlier stages left in `job` is used) up to and with `until`, timing each;
/// solve only where the plan has something to solve.
void run_stages(Job& job, Stage from, Stage until, const Observer& observer = {});

/// What `run` gives join: the plan's, with a node of its own for every place at which the plan puts supports, loads, masses and probes.
[[nodiscard]] JoinOptions join_options(const Plan& plan);
/// What `run` gives solve: the plan's, and planes of symmetry of its cuts as supports.
[[nodiscard]] SolveOptions solve_options(const Plan& plan);

/// What all stages found, in their order: warnings of the survey (but for gaps that join closed), then of the model, the mesh and the proof.
[[nodiscard]] std::vector<Finding> findings_of(const Job& job);
/// Findings that say one thing: of one place, or of one kind of equal parts. The largest is first.
struct FindingGroup {
    std::vector<Finding> findings;
    std::string about;  ///< one line for all of them
};
/// One group for each place or cause, largest first: what people read; programs take the single ones.
[[nodiscard]] std::vector<FindingGroup> grouped(const std::vector<Finding>& findings);

/// What all stages decided.
[[nodiscard]] std::vector<LedgerEntry> ledger_of(const Job& job);

}  // namespace halvo
