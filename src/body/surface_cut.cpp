#include "body/surface_cut.hpp"

#include "core/index.hpp"
#include "geom/facet_tree.hpp"
#include "geom/heights.hpp"
#include "geom/rounds.hpp"
#include "geom/trace.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <optional>
#include <set>
#include <utility>

namespace halvo {
namespace {

FootOn foot_on(const Chart& chart) {
    return [&chart](const Vec3& p) { return chart.on(p); };
}

// Of a corner made between two others: the edge of a facet that it lies on, or -1 twice inside a facet.
using OnEdge = std::pair<int, int>;

// The edge of a facet between two places, each a corner (twice its number) or on such an edge.
OnEdge common_edge(const OnEdge& a, const OnEdge& b) {
    const bool corner_a = a.first == a.second, corner_b = b.first == b.second;
    if (a.first < 0 || b.first < 0) return {-1, -1};
    if (corner_a && corner_b) return std::minmax(a.first, b.first);
    if (corner_a) return a.first == b.first || a.first == b.second ? b : OnEdge(-1, -1);
    if (corner_b) return b.first == a.first || b.first == a.second ? a : OnEdge(-1, -1);
    return a == b ? a : OnEdge(-1, -1);
}

void cut_triangle(const std::array<int, 3>& t, const std::array<int, 3>& m, std::vector<std::array<int, 3>>& out) {
    const auto halved = std::count_if(m.begin(), m.end(), [](int i) { return i >= 0; });
    if (halved == 0) return out.push_back(t);
    if (halved == 3) {
        for (std::size_t k = 0; k < 3; ++k) out.push_back({t[k], m[k], m[(k + 2) % 3]});
        return out.push_back(m);
    }
    // From the first halved side after one that is not.
    std::size_t k = 0;
    while (m[k] < 0 || m[(k + 2) % 3] >= 0) ++k;
    const int a = t[k], b = t[(k + 1) % 3], c = t[(k + 2) % 3];
    if (halved == 1) {
        out.push_back({a, m[k], c}), out.push_back({m[k], b, c});
        return;
    }
    const int next = m[(k + 1) % 3];
    out.push_back({a, m[k], next}), out.push_back({m[k], b, next}), out.push_back({a, next, c});
}

// Halves the sides that are to be; false where there are none.
template <class Wanted>
bool halve_sides(TracePatch& patch, std::vector<OnEdge>& global, const Wanted& wanted) {
    std::map<std::array<int, 2>, int> middle;
    const auto half = [&](int a, int b) {
        const std::array<int, 2> side{std::min(a, b), std::max(a, b)};
        if (const auto it = middle.find(side); it != middle.end()) return it->second;
        if (!wanted(a, b)) return middle[side] = -1;
        const Vec3 m = 0.5 * (patch.points[ix(a)] + patch.points[ix(b)]);
        const OnEdge on = common_edge(global[ix(a)], global[ix(b)]);
        patch.points.push_back(m), global.push_back(on);
        return middle[side] = static_cast<int>(patch.points.size()) - 1;
    };
    bool any = false;
    std::vector<std::array<int, 3>> out;
    for (const auto& t : patch.triangles) {
        const std::array<int, 3> m{half(t[0], t[1]), half(t[1], t[2]), half(t[2], t[0])};
        any = any || std::any_of(m.begin(), m.end(), [](int i) { return i >= 0; });
        cut_triangle(t, m, out);
    }
    patch.triangles = std::move(out);
    return any;
}

// Halves the sides longer than `most`, across `axis` where one is given, of those triangles that are meant; false where there are none.
template <class Meant>
bool halve_long(TracePatch& patch, std::vector<OnEdge>& global, double most, const Meant& meant, const Vec3& axis = Vec3::Zero()) {
    std::set<std::array<int, 2>> sides;
    for (const auto& t : patch.triangles)
        if (meant(t))
            for (std::size_t k = 0; k < 3; ++k) sides.insert({std::min(t[k], t[(k + 1) % 3]), std::max(t[k], t[(k + 1) % 3])});
    return halve_sides(patch, global, [&](int a, int b) {
        const Vec3 d = patch.points[ix(a)] - patch.points[ix(b)];
        return (d - d.dot(axis) * axis).norm() > most && sides.count({std::min(a, b), std::max(a, b)}) > 0;
    });
}

class FaceCutter {
public:
    FaceCutter(const Body& body, const Chart& chart, const Box3& range, double reach, double tol)
        : body_(body), chart_(chart), range_(range), wide_(range), reach_(reach), tol_(tol) {
        wide_.min().array() -= reach, wide_.max().array() += reach;
    }

