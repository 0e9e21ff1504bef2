// Details that a structural model does without: small holes, small rounds, lettering; and walls outside the wanted range.
#include "core/index.hpp"
#include "survey/finders.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

Vec3 middle_of(const Body& b, const Face& f) {
    Box3 box;
    for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
        for (int c : b.facets[i].corners) box.extend(b.points[ix(c)]);
    return box.isEmpty() ? b.mass.centre : Vec3(box.center());
}

// Thickness of the walls next to a face: what a hole or round there is measured against. Nothing is small in a bulk body
// unless the plan says a length.
double wall_at(const Surveyed& s, int face) {
    double t = 0;
    for (const auto& l : s.skin.neighbours.of[ix(face)])
        for (const SkinPair& q : s.skin.pairs)
            if (q.wall && (q.a == l.other || q.b == l.other)) t = std::max(t, q.mean);
    return t;
}

// Faces of one hollow cylinder that together go all the way round.
void find_holes(const Surveyed& s, Findings& out) {
    struct Hole {
        double radius = 0, turn = 0;
        std::vector<int> faces;
        Frame axis;
    };
    std::vector<Hole> holes;
    for (std::size_t f = 0; f < s.body.faces.size(); ++f) {
        const Face& face = s.body.faces[f];
        const auto* c = std::get_if<CylinderSurface>(&face.surface);
        // Material outside the cylinder: its outward normal points to the axis.
        if (!c || !face.reversed || face.facet_count == 0) continue;
        Box3 along;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
            for (int k : s.body.facets[i].corners) along.extend(Vec3(c->frame.height(s.body.points[ix(k)]), 0, 0));
        const double height = along.sizes().x();
        if (height <= 0) continue;
        const double turn = face.area / (c->radius * height);
        const auto same = std::find_if(holes.begin(), holes.end(), [&](const Hole& h) {
            const Vec3 d = c->frame.origin - h.axis.origin;
            const Vec3 m = middle_of(s.body, face) - middle_of(s.body, s.body.faces[ix(h.faces[0])]);
            return std::abs(h.radius - c->radius) < 1e-4 * h.radius + s.tol && h.axis.z.cross(c->frame.z).norm() < 1e-4 &&
                   (d - d.dot(h.axis.z) * h.axis.z).norm() < 1e-4 * h.radius + 10 * s.tol && std::abs(m.dot(h.axis.z)) < 0.5 * height;
        });
        if (same == holes.end()) holes.push_back({c->radius, turn, {static_cast<int>(f)}, c->frame});
        else same->turn += turn, same->faces.push_back(static_cast<int>(f));
    }
    int count = 0, face = -1;
    double least = std::numeric_limits<double>::infinity(), widest = 0;
    for (const Hole& h : holes) {
        const double limit = s.options.holes.value_or(wall_at(s, h.faces[0]));
        // Well over half a turn: a notch or a bend is no hole. Wide ones against their wall are tubes.
        if (h.turn < 1.9 * pi || 2 * h.radius > limit * (1 + 1e-9) || s.summary.kind == BodyClass::slender) continue;
        ++count;
        widest = std::max(widest, 2 * h.radius);
        if (2 * h.radius < least) least = 2 * h.radius, face = h.faces[0];
    }
    if (count == 0) return;
    out.push_back(s.finding(FindingKind::small_holes,
                            fmt::format("{} {} of {:.3g}{} mm diameter", count, count == 1 ? "hole" : "holes", least,
                                        widest > least * 1.001 ? fmt::format(" to {:.3g}", widest) : ""),
                            "strip.holes sets which count as small", middle_of(s.body, s.body.faces[ix(face)]), least, face,
                            {static_cast<double>(count), least}));
}

// Radius of a round: a face that goes on smoothly at two sides or more, and is no bend of a wall.
void find_rounds(const Surveyed& s, Findings& out) {
    std::set<int> in_walls;
    for (const SkinPair& q : s.skin.pairs)
        if (q.wall) in_walls.insert(q.a), in_walls.insert(q.b);
    if (s.summary.kind == BodyClass::slender) return;  // part of the profile
    const double limit = s.options.rounds.value_or(s.summary.bands.empty() ? 0 : 0.5 * s.wall());
    int count = 0, face = -1;
    double least = std::numeric_limits<double>::infinity(), largest = 0;
    for (std::size_t f = 0; f < s.body.faces.size(); ++f) {
        const Surface& k = s.body.faces[f].surface;
        const double r = std::holds_alternative<CylinderSurface>(k) ? std::get<CylinderSurface>(k).radius
                         : std::holds_alternative<TorusSurface>(k)  ? std::get<TorusSurface>(k).minor
                         : std::holds_alternative<SphereSurface>(k) ? std::get<SphereSurface>(k).radius
                                                                    : 0;
        if (r <= 0 || r > limit * (1 + 1e-9) || in_walls.count(static_cast<int>(f))) continue;
        const auto smooth = std::count_if(s.skin.neighbours.of[f].begin(), s.skin.neighbours.of[f].end(), [](const auto& l) { return l.smooth; });
        if (smooth < 2) continue;
        ++count;
        largest = std::max(largest, r);
        if (r < least) least = r, face = static_cast<int>(f);
    }
    if (count == 0) return;
    out.push_back(s.finding(FindingKind::small_rounds,
                            fmt::format("{} rounded {} of {:.3g}{} mm radius", count, count == 1 ? "edge" : "edges", least,
                                        largest > least * 1.001 ? fmt::format(" to {:.3g}", largest) : ""),
                            "strip.rounds sets which count as small", middle_of(s.body, s.body.faces[ix(face)]), least, face,
                            {static_cast<double>(count), least}));
}

