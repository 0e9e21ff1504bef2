#include "body/face_outlines.hpp"

#include "core/index.hpp"
#include "geom/parameters.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr int path_pieces = 4;      // of a spline's edge between two corners of facets, as the mass integrals want it
constexpr double at_pole = 1e-6;    // of a radius (or in mm): nearer to the axis the angle means nothing
constexpr double same_side = 1e-6;  // of a parameter's range: on the seam
constexpr double loose_end = 0.02;  // of an outline's size: a loop with a wider gap does not close
constexpr int deepest_edge = 16;    // a quarter of an edge is halved at most so often

// One coedge in parameters, in the sense of its use.
struct Laid {
    std::vector<Vec2> uv;      // at the corners of facets
    std::vector<Vec3> points;  // there
    std::vector<Vec2> path;    // on splines: with the points between
};

class Layer {
public:
    Layer(const Body& body, const Face& face, const BaseSurface& base, const std::vector<EdgePoints>& edges)
        : body_(body), face_(face), base_(base), edges_(edges), period_(periods_of(base.surface())) {
        if (const auto* f = std::get_if<FreeSurface>(&base.surface())) {
            if (!f->spline) throw NotLaid("a face has no surface");
            spline_ = f->spline.get();
            domain_ = spline_->domain();
        }
    }

    FaceOutline::Loop lay(std::vector<Coedge>& loop) {
        std::vector<Coedge> real;
        std::vector<BodyEdgeId> poles;
        for (Coedge& c : loop) {
            if (c.edge.value >= 0 && !body_.edges[c.edge.index()].degenerate) real.push_back(std::move(c));
            else poles.push_back(c.edge);
        }
        if (real.empty()) throw NotLaid("a loop has no edge");
        std::vector<Laid> laid;
        laid.reserve(real.size());
        for (const Coedge& c : real) laid.push_back(lay(c));
        join(laid);
        FaceOutline::Loop out;
        loop.clear();
        for (std::size_t i = 0; i < real.size(); ++i) {
            Coedge& c = real[i];
            c.uv_start = laid[i].uv.front(), c.uv_end = laid[i].uv.back();
            c.path = std::move(laid[i].path);
            out.uv.insert(out.uv.end(), laid[i].uv.begin(), laid[i].uv.end() - 1);
            out.points.insert(out.points.end(), laid[i].points.begin(), laid[i].points.end() - 1);
            loop.push_back(std::move(c));
            const Vec2 &end = laid[i].uv.back(), &next = laid[(i + 1) % real.size()].uv.front();
            if (!pole_between(end, next)) continue;
            Coedge pole;
            pole.edge = BodyEdgeId(-1);
            if (!poles.empty()) pole.edge = poles.front(), poles.erase(poles.begin());
            pole.uv_start = end, pole.uv_end = next;
            if (spline_ != nullptr)
                for (int k = 0; k <= path_pieces; ++k) pole.path.emplace_back(end + (next - end) * k / path_pieces);
            loop.push_back(std::move(pole));
            out.uv.push_back(end), out.points.push_back(laid[i].points.back());
        }
        return out;
    }

    static void shift(FaceOutline::Loop& polygon, std::vector<Coedge>& loop, const Vec2& by) {
        for (Vec2& p : polygon.uv) p += by;
        for (Coedge& c : loop) {
            c.uv_start += by, c.uv_end += by;
            for (Vec2& p : c.path) p += by;
        }
    }

    [[nodiscard]] const Vec2& period() const { return period_; }
    [[nodiscard]] const NurbsSurface* spline() const { return spline_; }
    [[nodiscard]] const Box2& domain() const { return domain_; }

private:
    // Which of the parameters means nothing at a place: of a pole or an apex; -1 for none.
    [[nodiscard]] int lost_parameter(const Vec2& uv) const {
        if (std::holds_alternative<PlaneSurface>(base_.surface()) || std::holds_alternative<CylinderSurface>(base_.surface())) return -1;
        Vec2 wide = spline_ != nullptr ? Vec2(domain_.sizes()) : Vec2(1, 1);
        wide = wide.cwiseProduct(parameter_lengths(base_.surface(), uv));
        const double least = at_pole * std::max(1.0, wide.maxCoeff());
        return wide.x() < least ? 0 : wide.y() < least ? 1 : -1;
    }

