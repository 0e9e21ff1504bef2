#include "body/opening.hpp"

#include <algorithm>
#include <tuple>

namespace halvo::wound {

Vec3 Opening::normal(int face, const Vec3& p) const {
    const Vec3 n = graph_.base(face).foot(p).normal;
    return body().faces[ix(face)].reversed ? Vec3(-n) : n;
}

Vec3 Opening::middle_of(int face) const {
    Box3 box;
    for (const auto& loop : body().faces[ix(face)].loops)
        for (const Coedge& c : loop)
            if (!edge_of(c).degenerate) box.extend(edge_of(c).curve.box());
    return box.center();
}

bool Opening::starts_of(std::vector<EdgeSide>& starts, std::string& why) {
    for (int f : gone_)
        for (const auto& loop : body().faces[ix(f)].loops)
            for (const Coedge& c : loop) {
                const BodyEdge& e = edge_of(c);
                if (e.degenerate) continue;
                const auto& sides = graph_.sides(c.edge.value);
                if (sides.size() != 2) return why = "the skin is open there", false;
                box_.extend(e.curve.box());
                const EdgeSide& other = sides[0].face == f && (sides[1].face != f || &graph_.coedge(sides[0]) == &c) ? sides[1] : sides[0];
                if (gone_.count(other.face)) {
                    if (other.face != f) gone_beside_[f].insert(other.face);
                    continue;
                }
                kept_beside_[f].insert(other.face);
                wound_.insert(c.edge.value), starts.push_back(other);
            }
    for (int e : free_) {
        if (graph_.sides(e).size() != 1) return why = "an edge there is not free", false;
        box_.extend(body().edges[ix(e)].curve.box());
        wound_.insert(e), starts.push_back(graph_.sides(e)[0]);
    }
    return true;
}

// The rings of faces round the opening, and the edges that end there.
bool Opening::open(State& s, std::string& why) {
    std::vector<EdgeSide> starts;
    if (!starts_of(starts, why)) return false;
    std::sort(starts.begin(), starts.end(),
              [](const EdgeSide& a, const EdgeSide& b) { return std::tie(a.face, a.loop, a.place) < std::tie(b.face, b.loop, b.place); });
    size_ = box_.isEmpty() ? tol_ : box_.diagonal().norm();
    for (const auto& [f, others] : gone_beside_) {
        std::vector<int> rounds;
        for (int r : others)
            if (kept_beside_[r].size() == 2) rounds.push_back(r);
        if (rounds.size() >= 3) beside_patch_.emplace_back(f, rounds);
    }
    for (const EdgeSide& k : starts) {
        const int e = graph_.coedge(k).edge.value;
        borders_[k.face].emplace_back(body().edges[ix(e)].curve.box(), e);
    }
    std::set<int> seen;
    for (const EdgeSide& start : starts)
        if (!seen.count(graph_.coedge(start).edge.value) && !ring_from(start, s, seen, why)) return false;
    return true;
}

EdgeSide Opening::next_of(EdgeSide s) const {
    const auto& loop = body().faces[ix(s.face)].loops[ix(s.loop)];
    do s.place = (s.place + 1) % static_cast<int>(loop.size());
    while (edge_of(loop[ix(s.place)]).degenerate);
    return s;
}

bool Opening::ring_from(const EdgeSide& start, State& s, std::set<int>& seen, std::string& why) {
    Ring ring{{start.face, -1, start.loop}};
    EdgeSide here = start;
    seen.insert(graph_.coedge(here).edge.value);
    for (std::size_t guard = 0; guard < 4 * body().edges.size() + 16; ++guard) {
        const EdgeSide next = next_of(here);
        const Coedge& c = graph_.coedge(next);
        if (in_wound(c)) {
            if (next.face == start.face && next.loop == start.loop && next.place == start.place) {
                // The last slot goes on in the first.
                if (ring.size() > 1) ring.pop_back();
                s.rings.push_back(std::move(ring));
                return true;
            }
            seen.insert(c.edge.value);
            here = next;
            continue;
        }
        const auto& sides = graph_.sides(c.edge.value);
        if (sides.size() != 2) return why = "the skin is open beside it", false;
        const EdgeSide across = &graph_.coedge(sides[0]) == &c ? sides[1] : sides[0];
        Strand k{next.face, across.face, c.edge.value, c.reversed ? 1 : 0, graph_.start_of(c), std::nullopt, 0};
        ring.back().strand = static_cast<int>(s.strands.size());
        s.strands.push_back(k), used_.insert({next.face, next.loop}), used_.insert({across.face, across.loop});
        ring.push_back({across.face});
        here = across;
    }
    return why = "the edges round it do not close", false;
}

Vec3 Opening::point(const State& s, int vertex) const {
    return ix(vertex) < body().vertices.size() ? body().vertices[ix(vertex)] : s.vertices[ix(vertex) - body().vertices.size()];
}

std::optional<Vec3> Opening::to_border(int face, const Vec3& p) const {
    const auto it = borders_.find(face);
    if (it == borders_.end()) return std::nullopt;
    double best = std::numeric_limits<double>::max();
    Vec3 out = Vec3::Zero();
    for (const auto& [box, e] : it->second) {
        if (box.squaredExteriorDistance(p) >= best * best) continue;
        const Curve& c = body().edges[ix(e)].curve;
        const Vec3 d = c.point(c.nearest(p)) - p;
        if (d.norm() < best) best = d.norm(), out = d;
    }
    return out;
}

double Opening::beyond(int face, const Vec3& p) const {
    const auto d = to_border(face, p);
    return d ? d->norm() : 0;
}

double Opening::parts(int prev, int next, const Vec3& p, const Vec3& way) const {
    double sum = 0;
    for (const bool first : {true, false}) {
        const int face = first ? prev : next;
        const auto d = to_border(face, p);
        if (!d || d->norm() <= tol_) continue;
        sum += normal(face, p).cross(first ? Vec3(-way) : way).dot(d->normalized());
    }
    return sum;
}

}  // namespace halvo::wound
