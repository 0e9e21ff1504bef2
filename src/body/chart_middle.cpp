#include "body/chart_middle.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

struct Gap {
    double from = 0, size = 0;
};

// The widest between angles next to each other: another must be wider by more than `more` to be taken for it.
Gap widest_gap(std::vector<double> angles, double more) {
    std::sort(angles.begin(), angles.end());
    Gap out{angles.back(), angles.front() + 2 * pi - angles.back()};
    for (std::size_t i = 0; i + 1 < angles.size(); ++i)
        if (angles[i + 1] - angles[i] > out.size + more) out = {angles[i], angles[i + 1] - angles[i]};
    return out;
}

// Not in the middle of a gap in what is round for the most part: there another wall touches it, as where a bore's channel is let into a plate.
double opposite_gap(std::vector<double> angles) {
    const Gap gap = widest_gap(std::move(angles), 0);
    const double share = gap.size < pi ? 0.382 : 0.5;
    return gap.size > pi / 3 ? gap.from + share * gap.size + pi : pi;
}

// Opposite to the widest gap between the points: a sphere's chart is singular there.
Vec3 middle_on_sphere(const SphereSurface& s, const std::vector<Vec3>& points) {
    std::vector<Vec3> ways;
    for (const Vec3& p : points) ways.push_back((p - s.frame.origin).normalized());
    Vec3 sum = Vec3::Zero();
    for (const Vec3& w : ways) sum += w / static_cast<double>(ways.size());
    const auto gap = [&](const Vec3& d) {
        double nearest = -1;
        for (const Vec3& w : ways) nearest = std::max(nearest, w.dot(d));
        return nearest;
    };
    // Opposite to the mean where that is clear; else the clearest of evenly spread directions (a Fibonacci lattice), refined.
    if (sum.norm() > 0.05 && gap(-sum.normalized()) < 0.5) return s.frame.origin + s.radius * sum.normalized();
    Vec3 best = Vec3::UnitZ();
    double least = 2;
    constexpr int n = 600;
    for (int i = 0; i < n; ++i) {
        const double z = 1 - (2 * i + 1.0) / n, a = 2.399963229728653 * i, r = std::sqrt(1 - z * z);
        const Vec3 d = r * std::cos(a) * s.frame.x + r * std::sin(a) * s.frame.y + z * s.frame.z;
        if (const double g = gap(d); g < least - 1e-9) least = g, best = d;
    }
    for (double step = 0.05; step > 1e-3; step *= 0.7)
        for (int k = 0; k < 8; ++k) {
            const Frame f = Frame::with_z(Vec3::Zero(), best);
            const Vec3 d = (best + step * (std::cos(k * pi / 4) * f.x + std::sin(k * pi / 4) * f.y)).normalized();
            if (const double g = gap(d); g < least - 1e-9) least = g, best = d;
        }
    return s.frame.origin - s.radius * best;
}

// The middle between those corners of a wall's faces that leave most room round its axis, where the cut at an angle runs beside one.
std::optional<double> clear_angle(const Body& body, const Wall& w, double cut, double distance) {
    const Frame frame = std::visit(
        [](const auto& s) -> Frame {
            if constexpr (requires { s.frame; }) return s.frame;
            else return {};
        },
        w.chart.surface());
    // No cut through the wall where there is none: in the gap of a bend.
    constexpr double gap_of_a_bend = pi / 6;
    bool round = false;
    for (const FacePair& p : w.pairs)
        for (const Vec3& q : p.seen) round = round || std::abs(std::remainder(surface_parameters(w.chart.surface(), q)[0] - cut, 2 * pi)) < gap_of_a_bend;
    if (!round) return std::nullopt;
    std::vector<double> angles;
    bool beside = false;
    for (const FacePair& p : w.pairs)
        for (int f : {p.top, p.bottom})
            for (const auto& loop : body.faces[ix(f)].loops)
                for (const Coedge& u : loop)
                    for (int v : body.edges[u.edge.index()].vertices) {
                        if (v < 0) continue;
                        const Vec3& q = body.vertices[ix(v)];
                        const double off = std::remainder(surface_parameters(w.chart.surface(), q)[0] - cut, 2 * pi);
                        const double arc = std::abs(off) * frame.local2(q).norm();
                        beside = beside || (arc < distance && arc > 1e-3 * distance);
                        angles.push_back(off);
                    }
    if (!beside) return std::nullopt;
    const Gap gap = widest_gap(std::move(angles), 1e-6);
    return cut + gap.from + 0.5 * gap.size;
}

}  // namespace

Vec3 chart_middle(const Surface& surface, const std::vector<Vec3>& points) {
    Vec3 c = Vec3::Zero();
    for (const Vec3& p : points) c += p / static_cast<double>(points.size());
    if (const auto* ball = std::get_if<SphereSurface>(&surface)) return middle_on_sphere(*ball, points);
    const bool torus = std::holds_alternative<TorusSurface>(surface);
    if (!torus && !std::holds_alternative<CylinderSurface>(surface) && !std::holds_alternative<ConeSurface>(surface)) return c;
    Vec2 uv = Vec2::Zero();
    for (const Vec3& p : points) uv += surface_parameters(surface, p) / static_cast<double>(points.size());
    for (int k = 0; k < (torus ? 2 : 1); ++k) {
        std::vector<double> at;
        for (const Vec3& p : points) at.push_back(surface_parameters(surface, p)[k]);
        uv[k] = opposite_gap(std::move(at));
    }
    return surface_point(surface, uv);
}

void centre_chart(const Body& body, Wall& w) {
    constexpr double clear = 2;  // thicknesses
    const Surface& surface = w.chart.surface();
    const bool torus = std::holds_alternative<TorusSurface>(surface);
    if (!torus && !std::holds_alternative<CylinderSurface>(surface) && !std::holds_alternative<ConeSurface>(surface)) return;
    std::vector<Vec3> seen;
    for (const FacePair& p : w.pairs) seen.insert(seen.end(), p.seen.begin(), p.seen.end());
    const Vec3 middle = chart_middle(surface, seen);
    Vec2 uv = surface_parameters(surface, middle);
    if (const auto at = clear_angle(body, w, uv[0] + pi, clear * w.thickness)) uv[0] = *at - pi;
    w.chart = Chart(surface, surface_point(surface, uv), w.chart.reversed());
}

}  // namespace halvo