    Laid lay(const Coedge& c) {
        const EdgePoints& e = edges_[c.edge.index()];
        Laid out;
        out.points = e.points;
        if (spline_ != nullptr) {
            std::vector<Vec3> dense;
            const Curve& curve = body_.edges[c.edge.index()].curve;
            for (std::size_t i = 0; i + 1 < e.at.size(); ++i)
                for (int k = 0; k < path_pieces; ++k) dense.push_back(k == 0 ? e.points[i] : curve.point(e.at[i] + (e.at[i + 1] - e.at[i]) * k / path_pieces));
            dense.push_back(e.points.back());
            if (c.reversed) std::reverse(dense.begin(), dense.end());
            out.path = on_spline(dense);
            for (std::size_t i = 0; i < out.path.size(); i += path_pieces) out.uv.push_back(out.path[i]);
        } else {
            out.uv.reserve(e.points.size());
            for (const Vec3& p : e.points) out.uv.push_back(surface_parameters(base_.surface(), p));
        }
        if (c.reversed) {
            std::reverse(out.points.begin(), out.points.end());
            if (spline_ == nullptr) std::reverse(out.uv.begin(), out.uv.end());
        }
        if (spline_ == nullptr) unroll(out.uv);
        return out;
    }

    // Angles go on without jumps; those of poles are those of the point beside.
    void unroll(std::vector<Vec2>& uv) const {
        if (period_.isZero()) return;
        for (std::size_t i = 0; i < uv.size(); ++i)
            if (lost_parameter(uv[i]) == 0) uv[i].x() = i > 0 ? uv[i - 1].x() : uv.size() > 1 ? uv[1].x() : uv[0].x();
        for (std::size_t i = 1; i < uv.size(); ++i)
            for (int k = 0; k < 2; ++k)
                if (period_[k] > 0) uv[i][k] += period_[k] * std::round((uv[i - 1][k] - uv[i][k]) / period_[k]);
    }

    // From the middle to both ends, each foot near the one before it.
    [[nodiscard]] std::vector<Vec2> on_spline(const std::vector<Vec3>& p) const {
        std::vector<Vec2> uv(p.size());
        const std::size_t m = p.size() / 2;
        uv[m] = spline_->clamped(base_.parameters(p[m]));
        const auto step = [&](std::size_t to, std::size_t from) {
            uv[to] = spline_->foot(p[to], uv[from]);
            const double off = (spline_->point(uv[to]) - p[to]).norm(), way = (p[to] - p[from]).norm();
            if (off > 0.1 * way) {  // caught at a border, or at another fold
                Vec2 other = spline_->clamped(base_.parameters(p[to]));
                if ((spline_->point(other) - p[to]).norm() < 0.5 * off) uv[to] = other;
            }
            if (const int lost = lost_parameter(uv[to]); lost >= 0) uv[to][lost] = uv[from][lost];
            for (int k = 0; k < 2; ++k)
                if (period_[k] > 0) uv[to][k] += period_[k] * std::round((uv[from][k] - uv[to][k]) / period_[k]);
        };
        for (std::size_t i = m + 1; i < p.size(); ++i) step(i, i - 1);
        for (std::size_t i = m; i-- > 0;) step(i, i + 1);
        return uv;
    }

    [[nodiscard]] bool on_seam(const Laid& l) const {
        const Vec2& middle = l.uv[l.uv.size() / 2];
        for (int k = 0; k < 2; ++k)
            if (period_[k] > 0 && std::min(std::abs(middle[k] - domain_.min()[k]), std::abs(middle[k] - domain_.max()[k])) < same_side * period_[k])
                return true;
        return false;
    }

