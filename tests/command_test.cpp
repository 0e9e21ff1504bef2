// The command-line tool as a process: exit codes, one clear line on errors, nothing left behind.
#include "support.hpp"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <sys/wait.h>
#include <unistd.h>
#include <csignal>
#include <thread>

using namespace test;
using Json = nlohmann::json;

namespace {

const std::string demo_plan_file = HALVO_SOURCE "/demo";

int lines(const std::string& s) {
    return static_cast<int>(std::count(s.begin(), s.end(), '\n'));
}

// Fails with this code, one line that holds `part`, and no output folder.
void expect_refusal(const std::string& arguments, int code, const std::string& part, const fs::path& out) {
    const Ran r = halvo_command(arguments);
    EXPECT_EQ(r.code, code) << arguments << "\n" << r.err;
    EXPECT_EQ(lines(r.err), 1) << r.err;
    EXPECT_NE(r.err.find(part), std::string::npos) << r.err;
    EXPECT_EQ(r.out, "");
    EXPECT_FALSE(fs::exists(out)) << "left behind: " << out;
}

std::string in_quotes(const fs::path& p) {
    return "'" + p.string() + "'";
}

}  // namespace

TEST(Command, DemoIsOnePartWithinItsBounds) {
    const Folder folder;
    const Ran r = halvo_command("run " + in_quotes(demo_plan_file + "/station.toml") + " --json --out " + in_quotes(folder / "out"));
    ASSERT_EQ(r.code, 0) << r.err;
    const Json j = Json::parse(r.out);
    EXPECT_EQ(j["format"], "halvo-summary");
    EXPECT_EQ(j["version"], 1);
    EXPECT_EQ(j["prove"]["parts"], 1);
    EXPECT_EQ(j["mesh"]["parts"], 1);
    EXPECT_TRUE(j["prove"]["unconnected"].empty());
    for (const Json& b : j["bodies"]) {
        EXPECT_TRUE(b["class"] == "thin" || b["class"] == "slender");
        EXPECT_LT(std::abs(b["idealized_volume"].get<double>() / b["volume"].get<double>() - 1), 0.015) << b["name"];
    }
    EXPECT_GT(j["mesh"]["quality"]["quad_share"], 0.85);
    EXPECT_GT(j["mesh"]["quality"]["min_scaled_jacobian"], 0.0);
    EXPECT_TRUE(j["findings"].empty());
    for (const char* key : {"source", "bodies", "sheets", "members", "sections", "seams", "joints", "mesh", "prove", "findings", "timing"})
        EXPECT_TRUE(j.contains(key)) << key;
    for (const char* name : {"model.halvo", "mesh.vtu", "results.vtu", "summary.json", "ledger.csv"}) EXPECT_TRUE(fs::exists(folder / "out" / name)) << name;
    int files = 0;
    for ([[maybe_unused]] const auto& f : fs::directory_iterator(folder / "out")) ++files;
    EXPECT_EQ(files, 5) << "no partial files";
    // It stands on its base plates in wind and snow: loads and reactions balance in every case, and the first mode is that of the mast.
    ASSERT_EQ(j["results"].size(), 4U);
    for (const Json& c : j["results"]) {
        EXPECT_LT(c["residual"].get<double>(), 1e-9);
        EXPECT_GT(c["max_displacement"].get<double>(), 0.1);
        EXPECT_LT(c["max_displacement"].get<double>(), 10);
    }
    const double weight = -j["results"][0]["applied"]["force"][2].get<double>();
    EXPECT_NEAR(weight, 9.81e3 * j["solution"]["mass"].get<double>(), 1e-6 * weight);
    ASSERT_EQ(j["modes"].size(), 6U);
    EXPECT_GT(j["modes"][0]["frequency"].get<double>(), 5);
    EXPECT_LT(j["modes"][0]["frequency"].get<double>(), 20);
}

// What matters, on one screen; the rest is a list or the page.
TEST(Command, PrintsOneScreen) {
    const Folder folder;
    const auto lines = [](const std::string& text) { return std::count(text.begin(), text.end(), '\n'); };
    constexpr auto screen = 50;
    for (const char* name : {"station.step", "spoilt-shelf.step", "rain-hood.step"}) {
        EXPECT_LE(lines(halvo_command("survey " + in_quotes(demo_plan_file + "/" + name)).out), screen) << name;
        const Ran all = halvo_command("survey --all " + in_quotes(demo_plan_file + "/" + name));
        EXPECT_NE(all.out.find("nodes: about"), std::string::npos);
    }
    const Ran ran = halvo_command("run " + in_quotes(demo_plan_file + "/spoilt-shelf.step") + " --out out", folder.path());
    EXPECT_LE(lines(ran.out), screen) << ran.out;
    EXPECT_NE(ran.out.find("more: halvo list out/model.halvo"), std::string::npos) << ran.out;
    EXPECT_NE(halvo_command("list out/model.halvo proof", folder.path()).out.find("skin covered"), std::string::npos);
}

