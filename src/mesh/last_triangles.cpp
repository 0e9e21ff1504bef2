#include "mesh/last_triangles.hpp"

#include "core/index.hpp"
#include "mesh/clean_up.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

namespace halvo {
namespace {

constexpr int longest_walk = 20;         // quads between two triangles
constexpr std::size_t most_trails = 12;  // kept at each step of a walk
constexpr int most_partners = 4;         // triangles that one is tried with
constexpr int unseen = -2;               // mark, of elements that the search has not been at
constexpr double least_on_walk = -0.2;   // scaled Jacobian of a quad left behind, before smoothing
constexpr double least_left = 0.35;      // scaled Jacobian that a walk may leave behind whatever was there before
constexpr int rounds_after_walk = 10;    // of smoothing after a walk

using Corners = std::array<int, 4>;

std::size_t count_of(const Corners& e) {
    return e[3] < 0 ? 3 : 4;
}

bool has(const Corners& e, int v) {
    return std::find(e.begin(), e.end(), v) != e.end();
}

// Does an element have this side?
bool has_side(const Corners& e, std::pair<int, int> side) {
    const std::size_t n = count_of(e);
    for (std::size_t k = 0; k < n; ++k)
        if (std::pair<int, int>(std::minmax(e[k], e[(k + 1) % n])) == side) return true;
    return false;
}

class Walker {
public:
    Walker(PlanarMesh& m, std::size_t fixed, const std::set<std::pair<int, int>>& kept) : m_(m), fixed_(fixed), kept_(kept), at_(m.points.size()) {
        for (std::size_t e = 0; e < m.elements.size(); ++e)
            for (int v : m.elements[e])
                if (v >= 0) at_[ix(v)].push_back(static_cast<int>(e));
    }

    std::vector<int> run() {
        for (int t = 0; t < static_cast<int>(m_.elements.size()); ++t)
            if (is_triangle(t))
                for (const auto& way : ways_from(t))
                    if (walk(way)) break;
        std::erase_if(m_.elements, [](const Corners& e) { return e[0] < 0; });
        return std::move(changed_);
    }

private:
    [[nodiscard]] const Corners& element(int e) const { return m_.elements[ix(e)]; }
    [[nodiscard]] bool is_triangle(int e) const { return element(e)[0] >= 0 && element(e)[3] < 0; }

    // The other element at a side; -1 where there is none or the side is kept.
    [[nodiscard]] int across(int e, std::pair<int, int> side) const {
        if (kept_.count(side)) return -1;
        for (int other : at_[ix(side.first)])
            if (other != e && has(element(other), side.second)) return other;
        return -1;
    }

    // Shortest ways through quads to the nearest other triangles: elements from the first triangle to the last.
    std::vector<std::vector<int>> ways_from(int t) {
        from_.resize(m_.elements.size(), unseen);
        from_[ix(t)] = -1;
        std::vector<int> queue{t}, depth{0};
        std::vector<std::vector<int>> out;
        for (std::size_t i = 0; i < queue.size() && out.size() < most_partners; ++i) {
            const int e = queue[i];
            if (depth[i] > longest_walk || (i > 0 && is_triangle(e))) continue;
            const std::size_t n = count_of(element(e));
            for (std::size_t k = 0; k < n; ++k) {
                const int other = across(e, std::minmax(element(e)[k], element(e)[(k + 1) % n]));
                if (other < 0 || from_[ix(other)] != unseen) continue;
                from_[ix(other)] = e;
                queue.push_back(other), depth.push_back(depth[i] + 1);
                if (!is_triangle(other)) continue;
                auto& way = out.emplace_back();
                for (int w = other; w >= 0; w = from_[ix(w)]) way.push_back(w);
                std::reverse(way.begin(), way.end());
            }
        }
        for (int e : queue) from_[ix(e)] = unseen;
        return out;
    }

