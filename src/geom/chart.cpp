#include <halvo/chart.hpp>

#include "geom/parameters.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

constexpr int area_strips = 8;  // with four Gauss points each: exact for polynomials of degree 7 on an eighth of the height

// Cones open along their axis, spheres have their pole in the middle of the chart.
Surface arranged(Surface s, const Vec3& middle) {
    if (auto* c = std::get_if<ConeSurface>(&s)) {
        if (c->half_angle < 0) c->half_angle = -c->half_angle, c->frame.z = -c->frame.z, c->frame.y = -c->frame.y;
    } else if (auto* k = std::get_if<SphereSurface>(&s)) {
        const Vec3 d = middle - k->frame.origin;
        if (d.norm() > 1e-9 * k->radius) k->frame = Frame::with_zx(k->frame.origin, d, k->frame.x);
    }
    return s;
}

Vec2 mean_scale(const NurbsSurface& s) {
    const Vec2 lo = s.domain().min(), hi = s.domain().max();
    Vec2 sum = Vec2::Zero();
    constexpr int n = 5;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            const auto k = s.jet({lo.x() + (hi.x() - lo.x()) * (i + 0.5) / n, lo.y() + (hi.y() - lo.y()) * (j + 0.5) / n});
            sum += Vec2(k.du.norm(), k.dv.norm()) / (n * n);
        }
    return sum.cwiseMax(1e-12);
}

}  // namespace

Chart::Chart(const Frame& plane) : base_(PlaneSurface{plane}), plane_(plane) {}

Chart::Chart(const Surface& surface, const Vec3& middle, bool reversed) : base_(arranged(surface, middle)), reversed_(reversed) {
    const Surface& s = base_.surface();
    if (const auto* k = std::get_if<PlaneSurface>(&s)) {
        Frame f = k->frame;
        f.origin = middle - f.height(middle) * f.z;
        if (reversed) f.z = -f.z, f.y = -f.y;
        *this = Chart(f);
        return;
    }
    centre_ = base_.parameters(middle);
    if (const auto* k = std::get_if<CylinderSurface>(&s)) scale_ = {k->radius, 1}, period_ = {2 * pi, 0};
    else if (const auto* c = std::get_if<ConeSurface>(&s)) {
        sine_ = std::sin(c->half_angle);
        slant_ = centre_.y() + c->radius / sine_;
        period_ = {2 * pi, 0};
    } else if (const auto* t = std::get_if<TorusSurface>(&s)) scale_ = {t->major, t->minor}, period_ = {2 * pi, 2 * pi};
    else if (const auto* f = std::get_if<FreeSurface>(&s); f && f->spline) scale_ = mean_scale(*f->spline), period_ = periods_of(*f->spline);
    if (const auto* f = std::get_if<FreeSurface>(&s); f && f->spline)  // the cut lies where the spline's own borders meet
        for (int k = 0; k < 2; ++k)
            if (period_[k] > 0) centre_[k] = 0.5 * (f->spline->domain().min()[k] + f->spline->domain().max()[k]);
    const SkinPoint m = base_.foot(middle);
    plane_ = Frame::with_z(m.point, reversed ? Vec3(-m.normal) : m.normal);
}

Vec2 Chart::parameters(const Vec3& p) const {
    Vec2 uv = base_.parameters(p);
    if (std::holds_alternative<SphereSurface>(base_.surface())) return uv;
    uv -= centre_;
    for (int k = 0; k < 2; ++k)
        if (period_[k] > 0) uv[k] -= period_[k] * std::round(uv[k] / period_[k]);
    return uv;
}

Vec2 Chart::mapped(const Vec2& uv) const {
    Vec2 q;
    if (const auto* s = std::get_if<SphereSurface>(&base_.surface())) {
        const double r = 2 * s->radius * std::sin(0.5 * (pi / 2 - uv.y()));
        q = {r * std::cos(uv.x()), r * std::sin(uv.x())};
    } else if (sine_ > 0) {
        const double rho = slant_ + uv.y(), a = uv.x() * sine_;
        q = {rho * std::sin(a), rho * std::cos(a) - slant_};
    } else {
        q = uv.cwiseProduct(scale_);
    }
    if (reversed_) q.x() = -q.x();
    return q;
}

