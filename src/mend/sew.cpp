#include "mend/sew.hpp"

#include "body/loose.hpp"
#include "body/orientation.hpp"
#include "body/trace_loops.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/box_tree.hpp"
#include "mend/doubled.hpp"
#include "mend/refit.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace halvo {

std::vector<std::vector<EdgeSide>> edge_uses(const Body& body) {
    std::vector<std::vector<EdgeSide>> out(body.edges.size());
    for (std::size_t f = 0; f < body.faces.size(); ++f)
        for (std::size_t l = 0; l < body.faces[f].loops.size(); ++l) {
            const auto& loop = body.faces[f].loops[l];
            for (std::size_t i = 0; i < loop.size(); ++i)
                if (!body.edges[loop[i].edge.index()].degenerate)
                    out[loop[i].edge.index()].push_back({static_cast<int>(f), static_cast<int>(l), static_cast<int>(i)});
        }
    return out;
}

Body pooled(const std::vector<const Body*>& bodies, std::vector<int>& origin) {
    Body out;
    origin.clear();
    for (std::size_t b = 0; b < bodies.size(); ++b) {
        const Body& from = *bodies[b];
        const int first_vertex = static_cast<int>(out.vertices.size()), first_edge = static_cast<int>(out.edges.size());
        out.vertices.insert(out.vertices.end(), from.vertices.begin(), from.vertices.end());
        for (BodyEdge e : from.edges) {
            for (int& v : e.vertices)
                if (v >= 0) v += first_vertex;
            out.edges.push_back(std::move(e));
        }
        for (const Face& f : from.faces) {
            Face k;
            k.surface = f.surface, k.reversed = f.reversed, k.area = f.area;
            for (const auto& loop : f.loops) {
                auto& own = k.loops.emplace_back();
                for (const Coedge& c : loop)
                    if (!from.edges[c.edge.index()].degenerate) own.push_back(bare_coedge(c.edge.value + first_edge, c.reversed));
                if (own.empty()) k.loops.pop_back();
            }
            out.faces.push_back(std::move(k)), origin.push_back(static_cast<int>(b));
        }
    }
    return out;
}

std::vector<int> turn_to_agree(Body& body) {
    std::vector<int> out;
    for (const AgainstMost& k : faces_against_most(body))
        if (k.told) out.insert(out.end(), k.faces.begin(), k.faces.end());
    std::sort(out.begin(), out.end());
    for (int f : out) turn_face(body.faces[ix(f)]);
    return out;
}

namespace {

constexpr double corner_reach = 1.75;  // times the reach: corners of three faces, each a gap off, are the root of three gaps apart
constexpr double alike = 0.8;          // of the largest, of what the borders of one face ended early by
constexpr double off_ends = 2;         // times the reach, from an edge's ends: nearer, and a vertex is one of them

class Sewing {
public:
    Sewing(const std::vector<const Body*>& bodies, const std::string& name, const SewLimits& limits) : bodies_(bodies), name_(name), limits_(limits) {
        body_ = pooled(bodies, origin_);
    }

    SewnSkin run() {
        drop_doubled();
        pass(limits_.reach, false);
        pass(limits_.near, true);
        apart_.edges.resize(body_.edges.size(), 0), apart_.vertices.resize(body_.vertices.size(), 0);
        std::vector<Vec3> middles;
        for (const BodyEdge& e : body_.edges) middles.push_back(e.degenerate ? Vec3(Vec3::Zero()) : e.curve.middle());
        if (changed_) refit(body_, apart_, widest_, limits_.tol);
        measure_early(middles);
        split();
        return std::move(out_);
    }

private:
    struct Pair {
        int e = -1, f = -1;
        double gap = 0;
        bool forward = true;  // both run the same way
    };

    [[nodiscard]] const Coedge& coedge(const EdgeSide& u) const { return body_.faces[ix(u.face)].loops[ix(u.loop)][ix(u.place)]; }
    [[nodiscard]] double length(int e) const { return body_.edges[ix(e)].curve.length(); }

