#include "mesh/planar.hpp"

#include "core/index.hpp"
#include "geom/triangulation.hpp"
#include "mesh/blocks.hpp"
#include "mesh/clean_up.hpp"
#include "mesh/quads.hpp"
#include "mesh/subregions.hpp"

#include <halvo/geometry.hpp>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <span>
#include <unordered_map>

namespace halvo {
namespace {

constexpr double clearance = 0.62;           // of the local size, between lattice points and everything fixed
constexpr double narrowest_row = 0.4;        // of the hole's segments, for a row of quads round it
constexpr std::size_t most_compared = 4000;  // elements of a region up to which several ways to mesh it are compared
constexpr double each_more = 0.1;            // that an element more than the plain way makes counts for, when ways are compared
constexpr double each_folded = 2;            // as the two triangles that it becomes
constexpr double few_folded = 0.1;           // share of a map's quads: more, and other ways are looked at
constexpr double mapped_quality = 0.35;      // a mapped mesh worse than this is made freely instead

// Coons patch between four sides, each given along the loop.
std::optional<PlanarMesh> mapped(const PlanarInput& in) {
    if (in.sides.size() != 4 || !in.inner.empty() || in.loops.size() != 1) return std::nullopt;
    auto bottom = in.sides[0], right = in.sides[1], top = in.sides[2], left = in.sides[3];
    if (bottom.size() != top.size() || right.size() != left.size()) return std::nullopt;
    std::reverse(top.begin(), top.end());
    std::reverse(left.begin(), left.end());
    const std::size_t n = bottom.size(), m = right.size();
    PlanarMesh out{in.points, {}};
    std::vector<int> id(n * m, -1);
    const auto at = [&](std::size_t i, std::size_t j) -> int& { return id[j * n + i]; };
    for (std::size_t i = 0; i < n; ++i) at(i, 0) = bottom[i], at(i, m - 1) = top[i];
    for (std::size_t j = 0; j < m; ++j) at(0, j) = left[j], at(n - 1, j) = right[j];
    const auto& p = in.points;
    for (std::size_t j = 1; j + 1 < m; ++j)
        for (std::size_t i = 1; i + 1 < n; ++i) {
            const double u = static_cast<double>(i) / static_cast<double>(n - 1), v = static_cast<double>(j) / static_cast<double>(m - 1);
            const Vec2 q = (1 - v) * p[ix(bottom[i])] + v * p[ix(top[i])] + (1 - u) * p[ix(left[j])] + u * p[ix(right[j])] -
                           (1 - u) * (1 - v) * p[ix(bottom[0])] - u * (1 - v) * p[ix(bottom[n - 1])] - (1 - u) * v * p[ix(top[0])] - u * v * p[ix(top[n - 1])];
            at(i, j) = static_cast<int>(out.points.size());
            out.points.push_back(q);
        }
    for (std::size_t j = 0; j + 1 < m; ++j)
        for (std::size_t i = 0; i + 1 < n; ++i) {
            out.elements.push_back({at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)});
            if (planar_quality(out.points, out.elements.back()) < mapped_quality) return std::nullopt;
        }
    return out;
}

struct CellHash {
    std::size_t operator()(const std::pair<int, int>& c) const {
        return std::hash<std::uint64_t>{}((static_cast<std::uint64_t>(static_cast<std::uint32_t>(c.first)) << 32) ^ static_cast<std::uint32_t>(c.second));
    }
};
using CellMap = std::unordered_map<std::pair<int, int>, std::vector<std::pair<Vec2, double>>, CellHash>;

std::pair<int, int> cell_of(const Vec2& p, double size) {
    return {static_cast<int>(std::floor(p.x() / size)), static_cast<int>(std::floor(p.y() / size))};
}

// Buckets of points for "is anything nearer than d".
class Nearby {
public:
    explicit Nearby(double size) : size_(size) {}
    void add(const Vec2& p, double keep_off) { cells_[cell_of(p, size_)].push_back({p, keep_off}); }
    [[nodiscard]] bool clear(const Vec2& p) const {
        const auto [cx, cy] = cell_of(p, size_);
        for (int i = -2; i <= 2; ++i)
            for (int j = -2; j <= 2; ++j)
                if (const auto it = cells_.find({cx + i, cy + j}); it != cells_.end())
                    for (const auto& [q, d] : it->second)
                        if ((p - q).squaredNorm() < d * d) return false;
        return true;
    }

