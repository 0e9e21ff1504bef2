#include <halvo/assembly.hpp>
#include <halvo/halve.hpp>
#include <halvo/options.hpp>
#include <fmt/format.h>
#include <filesystem>
namespace halvo { Assembly read(const std::filesystem::path& file, const SourceOptions& options, const Observer& observer); }
using namespace halvo;
int main(int c, char** v) {
    for (int i = 1; i < c; ++i) {
    auto a = read(v[i], {}, {});
    auto m = halve(a);
    for (auto& b : a.bodies) {
        double f=0; for (size_t k=0;k<b.facets.size();++k){auto&t=b.facets[k].corners; f+=b.points[t[0]].dot(b.points[t[1]].cross(b.points[t[2]]))/6;}
        fmt::print("{:20} {:12} vol {:.3f} facets {:.3f} area {:.3f} closed {}\n", b.name, b.key, b.mass.volume, f, b.mass.area, b.closed);
        for (auto& s : m.sheets) if (&a.bodies[s.body]==&b) fmt::print("    sheet {} area {:.4f} t {:.3f} {:.3f} {:.3f} regions {} emb {}\n", s.key, s.area(), s.thickness.min, s.thickness.mean, s.thickness.max, s.regions.size(), s.regions[0].embedded.size());
        for (auto& s : m.members) if (&a.bodies[s.body]==&b) { auto& k=m.sections[s.section.index()]; fmt::print("    member {} L {:.4f} {} A {:.3f} I {:.1f} {:.1f} {:.1f} J {:.1f} sc {:.3f} {:.3f}\n", s.key, s.own_length, k.shape, k.area, k.iyy, k.izz, k.iyz, k.j, k.shear_centre.x(), k.shear_centre.y());}
    }
    for (auto& s: seams(m)) fmt::print("  seam {} {} L {:.4f}\n", s.edge.value, s.kind, m.length(s.edge));
    for (auto& f: m.findings) fmt::print("  ! {}\n", f.about);
    for (auto& f: m.ledger) fmt::print("  - {} {} {}\n", f.key, f.kind, f.about);
    fmt::print("parts {}\n", connected_parts(m).count);
    }
}
