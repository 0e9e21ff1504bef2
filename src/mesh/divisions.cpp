#include "mesh/divisions.hpp"

#include "core/groups.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace halvo {
namespace {

constexpr double corner_turn = 50 * pi / 180;  // more than this is a corner of a four-sided region
constexpr double smooth_turn = 25 * pi / 180;  // less than this is none
constexpr double arc_step = 46 * pi / 180;     // an element spans at most this on an arc
constexpr double bend_step = 31 * pi / 180;    // and this where the sheet itself is bent
constexpr double agree = 1.6;                  // opposite sides whose lengths differ by less get the same count

Vec3 tangent(const Model& model, const EdgeUse& u, bool at_end) {
    const Curve& c = model.edges[u.edge.index()].curve;
    const bool end = at_end != u.reversed;
    const Vec3 d = c.derivative(end ? c.t1 : c.t0).normalized();
    return u.reversed ? Vec3(-d) : d;
}

VertexId first_vertex(const Model& model, const EdgeUse& u) {
    return model.edges[u.edge.index()].vertices[u.reversed ? 1 : 0];
}

int least_on(const Curve& c, double step) {
    if (c.is_line()) return 1;
    if (const auto* p = std::get_if<PolylineCurve>(&c.shape)) {
        double turn = 0;
        for (std::size_t i = 0; i + 1 < p->tangents.size(); ++i)
            turn += std::atan2(p->tangents[i].cross(p->tangents[i + 1]).norm(), p->tangents[i].dot(p->tangents[i + 1]));
        return std::max(1, static_cast<int>(std::ceil(turn / step)));
    }
    return std::max(1, static_cast<int>(std::ceil((c.t1 - c.t0) / step - 1e-9)));
}

}  // namespace

std::vector<std::vector<std::size_t>> four_sides(const Model& model, const Sheet& sheet, const Region& region) {
    if (region.loops.size() != 1 || !region.embedded.empty() || !region.points.empty()) return {};
    const auto& loop = region.loops[0];
    std::vector<std::size_t> corners;
    for (std::size_t i = 0; i < loop.size(); ++i) {
        const Vec3 in = tangent(model, loop[(i + loop.size() - 1) % loop.size()], true), out = tangent(model, loop[i], false);
        const Vec3 normal = sheet.chart.normal(model.vertices[first_vertex(model, loop[i]).index()].point);
        const double turn = std::atan2(normal.dot(in.cross(out)), in.dot(out));
        if (turn > corner_turn) corners.push_back(i);
        else if (std::abs(turn) > smooth_turn) return {};
    }
    if (corners.size() != 4) return {};
    std::vector<std::vector<std::size_t>> sides(4);
    for (std::size_t k = 0; k < 4; ++k)
        for (std::size_t i = corners[k]; i != corners[(k + 1) % 4]; i = (i + 1) % loop.size()) sides[k].push_back(i);
    return sides;
}

double default_size(const Model& model) {
    Box3 box;
    double thick = 0;
    for (const Vertex& v : model.vertices) box.extend(v.point);
    for (const Sheet& s : model.sheets) thick = std::max(thick, s.thickness.max);
    if (box.isEmpty()) return 1;
    Vec3 centre = Vec3::Zero();
    for (const Vertex& v : model.vertices) centre += v.point / static_cast<double>(model.vertices.size());
    double radius = 0;
    for (const Vertex& v : model.vertices) radius = std::max(radius, (v.point - centre).norm());
    return std::max({radius / 50, 2 * thick, 1e-6});
}

std::vector<int> edge_divisions(const Model& model, const MeshOptions& options) {
    const double size = options.size > 0 ? options.size : default_size(model);
    const double largest = options.largest > 0 ? options.largest : size * 1.5;
    const double smallest = options.smallest > 0 ? options.smallest : size / 5;
    Groups groups(model.edges.size());
    std::vector<std::vector<std::vector<EdgeUse>>> mapped;
    for (const Sheet& s : model.sheets)
        for (const Region& r : s.regions)
            if (const auto sides = four_sides(model, s, r); !sides.empty()) {
                auto& uses = mapped.emplace_back(4);
                for (std::size_t k = 0; k < 4; ++k)
                    for (std::size_t i : sides[k]) uses[k].push_back(r.loops[0][i]);
            }
    for (const auto& sides : mapped)
        for (std::size_t k : {0U, 1U}) {
            if (sides[k].size() != 1 || sides[k + 2].size() != 1) continue;
            const double a = model.length(sides[k][0].edge), b = model.length(sides[k + 2][0].edge);
            if (std::max(a, b) <= agree * std::min(a, b)) groups.tie(sides[k][0].edge.value, sides[k + 2][0].edge.value);
        }
    for (const EdgeLink& l : model.edge_links) groups.tie(l.a.value, l.b.value);
    std::vector<double> sum(model.edges.size(), 0.0);
    std::vector<int> count(model.edges.size(), 0), least(model.edges.size(), 1), of_group(model.edges.size(), 1);
    std::vector<bool> bent(model.edges.size(), false);
    for (const Sheet& s : model.sheets)
        if (!s.chart.flat())
            for (const Region& r : s.regions)
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) bent[u.edge.index()] = true;
    for (std::size_t e = 0; e < model.edges.size(); ++e) {
        const auto g = static_cast<std::size_t>(groups.root(static_cast<int>(e)));
        const Curve& c = model.edges[e].curve;
        const double length = c.length();
        sum[g] += length, ++count[g];
        // Arcs are divided by angle, but not finer than the smallest size allows; closed ones evenly and at least in six.
        int n = std::min(least_on(c, bent[e] ? bend_step : arc_step), std::max(1, static_cast<int>(length / smallest)));
        if (model.edges[e].vertices[0] == model.edges[e].vertices[1]) n = std::max(n, 6);
        least[g] = std::max({least[g], n, static_cast<int>(std::ceil(length / largest - 1e-9))});
    }
    for (std::size_t e = 0; e < model.edges.size(); ++e) {
        const auto g = static_cast<std::size_t>(groups.root(static_cast<int>(e)));
        int n = std::max(least[g], static_cast<int>(std::lround(sum[g] / count[g] / size)));
        if (model.edges[e].vertices[0] == model.edges[e].vertices[1] && n % 2) ++n;
        of_group[g] = std::max(of_group[g], n);
    }
    std::vector<int> out(model.edges.size());
    for (std::size_t e = 0; e < out.size(); ++e) out[e] = of_group[static_cast<std::size_t>(groups.root(static_cast<int>(e)))];
    // Where one side is a chain, the single edge opposite follows its count.
    for (int round = 0; round < 3; ++round)
        for (const auto& sides : mapped)
            for (std::size_t k = 0; k < 4; ++k) {
                if (sides[k].size() != 1 || sides[(k + 2) % 4].size() < 2) continue;
                const int g = groups.root(sides[k][0].edge.value);
                if (count[static_cast<std::size_t>(g)] > 1) continue;
                int n = 0;
                double length = 0;
                for (const EdgeUse& u : sides[(k + 2) % 4]) n += out[u.edge.index()], length += model.length(u.edge);
                const double own = model.length(sides[k][0].edge);
                if (std::max(own, length) <= agree * std::min(own, length)) out[sides[k][0].edge.index()] = n;
            }
    return out;
}

}  // namespace halvo
