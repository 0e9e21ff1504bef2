#include "geom/triangulation.hpp"

#include <fmt/format.h>

#include "core/index.hpp"
#include "geom/predicates.hpp"

#include <algorithm>
#include <cmath>
#include <deque>
#include <map>
#include <numeric>
#include <optional>
#include <set>

namespace halvo {
namespace {

constexpr int next3(int i) {
    return i == 2 ? 0 : i + 1;
}
constexpr int prev3(int i) {
    return i == 0 ? 2 : i - 1;
}
class Builder {
public:
    explicit Builder(const std::vector<Vec2>& points) : p_(points), real_(static_cast<int>(points.size())) {
        Box2 box;
        for (const Vec2& q : points) box.extend(q);
        const Vec2 c = box.isEmpty() ? Vec2(0, 0) : Vec2(box.center());
        const double s = 20 * std::max(1e-9, box.isEmpty() ? 1.0 : box.diagonal().norm());
        p_.emplace_back(c.x() - 2 * s, c.y() - s);
        p_.emplace_back(c.x() + 2 * s, c.y() - s);
        p_.emplace_back(c.x(), c.y() + 2 * s);
        t_.push_back({{real_, real_ + 1, real_ + 2}});
        some_.assign(p_.size(), 0);
        for (int i : spatial_order(box)) insert(i);
    }

    // Makes ab an edge; `made` gets it, or its pieces where it runs through points.
    void force(int a, int b, std::vector<std::pair<int, int>>& made) {
        if (a == b) return;
        if (const auto e = find_edge(a, b)) {
            fix(e->first, e->second);
            made.emplace_back(std::minmax(a, b));
            return;
        }
        // A point exactly on the segment splits it.
        std::deque<std::pair<int, int>> crossed;
        if (const int middle = collect(a, b, crossed); middle >= 0) {
            force(a, middle, made);
            force(middle, b, made);
            return;
        }
        // Each edge waits for its neighbours or is turned with each of them at most; more rounds than that mean segments that cross.
        std::size_t rounds = 100 + 2 * crossed.size() * crossed.size();
        while (!crossed.empty()) {
            const auto [u, v] = crossed.front();
            crossed.pop_front();
            if (rounds-- == 0)
                throw Error(ErrorKind::stage,
                            fmt::format("two edges of one region cross near ({:.3f}, {:.3f}) of its chart; try another mesh.size, or refuse a joint there",
                                        p_[ix(u)].x(), p_[ix(u)].y()));
            const auto e = find_edge(u, v);
            const int ti = e->first, k = e->second, tj = t_[ix(ti)].next[ix(k)];
            const int c = t_[ix(ti)].v[ix(k)], d = opposite(tj, ti);
            if (orient(p_[ix(c)], p_[ix(d)], p_[ix(u)]) * orient(p_[ix(c)], p_[ix(d)], p_[ix(v)]) >= 0) {
                crossed.emplace_back(u, v);  // not convex yet
                continue;
            }
            flip(ti, k);
            if (c != a && c != b && d != a && d != b && crosses(a, b, c, d)) crossed.emplace_back(c, d);
            else fresh_.push_back({c, d});
        }
        if (const auto e = find_edge(a, b)) fix(e->first, e->second);
        made.emplace_back(std::minmax(a, b));
        restore();
    }

