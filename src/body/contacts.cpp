#include "body/contacts.hpp"

#include "core/groups.hpp"
#include "core/parallel.hpp"
#include "geom/box_tree.hpp"
#include "geom/facet_tree.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double samples_across = 48;        // of the overlap of two boxes
constexpr std::size_t most_samples = 20000;  // on one side of a pair of bodies: bounds the time of large skins that lie on each other
constexpr double facing_least = 0.9;         // cosine between a normal and the other skin's, turned round
constexpr double sideways = 0.5;             // sine, as at 30 degrees: skins that face each other leave no more, between facets

// Part of a triangle inside a box (Sutherland & Hodgman, 1974).
std::vector<Vec3> clip(std::vector<Vec3> poly, const Box3& box) {
    for (int k = 0; k < 3 && !poly.empty(); ++k)
        for (const double sign : {1.0, -1.0}) {
            const double limit = sign > 0 ? box.max()[k] : -box.min()[k];
            std::vector<Vec3> out;
            for (std::size_t i = 0; i < poly.size(); ++i) {
                const Vec3 &p = poly[i], &q = poly[(i + 1) % poly.size()];
                const double a = sign * p[k] - limit, b = sign * q[k] - limit;
                if (a <= 0) out.push_back(p);
                if ((a < 0 && b > 0) || (a > 0 && b < 0)) out.push_back(p + (q - p) * (a / (a - b)));
            }
            poly = std::move(out);
        }
    return poly;
}

struct Sample {
    Vec3 point;
    int face, facet;
    double area;
    bool ask_inside;  // few per facet and edge: being inside the other body is not a matter of single points
};

// Rows parallel to the longest side, so that slivers get few points.
void sample_triangle(Vec3 a, Vec3 b, Vec3 c, int face, int facet, double h, std::vector<Sample>& out) {
    if ((c - b).squaredNorm() > (b - a).squaredNorm()) std::swap(a, c);
    if ((a - c).squaredNorm() > (b - a).squaredNorm()) std::swap(b, c);
    const double base = (b - a).norm();
    if (base <= 0) return;
    const double height = (b - a).cross(c - a).norm() / base;
    const int rows = std::clamp(static_cast<int>(std::ceil(height / h)), 1, 64);
    for (int j = 0; j < rows; ++j) {
        // At the middle of the row's area.
        const double t = (j + 0.5) / rows, share = 2 * (1 - t) / rows;
        const Vec3 from = a + t * (c - a), to = b + t * (c - b);
        const int n = std::clamp(static_cast<int>(std::ceil((to - from).norm() / h)), 1, 64);
        for (int i = 0; i < n; ++i)
            out.push_back({from + (i + 0.5) / n * (to - from), face, facet, 0.5 * base * height * share / n, j == rows / 3 && i == n / 2});
    }
}

// Range of an edge inside the box; exact for lines, all of it for other curves.
std::pair<double, double> range_inside(const Curve& c, const Box3& box) {
    double lo = c.t0, hi = c.t1;
    if (const auto* l = std::get_if<LineCurve>(&c.shape))
        for (int k = 0; k < 3; ++k) {
            if (std::abs(l->direction[k]) < 1e-12) continue;
            const double u = (box.min()[k] - l->origin[k]) / l->direction[k], v = (box.max()[k] - l->origin[k]) / l->direction[k];
            lo = std::max(lo, std::min(u, v)), hi = std::min(hi, std::max(u, v));
        }
    return {lo, hi};
}

