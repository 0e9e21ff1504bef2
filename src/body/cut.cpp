// Bodies cut by planes.
#include "body/face_outlines.hpp"
#include "body/skin_graph.hpp"
#include "body/surface_cut.hpp"
#include "body/trace_loops.hpp"
#include "core/index.hpp"
#include "geom/carry.hpp"
#include "geom/facet_tree.hpp"

#include <halvo/cut.hpp>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double found_near = 1000;  // tolerances: between where facets tell of a crossing's end and the edge it ends on

[[noreturn]] void cannot(const Body& body, const std::string& why) {
    throw Error(ErrorKind::stage, "[[cut]]: " + body.label + " cannot be cut there: " + why + "; move the plane a little");
}

// Both parts share what is worked out here: edges in pieces, and where the plane passes through faces.
class PlaneCut {
public:
    PlaneCut(const Body& body, const Plane& plane, double tol) : body_(body), plane_(plane), tol_(tol), cutter_(PlaneSurface{frame()}) {}

    CutParts run() {
        CutParts out;
        if (!crosses()) {
            (plane_.height(body_.mass.centre) > 0 ? out.front : out.back) = body_;
            return out;
        }
        out.crossed = true;
        vertices_ = body_.vertices;
        part_edges();
        find_sections();
        out.front = part(1), out.back = part(-1);
        check(out);
        return out;
    }

private:
    enum class Side { back = -1, on = 0, front = 1 };
    struct Piece {
        int edge = -1;  // in edges_
        Side side = Side::on;
    };
    struct Section {
        int edge = -1;  // in edges_
        int face = -1;
    };

    [[nodiscard]] Frame frame() const { return Frame::with_z(body_.box.center() - plane_.height(body_.box.center()) * plane_.normal, plane_.normal); }

    [[nodiscard]] bool crosses() const {
        double low = 0, high = 0;
        for (const Vec3& p : body_.points) low = std::min(low, plane_.height(p)), high = std::max(high, plane_.height(p));
        return low < -found_near * tol_ && high > found_near * tol_;
    }

    [[nodiscard]] Side side_of(const Curve& c) const {
        double far = 0;
        for (const double w : {0.5, 0.25, 0.75, 0.1, 0.9}) {
            const double h = plane_.height(c.point(c.t0 + w * (c.t1 - c.t0)));
            if (std::abs(h) > std::abs(far)) far = h;
        }
        return std::abs(far) <= 10 * tol_ ? Side::on : far > 0 ? Side::front : Side::back;
    }

    int vertex_at(const Vec3& p) {
        for (const int v : on_plane_)
            if ((vertices_[ix(v)] - p).norm() <= 10 * tol_) return v;
        vertices_.push_back(p);
        on_plane_.push_back(static_cast<int>(vertices_.size()) - 1);
        return on_plane_.back();
    }

    void part_edges() {
        for (std::size_t v = 0; v < vertices_.size(); ++v)
            if (std::abs(plane_.height(vertices_[v])) <= 10 * tol_) on_plane_.push_back(static_cast<int>(v));
        pieces_.resize(body_.edges.size());
        for (std::size_t e = 0; e < body_.edges.size(); ++e) {
            const BodyEdge& edge = body_.edges[e];
            if (edge.degenerate) continue;
            std::vector<double> at;
            if (side_of(edge.curve) != Side::on || !lies_on(edge.curve)) at = meets(edge.curve, plane_);
            std::erase_if(at, [&](double t) {
                const Vec3 p = edge.curve.point(t);
                return (p - edge.curve.start()).norm() <= 10 * tol_ || (p - edge.curve.end()).norm() <= 10 * tol_;
            });
            int from = edge.vertices[0];
            double t = edge.curve.t0;
            at.push_back(edge.curve.t1);
            for (const double& next : at) {
                const bool last = &next == &at.back();
                const int to = last ? edge.vertices[1] : vertex_at(edge.curve.point(next));
                Curve c = edge.curve.is_line() ? Curve::segment(vertices_[ix(from)], vertices_[ix(to)]) : edge.curve.piece(t, next);
                const Side side = side_of(c);
                pieces_[e].push_back({static_cast<int>(edges_.size()), side});
                edges_.push_back({std::move(c), {from, to}, false});
                from = to, t = next;
            }
        }
    }

