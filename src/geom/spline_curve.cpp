#include "geom/spline_curve.hpp"

#include "geom/spline_basis.hpp"

#include <cmath>
#include <functional>

namespace halvo {
namespace {

constexpr int starts_a_span = 4;     // points of each span from which the nearest one is looked for
constexpr int deepest_halving = 14;  // a span is cut into 16,384 pieces at most

using Homogeneous = Eigen::Vector4d;

Homogeneous lifted(const Vec3& p, double w) {
    return {w * p.x(), w * p.y(), w * p.z(), w};
}

// One row of poles with a knot inserted until it has `times` of them (Boehm 1980).
void insert_knot(std::vector<double>& knots, int degree, std::vector<std::vector<Homogeneous>>& rows, double t, int times) {
    int has = static_cast<int>(std::count(knots.begin(), knots.end(), t));
    for (; has < times; ++has) {
        const int k = knot_span(knots, degree, t);
        const auto before = static_cast<int>(std::count(knots.begin(), knots.begin() + k + 1, t));
        for (auto& row : rows) {
            std::vector<Homogeneous> out;
            out.reserve(row.size() + 1);
            for (int i = 0; i <= static_cast<int>(row.size()); ++i) {
                if (i <= k - degree) out.push_back(row[ix(i)]);
                else if (i > k - before) out.push_back(row[ix(i - 1)]);
                else {
                    const double span = knots[ix(i + degree)] - knots[ix(i)], w = span > 0 ? (t - knots[ix(i)]) / span : 0;
                    out.emplace_back(w * row[ix(i)] + (1 - w) * row[ix(i - 1)]);
                }
            }
            row = std::move(out);
        }
        knots.insert(knots.begin() + k + 1, t);
    }
}

// Rows cut to [a, b], with full multiplicity at both ends.
void cut_rows(std::vector<double>& knots, int degree, std::vector<std::vector<Homogeneous>>& rows, double a, double b) {
    const double least = 1e-12 * (knots.back() - knots.front());
    // A knot that is the end but for rounding is the end.
    for (double& k : knots)
        if (std::abs(k - a) <= least) k = a;
        else if (std::abs(k - b) <= least) k = b;
    insert_knot(knots, degree, rows, a, degree);
    insert_knot(knots, degree, rows, b, degree);
    const auto after = std::upper_bound(knots.begin(), knots.end(), a) - knots.begin();
    const auto last = std::lower_bound(knots.begin(), knots.end(), b) - knots.begin();
    // Poles that count from the last knot at `a` to the first at `b`.
    const auto from = after - 1 - degree, to = last - 1;
    std::vector<double> kept(static_cast<std::size_t>(degree) + 1, a);
    kept.insert(kept.end(), knots.begin() + after, knots.begin() + last);
    kept.insert(kept.end(), static_cast<std::size_t>(degree) + 1, b);
    knots = std::move(kept);
    for (auto& row : rows) row = std::vector<Homogeneous>(row.begin() + from, row.begin() + to + 1);
}

}  // namespace

std::array<Vec3, 3> SplineCurve::jet(double t) const {
    Basis b;  // NOLINT: filled as far as the degree needs
    fill_basis(knots, degree, std::clamp(t, first(), last()), 2, b);
    const std::size_t from = ix(b.span - degree);
    if (weights.empty()) {
        std::array<Vec3, 3> out{Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
        for (std::size_t j = 0; j <= ix(degree); ++j) {
            const Vec3& p = poles[from + j];
            out[0] += b.n[j] * p, out[1] += b.d1[j] * p, out[2] += b.d2[j] * p;
        }
        return out;
    }
    Homogeneous s0 = Homogeneous::Zero(), s1 = s0, s2 = s0;
    for (std::size_t j = 0; j <= ix(degree); ++j) {
        const Homogeneous h = lifted(poles[from + j], weights[from + j]);
        s0 += b.n[j] * h, s1 += b.d1[j] * h, s2 += b.d2[j] * h;
    }
    const Vec3 p = s0.head<3>() / s0[3], d = (s1.head<3>() - s1[3] * p) / s0[3];
    return {p, d, (s2.head<3>() - 2 * s1[3] * d - s2[3] * p) / s0[3]};
}

double SplineCurve::nearest(const Vec3& p) const {
    double best = first(), least = std::numeric_limits<double>::max();
    const auto look = [&](double t) {
        if (const double d = (point(t) - p).squaredNorm(); d < least) least = d, best = t;
    };
    for (std::size_t i = ix(degree); i < poles.size(); ++i)
        for (int k = 0; k < starts_a_span && knots[i + 1] > knots[i]; ++k) look(knots[i] + (knots[i + 1] - knots[i]) * k / starts_a_span);
    look(last());
    double t = best;
    for (int i = 0; i < 30; ++i) {
        const auto [q, d, dd] = jet(t);
        const double slope = (q - p).dot(d), curve = d.squaredNorm() + (q - p).dot(dd);
        const double step = -slope / (curve > 0 ? curve : std::max(d.squaredNorm(), 1e-300)), next = std::clamp(t + step, first(), last());
        if (std::abs(next - t) * d.norm() < 1e-12) break;
        t = next;
    }
    return (point(t) - p).squaredNorm() <= least ? t : best;
}

void SplineCurve::sample(double a, double b, double angle, double chord, std::vector<Vec3>& points, std::vector<Vec3>& tangents) const {
    std::vector<double> at{a};
    for (std::size_t i = ix(degree) + 1; i < poles.size(); ++i)
        if (knots[i] > at.back() && knots[i] < b) at.push_back(knots[i]);
    at.push_back(b);
    bool smooth = true;
    const auto put = [&](const std::array<Vec3, 3>& j) {
        points.push_back(j[0]);
        const double n = j[1].norm();
        if (n > 1e-12) tangents.push_back(j[1] / n);
        else smooth = false;
    };
    const std::function<void(double, double, const std::array<Vec3, 3>&, const std::array<Vec3, 3>&, int)> between =
        [&](double t0, double t1, const std::array<Vec3, 3>& j0, const std::array<Vec3, 3>& j1, int depth) {
            const double tm = 0.5 * (t0 + t1);
            const auto jm = jet(tm);
            const double turn = std::max(j0[1].cross(jm[1]).norm() / std::max(j0[1].norm() * jm[1].norm(), 1e-300),
                                         jm[1].cross(j1[1]).norm() / std::max(jm[1].norm() * j1[1].norm(), 1e-300));
            const Vec3 way = j1[0] - j0[0], off = jm[0] - j0[0];
            const double length = way.norm(), sag = length > 0 ? off.cross(way).norm() / length : off.norm();
            if (depth < deepest_halving && (2 * turn > angle || sag > chord || off.dot(way) < 0)) {
                between(t0, tm, j0, jm, depth + 1);
                put(jm);
                between(tm, t1, jm, j1, depth + 1);
            }
        };
    // Just inside of each span, where a knot of full multiplicity may be a corner.
    constexpr double corner = 1e-4;
    for (std::size_t i = 0; i + 1 < at.size(); ++i) {
        const double eps = 1e-9 * (at[i + 1] - at[i]);
        const auto j0 = jet(at[i] + eps), j1 = jet(at[i + 1] - eps);
        if (i == 0) put(jet(at[i]));
        else if (!tangents.empty() && tangents.back().cross(j0[1]).norm() > corner * j0[1].norm()) smooth = false;
        const int pieces = degree == 1 ? 1 : 2;  // an S has its middle on its chord
        auto left = j0;
        double t = at[i];
        for (int k = 1; k <= pieces; ++k) {
            const double next = k == pieces ? at[i + 1] : at[i] + (at[i + 1] - at[i]) * k / pieces;
            const auto right = k == pieces ? j1 : jet(next);
            between(t, next, left, right, 0);
            if (k == pieces) {
                points.push_back(jet(at[i + 1])[0]);
                if (const double n = j1[1].norm(); n > 1e-12) tangents.push_back(j1[1] / n);
                else smooth = false;
            } else {
                put(right);
            }
            left = right, t = next;
        }
    }
    if (!smooth) tangents.clear();
}

SplineCurve spline_line(const Vec3& from, const Vec3& to) {
    return {1, {0, 0, 1, 1}, {from, to}, {}};
}

SplineCurve spline_arc(const Frame& frame, double a, double b, double from, double to) {
    SplineCurve out;
    out.degree = 2;
    const int arcs = std::max(1, static_cast<int>(std::ceil((to - from) / (0.5 * pi) - 1e-9)));
    const double step = (to - from) / arcs, w = std::cos(0.5 * step);
    out.knots.assign(3, from);
    for (int i = 0; i <= arcs; ++i) {
        const double t = from + i * step;
        out.poles.push_back(frame.at(a * std::cos(t), b * std::sin(t))), out.weights.push_back(1);
        if (i == arcs) break;
        const double m = t + 0.5 * step;
        out.poles.push_back(frame.at(a * std::cos(m) / w, b * std::sin(m) / w)), out.weights.push_back(w);
        if (i > 0) out.knots.insert(out.knots.end(), 2, t);
    }
    out.knots.insert(out.knots.end(), 3, to);
    return out;
}

NurbsSurface extruded(const SplineCurve& c, const Vec3& start, const Vec3& way) {
    NurbsSurface s;
    s.degree_u = c.degree, s.degree_v = 1;
    s.knots_u = c.knots, s.knots_v = {0, 0, 1, 1};
    for (std::size_t i = 0; i < c.poles.size(); ++i) {
        s.poles.emplace_back(c.poles[i] + start), s.poles.emplace_back(c.poles[i] + start + way);
        if (!c.weights.empty()) s.weights.insert(s.weights.end(), 2, c.weights[i]);
    }
    return s;
}

NurbsSurface revolved(const SplineCurve& c, const Vec3& origin, const Vec3& axis) {
    NurbsSurface s;
    const SplineCurve circle = spline_arc(Frame{}, 1, 1, 0, 2 * pi);
    s.degree_u = 2, s.degree_v = c.degree;
    s.knots_u = circle.knots, s.knots_v = c.knots;
    for (std::size_t i = 0; i < circle.poles.size(); ++i)
        for (std::size_t j = 0; j < c.poles.size(); ++j) {
            const Vec3 on = origin + (c.poles[j] - origin).dot(axis) * axis, x = c.poles[j] - on, y = axis.cross(x);
            s.poles.emplace_back(on + circle.poles[i].x() * x + circle.poles[i].y() * y);
            s.weights.push_back(circle.weights[i] * (c.weights.empty() ? 1 : c.weights[j]));
        }
    return s;
}

namespace {

// The last poles of a row whose last piece goes on to `to`.
void lengthen_end(const std::vector<double>& knots, int degree, std::vector<Homogeneous>& row, double to) {
    const auto p = static_cast<std::size_t>(degree);
    const std::size_t n = row.size(), k = n - 1;
    const std::vector<Homogeneous> old = row;
    const auto knot = [&](std::size_t i) { return i >= n ? to : knots[i]; };
    for (std::size_t i = n - p; i < n; ++i) {
        std::vector<Homogeneous> d(old.end() - static_cast<std::ptrdiff_t>(p) - 1, old.end());
        for (std::size_t r = 1; r <= p; ++r)
            for (std::size_t j = p; j >= r; --j) {
                const double low = knots[j + k - p], high = knots[j + 1 + k - r], a = (knot(i + r) - low) / (high - low);
                d[j] = (1 - a) * d[j - 1] + a * d[j];
            }
        row[i] = d[p];
    }
}

void lengthen_rows(std::vector<double>& knots, int degree, std::vector<std::vector<Homogeneous>>& rows, double low, double high) {
    const auto p = static_cast<std::size_t>(degree);
    for (const double to : {high, -low}) {
        const bool together = knots[knots.size() - p - 1] == knots.back() && knots.back() > knots[knots.size() - p - 2];
        if (to > knots.back() && together) {
            for (auto& row : rows) lengthen_end(knots, degree, row, to);
            std::fill(knots.end() - degree - 1, knots.end(), to);
        }
        // And the other end, turned round.
        std::reverse(knots.begin(), knots.end());
        for (double& k : knots) k = -k;
        for (auto& row : rows) std::reverse(row.begin(), row.end());
    }
}

// A surface whose rows of poles, along u and then along v, are worked on with their knots.
template <class Work>
NurbsSurface by_rows(const NurbsSurface& s, const Box2& range, const Work& work) {
    NurbsSurface out = s;
    const std::size_t nu = s.count_u(), nv = s.count_v();
    std::vector<std::vector<Homogeneous>> rows(nv, std::vector<Homogeneous>(nu));
    for (std::size_t i = 0; i < nu; ++i)
        for (std::size_t j = 0; j < nv; ++j) rows[j][i] = lifted(s.poles[i * nv + j], s.weights.empty() ? 1 : s.weights[i * nv + j]);
    work(out.knots_u, out.degree_u, rows, range.min().x(), range.max().x());
    const std::size_t mu = rows[0].size();
    std::vector<std::vector<Homogeneous>> across(mu, std::vector<Homogeneous>(nv));
    for (std::size_t i = 0; i < mu; ++i)
        for (std::size_t j = 0; j < nv; ++j) across[i][j] = rows[j][i];
    work(out.knots_v, out.degree_v, across, range.min().y(), range.max().y());
    out.poles.clear(), out.weights.clear();
    for (const auto& row : across)
        for (const Homogeneous& h : row) {
            out.poles.emplace_back(h.head<3>() / h[3]);
            if (!s.weights.empty()) out.weights.push_back(h[3]);
        }
    return out;
}

}  // namespace

NurbsSurface part_of(const NurbsSurface& s, const Box2& range) {
    return by_rows(s, range, cut_rows);
}

NurbsSurface longer(const NurbsSurface& s, const Box2& range) {
    NurbsSurface out = by_rows(s, range, lengthen_rows);
    const bool vanishes = std::any_of(out.weights.begin(), out.weights.end(), [](double w) { return !(w > 0); });
    return vanishes ? s : out;
}

}  // namespace halvo