    /// Distance to the nearest point, as far as two cells reach.
    [[nodiscard]] double distance(const Vec2& p) const {
        const auto [cx, cy] = cell_of(p, size_);
        double d = 2 * size_;
        for (int i = -2; i <= 2; ++i)
            for (int j = -2; j <= 2; ++j)
                if (const auto it = cells_.find({cx + i, cy + j}); it != cells_.end())
                    for (const auto& [q, off] : it->second) d = std::min(d, (p - q).norm());
        return d;
    }

private:
    double size_;
    CellMap cells_;
};

struct Outline {
    std::vector<std::array<int, 2>> segments;
    std::vector<std::vector<Vec2>> polygons;
};

Outline outline_of(const PlanarInput& in) {
    Outline o;
    for (const auto& loop : in.loops) {
        auto& polygon = o.polygons.emplace_back();
        for (std::size_t i = 0; i < loop.size(); ++i) {
            o.segments.push_back({loop[i], loop[(i + 1) % loop.size()]});
            polygon.push_back(in.points[ix(loop[i])]);
        }
    }
    return o;
}

// Direction along which most of the boundary runs, modulo a quarter turn.
double main_direction(const PlanarInput& in, const Outline& o) {
    double c = 0, s = 0;
    const auto add = [&](const std::array<int, 2>& seg) {
        const Vec2 d = in.points[ix(seg[1])] - in.points[ix(seg[0])];
        const double a = 4 * std::atan2(d.y(), d.x()), w = d.norm();
        c += w * std::cos(a), s += w * std::sin(a);
    };
    for (const auto& seg : o.segments) add(seg);
    for (const auto& seg : in.inner) add(seg);
    return std::atan2(s, c) / 4;
}

// Rows of quads round a round hole, as many as there is room for; the hole's outline becomes that of the last row.
void add_rings(const PlanarInput& in, Outline& o, std::size_t l, const Nearby& others, PlanarMesh& out, std::vector<int>& loop) {
    const std::vector<Vec2> poly = o.polygons[l];
    Vec2 centre = Vec2::Zero();
    for (const Vec2& p : poly) centre += p / static_cast<double>(poly.size());
    double low = std::numeric_limits<double>::max(), high = 0, round = 0;
    for (std::size_t i = 0; i < poly.size(); ++i) {
        low = std::min(low, (poly[i] - centre).norm()), high = std::max(high, (poly[i] - centre).norm());
        round += (poly[(i + 1) % poly.size()] - poly[i]).norm();
    }
    double segment = round / static_cast<double>(poly.size()), radius = low;
    if (poly.size() < 6 || high > 1.02 * low || segment > 1.5 * in.size) return;
    const auto at = [&](const Vec2& p, double r) { return Vec2(centre + (p - centre) * (r / low)); };
    const HoleRows rows = l - 1 < in.holes.size() ? in.holes[l - 1] : HoleRows{};
    for (int row = 0; row < rows.rows; ++row) {
        // As wide as asked for, or as leaves about as much again to whatever is nearest.
        double gap = std::numeric_limits<double>::max();
        for (const Vec2& p : o.polygons[l]) gap = std::min(gap, others.distance(p));
        const double wanted = rows.width > 0 ? rows.width : std::min(0.9 * in.size, 1.25 * segment), width = std::min(wanted, gap / 1.9), next = radius + width;
        if (width < narrowest_row * std::min(segment, wanted)) return;
        const int first = static_cast<int>(out.points.size()), n = static_cast<int>(poly.size());
        for (const Vec2& p : poly) out.points.push_back(at(p, next));
        // The loop has the material, and so the row, on its left.
        for (int i = 0; i < n; ++i) out.elements.push_back({loop[ix(i)], loop[ix((i + 1) % n)], first + (i + 1) % n, first + i});
        for (int i = 0; i < n; ++i) loop[ix(i)] = first + i, o.polygons[l][ix(i)] = out.points[ix(first + i)];
        segment *= next / radius, radius = next;
    }
}

Box2 box_of(const std::vector<Vec2>& polygon) {
    Box2 b;
    for (const Vec2& p : polygon) b.extend(p);
    return b;
}

// Where the outline is finer than the size: how fine points should stand.
class FineBorder {
public:
    FineBorder(const PlanarInput& in, const Outline& o) : size_(in.size), slope_(in.growth - 1) {
        if (in.growth <= 1) return;
        double finest = size_;
        const auto add = [&](const Vec2& a, const Vec2& b) {
            const double length = (b - a).norm();
            if (length > 0.6 * size_) return;
            finest = std::min(finest, length);
            cells_[cell_of(0.5 * (a + b), size_)].push_back({0.5 * (a + b), length});
        };
        // Of holes it is what their rows leave.
        for (const auto& p : o.polygons)
            for (std::size_t i = 0; i < p.size(); ++i) add(p[i], p[(i + 1) % p.size()]);
        for (const auto& s : in.inner) add(in.points[ix(s[0])], in.points[ix(s[1])]);
        levels_ = std::min(6, static_cast<int>(std::lround(std::log2(size_ / std::max(finest, 1e-3 * size_)))));
    }

