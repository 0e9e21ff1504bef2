#include "mesh/clean_up.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double good = 0.6;             // scaled Jacobian that a change may leave behind whatever was there before
constexpr int rounds = 6;                // over all nodes, at most
constexpr int rounds_after_change = 8;   // of smoothing after a change
constexpr double wanted_angle = pi / 2;  // of a quad

int corners(const std::array<int, 4>& e) {
    return e[3] < 0 ? 3 : 4;
}

class Cleaner {
public:
    Cleaner(PlanarMesh& m, std::size_t fixed, const std::set<std::pair<int, int>>& kept) : m_(m), fixed_(fixed), kept_(kept) {}

    // Only where a node is irregular is there anything to do: these are gone through until nothing changes.
    std::vector<int> run() {
        at_.resize(m_.points.size());
        for (std::size_t i = 0; i < m_.elements.size(); ++i)
            for (int v : m_.elements[i])
                if (v >= 0) at_[ix(v)].push_back(static_cast<int>(i));
        wanted_.assign(m_.points.size(), unknown);
        for (int round = 0; round < rounds; ++round) {
            bool any = false;
            for (int v = 0; v < static_cast<int>(m_.points.size()); ++v) {
                if (at_[ix(v)].empty() || strain(v, 0) == 0) continue;
                any = turn_edges_round(v) || any;
                any = close_quads_at(v) || any;
            }
            if (!any) break;
        }
        std::erase_if(m_.elements, [](const auto& e) { return e[0] < 0; });
        return std::move(changed_);
    }

private:
    static constexpr int unknown = -1;

    // Elements that a node's place asks for: four inside, on borders as its angle allows.
    int wanted(int v) {
        int& w = wanted_[ix(v)];
        if (w != unknown) return w;
        w = 4;
        if (ix(v) < fixed_ && on_border(v)) w = std::max(1, static_cast<int>(std::lround(angle_at(v) / wanted_angle))), border_.insert(v);
        return w;
    }

    [[nodiscard]] bool on_border(int v) const {
        for (int i : at_[ix(v)]) {
            const auto& e = m_.elements[ix(i)];
            const int n = corners(e), k = static_cast<int>(std::find(e.begin(), e.end(), v) - e.begin());
            for (int other : {e[ix((k + 1) % n)], e[ix((k + n - 1) % n)]})
                if (across(i, v, other) < 0) return true;
        }
        return false;
    }

    // The other element at a side; -1 where there is none.
    [[nodiscard]] int across(int element, int a, int b) const {
        for (int i : at_[ix(a)])
            if (i != element && std::find(m_.elements[ix(i)].begin(), m_.elements[ix(i)].end(), b) != m_.elements[ix(i)].end()) return i;
        return -1;
    }

    // Angle that the elements take round a node.
    double angle_at(int v) const {
        double sum = 0;
        for (int i : at_[ix(v)]) {
            const auto& e = m_.elements[ix(i)];
            const int n = corners(e), k = static_cast<int>(std::find(e.begin(), e.end(), v) - e.begin());
            const Vec2 a = at(e[ix((k + 1) % n)]) - at(v), b = at(e[ix((k + n - 1) % n)]) - at(v);
            sum += std::abs(std::atan2(a.x() * b.y() - a.y() * b.x(), a.dot(b)));
        }
        return sum;
    }

    [[nodiscard]] const Vec2& at(int v) const { return m_.points[ix(v)]; }

    // How far a node with so many elements is from what its place asks for. Nodes on borders count double.
    [[nodiscard]] int strain(int v, int change) {
        const int d = static_cast<int>(at_[ix(v)].size()) + change - wanted(v);
        return (border_.count(v) ? 2 : 1) * d * d;
    }

    bool is_quad(int e) const { return m_.elements[ix(e)][3] >= 0; }

    bool turn_edges_round(int v) {
        for (int e : std::vector<int>(at_[ix(v)])) {
            if (!is_quad(e)) continue;
            for (std::size_t k = 0; k < 4; ++k) {
                const auto q = m_.elements[ix(e)];
                const auto [a, b] = std::minmax(q[k], q[(k + 1) % 4]);
                if (kept_.count({a, b})) continue;
                const int f = across(e, a, b);
                if (f >= 0 && is_quad(f) && turn(a, b, e, f)) return true;
            }
        }
        return false;
    }

