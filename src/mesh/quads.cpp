#include "mesh/quads.hpp"

#include "core/index.hpp"
#include "mesh/clean_up.hpp"
#include "mesh/last_triangles.hpp"

#include <algorithm>
#include <cmath>
#include <deque>
#include <map>
#include <span>

namespace halvo {
namespace {

constexpr double least_pair = 0.25;                        // scaled Jacobian below which two triangles are not made a quad
constexpr double least_quad = 0.12;                        // and below which a quad is not made of two by dropping a point
constexpr double poor_quad = 0.35;                         // below this a quad is cut again after smoothing, where that makes better triangles
constexpr int smoothing_rounds = 12;                       // over all nodes
constexpr int lifting_rounds = 6;                          // that move the nodes of the worst elements alone
constexpr double at_rest = 1e-4;                           // of an edge; a point nearer than this to its place is not moved
constexpr double good_enough = 0.6;                        // scaled Jacobian above which a point is left where smoothing put it
constexpr int longest_path = 12, longest_eager_path = 40;  // triangles between two that are brought together
constexpr double least_on_path = 0.05;                     // of quads on a way between two triangles: smoothing sees to them

class Pairing {
public:
    Pairing(const std::vector<Vec2>& points, const std::vector<Triangle>& triangles, bool eager)
        : p_(points), t_(triangles), eager_(eager), mate_(triangles.size(), -1) {}

    std::vector<std::array<int, 4>> run() {
        greedy();
        augment();
        std::vector<std::array<int, 4>> out;
        for (std::size_t i = 0; i < t_.size(); ++i) {
            const int m = mate_[i];
            if (m < 0) out.push_back({t_[i].v[0], t_[i].v[1], t_[i].v[2], -1});
            else if (static_cast<int>(i) < m) out.push_back(quad(static_cast<int>(i), m));
        }
        return out;
    }

private:
    std::array<int, 4> quad(int a, int b) const {
        int k = 0;
        while (t_[ix(a)].next[ix(k)] != b) ++k;
        int m = 0;
        while (t_[ix(b)].next[ix(m)] != a) ++m;
        return {t_[ix(a)].v[ix(k)], t_[ix(a)].v[ix((k + 1) % 3)], t_[ix(b)].v[ix(m)], t_[ix(a)].v[ix((k + 2) % 3)]};
    }

    double quality(int a, int b) const { return planar_quality(p_, quad(a, b)); }

    bool may_pair(int a, int k) const { return t_[ix(a)].next[ix(k)] >= 0 && !t_[ix(a)].fixed[ix(k)]; }

    void greedy() {
        struct Pair {
            double quality;
            int a, b;
        };
        std::vector<Pair> pairs;
        for (std::size_t i = 0; i < t_.size(); ++i)
            for (int k = 0; k < 3; ++k) {
                const int j = t_[i].next[ix(k)];
                if (j <= static_cast<int>(i) || !may_pair(static_cast<int>(i), k)) continue;
                const double q = quality(static_cast<int>(i), j);
                if (q >= least_pair) pairs.push_back({q, static_cast<int>(i), j});
            }
        std::stable_sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.quality > b.quality; });
        for (const Pair& p : pairs)
            if (mate_[ix(p.a)] < 0 && mate_[ix(p.b)] < 0) mate_[ix(p.a)] = p.b, mate_[ix(p.b)] = p.a;
    }