// What lies behind an inner loop of a face, if it leads nowhere else: an island raised from the face or sunk into it.
struct Island {
    double low = 0, high = 0;  // heights over the base face
    std::vector<int> faces;
};

std::optional<Island> island_behind(const Surveyed& s, int base, const std::vector<Coedge>& loop, const std::map<int, std::vector<int>>& faces_at) {
    const auto& plane = std::get<PlaneSurface>(s.body.faces[ix(base)].surface).frame;
    const double sign = s.body.faces[ix(base)].reversed ? -1 : 1;
    std::set<int> seen;
    std::vector<int> queue;
    for (const Coedge& u : loop)
        for (int f : faces_at.at(u.edge.value))
            if (f != base && seen.insert(f).second) queue.push_back(f);
    std::set<int> ring;
    for (const Coedge& u : loop) ring.insert(u.edge.value);
    Island out;
    for (std::size_t i = 0; i < queue.size(); ++i) {
        if (queue.size() > 2000) return std::nullopt;
        const Face& f = s.body.faces[ix(queue[i])];
        out.faces.push_back(queue[i]);
        for (const auto& l : f.loops)
            for (const Coedge& u : l) {
                for (int g : faces_at.at(u.edge.value)) {
                    if (g == base) {
                        if (!ring.count(u.edge.value)) return std::nullopt;  // back to the base elsewhere: no island
                    } else if (seen.insert(g).second) {
                        queue.push_back(g);
                    }
                }
            }
        for (std::size_t k = f.first_facet; k < f.first_facet + f.facet_count; ++k)
            for (int c : s.body.facets[k].corners) {
                const double h = sign * plane.height(s.body.points[ix(c)]);
                out.low = std::min(out.low, h), out.high = std::max(out.high, h);
            }
    }
    return out;
}

void find_lettering(const Surveyed& s, Findings& out) {
    const double limit = s.options.raised.value_or(s.summary.bands.empty() ? 0 : 0.5 * s.wall());
    std::map<int, std::vector<int>> faces_at;
    for (std::size_t f = 0; f < s.body.faces.size(); ++f)
        for (const auto& loop : s.body.faces[f].loops)
            for (const Coedge& u : loop) faces_at[u.edge.value].push_back(static_cast<int>(f));
    for (std::size_t f = 0; f < s.body.faces.size(); ++f) {
        const Face& base = s.body.faces[f];
        if (base.loops.size() < 2 || !std::holds_alternative<PlaneSurface>(base.surface)) continue;
        int raised = 0, sunk = 0, face = -1;
        double height = 0;
        std::set<int> counted;
        for (const auto& loop : base.loops) {
            const auto island = island_behind(s, static_cast<int>(f), loop, faces_at);
            if (!island || island->faces.empty() || counted.count(island->faces[0])) continue;
            double area = 0;
            for (int k : island->faces) counted.insert(k), area += s.body.faces[ix(k)].area;
            const double h = std::max(island->high, -island->low);
            // The loop that holds everything else is the outline, and what lies behind it the rest of the body.
            if (h > limit * (1 + 1e-9) || h <= 10 * s.tol || area > 0.5 * s.body.mass.area) continue;
            (island->high > -island->low ? raised : sunk) += 1;
            if (h > height) height = h, face = island->faces[0];
        }
        if (raised + sunk == 0) continue;
        const char* kind = sunk == 0 ? "raised" : raised == 0 ? "sunk" : "raised and sunk";
        out.push_back(s.finding(FindingKind::lettering,
                                fmt::format("{} {} {} on one face, up to {:.3g} mm", raised + sunk, kind, raised + sunk == 1 ? "feature" : "features", height),
                                "strip.raised sets which height counts", middle_of(s.body, s.body.faces[ix(face)]), height, face,
                                {static_cast<double>(raised + sunk), height}));
    }
}

void find_outside_range(const Surveyed& s, Findings& out) {
    for (const bool thin : {true, false}) {
        double area = 0, extreme = 0;
        const Probe* at = nullptr;
        for (std::size_t i = 0; i < s.skin.probes.size(); ++i) {
            const Probe& p = s.skin.probes[i];
            if (s.skin.kind[i] != SkinKind::wall || !s.skin.agrees(i)) continue;
            const bool outside = thin ? p.distance < s.options.thinnest * (1 - 1e-9) : p.distance > s.options.thickest * (1 + 1e-9);
            if (!outside) continue;
            area += 0.5 * p.weight;
            if (!at || (thin ? p.distance < extreme : p.distance > extreme)) extreme = p.distance, at = &p;
        }
        if (!at) continue;
        out.push_back(s.finding(thin ? FindingKind::wall_too_thin : FindingKind::wall_too_thick,
                                fmt::format("{:.1f} mm2 of wall {} than {:.3g} mm, down to {:.3g} mm", area, thin ? "thinner" : "thicker",
                                            thin ? s.options.thinnest : s.options.thickest, extreme),
                                thin ? "lower survey.thinnest, or leave it out" : "raise survey.thickest, or model it as a solid",
                                at->point - 0.5 * at->distance * at->normal, extreme, at->face, {std::sqrt(area), extreme}));
        if (!thin) {
            std::string& about = out.back().about;
            about.replace(about.rfind("down to"), 7, "up to");
        }
    }
}

}  // namespace

void find_details(const Surveyed& s, Findings& out) {
    find_holes(s, out);
    find_rounds(s, out);
    find_lettering(s, out);
    find_outside_range(s, out);
}

}  // namespace halvo
