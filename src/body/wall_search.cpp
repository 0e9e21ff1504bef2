#include "body/wall_search.hpp"

#include "body/bends.hpp"
#include "body/chart_middle.hpp"
#include "body/corner_patches.hpp"
#include "body/merge_steps.hpp"
#include "body/mid_surface.hpp"
#include "core/index.hpp"
#include "geom/spread.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double own_share = 0.3;   // a curved pair takes at least this share of one of its faces, or it is a rounded rim's or a sliver
constexpr double fit_share = 1e-4;  // fitted midsurfaces keep to equal distance within this share of the thickness

bool is_plane(const Body& body, int f) {
    return std::holds_alternative<PlaneSurface>(body.faces[ix(f)].surface);
}

struct Candidate {
    FacePair pair;
    Surface mid;
    double fit_error = 0;
    bool thin = false;  // by the width of the smooth group it belongs to
    bool named = false;
    bool bend = false;
};

// Pairs of probes by their faces; `side` 0 holds rays from the face with the smaller number.
using Table = std::map<std::pair<int, int>, std::array<std::vector<const Probe*>, 2>>;

Table pair_table(const std::vector<Probe>& probes, double draft) {
    Table table;
    for (const Probe& p : probes)
        if (p.opposite >= 0 && p.facing >= std::cos(draft) && p.face != p.opposite)
            table[std::minmax(p.face, p.opposite)][p.face < p.opposite ? 0 : 1].push_back(&p);
    return table;
}

FacePair measured(int top, int bottom, const std::vector<const Probe*>& side) {
    FacePair p;
    p.top = top, p.bottom = bottom;
    p.thinnest = std::numeric_limits<double>::max();
    std::vector<Vec3> points;
    for (const Probe* q : side) {
        p.area += q->weight;
        p.thickness += q->distance * q->weight;
        p.thinnest = std::min(p.thinnest, q->distance), p.thickest = std::max(p.thickest, q->distance);
        points.push_back(q->point);
        p.seen.push_back(q->point - 0.5 * q->distance * q->normal);
    }
    p.thickness /= p.area;
    p.width = p.area / std::max(spread(points), 1e-12);
    return p;
}

class Finder {
public:
    Finder(const Body& body, const Skin& skin, const WallLimits& limits, double tol, const std::vector<NamedFaces>& named)
        : body_(body), skin_(skin), limits_(limits), tol_(tol), named_(named) {
        // Rims are cut, not halved: how well they are fitted tells nothing of the walls.
        if (body.faceted)
            for (const SkinPair& q : skin.pairs)
                if (q.wall) slack_ = std::max({slack_, 4 * body.faces[ix(q.a)].fit_error, 4 * body.faces[ix(q.b)].fit_error});
    }

    WallSearch run() {
        WallSearch out;
        out.slack = slack_;
        std::vector<Candidate> all = candidates();
        // Larger pairs first, so that each group's surface comes from its largest pair.
        // Equal areas are measured by probes: what rounding says of them must not decide.
        const auto steps = [](double x, double n) { return std::llround(n * std::log(std::max(x, 1e-300))); };
        std::stable_sort(all.begin(), all.end(), [&](const Candidate& a, const Candidate& b) {
            const auto rank = [&](const FacePair& p) { return std::tuple(-steps(p.area, 30), -steps(p.thickness, 1e5), -p.area); };
            return rank(a.pair) < rank(b.pair);
        });
        std::vector<Wall> walls;
        std::vector<bool> thin;
        for (Candidate& c : all) add(walls, thin, std::move(c));
        if (limits_.merge_steps)
            merge_steps(
                body_, skin_, [this](double t) { return like_tol(t); }, walls, thin);
        settle_bends(walls, thin);
        for (std::size_t i = 0; i < walls.size(); ++i) {
            Wall& w = walls[i];
            if (w.pairs.empty() || (w.thickness > limits_.slimness * w.width && !thin[i])) continue;
            const bool out_of_range = !w.named && (w.thickest > limits_.thickest * (1 + 1e-9) || w.thinnest < limits_.thinnest * (1 - 1e-9));
            (out_of_range ? out.outside : out.walls).push_back(std::move(w));
        }
        for (const NamedFaces& n : named_)
            if (n.b < 0 && !n.refuse) out.walls.push_back(alone(n));
        for (Wall& w : out.walls) centre_chart(body_, w);
        for (std::size_t i = 0, n = out.walls.size(); i < n; ++i) split_ball(out.walls, i);
        return out;
    }

private:
    // A face that looks at another, with its probes.
    struct Piece {
        int near, far;
        const std::vector<const Probe*>* side;
        bool wall;
    };