    std::vector<Triangle> inside(const std::set<std::pair<int, int>>& boundary) {
        // Flood from the outside; crossing a boundary segment changes the side.
        std::vector<int> depth(t_.size(), -1);
        std::deque<int> queue;
        for (std::size_t i = 0; i < t_.size() && queue.empty(); ++i)
            for (int v : t_[i].v)
                if (v >= real_ && depth[i] < 0) depth[i] = 0, queue.push_back(static_cast<int>(i));
        while (!queue.empty()) {
            const int i = queue.front();
            queue.pop_front();
            for (int k = 0; k < 3; ++k) {
                const int j = t_[ix(i)].next[ix(k)];
                if (j < 0 || depth[ix(j)] >= 0) continue;
                const int u = t_[ix(i)].v[ix(next3(k))], v = t_[ix(i)].v[ix(prev3(k))];
                depth[ix(j)] = (depth[ix(i)] + (boundary.count(std::minmax(u, v)) ? 1 : 0)) % 2;
                queue.push_back(j);
            }
        }
        std::vector<int> renumber(t_.size(), -1);
        std::vector<Triangle> out;
        for (std::size_t i = 0; i < t_.size(); ++i)
            // An outline that does not close lets the outside in: nothing beyond the given points is part of it.
            if (depth[i] == 1 && std::all_of(t_[i].v.begin(), t_[i].v.end(), [&](int v) { return v < real_; })) {
                renumber[i] = static_cast<int>(out.size());
                out.push_back(t_[i]);
            }
        for (Triangle& t : out)
            for (int& n : t.next) n = n < 0 ? -1 : renumber[ix(n)];
        return out;
    }

private:
    // Cells of a coarse grid in boustrophedon order: neighbours in the list are neighbours in space.
    std::vector<int> spatial_order(const Box2& box) const {
        std::vector<int> order(ix(real_));
        std::iota(order.begin(), order.end(), 0);
        if (real_ < 16) return order;
        const int n = std::max(1, static_cast<int>(std::sqrt(real_ / 4.0)));
        const Vec2 d = box.sizes().cwiseMax(1e-300);
        const auto cell = [&](int i) {
            const Vec2 q = (p_[ix(i)] - box.min()).cwiseQuotient(d) * n;
            const int y = std::min(n - 1, static_cast<int>(q.y())), x = std::min(n - 1, static_cast<int>(q.x()));
            return y * n + (y % 2 ? n - 1 - x : x);
        };
        std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return cell(a) < cell(b); });
        return order;
    }

    int opposite(int t, int other) const {
        for (int k = 0; k < 3; ++k)
            if (t_[ix(t)].next[ix(k)] == other) return t_[ix(t)].v[ix(k)];
        return -1;
    }

    int slot(int t, int other) const {
        for (int k = 0; k < 3; ++k)
            if (t_[ix(t)].next[ix(k)] == other) return k;
        return -1;
    }

    int locate(const Vec2& q) {
        int t = last_;
        for (std::size_t guard = 0; guard < 4 * t_.size() + 16; ++guard) {
            bool moved = false;
            const int first = static_cast<int>(guard % 3);
            for (int s = 0; s < 3 && !moved; ++s) {
                const int k = (first + s) % 3;
                const Vec2 &a = p_[ix(t_[ix(t)].v[ix(next3(k))])], &b = p_[ix(t_[ix(t)].v[ix(prev3(k))])];
                if (orient(a, b, q) < 0 && t_[ix(t)].next[ix(k)] >= 0) t = t_[ix(t)].next[ix(k)], moved = true;
            }
            if (!moved) return t;
        }
        return t;
    }

    void link(int t, int k, int other) {
        t_[ix(t)].next[ix(k)] = other;
        for (int v : t_[ix(t)].v) some_[ix(v)] = t;
    }

    void relink(int neighbour, int was, int now) {
        if (neighbour < 0) return;
        for (int& n : t_[ix(neighbour)].next)
            if (n == was) {
                n = now;
                return;
            }
    }

    void insert(int i) {
        const int t = locate(p_[ix(i)]);
        for (int k = 0; k < 3; ++k) {
            const Vec2 &a = p_[ix(t_[ix(t)].v[ix(next3(k))])], &b = p_[ix(t_[ix(t)].v[ix(prev3(k))])];
            if (orient(a, b, p_[ix(i)]) == 0 && t_[ix(t)].next[ix(k)] >= 0) {
                split_edge(i, t, k);
                return;
            }
        }
        const Triangle old = t_[ix(t)];
        const int t1 = static_cast<int>(t_.size()), t2 = t1 + 1;
        t_.push_back({}), t_.push_back({});
        const auto [a, b, c] = old.v;
        t_[ix(t)] = {{a, b, i}, {t1, t2, old.next[2]}, {}};
        t_[ix(t1)] = {{b, c, i}, {t2, t, old.next[0]}, {}};
        t_[ix(t2)] = {{c, a, i}, {t, t1, old.next[1]}, {}};
        relink(old.next[0], t, t1);
        relink(old.next[1], t, t2);
        touch(t), touch(t1), touch(t2);
        legalize({{t, 2}, {t1, 2}, {t2, 2}});
        last_ = t;
    }

