#include "body/facet_body.hpp"

#include "body/facet_regions.hpp"
#include "core/index.hpp"
#include "geom/dense.hpp"
#include "geom/fit.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

// Facet sides between two faces, in the order they follow each other.
struct Chain {
    std::vector<int> points;
    int left = -1, right = -1;  // faces; left has the sides in this sense
    [[nodiscard]] bool closed() const { return points.front() == points.back(); }
};

class Builder {
public:
    explicit Builder(const FacetMesh& m) : m_(m), found_(facet_regions(m)) {}

    Body run() {
        region_.assign(m_.facets.size(), -1);
        for (std::size_t r = 0; r < found_.regions.size(); ++r)
            for (int f : found_.regions[r].facets) region_[ix(f)] = static_cast<int>(r);
        body_.faceted = true;
        body_.turned = m_.turned;
        body_.points = m_.points;
        faces();
        chains();
        corners();
        for (const Chain& c : chains_) edge(c);
        loops();
        seams();
        return std::move(body_);
    }

private:
    double exact() const { return 1e-6 * size_; }
    // How far a chain may leave a line or arc that stands for it: facets end where they please across a smooth edge.
    double ragged() const { return found_.noise > 0 ? 0.9 * found_.side + 3 * found_.noise : 20 * exact(); }

    void faces() {
        Box3 box;
        for (const Vec3& p : m_.points) box.extend(p);
        size_ = box.diagonal().norm();
        for (const FacetRegion& r : found_.regions) {
            Face f;
            f.surface = r.surface;
            f.fit_error = r.rms;
            f.first_facet = body_.facets.size(), f.facet_count = r.facets.size();
            double with = 0;
            const auto* free = std::get_if<FreeSurface>(&r.surface);
            const std::optional<BaseSurface> spline = free && free->spline ? std::optional<BaseSurface>(r.surface) : std::nullopt;
            for (int k : r.facets) {
                body_.facets.push_back({spline ? with_parameters(*spline, m_.facets[ix(k)]) : m_.facets[ix(k)], static_cast<int>(body_.faces.size())});
                const Vec3 middle = (m_.at(ix(k), 0) + m_.at(ix(k), 1) + m_.at(ix(k), 2)) / 3;
                if (const std::optional<Vec3> n = spline ? spline->foot(middle).normal : surface_normal(r.surface, middle)) with += n->dot(m_.cross(ix(k)));
            }
            f.reversed = with < 0;
            own_.clear();
            body_.faces.push_back(std::move(f));
        }
        if (body_.parameters.empty()) return;
        body_.parameters.resize(body_.points.size(), Vec2(0, 0));
        for (Vec2& q : body_.parameters)
            if (std::isnan(q.x())) q = Vec2(0, 0);
    }

    // Corners on a spline face know their parameters there; a corner of two such faces stands twice.
    std::array<int, 3> with_parameters(const BaseSurface& spline, std::array<int, 3> corners) {
        const Vec2 none = Vec2::Constant(std::numeric_limits<double>::quiet_NaN());
        body_.parameters.resize(body_.points.size(), none);
        for (int& c : corners) {
            const auto [it, fresh] = own_.try_emplace(c, c);
            if (fresh) {
                if (!std::isnan(body_.parameters[ix(c)].x())) {
                    it->second = static_cast<int>(body_.points.size());
                    body_.points.push_back(m_.points[ix(c)]), body_.parameters.push_back(none);
                }
                body_.parameters[ix(it->second)] = spline.parameters(m_.points[ix(c)]);
            }
            c = it->second;
        }
        return corners;
    }

    struct Half {
        int facet = -1;
        int corner = 0;
    };

