// The picture of a survey: wall thickness on the skin, findings where they are.
#include "view/content.hpp"

#include "core/index.hpp"
#include "core/parallel.hpp"
#include "geom/facet_tree.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace halvo::view {
namespace {

constexpr double not_a_wall = -1;
constexpr std::size_t most_findings_marked = 30;

struct Tile {
    Vec3 a, b, c;
    double thickness = not_a_wall, filled = not_a_wall;
};

// Cuts a facet at its longest side until it is small enough to carry one colour.
void cut_up(const Vec3& a, const Vec3& b, const Vec3& c, double largest, std::vector<Tile>& out) {
    const double ab = (b - a).norm(), bc = (c - b).norm(), ca = (a - c).norm();
    const double most = std::max({ab, bc, ca});
    if (most <= largest) {
        out.push_back({a, b, c});
    } else if (most == ab) {
        const Vec3 m = 0.5 * (a + b);
        cut_up(a, m, c, largest, out), cut_up(m, b, c, largest, out);
    } else if (most == bc) {
        const Vec3 m = 0.5 * (b + c);
        cut_up(a, b, m, largest, out), cut_up(a, m, c, largest, out);
    } else {
        const Vec3 m = 0.5 * (c + a);
        cut_up(a, b, m, largest, out), cut_up(m, b, c, largest, out);
    }
}

// Tiles a few pixels large, but no more than a picture can use: the long thin facets of a plate full of holes would be millions.
double tile_size(const Body& b, const BodySurvey& s, double wanted) {
    constexpr double most_tiles = 25000;
    double size = s.bands.size() > 1 ? wanted : 4 * wanted;
    for (int round = 0; round < 12; ++round, size *= 1.5) {
        double n = 0;
        for (std::size_t i = 0; i < b.facets.size(); ++i) {
            const auto& k = b.facets[i].corners;
            double longest = 0;
            for (std::size_t j = 0; j < 3; ++j) longest = std::max(longest, (b.points[ix(k[j])] - b.points[ix(k[(j + 1) % 3])]).norm());
            n += std::max(1.0, 2 * longest / size) * std::max(1.0, 2 * b.facet_area(i) / std::max(longest, 1e-12) / size);
        }
        if (n <= most_tiles) break;
    }
    return size;
}

// Over the foot of a rib the ray runs down the rib: there the face shows the thickness it has nearby.
void over_junctions(const Body& b, const std::vector<std::size_t>& facet, std::vector<Tile>& tiles) {
    constexpr std::size_t most = 300;
    const auto middle = [&](std::size_t t) { return Vec3((tiles[t].a + tiles[t].b + tiles[t].c) / 3); };
    std::vector<std::vector<std::size_t>> seen(b.faces.size());
    std::vector<std::size_t> all(b.faces.size(), 0);
    for (std::size_t t = 0; t < tiles.size(); ++t) {
        const auto f = ix(b.facets[facet[t]].face);
        ++all[f];
        if (tiles[t].thickness > 0) seen[f].push_back(t);
    }
    parallel_for(tiles.size(), [&](std::size_t t) {
        const auto& near = seen[ix(b.facets[facet[t]].face)];
        if (tiles[t].thickness > 0 || 10 * near.size() < 7 * all[ix(b.facets[facet[t]].face)]) return;
        double least = std::numeric_limits<double>::infinity();
        for (std::size_t k = 0; k < near.size(); k += 1 + near.size() / most)
            if (const double d = (middle(near[k]) - middle(t)).squaredNorm(); d < least) least = d, tiles[t].filled = tiles[near[k]].thickness;
    });
    for (Tile& t : tiles)
        if (t.thickness <= 0 && t.filled > 0) t.thickness = t.filled;
}

std::vector<Tile> tiles_of(const Body& b, const BodySurvey& s, double tol, double wanted) {
    const double largest = tile_size(b, s, wanted);
    std::vector<Tile> tiles;
    std::vector<std::size_t> facet;
    for (std::size_t i = 0; i < b.facets.size(); ++i) {
        const auto& k = b.facets[i].corners;
        cut_up(b.points[ix(k[0])], b.points[ix(k[1])], b.points[ix(k[2])], s.bands.empty() ? 1e300 : largest, tiles);
        facet.resize(tiles.size(), i);
    }
    if (s.bands.empty()) return tiles;
    parallel_for(tiles.size(), [&](std::size_t t) {
        const Vec3 middle = (tiles[t].a + tiles[t].b + tiles[t].c) / 3;
        const SkinPoint p = b.on_skin(facet[t], middle);
        const auto hit = b.tree->shoot(middle, -p.normal, tol);
        if (!hit || hit->distance > s.thickest * 1.05) return;
        const SkinPoint q = b.on_skin(ix(hit->facet), middle - hit->distance * p.normal);
        if (-p.normal.dot(q.normal) < 0.9) return;
        tiles[t].thickness = (p.point - q.point).dot(p.normal);
    });
    over_junctions(b, facet, tiles);
    return tiles;
}

}  // namespace