    std::vector<Curve> run() {
        std::map<int, std::vector<int>> of_face;
        for (int i : body_.tree->touching(range_)) of_face[body_.facets[ix(i)].face].push_back(i);
        std::vector<Curve> out;
        for (const auto& [f, facets] : of_face) take_edges_on_chart(body_.faces[ix(f)]);
        for (const auto& [e, curve] : on_chart_) out.push_back(curve);
        for (const auto& [f, facets] : of_face) cut_face(f, facets, out);
        return out;
    }

private:
    // Edges that lie on the surface are where it cuts their faces: facets cannot tell on which side of it their corners are there.
    void take_edges_on_chart(const Face& face) {
        for (const auto& loop : face.loops)
            for (const Coedge& use : loop) {
                const BodyEdge& e = body_.edges[use.edge.index()];
                if (e.degenerate || seen_.count(use.edge.value) || !e.curve.box().intersects(range_)) continue;
                seen_.insert(use.edge.value);
                const auto on = [&](double s) { return std::abs(chart_.height(e.curve.point(e.curve.t0 + s * (e.curve.t1 - e.curve.t0)))) <= 10 * tol_; };
                if (std::all_of(along.begin(), along.end(), on) && e.curve.length() > 2 * tol_) on_chart_.emplace(use.edge.value, e.curve);
            }
    }

    [[nodiscard]] bool runs_along_edge(const Curve& c) const {
        return std::any_of(on_chart_.begin(), on_chart_.end(), [&](const auto& e) {
            return std::all_of(shares.begin() + 1, shares.end() - 1, [&](double s) {
                const Vec3 p = c.point(c.t0 + s * (c.t1 - c.t0));
                return (e.second.point(e.second.nearest(p)) - p).norm() <= 100 * tol_;
            });
        });
    }
    static constexpr std::array<double, 7> along{0, 0.13, 0.31, 0.5, 0.69, 0.87, 1};

    void cut_face(int f, const std::vector<int>& facets, std::vector<Curve>& out) {
        auto found = cut_face(f, facets, false);
        if (!found) {
            if (!spline_) spline_ = BaseSurface(chart_.surface()), sample_border();
            found = cut_face(f, facets, true);
        }
        out.insert(out.end(), found->begin(), found->end());
    }

    // A curve that the facets tell of but that does not lie on the chart is left out. On a spline nothing comes back then, unless the face was
    // looked at `closely`.
    std::optional<std::vector<Curve>> cut_face(int f, const std::vector<int>& facets, bool closely) {
        TracePatch patch;
        std::map<int, int> number;
        std::vector<OnEdge> global;
        for (int i : facets) {
            std::array<int, 3> t{};
            for (std::size_t k = 0; k < 3; ++k) {
                const int p = body_.facets[ix(i)].corners[k];
                const auto [it, fresh] = number.try_emplace(p, static_cast<int>(patch.points.size()));
                if (fresh) patch.points.push_back(body_.points[ix(p)]), global.emplace_back(p, p);
                t[k] = it->second;
            }
            patch.triangles.push_back(t);
        }
        refine(patch, global);
        refine_where_passed_twice(body_.faces[ix(f)].surface, patch, global);
        if (closely) refine_beside_border(patch, global);
        std::erase_if(patch.triangles, [&](const auto& t) { return !in_range(patch, t); });
        part_at_ends(patch, global);
        patch.heights = heights_near_zero(patch.points, patch.triangles, [&](const Vec3& p) { return chart_.height(p); });
        const Face& face = body_.faces[ix(f)];
        const auto* free = std::get_if<FreeSurface>(&face.surface);
        std::vector<Curve> out;
        auto chains = zero_chains(patch, tol_);
        if (free && !free->spline) {
            for (ZeroChain& c : chains) {
                for (Vec3& p : c.points) p = chart_.foot(p);
                if (c.points.size() > 1) out.push_back(Curve::polyline(c.points));
            }
            return out;
        }
        const BaseSurface base(face.surface);
        const FootOn on_face = [&](const Vec3& p) { return base.foot(p); };
        for (ZeroChain& c : chains)
            for (std::size_t k = 0; k < c.points.size(); ++k) c.points[k] = between(patch, c.edges[k]);
        if (closely) chains = within_reach(chains);
        for (ZeroChain& c : chains) {
            if (!c.closed) {
                // Chains end at edges of the face, or where the facets looked at do.
                const auto end = [&](const std::array<int, 2>& e, Vec3& p) {
                    if (at_border(f, global, e)) p = on_edge(face, p, patch.points[ix(e[0])], patch.points[ix(e[1])]);
                    else if (const auto q = onto_both(on_face, foot_on(chart_), p)) p = *q;
                };
                end(c.edges.front(), c.points.front()), end(c.edges.back(), c.points.back());
            }
            auto curve = curve_on_both(on_face, foot_on(chart_), c.points, c.closed, tol_);
            const bool sound = curve && on_chart(*curve);
            if (!sound && !closely && on_spline()) return std::nullopt;
            if (sound && curve->length() > 2 * tol_ && !runs_along_edge(*curve)) out.push_back(std::move(*curve));
        }
        return out;
    }

