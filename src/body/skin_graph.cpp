#include "body/skin_graph.hpp"

#include "body/face_facets.hpp"
#include "body/face_integrals.hpp"
#include "core/index.hpp"
#include "geom/parameters.hpp"
#include "geom/spline_curve.hpp"

#include <algorithm>
#include <numeric>

namespace halvo {
namespace {

// Numbers closed up: only what faces use stays.
Body closed_up(const Body& body, const std::vector<bool>& face_there, const std::vector<std::vector<bool>>& loop_there, std::map<int, int>& vertices) {
    Body out;
    static_cast<BodyNames&>(out) = body;
    out.colour = body.colour, out.closed = body.closed, out.turned = body.turned, out.place = body.place, out.part = body.part;
    std::map<int, int> edges;
    const auto vertex = [&](int v) {
        if (v < 0) return v;
        const auto [it, fresh] = vertices.try_emplace(v, static_cast<int>(out.vertices.size()));
        if (fresh) out.vertices.push_back(body.vertices[ix(v)]);
        return it->second;
    };
    for (std::size_t f = 0; f < body.faces.size(); ++f) {
        if (!face_there[f]) continue;
        Face face;
        face.surface = body.faces[f].surface, face.reversed = body.faces[f].reversed;
        for (std::size_t l = 0; l < body.faces[f].loops.size(); ++l) {
            if (!loop_there[f][l]) continue;
            std::vector<Coedge> loop;
            for (const Coedge& c : body.faces[f].loops[l]) {
                const BodyEdge& e = body.edges[c.edge.index()];
                if (e.degenerate) continue;  // poles get theirs when the loops are laid
                const auto [it, fresh] = edges.try_emplace(c.edge.value, static_cast<int>(out.edges.size()));
                if (fresh) out.edges.push_back({e.curve, {vertex(e.vertices[0]), vertex(e.vertices[1])}, false});
                Coedge k;
                k.edge = BodyEdgeId(it->second), k.reversed = c.reversed;
                loop.push_back(std::move(k));
            }
            face.loops.push_back(std::move(loop));
        }
        out.faces.push_back(std::move(face));
    }
    return out;
}

// One curve for two that follow each other, the first up to where the second starts; nothing where they are pieces of different lines.
std::optional<Curve> joined(const Curve& a, const Curve& b, double tol) {
    if (a.shape.index() == 3 && b.shape.index() == 3) {
        const auto &p = std::get<PolylineCurve>(a.shape), &q = std::get<PolylineCurve>(b.shape);
        if (p.tangents.empty() || q.tangents.empty() || a.t0 > p.at.front() + tol || a.t1 < p.at.back() - tol || b.t0 > q.at.front() + tol ||
            b.t1 < q.at.back() - tol || p.tangents.back().dot(q.tangents.front()) < 1 - 1e-6)
            return std::nullopt;
        std::vector<Vec3> points = p.points, tangents = p.tangents;
        points.insert(points.end(), q.points.begin() + 1, q.points.end());
        tangents.insert(tangents.end(), q.tangents.begin() + 1, q.tangents.end());
        return Curve::polyline(std::move(points), std::move(tangents));
    }
    if (a.shape.index() != b.shape.index() || !same_carrier(a, b, tol) || a.derivative(a.t1).dot(b.derivative(b.t0)) <= 0) return std::nullopt;
    if (a.is_line()) return Curve::segment(a.start(), b.end());
    Curve out = a;
    out.t1 = a.t1 + (b.t1 - b.t0);
    return out;
}

double tolerance_of(const Body& body) {
    return Tolerance::for_size(body.box.isEmpty() ? 1 : body.box.diagonal().norm()).point;
}

// Joins edges that follow each other between the same two faces on one curve, where nothing else ends. What is known of them in the
// parameters of spline faces would be lost: they stay.
class EdgeJoiner {
public:
    EdgeJoiner(Body& body, double tol) : body_(body), tol_(tol), at_(body.vertices.size()), faces_(body.edges.size()), gone_(body.edges.size(), false) {
        for (std::size_t e = 0; e < body.edges.size(); ++e)
            for (int v : body.edges[e].vertices)
                if (v >= 0) at_[ix(v)].insert(static_cast<int>(e));
        for (std::size_t f = 0; f < body.faces.size(); ++f)
            for (const auto& loop : body.faces[f].loops)
                for (const Coedge& c : loop) faces_[c.edge.index()].push_back(static_cast<int>(f));
        for (auto& list : faces_) std::sort(list.begin(), list.end());
    }

