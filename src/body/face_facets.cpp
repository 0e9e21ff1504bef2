#include "body/face_facets.hpp"

#include "body/seams.hpp"
#include "core/index.hpp"
#include "core/parallel.hpp"
#include "geom/recognise.hpp"
#include "geom/spline_curve.hpp"
#include "geom/triangulation.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

namespace halvo {
namespace {

constexpr double most_lattice = 1e6;      // points inside of one face
constexpr double clear_of_border = 0.45;  // of a step of the lattice: nearer to the outline it has none
constexpr double uneven = 1e-3;           // of a step of the lattice, at most: seen by no limit
constexpr int refinings = 4;              // rounds in which facets that stand off get a point more
constexpr double stands_off = 1.5;        // of the chord error: the lattice keeps it at the middles of its cells, this is between them
constexpr double one_point = 1e-9;        // of the metric's size: corners of two loops that touch

constexpr double facet_turn = 0.2;  // rad, that a surface may turn by along a facet

struct FacetLimits {
    double chord = 0;  // how far facets may stand off the surface (mm)
    double turn = 0;   // how far the surface may turn along one (rad)
};

// Steps of the parameters in which a surface turns little; infinite where it is straight.
Vec2 wanted_steps(const Surface& s, const FaceOutline& o, const FacetLimits& limits) {
    constexpr double inf = std::numeric_limits<double>::infinity();
    const auto step = [&](double r) { return std::min(limits.turn, 2 * std::acos(std::clamp(1 - limits.chord / std::max(r, 1e-300), 0.0, 1.0))); };
    if (const auto* c = std::get_if<CylinderSurface>(&s)) return {step(c->radius), inf};
    if (const auto* c = std::get_if<ConeSurface>(&s)) {
        const auto r = [&](double v) { return std::abs(c->radius + v * std::sin(c->half_angle)); };
        return {step(std::max(r(o.range.min().y()), r(o.range.max().y()))), inf};
    }
    if (const auto* k = std::get_if<SphereSurface>(&s)) return {step(k->radius), step(k->radius)};
    if (const auto* t = std::get_if<TorusSurface>(&s)) return {step(t->major + t->minor), step(t->minor)};
    const auto* f = std::get_if<FreeSurface>(&s);
    if (f == nullptr) return {inf, inf};
    // Of a spline by its curvatures along both parameters, at places spread over the face: what three quarters of them ask for.
    constexpr int n = 7;
    std::array<std::vector<double>, 2> steps;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            const auto k = f->spline->jet(o.range.min() + Vec2((i + 0.5) / n, (j + 0.5) / n).cwiseProduct(o.range.sizes()));
            const Vec3 normal = k.du.cross(k.dv);
            const double size = normal.norm();
            if (size <= 0) continue;
            const auto add = [&](int a, const Vec3& d, const Vec3& dd) {
                const double bend = std::abs(dd.dot(normal)) / size / d.squaredNorm();  // 1/mm
                const double length = bend > 0 ? std::min(limits.turn / bend, std::sqrt(8 * limits.chord / bend)) : inf;
                steps[ix(a)].push_back(length / d.norm());
            };
            add(0, k.du, k.duu), add(1, k.dv, k.dvv);
        }
    Vec2 out(inf, inf);
    for (int a = 0; a < 2; ++a) {
        auto& all = steps[ix(a)];
        if (all.empty()) continue;
        std::nth_element(all.begin(), all.begin() + static_cast<std::ptrdiff_t>(all.size() / 4), all.end());
        out[a] = all[all.size() / 4];
    }
    return out;
}

class FaceFacets {
public:
    FaceFacets(const Surface& surface, const FaceOutline& outline, const FacetLimits& limits) : surface_(surface), limits_(limits) {
        flat_ = std::holds_alternative<PlaneSurface>(surface);
        const Vec2 wide = outline.range.sizes().cwiseMax(1e-300);
        const Vec2 steps = wanted_steps(surface, outline, limits);
        if (!flat_) {
            // At least one step the straight way, so that a strip is as high as its facets are wide.
            scale_ = steps.cwiseMin(wide).cwiseInverse();
            const double many = wide.cwiseProduct(scale_).prod();
            if (many > most_lattice) scale_ *= std::sqrt(most_lattice / many);
        }
        origin_ = outline.range.min();
        add_outline(outline);
        if (!flat_) add_lattice();
    }

