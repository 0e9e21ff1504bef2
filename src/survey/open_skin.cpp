// Defects of a skin that does not close, or closes wrongly.
#include "survey/finders.hpp"

#include "body/orientation.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/box_tree.hpp"
#include "geom/facet_tree.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double largest_missing = 0.5;  // of the skin's area: a larger opening is the shape of a surface, not a hole in it

struct FreeEdge {
    int edge = -1, face = -1;
    bool reversed = false;
    double length = 0;
    double gap = std::numeric_limits<double>::infinity();  // to the nearest other free edge, largest along it
};

std::vector<FreeEdge> free_edges(const Body& body) {
    std::vector<int> uses(body.edges.size(), 0);
    std::vector<FreeEdge> last(body.edges.size());
    for (std::size_t f = 0; f < body.faces.size(); ++f)
        for (const auto& loop : body.faces[f].loops)
            for (const Coedge& u : loop) {
                ++uses[u.edge.index()];
                last[u.edge.index()] = {u.edge.value, static_cast<int>(f), u.reversed, 0};
            }
    std::vector<FreeEdge> out;
    for (std::size_t e = 0; e < uses.size(); ++e)
        if (uses[e] == 1 && !body.edges[e].degenerate) {
            last[e].length = body.edges[e].curve.length();
            out.push_back(last[e]);
        }
    return out;
}

// For each free edge: the largest distance of its points from the nearest other free edge within reach.
void measure_gaps(const Body& body, std::vector<FreeEdge>& list, double reach) {
    std::vector<Box3> boxes;
    for (const FreeEdge& f : list) boxes.push_back(body.edges[ix(f.edge)].curve.box());
    const BoxTree tree(boxes);
    for (std::size_t i = 0; i < list.size(); ++i) {
        const Curve& c = body.edges[ix(list[i].edge)].curve;
        double worst = 0;
        for (double share : {0.1, 0.3, 0.5, 0.7, 0.9}) {
            const Vec3 p = c.point(c.parameter_at(share));
            double least = std::numeric_limits<double>::infinity();
            for (int j : tree.touching(Box3(p - Vec3::Constant(reach), p + Vec3::Constant(reach)))) {
                if (j == static_cast<int>(i)) continue;
                const Curve& other = body.edges[ix(list[ix(j)].edge)].curve;
                least = std::min(least, (other.point(other.nearest(p)) - p).norm());
            }
            worst = std::max(worst, least);
        }
        list[i].gap = worst <= reach ? worst : std::numeric_limits<double>::infinity();
    }
}

// Rings of free edges that hang together at their ends.
struct Ring {
    std::vector<FreeEdge> edges;
    bool closed = true;
    double length = 0;
    Vec3 area = Vec3::Zero(), middle = Vec3::Zero();
};

std::vector<Ring> rings(const Body& body, const std::vector<FreeEdge>& list) {
    Groups groups(list.size());
    std::map<int, std::vector<int>> at;
    for (std::size_t i = 0; i < list.size(); ++i)
        for (int v : body.edges[ix(list[i].edge)].vertices) at[v].push_back(static_cast<int>(i));
    for (const auto& [v, edges] : at)
        for (std::size_t k = 1; k < edges.size(); ++k) groups.tie(edges[0], edges[k]);
    std::map<int, Ring> out;
    for (std::size_t i = 0; i < list.size(); ++i) {
        Ring& r = out[groups.root(static_cast<int>(i))];
        r.edges.push_back(list[i]);
        r.length += list[i].length;
        const auto pts = body.edges[ix(list[i].edge)].curve.sampled(0.01 * list[i].length, 8);
        const double sign = list[i].reversed ? -1 : 1;
        for (std::size_t k = 0; k + 1 < pts.size(); ++k) {
            r.area += sign * 0.5 * (pts[k] - body.mass.centre).cross(pts[k + 1] - body.mass.centre);
            r.middle += 0.5 * (pts[k] + pts[k + 1]) * (pts[k + 1] - pts[k]).norm();
        }
    }
    std::vector<Ring> sorted;
    for (auto& [root, r] : out) {
        r.middle /= std::max(r.length, 1e-300);
        std::map<int, int> ends;
        for (const FreeEdge& f : r.edges)
            for (int v : body.edges[ix(f.edge)].vertices) ++ends[v];
        r.closed = std::all_of(ends.begin(), ends.end(), [](const auto& e) { return e.second % 2 == 0; });
        sorted.push_back(std::move(r));
    }
    return sorted;
}

const FreeEdge& longest(const std::vector<FreeEdge>& list) {
    return *std::max_element(list.begin(), list.end(), [](const FreeEdge& a, const FreeEdge& b) { return a.length < b.length * (1 - 1e-9); });
}

