#include "halve/step_slopes.hpp"

#include "core/index.hpp"
#include "geom/facet_tree.hpp"
#include "geom/foot_curve.hpp"
#include "geom/nearest_curve.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double widest_slope = 4;   // thicknesses that a slope may span
constexpr int looks = 32;            // along an edge
constexpr double least_step = 0.01;  // of the thinnest piece

// Is the skin there on its way from the sides of the one piece to those of the other? Under a rib as high as the thick one it is not.
bool slope_between(const Body& body, const WallSurface& w, const Vec3& m, std::size_t a, std::size_t b) {
    const Vec3 n = w.chart.normal(m);
    const ThicknessPiece &p = w.field.pieces[a], &q = w.field.pieces[b];
    const auto between = [&](const Vec3& way, const BaseSurface& one, const BaseSurface& other) {
        const double u = one.along(m, way), v = other.along(m, way), step = std::abs(u - v), much = 0.02 * w.wall->thinnest;
        const auto hit = body.tree->shoot(m, way, 0);
        if (!hit) return false;
        const double skin = (body.on_skin(ix(hit->facet), m + hit->distance * way).point - m).dot(way), off = step > 2 * much ? -0.1 * step : much;
        return skin >= std::min(u, v) - off && skin <= std::max(u, v) + off;
    };
    return between(n, p.top, q.top) && between(-n, p.bottom, q.bottom);
}

class Slopes {
public:
    Slopes(const Body& body, const WallSurface& w, double tol) : body_(body), w_(w), tol_(tol) {}

    std::vector<Curve> run() {
        const std::size_t n = w_.field.pieces.size();
        if (n < 2 || w_.field.ridge) return {};  // the faces round a ridge are one side
        for (std::size_t k = 0; k < n; ++k) {
            sides_.push_back(side(w_.tops[k], w_.field.pieces[k].top_outline));
            sides_.push_back(side(w_.bottoms[k], w_.field.pieces[k].bottom_outline));
        }
        std::vector<Curve> out;
        for (std::size_t a = 0; a < n; ++a)
            for (std::size_t b = a + 1; b < n; ++b) {
                if (std::abs(w_.wall->pairs[a].thickness - w_.wall->pairs[b].thickness) < least_step * w_.wall->thinnest) continue;
                // From the border that sees more of the gap: round the outside of its corners.
                std::vector<Curve> from_a = between(a, b), from_b = between(b, a);
                auto& best = length(from_a) >= length(from_b) * (1 - 1e-9) ? from_a : from_b;
                out.insert(out.end(), best.begin(), best.end());
            }
        return out;
    }

private:
    // One side of a piece: its outline in the chart, and the edges round it on the midsurface.
    struct Side {
        int face;
        Polygons outline;
        std::vector<Curve> border;
        std::vector<bool> slopes;  // beside the border's curves, somewhere
        std::vector<Box3> boxes;   // of the border's curves
        Box3 box;
    };

    Side side(int face, const Polygons& outline) {
        Side s{face, outline, {}, {}, {}, {}};
        std::set<int> done;
        for (const auto& loop : body_.faces[ix(face)].loops)
            for (const Coedge& u : loop) {
                if (body_.edges[u.edge.index()].degenerate || !done.insert(u.edge.value).second) continue;
                const auto it = feet_.try_emplace(u.edge.value).first;
                if (!it->second) it->second = foot_curve(w_.chart, body_.edges[u.edge.index()].curve, tol_);
                s.border.push_back(*it->second);
                s.slopes.push_back(slope_beside(s.border.back()));
                s.boxes.push_back(s.border.back().box());
                s.box.extend(s.boxes.back());
            }
        return s;
    }

    // Is the skin right beside an edge, somewhere along it, of a face that is no side of any piece?
    bool slope_beside(const Curve& c) const {
        const double step = std::max(20 * tol_, 1e-3 * w_.wall->thinnest);
        for (int i = 0; i <= looks; ++i) {
            const double t = c.t0 + (c.t1 - c.t0) * i / looks;
            const Vec3 p = c.point(t), across = w_.chart.normal(p).cross(c.derivative(t)).normalized();
            for (const double sign : {1.0, -1.0}) {
                const Vec3 m = w_.chart.foot(p + sign * step * across), n = w_.chart.normal(m);
                const auto up = body_.tree->shoot(m, n, 0), down = body_.tree->shoot(m, -n, 0);
                if (!up || !down) continue;
                for (const auto& [hit, sides] : {std::pair(*up, &w_.tops), std::pair(*down, &w_.bottoms)})
                    if (std::find(sides->begin(), sides->end(), body_.facets[ix(hit.facet)].face) == sides->end()) return true;
            }
        }
        return false;
    }

    static double length(const std::vector<Curve>& curves) {
        double sum = 0;
        for (const Curve& c : curves) sum += c.length();
        return sum;
    }

    double outside(const Side& s, const Vec3& p, double within) const {
        if (s.box.squaredExteriorDistance(p) >= within * within) return within;
        for (const Vec2& q : w_.chart.copies(w_.chart.local2(p)))
            if (s.outline.inside(q)) return 0;
        return nearest_curve(
                   s.boxes, p, [&](std::size_t k) { return &s.border[k]; }, within)
            .distance;
    }

    // How far outside a piece: as the wall's thickness has it. From `within` on it is that.
    double outside(std::size_t piece, const Vec3& p, double within = std::numeric_limits<double>::max()) const {
        const double top = outside(sides_[2 * piece], p, within);
        return top >= within ? within : std::max(top, outside(sides_[2 * piece + 1], p, within));
    }

