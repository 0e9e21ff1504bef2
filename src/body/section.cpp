#include "body/section.hpp"

#include "geom/outline.hpp"

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

struct Crossing {
    Vec3 point;
};

// A face's boundary passing through the plane: `down` when it leaves the upper side.
struct Passage {
    int crossing = -1;
    bool down = false;
};

struct Piece {
    Curve curve;
    int face = -1, start = -1, end = -1;
};

class Cutter {
public:
    Cutter(const Body& body, const Frame& frame, double tol, const BodyBoxes* boxes)
        : body_(body), frame_(frame), plane_(Plane::of(frame)), tol_(tol), boxes_(boxes) {}

    PlaneSection run() {
        of_edge_.resize(body_.edges.size());
        for (std::size_t i = 0; i < body_.edges.size(); ++i)
            if (!boxes_ || reaches(boxes_->edges[i])) cross_edge(i);
        for (std::size_t f = 0; f < body_.faces.size(); ++f)
            if (!boxes_ || reaches(boxes_->faces[f])) cross_face(static_cast<int>(f));
        return chain();
    }

private:
    // May the plane pass through the box?
    bool reaches(const Box3& b) const {
        if (b.isEmpty()) return false;
        return std::abs(plane_.height(b.center())) <= 0.5 * plane_.normal.cwiseAbs().dot(b.sizes()) + 10 * tol_;
    }

    // Crossings of one edge with their sense along the edge's own direction.
    void cross_edge(std::size_t i) {
        const BodyEdge& e = body_.edges[i];
        if (e.degenerate) return;
        const Curve& c = e.curve;
        const double length = c.length();
        std::vector<double> at{c.t0};
        for (double t : meets(c, plane_)) {
            const Vec3 p = c.point(t);
            const bool near_end = (p - c.start()).norm() <= tol_ || (p - c.end()).norm() <= tol_;
            if (!near_end || length <= 4 * tol_) at.push_back(t);
        }
        at.push_back(c.t1);
        // Above or below at each end and on each interval between roots; "on" counts as above.
        const auto above = [&](double t) { return plane_.height(c.point(t)) >= -tol_; };
        bool last = above(c.t0);
        for (std::size_t k = 0; k + 1 < at.size(); ++k) {
            const bool here = above(0.5 * (at[k] + at[k + 1]));
            if (here != last) add_crossing(i, at[k], !here);
            last = here;
        }
        if (above(c.t1) != last) add_crossing(i, c.t1, last);
    }

    void add_crossing(std::size_t edge, double t, bool down) {
        of_edge_[edge].push_back({static_cast<int>(crossings_.size()), down});
        crossings_.push_back({body_.edges[edge].curve.point(t)});
    }

    void cross_face(int f) {
        const Face& face = body_.faces[static_cast<std::size_t>(f)];
        std::vector<int> starts, ends;
        for (const auto& loop : face.loops)
            for (const Coedge& use : loop)
                for (const Passage& p : of_edge_[use.edge.index()]) ((p.down != use.reversed) ? starts : ends).push_back(p.crossing);
        if (starts.empty() && ends.empty()) {
            if (!std::holds_alternative<PlaneSurface>(face.surface)) islands(f, facet_chains(f));
            return;
        }
        if (starts.size() != ends.size()) {
            ++broken_;
            return;
        }
        if (std::holds_alternative<PlaneSurface>(face.surface)) straight(f, starts, ends);
        else if (const auto* ring = std::get_if<TorusSurface>(&face.surface); ring && square_to_axis(*ring)) parallels(f, starts, ends);
        else if (const auto conic = conic_of(face, at(starts[0]))) round(f, *conic, starts, ends);
        else if (std::holds_alternative<CylinderSurface>(face.surface) && !body_.faceted) rulings(f, starts, ends);
        else if (const auto* torus = std::get_if<TorusSurface>(&face.surface); torus && holds_axis(*torus)) meridians(f, *torus, starts, ends);
        else sampled(f, starts, ends);
    }