    [[nodiscard]] std::pair<int, int> shared_side(const Corners& a, const Corners& b) const {
        const std::size_t n = count_of(a);
        for (std::size_t k = 0; k < n; ++k) {
            const std::pair<int, int> side = std::minmax(a[k], a[(k + 1) % n]);
            if (has_side(b, side)) return side;
        }
        return {-1, -1};
    }

    // Nodes of two elements round their common side, counter-clockwise.
    [[nodiscard]] std::vector<int> round_both(const Corners& a, const Corners& b) const {
        const auto [p, q] = shared_side(a, b);
        std::vector<int> out;
        const std::size_t n = count_of(a), m = count_of(b);
        std::size_t k = 0;
        while (!((a[k] == p && a[(k + 1) % n] == q) || (a[k] == q && a[(k + 1) % n] == p))) ++k;
        for (std::size_t i = 1; i <= n; ++i) out.push_back(a[(k + i) % n]);  // from the side's end round to its start
        const std::size_t start = static_cast<std::size_t>(std::find(b.begin(), b.end(), out.back()) - b.begin());
        for (std::size_t i = 1; i + 1 < m; ++i) out.push_back(b[(start + i) % m]);
        return out;
    }

    struct Trail {
        std::vector<Corners> quads;  // that take the place of the way's elements
        Corners triangle{};          // where it has come to
        double cost = 0;
    };

    // Ways to split the fives of nodes on the way, the triangle always at the side of the next element, the best few of them kept at
    // each step; in the end the best by the quads left.
    [[nodiscard]] std::optional<Trail> best_trail(const std::vector<int>& way) const {
        const auto better = [](const Trail& a, const Trail& b) { return a.cost < b.cost; };
        std::vector<Trail> trails{{{}, element(way[0]), 0}};
        for (std::size_t i = 1; i < way.size() && !trails.empty(); ++i) {
            std::vector<Trail> next;
            for (const Trail& t : trails) step(way, i, t, next);
            std::stable_sort(next.begin(), next.end(), better);
            if (next.size() > most_trails) next.resize(most_trails);
            trails = std::move(next);
        }
        return trails.empty() ? std::nullopt : std::optional(std::move(trails[0]));
    }

    void step(const std::vector<int>& way, std::size_t i, const Trail& before, std::vector<Trail>& out) const {
        const Corners& next = element(way[i]);
        const std::vector<int> ring = round_both(before.triangle, next);
        const auto leave = [&](const Corners& quad, const Corners& triangle) {
            if (planar_quality(m_.points, quad) < least_on_walk || stays_flat(quad)) return;
            out.push_back(before);
            out.back().quads.push_back(quad), out.back().triangle = triangle, out.back().cost += badness_of(m_.points, quad);
        };
        if (i + 1 == way.size()) return leave({ring[0], ring[1], ring[2], ring[3]}, {});
        const std::pair<int, int> side = shared_side(next, element(way[i + 1]));
        for (std::size_t k = 0; k < 5; ++k) {
            const Corners cut{ring[k], ring[(k + 1) % 5], ring[(k + 2) % 5], -1};
            if (std::pair<int, int>(std::minmax(cut[0], cut[1])) == side || std::pair<int, int>(std::minmax(cut[1], cut[2])) == side)
                leave({ring[k], ring[(k + 2) % 5], ring[(k + 3) % 5], ring[(k + 4) % 5]}, cut);
        }
    }

    // Has a quad a corner too flat or too sharp between points that smoothing cannot move?
    [[nodiscard]] bool stays_flat(const Corners& quad) const {
        for (std::size_t k = 0; k < 4; ++k) {
            const int a = quad[k], b = quad[(k + 1) % 4], c = quad[(k + 2) % 4];
            if (ix(a) >= fixed_ || ix(b) >= fixed_ || ix(c) >= fixed_) continue;
            const Vec2 u = (m_.points[ix(c)] - m_.points[ix(b)]).normalized(), v = (m_.points[ix(a)] - m_.points[ix(b)]).normalized();
            if (u.x() * v.y() - u.y() * v.x() < least_left) return true;
        }
        return false;
    }

