#include "mend/refit.hpp"

#include "core/index.hpp"
#include "geom/carry.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double least_volume = 0.02;    // of the parallelepiped of three unit normals: flatter, and their common point is anywhere
constexpr double least_sine_met = 0.05;  // between two normals: flatter, and surfaces with a gap meet anywhere
constexpr double farthest_moved = 3;     // times the reach

class Refit {
public:
    Refit(Body& body, const Apart& apart, double reach, double tol) : body_(body), apart_(apart), reach_(reach), tol_(tol), uses_(edge_uses(body)) {
        for (const Face& f : body.faces) bases_.emplace_back(f.surface);
        at_.resize(body.vertices.size());
        for (std::size_t e = 0; e < body.edges.size(); ++e)
            if (!uses_[e].empty())
                for (int v : body.edges[e].vertices)
                    if (v >= 0) at_[ix(v)].push_back(static_cast<int>(e));
    }

    void run() {
        std::vector<bool> moved(body_.vertices.size(), false);
        for (std::size_t v = 0; v < moved.size(); ++v)
            if (apart_.vertices[v] > tol_ && !at_[v].empty()) body_.vertices[v] = placed(static_cast<int>(v)), moved[v] = true;
        for (std::size_t e = 0; e < body_.edges.size(); ++e) {
            BodyEdge& edge = body_.edges[e];
            if (uses_[e].empty() || edge.degenerate) continue;
            const bool ends = moved[ix(edge.vertices[0])] || moved[ix(edge.vertices[1])];
            if (!ends && apart_.edges[e] <= tol_) continue;
            if (auto c = met(static_cast<int>(e))) edge.curve = std::move(*c);
            else edge.curve = bent(edge);
        }
    }

private:
    // Faces round a vertex with surfaces of their own.
    [[nodiscard]] std::vector<int> surfaces_at(int v) const {
        std::vector<int> out;
        for (int e : at_[ix(v)])
            for (const EdgeSide& u : uses_[ix(e)]) {
                const bool known = std::any_of(out.begin(), out.end(), [&](int f) {
                    return f == u.face ||
                           same_surface(body_.faces[ix(f)].surface, body_.faces[ix(u.face)].surface, body_.vertices[ix(v)], 10 * reach_, 10 * tol_);
                });
                if (!known) out.push_back(u.face);
            }
        std::sort(out.begin(), out.end());
        return out;
    }

    [[nodiscard]] Vec3 placed(int v) const {
        const Vec3 p = body_.vertices[ix(v)];
        const std::vector<int> faces = surfaces_at(v);
        std::vector<Vec3> normals;
        for (int f : faces) normals.push_back(bases_[ix(f)].foot(p).normal);
        const auto near = [&](const std::optional<Vec3>& q) { return q && (*q - p).norm() <= farthest_moved * reach_; };
        double best = least_volume;
        std::array<std::size_t, 3> three{};
        for (std::size_t i = 0; i < faces.size(); ++i)
            for (std::size_t j = i + 1; j < faces.size(); ++j)
                for (std::size_t k = j + 1; k < faces.size(); ++k) {
                    const double d = std::abs(normals[i].cross(normals[j]).dot(normals[k]));
                    if (d > best * (1 + 1e-6)) best = d, three = {i, j, k};
                }
        if (best > least_volume)
            if (const auto q = onto_three(bases_[ix(faces[three[0]])], bases_[ix(faces[three[1]])], bases_[ix(faces[three[2]])], p); near(q)) return *q;
        double sine = least_sine_met;
        std::array<std::size_t, 2> two{};
        for (std::size_t i = 0; i < faces.size(); ++i)
            for (std::size_t j = i + 1; j < faces.size(); ++j)
                if (const double s = normals[i].cross(normals[j]).norm(); s > sine * (1 + 1e-6)) sine = s, two = {i, j};
        if (sine > least_sine_met) {
            const BaseSurface across(PlaneSurface{Frame::with_z(p, normals[two[0]].cross(normals[two[1]]).normalized())});
            if (const auto q = onto_three(bases_[ix(faces[two[0]])], bases_[ix(faces[two[1]])], across, p); near(q)) return *q;
        }
        return faces.size() == 1 ? bases_[ix(faces[0])].foot(p).point : p;
    }

