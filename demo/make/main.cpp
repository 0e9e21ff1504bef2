// Writes the demo's CAD files: make_demo FOLDER
#include "station.hpp"

#include <cstdio>
#include <exception>

int main(int argc, char** argv) {
    if (argc != 2) {
        std::fprintf(stderr, "usage: make_demo FOLDER\n");
        return 2;
    }
    try {
        const std::string folder = argv[1];
        make::write_step(folder + "/station.step", make::weather_station());
        make::write_step(folder + "/shelf.step", {{"instrument shelf", make::instrument_shelf(), {0.75, 0.55, 0.25}}});
    } catch (const std::exception& e) {
        std::fprintf(stderr, "make_demo: %s\n", e.what());
        return 1;
    }
    return 0;
}