    void note(const std::vector<int>& around) {
        for (int e : around)
            for (int v : m_.elements[ix(e)])
                if (v >= 0) changed_.push_back(v);
    }

    bool turn(int a, int b, int e, int f) {
        const auto ring = ring_of(a, b, e, f);
        const int before = strain(a, 0) + strain(b, 0);
        int best = 0, gain = 0;
        for (const int k : {1, 2}) {
            const int p = ring[ix(k)], q = ring[ix(k + 3)];
            const int now = strain(a, -1) + strain(b, -1) + strain(p, 1) + strain(q, 1), was = before + strain(p, 0) + strain(q, 0);
            if (was - now > gain) gain = was - now, best = k;
        }
        if (gain <= 0) return false;
        const auto old_e = m_.elements[ix(e)], old_f = m_.elements[ix(f)];
        const auto r = [&](int k) { return ring[ix(k % 6)]; };
        const std::vector<int> around = elements_round({ring.begin(), ring.end()});
        const double least = std::min(worst_of(around), good);
        m_.elements[ix(e)] = {r(best), r(best + 1), r(best + 2), r(best + 3)};
        m_.elements[ix(f)] = {r(best + 3), r(best + 4), r(best + 5), r(best)};
        std::array<std::vector<int>, 6> were;
        for (std::size_t k = 0; k < 6; ++k) were[k] = at_[ix(ring[k])];
        for (int v : ring) relist(v, e), relist(v, f);
        if (settle({ring.begin(), ring.end()}, around, least)) {
            note(around);
            return true;
        }
        m_.elements[ix(e)] = old_e, m_.elements[ix(f)] = old_f;
        for (std::size_t k = 0; k < 6; ++k) at_[ix(ring[k])] = were[k];
        return false;
    }

    // The six nodes of two quads round their common side a b, from a on.
    [[nodiscard]] std::array<int, 6> ring_of(int a, int b, int e, int f) const {
        const auto next = [&](int element, int v, int by) {
            const auto& q = m_.elements[ix(element)];
            return q[ix((static_cast<int>(std::find(q.begin(), q.end(), v) - q.begin()) + by) % 4)];
        };
        // e runs from a to b or the other way round.
        if (next(e, a, 1) != b) std::swap(e, f);
        // e: a, b, c, d; f: b, a, g, h. Round both: a g h b c d.
        return {a, next(f, a, 1), next(f, a, 2), b, next(e, b, 1), next(e, b, 2)};
    }

    void relist(int v, int e) {
        auto& list = at_[ix(v)];
        const auto& q = m_.elements[ix(e)];
        const bool has = std::find(q.begin(), q.end(), v) != q.end();
        const auto it = std::find(list.begin(), list.end(), e);
        if (has && it == list.end()) list.push_back(e);
        if (!has && it != list.end()) list.erase(it);
    }

    [[nodiscard]] std::vector<int> elements_round(const std::vector<int>& nodes) const {
        std::set<int> out;
        for (int v : nodes) out.insert(at_[ix(v)].begin(), at_[ix(v)].end());
        return {out.begin(), out.end()};
    }

    [[nodiscard]] double worst_of(const std::vector<int>& elements) const {
        double q = 1;
        for (int e : elements)
            if (m_.elements[ix(e)][0] >= 0) q = std::min(q, planar_quality(m_.points, m_.elements[ix(e)]));
        return q;
    }

    // Free nodes move to the middle of their neighbours; true when no element round them is then worse than `least`.
    bool settle(const std::vector<int>& nodes, const std::vector<int>& around, double least) {
        std::vector<int> free;
        for (int v : nodes)
            if (ix(v) >= fixed_) free.push_back(v);
        std::vector<Vec2> were;
        for (int v : free) were.push_back(at(v));
        for (int round = 0; round < rounds_after_change; ++round)
            for (int v : free) {
                Vec2 sum = Vec2::Zero();
                int n = 0;
                for (int i : at_[ix(v)]) {
                    const auto& e = m_.elements[ix(i)];
                    const int c = corners(e), k = static_cast<int>(std::find(e.begin(), e.end(), v) - e.begin());
                    sum += at(e[ix((k + 1) % c)]) + at(e[ix((k + c - 1) % c)]), n += 2;
                }
                if (n > 0) m_.points[ix(v)] = sum / n;
            }
        if (worst_of(around) >= least) return true;
        for (std::size_t i = 0; i < free.size(); ++i) m_.points[ix(free[i])] = were[i];
        return false;
    }

