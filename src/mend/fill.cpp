#include "mend/fill.hpp"

#include "body/close_wound.hpp"
#include "body/face_outlines.hpp"
#include "body/trace_loops.hpp"
#include "core/index.hpp"
#include "geom/fit.hpp"
#include "mend/patch.hpp"
#include "mend/refit.hpp"
#include "mend/round_fill.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>

namespace halvo {
namespace {

constexpr double largest_opening = 0.5;  // of the skin's area: a larger one is the shape of a surface, not an opening in a solid
constexpr double same_way = 1e-4;        // between unit vectors: what files give for tangent and coaxial
constexpr double ended_alike = 0.7;      // of the largest, of what the faces round an opening ended early by
constexpr double corner_turn = 0.85;     // cosine: a ring turns by more than some 30 degrees at a corner
constexpr double goes_on_within = 0.25;  // cosine: the skin beside an opening goes on into it within some 75 degrees
constexpr std::size_t patch_steps = 48;  // pieces along each side of a patch
constexpr double smooth_share = 0.4;     // of a ring's length, along which what closes it must go on smoothly

// A closed ring of free edges, in the sense in which the face that is missing would use them.
struct Ring {
    std::vector<Coedge> loop;
    std::vector<EdgeSide> beside;  // of each: how the face that is there uses it
    std::vector<Vec3> points;
    double length = 0;
    Vec3 turn = Vec3::Zero();  // twice the area it runs round, as a vector
    Vec3 middle = Vec3::Zero();
    bool done = false;
};

class Filling {
public:
    Filling(const Body& skin, double slack, const SewLimits& limits, const std::vector<double>& early) : slack_(slack), limits_(limits), early_(early) {
        out_.body = skin;
    }

    FilledSkin run() {
        find_rings();
        if (rings_.empty()) return std::move(out_);
        const double skin = std::accumulate(body().faces.begin(), body().faces.end(), 0.0, [](double sum, const Face& f) { return sum + f.area; });
        double open = 0;
        for (const Ring& r : rings_) open += 0.5 * r.turn.norm();
        if (open > largest_opening * skin) {
            // Such a skin is a surface rather than a solid with a face missing; the survey says that it is open.
            return std::move(out_);
        }
        between_circles();
        inside_one_face();
        planes();
        round_surfaces(true);
        several_rings();
        carried_on();
        round_surfaces(false);
        patches();
        for (const Ring& r : rings_)
            if (!r.done) stays("no plain surface fits it, the faces beside it do not meet when they are carried on, and it has not four corners", r);
        return std::move(out_);
    }

private:
    [[nodiscard]] Body& body() { return out_.body; }
    [[nodiscard]] const BodyEdge& edge(const Coedge& c) const { return out_.body.edges[c.edge.index()]; }
    [[nodiscard]] Vec3 outward(int face, const Vec3& p) const {
        const Face& f = out_.body.faces[ix(face)];
        const Vec3 n = BaseSurface(f.surface).foot(p).normal;
        return f.reversed ? Vec3(-n) : n;
    }

