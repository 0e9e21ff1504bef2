#include "halve/wall_surface.hpp"

#include "body/surface_cut.hpp"
#include "core/index.hpp"
#include "geom/facet_tree.hpp"
#include "geom/narrow.hpp"
#include "geom/rounds.hpp"
#include "halve/limits.hpp"
#include "model/sheet_values.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace halvo {
namespace {

constexpr double stepped = 1.5;  // times as thick as the wall's thinnest piece: a rib may be as high

std::vector<std::vector<Vec2>> outline_on(const Body& body, int face, const Chart& chart, double chord) {
    if (chart.flat()) return face_outline(body, FaceId(face), chart.plane(), chord);
    std::vector<std::vector<Vec2>> out;
    for (const auto& loop : body.faces[ix(face)].loops) {
        std::vector<Vec3> points;
        for (const Coedge& u : loop) {
            const BodyEdge& e = body.edges[u.edge.index()];
            if (e.degenerate) continue;
            auto pts = e.curve.sampled(chord, 12);
            if (u.reversed) std::reverse(pts.begin(), pts.end());
            points.insert(points.end(), pts.begin(), pts.end() - 1);
        }
        if (points.size() >= 3) out.push_back(unrolled(chart, points));
    }
    return out;
}

// A face alone: it bounds its sheet, whatever lies behind it.
void add_alone(const Body& body, WallSurface& w, double chord, double tol) {
    const int f = w.wall->pairs[0].top;
    w.tops = w.bottoms = {f};
    w.field.constant = w.thickest = w.wall->alone;
    w.material = outline_on(body, f, w.chart, chord);
    std::set<int> done;
    for (const auto& loop : body.faces[ix(f)].loops)
        for (const Coedge& u : loop) {
            const Curve& c = body.edges[u.edge.index()].curve;
            if (body.edges[u.edge.index()].degenerate || !done.insert(u.edge.value).second) continue;
            w.outline.push_back(foot_curve(w.chart, c, tol));
        }
    for (const Curve& c : w.outline)
        for (const Vec3& p : c.sampled(0.02 * c.length(), 12)) w.extent.push_back(p), w.box.extend(p);
}

// A thick piece's face may go on over the tops of ribs that are as high: there it is no side of the wall.
bool leave_ribs_out(std::vector<std::vector<Vec2>>& outline, double thickness) {
    auto wide = wide_parts(outline, thickness);
    if (wide.empty() || wide == outline) return false;
    outline = std::move(wide);
    return true;
}

void add_pieces(const Body& body, WallSurface& w, double chord) {
    const bool flipped = w.chart.flat() ? w.chart.plane().z.dot(w.wall->chart.plane().z) < 0 : w.chart.reversed() != w.wall->chart.reversed();
    for (const FacePair& f : w.wall->pairs) {
        const int top = flipped ? f.bottom : f.top, bottom = flipped ? f.top : f.bottom;
        w.tops.push_back(top), w.bottoms.push_back(bottom);
        ThicknessPiece piece;
        piece.top = BaseSurface(body.faces[ix(top)].surface), piece.bottom = BaseSurface(body.faces[ix(bottom)].surface);
        auto top_outline = outline_on(body, top, w.chart, chord), bottom_outline = outline_on(body, bottom, w.chart, chord);
        if (w.chart.flat() && f.thickness > stepped * w.wall->thinnest) {
            w.beside_ribs = leave_ribs_out(top_outline, f.thickness) || w.beside_ribs;
            w.beside_ribs = leave_ribs_out(bottom_outline, f.thickness) || w.beside_ribs;
        }
        piece.top_outline = std::move(top_outline), piece.bottom_outline = std::move(bottom_outline);
        if (w.chart.flat()) w.supports.push_back({piece.top_outline, piece.bottom_outline});
        w.field.pieces.push_back(std::move(piece));
        w.thickest = std::max(w.thickest, f.thickest);
    }
}

// Pieces between the same two surfaces are one field.
void make_uniform(WallSurface& w, double tol) {
    const Vec3 place = w.chart.foot(w.wall->pairs[0].seen[0]);
    Box3 box;
    for (const FacePair& p : w.wall->pairs)
        for (const Vec3& q : p.seen) box.extend(q);
    const auto same = [&](const BaseSurface& a, const BaseSurface& b) { return same_surface(a.surface(), b.surface(), place, box.sizes().norm(), tol); };
    const bool uniform = std::all_of(w.field.pieces.begin(), w.field.pieces.end(),
                                     [&](const ThicknessPiece& k) { return same(k.top, w.field.pieces[0].top) && same(k.bottom, w.field.pieces[0].bottom); });
    if (!uniform) return;
    w.field.pieces.resize(1);
    w.field.pieces[0].top_outline = {}, w.field.pieces[0].bottom_outline = {};
}

// Points of the midsurface under the corners of the wall's facets: of many only some, but always the outermost ones.
void span(const Body& body, WallSurface& w) {
    constexpr std::size_t most = 400;
    // Faces much larger than where they face each other do not stretch the wall: it spans what was seen, and a little more.
    Box3 seen;
    for (const FacePair& p : w.wall->pairs)
        for (const Vec3& q : p.seen) seen.extend(q);
    const double more = 0.25 * seen.sizes().norm() + 2 * w.thickest;
    seen.min().array() -= more, seen.max().array() += more;
    const auto take = [&](const Vec3& corner) {
        const Vec3 foot = w.chart.foot(corner);
        if (seen.contains(foot)) w.extent.push_back(foot);
    };
    for (const std::vector<int>* faces : {&w.tops, &w.bottoms})
        for (int f : *faces) {
            const Face& face = body.faces[ix(f)];
            const std::size_t step = std::max<std::size_t>(1, face.facet_count / most);
            std::array<int, 6> outermost{-1, -1, -1, -1, -1, -1};
            for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
                for (int c : body.facets[i].corners) {
                    const Vec3& p = body.points[ix(c)];
                    if ((i - face.first_facet) % step == 0) take(p);
                    if (step == 1 || !seen.contains(p)) continue;
                    for (int k = 0; k < 3; ++k) {
                        int &low = outermost[ix(2 * k)], &high = outermost[ix(2 * k + 1)];
                        if (low < 0 || p[k] < body.points[ix(low)][k]) low = c;
                        if (high < 0 || p[k] > body.points[ix(high)][k]) high = c;
                    }
                }
            for (int c : outermost)
                if (c >= 0) take(body.points[ix(c)]);
        }
    for (const Vec3& p : w.extent) w.box.extend(p);
    for (const FacePair& p : w.wall->pairs)
        for (const Vec3& q : p.seen) w.box.extend(q), w.extent.push_back(w.chart.foot(q));
}

// Does the wall go all the way round its surface?
bool goes_round(const WallSurface& w) {
    constexpr double beside_cut = 0.2;
    return std::any_of(w.extent.begin(), w.extent.end(), [&](const Vec3& p) { return w.chart.clear_of_cut(p) < beside_cut; });
}

bool has_loose_ends(const std::vector<Curve>& outline, double tol) {
    std::vector<Vec3> ends;
    for (const Curve& c : outline)
        if (!c.closed(tol)) ends.push_back(c.start()), ends.push_back(c.end());
    return std::any_of(ends.begin(), ends.end(), [&](const Vec3& p) {
        return std::count_if(ends.begin(), ends.end(), [&](const Vec3& q) { return (p - q).squaredNorm() <= tol * tol; }) < 2;
    });
}

// The body's faces on the wall's surface, round the wall and a little further. A tube runs into the node of a frame as far as the other
// tubes do, and leaks if what closes it there is left out.
std::vector<Curve> cut_round(const Body& body, const WallSurface& w, double tol) {
    constexpr double past = 4;  // thicknesses, that a wall may be carried on by to one that stands at an angle to it
    for (double margin = 1;; margin *= past) {
        Box3 range = w.box;
        range.min().array() -= margin * w.thickest, range.max().array() += margin * w.thickest;
        std::vector<Curve> out = cut_faces(body, w.chart, range, past * w.thickest, tol);
        if (range.contains(body.box) || !has_loose_ends(out, 4 * tol) || !goes_round(w)) return out;
    }
}

// A pipe's spline is carried on straight past its ends: what is cut there is none of the wall's.
void drop_beyond_pipe(WallSurface& w) {
    const auto* free = std::get_if<FreeSurface>(&w.chart.surface());
    if (!free || !free->pipe) return;
    constexpr double off = 0.02;  // of the radius
    const Pipe& pipe = *free->pipe;
    std::erase_if(w.outline, [&](const Curve& c) {
        const auto points = c.sampled(0.02 * c.length(), 8);
        return std::any_of(points.begin(), points.end(),
                           [&](const Vec3& p) { return std::abs((p - pipe.spine.point(pipe.spine.nearest(p))).norm() - pipe.radius) > off * pipe.radius; });
    });
}

}  // namespace

