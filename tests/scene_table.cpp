// Runs the library of scenes and prints the table in docs/scenes.md: scene_table [NAME...] [--ways] [--findings]
#include "scenes.hpp"

#include <fmt/format.h>

int main(int count, char** words) {
    using namespace test;
    std::vector<std::string> names;
    bool every_way = false, findings = false;
    int only = -1;
    std::string step;  // a folder: the scenes go there as STEP instead
    for (int i = 1; i < count; ++i) {
        const std::string w = words[i];
        if (w == "--ways") every_way = true;
        else if (w.starts_with("--way=")) only = std::stoi(w.substr(6));
        else if (w.starts_with("--step=")) step = w.substr(7);
        else if (w == "--findings") findings = true;
        else names.push_back(w);
    }
    if (names.empty()) names = scene_names();
    if (!step.empty()) {
        for (const std::string& name : names) {
            // As the ways do: lying on its side in metres for 3.
            Items items = scene(name).items;
            if (only == 1) items = moved(items);
            if (only == 3) items = moved(items, Eigen::Isometry3d(Eigen::AngleAxisd(pi / 2, Vec3::UnitX())));
            make::write_step(step + "/" + name + ".step", items, only == 2 ? "INCH" : only == 3 ? "M" : "MM");
        }
        return 0;
    }
    fmt::print(
        "| scene | way | bodies | sheets | members | joints | elements | links | parts | worst body, mesh against solid | lost of a sheet | stray link mm | "
        "least Jacobian | below 0.3 | findings | s | within |\n|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|---|\n");
    for (const std::string& name : names)
        for (int way = std::max(0, only); way < (every_way ? scene_ways : std::max(0, only) + 1); ++way) try {
                const Job job = job_of(scene(name), way);
                const SceneFigures f = figures_of(job);
                fmt::print("| {} | {} | {} | {} | {} | {} | {} | {} | {} | {} {:+.2f} % | {:.2f} % | {:.1f} | {:.2f} | {} | {} | {:.1f} | {} |\n", name, way,
                           f.bodies, f.sheets, f.members, f.joints, f.elements, f.links, f.parts, f.worst_body, 100 * f.worst_mesh, 100 * f.lost_area,
                           f.stray_link, f.least_jacobian, f.poor, f.findings, f.seconds, f.within ? "yes" : "no");
                if (findings) {
                    for (const FindingGroup& g : grouped(findings_of(job))) fmt::print("    {} [{}]\n", g.about, kind_name(g.findings[0].kind));
                    for (const std::string& o : job.proof.outside) fmt::print("    outside: {}\n", o);
                }
                std::fflush(stdout);
            } catch (const std::exception& e) {
                fmt::print("| {} | {} | error: {} |\n", name, way, e.what());
            }
}