    void find_rings() {
        const auto uses = edge_uses(body());
        std::vector<LoopUse> list;
        std::map<int, EdgeSide> beside;
        for (std::size_t e = 0; e < uses.size(); ++e)
            if (uses[e].size() == 1) {
                const EdgeSide& u = uses[e][0];
                beside[static_cast<int>(e)] = u;
                list.push_back({bare_coedge(static_cast<int>(e), !body().faces[ix(u.face)].loops[ix(u.loop)][ix(u.place)].reversed), -1});
            }
        if (list.empty()) return;
        const auto normal = [&](const Vec3& p) {  // where rings touch in a vertex: of a face there
            int face = -1;
            double least = std::numeric_limits<double>::max();
            for (const auto& [e, u] : beside)
                for (int v : body().edges[ix(e)].vertices)
                    if (const double d = (body().vertices[ix(v)] - p).norm(); d < least) least = d, face = u.face;
            return outward(face, p);
        };
        const auto loops = trace_loops(
            list, [&](BodyEdgeId e) -> const BodyEdge& { return body().edges[e.index()]; }, normal);
        if (!loops) {
            Ring all;
            for (const LoopUse& u : list) all.length += edge(u.use).curve.length();
            all.middle = edge(list[0].use).curve.middle();
            stays("its free edges do not form closed rings", all);
            return;
        }
        for (const auto& loop : *loops) {
            Ring r;
            r.loop = loop;
            for (const Coedge& c : loop) {
                constexpr int pieces = 16;
                const Curve& k = edge(c).curve;
                r.beside.push_back(beside.at(c.edge.value));
                r.length += k.length();
                for (int i = 0; i < pieces; ++i) {
                    const double w = static_cast<double>(i) / pieces;
                    r.points.push_back(k.point(k.t0 + (c.reversed ? 1 - w : w) * (k.t1 - k.t0)));
                }
            }
            for (const Vec3& p : r.points) r.middle += p / static_cast<double>(r.points.size());
            for (std::size_t i = 0; i < r.points.size(); ++i) r.turn += (r.points[i] - r.middle).cross(r.points[(i + 1) % r.points.size()] - r.middle);
            r.done = r.turn.norm() < 2 * slack_ * r.length;  // a slit: for sewing, if for anything
            rings_.push_back(std::move(r));
        }
        // Outer ones before those inside of them.
        std::stable_sort(rings_.begin(), rings_.end(), [](const Ring& a, const Ring& b) { return a.turn.norm() > b.turn.norm() * (1 + 1e-9); });
    }

    void stays(const std::string& why, const Ring& r) {
        Finding f;
        f.kind = FindingKind::defect_stays, f.body = body().name, f.place = r.middle, f.size = r.length;
        f.about = fmt::format("{}: a ring of {} free edges, {:.1f} mm long, stays open: {}", body().name, r.loop.size(), r.length, why);
        f.advice = "close it in CAD, or give halve.thickness for a surface";
        f.key = make_key("finding", "open " + body().name, {r.length});
        out_.findings.push_back(std::move(f));
    }

    // Says what is to be done with some rings; false where the plan refuses it.
    bool enter(const std::vector<std::size_t>& rings, const std::string& how) {
        double length = 0, area = 0;
        int edges = 0;
        for (std::size_t r : rings) length += rings_[r].length, area += 0.5 * rings_[r].turn.norm(), edges += static_cast<int>(rings_[r].loop.size());
        LedgerEntry e;
        e.key = limits_.keys->unique(make_key("filled", body().name, {length, std::sqrt(area)}));
        const bool refused = limits_.refuse.count(e.key) > 0;
        e.stage = "mend", e.kind = EntryKind::filled, e.state = refused ? EntryState::refused : EntryState::applied, e.body = body().name;
        e.about = fmt::format("{}: an opening of {} edges, {:.1f} mm long, {} {}", body().name, edges, length, refused ? "left open; it could be" : "is", how);
        e.value = length, e.place = rings_[rings[0]].middle;
        out_.ledger.push_back(std::move(e));
        for (std::size_t r : rings) rings_[r].done = true;
        out_.changed = out_.changed || !refused;
        return !refused;
    }

    void add_face(Surface surface, const std::vector<std::size_t>& rings, const Vec3& at, const Vec3& normal) {
        Face f;
        f.surface = std::move(surface);
        const Vec3 n = BaseSurface(f.surface).foot(at).normal;
        f.reversed = n.dot(normal) < 0;
        for (std::size_t r : rings) f.loops.push_back(rings_[r].loop);
        body().faces.push_back(std::move(f));
    }

