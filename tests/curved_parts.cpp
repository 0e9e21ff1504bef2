#include "curved_parts.hpp"

#include "spoilt.hpp"

#include <cmath>

namespace test {
namespace {

using make::Solid;

// Profile in the half plane x >= 0 (x = radius, y = height along the axis) turned all round; the axis becomes z.
Solid turned(const std::vector<std::vector<Curve>>& profile, double angle = 2 * pi) {
    return make::moved(make::revolve(profile, Vec3::Zero(), Vec3::UnitY(), angle), make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
}

Curve arc(const Vec2& centre, double r, double from, double to) {
    Curve c{CircleCurve{{{centre.x(), centre.y(), 0}, Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()}, r}, from, to};
    if (to < from) {
        c.t0 = to, c.t1 = from;
        return c.reversed();
    }
    return c;
}

Curve line(const Vec2& a, const Vec2& b) {
    return Curve::segment({a.x(), a.y(), 0}, {b.x(), b.y(), 0});
}

constexpr double t = 2, in = 3, out = in + t, mid = in + t / 2;

// U of sheet with two bends.
Solid folded() {
    return make::extrude({make::rounded({{0, 0}, {120, 0}, {120, 50}, {118, 50}, {118, 2}, {2, 2}, {2, 50}, {0, 50}}, {out, out, 0, 0, in, in, 0, 0})}, 200);
}

Solid jog() {
    // A flat, up by 10 over two 45 degree bends, and on.
    const double c = std::tan(pi / 8);
    const std::vector<Vec2> low{{0, 0}, {60 + t * c, 0}, {72 + t * c, 12}, {140, 12}};
    const std::vector<Vec2> high{{140, 14}, {72, 14}, {60, 2}, {0, 2}};
    std::vector<Vec2> all = low;
    all.insert(all.end(), high.begin(), high.end());
    return make::extrude({make::rounded(all, {0, out, in, 0, 0, out, in, 0})}, 80);
}

Solid hem() {
    // Folded back on itself with an inner gap of 1 mm.
    const double r = 0.5;
    return make::extrude(
        {{line({0, 0}, {80, 0}), arc({80, r + t}, r + t, -pi / 2, pi / 2), line({80, 2 * (r + t)}, {60, 2 * (r + t)}), line({60, 2 * (r + t)}, {60, 2 * r + t}),
          line({60, 2 * r + t}, {80, 2 * r + t}), arc({80, r + t}, r, pi / 2, -pi / 2), line({80, t}, {0, t}), line({0, t}, {0, 0})}},
        100);
}

// Sharp inside, round outside.
Solid sharp_inside() {
    return make::extrude({make::rounded({{0, 0}, {80, 0}, {80, 3}, {3, 3}, {3, 60}, {0, 60}}, {3, 0, 0, 0, 0, 0})}, 100);
}

Solid pedestal() {
    // Cylinder with a dome, and a cable pipe through its side.
    const double ri = 48, ro = 50, h = 120;
    const Solid shell = turned({{line({ri, 0}, {ro, 0}), line({ro, 0}, {ro, h}), arc({0, h}, ro, 0, pi / 2), line({0, h + ro}, {0, h + ri}),
                                 arc({0, h}, ri, pi / 2, 0), line({ri, h}, {ri, 0})}});
    const Solid rod = make::cylinder({0, 0, 60}, Vec3::UnitX(), 12, 90), bore = make::cylinder({-1, 0, 60}, Vec3::UnitX(), 10, 100);
    const Solid core = make::cylinder({0, 0, -5}, Vec3::UnitZ(), ri, 200);
    return make::cut(make::fuse({shell, make::cut(rod, {core})}), {bore});
}

Solid box_girder() {
    return make::extrude(make::rectangular_tube(120, 80, 3, 8), 600);
}

Solid cone_with_skirt() {
    const double a = 20 * pi / 180, c = std::cos(a), s = std::sin(a), w = 3;
    // Skirt: a cylinder below, sharp mitred, cone above.
    const double r = 60, h = 40, l = 80;
    const Vec2 p(r, h), q = p + l * Vec2(-s, c);
    const double k = w / 2 * std::tan(a / 2);
    return turned(
        {{line({r - w / 2, 0}, {r + w / 2, 0}), line({r + w / 2, 0}, {r + w / 2, h + k}), line({r + w / 2, h + k}, q + w / 2 * Vec2(c, s)),
          line(q + w / 2 * Vec2(c, s), q - w / 2 * Vec2(c, s)), line(q - w / 2 * Vec2(c, s), {r - w / 2, h - k}), line({r - w / 2, h - k}, {r - w / 2, 0})}});
}

Solid elbow() {
    const Solid straight = make::extrude(make::tube(60, 2), 100);
    const Solid bend = make::moved(make::revolve(make::tube(60, 2), {90, 0, 0}, Vec3::UnitY(), pi / 3), make::place({0, 0, 100}));
    return make::fuse({straight, bend});
}

Solid freeform() {
    std::vector<std::vector<double>> heights;
    for (int i = 0; i <= 12; ++i) {
        auto& row = heights.emplace_back();
        for (int j = 0; j <= 10; ++j) row.push_back(18 * std::sin(0.22 * i) * std::cos(0.19 * j) + 0.05 * i * j);
    }
    return make::panel(heights, 25, 3);
}

// A tapered tube: inner and outer cone of different angles.
Solid tapered_tube() {
    return turned({{line({40, 0}, {46, 0}), line({46, 0}, {33, 150}), line({33, 150}, {30, 150}), line({30, 150}, {40, 0})}});
}

Solid eccentric_tube() {
    return make::cut(make::cylinder({0, 0, 0}, Vec3::UnitZ(), 40, 120), {make::cylinder({0.8, 0, -1}, Vec3::UnitZ(), 36, 130)});
}

Solid ball_cap() {
    const double a = 1.1;
    return turned({{arc({0, 0}, 101, a, pi / 2), line({0, 101}, {0, 99}), arc({0, 0}, 99, pi / 2, a),
                    line({99 * std::cos(a), 99 * std::sin(a)}, {101 * std::cos(a), 101 * std::sin(a)})}});
}

// Flat against round: a plate with a shallow cylinder as its lower side.
Solid plane_against_cylinder() {
    const double r = 400;
    return make::extrude({{line({60, 5}, {-60, 5}), line({-60, 5}, {-60, r - std::sqrt(r * r - 3600)}),
                           arc({0, r}, r, -pi / 2 - std::asin(60 / r), -pi / 2 + std::asin(60 / r)), line({60, r - std::sqrt(r * r - 3600)}, {60, 5})}},
                         150);
}

Solid rib_in_tube() {
    // Two flat ribs crossing inside a tube.
    const Solid inside = make::cylinder({0, 0, 0}, Vec3::UnitZ(), 59, 100);
    const Solid a = make::box({-59, -1.5, 0}, {118, 3, 100}), b = make::box({-1.5, -59, 0}, {3, 118, 100});
    const Solid ring = pipe(60, 2, 100);
    return make::fuse({ring, make::cut(make::fuse({a, b}), {make::cut(make::box({-80, -80, -1}, {160, 160, 102}), {inside})})});
}

Solid four_tubes() {
    std::vector<Solid> outer, inner;
    const std::vector<Vec3> ways{{1, 0, 0}, {-0.5, std::sqrt(0.75), 0}, {-0.5, -std::sqrt(0.75), 0}, {0, 0, 1}};
    for (const Vec3& d : ways) {
        outer.push_back(make::cylinder({0, 0, 0}, d, 20, 150));
        inner.push_back(make::cylinder({0, 0, 0}, d, 17, 160));
    }
    outer.push_back(make::ball({0, 0, 0}, 20));
    inner.push_back(make::ball({0, 0, 0}, 17));
    return make::cut(make::fuse(outer), {make::fuse(inner)});
}

Solid rounded_rim() {
    const Solid plate = make::extrude({make::circle(80)}, 4);
    return make::rounded_edges(plate, 1.5, [](const Vec3& m) { return m.z() > 3 || m.z() < 1; });
}

Solid stepped() {
    return make::unify(make::fuse({make::box({0, 0, 0}, {200, 100, 4}), make::box({200, 0, 0}, {150, 100, 8})}));
}

// A tube into the side of a larger one, at 55 degrees.
Solid oblique_branch() {
    const Vec3 d = Vec3(std::sin(0.96), 0, std::cos(0.96));
    const Solid core = make::cylinder({0, 0, -150}, Vec3::UnitZ(), 37, 300);
    return make::cut(make::fuse({make::cylinder({0, 0, -150}, Vec3::UnitZ(), 40, 300), make::cylinder({0, 0, 0}, d, 15, 140)}),
                     {core, make::cylinder({0, 0, 0}, d, 13, 150)});
}

// The same, the branch closed by the wall of the larger tube.
Solid closed_branch() {
    const Solid core = make::cylinder({0, 0, -150}, Vec3::UnitZ(), 37, 300), outer = make::cylinder({0, 0, -150}, Vec3::UnitZ(), 40, 300);
    const Solid branch = make::cut(make::cylinder({0, 0, 0}, Vec3::UnitX(), 15, 120), {make::cylinder({0, 0, 0}, Vec3::UnitX(), 13, 130), outer});
    return make::fuse({make::cut(outer, {core}), branch});
}

Solid hat_section() {
    return make::extrude(
        {make::rounded({{0, 0}, {30, 0}, {40, 30}, {80, 30}, {90, 0}, {120, 0}, {120, 2}, {91.5, 2}, {81.5, 32}, {38.5, 32}, {28.5, 2}, {0, 2}},
                       {0, 4, 2, 2, 4, 0, 0, 2, 4, 4, 2, 0})},
        300);
}

// Half a pipe with flat flanges that leave it smoothly.
Solid half_pipe() {
    const double r = 40, w = 3;
    return make::extrude({{line({r - w, 30}, {r - w, 0}), arc({0, 0}, r - w, 0, -pi), line({-r + w, 0}, {-r + w, 30}), line({-r + w, 30}, {-r, 30}),
                           line({-r, 30}, {-r, 0}), arc({0, 0}, r, -pi, 0), line({r, 0}, {r, 30}), line({r, 30}, {r - w, 30})}},
                         200);
}

// A shallow plate at 20 degrees to another.
Solid oblique_tee() {
    const double a = 20 * pi / 180;
    const Solid base = make::box({-150, 0, -4}, {300, 100, 4});
    const Solid rib =
        make::moved(make::box({0, 0, -1.5}, {120, 100, 3}), make::place({0, 0, -2}, Vec3(-std::sin(a), 0, std::cos(a)), Vec3(std::cos(a), 0, std::sin(a))));
    return make::fuse({base, make::cut(rib, {make::box({-200, -10, -60}, {400, 200, 60})})});
}

Solid ribs_on_shell() {
    // A curved shell with a flat rib across and one along.
    const double r = 200, w = 4;
    const Solid sector = make::extrude({{arc({0, 0}, r, pi / 3, 2 * pi / 3), line({-r / 2, r * std::sqrt(0.75)}, {-(r - w) / 2, (r - w) * std::sqrt(0.75)}),
                                         arc({0, 0}, r - w, 2 * pi / 3, pi / 3), line({(r - w) / 2, (r - w) * std::sqrt(0.75)}, {r / 2, r * std::sqrt(0.75)})}},
                                       150);
    const Solid outer = make::cylinder({0, 0, -1}, Vec3::UnitZ(), r - 1, 152);
    const Solid along = make::box({-1.5, 165, 0}, {3, 40, 150}), across = make::box({-90, 150, 73.5}, {180, 60, 3});
    const auto within = [&](const Solid& k) { return make::cut(k, {make::cut(make::box({-400, -400, -5}, {800, 800, 160}), {outer})}); };
    return make::fuse(
        {sector, within(along), make::cut(within(across), {make::box({-200, 100, 0}, {110, 200, 150}), make::box({90, 100, 0}, {110, 200, 150})})});
}

// Sheet metal with a notch, holes through the bend's flats and a hole through the bend itself.
Solid pierced_bend() {
    const Solid sheet = folded();
    return make::cut(sheet, {make::cylinder({-5, 25, 60}, Vec3::UnitX(), 8, 20), make::box({30, -5, 150}, {40, 20, 60}),
                             make::cylinder({-4, -4, 110}, Vec3(1, 1, 0), 3, 20)});
}

// Corner of a tray: two flanges with a relief cut between them.
Solid relieved_corner() {
    const Solid one = make::extrude({make::rounded({{0, 0}, {80, 0}, {80, 2}, {2, 2}, {2, 40}, {0, 40}}, {out, 0, 0, in, 0, 0})}, 80);
    const Solid other = make::moved(one, make::place({0, 0, 0}, Vec3::UnitX(), Vec3::UnitZ()));
    const Solid flat_z = make::moved(one, make::place({0, 0, 0}));
    (void)other;
    return make::cut(flat_z, {make::box({-5, -5, 70}, {15, 60, 20})});
}

// Embossed letters and a small boss on one side only.
Solid embossed() {
    std::vector<Solid> all{make::box({0, 0, 0}, {200, 120, 4})};
    for (int i = 0; i < 6; ++i) all.push_back(make::box({20 + 12.0 * i, 20, 4}, {6, 10, 0.6}));
    all.push_back(make::cylinder({150, 60, 4}, Vec3::UnitZ(), 5, 6));
    return make::fuse(all);
}

Solid thick_pad() {
    return make::fuse({make::box({0, 0, 0}, {300, 200, 4}), make::box({100, 60, 4}, {100, 80, 8})});
}

// A flat ring inside a tube.
Solid ring_rib() {
    const Solid ring = make::moved(make::extrude({make::circle(58), make::reversed(make::circle(30))}, 4), make::place({0, 0, 98}));
    return make::fuse({pipe(60, 3, 200), ring});
}

// Two braces into one side of a chord.
Solid k_joint() {
    const Vec3 a(std::sin(0.7), 0, std::cos(0.7)), b(std::sin(-0.6), 0, std::cos(-0.6));
    const Solid chord = make::cylinder({-200, 0, 0}, Vec3::UnitX(), 40, 400), core = make::cylinder({-200, 0, 0}, Vec3::UnitX(), 36, 400);
    return make::cut(make::fuse({chord, make::cylinder({20, 0, 0}, a, 18, 150), make::cylinder({-20, 0, 0}, b, 18, 150)}),
                     {core, make::cylinder({20, 0, 0}, a, 16, 160), make::cylinder({-20, 0, 0}, b, 16, 160)});
}

// A tube bent to a closed ring.
Solid ring_tube() {
    return make::revolve(make::tube(30, 2), {100, 0, 0}, Vec3::UnitY(), 2 * pi);
}

// Plate of one thickness that ends in one of another with a chamfer between.
Solid chamfered_step() {
    return make::extrude({make::polygon({{0, 0}, {300, 0}, {300, 8}, {160, 8}, {140, 4}, {0, 4}})}, 120);
}

Solid two_skins() {
    // A closed box of 2 mm walls with rounded vertical edges.
    const Solid outer = make::extrude({make::rounded({{0, 0}, {100, 0}, {100, 70}, {0, 70}}, {10, 10, 10, 10})}, 50);
    const Solid inner = make::moved(make::extrude({make::rounded({{2, 2}, {98, 2}, {98, 68}, {2, 68}}, {8, 8, 8, 8})}, 46), make::place({0, 0, 2}));
    return make::cut(outer, {inner});
}

}  // namespace

make::Solid finned_block() {
    std::vector<Solid> all{make::box({0, 0, 0}, {120, 80, 60})};
    for (int i = 0; i < 5; ++i) all.push_back(make::box({10 + 24.0 * i, 0, 60}, {3, 80, 50}));
    return make::unify(make::fuse(all));
}

make::Solid pipe(double radius, double wall, double height) {
    return make::extrude({make::circle(radius), make::reversed(make::circle(radius - wall))}, height);
}

const std::vector<CurvedPart>& curved_parts() {
    static const std::vector<CurvedPart> parts = [] {
        const double bend = pi / 2 * mid;
        std::vector<CurvedPart> p;
        p.push_back({"folded sheet", folded, 200 * (110 + 2 * 45 + 2 * bend), 1e-6, 5, 2});
        p.push_back({"jog", jog, 0, 0, 5, 2});
        p.push_back({"hem", hem, 100 * (80 + 20 + pi * 1.5), 1e-6, 3, 2});
        p.push_back({"sharp inside", sharp_inside, 100 * (77 + 57 + pi / 2 * 1.5), 1e-6, 3, 3, 0.999, 0.3});
        p.push_back({"pedestal", pedestal, 0, 0, 3, 2});
        p.push_back({"box girder", box_girder, 600 * (2 * (104 + 64) + 2 * pi * 6.5), 1e-6, 8, 3});
        p.push_back({"cone with skirt", cone_with_skirt, 2 * pi * 60 * 40 + pi * (60 + 60 - 80 * std::sin(20 * pi / 180)) * 80, 1e-4, 2, 3});
        p.push_back({"elbow", elbow, 2 * pi * 29 * 100 + 2 * pi * 29 * 90 * pi / 3, 1e-4, 2, 2});
        p.push_back({"freeform", freeform, 0, 0, 1, 0});
        p.push_back({"tapered tube", tapered_tube, 0, 0, 1, 0});
        p.push_back({"eccentric tube", eccentric_tube, 0, 0, 1, 0});
        p.push_back({"ball cap", ball_cap, 2 * pi * 100 * 100 * (1 - std::sin(1.1)), 1e-4, 1, 2});
        p.push_back({"plane against cylinder", plane_against_cylinder, 0, 0, 1, 0});
        p.push_back({"ribs in a tube", rib_in_tube, 100 * (2 * pi * 59 + 4 * 59), 1e-4, 3, 0});
        p.push_back({"four tubes", four_tubes, 0, 0, 0, 3});
        p.push_back({"rounded rim", rounded_rim, pi * 80 * 80, 1e-6, 1, 4});
        p.push_back({"stepped plate", stepped, 350 * 100, 1e-6, 0, 0});
        p.push_back({"folded as splines", [] { return make::as_splines(folded()); }, 200 * (110 + 2 * 45 + 2 * bend), 1e-4, 5, 2});
        p.push_back({"elbow as splines", [] { return make::as_splines(elbow()); }, 2 * pi * 29 * 100 + 2 * pi * 29 * 90 * pi / 3, 1e-4, 2, 2});
        const auto any = [&](const std::string& name, Solid (*make_it)(), int sheets, double thick) { p.push_back({name, make_it, 0, 0, sheets, thick}); };
        p.push_back({"ring rib", ring_rib, 2 * pi * 58.5 * 200 + pi * (58.5 * 58.5 - 30 * 30), 1e-5, 2, 0});
        p.push_back({"ring tube", ring_tube, 4 * pi * pi * 14 * 100, 1e-5, 1, 2});
        any("K joint", k_joint, 3, 0);
        any("oblique branch", oblique_branch, 2, 0);
        any("closed branch", closed_branch, 2, 0);
        any("hat section", hat_section, 9, 0);
        any("half pipe", half_pipe, 3, 3);
        any("oblique tee", oblique_tee, 2, 0);
        any("ribs on a shell", ribs_on_shell, 3, 0);
        any("pierced bend", pierced_bend, 6, 2);
        any("relieved corner", relieved_corner, 3, 2);
        any("embossed", embossed, 1, 0);
        any("thick pad", thick_pad, 1, 0);
        any("chamfered step", chamfered_step, 0, 0);
        any("two skins", two_skins, 10, 2);
        add_stiffened_parts(p);
        for (CurvedPart& k : p) {
            if (k.name == "embossed") k.coverage = 0.99;        // the boss is solid
            if (k.name == "chamfered step") k.coverage = 0.96;  // a slope of eleven degrees is no wall
        }
        return p;
    }();
    return parts;
}

}  // namespace test
