#include "body/prism.hpp"

#include "body/face_integrals.hpp"
#include "body/section.hpp"
#include "geom/outline.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

bool swept_along(const Body& body, const Face& f, const Vec3& d) {
    if (!std::holds_alternative<FreeSurface>(f.surface)) return runs_along(f.surface, d);
    for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
        if (std::abs(body.facet_normal(i).dot(d)) > 1e-3) return false;
    return true;
}

// Directions worth trying: those of long straight edges and of large cylinders, longest first.
std::vector<Vec3> directions(const Body& body) {
    std::vector<std::pair<double, Vec3>> all;
    const auto add = [&](double weight, const Vec3& d) {
        for (auto& [w, v] : all)
            if (v.cross(d).norm() < 1e-6) {
                w = std::max(w, weight);
                return;
            }
        if (all.size() < 64) all.emplace_back(weight, d);
    };
    for (const BodyEdge& e : body.edges)
        if (!e.degenerate && e.curve.is_line()) add(e.curve.length(), std::get<LineCurve>(e.curve.shape).direction);
    for (const Face& f : body.faces)
        if (const auto* c = std::get_if<CylinderSurface>(&f.surface)) add(f.area / (2 * pi * c->radius), c->frame.z);
    std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
    std::vector<Vec3> out;
    for (std::size_t i = 0; i < std::min<std::size_t>(all.size(), 4); ++i) out.push_back(all[i].second);
    return out;
}

double loops_area(const PlaneSection& s, const Frame& f) {
    double a = 0;
    for (const auto& loop : section_polygons(s, f, 1e-3)) a += polygon_area(loop);
    return a;
}

struct CutStation {
    double at = 0, area = 0;
    PlaneSection section;
};

std::optional<CutStation> constant_station(const Body& body, Frame f, double low, double high, double tol) {
    std::vector<CutStation> all;
    constexpr double shares[] = {0.0731, 0.1627, 0.2719, 0.3823, 0.4517, 0.5179, 0.6127, 0.7283, 0.8367, 0.9271};
    const Vec3 base = f.origin;
    for (double w : shares) {
        const double s = low + w * (high - low);
        f.origin = base + s * f.z;
        CutStation st{s, 0, cut(body, f, tol)};
        if (st.section.open_chains > 0) return std::nullopt;
        st.area = loops_area(st.section, f);
        all.push_back(std::move(st));
    }
    std::vector<double> areas;
    for (const CutStation& s : all) areas.push_back(s.area);
    std::nth_element(areas.begin(), areas.begin() + 5, areas.end());
    const double common = areas[5];
    if (common <= 0) return std::nullopt;
    const CutStation* best = nullptr;
    int same = 0;
    for (const CutStation& s : all) {
        if (std::abs(s.area - common) > same_area * common) continue;
        ++same;
        if (!best || std::abs(s.at - 0.5 * (low + high)) < std::abs(best->at - 0.5 * (low + high))) best = &s;
    }
    if (same < 6 || !best) return std::nullopt;
    return *best;
}

Vec3 longest_side(const std::vector<std::vector<Curve>>& loops) {
    double longest = 0;
    Vec3 d = Vec3::Zero();
    for (const auto& loop : loops)
        for (const Curve& c : loop)
            if (c.is_line() && c.length() > longest * (1 + 1e-7)) longest = c.length(), d = std::get<LineCurve>(c.shape).direction;
    return d;
}

