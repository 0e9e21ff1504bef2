#include "body/merge_faces.hpp"

#include "body/trace_loops.hpp"
#include "core/index.hpp"

#include <algorithm>
#include <array>
#include <set>

namespace halvo {
namespace {

double area_of(const SkinGraph& graph, int face) {
    return graph.body().faces[ix(face)].area;
}

// Outward normals agree where both faces lie on one surface: the skin goes on rather than folding back.
bool goes_on(const SkinGraph& graph, int a, int b, const Vec3& at) {
    const Face &f = graph.body().faces[ix(a)], &g = graph.body().faces[ix(b)];
    const Vec3 n = graph.base(a).foot(at).normal, m = graph.base(b).foot(at).normal;
    return (f.reversed == g.reversed ? 1 : -1) * n.dot(m) > 0;
}

class PiecesFinder {
public:
    PiecesFinder(const SkinGraph& graph, double tol) : graph_(graph), tol_(tol), taken_(graph.body().faces.size(), false) {}

    std::vector<FacesInPieces> run() {
        std::vector<int> order;
        for (std::size_t f = 0; f < taken_.size(); ++f)
            if (graph_.has_face(static_cast<int>(f)) && !std::holds_alternative<FreeSurface>(graph_.body().faces[f].surface))
                order.push_back(static_cast<int>(f));
        std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return area_of(graph_, a) > area_of(graph_, b) * (1 + 1e-9); });
        std::vector<FacesInPieces> out;
        for (int seed : order)
            if (!taken_[ix(seed)])
                if (auto one = grown(seed)) out.push_back(std::move(*one));
        return out;
    }

private:
    std::optional<FacesInPieces> grown(int seed) {
        FacesInPieces out;
        std::set<int> own{seed};
        out.faces.push_back(seed), taken_[ix(seed)] = true;
        for (std::size_t i = 0; i < out.faces.size(); ++i)
            for (const auto& loop : graph_.body().faces[ix(out.faces[i])].loops)
                for (const Coedge& c : loop) {
                    const int other = beyond(c, out.faces[i]);
                    if (other < 0 || taken_[ix(other)] || !same(seed, other, c)) continue;
                    taken_[ix(other)] = true, own.insert(other), out.faces.push_back(other);
                }
        if (out.faces.size() < 2) return std::nullopt;
        bool bounded = false;
        std::set<int> between;
        for (int f : out.faces) {
            out.area += area_of(graph_, f);
            for (const auto& loop : graph_.body().faces[ix(f)].loops)
                for (const Coedge& c : loop) {
                    const auto& sides = graph_.sides(c.edge.value);
                    if (graph_.body().edges[c.edge.index()].degenerate) continue;
                    if (sides.size() == 2 && own.count(sides[0].face) && own.count(sides[1].face)) between.insert(c.edge.value);
                    else bounded = true;
                }
        }
        if (!bounded) return std::nullopt;
        double longest = 0;
        for (int e : between) {
            const Curve& c = graph_.body().edges[ix(e)].curve;
            const double l = c.length();
            out.length += l, out.edges.push_back(e);
            if (l > longest * (1 + 1e-9)) longest = l, out.place = c.middle();
        }
        return out;
    }

    [[nodiscard]] int beyond(const Coedge& c, int face) const {
        const auto& sides = graph_.sides(c.edge.value);
        if (graph_.body().edges[c.edge.index()].degenerate || sides.size() != 2 || sides[0].face == sides[1].face) return -1;
        return sides[0].face == face ? sides[1].face : sides[0].face;
    }

    [[nodiscard]] bool same(int seed, int other, const Coedge& c) const {
        const Curve& k = graph_.body().edges[c.edge.index()].curve;
        Box3 box;
        for (const auto& loop : graph_.body().faces[ix(other)].loops)
            for (const Coedge& u : loop) box.extend(graph_.body().edges[u.edge.index()].curve.box());
        return same_surface(graph_.body().faces[ix(seed)].surface, graph_.body().faces[ix(other)].surface, k.middle(), box.diagonal().norm(), tol_) &&
               goes_on(graph_, seed, other, k.middle());
    }

    const SkinGraph& graph_;
    double tol_;
    std::vector<bool> taken_;
};

}  // namespace

std::vector<FacesInPieces> faces_in_pieces(const SkinGraph& graph, double tol) {
    return PiecesFinder(graph, tol).run();
}

std::optional<SkinEdit> made_one(const SkinGraph& graph, const FacesInPieces& pieces) {
    const Body& body = graph.body();
    const std::set<int> gone(pieces.edges.begin(), pieces.edges.end());
    SkinEdit edit;
    std::map<std::array<int, 3>, std::ptrdiff_t> number;
    std::vector<LoopUse> uses;
    std::vector<EdgeSide> places;
    for (int f : pieces.faces)
        for (std::size_t l = 0; l < body.faces[ix(f)].loops.size(); ++l) {
            edit.loops.emplace_back(f, static_cast<int>(l));
            const auto& loop = body.faces[ix(f)].loops[l];
            for (std::size_t i = 0; i < loop.size(); ++i) {
                if (body.edges[loop[i].edge.index()].degenerate || gone.count(loop[i].edge.value)) continue;
                number[{f, static_cast<int>(l), static_cast<int>(i)}] = static_cast<std::ptrdiff_t>(uses.size());
                uses.push_back({bare_coedge(loop[i].edge.value, loop[i].reversed), -1});
                places.push_back({f, static_cast<int>(l), static_cast<int>(i)});
            }
        }
    const auto after = [&](EdgeSide s) {
        const auto& loop = body.faces[ix(s.face)].loops[ix(s.loop)];
        do s.place = (s.place + 1) % static_cast<int>(loop.size());
        while (body.edges[loop[ix(s.place)].edge.index()].degenerate);
        return s;
    };
    for (std::size_t i = 0; i < uses.size(); ++i) {
        EdgeSide s = after(places[i]);
        std::size_t steps = 0;
        while (gone.count(graph.coedge(s).edge.value)) {
            if (++steps > 2 * gone.size() + 2) return std::nullopt;
            const auto& sides = graph.sides(graph.coedge(s).edge.value);
            s = after(&graph.coedge(sides[0]) == &graph.coedge(s) ? sides[1] : sides[0]);
        }
        uses[i].after = number.at({s.face, s.loop, s.place});
    }
    const auto normal = [&](const Vec3& p) {
        const Vec3 n = graph.base(pieces.faces[0]).foot(p).normal;
        return body.faces[ix(pieces.faces[0])].reversed ? Vec3(-n) : n;
    };
    auto loops = trace_loops(
        uses, [&](BodyEdgeId e) -> const BodyEdge& { return body.edges[e.index()]; }, normal);
    if (!loops || loops->empty()) return std::nullopt;
    for (auto& loop : *loops) edit.borders.emplace_back(pieces.faces[0], std::move(loop));
    for (std::size_t k = 1; k < pieces.faces.size(); ++k) edit.united.emplace_back(pieces.faces[0], pieces.faces[k]);
    for (int e : pieces.edges)
        for (int v : body.edges[ix(e)].vertices) edit.ends.push_back(v);
    return edit;
}

}  // namespace halvo
