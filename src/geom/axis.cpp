#include <halvo/axis.hpp>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

// Carried along a curve to a point with a tangent there, without turning about it.
Frame reflected(const Frame& from, const Vec3& to, const Vec3& tangent) {
    const Vec3 step = to - from.origin;
    Frame f{to, from.x, from.y, tangent};
    if (const double c = step.squaredNorm(); c > 0) {
        const Vec3 x = from.x - 2 / c * step.dot(from.x) * step, z = from.z - 2 / c * step.dot(from.z) * step, way = tangent - z;
        const double d = way.squaredNorm();
        f.x = d > 1e-30 ? Vec3(x - 2 / d * way.dot(x) * way) : x;
    }
    f.x = (f.x - f.x.dot(tangent) * tangent).normalized();
    f.y = tangent.cross(f.x);
    return f;
}

double speed(const Curve& piece) {
    return piece.length() / (piece.t1 - piece.t0);
}

}  // namespace

Axis::Axis(const Frame& start, std::vector<Curve> pieces) : pieces_(std::move(pieces)) {
    frames_.push_back(start);
    at_.push_back(0);
    for (std::size_t k = 0; k < pieces_.size(); ++k) {
        const Curve& c = pieces_[k];
        at_.push_back(at_.back() + c.length());
        inner_.emplace_back();
        if (const auto* p = std::get_if<PolylineCurve>(&c.shape)) {
            inner_.back().push_back(reflected(frames_.back(), c.start(), c.derivative(c.t0).normalized()));
            for (double t : p->at)
                if (t > c.t0 && t <= c.t1) inner_.back().push_back(reflected(inner_.back().back(), c.point(t), c.derivative(t).normalized()));
        }
        frames_.push_back(carried(k, c.t1));
    }
}

// Frame at the parameter of a piece, from the one at its start.
Frame Axis::carried(std::size_t piece, double t) const {
    const Curve& c = pieces_[piece];
    if (!inner_[piece].empty()) {
        std::size_t k = 0, i = 0;
        for (double at : std::get<PolylineCurve>(c.shape).at)
            if (at > c.t0 && at <= c.t1 && ++i && at <= t) k = i;
        return reflected(inner_[piece][k], c.point(t), c.derivative(t).normalized());
    }
    Frame f = frames_[piece];
    if (const auto* arc = std::get_if<CircleCurve>(&c.shape)) {
        const Frame start = f;
        const Eigen::AngleAxisd turn(t - c.t0, arc->frame.z);
        f.x = turn * start.x, f.y = turn * start.y, f.z = turn * start.z;
    }
    f.origin = c.point(t);
    return f;
}

Axis Axis::straight(const Frame& start, double length) {
    return Axis(start, {Curve::segment(start.origin, start.origin + length * start.z)});
}

Frame Axis::frame(double s) const {
    const auto run_on = [&](const Frame& f, double by) {
        Frame g = f;
        g.origin += by * f.z;
        return g;
    };
    if (s <= 0) return run_on(frames_.front(), s);
    if (s >= length()) return run_on(frames_.back(), s - length());
    const auto k = static_cast<std::size_t>(std::upper_bound(at_.begin(), at_.end(), s) - at_.begin()) - 1;
    return carried(k, pieces_[k].t0 + (s - at_[k]) / speed(pieces_[k]));
}

double Axis::parameter(const Vec3& p) const {
    if (is_straight()) return (p - frames_[0].origin).dot(frames_[0].z);
    double best = 0, distance = std::numeric_limits<double>::max();
    const auto offer = [&](double s, const Vec3& q) {
        if ((p - q).norm() < distance) distance = (p - q).norm(), best = s;
    };
    for (std::size_t k = 0; k < pieces_.size(); ++k) {
        const double t = pieces_[k].nearest(p);
        offer(at_[k] + (t - pieces_[k].t0) * speed(pieces_[k]), pieces_[k].point(t));
    }
    const Frame &a = frames_.front(), &b = frames_.back();
    if (const double before = (p - a.origin).dot(a.z); before < 0) offer(before, a.origin + before * a.z);
    if (const double past = (p - b.origin).dot(b.z); past > 0) offer(length() + past, b.origin + past * b.z);
    return best;
}

std::vector<Curve> Axis::between(double a, double b, const Vec2& shift) const {
    std::vector<Curve> out;
    const auto place = [&](double s) {
        const Frame f = frame(s);
        return f.at(shift.x(), shift.y());
    };
    for (std::size_t k = 0; k < pieces_.size(); ++k) {
        const bool first = k == 0, last = k + 1 == pieces_.size();
        const double from = first ? a : std::max(a, at_[k]), to = last ? b : std::min(b, at_[k + 1]);
        if (to <= from) continue;
        const auto* arc = std::get_if<CircleCurve>(&pieces_[k].shape);
        const auto* spline = std::get_if<PolylineCurve>(&pieces_[k].shape);
        if (!arc && !spline) {
            out.push_back(Curve::segment(place(from), place(to)));
            continue;
        }
        // Beyond the ends of the axis an arc is carried on by straight pieces.
        const double lo = std::max(from, at_[k]), hi = std::min(to, at_[k + 1]);
        if (from < lo) out.push_back(Curve::segment(place(from), place(lo)));
        if (hi > lo && spline) {
            std::vector<Vec3> points, tangents;
            const auto add = [&](double s) {
                const Frame f = frame(s);
                points.push_back(f.at(shift.x(), shift.y())), tangents.push_back(f.z);
            };
            add(lo);
            for (double t : spline->at)
                if (const double s = at_[k] + (t - pieces_[k].t0) * speed(pieces_[k]); s > lo + 1e-6 * (hi - lo) && s < hi - 1e-6 * (hi - lo)) add(s);
            add(hi);
            out.push_back(Curve::polyline(std::move(points), std::move(tangents)));
        } else if (hi > lo) {
            Curve c = pieces_[k];
            auto& circle = std::get<CircleCurve>(c.shape);
            const Vec3 p = place(lo), on_axis = circle.frame.origin + circle.frame.z * circle.frame.z.dot(p - circle.frame.origin);
            const double t = pieces_[k].t0 + (lo - at_[k]) / arc->radius;
            const Vec3 radial = std::cos(t) * arc->frame.x + std::sin(t) * arc->frame.y;
            circle.frame.origin = on_axis;
            circle.radius = (p - on_axis).dot(radial);
            c.t0 = t, c.t1 = pieces_[k].t0 + (hi - at_[k]) / arc->radius;
            out.push_back(c);
        }
        if (to > hi) out.push_back(Curve::segment(place(hi), place(to)));
    }
    return out;
}

Axis Axis::moved(const Eigen::Isometry3d& m) const {
    std::vector<Curve> pieces;
    for (const Curve& c : pieces_) pieces.push_back(c.moved(m));
    return Axis(halvo::moved(frames_.front(), m), std::move(pieces));
}

Axis Axis::reversed() const {
    std::vector<Curve> pieces;
    for (auto c = pieces_.rbegin(); c != pieces_.rend(); ++c) pieces.push_back(c->reversed());
    Frame f = frames_.back();
    f.x = -f.x, f.z = -f.z;
    return Axis(f, std::move(pieces));
}

}  // namespace halvo