    void split_edge(int i, int t, int k) {
        const int u = t_[ix(t)].next[ix(k)];
        const int m = slot(u, t);
        const int a = t_[ix(t)].v[ix(k)], b = t_[ix(t)].v[ix(next3(k))], c = t_[ix(t)].v[ix(prev3(k))], d = t_[ix(u)].v[ix(m)];
        const int tb = t_[ix(t)].next[ix(next3(k))], tc = t_[ix(t)].next[ix(prev3(k))];  // across ca, ab
        const int ub = t_[ix(u)].next[ix(next3(m))], uc = t_[ix(u)].next[ix(prev3(m))];  // u = (d, c, b): across bd, dc
        const int t2 = static_cast<int>(t_.size()), u2 = t2 + 1;
        t_.push_back({}), t_.push_back({});
        t_[ix(t)] = {{a, b, i}, {u, t2, tc}, {}};
        t_[ix(t2)] = {{c, a, i}, {t, u2, tb}, {}};
        t_[ix(u)] = {{b, d, i}, {u2, t, ub}, {}};
        t_[ix(u2)] = {{d, c, i}, {t2, u, uc}, {}};
        relink(tb, t, t2);
        relink(uc, u, u2);
        touch(t), touch(t2), touch(u), touch(u2);
        legalize({{t, 2}, {t2, 2}, {u, 2}, {u2, 2}});
        last_ = t;
    }

    void touch(int t) {
        for (int v : t_[ix(t)].v) some_[ix(v)] = t;
    }

    void legalize(std::vector<std::pair<int, int>> stack) {
        while (!stack.empty()) {
            const auto [t, k] = stack.back();
            stack.pop_back();
            const int u = t_[ix(t)].next[ix(k)];
            if (u < 0 || t_[ix(t)].fixed[ix(k)]) continue;
            const auto& v = t_[ix(t)].v;
            if (in_circle(p_[ix(v[0])], p_[ix(v[1])], p_[ix(v[2])], p_[ix(opposite(u, t))]) <= 0) continue;
            const auto [x, y] = flip(t, k);
            stack.insert(stack.end(), {{x, 1}, {y, 2}});
        }
    }

    // Replaces the diagonal opposite to corner k of t. Both new triangles are (c, ., d) with c the old corner; the outer
    // edges of the far triangle are opposite to corner 1 of the first and corner 2 of the second.
    std::pair<int, int> flip(int t, int k) {
        const int u = t_[ix(t)].next[ix(k)], m = slot(u, t);
        const int c = t_[ix(t)].v[ix(k)], a = t_[ix(t)].v[ix(next3(k))], b = t_[ix(t)].v[ix(prev3(k))], d = t_[ix(u)].v[ix(m)];
        const Triangle ot = t_[ix(t)], ou = t_[ix(u)];
        const int ta = next3(k), tb = prev3(k);  // opposite to a: edge bc; opposite to b: edge ca
        const int ub = next3(m), ua = prev3(m);  // u = (d, b, a): opposite to b: edge ad; opposite to a: edge db
        t_[ix(t)] = {{d, c, a}, {ot.next[ix(tb)], ou.next[ix(ub)], u}, {ot.fixed[ix(tb)], ou.fixed[ix(ub)], false}};
        t_[ix(u)] = {{d, b, c}, {ot.next[ix(ta)], t, ou.next[ix(ua)]}, {ot.fixed[ix(ta)], false, ou.fixed[ix(ua)]}};
        relink(ou.next[ix(ub)], u, t);
        relink(ot.next[ix(ta)], t, u);
        touch(t), touch(u);
        return {t, u};
    }

    std::optional<std::pair<int, int>> find_edge(int a, int b) const {
        // Turn around a in both directions.
        const int first = some_[ix(a)];
        for (const bool forward : {true, false}) {
            int t = first;
            do {
                const auto& v = t_[ix(t)].v;
                int k = 0;
                while (v[ix(k)] != a) ++k;
                if (v[ix(next3(k))] == b) return std::pair(t, prev3(k));
                if (v[ix(prev3(k))] == b) return std::pair(t, next3(k));
                t = t_[ix(t)].next[ix(forward ? next3(k) : prev3(k))];
            } while (t >= 0 && t != first);
            if (t == first) break;
        }
        return std::nullopt;
    }

    bool crosses(int a, int b, int c, int d) const {
        return orient(p_[ix(a)], p_[ix(b)], p_[ix(c)]) * orient(p_[ix(a)], p_[ix(b)], p_[ix(d)]) < 0 &&
               orient(p_[ix(c)], p_[ix(d)], p_[ix(a)]) * orient(p_[ix(c)], p_[ix(d)], p_[ix(b)]) < 0;
    }