Vec2 Chart::unmapped(const Vec2& at) const {
    Vec2 q = at;
    if (reversed_) q.x() = -q.x();
    if (const auto* s = std::get_if<SphereSurface>(&base_.surface()))
        return {std::atan2(q.y(), q.x()), pi / 2 - 2 * std::asin(std::clamp(0.5 * q.norm() / s->radius, 0.0, 1.0))};
    if (sine_ > 0) return {std::atan2(q.x(), q.y() + slant_) / sine_, std::hypot(q.x(), q.y() + slant_) - slant_};
    return q.cwiseQuotient(scale_);
}

Vec2 Chart::local2(const Vec3& p) const {
    return flat() ? plane_.local2(p) : mapped(parameters(p));
}

Vec2 Chart::local2(const Vec3& p, const Vec2& near) const {
    if (flat()) return plane_.local2(p);
    Vec2 uv = parameters(p);
    if (period_.isZero()) return mapped(uv);
    const Vec2 other = unmapped(near);
    for (int k = 0; k < 2; ++k)
        if (period_[k] > 0) uv[k] += period_[k] * std::round((other[k] - uv[k]) / period_[k]);
    return mapped(uv);
}

std::vector<Vec2> Chart::copies(const Vec2& q) const {
    std::vector<Vec2> out{q};
    if (period_.isZero()) return out;
    const Vec2 uv = unmapped(q);
    for (int i = -1; i <= 1; ++i)
        for (int j = -1; j <= 1; ++j)
            if ((i != 0 || j != 0) && (i == 0 || period_.x() > 0) && (j == 0 || period_.y() > 0))
                out.push_back(mapped(uv + Vec2(i * period_.x(), j * period_.y())));
    return out;
}

Vec3 Chart::at(const Vec2& q) const {
    if (flat()) return plane_.at(q);
    const Vec2 uv = unmapped(q);
    if (std::holds_alternative<SphereSurface>(base_.surface())) return surface_point(base_.surface(), uv);
    const Vec2 own = uv + centre_;
    if (const auto* f = std::get_if<FreeSurface>(&base_.surface())) return f->spline->extended(own, 0).p;
    return surface_point(base_.surface(), own);
}

SkinPoint Chart::place(const Vec2& q) const {
    const auto* f = std::get_if<FreeSurface>(&base_.surface());
    if (!f || !f->spline) {
        const Vec3 p = at(q);
        return {p, normal(p)};
    }
    const auto j = f->spline->extended(unmapped(q) + centre_, 1);
    return {j.p, reversed_ ? Vec3(-j.normal()) : j.normal()};
}

SkinPoint Chart::on(const Vec3& p) const {
    if (flat()) return {p - plane_.height(p) * plane_.z, plane_.z};
    SkinPoint f = base_.foot(p);
    if (reversed_) f.normal = -f.normal;
    return f;
}

Vec2 Chart::grid(const Vec3& p) const {
    if (flat()) return plane_.local2(p);
    if (std::holds_alternative<SphereSurface>(base_.surface())) return mapped(parameters(p));
    return parameters(p).cwiseProduct(grid_scale());
}

Vec3 Chart::at_grid(const Vec2& g) const {
    if (flat()) return plane_.at(g);
    if (std::holds_alternative<SphereSurface>(base_.surface())) return at(g);
    Vec2 own = g.cwiseQuotient(grid_scale());
    if (sine_ > 0) own.y() = std::max(own.y(), -slant_);  // not past the apex
    own += centre_;
    if (const auto* f = std::get_if<FreeSurface>(&base_.surface())) return f->spline->extended(own, 0).p;
    return surface_point(base_.surface(), own);
}

double Chart::height(const Vec3& p) const {
    if (flat()) return plane_.height(p);
    const SkinPoint f = base_.foot(p);
    const double h = (p - f.point).dot(f.normal);
    return reversed_ ? -h : h;
}

double Chart::clear_of_cut(const Vec3& p) const {
    if (period_.isZero()) return 1;
    const Vec2 uv = parameters(p);
    double out = 1;
    for (int k = 0; k < 2; ++k)
        if (period_[k] > 0) out = std::min(out, 1 - 2 * std::abs(uv[k]) / period_[k]);
    return out;
}