TEST(Command, SurveyPrintsATableAndData) {
    const Ran text = halvo_command("survey " + in_quotes(demo_plan_file + "/station.step"));
    ASSERT_EQ(text.code, 0) << text.err;
    EXPECT_NE(text.out.find("instrument shelf"), std::string::npos);
    EXPECT_NE(text.out.find("slender"), std::string::npos);
    EXPECT_EQ(text.err, "") << "no progress when standard error is no terminal";
    const Ran data = halvo_command("survey --json " + in_quotes(demo_plan_file + "/shelf.step"));
    const Json j = Json::parse(data.out);
    ASSERT_EQ(j["bodies"].size(), 1u);
    EXPECT_EQ(j["bodies"][0]["class"], "thin");
    EXPECT_NEAR(j["bodies"][0]["thickness"]["min"], 2, 1e-6);
    EXPECT_NEAR(j["bodies"][0]["thickness"]["max"], 4, 1e-6);
}

TEST(Command, RefusesWhatItCannotRead) {
    const Folder folder;
    const fs::path out = folder / "out";
    const auto run = [&](const fs::path& p) { return "run " + in_quotes(p) + " --out " + in_quotes(out); };
    expect_refusal(run(folder / "missing.step"), 3, "no such file", out);
    spit(folder / "empty.step", "");
    expect_refusal(run(folder / "empty.step"), 3, "empty", out);
    const std::string whole = slurp(demo_plan_file + "/shelf.step");
    for (const double share : {0.02, 0.3, 0.7, 0.999}) {
        spit(folder / "cut.step", whole.substr(0, static_cast<std::size_t>(share * static_cast<double>(whole.size()))));
        expect_refusal(run(folder / "cut.step"), 3, "ends early", out);
    }
    spit(folder / "text.step", "Dear workshop,\nplease make two of these.\n");
    expect_refusal(run(folder / "text.step"), 3, "not a STEP file", out);
    spit(folder / "bytes.step", std::string("\0\1\2\377\376", 5));
    expect_refusal(run(folder / "bytes.step"), 3, "not a STEP file", out);
    // Head and tail as they should be, but nothing in between.
    spit(folder / "hollow.step",
         "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('','',(''),(''),'','','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN'));\nENDSEC;\nDATA;"
         "\nENDSEC;\nEND-ISO-10303-21;\n");
    expect_refusal(run(folder / "hollow.step"), 3, "hollow.step", out);
    expect_refusal(run(folder.path()), 3, "folder", out);
}

TEST(Command, StepWithoutSolidsIsRefused) {
    const Folder folder;
    // A single face is no solid and no shell.
    std::string text = slurp(demo_plan_file + "/shelf.step");
    const auto at = text.find("MANIFOLD_SOLID_BREP");
    ASSERT_NE(at, std::string::npos);
    text.replace(at, 19, "GEOMETRIC_SET_NOTHN");
    spit(folder / "none.step", text);
    const Ran r = halvo_command("survey " + in_quotes(folder / "none.step"));
    EXPECT_EQ(r.code, 3) << r.out;
    EXPECT_NE(r.err.find("no s"), std::string::npos) << r.err;
    EXPECT_EQ(lines(r.err), 1) << r.err;
}

TEST(Command, BlockIsNamedAndEndsOutsideTheBounds) {
    const Folder folder;
    make::write_step((folder / "block.step").string(), {{"block", make::box({0, 0, 0}, {50, 50, 50})}});
    const Ran r = halvo_command("run " + in_quotes(folder / "block.step") + " --json --out " + in_quotes(folder / "out"));
    EXPECT_EQ(r.code, 5) << r.err;
    const Json j = Json::parse(r.out);
    EXPECT_TRUE(j["sheets"].empty());
    ASSERT_EQ(j["findings"].size(), 1u);
    EXPECT_EQ(j["findings"][0]["kind"], "not idealized");
    EXPECT_EQ(j["prove"]["outside"].size(), 1u);
    EXPECT_TRUE(fs::exists(folder / "out" / "mesh.vtu"));
}