    // Edges crossed by segment ab, or the point it runs through (returned; -1 when none).
    int collect(int a, int b, std::deque<std::pair<int, int>>& crossed) const {
        int t = some_[ix(a)];
        const int first = t;
        int k = 0;
        bool forward = true;
        for (;;) {
            const auto& v = t_[ix(t)].v;
            k = 0;
            while (v[ix(k)] != a) ++k;
            const int u = v[ix(next3(k))], w = v[ix(prev3(k))];
            const double ou = orient(p_[ix(a)], p_[ix(b)], p_[ix(u)]), ow = orient(p_[ix(a)], p_[ix(b)], p_[ix(w)]);
            if (ou == 0 && (p_[ix(u)] - p_[ix(a)]).dot(p_[ix(b)] - p_[ix(a)]) > 0) return u;
            if (ow == 0 && (p_[ix(w)] - p_[ix(a)]).dot(p_[ix(b)] - p_[ix(a)]) > 0) return w;
            if (ou < 0 && ow > 0) break;
            int n = t_[ix(t)].next[ix(forward ? next3(k) : prev3(k))];
            if (n < 0 && forward) forward = false, n = t_[ix(first)].next[ix(prev3(index_of(first, a)))];
            t = n;
            if (t < 0 || t == first) return -1;
        }
        for (;;) {
            const int u = t_[ix(t)].v[ix(next3(k))], w = t_[ix(t)].v[ix(prev3(k))];
            crossed.emplace_back(u, w);
            const int n = t_[ix(t)].next[ix(k)];
            const int d = opposite(n, t);
            if (d == b) return -1;
            const double od = orient(p_[ix(a)], p_[ix(b)], p_[ix(d)]);
            if (od == 0) {
                crossed.clear();
                return d;
            }
            t = n;
            k = index_of(t, od > 0 ? w : u);
        }
    }

    int index_of(int t, int v) const {
        for (int k = 0; k < 3; ++k)
            if (t_[ix(t)].v[ix(k)] == v) return k;
        return -1;
    }

    void fix(int t, int k) {
        t_[ix(t)].fixed[ix(k)] = true;
        const int u = t_[ix(t)].next[ix(k)];
        if (u >= 0) t_[ix(u)].fixed[ix(slot(u, t))] = true;
    }

    // Delaunay again among the edges that forcing one has made.
    void restore() {
        for (std::size_t guard = 0; guard < 64 && !fresh_.empty(); ++guard) {
            std::vector<std::pair<int, int>> edges;
            std::swap(edges, fresh_);
            for (const auto& [u, v] : edges) {
                const auto e = find_edge(u, v);
                if (!e || t_[ix(e->first)].fixed[ix(e->second)]) continue;
                const int n = t_[ix(e->first)].next[ix(e->second)];
                if (n < 0) continue;
                const int d = opposite(n, e->first), c = t_[ix(e->first)].v[ix(e->second)];
                const auto& w = t_[ix(e->first)].v;
                if (in_circle(p_[ix(w[0])], p_[ix(w[1])], p_[ix(w[2])], p_[ix(d)]) <= 0) continue;
                if (!crosses(c, d, u, v)) continue;
                flip(e->first, e->second);
                fresh_.push_back({c, d});
            }
        }
        fresh_.clear();
    }

    std::vector<Vec2> p_;
    int real_;
    std::vector<Triangle> t_;
    std::vector<int> some_;
    std::vector<std::pair<int, int>> fresh_;
    int last_ = 0;
};

}  // namespace

std::vector<Triangle> triangulate(const std::vector<Vec2>& points, const std::vector<std::array<int, 2>>& boundary,
                                  const std::vector<std::array<int, 2>>& inner) {
    Builder b(points);
    std::set<std::pair<int, int>> outline;
    for (const auto& s : boundary) {
        std::vector<std::pair<int, int>> made;
        b.force(s[0], s[1], made);
        // A segment that occurs twice does not bound.
        for (const auto& key : made)
            if (!outline.insert(key).second) outline.erase(key);
    }
    std::vector<std::pair<int, int>> made;
    for (const auto& s : inner) b.force(s[0], s[1], made);
    return b.inside(outline);
}

}  // namespace halvo