    // A facet large against the surface's radius tells too little of where it passes: what came of it must lie there.
    bool on_chart(const Curve& c) const {
        const double much = std::max(100 * tol_, 1e-3 * c.length());
        return std::all_of(shares.begin(), shares.end(), [&](double s) { return std::abs(chart_.height(c.point(c.t0 + s * (c.t1 - c.t0)))) <= much; });
    }
    static constexpr std::array<double, 5> shares{0, 0.2, 0.5, 0.8, 1};

    [[nodiscard]] bool in_range(const TracePatch& patch, const std::array<int, 3>& t) const {
        Box3 box;
        for (int p : t) box.extend(patch.points[ix(p)]);
        return box.intersects(wide_);
    }

    // Facets long against the surface's radius would pass by where it crosses them: halved until they are not, whole ones, or what crosses
    // them would turn back at the range's border. Sides are halved by
    // their own length alone, so that neighbours stay neighbours. `global` keeps what each corner is: one of the body's, or on an edge.
    void refine(TracePatch& patch, std::vector<OnEdge>& global) {
        constexpr int rounds = 12;
        const auto r = spine_radius(chart_.surface());
        if (!r) return;
        const double most = 2 * *r;
        // Along a cylinder nothing turns.
        const auto* cylinder = std::get_if<CylinderSurface>(&chart_.surface());
        const Vec3 axis = cylinder ? cylinder->frame.z : Vec3(Vec3::Zero());
        for (int round = 0; round < rounds; ++round)
            if (!halve_long(
                    patch, global, most, [&](const auto& t) { return in_range(patch, t); }, axis))
                return;
    }

    // Both ends of a long facet's side, as those on planes and along cylinders are, may lie outside a round that passes through it in between.
    // Distance along a line is convex there.
    void refine_where_passed_twice(const Surface& face, TracePatch& patch, std::vector<OnEdge>& global) const {
        constexpr int rounds = 8, steps = 16;
        constexpr double golden = 0.381966, slight = 0.2;  // of how far in it is: what a chord may lie off its face
        if (!spine_radius(chart_.surface()) || std::holds_alternative<FreeSurface>(face)) return;
        const auto passed = [&](int a, int b) {
            const Vec3 &p = patch.points[ix(a)], &q = patch.points[ix(b)];
            const double u = chart_.height(p), v = chart_.height(q), sign = u < 0 ? -1 : 1;
            Box3 box(p, p);
            box.extend(q);
            if ((u < 0) != (v < 0) || std::abs(u) + std::abs(v) > (p - q).norm() || !box.intersects(wide_)) return false;
            const auto height = [&](double w) { return sign * chart_.height(p + w * (q - p)); };
            double low = 0, high = 1;
            for (int k = 0; k < steps; ++k) {
                const double x = low + golden * (high - low), y = high - golden * (high - low), hx = height(x), hy = height(y);
                if (std::min(hx, hy) < -10 * tol_) {
                    const Vec3 at = p + (hx < hy ? x : y) * (q - p);
                    const auto on = surface_foot(face, at);
                    return on && (*on - at).norm() <= std::max(10 * tol_, slight * -std::min(hx, hy));
                }
                (hx < hy ? high : low) = hx < hy ? y : x;
            }
            return false;
        };
        for (int round = 0; round < rounds; ++round)
            if (!halve_sides(patch, global, passed)) return;
    }

