// Stage times as ratios to the time the CAD kernel needs to read the same file, both taken in one run.
#include "shapes.hpp"

#include <halvo/halvo.hpp>

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <chrono>
#include <filesystem>

namespace {

using namespace halvo;

// 200 plates in a rack of 100 tubes: four posts for each of 25 bays, eight shelves a bay resting against them.
std::string big_assembly() {
    static const std::string file = [] {
        const std::string name = (std::filesystem::temp_directory_path() / "halvo-bench-rack.step").string();
        std::vector<make::Item> items;
        for (int bay = 0; bay < 25; ++bay) {
            const double x0 = (bay % 5) * 700.0, y0 = (bay / 5) * 700.0;
            for (int k = 0; k < 4; ++k)
                items.push_back({fmt::format("tube {}", items.size()), make::moved(make::extrude(make::rectangular_tube(40, 40, 3, 6), 1700),
                                                                                   make::place({x0 + (k % 2) * 600, y0 + (k / 2) * 600, 0}))});
            for (int s = 0; s < 8; ++s)
                items.push_back({fmt::format("plate {}", items.size()), make::cut(make::box({x0 + 20, y0 - 20, 150 + 200.0 * s}, {560, 640, 4}),
                                                                                  {make::cylinder({x0 + 300, y0 + 300, 0}, Vec3::UnitZ(), 40, 2000)})});
        }
        make::write_step(name, items);
        return name;
    }();
    return file;
}

double seconds(const std::function<void()>& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

void stages(benchmark::State& state, const std::string& file, double size) {
    double kernel = 0, reading = 0, surveying = 0, halving = 0, joining = 0, meshing = 0, proving = 0;
    std::size_t elements = 0;
    for (auto _ : state) {
        kernel += make::kernel_read_seconds(file);
        Assembly solids;
        Model model;
        Mesh m;
        reading += seconds([&] { solids = read(file); });
        surveying += seconds([&] { benchmark::DoNotOptimize(survey(solids)); });
        halving += seconds([&] { model = halve(solids); });
        joining += seconds([&] { join(model, solids); });
        meshing += seconds([&] { m = mesh(model, {size}); });
        proving += seconds([&] { benchmark::DoNotOptimize(prove(solids, model, m)); });
        elements = m.elements.size();
    }
    state.counters["kernel_s"] = kernel / static_cast<double>(state.iterations());
    state.counters["read/kernel"] = reading / kernel;
    state.counters["survey/kernel"] = surveying / kernel;
    state.counters["halve/kernel"] = halving / kernel;
    state.counters["join/kernel"] = joining / kernel;
    state.counters["mesh/kernel"] = meshing / kernel;
    state.counters["prove/kernel"] = proving / kernel;
    state.counters["all/kernel"] = (reading + surveying + halving + joining + meshing + proving) / kernel;
    state.counters["elements"] = static_cast<double>(elements);
}

void demo_station(benchmark::State& state) {
    stages(state, HALVO_SOURCE "/demo/station.step", 25);
}
void rack_200_plates_100_tubes(benchmark::State& state) {
    stages(state, big_assembly(), 40);
}

BENCHMARK(demo_station)->Unit(benchmark::kSecond)->Iterations(3);
BENCHMARK(rack_200_plates_100_tubes)->Unit(benchmark::kSecond)->Iterations(2);

}  // namespace

BENCHMARK_MAIN();
