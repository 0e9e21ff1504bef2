// Meshing against a plain constrained Delaunay triangulation of as many points by a general geometry library, both in one run, and
// how time and memory grow with the number of elements.
#include <halvo/halvo.hpp>

#include <CGAL/Constrained_Delaunay_triangulation_2.h>
#include <CGAL/Exact_predicates_inexact_constructions_kernel.h>
#include <benchmark/benchmark.h>
#include <sys/resource.h>

#include <chrono>
#include <cmath>
#include <functional>
#include <map>

namespace {

using namespace halvo;
using Kernel = CGAL::Exact_predicates_inexact_constructions_kernel;
using Delaunay = CGAL::Constrained_Delaunay_triangulation_2<Kernel>;

double seconds(const std::function<void()>& work) {
    const auto start = std::chrono::steady_clock::now();
    work();
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

// A plate of free form with a leaning side and six-sided holes: nothing of it can be mapped.
Model plate() {
    Model m;
    std::vector<std::vector<Vec3>> holes;
    for (int i = 0; i < 5; ++i)
        for (int j = 0; j < 4; ++j) {
            auto& h = holes.emplace_back();
            for (int k = 5; k >= 0; --k) h.push_back(Vec3(150 + 160 * i + 30 * std::cos(k * pi / 3), 120 + 150 * j + 30 * std::sin(k * pi / 3), 0));
        }
    add_plate(m, {{0, 0, 0}, {1000, 0, 0}, {930, 700, 0}, {40, 640, 0}}, 5, holes);
    return m;
}

void against_plain_triangulation(benchmark::State& state) {
    const Model model = plate();
    MeshOptions o;
    o.size = std::sqrt(model.sheets[0].area() / static_cast<double>(state.range(0)));
    double ours = 0, plain = 0;
    std::size_t elements = 0;
    for (auto _ : state) {
        Mesh m;
        ours += seconds([&] { m = mesh(model, o); });
        elements = m.elements.size();
        // The same points, and the same sides of the outline as constraints.
        std::map<std::pair<int, int>, int> uses;
        for (const Element& e : m.elements)
            for (std::size_t k = 0; k < e.count; ++k)
                ++uses[std::pair(std::min(e.nodes[k], e.nodes[(k + 1) % e.count]), std::max(e.nodes[k], e.nodes[(k + 1) % e.count]))];
        plain += seconds([&] {
            Delaunay d;
            std::vector<Delaunay::Vertex_handle> at;
            at.reserve(m.nodes.size());
            for (const Vec3& p : m.nodes) at.push_back(d.insert({p.x(), p.y()}, at.empty() ? Delaunay::Face_handle() : at.back()->face()));
            for (const auto& [side, n] : uses)
                if (n == 1) d.insert_constraint(at[static_cast<std::size_t>(side.first)], at[static_cast<std::size_t>(side.second)]);
            benchmark::DoNotOptimize(d.number_of_faces());
        });
    }
    rusage used{};
    getrusage(RUSAGE_SELF, &used);
    state.counters["elements"] = static_cast<double>(elements);
    state.counters["ours/plain"] = ours / plain;
    state.counters["us/element"] = 1e6 * ours / static_cast<double>(state.iterations()) / static_cast<double>(elements);
    state.counters["peak_MB"] = static_cast<double>(used.ru_maxrss) / 1024;
}

BENCHMARK(against_plain_triangulation)->Arg(10000)->Arg(100000)->Arg(1000000)->Unit(benchmark::kSecond)->Iterations(3);

}  // namespace
