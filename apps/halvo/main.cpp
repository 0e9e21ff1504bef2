// The halvo command: parsing and printing only.
#include "demo.hpp"
#include "distributed.hpp"
#include "print.hpp"
#include "progress.hpp"
#include "report.hpp"
#include "thickness.hpp"
#include "work.hpp"

#include <halvo/draw.hpp>
#include <halvo/job.hpp>
#include <halvo/threads.hpp>

#include <fmt/format.h>
#include <CLI/CLI.hpp>

using namespace halvo;
namespace fs = std::filesystem;

namespace {

int do_run(const RunArguments& a, const Common& common) {
    const Job job = carried_out(a, common);
    if (common.json) fmt::print("{}", summary_json(job));
    else {
        print_run(job, (folder_of(a) / "model.halvo").string());
        fmt::print("  results in {}\n", folder_of(a).string());
    }
    return code_of(job);
}

int do_survey(const std::string& input, const std::vector<std::string>& sets, const Common& common, bool all, const std::string& figure, DrawOptions view) {
    Job job;
    job.plan = plan_for(input, sets);
    run(job, Stage::read, Stage::strip, terminal_observer(common.quiet));
    end_progress();
    // As it was handed over: nothing is mended or taken away here. Features are those of what mend makes of it.
    const Assembly& solids = solids_as_read(job);
    const std::optional<Earlier>& first = job.as_read ? job.as_read : job.before_strip;
    const Survey& seen = first ? first->survey : job.survey;
    if (common.json) {
        fmt::print("{}", survey_json(solids, seen, job.strip.features));
    } else if (all) {
        print_survey(solids, seen);
        if (const std::string text = mend_text(job); !text.empty()) fmt::print("\nmended: {}\n", text);
        print_features(job);
    } else {
        print_short_survey(solids, seen, job);
    }
    if (!figure.empty()) {
        view.survey = true;
        Job read;
        read.plan = job.plan, read.stage = stage_name(Stage::survey);
        read.solids = solids, read.survey = seen;
        draw(figure, read, view);
    }
    return 0;
}

struct DrawArguments {
    std::string input, out, colour = "thickness", show, title;
    bool lines = false, real = false;
    double azimuth = -55, elevation = 28;
    bool worst = false;
    std::vector<std::string> at;
    double span = 0;
    std::vector<std::string> sets;
    std::string load_case, side = "worst";
    int mode = 0;
    std::optional<double> deformed;
    bool loads = false;
    std::string section;
};

// What --colour calls results, and what they are.
const std::map<std::string, std::string>& result_names() {
    static const std::map<std::string, std::string> all = [] {
        std::map<std::string, std::string> m = {{"displacement", "displacement"}, {"von-mises", "von mises"},          {"principal", "principal 1"},
                                                {"reaction", "reaction"},         {"axial-force", "axial force"},      {"torque", "torque"},
                                                {"shear-force", "shear force"},   {"bending-moment", "bending moment"}};
        for (const char* axis : {"x", "y", "z"}) {
            m[fmt::format("displacement-{}", axis)] = fmt::format("displacement {}", axis),
                                             m[fmt::format("stress-{}", axis)] = fmt::format("stress along {}", axis);
            m[fmt::format("reaction-{}", axis)] = fmt::format("reaction {}", axis);
        }
        for (const char* axis : {"y", "z"})
            m[fmt::format("shear-force-{}", axis)] = fmt::format("shear force {}", axis),
                                            m[fmt::format("bending-moment-{}", axis)] = fmt::format("bending moment {}", axis);
        for (const char* n : {"1", "2", "3"}) m[fmt::format("principal-{}", n)] = fmt::format("principal {}", n);
        return m;
    }();
    return all;
}

// Three coordinates, or the id of something with a place.
Vec3 place_meant(const Job& job, const std::vector<std::string>& words) {
    if (words.size() == 3) {
        Vec3 p;
        for (int k = 0; k < 3; ++k) {
            char* end = nullptr;
            const std::string& w = words[static_cast<std::size_t>(k)];
            p[k] = std::strtod(w.c_str(), &end);
            if (w.empty() || *end != 0) throw Error(ErrorKind::usage, fmt::format("--at {}: no number; give three coordinates in mm, or one id", w));
        }
        return p;
    }
    if (words.size() == 1) {
        for (const Finding& f : findings_of(job))
            if (f.key == words[0]) return f.place + job.solids.shift;
        for (const LedgerEntry& e : ledger_of(job))
            if (e.key == words[0]) return e.place + job.solids.shift;
        for (const Feature& f : job.strip.features)
            if (f.key == words[0]) return f.place + job.solids.shift;
        throw Error(ErrorKind::usage, fmt::format("--at {}: nothing has this id; halvo list MODEL findings, ledger and features show them", words[0]));
    }
    throw Error(ErrorKind::usage, "--at takes three coordinates in mm, or one id");
}

// "x=1200" cuts away what lies at larger x, "-x=1200" what lies at smaller.
std::array<Vec3, 2> section_meant(const std::string& text) {
    const bool other = text.starts_with("-");
    const std::string rest = other ? text.substr(1) : text;
    char* end = nullptr;
    const double at = rest.size() > 2 && rest[1] == '=' ? std::strtod(rest.c_str() + 2, &end) : 0;
    if (end == nullptr || *end != 0 || rest[0] < 'x' || rest[0] > 'z')
        throw Error(ErrorKind::usage, fmt::format("--section {}: give an axis and a place in mm, such as x=1200, or -x=1200 for the other side", text));
    std::array<Vec3, 2> out{Vec3::Zero(), Vec3::Zero()};
    out[0][rest[0] - 'x'] = at, out[1][rest[0] - 'x'] = other ? -1 : 1;
    return out;
}

int do_draw(const DrawArguments& a, const Common& common) {
    Job job;
    DrawOptions o;
    const bool model = has_extension(a.input, {".halvo"});
    if (model) job = read_model(a.input);
    else {
        job.plan = plan_for(a.input, a.sets);
        const bool solid_only = a.show.empty() || a.show == "solid";
        run(job, Stage::read,
            result_names().count(a.colour) || a.mode > 0       ? Stage::solve
            : a.colour == "coverage"                           ? Stage::prove
            : a.colour == "features" || a.colour == "findings" ? Stage::strip
            : solid_only                                       ? Stage::survey
                                                               : Stage::mesh,
            terminal_observer(common.quiet));
        end_progress();
    }
    const std::map<std::string, DrawOptions::Colour> colours = {
        {"body", DrawOptions::Colour::body},       {"thickness", DrawOptions::Colour::thickness}, {"edges", DrawOptions::Colour::edges},
        {"quality", DrawOptions::Colour::quality}, {"coverage", DrawOptions::Colour::coverage},   {"joints", DrawOptions::Colour::joints},
        {"gap", DrawOptions::Colour::gap},         {"features", DrawOptions::Colour::features},   {"findings", DrawOptions::Colour::findings}};
    const auto result = result_names().find(a.mode > 0 ? "displacement" : a.colour);
    if (result != result_names().end()) o.colour = DrawOptions::Colour::result, o.result = result->second;
    else o.colour = colours.at(a.colour);
    o.load_case = a.load_case, o.side = a.side, o.mode = a.mode, o.deformed = a.deformed, o.loads = a.loads;
    if (!a.section.empty()) o.section = section_meant(a.section);
    o.solid = a.show == "solid" || (a.show.empty() && !model);
    o.mesh_lines = a.lines || a.show == "mesh";
    o.real_thickness = a.real;
    o.azimuth = a.azimuth, o.elevation = a.elevation;
    o.title = a.title;
    o.worst = a.worst, o.span = a.span;
    if (a.worst && !model && a.colour != "coverage") throw Error(ErrorKind::usage, "--worst is for model files; run the part first");
    if (a.worst) o.colour = DrawOptions::Colour::quality, o.mesh_lines = true;
    if (!a.at.empty()) o.at = place_meant(job, a.at);
    // What is named is seen with what lies round it.
    constexpr double share_around = 0.3;  // of the model's size
    if (a.at.size() == 1 && o.span == 0 && !job.solids.box.isEmpty()) o.span = share_around * job.solids.box.diagonal().norm();
    draw(a.out, job, o);
    if (!common.quiet) fmt::print("{}\n", a.out);
    return 0;
}

int do_study(const std::string& input, const std::vector<std::string>& vary, const std::vector<std::string>& sets, const std::string& out_folder,
             const Common& common) {
    const Plan plan = plan_for(input, sets);
    std::vector<Variation> varied;
    for (const std::string& v : vary) varied.push_back(variation_of(v));
    const Study s = study(plan, varied, terminal_observer(common.quiet));
    end_progress();
    const fs::path out = out_folder.empty() ? fs::path(fs::path(input).stem().string() + ".study") : fs::path(out_folder);
    std::error_code ec;
    fs::create_directories(out, ec);
    if (ec) throw Error(ErrorKind::input, out.string() + ": the output folder cannot be made; check its permissions");
    write_text(out / "study.csv", study_csv(s));
    draw_study(out / "study.png", s, fs::path(input).filename().string() + ": a study");
    print_study(s);
    fmt::print("  results in {}\n", out.string());
    const bool failed = std::any_of(s.failures.begin(), s.failures.end(), [](const std::string& f) { return !f.empty(); });
    return failed ? exit_stage : 0;
}

int do_list(const std::string& file, const std::string& what, const Common& common) {
    const Job job = read_model(file);
    if (common.json) fmt::print("{}", summary_json(job));
    else print_list(job, what);
    return 0;
}

int do_convert(const std::string& from, const std::string& to) {
    if (!has_extension(from, {".halvo"})) throw Error(ErrorKind::usage, from + ": convert reads model files (.halvo); make one with halvo run");
    if (!has_extension(to, {".vtu", ".json", ".csv"})) throw Error(ErrorKind::usage, to + ": convert writes .vtu (mesh), .json (summary) or .csv (ledger)");
    const Job job = read_model(from);
    if (has_extension(to, {".vtu"})) {
        if (job.mesh.elements.empty()) throw Error(ErrorKind::usage, from + ": the model has no mesh yet; run it on with --from mesh");
        const bool results = fs::path(to).stem().string().starts_with("results");
        if (results && job.solution.nodes.empty()) throw Error(ErrorKind::usage, from + ": has not been solved; run it on with --from solve");
        if (results) write_solution_vtu(to, job.mesh, job.solution, job.solids.shift);
        else write_vtu(to, job.mesh, job.solids.shift);
    } else {
        write_text(to, has_extension(to, {".json"}) ? summary_json(job) : ledger_csv(job));
    }
    fmt::print("{}\n", to);
    return 0;
}

// The command next to a word that is none; nothing where the first word is one.
std::string nearest_command(const CLI::App& app, int argc, char** argv) {
    if (argc < 2 || argv[1][0] == '-') return "";
    const std::string word = argv[1];
    std::vector<std::string> known;
    for (const CLI::App* c : app.get_subcommands([](const CLI::App*) { return true; })) known.push_back(c->get_name());
    return std::find(known.begin(), known.end(), word) != known.end() ? "" : nearest_name(word, known);
}

int dispatch(int argc, char** argv) {
    CLI::App app{"Halvo: solids to one continuous model of midsurface shells and beams."};
    app.set_version_flag("--version", "halvo " HALVO_VERSION);
    app.require_subcommand(1);
    Common common;
    int rc = 0;
    const auto add_common = [&](CLI::App* c, bool json) {
        c->add_flag("--quiet", common.quiet, "no progress on standard error");
        c->add_option("--threads", common.threads, "largest number of threads; 0 takes all")->check(CLI::NonNegativeNumber);
        if (json) c->add_flag("--json", common.json, "data instead of text");
    };
    std::string input, what = "findings", second, demo_out = "out/demo";
    std::vector<std::string> sets;
    auto* survey_cmd = app.add_subcommand("survey", "what is in a file: bodies, classes, thickness, findings");
    std::string figure;
    bool all = false;
    DrawOptions survey_view;
    survey_cmd->add_option("INPUT", input, "STEP, IGES, STL, OBJ or PLY file (also gzip-compressed), or a plan (.toml)")->required();
    survey_cmd->add_option("--set", sets, "override a plan key, KEY=VALUE");
    survey_cmd->add_flag("--all", all, "every list, not just what fits on a screen");
    survey_cmd->add_option("--draw", figure, "PNG file: wall thickness as colour, findings numbered");
    survey_cmd->add_option("--azimuth", survey_view.azimuth, "view direction round z, degrees");
    survey_cmd->add_option("--elevation", survey_view.elevation, "view direction above the horizon, degrees");
    add_common(survey_cmd, true);
    survey_cmd->callback([&] { set_thread_limit(common.threads), rc = do_survey(input, sets, common, all, figure, survey_view); });

    RunArguments ra;
    auto* run_cmd = app.add_subcommand("run", "solids to model, mesh and proof");
    run_cmd->add_option("INPUT", ra.input, "CAD file (STEP, IGES, STL, OBJ, PLY) or plan (.toml)")->required();
    run_cmd->add_option("--out", ra.out, "folder for the results; default: the input's name with .out");
    run_cmd->add_option("--size", ra.size, "element size, such as 20mm");
    run_cmd->add_option("--set", ra.sets, "override a plan key, KEY=VALUE");
    run_cmd->add_option("--until", ra.until, "last stage: read, survey, mend, strip, halve, join, mesh, prove, solve");
    run_cmd->add_option("--from", ra.from, "first stage; earlier ones come from model.halvo in the output folder");
    add_common(run_cmd, true);
    run_cmd->callback([&] { set_thread_limit(common.threads), rc = do_run(ra, common); });

    auto* list_cmd = app.add_subcommand("list", "what a model holds");
    list_cmd->add_option("MODEL", input, "model.halvo")->required();
    list_cmd->add_option(
        "WHAT", what,
        "findings, bodies, features, walls, sheets, members, sections, seams, joints, gaps, parts, quality, proof, contacts, uncovered, sets, ledger, "
        "properties, results, reactions, probes, known, reference, modes, materials, forms");
    add_common(list_cmd, true);
    list_cmd->callback([&] { rc = do_list(input, what, common); });

    DrawArguments da;
    auto* draw_cmd = app.add_subcommand("draw", "a picture of a model or of a file's solids");
    draw_cmd->add_option("INPUT", da.input, "model.halvo, CAD file or plan")->required();
    draw_cmd->add_option("-o,--out", da.out, "PNG file")->required();
    std::vector<std::string> colours = {"body", "thickness", "edges", "quality", "coverage", "joints", "gap", "features", "findings"};
    for (const auto& [name, result] : result_names()) colours.push_back(name);
    draw_cmd
        ->add_option(
            "--colour", da.colour,
            "body, thickness, edges, joints, gap, quality, coverage, features, findings; of what was solved displacement, von-mises, principal, stress-x, "
            "reaction, axial-force, shear-force, torque, bending-moment (also with -x, -y, -z, principal with -1 to -3)")
        ->check(CLI::IsMember(colours))
        ->type_name("NAME");
    draw_cmd->add_option("--case", da.load_case, "load case of what was solved; else the first");
    draw_cmd->add_option("--mode", da.mode, "shape of a mode, from 1")->check(CLI::PositiveNumber);
    draw_cmd->add_option("--deformed", da.deformed, "factor on displacements; 0 draws the shape as it is; else as can be seen");
    draw_cmd->add_flag("--loads", da.loads, "with arrows for what pushes in the case, and for what holds");
    draw_cmd->add_option("--section", da.section, "section view: an axis and a place in mm, x=1200; -x=1200 leaves the other side");
    draw_cmd->add_option("--side", da.side, "skin of shells: top, bottom, middle, worst")->check(CLI::IsMember({"top", "bottom", "middle", "worst"}));
    draw_cmd->add_option("--show", da.show, "solid, model, mesh")->check(CLI::IsMember({"solid", "model", "mesh"}));
    draw_cmd->add_flag("--lines", da.lines, "element edges");
    draw_cmd->add_flag("--worst", da.worst, "close-up of the worst element");
    draw_cmd->add_option("--at", da.at, "close-up of a place: three coordinates in mm, or the id of a finding, a feature or an entry of the ledger")
        ->expected(1, 3);
    draw_cmd->add_option("--span", da.span, "height of what a close-up shows, mm")->check(CLI::PositiveNumber);
    draw_cmd->add_flag("--real", da.real, "shells with their thickness, members with their section, beside the solid's outline");
    draw_cmd->add_option("--azimuth", da.azimuth, "view direction round z, degrees");
    draw_cmd->add_option("--elevation", da.elevation, "view direction above the horizon, degrees");
    draw_cmd->add_option("--title", da.title, "title of the figure");
    draw_cmd->add_option("--set", da.sets, "override a plan key, KEY=VALUE");
    add_common(draw_cmd, false);
    draw_cmd->callback([&] { set_thread_limit(common.threads), rc = do_draw(da, common); });

    std::vector<std::string> vary;
    std::string study_out;
    auto* study_cmd = app.add_subcommand("study", "a plan over a range of values: a table and plots of its probes");
    study_cmd->add_option("PLAN", input, "plan (.toml) with something to solve")->required();
    study_cmd->add_option("--vary", vary, "KEY=A,B,C or KEY=FROM..TO/COUNT; several: all combinations; TABLE[N].KEY for the N-th [[TABLE]]")
        ->required()
        ->take_all();
    study_cmd->add_option("--set", sets, "override a plan key, KEY=VALUE");
    study_cmd->add_option("--out", study_out, "folder for study.csv and study.png; default: the plan's name with .study");
    add_common(study_cmd, false);
    study_cmd->callback([&] { set_thread_limit(common.threads), rc = do_study(input, vary, sets, study_out, common); });

    auto* convert_cmd = app.add_subcommand("convert", "model.halvo to mesh.vtu, results.vtu, summary.json or ledger.csv, by extension");
    convert_cmd->add_option("A", input, "model.halvo")->required();
    convert_cmd->add_option("B", second, "file to write")->required();
    convert_cmd->callback([&] { rc = do_convert(input, second); });

    ReportArguments rp;
    auto* report_cmd = app.add_subcommand("report", "one page for a browser: scene, lists, decisions to take or leave");
    report_cmd->add_option("MODEL", rp.model, "model.halvo")->required();
    report_cmd->add_option("-o,--out", rp.out, "page to write (.html)");
    report_cmd->add_flag("--serve", rp.serve, "the page live, on this machine only: what is chosen on it is run, and the results put where the model is");
    report_cmd->add_option("--port", rp.port, "of --serve; else a free one")->check(CLI::Range(1, 65535));
    report_cmd->add_option("--title", rp.title, "title of the page; else the file's name");
    report_cmd->add_option("--study", rp.study, "study.csv, shown as plots");
    add_common(report_cmd, false);
    report_cmd->callback([&] { set_thread_limit(common.threads), rc = make_report(rp, common.quiet); });

    ThicknessArguments ta;
    auto* thickness_cmd = app.add_subcommand("thickness", "gives a shell mesh the thickness and offset of the solids it lies in");
    thickness_cmd->add_option("MESH", ta.mesh, "VTK XML unstructured grid (.vtu) with triangles or quads, mm")->required();
    thickness_cmd->add_option("SOLID", ta.solid, "CAD file (STEP, IGES, STL, OBJ, PLY) or scan with the solids")->required();
    thickness_cmd->add_option("-o,--out", ta.out, "mesh to write (.vtu)")->required();
    thickness_cmd->add_option("--unit", ta.unit, "unit of a SOLID file that states none");
    add_common(thickness_cmd, true);
    thickness_cmd->callback([&] { set_thread_limit(common.threads), rc = give_thickness(ta, common.json, common.quiet); });

    auto* demo_cmd = app.add_subcommand("demo", "the whole job on the shipped demo data");
    demo_cmd->add_option("--out", demo_out, "folder for the results")->capture_default_str();
    add_common(demo_cmd, false);
    demo_cmd->callback([&] { set_thread_limit(common.threads), rc = show_demo(demo_out, common); });

    survey_cmd->footer("Examples:\n  halvo survey part.step\n  halvo survey part.step --set 'source.skip=[\"bolt*\"]' --draw part.png");
    run_cmd->footer("Examples:\n  halvo run part.step --out results --size 10mm\n  halvo run plan.toml --out results --from join --set join.reach=2mm");
    list_cmd->footer("Examples:\n  halvo list results/model.halvo findings\n  halvo list results/model.halvo joints --json");
    draw_cmd->footer("Examples:\n  halvo draw results/model.halvo -o real.png --real\n  halvo draw results/model.halvo -o mesh.png --colour quality --lines");
    study_cmd->footer("Examples:\n  halvo study plan.toml --vary mesh.size=20mm,10mm,5mm\n  halvo study plan.toml --vary 'thickness[1].thickness=2mm..6mm/5'");
    convert_cmd->footer("Examples:\n  halvo convert results/model.halvo mesh.vtu\n  halvo convert results/model.halvo ledger.csv");
    report_cmd->footer("Examples:\n  halvo report results/model.halvo -o part.html\n  halvo report results/model.halvo --serve");
    thickness_cmd->footer("Examples:\n  halvo thickness mesh.vtu part.step -o with-thickness.vtu\n  halvo thickness mesh.vtu scan.stl --unit m -o out.vtu");
    demo_cmd->footer("Examples:\n  halvo demo\n  halvo demo --out /tmp/station");
    try {
        app.parse(argc, argv);
    } catch (const CLI::Success& e) {
        return app.exit(e);
    } catch (const CLI::ParseError& e) {
        if (const std::string near = nearest_command(app, argc, argv); !near.empty()) {
            fmt::print(stderr, "halvo: {}: no such command; the nearest one is {}\n", argv[1], near);
            return exit_usage;
        }
        fmt::print(stderr, "halvo: {}; halvo --help shows the commands\n", e.what());
        return exit_usage;
    }
    return rc;
}

}  // namespace

int main(int argc, char** argv) {
    const auto fail = [](const std::string& what, int code) {
        end_progress();
        fmt::print(stderr, "halvo: {}\n", what);
        return code;
    };
    catch_signals();
    try {
        const Distributed distributed(&argc, &argv);
        if (distributed.only_helped()) return 0;
        return dispatch(argc, argv);
    } catch (const Error& e) {
        switch (e.kind()) {
            case ErrorKind::usage:
                return fail(e.what(), exit_usage);
            case ErrorKind::input:
                return fail(e.what(), exit_input);
            case ErrorKind::cancelled:
                return fail(e.what(), exit_stopped);
            case ErrorKind::stage:
                break;
        }
        return fail(e.what(), exit_stage);
    } catch (const std::bad_alloc&) {
        return fail("memory ran out; close other programs, take fewer bodies (source.only) or larger elements (mesh.size)", exit_stage);
    } catch (const std::exception& e) {
        return fail(fmt::format("internal failure: {}; please report it with the input file", e.what()), exit_stage);
    }
}
