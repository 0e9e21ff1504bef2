#include "body/close_wound.hpp"

#include "body/opening.hpp"
#include "body/trace_loops.hpp"
#include "core/index.hpp"
#include "geom/carry.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace wound {
namespace {

constexpr double apart_at_most = 1000;  // tolerances, between places found along two edges: files give their edges that exactly
constexpr double farthest = 2;          // times the opening's size: how far an edge is carried on
constexpr double level = 1e-4;          // cosine: a direction along a face rather than into it
constexpr double unsure = 0.3;          // sum of two sines: on which sides of an edge two faces lie

enum class Step { meet, connect, reach_over, cover, star };

struct Event {
    double cost = 0;
    Step step{};
    std::size_t ring = 0, slot = 0, other_ring = 0, other_slot = 0;
    Vec3 at = Vec3::Zero();
    double t = 0, u = 0;                           // on the strands before and after the slot
    Vec3 way = Vec3::Zero(), back = Vec3::Zero();  // where new edges go
    std::array<std::size_t, 3> rings{};            // of a star, in their order round it
    std::array<Vec3, 3> ways{};
};

class Closer : public Opening {
public:
    Closer(const SkinGraph& graph, const Wound& wound, double tol, int effort) : Opening(graph, wound, tol), effort_(effort) {}

    Closing run() {
        State s;
        Closing out;
        if (!open(s, out.why)) return out;
        const int slots = slots_of(s);
        most_ = effort_ + slots * slots * 4;
        for (const auto& [patch, rounds] : beside_patch_) {
            middle_[patch] = middle_of(patch);
            for (int r : rounds) middle_[r] = middle_of(r);
        }
        for (Strand& k : s.strands) carry(k);
        const bool closed = solve(s);
        out.effort = spent_;
        if (!closed) {
            out.why = spent_ >= most_ ? "the faces beside it meet in too many ways" : "the faces beside it do not meet when they are carried on";
            return out;
        }
        SkinEdit edit;
        if (!write_edit(*this, s, edit, out.why)) return out;
        out.edit = std::move(edit);
        return out;
    }

private:
    void carry(Strand& k) const {
        const BodyEdge& e = body().edges[ix(k.edge)];
        const Curve own = k.end == 1 ? e.curve : e.curve.reversed();
        const auto on = carried_past(own, graph_.base(k.prev), graph_.base(k.next), farthest * size_, tol_);
        const bool closed = e.vertices[0] == e.vertices[1];
        k.way = closed ? on : own, k.open = closed && on ? on->t0 : own.t1;
        if (!on || closed) return;
        if (own.shape.index() != on->shape.index()) return;
        if (own.is_line()) k.way->t1 = own.t1 + (on->t1 - on->t0);
        else if (own.shape.index() == 3) k.way = appended(own, *on);
        else k.way->t1 = on->t1;
    }

    [[nodiscard]] bool same_face(int a, int b, const Vec3& at) const {
        if (a == b) return true;
        const Face &f = body().faces[ix(a)], &g = body().faces[ix(b)];
        if (std::holds_alternative<FreeSurface>(f.surface) || !same_surface(f.surface, g.surface, at, size_, 10 * tol_)) return false;
        return normal(a, at).dot(normal(b, at)) > 0;
    }

    // How far both faces have to be carried on along the part of a strand that comes to be an edge.
    [[nodiscard]] double beyond_along(const Strand& k, double t) const {
        if (!k.way || t <= k.open) return 0;
        double worst = 0;
        for (const double w : {0.25, 0.5, 0.75}) {
            const Vec3 p = k.way->point(k.open + w * (t - k.open));
            worst = std::max({worst, beyond(k.prev, p), beyond(k.next, p)});
        }
        return worst;
    }