    [[nodiscard]] std::optional<CircleRing> circle(std::size_t i) const {
        const Ring& r = rings_[i];
        CircleRing out;
        out.ring = i;
        const auto* first = std::get_if<CircleCurve>(&edge(r.loop[0]).curve.shape);
        if (!first) return std::nullopt;
        double angle = 0;
        for (const Coedge& c : r.loop) {
            const auto* k = std::get_if<CircleCurve>(&edge(c).curve.shape);
            if (!k || (k->frame.origin - first->frame.origin).norm() > slack_ || std::abs(k->radius - first->radius) > slack_ ||
                k->frame.z.cross(first->frame.z).norm() > same_way)
                return std::nullopt;
            angle += edge(c).curve.t1 - edge(c).curve.t0;
        }
        if (std::abs(angle - 2 * pi) > 0.01) return std::nullopt;  // rad: all round but for gaps
        out.centre = first->frame.origin, out.axis = first->frame.z, out.radius = first->radius, out.face = r.beside[0].face;
        for (const EdgeSide& u : r.beside)
            if (u.face != out.face) return std::nullopt;
        const Curve& c = edge(r.loop[0]).curve;
        out.at = c.middle(), out.outward = outward(out.face, out.at);
        // The missing face lies to the left of its own uses: the skin goes on there.
        const Vec3 way = (r.loop[0].reversed ? -1 : 1) * c.derivative(0.5 * (c.t0 + c.t1)).normalized();
        out.on = out.outward.cross(way).normalized();
        return out;
    }

    // Rings round one axis: the arc or line that goes on smoothly from both, turned about it; or a bore through two opposed faces.
    void between_circles() {
        std::vector<CircleRing> list;
        for (std::size_t i = 0; i < rings_.size(); ++i)
            if (auto c = circle(i)) list.push_back(*c);
        for (std::size_t i = 0; i < list.size(); ++i)
            for (std::size_t j = i + 1; j < list.size(); ++j) {
                const CircleRing &a = list[i], &b = list[j];
                if (rings_[a.ring].done || rings_[b.ring].done || a.axis.cross(b.axis).norm() > same_way) continue;
                const Vec3 apart = b.centre - a.centre;
                if ((apart - apart.dot(a.axis) * a.axis).norm() > slack_ || (apart.norm() <= slack_ && std::abs(a.radius - b.radius) <= slack_)) continue;
                if (auto s = smooth_between(a, b, slack_)) {
                    if (enter({a.ring, b.ring}, fmt::format("closed by a {} that goes on smoothly from both sides", surface_name(*s))))
                        add_face(*s, {a.ring, b.ring}, a.at, a.outward);
                } else if (is_bore(a, b)) {
                    if (enter({a.ring, b.ring}, "closed by a cylinder: a hole through both faces")) {
                        // Material lies round it: outward is towards the axis.
                        const Vec3 inward = (a.centre - a.at).normalized();
                        add_face(CylinderSurface{Frame::with_z(a.centre, a.axis), a.radius}, {a.ring, b.ring}, a.at, inward);
                    }
                }
            }
    }

    [[nodiscard]] bool is_bore(const CircleRing& a, const CircleRing& b) const {
        const Vec3 to_b = (b.centre - a.centre).normalized();
        return std::abs(a.radius - b.radius) <= slack_ && a.face != b.face && is_inner(a.ring) && is_inner(b.ring) && a.outward.dot(to_b) < -0.5 &&
               b.outward.dot(to_b) > 0.5;  // cosines: from the one face into the material, out of it through the other
    }

    // Is the ring a loop inside of one face?
    [[nodiscard]] bool is_inner(std::size_t i) const {
        const Ring& r = rings_[i];
        const EdgeSide& first = r.beside[0];
        for (const EdgeSide& u : r.beside)
            if (u.face != first.face || u.loop != first.loop) return false;
        const Face& f = out_.body.faces[ix(first.face)];
        const auto& loop = f.loops[ix(first.loop)];
        return f.loops.size() > 1 && loop.size() == r.loop.size() && laid_loop(f.surface, f.reversed, loop, out_.body.edges).is_inner();
    }