std::vector<Sample> samples(const Body& body, const Box3& box, double h) {
    std::vector<Sample> out;
    Box3 grown = box;  // by rounding: the ends of clipped edges lie on its sides
    grown.min().array() -= 1e-9 * h, grown.max().array() += 1e-9 * h;
    std::vector<bool> near(body.faces.size(), false);
    for (int i : body.tree->touching(box)) {
        const Facet& facet = body.facets[static_cast<std::size_t>(i)];
        near[static_cast<std::size_t>(facet.face)] = true;
        std::vector<Vec3> tri;
        for (int c : facet.corners) tri.push_back(body.points[static_cast<std::size_t>(c)]);
        const auto poly = clip(tri, box);
        for (std::size_t j = 1; j + 1 < poly.size(); ++j) sample_triangle(poly[0], poly[j], poly[j + 1], facet.face, i, h, out);
    }
    for (std::size_t f = 0; f < body.faces.size(); ++f) {
        if (!near[f]) continue;
        for (const auto& loop : body.faces[f].loops)
            for (const Coedge& use : loop) {
                const BodyEdge& e = body.edges[use.edge.index()];
                if (e.degenerate || use.reversed || !box.intersects(e.curve.box())) continue;
                const auto [lo, hi] = range_inside(e.curve, box);
                if (hi < lo) continue;
                const int n = std::clamp(static_cast<int>(std::ceil(e.curve.length(lo, hi) / h)), 1, 256);
                for (int j = 0; j <= n; ++j) {
                    const Vec3 p = e.curve.point(lo + (hi - lo) * j / n);
                    if (grown.contains(p)) out.push_back({p, static_cast<int>(f), -1, 0, j % 8 == 4 || n < 8});
                }
            }
    }
    // Few enough to stay quick, spread evenly over what there is.
    if (out.size() > most_samples) {
        std::vector<Sample> fewer;
        for (std::size_t i = 0; i < most_samples; ++i) fewer.push_back(out[i * out.size() / most_samples]);
        for (Sample& s : fewer) s.area *= static_cast<double>(out.size()) / most_samples;
        out = std::move(fewer);
    }
    return out;
}

// Distance along the exact surfaces; facets of curved faces stand inside or outside by the chord error.
double exact_gap(const Body& from, const Sample& s, const Body& to, const NearPoint& n, int far_face) {
    const auto p = surface_foot(from.faces[static_cast<std::size_t>(s.face)].surface, s.point).value_or(s.point);
    const auto q = surface_foot(to.faces[static_cast<std::size_t>(far_face)].surface, n.point).value_or(n.point);
    const Surface& surface = to.faces[static_cast<std::size_t>(far_face)].surface;
    if (std::holds_alternative<PlaneSurface>(surface)) return (p - n.point).norm();
    const auto foot = surface_foot(surface, p);
    return foot ? std::min((p - *foot).norm(), (p - q).norm()) : (p - n.point).norm();
}

// Turned to each other, and across from each other rather than beside: past the border of a face what is nearest lies sideways.
bool faces_it(const Vec3& own, const Vec3& other, const Vec3& way, double tol) {
    if (own.dot(other) > -facing_least) return false;
    return (way - way.dot(own) * own).norm() <= sideways * way.norm() + tol;
}

void probe_side(const Body& from, const Body& to, const Box3& box, double h, double reach, double tol, bool swapped, std::vector<ContactPoint>& out) {
    const auto curved = [](const Body& b) {
        return std::any_of(b.faces.begin(), b.faces.end(), [](const Face& f) { return !std::holds_alternative<PlaneSurface>(f.surface); });
    };
    const double slack = (curved(from) ? facets_off(from) : 0) + (curved(to) ? facets_off(to) : 0);
    std::set<int> parted;  // faces that reach past the contact
    const std::size_t first = out.size();
    for (const Sample& s : samples(from, box, h)) {
        const auto near = to.tree->nearest(s.point, reach + slack + tol);
        ContactPoint c{s.point, 0, 0, !swapped, s.face, -1};
        if (near) {
            if (s.facet >= 0 && faces_it(from.facet_normal(static_cast<std::size_t>(s.facet)), to.facet_normal(static_cast<std::size_t>(near->facet)),
                                         near->point - s.point, tol))
                c.area = s.area;
            c.face_b = to.facets[static_cast<std::size_t>(near->facet)].face;
            c.gap = exact_gap(from, s, to, *near, c.face_b);
            if (c.area == 0 && s.facet >= 0) parted.insert(s.face);
            if (c.gap > reach + tol) continue;
            c.place = 0.5 * (s.point + near->point);
        } else {
            parted.insert(s.face);
            if (!s.ask_inside || !to.closed || !to.tree->encloses(s.point)) continue;
            const auto deep = to.tree->nearest(s.point, 1e300);
            c.face_b = to.facets[static_cast<std::size_t>(deep->facet)].face;
            c.gap = -deep->distance;
        }
        if (swapped) std::swap(c.face_a, c.face_b);
        out.push_back(c);
    }
    for (std::size_t k = first; k < out.size(); ++k) out[k].inner = !parted.count(swapped ? out[k].face_b : out[k].face_a);
}