    // Direction of the section on a face: material on the left.
    Vec3 along(int f, const Vec3& p) const {
        const Face& face = body_.faces[static_cast<std::size_t>(f)];
        return frame_.z.cross(face.outward_or(p, Vec3::Zero())).normalized();
    }

    const Vec3& at(int crossing) const { return crossings_[static_cast<std::size_t>(crossing)].point; }

    void line(int f, int a, int b) {
        if (a != b && (at(a) - at(b)).norm() > 0) pieces_.push_back({Curve::segment(at(a), at(b)), f, a, b});
        else pieces_.push_back({Curve::segment(at(a), at(a)), f, a, b});
    }

    void straight(int f, std::vector<int>& starts, std::vector<int>& ends) {
        const Vec3 d = along(f, at(starts[0]));
        const auto order = [&](int a, int b) { return at(a).dot(d) < at(b).dot(d); };
        std::stable_sort(starts.begin(), starts.end(), order);
        std::stable_sort(ends.begin(), ends.end(), order);
        for (std::size_t i = 0; i < starts.size(); ++i) line(f, starts[i], ends[i]);
    }

    // A cylinder cut along its axis: each pair of passages lies on one ruling.
    void rulings(int f, const std::vector<int>& starts, std::vector<int> ends) {
        for (int s : starts) {
            const Vec3 d = along(f, at(s));
            std::size_t best = 0;
            double best_score = std::numeric_limits<double>::max();
            for (std::size_t i = 0; i < ends.size(); ++i) {
                const Vec3 r = at(ends[i]) - at(s);
                const double forward = r.dot(d);
                const double score = (r - forward * d).norm() * 1e3 + (forward < -tol_ ? 1e9 : forward);
                if (score < best_score) best_score = score, best = i;
            }
            line(f, s, ends[best]);
            ends.erase(ends.begin() + static_cast<std::ptrdiff_t>(best));
        }
    }

    // Through or next to a point of the section.
    std::optional<Curve> conic_of(const Face& face, const Vec3& p) const {
        if (const auto* s = std::get_if<SphereSurface>(&face.surface)) {
            const double h = plane_.height(s->frame.origin);
            if (std::abs(h) >= s->radius) return std::nullopt;
            return circle(s->frame.origin - h * frame_.z, std::sqrt(s->radius * s->radius - h * h));
        }
        if (const auto* s = std::get_if<CylinderSurface>(&face.surface)) {
            const double c = s->frame.z.dot(frame_.z);
            // Scans lie askew by chance: next to a ruling their ellipse would be miles long.
            if (std::abs(c) < (body_.faceted ? 0.05 : 1e-6)) return std::nullopt;
            const Vec3 centre = s->frame.origin - plane_.height(s->frame.origin) / c * s->frame.z;
            const Vec3 minor = frame_.z.cross(s->frame.z);
            if (minor.norm() < 1e-9) return circle(centre, s->radius);
            const Frame f{centre, frame_.z.cross(minor.normalized()) * -1.0, minor.normalized(), frame_.z};
            return Curve{EllipseCurve{f, s->radius / std::abs(c), s->radius}, 0, 2 * pi};
        }
        if (const auto* s = std::get_if<ConeSurface>(&face.surface)) {
            const double c = s->frame.z.dot(frame_.z);
            if (s->frame.z.cross(frame_.z).norm() > 1e-9) return std::nullopt;
            const double z = -plane_.height(s->frame.origin) / c;
            return circle(s->frame.origin + z * s->frame.z, std::abs(s->radius + z * std::tan(s->half_angle)));
        }
        if (const auto* s = std::get_if<TorusSurface>(&face.surface)) {
            if (!square_to_axis(*s)) return std::nullopt;
            const double h = plane_.height(s->frame.origin), half = s->minor * s->minor - h * h;
            const Vec3 centre = s->frame.origin - h * frame_.z;
            const bool outside = (p - centre).norm() > s->major;
            const double r = s->major + (outside ? 1 : -1) * std::sqrt(half);
            if (r > 0) return circle(centre, r);
        }
        return std::nullopt;
    }

