#include "demo.hpp"

#include "print.hpp"
#include "progress.hpp"

#include <halvo/draw.hpp>
#include <halvo/report.hpp>

#include <fmt/format.h>

#include <algorithm>

using namespace halvo;
namespace fs = std::filesystem;

namespace {

// One line for one more part of the site.
void print_part(const Job& job, const std::string& figure) {
    const std::size_t findings = findings_of(job).size();
    fmt::print("  {:<18} {:>2} {}, {} {}; {}; findings {}; {}\n", job.solids.file, job.model.sheets.size(), job.model.sheets.size() == 1 ? "sheet" : "sheets",
               job.model.members.size(), job.model.members.size() == 1 ? "member" : "members", job.proof.within_bounds ? "within bounds" : "OUTSIDE its bounds",
               findings == 0 ? "none" : std::to_string(findings), figure);
}

}  // namespace

int show_demo(const std::string& out, const Common& common) {
    fs::path folder = HALVO_DEMO_SOURCE;
    if (!fs::exists(folder / "station.toml")) folder = HALVO_DEMO_INSTALLED;
    if (!fs::exists(folder / "station.toml"))
        throw Error(ErrorKind::input, folder.string() + ": the demo data is not there; install Halvo with its share folder");
    fs::create_directories(out);
    const fs::path model = fs::path(out) / "model.halvo", page = fs::path(out) / "station.html";
    RunArguments a;
    a.input = (folder / "station.toml").string(), a.out = out;
    fmt::print("$ halvo run {} --out {}\n", a.input, out);
    const Job job = carried_out(a, common);
    print_run(job, model.string());
    int rc = code_of(job);
    std::string figures;
    const auto figure = [&](const char* name, const Job& of, const DrawOptions& options) {
        draw(fs::path(out) / name, of, options);
        figures += (figures.empty() ? "" : " ") + std::string(name);
    };
    DrawOptions solid, edges, meshed, real, storm;
    solid.solid = true, solid.colour = DrawOptions::Colour::body;
    edges.colour = DrawOptions::Colour::edges;
    meshed.colour = DrawOptions::Colour::quality, meshed.mesh_lines = true;
    real.real_thickness = true;
    storm.colour = DrawOptions::Colour::result, storm.result = "von mises", storm.load_case = "storm", storm.loads = true;
    figure("solid.png", job, solid), figure("thickness.png", job, {}), figure("edges.png", job, edges), figure("mesh.png", job, meshed);
    figure("real.png", job, real), figure("storm.png", job, storm);
    fmt::print("\nWhat else stands on the site, bent, moulded and scanned:\n");
    const auto seen_from = [](DrawOptions o, double azimuth, double elevation) {
        o.azimuth = azimuth, o.elevation = elevation, o.mesh_lines = o.colour == DrawOptions::Colour::thickness && !o.real_thickness;
        return o;
    };
    const auto part = [&](const char* name, const char* picture, const DrawOptions& view) {
        RunArguments p;
        p.input = (folder / name).string(), p.out = (fs::path(out) / fs::path(picture).stem()).string();
        const Job k = carried_out(p, common);
        rc = std::max(rc, code_of(k));
        figure(picture, k, view);
        print_part(k, picture);
    };
    DrawOptions features, findings;
    features.colour = DrawOptions::Colour::features, findings.colour = DrawOptions::Colour::findings;
    part("cabinet.step", "cabinet.png", seen_from(real, -60, 25));
    part("rain-hood.step", "rain-hood.png", seen_from({}, -50, -30));
    part("sensor-arm.toml", "sensor-arm.png", seen_from({}, -65, 20));
    part("sensor-arm.step", "sensor-arm-beam.png", seen_from(real, -65, 20));
    part("logger-tray.toml", "logger-tray.png", seen_from(features, -60, 40));
    part("loose-tray.toml", "loose-tray.png", seen_from(findings, -60, 40));
    part("bracket.toml", "bracket.png", seen_from({}, -35, 30));
    fmt::print("\nAnd what the survey says of them, as they were handed over:\n");
    const auto survey_of = [&](const char* name, double azimuth, double elevation) {
        Job k;
        k.plan = plan_for((folder / name).string(), {});
        run(k, Stage::read, Stage::survey, terminal_observer(common.quiet));
        end_progress();
        const std::string picture = "survey-" + fs::path(name).stem().string() + ".png";
        DrawOptions view;
        view.survey = true, view.azimuth = azimuth, view.elevation = elevation;
        figure(picture.c_str(), k, view);
        const auto warnings =
            std::count_if(k.survey.findings.begin(), k.survey.findings.end(), [](const Finding& f) { return f.level == FindingLevel::warning; });
        fmt::print("  {:<18} {} {}, findings {}; {}\n", k.solids.file, k.solids.bodies.size(), k.solids.bodies.size() == 1 ? "body" : "bodies",
                   warnings == 0 ? "none" : std::to_string(warnings), picture);
    };
    survey_of("station.step", -55, 28), survey_of("cabinet.step", -60, 25), survey_of("rain-hood.step", -50, -30), survey_of("sensor-arm.step", -65, 20);
    survey_of("anchor-block.step", -55, 28), survey_of("bracket.toml", -35, 30), survey_of("spoilt-shelf.step", -50, 35);
    ReportOptions report;
    report.model = model;
    write_report(page, job, report);
    fmt::print("\nfigures in {}: {}\nthe page, for a browser: {}\n", out, figures, page.string());
    return rc;
}
