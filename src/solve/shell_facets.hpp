#pragma once
/// The shells of a structure as a skin: their triangles, and who is at each side.

#include <halvo/structure.hpp>

#include <map>

namespace halvo {

/// Quads as two triangles from their first corner; `shell`: of each triangle.
struct ShellFacets {
    std::vector<std::array<int, 3>> corners;
    std::vector<std::int32_t> shell;
};
[[nodiscard]] ShellFacets shell_facets(const Structure& structure);

/// Shells at each side of an element, by its two nodes, the lower number first.
[[nodiscard]] std::map<std::pair<std::int32_t, std::int32_t>, std::vector<std::int32_t>> shells_at_sides(const Structure& structure);

}  // namespace halvo