    Curve circle(const Vec3& centre, double r) const { return Curve{CircleCurve{{centre, frame_.x, frame_.y, frame_.z}, r}, 0, 2 * pi}; }

    // One circle outside and one inside; where the plane but touches it they are one, and what side it is on is chance.
    bool square_to_axis(const TorusSurface& s) const {
        return s.frame.z.cross(frame_.z).norm() <= 1e-9 && std::pow(plane_.height(s.frame.origin), 2) < (1 - 1e-6) * s.minor * s.minor;
    }

    void parallels(int f, const std::vector<int>& starts, const std::vector<int>& ends) {
        const Face& face = body_.faces[static_cast<std::size_t>(f)];
        const auto& torus = std::get<TorusSurface>(face.surface);
        const Vec3 centre = torus.frame.origin - plane_.height(torus.frame.origin) * frame_.z;
        two_circles(
            f, starts, ends, [&](const Vec3& p) { return (p - centre).norm() > torus.major; }, [&](const Vec3& p) { return conic_of(face, p); });
    }

    // A circle for the passages on either side.
    template <class Side, class CircleAt>
    void two_circles(int f, const std::vector<int>& starts, const std::vector<int>& ends, const Side& side, const CircleAt& circle_at) {
        for (const bool first : {false, true}) {
            const auto here = [&](const std::vector<int>& all) {
                std::vector<int> some;
                for (int i : all)
                    if (side(at(i)) == first) some.push_back(i);
                return some;
            };
            const auto from = here(starts), to = here(ends);
            const std::optional<Curve> circle = from.empty() ? std::nullopt : circle_at(at(from[0]));
            if (circle && from.size() == to.size()) round(f, *circle, from, to);
            else broken_ += from.empty() && to.empty() ? 0 : 1;
        }
    }

    bool holds_axis(const TorusSurface& s) const {
        return std::abs(s.frame.z.dot(frame_.z)) < 1e-8 && std::abs(plane_.height(s.frame.origin)) < 1e-8 * s.major;
    }

    // A torus cut through its axis: a circle on either side.
    void meridians(int f, const TorusSurface& torus, const std::vector<int>& starts, const std::vector<int>& ends) {
        const Vec3 out = torus.frame.z.cross(frame_.z).normalized();
        const auto beyond = [&](const Vec3& p) { return out.dot(p - torus.frame.origin) > 0; };
        two_circles(f, starts, ends, beyond,
                    [&](const Vec3& p) { return std::optional(circle(torus.frame.origin + (beyond(p) ? 1 : -1) * torus.major * out, torus.minor)); });
    }

    static double angle_on(const Curve& c, const Vec3& p) {
        if (const auto* k = std::get_if<CircleCurve>(&c.shape)) {
            const Vec2 q = k->frame.local2(p);
            return std::atan2(q.y(), q.x());
        }
        const auto& e = std::get<EllipseCurve>(c.shape);
        const Vec2 q = e.frame.local2(p);
        return std::atan2(q.y() / e.b, q.x() / e.a);
    }

    void round(int f, Curve conic, const std::vector<int>& starts, std::vector<int> ends) {
        // Turn the conic so that its parameter grows along the section's direction.
        const double a0 = angle_on(conic, at(starts[0]));
        if (conic.derivative(a0).dot(along(f, at(starts[0]))) < 0) conic = conic.reversed();
        for (int s : starts) {
            const double a = angle_on(conic, at(s));
            std::size_t best = 0;
            double best_turn = 1e9;
            for (std::size_t i = 0; i < ends.size(); ++i) {
                double turn = angle_on(conic, at(ends[i])) - a;
                const double slack = tol_ / std::max(conic.derivative(a).norm(), tol_);
                while (turn <= slack) turn += 2 * pi;
                while (turn > 2 * pi + slack) turn -= 2 * pi;
                if (turn < best_turn) best_turn = turn, best = i;
            }
            conic.t0 = a;
            conic.t1 = a + best_turn;
            pieces_.push_back({conic, f, s, ends[best]});
            ends.erase(ends.begin() + static_cast<std::ptrdiff_t>(best));
        }
    }

