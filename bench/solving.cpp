// A quarter of a hemisphere of shells: assembly and recovery as a share of the bare factorization, and memory for each unknown.
#include <halvo/structure.hpp>

#include <benchmark/benchmark.h>

#include <sys/resource.h>
#include <cmath>

namespace {

using namespace halvo;

Structure hemisphere(int n) {
    Structure s;
    Material m;
    m.name = "steel", m.young = 210000, m.poisson = 0.3, m.density = 7.85e-9;
    s.materials = {m};
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
            const double f = pi / 2 * i / n, p = 72 * pi / 180 * j / n;
            s.nodes.emplace_back(1000 * std::cos(f) * std::cos(p), 1000 * std::sin(f) * std::cos(p), 1000 * std::sin(p));
        }
    const auto at = [&](int i, int j) { return j * (n + 1) + i; };
    for (int j = 0; j < n; ++j)
        for (int i = 0; i < n; ++i) {
            ShellPart p;
            p.nodes = {at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)}, p.thickness = 4;
            s.shells.push_back(p);
        }
    for (int i = 0; i <= n; ++i)
        for (int k = 0; k < 6; ++k) s.equations.push_back({{{6 * std::int64_t{at(i, 0)} + k, 1.0}}, 0, 0});
    return s;
}

// Argument: elements along a side; 220 have 291,000 unknowns, 408 a million.
void solving(benchmark::State& state) {
    const Structure s = hemisphere(static_cast<int>(state.range(0)));
    for (auto _ : state) {
        const Equations e(s);
        StructureLoads l;
        l.shell_pressure.assign(s.shells.size(), 0.1);
        const StructureState r = e.solve(l);
        benchmark::DoNotOptimize(r.energy);
        rusage self{};
        ::getrusage(RUSAGE_SELF, &self);
        state.counters["unknowns"] = static_cast<double>(e.unknowns());
        state.counters["factor_s"] = e.factor_seconds();
        state.counters["assembly_and_recovery_over_factor"] = (e.assembly_seconds() + e.recovery_seconds()) / e.factor_seconds();
        state.counters["residual"] = r.residual;
        state.counters["peak_GB"] = static_cast<double>(self.ru_maxrss) / 1024 / 1024;
    }
}
BENCHMARK(solving)->Arg(60)->Arg(220)->Iterations(1)->Unit(benchmark::kSecond);

}  // namespace