    [[nodiscard]] int levels() const { return levels_; }
    [[nodiscard]] int level_at(const Vec2& p) const {
        if (levels_ == 0) return 0;
        double size = size_;
        const auto [cx, cy] = cell_of(p, size_);
        const int reach = static_cast<int>(std::ceil(1 / slope_));
        for (int i = -reach; i <= reach; ++i)
            for (int j = -reach; j <= reach; ++j)
                if (const auto it = cells_.find({cx + i, cy + j}); it != cells_.end())
                    for (const auto& [q, length] : it->second) size = std::min(size, length + slope_ * std::max(0.0, (p - q).norm() - length));
        return std::clamp(static_cast<int>(std::lround(std::log2(size_ / size))), 0, levels_);
    }

    // Where along the line at height y along ey points of the level may stand: places along ex, sorted and apart from each other.
    [[nodiscard]] std::vector<std::pair<double, double>> spans(int level, const Vec2& ex, const Vec2& ey, double y) const {
        constexpr double all = std::numeric_limits<double>::max();
        if (level == 0) return {{-all, all}};
        const double size = size_ * std::exp2(0.5 - level) * (1 + 1e-9);
        std::vector<std::pair<double, double>> found, out;
        for (const auto& [cell, list] : cells_)
            for (const auto& [q, length] : list) {
                const double r = length + (size - length) / slope_, d = std::abs(q.dot(ey) - y);
                if (length > size || d > r) continue;
                const double half = std::sqrt(r * r - d * d);
                found.emplace_back(q.dot(ex) - half, q.dot(ex) + half);
            }
        std::sort(found.begin(), found.end());
        for (const auto& [from, to] : found) {
            if (!out.empty() && from <= out.back().second) out.back().second = std::max(out.back().second, to);
            else out.emplace_back(from, to);
        }
        return out;
    }

private:
    double size_, slope_;
    int levels_ = 0;
    CellMap cells_;
};

// Where the polygons' sides cross the line at height y along ey: places along ex, sorted. Between odd and even ones the line is inside.
std::vector<double> crossings_at(const std::vector<std::vector<Vec2>>& polygons, const Vec2& ex, const Vec2& ey, double y) {
    std::vector<double> out;
    for (const auto& p : polygons)
        for (std::size_t i = 0, j = p.size() - 1; i < p.size(); j = i++) {
            const double a = p[j].dot(ey), b = p[i].dot(ey);
            if ((a > y) == (b > y)) continue;
            out.push_back(p[j].dot(ex) + (p[i] - p[j]).dot(ex) * (y - a) / (b - a));
        }
    std::sort(out.begin(), out.end());
    return out;
}

void keep_off(Nearby& where, double h, const Vec2& a, const Vec2& b) {
    const double length = (b - a).norm();
    const int n = std::max(1, static_cast<int>(std::ceil(length / (0.34 * h))));
    const double off = clearance * std::clamp(length, 0.5 * h, h);
    for (int i = 0; i < n; ++i) where.add(a + (b - a) * i / n, off);
}

void keep_off(Nearby& where, double h, const std::vector<Vec2>& p) {
    for (std::size_t i = 0; i < p.size(); ++i) keep_off(where, h, p[i], p[(i + 1) % p.size()]);
}

// The given points and rows of quads round the holes; outline and loops become what is left to mesh.
PlanarMesh rows_round_holes(const PlanarInput& in, Outline& o, std::vector<std::vector<int>>& loops) {
    const double h = in.size;
    Nearby outer(h);
    if (!o.polygons.empty()) keep_off(outer, h, o.polygons[0]);
    for (const auto& s : in.inner) keep_off(outer, h, in.points[ix(s[0])], in.points[ix(s[1])]);
    // Points inside the region stay clear of rows, too.
    std::vector<bool> bounds(in.points.size(), false);
    for (const auto& loop : in.loops)
        for (int i : loop) bounds[ix(i)] = true;
    for (std::size_t i = 0; i < in.points.size(); ++i)
        if (!bounds[i]) outer.add(in.points[i], clearance * 0.75 * h);
    // Rows round one hole keep off the others.
    PlanarMesh out{in.points, {}};
    for (std::size_t l = 1; l < o.polygons.size(); ++l) {
        Nearby others = outer;
        Box2 range = box_of(o.polygons[l]);
        const HoleRows rows = l - 1 < in.holes.size() ? in.holes[l - 1] : HoleRows{};
        const Vec2 reach = Vec2::Constant((rows.rows + 2) * std::max(h, rows.width));
        range.min() -= reach, range.max() += reach;
        for (std::size_t k = 1; k < o.polygons.size(); ++k)
            if (k != l && range.intersects(box_of(o.polygons[k]))) keep_off(others, h, o.polygons[k]);
        add_rings(in, o, l, others, out, loops[l]);
    }
    return out;
}

PlanarMesh free_mesh(const PlanarInput& in, bool eager) {
    Outline o = outline_of(in);
    const double h = in.size;
    // Hole boundaries keep lattice points off by their own scale, the last row of a ring by the size.
    auto loops = in.loops;
    PlanarMesh out = rows_round_holes(in, o, loops);
    Nearby all(h);
    for (const auto& s : in.inner) keep_off(all, h, in.points[ix(s[0])], in.points[ix(s[1])]);
    for (const auto& p : o.polygons) keep_off(all, h, p);
    for (const Vec2& p : out.points) all.add(p, clearance * 0.75 * h);
    const std::size_t fixed = out.points.size();
    std::vector<std::array<int, 2>> segments;
    for (const auto& loop : loops)
        for (std::size_t i = 0; i < loop.size(); ++i) segments.push_back({loop[i], loop[(i + 1) % loop.size()]});
    // Lattice along the main direction, its pitch fitted to the region's extent so that straight boundaries line up.
    const double turn = main_direction(in, o);
    const Vec2 ex(std::cos(turn), std::sin(turn)), ey(-ex.y(), ex.x());
    Box2 box;
    for (const Vec2& p : in.points) box.extend(Vec2(p.dot(ex), p.dot(ey)));
    const int nx = std::max(1, static_cast<int>(std::lround(box.sizes().x() / h))), ny = std::max(1, static_cast<int>(std::lround(box.sizes().y() / h)));
    const double hx = box.sizes().x() / nx, hy = box.sizes().y() / ny;
    // Finer lattices first, each where the boundary asks for about its pitch.
    const FineBorder border(in, o);
    for (int level = border.levels(); level >= 0; --level) {
        const int parts = 1 << level;
        const double pitch = std::max(hx, hy) / parts;
        std::vector<Vec2> placed;
        for (int j = 1; j < ny * parts; ++j) {
            const double y = box.min().y() + j * hy / parts;
            const auto spans = border.spans(level, ex, ey, y);
            if (spans.empty()) continue;
            const std::vector<double> crossings = crossings_at(o.polygons, ex, ey, y);
            std::size_t before = 0;
            int i = 1;
            for (const auto& [from, to] : spans) {
                const double last = nx * parts - 1;
                const auto first = static_cast<int>(std::clamp(std::floor((from - box.min().x()) / hx * parts), 1.0, last + 1));
                const auto end = static_cast<int>(std::clamp(std::ceil((to - box.min().x()) / hx * parts), 0.0, last));
                for (i = std::max(i, first); i <= end; ++i) {
                    const double x = box.min().x() + i * hx / parts;
                    while (before < crossings.size() && crossings[before] < x) ++before;
                    if (before % 2 == 0) continue;
                    const Vec2 q = x * ex + y * ey;
                    if (border.level_at(q) == level && all.clear(q)) placed.push_back(q);
                }
            }
        }
        for (const Vec2& q : placed) {
            out.points.push_back(q);
            if (border.levels() > 0) all.add(q, 0.9 * pitch);
        }
    }
    make_quads(out, triangulate(out.points, segments, in.inner), fixed, in.points.size(), eager);
    return out;
}

double signed_area(const std::vector<Vec2>& points, std::span<const int> corners) {
    double sum = 0;
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Vec2 &a = points[ix(corners[i])], &b = points[ix(corners[(i + 1) % corners.size()])];
        sum += 0.5 * (a.x() * b.y() - b.x() * a.y());
    }
    return sum;
}

