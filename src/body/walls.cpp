#include "body/walls.hpp"

#include "body/skin.hpp"
#include "geom/facet_tree.hpp"
#include "geom/spread.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr int least_probes = 24, most_probes = 400;
constexpr double same_plane_angle = 1e-5;
constexpr double thin_from = 0.7, bulk_to = 0.2;  // share of the skin in walls and rims

int probe_count(const Face& f, double mean_thickness) {
    const double wanted = f.area / std::max(mean_thickness * mean_thickness * 4, 1e-12);
    return static_cast<int>(std::clamp(wanted, double(least_probes), double(most_probes)));
}

void probe_face(const Body& body, std::size_t id, double mean_thickness, double tol, std::vector<Probe>& out) {
    const Face& f = body.faces[id];
    if (f.facet_count == 0) return;
    std::vector<double> upto;
    double total = 0;
    for (std::size_t i = 0; i < f.facet_count; ++i) upto.push_back(total += body.facet_area(f.first_facet + i));
    if (total <= 0) return;
    const int n = probe_count(f, mean_thickness);
    for (int k = 0; k < n; ++k) {
        // Stratified along the facets, low-discrepancy within each (R2 sequence of Roberts).
        const double s = total * (k + 0.5) / n;
        const std::size_t i =
            std::min<std::size_t>(static_cast<std::size_t>(std::lower_bound(upto.begin(), upto.end(), s) - upto.begin()), f.facet_count - 1) + f.first_facet;
        double u = std::fmod(0.5 + 0.7548776662466927 * k, 1.0), v = std::fmod(0.5 + 0.5698402909980532 * k, 1.0);
        if (u + v > 1) u = 1 - u, v = 1 - v;
        const auto& c = body.facets[i].corners;
        const auto at = [&](std::size_t j) -> const Vec3& { return body.points[static_cast<std::size_t>(c[j])]; };
        Probe p;
        p.face = static_cast<int>(id);
        p.point = (1 - u - v) * at(0) + u * at(1) + v * at(2);
        p.weight = f.area / n;
        // Facets of curved faces stand off by their chord error; distances are taken between the exact surfaces.
        const SkinPoint from = body.on_skin(i, p.point);
        const auto hit = body.tree->shoot(p.point, -from.normal, tol);
        if (!hit) continue;
        const auto far = static_cast<std::size_t>(hit->facet);
        p.opposite = body.facets[far].face;
        const SkinPoint to = body.on_skin(far, p.point - hit->distance * from.normal);
        p.point = from.point, p.normal = from.normal;
        p.distance = (from.point - to.point).dot(from.normal);
        p.facing = -from.normal.dot(to.normal);
        out.push_back(p);
    }
}

Plane outward_plane(const Face& f) {
    const Frame& fr = std::get<PlaneSurface>(f.surface).frame;
    const Vec3 n = f.reversed ? Vec3(-fr.z) : fr.z;
    return {n, n.dot(fr.origin)};
}

// The two planes' bisector, or mid plane when they are parallel.
Plane mid_plane(const Plane& a, const Plane& b) {
    const Vec3 n = a.normal - b.normal;
    return {n / n.norm(), (a.offset - b.offset) / n.norm()};
}

std::vector<FacePair> face_pairs(const Body& body, const std::vector<Probe>& probes, const WallLimits& limits) {
    std::map<std::pair<int, int>, std::array<std::vector<const Probe*>, 2>> table;
    for (const Probe& p : probes) {
        if (p.facing < std::cos(limits.draft) || p.face == p.opposite) continue;
        const auto plane = [&](int f) { return std::holds_alternative<PlaneSurface>(body.faces[static_cast<std::size_t>(f)].surface); };
        if (!plane(p.face) || !plane(p.opposite)) continue;
        table[std::minmax(p.face, p.opposite)][p.face < p.opposite ? 0 : 1].push_back(&p);
    }
    std::vector<FacePair> out;
    for (const auto& [faces, seen] : table) {
        // The side with finer probes tells more; both sides see the same area.
        const auto weight = [](const std::vector<const Probe*>& v) { return v.empty() ? 1e300 : v[0]->weight; };
        const auto& side = weight(seen[0]) <= weight(seen[1]) ? seen[0] : seen[1];
        FacePair p;
        p.top = faces.first, p.bottom = faces.second;
        p.top_plane = outward_plane(body.faces[static_cast<std::size_t>(p.top)]);
        p.bottom_plane = outward_plane(body.faces[static_cast<std::size_t>(p.bottom)]);
        p.thinnest = std::numeric_limits<double>::max();
        std::vector<Vec3> points;
        for (const Probe* q : side) {
            p.area += q->weight;
            p.thickness += q->distance * q->weight;
            p.thinnest = std::min(p.thinnest, q->distance), p.thickest = std::max(p.thickest, q->distance);
            points.push_back(q->point);
            const Plane& own = q->face == p.top ? p.top_plane : p.bottom_plane;
            p.seen.push_back(q->point - 0.5 * q->distance * own.normal);
        }
        p.thickness /= p.area;
        if (side.size() < 2) continue;
        p.width = p.area / std::max(spread(points), 1e-12);
        out.push_back(std::move(p));
    }
    return out;
}

