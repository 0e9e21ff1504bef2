#include "model/arrangement.hpp"

#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/triangulation.hpp"
#include "model/point_registry.hpp"
#include "model/sheet_values.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace halvo {
namespace {

// Points along a chain of half-edges, each once.
std::vector<Vec3> chain_points(const std::vector<Edge>& edges, const std::vector<int>& halves, double chord) {
    std::vector<Vec3> out;
    for (int h : halves) {
        auto pts = edges[ix(h / 2)].curve.sampled(chord, 8);
        if (h % 2) std::reverse(pts.begin(), pts.end());
        out.insert(out.end(), pts.begin(), pts.end() - 1);
    }
    return out;
}

class Splitter {
public:
    Splitter(const ArrangementInput& in, double tol, double shortest)
        : in_(in), tol_(tol), shortest_(shortest), points_(tol), middles_(8 * tol), splits_(in.curves.size()), carriers_(in.curves.size()) {}

    Arrangement run() {
        for (std::size_t c = 0; c < in_.curves.size(); ++c) {
            const Curve& k = in_.curves[c];
            add(static_cast<int>(c), k.t0, points_.at(k.start()));
            add(static_cast<int>(c), k.t1, points_.at(k.end()));
        }
        for (const auto& s : in_.sheets) meet_all(s);
        for (const auto& s : in_.splits) {
            const double t = in_.curves[ix(s.curve)].nearest(s.point);
            add(s.curve, t, points_.at(s.point));
        }
        for (const Vec3& p : in_.points) out_.of_point.emplace_back(points_.at(p));
        points_on_curves();
        share_along_carriers();
        mirror_twins();
        cut_edges();
        if (shortest_ > 0) contract();
        out_.vertices = points_.points();
        for (const auto& s : in_.sheets) out_.sheets.push_back(trace(s));
        return std::move(out_);
    }

private:
    struct Split {
        double t;
        int vertex;
    };

    void add(int curve, double t, int vertex) { splits_[ix(curve)].push_back({t, vertex}); }

    void meet_all(const ArrangementInput::SheetSurface& s) {
        struct Entry {
            Box3 box;
            int curve;
        };
        std::vector<Entry> entries;
        for (int c : s.curves) {
            Box3 b;
            if (s.chart.flat()) {
                // In the chart, so that the sweep runs along the sheet.
                const Curve& k = in_.curves[ix(c)];
                const auto flat = [&](const Vec3& p) { return s.chart.plane().local(p); };
                if (k.is_line()) b.extend(flat(k.start())).extend(flat(k.end()));
                else {
                    const Box3 own = k.box();
                    for (int i = 0; i < 8; ++i) b.extend(flat(own.corner(static_cast<Box3::CornerType>(i))));
                }
                b.min().z() = b.max().z() = 0;
            } else {
                b = in_.curves[ix(c)].box();
            }
            b.min().array() -= 2 * tol_, b.max().array() += 2 * tol_;
            entries.push_back({b, c});
        }
        std::stable_sort(entries.begin(), entries.end(), [](const Entry& a, const Entry& b) { return a.box.min().x() < b.box.min().x(); });
        for (std::size_t i = 0; i < entries.size(); ++i)
            for (std::size_t j = i + 1; j < entries.size() && entries[j].box.min().x() <= entries[i].box.max().x(); ++j)
                if (entries[i].box.intersects(entries[j].box)) meet(s, entries[i].curve, entries[j].curve);
    }

    void meet(const ArrangementInput::SheetSurface& s, int a, int b) {
        if (a == b || !met_.insert(std::minmax(a, b)).second) return;
        const Curve &ca = in_.curves[ix(a)], &cb = in_.curves[ix(b)];
        touch_end(a, b), touch_end(b, a);
        if (same_carrier(ca, cb, tol_)) {
            carriers_.tie(a, b);
            return;
        }
        if (s.chart.flat() && ca.is_line()) cross(s, a, b);
        else if (s.chart.flat() && cb.is_line()) cross(s, b, a);
        else
            for (const auto& [t, u] : meets(ca, cb, 4 * tol_)) {
                const int v = points_.at(end_near(ca, cb, ca.point(t)));
                add(a, t, v), add(b, u, v);
            }
    }