// Are all elements upright, and do they make up the region's area?
bool fills(const PlanarMesh& m, const PlanarInput& in) {
    double wanted = 0, sum = 0;
    for (const auto& loop : in.loops) wanted += signed_area(in.points, loop);
    for (const auto& e : m.elements) {
        if (!(planar_quality(m.points, e) > 0)) return false;
        sum += signed_area(m.points, {e.data(), e[3] < 0 ? 3U : 4U});
    }
    return std::abs(sum - wanted) <= 1e-9 * std::abs(wanted);
}

// All quads: every second point of the outline carries a mesh of twice the size, each element of which is split at its middle and the
// middles of its sides. Nothing where an outline has an odd number of points, or lines and points inside.
std::optional<PlanarMesh> split_mesh(const PlanarInput& given, std::size_t first) {
    std::size_t on_loops = 0;
    for (const auto& loop : given.loops) on_loops += loop.size();
    if (!given.inner.empty() || on_loops != given.points.size()) return std::nullopt;
    // Rows round holes stay what they are; only what they leave is split.
    PlanarInput in = given;
    Outline o = outline_of(given);
    const PlanarMesh rows = rows_round_holes(given, o, in.loops);
    in.points = rows.points;
    PlanarInput coarse;
    coarse.size = 2 * in.size, coarse.growth = in.growth;
    std::vector<int> fine;  // of each coarse point
    std::map<std::pair<int, int>, int> middle;
    for (const auto& loop : in.loops) {
        if (loop.size() % 2 || loop.size() < 6) return std::nullopt;
        auto& out = coarse.loops.emplace_back();
        if (coarse.loops.size() > 1) coarse.holes.push_back({0, 0});
        for (std::size_t i = first; i < loop.size() + first; i += 2) {
            middle[{loop[i % loop.size()], loop[(i + 2) % loop.size()]}] = loop[(i + 1) % loop.size()];
            out.push_back(static_cast<int>(fine.size())), fine.push_back(loop[i % loop.size()]);
        }
    }
    for (int i : fine) coarse.points.push_back(in.points[ix(i)]);
    PlanarMesh m = free_mesh(coarse, true), out{in.points, {}};
    for (std::size_t i = fine.size(); i < m.points.size(); ++i) fine.push_back(static_cast<int>(out.points.size())), out.points.push_back(m.points[i]);
    std::map<std::pair<int, int>, int> inner;
    const auto middle_of = [&](int a, int b) {
        if (const auto it = middle.find({fine[ix(a)], fine[ix(b)]}); it != middle.end()) return it->second;
        const auto [it, fresh] = inner.try_emplace(std::minmax(a, b), static_cast<int>(out.points.size()));
        if (fresh) out.points.push_back(0.5 * (m.points[ix(a)] + m.points[ix(b)]));
        return it->second;
    };
    for (const auto& e : m.elements) {
        const int n = e[3] < 0 ? 3 : 4;
        Vec2 centre = Vec2::Zero();
        for (int k = 0; k < n; ++k) centre += m.points[ix(e[ix(k)])] / n;
        const int c = static_cast<int>(out.points.size());
        out.points.push_back(centre);
        for (int k = 0; k < n; ++k) {
            const int a = e[ix(k)], next = e[ix((k + 1) % n)], before = e[ix((k + n - 1) % n)];
            out.elements.push_back({fine[ix(a)], middle_of(a, next), c, middle_of(before, a)});
        }
    }
    if (!fills(out, in)) return std::nullopt;  // a coarser outline may run over itself
    improve(out, in.points.size(), given.points.size(), rows.elements);
    return fills(out, given) ? std::optional(std::move(out)) : std::nullopt;
}

}  // namespace

