#include "solve/shell_facets.hpp"

#include "core/index.hpp"

#include <algorithm>

namespace halvo {

ShellFacets shell_facets(const Structure& s) {
    ShellFacets out;
    for (std::size_t i = 0; i < s.shells.size(); ++i) {
        const auto& n = s.shells[i].nodes;
        for (int k = 2; k < s.shells[i].count(); ++k) out.corners.push_back({n[0], n[ix(k - 1)], n[ix(k)]}), out.shell.push_back(static_cast<std::int32_t>(i));
    }
    return out;
}

std::map<std::pair<std::int32_t, std::int32_t>, std::vector<std::int32_t>> shells_at_sides(const Structure& s) {
    std::map<std::pair<std::int32_t, std::int32_t>, std::vector<std::int32_t>> out;
    for (std::size_t i = 0; i < s.shells.size(); ++i) {
        const ShellPart& p = s.shells[i];
        for (int k = 0; k < p.count(); ++k) out[std::minmax(p.nodes[ix(k)], p.nodes[ix((k + 1) % p.count())])].push_back(static_cast<std::int32_t>(i));
    }
    return out;
}

}  // namespace halvo
