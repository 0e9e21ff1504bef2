#pragma once
/// Meshes of other programs: VTK XML unstructured grids, whatever their arrays are called.

#include <halvo/types.hpp>

#include <array>
#include <filesystem>

namespace halvo {

struct GridArray {
    std::string name, type;  ///< type as VTK calls it: Float64, Int32, ...
    int components = 1;
    std::vector<double> values;  ///< components run fastest
};

struct Grid {
    std::vector<Vec3> points;
    std::vector<std::int64_t> connectivity, ends;  ///< `ends[i]`: where cell i ends in `connectivity`
    std::vector<std::uint8_t> types;
    std::vector<GridArray> point_data, cell_data;

    /// Corner nodes of a shell cell (triangles and quads, linear or quadratic), -1 behind three; all -1 for other cells.
    [[nodiscard]] std::array<std::int64_t, 4> shell(std::size_t cell) const;
};

/// Reads .vtu: text, base64 or appended arrays, zlib-compressed or not, one piece or several. Throws Error{input}.
[[nodiscard]] Grid read_grid(const std::filesystem::path& file);
/// Writes .vtu beside its target and renames it.
void write_grid(const std::filesystem::path& file, const Grid& grid);

}  // namespace halvo