    std::vector<Candidate> candidates() {
        std::map<std::pair<int, int>, bool> thin;
        for (const SkinPair& q : skin_.pairs) thin[{q.a, q.b}] = q.wall;
        const auto table = pair_table(skin_.probes, limits_.draft);
        surfaces_ = free_surfaces();
        std::vector<Piece> pieces;
        for (const auto& [faces, seen] : table) {
            // The side with finer probes tells more; both sides see the same area. Of free surfaces always the same one, for all pieces.
            const auto weight = [](const std::vector<const Probe*>& v) { return v.empty() ? 1e300 : v[0]->weight; };
            const int a = surfaces_[ix(faces.first)], b = surfaces_[ix(faces.second)];
            const bool free = a >= 0 && b >= 0 && a != b && seen[a < b ? 0 : 1].size() >= 2;
            const bool first = free ? a < b : weight(seen[0]) <= weight(seen[1]);
            const auto& side = first ? seen[0] : seen[1];
            if (side.size() < 2 || is_named(faces.first, faces.second)) continue;
            const auto known = thin.find(faces);
            const bool wall = known != thin.end() && known->second, flat = is_plane(body_, faces.first) && is_plane(body_, faces.second);
            if (!flat && (!wall || !own(faces.first, faces.second, seen))) continue;
            pieces.push_back({first ? faces.first : faces.second, first ? faces.second : faces.first, &side, wall});
            if (free) pieces_[{surfaces_[ix(pieces.back().near)], surfaces_[ix(pieces.back().far)]}].push_back(pieces.back());
        }
        std::vector<Candidate> out;
        for (const Piece& p : pieces) {
            Candidate c;
            c.pair = measured(std::min(p.near, p.far), std::max(p.near, p.far), *p.side);
            c.thin = p.wall;
            if (find_mid(c, p.near, p.far, *p.side)) out.push_back(std::move(c));
        }
        for (const NamedFaces& n : named_)
            if (n.b >= 0 && !n.refuse)
                if (auto c = by_name(n)) out.push_back(std::move(*c));
        return out;
    }

    // The number of the first face with the same spline; -1 for those with another kind of surface.
    std::vector<int> free_surfaces() const {
        std::vector<int> out(body_.faces.size(), -1);
        std::map<std::array<double, 7>, std::vector<int>> known;
        for (std::size_t f = 0; f < out.size(); ++f) {
            const auto* free = std::get_if<FreeSurface>(&body_.faces[f].surface);
            if (!free || !free->spline) continue;
            const NurbsSurface& s = *free->spline;
            const Vec3 &p = s.poles.front(), &q = s.poles.back();
            auto& like = known[{static_cast<double>(s.poles.size()), p.x(), p.y(), p.z(), q.x(), q.y(), q.z()}];
            const auto same = std::find_if(like.begin(), like.end(), [&](int g) {
                const NurbsSurface& t = *std::get<FreeSurface>(body_.faces[ix(g)].surface).spline;
                return t.poles == s.poles && t.weights == s.weights && t.knots_u == s.knots_u && t.knots_v == s.knots_v;
            });
            out[f] = same != like.end() ? *same : static_cast<int>(f);
            if (same == like.end()) like.push_back(static_cast<int>(f));
        }
        return out;
    }