    int run(const std::vector<int>& vertices) {
        int count = 0;
        for (int v : vertices) count += join_at(v) ? 1 : 0;
        if (count == 0) return 0;
        for (Face& f : body_.faces)
            for (auto& loop : f.loops) std::erase_if(loop, [&](const Coedge& c) { return gone_[c.edge.index()]; });
        return count;
    }

private:
    bool join_at(int v) {
        if (at_[ix(v)].size() != 2) return false;
        const int e = *at_[ix(v)].begin(), g = *at_[ix(v)].rbegin();
        BodyEdge &a = body_.edges[ix(e)], &b = body_.edges[ix(g)];
        if (a.degenerate || b.degenerate || faces_[ix(e)] != faces_[ix(g)] || faces_[ix(e)].size() != 2) return false;
        if (a.vertices[0] == a.vertices[1] || b.vertices[0] == b.vertices[1]) return false;
        for (int f : faces_[ix(e)])
            if (std::holds_alternative<FreeSurface>(body_.faces[ix(f)].surface) && body_.faces[ix(f)].facet_count > 0) return false;
        // Seams' ends matter to their faces, and so does the vertex where a closed edge starts.
        const Curve first = a.vertices[1] == v ? a.curve : a.curve.reversed();
        const Curve second = b.vertices[0] == v ? b.curve : b.curve.reversed();
        auto curve = joined(first, second, tol_);
        if (!curve) return false;
        const int far = b.vertices[0] == v ? b.vertices[1] : b.vertices[0];
        const bool turned = a.vertices[1] != v;
        a.curve = turned ? curve->reversed() : *curve;
        a.vertices[turned ? 0 : 1] = far;
        at_[ix(far)].erase(g), at_[ix(far)].insert(e);
        at_[ix(v)].clear();
        gone_[ix(g)] = true;
        return true;
    }