    [[nodiscard]] bool on_spline() const {
        const auto* free = std::get_if<FreeSurface>(&chart_.surface());
        return free && free->spline;
    }

    void sample_border() {
        constexpr int n = 32;
        const NurbsSurface& s = *std::get<FreeSurface>(chart_.surface()).spline;
        const Box2 d = s.domain();
        for (int k = 0; k <= n; ++k) {
            const Vec2 at = d.min() + (static_cast<double>(k) / n) * d.sizes();
            for (const Vec2& q : {Vec2(at.x(), d.min().y()), Vec2(at.x(), d.max().y()), Vec2(d.min().x(), at.y()), Vec2(d.max().x(), at.y())})
                border_.push_back(s.point(q));
        }
    }

    // Beside the border of a spline, past which it is carried on straight, large facets would tell little of where it leaves the face.
    void refine_beside_border(TracePatch& patch, std::vector<OnEdge>& global) {
        constexpr int rounds = 10;
        const auto beside = [&](const auto& t) {
            Box3 box;
            for (int p : t) box.extend(patch.points[ix(p)]);
            return box.sizes().norm() > reach_ && box.intersects(range_) &&
                   std::any_of(border_.begin(), border_.end(), [&](const Vec3& p) { return box.squaredExteriorDistance(p) <= reach_ * reach_; });
        };
        for (int round = 0; round < rounds; ++round)
            if (!halve_long(patch, global, reach_, beside)) return;
    }

    // How far past a spline's border the foot of a point is.
    [[nodiscard]] double past_border(const Vec3& p) const {
        const NurbsSurface& s = *std::get<FreeSurface>(spline_->surface()).spline;
        const Vec2 uv = spline_->parameters(p), in = s.clamped(uv);
        return uv == in ? 0 : (s.extended(uv).p - s.point(in)).norm();
    }

    // The parts of chains that lie on a spline or no further past its border than matters: beyond that, one that is bent back on itself is
    // carried on twice at one place.
    [[nodiscard]] std::vector<ZeroChain> within_reach(const std::vector<ZeroChain>& chains) const {
        std::vector<ZeroChain> out;
        for (const ZeroChain& c : chains) {
            std::vector<bool> in;
            for (const Vec3& p : c.points) in.push_back(past_border(p) <= 2 * reach_);
            if (std::all_of(in.begin(), in.end(), [](bool v) { return v; })) {
                out.push_back(c);
                continue;
            }
            // A closed one begins where it comes back within reach.
            std::size_t first = 0;
            if (c.closed)
                while (in[first] || !in[(first + 1) % in.size()]) {
                    if (++first == in.size()) break;
                }
            ZeroChain part;
            for (std::size_t k = 0; k <= in.size(); ++k) {
                const std::size_t i = (first + k) % in.size();
                if (k < in.size() && in[i]) part.points.push_back(c.points[i]), part.edges.push_back(c.edges[i]);
                else if (part.points.size() > 1) out.push_back(std::exchange(part, {}));
                else part = {};
            }
        }
        return out;
    }

    // A spline bent back on itself (the skin round a wing) is carried on past both of its ends. A facet's side that leads from beside the one
    // to beside the other may pass through both, and its ends tell nothing of that: halved where its middle lies on the other side.
    void part_at_ends(TracePatch& patch, std::vector<OnEdge>& global) {
        constexpr int rounds = 3;
        constexpr double far = 3;  // times the side's own length: its ends have their feet so far apart
        if (!std::holds_alternative<FreeSurface>(chart_.surface())) return;
        std::map<int, Vec2> feet;
        const auto foot = [&](int p) {
            const auto [it, fresh] = feet.try_emplace(p);
            if (fresh) it->second = chart_.local2(patch.points[ix(p)]);
            return it->second;
        };
        for (int round = 0; round < rounds; ++round)
            if (!halve_sides(patch, global, [&](int a, int b) {
                    const Vec3 &p = patch.points[ix(a)], &q = patch.points[ix(b)];
                    const double length = (p - q).norm();
                    if (!range_.contains(p) || !range_.contains(q) || length <= 100 * tol_ || (foot(a) - foot(b)).norm() < far * length) return false;
                    const double u = chart_.height(p), v = chart_.height(q), m = chart_.height(0.5 * (p + q));
                    return (u < 0) == (v < 0) && (m < 0) != (u < 0);
                }))
                return;
    }