    void run() {
        for (int round = 0;; ++round) {
            triangles_ = triangulate(metric_, boundary_);
            if (flat_ || round == refinings || !refine()) break;
        }
    }

    [[nodiscard]] const std::vector<Vec2>& uv() const { return uv_; }
    [[nodiscard]] const std::vector<Vec3>& points() const { return points_; }
    [[nodiscard]] const std::vector<Triangle>& triangles() const { return triangles_; }

private:
    [[nodiscard]] Vec2 metric(const Vec2& uv) const { return (uv - origin_).cwiseProduct(scale_); }

    int add(const Vec2& uv, const Vec3& p) {
        uv_.push_back(uv), points_.push_back(p), metric_.push_back(metric(uv));
        return static_cast<int>(uv_.size()) - 1;
    }

    // Corners of two loops that touch, or of one that touches itself, are one.
    void add_outline(const FaceOutline& outline) {
        std::vector<Vec2> uv, at;
        std::vector<Vec3> points;
        std::vector<std::size_t> ends;
        for (const auto& loop : outline.loops) {
            uv.insert(uv.end(), loop.uv.begin(), loop.uv.end()), points.insert(points.end(), loop.points.begin(), loop.points.end());
            ends.push_back(uv.size());
        }
        Box2 box;
        for (const Vec2& p : uv) at.push_back(metric(p)), box.extend(at.back());
        const double near = one_point * box.diagonal().norm();
        std::vector<int> order(uv.size()), same(uv.size(), -1);
        std::iota(order.begin(), order.end(), 0);
        std::sort(order.begin(), order.end(), [&](int a, int b) {
            const Vec2 &p = at[ix(a)], &q = at[ix(b)];
            return p.x() != q.x() ? p.x() < q.x() : p.y() != q.y() ? p.y() < q.y() : a < b;
        });
        for (std::size_t i = 0; i < order.size(); ++i)
            for (std::size_t j = i; j-- > 0 && at[ix(order[i])].x() - at[ix(order[j])].x() <= near;)
                if (std::abs(at[ix(order[i])].y() - at[ix(order[j])].y()) <= near) {
                    same[ix(order[i])] = same[ix(order[j])] < 0 ? order[j] : same[ix(order[j])];
                    break;
                }
        std::vector<int> number(uv.size(), -1);
        for (std::size_t i = 0; i < uv.size(); ++i)
            if (same[i] < 0) number[i] = add(uv[i], points[i]);
        for (std::size_t i = 0; i < uv.size(); ++i)
            if (same[i] >= 0) number[i] = number[ix(same[i])];
        std::size_t start = 0;
        for (const std::size_t end : ends) {
            for (std::size_t i = start, j = end - 1; i < end; j = i++)
                if (number[i] != number[j]) boundary_.push_back({number[j], number[i]});
            start = end;
        }
    }

    // Where rows cross the outline, in order.
    [[nodiscard]] std::vector<std::vector<double>> crossings(double first, double step, std::size_t rows) const {
        std::vector<std::vector<double>> out(rows);
        for (const auto& [i, j] : boundary_) {
            Vec2 a = metric_[ix(i)], b = metric_[ix(j)];
            if (a.y() > b.y()) std::swap(a, b);
            const double from = std::ceil((a.y() - first) / step);
            for (double r = std::max(0.0, from); r < static_cast<double>(rows) && first + r * step < b.y(); ++r) {
                const double y = first + r * step;
                out[static_cast<std::size_t>(r)].push_back(a.x() + (b.x() - a.x()) * (y - a.y()) / (b.y() - a.y()));
            }
        }
        for (auto& row : out) std::sort(row.begin(), row.end());
        return out;
    }

