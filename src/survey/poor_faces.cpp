// Edges and faces that would hinder a mesh, and skins that cross themselves.
#include "survey/finders.hpp"

#include "core/index.hpp"
#include "geom/facet_tree.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

// Do both faces lie on one and the same surface? Spline faces are told by their edge alone and never are.
bool same_surface(const Surface& a, const Surface& b, double tol) {
    if (a.index() != b.index()) return false;
    const auto same_axis = [&](const Frame& f, const Frame& g) {
        const Vec3 d = g.origin - f.origin;
        return f.z.cross(g.z).norm() < 1e-6 && (d - d.dot(f.z) * f.z).norm() < tol;
    };
    if (const auto* p = std::get_if<PlaneSurface>(&a)) {
        const auto& q = std::get<PlaneSurface>(b);
        return p->frame.z.cross(q.frame.z).norm() < 1e-6 && std::abs(p->frame.height(q.frame.origin)) < tol;
    }
    if (const auto* p = std::get_if<CylinderSurface>(&a)) {
        const auto& q = std::get<CylinderSurface>(b);
        return same_axis(p->frame, q.frame) && std::abs(p->radius - q.radius) < tol;
    }
    if (const auto* p = std::get_if<ConeSurface>(&a)) {
        const auto& q = std::get<ConeSurface>(b);
        const double sign = p->frame.z.dot(q.frame.z) > 0 ? 1 : -1;
        const double along = p->frame.height(q.frame.origin);
        return same_axis(p->frame, q.frame) && std::abs(p->half_angle - sign * q.half_angle) < 1e-6 &&
               std::abs(p->radius + along * std::tan(p->half_angle) - q.radius) < tol;
    }
    if (const auto* p = std::get_if<SphereSurface>(&a)) {
        const auto& q = std::get<SphereSurface>(b);
        return (p->frame.origin - q.frame.origin).norm() < tol && std::abs(p->radius - q.radius) < tol;
    }
    if (const auto* p = std::get_if<TorusSurface>(&a)) {
        const auto& q = std::get<TorusSurface>(b);
        return same_axis(p->frame, q.frame) && (p->frame.origin - q.frame.origin).norm() < tol && std::abs(p->major - q.major) < tol &&
               std::abs(p->minor - q.minor) < tol;
    }
    return false;
}

void find_needless_edges(const Surveyed& s, Findings& out) {
    int count = 0, longest = -1, face = -1;
    double length = 0, best = 0;
    for (std::size_t f = 0; f < s.body.faces.size(); ++f)
        for (const auto& l : s.skin.neighbours.of[f]) {
            if (l.other < static_cast<int>(f) || !l.smooth) continue;
            const double tol = s.body.faceted ? 3 * std::max(s.body.faces[f].fit_error, s.tol) : 10 * s.tol;
            if (!same_surface(s.body.faces[f].surface, s.body.faces[ix(l.other)].surface, tol)) continue;
            const double own = s.body.edges[ix(l.edge)].curve.length();
            ++count, length += own;
            if (own > best) best = own, longest = l.edge, face = static_cast<int>(f);
        }
    if (count == 0) return;
    out.push_back(s.finding(FindingKind::needless_edges,
                            fmt::format("{} {} of {:.1f} mm with the same surface on both sides", count, count == 1 ? "edge" : "edges", length),
                            "mend puts the faces together", s.body.edges[ix(longest)].curve.middle(), length, face, {length}));
    out.back().level = FindingLevel::note;
}

void find_short_edges(const Surveyed& s, Findings& out) {
    int count = 0, shortest = -1;
    double least = s.narrow();
    for (std::size_t e = 0; e < s.body.edges.size(); ++e) {
        const BodyEdge& edge = s.body.edges[e];
        if (edge.degenerate) continue;
        const double l = edge.curve.length();
        if (l >= s.narrow()) continue;
        ++count;
        if (l < least) least = l, shortest = static_cast<int>(e);
    }
    if (count == 0) return;
    int face = -1;
    for (std::size_t f = 0; f < s.body.faces.size() && face < 0; ++f)
        for (const auto& loop : s.body.faces[f].loops)
            for (const Coedge& u : loop)
                if (u.edge.value == shortest) face = static_cast<int>(f);
    out.push_back(s.finding(
        FindingKind::short_edges, fmt::format("{} {} shorter than {:.3g} mm, the shortest {:.3g} mm", count, count == 1 ? "edge" : "edges", s.narrow(), least),
        "strip.slivers takes away steps and slivers up to its width; remove them in CAD otherwise, or raise survey.narrow to pass over them",
        s.body.edges[ix(shortest)].curve.middle(), least, face, {static_cast<double>(count), least}));
}

void find_slivers(const Surveyed& s, Findings& out) {
    int count = 0, worst = -1;
    double least = s.narrow();
    for (std::size_t f = 0; f < s.body.faces.size(); ++f) {
        double round = 0;
        for (const auto& loop : s.body.faces[f].loops)
            for (const Coedge& u : loop)
                if (!s.body.edges[u.edge.index()].degenerate) round += s.body.edges[u.edge.index()].curve.length();
        const double width = round > 0 ? 2 * s.body.faces[f].area / round : 0;
        if (round <= 0 || width >= s.narrow()) continue;
        ++count;
        if (width < least || worst < 0) least = width, worst = static_cast<int>(f);
    }
    if (count == 0) return;
    const Face& k = s.body.faces[ix(worst)];
    const Vec3 at = k.facet_count > 0 ? s.body.points[ix(s.body.facets[k.first_facet].corners[0])] : s.body.mass.centre;
    out.push_back(
        s.finding(FindingKind::sliver_faces,
                  fmt::format("{} {} narrower than {:.3g} mm, the narrowest {:.3g} mm wide and {:.3g} mm2", count, count == 1 ? "face" : "faces", s.narrow(),
                              least, k.area),
                  "strip.slivers takes away steps and slivers up to its width; remove them in CAD otherwise, or raise survey.narrow to pass over them", at,
                  least, worst, {static_cast<double>(count), least}));
}

