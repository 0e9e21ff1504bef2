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

constexpr int least_probes = 24, most_probes = 400;  // on a face, by its area
constexpr double flat_when_bent = 3;                 // times as wide as thick, a bent flat bar is folded sheet
constexpr double thin_from = 0.7, bulk_to = 0.2;     // share of the skin in walls and rims

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
        // Flat bars bent to hooks and brackets are folded sheet sooner than straight ones are plates.
        // Figures at a limit count as beyond it wherever the part stands.
        constexpr double at_limit = 1 - 1e-6;
        const bool strip = is_flat_bar(*p) && p->depth >= at_limit * (p->axis.is_straight() ? flat : std::min(flat, flat_when_bent)) * p->width;
        // A hollow ring has both skins all round: it is halved like any other closed wall.
        const bool hollow_ring = p->axis.closed(10 * tol) && b.thin_share >= thin_from;
        if (ratio >= at_limit * slender && !strip && !hollow_ring) {
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
