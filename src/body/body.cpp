#include "body/face_integrals.hpp"
#include "core/keys.hpp"
#include "geom/facet_tree.hpp"
#include "geom/gauss.hpp"

#include <halvo/assembly.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

using Moments = FaceIntegrals;

double area_factor(const Surface& s, double v) {
    if (const auto* c = std::get_if<CylinderSurface>(&s)) return c->radius;
    if (const auto* c = std::get_if<ConeSurface>(&s)) return c->radius + v * std::sin(c->half_angle);
    if (const auto* c = std::get_if<SphereSurface>(&s)) return c->radius * c->radius * std::cos(v);
    if (const auto* c = std::get_if<TorusSurface>(&s)) return c->minor * (c->major + c->minor * std::cos(v));
    return 1;
}

Moments integrand(const Face& f, const FaceFunction& what, double u, double v) {
    const Vec3 p = surface_point(f.surface, {u, v});
    Vec3 n = surface_normal(f.surface, p).value_or(Vec3::Zero());
    // A cone's own normal flips past the apex; its area factor changes sign there too, so the product stays right.
    if (f.reversed) n = -n;
    return area_factor(f.surface, v) * what(p, n);
}

// F(u, v) = integral of the integrand over v from `from` to `v`.
Moments inner(const Face& f, const FaceFunction& what, double u, double from, double v) {
    const bool angular = std::holds_alternative<SphereSurface>(f.surface) || std::holds_alternative<TorusSurface>(f.surface);
    Moments sum = Moments::Zero();
    if (!angular) {
        // Straight in v: moments are polynomials of degree two there, three on cones, and three points exact up to five.
        static const double off = 0.5 * std::sqrt(0.6);
        for (const auto& [at, weight] : {std::pair(0.5 - off, 5.0 / 18), std::pair(0.5, 8.0 / 18), std::pair(0.5 + off, 5.0 / 18)})
            sum += (v - from) * weight * integrand(f, what, u, from + (v - from) * at);
        return sum;
    }
    const int pieces = std::max(1, static_cast<int>(std::ceil(std::abs(v - from) / 0.8)));
    for (int i = 0; i < pieces; ++i) {
        const double lo = from + (v - from) * i / pieces, h = (v - from) / pieces;
        for (std::size_t k = 0; k < gauss_at.size(); ++k) sum += h * gauss_weight[k] * integrand(f, what, u, lo + h * gauss_at[k]);
    }
    return sum;
}

Vec3 along_u(const Surface& s, const Vec2& uv) {
    const double c = std::cos(uv.x()), d = std::sin(uv.x());
    const auto turn = [&](const Frame& f, double r) { return Vec3(r * (-d * f.x + c * f.y)); };
    if (const auto* k = std::get_if<CylinderSurface>(&s)) return turn(k->frame, k->radius);
    if (const auto* k = std::get_if<ConeSurface>(&s)) return turn(k->frame, k->radius + uv.y() * std::sin(k->half_angle));
    if (const auto* k = std::get_if<SphereSurface>(&s)) return turn(k->frame, k->radius * std::cos(uv.y()));
    if (const auto* k = std::get_if<TorusSurface>(&s)) return turn(k->frame, k->major + k->minor * std::cos(uv.y()));
    return std::get<PlaneSurface>(s).frame.x;
}

// Contribution of one coedge to -(closed integral of F du).
Moments coedge_term(const Body& body, const Face& f, const Coedge& use, const FaceFunction& what, double from) {
    const BodyEdge& e = body.edges[use.edge.index()];
    Moments sum = Moments::Zero();
    if (e.degenerate) {
        const double du = use.uv_end.x() - use.uv_start.x();
        for (int i = 0; i < 16; ++i)
            for (std::size_t k = 0; k < gauss_at.size(); ++k) {
                const double w = (i + gauss_at[k]) / 16;
                sum -= gauss_weight[k] / 16 * du * inner(f, what, use.uv_start.x() + w * du, from, use.uv_start.y());
            }
        return sum;
    }
    const Curve& c = e.curve;
    const auto cuts = c.smooth_pieces();
    const bool torus = std::holds_alternative<TorusSurface>(f.surface);
    double last_v = use.reversed ? use.uv_end.y() : use.uv_start.y();
    for (std::size_t i = 0; i + 1 < cuts.size(); ++i) {
        const double lo = cuts[i], h = cuts[i + 1] - lo;
        for (std::size_t k = 0; k < gauss_at.size(); ++k) {
            const double t = lo + h * gauss_at[k];
            const Vec3 p = c.point(t);
            Vec2 uv = surface_parameters(f.surface, p);
            if (torus) {
                uv.y() += 2 * pi * std::round((last_v - uv.y()) / (2 * pi));
                last_v = uv.y();
            }
            const Vec3 xu = along_u(f.surface, uv);
            const double n2 = xu.squaredNorm();
            if (n2 < 1e-24) continue;
            const double du = c.derivative(t).dot(xu) / n2;
            sum -= (use.reversed ? -1.0 : 1.0) * h * gauss_weight[k] * du * inner(f, what, uv.x(), from, uv.y());
        }
    }
    return sum;
}