    // A crossing next to an end of either curve is that end.
    Vec3 end_near(const Curve& a, const Curve& b, const Vec3& p) const {
        for (const Vec3& e : {a.start(), a.end(), b.start(), b.end()})
            if ((e - p).norm() <= 8 * tol_) return e;
        return p;
    }

    // Ends of `a` that lie on `b`.
    void touch_end(int a, int b) {
        const Curve &ca = in_.curves[ix(a)], &cb = in_.curves[ix(b)];
        for (const Vec3& p : {ca.start(), ca.end()}) {
            const double t = cb.nearest(p);
            if ((cb.point(t) - p).norm() <= tol_) add(b, t, points_.at(p));
        }
    }

    void cross(const ArrangementInput::SheetSurface& s, int line, int other) {
        const Curve &cl = in_.curves[ix(line)], &co = in_.curves[ix(other)];
        const auto& l = std::get<LineCurve>(cl.shape);
        const Plane through = Plane::through(l.origin, s.chart.plane().z.cross(l.direction));
        for (double t : touching_once(co, through)) {
            const Vec3 p = co.point(t);
            const double u = (p - l.origin).dot(l.direction);
            if (u < cl.t0 - tol_ || u > cl.t1 + tol_) continue;
            const int v = points_.at(p);
            add(other, t, v);
            add(line, std::clamp(u, cl.t0, cl.t1), v);
        }
    }

    // Where a curve passes a plane; places between which it keeps to the plane are one, where it but touches it.
    std::vector<double> touching_once(const Curve& c, const Plane& plane) const {
        std::vector<double> at = meets(c, plane), out;
        std::sort(at.begin(), at.end());
        for (double t : at) {
            const double m = out.empty() ? t : 0.5 * (out.back() + t);
            if (!out.empty() && std::abs(plane.height(c.point(m))) <= 0.1 * tol_ && c.length(out.back(), t) <= 100 * tol_) out.back() = m;
            else out.push_back(t);
        }
        return out;
    }

    void points_on_curves() {
        if (in_.points.empty()) return;
        for (std::size_t c = 0; c < in_.curves.size(); ++c) {
            const Curve& k = in_.curves[c];
            Box3 b = k.box();
            b.min().array() -= tol_, b.max().array() += tol_;
            for (std::size_t i = 0; i < in_.points.size(); ++i) {
                if (!b.contains(in_.points[i])) continue;
                const double t = k.nearest(in_.points[i]);
                if ((k.point(t) - in_.points[i]).norm() <= tol_) add(static_cast<int>(c), t, out_.of_point[i].value);
            }
        }
    }

    // Curves on one line or circle share every vertex that lies on them.
    void share_along_carriers() {
        std::map<int, std::vector<int>> groups;
        for (std::size_t c = 0; c < in_.curves.size(); ++c) groups[carriers_.root(static_cast<int>(c))].push_back(static_cast<int>(c));
        for (const auto& [r, members] : groups) {
            if (members.size() < 2) continue;
            std::set<int> vertices;
            for (int c : members)
                for (const Split& s : splits_[ix(c)]) vertices.insert(s.vertex);
            for (int c : members)
                for (int v : vertices) {
                    const Vec3& p = points_.points()[ix(v)];
                    const double t = in_.curves[ix(c)].nearest(p);
                    if ((in_.curves[ix(c)].point(t) - p).norm() <= 2 * tol_) add(c, t, v);
                }
        }
    }

    void mirror_twins() {
        for (const auto& w : in_.twins)
            for (const auto& [from, to] : {std::pair(w.a, w.b), std::pair(w.b, w.a)}) {
                const Curve& target = in_.curves[ix(to)];
                const auto list = splits_[ix(from)];
                for (const Split& s : list) {
                    const Vec3& p = points_.points()[ix(s.vertex)];
                    const double t = target.nearest(p);
                    const Vec3 q = target.point(t);
                    if (std::abs((p - q).dot(target.derivative(t).normalized())) > 2 * tol_) continue;  // beyond its ends
                    add(to, t, points_.at(q));
                }
            }
        if (!in_.twins.empty()) share_along_carriers();
    }

