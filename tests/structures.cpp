#include "structures.hpp"

#include "spoilt.hpp"

namespace test {

using make::box;

Items moved(Items items, const Eigen::Isometry3d& m) {
    for (auto& i : items) i.solid = make::moved(i.solid, m);
    return items;
}

make::Item bar(const std::string& name, const Vec3& from, const Vec3& to, double width, double depth, double wall, const Vec3& up) {
    const Vec3 along = to - from, x = along.cross(up).normalized();
    return {name, make::moved(make::extrude(make::rectangular_tube(width, depth, wall, 0), along.norm()), make::place(from, along, x))};
}

make::Item bent(const std::string& name, const std::vector<std::vector<Curve>>& profile, const std::vector<Move>& moves, const Vec3& at, const Vec3& along,
                const Vec3& x) {
    Eigen::Isometry3d here = make::place(at, along, x);
    std::vector<make::Solid> parts;
    for (const Move& m : moves) {
        if (m.angle == 0) {
            parts.push_back(make::moved(make::extrude(profile, m.length), here));
            here = here * Eigen::Translation3d(0, 0, m.length);
            continue;
        }
        const Vec3 towards(std::cos(m.roll), std::sin(m.roll), 0), on = m.radius * towards, axis = Vec3::UnitZ().cross(towards);
        parts.push_back(make::moved(make::revolve(profile, on, axis, m.angle), here));
        here = here * Eigen::Translation3d(on) * Eigen::AngleAxisd(m.angle, axis) * Eigen::Translation3d(-on);
    }
    return {name, parts.size() == 1 ? parts[0] : make::unify(make::fuse(parts))};
}

Items three_plates(double gap) {
    return {{"base", box({0, 0, 0}, {300, 200, 8})}, {"web", box({0, 97, 8 + gap}, {300, 6, 100})}, {"flange", box({0, 50, 108 + 2 * gap}, {300, 100, 8})}};
}

Items welded_frame() {
    Items out;
    const double x = 1200, y = 800, h = 600, half = 20;
    int n = 0;
    const auto name = [&](const char* kind) { return std::string(kind) + " " + std::to_string(++n); };
    for (const double px : {0.0, x})
        for (const double py : {0.0, y}) out.push_back(bar(name("post"), {px, py, 0}, {px, py, h + half}, 40, 40, 3, Vec3::UnitY()));
    // Rings between the posts: rails stop 1.5 and 3 mm short of the posts' sides.
    for (const double z : {150.0, h}) {
        for (const double py : {0.0, y}) out.push_back(bar(name("long rail"), {half + 1.5, py, z}, {x - half - 3, py, z}, 40, 40, 3, Vec3::UnitZ()));
        for (const double px : {0.0, x}) out.push_back(bar(name("cross rail"), {px, half + 2, z}, {px, y - half - 1, z}, 40, 40, 3, Vec3::UnitZ()));
    }
    // Bars between the long rails of the upper ring, tops level with it, each short of the rails by its own gap.
    for (int k = 1; k <= 12; ++k)
        out.push_back(bar(name("bar"), {k * x / 13, half + 0.25 * k, h}, {k * x / 13, y - half - (3 - 0.25 * k), h}, 40, 40, 3, Vec3::UnitZ()));
    out.push_back({"deck", box({-half, -half, h + half}, {x + 2 * half, y + 2 * half, 5})});
    return out;
}

Items hats_on_plate() {
    Items out{{"plate", box({0, 0, 0}, {600, 400, 4})}};
    for (const double y : {100.0, 300.0}) {
        // Flanges 30, webs 50 high, top 60, all 2 mm.
        const std::vector<Vec2> hat{{-60, 0}, {-28, 0}, {-28, 48}, {28, 48}, {28, 0}, {60, 0}, {60, 2}, {30, 2}, {30, 50}, {-30, 50}, {-30, 2}, {-60, 2}};
        out.push_back(
            {y < 200 ? "hat left" : "hat right", make::moved(make::extrude({make::polygon(hat)}, 500), make::place({50, y, 4}, Vec3::UnitX(), Vec3::UnitY()))});
    }
    return out;
}

Items deck_on_posts() {
    Items out{{"deck", box({-100, -100, 1000}, {2200, 2200, 6})}};
    for (int i = 0; i < 5; ++i)
        for (int j = 0; j < 5; ++j)
            out.push_back(bar("post " + std::to_string(5 * i + j + 1), {500.0 * i, 500.0 * j, 0}, {500.0 * i, 500.0 * j, 1000}, 60, 60, 4, Vec3::UnitY()));
    return out;
}

Items hood_with_rails() {
    const double r = 400, t = 3, length = 1200;
    const make::Solid ring = make::extrude({make::circle(r), make::reversed(make::circle(r - t))}, length);
    const make::Solid half = make::cut(ring, {box({-500, -500, -10}, {1000, 500, length + 20})});
    Items out{{"hood", make::moved(half, make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()))}};
    for (const double degrees : {45.0, 90.0, 135.0}) {
        const Vec3 n(std::cos(degrees * pi / 180), 0, std::sin(degrees * pi / 180)), at = (r + 15) * n;
        out.push_back(bar("rail " + std::to_string(static_cast<int>(degrees)), at - Vec3(0, 100, 0), at - Vec3(0, 1100, 0), 40, 30, 3, n));
    }
    return out;
}