    Body& body_;
    double tol_;
    std::vector<std::set<int>> at_;        // edges at vertices
    std::vector<std::vector<int>> faces_;  // at edges
    std::vector<bool> gone_;
};

}  // namespace

SkinGraph::SkinGraph(Body body) : body_(std::move(body)), face_there_(body_.faces.size(), true), loop_there_(body_.faces.size()) {
    std::vector<int> all(body_.vertices.size());
    std::iota(all.begin(), all.end(), 0);
    EdgeJoiner(body_, tolerance_of(body_)).run(all);
    sides_.resize(body_.edges.size());
    for (std::size_t f = 0; f < body_.faces.size(); ++f) {
        loop_there_[f].assign(body_.faces[f].loops.size(), true), loop_count_.push_back(static_cast<int>(body_.faces[f].loops.size()));
        for (std::size_t l = 0; l < body_.faces[f].loops.size(); ++l) add_sides(static_cast<int>(f), static_cast<int>(l));
    }
}

void SkinGraph::add_sides(int face, int loop) {
    const auto& list = body_.faces[ix(face)].loops[ix(loop)];
    for (std::size_t i = 0; i < list.size(); ++i) sides_[list[i].edge.index()].push_back({face, loop, static_cast<int>(i)});
}

const BaseSurface& SkinGraph::base(int face) const {
    const auto it = bases_.find(face);
    if (it != bases_.end()) return it->second;
    return bases_.emplace(face, BaseSurface(body_.faces[ix(face)].surface)).first->second;
}

const Coedge& SkinGraph::coedge(const EdgeSide& s) const {
    return body_.faces[ix(s.face)].loops[ix(s.loop)][ix(s.place)];
}

int SkinGraph::start_of(const Coedge& c) const {
    return body_.edges[c.edge.index()].vertices[c.reversed ? 1 : 0];
}

int SkinGraph::end_of(const Coedge& c) const {
    return body_.edges[c.edge.index()].vertices[c.reversed ? 0 : 1];
}

int SkinGraph::loops_of(int face) const {
    return loop_count_[ix(face)];
}

void SkinGraph::lengthen(int face, double by) {
    auto* free = std::get_if<FreeSurface>(&body_.faces[ix(face)].surface);
    if (!free || !free->spline) return;
    const NurbsSurface& s = *free->spline;
    const Vec2 period = periods_of(s), lo = s.domain().min(), hi = s.domain().max();
    Box2 range = s.domain();
    for (int k = 0; k < 2; ++k) {
        if (period[k] > 0) continue;
        for (const bool end : {false, true}) {
            Vec2 at = 0.5 * (lo + hi);
            at[k] = end ? hi[k] : lo[k];
            const auto j = s.jet(at, 1);
            const double length = (k == 0 ? j.du : j.dv).norm();
            // No further than half its own way: past that a polynomial tells nothing.
            const double d = std::min(0.5 * (hi[k] - lo[k]), length > 0 ? by / length : 0);
            (end ? range.max() : range.min())[k] += end ? d : -d;
        }
    }
    free->spline = std::make_shared<const NurbsSurface>(longer(s, range)), free->pipe = nullptr;
    bases_.erase(face);
}

void SkinGraph::apply(const SkinEdit& edit) {
    const auto drop_loop = [&](int face, int loop) {
        if (!loop_there_[ix(face)][ix(loop)]) return;
        loop_there_[ix(face)][ix(loop)] = false, --loop_count_[ix(face)];
        for (const Coedge& c : body_.faces[ix(face)].loops[ix(loop)])
            std::erase_if(sides_[c.edge.index()], [&](const EdgeSide& s) { return s.face == face && s.loop == loop; });
    };
    for (const auto& [f, l] : edit.loops) drop_loop(f, l);
    for (int f : edit.faces) {
        for (std::size_t l = 0; l < body_.faces[ix(f)].loops.size(); ++l) drop_loop(f, static_cast<int>(l));
        face_there_[ix(f)] = false;
    }
    body_.vertices.insert(body_.vertices.end(), edit.vertices.begin(), edit.vertices.end());
    body_.edges.insert(body_.edges.end(), edit.edges.begin(), edit.edges.end());
    sides_.resize(body_.edges.size());
    for (const auto& [e, edge] : edit.carried) body_.edges[ix(e)] = edge;
    const auto add_loop = [&](int face, std::vector<Coedge> loop) {
        body_.faces[ix(face)].loops.push_back(std::move(loop));
        loop_there_[ix(face)].push_back(true), ++loop_count_[ix(face)];
        add_sides(face, static_cast<int>(body_.faces[ix(face)].loops.size()) - 1);
    };
    for (const auto& [f, loop] : edit.borders) add_loop(f, loop);
    touched_.insert(edit.ends.begin(), edit.ends.end());
    for (const auto& [keep, gone] : edit.united) {
        for (std::size_t l = 0; l < body_.faces[ix(gone)].loops.size(); ++l) {
            if (!loop_there_[ix(gone)][l]) continue;
            auto loop = body_.faces[ix(gone)].loops[l];
            drop_loop(gone, static_cast<int>(l));
            add_loop(keep, std::move(loop));
        }
        face_there_[ix(gone)] = false;
    }
}

Body SkinGraph::bare() const {
    std::map<int, int> number;
    Body out = closed_up(body_, face_there_, loop_there_, number);
    std::vector<int> touched;
    for (int v : touched_)
        if (const auto it = number.find(v); it != number.end()) touched.push_back(it->second);
    if (EdgeJoiner(out, tolerance_of(body_)).run(touched) > 0) {
        const std::vector<bool> all(out.faces.size(), true);
        std::vector<std::vector<bool>> loops;
        for (const Face& f : out.faces) loops.emplace_back(f.loops.size(), true);
        out = closed_up(out, all, loops, number = {});
    }
    return out;
}

Body SkinGraph::result() const {
    Body out = bare();
    facet_by_thickness(out);
    finish_body(out);
    return out;
}

std::optional<MassProperties> change_by(const SkinGraph& graph, const SkinEdit& edit, const Vec3& origin) {
    const FaceFunction what = [&](const Vec3& p, const Vec3& n) {
        FaceIntegrals m = FaceIntegrals::Zero();
        m[0] = 1, m[1] = (p - origin).dot(n) / 3;
        return m;
    };
    FaceIntegrals sum = FaceIntegrals::Zero();
    for (int f : edit.faces) {
        const Face& face = graph.body().faces[ix(f)];
        sum -= face_integrals(graph.body(), face, what);
    }
    // Loops that go and come on the faces that stay: their difference alone.
    std::map<int, std::pair<Face, Face>> changed;
    const auto pair_of = [&](int f) -> std::pair<Face, Face>& {
        const auto [it, fresh] = changed.try_emplace(f);
        if (fresh) {
            for (Face* k : {&it->second.first, &it->second.second})
                k->surface = graph.body().faces[ix(f)].surface, k->reversed = graph.body().faces[ix(f)].reversed;
        }
        return it->second;
    };
    for (const auto& [f, l] : edit.loops) pair_of(f).first.loops.push_back(graph.body().faces[ix(f)].loops[ix(l)]);
    // Only the edges that the new loops use.
    Body after;
    const std::size_t before = graph.body().edges.size();
    const std::map<int, BodyEdge> carried(edit.carried.begin(), edit.carried.end());
    for (const auto& [f, loop] : edit.borders) {
        auto& own = pair_of(f).second.loops.emplace_back(loop);
        for (Coedge& c : own) {
            const int e = c.edge.value;
            const auto it = carried.find(e);
            after.edges.push_back(ix(e) >= before ? edit.edges[ix(e) - before] : it != carried.end() ? it->second : graph.body().edges[ix(e)]);
            c.edge = BodyEdgeId(after.edges.size() - 1);
        }
    }
    for (const auto& [f, k] : changed) {
        const auto& [old_face, new_face] = k;
        if (std::holds_alternative<FreeSurface>(old_face.surface)) return std::nullopt;
        sum -= face_integrals(graph.body(), old_face, what);
        sum += face_integrals(after, new_face, what);
    }
    MassProperties out;
    out.area = sum[0], out.volume = sum[1];
    return out;
}

}  // namespace halvo
