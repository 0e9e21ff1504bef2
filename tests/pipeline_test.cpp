// One pipeline: the tool, halvo::run and the single stages give the same; what earlier stages left is enough to go on from.
#include "support.hpp"

#include <halvo/halve.hpp>
#include <halvo/join.hpp>

using namespace test;
using make::box;

namespace {

// A summary without the seconds.
std::string timeless(const std::string& summary) {
    return summary.substr(0, summary.find("\"timing\""));
}

Plan demo_plan() {
    return read_plan(fs::path(HALVO_SOURCE) / "demo/station.toml");
}

void expect_same_results(const fs::path& folder, const Job& job) {
    EXPECT_TRUE(timeless(slurp(folder / "summary.json")) == timeless(summary_json(job)));  // pages long: not to be printed
    EXPECT_EQ(slurp(folder / "ledger.csv"), ledger_csv(job));
    const Folder other;
    write_vtu(other / "mesh.vtu", job.mesh, job.solids.shift);
    EXPECT_TRUE(slurp(folder / "mesh.vtu") == slurp(other / "mesh.vtu"));
}

}  // namespace

TEST(Pipeline, ToolAndLibraryGiveTheSame) {
    const Folder folder;
    const Ran ran = halvo_command(fmt::format("run {}/demo/station.toml --out {} --quiet", HALVO_SOURCE, folder.path().string()));
    ASSERT_EQ(ran.code, 0) << ran.err;
    const Plan plan = demo_plan();
    const Assembly solids = read(plan.source.file, plan.source);
    expect_same_results(folder.path(), run(plan, solids));

    // The same stage by stage, as a program does that stops between them.
    Job job;
    job.plan = plan, job.solids = solids, job.stage = "solve";
    job.survey = survey(solids, plan.survey);
    job.strip = strip(solids, job.survey, plan.strip);
    job.model = halve(solids, plan.halve);
    join(job.model, solids, join_options(plan));
    job.mesh = mesh(job.model, plan.mesh);
    job.proof = prove(solids, job.model, job.mesh, plan.prove, plan.join.reach);
    job.solution = solve(job.model, job.mesh, solve_options(plan), plan.join);
    expect_same_results(folder.path(), job);
}

TEST(Pipeline, SizesNamedByBodyNeedAModelThatKnowsItsBodies) {
    Model by_hand;
    add_plate(by_hand, {{0, 0, 0}, {100, 0, 0}, {100, 50, 0}, {0, 50, 0}}, 2);
    MeshOptions o;
    o.size = 10;
    SizeRule rule;
    rule.body = {"deck"}, rule.size = 5;
    o.sizes = {rule};
    EXPECT_THROW((void)mesh(by_hand, o), Error);

    Plan plan;
    plan.mesh = o;
    const std::vector<make::Item> items{{"deck", box({0, 0, 0}, {100, 50, 2})}, {"other", box({300, 0, 0}, {100, 50, 2})}};
    const Job fine = job_of(items, plan);
    EXPECT_EQ(fine.mesh.quads, 20 * 10 + 10 * 5);
    EXPECT_EQ(mesh(fine.model, plan.mesh).quads, fine.mesh.quads);
    plan.mesh.sizes[0].body = {"dekc"};
    EXPECT_THROW((void)mesh(fine.model, plan.mesh), Error);
    plan.mesh.sizes[0].body.clear(), plan.mesh.sizes[0].sheet = {"sheet-none"};
    const Mesh idle = mesh(fine.model, plan.mesh);
    EXPECT_EQ(std::ranges::count_if(idle.findings, [](const Finding& f) { return f.kind == FindingKind::rule_without_effect; }), 1);
}

TEST(Pipeline, GoesOnFromAnyStageWithoutTheCadFile) {
    const Folder folder;
    const fs::path cad = folder / "frame.step", out = folder / "out";
    make::write_step(cad.string(),
                     {{"deck", box({0, 0, 0}, {400, 300, 6})}, {"rib", box({100, 0, -80}, {5, 300, 80})}, {"lug", box({300, 100, 6}, {6, 80, 40})}});
    ASSERT_EQ(halvo_command(fmt::format("run {} --out {} --quiet", cad.string(), out.string())).code, 0);
    const auto summary = [&] { return timeless(slurp(out / "summary.json")); };
    const std::string whole = summary();
    fs::remove(cad);
    for (const char* stage : {"survey", "strip", "halve", "join", "mesh", "prove"}) {
        const Ran ran = halvo_command(fmt::format("run {} --out {} --from {} --quiet", cad.string(), out.string(), stage));
        EXPECT_EQ(ran.code, 0) << stage << ran.err;
        EXPECT_NE(ran.err.find("not there; its solids are taken from"), std::string::npos) << stage;
        EXPECT_EQ(summary(), whole) << stage;
    }
    // Joined again with one joint refused: as if it had been refused at once.
    const Job before = read_model(out / "model.halvo");
    ASSERT_EQ(before.model.joints.size(), 2u);
    const std::string refuse = fmt::format("--set 'join.refuse=[\"{}\"]'", before.model.joints[0].key);
    ASSERT_EQ(halvo_command(fmt::format("run {} --out {} --from join {} --quiet", cad.string(), out.string(), refuse)).code, 5);
    const std::string again = summary();
    EXPECT_NE(again, whole);
    make::write_step(cad.string(),
                     {{"deck", box({0, 0, 0}, {400, 300, 6})}, {"rib", box({100, 0, -80}, {5, 300, 80})}, {"lug", box({300, 100, 6}, {6, 80, 41})}});
    EXPECT_EQ(halvo_command(fmt::format("run {} --out {} --from join --quiet", cad.string(), out.string())).code, 2);  // another file now
}

TEST(Pipeline, ModelFilesHoldTheSolidsExactly) {
    const Job job = job_of({{"pipe", make::cut(make::cylinder({0, 0, 40}, Vec3::UnitZ(), 40, 200), {make::cylinder({0, 0, 40}, Vec3::UnitZ(), 37, 200)})},
                            {"plate", box({0, 0, 0}, {100, 60, 3})}});
    const Folder folder;
    write_model(folder / "a.halvo", job);
    const Job back = read_model(folder / "a.halvo");
    ASSERT_EQ(back.solids.bodies.size(), job.solids.bodies.size());
    for (std::size_t b = 0; b < job.solids.bodies.size(); ++b) {
        const Body &was = job.solids.bodies[b], &is = back.solids.bodies[b];
        EXPECT_EQ(was.key, is.key);
        EXPECT_EQ(was.mass.volume, is.mass.volume);
        ASSERT_EQ(was.faces.size(), is.faces.size());
        for (std::size_t f = 0; f < was.faces.size(); ++f) {
            EXPECT_EQ(was.faces[f].area, is.faces[f].area);
            EXPECT_EQ(was.faces[f].surface.index(), is.faces[f].surface.index());
        }
        Body again = is;
        finish_body(again);
        EXPECT_NEAR(again.mass.volume, was.mass.volume, 1e-12 * was.mass.volume);
    }
}