// Where the centroid line leaves the body: mean height of the end faces weighted by their area as seen along the line, those that look
// back taken off: of bolt holes and cut-outs each side has its like. For a plane end this is the point where the line pierces it. Along z
// from the frame.
std::optional<std::array<double, 2>> find_ends(const Body& body, const Prism& p, double low, double high) {
    const double middle = 0.5 * (low + high);
    double weight[2] = {0, 0}, sum[2] = {0, 0};
    int planes[2] = {0, 0};
    double exact[2] = {0, 0};
    for (std::size_t i = 0; i < body.faces.size(); ++i) {
        if (p.lateral[i]) continue;
        const Face& f = body.faces[i];
        double w[2] = {0, 0}, s[2] = {0, 0};  // in either half, outward positive
        for (std::size_t k = f.first_facet; k < f.first_facet + f.facet_count; ++k) {
            const auto& c = body.facets[k].corners;
            const Vec3 m =
                (body.points[static_cast<std::size_t>(c[0])] + body.points[static_cast<std::size_t>(c[1])] + body.points[static_cast<std::size_t>(c[2])]) / 3;
            const double height = p.frame.height(m), side = body.facet_normal(k).dot(p.frame.z) * body.facet_area(k);
            const std::size_t end = height > middle ? 1 : 0;
            const double out = end == 1 ? side : -side;
            w[end] += out, s[end] += out * height;
        }
        // A face that looks one way only is integrated over its exact surface; facets would leave their chord error.
        const std::size_t main = std::abs(w[1]) > std::abs(w[0]) ? 1 : 0;
        if (std::abs(w[1 - main]) < 1e-6 * std::abs(w[main]) && !std::holds_alternative<FreeSurface>(f.surface)) {
            const double sign = main == 1 ? 1 : -1;
            const FaceIntegrals seen = face_integrals(body, f, [&](const Vec3& q, const Vec3& n) {
                const double side = sign * n.dot(p.frame.z);
                return (FaceIntegrals() << side, side * p.frame.height(q), 0, 0, 0).finished();
            });
            const double turn = seen[0] * w[main] < 0 ? -1 : 1;
            if (std::abs(turn * seen[0] - w[main]) < 0.05 * std::abs(w[main])) w[main] = turn * seen[0], s[main] = turn * seen[1];
        }
        for (std::size_t e : {0U, 1U}) {
            if (std::abs(w[e]) < 1e-9 * p.area) continue;
            weight[e] += w[e], sum[e] += s[e];
            const auto* plane = std::get_if<PlaneSurface>(&f.surface);
            if (plane && w[e] > 0.98 * p.area) {
                exact[e] = plane->frame.z.dot(plane->frame.origin - p.frame.origin) / plane->frame.z.dot(p.frame.z);
                ++planes[e];
            }
        }
    }
    if (weight[0] < 0.5 * p.area || weight[1] < 0.5 * p.area) return std::nullopt;
    const double start = planes[0] == 1 ? exact[0] : sum[0] / weight[0], end = planes[1] == 1 ? exact[1] : sum[1] / weight[1];
    if (start < low - 1e-6 * (high - low) || end > high + 1e-6 * (high - low) || end <= start) return std::nullopt;
    return std::array{start, end};
}

std::optional<Prism> along(const Body& body, const Vec3& d, double tol) {
    Prism p;
    double lateral = 0, total = 0;
    for (const Face& f : body.faces) {
        p.lateral.push_back(swept_along(body, f, d));
        if (p.lateral.back()) lateral += f.area;
        total += f.area;
    }
    if (lateral < 0.5 * total) return std::nullopt;
    p.frame = Frame::with_z(body.mass.centre, d);
    double low = std::numeric_limits<double>::max(), high = -low;
    for (const Vec3& v : body.points) low = std::min(low, p.frame.height(v)), high = std::max(high, p.frame.height(v));
    if (high - low <= 0) return std::nullopt;
    const auto station = constant_station(body, p.frame, low, high, tol);
    if (!station) return std::nullopt;
    // The section goes into the frame's plane.
    std::vector<std::vector<Curve>> loops;
    for (const auto& loop : station->section.loops) {
        loops.emplace_back();
        for (const SectionPiece& piece : loop) loops.back().push_back(piece.curve.moved(Eigen::Isometry3d(Eigen::Translation3d(-station->at * p.frame.z))));
    }
    if (!take_profile(p, std::move(loops), high - low)) return std::nullopt;
    const auto ends = find_ends(body, p, low, high);
    if (!ends) return std::nullopt;
    const auto [start, end] = *ends;
    p.filled = body.mass.volume / (p.area * (end - start));
    if (p.filled < filled_least || p.filled > filled_most) return std::nullopt;
    Frame begin = p.frame;
    begin.origin = p.frame.at(0, 0, start);
    p.axis = Axis::straight(begin, end - start);
    return p;
}

}  // namespace