    [[nodiscard]] bool lies_on(const Curve& c) const {
        for (int i = 0; i <= 8; ++i)
            if (std::abs(plane_.height(c.point(c.t0 + i / 8.0 * (c.t1 - c.t0)))) > 10 * tol_) return false;
        return true;
    }

    // The curve in which a face's surface meets the plane, exactly, over the stretch that was found.
    [[nodiscard]] Curve exact(const Curve& found, int face) const {
        const auto whole = carried_from(base(face), cutter_, found.start(), found.derivative(found.t0), 1.5 * found.length() + tol_, tol_);
        if (!whole || whole->shape.index() == 3) return found;
        if (whole->is_line()) return Curve::segment(found.start(), found.end());
        Curve out = *whole;
        if (!found.closed(found_near * tol_)) out.t1 = whole->nearest(found.end());
        const Vec3 m = found.middle();
        return (out.point(out.nearest(m)) - m).norm() <= found_near * tol_ && out.t1 > out.t0 ? out : found;
    }

    [[nodiscard]] int snapped(const Vec3& p) const {
        int best = -1;
        double least = found_near * tol_;
        for (const int v : on_plane_)
            if (const double d = (vertices_[ix(v)] - p).norm(); d < least) least = d, best = v;
        return best;
    }

    void find_sections() {
        const Chart chart(frame());
        const double reach = 10 * tol_;
        for (Curve& c : cut_faces(body_, chart, body_.box, reach, tol_)) {
            if (runs_along_edge(c)) continue;
            const auto near = body_.tree->nearest(c.middle(), body_.box.diagonal().norm());
            if (!near) continue;
            const int face = body_.facets[ix(near->facet)].face;
            if (c.closed(found_near * tol_) && snapped(c.start()) < 0) {
                Curve k = exact(c, face);
                const int v = vertex_at(k.start());
                sections_.push_back({static_cast<int>(edges_.size()), face});
                edges_.push_back({std::move(k), {v, v}, false});
                continue;
            }
            const int a = snapped(c.start()), b = snapped(c.end());
            if (a < 0 || b < 0) cannot(body_, "a crossing of its skin ends beside its edges");
            Curve k = exact(c, face);
            if (k.is_line()) k = Curve::segment(vertices_[ix(a)], vertices_[ix(b)]);
            sections_.push_back({static_cast<int>(edges_.size()), face});
            edges_.push_back({std::move(k), {a, b}, false});
        }
    }

    [[nodiscard]] bool runs_along_edge(const Curve& c) const {
        for (const auto& list : pieces_)
            for (const Piece& p : list) {
                if (p.side != Side::on) continue;
                const Curve& k = edges_[ix(p.edge)].curve;
                if (!k.box().intersects(c.box())) continue;
                bool along = true;
                for (const double w : {0.2, 0.5, 0.8}) {
                    const Vec3 q = c.point(c.t0 + w * (c.t1 - c.t0));
                    along = along && (k.point(k.nearest(q)) - q).norm() <= found_near * tol_;
                }
                if (along) return true;
            }
        return false;
    }

    [[nodiscard]] Vec3 normal(int face, const Vec3& p) const {
        const Vec3 n = base(face).foot(p).normal;
        return body_.faces[ix(face)].reversed ? Vec3(-n) : n;
    }

    [[nodiscard]] const BaseSurface& base(int face) const {
        const auto it = bases_.find(face);
        return it != bases_.end() ? it->second : bases_.emplace(face, BaseSurface(body_.faces[ix(face)].surface)).first->second;
    }

