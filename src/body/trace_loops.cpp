#include "body/trace_loops.hpp"

#include "core/index.hpp"

#include <cmath>
#include <map>

namespace halvo {
namespace {

class LoopTracer {
public:
    using EdgeOf = std::function<const BodyEdge&(BodyEdgeId)>;
    using Normal = std::function<Vec3(const Vec3&)>;
    LoopTracer(const std::vector<LoopUse>& uses, const EdgeOf& edge_of, const Normal& normal) : uses_(uses), edge_of_(edge_of), normal_(normal) {}

    std::optional<std::vector<std::vector<Coedge>>> run() {
        std::vector<std::size_t> next(uses_.size(), uses_.size());
        std::vector<bool> led_to(uses_.size(), false);
        for (std::size_t i = 0; i < uses_.size(); ++i)
            if (uses_[i].after >= 0) next[i] = static_cast<std::size_t>(uses_[i].after), led_to[next[i]] = true;
        std::map<int, std::vector<std::size_t>> from;  // by vertex: those that nothing leads to yet
        for (std::size_t i = 0; i < uses_.size(); ++i)
            if (!led_to[i]) from[vertex(uses_[i].use, false)].push_back(i);
        for (std::size_t i = 0; i < uses_.size(); ++i) {
            if (next[i] < uses_.size()) continue;
            auto& open = from[vertex(uses_[i].use, true)];
            if (open.empty()) return std::nullopt;
            const std::size_t k = open.size() == 1 ? 0 : first_inside(i, open);
            next[i] = open[k];
            open.erase(open.begin() + static_cast<std::ptrdiff_t>(k));
        }
        std::vector<std::vector<Coedge>> out;
        std::vector<bool> used(uses_.size(), false);
        for (std::size_t first = 0; first < uses_.size(); ++first) {
            std::vector<Coedge> loop;
            for (std::size_t i = first; !used[i]; i = next[i]) used[i] = true, loop.push_back(uses_[i].use);
            if (!loop.empty()) out.push_back(std::move(loop));
        }
        return out;
    }

private:
    [[nodiscard]] int vertex(const Coedge& c, bool end) const { return edge_of_(c.edge).vertices[c.reversed == end ? 0 : 1]; }

    // Away from the vertex at the start of a coedge, or back from the one at its end.
    [[nodiscard]] Vec3 leaving(const Coedge& c, bool end) const {
        const Curve& k = edge_of_(c.edge).curve;
        return (c.reversed != end ? Vec3(-k.derivative(k.t1)) : k.derivative(k.t0)).normalized();
    }

    [[nodiscard]] std::size_t first_inside(std::size_t in, const std::vector<std::size_t>& open) const {
        constexpr double same_way = 1e-6;  // rad: back on the way it came
        const Coedge& c = uses_[in].use;
        const Curve& arriving = edge_of_(c.edge).curve;
        const Vec3 n = normal_(c.reversed ? arriving.start() : arriving.end()), x = leaving(c, true), y = n.cross(x);
        std::size_t best = 0;
        double least = 4 * pi;
        for (std::size_t k = 0; k < open.size(); ++k) {
            const Vec3 d = leaving(uses_[open[k]].use, false);
            double turn = std::atan2(-d.dot(y), d.dot(x));
            if (turn <= same_way) turn += 2 * pi;
            if (turn < least) least = turn, best = k;
        }
        return best;
    }

    const std::vector<LoopUse>& uses_;
    const EdgeOf& edge_of_;
    const Normal& normal_;
};

}  // namespace

std::optional<std::vector<std::vector<Coedge>>> trace_loops(const std::vector<LoopUse>& uses, const std::function<const BodyEdge&(BodyEdgeId)>& edge_of,
                                                            const std::function<Vec3(const Vec3&)>& normal) {
    return LoopTracer(uses, edge_of, normal).run();
}

Coedge bare_coedge(int edge, bool reversed) {
    Coedge c;
    c.edge = BodyEdgeId(edge), c.reversed = reversed;
    return c;
}

LaidLoop laid_loop(const Surface& surface, bool reversed, const std::vector<Coedge>& loop, const std::vector<BodyEdge>& edges) {
    constexpr int pieces = 24;        // of an edge: enough to tell on which side the loop has its inside
    constexpr double not_back = 0.1;  // of the loop's size, between where it starts and where it comes back to
    std::vector<Vec3> points;
    Box3 box;
    for (const Coedge& c : loop) {
        const BodyEdge& e = edges[c.edge.index()];
        if (e.degenerate) continue;
        const int n = e.curve.is_line() ? 1 : pieces;
        for (int i = 0; i < n; ++i) {
            const double w = static_cast<double>(i) / n;
            points.push_back(e.curve.point(e.curve.t0 + (c.reversed ? 1 - w : w) * (e.curve.t1 - e.curve.t0)));
        }
        box.extend(e.curve.box());
    }
    LaidLoop out{Chart(surface, box.isEmpty() ? Vec3(Vec3::Zero()) : Vec3(box.center()), reversed), {}, 0, false};
    if (points.empty()) return out;
    for (const Vec3& p : points) out.outline.push_back(out.outline.empty() ? out.chart.local2(p) : out.chart.local2(p, out.outline.back()));
    out.winds = (out.chart.local2(points[0], out.outline.back()) - out.outline[0]).norm() > not_back * box.diagonal().norm();
    out.area = polygon_area(out.outline);
    return out;
}

}  // namespace halvo