Items six_at_a_node() {
    Items out;
    const std::vector<Vec3> ways{{1, 0, 0}, {-0.5, 0.85, 0.1}, {-0.5, -0.85, -0.1}, {0.2, 0.1, 1}, {-0.3, 0.3, -1}, {0.5, 0.6, 0.7}};
    for (std::size_t i = 0; i < ways.size(); ++i) {
        const Vec3 d = ways[i].normalized(), aside = d.cross(Vec3(0.3, 0.5, 0.8)).normalized() * (i % 2 ? 1.0 : -0.8);
        out.push_back({"tube " + std::to_string(i + 1), make::moved(make::extrude(make::tube(48, 3), 800), make::place(aside + 20 * d, d))});
    }
    return out;
}

Items pipe_with_saddle() {
    const auto ring = [](double r, double t, double from, double to) {
        return make::moved(make::extrude({make::circle(r), make::reversed(make::circle(r - t))}, to - from), make::place({0, 0, from}));
    };
    return {{"pipe", ring(100, 5, 0, 600)}, {"saddle", make::cut(ring(104, 4, 200, 400), {box({-200, -200, 0}, {400, 200, 600})})}};
}

Items overlapping_tee() {
    return {{"base", box({0, 0, 0}, {300, 200, 6})}, {"web", box({0, 97, 5.7}, {300, 6, 100})}};
}

Items grid(int cells) {
    Items out;
    const double side = 500, high = 400, half = 20;
    int n = 0;
    for (int i = 0; i <= cells; ++i)
        for (int j = 0; j <= cells; ++j) {
            const Vec3 p(side * i, side * j, 0);
            out.push_back(bar("tube " + std::to_string(++n), p, p + Vec3(0, 0, high), 40, 40, 3, Vec3::UnitY()));
            if (i < cells) out.push_back({"plate x " + std::to_string(n), box(p + Vec3(half, -3, 0), {side - 2 * half, 6, high})});
            if (j < cells) out.push_back({"plate y " + std::to_string(n), box(p + Vec3(-3, half, 0), {6, side - 2 * half, high})});
        }
    return out;
}

std::vector<Curve> rolled(double height, double width, double web, double flange) {
    const double h = 0.5 * height, b = 0.5 * width, w = 0.5 * web, i = h - flange;
    return make::rounded({{-b, -h}, {b, -h}, {b, -i}, {w, -i}, {w, i}, {b, i}, {b, h}, {-b, h}, {-b, i}, {-w, i}, {-w, -i}, {-b, -i}},
                         {0, 0, 0, 12, 12, 0, 0, 0, 0, 12, 12, 0});
}

Items portal(bool bolts) {
    // Column along z with its flanges at x = +-95; the beam along x from its end plate on.
    const auto column = make::moved(make::extrude({rolled(190, 200, 6.5, 10)}, 3000), make::place({0, 0, 20}, Vec3::UnitZ(), Vec3::UnitY()));
    const auto beam = make::moved(make::extrude({rolled(240, 120, 6.2, 9.8)}, 4000), make::place({110, 0, 2500}, Vec3::UnitX(), Vec3::UnitY()));
    Items out{{"column", column}, {"beam", beam}, {"end plate", box({95, -80, 2290}, {15, 160, 420})}, {"base plate", box({-150, -150, 0}, {300, 300, 20})}};
    for (const double z : {2385.0, 2605.0})
        for (const double side : {-1.0, 1.0}) out.push_back({"stiffener", box({-85, side < 0 ? -95.0 : 3.25, z}, {170, 91.75, 10})});
    if (bolts)
        for (const double z : {2330.0, 2450.0, 2550.0, 2670.0})
            for (const double y : {-50.0, 50.0}) out.push_back({"bolt", make::cylinder({80, y, z}, Vec3::UnitX(), 8, 45)});
    return out;
}

}  // namespace test