    // Where along its way a strand comes to a point; nothing where it passes it by.
    [[nodiscard]] std::optional<double> comes_to(const Strand& k, const Vec3& p, const Vec3& from) const {
        if ((p - from).norm() <= tol_) return k.open;
        if (!k.way) return std::nullopt;
        const double t = k.way->nearest(p);
        if ((k.way->point(t) - p).norm() > apart_at_most * tol_) return std::nullopt;
        return t;
    }
    // The same for the point where it starts: once round.
    [[nodiscard]] static std::optional<double> comes_round(const Strand& k, double tol) {
        if (!k.way || k.way->is_line() || (k.way->start() - k.way->end()).norm() > apart_at_most * tol) return std::nullopt;
        return k.way->t1;
    }

    // Directions along a and c from their common point, towards the inside of a face beside a strand that arrives there.
    [[nodiscard]] static double into(const Vec3& way, const Vec3& n, const Vec3& forward, bool prev) {
        return way.dot(prev ? Vec3(-n.cross(forward)) : Vec3(n.cross(forward)));
    }

    // Where its way passes through a face's surface, the two places next to its open end; an edge that went too far may come back.
    [[nodiscard]] std::vector<double> near_open(const Strand& k, int face) const {
        auto list = crossed_at(*k.way, graph_.base(face), tol_);
        if (k.edge >= 0 && (point_of(k) - graph_.base(face).foot(point_of(k)).point).norm() <= tol_) list.insert(list.begin(), k.open);
        std::stable_sort(list.begin(), list.end(), [&](double a, double b) { return std::abs(a - k.open) < std::abs(b - k.open); });
        if (list.size() > 2) list.resize(2);
        return list;
    }
    [[nodiscard]] static Vec3 point_of(const Strand& k) { return k.way->point(k.open); }

    void add_meet(const State& s, std::size_t r, std::size_t i, std::vector<Event>& out) const {
        const Ring& ring = s.rings[r];
        const std::size_t n = ring.size(), before = (i + n - 1) % n, after = (i + 1) % n;
        const Strand &p = s.strands[ix(ring[before].strand)], &q = s.strands[ix(ring[i].strand)];
        const int a = ring[before].face, b = ring[i].face, c = ring[after].face;
        const Vec3 pv = point(s, p.vertex), qv = point(s, q.vertex);
        if (n == 2 || same_face(a, c, pv)) {
            const bool round = p.vertex == q.vertex && p.edge < 0 && q.edge < 0;
            const auto t = round ? comes_round(p, tol_) : comes_to(p, qv, pv);
            const auto u = round ? std::optional(0.0) : comes_to(q, pv, qv);
            const bool alike = n > 2 || before == after;
            if (!alike || (!t && !u)) return;
            if ((p.edge < 0 || q.edge >= 0) && !t) return;
            if (p.edge >= 0 && q.edge < 0 && !t) return;
            if (p.edge < 0 && q.edge >= 0 && !u) return;
            const double far = std::max(t && (p.edge < 0 || q.edge >= 0) ? beyond_along(p, *t) : 0, u && q.edge < 0 ? beyond_along(q, *u) : 0);
            out.push_back({far, Step::connect, r, i, 0, 0, qv, t.value_or(0), u.value_or(0)});
            return;
        }
        if (p.edge < 0 && q.edge < 0 && p.vertex == q.vertex) return;
        std::vector<Vec3> places;
        const auto look = [&](const Strand& k, int face) {
            if (!k.way) return;
            for (const double t : near_open(k, face)) places.push_back(k.way->point(t));
        };
        look(p, c), look(q, a);
        std::optional<Event> best;
        for (const Vec3& place : places) {
            const Vec3 at = onto_three(graph_.base(a), graph_.base(b), graph_.base(c), place).value_or(place);
            if ((at - place).norm() > apart_at_most * tol_) continue;
            const auto t = comes_to(p, at, pv), u = comes_to(q, at, qv);
            if (!t || !u) continue;
            if (std::max((at - pv).norm(), (at - qv).norm()) > farthest * size_) continue;
            const double cost = std::max({beyond(a, at), beyond(b, at), beyond(c, at), beyond_along(p, *t), beyond_along(q, *u)});
            if (!best || cost < best->cost) best = Event{cost, Step::meet, r, i, 0, 0, at, *t, *u};
        }
        if (!best) return;
        const Vec3 na = normal(a, best->at), nc = normal(c, best->at);
        Vec3 w = na.cross(nc);
        if (w.norm() < level) return;
        w.normalize();
        const auto forward = [&](const Strand& k, double t) { return k.way ? Vec3(k.way->derivative(t).normalized()) : Vec3(Vec3::Zero()); };
        const double sa = into(w, na, forward(p, best->t), true), sc = into(w, nc, forward(q, best->u), false);
        if (std::abs(sa) < level && std::abs(sc) < level) {
            best->way = w.dot(forward(p, best->t)) < 0 ? Vec3(-w) : w;
            out.push_back(*best);
            return;
        }
        const double lead = std::abs(sa) < level ? sc : std::abs(sc) < level ? sa : sa * sc > 0 ? sa : 0;
        if (lead != 0) {
            best->way = lead < 0 ? Vec3(-w) : w;
            out.push_back(*best);
            return;
        }
        // One face turns the corner by more than half round.
        best->way = parts(a, c, best->at, w) < 0 ? Vec3(-w) : w;
        out.push_back(*best);
        best->way = -best->way, best->cost *= 1 + 1e-6;
        out.push_back(*best);
    }