    bool is_named(int a, int b) const {
        return std::any_of(named_.begin(), named_.end(), [&](const NamedFaces& n) { return std::minmax(n.a, n.b) == std::minmax(a, b); });
    }

    // Two faces the plan names as opposed: what the rays saw of them, or else where the one's facets have their feet on the other.
    std::optional<Candidate> by_name(const NamedFaces& n) {
        const BaseSurface other(body_.faces[ix(n.b)].surface);
        std::vector<Probe> own;
        std::vector<const Probe*> seen;
        for (const Probe& p : skin_.probes)
            if (p.face == n.a && p.opposite == n.b) seen.push_back(&p);
        if (seen.size() < 2) {
            const Face& face = body_.faces[ix(n.a)];
            for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
                Probe p;
                p.face = n.a, p.opposite = n.b, p.weight = body_.facet_area(i);
                for (int c : body_.facets[i].corners) p.point += body_.points[ix(c)] / 3;
                const SkinPoint on = body_.on_skin(i, p.point);
                p.point = on.point, p.normal = on.normal;
                p.distance = (other.foot(p.point).point - p.point).norm();
                own.push_back(p);
            }
            seen.clear();
            for (const Probe& p : own) seen.push_back(&p);
        }
        Candidate c;
        c.pair = measured(n.a, n.b, seen);
        c.thin = c.named = true;
        const bool found = !seen.empty() && find_mid(c, n.a, n.b, seen);
        if (!found && n.attempt) return std::nullopt;
        if (!found)
            throw Error(ErrorKind::input,
                        fmt::format("{}: faces {} and {} have no surface half-way between them that Halvo can make; take one alone with a thickness",
                                    body_.label, n.a + 1, n.b + 1));
        return c;
    }

    // A sphere's chart is singular opposite to its middle: what reaches far round is halved along a great circle.
    void split_ball(std::vector<Wall>& walls, std::size_t i) const {
        constexpr double far_round = -0.34;  // cosine: 110 degrees from the middle
        const auto* ball = std::get_if<SphereSurface>(&walls[i].chart.surface());
        if (!ball) return;
        const Vec3 centre = ball->frame.origin, way = (walls[i].chart.plane().origin - centre).normalized();
        bool round = false;
        for (const FacePair& p : walls[i].pairs)
            for (const Vec3& q : p.seen) round = round || (q - centre).normalized().dot(way) < far_round;
        if (!round) return;
        Wall other = walls[i];
        other.chart = Chart(other.chart.surface(), centre - ball->radius * way, other.chart.reversed());
        walls[i].half = Plane::through(centre, way), other.half = Plane::through(centre, -way);
        walls[i].twin = static_cast<int>(walls.size()), other.twin = static_cast<int>(i);
        walls.push_back(std::move(other));
    }

    // One face with a thickness of its own.
    Wall alone(const NamedFaces& n) const {
        const Face& face = body_.faces[ix(n.a)];
        Wall w;
        FacePair p;
        p.top = p.bottom = n.a;
        p.area = w.area = face.area, p.width = w.width = std::sqrt(face.area);
        p.thickness = p.thinnest = p.thickest = w.thickness = w.thinnest = w.thickest = w.alone = n.thickness;
        OpposedSurfaces o;
        o.a = o.b = face.surface, o.a_reversed = o.b_reversed = face.reversed, o.thickness = -2 * n.offset;
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            Vec3 middle = Vec3::Zero();
            for (int c : body_.facets[i].corners) middle += body_.points[ix(c)] / 3, o.around.push_back(body_.points[ix(c)]);
            const SkinPoint on = body_.on_skin(i, middle);
            o.seen.push_back(on.point);
            p.seen.push_back(on.point + n.offset * on.normal);
        }
        const auto mid = n.offset == 0 ? MidSurface{face.surface, 0} : mid_surface(o, tol_, std::max(fit_share * n.thickness, tol_), MidMethod::offset);
        const auto* free = std::get_if<FreeSurface>(&face.surface);
        if (!mid || p.seen.empty() || (free && !free->spline))
            throw Error(ErrorKind::input, fmt::format("{}: face {} has no surface at {:g} mm from it", body_.label, n.a + 1, n.offset));
        w.chart = Chart(mid->surface, chart_middle(mid->surface, p.seen), face.reversed);
        w.fit_error = mid->error, w.named = true;
        w.pairs.push_back(std::move(p));
        return w;
    }

    // Rounds between walls get the midsurface that touches the walls' own.
    void settle_bends(std::vector<Wall>& walls, std::vector<bool>& thin) const {
        for (const Bend& b : find_bends(body_, skin_, walls, tol_)) {
            if (is_named(b.a, b.b)) continue;
            const auto of_bend = [&](const FacePair& p) {
                const auto in = [&](int f) { return f == b.b || std::find(b.ridge.begin(), b.ridge.end(), f) != b.ridge.end(); };
                return (p.top == b.a && in(p.bottom)) || (p.bottom == b.a && in(p.top));
            };
            for (Wall& w : walls)
                if (!w.named) std::erase_if(w.pairs, of_bend);
            if (!b.ridge.empty()) {
                add_ridge(walls, thin, b);
                continue;
            }
            const bool first = b.seen[0]->face == b.a;
            add(walls, thin, {measured(first ? b.a : b.b, first ? b.b : b.a, b.seen), b.mid, b.error, true, false, true});
        }
        drop_transitions(walls);
        fit_into_corners(body_, skin_, walls);
    }

    // A round over a sharp inner edge: one wall, with a pair for each face of the ridge.
    void add_ridge(std::vector<Wall>& walls, std::vector<bool>& thin, const Bend& b) const {
        std::vector<std::vector<const Probe*>> seen(b.ridge.size());
        for (const Probe* p : b.seen) seen[static_cast<std::size_t>(std::find(b.ridge.begin(), b.ridge.end(), p->opposite) - b.ridge.begin())].push_back(p);
        std::vector<Vec3> points;
        for (const Probe* p : b.seen) points.push_back(p->point);
        Wall w;
        w.chart = Chart(b.mid, chart_middle(b.mid, points));
        w.fit_error = b.error, w.bend = w.ridge = true;
        w.thinnest = std::numeric_limits<double>::max();
        for (std::size_t k = 0; k < b.ridge.size(); ++k) {
            FacePair p = measured(b.a, b.ridge[k], seen[k]);
            if (turned(body_, w.chart, p)) std::swap(p.top, p.bottom);
            w.thickness += p.thickness * p.area, w.area += p.area, w.width += p.width;
            w.thinnest = std::min(w.thinnest, p.thinnest), w.thickest = std::max(w.thickest, p.thickest);
            w.pairs.push_back(std::move(p));
        }
        w.thickness /= w.area;
        walls.push_back(std::move(w)), thin.push_back(true);
    }

    // Where rounds are no offsets of each other, the one looks over its border at the wall beside the other: a strip narrower than thick
    // between two walls that go on in each other, and part of both.
    void drop_transitions(std::vector<Wall>& walls) const {
        std::map<int, std::set<int>> opposed;
        for (const Wall& w : walls)
            for (const FacePair& p : w.pairs) opposed[p.top].insert(p.bottom), opposed[p.bottom].insert(p.top);
        const auto beside = [&](int a, int b) {  // does a neighbour of `a` oppose `b`, too?
            const auto& links = skin_.neighbours.of[ix(a)];
            return std::any_of(links.begin(), links.end(), [&](const auto& l) { return l.smooth && opposed[b].count(l.other) > 0; });
        };
        for (Wall& w : walls) {
            if (w.chart.flat() || w.named) continue;
            const bool all = std::all_of(w.pairs.begin(), w.pairs.end(), [&](const FacePair& p) {
                const bool unlike = body_.faces[ix(p.top)].surface.index() != body_.faces[ix(p.bottom)].surface.index();
                return unlike && p.width < p.thickness && beside(p.top, p.bottom) && beside(p.bottom, p.top);
            });
            if (all) w.pairs.clear();
        }
    }

    bool own(int a, int b, const std::array<std::vector<const Probe*>, 2>& seen) const {
        const auto share = [&](int f, const std::vector<const Probe*>& side) {
            double area = 0;
            for (const Probe* p : side) area += p->weight;
            return area / std::max(body_.faces[ix(f)].area, 1e-300);
        };
        return share(a, seen[0]) >= own_share || share(b, seen[1]) >= own_share;
    }

    // The surface half-way between two faces. Pieces of one wall whose sides lie on the same two free surfaces have one surface in common, fitted
    // over all of them.
    bool find_mid(Candidate& c, int near, int far, const std::vector<const Probe*>& side) {
        OpposedSurfaces o;
        o.a = body_.faces[ix(near)].surface, o.b = body_.faces[ix(far)].surface;
        o.a_reversed = body_.faces[ix(near)].reversed, o.b_reversed = body_.faces[ix(far)].reversed;
        o.thickness = c.pair.thickness;
        const auto take = [&](int face, const std::vector<const Probe*>& probes) {
            for (const Probe* p : probes) o.seen.push_back(p->point);
            const auto corners = corners_near(face, probes);
            o.around.insert(o.around.end(), corners.begin(), corners.end());
        };
        take(near, side);
        const std::pair key(surfaces_[ix(near)], surfaces_[ix(far)]);
        const auto pieces = pieces_.find(key);
        const bool several = pieces != pieces_.end() && pieces->second.size() > 1;
        const auto known = several ? mid_of_.find(key) : mid_of_.end();
        if (several && known == mid_of_.end())
            for (const Piece& p : pieces->second)
                if (p.near != near || p.far != far) take(p.near, *p.side);
        const auto mid = known != mid_of_.end() ? known->second : mid_surface(o, like_tol(c.pair.thickness), std::max(fit_share * c.pair.thickness, tol_));
        if (several) mid_of_.try_emplace(key, mid);
        if (mid) c.mid = mid->surface, c.fit_error = mid->error;
        return mid.has_value();
    }

    // Corners of the face's facets where it looks at the other, and up to the spacing of the probes beyond.
    std::vector<Vec3> corners_near(int f, const std::vector<const Probe*>& side) const {
        Box3 box;
        double spacing = 0;
        for (const Probe* p : side) box.extend(p->point), spacing = std::max(spacing, 2 * std::sqrt(p->weight));
        box.min().array() -= spacing, box.max().array() += spacing;
        std::vector<Vec3> out;
        const Face& face = body_.faces[ix(f)];
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
            for (int c : body_.facets[i].corners)
                if (box.contains(body_.points[ix(c)])) out.push_back(body_.points[ix(c)]);
        return out;
    }

    // How far axes and middles may be apart to count as one.
    double like_tol(double thickness) const { return std::max({10 * tol_, 5e-4 * thickness, slack_ > 0 ? slack_ + 0.02 * thickness : 0}); }

    void add(std::vector<Wall>& walls, std::vector<bool>& thin, Candidate c) const {
        FacePair& p = c.pair;
        std::size_t found = walls.size();
        double reach = p.thickness;
        for (const Vec3& q : p.seen) reach = std::max(reach, (q - p.seen[0]).norm());
        for (std::size_t i = 0; i < walls.size() && found == walls.size(); ++i) {
            const double ratio = p.thickness / walls[i].thickness;
            if (ratio < 0.6 || ratio > 1.7) continue;
            if (same_mid(walls[i], c, reach)) found = i;
        }
        if (found == walls.size()) {
            Wall w;
            w.chart = Chart(c.mid, chart_middle(c.mid, p.seen));
            if (turned(body_, w.chart, p)) w.chart = w.chart.turned_over();
            w.thickness = p.thickness, w.thinnest = p.thinnest, w.fit_error = c.fit_error;
            walls.push_back(std::move(w));
            thin.push_back(false);
        } else if (turned(body_, walls[found].chart, p)) {
            std::swap(p.top, p.bottom);
        }
        Wall& w = walls[found];
        w.thickness = (w.thickness * w.area + p.thickness * p.area) / (w.area + p.area);
        w.area += p.area;
        w.width = std::max(w.width, p.width);
        w.thinnest = std::min(w.thinnest, p.thinnest), w.thickest = std::max(w.thickest, p.thickest);
        w.named = w.named || c.named, w.bend = w.bend || c.bend;
        thin[found] = thin[found] || c.thin;
        w.pairs.push_back(std::move(p));
    }

    bool same_mid(const Wall& w, const Candidate& c, double reach) const {
        const auto* plane = std::get_if<PlaneSurface>(&c.mid);
        if (!plane || !w.chart.flat()) return same_surface(w.chart.surface(), c.mid, c.pair.seen[0], reach, like_tol(c.pair.thickness));
        // Planes are one when their angle is rounding, however far apart the pieces are.
        constexpr double same_plane_angle = 1e-5;
        const double angle = slack_ > 0 ? like_tol(c.pair.thickness) / reach : same_plane_angle;
        const Vec3 on_mid = c.pair.seen[0] - plane->frame.height(c.pair.seen[0]) * plane->frame.z;
        return w.chart.plane().z.cross(plane->frame.z).norm() <= angle && std::abs(w.chart.height(on_mid)) <= like_tol(c.pair.thickness);
    }

    const Body& body_;
    const Skin& skin_;
    const WallLimits& limits_;
    double tol_, slack_ = 0;
    const std::vector<NamedFaces>& named_;
    std::vector<int> surfaces_;                                 // free ones, of each face
    std::map<std::pair<int, int>, std::vector<Piece>> pieces_;  // by the surfaces of both sides
    std::map<std::pair<int, int>, std::optional<MidSurface>> mid_of_;
};

}  // namespace

