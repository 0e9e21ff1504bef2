// Writes the demo's CAD files: make_demo FOLDER
#include "site_parts.hpp"
#include "station.hpp"

#include <halvo/io.hpp>

#include <cstdio>
#include <exception>

namespace {

// A hand-held scan of the bracket: corners every millimetre and a half, 0.02 mm of scatter.
void write_scan(const std::string& folder) {
    const std::string whole = folder + "/bracket.part.step";
    make::write_step(whole, {{"bracket", make::bracket()}});
    const auto solids = halvo::read(whole);
    std::filesystem::remove(whole);
    make::Facets scan = make::scan(solids.bodies[0], 1.5, 0.02, 7);
    for (halvo::Vec3& p : scan.points) p += solids.shift;
    make::write_stl(folder + "/bracket.stl", {scan}, true);
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) {
        std::fprintf(stderr, "usage: make_demo FOLDER\n");
        return 2;
    }
    try {
        const std::string folder = argv[1];
        make::write_step(folder + "/station.step", make::weather_station());
        make::write_step(folder + "/shelf.step", {{"instrument shelf", make::instrument_shelf(), {0.75, 0.55, 0.25}}});
        make::write_step(folder + "/cabinet.step", make::cabinet());
        make::write_step(folder + "/rain-hood.step", {{"rain hood", make::rain_hood(), {0.85, 0.85, 0.80}}});
        make::write_step(folder + "/sensor-arm.step", make::bent_sensor_arm());
        make::write_step(folder + "/anchor-block.step", {{"anchor block", make::anchor_block(), {0.65, 0.65, 0.62}}});
        make::write_step(folder + "/logger-tray.step", {{"logger tray", make::logger_tray(), {0.30, 0.45, 0.55}}});
        make::write_step(folder + "/loose-tray.step", {{"logger tray", make::loose_logger_tray(), {0.30, 0.45, 0.55}}});
        make::write_step(folder + "/spoilt-shelf.step", make::spoilt_shelf());
        write_scan(folder);
    } catch (const std::exception& e) {
        std::fprintf(stderr, "make_demo: %s\n", e.what());
        return 1;
    }
    return 0;
}