    [[nodiscard]] std::vector<int> free_edges() const {
        const auto uses = edge_uses(body_);
        std::vector<int> out;
        for (std::size_t e = 0; e < uses.size(); ++e)
            if (uses[e].size() == 1) out.push_back(static_cast<int>(e));
        return out;
    }

    // How far the farthest of some points of one edge is from the other.
    [[nodiscard]] double off(int e, int f, double give_up) const {
        const Curve &c = body_.edges[ix(e)].curve, &k = body_.edges[ix(f)].curve;
        double worst = 0;
        for (const double share : {0.5, 0.06, 0.94, 0.28, 0.72, 0.17, 0.83, 0.39, 0.61}) {
            const Vec3 p = c.point(c.parameter_at(share));
            worst = std::max(worst, (k.point(k.nearest(p)) - p).norm());
            if (worst > give_up) break;
        }
        return worst;
    }

    void entry(EntryKind kind, EntryState state, const std::string& key, const std::string& about, double value, const Vec3& place) {
        LedgerEntry e;
        e.key = key, e.stage = "mend", e.kind = kind, e.state = state, e.about = name_ + ": " + about, e.value = value, e.place = place, e.body = name_;
        out_.ledger.push_back(std::move(e));
    }

    // Two faces on each other: the one that fewer edges connect goes.
    void drop_doubled() {
        std::vector<Box3> boxes;
        for (const Face& f : body_.faces) boxes.push_back(box_of_borders(body_, f));
        const BoxTree tree(boxes);
        const auto uses = edge_uses(body_);
        const auto connected = [&](std::size_t f) {
            int n = 0;
            for (const auto& loop : body_.faces[f].loops)
                for (const Coedge& c : loop) n += uses[c.edge.index()].size() > 1 ? 1 : 0;
            return n;
        };
        std::vector<bool> gone(body_.faces.size(), false);
        for (std::size_t f = 0; f < gone.size(); ++f) {
            if (gone[f] || boxes[f].isEmpty()) continue;
            for (int g : tree.touching(boxes[f])) {
                if (g <= static_cast<int>(f) || gone[ix(g)] || gone[f] || !lie_on_each_other(body_, f, ix(g), std::max(limits_.reach, limits_.tol))) continue;
                const std::size_t drop = connected(f) < connected(ix(g)) ? f : ix(g);
                const double area = body_.faces[drop].area;
                const std::string key = limits_.keys->unique(make_key("doubled", name_, {std::sqrt(area)}));
                const bool refused = limits_.refuse.count(key) > 0;
                entry(EntryKind::doubled_face, refused ? EntryState::refused : EntryState::applied, key,
                      fmt::format("a face of {:.1f} mm2 is there twice{}", area, refused ? "" : "; one stays"), area, boxes[f].center());
                if (!refused) gone[drop] = true, changed_ = true, touched_.insert(origin_[f]), touched_.insert(origin_[ix(g)]);
            }
        }
        if (std::none_of(gone.begin(), gone.end(), [](bool b) { return b; })) return;
        std::vector<Face> faces;
        std::vector<int> origin;
        for (std::size_t f = 0; f < gone.size(); ++f)
            if (!gone[f]) faces.push_back(std::move(body_.faces[f])), origin.push_back(origin_[f]);
        body_.faces = std::move(faces), origin_ = std::move(origin);
    }