    // From each triangle left over, the shortest alternating path to another one.
    void augment() {
        for (std::size_t s = 0; s < t_.size(); ++s) {
            if (mate_[s] >= 0) continue;
            std::map<int, int> from;  // triangle reached by an unpaired step -> the one before it
            std::map<int, int> depth{{static_cast<int>(s), 0}};
            std::deque<int> queue{static_cast<int>(s)};
            int found = -1;
            while (!queue.empty() && found < 0) {
                const int a = queue.front();
                queue.pop_front();
                if (depth[a] >= (eager_ ? longest_eager_path : longest_path)) continue;
                for (int k = 0; k < 3 && found < 0; ++k) {
                    if (!may_pair(a, k)) continue;
                    const int b = t_[ix(a)].next[ix(k)];
                    if (b == static_cast<int>(s) || from.count(b) || depth.count(b) || quality(a, b) < (eager_ ? least_on_path : least_pair)) continue;
                    from[b] = a;
                    if (mate_[ix(b)] < 0) {
                        found = b;
                        break;
                    }
                    const int c = mate_[ix(b)];
                    if (depth.try_emplace(c, depth[a] + 1).second) queue.push_back(c);
                }
            }
            while (found >= 0) {
                const int a = from[found], before = mate_[ix(a)];
                mate_[ix(a)] = found, mate_[ix(found)] = a;
                found = a == static_cast<int>(s) ? -1 : before;
            }
        }
    }

    const std::vector<Vec2>& p_;
    const std::vector<Triangle>& t_;
    bool eager_;
    std::vector<int> mate_;
};

// Short lists of numbers, one for each point, in one piece of memory.
class Lists {
public:
    /// `each` calls what it is given with every point and number, the same ones in both of two runs.
    template <class Each>
    Lists(std::size_t points, const Each& each) : start_(points + 1, 0) {
        each([&](int v, int) { ++start_[ix(v) + 1]; });
        for (std::size_t v = 0; v < points; ++v) start_[v + 1] += start_[v];
        items_.resize(start_[points]);
        std::vector<std::size_t> next(start_.begin(), start_.end() - 1);
        each([&](int v, int item) { items_[next[ix(v)]++] = item; });
    }
    [[nodiscard]] std::span<const int> operator[](std::size_t v) const { return {items_.data() + start_[v], start_[v + 1] - start_[v]}; }

private:
    std::vector<std::size_t> start_;
    std::vector<int> items_;
};

Lists elements_at(const PlanarMesh& m) {
    return {m.points.size(), [&](const auto& add) {
                for (std::size_t e = 0; e < m.elements.size(); ++e)
                    for (int v : m.elements[e])
                        if (v >= 0) add(v, static_cast<int>(e));
            }};
}

Lists neighbours_of(const PlanarMesh& m) {
    return {m.points.size(), [&](const auto& add) {
                for (const auto& e : m.elements) {
                    const int n = e[3] < 0 ? 3 : 4;
                    for (int k = 0; k < n; ++k) add(e[ix(k)], e[ix((k + 1) % n)]), add(e[ix((k + 1) % n)], e[ix(k)]);
                }
            }};
}

double worst_of(const PlanarMesh& m, std::span<const int> elements, double (*of)(const std::vector<Vec2>&, const std::array<int, 4>&) = planar_quality) {
    double q = 1;
    for (int e : elements) q = std::min(q, of(m.points, m.elements[ix(e)]));
    return q;
}

// A free point between two quads only: the two are one quad.
void remove_doublets(PlanarMesh& m, std::size_t fixed) {
    bool again = true;
    while (again) {
        again = false;
        const auto at = elements_at(m);
        std::vector<bool> touched(m.elements.size(), false), dead(m.elements.size(), false);
        for (std::size_t v = fixed; v < m.points.size(); ++v) {
            if (at[v].size() != 2) continue;
            const int e = at[v][0], f = at[v][1];
            auto &a = m.elements[ix(e)], &b = m.elements[ix(f)];
            if (a[3] < 0 || b[3] < 0 || touched[ix(e)] || touched[ix(f)]) continue;
            const auto corner = [&](const std::array<int, 4>& q) { return std::find(q.begin(), q.end(), static_cast<int>(v)) - q.begin(); };
            const std::size_t i = static_cast<std::size_t>(corner(a)), j = static_cast<std::size_t>(corner(b));
            const std::array<int, 4> merged{a[(i + 2) % 4], a[(i + 3) % 4], b[(j + 2) % 4], a[(i + 1) % 4]};
            if (planar_quality(m.points, merged) < least_quad) continue;
            a = merged;
            dead[ix(f)] = touched[ix(e)] = touched[ix(f)] = true;
            again = true;
        }
        std::vector<std::array<int, 4>> left;
        for (std::size_t e = 0; e < m.elements.size(); ++e)
            if (!dead[e]) left.push_back(m.elements[e]);
        m.elements = std::move(left);
    }
}

