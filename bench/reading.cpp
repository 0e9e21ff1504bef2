// Reading and survey of large files: time and memory as ratios to the CAD kernel's reader alone, each in a process of its own.
// HALVO_BENCH_MB sets the size of the large file (default 20).
#include "spoilt.hpp"
#include "step_text.hpp"

#include <halvo/halvo.hpp>

#include <benchmark/benchmark.h>
#include <fmt/format.h>

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#include <chrono>
#include <filesystem>
#include <fstream>
#include <functional>

namespace {

using namespace halvo;

struct Cost {
    double seconds = 0, megabytes = 0;
};

// Time of each piece of some work in a child process, and its peak memory up to then with its own children's.
std::vector<Cost> costs_of(const std::vector<std::function<void()>>& work) {
    int fd[2];
    if (::pipe(fd) != 0) throw std::runtime_error("no pipe");
    const pid_t pid = ::fork();
    if (pid == 0) {
        for (const auto& piece : work) {
            const auto start = std::chrono::steady_clock::now();
            piece();
            Cost c;
            c.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
            rusage self{}, children{};
            ::getrusage(RUSAGE_SELF, &self), ::getrusage(RUSAGE_CHILDREN, &children);
            c.megabytes = static_cast<double>(self.ru_maxrss + children.ru_maxrss) / 1024;
            if (::write(fd[1], &c, sizeof c) != sizeof c) ::_exit(1);
        }
        ::_exit(0);
    }
    ::close(fd[1]);
    std::vector<Cost> out;
    for (Cost c; ::read(fd[0], &c, sizeof c) == sizeof c;) out.push_back(c);
    ::close(fd[0]);
    ::waitpid(pid, nullptr, 0);
    if (out.size() != work.size()) throw std::runtime_error("a stage failed");
    return out;
}

std::string made(const std::string& name, const std::function<void(const std::string&)>& write) {
    const std::string file = (std::filesystem::temp_directory_path() / ("halvo-bench-" + name + ".step")).string();
    if (!std::filesystem::exists(file)) write(file);
    return file;
}

make::Solid perforated_plate(int nx, int ny) {
    std::vector<std::vector<Curve>> loops = {make::polygon({{0, 0}, {20.0 * nx, 0}, {20.0 * nx, 20.0 * ny}, {0, 20.0 * ny}})};
    for (int i = 0; i < nx; ++i)
        for (int j = 0; j < ny; ++j) loops.push_back(make::reversed(make::circle(6, {20.0 * i + 10, 20.0 * j + 10})));
    return make::extrude(loops, 3);
}

// Each stage in one process after the other, so that a stage's time is its own and not the difference of two runs.
std::vector<Cost> stages_of(const std::string& file) {
    Assembly solids;
    return costs_of({[&] { solids = read(file); }, [&] { benchmark::DoNotOptimize(survey(solids)); }, [&] { benchmark::DoNotOptimize(halve(solids)); }});
}

void measure(benchmark::State& state, const std::string& file) {
    Cost kernel;
    std::vector<Cost> ours;
    for (auto _ : state) {
        kernel = costs_of({[&] { benchmark::DoNotOptimize(make::kernel_read_seconds(file)); }}).at(0);
        ours = stages_of(file);
    }
    state.counters["file_MB"] = static_cast<double>(std::filesystem::file_size(file)) / 1e6;
    state.counters["kernel_s"] = kernel.seconds;
    state.counters["kernel_MB"] = kernel.megabytes;
    const char* names[] = {"read", "survey", "halve"};
    for (std::size_t k = 0; k < ours.size(); ++k) {
        state.counters[fmt::format("{}/kernel", names[k])] = ours[k].seconds / kernel.seconds;
        state.counters[fmt::format("{}_memory/kernel", names[k])] = ours[k].megabytes / kernel.megabytes;
    }
    state.counters["halve_s"] = ours.back().seconds;
}

// Combs of thin teeth side by side in one skin, four faces and one wall a tooth. (A single face with ten thousand sides would measure the
// kernel's own checks, which take the square of that.)
void faces_in_one_body(benchmark::State& state) {
    const int faces = static_cast<int>(state.range(0)), teeth = std::min(250, faces / 4), combs = std::max(1, faces / 4 / teeth);
    measure(state, made(fmt::format("faces-{}", faces), [&](const std::string& f) {
                std::vector<Vec2> corners = {{0, 0}, {6.0 * teeth, 0}};
                for (int i = teeth - 1; i >= 0; --i)
                    for (const Vec2& p : {Vec2(6.0 * i + 4, 4), Vec2(6.0 * i + 4, 30), Vec2(6.0 * i + 2, 30), Vec2(6.0 * i + 2, 4)}) corners.push_back(p);
                corners.insert(corners.begin() + 2, Vec2(6.0 * teeth, 4));
                corners.emplace_back(0, 4);
                const make::Solid comb = make::extrude({make::polygon(corners)}, 20);
                make::Solid all = comb;
                for (int k = 1; k < combs; ++k) all = make::in_one_skin(all, make::moved(comb, make::place({0, 0, 40.0 * k})));
                make::write_step(f, {{"combs", all}});
            }));
}

void a_thousand_bodies(benchmark::State& state) {
    measure(state, made("bodies", [](const std::string& f) {
                std::vector<make::Item> items;
                for (int i = 0; i < 1000; ++i)
                    items.push_back({fmt::format("tile {}", i), make::moved(make::box({0, 0, 0}, {30, 10.0 + 0.001 * i, 3}),
                                                                            make::place({30.0 * (i % 10), 20.0 * ((i / 10) % 10), 15.0 * (i / 100)}))});
                make::write_step(f, items);
            }));
}

void a_thousand_places_of_one_part(benchmark::State& state) {
    measure(state, made("places", [](const std::string& f) {
                std::vector<Eigen::Isometry3d> places;
                for (int i = 0; i < 1000; ++i) places.push_back(make::place({250.0 * (i % 10), 130.0 * ((i / 10) % 10), 15.0 * (i / 100)}));
                make::write_step_assembly(f, "stack", {"plate", perforated_plate(12, 6)}, places);
            }));
}

void large_file(benchmark::State& state) {
    const char* wanted = std::getenv("HALVO_BENCH_MB");
    const int megabytes = wanted ? std::atoi(wanted) : 20;
    measure(state, made(fmt::format("large-{}", megabytes), [&](const std::string& f) {
                // A perforated plate of 12 x 6 holes is about a third of a megabyte.
                std::vector<make::Item> items;
                const make::Solid one = perforated_plate(12, 6);
                for (int i = 0; i * 0.34 < megabytes; ++i)
                    items.push_back({fmt::format("plate {}", i), make::moved(one, make::place({0, 0, 10.0 * i}, Vec3::UnitZ(), Vec3(1, 1e-3 * i, 0)))});
                make::write_step(f, items);
            }));
}

// A plate of n x n bores, whose two large faces have as many loops: against the kernel's parsing alone, since the rest takes it the square
// of the loops (44 s for 2,000).
void loops_in_one_face(benchmark::State& state) {
    const int n = static_cast<int>(state.range(0));
    const std::string file = made(fmt::format("loops-{}", n), [&](const std::string& f) { std::ofstream(f) << make::perforated(n, make::Bores::with_seam); });
    Assembly solids;
    for (auto _ : state) {
        const Cost parse = costs_of({[&] { benchmark::DoNotOptimize(make::kernel_parse_seconds(file)); }}).at(0);
        Survey seen;
        StripOptions all_bores;
        all_bores.holes = 8;
        const auto ours =
            costs_of({[&] { solids = read(file); }, [&] { seen = survey(solids); }, [&] { benchmark::DoNotOptimize(strip(solids, seen, all_bores)); }});
        state.counters["file_MB"] = static_cast<double>(std::filesystem::file_size(file)) / 1e6;
        state.counters["kernel_parse_s"] = parse.seconds;
        state.counters["read/parse"] = ours[0].seconds / parse.seconds;
        state.counters["survey/parse"] = ours[1].seconds / parse.seconds;
        state.counters["strip/parse"] = ours[2].seconds / parse.seconds;
        state.counters["read_MB"] = ours[0].megabytes;
    }
}

// So many boxes as loose faces that end 0.01 mm early: sewn, against the kernel's parsing alone (its transfer takes 3 s for 1,300 faces and
// minutes for 10,000).
void loose_faces(benchmark::State& state) {
    const int boxes = static_cast<int>(state.range(0));
    const std::string file = made(fmt::format("loose-{}", boxes), [&](const std::string& f) {
        std::vector<make::Item> items;
        for (int i = 0; i < boxes; ++i)
            items.push_back({"box", make::as_faces_with_gaps(make::box({20.0 * (i % 40), 20.0 * (i / 40), 0}, {10, 12, 14}), 0.02)});
        make::write_step(f, items);
    });
    Assembly solids;
    MendOptions options;
    options.sew = 0.05;
    for (auto _ : state) {
        const Cost parse = costs_of({[&] { benchmark::DoNotOptimize(make::kernel_parse_seconds(file)); }}).at(0);
        const auto ours = costs_of({[&] { solids = read(file); }, [&] { benchmark::DoNotOptimize(mend(solids, options)); }});
        state.counters["kernel_parse_s"] = parse.seconds;
        state.counters["read/parse"] = ours[0].seconds / parse.seconds;
        state.counters["mend/parse"] = ours[1].seconds / parse.seconds;
    }
}

BENCHMARK(loose_faces)->Arg(16)->Arg(160)->Arg(1600)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK(loops_in_one_face)->Arg(10)->Arg(32)->Arg(45)->Arg(100)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK(faces_in_one_body)->Arg(100)->Arg(1000)->Arg(10000)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK(a_thousand_bodies)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK(a_thousand_places_of_one_part)->Unit(benchmark::kSecond)->Iterations(1);
BENCHMARK(large_file)->Unit(benchmark::kSecond)->Iterations(1);

}  // namespace
