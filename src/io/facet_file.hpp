#pragma once
/// Own readers of facet files. They take bytes, never more memory than a few times those, and throw Error{input} whose
/// text starts with what is wrong and where; the caller puts the file's name in front.

#include <halvo/types.hpp>

#include <array>
#include <string>
#include <string_view>

namespace halvo::io {

/// Facets as a file gives them, polygons cut to triangles.
struct FacetFile {
    std::vector<Vec3> points;
    std::vector<std::array<int, 3>> facets;
    std::vector<int> group;  ///< of each facet
    std::vector<std::string> names;
    bool separate = false;  ///< groups are bodies of their own even where their points are the same
    std::size_t empty = 0;  ///< facets without area, passed over
};

[[nodiscard]] FacetFile parse_stl(std::string_view bytes);
[[nodiscard]] FacetFile parse_obj(std::string_view bytes);
[[nodiscard]] FacetFile parse_ply(std::string_view bytes);

/// Cuts a polygon of the file's points to triangles (ears in its own plane) and appends them.
void add_polygon(FacetFile& file, const std::vector<int>& corners, int group);

}  // namespace halvo::io