TEST(Command, DamagedFilesNeverCrash) {
    const Folder folder;
    const std::string whole = slurp(demo_plan_file + "/shelf.step");
    unsigned state = 2024;
    const auto random = [&](std::size_t n) {
        state = state * 1664525u + 1013904223u;
        return static_cast<std::size_t>(state >> 8) % n;
    };
    for (int round = 0; round < 40; ++round) {
        std::string text = whole;
        for (std::size_t k = 0; k < 1 + random(40); ++k) text[1500 + random(text.size() - 1600)] = static_cast<char>(32 + random(95));
        spit(folder / "flipped.step", text);
        const Ran r = halvo_command("run " + in_quotes(folder / "flipped.step") + " --out " + in_quotes(folder / "out"));
        EXPECT_TRUE(r.code == 0 || r.code == 3 || r.code == 4 || r.code == 5) << "round " << round << ": " << r.code << " " << r.err;
        if (r.code == 3 || r.code == 4) {
            EXPECT_EQ(lines(r.err), 1) << r.err;
        }
    }
    // Names of entities that do not exist: every reference to them is empty, and the kernel follows some of those.
    for (const char* name : {"CARTESIAN_POINT", "PLANE", "EDGE_CURVE", "ADVANCED_FACE", "AXIS2_PLACEMENT_3D", "LINE", "CLOSED_SHELL"}) {
        std::string text = whole;
        for (std::size_t at = text.find(name); at != std::string::npos; at = text.find(name, at + 1)) text[at] = 'X';
        spit(folder / "renamed.step", text);
        const Ran r = halvo_command("run " + in_quotes(folder / "renamed.step") + " --out " + in_quotes(folder / "out"));
        EXPECT_TRUE(r.code == 3 || r.code == 4 || r.code == 5) << name << ": " << r.code << " " << r.err;
    }
}

TEST(Command, UnwritableOutputIsRefused) {
    const Folder folder;
    spit(folder / "file", "in the way");
    const Ran r = halvo_command("run " + in_quotes(demo_plan_file + "/shelf.step") + " --out " + in_quotes(folder / "file" / "below"));
    EXPECT_EQ(r.code, 3);
    EXPECT_EQ(lines(r.err), 1) << r.err;
    EXPECT_EQ(slurp(folder / "file"), "in the way");
    const Ran s = halvo_command("run " + in_quotes(demo_plan_file + "/shelf.step") + " --out /proc/halvo-out");
    EXPECT_EQ(s.code, 3);
    EXPECT_EQ(lines(s.err), 1) << s.err;
    const Ran d = halvo_command("draw " + in_quotes(demo_plan_file + "/shelf.step") + " -o /proc/figure.png");
    EXPECT_EQ(d.code, 3);
    EXPECT_EQ(lines(d.err), 1) << d.err;
}

TEST(Command, WrongUsageIsTwo) {
    for (const char* a : {"", "polish x", "run", "run a.step --no-such", "list", "draw " HALVO_SOURCE "/demo/shelf.step", "run x.step --set nonsense",
                          "run x.step --until never"}) {
        const Ran r = halvo_command(a);
        EXPECT_EQ(r.code, 2) << a;
        EXPECT_EQ(lines(r.err), 1) << a << "\n" << r.err;
    }
    EXPECT_EQ(halvo_command("--help").code, 0);
    EXPECT_EQ(halvo_command("--version").out.rfind("halvo ", 0), 0u);
}

TEST(Command, FailureLeavesEarlierResultsAlone) {
    const Folder folder;
    ASSERT_EQ(halvo_command("run " + in_quotes(demo_plan_file + "/shelf.step") + " --out " + in_quotes(folder / "out")).code, 0);
    const std::string before = slurp(folder / "out" / "mesh.vtu");
    spit(folder / "empty.step", "");
    EXPECT_EQ(halvo_command("run " + in_quotes(folder / "empty.step") + " --out " + in_quotes(folder / "out")).code, 3);
    EXPECT_EQ(slurp(folder / "out" / "mesh.vtu"), before);
}

TEST(Command, ContactWithoutAJointIsFive) {
    const Folder folder;
    make::write_step((folder / "two.step").string(), {{"base", make::box({0, 0, 0}, {300, 200, 8})}, {"web", make::box({0, 97, 8}, {300, 6, 100})}});
    const Ran all = halvo_command("run " + in_quotes(folder / "two.step") + " --json --out " + in_quotes(folder / "a"));
    ASSERT_EQ(all.code, 0) << all.err;
    const std::string joint = Json::parse(all.out)["joints"][0]["id"];
    const Ran open =
        halvo_command("run " + in_quotes(folder / "two.step") + " --json --set 'join.refuse=[\"" + joint + "\"]' --out " + in_quotes(folder / "b"));
    EXPECT_EQ(open.code, 5) << open.err;
    const Json j = Json::parse(open.out);
    EXPECT_EQ(j["prove"]["unconnected"].size(), 1u);
    EXPECT_EQ(j["findings"].size(), 1u);
}