    static bool well_inside(const std::vector<double>& row, double x) {
        const auto after = std::upper_bound(row.begin(), row.end(), x);
        if ((after - row.begin()) % 2 == 0 || after == row.end()) return false;
        return x - *(after - 1) > clear_of_border && *after - x > clear_of_border;
    }

    // Rows a step apart, every other one shifted by half, clear of the outline.
    void add_lattice() {
        Box2 box;
        for (const Vec2& p : metric_) box.extend(p);
        const double high = box.sizes().y();
        const auto rows = static_cast<std::size_t>(std::max(0.0, std::ceil(high - 1e-6) - 1));
        if (rows == 0) return;
        const double step = high / static_cast<double>(rows + 1), first = box.min().y() + step;
        const auto at = crossings(first, step, rows), below = crossings(first - clear_of_border * step, step, rows),
                   above = crossings(first + clear_of_border * step, step, rows);
        for (std::size_t r = 0; r < rows; ++r)
            for (double x = box.min().x() + (r % 2 ? 1 : 0.5); x < box.max().x(); x += 1) {
                if (!well_inside(at[r], x) || !well_inside(below[r], x) || !well_inside(above[r], x)) continue;
                // A little off, so that no four lie on one circle: which way they part would be rounding's to say, and another way elsewhere.
                const double off = uneven * std::sin(-7.0 * x - 11.0 * static_cast<double>(r));
                const Vec2 uv = origin_ + Vec2(x + off, first + static_cast<double>(r) * step).cwiseQuotient(scale_);
                add(uv, surface_point(surface_, uv));
            }
    }

    // A point more in the middle of sides within the face that stand off.
    bool refine() {
        const std::size_t before = uv_.size();
        std::vector<bool> used(triangles_.size(), false);
        for (std::size_t t = 0; t < triangles_.size(); ++t)
            for (std::size_t k = 0; k < 3 && !used[t]; ++k) {
                const Triangle& tri = triangles_[t];
                const int n = tri.next[k];
                if (n < 0 || tri.fixed[k] || static_cast<int>(t) > n || used[ix(n)]) continue;
                const int a = tri.v[(k + 1) % 3], b = tri.v[(k + 2) % 3];
                if ((metric_[ix(a)] - metric_[ix(b)]).squaredNorm() < 0.04) continue;  // two facets of a fifth of a step: noise of the edges
                const Vec2 uv = 0.5 * (uv_[ix(a)] + uv_[ix(b)]);
                const Vec3 p = surface_point(surface_, uv);
                if ((p - 0.5 * (points_[ix(a)] + points_[ix(b)])).norm() <= stands_off * limits_.chord) continue;
                used[t] = used[ix(n)] = true;
                add(uv, p);
            }
        return uv_.size() > before;
    }

