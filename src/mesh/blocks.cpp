#include "mesh/blocks.hpp"

#include "core/index.hpp"
#include "geom/cross.hpp"
#include "mesh/corners.hpp"
#include "mesh/quads.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

// A grid of a by b quads whose outline is given from its first corner on, counter-clockwise; points inside as a Coons patch.
void add_block(PlanarMesh& out, const std::vector<int>& outline, std::size_t a, std::size_t b) {
    std::vector<int> id((a + 1) * (b + 1), -1);
    const auto at = [&](std::size_t i, std::size_t j) -> int& { return id[j * (a + 1) + i]; };
    for (std::size_t i = 0; i <= a; ++i) at(i, 0) = outline[i], at(i, b) = outline[2 * a + b - i];
    for (std::size_t j = 0; j <= b; ++j) at(a, j) = outline[a + j], at(0, j) = outline[(2 * (a + b) - j) % outline.size()];
    const auto p = [&](std::size_t i, std::size_t j) { return out.points[ix(at(i, j))]; };
    for (std::size_t j = 1; j < b; ++j)
        for (std::size_t i = 1; i < a; ++i) {
            const double u = static_cast<double>(i) / static_cast<double>(a), v = static_cast<double>(j) / static_cast<double>(b);
            const Vec2 q = (1 - v) * p(i, 0) + v * p(i, b) + (1 - u) * p(0, j) + u * p(a, j) - (1 - u) * (1 - v) * p(0, 0) - u * (1 - v) * p(a, 0) -
                           (1 - u) * v * p(0, b) - u * v * p(a, b);
            at(i, j) = static_cast<int>(out.points.size());
            out.points.push_back(q);
        }
    for (std::size_t j = 0; j < b; ++j)
        for (std::size_t i = 0; i < a; ++i) out.elements.push_back({at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)});
}

}  // namespace

std::optional<PlanarMesh> block_in_ring(const PlanarInput& input, std::size_t turn) {
    if (input.loops.size() != 1 || !input.inner.empty() || input.loops[0].size() != input.points.size()) return std::nullopt;
    const auto& loop = input.loops[0];
    const std::size_t n = loop.size();
    if (n < 6 || n % 2 || n > most_round_block) return std::nullopt;
    Vec2 centre = Vec2::Zero();
    for (int i : loop) centre += input.points[ix(i)] / static_cast<double>(n);
    for (std::size_t i = 0; i < n; ++i)
        if (cross(input.points[ix(loop[i])] - centre, input.points[ix(loop[(i + 1) % n])] - centre) <= 0) return std::nullopt;
    PlanarMesh out{input.points, {}};
    // The row is about as wide as its elements are long.
    const double share = std::clamp(1 - 0.85 * 2 * pi / static_cast<double>(n), 0.45, 0.85);
    std::vector<int> inner;
    for (std::size_t k = 0; k < n; ++k) {
        inner.push_back(static_cast<int>(out.points.size()));
        out.points.emplace_back(centre + share * (input.points[ix(loop[(turn + k) % n])] - centre));
    }
    for (std::size_t k = 0; k < n; ++k) out.elements.push_back({loop[(turn + k) % n], loop[(turn + k + 1) % n], inner[(k + 1) % n], inner[k]});
    const std::size_t a = n / 4;
    add_block(out, inner, a, n / 2 - a);
    improve(out, n, n, {});
    return std::all_of(out.elements.begin(), out.elements.end(), [&](const auto& e) { return planar_quality(out.points, e) > 0; })
               ? std::optional(std::move(out))
               : std::nullopt;
}

std::optional<PlanarMesh> three_blocks(const PlanarInput& input) {
    if (input.loops.size() != 1 || !input.inner.empty() || input.loops[0].size() != input.points.size()) return std::nullopt;
    const auto corners = corners_of(input.points, input.loops[0]);
    if (!corners || corners->size() != 3) return std::nullopt;
    const auto& loop = input.loops[0];
    const int n = static_cast<int>(loop.size());
    std::array<int, 3> from{}, count{}, split{};
    for (std::size_t k = 0; k < 3; ++k) from[k] = static_cast<int>((*corners)[k]);
    for (std::size_t k = 0; k < 3; ++k) count[k] = (from[(k + 1) % 3] - from[k] + n) % n;
    // Up to where on its side each corner's block reaches: rows that come from one side leave through the next.
    for (std::size_t k = 0; k < 3; ++k) {
        const int twice = count[k] + count[(k + 1) % 3] - count[(k + 2) % 3];
        if (twice < 2 || twice % 2) return std::nullopt;
        split[k] = twice / 2;
    }
    PlanarMesh out{input.points, {}};
    const auto at = [&](int place) { return loop[ix(((place % n) + n) % n)]; };
    Vec2 middle = Vec2::Zero();
    for (std::size_t k = 0; k < 3; ++k) middle += out.points[ix(at(from[k] + split[k]))] / 3;
    const int centre = static_cast<int>(out.points.size());
    out.points.push_back(middle);
    // From the split of side k to the middle, both included.
    std::array<std::vector<int>, 3> spokes;
    for (std::size_t k = 0; k < 3; ++k) {
        const int first = at(from[k] + split[k]), pieces = split[(k + 1) % 3];
        spokes[k].push_back(first);
        for (int i = 1; i < pieces; ++i) {
            spokes[k].push_back(static_cast<int>(out.points.size()));
            const double w = static_cast<double>(i) / pieces;
            out.points.emplace_back((1 - w) * out.points[ix(first)] + w * middle);
        }
        spokes[k].push_back(centre);
    }
    for (std::size_t k = 0; k < 3; ++k) {
        const std::size_t before = (k + 2) % 3;
        const int a = split[k], b = count[before] - split[before];
        std::vector<int> outline;
        for (int i = 0; i <= a; ++i) outline.push_back(at(from[k] + i));
        for (std::size_t i = 1; i < spokes[k].size(); ++i) outline.push_back(spokes[k][i]);
        for (std::size_t i = spokes[before].size() - 1; i-- > 0;) outline.push_back(spokes[before][i]);
        for (int i = b - 1; i > 0; --i) outline.push_back(at(from[k] - i));
        add_block(out, outline, static_cast<std::size_t>(a), static_cast<std::size_t>(b));
    }
    improve(out, input.points.size(), input.points.size(), {});
    return std::all_of(out.elements.begin(), out.elements.end(), [&](const auto& e) { return planar_quality(out.points, e) > 0; })
               ? std::optional(std::move(out))
               : std::nullopt;
}

}  // namespace halvo