    using MeshEdge = std::pair<int, int>;
    struct FacetChains {
        std::map<MeshEdge, MeshEdge> next;  // mesh edge in -> mesh edge out
        std::map<MeshEdge, Vec3> where;
        std::map<MeshEdge, std::size_t> facet_after;  // the facet that a chain enters there
    };

    // Cut facets of one face.
    FacetChains facet_chains(int f) const {
        const Face& face = body_.faces[static_cast<std::size_t>(f)];
        FacetChains c;
        const auto side = [&](int p) { return plane_.height(body_.points[static_cast<std::size_t>(p)]) >= -tol_; };
        const auto key = [](int a, int b) { return std::pair(std::min(a, b), std::max(a, b)); };
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            const auto& k = body_.facets[i].corners;
            std::optional<MeshEdge> in, out;
            for (std::size_t j = 0; j < 3; ++j) {
                const int a = k[j], b = k[(j + 1) % 3];
                if (side(a) == side(b)) continue;
                const Vec3 &p = body_.points[static_cast<std::size_t>(a)], &q = body_.points[static_cast<std::size_t>(b)];
                const double ha = plane_.height(p), hb = plane_.height(q);
                c.where[key(a, b)] = p + (q - p) * std::clamp(ha / (ha - hb), 0.0, 1.0);
                (side(a) ? in : out) = key(a, b);
            }
            if (in && out) c.next[*in] = *out, c.facet_after[*in] = i;
        }
        return c;
    }

    // Loops within a face, that pass none of its edges: over a dome, round a ring.
    void islands(int f, FacetChains c) {
        while (!c.next.empty()) {
            const MeshEdge start = c.next.begin()->first;
            std::vector<Vec3> pts{c.where[start]};
            std::vector<std::size_t> facets;
            MeshEdge k = start;
            bool closed = false;
            for (auto it = c.next.find(k); it != c.next.end() && !closed; it = c.next.find(k)) {
                facets.push_back(c.facet_after.at(k));
                k = it->second;
                c.next.erase(it);
                closed = k == start;
                pts.push_back(c.where[k]);
            }
            double length = 0;
            for (std::size_t i = 0; i + 1 < pts.size(); ++i) length += (pts[i + 1] - pts[i]).norm();
            if (closed && pts.size() > 3 && length > 10 * tol_) island(f, pts, facets);
        }
    }

    // Is there a surface behind the face's facets?
    static bool known(const Face& face) {
        const auto* free = std::get_if<FreeSurface>(&face.surface);
        return !free || free->spline;
    }

    void island(int f, std::vector<Vec3> pts, const std::vector<std::size_t>& facets) {
        const Face& face = body_.faces[static_cast<std::size_t>(f)];
        Curve curve;
        if (auto conic = conic_of(face, pts[0])) {
            if (conic->derivative(angle_on(*conic, pts[0])).dot(along(f, pts[0])) < 0) conic = conic->reversed();
            curve = *conic;
        } else {
            if (known(face)) pts.front() = pts.back() = onto(facets[0], pts[0]);
            curve = known(face) ? on_surface(pts, facets) : Curve::polyline(std::move(pts));
        }
        const int at = static_cast<int>(crossings_.size());
        crossings_.push_back({curve.start()});
        pieces_.push_back({std::move(curve), f, at, at});
    }

    // Chains of cut facets from passage to passage; where the surface is known, cubics through points on it and on the plane.
    void sampled(int f, const std::vector<int>& starts, std::vector<int> ends) {
        const Face& face = body_.faces[static_cast<std::size_t>(f)];
        const double apart = 4 * tol_;
        FacetChains chains = facet_chains(f);
        auto& [next, where, facet_after] = chains;
        std::map<MeshEdge, bool> has_previous;
        for (const auto& [a, b] : next) has_previous[b] = true;
        for (int s : starts) {
            // The chain whose first point is nearest to this passage.
            const MeshEdge* first = nullptr;
            double best = std::numeric_limits<double>::max();
            for (const auto& [a, b] : next) {
                if (has_previous.count(a)) continue;
                const double d = (where[a] - at(s)).norm();
                if (d < best) best = d, first = &a;
            }
            // Round a closed surface the chain comes back to where it starts, on the seam.
            if (!first)
                for (const auto& [a, b] : next)
                    if (const double d = (where[a] - at(s)).norm(); d < best) best = d, first = &a;
            std::vector<Vec3> pts{at(s)};
            std::vector<std::size_t> facets;  // between the points
            Vec3 last = at(s);
            if (first) {
                auto k = *first;
                for (auto it = next.find(k); it != next.end(); it = next.find(k)) {
                    facets.push_back(facet_after.at(k));
                    k = it->second;
                    next.erase(it);
                    if (!next.count(k)) break;
                    // A passage may all but lie on the side of a facet: of two points there one is enough.
                    if ((where[k] - pts.back()).norm() > apart) pts.push_back(where[k]);
                    else facets.pop_back();
                }
                last = where[k];  // not the last point before it: long facets reach far
            }
            std::size_t end = 0;
            double near = std::numeric_limits<double>::max();
            for (std::size_t i = 0; i < ends.size(); ++i)
                if (const double d = (at(ends[i]) - last).norm(); d < near) near = d, end = i;
            if (pts.size() > 1 && (pts.back() - at(ends[end])).norm() <= apart) pts.pop_back(), facets.pop_back();
            pts.push_back(at(ends[end]));
            pieces_.push_back({known(face) && facets.size() + 1 == pts.size() ? on_surface(pts, facets) : Curve::polyline(std::move(pts)), f, s, ends[end]});
            ends.erase(ends.begin() + static_cast<std::ptrdiff_t>(end));
        }
        islands(f, std::move(chains));
    }

    // Through the points and one more on each facet, all but the first and last brought onto surface and plane.
    Curve on_surface(const std::vector<Vec3>& rough, const std::vector<std::size_t>& facets) const {
        std::vector<Vec3> points, tangents;
        bool smooth = true;
        const auto add = [&](const Vec3& p, std::size_t facet, bool fixed) {
            const Vec3 q = fixed ? p : onto(facet, p);
            const Vec3 t = plane_.normal.cross(body_.on_skin(facet, q).normal);
            smooth = smooth && t.norm() > 1e-3;
            points.push_back(q), tangents.push_back(t.normalized());
        };
        for (std::size_t i = 0; i < facets.size(); ++i) {
            add(rough[i], facets[i], i == 0);
            add(0.5 * (rough[i] + rough[i + 1]), facets[i], false);
        }
        add(rough.back(), facets.back(), true);
        // Points that came to lie on each other or out of order would fold the curve.
        for (std::size_t i = 0; i + 1 < points.size(); ++i) {
            const Vec3 step = points[i + 1] - points[i];
            for (const std::size_t k : {i, i + 1}) {
                if (tangents[k].dot(step) < 0) tangents[k] = -tangents[k];
                smooth = smooth && tangents[k].dot(step) > 0.2 * step.norm() && step.norm() > tol_;
            }
        }
        if (!smooth) return Curve::polyline(rough);
        return Curve::polyline(std::move(points), std::move(tangents));
    }

    // Onto both by the line in which their tangent planes meet (Newton).
    Vec3 onto(std::size_t facet, Vec3 p) const {
        for (int i = 0; i < 12; ++i) {
            const SkinPoint s = body_.on_skin(facet, p);
            const double c = s.normal.dot(plane_.normal), d = 1 - c * c;
            if (d < 1e-6) break;
            const double a = (s.point - p).dot(s.normal), b = -plane_.height(p);
            const Vec3 step = (a - c * b) / d * s.normal + (b - c * a) / d * plane_.normal;
            p += step;
            if (step.norm() < 1e-12) break;
        }
        return p;
    }

    PlaneSection chain() {
        PlaneSection out;
        std::multimap<int, std::size_t> from;
        for (std::size_t i = 0; i < pieces_.size(); ++i) from.emplace(pieces_[i].start, i);
        std::vector<bool> used(pieces_.size(), false);
        for (std::size_t i = 0; i < pieces_.size(); ++i) {
            if (used[i]) continue;
            std::vector<SectionPiece> loop;
            std::size_t k = i;
            bool closed = false;
            while (!used[k]) {
                used[k] = true;
                if (pieces_[k].curve.length() > tol_) loop.push_back({pieces_[k].curve, pieces_[k].face});
                if (pieces_[k].end == pieces_[i].start) {
                    closed = true;
                    break;
                }
                const auto [lo, hi] = from.equal_range(pieces_[k].end);
                auto it = std::find_if(lo, hi, [&](const auto& e) { return !used[e.second]; });
                if (it == hi) break;
                k = it->second;
            }
            if (!closed) ++out.open_chains;
            else if (!loop.empty()) out.loops.push_back(std::move(loop));
        }
        out.open_chains += broken_;
        return out;
    }

    const Body& body_;
    Frame frame_;
    Plane plane_;
    double tol_;
    const BodyBoxes* boxes_;
    int broken_ = 0;
    std::vector<Crossing> crossings_;
    std::vector<std::vector<Passage>> of_edge_;
    std::vector<Piece> pieces_;
};

}  // namespace