// Patches: points in the same or in neighbouring cells of a grid belong together.
std::vector<Contact> patches(BodyId a, BodyId b, std::vector<ContactPoint> points, double link) {
    std::map<std::array<std::int64_t, 3>, int> cells;
    std::vector<int> cell_of;
    for (const ContactPoint& p : points) {
        const auto at = [&](double v) { return static_cast<std::int64_t>(std::floor(v / link)); };
        cell_of.push_back(cells.try_emplace({at(p.place.x()), at(p.place.y()), at(p.place.z())}, static_cast<int>(cells.size())).first->second);
    }
    Groups groups(cells.size());
    for (const auto& [k, id] : cells)
        for (std::int64_t x = -1; x <= 1; ++x)
            for (std::int64_t y = -1; y <= 1; ++y)
                for (std::int64_t z = -1; z <= 1; ++z)
                    if (const auto it = cells.find({k[0] + x, k[1] + y, k[2] + z}); it != cells.end()) groups.tie(it->second, id);
    std::map<int, Contact> by_root;
    for (std::size_t i = 0; i < points.size(); ++i) by_root[groups.root(cell_of[i])].points.push_back(points[i]);
    std::vector<Contact> out;
    for (auto& [r, c] : by_root) {
        c.a = a, c.b = b;
        Box3 box;
        c.gap = std::numeric_limits<double>::max();
        double area[2] = {0, 0};
        bool inner[2] = {true, true};
        for (const ContactPoint& p : c.points) {
            box.extend(p.place), c.gap = std::min(c.gap, p.gap);
            area[p.from_a ? 0 : 1] += p.area;
            if (p.area > 0 && !p.inner) inner[p.from_a ? 0 : 1] = false;
        }
        // Both sides see the same area; the one whose faces end with the contact sees it without an error at its border.
        const double own = area[inner[0] ? 0 : 1];
        c.area = inner[0] != inner[1] && own > 0 ? own : std::max(area[0], area[1]);
        c.centre = box.center();
        out.push_back(std::move(c));
    }
    return out;
}

}  // namespace

double facets_off(const Body& b) {
    constexpr double share = 0.05;  // of its thickness: facets are made to a few hundredths of it
    return b.mass.area > 0 ? share * 2 * std::abs(b.mass.volume) / b.mass.area : 0;
}

std::vector<Contact> find_contacts(const Assembly& solids, double reach, const Observer& observer, const char* stage) {
    const double tol = 10 * solids.tolerance.point;
    const auto body = [&](int i) -> const Body& { return solids.bodies[static_cast<std::size_t>(i)]; };
    const auto grown = [&](int i) {
        Box3 b = body(i).box;
        b.min().array() -= reach + tol, b.max().array() += reach + tol;
        return b;
    };
    std::vector<Box3> boxes;
    for (const Body& b : solids.bodies) boxes.push_back(b.box);
    const BoxTree tree(boxes);
    std::vector<std::pair<int, int>> pairs;
    for (int i = 0; i < static_cast<int>(boxes.size()); ++i)
        for (int j : tree.touching(grown(i)))
            if (j > i) pairs.emplace_back(i, j);
    std::vector<std::vector<Contact>> found(pairs.size());
    const std::size_t chunk = std::max<std::size_t>(16, pairs.size() / 20);
    for (std::size_t first = 0; first < pairs.size(); first += chunk) {
        observer.tell(stage, 0.6 * static_cast<double>(first) / static_cast<double>(pairs.size()));
        parallel_for(std::min(chunk, pairs.size() - first), [&](std::size_t k) {
            const auto [a, b] = pairs[first + k];
            const Box3 box = grown(a).intersection(grown(b));
            const double size = box.diagonal().norm();
            const double h = std::max(size / samples_across, 100 * solids.tolerance.point);
            std::vector<ContactPoint> points;
            probe_side(body(a), body(b), box, h, reach, tol, false, points);
            probe_side(body(b), body(a), box, h, reach, tol, true, points);
            if (!points.empty()) found[first + k] = patches(BodyId(a), BodyId(b), std::move(points), 2.5 * h);
        });
    }
    std::vector<Contact> out;
    for (auto& list : found)
        for (Contact& c : list) out.push_back(std::move(c));
    return out;
}

}  // namespace halvo