    void cut_edges() {
        out_.on_curve.resize(in_.curves.size());
        std::map<std::array<int, 3>, int> known;
        for (std::size_t c = 0; c < in_.curves.size(); ++c) {
            auto& list = splits_[c];
            std::stable_sort(list.begin(), list.end(), [](const Split& a, const Split& b) { return a.t < b.t; });
            const Curve& k = in_.curves[c];
            // Splits at one vertex are one; the curve's own ends keep their exact parameters.
            std::vector<Split> clean;
            for (const Split& s : list)
                if (clean.empty() || clean.back().vertex != s.vertex || k.length(clean.back().t, s.t) > 8 * tol_) clean.push_back(s);
            if (clean.size() < 2) continue;
            clean.front().t = k.t0, clean.back().t = k.t1;
            for (std::size_t i = 0; i + 1 < clean.size(); ++i)
                add_edge(static_cast<int>(c), k.piece(clean[i].t, clean[i + 1].t), clean[i].vertex, clean[i + 1].vertex, known);
        }
    }

    void add_edge(int c, Curve curve, int a, int b, std::map<std::array<int, 3>, int>& known) {
        const Vec3 &pa = points_.points()[ix(a)], &pb = points_.points()[ix(b)];
        if (curve.is_line()) curve = Curve::segment(pa, pb);
        if (curve.length() <= tol_ && a == b) return;
        const int middle = middles_.at(curve.middle());
        const auto [it, fresh] = known.try_emplace({std::min(a, b), std::max(a, b), middle}, static_cast<int>(out_.edges.size()));
        bool reversed = false;
        if (fresh) out_.edges.push_back({curve, {VertexId(a), VertexId(b)}});
        else if (a != b) reversed = out_.edges[ix(it->second)].vertices[0].value != a;
        else {
            const Curve& e = out_.edges[ix(it->second)].curve;
            reversed = e.derivative(0.5 * (e.t0 + e.t1)).dot(curve.derivative(0.5 * (curve.t0 + curve.t1))) < 0;
        }
        out_.on_curve[ix(c)].push_back({EdgeId(it->second), reversed});
    }

    // Short edges become one of their vertices, that with most edges: what but pokes over a crossing has one. What runs round between such
    // vertices goes with them, and what then runs from one vertex to another along the same way is one edge.
    void contract() {
        std::vector<int> degree(points_.points().size(), 0);
        for (const Edge& e : out_.edges)
            for (VertexId v : e.vertices) ++degree[v.index()];
        const auto rank = [&](int v) { return std::pair(degree[ix(v)], -v); };
        Groups vertices(points_.points().size());
        for (const Edge& e : out_.edges) {
            const int a = vertices.root(e.vertices[0].value), b = vertices.root(e.vertices[1].value);
            if (e.curve.length() <= shortest_ && a != b) vertices.tie(rank(a) < rank(b) ? a : b, rank(a) < rank(b) ? b : a);
        }
        struct Left {
            int edge = -1;
            bool turned = false;
        };
        std::vector<Left> number;
        std::vector<Edge> left;
        std::map<std::array<int, 3>, int> known;
        for (Edge& e : out_.edges) {
            for (VertexId& v : e.vertices) v = VertexId(vertices.root(v.value));
            const int a = std::min(e.vertices[0].value, e.vertices[1].value), b = std::max(e.vertices[0].value, e.vertices[1].value);
            if (a == b && e.curve.length() <= 2 * shortest_) {
                number.emplace_back();
                continue;
            }
            const auto [it, fresh] = known.try_emplace({a, b, middles_.at(e.curve.middle())}, static_cast<int>(left.size()));
            const bool same = !fresh && a != b;
            number.push_back({same ? it->second : static_cast<int>(left.size()), same && left[ix(it->second)].vertices[0] != e.vertices[0]});
            if (same) continue;
            if (e.curve.is_line()) e.curve = Curve::segment(points_.points()[e.vertices[0].index()], points_.points()[e.vertices[1].index()]);
            left.push_back(std::move(e));
        }
        out_.edges = std::move(left);
        for (VertexId& v : out_.of_point) v = VertexId(vertices.root(v.value));
        for (auto& uses : out_.on_curve) {
            std::vector<EdgeUse> kept;
            for (const EdgeUse& u : uses)
                if (const Left& n = number[u.edge.index()]; n.edge >= 0) kept.push_back({EdgeId(n.edge), u.reversed != n.turned});
            uses = std::move(kept);
        }
    }