    // Finds what runs together within a distance and sews it; of the second time round only what is forced, the rest is proposed.
    void pass(double reach, bool propose) {
        if (!(reach > 0) || (propose && reach <= limits_.reach)) return;
        if (free_edges().empty()) return;
        Body before = body_;
        Apart apart_before = apart_;
        split_at_foreign_vertices(reach);
        apart_.edges.resize(body_.edges.size(), 0), apart_.vertices.resize(body_.vertices.size(), 0);
        const std::vector<Pair> all = pairs(reach);
        std::vector<Pair> sew;
        for (const Pair& p : all) {
            const auto& curve = body_.edges[ix(p.e)].curve;
            std::array<double, 2> areas{face_area(p.e), face_area(p.f)};
            std::sort(areas.begin(), areas.end());
            const std::string key = limits_.keys->unique(make_key("sewn", name_, {curve.length(), std::sqrt(areas[0]), std::sqrt(areas[1])}));
            const bool refused = limits_.refuse.count(key) > 0, forced = limits_.force.count(key) > 0;
            if (propose && !forced) {
                out_.gaps.push_back(p.gap), out_.proposed_place = curve.middle();
                entry(EntryKind::sewn, refused ? EntryState::refused : EntryState::proposed, key,
                      fmt::format("free edges {:.4g} mm apart over {:.1f} mm", p.gap, curve.length()), p.gap, curve.middle());
                continue;
            }
            entry(EntryKind::sewn, refused ? EntryState::refused : EntryState::applied, key,
                  fmt::format("{} along {:.1f} mm, {}", refused ? "left open" : "sewn", curve.length(),
                              p.gap > limits_.tol ? fmt::format("a gap of {:.3g} mm", p.gap) : std::string("without a gap")),
                  p.gap, curve.middle());
            if (!refused) sew.push_back(p);
        }
        if (sew.empty()) {
            body_ = std::move(before), apart_ = std::move(apart_before);
            return;
        }
        connect(sew, reach);
    }

    [[nodiscard]] double face_area(int e) const {
        const auto it = face_of_.find(e);
        return it == face_of_.end() ? 0 : body_.faces[ix(it->second)].area;
    }

    // Where a free vertex lies beside the middle of a free edge, the edge is parted: edges that match in part match in whole pieces then.
    void split_at_foreign_vertices(double reach) {
        const std::vector<int> edges = free_edges();
        std::vector<Box3> boxes;
        std::set<int> vertices;
        for (int e : edges) {
            boxes.push_back(body_.edges[ix(e)].curve.box());
            for (int v : body_.edges[ix(e)].vertices) vertices.insert(v);
        }
        const BoxTree tree(boxes);
        const double near = corner_reach * reach;
        std::map<int, std::vector<double>> cuts;
        for (int v : vertices) {
            const Vec3 p = body_.vertices[ix(v)];
            for (int i : tree.touching(Box3(p - Vec3::Constant(near), p + Vec3::Constant(near)))) {
                const BodyEdge& e = body_.edges[ix(edges[ix(i)])];
                if (e.vertices[0] == v || e.vertices[1] == v) continue;
                const double t = e.curve.nearest(p);
                const Vec3 q = e.curve.point(t);
                if ((q - p).norm() > near || (q - e.curve.start()).norm() <= off_ends * near || (q - e.curve.end()).norm() <= off_ends * near) continue;
                cuts[edges[ix(i)]].push_back(t);
            }
        }
        if (cuts.empty()) return;
        std::map<int, std::vector<int>> pieces;  // of edges, from their start on
        for (auto& [e, at] : cuts) {
            std::sort(at.begin(), at.end());
            const BodyEdge whole = body_.edges[ix(e)];
            std::vector<double> use;
            for (double t : at)
                if (use.empty() || whole.curve.length(use.back(), t) > off_ends * near) use.push_back(t);
            std::vector<int> numbers;
            int last = whole.vertices[0];
            double from = whole.curve.t0;
            for (std::size_t k = 0; k <= use.size(); ++k) {
                const bool end = k == use.size();
                const double to = end ? whole.curve.t1 : use[k];
                int v = whole.vertices[1];
                if (!end) v = static_cast<int>(body_.vertices.size()), body_.vertices.push_back(whole.curve.point(to));
                const BodyEdge piece{whole.curve.piece(from, to), {last, v}, false};
                if (k == 0) body_.edges[ix(e)] = piece, numbers.push_back(e);
                else numbers.push_back(static_cast<int>(body_.edges.size())), body_.edges.push_back(piece);
                last = v, from = to;
            }
            pieces[e] = std::move(numbers);
        }
        for (Face& f : body_.faces)
            for (auto& loop : f.loops) {
                std::vector<Coedge> with;
                for (const Coedge& c : loop) {
                    const auto it = pieces.find(c.edge.value);
                    if (it == pieces.end()) {
                        with.push_back(c);
                        continue;
                    }
                    auto list = it->second;
                    if (c.reversed) std::reverse(list.begin(), list.end());
                    for (int k : list) with.push_back(bare_coedge(k, c.reversed));
                }
                loop = std::move(with);
            }
    }