    // What lies before the plane (1) or behind it (-1).
    std::optional<Body> part(int way) {
        Body out;
        static_cast<BodyNames&>(out) = body_;
        out.colour = body_.colour, out.place = body_.place, out.part = body_.part;
        std::map<int, std::vector<const Section*>> sections;
        for (const Section& s : sections_) sections[s.face].push_back(&s);
        std::map<int, int> uses;
        std::map<int, Coedge> once;
        const auto edge = [&](BodyEdgeId e) -> const BodyEdge& { return edges_[e.index()]; };
        for (std::size_t f = 0; f < body_.faces.size(); ++f) {
            std::vector<LoopUse> list = kept_uses(static_cast<int>(f), way, !sections[static_cast<int>(f)].empty());
            for (const Section* s : sections[static_cast<int>(f)]) {
                const Curve& c = edges_[ix(s->edge)].curve;
                const Vec3 m = c.middle();
                const bool forward = way * normal(static_cast<int>(f), m).cross(c.derivative(0.5 * (c.t0 + c.t1))).dot(plane_.normal) > 0;
                list.push_back({bare_coedge(s->edge, !forward), -1});
            }
            if (list.empty()) continue;
            auto loops = trace_loops(list, edge, [&](const Vec3& p) { return normal(static_cast<int>(f), p); });
            if (!loops) cannot(body_, "the parts of one of its faces do not close");
            for (const LoopUse& u : list) ++uses[u.use.edge.value], once[u.use.edge.value] = u.use;
            add_faces(out, static_cast<int>(f), std::move(*loops), way);
        }
        if (out.faces.empty()) return std::nullopt;
        std::vector<LoopUse> cap;
        for (const auto& [e, n] : uses)
            if (n == 1) cap.push_back({bare_coedge(e, !once[e].reversed), -1});
        if (!cap.empty()) add_cap(out, cap, way, edge);
        finish(out);
        return out;
    }

    // The pieces of a face's loops on one side, those that followed each other still do. Seams of a face that is cut go: what is left of it may
    // need none, and gets one where it does.
    [[nodiscard]] std::vector<LoopUse> kept_uses(int face, int way, bool is_cut) const {
        std::vector<LoopUse> out;
        std::map<int, int> both;  // of pieces on this side: how often the face uses them
        if (is_cut)
            for (const auto& loop : body_.faces[ix(face)].loops)
                for (const Coedge& c : loop)
                    for (const Piece& p : pieces_[c.edge.index()])
                        if (static_cast<int>(p.side) == way) ++both[p.edge];
        const bool flat = lies_in_plane(face);
        if (flat && normal(face, body_.edges[body_.faces[ix(face)].loops[0][0].edge.index()].curve.start()).dot(plane_.normal) * way > 0) return out;
        for (const auto& loop : body_.faces[ix(face)].loops) {
            std::vector<std::ptrdiff_t> order;  // numbers of the pieces that stay, -1 for those that go
            for (const Coedge& c : loop) {
                const auto& list = pieces_[c.edge.index()];
                for (std::size_t i = 0; i < list.size(); ++i) {
                    const Piece& p = list[c.reversed ? list.size() - 1 - i : i];
                    const auto seam = both.find(p.edge);
                    if (seam != both.end() && seam->second == 2) {
                        order.push_back(-1);
                        continue;
                    }
                    const bool stays = flat || static_cast<int>(p.side) == way || (p.side == Side::on && inside_of_on(face, p, c.reversed) == way);
                    order.push_back(stays ? static_cast<std::ptrdiff_t>(out.size()) : -1);
                    if (stays) out.push_back({bare_coedge(p.edge, c.reversed), -1});
                }
            }
            for (std::size_t i = 0; i < order.size(); ++i)
                if (order[i] >= 0) out[static_cast<std::size_t>(order[i])].after = order[(i + 1) % order.size()];
        }
        return out;
    }

    [[nodiscard]] bool lies_in_plane(int face) const {
        const auto* p = std::get_if<PlaneSurface>(&body_.faces[ix(face)].surface);
        return p && std::abs(plane_.height(p->frame.origin)) <= 10 * tol_ && p->frame.z.cross(plane_.normal).norm() < 1e-9;
    }

    // On which side of the plane a face goes on from an edge that lies on it.
    [[nodiscard]] int inside_of_on(int face, const Piece& p, bool reversed) const {
        const Curve& c = edges_[ix(p.edge)].curve;
        const Vec3 m = c.middle(), along = (reversed ? -1 : 1) * c.derivative(0.5 * (c.t0 + c.t1)).normalized();
        const double h = normal(face, m).cross(along).dot(plane_.normal);
        return h > 0 ? 1 : -1;
    }