    // All in one turn: each begins where the one before it ended.
    void join(std::vector<Laid>& laid) const {
        const std::size_t n = laid.size();
        std::size_t first = 0;
        if (spline_ != nullptr)
            while (first + 1 < n && on_seam(laid[first])) ++first;
        if (lost_parameter(laid[first].uv.front()) >= 0)
            for (std::size_t i = 0; i < n; ++i)
                if (lost_parameter(laid[i].uv.front()) < 0 && (spline_ == nullptr || !on_seam(laid[i]))) {
                    first = i;
                    break;
                }
        Vec2 end = laid[first].uv.back();
        Box3 box;
        for (const Laid& l : laid)
            for (const Vec3& p : l.points) box.extend(p);
        const double size = box.diagonal().norm();
        for (std::size_t k = 1; k <= n; ++k) {
            const Laid& before = laid[(first + k - 1) % n];
            Laid& l = laid[(first + k) % n];
            Vec2 by = Vec2::Zero();
            const int lost = lost_parameter(end);
            for (int a = 0; a < 2; ++a)
                if (period_[a] > 0)
                    by[a] = a == lost ? round_pole(before, l.uv.front()[a] - end[a], a) : period_[a] * std::round((end[a] - l.uv.front()[a]) / period_[a]);
            if (k == n && !by.isZero()) throw NotLaid("a loop runs round a closed surface without a seam");
            for (Vec2& p : l.uv) p += by;
            for (Vec2& p : l.path) p += by;
            Vec2 gap = (l.uv.front() - end).cwiseAbs();
            if (lost >= 0) gap[lost] = 0;
            if (gap.cwiseProduct(parameter_lengths(base_.surface(), end)).maxCoeff() > loose_end * size) throw NotLaid("a loop does not close");
            end = l.uv.back();
        }
    }

    // Whole turns to add after a pole, so that the way along it keeps the face on its left (on its right where it is reversed).
    [[nodiscard]] double round_pole(const Laid& before, double step, int lost) const {
        const int other = 1 - lost;
        double mean = 0;
        for (const Vec2& p : before.uv) mean += p[other] / static_cast<double>(before.uv.size());
        const bool far = before.uv.back()[other] > mean;  // at the upper end of the other parameter
        const double way = (far == (lost == 0) ? -1.0 : 1.0) * (face_.reversed ? -1.0 : 1.0);
        double along = way * step;
        double by = 0;
        while (along < same_side) along += period_[lost], by += period_[lost];
        while (along > period_[lost] + same_side) along -= period_[lost], by -= period_[lost];
        return way * by;
    }

    [[nodiscard]] bool pole_between(const Vec2& end, const Vec2& next) const {
        const int lost = lost_parameter(end);
        return lost >= 0 && std::abs(next[lost] - end[lost]) > same_side;
    }

    const Body& body_;
    const Face& face_;
    const BaseSurface& base_;
    const std::vector<EdgePoints>& edges_;
    Vec2 period_;
    const NurbsSurface* spline_ = nullptr;
    Box2 domain_;
};

// Halves a piece until its chord keeps near and turns little.
void halve_edge(const Curve& c, double a, double b, double chord, double turn, int depth, std::vector<double>& out) {
    const Vec3 p = c.point(a), q = c.point(b), way = q - p;
    const double m = 0.5 * (a + b), length = way.norm();
    const auto off = [&](double t) {
        const Vec3 d = c.point(t) - p;
        return length > 0 ? d.cross(way).norm() / length : d.norm();
    };
    const Vec3 da = c.derivative(a), db = c.derivative(b);
    const bool turns = da.cross(db).norm() > std::sin(turn) * da.norm() * db.norm() || da.dot(db) < 0;
    if (depth < deepest_edge && (turns || std::max({off(m), off(0.75 * a + 0.25 * b), off(0.25 * a + 0.75 * b)}) > chord)) {
        halve_edge(c, a, m, chord, turn, depth + 1, out);
        halve_edge(c, m, b, chord, turn, depth + 1, out);
        return;
    }
    out.push_back(b);
}

std::vector<double> edge_places(const Curve& c, double chord, double turn) {
    std::vector<double> out{c.t0};
    if (c.is_line()) {
        out.push_back(c.t1);
    } else if (const auto* k = std::get_if<CircleCurve>(&c.shape)) {
        const double step = std::min(turn, 2 * std::acos(std::clamp(1 - chord / k->radius, 0.0, 1.0)));
        const int n = std::max(1, static_cast<int>(std::ceil((c.t1 - c.t0) / std::max(step, 1e-3) - 1e-9)));
        for (int i = 1; i <= n; ++i) out.push_back(i == n ? c.t1 : c.t0 + (c.t1 - c.t0) * i / n);
    } else if (const auto* p = std::get_if<PolylineCurve>(&c.shape); p && p->tangents.empty()) {
        for (const double t : p->at)
            if (t > c.t0 && t < c.t1) out.push_back(t);
        out.push_back(c.t1);
    } else {
        for (int i = 0; i < 4; ++i) halve_edge(c, c.t0 + (c.t1 - c.t0) * i / 4, c.t0 + (c.t1 - c.t0) * (i + 1) / 4, chord, turn, 2, out);
    }
    return out;
}