    void chains() {
        // Sides on the boundary of a face, by their first point.
        for (std::size_t f = 0; f < m_.facets.size(); ++f)
            for (int k = 0; k < 3; ++k) {
                const int g = m_.across[f][ix(k)];
                if (g >= 0 && region_[ix(g)] == region_[f]) continue;
                if (g < 0) body_.closed = false;
                const int a = m_.facets[f][ix(k)], b = m_.facets[f][ix((k + 1) % 3)];
                halves_[{a, b, region_[f]}] = {static_cast<int>(f), k};
                touching_[a].insert(pair_of(static_cast<int>(f), k)), touching_[b].insert(pair_of(static_cast<int>(f), k));
                if (g < 0 || a < b) ++degree_[a], ++degree_[b];
            }
        std::set<std::pair<int, int>> used;  // facet and corner
        const auto walk = [&](int f, int k) {
            Chain c;
            c.left = region_[ix(f)];
            const int g = m_.across[ix(f)][ix(k)];
            c.right = g >= 0 ? region_[ix(g)] : -1;
            c.points.push_back(m_.facets[ix(f)][ix(k)]);
            for (Half h{f, k};;) {
                used.insert({h.facet, h.corner});
                use_other(used, h);
                const int b = m_.facets[ix(h.facet)][ix((h.corner + 1) % 3)];
                chain_of_[{h.facet, h.corner}] = {static_cast<int>(chains_.size()), false};
                c.points.push_back(b);
                if (junction(b) || b == c.points.front()) break;
                h = next(h);
                if (used.count({h.facet, h.corner})) break;
            }
            chains_.push_back(std::move(c));
        };
        for (int round = 0; round < 2; ++round)
            for (std::size_t f = 0; f < m_.facets.size(); ++f)
                for (int k = 0; k < 3; ++k) {
                    const int g = m_.across[f][ix(k)];
                    if ((g >= 0 && region_[ix(g)] == region_[f]) || used.count({static_cast<int>(f), k})) continue;
                    // From the lower face's side, so that each chain is walked once; junctions first, then rings.
                    if (g >= 0 && region_[ix(g)] < region_[f]) continue;
                    if (round == 0 && !junction(m_.facets[f][ix(k)])) continue;
                    walk(static_cast<int>(f), k);
                }
    }

    [[nodiscard]] std::pair<int, int> pair_of(int f, int k) const {
        const int g = m_.across[ix(f)][ix(k)];
        return std::minmax(region_[ix(f)], g >= 0 ? region_[ix(g)] : -1);
    }
    bool junction(int p) { return degree_[p] != 2 || touching_[p].size() != 1; }

    // The same side seen from the facet behind it.
    void use_other(std::set<std::pair<int, int>>& used, const Half& h) {
        const int g = m_.across[ix(h.facet)][ix(h.corner)];
        if (g < 0) return;
        const int a = m_.facets[ix(h.facet)][ix(h.corner)];
        for (int k = 0; k < 3; ++k)
            if (m_.across[ix(g)][ix(k)] == h.facet && m_.facets[ix(g)][ix((k + 1) % 3)] == a) {
                used.insert({g, k});
                chain_of_[{g, k}] = {static_cast<int>(chains_.size()), true};
            }
    }

    // The boundary side of the same face that follows, round the end point of this one.
    [[nodiscard]] Half next(const Half& h) const {
        int f = h.facet, k = (h.corner + 1) % 3;
        for (std::size_t guard = 0; guard < m_.facets.size(); ++guard) {
            const int g = m_.across[ix(f)][ix(k)];
            if (g < 0 || region_[ix(g)] != region_[ix(f)]) return {f, k};
            const int p = m_.facets[ix(f)][ix(k)];
            for (int j = 0; j < 3; ++j)
                if (m_.facets[ix(g)][ix(j)] == p) k = j;
            f = g;
        }
        return {f, k};
    }

    // Where chains end: the point that lies on all faces that meet there.
    void corners() {
        for (const Chain& c : chains_) {
            if (!c.closed()) {
                corner(c.points.front()), corner(c.points.back());
            } else if (junction(c.points.front())) {
                corner(c.points.front());
            }
        }
    }

    int corner(int p) {
        const auto [it, fresh] = vertex_.try_emplace(p, static_cast<int>(body_.vertices.size()));
        if (!fresh) return it->second;
        std::set<int> regions;
        for (const auto& [a, b] : touching_[p]) regions.insert(a), regions.insert(b);
        body_.vertices.push_back(meeting_point(m_.points[ix(p)], regions));
        return it->second;
    }

    Vec3 meeting_point(const Vec3& start, const std::set<int>& regions) const {
        Vec3 p = start;
        for (int round = 0; round < 20; ++round) {
            Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
            Vec3 b = Vec3::Zero();
            for (int r : regions) {
                if (r < 0) continue;
                const Surface& s = found_.regions[ix(r)].surface;
                const auto n = surface_normal(s, p);
                if (!n) continue;
                a += *n * n->transpose(), b += *n * signed_distance(s, p);
            }
            // Directions that the faces do not fix stay where the facets had them.
            const auto axes = principal_axes(a);
            Vec3 step = Vec3::Zero();
            for (int k = 0; k < 3; ++k)
                if (axes.values[k] > 0.02) step -= axes.vectors.col(k) * (axes.vectors.col(k).dot(b) / axes.values[k]);
            p += step;
            if (step.norm() < 1e-12 * size_) break;
        }
        return (p - start).norm() <= 3 * ragged() + 10 * exact() ? p : start;
    }