double planar_quality(const std::vector<Vec2>& points, const std::array<int, 4>& e) {
    const std::size_t n = e[3] < 0 ? 3 : 4;
    Vec2 side[4];
    double length[4];  // squared: one root at the end does for all corners
    for (std::size_t k = 0; k < n; ++k) {
        side[k] = points[ix(e[(k + 1) % n])] - points[ix(e[k])];
        length[k] = side[k].squaredNorm();
    }
    const auto cross = [&](std::size_t a, std::size_t b) { return side[a].x() * side[b].y() - side[a].y() * side[b].x(); };
    const auto root = [](double x) { return x < 0 ? -std::sqrt(-x) : std::sqrt(x); };
    if (n == 3) {
        const double longest = std::max({length[0] * length[1], length[1] * length[2], length[2] * length[0]}), c = cross(0, 1);
        return longest > 0 ? 2 / std::sqrt(3.0) * root(c * std::abs(c) / longest) : 0;
    }
    double worst = 1;
    for (std::size_t k = 0; k < 4; ++k) {
        const std::size_t before = (k + 3) % 4;
        const double d = length[k] * length[before], c = cross(before, k);
        worst = std::min(worst, d > 0 ? c * std::abs(c) / d : -1);
    }
    return root(worst);
}

double planar_fitness(const std::vector<Vec2>& points, const std::array<int, 4>& e) {
    // An aspect ratio of 4 and a taper of 0.62 count as much as a scaled Jacobian of 0.6.
    constexpr double aspect = 2.4, taper = 1.6;
    const int n = e[3] < 0 ? 3 : 4;
    double shortest = std::numeric_limits<double>::max(), longest = 0, least = shortest, area = 0;
    for (int k = 0; k < n; ++k) {
        const Vec2 u = points[ix(e[ix((k + 1) % n)])] - points[ix(e[ix(k)])], v = points[ix(e[ix((k + n - 1) % n)])] - points[ix(e[ix(k)])];
        const double corner = u.x() * v.y() - u.y() * v.x(), side = u.squaredNorm();
        shortest = std::min(shortest, side), longest = std::max(longest, side);
        least = std::min(least, corner), area += corner / n;
    }
    return std::min({planar_quality(points, e), aspect * std::sqrt(shortest / longest), n == 4 && area > 0 ? taper * least / area : 1.0});
}

