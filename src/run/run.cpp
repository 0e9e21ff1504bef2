#include <halvo/run.hpp>

#include <halvo/halve.hpp>
#include <halvo/join.hpp>
#include <halvo/reference.hpp>

#include "model/sets.hpp"
#include "run/select.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <map>
#include <utility>

namespace halvo {
namespace {

constexpr std::array<const char*, 9> stage_names = {"read", "survey", "mend", "strip", "halve", "join", "mesh", "prove", "solve"};

template <class T>
void add(std::vector<T>& to, const std::vector<T>& more) {
    to.insert(to.end(), more.begin(), more.end());
}

bool stage_done(const Job& job, Stage s) {
    return !job.stage.empty() && stage_of(job.stage) >= s;
}

// In debug builds every stage answers for the model it leaves.
void must_hold([[maybe_unused]] const Model& model, [[maybe_unused]] const char* stage) {
#ifndef NDEBUG
    const auto found = validate(model);
    if (!found.empty())
        throw Error(ErrorKind::stage, fmt::format("{} left a model that does not hold ({} violations): {}: {}", stage, found.size(),
                                                  violation_name(found[0].kind), found[0].about));
#endif
}

// What the survey says of faces, by the numbers they have since some became one.
void renumber_faces(Survey& survey, const Assembly& solids, const std::vector<std::vector<int>>& numbers) {
    const auto renumber = [&](FaceId& face, std::size_t body) {
        if (face && body < numbers.size() && face.index() < numbers[body].size()) face = FaceId(numbers[body][face.index()]);
    };
    for (std::size_t b = 0; b < survey.bodies.size(); ++b)
        for (BulkRegion& r : survey.bodies[b].bulk) renumber(r.face, b);
    for (Finding& f : survey.findings)
        for (std::size_t b = 0; b < solids.bodies.size(); ++b)
            if (solids.bodies[b].key == f.body_keys[0]) {
                renumber(f.face, b);
                break;
            }
}

// The edges and vertices on the planes of cuts are sets: what stands for the part behind is put on them.
void name_cut_edges(Model& model, const std::vector<CutRule>& cuts) {
    for (std::size_t i = 0; i < cuts.size(); ++i) {
        const Plane plane = Plane::through(cuts[i].point - model.shift, cuts[i].normal);
        const double tol = 100 * model.tolerance.point;
        ModelSet set;
        set.name = cuts[i].name.empty() ? fmt::format("cut {}", i + 1) : cuts[i].name;
        for (std::size_t e = 0; e < model.edges.size(); ++e) {
            const Curve& c = model.edges[e].curve;
            const auto on = [&](double w) { return std::abs(plane.height(c.point(c.t0 + w * (c.t1 - c.t0)))) <= tol; };
            if (on(0) && on(0.31) && on(0.5) && on(0.77) && on(1)) set.edges.emplace_back(e);
        }
        model.sets.push_back(std::move(set));
    }
}

void mend_solids(Job& job, const Observer& observer) {
    MendOptions options = job.plan.mend;
    // Surfaces that get a thickness are no solids with faces missing.
    options.surfaces_stay = options.surfaces_stay || job.plan.halve.thickness.has_value() ||
                            std::any_of(job.plan.halve.walls.begin(), job.plan.halve.walls.end(), [](const WallRule& r) { return r.face_alone(); });
    Mended out = mend(job.solids, options, observer);
    if (out.changed) {
        job.as_read = Earlier{std::exchange(job.solids, std::move(out.solids)), job.survey};
        if (out.reshaped) job.survey = survey(job.solids, job.plan.survey, observer);
        else renumber_faces(job.survey, job.solids, out.faces);
    }
    job.mend = std::move(out);
}

void strip_solids(Job& job, const Observer& observer) {
    Stripped out = strip(job.solids, job.survey, job.plan.strip, observer);
    if (out.changed) job.before_strip = Earlier{std::exchange(job.solids, std::move(out.solids)), job.survey};
    // Other bodies are looked at anew; what was found of them before is still said.
    if (out.cut) {
        auto found = std::move(job.survey.findings);
        job.survey = survey(job.solids, job.plan.survey, observer);
        job.survey.findings = std::move(found);
    }
    job.strip = std::move(out);
}

// What a stage changed comes back before it, or an earlier one, looks again.
void take_back(Job& job, std::optional<Earlier>& earlier) {
    if (!earlier) return;
    job.solids = std::move(earlier->solids), job.survey = std::move(earlier->survey);
    earlier.reset();
}

// The plan may choose otherwise now than when the model was made.
void sets_anew(Job& job) {
    make_sets(job.model, job.plan.join.sets, job.plan.join.frames);
    name_cut_edges(job.model, job.plan.strip.cuts), combine_sets(job.model, job.plan.join.sets);
}

void mesh_anew(Job& job, const Observer& observer) {
    const MeshOptions& options = job.plan.mesh;
    const auto& with = job.meshed_with;
    const bool stays = with && with->sets == job.model.sets && change_thicknesses(job.mesh, job.model, options, with->options);
    if (!stays) {
        job.meshed_with.reset();
        const Mesh before = std::move(job.mesh);
        job.mesh = mesh(job.model, options, observer);
        // Meshed again: what did not change keeps its numbers.
        if (!before.nodes.empty()) keep_numbers(job.mesh, before);
    }
    job.meshed_with = Job::MeshedWith{options, job.model.sets};
}

}  // namespace

JoinOptions join_options(const Plan& plan) {
    JoinOptions out = plan.join;
    for (const Vec3& p : places_named(plan.solve))
        if (std::find(out.points.begin(), out.points.end(), p) == out.points.end()) out.points.push_back(p);
    return out;
}

SolveOptions solve_options(const Plan& plan) {
    SolveOptions out = plan.solve;
    for (std::size_t i = 0; i < plan.strip.cuts.size(); ++i) {
        const CutRule& c = plan.strip.cuts[i];
        if (!c.symmetry) continue;
        SupportRule s;
        s.name = c.name.empty() ? fmt::format("cut {}", i + 1) : c.name;
        s.of.body = c.body, s.symmetry = c.normal, s.on_plane = c.point;
        out.supports.push_back(std::move(s));
    }
    return out;
}

const char* stage_name(Stage s) {
    return stage_names[static_cast<std::size_t>(s)];
}

Stage stage_of_key(const std::string& key) {
    static const std::map<std::string, Stage> tables = {{"source", Stage::read}, {"place", Stage::read},     {"survey", Stage::survey}, {"mend", Stage::mend},
                                                        {"strip", Stage::strip}, {"cut", Stage::strip},      {"halve", Stage::halve},   {"wall", Stage::halve},
                                                        {"patch", Stage::halve}, {"join", Stage::join},      {"joint", Stage::join},    {"tie", Stage::join},
                                                        {"set", Stage::join},    {"frame", Stage::join},     {"mesh", Stage::mesh},     {"size", Stage::mesh},
                                                        {"hole", Stage::mesh},   {"thickness", Stage::mesh}, {"prove", Stage::prove}};
    const auto it = tables.find(key.substr(0, key.find_first_of(".[")));
    return it == tables.end() ? Stage::solve : it->second;
}

Stage stage_of(const std::string& name) {
    for (std::size_t i = 0; i < stage_names.size(); ++i)
        if (name == stage_names[i]) return static_cast<Stage>(i);
    throw Error(ErrorKind::usage, fmt::format("\"{}\" is no stage; stages are {}", name, fmt::join(stage_names, ", ")));
}

void run_stages(Job& job, Stage from, Stage until, const Observer& observer) {
    const Plan& plan = job.plan;
    const auto step = [&](Stage s, auto&& work) {
        if (s < from || s > until) return;
        const auto start = std::chrono::steady_clock::now();
        work();
        std::erase_if(job.timing, [&](const auto& t) { return t.first == stage_name(s); });
        job.timing.emplace_back(stage_name(s), std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
        job.stage = stage_name(s);
    };
    if (from < Stage::mesh) job.meshed_with.reset();  // it is of another model
    if (from <= Stage::strip && until >= Stage::survey) take_back(job, job.before_strip);
    if (from <= Stage::mend && until >= Stage::survey) take_back(job, job.as_read);
    step(Stage::survey, [&] {
        job.survey = survey(job.solids, plan.survey, observer);
        select_by_class(job.solids, job.survey, plan.source);
    });
    step(Stage::mend, [&] { mend_solids(job, observer); });
    step(Stage::strip, [&] { strip_solids(job, observer); });
    step(Stage::halve, [&] {
        job.model = job.halved = halve(job.solids, plan.halve, observer);
        must_hold(job.model, "halve");
    });
    step(Stage::join, [&] {
        job.model = job.halved;
        join(job.model, job.solids, join_options(plan), observer);
        name_cut_edges(job.model, plan.strip.cuts), combine_sets(job.model, plan.join.sets);
        must_hold(job.model, "join");
    });
    step(Stage::mesh, [&] {
        if (from == Stage::mesh) sets_anew(job);
        mesh_anew(job, observer);
    });
    step(Stage::prove, [&] { job.proof = prove(job.solids, job.model, job.mesh, plan.prove, plan.join.reach, observer); });
    if (until < Stage::solve) return;
    job.solution = {};
    if (!plan.solve.any()) return;
    step(Stage::solve, [&] {
        if (from == Stage::solve) sets_anew(job);
        job.solution = solve(job.model, job.mesh, solve_options(plan), plan.join, observer, job.solve_memory.get());
        if (plan.solve.reference.make)
            job.solution.reference = solid_reference(job.solids, job.model, job.mesh, solve_options(plan), plan.join, job.solution, observer);
    });
}

const Assembly& solids_before_strip(const Job& job) {
    return job.before_strip ? job.before_strip->solids : job.solids;
}

const Assembly& solids_as_read(const Job& job) {
    return job.as_read ? job.as_read->solids : solids_before_strip(job);
}

Job run(const Plan& plan, Assembly solids, Stage until, const Observer& observer) {
    Job job;
    job.plan = plan;
    job.solids = std::move(solids);
    run_stages(job, Stage::survey, until, observer);
    return job;
}

std::vector<Finding> findings_of(const Job& job) {
    std::vector<Finding> out;
    std::copy_if(job.survey.findings.begin(), job.survey.findings.end(), std::back_inserter(out), [&](const Finding& f) {
        // Gaps within reach are join's business: it closes them, and prove names those it did not.
        const bool of_strip = f.kind == FindingKind::small_holes || f.kind == FindingKind::small_rounds || f.kind == FindingKind::lettering;
        // What is small, strip decides on one by one and says so.
        if (of_strip && stage_done(job, Stage::strip)) return false;
        return f.level == FindingLevel::warning && !(f.kind == FindingKind::near_miss && f.size <= job.plan.join.reach);
    });
    add(out, job.mend.findings), add(out, job.strip.findings);
    add(out, job.model.findings), add(out, job.mesh.findings), add(out, job.proof.findings), add(out, job.solution.findings);
    return out;
}

std::vector<LedgerEntry> ledger_of(const Job& job) {
    std::vector<LedgerEntry> out = job.mend.ledger;
    add(out, job.strip.ledger), add(out, job.model.ledger);
    add(out, job.mesh.ledger), add(out, job.proof.ledger);
    return out;
}

}  // namespace halvo