TEST(Command, StopAndGoOnGivesTheSame) {
    const Folder folder;
    const std::string input = in_quotes(demo_plan_file + "/station.toml");
    ASSERT_EQ(halvo_command("run " + input + " --out " + in_quotes(folder / "whole")).code, 0);
    const Ran until = halvo_command("run " + input + " --until join --out " + in_quotes(folder / "steps"));
    ASSERT_EQ(until.code, 0) << until.err;
    EXPECT_FALSE(fs::exists(folder / "steps" / "mesh.vtu"));
    EXPECT_NE(halvo_command("list " + in_quotes(folder / "steps" / "model.halvo") + " joints").out.find("member end to sheet"), std::string::npos);
    const Ran rest = halvo_command("run " + input + " --from mesh --out " + in_quotes(folder / "steps"));
    ASSERT_EQ(rest.code, 0) << rest.err;
    EXPECT_TRUE(slurp(folder / "whole" / "mesh.vtu") == slurp(folder / "steps" / "mesh.vtu"));
    EXPECT_TRUE(slurp(folder / "whole" / "ledger.csv") == slurp(folder / "steps" / "ledger.csv"));
    const Ran early = halvo_command("run " + input + " --from mesh --out " + in_quotes(folder / "nothing"));
    EXPECT_EQ(early.code, 3);
}

TEST(Command, SizeAndSetReachTheMesh) {
    const Folder folder;
    const auto quads = [&](const std::string& more) {
        const Ran r = halvo_command("run " + in_quotes(demo_plan_file + "/shelf.step") + " --json " + more + " --out " + in_quotes(folder / "out"));
        EXPECT_EQ(r.code, 0) << r.err;
        return Json::parse(r.out)["mesh"]["quads"].get<int>();
    };
    const int coarse = quads("--size 30mm"), fine = quads("--set mesh.size=1cm");
    EXPECT_GT(fine, 5 * coarse);
    EXPECT_EQ(quads("--size 30"), coarse);
    EXPECT_EQ(quads("--size '1.1811023622047243 inch'"), coarse);
}

TEST(Command, BodyOfTheFileCanBePicked) {
    const Folder folder;
    const Ran r = halvo_command("run " + in_quotes(demo_plan_file + "/station.step") +
                                " --json --size 30 --set 'source.body=[\"mast\", \"service deck\"]' --out " + in_quotes(folder / "out"));
    ASSERT_EQ(r.code, 0) << r.err;
    const Json j = Json::parse(r.out);
    EXPECT_EQ(j["bodies"].size(), 2u);
    EXPECT_EQ(j["prove"]["parts"], 1);
    EXPECT_EQ(halvo_command("survey " + in_quotes(demo_plan_file + "/shelf.step") + " --set source.body=nothing").code, 3);
}

TEST(Command, InterruptLeavesNothing) {
    const Folder folder;
    // Enough bodies that the run lasts a while.
    std::vector<make::Item> items;
    for (int i = 0; i < 150; ++i)
        items.push_back({"tube " + std::to_string(i), make::moved(make::extrude(make::tube(40, 3), 900), make::place({i * 60.0, 0, 0}))});
    const std::string file = (folder / "many.step").string();
    make::write_step(file, items);
    const fs::path scratch = folder / "scratch";
    fs::create_directory(scratch);
    for (const int wait_ms : {0, 5, 30, 100, 400}) {
        const fs::path out = folder / "out";
        const pid_t child = fork();
        if (child == 0) {
            const std::string o = out.string();
            std::freopen("/dev/null", "w", stderr);
            setenv("TMPDIR", scratch.c_str(), 1);
            execl(HALVO_PROGRAM, HALVO_PROGRAM, "run", file.c_str(), "--out", o.c_str(), static_cast<char*>(nullptr));
            _exit(99);
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(wait_ms));
        kill(child, SIGINT);
        int status = 0;
        waitpid(child, &status, 0);
        EXPECT_FALSE(WIFEXITED(status) && WEXITSTATUS(status) == 0) << "it was done before the signal came";
        // From its first line on the program answers itself; before, the system ends it: 130 for a shell either way.
        EXPECT_TRUE(WIFEXITED(status) ? WEXITSTATUS(status) == 130 : WTERMSIG(status) == SIGINT);
        EXPECT_FALSE(fs::exists(out));
        EXPECT_TRUE(fs::is_empty(scratch));
    }
}
