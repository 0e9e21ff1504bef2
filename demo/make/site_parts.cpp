#include "site_parts.hpp"

#include "station.hpp"

#include <cmath>

namespace make {
namespace {

using halvo::pi;

std::vector<Vec2> rectangle(double x, double y) {
    return {{-x, -y}, {x, -y}, {x, y}, {-x, y}};
}

// U of sheet: web of `width` with two flanges of `depth` upwards, extruded along its z by `length`.
Solid tray(double width, double depth, double t, double inside, double length) {
    const double w = width / 2, out = inside + t;
    return extrude(
        {rounded({{-w, 0}, {w, 0}, {w, depth}, {w - t, depth}, {w - t, t}, {-w + t, t}, {-w + t, depth}, {-w, depth}}, {out, out, 0, 0, inside, inside, 0, 0})},
        length);
}

}  // namespace

std::vector<Item> cabinet() {
    constexpr double w = 300, d = 160, h = 400, t = 1.5, in = 2, out = in + t, lip = 25;
    const Solid whole =
        extrude({rounded({{lip, 0}, {lip, t}, {t, t}, {t, d - t}, {w - t, d - t}, {w - t, t}, {w - lip, t}, {w - lip, 0}, {w, 0}, {w, d}, {0, d}, {0, 0}},
                         {0, 0, in, in, in, in, 0, 0, out, out, out, out})},
                h);
    const Solid body = cut(whole, {cylinder({80, d - 10, 60}, Vec3::UnitY(), 11, 20), cylinder({220, d - 10, 60}, Vec3::UnitY(), 11, 20)});
    // Web outwards, flanges inwards against the back and the lips.
    const Solid one = tray(d - 2 * t, 20, t, in, w - 10);
    const std::array<double, 3> paint{0.55, 0.65, 0.60};
    return {{"cabinet body", body, paint},
            {"cabinet bottom", moved(one, place({5, d / 2, 0}, Vec3::UnitX(), Vec3::UnitY())), paint},
            {"cabinet top", moved(one, place({w - 5, d / 2, h}, -Vec3::UnitX(), Vec3::UnitY())), paint}};
}

Solid rain_hood() {
    const Solid outer = taper(rectangle(120, 90), rectangle(116, 86), 90);
    const Solid inner = taper(rectangle(117.2, 87.2), rectangle(113.6, 83.6), 87.5);
    // Ribs 27.5 mm deep with 1.5 degrees of draft a side, from 2.4 mm at the top plate.
    const double depth = 28, foot = 1.2, tip = foot - depth * std::tan(1.5 * pi / 180);
    const auto rib = [&](double length, bool along_x, double at) {
        const auto strip = [&](double half) {
            return along_x ? std::vector<Vec2>{{-length, at - half}, {length, at - half}, {length, at + half}, {-length, at + half}}
                           : std::vector<Vec2>{{at - half, -length}, {at + half, -length}, {at + half, length}, {at - half, length}};
        };
        return moved(taper(strip(tip), strip(foot), depth), place({0, 0, 60}));
    };
    return unify(fuse({cut(outer, {inner}), rib(114.9, true, -28), rib(114.9, true, 28), rib(84.9, false, -40), rib(84.9, false, 40)}));
}

namespace {

Solid drilled(const Solid& s, double radius, int nx, int ny, const Vec2& first, const Vec2& step) {
    std::vector<Solid> tools;
    for (int i = 0; i < nx; ++i)
        for (int j = 0; j < ny; ++j) tools.push_back(cylinder({first.x() + i * step.x(), first.y() + j * step.y(), -1}, Vec3::UnitZ(), radius, 10));
    return cut(s, tools);
}

Solid bare_logger_tray() {
    return unify(fuse({cut(box({0, 0, 0}, {120, 80, 25}), {box({3, 3, 3}, {114, 74, 30})}), box({58, 3, 3}, {3, 74, 15})}));
}

Solid with_bolt_holes(const Solid& s) {
    return drilled(s, 5.5, 2, 2, {25, 20}, {70, 40});
}

}  // namespace

Solid plain_logger_tray() {
    return with_bolt_holes(bare_logger_tray());
}

bool logger_tray_root(const Vec3& m) {
    const auto at = [](double v, double a, double b) { return std::abs(v - a) < 1e-6 || std::abs(v - b) < 1e-6; };
    const bool floor = std::abs(m.z() - 3) < 1e-6 && m.x() > 2.9 && m.x() < 117.1 && m.y() > 2.9 && m.y() < 77.1;
    const bool upright = (at(m.x(), 3, 117) || at(m.x(), 58, 61)) && at(m.y(), 3, 77) && m.z() > 3;
    return floor || upright;
}

Solid logger_tray() {
    const Solid holed = drilled(with_bolt_holes(rounded_edges(bare_logger_tray(), 2, logger_tray_root)), 1, 4, 3, {66, 13}, {7, 27});
    const Solid angle = cut(box({20, -0.6, 8}, {30, 0.6, 10}), {box({25, -1, 11}, {20, 2, 4})}), disc = cylinder({80, 0, 13}, {0, -1, 0}, 4, 0.6);
    return unify(fuse({holed, angle, disc}));
}

std::vector<Item> bent_sensor_arm() {
    constexpr double diameter = 33.7, t = 2.6, radius = 100, rise = 300, reach = 250;
    const auto profile = tube(diameter, t);
    const Solid up = extrude(profile, rise);
    // The profile turned about a line beside it, parallel to y at x = radius, from +z towards +x.
    const Solid bend = moved(revolve(profile, {radius, 0, 0}, Vec3::UnitY(), pi / 2), place({0, 0, rise}));
    const Solid out = moved(extrude(profile, reach), place({radius, 0, rise + radius}, Vec3::UnitX(), Vec3::UnitY()));
    const Solid arm = fuse({up, bend, out});
    const Solid plate =
        cut(box({-50, -50, -6}, {100, 100, 6}), {cylinder({-36, -36, -10}, Vec3::UnitZ(), 5.5, 20), cylinder({36, -36, -10}, Vec3::UnitZ(), 5.5, 20),
                                                 cylinder({-36, 36, -10}, Vec3::UnitZ(), 5.5, 20), cylinder({36, 36, -10}, Vec3::UnitZ(), 5.5, 20)});
    return {{"bent sensor arm", arm, {0.70, 0.72, 0.75}}, {"arm end plate", plate, {0.60, 0.62, 0.66}}};
}

Solid anchor_block() {
    std::vector<Solid> holes;
    for (double x : {-95.0, 95.0})
        for (double y : {-95.0, 95.0}) holes.push_back(cylinder({x, y, 100}, Vec3::UnitZ(), 12, 300));
    return cut(box({-200, -200, 0}, {400, 400, 350}), holes);
}

Solid bracket() {
    constexpr double t = 3, in = 3, out = in + t;
    const Solid sheet = extrude({rounded({{0, 0}, {60, 0}, {60, t}, {t, t}, {t, 50}, {0, 50}}, {out, 0, 0, in, 0, 0})}, 40);
    return cut(sheet, {cylinder({30, -5, 12}, Vec3::UnitY(), 4.25, 15), cylinder({48, -5, 28}, Vec3::UnitY(), 4.25, 15),
                       cylinder({-5, 22, 20}, Vec3::UnitX(), 4.25, 15), cylinder({-5, 38, 20}, Vec3::UnitX(), 4.25, 15)});
}

Solid loose_logger_tray() {
    const Solid tray = plain_logger_tray();
    return as_faces_with_gaps(without_face(tray, face_at(tray, {60, 0, 12.5})), 0.04);
}

std::vector<Item> spoilt_shelf() {
    const ShelfSize s;
    const double l = s.length / 2, w = s.width / 2, top = s.base;
    // Pin holes, raised letters and a step of a twentieth of a millimetre on the shelf itself.
    std::vector<Solid> raised = {instrument_shelf()};
    for (int i = 0; i < 4; ++i) raised.push_back(box({-0.8 * l + 14 * i, -0.75 * w, top - 0.5}, {8, 2, 0.9}));
    raised.push_back(box({0.55 * l, -0.8 * w, -0.05}, {40, 40, 1}));
    const Solid shelf =
        cut(fuse(raised), {cylinder({0.5 * l, 0.6 * w, -1}, Vec3::UnitZ(), 0.75, 20), cylinder({0.6 * l, 0.6 * w, -1}, Vec3::UnitZ(), 0.75, 20)});
    const auto upright = [&](double x) { return box({x, -20, -40}, {4, 40, 40}); };
    const Solid plate = box({0, 0, 0}, {80, 50, 3});
    const auto beside = [&](const Solid& k, double y) { return moved(k, place({l + 60, y, 0})); };
    const Solid rounds = rounded_edges(plate, 0.6, [](const Vec3& m) { return m.z() > 2.5; });
    return {{"shelf", shelf, {0.75, 0.55, 0.25}},
            {"support overlapping", moved(upright(-100), place({0, 0, 0.3})), {0.5, 0.6, 0.7}},
            {"support near", moved(upright(0), place({0, 0, -0.4})), {0.5, 0.6, 0.7}},
            {"support twice", upright(100), {0.5, 0.6, 0.7}},
            {"support twice", upright(100), {0.5, 0.6, 0.7}},
            {"lid open", beside(without_face(plate, 0), -150), {0.7, 0.7, 0.7}},
            {"lid loose", beside(with_loose_face(plate, 4, {0, 0, 0.002}), -80), {0.7, 0.7, 0.7}},
            {"lid turned", beside(with_turned_face(plate, 2), -10), {0.7, 0.7, 0.7}},
            {"lid doubled", beside(with_doubled_face(plate, 5), 60), {0.7, 0.7, 0.7}},
            {"lid rounded", beside(rounds, 130), {0.7, 0.7, 0.7}},
            {"clip crossing itself", moved(in_one_skin(box({0, 0, 0}, {60, 20, 3}), box({20, 5, -15}, {3, 10, 30})), place({l + 60, 210, 0})), {0.4, 0.6, 0.5}},
            {"grain", box({l + 60, -170, 0}, {0.2, 0.2, 0.2}), {0.3, 0.3, 0.3}}};
}

}  // namespace make