    bool at_border(int f, const std::vector<OnEdge>& global, const std::array<int, 2>& e) {
        const auto [p, q] = common_edge(global[ix(e[0])], global[ix(e[1])]);
        return p >= 0 && at_border(f, p, q);
    }

    bool at_border(int f, int p, int q) {
        const auto [it, fresh] = uses_.try_emplace(f);
        auto& uses = it->second;
        const Face& face = body_.faces[ix(f)];
        if (fresh)
            for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
                for (std::size_t k = 0; k < 3; ++k) ++uses[std::minmax({body_.facets[i].corners[k], body_.facets[i].corners[(k + 1) % 3]})];
        return uses[std::minmax({p, q})] == 1;
    }

    // Where the surface passes through a straight line between two corners: next to small bends, far from what their heights say.
    Vec3 between(const TracePatch& patch, const std::array<int, 2>& e) const {
        const Vec3 &a = patch.points[ix(e[0])], &b = patch.points[ix(e[1])];
        return a + root([&](double w) { return chart_.height(a + w * (b - a)); }, 0, patch.heights[ix(e[0])], 1, patch.heights[ix(e[1])]) * (b - a);
    }

    // Zero between two places of unlike sign (the Illinois variant of the rule of false position: Dowell & Jarratt, BIT 11, 1971).
    template <class F>
    static double root(const F& f, double a, double fa, double b, double fb) {
        constexpr int most = 60;
        if ((fa < 0) == (fb < 0)) return std::abs(fa) < std::abs(fb) ? a : b;
        const double enough = 1e-13 * (std::abs(fa) + std::abs(fb));
        for (int i = 0; i < most && std::abs(b - a) > 1e-15 * (std::abs(a) + std::abs(b)); ++i) {
            const double c = (fa * b - fb * a) / (fa - fb), fc = f(c);
            if (std::abs(fc) <= enough) return c;
            if ((fc < 0) != (fb < 0)) a = b, fa = fb;
            else fa *= 0.5;
            b = c, fb = fc;
        }
        return b;
    }

    // The place where one of the face's edges passes through the surface, between two points of it that lie next to `p`.
    Vec3 on_edge(const Face& face, const Vec3& p, const Vec3& from, const Vec3& to) const {
        double best = std::numeric_limits<double>::max(), at = 0;
        const Curve* edge = nullptr;
        for (const auto& loop : face.loops)
            for (const Coedge& u : loop) {
                const BodyEdge& e = body_.edges[u.edge.index()];
                if (e.degenerate) continue;
                const double t = e.curve.nearest(p), d = (e.curve.point(t) - p).norm();
                if (d < best) best = d, at = t, edge = &e.curve;
            }
        if (!edge) return p;
        double u = edge->nearest(from), v = edge->nearest(to);
        // The closing point of a circle is the start as well as the end of it.
        if (edge->closed(tol_)) {
            const auto other_end = [&](double t) { return std::abs(t - at) > 0.5 * (edge->t1 - edge->t0) ? (t < at ? edge->t1 : edge->t0) : t; };
            u = other_end(u), v = other_end(v);
        }
        const auto height = [&](double t) { return chart_.height(edge->point(t)); };
        const double hu = height(u), hv = height(v);
        if ((hu < 0) == (hv < 0)) return edge->point(at);
        return edge->point(root(height, u, hu, v, hv));
    }