WallSearch find_walls(const Body& body, const Skin& skin, const WallLimits& limits, double tol, const std::vector<NamedFaces>& named) {
    return Finder(body, skin, limits, tol, named).run();
}

bool remake_mid(const Body& body, Wall& wall, MidMethod method, double tol) {
    if (wall.alone > 0) return true;
    const FacePair* lead = &wall.pairs[0];
    for (const FacePair& p : wall.pairs)
        if (p.area > lead->area) lead = &p;
    const bool top = body.faces[ix(lead->top)].area >= body.faces[ix(lead->bottom)].area;
    const Face &a = body.faces[ix(top ? lead->top : lead->bottom)], &b = body.faces[ix(top ? lead->bottom : lead->top)];
    OpposedSurfaces o;
    o.a = a.surface, o.b = b.surface, o.a_reversed = a.reversed, o.b_reversed = b.reversed;
    o.thickness = lead->thickness;
    const BaseSurface on(a.surface);
    for (const Vec3& p : lead->seen) o.seen.push_back(on.foot(p).point);
    for (std::size_t i = a.first_facet; i < a.first_facet + a.facet_count; ++i)
        for (int c : body.facets[i].corners) o.around.push_back(body.points[ix(c)]);
    const auto mid = mid_surface(o, std::max(10 * tol, 1e-5 * lead->thickness), std::max(fit_share * lead->thickness, tol), method);
    if (!mid) return false;
    const Vec3 at = wall.chart.foot(lead->seen[0]), n = wall.chart.normal(at);
    wall.chart = Chart(mid->surface, chart_middle(mid->surface, lead->seen));
    if (wall.chart.normal(at).dot(n) < 0) wall.chart = wall.chart.turned_over();
    wall.fit_error = mid->error;
    return true;
}

}  // namespace halvo
