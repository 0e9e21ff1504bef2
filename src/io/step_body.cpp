#include "io/step_body.hpp"

#include "body/face_facets.hpp"
#include "body/touching_edges.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <unordered_map>

namespace halvo::io {
namespace {

class BodyReader {
public:
    BodyReader(const ExchangeFile& file, const StepUnits& units) : file_(file), geometry_(file, units) {}

    Body run(const std::vector<std::uint64_t>& items) {
        for (const std::uint64_t item : items) add_item(item);
        make_edges();
        make_surfaces();
        try {
            facet_by_thickness(body_);
        } catch (const NotLaid& e) {
            throw NotUnderstood(e.what());
        }
        part_touching_edges(body_);
        return std::move(body_);
    }

private:
    void add_item(std::uint64_t item) {
        const std::string_view kind = file_.keyword(item);
        if (kind == "MANIFOLD_SOLID_BREP" || kind == "FACETED_BREP" || kind == "BREP_WITH_VOIDS") {
            Parameters21 p = file_.of(item);
            p.skip();
            add_shell(p.reference(), false);
            if (kind == "BREP_WITH_VOIDS")
                for (const std::uint64_t v : p.references()) add_shell(v, false);
        } else {
            add_shell(item, false);
        }
    }

    struct RawEdge {
        std::uint64_t curve = 0;  // 0: straight
        bool same_sense = true;
        bool made = false;  // has its curve already
    };

    void add_shell(std::uint64_t id, bool turned) {
        const std::string_view kind = file_.keyword(id);
        Parameters21 p = file_.of(id);
        p.skip();
        if (kind == "ORIENTED_CLOSED_SHELL") {
            p.skip();
            const std::uint64_t shell = p.reference();
            if (file_.keyword(shell) == kind) throw NotUnderstood("a shell of shells");
            add_shell(shell, turned != !p.logical());
            return;
        }
        if (kind != "CLOSED_SHELL" && kind != "OPEN_SHELL") throw NotUnderstood(fmt::format("a shell of the kind {}", kind));
        for (const std::uint64_t f : p.references()) add_face(f, turned);
    }

    void add_face(std::uint64_t id, bool turned) {
        const std::string_view kind = file_.keyword(id);
        if (kind != "ADVANCED_FACE" && kind != "FACE_SURFACE") throw NotUnderstood(fmt::format("a face of the kind {}", kind));
        Parameters21 p = file_.of(id);
        p.skip();
        Face face;
        const auto bounds = p.references();
        for (const std::uint64_t b : bounds) {
            auto loop = loop_of(b);
            if (loop.empty() && bounds.size() > 1) throw NotUnderstood("a point among the loops of a face");
            if (turned) turn(loop);
            face.loops.push_back(std::move(loop));
        }
        surface_of_.push_back(p.reference());
        face.reversed = p.logical() == turned;
        if (face.loops.size() == 1 && face.loops[0].empty()) face.loops[0] = meridian(surface_of_.back());
        body_.faces.push_back(std::move(face));
    }

    static void turn(std::vector<Coedge>& loop) {
        std::reverse(loop.begin(), loop.end());
        for (Coedge& c : loop) c.reversed = !c.reversed;
    }

    std::vector<Coedge> loop_of(std::uint64_t bound) {
        const std::string_view kind = file_.keyword(bound);
        if (kind != "FACE_BOUND" && kind != "FACE_OUTER_BOUND") throw NotUnderstood(fmt::format("a bound of the kind {}", kind));
        Parameters21 p = file_.of(bound);
        p.skip();
        const std::uint64_t id = p.reference();
        const bool along = p.logical();
        const std::string_view what = file_.keyword(id);
        Parameters21 q = file_.of(id);
        q.skip();
        std::vector<Coedge> loop;
        if (what == "EDGE_LOOP") {
            for (const std::uint64_t use : q.references()) loop.push_back(oriented(use));
        } else if (what == "POLY_LOOP") {
            const auto corners = q.references();
            for (std::size_t i = 0; i < corners.size(); ++i) loop.push_back(straight(corners[i], corners[(i + 1) % corners.size()]));
        } else if (what == "VERTEX_LOOP") {
            return loop;
        } else {
            throw NotUnderstood(fmt::format("a loop of the kind {}", what));
        }
        if (loop.empty()) throw NotUnderstood("a loop without edges");
        if (!along) turn(loop);
        return loop;
    }

    // A whole sphere is bounded by a vertex alone: it gets a seam from pole to pole.
    std::vector<Coedge> meridian(std::uint64_t surface) {
        const Surface s = geometry_.surface(surface, {});
        const auto* ball = std::get_if<SphereSurface>(&s);
        if (ball == nullptr) throw NotUnderstood("a face bounded by a point");
        const Frame& f = ball->frame;
        const int south = static_cast<int>(body_.vertices.size());
        body_.vertices.emplace_back(f.origin - ball->radius * f.z), body_.vertices.emplace_back(f.origin + ball->radius * f.z);
        Coedge up, down;
        up.edge = down.edge = BodyEdgeId(static_cast<int>(body_.edges.size()));
        down.reversed = true;
        body_.edges.push_back({{CircleCurve{{f.origin, f.x, f.z, -f.y}, ball->radius}, -pi / 2, pi / 2}, {south, south + 1}});
        raw_.push_back({0, true, true});
        return {up, down};
    }