// Something moved: all points of the elements round it have something new to try.
void stir(const PlanarMesh& m, std::span<const int> elements, std::vector<char>& stirred) {
    for (int e : elements)
        for (int v : m.elements[ix(e)])
            if (v >= 0) stirred[ix(v)] = 1;
}

// All points, or those alone that something has changed round.
void smooth(PlanarMesh& m, std::size_t fixed, const std::vector<int>* some = nullptr) {
    if (some && some->empty()) return;
    const auto at = elements_at(m);
    const Lists near = neighbours_of(m);
    const auto worst = [&](std::size_t v) { return worst_of(m, at[v]); };
    // A point that stayed where it was has nothing new to try until something round it moves.
    std::vector<char> stirred(m.points.size(), some ? 0 : 1);
    if (some)
        for (int v : *some) stirred[ix(v)] = 1;
    for (int round = 0; round < smoothing_rounds; ++round)
        for (std::size_t v = fixed; v < m.points.size(); ++v) {
            if (near[v].empty() || !stirred[v]) continue;
            stirred[v] = 0;
            Vec2 mean = Vec2::Zero();
            for (int n : near[v]) mean += m.points[ix(n)] / static_cast<double>(near[v].size());
            const Vec2 was = m.points[v];
            if ((mean - was).squaredNorm() < at_rest * at_rest * (m.points[ix(near[v][0])] - was).squaredNorm()) continue;
            const double before = worst(v);
            for (const double step : {1.0, 0.5, 0.2}) {
                m.points[v] = was + step * (mean - was);
                if (worst(v) >= before) break;
                m.points[v] = was;
            }
            if (m.points[v] != was) stir(m, at[v], stirred);
        }
}

// Points round poor elements try short steps in eight directions and keep what lifts the worst of them. Those before `free` stay
// near where they were: a shape alone would let edges shrink.
void lift_worst(PlanarMesh& m, std::size_t fixed, std::size_t free) {
    constexpr double leeway = 0.25;  // of the shortest edge
    const auto at = elements_at(m);
    const std::vector<Vec2> home(m.points.begin() + static_cast<std::ptrdiff_t>(fixed), m.points.begin() + static_cast<std::ptrdiff_t>(free));
    std::vector<double> bound(home.size(), std::numeric_limits<double>::max());
    for (std::size_t v = fixed; v < free; ++v)
        for (int e : at[v])
            for (int n : m.elements[ix(e)])
                if (n >= 0 && n != static_cast<int>(v)) bound[v - fixed] = std::min(bound[v - fixed], leeway * (m.points[ix(n)] - m.points[v]).norm());
    const auto worst = [&](std::size_t v) { return worst_of(m, at[v], planar_fitness); };
    std::vector<char> stirred(m.points.size(), 1);
    for (int round = 0; round < lifting_rounds; ++round)
        for (std::size_t v = fixed; v < m.points.size(); ++v) {
            if (at[v].empty() || !stirred[v]) continue;
            stirred[v] = 0;
            double best = worst(v);
            if (best >= good_enough) continue;
            const Vec2 start = m.points[v];
            double reach = std::numeric_limits<double>::max();
            for (int e : at[v])
                for (int n : m.elements[ix(e)])
                    if (n >= 0 && n != static_cast<int>(v)) reach = std::min(reach, (m.points[ix(n)] - m.points[v]).norm());
            for (double step = 0.3 * reach; step > 0.02 * reach; step *= 0.5)
                for (int k = 0; k < 8; ++k) {
                    const Vec2 was = m.points[v];
                    m.points[v] = was + step * Vec2(std::cos(k * pi / 4), std::sin(k * pi / 4));
                    const bool strayed = v < free && (m.points[v] - home[v - fixed]).norm() > bound[v - fixed];
                    const double now = strayed ? -1 : worst(v);
                    if (now > best) best = now;
                    else m.points[v] = was;
                }
            if (m.points[v] != start) stir(m, at[v], stirred);
        }
}

