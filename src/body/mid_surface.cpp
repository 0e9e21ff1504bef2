#include "body/mid_surface.hpp"

#include "geom/net_spline.hpp"
#include "geom/outline.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace halvo {
namespace {

// A surface of revolution with a straight profile: { (r, z) : normal . (r, z) = offset } about a common axis.
struct Meridian {
    Vec2 normal;
    double offset = 0;
};

std::optional<Frame> axis_of(const Surface& s) {
    if (const auto* k = std::get_if<CylinderSurface>(&s)) return k->frame;
    if (const auto* k = std::get_if<ConeSurface>(&s)) return k->frame;
    return std::nullopt;
}

Meridian meridian(const Surface& s, bool reversed, const Frame& axis) {
    const double sign = reversed ? -1 : 1;
    if (const auto* k = std::get_if<CylinderSurface>(&s)) return {{sign, 0}, sign * k->radius};
    const auto& c = std::get<ConeSurface>(s);
    const double turn = c.frame.z.dot(axis.z) > 0 ? 1 : -1, at = axis.height(c.frame.origin);
    const double cosine = std::cos(c.half_angle), sine = turn * std::sin(c.half_angle);
    return {sign * Vec2(cosine, -sine), sign * (cosine * c.radius - sine * at)};
}

std::optional<Surface> of_revolution(const OpposedSurfaces& o, const Vec3& place, double reach, double tol) {
    const auto a = axis_of(o.a), b = axis_of(o.b);
    if (!a || !b || a->z.cross(b->z).norm() > tol / reach) return std::nullopt;
    const Vec3 p = a->origin + a->height(place) * a->z, q = b->origin + b->height(p) * b->z;
    if ((p - q).norm() > tol) return std::nullopt;
    // Axes that agree to tolerance only (scans) are averaged.
    const Frame axis = Frame::with_zx(0.5 * (p + q), b->z.dot(a->z) > 0 ? Vec3(a->z + b->z) : Vec3(a->z - b->z), a->x);
    const Meridian u = meridian(o.a, o.a_reversed, axis), v = meridian(o.b, o.b_reversed, axis);
    Vec2 n = u.normal - v.normal;
    double off = u.offset - v.offset;
    if (n.norm() < 1e-3) return std::nullopt;  // both face the same way
    off /= n.norm(), n.normalize();
    if (n.x() < 0) n = -n, off = -off;
    if (n.x() < 0.05) return std::nullopt;  // about flat: not what these two are
    if (std::abs(n.y()) < 1e-12) return CylinderSurface{axis, off};
    return ConeSurface{axis, off / n.x(), std::atan2(-n.y(), n.x())};
}

std::optional<Surface> alike(const OpposedSurfaces& o, double tol) {
    const Vec3& place = o.seen.front();
    double reach = o.thickness;
    for (const Vec3& p : o.seen) reach = std::max(reach, (p - place).norm());
    if (o.a.index() == o.b.index()) {
        if (const auto* a = std::get_if<PlaneSurface>(&o.a)) {
            const Frame &f = a->frame, &g = std::get<PlaneSurface>(o.b).frame;
            const Vec3 u = o.a_reversed ? Vec3(-f.z) : f.z, v = o.b_reversed ? Vec3(-g.z) : g.z, n = u - v;
            if (n.norm() < 1) return std::nullopt;
            const double off = (u.dot(f.origin) - v.dot(g.origin)) / n.norm();
            const Vec3 z = n.normalized();
            return PlaneSurface{Frame::with_z(place - (z.dot(place) - off) * z, z)};
        }
        if (const auto* a = std::get_if<SphereSurface>(&o.a)) {
            const auto& b = std::get<SphereSurface>(o.b);
            if ((a->frame.origin - b.frame.origin).norm() > tol) return std::nullopt;
            return SphereSurface{a->frame, 0.5 * (a->radius + b.radius)};
        }
        if (const auto* a = std::get_if<TorusSurface>(&o.a)) {
            const auto& b = std::get<TorusSurface>(o.b);
            if ((a->frame.origin - b.frame.origin).norm() > tol || a->frame.z.cross(b.frame.z).norm() * a->major > tol || std::abs(a->major - b.major) > tol)
                return std::nullopt;
            return TorusSurface{a->frame, 0.5 * (a->major + b.major), 0.5 * (a->minor + b.minor)};
        }
    }
    return of_revolution(o, place, reach, tol);
}

// Points at equal distance from both sides (or at half the thickness from the first), over a rectangle of the first side's grid. Of that,
// what the points to be reached enclose is of concern in a corner, whose patch has three sides; elsewhere all of it.
class EqualDistance {
public:
    EqualDistance(const OpposedSurfaces& o, const Vec3& middle, bool wide, double moved)
        : moved_(moved), chart_(o.a, middle, o.a_reversed), other_(o.b), turn_(o.b_reversed ? -1 : 1) {
        std::vector<Vec2> reached;
        for (const Vec3& p : o.seen) reached.push_back(chart_.grid(p));
        if (wide)
            for (const Vec3& p : o.around) reached.push_back(chart_.grid(p));
        for (const Vec2& q : reached) extent_.extend(q);
        const Vec2 period = chart_.grid_period();
        const double margin = 0.5 * std::abs(o.thickness);
        for (int k = 0; k < 2; ++k) {
            if (period[k] > 0 && extent_.sizes()[k] > 0.75 * period[k]) extent_.min()[k] = -0.5 * period[k], extent_.max()[k] = 0.5 * period[k];
            else extent_.min()[k] -= margin, extent_.max()[k] += margin;
        }
        constexpr double widest = 12;  // thicknesses across, of a corner
        if (extent_.sizes().maxCoeff() <= widest * std::abs(o.thickness)) hull_ = convex_hull(std::move(reached));
        for (Vec2& q : hull_) q = (q - extent_.min()).cwiseQuotient(extent_.sizes());
    }