    const Surface& surface_;
    FacetLimits limits_;
    bool flat_ = false;
    Vec2 origin_ = Vec2::Zero(), scale_ = Vec2::Ones();
    std::vector<Vec2> uv_, metric_;
    std::vector<Vec3> points_;
    std::vector<std::array<int, 2>> boundary_;
    std::vector<Triangle> triangles_;
};

// What one face adds to its body.
struct Made {
    std::vector<Vec2> uv;
    std::vector<Vec3> points;
    std::vector<std::array<int, 3>> triangles;
    std::string failed;
};

Made facets_of(const Body& body, Face& face, const BaseSurface& base, const std::vector<EdgePoints>& edges, const FacetLimits& limits) {
    Made out;
    try {
        const FaceOutline outline = lay_loops(body, face, base, edges);
        FaceFacets facets(face.surface, outline, limits);
        facets.run();
        out.uv = facets.uv(), out.points = facets.points();
        for (const Triangle& t : facets.triangles()) {
            // On the sides of poles facets have no area.
            const Vec3 &a = out.points[ix(t.v[0])], &b = out.points[ix(t.v[1])], &c = out.points[ix(t.v[2])];
            if (a == b || b == c || c == a) continue;
            out.triangles.push_back(face.reversed ? std::array{t.v[0], t.v[2], t.v[1]} : t.v);
        }
        if (out.triangles.empty()) out.failed = "a face has no area";
    } catch (const NotLaid& e) {
        out.failed = e.what();
    } catch (const Error& e) {
        out.failed = e.what();
    }
    return out;
}

// Poles that lay_loops found become degenerate edges.
void number_poles(Body& body, Face& face) {
    for (auto& loop : face.loops)
        for (std::size_t i = 0; i < loop.size(); ++i) {
            if (loop[i].edge.value >= 0) continue;
            const Coedge& before = loop[(i + loop.size() - 1) % loop.size()];
            const int vertex = body.edges[before.edge.index()].vertices[before.reversed ? 0 : 1];
            loop[i].edge = BodyEdgeId(static_cast<int>(body.edges.size()));
            body.edges.push_back({Curve::segment(Vec3::Zero(), Vec3::Zero()), {vertex, vertex}, true});
        }
}

// One net for all faces on one spline.
std::vector<BaseSurface> bases_of(const Body& body) {
    std::map<const NurbsSurface*, BaseSurface> known;
    std::vector<BaseSurface> out;
    out.reserve(body.faces.size());
    for (const Face& f : body.faces) {
        const auto* free = std::get_if<FreeSurface>(&f.surface);
        if (free == nullptr || !free->spline) {
            out.emplace_back(f.surface);
            continue;
        }
        auto it = known.find(free->spline.get());
        if (it == known.end()) it = known.emplace(free->spline.get(), BaseSurface(f.surface)).first;
        out.push_back(it->second);
    }
    return out;
}

// Sets points, facets, parameters, the coedges' parameters, and degenerate edges at poles.
void facet_faces(Body& body, const std::vector<BaseSurface>& bases, const FacetLimits& limits) {
    const std::vector<EdgePoints> edges = edge_points(body, limits.chord, limits.turn);
    std::vector<Made> made(body.faces.size());
    parallel_for(body.faces.size(), [&](std::size_t i) { made[i] = facets_of(body, body.faces[i], bases[i], edges, limits); });
    for (const Made& m : made)
        if (!m.failed.empty()) throw NotLaid(m.failed);
    body.points.clear(), body.parameters.clear(), body.facets.clear();
    const bool free = std::any_of(body.faces.begin(), body.faces.end(), [](const Face& f) { return std::holds_alternative<FreeSurface>(f.surface); });
    for (std::size_t i = 0; i < body.faces.size(); ++i) {
        Face& f = body.faces[i];
        number_poles(body, f);
        const int base = static_cast<int>(body.points.size());
        body.points.insert(body.points.end(), made[i].points.begin(), made[i].points.end());
        if (free) {
            if (std::holds_alternative<FreeSurface>(f.surface)) body.parameters.insert(body.parameters.end(), made[i].uv.begin(), made[i].uv.end());
            body.parameters.resize(body.points.size(), Vec2(0, 0));
        }
        f.first_facet = body.facets.size();
        for (const auto& t : made[i].triangles) body.facets.push_back({{base + t[0], base + t[1], base + t[2]}, static_cast<int>(i)});
        f.facet_count = made[i].triangles.size();
    }
}

// What a file gives as a spline or a swept surface is often a plain one.
void make_plain(Face& face, const Box2& range) {
    constexpr int n = 9;            // places each way
    constexpr double exact = 1e-7;  // of the face's size
    const NurbsSurface& s = *std::get<FreeSurface>(face.surface).spline;
    std::vector<Vec3> points, normals;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            const auto k = s.jet(range.min() + Vec2((i + 0.5) / n, (j + 0.5) / n).cwiseProduct(range.sizes()), 1);
            const Vec3 normal = k.du.cross(k.dv);
            if (normal.norm() < 1e-12) continue;
            points.push_back(k.p), normals.push_back(normal.normalized());
        }
    const auto known = recognise_surface(points, normals, exact);
    if (!known) return;
    face.reversed = face.reversed != (surface_normal(*known, points[0])->dot(normals[0]) < 0);
    face.surface = *known;
}

