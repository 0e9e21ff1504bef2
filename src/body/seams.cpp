#include "body/seams.hpp"

#include "core/index.hpp"
#include "geom/parameters.hpp"

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr int looks_round = 24;       // points of an edge at which its way round is followed
constexpr double same_vertex = 1e-6;  // mm, and of the radius: the seam ends in a vertex rather than beside it

// The way of a loop round a surface: whole turns of each parameter.
struct Turns {
    std::array<int, 2> of{0, 0};
    [[nodiscard]] int which() const { return of[0] != 0 ? 0 : of[1] != 0 ? 1 : -1; }
};

class Seams {
public:
    explicit Seams(Body& body) : body_(body) {}

    void run() {
        for (std::size_t f = 0; f < body_.faces.size(); ++f) look_at(f);
        part_edges();
        for (const Wanted& w : wanted_) join(w);
    }

private:
    struct Wanted {
        std::size_t face = 0, one = 0, other = 0;  // loops; one and other are the same where the seam runs to a pole
        int k = 0;                                 // the parameter that winds
        double way = 1;                            // along the other parameter from `one` into the face
    };
    struct Part {
        double at = 0;
        int vertex = -1;
    };

    [[nodiscard]] Vec2 uv(const Face& f, const Vec3& p) const { return surface_parameters(f.surface, p); }

    // Parameters along a loop, unrolled; from the start of its first edge to the end of its last.
    [[nodiscard]] Turns turns(const Face& f, const std::vector<Coedge>& loop) const {
        const Vec2 period = periods_of(f.surface);
        // A loop through a pole or an apex closes there.
        if (!std::holds_alternative<TorusSurface>(f.surface))
            for (const Coedge& c : loop)
                if (parameter_lengths(f.surface, uv(f, start_of(c))).x() <= same_vertex) return {};
        Vec2 sum = Vec2::Zero();
        for (const Coedge& c : loop) {
            const Curve& k = body_.edges[c.edge.index()].curve;
            Vec2 last = uv(f, k.start()), way = Vec2::Zero();
            const int n = k.is_line() ? 1 : looks_round;
            for (int i = 1; i <= n; ++i) {
                const Vec2 q = uv(f, k.point(k.t0 + (k.t1 - k.t0) * i / n));
                Vec2 step = q - last;
                for (int a = 0; a < 2; ++a)
                    if (period[a] > 0) step[a] -= period[a] * std::round(step[a] / period[a]);
                way += step, last = q;
            }
            sum += c.reversed ? Vec2(-way) : way;
        }
        Turns out;
        for (int a = 0; a < 2; ++a)
            if (period[a] > 0 && std::abs(sum[a]) > 0.75 * period[a]) out.of[ix(a)] = static_cast<int>(std::lround(sum[a] / period[a]));
        return out;
    }

    void look_at(std::size_t face) {
        const Face& f = body_.faces[face];
        if (std::holds_alternative<FreeSurface>(f.surface) || periods_of(f.surface).isZero()) return;
        std::vector<std::pair<std::size_t, Turns>> round;
        for (std::size_t i = 0; i < f.loops.size(); ++i)
            if (const Turns t = turns(f, f.loops[i]); t.which() >= 0) round.emplace_back(i, t);
        if (round.empty() || round.size() > 2) return;
        const auto& [one, t] = round[0];
        const int k = t.which(), turn = t.of[ix(k)];
        if (std::abs(turn) != 1 || t.of[ix(1 - k)] != 0) return;
        Wanted w{face, one, one, k, (k == 0 ? 1.0 : -1.0) * turn * (f.reversed ? -1.0 : 1.0)};
        if (round.size() == 2) {
            const auto& [other, s] = round[1];
            if (s.which() != k || s.of[ix(k)] != -turn || s.of[ix(1 - k)] != 0) return;
            w.other = other;
            want_vertex(f, w);
        } else if (!pole(f, w)) {
            return;
        }
        wanted_.push_back(w);
    }