    [[nodiscard]] bool concerns(const Vec2& share) const {
        for (std::size_t i = 0; i < hull_.size(); ++i) {
            const Vec2 run = hull_[(i + 1) % hull_.size()] - hull_[i], to = share - hull_[i];
            if (run.x() * to.y() - run.y() * to.x() < -1e-9) return false;
        }
        return true;
    }

    std::optional<Vec3> at(const Vec2& share) const {
        const SkinPoint top = chart_.on(chart_.at_grid(extent_.min() + extent_.sizes().cwiseProduct(share)));
        double r = moved_;
        if (moved_ != 0) return Vec3(top.point - r * top.normal);
        for (int i = 0; i < 30; ++i) {
            const Vec3 c = top.point - r * top.normal;
            const SkinPoint b = other_.foot(c);
            const Vec3 n = turn_ * b.normal;
            const double rate = top.normal.dot(n) - 1;
            if (rate > -0.5) return std::nullopt;  // they do not face each other here
            const double step = ((b.point - c).dot(n) - r) / rate;
            r -= step;
            if (std::abs(step) < 1e-11 * std::max(1.0, std::abs(r))) break;  // as well as feet are known
        }
        return Vec3(top.point - r * top.normal);
    }

private:
    double moved_;  // 0: equal distance
    Chart chart_;
    BaseSurface other_;
    double turn_;
    Box2 extent_;
    std::vector<Vec2> hull_;  // in corners, as shares of the extent
};

// A net of such points, made finer in one direction or both, and the spline through it.
class FittedNet {
public:
    FittedNet(const EqualDistance& equal, std::size_t n) : equal_(equal), n_{n, n} {}

    [[nodiscard]] std::size_t size() const { return n_[0] * n_[1]; }
    [[nodiscard]] bool can_halve(std::size_t k) const { return 2 * n_[k] <= longest && 2 * size() <= most; }
    void halve(std::size_t k) { n_[k] = 2 * n_[k] - 1; }

    // False where the sides do not face each other.
    bool make() {
        std::vector<Vec3> net;
        for (std::size_t i = 0; i < n_[0]; ++i)
            for (std::size_t j = 0; j < n_[1]; ++j) {
                const Vec2 share(static_cast<double>(i) / static_cast<double>(n_[0] - 1), static_cast<double>(j) / static_cast<double>(n_[1] - 1));
                const auto [known, fresh] = points_.try_emplace({share.x(), share.y()});
                if (fresh) known->second = equal_.at(share);
                if (!known->second) return false;
                net.push_back(*known->second);
            }
        spline_ = std::make_shared<NurbsSurface>(through_net(net, n_[0], n_[1]));
        return true;
    }