    // Vertices within reach of each other, by a number of their own.
    [[nodiscard]] std::map<int, int> clusters(const std::vector<int>& edges, double reach) const {
        std::vector<int> list;
        for (int e : edges)
            for (int v : body_.edges[ix(e)].vertices) list.push_back(v);
        std::sort(list.begin(), list.end());
        list.erase(std::unique(list.begin(), list.end()), list.end());
        std::vector<Box3> boxes;
        for (int v : list) boxes.emplace_back(body_.vertices[ix(v)], body_.vertices[ix(v)]);
        const BoxTree tree(boxes);
        Groups groups(list.size());
        const double near = corner_reach * reach;
        for (std::size_t i = 0; i < list.size(); ++i) {
            const Vec3 p = body_.vertices[ix(list[i])];
            for (int j : tree.touching(Box3(p - Vec3::Constant(near), p + Vec3::Constant(near))))
                if (j > static_cast<int>(i) && (body_.vertices[ix(list[ix(j)])] - p).norm() <= near) groups.tie(static_cast<int>(i), j);
        }
        std::map<int, int> out;
        for (std::size_t i = 0; i < list.size(); ++i) out[list[i]] = groups.root(static_cast<int>(i));
        return out;
    }

    [[nodiscard]] std::vector<Pair> pairs(double reach) {
        const std::vector<int> edges = free_edges();
        const auto uses = edge_uses(body_);
        face_of_.clear();
        for (int e : edges) face_of_[e] = uses[ix(e)][0].face;
        const auto cluster = clusters(edges, reach);
        std::map<std::pair<int, int>, std::vector<int>> by_ends;
        for (int e : edges) {
            const auto& v = body_.edges[ix(e)].vertices;
            const int a = cluster.at(v[0]), b = cluster.at(v[1]);
            if (a == b && length(e) <= off_ends * corner_reach * reach) continue;  // shorter than what is closed: it comes to a point
            by_ends[std::minmax(a, b)].push_back(e);
        }
        std::vector<Pair> out;
        for (const auto& [ends, list] : by_ends) {
            if (list.size() < 2) continue;
            std::vector<Pair> candidates;
            Groups bunch(list.size());
            for (std::size_t i = 0; i < list.size(); ++i)
                for (std::size_t j = i + 1; j < list.size(); ++j) {
                    const double gap = std::max(off(list[i], list[j], reach), off(list[j], list[i], reach));
                    if (gap > reach) continue;
                    bunch.tie(static_cast<int>(i), static_cast<int>(j));
                    candidates.push_back({list[i], list[j], gap, same_way(list[i], list[j])});
                }
            std::map<int, std::vector<int>> by_root;
            for (std::size_t i = 0; i < list.size(); ++i) by_root[bunch.root(static_cast<int>(i))].push_back(list[i]);
            for (const auto& [root, bunch_edges] : by_root) {
                if (bunch_edges.size() < 2) continue;
                const std::set<int> own(bunch_edges.begin(), bunch_edges.end());
                std::vector<Pair> here;
                for (const Pair& p : candidates)
                    if (own.count(p.e)) here.push_back(p);
                if (bunch_edges.size() == 2) out.push_back(here[0]);
                else told_apart(bunch_edges, here, uses, out);
            }
        }
        return out;
    }

    [[nodiscard]] bool same_way(int e, int f) const {
        const Curve &c = body_.edges[ix(e)].curve, &k = body_.edges[ix(f)].curve;
        const double t = c.parameter_at(0.5);
        return c.derivative(t).dot(k.derivative(k.nearest(c.point(t)))) > 0;
    }

