#include <halvo/geometry.hpp>

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

constexpr std::size_t most_net = 64, block = 8;  // points of a net each way, and of the blocks it is looked through by
constexpr double flat_angle = 1e-6;              // a line at a flatter angle to a surface does not meet it near by
constexpr double as_feet = 1e-11;                // of the length of a line: as well as feet are known
constexpr int quick_steps = 12;                  // Newton's method doubles its digits: it has settled by then or runs astray
constexpr double most_slant = 2;                 // of the nearest distance, as at 60 degrees

}  // namespace

BaseSurface::BaseSurface(Surface surface) : surface_(std::move(surface)) {
    const auto* f = std::get_if<FreeSurface>(&surface_);
    if (!f || !f->spline) return;
    const NurbsSurface& s = *f->spline;
    auto net = std::make_shared<Net>();
    const Vec2 lo = s.domain().min(), hi = s.domain().max();
    const std::size_t n = std::clamp<std::size_t>(2 * s.count_u(), 8, most_net), m = std::clamp<std::size_t>(2 * s.count_v(), 8, most_net);
    for (std::size_t i0 = 0; i0 < n; i0 += block)
        for (std::size_t j0 = 0; j0 < m; j0 += block) {
            Box3 box;
            for (std::size_t i = i0; i < std::min(n, i0 + block); ++i)
                for (std::size_t j = j0; j < std::min(m, j0 + block); ++j) {
                    const Vec2 share((static_cast<double>(i) + 0.5) / static_cast<double>(n), (static_cast<double>(j) + 0.5) / static_cast<double>(m));
                    net->at.emplace_back(lo + (hi - lo).cwiseProduct(share));
                    net->points.push_back(s.point(net->at.back()));
                    box.extend(net->points.back());
                }
            net->boxes.push_back(box), net->ends.push_back(net->points.size());
        }
    net_ = std::move(net);
}

// The point of the net nearest to `p`: the block whose box is nearest tells how far the others need looking at.
std::size_t BaseSurface::Net::nearest(const Vec3& p) const {
    std::size_t best = 0;
    double least = std::numeric_limits<double>::max();
    const auto look = [&](std::size_t b) {
        for (std::size_t i = b == 0 ? 0 : ends[b - 1]; i < ends[b]; ++i)
            if (const double d = (points[i] - p).squaredNorm(); d < least) least = d, best = i;
    };
    std::array<double, (most_net / block) * (most_net / block)> away;
    std::size_t first = 0;
    for (std::size_t b = 0; b < boxes.size(); ++b)
        if ((away[b] = boxes[b].squaredExteriorDistance(p)) < away[first]) first = b;
    look(first);
    for (std::size_t b = 0; b < boxes.size(); ++b)
        if (b != first && away[b] < least) look(b);
    return best;
}

Vec2 BaseSurface::parameters(const Vec3& p) const {
    if (!net_) return surface_parameters(surface_, p);
    return std::get<FreeSurface>(surface_).spline->extended_foot(p, net_->at[net_->nearest(p)]);
}

SkinPoint BaseSurface::foot(const Vec3& p) const {
    if (net_) {
        const auto j = std::get<FreeSurface>(surface_).spline->extended(parameters(p), 1);
        return {j.p, j.normal()};
    }
    if (const auto* s = std::get_if<PlaneSurface>(&surface_)) return {p - s->frame.height(p) * s->frame.z, s->frame.z};
    const Vec3 at = surface_point(surface_, surface_parameters(surface_, p));
    return {at, surface_normal(surface_, at).value_or(Vec3::Zero())};
}

// By the tangent plane at the foot of the point reached, again and again: sure, but each step looks for a foot.
double BaseSurface::along_feet(const Vec3& p, const Vec3& d) const {
    double t = 0;
    for (int i = 0; i < 40; ++i) {
        const SkinPoint f = foot(p + t * d);
        const double rate = f.normal.dot(d);
        if (std::abs(rate) < flat_angle) break;
        const double step = (f.point - (p + t * d)).dot(f.normal) / rate;
        t += step;
        if (std::abs(step) < as_feet * std::max(1.0, std::abs(t))) break;
    }
    return t;
}

// On splines Newton's method for line and surface together, from the foot; where it does not settle at once, by feet.
double BaseSurface::along(const Vec3& p, const Vec3& d, const Vec2& from) const {
    const NurbsSurface& s = *std::get<FreeSurface>(surface_).spline;
    Vec2 uv = from;
    for (int i = 0; i < quick_steps; ++i) {
        const auto j = s.extended(uv, 1);
        const Vec3 n = j.du.cross(j.dv);
        const double across = n.dot(d);
        if (std::abs(across) < flat_angle * n.norm()) break;
        const double t = (j.p - p).dot(n) / across;
        const Vec3 off = p + t * d - j.p;  // in the tangent plane
        const Vec2 by(off.cross(j.dv).dot(n) / n.squaredNorm(), j.du.cross(off).dot(n) / n.squaredNorm());
        uv += by;
        if (off.norm() < as_feet * std::max(1.0, std::abs(t))) return t;
    }
    return along_feet(p, d);
}