    void inside_one_face() {
        std::vector<std::pair<int, int>> gone;
        for (std::size_t i = 0; i < rings_.size(); ++i)
            if (!rings_[i].done && is_inner(i) && enter({i}, "closed by the face round it, which goes on over it"))
                gone.emplace_back(rings_[i].beside[0].face, rings_[i].beside[0].loop);
        std::sort(gone.rbegin(), gone.rend());
        for (const auto& [f, l] : gone) body().faces[ix(f)].loops.erase(body().faces[ix(f)].loops.begin() + l);
        for (Ring& r : rings_)
            for (EdgeSide& u : r.beside)
                u.loop -= static_cast<int>(std::count_if(gone.begin(), gone.end(), [&](const auto& g) { return g.first == u.face && g.second < u.loop; }));
    }

    [[nodiscard]] std::optional<Plane> plane_of(const Ring& r) const {
        if (!(r.turn.norm() > 0)) return std::nullopt;
        const auto fit = fit_plane(r.points);
        if (!fit || fit->worst > slack_) return std::nullopt;
        const Vec3 n = std::get<PlaneSurface>(fit->surface).frame.z;
        return Plane::through(r.middle, n.dot(r.turn) < 0 ? Vec3(-n) : n);
    }

    // Rings in one plane that run round each other bound one face.
    void planes() {
        bool sleeve = false;
        std::vector<std::optional<Plane>> plane(rings_.size());
        for (std::size_t i = 0; i < rings_.size(); ++i)
            if (!rings_[i].done) plane[i] = plane_of(rings_[i]);
        for (std::size_t i = 0; i < rings_.size(); ++i) {
            if (!plane[i] || rings_[i].done) continue;
            const Frame frame = Frame::with_z(rings_[i].middle, plane[i]->normal);
            std::vector<Vec2> outline;
            for (const Vec3& p : rings_[i].points) outline.push_back(frame.local2(p));
            std::vector<std::size_t> own{i};
            for (std::size_t j = 0; j < rings_.size(); ++j) {
                if (j == i || !plane[j] || rings_[j].done || plane[j]->normal.dot(plane[i]->normal) > -0.9) continue;
                const bool in_plane =
                    std::all_of(rings_[j].points.begin(), rings_[j].points.end(), [&](const Vec3& p) { return std::abs(frame.height(p)) <= slack_; });
                if (in_plane && inside({outline}, frame.local2(rings_[j].points[0]))) own.push_back(j);
            }
            if (!faces_out(rings_[i], *plane[i])) continue;
            if (own.size() == 1 && is_sleeve(plane[i]->normal)) {
                sleeve = true;
                continue;
            }
            if (enter(own, "closed by a plane")) add_plane(frame, own, plane[i]->normal);
        }
        if (!sleeve) return;
        for (Ring& r : rings_) {
            if (r.done) continue;
            stays("its skin is a sleeve without ends, more likely a surface than a solid whose ends are missing", r);
            r.done = true;
        }
    }

    // Faces that end early at their other borders end early here: the plane lies where they would meet it.
    void add_plane(Frame frame, const std::vector<std::size_t>& own, const Vec3& normal) {
        double least = std::numeric_limits<double>::max(), most = 0, out = 0, length = 0;
        for (std::size_t r : own)
            for (std::size_t k = 0; k < rings_[r].loop.size(); ++k) {
                const int face = rings_[r].beside[k].face;
                const double by = ix(face) < early_.size() ? early_[ix(face)] : 0;
                const Curve& c = edge(rings_[r].loop[k]).curve;
                const Vec3 way = (rings_[r].loop[k].reversed ? -1 : 1) * c.derivative(c.parameter_at(0.5)).normalized();
                out += by * outward(face, c.middle()).cross(way).dot(normal) * c.length(), length += c.length();
                least = std::min(least, by), most = std::max(most, by);
            }
        const bool all = most > limits_.tol && least > ended_alike * most;
        if (all) frame.origin += out / length * normal;
        add_face(PlaneSurface{frame}, own, frame.origin, normal);
        if (!all) return;
        Apart apart;
        apart.vertices.assign(body().vertices.size(), 0), apart.edges.assign(body().edges.size(), 0);
        for (std::size_t r : own)
            for (const Coedge& c : rings_[r].loop) {
                apart.edges[c.edge.index()] = most;
                for (int v : edge(c).vertices) apart.vertices[ix(v)] = most;
            }
        refit(body(), apart, 2 * most, limits_.tol);
    }