    void add_reach_over(const State& s, std::size_t r, std::size_t i, std::size_t o, std::size_t j, std::vector<Event>& out) const {
        const Slot& slot = s.rings[r][i];
        const int g = s.rings[o][j].face;
        if (slot.strand < 0) return;
        const Strand& k = s.strands[ix(slot.strand)];
        if (!k.way || k.prev == g || k.next == g) return;
        const auto list = near_open(k, g);
        if (list.empty()) return;
        Event e{0, Step::reach_over, r, i, o, j};
        e.t = list[0], e.at = k.way->point(e.t);
        if (k.prev != k.next)
            if (const auto at = onto_three(graph_.base(k.prev), graph_.base(k.next), graph_.base(g), e.at); at && (*at - e.at).norm() <= apart_at_most * tol_)
                e.at = *at;
        if ((e.at - point_of(k)).norm() > farthest * size_) return;
        e.cost = std::max({beyond(k.prev, e.at), beyond(k.next, e.at), beyond(g, e.at), beyond_along(k, e.t)});
        const Vec3 ng = normal(g, e.at), forward = k.way->derivative(e.t).normalized();
        const auto leave = [&](int face, bool prev) {
            const Vec3 n = normal(face, e.at);
            Vec3 w = n.cross(ng);
            if (w.norm() < level) return Vec3(Vec3::Zero());
            w.normalize();
            const double told = prev ? parts(face, g, e.at, w) : parts(g, face, e.at, w);
            return Vec3((std::abs(told) > unsure ? told : into(w, n, forward, prev)) < 0 ? Vec3(-w) : w);
        };
        e.way = leave(k.prev, true), e.back = leave(k.next, false);
        if (!e.way.isZero() && !e.back.isZero()) out.push_back(e);
    }

    // A ring of one face whose border runs round nothing else than the opening.
    void add_cover(const State& s, std::size_t r, std::vector<Event>& out) const {
        const Ring& ring = s.rings[r];
        if (ring.size() != 1 || ring[0].strand >= 0 || ring[0].loop < 0) return;
        const Face& face = body().faces[ix(ring[0].face)];
        const auto& loop = face.loops[ix(ring[0].loop)];
        const LaidLoop laid = laid_loop(face.surface, face.reversed, loop, body().edges);
        Box3 box;
        for (const Coedge& c : loop) box.extend(edge_of(c).curve.box());
        if (laid.is_inner()) out.push_back({0.5 * box.diagonal().norm(), Step::cover, r});
    }

