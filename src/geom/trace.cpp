#include "geom/trace.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double touching = 1e-3;  // sine of the angle between two surfaces below which they touch
constexpr int most_levels = 9;     // of halving a chord: a curve in 512 pieces

// Unit tangent of the intersection at a point of both, in the sense of `along`.
Vec3 tangent_at(const FootOn& a, const FootOn& b, const Vec3& p, const Vec3& along) {
    Vec3 t = a(p).normal.cross(b(p).normal);
    if (t.norm() < touching) return along.normalized();
    t.normalize();
    return t.dot(along) < 0 ? Vec3(-t) : t;
}

struct Station {
    Vec3 p, t;
};

Vec3 hermite_middle(const Station& u, const Station& v) {
    const double d = (v.p - u.p).norm();
    return 0.5 * (u.p + v.p) + 0.125 * d * (u.t - v.t);
}

void fill_between(const FootOn& a, const FootOn& b, const Station& u, const Station& v, double tol, int level, std::vector<Station>& out) {
    const double d = (v.p - u.p).norm();
    if (level >= most_levels || d < 4 * tol) return;
    const Vec3 guess = hermite_middle(u, v);
    const auto m = onto_both(a, b, guess);
    if (!m || (*m - guess).norm() > d) return;
    const double off = (*m - guess).cross((v.p - u.p) / d).norm();
    if (off <= 0.1 * tol && u.t.dot(v.t) > 0.9) return;
    const Station s{*m, tangent_at(a, b, *m, v.p - u.p)};
    fill_between(a, b, u, s, tol, level + 1, out);
    out.push_back(s);
    fill_between(a, b, s, v, tol, level + 1, out);
}

// The widest step of a chain near one of its points: where it crosses corners of facets, single ones are short.
double spacing(const std::vector<Vec3>& chain, std::size_t i) {
    double widest = 0;
    for (std::size_t k = i < 2 ? 0 : i - 2; k < std::min(i + 2, chain.size() - 1); ++k) widest = std::max(widest, (chain[k + 1] - chain[k]).norm());
    return widest;
}

// Near a tangency places slide along the curve: one that turns back on those before it is left out.
std::vector<Station> forward_only(const std::vector<Station>& all) {
    constexpr double back = -0.7;  // cosine
    std::vector<Station> out;
    const auto turns_back = [&](const Station& s) {
        if (out.size() < 2) return false;
        const Vec3 before = out.back().p - out[out.size() - 2].p, next = s.p - out.back().p;
        return before.dot(next) < back * before.norm() * next.norm();
    };
    for (std::size_t i = 0; i + 1 < all.size(); ++i)
        if (!turns_back(all[i])) out.push_back(all[i]);
    while (out.size() > 1 && turns_back(all.back())) out.pop_back();
    out.push_back(all.back());
    return out;
}

}  // namespace

std::vector<ZeroChain> zero_chains(const TracePatch& patch, double tol) {
    using Key = std::array<int, 2>;
    const auto above = [&](int p) { return patch.heights[ix(p)] >= -tol; };
    // Heights change by no more than the way between two points, but where the nearest place of a winding surface is another turn of it.
    const auto jumps = [&](const Key& k) {
        constexpr double more = 1.5;
        return std::abs(patch.heights[ix(k[0])] - patch.heights[ix(k[1])]) > more * (patch.points[ix(k[0])] - patch.points[ix(k[1])]).norm() + tol;
    };
    std::map<Key, std::vector<std::size_t>> at;
    std::vector<std::array<Key, 2>> segments;
    for (const auto& t : patch.triangles) {
        std::vector<Key> through;
        for (std::size_t k = 0; k < 3; ++k)
            if (above(t[k]) != above(t[(k + 1) % 3])) through.push_back({std::min(t[k], t[(k + 1) % 3]), std::max(t[k], t[(k + 1) % 3])});
        if (through.size() != 2 || std::any_of(through.begin(), through.end(), jumps)) continue;
        for (const Key& k : through) at[k].push_back(segments.size());
        segments.push_back({through[0], through[1]});
    }
    const auto place = [&](const Key& k) {
        const double u = patch.heights[ix(k[0])], v = patch.heights[ix(k[1])];
        const double w = std::clamp(u / (u - v), 0.0, 1.0);
        return Vec3(patch.points[ix(k[0])] + w * (patch.points[ix(k[1])] - patch.points[ix(k[0])]));
    };
    std::vector<bool> used(segments.size(), false);
    std::vector<ZeroChain> out;
    const auto follow = [&](const Key& from, std::size_t first) {
        ZeroChain c;
        c.edges.push_back(from);
        Key here = from;
        for (std::size_t s = first;;) {
            used[s] = true;
            here = segments[s][0] == here ? segments[s][1] : segments[s][0];
            c.edges.push_back(here);
            const auto& list = at[here];
            const auto next = std::find_if(list.begin(), list.end(), [&](std::size_t k) { return !used[k]; });
            if (next == list.end() || list.size() > 2) break;
            s = *next;
        }
        c.closed = c.edges.size() > 3 && c.edges.front() == c.edges.back();
        for (const Key& k : c.edges) c.points.push_back(place(k));
        out.push_back(std::move(c));
    };
    for (const auto& [key, list] : at)
        if (list.size() == 1 && !used[list[0]]) follow(key, list[0]);
    for (const auto& [key, list] : at)
        if (!used[list[0]]) follow(key, list[0]);
    return out;
}