double BaseSurface::reach(const Vec3& p, const Vec3& d) const {
    const Vec2 at = net_ ? parameters(p) : Vec2::Zero();  // looked for once
    const Vec3 foot = (net_ ? std::get<FreeSurface>(surface_).spline->extended(at, 0).p : this->foot(p).point) - p;
    const double t = net_ ? along(p, d, at) : along_feet(p, d);
    return std::abs(t) <= most_slant * foot.norm() + 1e-9 ? t : std::copysign(foot.norm(), foot.dot(d));
}

std::optional<Surface> offset_surface(const Surface& s, double by) {
    if (const auto* k = std::get_if<PlaneSurface>(&s)) {
        Frame f = k->frame;
        f.origin += by * f.z;
        return PlaneSurface{f};
    }
    if (const auto* k = std::get_if<CylinderSurface>(&s); k && k->radius + by > 0) return CylinderSurface{k->frame, k->radius + by};
    if (const auto* k = std::get_if<ConeSurface>(&s)) return ConeSurface{k->frame, k->radius + by / std::cos(k->half_angle), k->half_angle};
    if (const auto* k = std::get_if<SphereSurface>(&s); k && k->radius + by > 0) return SphereSurface{k->frame, k->radius + by};
    if (const auto* k = std::get_if<TorusSurface>(&s); k && k->minor + by > 0) return TorusSurface{k->frame, k->major, k->minor + by};
    return std::nullopt;
}

bool same_surface(const Surface& a, const Surface& b, const Vec3& place, double reach, double tol) {
    if (a.index() != b.index()) return false;
    const double angle = tol / std::max(reach, tol);
    const auto along = [&](const Frame& f, const Frame& g) { return f.z.cross(g.z).norm() <= angle; };
    // Distance between two axes near the place.
    const auto apart = [&](const Frame& f, const Frame& g) {
        const Vec3 p = f.origin + f.height(place) * f.z;
        return (p - g.origin).cross(g.z).norm();
    };
    if (const auto* s = std::get_if<PlaneSurface>(&a)) {
        const auto& t = std::get<PlaneSurface>(b);
        return along(s->frame, t.frame) && std::abs(t.frame.height(place - s->frame.height(place) * s->frame.z)) <= tol;
    }
    if (const auto* s = std::get_if<CylinderSurface>(&a)) {
        const auto& t = std::get<CylinderSurface>(b);
        return along(s->frame, t.frame) && apart(s->frame, t.frame) <= tol && std::abs(s->radius - t.radius) <= tol;
    }
    if (const auto* s = std::get_if<ConeSurface>(&a)) {
        const auto& t = std::get<ConeSurface>(b);
        if (!along(s->frame, t.frame) || apart(s->frame, t.frame) > tol) return false;
        const double turn = s->frame.z.dot(t.frame.z) > 0 ? 1 : -1;
        if (std::abs(s->half_angle - turn * t.half_angle) > angle) return false;
        const auto radius = [&](const ConeSurface& c) { return c.radius + c.frame.height(place) * std::tan(c.half_angle); };
        return std::abs(radius(*s) - radius(t)) <= tol;
    }
    if (const auto* s = std::get_if<SphereSurface>(&a)) {
        const auto& t = std::get<SphereSurface>(b);
        return (s->frame.origin - t.frame.origin).norm() <= tol && std::abs(s->radius - t.radius) <= tol;
    }
    if (const auto* s = std::get_if<TorusSurface>(&a)) {
        const auto& t = std::get<TorusSurface>(b);
        return along(s->frame, t.frame) && (s->frame.origin - t.frame.origin).norm() <= tol && std::abs(s->major - t.major) <= tol &&
               std::abs(s->minor - t.minor) <= tol;
    }
    const auto &s = std::get<FreeSurface>(a), &t = std::get<FreeSurface>(b);
    if (!s.spline || !t.spline) return false;
    if (s.spline == t.spline) return true;
    if (s.spline->poles.size() != t.spline->poles.size() || s.spline->knots_u != t.spline->knots_u || s.spline->knots_v != t.spline->knots_v) return false;
    for (std::size_t i = 0; i < s.spline->poles.size(); ++i)
        if ((s.spline->poles[i] - t.spline->poles[i]).norm() > tol) return false;
    return true;
}

}  // namespace halvo