namespace {

// Scaled along a direction.
void scale(std::vector<Vec2>& points, const Vec2& axis, double by) {
    for (Vec2& p : points) p += (by - 1) * p.dot(axis) * axis;
}

}  // namespace

namespace {

// Part by part, where lines inside cut the region into several.
std::optional<PlanarMesh> in_parts(const PlanarInput& input) {
    PlanarMesh out;
    const std::vector<Subregion> parts = subregions(input, out.points);
    if (parts.empty()) return std::nullopt;
    for (const Subregion& s : parts) {
        const PlanarMesh m = mesh_planar(s.in);
        std::vector<int> global = s.global;
        for (std::size_t i = global.size(); i < m.points.size(); ++i) global.push_back(static_cast<int>(out.points.size())), out.points.push_back(m.points[i]);
        for (std::array<int, 4> e : m.elements) {
            for (int& v : e)
                if (v >= 0) v = global[ix(v)];
            out.elements.push_back(e);
        }
    }
    return fills(out, input) ? std::optional(std::move(out)) : std::nullopt;
}

// Quads that the bent surface folds too much: they are to be cut.
std::size_t folded(const PlanarMesh& m, const PlanarInput& in) {
    if (!in.folds || m.elements.size() > most_compared) return 0;
    return static_cast<std::size_t>(std::count_if(m.elements.begin(), m.elements.end(), [&](const std::array<int, 4>& e) {
        return e[3] >= 0 && in.folds({m.points[ix(e[0])], m.points[ix(e[1])], m.points[ix(e[2])], m.points[ix(e[3])]});
    }));
}

PlanarMesh stretched(const PlanarInput& input) {
    PlanarInput shorter = input;
    shorter.stretch = 1, shorter.sides.clear();
    scale(shorter.points, input.axis, 1 / input.stretch);
    if (input.folds)
        shorter.folds = [&input](const std::array<Vec2, 4>& e) {
            std::vector<Vec2> at(e.begin(), e.end());
            scale(at, input.axis, input.stretch);
            return input.folds({at[0], at[1], at[2], at[3]});
        };
    PlanarMesh out = mesh_planar(shorter);
    scale(out.points, input.axis, input.stretch);
    std::copy(input.points.begin(), input.points.end(), out.points.begin());
    return out;
}

}  // namespace

