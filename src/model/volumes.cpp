#include "model/volumes.hpp"

#include "model/arrangement.hpp"
#include "model/sheet_values.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <optional>
#include <set>

namespace halvo {
namespace {

constexpr double least_level = 0.7;  // cosine between walls that run into each other along a line
constexpr double least_sine = 0.17;  // of the angle between arms that do not go straight on

// The arm of a sheet that lies along `way` from the seam, at a point of it with the tangent `along`.
WallArm arm(const Sheet& s, const Vec3& at, const Vec3& along, const Vec3& way, const Frame& across) {
    WallArm a;
    const Vec2 d = across.local2(across.origin + way);
    a.angle = std::atan2(d.y(), d.x());
    auto sides = s.field.sides(s.chart, s.chart.local2(at));
    if (s.placed) sides.up = sides.down = 0.5 * sides.thickness();  // seams are looked at as of the walls' middles
    const bool up_left = s.chart.normal(at).dot(along.cross(way)) > 0;
    a.left = up_left ? sides.up : sides.down, a.right = up_left ? sides.down : sides.up;
    return a;
}

// Mean and Gaussian curvature of a surface at a point of it, positive where it turns away from its normal; by central differences.
std::pair<double, double> curvatures(const Chart& chart, const SkinPoint& on, double step) {
    const Frame f = Frame::with_z(on.point, on.normal);
    Eigen::Matrix2d turn;
    for (int k : {0, 1}) {
        const Vec3 d = step * (k == 0 ? f.x : f.y);
        const SkinPoint up = chart.on(on.point + d), down = chart.on(on.point - d);
        const Vec3 run = up.point - down.point, dn = (up.normal - down.normal) / std::max(run.norm(), 1e-300);
        turn.col(k) << dn.dot(f.x), dn.dot(f.y);
    }
    return {0.5 * turn.trace(), turn.determinant()};
}

}  // namespace

double doubled_area(std::vector<WallArm> arms) {
    if (arms.size() < 2) return 0;
    std::sort(arms.begin(), arms.end(), [](const WallArm& a, const WallArm& b) { return a.angle < b.angle; });
    double sum = 0;
    for (std::size_t i = 0; i < arms.size(); ++i) {
        const WallArm &a = arms[i], &b = arms[(i + 1) % arms.size()];
        const double turn = b.angle - a.angle + (i + 1 == arms.size() ? 2 * pi : 0), sine = std::sin(turn), cosine = std::cos(turn);
        if (std::abs(sine) < least_sine) continue;
        sum += 0.5 * (a.left * (a.left * cosine + b.right) + b.right * (b.right * cosine + a.left)) / sine;
    }
    return sum;
}

namespace {

// Mean thickness over the sheet within its own body: what it was carried on by to others may be thicker or thinner.
double own_thickness(const Model& model, const Sheet& s) {
    const double own = s.own_area(), more = s.area() - own;
    constexpr double even = 1e-9;
    if (s.thickness.max - s.thickness.min <= even * s.thickness.max || more <= even * own || own <= 0) return s.thickness.mean;
    double volume = s.thickness.mean * s.area();
    for (const Region& r : s.regions) {
        if (r.area - r.own_area <= even * r.area) continue;
        double sum = 0, area = 0;
        for (const AreaSample& a : spread_inside(region_polygons(model, s.chart, r, model.tolerance.chord), 1500))
            if (!inside(s.own_outline, a.point)) sum += a.area * s.field.at(s.chart, a.point), area += a.area;
        volume -= (area > 0 ? sum / area : s.thickness.mean) * (r.area - r.own_area);
    }
    return volume / own;
}

}  // namespace

double area_at_height(const Chart& chart, const Vec3& at, double height, double step) {
    const auto [mean, gauss] = curvatures(chart, chart.on(at), step);
    return 1 + 2 * mean * height + gauss * height * height;
}

double wall_depth(const Model& model, const Sheet& s) {
    if (s.placed) return s.thickness.mean;  // its growth is over that
    const double mean_thickness = own_thickness(model, s);
    if (s.chart.flat() || s.field.pieces.empty()) return mean_thickness;
    double sum = 0, area = 0;
    for (const Region& r : s.regions)
        for (const AreaSample& a : spread_inside(region_polygons(model, s.chart, r, model.tolerance.chord), 200)) {
            const auto sides = s.field.sides(s.chart, a.point);
            const auto [mean, gauss] = curvatures(s.chart, s.chart.on(s.chart.at(a.point)), 0.05 * s.thickness.max);
            const double u = sides.up, v = sides.down;
            sum += a.area * (mean * (u * u - v * v) + gauss * (u * u * u + v * v * v) / 3);
            area += a.area;
        }
    return mean_thickness + (area > 0 ? sum / area : 0);
}

namespace {

// The middle line of a wall in the plane across a line it runs along, as heights over the plane's x axis: straight, or of a circle.
struct Profile {
    double height = 0, radius = 0, thickness = 0;  // radius 0: straight; else the centre is above (positive) or below
    [[nodiscard]] std::optional<std::array<double, 2>> at(double x) const {
        if (radius == 0) return std::array{height - 0.5 * thickness, height + 0.5 * thickness};
        const double inner = std::abs(radius) - 0.5 * thickness, outer = std::abs(radius) + 0.5 * thickness, centre = height + radius;
        if (std::abs(x) >= inner) return std::nullopt;
        const double u = std::sqrt(inner * inner - x * x), v = std::sqrt(outer * outer - x * x);
        return radius > 0 ? std::array{centre - v, centre - u} : std::array{centre + u, centre + v};
    }
};

std::optional<Profile> profile_of(const Sheet& s, const Vec3& at, const Vec3& along, const Vec3& up, const Vec3& zero) {
    Profile p;
    p.height = (at - zero).dot(up), p.thickness = s.field.at(s.chart, s.chart.local2(at));
    if (s.chart.flat()) return p;
    const auto* k = std::get_if<CylinderSurface>(&s.chart.surface());
    if (!k || k->frame.z.cross(along).norm() > 0.01) return std::nullopt;
    const Vec3 axis = k->frame.origin + k->frame.height(at) * k->frame.z;
    p.radius = (axis - at).dot(up) > 0 ? k->radius : -k->radius;
    return p;
}

// What two walls that run into each other along a line have in common, in the plane across it.
double common_area(const Profile& a, const Profile& b) {
    constexpr int n = 4000;
    double least = std::numeric_limits<double>::max();
    for (const Profile* p : {&a, &b})
        if (p->radius != 0) least = std::min(least, std::abs(p->radius));
    double sum = 0;
    for (const double side : {1.0, -1.0})
        for (int k = 0; k < n; ++k) {
            const auto u = a.at(side * (k + 0.5) * least / n), v = b.at(side * (k + 0.5) * least / n);
            const double both = u && v ? std::min((*u)[1], (*v)[1]) - std::max((*u)[0], (*v)[0]) : 0;
            if (!(both > 0)) break;
            sum += both * least / n;
        }
    return sum;
}

void add_doubled_along_links(const Model& model, const std::vector<std::vector<std::size_t>>& sheets, std::vector<double>& out) {
    for (const EdgeLink& l : model.edge_links) {
        const Curve &c = model.edges[l.a.index()].curve, &k = model.edges[l.b.index()].curve;
        if (!c.is_line() || !k.is_line()) continue;
        std::set<std::pair<std::size_t, std::size_t>> pairs;
        for (const std::size_t i : sheets[l.a.index()])
            for (const std::size_t j : sheets[l.b.index()])
                if (const Sheet& s = model.sheets[i], &t = model.sheets[j]; i != j && s.body && s.body == t.body && !(s.chart.flat() && t.chart.flat()))
                    pairs.insert({i, j});
        for (const auto& [i, j] : pairs) {
            const Vec3 p = c.middle(), q = k.middle(), along = c.derivative(c.t0).normalized(), up = model.sheets[i].chart.normal(p);
            if (std::abs(model.sheets[j].chart.normal(q).dot(up)) < least_level) continue;  // one stands on the other
            const auto a = profile_of(model.sheets[i], p, along, up, p), b = profile_of(model.sheets[j], q, along, up, p);
            if (a && b) out[model.sheets[i].body.index()] += common_area(*a, *b) * model.length(l.a);
        }
    }
}

}  // namespace

std::vector<double> doubled_at_seams(const Model& model, std::size_t bodies) {
    struct Use {
        std::size_t sheet;
        bool reversed;
    };
    std::vector<std::vector<Use>> at(model.edges.size());
    for (std::size_t s = 0; s < model.sheets.size(); ++s)
        for (const Region& r : model.sheets[s].regions) {
            for (const auto& loop : r.loops)
                for (const EdgeUse& u : loop) at[u.edge.index()].push_back({s, u.reversed});
            for (EdgeId e : r.embedded) at[e.index()].insert(at[e.index()].end(), {{s, false}, {s, true}});
        }
    std::vector<double> out(bodies, 0.0);
    std::vector<std::vector<std::size_t>> sheets_at(at.size());
    for (std::size_t e = 0; e < at.size(); ++e)
        for (const Use& u : at[e]) sheets_at[e].push_back(u.sheet);
    add_doubled_along_links(model, sheets_at, out);
    for (std::size_t e = 0; e < at.size(); ++e) {
        if (at[e].size() < 2) continue;
        const Curve& c = model.edges[e].curve;
        const double t = 0.5 * (c.t0 + c.t1);
        const Vec3 middle = c.point(t), along = c.derivative(t).normalized();
        const Frame across = Frame::with_z(middle, along);
        std::map<BodyId, std::vector<WallArm>> of_body;
        std::map<BodyId, std::set<std::size_t>> sheets;
        for (const Use& u : at[e]) {
            const Sheet& s = model.sheets[u.sheet];
            if (!s.body) continue;
            // Loops have their sheet on the left.
            const Vec3 way = s.chart.normal(middle).cross(u.reversed ? Vec3(-along) : along).normalized();
            of_body[s.body].push_back(arm(s, middle, along, way, across));
            sheets[s.body].insert(u.sheet);
        }
        for (const auto& [body, arms] : of_body)
            if (sheets[body].size() > 1) out[body.index()] += doubled_area(arms) * model.length(EdgeId(e));
    }
    return out;
}

}  // namespace halvo
