#include "body/seams.hpp"

#include "core/index.hpp"
#include "geom/parameters.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>

namespace halvo {
namespace {

constexpr int looks_round = 24;       // points of an edge at which its way round is followed
constexpr double beside_loop = 1e-3;  // rad, that a seam keeps off loops inside of its face
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
        double at = 0;                             // the parameter's value along the seam
        std::vector<std::size_t> crossed = {};     // loops inside of the face that the seam runs through
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
        } else if (!pole(f, w)) {
            return;
        }
        if (!choose_place(f, w)) return;
        part_at(f, w.one, w);
        if (w.other != w.one) part_at(f, w.other, w);
        for (const std::size_t l : w.crossed) part_at(f, l, w);
        wanted_.push_back(std::move(w));
    }

    // The way of a loop along the parameter that winds, unrolled from its start: least and largest.
    [[nodiscard]] std::pair<double, double> range(const Face& f, std::size_t l, int k) const {
        const double first = uv(f, start_of(f.loops[l][0]))[k];
        double last = first, lo = first, hi = first;
        for (const Coedge& c : f.loops[l]) {
            const Curve& e = body_.edges[c.edge.index()].curve;
            for (int i = 1; i <= looks_round; ++i) {
                const double share = static_cast<double>(i) / looks_round;
                last += off(uv(f, e.point(e.t0 + (c.reversed ? 1 - share : share) * (e.t1 - e.t0)))[k], last);
                lo = std::min(lo, last), hi = std::max(hi, last);
            }
        }
        return {lo, hi};
    }

    // Where the seam runs: from the first loop's own start if that meets no loop inside of the face, in the widest gap between these otherwise;
    // through them where there is none.
    [[nodiscard]] bool choose_place(const Face& f, Wanted& w) const {
        w.at = uv(f, start_of(f.loops[w.one][0]))[w.k];
        std::vector<std::pair<double, double>> held;
        for (std::size_t l = 0; l < f.loops.size(); ++l)
            if (l != w.one && l != w.other) held.push_back(range(f, l, w.k));
        const auto clear = [&](double at) {
            double least = pi;
            for (const auto& [lo, hi] : held) least = std::min(least, std::abs(off(at, 0.5 * (lo + hi))) - 0.5 * (hi - lo));
            return least;
        };
        if (held.empty() || clear(w.at) > beside_loop) return true;
        double best = beside_loop;
        bool free = false;
        for (const auto& [lo, hi] : held)
            for (const auto& [next, end] : held) {
                const double width = off(next, hi) < 0 ? off(next, hi) + 2 * pi : off(next, hi), middle = hi + 0.5 * width;
                if (const double c = clear(middle); c > best * (1 + 1e-9)) best = c, w.at = middle, free = true;
            }
        return free || choose_crossing(f, w);
    }

    // Of some places round the surface that at which fewest loops are crossed, each of them twice.
    [[nodiscard]] bool choose_crossing(const Face& f, Wanted& w) const {
        constexpr int places = 360;
        std::optional<std::size_t> fewest;
        for (int i = 0; i < places; ++i) {
            const double at = 2 * pi * (i + 0.5) / places;
            std::vector<std::size_t> crossed;
            bool may = true;
            for (std::size_t l = 0; l < f.loops.size() && may; ++l) {
                if (l == w.one || l == w.other) continue;
                const std::size_t n = crossings(f, l, w.k, at).size();
                may = n == 0 || n == 2;
                if (n == 2) crossed.push_back(l);
            }
            if (!may || (fewest && crossed.size() >= *fewest)) continue;
            fewest = crossed.size(), w.at = at, w.crossed = std::move(crossed);
        }
        return fewest.has_value();
    }

    [[nodiscard]] int vertex_of(const Coedge& c, bool start) const {
        const BodyEdge& e = body_.edges[c.edge.index()];
        return e.vertices[c.reversed == start ? 1 : 0];
    }
    [[nodiscard]] Vec3 start_of(const Coedge& c) const {
        const Curve& k = body_.edges[c.edge.index()].curve;
        return c.reversed ? k.end() : k.start();
    }
    [[nodiscard]] static double off(double a, double b) { return a - b - 2 * pi * std::round((a - b) / (2 * pi)); }

    // Which edges of a loop begin where the seam comes in.
    [[nodiscard]] std::vector<std::size_t> begin_at(const Face& f, std::size_t loop, int k, double at) const {
        std::vector<std::size_t> out;
        for (std::size_t i = 0; i < f.loops[loop].size(); ++i) {
            const Vec2 q = uv(f, start_of(f.loops[loop][i]));
            const double r = parameter_lengths(f.surface, q)[k];
            if (std::abs(off(q[k], at)) * r <= same_vertex * std::max(1.0, r)) out.push_back(i);
        }
        return out;
    }

    // The places on the edges of a loop that have the parameter of the seam: edge and the curve's parameter.
    [[nodiscard]] std::vector<std::pair<int, double>> crossings(const Face& f, std::size_t loop, int k, double at) const {
        std::vector<std::pair<int, double>> out;
        for (const Coedge& c : f.loops[loop]) {
            const Curve& e = body_.edges[c.edge.index()].curve;
            const auto away = [&](double t) { return off(uv(f, e.point(t))[k], at); };
            double a = e.t0, fa = away(a);
            for (int i = 1; i <= looks_round; ++i) {
                double b = e.t0 + (e.t1 - e.t0) * i / looks_round, fb = away(b);
                if ((fa < 0) != (fb < 0) && std::abs(fa - fb) < pi) {
                    double lo = a, hi = b;
                    for (int n = 0; n < 60; ++n) {
                        const double m = 0.5 * (lo + hi);
                        ((away(m) < 0) == (fa < 0) ? lo : hi) = m;
                    }
                    out.emplace_back(c.edge.value, 0.5 * (lo + hi));
                }
                a = b, fa = fb;
            }
        }
        return out;
    }

    // A loop is parted where the seam meets it, unless it has vertices there.
    void part_at(const Face& f, std::size_t loop, const Wanted& w) {
        if (!begin_at(f, loop, w.k, w.at).empty()) return;
        const auto list = crossings(f, loop, w.k, w.at);
        const bool inside = loop != w.one && loop != w.other;
        for (std::size_t i = 0; i < list.size() && (inside || i == 0); ++i) parts_[list[i].first].push_back({list[i].second, -1});
    }

    // Every edge in as many pieces as it was parted into, in all faces.
    void part_edges() {
        if (parts_.empty()) return;
        std::map<int, std::vector<int>> pieces;
        for (auto& [e, list] : parts_) {
            std::sort(list.begin(), list.end(), [](const Part& a, const Part& b) { return a.at < b.at; });
            auto& out = pieces[e];
            out.push_back(e);
            // Each from the whole: pieces of sampled curves have parameters of their own.
            const BodyEdge whole = body_.edges[ix(e)];
            int first = whole.vertices[0];
            for (std::size_t i = 0; i <= list.size(); ++i) {
                const double from = i == 0 ? whole.curve.t0 : list[i - 1].at, to = i == list.size() ? whole.curve.t1 : list[i].at;
                int second = whole.vertices[1];
                if (i < list.size()) second = static_cast<int>(body_.vertices.size()), body_.vertices.push_back(whole.curve.point(to));
                const BodyEdge piece{whole.curve.piece(from, to), {first, second}, false};
                if (i == 0) body_.edges[ix(e)] = piece;
                else out.push_back(static_cast<int>(body_.edges.size())), body_.edges.push_back(piece);
                first = second;
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

    // A piece of the seam between two vertices, used in the sense of the first one to the second.
    Coedge seam_piece(const Face& f, const Vec2& from, double to, int k, int first, int second) {
        const bool against = to < from[1 - k];
        BodyEdge e{seam_curve(f.surface, from, to, k), {first, second}};
        if (against) std::swap(e.vertices[0], e.vertices[1]);
        Coedge seam;
        seam.edge = BodyEdgeId(static_cast<int>(body_.edges.size())), seam.reversed = against;
        body_.edges.push_back(std::move(e));
        return seam;
    }

    // Where the seam meets a loop: how far along it (from the first loop on), and from which edge on the loop is followed.
    struct Meeting {
        double at = 0;
        std::size_t begins = 0;
    };
    [[nodiscard]] std::vector<Meeting> meetings(const Face& f, std::size_t loop, const Wanted& w, double from) const {
        std::vector<Meeting> out;
        for (const std::size_t i : begin_at(f, loop, w.k, w.at)) {
            double to = uv(f, start_of(f.loops[loop][i]))[1 - w.k];
            if (periods_of(f.surface)[1 - w.k] > 0 && !std::holds_alternative<SphereSurface>(f.surface))
                while ((to - from) * w.way <= 0) to += 2 * pi * w.way;
            out.push_back({to, i});
        }
        std::sort(out.begin(), out.end(), [&](const Meeting& a, const Meeting& b) { return (a.at - b.at) * w.way < 0; });
        return out;
    }

    void join(const Wanted& w) {
        Face& f = body_.faces[w.face];
        const auto begins = begin_at(f, w.one, w.k, w.at);
        if (begins.empty()) return;
        std::rotate(f.loops[w.one].begin(), f.loops[w.one].begin() + static_cast<std::ptrdiff_t>(begins[0]), f.loops[w.one].end());
        const Vec2 from = uv(f, start_of(f.loops[w.one][0]));
        // What the seam passes through on its way, and where it ends.
        std::vector<std::pair<std::vector<Meeting>, std::size_t>> passed;
        for (const std::size_t l : w.crossed) {
            auto both = meetings(f, l, w, from[1 - w.k]);
            if (both.size() != 2) return;
            passed.emplace_back(std::move(both), l);
        }
        std::sort(passed.begin(), passed.end(), [&](const auto& a, const auto& b) { return (a.first[0].at - b.first[0].at) * w.way < 0; });
        Meeting end;
        int end_vertex = -1;
        if (w.other == w.one) end.at = *pole(f, w);
        else {
            const auto list = meetings(f, w.other, w, from[1 - w.k]);
            if (list.empty()) return;
            end = list[0], end_vertex = vertex_of(f.loops[w.other][end.begins], true);
        }
        if ((end.at - from[1 - w.k]) * w.way <= 0) return;  // the apex is on the other side
        if (end_vertex < 0) {
            end_vertex = static_cast<int>(body_.vertices.size());
            const Vec2 at = w.k == 0 ? Vec2(from.x(), end.at) : Vec2(end.at, from.y());
            body_.vertices.push_back(surface_point(f.surface, at));
        }
        lay_seam(f, w, from, passed, end, end_vertex);
    }

    // Along the seam with one side of every loop that it passes through, round the other end, and back with their other sides.
    void lay_seam(Face& f, const Wanted& w, Vec2 from, const std::vector<std::pair<std::vector<Meeting>, std::size_t>>& passed, const Meeting& end,
                  int end_vertex) {
        std::vector<Coedge> loop = f.loops[w.one], back;
        int vertex = vertex_of(f.loops[w.one][0], true);
        const auto turned = [](Coedge c) {
            c.reversed = !c.reversed;
            return c;
        };
        for (const auto& [both, l] : passed) {
            const auto& own = f.loops[l];
            const Coedge seam = seam_piece(f, from, both[0].at, w.k, vertex, vertex_of(own[both[0].begins], true));
            loop.push_back(seam);
            for (std::size_t i = both[0].begins; i != both[1].begins; i = (i + 1) % own.size()) loop.push_back(own[i]);
            std::vector<Coedge> other_side;
            for (std::size_t i = both[1].begins; i != both[0].begins; i = (i + 1) % own.size()) other_side.push_back(own[i]);
            other_side.push_back(turned(seam));
            back.insert(back.begin(), other_side.begin(), other_side.end());
            from[1 - w.k] = both[1].at, vertex = vertex_of(own[both[1].begins], true);
        }
        const Coedge last = seam_piece(f, from, end.at, w.k, vertex, end_vertex);
        loop.push_back(last);
        if (w.other != w.one) {
            auto& other = f.loops[w.other];
            std::rotate(other.begin(), other.begin() + static_cast<std::ptrdiff_t>(end.begins), other.end());
            loop.insert(loop.end(), other.begin(), other.end());
        }
        loop.push_back(turned(last));
        loop.insert(loop.end(), back.begin(), back.end());
        std::vector<std::vector<Coedge>> loops{std::move(loop)};
        for (std::size_t l = 0; l < f.loops.size(); ++l)
            if (l != w.one && l != w.other && std::find(w.crossed.begin(), w.crossed.end(), l) == w.crossed.end()) loops.push_back(std::move(f.loops[l]));
        f.loops = std::move(loops);
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