    // Does no face of the skin close it along a direction, as a tube's do not? Told by normals on edges.
    [[nodiscard]] bool is_sleeve(const Vec3& along) const {
        constexpr double across = 0.3;  // cosine: a face that turns so little to the direction runs along it
        return std::all_of(out_.body.faces.begin(), out_.body.faces.end(), [&](const Face& f) {
            const BaseSurface s(f.surface);
            for (const auto& loop : f.loops)
                for (const Coedge& c : loop)
                    for (const double w : {0.2, 0.5, 0.8})
                        if (std::abs(s.foot(edge(c).curve.point(edge(c).curve.parameter_at(w))).normal.dot(along)) > across) return false;
            return true;
        });
    }

    // A plane that folds back onto the faces beside it all round would lie on them, not between them.
    [[nodiscard]] bool faces_out(const Ring& r, const Plane& plane) const {
        double folded = 0;
        for (std::size_t k = 0; k < r.loop.size(); ++k) {
            const Curve& c = edge(r.loop[k]).curve;
            const Vec3 p = c.middle();
            if (outward(r.beside[k].face, p).dot(plane.normal) < same_way - 1) folded += c.length();
        }
        return folded < (1 - smooth_share) * r.length;
    }

    [[nodiscard]] bool lies_on(const Ring& r, const BaseSurface& s) const {
        return std::all_of(r.points.begin(), r.points.end(), [&](const Vec3& p) { return (s.foot(p).point - p).norm() <= slack_; });
    }

    // Along how much of the ring the surface goes on from the faces beside it, and which way it looks then.
    [[nodiscard]] double smooth_along(const Ring& r, const BaseSurface& s, double& sign) const {
        double with = 0, against = 0;
        for (std::size_t k = 0; k < r.loop.size(); ++k) {
            const Curve& c = edge(r.loop[k]).curve;
            const Vec3 p = c.middle();
            const double d = s.foot(p).normal.dot(outward(r.beside[k].face, p));
            const double slack = 0.01;  // of a cosine: eight degrees, what rounds with a gap beside them are off
            (d > 0 ? with : against) += std::abs(d) > 1 - slack ? c.length() : 0;
        }
        sign = with >= against ? 1 : -1;
        return std::max(with, against);
    }

    // Cylinders about the axes of arcs, tori and cones about those of two arcs, and spheres about where they meet.
    void round_surfaces(bool smooth) {
        for (std::size_t i = 0; i < rings_.size(); ++i) {
            Ring& r = rings_[i];
            if (r.done) continue;
            for (const Surface& s : candidates(r)) {
                const BaseSurface base(s);
                double sign = 1;
                if (!lies_on(r, base) || lies_there_already(r, s)) continue;
                const double share = smooth_along(r, base, sign);
                if (smooth && share < smooth_share * r.length) continue;
                // Without a smooth side, the sense of the ring tells which side is out.
                const Vec3 normal = smooth ? Vec3(sign * base.foot(r.points[0]).normal) : turned_normal(r, base);
                if (enter({i}, fmt::format("closed by a {}", surface_name(s)) + (smooth ? " that goes on smoothly" : "")))
                    add_face(s, {i}, r.points[0], normal);
                break;
            }
        }
    }

    // A surface that holds two rings and more, as a tube's outside holds its ends and what opens into it, is the one face that they bound.
    void several_rings() {
        for (std::size_t i = 0; i < rings_.size(); ++i) {
            if (rings_[i].done) continue;
            for (const Surface& s : candidates(rings_[i])) {
                const BaseSurface base(s);
                std::vector<std::size_t> own;
                for (std::size_t k = 0; k < rings_.size(); ++k)
                    if (!rings_[k].done && lies_on(rings_[k], base) && !lies_there_already(rings_[k], s)) own.push_back(k);
                if (own.size() < 2 || std::find(own.begin(), own.end(), i) == own.end()) continue;
                const Vec3 normal = normal_between(own, base);
                if (normal.isZero()) continue;
                if (enter(own, fmt::format("closed by a {} through {} rings", surface_name(s), own.size()))) add_face(s, own, rings_[own[0]].points[0], normal);
                break;
            }
        }
    }