void find_free(const Surveyed& s, Findings& out) {
    std::vector<FreeEdge> list = free_edges(s.body);
    if (list.empty()) return;
    const double reach = std::max(s.options.near, 10 * s.tol);
    measure_gaps(s.body, list, reach);
    double total = 0, least = std::numeric_limits<double>::infinity();
    for (const FreeEdge& f : list) total += f.length, least = std::min(least, f.gap);
    const FreeEdge& main = longest(list);
    const Vec3 at = s.body.edges[ix(main.edge)].curve.middle();
    out.push_back(s.finding(
        FindingKind::open_body,
        fmt::format("{:.1f} mm of free edges ({}); its volume is not defined; {}", total, list.size(),
                    std::isfinite(least) ? fmt::format("the nearest free edges lie {:.3g} mm apart", least)
                                         : fmt::format("no two free edges lie within {:.3g} mm of each other", reach)),
        "mend.sew connects edges and mend.fill closes openings where they can; close the skin in CAD otherwise, or give halve.thickness for a surface", at,
        total, main.face, {total}));
    std::vector<FreeEdge> beside, alone;
    for (const FreeEdge& f : list) (std::isfinite(f.gap) ? beside : alone).push_back(f);
    if (!beside.empty()) {
        double length = 0, widest = 0;
        for (const FreeEdge& f : beside) length += f.length, widest = std::max(widest, f.gap);
        const FreeEdge& b = longest(beside);
        // Every seam is counted from both of its sides.
        out.push_back(s.finding(
            FindingKind::unconnected_edges,
            fmt::format("{} free edges lie edge to edge over {:.1f} mm without being connected, up to {:.3g} mm apart", beside.size(), 0.5 * length, widest),
            "mend.sew takes a distance up to which they are connected; sew the faces in CAD otherwise", s.body.edges[ix(b.edge)].curve.middle(), widest, b.face,
            {length, widest}));
    }
    for (const Ring& r : rings(s.body, alone)) {
        const double area = r.area.norm();
        // The outline of a face that stands for itself encloses that face, not an opening.
        const bool lone = s.skin.neighbours.of[ix(r.edges[0].face)].empty();
        if (lone) continue;
        if (!r.closed || area > largest_missing * s.body.mass.area || s.body.faces.size() < 2) continue;
        out.push_back(s.finding(FindingKind::missing_face,
                                fmt::format("a closed ring of {} free edges, {:.1f} mm long, around {:.1f} mm2", r.edges.size(), r.length, area),
                                "mend closes it where a plain surface fits, or the faces beside it meet; fill it in CAD otherwise", r.middle, r.length,
                                longest(r.edges).face, {r.length, std::sqrt(area)}));
    }
}

void find_doubled_faces(const Surveyed& s, Findings& out) {
    struct Mark {
        Vec3 centre = Vec3::Zero();
        double area = 0;
    };
    const Body& b = s.body;
    std::vector<Mark> marks(b.faces.size());
    std::vector<Box3> boxes(b.faces.size());
    const double near = std::max(10 * s.tol, 1e-5 * extent(b));
    for (std::size_t f = 0; f < b.faces.size(); ++f) {
        const Face& face = b.faces[f];
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            const auto& c = b.facets[i].corners;
            const double a = b.facet_area(i);
            marks[f].area += a;
            marks[f].centre += a * (b.points[ix(c[0])] + b.points[ix(c[1])] + b.points[ix(c[2])]) / 3;
        }
        if (!(marks[f].area > 0)) continue;
        marks[f].centre /= marks[f].area;
        boxes[f] = Box3(marks[f].centre - Vec3::Constant(near), marks[f].centre + Vec3::Constant(near));
    }
    const BoxTree tree(boxes);
    for (std::size_t f = 0; f < b.faces.size(); ++f)
        for (int g : tree.touching(boxes[f])) {
            if (g <= static_cast<int>(f) || std::abs(marks[f].area - marks[ix(g)].area) > 1e-3 * marks[f].area) continue;
            // Same middle and area may be chance (two skins of a ball): every corner of one must lie on the other.
            const auto lies_on = [&](std::size_t from, std::size_t to) {
                const Face &p = b.faces[from], &q = b.faces[to];
                std::vector<std::array<int, 3>> corners;
                for (std::size_t i = q.first_facet; i < q.first_facet + q.facet_count; ++i) corners.push_back(b.facets[i].corners);
                const FacetTree skin(b.points, corners);
                const double slack = std::holds_alternative<PlaneSurface>(p.surface) ? near : std::max(near, 0.1 * s.wall());
                for (std::size_t i = p.first_facet; i < p.first_facet + p.facet_count; ++i)
                    for (int c : b.facets[i].corners)
                        if (!skin.nearest(b.points[ix(c)], slack)) return false;
                return true;
            };
            if (!lies_on(f, ix(g)) || !lies_on(ix(g), f)) continue;
            out.push_back(s.finding(FindingKind::doubled_faces, fmt::format("two faces of {:.1f} mm2 lie on each other", b.faces[f].area),
                                    "mend takes one of them", marks[f].centre, std::sqrt(b.faces[f].area), static_cast<int>(f), {std::sqrt(b.faces[f].area)}));
        }
}

// Faces that look the wrong way among those they hang together with.
void find_inverted(const Surveyed& s, Findings& out) {
    const Body& b = s.body;
    if (b.turned > 0) {
        const bool all = b.turned >= static_cast<int>(b.faceted ? b.facets.size() : b.faces.size());
        out.push_back(s.finding(FindingKind::inverted_orientation,
                                all ? "its skin looked inward in the file; it was turned"
                                    : fmt::format("{} of its {} facets looked the wrong way in the file; they were turned", b.turned, b.facets.size()),
                                "turn it in CAD, so that other programs read it right too", b.mass.centre, extent(b), -1, {static_cast<double>(b.turned)}));
    }
    for (const AgainstMost& k : faces_against_most(b)) {
        const int face = *std::max_element(k.faces.begin(), k.faces.end(), [&](int f, int g) { return b.faces[ix(f)].area < b.faces[ix(g)].area; });
        const Face& largest = b.faces[ix(face)];
        const Vec3 at = largest.facet_count > 0 ? b.points[ix(b.facets[largest.first_facet].corners[0])] : b.mass.centre;
        out.push_back(s.finding(FindingKind::inverted_orientation,
                                fmt::format("{} of {} faces ({:.1f} mm2) look the other way than their neighbours", k.faces.size(), k.of, k.area),
                                "mend turns them", at, std::sqrt(k.area), face, {std::sqrt(k.area)}));
    }
}

}  // namespace

void find_open_skin(const Surveyed& s, Findings& out) {
    find_free(s, out);
    find_doubled_faces(s, out);
    find_inverted(s, out);
}

}  // namespace halvo