    Vec3 tail_point(int half, double away) const {
        const Edge& e = out_.edges[ix(half / 2)];
        const double share = std::min(0.5, away / std::max(e.curve.length(), 1e-300));
        return e.curve.point(e.curve.parameter_at(half % 2 ? 1 - share : share));
    }

    int tail(int half) const { return out_.edges[ix(half / 2)].vertices[half % 2 ? 1 : 0].value; }

    SheetCells trace(const ArrangementInput::SheetSurface& s) {
        std::set<int> edges;
        for (int c : s.curves)
            for (const EdgeUse& u : out_.on_curve[ix(c)]) edges.insert(u.edge.value);
        std::map<int, std::vector<int>> leaving;
        for (int e : edges)
            for (int h : {2 * e, 2 * e + 1}) leaving[tail(h)].push_back(h);
        SheetCells cells;
        for (auto& [v, list] : leaving) {
            // Directions are compared a little away from the vertex, where tangent curves have parted.
            double away = std::numeric_limits<double>::max();
            for (int h : list) away = std::min(away, 0.25 * out_.edges[ix(h / 2)].curve.length());
            const Vec2 at = s.chart.local2(out_.vertices[ix(v)]);
            std::map<int, double> angle;
            for (int h : list) {
                const Vec2 d = s.chart.local2(tail_point(h, away), at) - at;
                angle[h] = std::atan2(d.y(), d.x());
            }
            std::stable_sort(list.begin(), list.end(), [&](int a, int b) { return angle[a] < angle[b]; });
            for (std::size_t i = 0; i < list.size(); ++i) cells.next[list[i] ^ 1] = list[(i + list.size() - 1) % list.size()];
        }
        collect(s, edges, cells);
        return cells;
    }

    void collect(const ArrangementInput::SheetSurface& s, const std::set<int>& edges, SheetCells& cells) {
        struct Loop {
            std::vector<int> halves;
            double area;
            std::vector<Vec2> polygon;
            Box2 box;
            int cell = -1;
            bool winds = false;
        };
        std::vector<Loop> loops;
        std::set<int> seen;
        for (int e : edges)
            for (int h : {2 * e, 2 * e + 1}) {
                if (seen.count(h)) continue;
                Loop l;
                for (int k = h; seen.insert(k).second; k = cells.next[k]) l.halves.push_back(k);
                l.area = chain_area(out_.edges, s.chart, l.halves);
                const auto points = chain_points(out_.edges, l.halves, 1e-3);
                l.polygon = unrolled(s.chart, points);
                // A loop that runs round a closed surface without its cut bounds nothing.
                l.winds = !closes(s.chart, points, l.polygon, tol_);
                if (l.winds || is_tree(l.halves, l.area)) l.area = 0;
                for (const Vec2& p : l.polygon) l.box.extend(p);
                loops.push_back(std::move(l));
            }
        const double least = tol_ * tol_;
        for (Loop& l : loops) {
            if (l.area <= least) continue;
            l.cell = static_cast<int>(cells.cells.size());
            cells.cells.push_back({{l.halves}, l.area});
        }
        for (Loop& l : loops) {
            if (l.cell >= 0 || l.winds) continue;
            // A hole or a loose tree: belongs to the smallest cell around it that is not of its own component.
            const Loop* best = nullptr;
            const Vec2 at = l.polygon[0];
            std::set<int> own;
            for (int h : l.halves) own.insert(h ^ 1);
            for (const Loop& o : loops) {
                if (o.area <= least || !o.box.contains(at) || (best && o.area >= best->area)) continue;
                if (std::any_of(o.halves.begin(), o.halves.end(), [&](int h) { return own.count(h) > 0; })) continue;
                const bool shares = std::any_of(o.halves.begin(), o.halves.end(), [&](int h) {
                    return std::any_of(l.halves.begin(), l.halves.end(), [&](int k) { return tail(h) == tail(k); });
                });
                if (!shares && inside({o.polygon}, at)) best = &o;
            }
            if (!best) continue;
            l.cell = best->cell;
            cells.cells[ix(l.cell)].loops.push_back(l.halves);
            cells.cells[ix(l.cell)].area += l.area;
        }
        for (const Loop& l : loops)
            for (int h : l.halves) cells.cell_of[h] = l.cell;
    }