Content compose_survey(const Job& job) {
    Content out;
    out.title = fmt::format("{}: survey", job.solids.file);
    double low = std::numeric_limits<double>::infinity(), high = 0;
    const BodySurvey *thin = nullptr, *thick = nullptr;
    std::set<double> values;
    for (const BodySurvey& s : job.survey.bodies) {
        if (s.bands.empty()) continue;
        if (s.thinnest < low) low = s.thinnest, thin = &s;
        if (s.thickest > high) high = s.thickest, thick = &s;
        for (const ThicknessBand& t : s.bands) values.insert(std::round(t.mean * 1e3) / 1e3);
    }
    if (high - low < 1e-9) low = 0;
    const double size = job.solids.box.isEmpty() ? 1 : job.solids.box.diagonal().norm();
    for (std::size_t i = 0; i < job.solids.bodies.size(); ++i) {
        const Body& b = job.solids.bodies[i];
        const BodySurvey s = i < job.survey.bodies.size() ? job.survey.bodies[i] : BodySurvey{};
        const double largest = size / 220;  // a few pixels
        for (const Tile& t : tiles_of(b, s, job.solids.tolerance.point, largest))
            out.scene.triangles.push_back({t.a, t.b, t.c, t.thickness > 0 ? field(high > low ? (t.thickness - low) / (high - low) : 0.5) : neutral});
        for (const BodyEdge& e : b.edges)
            if (!e.degenerate) out.scene.lines.push_back({e.curve.sampled(0.2, 12), ink, 0.8, false, false});
    }
    if (high > 0) {
        // A scale for one thickness alone begins at nothing; that is no thickness of the part, and stands without a number.
        if (low > 0) values.insert(low);
        values.insert(high);
        out.scale = Scale{"wall thickness", "mm", low, high, {values.begin(), values.end()}};
    }
    out.legend.push_back({"no wall", "", neutral, 1, false, true});
    std::size_t n = 0;
    for (const Finding& f : job.survey.findings) {
        if (f.level == FindingLevel::note) continue;
        ++n;
        if (n <= most_findings_marked) out.marks.push_back({f.place, std::to_string(n)});
        out.list.push_back(fmt::format("{}. {}{}", n, kind_name(f.kind), f.body.empty() ? "" : " (" + f.body + ")"));
    }
    if (out.list.empty()) out.list.push_back("no findings");
    if (thin && thick)
        out.captions.push_back(fmt::format("thinnest {:.3f} mm at {}; thickest {:.3f} mm at {}", thin->thinnest,
                                           place_text(thin->thinnest_at, job.solids.shift), high, place_text(thick->thickest_at, job.solids.shift)));
    std::string classes;
    for (BodyClass c : {BodyClass::thin, BodyClass::slender, BodyClass::bulk, BodyClass::mixed, BodyClass::open}) {
        const auto k = std::count_if(job.survey.bodies.begin(), job.survey.bodies.end(), [&](const BodySurvey& s) { return s.kind == c; });
        if (k > 0) classes += fmt::format(", {} {}", k, class_name(c));
    }
    out.captions.push_back(fmt::format("{} {}{}; {} {}", job.solids.bodies.size(), job.solids.bodies.size() == 1 ? "body" : "bodies", classes, n,
                                       n == 1 ? "finding" : "findings"));
    return out;
}

}  // namespace halvo::view