    // Largest distance half-way between points along each direction, where it is of concern: nothing where the sides do not face each other.
    std::optional<std::array<double, 2>> errors() const {
        constexpr std::size_t lines = 9;
        std::array<double, 2> out{};
        for (const std::size_t k : {0U, 1U}) {
            const std::size_t along = n_[k] - 1, across = std::min(n_[1 - k] - 1, lines);
            for (std::size_t i = 0; i < along; ++i)
                for (std::size_t j = 0; j < across; ++j) {
                    Vec2 share;
                    share[static_cast<int>(k)] = (static_cast<double>(i) + 0.5) / static_cast<double>(along);
                    share[static_cast<int>(1 - k)] = (static_cast<double>(j) + 0.5) / static_cast<double>(across);
                    // On lines of the net: what the other direction lacks is small there.
                    const double line = static_cast<double>(n_[1 - k] - 1);
                    share[static_cast<int>(1 - k)] = std::round(share[static_cast<int>(1 - k)] * line) / line;
                    const auto off = distance(share);
                    if (!off) return std::nullopt;
                    out[k] = std::max(out[k], *off);
                }
        }
        return out;
    }

    // The same in the middles between points, of both directions together.
    std::optional<double> error_between() const {
        constexpr std::size_t lines = 23;
        double out = 0;
        const std::size_t n = std::min(n_[0] - 1, lines), m = std::min(n_[1] - 1, lines);
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t j = 0; j < m; ++j) {
                const auto off = distance({(static_cast<double>(i) + 0.5) / static_cast<double>(n), (static_cast<double>(j) + 0.5) / static_cast<double>(m)});
                if (!off) return std::nullopt;
                out = std::max(out, *off);
            }
        return out;
    }

    [[nodiscard]] Surface surface() const { return FreeSurface{spline_}; }

private:
    static constexpr std::size_t longest = 520, most = 4700;  // points along a direction, in all

    std::optional<double> distance(const Vec2& share) const {
        if (!equal_.concerns(share)) return 0;
        const auto p = equal_.at(share);
        if (!p) return std::nullopt;
        const auto at = spline_->jet(spline_->foot(*p, share));
        return std::abs((at.p - *p).dot(at.normal()));
    }

    const EqualDistance& equal_;
    std::array<std::size_t, 2> n_;
    std::map<std::pair<double, double>, std::optional<Vec3>> points_;
    std::shared_ptr<NurbsSurface> spline_;
};

std::optional<MidSurface> fitted(const OpposedSurfaces& o, double fit, bool wide, bool moved) {
    constexpr std::size_t first = 9, tried = 1000;  // points along each side at first; in all, from which on a kink shows
    constexpr double counts = 0.1;                  // of the larger error, from which on a direction is made finer
    Vec3 middle = Vec3::Zero();
    for (const Vec3& p : o.seen) middle += p / static_cast<double>(o.seen.size());
    const EqualDistance equal(o, middle, wide, moved ? 0.5 * o.thickness : 0);
    FittedNet net(equal, first);
    std::optional<MidSurface> best;
    for (double before = 0;;) {
        if (!net.make()) return best;
        const auto errors = net.errors();
        const auto between = errors ? net.error_between() : std::nullopt;
        if (!between) return best;
        const double error = std::max({(*errors)[0], (*errors)[1], *between});
        if (!best || error < best->error) best = MidSurface{net.surface(), error};
        // Where it has a kink a finer net hardly comes nearer.
        if (error <= fit || (net.size() > tried && before > 0 && error * error > 4 * fit * before)) return best;
        before = error;
        bool finer = false;
        const double larger = std::max((*errors)[0], (*errors)[1]);
        for (const std::size_t k : {0U, 1U})
            if ((*errors)[k] >= counts * larger && net.can_halve(k)) net.halve(k), finer = true;
        if (!finer) return best;
    }
}

}  // namespace

std::optional<MidSurface> mid_surface(const OpposedSurfaces& sides, double tol, double fit, MidMethod method) {
    if (sides.seen.empty()) return std::nullopt;
    if (method == MidMethod::automatic || method == MidMethod::exact)
        if (auto s = alike(sides, tol)) return MidSurface{std::move(*s), 0};
    if (method == MidMethod::exact) return std::nullopt;
    if (method == MidMethod::offset) {
        const auto s = offset_surface(sides.a, (sides.a_reversed ? 0.5 : -0.5) * sides.thickness);
        if (s) return MidSurface{*s, 0};
    }
    const auto known = [](const Surface& s) {
        const auto* f = std::get_if<FreeSurface>(&s);
        return !f || f->spline;
    };
    if (!known(sides.a) || !known(sides.b)) return std::nullopt;
    const bool moved = method == MidMethod::offset;
    // Where both sides do not face each other all the way to their borders, what was seen must do.
    auto all = fitted(sides, fit, true, moved);
    if (all && all->error <= fit) return all;
    auto seen = fitted(sides, fit, false, moved);
    return !all || (seen && seen->error < all->error) ? seen : all;
}

}  // namespace halvo