    // A loose tree, run round on both sides of each edge: what of its area rounding leaves is nothing. All of a torus, cut open, is none.
    [[nodiscard]] bool is_tree(const std::vector<int>& halves, double area) const {
        const std::set<int> all(halves.begin(), halves.end());
        double length = 0;
        for (int h : halves) {
            if (!all.count(h ^ 1)) return false;
            length += out_.edges[ix(h / 2)].curve.length();
        }
        return std::abs(area) <= tol_ * length;
    }

    const ArrangementInput& in_;
    double tol_, shortest_;
    PointRegistry points_, middles_;
    std::vector<std::vector<Split>> splits_;
    Groups carriers_;
    std::set<std::pair<int, int>> met_;
    Arrangement out_;
};

// Area between a curve and its chord, positive when the curve bulges to the right of its direction.
double bulge_area(const Curve& c, const Frame& chart) {
    if (c.is_line()) return 0;
    const double turn = c.t1 - c.t0;
    if (const auto* k = std::get_if<CircleCurve>(&c.shape))
        return 0.5 * k->radius * k->radius * (turn - std::sin(turn)) * (k->frame.z.dot(chart.z) > 0 ? 1 : -1);
    if (const auto* k = std::get_if<EllipseCurve>(&c.shape)) return 0.5 * k->a * k->b * (turn - std::sin(turn)) * (k->frame.z.dot(chart.z) > 0 ? 1 : -1);
    double sum = 0;
    const auto p = c.sampled(1e-4, 8);
    const Vec2 o = chart.local2(p.front());
    for (std::size_t i = 0; i + 1 < p.size(); ++i) {
        const Vec2 u = chart.local2(p[i]) - o, v = chart.local2(p[i + 1]) - o;
        sum += 0.5 * (u.x() * v.y() - v.x() * u.y());
    }
    return sum;
}

}  // namespace

Arrangement arrange(const ArrangementInput& input, double tol, double shortest) {
    return Splitter(input, tol, shortest).run();
}

double chain_area(const std::vector<Edge>& edges, const Chart& chart, const std::vector<int>& halves) {
    if (halves.empty()) return 0;
    if (!chart.flat()) return chart.area(unrolled(chart, chain_points(edges, halves, 1e-4)));
    const Vec2 o = chart.local2(edges[ix(halves[0] / 2)].curve.start());
    double sum = 0;
    for (int h : halves) {
        const Curve& c = edges[ix(h / 2)].curve;
        const Vec2 a = chart.local2(c.start()) - o, b = chart.local2(c.end()) - o;
        const double part = 0.5 * (a.x() * b.y() - b.x() * a.y()) + bulge_area(c, chart.plane());
        sum += h % 2 ? -part : part;
    }
    return sum;
}

std::vector<std::vector<Vec2>> cell_polygons(const Arrangement& a, const Chart& chart, const Cell& cell, double chord) {
    std::vector<std::vector<Vec2>> out;
    for (const auto& loop : cell.loops) out.push_back(unrolled(chart, chain_points(a.edges, loop, chord)));
    return out;
}