// Splines that are plain surfaces where a face lies become these; the others keep what the faces on them take of them. `chord` is how
// finely loops are laid out for that.
void trim_splines(Body& body, double chord) {
    std::map<const NurbsSurface*, std::pair<Box2, std::shared_ptr<const NurbsSurface>>> parts;
    const std::vector<EdgePoints> edges = edge_points(body, chord, facet_turn);
    const std::vector<BaseSurface> bases = bases_of(body);
    std::vector<Box2> ranges(body.faces.size());
    std::vector<std::string> failed(body.faces.size());
    parallel_for(body.faces.size(), [&](std::size_t i) {
        if (!std::holds_alternative<FreeSurface>(body.faces[i].surface)) return;
        try {
            ranges[i] = lay_loops(body, body.faces[i], bases[i], edges).range;
            make_plain(body.faces[i], ranges[i]);
        } catch (const NotLaid& e) {
            failed[i] = e.what();
        }
    });
    for (const std::string& f : failed)
        if (!f.empty()) throw NotLaid(f);
    for (std::size_t i = 0; i < body.faces.size(); ++i)
        if (const auto* f = std::get_if<FreeSurface>(&body.faces[i].surface)) parts[f->spline.get()].first.extend(ranges[i]);
    for (auto& [whole, part] : parts) {
        const Box2 range = part.first.intersection(whole->domain());
        part.second = std::make_shared<const NurbsSurface>(part_of(*whole, range));
    }
    for (Face& f : body.faces)
        if (auto* free = std::get_if<FreeSurface>(&f.surface)) free->spline = parts[free->spline.get()].second;
}

// Twice volume over area, from the facets: the thickness of a thin body, half the depth of a stocky one.
double rough_thickness(const Body& b) {
    double area = 0, volume = 0;
    for (std::size_t i = 0; i < b.facets.size(); ++i) {
        area += b.facet_area(i);
        const auto at = [&](std::size_t k) { return Vec3(b.points[ix(b.facets[i].corners[k])] - b.points[0]); };
        volume += at(0).dot(at(1).cross(at(2))) / 6;
    }
    return area > 0 ? 2 * std::abs(volume) / area : 0;
}

// How far facets that turn by `angle` stand off a face, at most.
double sag(const Face& f, double angle) {
    const double part = 1 - std::cos(0.5 * angle);
    if (const auto* c = std::get_if<CylinderSurface>(&f.surface)) return c->radius * part;
    if (const auto* s = std::get_if<SphereSurface>(&f.surface)) return s->radius * part;
    if (const auto* t = std::get_if<TorusSurface>(&f.surface)) return (t->major + t->minor) * part;
    return std::holds_alternative<PlaneSurface>(f.surface) ? 0 : std::numeric_limits<double>::infinity();
}

}  // namespace

std::optional<double> finer_chord(const Body& body, double size, double turn) {
    const double chord = std::clamp(0.03 * rough_thickness(body), 1e-5 * size, coarse_chord * size);
    const bool near = std::all_of(body.faces.begin(), body.faces.end(), [&](const Face& f) { return sag(f, turn) <= chord; });
    return near ? std::nullopt : std::optional(chord);
}

void facet_by_thickness(Body& body) {
    Box3 box;
    for (const BodyEdge& e : body.edges)
        if (!e.degenerate) box.extend(e.curve.box());
    if (box.isEmpty()) throw NotLaid("a body has no edges");
    const double size = box.diagonal().norm();
    add_seams(body);
    trim_splines(body, coarse_chord * size);
    const std::vector<BaseSurface> bases = bases_of(body);
    facet_faces(body, bases, {coarse_chord * size, facet_turn});
    if (const auto chord = finer_chord(body, size, facet_turn)) facet_faces(body, bases, {*chord, facet_turn});
}

}  // namespace halvo