std::vector<Curve> Chart::cuts(const std::vector<Vec3>& around, double margin) const {
    std::vector<Curve> out;
    if (period_.isZero() || around.empty()) return out;
    Box2 uv;
    for (const Vec3& p : around) uv.extend(parameters(p));
    const auto* spline = std::get_if<FreeSurface>(&base_.surface());
    for (int k = 0; k < 2; ++k) {
        if (period_[k] <= 0) continue;
        const int other = 1 - k;
        double lo = uv.min()[other] - margin / scale_[other], hi = uv.max()[other] + margin / scale_[other];
        if (period_[other] > 0) lo = -0.5 * period_[other], hi = 0.5 * period_[other];
        if (sine_ > 0) lo = std::max(lo, -slant_);  // not past the apex
        const auto point = [&](double w) {
            Vec2 own = centre_;
            own[k] += 0.5 * period_[k], own[other] += lo + (hi - lo) * w;
            return spline ? spline->spline->extended(own, 0).p : surface_point(base_.surface(), own);
        };
        std::vector<Vec3> points, tangents;
        constexpr int n = 48;
        for (int i = 0; i <= n; ++i) {
            const double w = static_cast<double>(i) / n, d = 1e-5;
            points.push_back(point(w));
            tangents.push_back((point(w + d) - point(w - d)).normalized());
        }
        out.push_back(curve_through(points, tangents, 1e-8 * std::max(1.0, (points[n / 2] - points[0]).norm()), Tangents::estimated));
    }
    return out;
}

double Chart::area(const std::vector<Vec2>& polygon) const {
    const auto* t = std::get_if<TorusSurface>(&base_.surface());
    const auto* f = std::get_if<FreeSurface>(&base_.surface());
    if (!t && !f) return polygon_area(polygon);
    double sum = 0;
    if (t) {
        // Green: area = contour integral of F(v) du over minor circles, with F the integral of (major + minor cos v) minor dv.
        const auto inner = [&](double v) { return t->major * t->minor * v + t->minor * t->minor * std::sin(v + centre_.y()); };
        for (std::size_t i = 0, j = polygon.size() - 1; i < polygon.size(); j = i++) {
            const Vec2 a = unmapped(polygon[j]), b = unmapped(polygon[i]);
            sum -= (b.x() - a.x()) * (inner(a.y()) + 4 * inner(0.5 * (a.y() + b.y())) + inner(b.y())) / 6;
        }
        return reversed_ ? -sum : sum;
    }
    const auto element = [&](const Vec2& q) {
        const auto j = f->spline->extended(unmapped(q) + centre_, 1);
        return j.du.cross(j.dv).norm() / (scale_.x() * scale_.y());
    };
    // Green again, with the element integrated along y from a fixed line by Gauss points on strips.
    double low = std::numeric_limits<double>::max(), high = std::numeric_limits<double>::lowest();
    for (const Vec2& q : polygon) low = std::min(low, q.y()), high = std::max(high, q.y());
    constexpr std::array<double, 4> at{0.0694318442029737, 0.3300094782075719, 0.6699905217924281, 0.9305681557970263};
    constexpr std::array<double, 4> weight{0.1739274225687269, 0.3260725774312731, 0.3260725774312731, 0.1739274225687269};
    constexpr std::array<double, 2> few_at{0.2113248654051871, 0.7886751345948129}, few_weight{0.5, 0.5};
    const auto column = [&](const Vec2& q) {
        double out = 0;
        const int n = std::max(1, static_cast<int>(std::ceil(area_strips * (q.y() - low) / std::max(high - low, 1e-300))));
        const double h = (q.y() - low) / n;
        for (int s = 0; s < n; ++s)
            for (std::size_t k = 0; k < 4; ++k) out += h * weight[k] * element({q.x(), low + (s + at[k]) * h});
        return out;
    };
    for (std::size_t i = 0, j = polygon.size() - 1; i < polygon.size(); j = i++) {
        const Vec2 &a = polygon[j], &b = polygon[i];
        if (a.x() == b.x()) continue;
        // Two points serve where the edge is no longer than a strip is high: the rule is of fourth order.
        const bool few = area_strips * (b - a).norm() <= high - low;
        const std::size_t points = few ? few_at.size() : at.size();
        for (std::size_t g = 0; g < points; ++g) sum -= (few ? few_weight[g] : weight[g]) * (b.x() - a.x()) * column(a + (few ? few_at[g] : at[g]) * (b - a));
    }
    return sum;
}

Chart Chart::turned_over() const {
    if (flat()) {
        Frame f = plane_;
        f.z = -f.z, f.y = -f.y;
        return Chart(f);
    }
    Chart out = *this;
    out.reversed_ = !reversed_;
    out.plane_.z = -plane_.z, out.plane_.y = -plane_.y;
    return out;
}

Chart Chart::moved(const Eigen::Isometry3d& m) const {
    Chart out = *this;
    out.base_ = base_.moved(m);
    out.plane_ = halvo::moved(plane_, m);
    return out;
}

}  // namespace halvo