    // One face for each loop with material inside, with the holes that lie in it; where loops go all round a closed surface it stays one.
    void add_faces(Body& out, int face, std::vector<std::vector<Coedge>> loops, int way) const {
        const Face& f = body_.faces[ix(face)];
        Face whole;
        whole.surface = f.surface, whole.reversed = f.reversed;
        if (std::holds_alternative<PlaneSurface>(f.surface)) {
            add_plane_faces(out, whole, std::move(loops), normal(face, std::get<PlaneSurface>(f.surface).frame.origin));
            return;
        }
        if (auto* ball = std::get_if<SphereSurface>(&whole.surface)) turn_poles_away(*ball, face, way);
        if (loops.size() == 1) {
            whole.loops = std::move(loops);
            out.faces.push_back(std::move(whole));
            return;
        }
        std::vector<LaidLoop> laid;
        for (const auto& loop : loops) laid.push_back(laid_loop(f.surface, f.reversed, loop, edges_));
        const bool winds = std::any_of(laid.begin(), laid.end(), [](const LaidLoop& l) { return l.winds; });
        const auto outer = std::count_if(laid.begin(), laid.end(), [](const LaidLoop& l) { return l.area > 0; });
        if (winds || outer <= 1) {
            // The outer one first.
            for (const bool first : {true, false})
                for (std::size_t i = 0; i < loops.size(); ++i)
                    if ((laid[i].area > 0) == first) whole.loops.push_back(loops[i]);
            out.faces.push_back(std::move(whole));
            return;
        }
        for (std::size_t k = 0; k < loops.size(); ++k) {
            if (laid[k].area <= 0) continue;
            Face one = whole;
            one.loops.push_back(loops[k]);
            for (std::size_t i = 0; i < loops.size(); ++i)
                if (laid[i].area <= 0 && inside({laid[k].outline}, laid[k].chart.local2(start_of(loops[i][0]), laid[k].outline[0])))
                    one.loops.push_back(loops[i]);
            out.faces.push_back(std::move(one));
        }
    }

    [[nodiscard]] Vec3 start_of(const Coedge& c) const {
        const Curve& k = edges_[c.edge.index()].curve;
        return c.reversed ? k.end() : k.start();
    }

    // A sphere has its poles where it is put: away from what is left of the face, so that no edge runs through them.
    void turn_poles_away(SphereSurface& ball, int face, int way) const {
        constexpr int rings = 6, round = 12;
        constexpr double clear = 0.98;  // cosine, as at 11 degrees
        std::vector<Vec3> points;
        const Face& f = body_.faces[ix(face)];
        for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
            for (int c : body_.facets[i].corners) {
                const Vec3& p = body_.points[ix(c)];
                if (way * plane_.height(p) >= -10 * tol_) points.push_back((p - ball.frame.origin) / ball.radius);
            }
        for (const auto& s : sections_)
            if (s.face == face) points.push_back((edges_[ix(s.edge)].curve.middle() - ball.frame.origin) / ball.radius);
        double best = clear;
        Vec3 axis = Vec3::Zero();
        for (int i = 0; i < rings; ++i)
            for (int j = 0; j < round; ++j) {
                const double h = (i + 0.5) / rings, a = 2 * pi * (j + 0.25) / round, r = std::sqrt(1 - h * h);
                const Vec3 d = r * std::cos(a) * ball.frame.x + r * std::sin(a) * ball.frame.y + h * ball.frame.z;
                double nearest = 0;
                for (const Vec3& p : points) nearest = std::max(nearest, std::abs(p.dot(d)));
                if (nearest < best) best = nearest, axis = d;
            }
        if (!axis.isZero()) ball.frame = Frame::with_z(ball.frame.origin, axis);
    }