namespace {

// Even-odd on a grid: for outlines that cross themselves a little, which no triangulation respects.
std::vector<AreaSample> grid_inside(const std::vector<std::vector<Vec2>>& loops) {
    constexpr int n = 24;
    Box2 box;
    for (const auto& loop : loops)
        for (const Vec2& p : loop) box.extend(p);
    const Vec2 step = box.sizes() / n;
    std::vector<AreaSample> out;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j)
            if (const Vec2 p = box.min() + step.cwiseProduct(Vec2(i + 0.513, j + 0.491)); inside(loops, p)) out.push_back({p, step.prod()});
    return out;
}

}  // namespace

std::vector<AreaSample> spread_inside(const std::vector<std::vector<Vec2>>& loops, std::size_t least, const std::vector<std::vector<Vec2>>& lines) {
    std::vector<Vec2> points;
    // Points of a curve run along there and back agree to rounding only.
    constexpr double same = 1e6;  // to a millionth of a millimetre
    std::map<std::pair<std::int64_t, std::int64_t>, int> known;
    std::map<std::array<int, 2>, bool> odd;
    std::vector<std::array<int, 2>> segments, inner;
    const auto numbers = [&](const std::vector<Vec2>& line) {
        std::vector<int> ids;
        for (const Vec2& p : line) {
            const auto [it, fresh] = known.try_emplace({std::llround(p.x() * same), std::llround(p.y() * same)}, static_cast<int>(points.size()));
            if (fresh) points.push_back(p);
            ids.push_back(it->second);
        }
        return ids;
    };
    for (const auto& loop : loops) {
        const std::vector<int> ids = numbers(loop);
        // What is run along there and back bounds nothing.
        for (std::size_t i = 0; i < ids.size(); ++i)
            if (const int a = ids[i], b = ids[(i + 1) % ids.size()]; a != b) odd[{std::min(a, b), std::max(a, b)}] ^= true;
    }
    for (const auto& [ends, is_odd] : odd)
        if (is_odd) segments.push_back(ends);
    for (const auto& line : lines) {
        const std::vector<int> ids = numbers(line);
        for (std::size_t i = 0; i + 1 < ids.size(); ++i)
            if (ids[i] != ids[i + 1]) inner.push_back({ids[i], ids[i + 1]});
    }
    struct Tri {
        Vec2 a, b, c;
        double area;
    };
    std::vector<Tri> work;
    double sum = 0, wanted = 0;
    for (const Triangle& t : triangulate(points, segments, inner)) {
        const Vec2 &a = points[ix(t.v[0])], &b = points[ix(t.v[1])], &c = points[ix(t.v[2])];
        work.push_back({a, b, c, 0.5 * ((b - a).x() * (c - a).y() - (c - a).x() * (b - a).y())});
        sum += work.back().area;
    }
    for (const auto& loop : loops) wanted += polygon_area(loop);
    if (std::abs(sum - wanted) > 0.05 * std::abs(wanted)) return grid_inside(loops);
    // Largest triangles are halved across their longest side until there are enough and none is much larger than its share.
    const double share = 2 * sum / static_cast<double>(std::max<std::size_t>(least, 1));
    while (!work.empty()) {
        const auto big = std::max_element(work.begin(), work.end(), [](const Tri& x, const Tri& y) { return x.area < y.area; });
        if (work.size() >= least && big->area <= share) break;
        Tri t = *big;
        const double ab = (t.b - t.a).squaredNorm(), bc = (t.c - t.b).squaredNorm(), ca = (t.a - t.c).squaredNorm();
        if (bc >= ab && bc >= ca) t = {t.b, t.c, t.a, t.area};
        else if (ca >= ab && ca >= bc) t = {t.c, t.a, t.b, t.area};
        const Vec2 m = 0.5 * (t.a + t.b);
        *big = {t.a, m, t.c, t.area / 2};
        work.push_back({m, t.b, t.c, t.area / 2});
    }
    std::vector<AreaSample> out;
    for (const Tri& t : work) out.push_back({(t.a + t.b + t.c) / 3, t.area});
    return out;
}

}  // namespace halvo