    // Three faces and more at one edge: those that have material between them belong together. Turning about the edge, a use against its sense
    // opens the material and one along it closes it.
    void told_apart(const std::vector<int>& bunch, const std::vector<Pair>& candidates, const std::vector<std::vector<EdgeSide>>& uses,
                    std::vector<Pair>& out) const {
        struct At {
            double angle = 0;
            int edge = -1;
            bool against = false;
        };
        const Curve& first = body_.edges[ix(bunch[0])].curve;
        const Vec3 along = first.derivative(first.parameter_at(0.5)).normalized(), x = along.unitOrthogonal(), y = along.cross(x);
        std::vector<At> round;
        for (int e : bunch) {
            const EdgeSide& u = uses[ix(e)][0];
            const Curve& c = body_.edges[ix(e)].curve;
            const double t = c.nearest(first.middle());
            const bool against = coedge(u).reversed == (c.derivative(t).dot(along) > 0);
            const Vec3 way = against ? Vec3(-along) : along;
            const Vec3 n = body_.faces[ix(u.face)].outward_or(c.point(t), x), in = n.cross(way);
            round.push_back({std::atan2(in.dot(y), in.dot(x)), e, against});
        }
        std::sort(round.begin(), round.end(), [](const At& a, const At& b) { return a.angle < b.angle; });
        for (std::size_t i = 0; i < round.size(); ++i) {
            const At &a = round[i], &b = round[(i + 1) % round.size()];
            if (!a.against || b.against) continue;
            for (const Pair& p : candidates)
                if ((p.e == a.edge && p.f == b.edge) || (p.e == b.edge && p.f == a.edge)) out.push_back(p);
        }
    }

    void connect(const std::vector<Pair>& list, double reach) {
        changed_ = true, widest_ = std::max(widest_, reach);
        Groups vertices(body_.vertices.size());
        std::map<int, std::pair<int, bool>> becomes;  // of edges: the one that stands for it, and whether it runs the same way
        for (const Pair& p : list) {
            becomes[p.f] = {p.e, p.forward};
            apart_.edges[ix(p.e)] = std::max(apart_.edges[ix(p.e)], p.gap);
            touched_.insert(origin_[ix(face_of_.at(p.e))]), touched_.insert(origin_[ix(face_of_.at(p.f))]);
            const auto &a = body_.edges[ix(p.e)].vertices, &b = body_.edges[ix(p.f)].vertices;
            vertices.tie(a[0], b[p.forward ? 0 : 1]), vertices.tie(a[1], b[p.forward ? 1 : 0]);
        }
        // What is shorter than the gaps that are closed comes to a point.
        const auto cluster = clusters(free_edges(), reach);
        std::set<int> gone;
        for (int e : free_edges()) {
            const auto& v = body_.edges[ix(e)].vertices;
            if (v[0] == v[1] || becomes.count(e) || cluster.at(v[0]) != cluster.at(v[1]) || length(e) > off_ends * corner_reach * reach) continue;
            vertices.tie(v[0], v[1]), gone.insert(e);
        }
        std::map<int, std::vector<int>> members;
        for (std::size_t v = 0; v < body_.vertices.size(); ++v) members[vertices.root(static_cast<int>(v))].push_back(static_cast<int>(v));
        std::vector<int> number(body_.vertices.size());
        for (const auto& [root, own] : members) {
            Vec3 sum = Vec3::Zero();
            double spread = 0;
            for (int v : own) {
                sum += body_.vertices[ix(v)], number[ix(v)] = own[0];
                spread = std::max({spread, (body_.vertices[ix(v)] - body_.vertices[ix(own[0])]).norm(), apart_.vertices[ix(v)]});
            }
            apart_.vertices[ix(own[0])] = spread;
            if (spread > limits_.tol) body_.vertices[ix(own[0])] = sum / static_cast<double>(own.size());
        }
        for (BodyEdge& e : body_.edges)
            for (int& v : e.vertices)
                if (v >= 0) v = number[ix(v)];
        for (Face& f : body_.faces) {
            for (auto& loop : f.loops) {
                std::erase_if(loop, [&](const Coedge& c) { return gone.count(c.edge.value) > 0; });
                for (Coedge& c : loop)
                    if (const auto it = becomes.find(c.edge.value); it != becomes.end()) c = bare_coedge(it->second.first, it->second.second == c.reversed);
            }
            std::erase_if(f.loops, [](const auto& loop) { return loop.empty(); });
        }
    }