    const Body& body_;
    const Chart& chart_;
    Box3 range_, wide_;  // where facets are looked for; what of these is looked at
    double reach_, tol_;
    std::optional<BaseSurface> spline_;                       // once it is looked at closely
    std::map<int, Curve> on_chart_;                           // edges that lie on it, by their number
    std::set<int> seen_;                                      // edges that were looked at
    std::vector<Vec3> border_;                                // points of its own
    std::map<int, std::map<std::pair<int, int>, int>> uses_;  // by face: facets at each mesh edge
};

// Two cylinders of one radius whose axes meet cross in two plane ellipses, which touch where no tracing could part them.
std::vector<Curve> equal_cylinders(const Surface& a, const Surface& b, double tol) {
    const auto *p = std::get_if<CylinderSurface>(&a), *q = std::get_if<CylinderSurface>(&b);
    if (!p || !q || std::abs(p->radius - q->radius) > tol) return {};
    const Vec3 across = p->frame.z.cross(q->frame.z);
    const double sine = across.norm();
    if (sine < 0.01 || std::abs((q->frame.origin - p->frame.origin).dot(across / sine)) > tol) return {};
    // Where the axes meet: along p so far that what is left runs along q.
    const double along = (q->frame.origin - p->frame.origin).cross(q->frame.z).dot(across) / (sine * sine);
    const Vec3 centre = p->frame.origin + along * p->frame.z, minor = across / sine;
    std::vector<Curve> out;
    for (const double sign : {1.0, -1.0}) {
        // Both axes make the same angle with the major axis, which bisects them.
        const Vec3 major = (p->frame.z + sign * q->frame.z).normalized();
        const double half = std::sqrt(std::max(0.0, 1 - std::pow(major.dot(p->frame.z), 2)));
        out.push_back({EllipseCurve{{centre, major, minor, major.cross(minor)}, p->radius / half, p->radius}, 0, 2 * pi});
    }
    return out;
}

// A plane across a cylinder, or through a ball: the ellipse or circle they have in common.
std::optional<Curve> plane_section(const Surface& a, const Surface& b) {
    constexpr double flattest = 0.1;  // sine of the angle between plane and axis: an ellipse longer than that is no closed curve for us
    const auto* plane = std::get_if<PlaneSurface>(&a);
    const Surface& other = plane ? b : a;
    if (!plane) plane = std::get_if<PlaneSurface>(&b);
    if (!plane) return std::nullopt;
    const Vec3& n = plane->frame.z;
    if (const auto* k = std::get_if<SphereSurface>(&other)) {
        const double h = plane->frame.height(k->frame.origin), r2 = k->radius * k->radius - h * h;
        if (r2 <= 1e-6 * k->radius * k->radius) return std::nullopt;
        return Curve{CircleCurve{Frame::with_z(k->frame.origin - h * n, n), std::sqrt(r2)}, 0, 2 * pi};
    }
    const auto* k = std::get_if<CylinderSurface>(&other);
    const double sine = k ? n.dot(k->frame.z) : 0;
    if (std::abs(sine) < flattest) return std::nullopt;
    const Vec3 centre = k->frame.origin - plane->frame.height(k->frame.origin) / sine * k->frame.z;
    if (1 - std::abs(sine) < 1e-12) return Curve{CircleCurve{Frame::with_z(centre, n), k->radius}, 0, 2 * pi};
    const Vec3 minor = n.cross(k->frame.z).normalized(), major = minor.cross(n);
    return Curve{EllipseCurve{{centre, major, minor, n}, k->radius / std::abs(sine), k->radius}, 0, 2 * pi};
}

// Grid over the part of a chart that points span. Closed directions that are covered all round are closed in the grid too.
TracePatch grid_of(const Chart& a, const std::vector<Vec3>& corners, double margin, const Box3& range) {
    constexpr int least = 24, most = 160;
    Box2 extent;
    for (const Vec3& p : corners) extent.extend(a.grid(p));
    extent.min().array() -= margin, extent.max().array() += margin;
    const Vec2 period = a.grid_period();
    std::array<bool, 2> round{};
    for (int k = 0; k < 2; ++k)
        if (period[k] > 0 && extent.sizes()[k] >= 0.98 * period[k])
            round[static_cast<std::size_t>(k)] = true, extent.min()[k] = -0.5 * period[k], extent.max()[k] = 0.5 * period[k];
    const Vec2 size = extent.sizes();
    const double step = std::max(size.maxCoeff() / most, std::min(std::max(size.minCoeff(), 1e-12), size.maxCoeff()) / least);
    const int n = std::clamp(static_cast<int>(std::ceil(size.x() / step)), 3, most), m = std::clamp(static_cast<int>(std::ceil(size.y() / step)), 3, most);
    // Lines of symmetry are not to run along the grid's own.
    const Vec2 shift(round[0] ? 0.0137 * size.x() / n : 0, round[1] ? 0.0119 * size.y() / m : 0);
    TracePatch patch;
    for (int j = 0; j <= m; ++j)
        for (int i = 0; i <= n; ++i) {
            const Vec2 inner(!round[0] && i % n ? 0.0137 : 0, !round[1] && j % m ? 0.0119 : 0);
            patch.points.push_back(a.at_grid(extent.min() + shift + Vec2(size.x() * (i + inner.x()) / n, size.y() * (j + inner.y()) / m)));
        }
    Box3 wide = range;
    const double cell = 2 * std::max(size.x() / n, size.y() / m);
    wide.min().array() -= cell, wide.max().array() += cell;
    const auto number = [&](int i, int j) { return (round[1] ? j % m : j) * (n + 1) + (round[0] ? i % n : i); };
    for (int j = 0; j < m; ++j)
        for (int i = 0; i < n; ++i) {
            const std::array<int, 4> c{number(i, j), number(i + 1, j), number(i + 1, j + 1), number(i, j + 1)};
            if (std::none_of(c.begin(), c.end(), [&](int p) { return wide.contains(patch.points[ix(p)]); })) continue;
            patch.triangles.push_back({c[0], c[1], c[2]}), patch.triangles.push_back({c[0], c[2], c[3]});
        }
    return patch;
}

double longest_patch_side(const TracePatch& patch) {
    double out = 0;
    for (const auto& t : patch.triangles)
        for (std::size_t k = 0; k < 3; ++k) out = std::max(out, (patch.points[ix(t[k])] - patch.points[ix(t[(k + 1) % 3])]).norm());
    return out;
}

// A small tube may pass between the points of a grid: as no point is further from what it passes through than its height tells, cells that it
// may pass through are halved until they are small against it.
void refine_near(TracePatch& patch, const Chart& a, const Chart& b) {
    constexpr int rounds = 6;
    const auto r = spine_radius(b.surface());
    if (!r) return;
    const double finest = 0.5 * *r;
    std::vector<OnEdge> inside(patch.points.size(), {-1, -1});
    for (int round = 0; round < rounds; ++round) {
        const auto side = [&](int p, int q) { return (patch.points[ix(p)] - patch.points[ix(q)]).norm(); };
        const auto longest = [&](const auto& t) { return std::max({side(t[0], t[1]), side(t[1], t[2]), side(t[2], t[0])}); };
        if (std::all_of(patch.triangles.begin(), patch.triangles.end(), [&](const auto& t) { return longest(t) <= finest; })) return;
        const auto heights = heights_near_zero(patch.points, patch.triangles, [&](const Vec3& p) { return b.height(p); });
        const auto may_pass = [&](const auto& t) {
            const auto [low, high] = std::minmax({heights[ix(t[0])], heights[ix(t[1])], heights[ix(t[2])]});
            const double size = longest(t);
            return size > finest && low * high > 0 && std::min(std::abs(low), std::abs(high)) <= size;
        };
        const std::size_t before = patch.points.size();
        if (!halve_long(patch, inside, 0, may_pass)) return;
        for (std::size_t p = before; p < patch.points.size(); ++p) patch.points[p] = a.foot(patch.points[p]);
    }
}

}  // namespace

std::vector<Curve> cut_faces(const Body& body, const Chart& chart, const Box3& range, double reach, double tol) {
    return FaceCutter(body, chart, range, reach, tol).run();
}

std::vector<Curve> crossings(const Chart& a, const Chart& b, const Box3& range, const std::vector<Vec3>& corners, double margin, double tol) {
    std::vector<Curve> out;
    if (corners.empty()) return out;
    if (auto ellipses = equal_cylinders(a.surface(), b.surface(), tol); !ellipses.empty()) return ellipses;
    TracePatch patch = grid_of(a, corners, margin, range);
    if (patch.triangles.empty()) return out;
    // A small one might pass between the grid's points; of a large one, the far side is none of ours.
    const auto section = plane_section(a.surface(), b.surface());
    if (section && range.contains(section->box()) && section->box().sizes().norm() <= 8 * longest_patch_side(patch)) return {*section};
    refine_near(patch, a, b);
    patch.heights = heights_near_zero(patch.points, patch.triangles, [&](const Vec3& p) { return b.height(p); });
    const FootOn fa = foot_on(a), fb = foot_on(b);
    for (ZeroChain& c : zero_chains(patch, 0)) {
        if (!c.closed)
            for (Vec3* end : {&c.points.front(), &c.points.back()})
                if (const auto q = onto_both(fa, fb, *end)) *end = *q;
        if (auto curve = curve_on_both(fa, fb, c.points, c.closed, tol))
            if (curve->length() > 4 * tol) out.push_back(std::move(*curve));
    }
    return out;
}

}  // namespace halvo