    [[nodiscard]] int vertex_of(const Coedge& c, bool start) const {
        const BodyEdge& e = body_.edges[c.edge.index()];
        return e.vertices[c.reversed == start ? 1 : 0];
    }
    [[nodiscard]] Vec3 start_of(const Coedge& c) const {
        const Curve& k = body_.edges[c.edge.index()].curve;
        return c.reversed ? k.end() : k.start();
    }
    [[nodiscard]] double start(const Wanted& w) const { return uv(body_.faces[w.face], start_of(body_.faces[w.face].loops[w.one][0]))[w.k]; }

    [[nodiscard]] static double off(double a, double b) { return a - b - 2 * pi * std::round((a - b) / (2 * pi)); }

    // Which edge of the other loop begins where the seam comes in; -1 for none.
    [[nodiscard]] int begins_at(const Face& f, const Wanted& w, double at) const {
        const auto& loop = f.loops[w.other];
        for (std::size_t i = 0; i < loop.size(); ++i) {
            const Vec2 q = uv(f, start_of(loop[i]));
            const double r = parameter_lengths(f.surface, q)[w.k];
            if (std::abs(off(q[w.k], at)) * r <= same_vertex * std::max(1.0, r)) return static_cast<int>(i);
        }
        return -1;
    }

    // The place where an edge of the other loop has the parameter of the seam, where none of its vertices has.
    void want_vertex(const Face& f, const Wanted& w) {
        const double at = start(w);
        if (begins_at(f, w, at) >= 0) return;
        for (const Coedge& c : f.loops[w.other]) {
            const Curve& k = body_.edges[c.edge.index()].curve;
            const auto away = [&](double t) { return off(uv(f, k.point(t))[w.k], at); };
            double a = k.t0, fa = away(a);
            for (int i = 1; i <= looks_round; ++i) {
                double b = k.t0 + (k.t1 - k.t0) * i / looks_round, fb = away(b);
                if ((fa < 0) != (fb < 0) && std::abs(fa - fb) < pi) {
                    double lo = a, hi = b;
                    for (int n = 0; n < 60; ++n) {
                        const double m = 0.5 * (lo + hi);
                        ((away(m) < 0) == (fa < 0) ? lo : hi) = m;
                    }
                    parts_[c.edge.value].push_back({0.5 * (lo + hi), -1});
                    return;
                }
                a = b, fa = fb;
            }
        }
    }

    // Every edge in as many pieces as it was parted into, in all faces.
    void part_edges() {
        if (parts_.empty()) return;
        std::map<int, std::vector<int>> pieces;
        for (auto& [e, list] : parts_) {
            std::sort(list.begin(), list.end(), [](const Part& a, const Part& b) { return a.at < b.at; });
            auto& out = pieces[e];
            out.push_back(e);
            for (const Part& p : list) {
                BodyEdge& before = body_.edges[ix(out.back())];
                BodyEdge after = before;
                const int vertex = static_cast<int>(body_.vertices.size());
                body_.vertices.push_back(before.curve.point(p.at));
                after.curve = before.curve.piece(p.at, before.curve.t1), after.vertices[0] = vertex;
                before.curve = before.curve.piece(before.curve.t0, p.at), before.vertices[1] = vertex;
                out.push_back(static_cast<int>(body_.edges.size()));
                body_.edges.push_back(std::move(after));
            }
        }
        for (Face& f : body_.faces)
            for (auto& loop : f.loops) {
                std::vector<Coedge> now;
                for (const Coedge& c : loop) {
                    const auto it = pieces.find(c.edge.value);
                    if (it == pieces.end()) {
                        now.push_back(c);
                        continue;
                    }
                    std::vector<int> list = it->second;
                    if (c.reversed) std::reverse(list.begin(), list.end());
                    for (const int e : list) {
                        Coedge piece;
                        piece.edge = BodyEdgeId(e), piece.reversed = c.reversed;
                        now.push_back(piece);
                    }
                }
                loop = std::move(now);
            }
    }

