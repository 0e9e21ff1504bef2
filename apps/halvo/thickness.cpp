#include "thickness.hpp"

#include "progress.hpp"
#include "text.hpp"

#include <halvo/grid.hpp>
#include <halvo/io.hpp>
#include <halvo/thickness.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

using namespace halvo;

namespace {

void put_cell_array(Grid& grid, const std::string& name, const std::string& type, std::vector<double> values) {
    const auto known = std::find_if(grid.cell_data.begin(), grid.cell_data.end(), [&](const GridArray& a) { return a.name == name; });
    GridArray a{name, type, 1, std::move(values)};
    if (known == grid.cell_data.end()) grid.cell_data.push_back(std::move(a));
    else *known = std::move(a);
}

}  // namespace

int give_thickness(const ThicknessArguments& a, bool json, bool quiet) {
    Grid grid = read_grid(a.mesh);
    SourceOptions source;
    source.unit = a.unit;
    const Assembly solids = read(a.solid, source, terminal_observer(quiet));
    end_progress();
    std::vector<Vec3> nodes;
    for (const Vec3& p : grid.points) nodes.emplace_back(p - solids.shift);
    std::vector<std::array<std::int64_t, 4>> shells;
    std::vector<std::size_t> cell_of;
    for (std::size_t i = 0; i < grid.types.size(); ++i)
        if (const auto s = grid.shell(i); s[0] >= 0) shells.push_back(s), cell_of.push_back(i);
    if (shells.empty()) throw Error(ErrorKind::input, a.mesh + ": it holds no triangles and no quads; give a mesh of shell elements");
    const auto found = shell_thickness(solids, nodes, shells);
    std::vector<double> thickness(grid.types.size(), 0), offset(grid.types.size(), 0), body(grid.types.size(), -1);
    std::vector<std::size_t> missing;
    double low = 1e300, high = 0;
    for (std::size_t k = 0; k < shells.size(); ++k) {
        const ShellThickness& t = found[k];
        if (!t.body) {
            missing.push_back(k);
            continue;
        }
        thickness[cell_of[k]] = t.thickness, offset[cell_of[k]] = t.offset, body[cell_of[k]] = solids.bodies[t.body.index()].number;
        low = std::min(low, t.thickness), high = std::max(high, t.thickness);
    }
    if (missing.size() == shells.size())
        throw Error(ErrorKind::input,
                    fmt::format("{}: none of its {} shell elements lies in a solid of {}; check units and positions", a.mesh, shells.size(), a.solid));
    put_cell_array(grid, "thickness", "Float64", std::move(thickness));
    put_cell_array(grid, "offset", "Float64", std::move(offset));
    put_cell_array(grid, "solid", "Int32", std::move(body));
    write_grid(a.out, grid);
    const auto centre = [&](std::size_t k) {
        Vec3 c = Vec3::Zero();
        const double n = shells[k][3] < 0 ? 3 : 4;
        for (std::int64_t v : shells[k])
            if (v >= 0) c += grid.points[static_cast<std::size_t>(v)] / n;
        return c;
    };
    if (json) {
        nlohmann::ordered_json none = nlohmann::ordered_json::array();
        for (std::size_t k : missing) {
            const Vec3 c = centre(k);
            none.push_back({{"cell", cell_of[k]}, {"place", {c.x(), c.y(), c.z()}}});
        }
        fmt::print("{}\n", nlohmann::ordered_json{{"shells", shells.size()}, {"thinnest", low}, {"thickest", high}, {"without", none}}.dump(1));
        return 0;
    }
    fmt::print("{}: {} of {} shell elements lie in a solid, {} mm thick\n", a.out, shells.size() - missing.size(), shells.size(), ::thickness(low, high));
    if (!missing.empty()) fmt::print("  {} found no solid and have thickness 0:\n", missing.size());
    constexpr std::size_t most = 20;
    for (std::size_t i = 0; i < std::min(most, missing.size()); ++i)
        fmt::print("    cell {} at {}\n", cell_of[missing[i]], at(centre(missing[i]), Vec3::Zero()));
    if (missing.size() > most) fmt::print("    and {} more; --json lists all\n", missing.size() - most);
    return 0;
}