    void edge(const Chain& c) {
        BodyEdge out;
        const bool ring = c.closed() && !vertex_.count(c.points.front());
        std::vector<Vec3> pts;
        for (int p : c.points) pts.push_back(m_.points[ix(p)]);
        if (ring) {
            const auto circle = circle_along(c, pts);
            out.curve = circle.value_or(Curve::polyline(pts));
            const int v = static_cast<int>(body_.vertices.size());
            body_.vertices.push_back(out.curve.start());
            out.vertices = {v, v};
        } else {
            out.vertices = {corner(c.points.front()), corner(c.points.back())};
            pts.front() = body_.vertices[ix(out.vertices[0])], pts.back() = body_.vertices[ix(out.vertices[1])];
            out.curve = open_curve(c, pts);
        }
        out.degenerate = out.curve.t1 - out.curve.t0 <= 0;
        body_.edges.push_back(std::move(out));
    }

    Curve open_curve(const Chain& c, const std::vector<Vec3>& pts) const {
        const Vec3 &a = pts.front(), d = pts.back() - a;
        if (d.norm() > 0) {
            double off = 0;
            for (const Vec3& p : pts) off = std::max(off, (p - a).cross(d).norm() / d.norm());
            if (pts.size() == 2 || off <= ragged()) return Curve::segment(a, pts.back());
        }
        if (const auto whole = circle_along(c, pts)) {
            const Frame& f = std::get<CircleCurve>(whole->shape).frame;
            const double radius = std::get<CircleCurve>(whole->shape).radius;
            const Vec2 q = f.local2(pts.back());
            double end = std::atan2(q.y(), q.x());
            if (end <= 1e-9) end += 2 * pi;
            const Curve arc{CircleCurve{f, radius}, 0, end};
            if ((arc.end() - pts.back()).norm() <= ragged() && (arc.start() - a).norm() <= ragged() &&
                (arc.middle() - pts[pts.size() / 2]).norm() < 0.5 * arc.length() + ragged())
                return arc;
        }
        return Curve::polyline(pts);
    }

    // The circle where a plane meets a cylinder, cone or sphere square on, from the chain's first point along the chain.
    std::optional<Curve> circle_along(const Chain& c, const std::vector<Vec3>& pts) const {
        if (pts.size() < 3) return std::nullopt;
        const auto plane = fit_plane(pts);
        if (!plane) return std::nullopt;
        Frame f = std::get<PlaneSurface>(plane->surface).frame;
        Vec3 axis_x = Vec3::Zero();
        for (int r : {c.left, c.right}) {
            if (r < 0) continue;
            const Surface& s = found_.regions[ix(r)].surface;
            if (const auto* p = std::get_if<PlaneSurface>(&s)) f = Frame::with_z(p->frame.origin, p->frame.z);
            if (const auto* k = std::get_if<CylinderSurface>(&s)) axis_x = k->frame.x;
            if (const auto* k = std::get_if<ConeSurface>(&s)) axis_x = k->frame.x;
        }
        Eigen::MatrixXd a(static_cast<Eigen::Index>(pts.size()), 3);
        Eigen::VectorXd b(static_cast<Eigen::Index>(pts.size()));
        double height = 0;
        for (std::size_t i = 0; i < pts.size(); ++i) {
            const Vec2 q = f.local2(pts[i]) / size_;
            a.row(static_cast<Eigen::Index>(i)) << q.x(), q.y(), 1;
            b[static_cast<Eigen::Index>(i)] = q.squaredNorm();
            height += f.height(pts[i]) / static_cast<double>(pts.size());
        }
        const LeastSquares circle = least_squares(a, b);
        if (circle.rank < 3) return std::nullopt;
        const Vec3 x = circle.x;
        const Vec2 centre = 0.5 * size_ * x.head<2>();
        double radius = std::sqrt(std::max(0.0, x[2] * size_ * size_ + centre.squaredNorm()));
        for (int r : {c.left, c.right})
            if (r >= 0)
                if (const auto* k = std::get_if<CylinderSurface>(&found_.regions[ix(r)].surface);
                    k && k->frame.z.cross(f.z).norm() < 1e-3 + 0.1 * found_.noise && std::abs(k->radius - radius) < ragged())
                    radius = k->radius;
        const Vec3 at = f.at(centre.x(), centre.y(), height);
        for (const Vec3& p : pts)
            if (std::abs((p - at).norm() - radius) > ragged() || std::abs(f.height(p) - height) > ragged()) return std::nullopt;
        // The sense in which the chain goes round; rings start in the direction their surface calls x, so that seams are rulings.
        double sense = 0;
        for (std::size_t i = 0; i + 1 < pts.size(); ++i) sense += f.z.dot((pts[i] - at).cross(pts[i + 1] - at));
        const bool ring = c.closed() && !vertex_.count(c.points.front());
        const Vec3 from = ring && axis_x.norm() > 0 && std::abs(axis_x.dot(f.z)) < 0.1 ? axis_x : Vec3(pts.front() - at);
        return Curve{CircleCurve{Frame::with_zx(at, sense < 0 ? Vec3(-f.z) : f.z, from), radius}, 0, 2 * pi};
    }