    // How far edges went from where the faces beside them ended.
    void measure_early(const std::vector<Vec3>& middles) {
        early_.assign(body_.faces.size(), 0);
        for (std::size_t f = 0; f < body_.faces.size(); ++f) {
            double least = std::numeric_limits<double>::max(), most = 0;
            for (const auto& loop : body_.faces[f].loops)
                for (const Coedge& c : loop) {
                    const std::size_t e = c.edge.index();
                    if (apart_.edges[e] <= limits_.tol) continue;
                    const Curve& k = body_.edges[e].curve;
                    const double by = (k.point(k.nearest(middles[e])) - middles[e]).norm();
                    least = std::min(least, by), most = std::max(most, by);
                }
            if (most > limits_.tol && least > alike * most) early_[f] = 0.5 * (least + most);
        }
    }

    // One body for each skin that hangs together.
    void split() {
        const auto uses = edge_uses(body_);
        Groups groups(body_.faces.size());
        for (const auto& u : uses)
            for (std::size_t k = 1; k < u.size(); ++k) groups.tie(u[0].face, u[k].face);
        // What came as one body stays one, whatever its faces share.
        std::map<int, int> first;
        for (std::size_t f = 0; f < body_.faces.size(); ++f) {
            const auto [it, fresh] = first.try_emplace(origin_[f], static_cast<int>(f));
            if (!fresh) groups.tie(it->second, static_cast<int>(f));
        }
        std::map<int, std::vector<std::size_t>> parts;
        std::vector<int> order;
        for (std::size_t f = 0; f < body_.faces.size(); ++f) {
            const int root = groups.root(static_cast<int>(f));
            if (!parts.count(root)) order.push_back(root);
            parts[root].push_back(f);
        }
        out_.piece_of.assign(bodies_.size(), -1);
        for (int root : order) add_piece(parts[root]);
    }

    void add_piece(const std::vector<std::size_t>& faces) {
        Body piece = body_of_faces(body_, faces);
        bool unlike = false;
        std::map<int, double> area;
        for (const std::size_t f : faces) {
            area[origin_[f]] += body_.faces[f].area;
            unlike = unlike || touched_.count(origin_[f]) > 0;
        }
        int largest = area.begin()->first;
        for (const auto& [b, a] : area)
            if (a > area[largest] * (1 + 1e-9)) largest = b;
        const Body& like = *bodies_[ix(largest)];
        static_cast<BodyNames&>(piece) = like;
        piece.colour = like.colour, piece.part = like.part;
        if (area.size() > 1) {
            if (piece.path == piece.name) piece.path = name_;
            piece.name = name_;
            for (const auto& [b, a] : area) piece.number = std::min(piece.number, bodies_[ix(b)]->number);
        }
        for (const auto& [b, a] : area) out_.piece_of[ix(b)] = static_cast<int>(out_.pieces.size());
        std::vector<double> early;
        for (const std::size_t f : faces) early.push_back(early_[f]);
        out_.pieces.push_back(std::move(piece)), out_.unlike.push_back(unlike), out_.early.push_back(std::move(early));
    }

    const std::vector<const Body*>& bodies_;
    const std::string& name_;
    const SewLimits& limits_;
    Body body_;
    std::vector<int> origin_;     // body of each face
    std::set<int> touched_;       // bodies that are no more as they came
    std::map<int, int> face_of_;  // at free edges
    Apart apart_;
    std::vector<double> early_;  // of faces
    double widest_ = 0;
    bool changed_ = false;
    SewnSkin out_;
};

}  // namespace

SewnSkin sewn(const std::vector<const Body*>& bodies, const std::string& name, const SewLimits& limits) {
    return Sewing(bodies, name, limits).run();
}

}  // namespace halvo