    // Outward at the first ring's first point: the face lies to the left of the rings, seen from outside, and so towards the others. Rings that
    // wind round the surface tell by themselves; of others the largest is the outer one.
    [[nodiscard]] Vec3 normal_between(const std::vector<std::size_t>& own, const BaseSurface& s) const {
        const Vec3 n = s.foot(rings_[own[0]].points[0]).normal;
        double largest = 0;
        for (std::size_t k : own) {
            const Ring& r = rings_[k];
            const LaidLoop laid = laid_loop(s.surface(), false, r.loop, out_.body.edges);
            if (!laid.winds) {
                if (std::abs(laid.area) > std::abs(largest)) largest = laid.area;
                continue;
            }
            Vec3 others = Vec3::Zero();
            for (std::size_t j : own)
                if (j != k) others += (rings_[j].middle - r.middle) / static_cast<double>(own.size() - 1);
            const Vec3 along = (r.points[1] - r.points[0]).normalized(), out = along.cross(others);
            return out.dot(s.foot(r.points[0]).normal) < 0 ? Vec3(-n) : n;
        }
        return largest == 0 ? Vec3(Vec3::Zero()) : largest < 0 ? Vec3(-n) : n;
    }

    [[nodiscard]] Vec3 turned_normal(const Ring& r, const BaseSurface& s) const {
        const LaidLoop laid = laid_loop(s.surface(), false, r.loop, out_.body.edges);
        const Vec3 n = s.foot(r.points[0]).normal;
        return laid.area < 0 ? Vec3(-n) : n;
    }

    [[nodiscard]] bool lies_there_already(const Ring& r, const Surface& s) const {
        double along = 0;
        for (std::size_t k = 0; k < r.loop.size(); ++k)
            if (same_surface(s, out_.body.faces[ix(r.beside[k].face)].surface, edge(r.loop[k]).curve.middle(), r.length, 10 * slack_))
                along += edge(r.loop[k]).curve.length();
        return along > 0.9 * r.length;  // its whole border lies on a face of the same surface
    }

    [[nodiscard]] std::vector<Surface> candidates(const Ring& r) const {
        std::vector<const CircleCurve*> arcs;
        for (const Coedge& c : r.loop)
            if (const auto* k = std::get_if<CircleCurve>(&edge(c).curve.shape)) arcs.push_back(k);
        return surfaces_of_arcs(arcs, slack_);
    }

    // Between four corners: a smooth patch.
    void patches() {
        for (std::size_t i = 0; i < rings_.size(); ++i) {
            if (rings_[i].done) continue;
            const auto sides = four_sides(rings_[i]);
            if (!sides || !enter({i}, "closed by a smooth patch between its four sides")) continue;
            add_face(FreeSurface{std::make_shared<const NurbsSurface>(smooth_patch(*sides))}, {i}, rings_[i].middle, rings_[i].turn);
        }
    }

    // The ring in four pieces, parted at its corners.
    [[nodiscard]] std::optional<std::array<PatchSide, 4>> four_sides(const Ring& r) const {
        const std::size_t n = r.loop.size();
        const auto way = [&](std::size_t k, bool end) {
            const Curve& c = edge(r.loop[k]).curve;
            const bool at_end = end != r.loop[k].reversed;
            return Vec3((r.loop[k].reversed ? -1 : 1) * c.derivative(at_end ? c.t1 : c.t0).normalized());
        };
        std::vector<std::size_t> corners;  // edges that begin at one
        for (std::size_t k = 0; k < n; ++k)
            if (n == 4 || way((k + n - 1) % n, true).dot(way(k, false)) < corner_turn) corners.push_back(k);
        if (corners.size() != 4) return std::nullopt;
        std::array<PatchSide, 4> out;
        for (std::size_t s = 0; s < 4; ++s) {
            std::vector<std::size_t> edges;
            for (std::size_t k = corners[s]; k != corners[(s + 1) % 4]; k = (k + 1) % n) edges.push_back(k);
            out[s] = side_of(r, edges);
        }
        // Where the skin beside a side folds back rather than going on, the patch leaves it as it comes.
        for (std::size_t s = 0; s < 4; ++s)
            for (std::size_t k = 0; k < out[s].points.size(); ++k) {
                const auto& opposite = out[(s + 2) % 4].points;
                const Vec3 across = opposite[opposite.size() - 1 - k] - out[s].points[k];
                if (out[s].on[k].dot(across.normalized()) < goes_on_within) {
                    out[s].on.assign(out[s].points.size(), Vec3::Zero());
                    break;
                }
            }
        return out;
    }