    bool walk(const std::vector<int>& way) {
        const std::optional<Trail> best = best_trail(way);
        if (!best) return false;
        // What the walk touches, and what is round it.
        std::set<int> near, round;
        for (int e : way) add_nodes(e, near);
        for (int v : std::set<int>(near))
            for (int e : at_[ix(v)]) add_nodes(e, near);
        for (int v : near) round.insert(at_[ix(v)].begin(), at_[ix(v)].end());
        const double before = cost(round, near), least = std::min(worst_of(round), least_left);
        std::vector<Corners> were;
        for (int e : way) were.push_back(element(e));
        std::vector<std::pair<int, Vec2>> places;
        for (int v : near)
            if (ix(v) >= fixed_) places.emplace_back(v, m_.points[ix(v)]);
        std::vector<Corners> now = best->quads;
        now.push_back({-1, -1, -1, -1});
        put(way, now);
        const bool whole = std::none_of(places.begin(), places.end(), [&](const auto& p) { return at_[ix(p.first)].size() < 3; });
        if (whole) settle(places);
        if (whole && worst_of(round) >= least && cost(round, near) < before - 1e-9) {
            changed_.insert(changed_.end(), near.begin(), near.end());
            return true;
        }
        put(way, were);
        for (const auto& [v, p] : places) m_.points[ix(v)] = p;
        return false;
    }

    void add_nodes(int e, std::set<int>& nodes) const {
        for (int v : element(e))
            if (v >= 0) nodes.insert(v);
    }

    void put(const std::vector<int>& way, const std::vector<Corners>& elements) {
        for (std::size_t i = 0; i < way.size(); ++i) {
            for (int v : element(way[i]))
                if (v >= 0) std::erase(at_[ix(v)], way[i]);
            m_.elements[ix(way[i])] = elements[i];
            for (int v : elements[i])
                if (v >= 0) at_[ix(v)].push_back(way[i]);
        }
    }

    [[nodiscard]] double cost(const std::set<int>& elements, const std::set<int>& nodes) const {
        double sum = 0;
        for (int e : elements)
            if (element(e)[0] >= 0) sum += badness_of(m_.points, element(e));
        for (int v : nodes)
            if (ix(v) >= fixed_) sum += badness_of(at_[ix(v)].size());
        return sum;
    }

    template <class List>
    [[nodiscard]] double worst_of(const List& elements) const {
        double q = 1;
        for (int e : elements)
            if (element(e)[0] >= 0) q = std::min(q, planar_quality(m_.points, element(e)));
        return q;
    }

    // Points go towards the middle of their neighbours where that makes nothing round them worse.
    void settle(const std::vector<std::pair<int, Vec2>>& places) {
        for (int round = 0; round < rounds_after_walk; ++round)
            for (const auto& [v, start] : places) {
                Vec2 sum = Vec2::Zero();
                int n = 0;
                for (int e : at_[ix(v)]) {
                    const Corners& q = element(e);
                    const std::size_t c = count_of(q), k = static_cast<std::size_t>(std::find(q.begin(), q.end(), v) - q.begin());
                    sum += m_.points[ix(q[(k + 1) % c])] + m_.points[ix(q[(k + c - 1) % c])], n += 2;
                }
                const Vec2 was = m_.points[ix(v)];
                const double before = worst_of(at_[ix(v)]);
                for (const double by : {1.0, 0.5, 0.2}) {
                    m_.points[ix(v)] = was + by * (sum / n - was);
                    if (worst_of(at_[ix(v)]) >= before) break;
                    m_.points[ix(v)] = was;
                }
            }
    }

    PlanarMesh& m_;
    std::size_t fixed_;
    const std::set<std::pair<int, int>>& kept_;
    std::vector<std::vector<int>> at_;  // elements at each point
    std::vector<int> from_;             // the element before each on a way; -1 at its start
    std::vector<int> changed_;
};

}  // namespace

std::vector<int> join_triangles(PlanarMesh& mesh, std::size_t fixed, const std::set<std::pair<int, int>>& kept) {
    return Walker(mesh, fixed, kept).run();
}

}  // namespace halvo