    // The curve in which both faces' surfaces meet, from the one vertex to the other.
    [[nodiscard]] std::optional<Curve> met(int e) const {
        if (uses_[ix(e)].size() != 2 || uses_[ix(e)][0].face == uses_[ix(e)][1].face) return std::nullopt;
        const BaseSurface &a = bases_[ix(uses_[ix(e)][0].face)], &b = bases_[ix(uses_[ix(e)][1].face)];
        const BodyEdge& edge = body_.edges[ix(e)];
        const Curve& c = edge.curve;
        for (const double w : {0.0, 0.5, 1.0}) {
            const Vec3 p = c.point(c.t0 + w * (c.t1 - c.t0));
            if (a.foot(p).normal.cross(b.foot(p).normal).norm() < least_sine_met) return std::nullopt;
        }
        const Vec3 p = body_.vertices[ix(edge.vertices[0])], q = body_.vertices[ix(edge.vertices[1])];
        const auto off = [&](const Vec3& x) { return std::max((a.foot(x).point - x).norm(), (b.foot(x).point - x).norm()); };
        if (off(p) > tol_ || off(q) > tol_) return std::nullopt;
        const double length = c.length();
        auto on = carried_from(a, b, p, c.derivative(c.t0).normalized(), 1.5 * length + 4 * reach_, tol_);
        if (!on) return std::nullopt;
        if (on->is_line()) {
            if (edge.vertices[0] == edge.vertices[1]) return std::nullopt;
            on = Curve::segment(p, q);
        } else if (edge.vertices[0] != edge.vertices[1]) {
            const double t = on->nearest(q);
            if ((on->point(t) - q).norm() > 10 * tol_ || !(t > on->t0)) return std::nullopt;
            on = on->piece(on->t0, t);
        } else if ((on->end() - p).norm() > 10 * tol_) {
            return std::nullopt;
        }
        for (const double w : {0.3, 0.5, 0.7}) {
            const Vec3 x = c.point(c.parameter_at(w));
            if ((on->point(on->nearest(x)) - x).norm() > farthest_moved * reach_) return std::nullopt;
        }
        if (std::abs(on->length() - length) > 0.2 * length + 2 * farthest_moved * reach_) return std::nullopt;
        return on;
    }

    // The same curve with its ends moved to the vertices: straight ones straight, arcs through three points, others by what is between.
    [[nodiscard]] Curve bent(const BodyEdge& edge) const {
        const Curve& c = edge.curve;
        const Vec3 p = body_.vertices[ix(edge.vertices[0])], q = body_.vertices[ix(edge.vertices[1])];
        if ((c.start() - p).norm() <= 1e-3 * tol_ && (c.end() - q).norm() <= 1e-3 * tol_) return c;
        if (c.is_line()) return (q - p).norm() > tol_ ? Curve::segment(p, q) : c;
        constexpr int pieces = 32;
        std::vector<Vec3> points, tangents;
        const Vec3 by0 = p - c.start(), by1 = q - c.end();
        for (int i = 0; i <= pieces; ++i) {
            const double w = static_cast<double>(i) / pieces, t = c.parameter_at(w);
            points.push_back(c.point(t) + (1 - w) * by0 + w * by1);
            tangents.push_back((c.derivative(t).normalized() + (by1 - by0) / std::max(c.length(), tol_)).normalized());
        }
        return curve_through(points, tangents, tol_, Tangents::estimated);
    }

    Body& body_;
    const Apart& apart_;
    double reach_, tol_;
    std::vector<std::vector<EdgeSide>> uses_;
    std::vector<BaseSurface> bases_;
    std::vector<std::vector<int>> at_;  // edges at vertices
};

}  // namespace

void refit(Body& body, const Apart& apart, double reach, double tol) {
    Refit(body, apart, reach, tol).run();
}

}  // namespace halvo