    // Where rounds run together on all sides no edge ends at the opening. A corner patch then tells of three faces that meet in a point, and
    // the rounds beside it of the edges that leave it.
    void add_stars(const State& s, std::vector<Event>& out) const {
        std::map<int, std::size_t> alone;  // rings of one face, by it
        for (std::size_t r = 0; r < s.rings.size(); ++r)
            if (s.rings[r].size() == 1 && s.rings[r][0].strand < 0) alone[s.rings[r][0].face] = r;
        if (alone.size() < 3 || alone.size() < s.rings.size()) return;  // edges that end at the opening lead everywhere
        for (const auto& [patch, rounds] : beside_patch_) {
            for (std::size_t i = 0; i < rounds.size(); ++i)
                for (std::size_t j = i + 1; j < rounds.size(); ++j)
                    for (std::size_t k = j + 1; k < rounds.size(); ++k) add_star(alone, patch, {rounds[i], rounds[j], rounds[k]}, out);
        }
    }

    void add_star(const std::map<int, std::size_t>& alone, int patch, const std::array<int, 3>& rounds, std::vector<Event>& out) const {
        std::set<int> faces;
        for (int r : rounds)
            for (int f : kept_beside_.at(r)) faces.insert(f);
        if (faces.size() != 3 || std::any_of(faces.begin(), faces.end(), [&](int f) { return !alone.count(f); })) return;
        std::array<int, 3> f{};
        std::copy(faces.begin(), faces.end(), f.begin());
        const auto at = onto_three(graph_.base(f[0]), graph_.base(f[1]), graph_.base(f[2]), middle_.at(patch));
        if (!at || (*at - middle_.at(patch)).norm() > size_) return;
        // Of the edge between each two: along the round that lies there.
        const auto along = [&](int a, int b) -> std::optional<Vec3> {
            for (int r : rounds)
                if (kept_beside_.at(r).count(a) && kept_beside_.at(r).count(b)) {
                    const Vec3 w = normal(a, *at).cross(normal(b, *at));
                    if (w.norm() < level) return std::nullopt;
                    return w.dot(middle_.at(r) - *at) < 0 ? Vec3(-w.normalized()) : w.normalized();
                }
            return std::nullopt;
        };
        const auto w01 = along(f[0], f[1]);
        if (!w01) return;
        if (parts(f[0], f[1], *at, *w01) < 0) std::swap(f[1], f[2]);
        Event e{(*at - middle_.at(patch)).norm(), Step::star};
        e.at = *at;
        for (std::size_t k = 0; k < 3; ++k) {
            const auto w = along(f[k], f[(k + 1) % 3]);
            if (!w) return;
            e.rings[k] = alone.at(f[k]), e.ways[k] = *w;
        }
        out.push_back(e);
    }

    bool star(State& s, const Event& e) const {
        const int v = vertex_at(s, e.at, {});
        Ring ring;
        for (std::size_t k = 0; k < 3; ++k) {
            const int a = s.rings[e.rings[k]][0].face, b = s.rings[e.rings[(k + 1) % 3]][0].face;
            const int strand = new_strand(s, a, b, v, e.ways[k]);
            if (strand < 0) return false;
            ring.push_back({a, strand});
        }
        auto gone = e.rings;
        std::sort(gone.rbegin(), gone.rend());
        for (std::size_t r : gone) s.rings.erase(s.rings.begin() + static_cast<std::ptrdiff_t>(r));
        s.rings.push_back(std::move(ring));
        return true;
    }

    [[nodiscard]] std::vector<Event> events(const State& s) const {
        std::vector<Event> out;
        add_stars(s, out);
        for (std::size_t r = 0; r < s.rings.size(); ++r) {
            const Ring& ring = s.rings[r];
            if (ring.size() > 1)
                for (std::size_t i = 0; i < ring.size(); ++i)
                    if (ring.size() > 2 || i == 0) add_meet(s, r, i, out);
            add_cover(s, r, out);
            for (std::size_t o = 0; o < s.rings.size(); ++o)
                for (std::size_t i = 0; o != r && i < ring.size(); ++i)
                    for (std::size_t j = 0; j < s.rings[o].size(); ++j) add_reach_over(s, r, i, o, j, out);
        }
        std::stable_sort(out.begin(), out.end(), [](const Event& a, const Event& b) { return a.cost < b.cost * (1 - 1e-9); });
        return out;
    }