// Groups by midsurface, then by thickness.
std::vector<Wall> group(std::vector<FacePair> pairs, double tol) {
    std::vector<Wall> walls;
    std::vector<Plane> planes;
    // Larger pairs first, so that each group's plane comes from its largest pair.
    std::stable_sort(pairs.begin(), pairs.end(), [](const FacePair& a, const FacePair& b) { return a.area > b.area; });
    for (FacePair& p : pairs) {
        const Plane mid = mid_plane(p.top_plane, p.bottom_plane);
        std::size_t found = walls.size();
        for (std::size_t i = 0; i < walls.size() && found == walls.size(); ++i) {
            const double c = planes[i].normal.dot(mid.normal);
            if (std::abs(c) < 0.999 || planes[i].normal.cross(mid.normal).norm() > same_plane_angle) continue;
            const Vec3 on_mid = p.seen[0] - mid.height(p.seen[0]) * mid.normal;
            if (std::abs(planes[i].height(on_mid)) > std::max(10 * tol, 1e-5 * p.thickness)) continue;
            const double ratio = p.thickness / walls[i].thickness;
            if (ratio < 0.6 || ratio > 1.7) continue;
            found = i;
        }
        if (found == walls.size()) {
            walls.emplace_back();
            planes.push_back(mid);
            walls.back().thickness = p.thickness;
            walls.back().thinnest = p.thinnest;
            walls.back().chart = Frame::with_z(mid.offset * mid.normal, mid.normal);
        } else if (planes[found].normal.dot(mid.normal) < 0) {
            std::swap(p.top, p.bottom);
            std::swap(p.top_plane, p.bottom_plane);
        }
        Wall& w = walls[found];
        w.thickness = (w.thickness * w.area + p.thickness * p.area) / (w.area + p.area);
        w.area += p.area;
        w.width = std::max(w.width, p.width);
        w.thinnest = std::min(w.thinnest, p.thinnest), w.thickest = std::max(w.thickest, p.thickest);
        w.pairs.push_back(std::move(p));
    }
    for (Wall& w : walls) w.chart.origin += (w.pairs[0].seen[0] - w.chart.origin) - w.chart.height(w.pairs[0].seen[0]) * w.chart.z;
    return walls;
}

// Round profiles have no plane walls: rays from the lateral skin that leave through the opposite side, without the few at copes.
void member_thickness(Build& b, const std::vector<Probe>& probes, const Prism& prism) {
    std::vector<double> all;
    for (const Probe& q : probes)
        if (prism.lateral[static_cast<std::size_t>(q.face)] && prism.lateral[static_cast<std::size_t>(q.opposite)] && q.facing > 0.9) all.push_back(q.distance);
    if (all.empty()) return;
    std::sort(all.begin(), all.end());
    b.thinnest = all[all.size() / 20], b.thickest = all[all.size() - 1 - all.size() / 20];
}

}  // namespace

std::vector<Probe> probe(const Body& body, double tol) {
    std::vector<Probe> out;
    const double mean = body.mass.area > 0 ? 2 * std::abs(body.mass.volume) / body.mass.area : 1;
    for (std::size_t f = 0; f < body.faces.size(); ++f) probe_face(body, f, mean, tol, out);
    return out;
}

WallSearch find_walls(const Body& body, const std::vector<Probe>& probes, const WallLimits& limits, double tol) {
    WallSearch out;
    for (Wall& w : group(face_pairs(body, probes, limits), tol)) {
        if (w.thickness > limits.slimness * w.width) continue;
        if (w.thickest > limits.thickest * (1 + 1e-9) || w.thinnest < limits.thinnest * (1 - 1e-9)) out.outside.push_back(std::move(w));
        else out.walls.push_back(std::move(w));
    }
    return out;
}

Build classify(const Body& body, const Skin& skin, double slender, double flat, double tol) {
    Build b;
    if (!body.closed) {
        b.kind = BodyClass::open;
        b.why = "the skin has free edges";
        return b;
    }
    b.thin_share = skin.thin_share();
    for (const SkinPair& q : skin.pairs) {
        if (!q.wall) continue;
        b.thinnest = b.thinnest == 0 ? q.thinnest : std::min(b.thinnest, q.thinnest);
        b.thickest = std::max(b.thickest, q.thickest);
    }
    if (const auto p = find_prism(body, tol)) {
        const double ratio = p->length() / p->depth;
        const bool strip = is_flat_bar(*p) && p->depth >= flat * p->width;
        if (ratio >= slender && !strip) {
            b.kind = BodyClass::slender;
            b.why = fmt::format("one profile over {:.0f} mm, {:.1f} times its depth", p->length(), ratio);
            if (b.thickest == 0) member_thickness(b, skin.probes, *p);
            b.prism = p;
            return b;
        }
    }
    b.why = fmt::format("{:.0f} % of the skin is walls and their rims", 100 * b.thin_share);
    b.kind = b.thin_share >= thin_from ? BodyClass::thin : b.thin_share <= bulk_to ? BodyClass::bulk : BodyClass::mixed;
    return b;
}

}  // namespace halvo
