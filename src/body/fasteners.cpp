#include "body/fasteners.hpp"

#include "body/round_faces.hpp"
#include "core/index.hpp"
#include "core/keys.hpp"
#include "geom/box_tree.hpp"
#include "geom/facet_tree.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

namespace halvo {
namespace {

constexpr double same_axis = 2e-3;       // sine
constexpr double least_round = 0.9;      // of a turn that the shank's faces go round
constexpr double widest_head = 2.6;      // times the shank's radius, corner of a hexagon and washer
constexpr double widest_hole = 1.35;     // times the shank's radius
constexpr double off_centre = 0.35;      // of the shank's radius: play in clear holes
constexpr double most_apart = 1.0;       // times the shank's radius, between bodies clamped together
constexpr double longest_past = 16;      // times the shank's radius: head, nut and what stands out beyond them
constexpr double least_grip = 0.1;       // times the shank's radius
constexpr std::size_t most_faces = 120;  // a bolt has few
constexpr int steps = 48;                // along the axis, where there is no hole

struct Range {
    double low = std::numeric_limits<double>::max(), high = std::numeric_limits<double>::lowest();
    void extend(double h) { low = std::min(low, h), high = std::max(high, h); }
    [[nodiscard]] double length() const { return high - low; }
};

Range along(const Body& b, const Face& f, const Frame& axis) {
    Range r;
    for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
        for (int c : b.facets[i].corners) r.extend(axis.height(b.points[ix(c)]));
    return r;
}

double off_axis(const Frame& axis, const Vec3& p) {
    return axis.local2(p).norm();
}

// Outward away from the axis: a shank; towards it: a hole.
bool is_shank(const Body& b, const Face& f, const CylinderSurface& c) {
    const Vec3& p = b.points[ix(b.facets[f.first_facet].corners[0])];
    const Vec3 n = f.outward_or(p, b.facet_normal(f.first_facet)), out = p - c.frame.origin - (p - c.frame.origin).dot(c.frame.z) * c.frame.z;
    return n.dot(out) > 0;
}

// The longest round shank of a body, all round and solid, with nothing of the body far from it.
std::optional<Fastener> shank_of(const Body& b, BodyId id) {
    if (!b.closed || b.faces.size() > most_faces || !b.tree) return std::nullopt;
    std::optional<Fastener> best;
    double longest = 0;
    for (const Face& f : b.faces) {
        const auto* c = std::get_if<CylinderSurface>(&f.surface);
        if (!c || f.facet_count == 0 || !is_shank(b, f, *c)) continue;  // faces of damaged files may have no facets
        const Range r = along(b, f, c->frame);
        if (r.length() <= longest * (1 + 1e-9)) continue;
        RoundBand band = band_round(b, *c);
        if (band.turns(r.length()) < least_round) continue;  // further on there may be a nut of one piece with it
        Fastener s;
        s.body = id, s.axis = c->frame, s.radius = c->radius, s.shank = std::move(band.faces);
        longest = r.length(), best = std::move(s);
    }
    if (!best) return std::nullopt;
    Range all;
    double widest = 0;
    for (const Vec3& p : b.points) all.extend(best->axis.height(p)), widest = std::max(widest, off_axis(best->axis, p));
    best->low = all.low, best->high = all.high;
    if (widest > widest_head * best->radius) return std::nullopt;
    const double full = pi * best->radius * best->radius * all.length();
    const bool hollow = !b.tree->encloses(best->axis.at(1e-3 * best->radius, 0, 0.5 * (all.low + all.high)));
    if (hollow || b.mass.volume < 0.8 * full) return std::nullopt;
    return best;
}

// The hole of a body round the shank.
std::optional<Fastener::Grip> hole_of(const Body& b, BodyId id, const Fastener& s) {
    Range r;
    double radius = 0;
    for (const Face& f : b.faces) {
        const auto* c = std::get_if<CylinderSurface>(&f.surface);
        if (!c || f.facet_count == 0 || c->radius < 0.98 * s.radius || c->radius > widest_hole * s.radius || c->frame.z.cross(s.axis.z).norm() > same_axis)
            continue;
        const double middle = 0.5 * (s.low + s.high), way = (middle - s.axis.height(c->frame.origin)) / c->frame.z.dot(s.axis.z);
        if (off_axis(s.axis, c->frame.origin + way * c->frame.z) > off_centre * s.radius) continue;
        if (is_shank(b, f, *c)) continue;
        const Range own = along(b, f, s.axis);
        if (std::min(own.high, s.high) - std::max(own.low, s.low) < least_grip * s.radius) continue;
        r.extend(own.low), r.extend(own.high), radius = std::max(radius, c->radius);
    }
    if (radius == 0) return std::nullopt;
    return Fastener::Grip{id, std::max(r.low, s.low), std::min(r.high, s.high), radius};
}

// Or its material that the shank runs through.
std::optional<Fastener::Grip> pierced(const Body& b, BodyId id, const Fastener& s) {
    if (!b.closed || !b.tree) return std::nullopt;
    Range r;
    const double step = (s.high - s.low) / steps;
    for (int k = 0; k < steps; ++k) {
        const double h = s.low + (k + 0.5) * step;
        if (b.tree->encloses(s.axis.at(0, 0, h))) r.extend(h - 0.5 * step), r.extend(h + 0.5 * step);
    }
    if (r.length() < least_grip * s.radius) return std::nullopt;
    return Fastener::Grip{id, r.low, r.high, s.radius};
}

// A nut or a washer: nothing of it is far from the axis.
bool is_ring(const Body& b, const Fastener& s) {
    return std::ranges::all_of(b.points, [&](const Vec3& p) { return off_axis(s.axis, p) <= widest_head * s.radius; });
}

// Do the bodies held lie on each other?
bool clamped(const Fastener& s) {
    // A rod that goes on far past them is a bar that they hold.
    if (s.grips.empty() || s.high - s.low > s.grips.back().high - s.grips.front().low + longest_past * s.radius) return false;
    std::vector<BodyId> bodies;
    for (std::size_t k = 0; k < s.grips.size(); ++k) {
        bodies.push_back(s.grips[k].body);
        if (k > 0 && s.grips[k].low - s.grips[k - 1].high > most_apart * s.radius) return false;
    }
    std::sort(bodies.begin(), bodies.end());
    return std::unique(bodies.begin(), bodies.end()) - bodies.begin() >= 2;
}

}  // namespace

std::string fastener_key(const Body& body) {
    return make_key("fastener", body.key, {});
}

std::vector<Fastener> find_fasteners(const Assembly& solids) {
    std::vector<Box3> boxes;
    for (const Body& b : solids.bodies) boxes.push_back(b.box);
    const BoxTree tree(boxes);
    std::vector<Fastener> out;
    for (std::size_t i = 0; i < solids.bodies.size(); ++i) {
        auto s = shank_of(solids.bodies[i], BodyId(i));
        if (!s) continue;
        std::vector<Fastener::Grip> rings;
        for (int k : tree.touching(solids.bodies[i].box)) {
            const Body& other = solids.bodies[ix(k)];
            if (ix(k) == i || other.mass.volume < 0.05 * solids.bodies[i].mass.volume) continue;
            auto grip = hole_of(other, BodyId(k), *s);
            if (!grip) grip = pierced(other, BodyId(k), *s);
            if (!grip) continue;
            (is_ring(other, *s) ? rings : s->grips).push_back(*grip);
        }
        std::ranges::sort(s->grips, [](const auto& a, const auto& b) { return std::pair(a.low, a.body) < std::pair(b.low, b.body); });
        if (!clamped(*s)) continue;
        for (const auto& r : rings) s->rings.push_back(r.body);
        out.push_back(std::move(*s));
    }
    // What lies round two shanks is held by them; no bolt is another's nut.
    std::map<BodyId, int> used;
    for (const Fastener& s : out) {
        ++used[s.body];
        for (const BodyId r : s.rings) ++used[r];
    }
    for (Fastener& s : out) std::erase_if(s.rings, [&](BodyId r) { return used[r] > 1; });
    return out;
}

}  // namespace halvo