// Area, volume and first moments about a local origin near the body.
Moments mass_terms(const Vec3& x, const Vec3& n) {
    const double flux = x.dot(n);
    Moments m;
    m << 1, flux / 3, x.x() * flux / 4, x.y() * flux / 4, x.z() * flux / 4;
    return m;
}

Moments facet_face(const Body& body, const Face& f, const Vec3& origin) {
    Moments sum = Moments::Zero();
    for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i) {
        const auto& k = body.facets[i].corners;
        const Vec3 a = body.points[static_cast<std::size_t>(k[0])] - origin;
        const Vec3 b = body.points[static_cast<std::size_t>(k[1])] - origin;
        const Vec3 c = body.points[static_cast<std::size_t>(k[2])] - origin;
        const Vec3 n = 0.5 * (b - a).cross(c - a);
        const double v6 = a.dot(b.cross(c)) / 6;
        const Vec3 m = v6 * (a + b + c) / 4;
        Moments t;
        t << n.norm(), v6, m.x(), m.y(), m.z();
        sum += t;
    }
    return sum;
}

// Integral over one triangle of a spline's parameter plane, by a rule of degree five (Strang & Fix, An Analysis of the Finite Element
// Method, 1973, table 4.1).
Moments rule_of_five(const NurbsSurface& s, const Face& f, const Vec2& a, const Vec2& b, const Vec2& c, const FaceFunction& what) {
    static constexpr double w0 = 0.225, w1 = 0.125939180544827, w2 = 0.132394152788506;
    static constexpr double a1 = 0.101286507323456, a2 = 0.470142064105115;
    const double det = (b - a).x() * (c - a).y() - (b - a).y() * (c - a).x();
    Moments sum = Moments::Zero();
    const auto add = [&](double w, double x, double y) {
        const auto j = s.jet((1 - x - y) * a + x * b + y * c, 1);
        const Vec3 n = j.du.cross(j.dv);
        const double size = n.norm();
        if (size > 0) sum += 0.5 * w * det * size * what(j.p, f.reversed ? Vec3(-n / size) : Vec3(n / size));
    };
    add(w0, 1.0 / 3, 1.0 / 3);
    add(w1, a1, a1), add(w1, 1 - 2 * a1, a1), add(w1, a1, 1 - 2 * a1);
    add(w2, a2, a2), add(w2, 1 - 2 * a2, a2), add(w2, a2, 1 - 2 * a2);
    return sum;
}

constexpr double integral_settled = 1e-7;  // of its value, between a triangle and its quarters: the quarters are 64 times nearer
constexpr int deepest_integral = 5;        // a triangle in 1,024 pieces

// Quartered until area and volume no longer change.
Moments spline_triangle(const NurbsSurface& s, const Face& f, const Vec2& a, const Vec2& b, const Vec2& c, const FaceFunction& what, const Moments& rough,
                        int depth) {
    const Vec2 ab = 0.5 * (a + b), bc = 0.5 * (b + c), ca = 0.5 * (c + a);
    const std::array<std::array<Vec2, 3>, 4> part{{{a, ab, ca}, {ab, b, bc}, {ca, bc, c}, {ab, bc, ca}}};
    std::array<Moments, 4> m;
    Moments sum = Moments::Zero();
    for (std::size_t k = 0; k < 4; ++k) sum += m[k] = rule_of_five(s, f, part[k][0], part[k][1], part[k][2], what);
    const bool settled = std::abs(sum[0] - rough[0]) <= integral_settled * std::abs(sum[0]) &&
                         (std::abs(sum[1] - rough[1]) <= integral_settled * std::max(std::abs(sum[1]), std::pow(std::abs(sum[0]), 1.5)));
    if (settled || depth >= deepest_integral) return sum;
    sum.setZero();
    for (std::size_t k = 0; k < 4; ++k) sum += spline_triangle(s, f, part[k][0], part[k][1], part[k][2], what, m[k], depth + 1);
    return sum;
}