// The biggest loop is the outer one; the others lie in its turn of a closed surface.
void put_outer_first(FaceOutline& out, Face& face, const Layer& layer) {
    std::size_t outer = 0;
    for (std::size_t i = 1; i < out.loops.size(); ++i)
        if (std::abs(polygon_area(out.loops[i].uv)) > std::abs(polygon_area(out.loops[outer].uv))) outer = i;
    std::swap(out.loops[0], out.loops[outer]), std::swap(face.loops[0], face.loops[outer]);
    if ((polygon_area(out.loops[0].uv) > 0) == face.reversed) throw NotLaid("the outer loop of a face runs round what is not the face");
    const Vec2& period = layer.period();
    const auto fits = [&](const FaceOutline::Loop& loop, const Vec2& by) {
        std::size_t in = 0;
        const std::size_t step = std::max<std::size_t>(1, loop.uv.size() / 8);
        std::size_t asked = 0;
        for (std::size_t k = 0; k < loop.uv.size(); k += step) ++asked, in += inside({out.loops[0].uv}, loop.uv[k] + by) ? 1 : 0;
        return 2 * in > asked;
    };
    if (period.isZero()) return;
    for (std::size_t i = 1; i < out.loops.size(); ++i) {
        bool found = false;
        for (const int a : {0, 1, -1, 2, -2})
            for (const int b : {0, 1, -1}) {
                if (found || (a != 0 && period.x() == 0) || (b != 0 && period.y() == 0)) continue;
                const Vec2 by(a * period.x(), b * period.y());
                if (!fits(out.loops[i], by)) continue;
                Layer::shift(out.loops[i], face.loops[i], by);
                found = true;
            }
        if (!found) throw NotLaid("a hole lies outside of its face");
    }
}

// On splines, which end at their seams, in whole turns into the domain.
void into_domain(FaceOutline& out, Face& face, const Layer& layer) {
    const Box2& d = layer.domain();
    const Vec2 slack = same_side * d.sizes();
    const Vec2& period = layer.period();
    Vec2 by = Vec2::Zero();
    for (int k = 0; k < 2; ++k) {
        if (period[k] > 0) by[k] = period[k] * std::round((d.center()[k] - out.range.center()[k]) / period[k]);
        if (out.range.min()[k] + by[k] < d.min()[k] - slack[k] || out.range.max()[k] + by[k] > d.max()[k] + slack[k])
            throw NotLaid("a face runs over the seam of its spline");
    }
    for (std::size_t i = 0; i < out.loops.size() && !by.isZero(); ++i) Layer::shift(out.loops[i], face.loops[i], by);
    out.range.translate(by);
}

}  // namespace

std::vector<EdgePoints> edge_points(const Body& body, double chord, double turn) {
    std::vector<EdgePoints> out(body.edges.size());
    for (std::size_t i = 0; i < body.edges.size(); ++i) {
        const BodyEdge& e = body.edges[i];
        if (e.degenerate) continue;
        out[i].at = edge_places(e.curve, chord, turn);
        for (const double t : out[i].at) out[i].points.push_back(e.curve.point(t));
        // Edges that meet in a vertex end in one point, as the file's digits do not have them: a ray between facets would find the gap.
        if (e.vertices[0] >= 0) out[i].points.front() = body.vertices[ix(e.vertices[0])];
        if (e.vertices[1] >= 0) out[i].points.back() = body.vertices[ix(e.vertices[1])];
    }
    return out;
}

FaceOutline lay_loops(const Body& body, Face& face, const BaseSurface& base, const std::vector<EdgePoints>& edges) {
    Layer layer(body, face, base, edges);
    FaceOutline out;
    for (auto& loop : face.loops) out.loops.push_back(layer.lay(loop));
    if (out.loops.empty()) throw NotLaid("a face has no loops");
    put_outer_first(out, face, layer);
    for (const auto& loop : out.loops)
        for (const Vec2& p : loop.uv) out.range.extend(p);
    if (layer.spline() != nullptr) into_domain(out, face, layer);
    return out;
}

}  // namespace halvo
