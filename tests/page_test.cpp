// The page in a real browser: what it draws, what a click does, what a choice becomes, and the server behind it.
#include "browser.hpp"
#include "support.hpp"

#include <halvo/report.hpp>

#include <fmt/format.h>

#include <csignal>
#include <thread>

namespace test {
namespace {

constexpr std::uintmax_t most_page_bytes = 5000000;  // of the demo's page, as it is to go by mail

// The demo's station, run and written once for all cases here; the browser too.
class Page : public testing::Test {
protected:
    static void SetUpTestSuite() {
        folder_ = new Folder;
        ASSERT_EQ(halvo_command(fmt::format("run {}/demo/station.toml --out {} --quiet", HALVO_SOURCE, model().parent_path().string())).code, 0);
        ASSERT_EQ(halvo_command(fmt::format("report {} -o {}", model().string(), page().string())).code, 0);
        browser_ = new Browser;
    }
    static void TearDownTestSuite() {
        delete browser_;
        delete folder_;
        browser_ = nullptr, folder_ = nullptr;
    }
    static fs::path model() { return *folder_ / "station" / "model.halvo"; }
    static fs::path page() { return *folder_ / "station.html"; }
    static std::string address(const std::string& view = "") { return "file://" + page().string() + (view.empty() ? "" : "#" + view); }
    static Browser& browser() { return *browser_; }
    // The places of the scene where pixels differ from the background, as a share of a grid over it.
    static std::string covered() {
        return "const s = window.halvo.scene; s.draw(); const gl = s.renderer.getContext(), w = gl.drawingBufferWidth, h = gl.drawingBufferHeight, p = new "
               "Uint8Array(4 * w * h);"
               "gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, p); let n = 0; for (let i = 0; i < w * h; ++i) n += Math.abs(p[4 * i] - p[0]) + "
               "Math.abs(p[4 * i + 1] - p[1]) + Math.abs(p[4 * i + 2] - p[2]) > 20;"
               "return n / (w * h);";
    }
    static inline Folder* folder_ = nullptr;
    static inline Browser* browser_ = nullptr;
};

TEST_F(Page, OpensFromDiskWithoutAWord) {
    EXPECT_LT(fs::file_size(page()), most_page_bytes);
    browser().open(address());
    EXPECT_EQ(browser().console(), std::vector<std::string>{});
    EXPECT_EQ(browser().run("return document.getElementById('title').textContent"), "station.step");
    EXPECT_EQ(browser().run("return document.getElementById('failure').hidden"), true);
    // Nothing is fetched: everything the page needed came with it.
    EXPECT_EQ(browser().run("return performance.getEntriesByType('resource').filter((r) => !r.name.startsWith('blob:')).length"), 0);
    const double seconds = browser().run("return performance.now() / 1000").get<double>();
    RecordProperty("seconds_to_first_picture", std::to_string(seconds));
}

TEST_F(Page, DrawsEachLayerWhereItIs) {
    browser().open(address("view=-55+28+12736.0+-8331.0+1600.0+6000"));
    EXPECT_EQ(browser().run("for (const l of window.halvo.layerList) window.halvo.setLayer(l.name, false);" + covered()), 0.0);
    const Json layers = browser().run("return window.halvo.layerList.map((l) => l.name).filter((n) => n !== 'flags' && n !== 'mesh')");
    EXPECT_GE(layers.size(), 11U);
    for (const Json& l : layers) {
        const auto name = l.get<std::string>();
        const double share = browser().run(fmt::format("window.halvo.setLayer('{}', true);", name) + covered()).get<double>();
        EXPECT_GT(share, 1e-4) << name;
        EXPECT_LT(share, 0.5) << name;
        browser().run(fmt::format("window.halvo.setLayer('{}', false)", name));
    }
    // The middle of each sheet and each member is seen where it is projected, from a side that nothing else covers.
    const Json hit = browser().run(R"(
        const app = window.halvo, out = [];
        app.setLayer('sheets', true), app.setLayer('members', true);
        const body = app.content.summary.bodies.find((b) => b.label === 'service deck');
        const deck = app.content.summary.sheets.findIndex((s) => s.body === body.id && s.area > 1e6);
        app.side('Top'), app.scene.camera.view = app.scene.camera.goal;
        const p = app.scene.project(app.centreOf(app.parts.sheet(deck)));
        for (const dx of [-60, 60]) { const h = app.under(p[0] + dx, p[1] + 35); out.push(h ? h.part === app.parts.sheet(deck) : null); }
        app.side('Front'), app.scene.camera.view = app.scene.camera.goal;
        const post = app.content.summary.members.findIndex((m) => app.content.summary.bodies[m.body - 1].label === 'post 1');
        const q = app.scene.project(app.centreOf(app.parts.member(post))), m = app.under(q[0], q[1]);
        out.push(m ? app.content.summary.bodies[app.parts.bodyOf(m.part)].label.startsWith('post') : null);
        return out;)");
    EXPECT_EQ(hit, Json::parse("[true, true, true]"));
}

TEST_F(Page, RowMovesTheCameraAndClickFindsTheRow) {
    browser().open(address("list=bodies"));
    const Json before = browser().run("return window.halvo.scene.camera.copy()");
    browser().run("document.querySelector('#panel tr[data-key=\"3\"]').click()");
    const Json after = browser().run("return window.halvo.scene.camera.copy()");
    EXPECT_LT(after["span"].get<double>(), 0.5 * before["span"].get<double>());
    EXPECT_EQ(browser().run("return document.querySelector('#panel tr[aria-selected=true]').dataset.key"), "3");
    // What stands in the middle now is that body; a click there finds it in its list.
    const Json at = browser().run(
        "const r = document.getElementById('scene').getBoundingClientRect(), a = window.halvo, p = a.scene.project(a.centreOf(a.parts.body(2))); return "
        "[Math.round(r.left + p[0]), Math.round(r.top + p[1])]");
    browser().run("for (const l of window.halvo.layerList) window.halvo.setLayer(l.name, l.name === 'solid')");
    browser().run("window.halvo.open('overview')");
    browser().click(at[0], at[1]);
    EXPECT_EQ(browser().run("return window.halvo.tab"), "bodies");
    EXPECT_NE(browser().run("return document.getElementById('told').textContent").get<std::string>().find("face"), std::string::npos);
    // Back to where the camera was.
    browser().run("document.activeElement.blur()");
    for (int i = 0; i < 3; ++i) browser().key("z");
    EXPECT_NEAR(browser().run("return window.halvo.scene.camera.goal.span").get<double>(), before["span"].get<double>(), 1e-6 * before["span"].get<double>());
}

TEST_F(Page, RowsAreChosenTogether) {
    browser().open(address("list=members"));
    browser().run(
        "document.querySelector('#panel tr[data-key=\"0\"]').click(); document.querySelector('#panel tr[data-key=\"7\"]').dispatchEvent(new "
        "MouseEvent('click', {bubbles: true, ctrlKey: true}))");
    EXPECT_EQ(browser().run("return [...document.querySelectorAll('#panel tr[aria-selected=true]')].map((r) => r.dataset.key)"), Json::parse(R"(["0", "7"])"));
    EXPECT_EQ(browser().run("return window.halvo.chosen.size"), 2);
    browser().run("document.getElementById('only').click()");
    EXPECT_EQ(browser().run("const p = window.halvo.parts, n = p.count; return [...Array(n).keys()].filter((i) => !window.halvo.hidden.has(i)).length"),
              3);  // and what belongs to no body
}

TEST_F(Page, DragTurnsAndBoxMarks) {
    browser().open(address());
    const double azimuth = browser().run("return window.halvo.scene.camera.view.azimuth").get<double>();
    browser().drag(400, 500, 500, 500);
    EXPECT_NE(browser().run("return window.halvo.scene.camera.view.azimuth").get<double>(), azimuth);
    browser().run("window.halvo.setMode('box')");
    browser().drag(300, 350, 700, 700);
    EXPECT_GT(browser().run("return window.halvo.elements.size").get<int>(), 100);
}

TEST_F(Page, RefusedJointIsALineOfThePlan) {
    browser().open(address("list=joints"));
    const auto key = browser().run("return window.halvo.content.summary.joints[33].id").get<std::string>();
    browser().run(fmt::format("document.querySelector('#panel tr[data-key=\"{}\"] button[data-choice=leave]').click()", key));
    EXPECT_EQ(browser().run("return document.getElementById('lines').textContent"), fmt::format("[join]\nrefuse = [\"{}\"]\n", key));
    const auto command = browser().run("return document.getElementById('command').textContent").get<std::string>();
    EXPECT_NE(command.find("--from join"), std::string::npos) << command;
    // The command does what it says, as it stands.
    const std::size_t first = command.find("run ");
    const Ran ran = halvo_command(command.substr(first) + " --quiet --json");
    EXPECT_EQ(ran.code == 0 || ran.code == 5, true) << ran.err;
    for (const Json& j : Json::parse(ran.out)["joints"])
        if (j["id"] == key) {
            EXPECT_EQ(j["state"], "refused");
        }
    // And back, so that the model is what the other cases look at.
    ASSERT_EQ(halvo_command(fmt::format("run {}/demo/station.toml --out {} --quiet --from join", HALVO_SOURCE, model().parent_path().string())).code, 0);
}

TEST_F(Page, ProposalsAreTakenByAllAlikeAndBySize) {
    browser().open(address("list=features"));
    browser().run("document.querySelector('#panel tbody tr').click()");
    browser().run("[...document.querySelectorAll('.detail button')].find((b) => b.textContent.startsWith('Take all alike')).click()");
    const Json alike = browser().run(
        "return window.halvo.content.summary.features.filter((f) => f.family === window.halvo.content.summary.features[0].family).map((f) => f.id)");
    Json taken = browser().run("return window.halvo.choices.lists()['strip.force']");
    EXPECT_EQ(taken, alike);
    browser().run("[...document.querySelectorAll('.detail button')].find((b) => b.textContent.includes('up to')).click()");
    EXPECT_NE(browser().run("return document.getElementById('lines').textContent").get<std::string>().find("holes = \""), std::string::npos);
}

TEST_F(Page, HistogramBarSelectsItsElements) {
    browser().open(address("list=quality&colour=scaled+Jacobian"));
    const Json bar = browser().run(
        "const b = [...document.querySelectorAll('.bar[tabindex=\"0\"]')][0]; b.dispatchEvent(new MouseEvent('click', {bubbles: true})); return "
        "b.getAttribute('aria-label')");
    const int counted = std::atoi(bar.get<std::string>().c_str());
    EXPECT_GT(counted, 0);
    EXPECT_EQ(browser().run("return window.halvo.elements.size"), counted);
}

TEST_F(Page, AddressShowsTheSame) {
    browser().open(address());
    browser().run("window.halvo.open('members', 4); window.halvo.setColour('body'); window.halvo.setLayer('plates', true); window.halvo.remember(true)");
    const auto there = browser().run("return location.href").get<std::string>();
    const Json seen = browser().run(
        "return [window.halvo.scene.camera.copy().span, window.halvo.tab, window.halvo.key, window.halvo.layerOn('plates'), window.halvo.colour]");
    browser().open(there);
    const Json again = browser().run(
        "return [window.halvo.scene.camera.copy().span, window.halvo.tab, window.halvo.key, window.halvo.layerOn('plates'), window.halvo.colour]");
    EXPECT_NEAR(seen[0].get<double>(), again[0].get<double>(), 1e-3);
    for (std::size_t k = 1; k < seen.size(); ++k) EXPECT_EQ(seen[k], again[k]);
}

TEST_F(Page, ShowsWhatWasSolved) {
    browser().open(address("list=results&shape=case3+50&colour=displacement"));
    EXPECT_EQ(browser().run("return window.halvo.shape.index"), 3);
    // The largest displacement of the scene is the summary's.
    EXPECT_NEAR(browser().run("return window.halvo.colours.movement(window.halvo.shape).most").get<double>(),
                browser().run("return window.halvo.content.summary.results[3].max_displacement").get<double>(), 1e-3);
    const double still = browser().run("window.halvo.setDeform(0);" + covered()).get<double>();
    EXPECT_NE(browser().run("window.halvo.setDeform(100);" + covered()).get<double>(), still);
    browser().run("window.halvo.showCase('case', 3, 'von Mises, worse skin')");
    EXPECT_NEAR(browser().run("return window.halvo.legend.high").get<double>(),
                browser().run("return window.halvo.content.summary.results[3].max_von_mises").get<double>(), 0.02);
    browser().run("window.halvo.showCase('mode', 0, 'displacement', true)");
    EXPECT_EQ(browser().run("return document.getElementById('swing').getAttribute('aria-pressed')"), "true");
    browser().run("window.halvo.swing(false)");
    EXPECT_EQ(browser().console(), std::vector<std::string>{});
}

TEST_F(Page, TurnsSmoothly) {
    browser().open(address());
    const double empty = browser().run("return await window.halvo.scene.time(20, true)").get<double>(),
                 full = browser().run("return await window.halvo.scene.time(20)").get<double>();
    RecordProperty("milliseconds_a_frame", std::to_string(full));
    RecordProperty("milliseconds_an_empty_frame", std::to_string(empty));
    // 8 to 10 times an empty frame as measured; the bound leaves room for a loaded machine, not for another order.
    EXPECT_LT(full, 40 * empty);
}

TEST_F(Page, IsReachableByKeysAndNamesItsParts) {
    browser().open(address("list=joints"));
    // Whatever can be pressed has a name that is read out.
    EXPECT_EQ(browser().run("return [...document.querySelectorAll('button, input, select, [role=button]')].filter((e) => !(e.textContent.trim() || "
                            "e.getAttribute('aria-label') || e.title || (e.labels && e.labels.length))).length"),
              0);
    EXPECT_EQ(browser().run("return document.querySelectorAll('[role=tab][aria-selected=true]').length"), 1);
    browser().run("document.querySelector('#panel tbody tr').focus()");
    browser().key("\xEE\x80\x95");  // arrow down
    browser().key("\xEE\x80\x87");  // enter
    EXPECT_EQ(browser().run("return window.halvo.key").get<std::string>(),
              browser().run("return window.halvo.content.summary.joints[1].id").get<std::string>());
}

// Names come from files and may hold anything.
TEST_F(Page, HostileNamesAreText) {
    const std::string name =
        "<img src=x onerror=\"window.broken=1\"></script><script>window.broken=1</script> \"'&` \xD7\xA9\xD7\x9C\xD7\x95\xD7\x9D " + std::string(300, 'w');
    Job job = read_model(model());
    job.solids.file = name;
    for (Body& b : job.solids.bodies) b.name = b.label = b.path = name;
    ReportOptions o;
    o.title = name, o.figures = false;
    const fs::path file = *folder_ / "hostile.html";
    write_report(file, job, o);
    browser().open("file://" + file.string() + "#list=bodies");
    EXPECT_EQ(browser().run("return window.broken === undefined"), true);
    EXPECT_EQ(browser().run("return document.getElementById('title').textContent"), name);
    EXPECT_EQ(browser().run("return document.querySelector('#panel tbody tr td:nth-child(2)').textContent"), name);
    EXPECT_EQ(browser().run("return document.querySelectorAll('img[src=x]').length"), 0);
    EXPECT_EQ(browser().run("return document.documentElement.scrollWidth <= window.innerWidth"), true);
}

TEST_F(Page, PrintsPicturesAndLists) {
    const std::string text = slurp(page());
    EXPECT_NE(text.find("<figcaption>Midsurfaces and members, by thickness</figcaption>"), std::string::npos);
    browser().open(address());
    EXPECT_GT(browser().run("window.dispatchEvent(new Event('beforeprint')); return document.querySelectorAll('#paper-lists table').length").get<int>(), 1);
    EXPECT_EQ(browser().run("return [...document.querySelectorAll('#paper img')].every((i) => i.complete && i.naturalWidth === 1280)"), true);
}

// ---- the server
class Served : public Page {
protected:
    Served() : server_({HALVO_PROGRAM, "report", model().string(), "--serve"}) {
        const std::string line = server_.line_with("http://");
        base_ = line.substr(0, line.find("/?")), token_ = line.substr(line.find('=') + 1), address_ = line;
    }
    Process server_;
    std::string base_, token_, address_;
};

TEST_F(Served, AnswersNobodyWithoutTheToken) {
    ASSERT_FALSE(token_.empty());
    EXPECT_EQ(get(base_, "/").status, 403);
    EXPECT_EQ(get(base_, "/?token=").status, 403);
    EXPECT_EQ(get(base_, "/?token=" + token_.substr(1)).status, 403);
    EXPECT_EQ(get(base_, "/content").status, 403);
    EXPECT_EQ(get(base_, "/content?token=" + token_).status, 403);  // only the page itself goes by its address
    EXPECT_EQ(post(base_, "/run", "{\"set\":[]}").status, 403);
    EXPECT_EQ(get(base_, "/?token=" + token_, "", "elsewhere.example").status, 403);  // a foreign name that leads here
    EXPECT_EQ(get(base_, "/?token=" + token_).status, 200);
    EXPECT_EQ(get(base_, "/state", token_).status, 200);
}

TEST_F(Served, SurvivesBrokenRequests) {
    for (const std::string body :
         {"", "{", "[]", "{\"set\":3}", "{\"set\":[3]}", "{\"set\":[\"nonsense\"]}", "{\"set\":[\"join.reech=1mm\"]}", "{\"set\":[\"join.reach=5 kg\"]}"}) {
        const Answer a = post(base_, "/run", body, token_);
        EXPECT_EQ(a.status, 400) << body;
        EXPECT_EQ(std::count(a.body.begin(), a.body.end(), '\n'), 1) << a.body;
    }
    EXPECT_NE(post(base_, "/run", "{\"set\":[\"join.reech=1mm\"]}", token_).body.find("join.reach"), std::string::npos);
    EXPECT_EQ(post(base_, "/back", "", token_).status, 409);
    EXPECT_NE(post(base_, "/run", std::string(2000000, 'x'), token_).status, 200);
    EXPECT_EQ(get(base_, "/nowhere", token_).status, 404);
    EXPECT_EQ(get(base_, "/state", token_).status, 200);
}

TEST_F(Served, RefusesRunsShowsAndGoesBack) {
    browser().open(address_ + "#list=joints");
    const auto key = browser().run("return window.halvo.content.summary.joints[33].id").get<std::string>();
    browser().run(
        fmt::format("document.querySelector('#panel tr[data-key=\"{}\"] button[data-choice=leave]').click(); document.getElementById('run').click()", key));
    // A second window is told to wait while the first one's run is on.
    EXPECT_EQ(post(base_, "/run", "{\"set\":[\"mesh.size=30mm\"]}", token_).status, 409);
    ASSERT_TRUE(browser().until("return window.halvo.content.back === 1"));
    const auto state = fmt::format("return window.halvo.content.summary.joints.find((j) => j.id === '{}').state", key);
    EXPECT_EQ(browser().run(state), "refused");
    EXPECT_EQ(browser().run("return window.halvo.tab"), "joints");  // what was looked at stays
    Job job = read_model(model());
    EXPECT_EQ(job.plan.join.refuse, std::vector<std::string>{key});
    browser().run("document.getElementById('step-back').click()");
    ASSERT_TRUE(browser().until("return window.halvo.content.back === 0"));
    EXPECT_EQ(browser().run(state), "applied");
    EXPECT_TRUE(read_model(model()).plan.join.refuse.empty());
}

TEST_F(Served, WhatFailsChangesNothing) {
    const std::string before = slurp(model());
    EXPECT_EQ(post(base_, "/run", "{\"set\":[\"source.body=\\\"no such body\\\"\"]}", token_).status, 202);
    Json state;
    do {
        std::this_thread::sleep_for(std::chrono::milliseconds(50));
        state = Json::parse(get(base_, "/state", token_).body);
    } while (state["busy"].get<bool>());
    EXPECT_NE(state["failure"].get<std::string>().find("no such body"), std::string::npos) << state;
    EXPECT_EQ(slurp(model()), before);
    EXPECT_EQ(get(base_, "/content", token_).status, 200);
}

TEST_F(Served, StopsOnRequestAndLeavesNothing) {
    const auto files = [&] {
        std::set<std::string> names;
        for (const auto& f : fs::recursive_directory_iterator(folder_->path())) names.insert(f.path().string());
        return names;
    };
    const auto before = files();
    EXPECT_EQ(post(base_, "/run", "{\"set\":[\"mesh.size=10mm\"]}", token_).status, 202);  // in the middle of a run
    server_.signal(SIGINT);
    EXPECT_EQ(server_.wait(), 0);
    EXPECT_EQ(files(), before);
    EXPECT_EQ(get(base_, "/state", token_).status, 0);
}

TEST_F(Served, ModelFileRemovedUnderItIsWrittenAgain) {
    fs::remove(model());
    EXPECT_EQ(get(base_, "/content", token_).status, 200);
    EXPECT_EQ(post(base_, "/run", "{\"set\":[\"mesh.size=24mm\"]}", token_).status, 202);
    Json state;
    do {
        std::this_thread::sleep_for(std::chrono::milliseconds(50));
        state = Json::parse(get(base_, "/state", token_).body);
    } while (state["busy"].get<bool>());
    EXPECT_EQ(state["failure"], "");
    EXPECT_EQ(read_model(model()).stage, "solve");
}

// ---- without a browser
TEST(Report, SaysWhatIsWrong) {
    const Folder folder;
    EXPECT_EQ(halvo_command("report nowhere.halvo -o page.html", folder.path()).code, 3);
    EXPECT_EQ(halvo_command("report nowhere.halvo", folder.path()).code, 2);
    EXPECT_EQ(halvo_command("report nowhere.halvo -o page.html --serve", folder.path()).code, 2);
    EXPECT_FALSE(fs::exists(folder / "page.html"));
    EXPECT_THROW((void)report_page(Job{}), Error);
}

TEST(Report, IsTheSameWhateverTheThreads) {
    const Folder folder;
    ASSERT_EQ(halvo_command(fmt::format("run {}/demo/cabinet.step --out . --quiet", HALVO_SOURCE), folder.path()).code, 0);
    for (const char* threads : {"1", "2"})
        ASSERT_EQ(halvo_command(fmt::format("report model.halvo -o {0}.html --threads {0}", threads), folder.path()).code, 0);
    EXPECT_EQ(slurp(folder / "1.html"), slurp(folder / "2.html"));
}

// A page of solids that were only looked at.
TEST(Report, AlsoOfASurvey) {
    const Folder folder;
    ASSERT_EQ(halvo_command(fmt::format("run {}/demo/cabinet.step --out . --quiet --until survey", HALVO_SOURCE), folder.path()).code, 0);
    EXPECT_EQ(halvo_command("report model.halvo -o page.html", folder.path()).code, 0);
    Browser browser;
    browser.open("file://" + (folder / "page.html").string());
    EXPECT_EQ(browser.console(), std::vector<std::string>{});
    EXPECT_EQ(browser.run("return window.halvo.layerOn('solid')"), true);
}

TEST(Report, ShowsAStudyAsPlots) {
    const Folder folder;
    Study s;
    s.varied = {{"mesh.size", {"20mm", "10mm"}}}, s.runs = {{"20mm"}, {"10mm"}}, s.failures = {"", "it, \"failed\""}, s.seconds = {1, 2};
    s.figures = {{"tip: displacement z, wind", "mm", {1.5, std::numeric_limits<double>::quiet_NaN()}, 1.25, 2.0}, {"unknowns", "", {10, 20}, {}, {}}};
    spit(folder / "study.csv", study_csv(s));
    const Study read = read_study(folder / "study.csv");
    EXPECT_EQ(read.runs, s.runs);
    EXPECT_EQ(read.failures, s.failures);
    ASSERT_EQ(read.figures.size(), 2U);
    EXPECT_EQ(read.figures[0].name, s.figures[0].name);
    EXPECT_EQ(read.figures[0].unit, "mm");
    EXPECT_EQ(read.figures[0].values[0], 1.5);
    EXPECT_TRUE(std::isnan(read.figures[0].values[1]));
    EXPECT_EQ(read.figures[0].limit, 1.25);
    spit(folder / "other.csv", "a,b\n1,2\n");
    EXPECT_THROW((void)read_study(folder / "other.csv"), Error);
}

}  // namespace
}  // namespace test