    void add_plane_faces(Body& out, const Face& like, std::vector<std::vector<Coedge>> loops, const Vec3& n) const {
        const Frame plane = Frame::with_z(std::get<PlaneSurface>(like.surface).frame.origin, n);
        std::vector<std::vector<Vec2>> outlines;
        std::vector<double> areas;
        for (const auto& loop : loops) {
            std::vector<Vec2> outline;
            for (const Coedge& c : loop) {
                constexpr int pieces = 24;
                const Curve& k = edges_[c.edge.index()].curve;
                const int n_pieces = k.is_line() ? 1 : pieces;
                for (int i = 0; i < n_pieces; ++i) {
                    const double w = static_cast<double>(i) / n_pieces;
                    outline.push_back(plane.local2(k.point(k.t0 + (c.reversed ? 1 - w : w) * (k.t1 - k.t0))));
                }
            }
            areas.push_back(polygon_area(outline)), outlines.push_back(std::move(outline));
        }
        std::vector<int> owner(loops.size(), -1);
        for (std::size_t i = 0; i < loops.size(); ++i) {
            if (areas[i] > 0) continue;
            for (std::size_t k = 0; k < loops.size(); ++k)
                if (areas[k] > 0 && inside({outlines[k]}, outlines[i][0]) && (owner[i] < 0 || areas[k] < areas[ix(owner[i])])) owner[i] = static_cast<int>(k);
        }
        for (std::size_t k = 0; k < loops.size(); ++k) {
            if (areas[k] <= 0) continue;
            Face one = like;
            one.loops.push_back(loops[k]);
            for (std::size_t i = 0; i < loops.size(); ++i)
                if (owner[i] == static_cast<int>(k)) one.loops.push_back(loops[i]);
            out.faces.push_back(std::move(one));
        }
    }

    void add_cap(Body& out, const std::vector<LoopUse>& uses, int way, const std::function<const BodyEdge&(BodyEdgeId)>& edge) const {
        Face cap;
        cap.surface = PlaneSurface{frame()}, cap.reversed = way > 0;  // outward is away from what stays
        const Vec3 n = -way * plane_.normal;
        auto loops = trace_loops(uses, edge, [&](const Vec3&) { return n; });
        if (!loops) cannot(body_, "what it shows there does not close");
        add_plane_faces(out, cap, std::move(*loops), n);
    }

    void finish(Body& out) const {
        std::map<int, int> edges, vertices;
        const auto vertex = [&](int v) {
            const auto [it, fresh] = vertices.try_emplace(v, static_cast<int>(out.vertices.size()));
            if (fresh) out.vertices.push_back(vertices_[ix(v)]);
            return it->second;
        };
        for (Face& f : out.faces)
            for (auto& loop : f.loops)
                for (Coedge& c : loop) {
                    const auto [it, fresh] = edges.try_emplace(c.edge.value, static_cast<int>(out.edges.size()));
                    const BodyEdge& e = edges_[c.edge.index()];
                    if (fresh) out.edges.push_back({e.curve, {vertex(e.vertices[0]), vertex(e.vertices[1])}, false});
                    c.edge = BodyEdgeId(it->second);
                }
        for (const BodyEdge& e : out.edges) out.box.extend(e.curve.box());
        try {
            out = SkinGraph(std::move(out)).result();  // edges in needless pieces are joined
        } catch (const NotLaid& e) {
            cannot(body_, e.what());
        }
    }

    void check(const CutParts& parts) const {
        constexpr double sums_up = 1e-5;  // of the volume
        const double sum = (parts.front ? parts.front->mass.volume : 0) + (parts.back ? parts.back->mass.volume : 0);
        if (std::abs(sum - body_.mass.volume) > sums_up * body_.mass.volume) cannot(body_, "its parts do not make up the whole");
    }

    const Body& body_;
    Plane plane_;
    double tol_;
    BaseSurface cutter_;
    std::vector<Vec3> vertices_;
    std::vector<int> on_plane_;               // vertices there
    std::vector<BodyEdge> edges_;             // pieces of the body's, then the sections
    std::vector<std::vector<Piece>> pieces_;  // of each edge of the body, from its start on
    std::vector<Section> sections_;
    mutable std::map<int, BaseSurface> bases_;  // of faces, made once: splines' take a net of points
};

}  // namespace

CutParts cut_by(const Body& body, const Plane& plane, double tol) {
    return PlaneCut(body, plane, tol).run();
}

}  // namespace halvo
