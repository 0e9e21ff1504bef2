// Stiffened, corrugated and vessel-like solids: many walls that end short of each other's borders, round about one axis.
#include "curved_parts.hpp"

#include "spoilt.hpp"

#include <cmath>

namespace test {
namespace {

using make::Solid;

// Profile in the half plane x >= 0 (x = radius, y = height along the axis) turned all round; the axis becomes z.
Solid turned_profile(const std::vector<Curve>& profile) {
    return make::moved(make::revolve({profile}, Vec3::Zero(), Vec3::UnitY(), 2 * pi), make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
}

Curve profile_arc(const Vec2& centre, double r, double from, double to) {
    Curve c{CircleCurve{{{centre.x(), centre.y(), 0}, Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()}, r}, std::min(from, to), std::max(from, to)};
    return to < from ? c.reversed() : c;
}

Curve profile_line(const Vec2& a, const Vec2& b) {
    return Curve::segment({a.x(), a.y(), 0}, {b.x(), b.y(), 0});
}

// Between two rows of curves that run beside each other.
std::vector<Curve> between(const std::vector<Curve>& one, const std::vector<Curve>& other) {
    std::vector<Curve> out = one;
    out.push_back(Curve::segment(one.back().end(), other.back().end()));
    for (std::size_t i = other.size(); i-- > 0;) out.push_back(other[i].reversed());
    out.push_back(Curve::segment(other.front().start(), one.front().start()));
    return out;
}

Eigen::Isometry3d shape_round_axis(double angle) {
    return make::place({0, 0, 0}, Vec3::UnitZ(), {std::cos(angle), std::sin(angle), 0});
}

// Eight gussets outside a cone, a foot's width short of either rim; one stands where the cone's own parameters begin.
const std::vector<Vec2> gusset{{61, 2}, {75, 2}, {75, 8}, {45, 80}, {34.8333, 80}};

Solid ribs_on_a_cone() {
    std::vector<Solid> all{turned_profile(make::polygon({{60, 0}, {63, 0}, {33, 90}, {30, 90}}))};
    for (int i = 0; i < 8; ++i)
        all.push_back(
            make::moved(make::extrude({make::polygon(gusset)}, 2.5), shape_round_axis(i * pi / 4) * make::place({0, 1.25, 0}, -Vec3::UnitY(), Vec3::UnitX())));
    return make::unify(make::fuse(all));
}

double gusset_area() {
    // To the cone's middle instead of its skin.
    const std::vector<Vec2> p{{61.5 - 2 / 3.0, 2}, {75, 2}, {75, 8}, {45, 80}, {61.5 - 80 / 3.0, 80}};
    double sum = 0;
    for (std::size_t i = 0; i < p.size(); ++i) {
        const Vec2 &a = p[i], &b = p[(i + 1) % p.size()];
        sum += 0.5 * (a.x() * b.y() - b.x() * a.y());
    }
    return sum;
}

// Rim, hub and five spokes less wide than both.
Solid wheel() {
    std::vector<Solid> all{make::extrude(make::tube(200, 5), 40), make::extrude(make::tube(50, 6), 40)};
    for (int i = 0; i < 5; ++i) all.push_back(make::moved(make::box({22, -2, 5}, {75.5, 4, 30}), shape_round_axis(2 * pi * i / 5)));
    return make::unify(make::fuse(all));
}

// A vessel's end: cylinder, knuckle and dome in one, a ring outside and a bulkhead inside.
constexpr double tank_radius = 100, tank_wall = 3, knuckle = 20, dome = 180;
const double knuckle_at = tank_radius - tank_wall - knuckle, dome_angle = std::asin(knuckle_at / (dome - knuckle));

Solid tank() {
    const auto skin = [&](double out) {
        const double below = -(dome - knuckle) * std::cos(dome_angle);
        return std::vector<Curve>{profile_line({tank_radius - tank_wall + out, -150}, {tank_radius - tank_wall + out, 0}),
                                  profile_arc({knuckle_at, 0}, knuckle + out, 0, pi / 2 - dome_angle),
                                  profile_arc({0, below}, dome + out, pi / 2 - dome_angle, pi / 2)};
    };
    const Solid ring = make::moved(make::extrude({make::circle(115), make::reversed(make::circle(98))}, 4), make::place({0, 0, -100}));
    const Solid bulkhead = make::moved(make::extrude({make::circle(98)}, 3), make::place({0, 0, -60}));
    return make::unify(make::fuse({turned_profile(between(skin(tank_wall), skin(0))), ring, bulkhead}));
}

double tank_area() {
    const double r = tank_radius - 0.5 * tank_wall, k = knuckle + 0.5 * tank_wall, d = dome + 0.5 * tank_wall, turn = pi / 2 - dome_angle;
    return 2 * pi * r * 150 + 2 * pi * k * (knuckle_at * turn + k * std::sin(turn)) + 2 * pi * d * d * (1 - std::cos(dome_angle)) + pi * (115 * 115 - r * r) +
           pi * r * r;
}

// Arcs of 120 degrees, up and down in turn.
Solid corrugated() {
    constexpr double r = 10, t = 1.2, a = pi / 3;
    std::vector<Curve> low, high;
    for (int i = 0; i < 12; ++i) {
        const double up = i % 2 ? 1 : -1;
        const Vec2 c(2 * r * std::sin(a) * i, up * r * std::cos(a));
        const double from = up < 0 ? pi / 2 + a : -pi / 2 - a, to = up < 0 ? pi / 2 - a : -pi / 2 + a;
        low.push_back(profile_arc(c, r + up * t / 2, from, to)), high.push_back(profile_arc(c, r - up * t / 2, from, to));
    }
    return make::extrude({between(low, high)}, 150);
}

Solid bellows() {
    constexpr double r = 6, t = 0.8;
    std::vector<Curve> in, out;
    for (int i = 0; i < 6; ++i) {
        const Vec2 c(60, 2 * r * i);
        const double bulge = i % 2 ? -1 : 1, from = i % 2 ? 3 * pi / 2 : -pi / 2;
        out.push_back(profile_arc(c, r + bulge * t / 2, from, pi / 2)), in.push_back(profile_arc(c, r - bulge * t / 2, from, pi / 2));
    }
    return turned_profile(between(out, in));
}

// A drafted cup with a rolled rim: plane, torus, cone, torus, plane.
Solid cup() {
    constexpr double h = 50, t = 2;
    const std::vector<Vec2> p{{0, 0}, {30, 0}, {32, h}, {42, h}, {42, h + t}, {30.1, h + t}, {28.1, t}, {0, t}};
    return turned_profile(make::rounded(p, {0, 6, 3, 0, 0, 5, 4, 0}));
}

// A web of half circles, up and down in turn, between two flanges.
Solid corrugated_web() {
    constexpr double r = 20, t = 2;
    std::vector<Curve> one, other;
    for (int i = 0; i < 6; ++i) {
        const double bulge = i % 2 ? -1 : 1, to = i % 2 ? 2 * pi : 0;
        one.push_back(profile_arc({40.0 * i, 0}, r - bulge * t / 2, pi, to)), other.push_back(profile_arc({40.0 * i, 0}, r + bulge * t / 2, pi, to));
    }
    return make::unify(
        make::fuse({make::extrude({between(one, other)}, 150), make::box({-30, -40, -6}, {260, 80, 6}), make::box({-30, -40, 150}, {260, 80, 6})}));
}

// A pipe's bend between two flanges, with a plate in its plane inside it: opposite to where the pipe is cut open.
Solid stiffened_elbow() {
    const Solid bore = make::revolve({make::circle(28.5)}, {80, 0, 0}, Vec3::UnitY(), pi / 2);
    const auto flange = [] { return make::extrude({make::circle(48), make::reversed(make::circle(27))}, 6); };
    const Solid plate = make::cut(make::cylinder({80, -1.5, 0}, Vec3::UnitY(), 52, 3),
                                  {make::box({80.5, -5, -60}, {60, 10, 120}), make::box({0, -5, -60}, {140, 10, 59.5}), bore});
    return make::unify(make::fuse({make::revolve(make::tube(60, 3), {80, 0, 0}, Vec3::UnitY(), pi / 2), make::moved(flange(), make::place({0, 0, -6})),
                                   make::moved(flange(), make::place({80, 0, 80}, Vec3::UnitX(), Vec3::UnitY())), plate}));
}

}  // namespace

std::vector<CurvedPart> waved_parts() {
    return {{"corrugated", corrugated, 12 * 10 * 2 * pi / 3 * 150, 1e-6, 12, 1.2}, {"bellows", bellows, 6 * 2 * pi * 6 * pi * 60, 1e-5, 6, 0.8}};
}

void add_stiffened_parts(std::vector<CurvedPart>& p) {
    p.push_back({"ribs on a cone", ribs_on_a_cone, pi * 93 * std::hypot(30, 90) + 8 * gusset_area(), 1e-5, 9, 0});
    p.push_back({"wheel", wheel, 2 * pi * 40 * (97.5 + 22) + 5 * 30 * (97.5 - 22), 1e-6, 7, 0});
    p.push_back({"tank", tank, tank_area(), 1e-5, 5, 0});
    p.push_back({"cup", cup, 0, 0, 5, 0});
    p.push_back({"corrugated web", corrugated_web, 2 * 260 * 80 + 6 * pi * 20 * 156, 1e-6, 8, 0});
    p.push_back({"stiffened elbow", stiffened_elbow, 0, 0, 4, 0});
}

}  // namespace test