bool runs_along(const Surface& surface, const Vec3& d) {
    if (const auto* p = std::get_if<PlaneSurface>(&surface)) return std::abs(p->frame.z.dot(d)) < swept_angle;
    if (const auto* c = std::get_if<CylinderSurface>(&surface)) return c->frame.z.cross(d).norm() < swept_angle;
    return false;
}

bool take_profile(Prism& p, std::vector<std::vector<Curve>> loops, double size) {
    int outer = 0;
    for (std::size_t i = 0; i < loops.size(); ++i) {
        std::vector<Vec2> poly;
        for (const Curve& c : loops[i])
            for (const Vec3& q : c.sampled(1e-2, 8)) poly.push_back(p.frame.local2(q));
        if (polygon_area(poly) > 0) ++outer, std::swap(loops[0], loops[i]);
    }
    if (outer != 1) return false;
    const Vec3 side = longest_side(loops);
    if (side.norm() > 0) p.frame = Frame::with_zx(p.frame.origin, p.frame.z, side.cross(p.frame.z));
    // The frame goes to the section's centroid, by exact contour integrals over x dA and y dA.
    double a = 0;
    Vec2 first = Vec2::Zero();
    for (const auto& loop : loops)
        for (const Curve& c : loop) {
            const auto pts = c.is_line() ? std::vector<Vec3>{c.start(), c.end()} : c.sampled(1e-6 * size, 256);
            for (std::size_t i = 0; i + 1 < pts.size(); ++i) {
                const Vec2 u = p.frame.local2(pts[i]), v = p.frame.local2(pts[i + 1]);
                a += (u.x() * v.y() - v.x() * u.y()) / 2, first += moment_under(u, v);
            }
        }
    if (a <= 0) return false;
    p.frame.origin = p.frame.at(Vec2(first / a));
    p.area = a;
    Eigen::Isometry3d to_local = Eigen::Isometry3d::Identity();
    to_local.linear().row(0) = p.frame.x, to_local.linear().row(1) = p.frame.y, to_local.linear().row(2) = p.frame.z;
    to_local.translation() = -(to_local.linear() * p.frame.origin);
    Box2 box;
    for (auto& loop : loops)
        for (Curve& c : loop) {
            c = c.moved(to_local);
            for (const Vec3& q : c.sampled(1e-3, 16)) box.extend(Vec2(q.x(), q.y()));
        }
    p.profile = std::move(loops);
    p.depth = box.sizes().maxCoeff(), p.width = box.sizes().minCoeff();
    return true;
}

std::optional<Prism> find_prism(const Body& body, double tol) {
    if (!body.closed) return std::nullopt;
    std::optional<Prism> best;
    for (const Vec3& d : directions(body)) {
        auto p = along(body, d, tol);
        if (p && (!best || p->length() / p->depth > best->length() / best->depth)) best = std::move(p);
    }
    if (!best) best = find_bent(body, tol);
    return best ? best : find_swept(body, tol);
}

bool is_flat_bar(const Prism& p) {
    if (p.profile.size() != 1) return false;
    int sides = 0;
    for (const Curve& c : p.profile[0]) {
        if (!c.is_line() && c.length() > p.width) return false;
        if (c.is_line()) ++sides;
    }
    return sides == 4 && p.area > 0.9 * p.depth * p.width;
}

Vec3 face_centroid(const Body& body, const Face& face) {
    Vec3 sum = Vec3::Zero();
    double area = 0;
    for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
        for (int c : body.facets[i].corners) sum += body.facet_area(i) / 3 * body.points[static_cast<std::size_t>(c)], area += body.facet_area(i) / 3;
    return sum / area;
}

}  // namespace halvo