    // The other parameter at the pole or the apex that the seam runs to.
    [[nodiscard]] static std::optional<double> pole(const Face& f, const Wanted& w) {
        if (w.k != 0) return std::nullopt;
        if (std::holds_alternative<SphereSurface>(f.surface)) return w.way * pi / 2;
        if (const auto* c = std::get_if<ConeSurface>(&f.surface)) return -c->radius / std::sin(c->half_angle);
        return std::nullopt;
    }

    // The seam from one place to another, in the sense of the other parameter; and whether it is used against that.
    [[nodiscard]] static Curve seam_curve(const Surface& s, const Vec2& from, double to, int k) {
        const double lo = std::min(from[1 - k], to), hi = std::max(from[1 - k], to);
        const auto at = [&](double v) { return surface_point(s, k == 0 ? Vec2(from.x(), v) : Vec2(v, from.y())); };
        const auto radial = [&](const Frame& f) { return Vec3(std::cos(from.x()) * f.x + std::sin(from.x()) * f.y); };
        if (const auto* b = std::get_if<SphereSurface>(&s)) {
            const Vec3 x = radial(b->frame);
            return {CircleCurve{{b->frame.origin, x, b->frame.z, x.cross(b->frame.z)}, b->radius}, lo, hi};
        }
        if (const auto* t = std::get_if<TorusSurface>(&s)) {
            const Frame& f = t->frame;
            const Vec3 x = radial(f);
            if (k == 0) return {CircleCurve{{f.origin + t->major * x, x, f.z, x.cross(f.z)}, t->minor}, lo, hi};
            return {CircleCurve{{f.origin + t->minor * std::sin(from.y()) * f.z, f.x, f.y, f.z}, t->major + t->minor * std::cos(from.y())}, lo, hi};
        }
        return Curve::segment(at(lo), at(hi));
    }

    void join(const Wanted& w) {
        Face& f = body_.faces[w.face];
        const Coedge first = f.loops[w.one][0];
        const Vec2 from = uv(f, start_of(first));
        int end_vertex = -1, begins = 0;
        double to = 0;
        if (w.other == w.one) {
            to = *pole(f, w);
            if ((to - from[1]) * w.way <= 0) return;  // the apex is on the other side
        } else {
            begins = begins_at(f, w, from[w.k]);
            if (begins < 0) return;
            to = uv(f, start_of(f.loops[w.other][ix(begins)]))[1 - w.k];
            if (periods_of(f.surface)[1 - w.k] > 0 && !std::holds_alternative<SphereSurface>(f.surface))
                while ((to - from[1 - w.k]) * w.way <= 0) to += 2 * pi * w.way;
            if ((to - from[1 - w.k]) * w.way <= 0) return;
            end_vertex = vertex_of(f.loops[w.other][ix(begins)], true);
        }
        if (end_vertex < 0) {
            end_vertex = static_cast<int>(body_.vertices.size());
            body_.vertices.push_back(surface_point(f.surface, {from.x(), to}));
        }
        const bool against = to < from[1 - w.k];
        BodyEdge e{seam_curve(f.surface, from, to, w.k), {vertex_of(first, true), end_vertex}};
        if (against) std::swap(e.vertices[0], e.vertices[1]);
        Coedge seam;
        seam.edge = BodyEdgeId(static_cast<int>(body_.edges.size())), seam.reversed = against;
        body_.edges.push_back(std::move(e));
        std::vector<Coedge> loop = f.loops[w.one];
        loop.push_back(seam);
        if (w.other != w.one) {
            auto& other = f.loops[w.other];
            std::rotate(other.begin(), other.begin() + begins, other.end());
            loop.insert(loop.end(), other.begin(), other.end());
        }
        seam.reversed = !against;
        loop.push_back(seam);
        f.loops[w.one] = std::move(loop);
        if (w.other != w.one) f.loops.erase(f.loops.begin() + static_cast<std::ptrdiff_t>(w.other));
    }

    Body& body_;
    std::vector<Wanted> wanted_;
    std::map<int, std::vector<Part>> parts_;  // of edges, by their number
};

}  // namespace

void add_seams(Body& body) {
    Seams(body).run();
}

}  // namespace halvo