    Coedge oriented(std::uint64_t id) {
        Parameters21 p = file_.of(id, "ORIENTED_EDGE");
        p.skip(3);
        const std::uint64_t e = p.reference();
        const bool along = p.logical();
        const auto [it, fresh] = edge_number_.try_emplace(e, static_cast<int>(body_.edges.size()));
        if (fresh) add_edge(e);
        const RawEdge& raw = raw_[static_cast<std::size_t>(it->second)];
        Coedge c;
        c.edge = BodyEdgeId(it->second), c.reversed = along != raw.same_sense;
        return c;
    }

    void add_edge(std::uint64_t id) {
        Parameters21 p = file_.of(id, "EDGE_CURVE");
        p.skip();
        BodyEdge e{Curve::segment(Vec3::Zero(), Vec3::Zero()), {vertex(p.reference()), 0}};
        e.vertices[1] = vertex(p.reference());
        RawEdge raw;
        raw.curve = p.reference(), raw.same_sense = p.logical();
        if (!raw.same_sense) std::swap(e.vertices[0], e.vertices[1]);
        body_.edges.push_back(std::move(e)), raw_.push_back(raw);
    }

    Coedge straight(std::uint64_t from, std::uint64_t to) {
        const auto key = std::minmax(from, to);
        const auto [it, fresh] = straight_number_.try_emplace({key.first, key.second}, static_cast<int>(body_.edges.size()));
        if (fresh) {
            BodyEdge e{Curve::segment(Vec3::Zero(), Vec3::Zero()), {corner(key.first), 0}};
            e.vertices[1] = corner(key.second);
            body_.edges.push_back(std::move(e)), raw_.push_back({});
        }
        Coedge c;
        c.edge = BodyEdgeId(it->second), c.reversed = from != key.first;
        return c;
    }

    int vertex(std::uint64_t id) {
        const auto [it, fresh] = vertex_number_.try_emplace(id, static_cast<int>(body_.vertices.size()));
        if (!fresh) return it->second;
        Parameters21 p = file_.of(id, "VERTEX_POINT");
        p.skip();
        body_.vertices.push_back(geometry_.point(p.reference()));
        return it->second;
    }

    int corner(std::uint64_t id) {
        const auto [it, fresh] = vertex_number_.try_emplace(id, static_cast<int>(body_.vertices.size()));
        if (fresh) body_.vertices.push_back(geometry_.point(id));
        return it->second;
    }

    void make_edges() {
        Box3 box;
        for (const Vec3& v : body_.vertices) box.extend(v);
        const double size = box.isEmpty() ? 1 : std::max(box.diagonal().norm(), 1e-3);
        if (!(size < 1e9)) throw Error(ErrorKind::input, "a part is more than a thousand kilometres large; check its unit and export it again");
        for (std::size_t i = 0; i < body_.edges.size(); ++i) {
            BodyEdge& e = body_.edges[i];
            if (raw_[i].made) continue;
            const Vec3 &a = body_.vertices[static_cast<std::size_t>(e.vertices[0])], &b = body_.vertices[static_cast<std::size_t>(e.vertices[1])];
            e.curve =
                raw_[i].curve == 0 ? Curve::segment(a, b) : piece_of(geometry_.curve(raw_[i].curve), a, b, e.vertices[0] == e.vertices[1], coarse_chord * size);
            if (!(e.curve.t1 > e.curve.t0)) throw NotUnderstood("an edge without length");
        }
    }

    void make_surfaces() {
        // Swept surfaces are as long as all faces on them need: those of one curve and one way are one surface, which CAD gives each face anew.
        std::map<std::vector<double>, std::vector<Vec3>> points;
        std::vector<std::vector<double>> sweeps(body_.faces.size());
        for (std::size_t i = 0; i < body_.faces.size(); ++i) {
            sweeps[i] = geometry_.sweep(surface_of_[i]);
            if (sweeps[i].empty()) continue;
            auto& list = points[sweeps[i]];
            for (const auto& loop : body_.faces[i].loops)
                for (const Coedge& c : loop) {
                    const Curve& k = body_.edges[c.edge.index()].curve;
                    const double chord = 1e-3 * k.length();
                    for (const Vec3& p : k.sampled(chord)) list.push_back(p);
                }
        }
        std::unordered_map<std::uint64_t, Surface> known;
        for (std::size_t i = 0; i < body_.faces.size(); ++i) {
            const auto it = known.find(surface_of_[i]);
            if (it != known.end()) body_.faces[i].surface = it->second;
            else body_.faces[i].surface = known[surface_of_[i]] = geometry_.surface(surface_of_[i], points[sweeps[i]]);
        }
    }

    const ExchangeFile& file_;
    StepGeometry geometry_;
    Body body_;
    std::vector<std::uint64_t> surface_of_;  // of each face
    std::vector<RawEdge> raw_;               // of each edge
    std::unordered_map<std::uint64_t, int> edge_number_, vertex_number_;
    std::map<std::pair<std::uint64_t, std::uint64_t>, int> straight_number_;
};

}  // namespace

Body step_body(const ExchangeFile& file, const StepUnits& units, const std::vector<std::uint64_t>& items) {
    return BodyReader(file, units).run(items);
}

std::vector<std::uint64_t> step_shell_faces(const ExchangeFile& file, std::uint64_t shell) {
    if (file.keyword(shell) == "ORIENTED_CLOSED_SHELL") {
        Parameters21 p = file.of(shell);
        p.skip(2);
        shell = p.reference();
    }
    Parameters21 p = file.of(shell);
    p.skip();
    return p.references();
}

}  // namespace halvo::io