void cut_bad_quads(PlanarMesh& m) {
    const std::size_t n = m.elements.size();
    for (std::size_t e = 0; e < n; ++e) {
        const auto q = m.elements[e];
        const double was = planar_quality(m.points, q);
        if (q[3] < 0 || was >= poor_quad) continue;
        const auto worst = [&](const std::array<int, 4>& a, const std::array<int, 4>& b) {
            return std::min(planar_quality(m.points, a), planar_quality(m.points, b));
        };
        const std::array<int, 4> a{q[0], q[1], q[2], -1}, b{q[0], q[2], q[3], -1}, c{q[1], q[2], q[3], -1}, d{q[1], q[3], q[0], -1};
        const bool first = worst(a, b) >= worst(c, d);
        if (was >= least_quad && std::max(worst(a, b), worst(c, d)) < 1.15 * was) continue;
        m.elements[e] = first ? a : c;
        m.elements.push_back(first ? b : d);
    }
}

void finish(PlanarMesh& mesh, std::size_t fixed, std::size_t given) {
    // The rows' own points may give way where that lifts what is worst and others cannot.
    lift_worst(mesh, fixed, fixed);
    if (given < fixed) lift_worst(mesh, given, fixed);
    cut_bad_quads(mesh);
    // Points that lost all their elements leave no gap in the numbering.
    std::vector<int> number(mesh.points.size(), -1);
    std::vector<Vec2> points(mesh.points.begin(), mesh.points.begin() + static_cast<std::ptrdiff_t>(fixed));
    for (std::size_t i = 0; i < fixed; ++i) number[i] = static_cast<int>(i);
    for (auto& e : mesh.elements)
        for (int& v : e) {
            if (v < 0) continue;
            if (number[ix(v)] < 0) {
                number[ix(v)] = static_cast<int>(points.size());
                points.push_back(mesh.points[ix(v)]);
            }
            v = number[ix(v)];
        }
    mesh.points = std::move(points);
}

}  // namespace

void make_quads(PlanarMesh& mesh, const std::vector<Triangle>& triangles, std::size_t fixed, std::size_t given, bool eager) {
    const auto rows = std::move(mesh.elements);
    mesh.elements = Pairing(mesh.points, triangles, eager).run();
    remove_doublets(mesh, fixed);
    smooth(mesh, fixed);
    std::set<std::pair<int, int>> kept;
    for (const Triangle& t : triangles)
        for (std::size_t k = 0; k < 3; ++k)
            if (t.fixed[k]) kept.insert(std::minmax(t.v[(k + 1) % 3], t.v[(k + 2) % 3]));
    const auto clean = [&] {
        const std::vector<int> changed = clean_up(mesh, fixed, kept);
        smooth(mesh, fixed, &changed);
    };
    clean();
    if (std::vector<int> changed = join_triangles(mesh, fixed, kept); !changed.empty()) {
        smooth(mesh, fixed, &changed);
        clean();
    }
    mesh.elements.insert(mesh.elements.end(), rows.begin(), rows.end());
    finish(mesh, fixed, given);
}

void improve(PlanarMesh& mesh, std::size_t fixed, std::size_t given, const std::vector<std::array<int, 4>>& rows) {
    smooth(mesh, fixed);
    const std::vector<int> changed = clean_up(mesh, fixed, {});
    smooth(mesh, fixed, &changed);
    mesh.elements.insert(mesh.elements.end(), rows.begin(), rows.end());
    finish(mesh, fixed, given);
}

}  // namespace halvo