    static int slots_of(const State& s) {
        std::size_t n = 0;
        for (const Ring& r : s.rings) n += r.size();
        return static_cast<int>(n);
    }

    bool solve(State& s) {
        if (s.rings.empty()) return true;
        spent_ += slots_of(s);
        for (const Event& e : events(s)) {
            if (spent_ > most_) return false;
            State next = s;
            if (!take(next, e) || !solve(next)) continue;
            s = std::move(next);
            return true;
        }
        return false;
    }

    int vertex_at(State& s, const Vec3& p, const std::vector<const Strand*>& ends) const {
        for (const Strand* k : ends)
            if ((point(s, k->vertex) - p).norm() <= tol_) return k->vertex;
        s.vertices.push_back(p);
        return static_cast<int>(body().vertices.size() + s.vertices.size()) - 1;
    }

    // Ends a strand at a vertex, so far along its way.
    bool end_at(State& s, const Strand& k, int vertex, double t) const {
        const Vec3 p = point(s, vertex);
        if (k.edge < 0) {
            if (vertex == k.vertex && (!k.way || t <= k.open)) return true;  // three faces meet where it starts: there is no edge
            Curve c = k.way->is_line() ? Curve::segment(k.way->start(), p) : k.way->piece(k.way->t0, t);
            s.edges.push_back({{std::move(c), {k.vertex, vertex}, false}, k.prev, k.next});
            return true;
        }
        if (vertex == k.vertex) return true;
        const auto [it, fresh] = s.carried.try_emplace(k.edge, body().edges[ix(k.edge)]);
        BodyEdge& e = it->second;
        if (e.curve.is_line()) {
            const Vec3 other = e.vertices[0] == e.vertices[1] ? e.curve.start() : k.end == 1 ? e.curve.start() : e.curve.end();
            e.curve = k.end == 1 ? Curve::segment(other, p) : Curve::segment(p, other);
        } else if (e.curve.shape.index() == 3) {
            Curve c = k.end == 1 ? e.curve : e.curve.reversed();
            if (!k.way || k.way->shape.index() != 3) return false;
            c = t > k.open ? appended(c, k.way->piece(k.open, t)) : c.piece(c.t0, c.nearest(p));
            e.curve = k.end == 1 ? c : c.reversed();
        } else {
            // Circles and ellipses run on in their own parameter.
            (k.end == 1 ? e.curve.t1 : e.curve.t0) += (k.end == 1 ? 1 : -1) * (t - k.open);
        }
        if (!(e.curve.length() > tol_)) return false;
        e.vertices[ix(k.end)] = vertex;
        return true;
    }

    static Curve appended(const Curve& a, const Curve& b) {
        const auto sampled = [](const Curve& c, std::vector<Vec3>& points, std::vector<Vec3>& tangents) {
            const auto& k = std::get<PolylineCurve>(c.shape);
            std::vector<double> at{c.t0};
            for (double t : k.at)
                if (t > c.t0 && t < c.t1) at.push_back(t);
            at.push_back(c.t1);
            for (double t : at) points.push_back(c.point(t)), tangents.push_back(c.derivative(t).normalized());
        };
        std::vector<Vec3> points, tangents;
        sampled(a, points, tangents);
        points.pop_back(), tangents.pop_back();
        sampled(b, points, tangents);
        return Curve::polyline(std::move(points), std::move(tangents));
    }

    int new_strand(State& s, int prev, int next, int vertex, const Vec3& way) const {
        Strand k{prev, next, -1, 0, vertex, std::nullopt, 0};
        k.way = carried_from(graph_.base(prev), graph_.base(next), point(s, vertex), way, farthest * size_, tol_);
        if (!k.way) return -1;
        k.open = k.way->t0;
        s.strands.push_back(std::move(k));
        return static_cast<int>(s.strands.size()) - 1;
    }

    bool take(State& s, const Event& e) const {
        if (e.step == Step::cover) {
            s.rings.erase(s.rings.begin() + static_cast<std::ptrdiff_t>(e.ring));
            return true;
        }
        if (e.step == Step::star) return star(s, e);
        return e.step == Step::connect ? connect(s, e) : e.step == Step::meet ? meet(s, e) : reach_over(s, e);
    }