    [[nodiscard]] PatchSide side_of(const Ring& r, const std::vector<std::size_t>& edges) const {
        double length = 0;
        for (std::size_t k : edges) length += edge(r.loop[k]).curve.length();
        PatchSide out;
        double before = 0;
        std::size_t e = 0;
        for (std::size_t i = 0; i <= patch_steps; ++i) {
            const double at = length * static_cast<double>(i) / patch_steps;
            while (e + 1 < edges.size() && at > before + edge(r.loop[edges[e]]).curve.length()) before += edge(r.loop[edges[e]]).curve.length(), ++e;
            const Coedge& c = r.loop[edges[e]];
            const Curve& k = edge(c).curve;
            const double share = std::clamp((at - before) / k.length(), 0.0, 1.0), t = k.parameter_at(c.reversed ? 1 - share : share);
            out.points.push_back(k.point(t));
            const Vec3 way = (c.reversed ? -1 : 1) * k.derivative(t).normalized();
            out.on.push_back(outward(r.beside[edges[e]].face, k.point(t)).cross(way).normalized());
        }
        return out;
    }

    // What is left, closed by the faces beside it.
    void carried_on() {
        std::vector<std::size_t> left;
        for (std::size_t i = 0; i < rings_.size(); ++i)
            if (!rings_[i].done) left.push_back(i);
        if (left.empty()) return;
        std::vector<std::vector<std::size_t>> tries{left};
        if (left.size() > 1)
            for (std::size_t i : left) tries.push_back({i});
        for (const auto& rings : tries) {
            if (std::any_of(rings.begin(), rings.end(), [&](std::size_t i) { return rings_[i].done; })) continue;
            // Edges that go on in each other become one in the graph: the rings are found anew there.
            Body copy = body();
            double size = 0;
            for (const Vec3& v : copy.vertices) copy.box.extend(v);
            for (std::size_t i : rings) size = std::max(size, rings_[i].length);
            SkinGraph graph(std::move(copy));
            Wound wound;
            for (std::size_t i : rings)
                for (const Coedge& c : rings_[i].loop) wound.edges.push_back(c.edge.value);
            for (std::size_t i : rings)
                for (const EdgeSide& u : rings_[i].beside) graph.lengthen(u.face, size);
            const Closing closing = close_wound(graph, wound, limits_.tol);
            if (!closing.edit) continue;
            if (!enter(rings, "closed by the faces beside it, carried on until they meet")) continue;
            graph.apply(*closing.edit);
            // Faces, loops and edges have other numbers now.
            body() = graph.bare();
            early_.clear();
            rings_.clear();
            find_rings();
            refused_again();
            return carried_on();
        }
    }

    // Rings that the plan refuses, or that could not be closed, are not tried twice.
    void refused_again() {
        for (Ring& r : rings_)
            for (const LedgerEntry& e : out_.ledger) r.done = r.done || (e.state == EntryState::refused && (e.place - r.middle).norm() <= slack_);
    }

    double slack_;
    const SewLimits& limits_;
    std::vector<double> early_;  // of the faces that came; none once they have other numbers
    std::vector<Ring> rings_;
    FilledSkin out_;
};

}  // namespace

FilledSkin filled(const Body& skin, double slack, const SewLimits& limits, const std::vector<double>& early) {
    return Filling(skin, slack, limits, early).run();
}

}  // namespace halvo
