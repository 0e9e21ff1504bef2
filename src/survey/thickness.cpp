#include "survey/finders.hpp"

#include "core/groups.hpp"
#include "core/index.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>

namespace halvo {
namespace {

constexpr double band_gap = 0.01;      // thicknesses further apart than this are not one band
constexpr double small_share = 0.005;  // bands with less of the skin tell nothing

// Pairs of constant thickness are banded by nearness, pairs that vary (drafted, tapered) by overlap of their ranges.
std::vector<ThicknessBand> bands_of(const Skin& skin) {
    struct Range {
        double from, to, area, moment;
        bool varies;
    };
    std::vector<Range> ranges;
    std::vector<std::size_t> slot(skin.pairs.size(), 0);
    for (std::size_t k = 0; k < skin.pairs.size(); ++k) {
        const SkinPair& q = skin.pairs[k];
        slot[k] = ranges.size();
        if (q.wall) ranges.push_back({q.thinnest, q.thickest, 0, 0, q.thickest > q.thinnest * (1 + 2 * band_gap)});
    }
    double all = 0;
    for (std::size_t i = 0; i < skin.probes.size(); ++i) {
        if (skin.kind[i] != SkinKind::wall || !skin.agrees(i)) continue;
        Range& r = ranges[slot[ix(skin.pair[i])]];
        r.area += skin.probes[i].weight, r.moment += skin.probes[i].weight * skin.probes[i].distance;
        all += skin.probes[i].weight;
    }
    std::sort(ranges.begin(), ranges.end(),
              [](const Range& a, const Range& b) { return std::tuple(a.varies, a.from, a.to, a.area) < std::tuple(b.varies, b.from, b.to, b.area); });
    std::vector<ThicknessBand> out;
    bool varies = false;
    for (const Range& r : ranges) {
        if (r.area <= 0) continue;
        if (out.empty() || r.varies != varies || r.from > out.back().to * (1 + band_gap)) out.push_back({r.from, r.to, 0, 0});
        varies = r.varies;
        ThicknessBand& b = out.back();
        b.to = std::max(b.to, r.to), b.mean += r.moment, b.share += r.area;
    }
    for (ThicknessBand& b : out) b.mean /= b.share, b.share /= all;
    std::erase_if(out, [](const ThicknessBand& b) { return b.share < small_share; });
    std::stable_sort(out.begin(), out.end(), [](const ThicknessBand& a, const ThicknessBand& b) { return a.share > b.share * (1 + 1e-9); });
    return out;
}

void find_bulk(const Body& body, const Skin& skin, BodySurvey& out) {
    std::vector<double> rest(body.faces.size(), 0), all(body.faces.size(), 0), across(body.faces.size(), 0);
    for (std::size_t i = 0; i < skin.probes.size(); ++i) {
        const auto f = ix(skin.probes[i].face);
        all[f] += skin.probes[i].weight;
        if (skin.kind[i] == SkinKind::rest) rest[f] += skin.probes[i].weight, across[f] = std::max(across[f], skin.ball[i]);
    }
    const auto in = [&](std::size_t f) { return rest[f] > 0.5 * all[f] && all[f] > 0; };
    Groups groups(body.faces.size());
    for (std::size_t f = 0; f < body.faces.size(); ++f)
        for (const auto& l : skin.neighbours.of[f])
            if (in(f) && in(ix(l.other))) groups.tie(static_cast<int>(f), l.other);
    std::map<int, BulkRegion> regions;
    std::map<int, Box3> boxes;
    for (std::size_t f = 0; f < body.faces.size(); ++f) {
        if (!in(f)) continue;
        const int root = groups.root(static_cast<int>(f));
        BulkRegion& r = regions[root];
        r.area += rest[f], r.across = std::max(r.across, across[f]);
        if (!r.face || body.faces[f].area > body.faces[ix(r.face)].area) r.face = FaceId(f);
        const Face& face = body.faces[f];
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
            for (int c : body.facets[i].corners) boxes[root].extend(body.points[ix(c)]);
    }
    for (auto& [root, r] : regions) {
        r.place = boxes[root].center(), r.size = boxes[root].sizes();
        out.bulk.push_back(r);
    }
    std::stable_sort(out.bulk.begin(), out.bulk.end(), [](const BulkRegion& a, const BulkRegion& b) { return a.area > b.area * (1 + 1e-9); });
}

}  // namespace

void measure_thickness(const Body& body, const Skin& skin, BodySurvey& out) {
    out.wall_area = skin.wall, out.rim_area = skin.rim, out.rest_area = skin.rest;
    const Probe *thin = nullptr, *thick = nullptr;
    for (std::size_t i = 0; i < skin.probes.size(); ++i) {
        // Where ray and ball differ (a corner, a rounded rim) the ray's length is no thickness.
        if (skin.kind[i] != SkinKind::wall || !skin.agrees(i)) continue;
        const Probe& p = skin.probes[i];
        if (!thin || p.distance < thin->distance * (1 - 1e-9)) thin = &p;
        if (!thick || p.distance > thick->distance * (1 + 1e-9)) thick = &p;
    }
    out.bands = bands_of(skin);
    if (thin) {
        out.thinnest = thin->distance, out.thinnest_at = thin->point - 0.5 * thin->distance * thin->normal;
        out.thickest = thick->distance, out.thickest_at = thick->point - 0.5 * thick->distance * thick->normal;
    }
    if (out.kind == BodyClass::mixed) {
        find_bulk(body, skin, out);
        if (!out.bulk.empty()) out.why += fmt::format("; {:.0f} mm2 of it is bulk, up to {:.0f} mm across", out.rest_area, out.bulk[0].across);
    }
}

void estimate_nodes(const Assembly& solids, Survey& survey) {
    // The size a run would take by itself: a hundredth of the model, at least twice the thickest wall.
    double thickest = 0;
    for (const BodySurvey& s : survey.bodies)
        if (s.kind == BodyClass::thin || s.kind == BodyClass::mixed) thickest = std::max(thickest, s.thickest);
    survey.size = std::max(extent(solids) / 100, 2 * thickest);
    const double h = survey.size;
    for (std::size_t i = 0; i < survey.bodies.size(); ++i) {
        BodySurvey& s = survey.bodies[i];
        const Body& b = solids.bodies[i];
        const double volume = std::abs(b.mass.volume), t = s.bands.empty() ? 2 * volume / std::max(b.mass.area, 1e-300) : s.bands[0].mean;
        if (!(h > 0) || !(t > 0) || s.kind == BodyClass::open) continue;
        // Two quadratic hexahedra through a wall, no longer than five times their height; each brings about four nodes.
        const double through = s.kind == BodyClass::bulk ? h : 0.5 * std::min(t, 2 * h), along = std::min(h, 5 * through);
        s.solid_nodes = 4 * volume / (through * along * along);
        if (s.kind == BodyClass::slender) s.model_nodes = std::max(2.0, s.length / h + 1);
        else if (s.kind != BodyClass::bulk) s.model_nodes = volume / t / (h * h) + 1;
        survey.solid_nodes += s.solid_nodes, survey.model_nodes += s.model_nodes;
    }
    survey.rule = fmt::format(
        "element size {:.3g} mm; solid: two quadratic hexahedra through each wall, no longer than five times their height, four nodes each; "
        "model: one node for each square of that size on sheets, one for each length on members; bulk bodies stay solid",
        h);
}

}  // namespace halvo