    void loops() {
        std::set<std::pair<int, int>> used;
        for (const auto& [key, first] : halves_) {
            if (used.count({first.facet, first.corner})) continue;
            std::vector<Coedge> loop;
            Half h = first;
            // Start at the first side of a chain, so that each chain is one coedge.
            for (std::size_t guard = 0; guard < halves_.size() && !starts_chain(h); ++guard) {
                h = next(h);
                if (h.facet == first.facet && h.corner == first.corner) break;
            }
            const Half begin = h;
            int last = -1;
            do {
                used.insert({h.facet, h.corner});
                const auto [chain, back] = chain_of_.at({h.facet, h.corner});
                if (chain != last || starts_chain(h)) {
                    Coedge use;
                    use.edge = BodyEdgeId(chain);
                    use.reversed = back;
                    loop.push_back(use);
                }
                last = chain;
                h = next(h);
            } while ((h.facet != begin.facet || h.corner != begin.corner) && !used.count({h.facet, h.corner}));
            body_.faces[ix(region_[ix(begin.facet)])].loops.push_back(std::move(loop));
        }
        // Outer loop first: the longest.
        for (Face& f : body_.faces) {
            const auto length = [&](const std::vector<Coedge>& l) {
                double sum = 0;
                for (const Coedge& u : l) sum += body_.edges[u.edge.index()].curve.length();
                return sum;
            };
            std::stable_sort(f.loops.begin(), f.loops.end(), [&](const auto& a, const auto& b) { return length(a) > length(b) * (1 + 1e-9); });
        }
    }

    [[nodiscard]] bool starts_chain(const Half& h) const {
        const auto [chain, back] = chain_of_.at({h.facet, h.corner});
        const int p = m_.facets[ix(h.facet)][ix(h.corner)];
        return p == (back ? chains_[ix(chain)].points.back() : chains_[ix(chain)].points.front());
    }

    // A face that goes all the way round between two rings gets a seam along a ruling, as a CAD file would have it.
    void seams() {
        for (Face& f : body_.faces) {
            const bool round = std::holds_alternative<CylinderSurface>(f.surface) || std::holds_alternative<ConeSurface>(f.surface);
            if (!round || f.loops.size() != 2 || f.loops[0].size() != 1 || f.loops[1].size() != 1) continue;
            const int a = body_.edges[f.loops[0][0].edge.index()].vertices[0], b = body_.edges[f.loops[1][0].edge.index()].vertices[0];
            const Vec3 &p = body_.vertices[ix(a)], &q = body_.vertices[ix(b)];
            const double turn = surface_parameters(f.surface, p).x() - surface_parameters(f.surface, q).x();
            if (std::abs(std::remainder(turn, 2 * pi)) > 1e-3 || (p - q).norm() < exact()) continue;
            const BodyEdgeId id(body_.edges.size());
            body_.edges.push_back({Curve::segment(p, q), {a, b}, false});
            std::vector<Coedge> loop{f.loops[0][0], Coedge{id, false, {}, {}, {}}, f.loops[1][0], Coedge{id, true, {}, {}, {}}};
            f.loops = {std::move(loop)};
        }
    }

    const FacetMesh& m_;
    FacetRegions found_;
    Body body_;
    double size_ = 1;
    std::vector<int> region_;
    std::vector<Chain> chains_;
    std::map<std::tuple<int, int, int>, Half> halves_;
    std::map<std::pair<int, int>, std::pair<int, bool>> chain_of_;
    std::map<int, std::set<std::pair<int, int>>> touching_;
    std::map<int, int> degree_, vertex_;
    std::map<int, int> own_;  // of the spline face being made: number of each corner
};

}  // namespace

Body body_from_facets(const FacetMesh& mesh) {
    return Builder(mesh).run();
}

}  // namespace halvo