BodyBoxes::BodyBoxes(const Body& body) {
    // Sampled curves and facets stand off what they stand for by a little.
    const auto widened = [](Box3 b, double share) {
        if (b.isEmpty()) return b;
        const double by = share * b.sizes().norm();
        b.min().array() -= by, b.max().array() += by;
        return b;
    };
    for (const BodyEdge& e : body.edges) edges.push_back(e.degenerate ? Box3() : widened(e.curve.box(), e.curve.is_line() ? 0 : 0.02));
    for (const Face& f : body.faces) {
        Box3 b;
        for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
            for (int c : body.facets[i].corners) b.extend(body.points[static_cast<std::size_t>(c)]);
        for (const auto& loop : f.loops)
            for (const Coedge& u : loop) b.extend(edges[u.edge.index()]);
        faces.push_back(widened(b, std::holds_alternative<PlaneSurface>(f.surface) ? 0 : 0.05));
    }
}

PlaneSection cut(const Body& body, const Frame& frame, double tol, const BodyBoxes* boxes) {
    return Cutter(body, frame, tol, boxes).run();
}

int outline_at_origin(const std::vector<std::vector<Vec2>>& polygons) {
    int best = -1;
    double nearest = std::numeric_limits<double>::max();
    for (std::size_t i = 0; i < polygons.size(); ++i) {
        if (polygon_area(polygons[i]) <= 0) continue;
        Box2 b;
        for (const Vec2& p : polygons[i]) b.extend(p);
        if (const double d = b.center().norm(); d < nearest) nearest = d, best = static_cast<int>(i);
    }
    return best;
}

std::vector<std::vector<Vec2>> section_polygons(const PlaneSection& section, const Frame& frame, double chord) {
    std::vector<std::vector<Vec2>> out;
    for (const auto& loop : section.loops) {
        std::vector<Vec2> polygon;
        for (const SectionPiece& piece : loop) {
            const auto pts = piece.curve.sampled(chord, 8);
            for (std::size_t i = 0; i + 1 < pts.size(); ++i) polygon.push_back(frame.local2(pts[i]));
        }
        if (polygon.size() >= 3) out.push_back(std::move(polygon));
    }
    return out;
}

}  // namespace halvo