WallSurface make_wall_surface(const Body& body, const BodyBoxes& boxes, const Wall& wall, bool turn, double tol, double chord) {
    WallSurface w;
    w.wall = &wall;
    w.chart = turn ? wall.chart.turned_over() : wall.chart;
    if (wall.alone > 0) {
        add_alone(body, w, chord, tol);
        return w;
    }
    add_pieces(body, w, chord);
    w.field.ridge = wall.ridge;
    if (!wall.ridge) make_uniform(w, tol);
    if (w.chart.flat()) {
        PlaneSection section = cut(body, w.chart.plane(), tol, &boxes);
        w.material = section_polygons(section, w.chart.plane(), chord);
        for (const auto& loop : section.loops) {
            auto& chain = w.loops.emplace_back();
            for (const SectionPiece& s : loop) {
                w.outline.push_back(s.curve), chain.push_back(s.curve);
                w.box.extend(s.curve.box());
            }
        }
        if (w.box.isEmpty()) return w;
        for (const auto& c : w.outline)
            for (const Vec3& p : c.sampled(0.02 * c.length(), 12)) w.extent.push_back(p);
        return w;
    }
    span(body, w);
    w.outline = cut_round(body, w, tol);
    drop_beyond_pipe(w);
    if (wall.half) {
        // Nothing of the other half, where the chart is stretched; it shares the great circle between them.
        const auto beyond = [&](const Vec3& p) { return wall.half->height(p) < -w.thickest; };
        std::erase_if(w.outline, [&](const Curve& c) { return beyond(c.start()) && beyond(c.middle()) && beyond(c.end()); });
        std::erase_if(w.extent, [&](const Vec3& p) { return wall.half->height(p) < -0.5 * w.thickest; });
        w.box = Box3();
        for (const Vec3& p : w.extent) w.box.extend(p);
    }
    return w;
}

