// Halves, meshes and proves parts made up by chance, straight and moved, and prints a line for each: for longer runs than the tests do.
#include "random_parts.hpp"

#include "support.hpp"

#include <fmt/format.h>

#include <chrono>
#include <cstdio>
#include <exception>

namespace {

using namespace halvo;

void run_one(const test::RandomPart& part, const make::Solid& solid, bool moved) {
    const auto start = std::chrono::steady_clock::now();
    const Job j = test::job_of_shells(solid, moved);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    double buried = 0;
    for (const Finding& f : findings_of(j))
        if (f.kind == FindingKind::edge_inside_the_solid) buried += f.size;
    fmt::print("{} {} {} {} bl {:.1f} ce {:.3f} parts {} sheets {} vol {:+.3f}% cov {:.4f} quads {:.1f}% sj {:.2f} {:.1f}s\n", part.family, part.number,
               moved ? 1 : 0, j.proof.within_bounds ? (buried > 0 ? "bur" : "ok") : "OUT", buried, j.proof.centroid_error, j.mesh.parts, j.model.sheets.size(),
               100 * j.proof.volume_error, j.proof.coverage, 100 * j.mesh.quality.quad_share, j.mesh.quality.min_scaled_jacobian, seconds);
    if (j.proof.within_bounds && buried == 0 && j.proof.coverage > 0.99) return;
    for (const Finding& f : findings_of(j))
        fmt::print("   [{}] {} at {:.1f} {:.1f} {:.1f}\n", kind_name(f.kind), f.about, f.place.x(), f.place.y(), f.place.z());
    for (const std::string& o : j.proof.outside) fmt::print("   outside: {}\n", o);
}

}  // namespace

int main(int count, char** words) {
    if (count < 4) {
        fmt::print(stderr, "usage: {} FAMILY|all FROM TO [FOLDER for STEP files]\n", words[0]);
        return 2;
    }
    const std::string wanted = words[1];
    for (const std::string& family : test::random_families()) {
        if (wanted != "all" && wanted != family) continue;
        for (int n = std::stoi(words[2]); n < std::stoi(words[3]); ++n) {
            const test::RandomPart part{family, n};
            try {
                const make::Solid solid = test::make_random(part);
                if (count > 4) make::write_step(fmt::format("{}/{}{}.step", words[4], family, n), {{"part", solid}});
                for (const bool moved : {false, true}) run_one(part, solid, moved);
            } catch (const std::exception& e) {
                fmt::print("{} {} failed: {}\n", family, n, e.what());
            } catch (...) {
                fmt::print("{} {} failed: the CAD kernel made no solid of it\n", family, n);
            }
            std::fflush(stdout);
        }
    }
    return 0;
}