// Over the facets in the parameter plane, then the slivers between the facets' outer sides and the true boundary.
Moments spline_face(const Body& body, const Face& f, const FaceFunction& what) {
    const NurbsSurface& s = *std::get<FreeSurface>(f.surface).spline;
    Moments sum = Moments::Zero();
    for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i) {
        const auto& k = body.facets[i].corners;
        const auto at = [&](std::size_t j) -> const Vec2& { return body.parameters[static_cast<std::size_t>(k[j])]; };
        sum += spline_triangle(s, f, at(0), at(1), at(2), what, rule_of_five(s, f, at(0), at(1), at(2), what), 0);
    }
    // Polygons of four pieces and of two between a facet's side and the curve, carried on to pieces without number (Romberg's method).
    for (const auto& loop : f.loops)
        for (const Coedge& use : loop)
            for (std::size_t i = 0; i + 4 < use.path.size(); i += 4) {
                const Vec2* p = &use.path[i];
                Moments four = Moments::Zero();
                for (std::size_t k = 1; k < 4; ++k) four += rule_of_five(s, f, p[0], p[k], p[k + 1], what);
                const Moments two = rule_of_five(s, f, p[0], p[2], p[4], what);
                sum += (64 * four - 20 * two) / 45;
            }
    return f.reversed ? Moments(-sum) : sum;
}

}  // namespace

FaceIntegrals face_integrals(const Body& body, const Face& f, const FaceFunction& what) {
    if (std::holds_alternative<FreeSurface>(f.surface)) return spline_face(body, f, what);
    double from = 0;
    if (!f.loops.empty() && !f.loops[0].empty() && !std::holds_alternative<PlaneSurface>(f.surface)) from = f.loops[0][0].uv_start.y();
    FaceIntegrals sum = FaceIntegrals::Zero();
    for (const auto& loop : f.loops)
        for (const Coedge& use : loop) sum += coedge_term(body, f, use, what, from);
    return f.reversed ? FaceIntegrals(-sum) : sum;
}

const char* class_name(BodyClass c) {
    constexpr const char* names[] = {"thin", "slender", "bulk", "mixed", "open"};
    return names[static_cast<int>(c)];
}

Vec3 Body::facet_normal(std::size_t i) const {
    const auto& k = facets[i].corners;
    const Vec3 &a = points[static_cast<std::size_t>(k[0])], &b = points[static_cast<std::size_t>(k[1])], &c = points[static_cast<std::size_t>(k[2])];
    return (b - a).cross(c - a).normalized();
}

double Body::facet_area(std::size_t i) const {
    const auto& k = facets[i].corners;
    const Vec3 &a = points[static_cast<std::size_t>(k[0])], &b = points[static_cast<std::size_t>(k[1])], &c = points[static_cast<std::size_t>(k[2])];
    return 0.5 * (b - a).cross(c - a).norm();
}

void finish_body(Body& body) {
    body.box = Box3();
    for (const Vec3& p : body.points) body.box.extend(p);
    for (const BodyEdge& e : body.edges)
        if (!e.degenerate) body.box.extend(e.curve.box());
    const Vec3 origin = body.box.isEmpty() ? Vec3(0, 0, 0) : Vec3(body.box.center());
    Moments sum = Moments::Zero();
    for (Face& f : body.faces) {
        const Moments rough = facet_face(body, f, origin);
        Moments m = rough;
        const auto* free = std::get_if<FreeSurface>(&f.surface);
        if (!body.faceted && (!free || (free->spline && !body.parameters.empty()))) {
            const Moments exact = face_integrals(body, f, [&](const Vec3& p, const Vec3& n) { return mass_terms(p - origin, n); });
            // The facets are a check on the boundary integral: a loop that does not close shows as a gross difference.
            if (std::abs(exact[0] - rough[0]) <= 0.05 * rough[0]) m = exact;
        }
        f.area = m[0];
        sum += m;
    }
    body.mass.area = sum[0];
    body.mass.volume = sum[1];
    body.mass.centre = std::abs(sum[1]) > 0 ? Vec3(origin + sum.tail<3>() / sum[1]) : origin;
    index_facets(body);
    name_body(body);
}

void index_facets(Body& body) {
    std::vector<std::array<int, 3>> corners;
    corners.reserve(body.facets.size());
    for (const Facet& f : body.facets) corners.push_back(f.corners);
    body.tree = std::make_shared<const FacetTree>(body.points, corners);
}

void name_body(Body& body) {
    body.key = make_key("body", body.name, {std::cbrt(body.mass.volume), std::sqrt(body.mass.area)});
}

Body moved(const Body& body, const Eigen::Isometry3d& m) {
    Body out = body;
    for (Vec3& v : out.vertices) v = m * v;
    for (Vec3& p : out.points) p = m * p;
    for (BodyEdge& e : out.edges)
        if (!e.degenerate) e.curve = e.curve.moved(m);
    for (Face& f : out.faces) f.surface = moved(f.surface, m);
    out.mass.centre = m * body.mass.centre;
    out.place = m * body.place;
    out.box = Box3();
    for (const Vec3& p : out.points) out.box.extend(p);
    for (const BodyEdge& e : out.edges)
        if (!e.degenerate) out.box.extend(e.curve.box());
    if (body.tree) out.tree = std::make_shared<const FacetTree>(body.tree->moved(m));
    return out;
}