    // Curves half-way to piece b, from all edges of piece a.
    std::vector<Curve> between(std::size_t a, std::size_t b) const {
        std::vector<Curve> out;
        const double reach = widest_slope * w_.thickest;
        Box3 near = sides_[2 * b].box;
        near.extend(sides_[2 * b + 1].box);
        std::set<int> done;
        for (std::size_t k : {2 * a, 2 * a + 1}) {
            if (!done.insert(sides_[k].face).second || sides_[k].face == sides_[2 * b].face || sides_[k].face == sides_[2 * b + 1].face) continue;
            const Side& s = sides_[k];
            for (std::size_t j = 0; j < s.border.size(); ++j)
                if (s.slopes[j] && std::sqrt(s.boxes[j].squaredExteriorDistance(near)) <= reach) add_along(s.border[j], a, b, out);
        }
        return out;
    }

    void add_along(const Curve& c, std::size_t a, std::size_t b, std::vector<Curve>& out) const {
        const auto at = [&](double share) { return half_way(c, c.t0 + share * (c.t1 - c.t0), a, b); };
        // Between a place that has one and the next that has none: where it ends.
        const auto last = [&](double has, double none) {
            constexpr int halvings = 30;
            for (int i = 0; i < halvings; ++i) {
                const double m = 0.5 * (has + none);
                (at(m) ? has : none) = m;
            }
            return has;
        };
        std::vector<std::optional<Vec3>> found;
        for (int i = 0; i <= looks; ++i) found.push_back(at(static_cast<double>(i) / looks));
        for (int i = 0; i <= looks; ++i) {
            if (!found[ix(i)] || (i > 0 && found[ix(i - 1)])) continue;
            int j = i;
            while (j < looks && found[ix(j + 1)]) ++j;
            const double from = i > 0 ? last(static_cast<double>(i) / looks, static_cast<double>(i - 1) / looks) : 0;
            const double to = j < looks ? last(static_cast<double>(j) / looks, static_cast<double>(j + 1) / looks) : 1;
            std::vector<Vec3> points;
            for (int k = 0; k <= looks; ++k)
                if (const auto p = at(from + (to - from) * k / looks)) points.push_back(*p);
            if (points.size() != ix(looks + 1)) continue;
            Curve curve = curve_through(std::move(points), std::max(tol_, 1e-6 * w_.thickest));
            if (curve.length() > 10 * tol_) out.push_back(std::move(curve));
        }
    }

    // From a place on the border of piece a, square to it, where piece b is as near as a; nothing where that is in no gap of theirs.
    std::optional<Vec3> half_way(const Curve& c, double t, std::size_t a, std::size_t b) const {
        const Vec3 p = c.point(t), across = w_.chart.normal(p).cross(c.derivative(t)).normalized();
        const double gap = outside(b, p, 2 * widest_slope * w_.thickest);
        if (gap <= 10 * tol_ || gap > widest_slope * w_.thickest) return std::nullopt;
        for (const double sign : {1.0, -1.0}) {
            const auto place = [&](double s) { return w_.chart.foot(p + sign * s * across); };
            const auto nearer_to_b = [&](double s) {
                const Vec3 m = place(s);
                const double from_a = outside(a, m);
                return outside(b, m, from_a) < from_a;
            };
            if (outside(a, place(0.01 * gap)) <= 0 || !nearer_to_b(gap)) continue;
            double low = 0, high = gap;
            const auto halve_to = [&](double most) {
                for (int i = 0; i < 50 && high - low > most; ++i) {
                    const double m = 0.5 * (low + high);
                    (nearer_to_b(m) ? high : low) = m;
                }
                return place(0.5 * (low + high));
            };
            // What is none shows before it is known exactly.
            const Vec3 rough = halve_to(1e-6 * gap);
            if (std::abs(outside(a, rough) - (rough - p).norm()) > 1e-4 * gap + tol_ || !slope_between(body_, w_, rough, a, b)) continue;
            const Vec3 m = halve_to(1e-14 * (gap + p.norm()));
            const double apart = outside(a, m), much = 1e-5 * gap + tol_;
            if (std::abs(apart - (m - p).norm()) > much || std::abs(apart - outside(b, m)) > much || !in_material(body_, w_, m)) continue;
            if (!slope_between(body_, w_, m, a, b)) continue;
            bool nearest = true;
            for (std::size_t k = 0; k < w_.field.pieces.size() && nearest; ++k) nearest = k == a || k == b || outside(k, m, apart) >= apart - much;
            if (nearest) return m;
        }
        return std::nullopt;
    }

    const Body& body_;
    const WallSurface& w_;
    double tol_;
    std::map<int, std::optional<Curve>> feet_;  // of edges
    std::vector<Side> sides_;                   // of each piece: top, bottom
};

}  // namespace

bool on_slope(const Body& body, const WallSurface& w, const Vec3& m) {
    const std::size_t n = w.field.pieces.size();
    for (std::size_t a = 0; a < n; ++a)
        for (std::size_t b = a + 1; b < n; ++b)
            if (std::abs(w.wall->pairs[a].thickness - w.wall->pairs[b].thickness) >= least_step * w.wall->thinnest && slope_between(body, w, m, a, b))
                return true;
    return false;
}

std::vector<Curve> steps_on_slopes(const Body& body, const WallSurface& w, double tol) {
    return Slopes(body, w, tol).run();
}

}  // namespace halvo