PlanarMesh mesh_planar(const PlanarInput& input) {
    auto map = mapped(input);
    if (map && folded(*map, input) <= few_folded * map->elements.size()) return std::move(*map);
    if (input.stretch > 1) return stretched(input);
    PlanarMesh best = free_mesh(input, false);
    const auto settled = [&] {
        return best.elements.size() > most_compared ||
               (std::none_of(best.elements.begin(), best.elements.end(), [](const auto& e) { return e[3] < 0; }) && folded(best, input) == 0);
    };
    auto parts = in_parts(input);
    if (!parts && settled()) return best;
    const auto plain = static_cast<double>(best.elements.size());
    const auto cost = [&](const PlanarMesh& m) {
        return badness(m, input.points.size()) + each_folded * static_cast<double>(folded(m, input)) +
               each_more * std::max(0.0, static_cast<double>(m.elements.size()) - plain);
    };
    double least = cost(best);
    const auto offer = [&](PlanarMesh&& m) {
        const double b = cost(m);
        if (b < least * (1 - 1e-9)) least = b, best = std::move(m);
    };
    if (parts) offer(std::move(*parts));
    if (settled()) return best;
    if (map) offer(std::move(*map));
    // Where triangles are left, other ways may do better: pairing by longer ways, or all quads out of a coarser mesh.
    offer(free_mesh(input, true));
    for (const std::size_t first : {0U, 1U})
        if (auto m = split_mesh(input, first)) offer(std::move(*m));
    if (auto m = three_blocks(input)) offer(std::move(*m));
    const std::size_t round = input.loops.empty() ? 0 : input.loops[0].size();
    for (std::size_t turn = 0; turn < std::min(round / 2, most_round_block); ++turn)
        if (auto m = block_in_ring(input, turn)) offer(std::move(*m));
    return best;
}

}  // namespace halvo