SkinPoint Body::on_skin(std::size_t facet, const Vec3& p) const {
    const Face& f = faces[static_cast<std::size_t>(facets[facet].face)];
    if (const auto* free = std::get_if<FreeSurface>(&f.surface)) {
        const auto& k = facets[facet].corners;
        if (!free->spline || parameters.empty()) return {p, facet_normal(facet)};
        // Barycentric coordinates of p in the facet give the guess.
        const Vec3 &a = points[static_cast<std::size_t>(k[0])], ab = points[static_cast<std::size_t>(k[1])] - a,
                   ac = points[static_cast<std::size_t>(k[2])] - a;
        const Vec3 n = ab.cross(ac);
        const double n2 = n.squaredNorm(), y = n2 > 0 ? n.dot((p - a).cross(ac)) / n2 : 0, z = n2 > 0 ? n.dot(ab.cross(p - a)) / n2 : 0;
        const auto at = [&](std::size_t j) -> const Vec2& { return parameters[static_cast<std::size_t>(k[j])]; };
        const auto j = free->spline->jet(free->spline->foot(p, (1 - y - z) * at(0) + y * at(1) + z * at(2)));
        const Vec3 out = j.du.cross(j.dv);
        if (out.norm() < 1e-12 * (j.du.norm() * j.dv.norm() + 1e-300)) return {j.p, facet_normal(facet)};
        return {j.p, f.reversed ? Vec3(-out.normalized()) : Vec3(out.normalized())};
    }
    const Vec3 foot = *surface_foot(f.surface, p);
    return {foot, f.outward_or(foot, facet_normal(facet))};
}

void finish_assembly(Assembly& assembly) {
    assembly.box = Box3();
    Vec3 moment = Vec3::Zero();
    double volume = 0;
    for (const Body& b : assembly.bodies) {
        assembly.box.extend(b.box);
        moment += b.mass.volume * b.mass.centre;
        volume += b.mass.volume;
    }
    const Vec3 centre = volume > 0 ? Vec3(moment / volume) : Vec3::Zero();
    // The diagonal of a box depends on how the part is turned; twice the farthest corner from the centre does not.
    double radius = 0;
    for (const Body& b : assembly.bodies)
        for (const Vec3& v : b.vertices) radius = std::max(radius, (v - centre).norm());
    if (radius == 0 && !assembly.box.isEmpty()) radius = 0.5 * assembly.box.diagonal().norm();
    assembly.tolerance = Tolerance::for_size(2 * radius);
    const auto rough = [](double v) { return std::llround(v * 1e3 + 0.3183); };
    std::stable_sort(assembly.bodies.begin(), assembly.bodies.end(), [&](const Body& a, const Body& b) {
        if (a.path != b.path) return natural_less(a.path, b.path);
        const auto va = rough(std::cbrt(a.mass.volume)), vb = rough(std::cbrt(b.mass.volume));
        if (va != vb) return va > vb;
        return rough((a.mass.centre - centre).norm()) < rough((b.mass.centre - centre).norm());
    });
    KeySet keys;
    int number = 0;
    for (const Body& b : assembly.bodies) number = std::max(number, b.number);
    for (Body& b : assembly.bodies) {
        b.key = keys.unique(b.key);
        if (b.number == 0) b.number = ++number;
    }
    label_bodies(assembly.bodies);
}

void label_bodies(std::vector<Body>& bodies) {
    std::map<std::string, int> count;
    for (const Body& b : bodies) ++count[b.name];
    for (Body& b : bodies) b.label = count[b.name] > 1 ? fmt::format("{} (body {})", b.name, b.number) : b.name;
}

std::vector<std::vector<Vec2>> face_outline(const Body& body, FaceId face, const Frame& chart, double chord) {
    std::vector<std::vector<Vec2>> out;
    for (const auto& loop : body.faces[face.index()].loops) {
        std::vector<Vec2> polygon;
        for (const Coedge& use : loop) {
            const BodyEdge& e = body.edges[use.edge.index()];
            if (e.degenerate) continue;
            auto pts = e.curve.sampled(chord);
            if (use.reversed) std::reverse(pts.begin(), pts.end());
            for (std::size_t i = 0; i + 1 < pts.size(); ++i) polygon.push_back(chart.local2(pts[i]));
        }
        if (polygon.size() >= 3) out.push_back(std::move(polygon));
    }
    return out;
}

}  // namespace halvo
