// Linked with the core library alone: no CAD kernel, no GL, no database. The test reads this program's own list of libraries.
#include <halvo/join.hpp>
#include <halvo/mesh.hpp>

#include <cstdio>
#include <fstream>
#include <string>

int main() {
    halvo::Model model;
    halvo::add_plate(model, {{0, 0, 0}, {100, 0, 0}, {100, 80, 0}, {0, 80, 0}}, 4);
    halvo::add_plate(model, {{0, 40, 2}, {100, 40, 2}, {100, 40, 50}, {0, 40, 50}}, 3);
    halvo::join(model);
    const halvo::Mesh mesh = halvo::mesh(model, {10});
    std::ifstream maps("/proc/self/maps");
    for (std::string line; std::getline(maps, line);)
        for (const char* name : {"libTK", "libGL", "libOSMesa", "sqlite"})
            if (line.find(name) != std::string::npos) {
                std::printf("loaded: %s\n", line.c_str());
                return 1;
            }
    std::printf("%d quads in %d part\n", mesh.quads, mesh.parts);
    return mesh.parts == 1 && mesh.quads > 50 ? 0 : 1;
}