std::optional<Vec3> onto_both(const FootOn& a, const FootOn& b, const Vec3& p) {
    Vec3 q = p;
    double last = std::numeric_limits<double>::max();
    for (int i = 0; i < 40; ++i) {
        const SkinPoint fa = a(q), fb = b(q);
        const Vec3 along = fa.normal.cross(fb.normal);
        const double s2 = along.squaredNorm();
        if (s2 < touching * touching) return std::nullopt;
        // Both tangent planes and the plane across the curve through q.
        const double ha = (fa.point - q).dot(fa.normal), hb = (fb.point - q).dot(fb.normal), c = fa.normal.dot(fb.normal);
        const Vec3 step = ((ha - c * hb) * fa.normal + (hb - c * ha) * fb.normal) / s2;
        q += step;
        const double moved = step.norm();
        if (moved < 1e-12) break;
        if (moved > 0.5 * last && moved < 1e-9) break;  // rounding is all that is left
        last = moved;
    }
    return q;
}

std::optional<Curve> curve_on_both(const FootOn& a, const FootOn& b, std::vector<Vec3> chain, bool closed, double tol) {
    const std::size_t n = chain.size();
    if (n < 2) return std::nullopt;
    std::vector<Vec3> points;
    for (std::size_t i = 0; i < n; ++i) {
        const bool end = !closed && (i == 0 || i + 1 == n);
        const auto q = end ? std::optional<Vec3>(chain[i]) : onto_both(a, b, chain[i]);
        if (!q) continue;
        const double near = spacing(chain, i);
        if (!end && (*q - chain[i]).norm() > 4 * near + 100 * tol) continue;  // slid away along a near tangency
        if (!points.empty() && (points.back() - *q).norm() <= (end ? tol : 10 * tol)) {
            if (end && points.size() > 1) points.back() = *q;
            continue;
        }
        points.push_back(*q);
    }
    if (closed && points.size() > 2) {
        if ((points.front() - points.back()).norm() <= 10 * tol) points.pop_back();
        points.push_back(points.front());
    }
    if (points.size() < 2) return std::nullopt;
    std::vector<Station> all;
    for (std::size_t i = 0; i < points.size(); ++i) {
        const Vec3& before = closed && i == 0 ? points[points.size() - 2] : points[i == 0 ? 0 : i - 1];
        const Vec3& after = closed && i + 1 == points.size() ? points[1] : points[std::min(i + 1, points.size() - 1)];
        all.push_back({points[i], tangent_at(a, b, points[i], after - before)});
    }
    std::vector<Station> filled{all[0]};
    for (std::size_t i = 0; i + 1 < all.size(); ++i) {
        fill_between(a, b, all[i], all[i + 1], tol, 0, filled);
        filled.push_back(all[i + 1]);
    }
    std::vector<Vec3> p, t;
    for (const Station& s : forward_only(filled)) p.push_back(s.p), t.push_back(s.t);
    return curve_through(p, t, tol);
}

}  // namespace halvo