    bool connect(State& s, const Event& e) const {
        Ring& ring = s.rings[e.ring];
        const std::size_t n = ring.size(), before = (e.slot + n - 1) % n, after = (e.slot + 1) % n;
        const Strand p = s.strands[ix(ring[before].strand)], q = s.strands[ix(ring[e.slot].strand)];
        if (p.edge >= 0 && q.edge >= 0 && p.vertex != q.vertex) {
            const Vec3 end = point(s, q.vertex);
            if (e.t <= p.open) return false;
            Curve c = p.way->is_line() ? Curve::segment(point_of(p), end) : p.way->piece(p.open, e.t);
            s.edges.push_back({{std::move(c), {p.vertex, q.vertex}, false}, p.prev, p.next});
        } else if (p.edge >= 0 && q.edge >= 0) {
            s.ends.push_back(p.vertex);  // there is nothing between them
        } else if (p.edge < 0 && q.edge >= 0) {
            if (!end_at(s, q, p.vertex, e.u)) return false;
        } else if (!end_at(s, p, q.vertex, e.t)) {
            return false;
        }
        if (n == 2) {
            s.rings.erase(s.rings.begin() + static_cast<std::ptrdiff_t>(e.ring));
            return true;
        }
        if (ring[before].face != ring[after].face) s.united.emplace_back(ring[before].face, ring[after].face);
        ring[before].strand = ring[after].strand;
        const std::size_t high = std::max(e.slot, after), low = std::min(e.slot, after);
        ring.erase(ring.begin() + static_cast<std::ptrdiff_t>(high)), ring.erase(ring.begin() + static_cast<std::ptrdiff_t>(low));
        return true;
    }

    bool meet(State& s, const Event& e) const {
        const Ring ring = s.rings[e.ring];
        const std::size_t n = ring.size(), before = (e.slot + n - 1) % n, after = (e.slot + 1) % n;
        const Strand p = s.strands[ix(ring[before].strand)], q = s.strands[ix(ring[e.slot].strand)];
        const int v = vertex_at(s, e.at, {&p, &q});
        if (!end_at(s, p, v, e.t) || !end_at(s, q, v, e.u)) return false;
        const int k = new_strand(s, ring[before].face, ring[after].face, v, e.way);
        if (k < 0) return false;
        Ring& changed = s.rings[e.ring];
        changed[before].strand = k;
        changed.erase(changed.begin() + static_cast<std::ptrdiff_t>(e.slot));
        return true;
    }

    bool reach_over(State& s, const Event& e) const {
        const Ring one = s.rings[e.ring], two = s.rings[e.other_ring];
        const Strand k = s.strands[ix(one[e.slot].strand)];
        const int g = two[e.other_slot].face;
        const int v = vertex_at(s, e.at, {&k});
        if (!end_at(s, k, v, e.t)) return false;
        const int to = new_strand(s, k.prev, g, v, e.way), back = new_strand(s, g, k.next, v, e.back);
        if (to < 0 || back < 0) return false;
        Ring ring;
        for (std::size_t i = 1; i <= one.size(); ++i) ring.push_back(one[(e.slot + i) % one.size()]);
        ring.back().strand = to;
        if (two.size() > 1 || two[0].strand >= 0)
            for (std::size_t j = 0; j < two.size(); ++j) ring.push_back(two[(e.other_slot + j) % two.size()]);
        ring.push_back({g, back});
        s.rings[e.ring] = std::move(ring);
        s.rings.erase(s.rings.begin() + static_cast<std::ptrdiff_t>(e.other_ring));
        return true;
    }

    int effort_, most_ = 0, spent_ = 0;  // faces round the opening looked at
    std::map<int, Vec3> middle_;         // of corner patches and the rounds beside them
};

}  // namespace
}  // namespace wound

Closing close_wound(const SkinGraph& graph, const Wound& wound, double tol, int effort) {
    return wound::Closer(graph, wound, tol, effort).run();
}

}  // namespace halvo