namespace {

// Between the round and the ridge opposite to it, no further than where the bend touches the walls' midsurfaces: past that it leaves one
// side of the ridge. Where the round's middle is the sharp edge itself, what a ray hits there is chance.
bool over_ridge(const Body& body, const WallSurface& w, const Vec3& p, const Vec3& n) {
    constexpr double touching = 1e-6;
    const auto spine = spine_point(w.chart.surface(), p);
    if (!spine) return false;
    const bool up = n.dot(*spine - p) > 0;
    const Vec3 inward = up ? n : Vec3(-n);
    for (std::size_t k = 0; k < w.field.pieces.size(); ++k) {
        const Vec3 out = (up ? w.field.pieces[k].top : w.field.pieces[k].bottom).foot(p).normal;
        if (inward.dot(body.faces[ix(up ? w.tops[k] : w.bottoms[k])].reversed ? Vec3(-out) : out) < -touching) return false;
    }
    const auto round = body.tree->shoot(p, -inward, 0), ridge = body.tree->shoot(p, inward, 0);
    const std::vector<int>& outside = up ? w.bottoms : w.tops;
    if (!round || !ridge || std::find(outside.begin(), outside.end(), body.facets[ix(round->facet)].face) == outside.end()) return false;
    const auto sides = w.field.sides(w.chart, w.chart.local2(p));
    const double inside = up ? sides.up : sides.down;
    return ridge->distance >= 0.9 * inside && !body.tree->encloses(p + 1.1 * inside * inward);
}

}  // namespace

bool supported(const Body& body, const WallSurface& w, const Vec3& p) {
    if (w.wall->alone > 0) return in_material(body, w, p);
    if (w.wall->half && w.wall->half->height(p) < 0) return false;
    if (w.chart.flat()) {
        const Vec2 q = w.chart.local2(p);
        return std::any_of(w.supports.begin(), w.supports.end(), [&](const WallSurface::Support& s) { return s.top.inside(q) && s.bottom.inside(q); });
    }
    const Vec3 n = w.chart.normal(p);
    if (w.field.ridge) return over_ridge(body, w, p, n);
    const double most = 1.5 * w.thickest;
    const auto up = body.tree->shoot(p, n, 0, most);
    const auto down = up ? body.tree->shoot(p, -n, 0, most - up->distance) : std::nullopt;
    if (!down) return false;
    const auto on = [&](const std::vector<int>& faces, int facet) { return std::find(faces.begin(), faces.end(), body.facets[ix(facet)].face) != faces.end(); };
    return on(w.tops, up->facet) && on(w.bottoms, down->facet);
}

bool in_material(const Body& body, const WallSurface& w, const Vec3& p) {
    if (w.wall->alone > 0 && !w.chart.flat()) {
        const auto copies = w.chart.copies(w.chart.local2(p));
        return std::any_of(copies.begin(), copies.end(), [&](const Vec2& q) { return w.material.inside(q); });
    }
    return w.chart.flat() ? w.material.inside(w.chart.local2(p)) : body.tree->encloses(p);
}

}  // namespace halvo