    // A quad between two opposite free nodes of three elements each closes to one node of four.
    bool close_quads_at(int a) {
        if (ix(a) < fixed_ || at_[ix(a)].size() != 3) return false;
        for (int i : std::vector<int>(at_[ix(a)])) {
            if (!is_quad(i)) continue;
            const auto q = m_.elements[ix(i)];
            const std::size_t k = static_cast<std::size_t>(std::find(q.begin(), q.end(), a) - q.begin());
            const int b = q[(k + 2) % 4], c = q[(k + 1) % 4], d = q[(k + 3) % 4];
            if (ix(b) < fixed_ || at_[ix(b)].size() != 3) continue;
            if (strain(c, -1) + strain(d, -1) > strain(c, 0) + strain(d, 0) + 1) continue;
            if (close(i, a, b, c, d)) return true;
        }
        return false;
    }

    bool close(int quad, int a, int b, int c, int d) {
        std::vector<int> around = elements_round({a, b, c, d});
        const double least = std::min(worst_of(around), good);
        const std::vector<int> at_b = at_[ix(b)];
        const std::array<int, 4> nodes{a, b, c, d};
        std::array<std::vector<int>, 4> lists;
        for (std::size_t k = 0; k < 4; ++k) lists[k] = at_[ix(nodes[k])];
        std::vector<std::array<int, 4>> elements;
        for (int e : at_b) elements.push_back(m_.elements[ix(e)]);
        const Vec2 was = at(a);
        for (int e : at_b) std::replace(m_.elements[ix(e)].begin(), m_.elements[ix(e)].end(), b, a);
        m_.elements[ix(quad)] = {-1, -1, -1, -1};
        for (int e : at_b) relist(a, e);
        for (int v : {a, c, d}) std::erase(at_[ix(v)], quad);
        at_[ix(b)].clear();
        m_.points[ix(a)] = 0.5 * (was + at(b));
        std::erase(around, quad);
        if (at_[ix(c)].size() > 1 && at_[ix(d)].size() > 1 && settle({a, c, d}, around, least)) {
            note(around);
            return true;
        }
        m_.points[ix(a)] = was;
        for (std::size_t k = 0; k < at_b.size(); ++k) m_.elements[ix(at_b[k])] = elements[k];
        for (std::size_t k = 0; k < 4; ++k) at_[ix(nodes[k])] = lists[k];
        return false;
    }

    PlanarMesh& m_;
    std::size_t fixed_;
    const std::set<std::pair<int, int>>& kept_;
    std::vector<std::vector<int>> at_;  // elements at each point
    std::vector<int> wanted_;           // elements that each point's place asks for, where asked already
    std::set<int> border_;              // of the points asked for
    std::vector<int> changed_;
};

}  // namespace

std::vector<int> clean_up(PlanarMesh& mesh, std::size_t fixed, const std::set<std::pair<int, int>>& kept) {
    return Cleaner(mesh, fixed, kept).run();
}

double badness_of(const std::vector<Vec2>& points, const std::array<int, 4>& e) {
    constexpr double wanted = 0.75, tria = 1.0, poor = 0.6, unfit = 0.35;
    const double q = planar_fitness(points, e), short_of = std::max(0.0, wanted - q);
    return short_of * short_of + (q < poor ? 0.7 : 0) + (q < unfit ? 10 * (unfit - q) + 1 : 0) + (e[3] < 0 ? tria : 0);
}

double badness_of(std::size_t elements) {
    constexpr double irregular = 0.05;
    return elements > 0 ? irregular * std::abs(static_cast<double>(elements) - 4) : 0;
}

double badness(const PlanarMesh& mesh, std::size_t fixed) {
    double sum = 0;
    std::vector<std::size_t> count(mesh.points.size(), 0);
    for (const auto& e : mesh.elements) {
        sum += badness_of(mesh.points, e);
        for (int v : e)
            if (v >= 0) ++count[ix(v)];
    }
    for (std::size_t v = fixed; v < count.size(); ++v) sum += badness_of(count[v]);
    return sum;
}

}  // namespace halvo
