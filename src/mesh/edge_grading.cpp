#include "mesh/edge_grading.hpp"

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo {
namespace {

// Parts have round measures: thresholds are none, so that rounding does not decide.
constexpr double beside = 1.213;       // of the size: what is nearer to an edge has one of its nodes stand by it
constexpr double close_by = 0.487;     // of the size: and is it this near, finer ones
constexpr double finest_beside = 0.2;  // of the size, however near it is
constexpr int steps = 200;             // along an edge, in which sizes are summed up

}  // namespace

EdgeGrading::EdgeGrading(const Model& model, const std::vector<double>& sizes, const std::vector<bool>& even, const std::vector<bool>& round, double growth) {
    for (const Sheet& s : model.sheets)
        for (const Region& r : s.regions) {
            if (r.points.empty() && r.embedded.empty()) continue;
            std::set<VertexId> inside(r.points.begin(), r.points.end());
            std::set<EdgeId> edges(r.embedded.begin(), r.embedded.end());
            for (EdgeId e : r.embedded) inside.insert(model.edges[e.index()].vertices.begin(), model.edges[e.index()].vertices.end());
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) edges.insert(u.edge);
            for (EdgeId e : edges)
                for (VertexId v : inside)
                    if (!even[e.index()] && !round[e.index()]) look_beside(model, sizes, e.index(), v);
        }
    std::vector<double> at_vertex(model.vertices.size(), std::numeric_limits<double>::max());
    for (std::size_t e = 0; e < model.edges.size(); ++e)
        for (VertexId v : model.edges[e].vertices) at_vertex[v.index()] = std::min(at_vertex[v.index()], sizes[e]);
    const double slope = growth - 1;
    for (std::size_t e = 0; e < model.edges.size(); ++e) {
        const Edge& edge = model.edges[e];
        const double h = sizes[e], a = at_vertex[edge.vertices[0].index()], b = at_vertex[edge.vertices[1].index()];
        const auto it = beside_.find(e);
        if (even[e] || (std::min(a, b) > h * (1 - 1e-9) && it == beside_.end())) continue;
        const double length = edge.curve.length();
        auto& passed = passed_[e];
        passed.push_back(0);
        for (int k = 0; k < steps; ++k) {
            const double x = (k + 0.5) / steps * length;
            double size = std::min({h, a + slope * x, b + slope * (length - x)});
            if (it != beside_.end())
                for (const Beside& o : it->second) size = std::min(size, o.size + slope * std::abs(x - o.share * length));
            passed.push_back(passed.back() + length / steps / size);
        }
    }
}

void EdgeGrading::look_beside(const Model& model, const std::vector<double>& sizes, std::size_t e, VertexId v) {
    const Edge& edge = model.edges[e];
    if (edge.vertices[0] == v || edge.vertices[1] == v) return;
    const Vec3& p = model.vertices[v.index()].point;
    const double h = sizes[e];
    if (edge.curve.box().squaredExteriorDistance(p) > beside * beside * h * h) return;
    const double t = edge.curve.nearest(p), d = (edge.curve.point(t) - p).norm(), length = edge.curve.length();
    const double share = edge.curve.length(edge.curve.t0, t) / length, size = d < close_by * h ? std::max(d, finest_beside * h) : h;
    if (d < beside * h && std::min(share, 1 - share) * length > close_by * size) beside_[e].push_back({share, size});
}

std::map<std::size_t, double> EdgeGrading::elements() const {
    std::map<std::size_t, double> out;
    for (const auto& [e, passed] : passed_) out[e] = passed.back();
    return out;
}

std::vector<double> EdgeGrading::places(std::size_t edge, int n) const {
    const auto graded = passed_.find(edge);
    if (graded == passed_.end()) return {};
    const std::vector<double>& passed = graded->second;
    // Nodes stand evenly in the number of elements passed, and one of them next to each thing beside the edge.
    std::map<int, double> fixed{{0, 0.0}, {n, passed.back()}};
    if (const auto it = beside_.find(edge); it != beside_.end())
        for (const Beside& o : it->second) {
            const double x = o.share * steps;
            const auto k = static_cast<std::size_t>(std::min(x, steps - 1.0));
            const double here = passed[k] + (x - static_cast<double>(k)) * (passed[k + 1] - passed[k]);
            const int i = static_cast<int>(std::lround(here / passed.back() * n - 1e-6));
            const auto after = fixed.lower_bound(i);
            if (after->first != i && after->second > here && std::prev(after)->second < here) fixed.emplace(i, here);
        }
    std::vector<double> out;
    std::size_t k = 0;
    for (int i = 1; i < n; ++i) {
        const auto to = fixed.lower_bound(i);
        const auto from = to->first == i ? to : std::prev(to);
        const double part = to->first == i ? 0 : static_cast<double>(i - from->first) / (to->first - from->first);
        const double wanted = from->second + part * (to->second - from->second);
        while (k + 2 < passed.size() && passed[k + 1] < wanted) ++k;
        out.push_back((static_cast<double>(k) + (wanted - passed[k]) / (passed[k + 1] - passed[k])) / steps);
    }
    return out;
}

}  // namespace halvo