// Where two triangles cross: length of their common line, and how far they reach through each other's plane.
struct Crossing {
    double length = 0, depth = 0;
    Vec3 place = Vec3::Zero();
};

Crossing crossing_of(const std::array<Vec3, 3>& t, const std::array<Vec3, 3>& u) {
    const auto cut = [&](const std::array<Vec3, 3>& a, const std::array<Vec3, 3>& b, double& depth, Vec3& from, Vec3& to) {
        const Vec3 n = (b[1] - b[0]).cross(b[2] - b[0]).normalized();
        double h[3], low = 0, high = 0;
        for (std::size_t k = 0; k < 3; ++k) h[k] = n.dot(a[k] - b[0]), low = std::min(low, h[k]), high = std::max(high, h[k]);
        depth = std::min(-low, high);
        std::vector<Vec3> ends;
        for (std::size_t k = 0; k < 3; ++k) {
            const std::size_t m = (k + 1) % 3;
            if ((h[k] < 0) != (h[m] < 0)) ends.push_back(a[k] + (a[m] - a[k]) * (h[k] / (h[k] - h[m])));
        }
        if (ends.size() != 2) return false;
        from = ends[0], to = ends[1];
        return true;
    };
    double d0 = 0, d1 = 0;
    Vec3 a0 = Vec3::Zero(), a1 = a0, b0 = a0, b1 = a0;
    if (!cut(t, u, d0, a0, a1) || !cut(u, t, d1, b0, b1)) return {};
    // Both segments lie on the line of the planes; their common part is where the triangles cross.
    const Vec3 d = (a1 - a0).norm() > (b1 - b0).norm() ? Vec3((a1 - a0).normalized()) : Vec3((b1 - b0).normalized());
    const double lo = std::max(std::min(d.dot(a0), d.dot(a1)), std::min(d.dot(b0), d.dot(b1)));
    const double hi = std::min(std::max(d.dot(a0), d.dot(a1)), std::max(d.dot(b0), d.dot(b1)));
    if (hi <= lo) return {};
    return {hi - lo, std::min(d0, d1), a0 + d * (0.5 * (lo + hi) - d.dot(a0))};
}

}  // namespace

void find_poor_faces(const Surveyed& s, Findings& out) {
    find_needless_edges(s, out);
    find_short_edges(s, out);
    find_slivers(s, out);
}

void find_self_intersection(const Surveyed& s, Findings& out) {
    const Body& b = s.body;
    // Facets of curved faces stand off by their chord error, of scans by the scatter: crossings below that are none.
    const bool curved = std::any_of(b.faces.begin(), b.faces.end(), [](const Face& f) { return !std::holds_alternative<PlaneSurface>(f.surface); });
    double scatter = 0;
    for (const Face& f : b.faces) scatter = std::max(scatter, f.fit_error);
    const double least = std::max({20 * s.tol, curved ? 0.15 * s.wall() : 0, 5 * scatter});
    const auto corners = [&](const Facet& f) {
        return std::array<Vec3, 3>{b.points[ix(f.corners[0])], b.points[ix(f.corners[1])], b.points[ix(f.corners[2])]};
    };
    double longest = 0, length = 0;
    Vec3 at = Vec3::Zero();
    int face = -1;
    std::set<std::pair<int, int>> pairs;
    for (std::size_t i = 0; i < b.facets.size(); ++i) {
        const auto t = corners(b.facets[i]);
        Box3 box;
        for (const Vec3& p : t) box.extend(p);
        if (box.diagonal().norm() < least) continue;
        const Vec3 n = b.facet_normal(i);
        for (int j : b.tree->crossing(box, n, n.dot(t[0]))) {
            if (j <= static_cast<int>(i) || b.facets[ix(j)].face == b.facets[i].face) continue;
            const auto u = corners(b.facets[ix(j)]);
            // Neighbours meet along their common edge.
            bool share = false;
            for (const Vec3& p : t)
                for (const Vec3& q : u) share = share || (p - q).norm() <= 2 * s.tol;
            if (share) continue;
            const Crossing c = crossing_of(t, u);
            if (c.depth < least || c.length <= 0) continue;
            pairs.insert(std::minmax(b.facets[i].face, b.facets[ix(j)].face));
            length += c.length;
            if (c.length > longest) longest = c.length, at = c.place, face = b.facets[i].face;
        }
    }
    if (pairs.empty()) return;
    out.push_back(s.finding(FindingKind::self_intersection,
                            fmt::format("its skin crosses itself along {:.4g} mm ({} {} of faces)", length, pairs.size(), pairs.size() == 1 ? "pair" : "pairs"),
                            "mend the part in CAD: volume and walls are not to be trusted there", at, length, face, {length}));
}

}  // namespace halvo
