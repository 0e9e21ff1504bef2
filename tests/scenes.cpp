#include "scenes.hpp"

#include "spoilt.hpp"

#include <fmt/format.h>

#include <functional>
#include <set>

namespace test {

using make::box;
using make::cut;
using make::cylinder;
using make::fuse;
using make::unify;

namespace {

make::Solid pipe(const Vec3& from, const Vec3& to, double diameter, double wall) {
    return make::moved(make::extrude(make::tube(diameter, wall), (to - from).norm()), make::place(from, to - from));
}

make::Solid rod(const Vec3& from, const Vec3& to, double diameter) {
    return cylinder(from, (to - from).normalized(), 0.5 * diameter, (to - from).norm());
}

// Profile in the plane across `along`, its x axis towards `x`.
make::Solid carried(const std::vector<Curve>& profile, const Vec3& from, const Vec3& to, const Vec3& x) {
    return make::moved(make::extrude({profile}, (to - from).norm()), make::place(from, to - from, x));
}

std::vector<Curve> channel(double height, double width, double wall) {
    return make::polygon({{0, 0}, {width, 0}, {width, wall}, {wall, wall}, {wall, height - wall}, {width, height - wall}, {width, height}, {0, height}});
}

Plan shells() {
    Plan plan;
    plan.halve.slender = SlenderAs::shells;
    return plan;
}

Scene portal_bolted() {
    return {"", portal(true), {}};
}

// Tubes 60.3 x 4 and 42.4 x 3.2 whose ends are cut to the round of what they stand on.
Scene coped_frame() {
    Items out;
    const double w = 800, h = 600, d = 500;
    const auto chord = [&](const std::string& name, const Vec3& a, const Vec3& b) { out.push_back({name, pipe(a, b, 60.3, 4)}); };
    const auto brace = [&](const std::string& name, const Vec3& a, const Vec3& b) {
        // The cutting rods follow the chords at both ends.
        const Vec3 x = Vec3::UnitX();
        make::Solid s = pipe(a, b, 42.4, 3.2);
        for (const Vec3& at : {a, b}) s = cut(s, {rod(at - 300 * x, at + 300 * x, 60.3)});
        out.push_back({name, s});
    };
    int n = 0;
    for (const double y : {0.0, d})
        for (const double z : {0.0, h}) chord(fmt::format("chord {}", ++n), {-100, y, z}, {w + 100, y, z});
    n = 0;
    for (const double x : {0.0, 0.5 * w, w}) {
        for (const double y : {0.0, d}) brace(fmt::format("post {}", ++n), {x, y, 0}, {x, y, h});
        for (const double z : {0.0, h}) brace(fmt::format("cross {}", ++n), {x, 0, z}, {x, d, z});
    }
    return {"", out, shells()};
}

Scene coped_tee_shells() {
    return {
        "",
        {{"chord", pipe({-300, 0, 0}, {300, 0, 0}, 88.9, 5)}, {"brace", cut(pipe({0, 0, 0}, {150, 0, 300}, 60.3, 4), {rod({-400, 0, 0}, {400, 0, 0}, 88.9)})}},
        shells()};
}

// A drum with two nozzles, upright and at 45 degrees, a pad round a manhole, on legs.
Scene vessel() {
    const double r = 400, t = 8, h = 1200;
    const make::Solid drum_bore = fuse({rod({0, 0, 500}, {600, 0, 500}, 114.3), rod({0, 0, 800}, {0, -600, 1400}, 88.9), rod({0, 0, 600}, {0, 600, 600}, 200)});
    const make::Solid wall = cut(pipe({0, 0, 0}, {0, 0, h}, 2 * r, t), {drum_bore});
    const make::Solid inside = rod({0, 0, -10}, {0, 0, h + 10}, 2 * r);
    Items out{{"drum", wall},
              {"bottom", cylinder({0, 0, -10}, Vec3::UnitZ(), r, 10)},
              {"nozzle", cut(pipe({0, 0, 500}, {600, 0, 500}, 114.3, 6), {rod({0, 0, 0}, {0, 0, h}, 2 * (r - t))})},
              {"oblique nozzle", cut(pipe({0, 0, 800}, {0, -560, 1360}, 88.9, 5), {rod({0, 0, 0}, {0, 0, 2 * h}, 2 * (r - t))})}};
    // The pad lies on the drum round the manhole, bore of both the same.
    const make::Solid pad = cut(cut(rod({0, 0, 600}, {0, 600, 600}, 320), {inside}), {rod({0, 0, 600}, {0, 700, 600}, 200)});
    const make::Solid shell_of_pad = cut(pad, {cut(box({-900, -900, -100}, {1800, 1800, 1600}), {rod({0, 0, -200}, {0, 0, 1600}, 2 * (r + 8))})});
    out.push_back({"pad", shell_of_pad});
    for (int k = 0; k < 3; ++k) {
        const double a = (90 + 120 * k) * pi / 180;
        const Vec3 at((r - 60) * std::cos(a), (r - 60) * std::sin(a), 0);
        out.push_back({fmt::format("leg {}", k + 1), pipe(at - Vec3(0, 0, 510), at - Vec3(0, 0, 10), 76.1, 5)});
    }
    return {"", out, {}};
}

Scene oblique_nozzle() {
    const double r = 400, t = 8, h = 900;
    const make::Solid bore = rod({0, 0, 400}, {600, 0, 1000}, 114.3);
    return {"",
            {{"drum", cut(pipe({0, 0, 0}, {0, 0, h}, 2 * r, t), {bore})},
             {"nozzle", cut(pipe({0, 0, 400}, {520, 0, 920}, 114.3, 6), {rod({0, 0, -10}, {0, 0, 2 * h}, 2 * (r - t))})}},
            {}};
}

Scene corrugated_core() {
    // A folded sheet of 1.5 mm between two faces of 2 mm: flats of 30, webs at 60 degrees, 40 high.
    const double t = 1.5, flat = 30, high = 40, run = high / std::tan(60 * pi / 180), pitch = 2 * (flat + run);
    const int waves = 5;
    std::vector<Vec2> mid;
    for (int k = 0; k < waves; ++k) {
        const double x = k * pitch;
        mid.insert(mid.end(), {{x, 0}, {x + flat, 0}, {x + flat + run, high}, {x + 2 * flat + run, high}});
    }
    mid.push_back({waves * pitch, 0}), mid.push_back({waves * pitch + flat, 0});
    // Both skins of the fold: the middle moved along the mitred normals.
    std::vector<Vec2> upper, lower;
    for (std::size_t i = 0; i < mid.size(); ++i) {
        const auto normal = [&](std::size_t a) {
            const Vec2 d = (mid[a + 1] - mid[a]).normalized();
            return Vec2(-d.y(), d.x());
        };
        const Vec2 p = i > 0 ? normal(i - 1) : normal(0), q = i + 1 < mid.size() ? normal(i) : normal(i - 1);
        const Vec2 m = (p + q) / (1 + p.dot(q));
        upper.push_back(mid[i] + 0.5 * t * m), lower.push_back(mid[i] - 0.5 * t * m);
    }
    std::vector<Vec2> outline = lower;
    outline.insert(outline.end(), upper.rbegin(), upper.rend());
    const double length = mid.back().x();
    return {"",
            {{"core", make::moved(make::extrude({make::polygon(outline)}, 300), make::place({0, 300, 0}, -Vec3::UnitY(), Vec3::UnitX()))},
             {"lower face", box({0, 0, -0.5 * t - 2}, {length, 300, 2})},
             {"upper face", box({0, 0, high + 0.5 * t}, {length, 300, 2})}},
            {}};
}

Scene hats() {
    return {"", hats_on_plate(), {}};
}

// Z and L stiffeners with folded feet (sharp and round bends) on a sheet.
Scene folded_feet() {
    Items out{{"sheet", box({0, 0, 0}, {700, 500, 3})}};
    const std::vector<Vec2> z{{0, 0}, {42, 0}, {42, 60}, {80, 60}, {80, 62}, {40, 62}, {40, 2}, {0, 2}};
    out.push_back({"sharp z", carried(make::polygon(z), {50, 60, 3}, {650, 60, 3}, Vec3::UnitY())});
    out.push_back({"round z", carried(make::rounded(z, {0, 5, 3, 0, 0, 5, 3, 0}), {50, 200, 3}, {650, 200, 3}, Vec3::UnitY())});
    const std::vector<Vec2> l{{0, 0}, {50, 0}, {50, 2}, {2, 2}, {2, 50}, {0, 50}};
    out.push_back({"round l", carried(make::rounded(l, {5, 0, 0, 3, 0, 0}), {50, 350, 3}, {650, 350, 3}, Vec3::UnitY())});
    return {"", out, shells()};
}

// A curved plate with ribs along and across it.
Scene curved_ribs() {
    const double r = 1500, t = 6;
    const auto sector = [&](double inner, double outer, double from, double to) {
        const make::Solid ring = make::moved(make::extrude({make::circle(outer), make::reversed(make::circle(inner))}, to - from),
                                             make::place({0, from, 0}, Vec3::UnitY(), Vec3::UnitX()));
        return cut(ring, {box({-2000, -10, -2000}, {4000, 2000, 2000 + 1250}), box({-2000, -10, -2000}, {1500, 2000, 4000}),
                          box({500, -10, -2000}, {1500, 2000, 4000})});
    };
    Items out{{"skin", sector(r, r + t, 0, 800)}};
    int n = 0;
    for (const double y : {200.0, 600.0}) out.push_back({fmt::format("ring {}", ++n), sector(r - 90, r, y - 4, y + 4)});
    n = 0;
    for (const double x : {-200.0, 200.0})
        for (int k = 0; k < 3; ++k) {
            const double from = k == 0 ? 0 : k == 1 ? 204 : 604, to = k == 0 ? 196 : k == 1 ? 596 : 800;
            const make::Solid rib =
                cut(box({x - 3, from, 1400}, {6, to - from, 200}),
                    {cut(box({-2000, -10, 0}, {4000, 900, 3000}),
                         {make::moved(cylinder({0, 0, -20}, Vec3::UnitZ(), r, 1000), make::place({0, 0, 0}, Vec3::UnitY(), Vec3::UnitX()))})});
            out.push_back({fmt::format("rib {}", ++n), rib});
        }
    return {"", out, {}};
}

Scene bolted_lap() {
    // Two plates lapped over 80 mm and held by three bolts with head and nut; clear holes.
    std::vector<make::Solid> holes;
    Items bolts;
    for (int k = 0; k < 3; ++k) {
        const Vec3 at(260, 50 + 50.0 * k, 0);
        holes.push_back(cylinder(at - Vec3(0, 0, 5), Vec3::UnitZ(), 6.5, 40));
        bolts.push_back(
            {fmt::format("bolt {}", k + 1), unify(fuse({cylinder(at - Vec3(0, 0, 12), Vec3::UnitZ(), 6, 40), cylinder(at - Vec3(0, 0, 8), Vec3::UnitZ(), 9, 8),
                                                        cylinder(at + Vec3(0, 0, 16), Vec3::UnitZ(), 9, 10)}))});
    }
    Items out{{"lower", cut(box({0, 0, 0}, {300, 200, 8}), holes)}, {"upper", cut(box({220, 0, 8}, {300, 200, 8}), holes)}};
    out.insert(out.end(), bolts.begin(), bolts.end());
    return {"", out, {}};
}

Scene bolted_cleats() {
    // A beam joined to a column's flange by two bolted angles.
    const auto column = carried(rolled(200, 200, 8, 12), {0, 0, 0}, {0, 0, 1500}, Vec3::UnitY());
    std::vector<make::Solid> web_holes, leg_holes;
    for (const double z : {720.0, 780.0}) {
        web_holes.push_back(cylinder({145, -30, z}, Vec3::UnitY(), 9, 60));
        for (const double y : {-45.0, 45.0}) leg_holes.push_back(cylinder({80, y, z}, Vec3::UnitX(), 9, 60));
    }
    Items out{{"column", cut(column, leg_holes)}, {"beam", cut(carried(rolled(240, 120, 6.2, 9.8), {110, 0, 750}, {1600, 0, 750}, Vec3::UnitY()), web_holes)}};
    for (const double s : {-1.0, 1.0}) {
        make::Solid cleat = fuse({box({100, s > 0 ? 3.1 : -83.1, 670}, {10, 80, 160}), box({100, s > 0 ? 3.1 : -13.1, 670}, {80, 10, 160})});
        out.push_back({s > 0 ? "cleat right" : "cleat left", cut(unify(cleat), {fuse(web_holes), fuse(leg_holes)})});
    }
    int n = 0;
    for (const double z : {720.0, 780.0}) {
        out.push_back(
            {fmt::format("bolt {}", ++n), unify(fuse({cylinder({145, -23.1, z}, Vec3::UnitY(), 8, 46.2), cylinder({145, -23.1, z}, Vec3::UnitY(), 13, 10),
                                                      cylinder({145, 13.1, z}, Vec3::UnitY(), 13, 10)}))});
        for (const double y : {-45.0, 45.0})
            out.push_back({fmt::format("bolt {}", ++n), unify(fuse({cylinder({78, y, z}, Vec3::UnitX(), 8, 44), cylinder({78, y, z}, Vec3::UnitX(), 13, 10),
                                                                    cylinder({110, y, z}, Vec3::UnitX(), 13, 10)}))});
    }
    return {"", out, {}};
}

Scene grillage() {
    Items out{{"deck", box({0, 0, 200}, {2400, 1800, 8})}};
    int n = 0;
    for (const double y : {300.0, 900.0, 1500.0})
        out.push_back({fmt::format("girder {}", ++n), carried(rolled(200, 100, 5.6, 8.5), {0, y, 100}, {2400, y, 100}, Vec3::UnitY())});
    n = 0;
    // Cross beams between the webs, coped at the flanges.
    for (const double x : {600.0, 1200.0, 1800.0})
        for (const double y : {300.0, 900.0}) {
            const make::Solid beam = carried(rolled(140, 73, 4.7, 6.9), {x, y + 2.8, 130}, {x, y + 597.2, 130}, Vec3::UnitX());
            out.push_back({fmt::format("cross beam {}", ++n), cut(beam, {box({x - 60, y, 180}, {120, 55, 60}), box({x - 60, y + 545, 180}, {120, 55, 60})})});
        }
    return {"", out, {}};
}

Scene ship_panel() {
    // Plating, longitudinals (flat bars) through slots of a web frame, brackets.
    Items out{{"plating", box({0, 0, 0}, {1600, 1200, 10})}};
    int n = 0;
    std::vector<make::Solid> slots;
    for (const double y : {200.0, 500.0, 800.0, 1100.0}) {
        out.push_back({fmt::format("longitudinal {}", ++n), box({0, y - 5, 10}, {1600, 10, 150})});
        slots.push_back(box({700, y - 5, 0}, {200, 10, 160}));
    }
    const make::Solid web = cut(box({794, 0, 10}, {12, 1200, 350}), slots);
    out.push_back({"web frame", cut(web, {cylinder({700, 350, 240}, Vec3::UnitX(), 60, 200), cylinder({700, 650, 240}, Vec3::UnitX(), 60, 200)})});
    out.push_back({"face plate", box({725, 0, 360}, {150, 1200, 12})});
    n = 0;
    for (const double y : {200.0, 800.0})
        out.push_back({fmt::format("bracket {}", ++n), make::moved(make::extrude({make::polygon({{0, 0}, {180, 0}, {0, 200}})}, 8),
                                                                   make::place({806, y + 4, 160}, -Vec3::UnitY(), Vec3::UnitX()))});
    return {"", out, {}};
}

Scene stairs() {
    Items out;
    const Vec3 d = Vec3(1, 0, 0.75).normalized();
    for (const double y : {-8.0, 800.0})
        out.push_back({y < 0 ? "left stringer" : "right stringer",
                       make::moved(box({0, 0, -110}, {2500, 8, 220}), make::place({0, y + (y < 0 ? 0 : 0), 0}, d.cross(Vec3::UnitY()), d))});
    for (int k = 0; k < 7; ++k) {
        const Vec3 at(250 + 250.0 * k, 0, 187.5 + 187.5 * k);
        // A tray of 4 mm between the stringers: bent down at both sides.
        out.push_back({fmt::format("tread {}", k + 1),
                       carried(make::rounded({{0, 0}, {4, 0}, {4, 36}, {236, 36}, {236, 0}, {240, 0}, {240, 40}, {0, 40}}, {0, 0, 3, 3, 0, 0, 7, 7}),
                               at + Vec3(-120, 800, -40), at + Vec3(-120, 0, -40), Vec3::UnitX())});
    }
    return {"", out, {}};
}

Scene ladder() {
    Items out;
    for (const double x : {0.0, 400.0}) out.push_back({x == 0 ? "left rail" : "right rail", box({x - 5, -30, 0}, {10, 60, 3000})});
    for (int k = 0; k < 9; ++k) out.push_back({fmt::format("rung {}", k + 1), pipe({5, 0, 300 + 300.0 * k}, {395, 0, 300 + 300.0 * k}, 26.9, 2.6)});
    return {"", out, {}};
}

Scene hopper() {
    // Four sloping plates, a stiffening angle all round, an outlet flange.
    const make::Solid shell = cut(make::taper({{-100, -100}, {100, -100}, {100, 100}, {-100, 100}}, {{-500, -400}, {500, -400}, {500, 400}, {-500, 400}}, 700),
                                  {make::taper({{-95, -95}, {95, -95}, {95, 95}, {-95, 95}}, {{-494, -394}, {494, -394}, {494, 394}, {-494, 394}}, 700)});
    Items out{{"shell", shell}, {"outlet flange", cut(box({-150, -150, -8}, {300, 300, 8}), {box({-95, -95, -20}, {190, 190, 40})})}};
    out.push_back({"top frame", cut(box({-550, -450, 700}, {1100, 900, 8}), {box({-494, -394, 690}, {988, 788, 40})})});
    return {"", out, {}};
}

Scene tank() {
    // A rectangular tank of 5 mm with outside stiffeners and a lid that stands off by its welds.
    const make::Solid body = cut(box({0, 0, 0}, {1200, 800, 700}), {box({5, 5, 5}, {1190, 790, 800})});
    Items out{{"tank", body}, {"lid", box({-20, -20, 700.5}, {1240, 840, 6})}};
    int n = 0;
    for (const double x : {300.0, 600.0, 900.0})
        for (const double y : {-60.0, 800.0}) out.push_back({fmt::format("stiffener {}", ++n), box({x - 4, y, 50}, {8, 60, 600})});
    return {"", out, {}};
}

Scene box_girder() {
    // A crane's box girder: flanges, webs, diaphragms with manholes, a rail on top of one web.
    Items out{{"bottom flange", box({0, -200, 0}, {3000, 400, 10})},
              {"top flange", box({0, -200, 610}, {3000, 400, 10})},
              {"left web", box({0, -156, 10}, {3000, 6, 600})},
              {"right web", box({0, 150, 10}, {3000, 6, 600})}};
    int n = 0;
    for (const double x : {0.0, 750.0, 1500.0, 2250.0, 2994.0})
        out.push_back({fmt::format("diaphragm {}", ++n), cut(box({x, -150, 10}, {6, 300, 600}), {cylinder({x - 5, 0, 310}, Vec3::UnitX(), 90, 20)})});
    out.push_back({"rail", box({0, 128, 620}, {3000, 50, 40})});
    return {"", out, {}};
}

Scene rack() {
    Items out;
    int n = 0;
    for (const double x : {0.0, 900.0})
        for (const double y : {0.0, 400.0})
            out.push_back(
                {fmt::format("upright {}", ++n), carried(channel(50, 40, 2), {x, y, 0}, {x, y, 1800}, y == 0 ? Vec3(Vec3::UnitX()) : Vec3(Vec3::UnitX()))});
    n = 0;
    // Shelves bear on the uprights' outer flanges with a lip.
    for (const double z : {200.0, 700.0, 1200.0, 1700.0})
        out.push_back({fmt::format("shelf {}", ++n), cut(box({40.2, 2.2, z}, {859.6, 445.6, 30}), {box({41.4, 3.4, z - 1}, {857.2, 443.2, 29.8})})});
    return {"", out, {}};
}

Scene trailer() {
    Items out{{"left longeron", carried(channel(160, 60, 6), {0, 0, -160}, {3200, 0, -160}, Vec3::UnitY())},
              {"right longeron", carried(channel(160, 60, 6), {0, 900, 0}, {3200, 900, 0}, -Vec3::UnitY())}};
    int n = 0;
    // The channels open inwards; cross members stand between the webs, under the upper flanges.
    for (const double x : {100.0, 900.0, 1700.0, 2500.0, 3100.0})
        out.push_back(bar(fmt::format("cross member {}", ++n), {x, 6, -80}, {x, 894, -80}, 60, 80, 4, Vec3::UnitZ()));
    out.push_back({"floor", box({0, 0, 0}, {3200, 900, 4})});
    out.push_back(bar("drawbar", {3130, 450, -80}, {4400, 450, -80}, 80, 80, 5, Vec3::UnitZ()));
    return {"", out, {}};
}

Scene cabin() {
    Items out;
    const double x = 1400, y = 1100, h = 1500;
    int n = 0;
    for (const double px : {0.0, x})
        for (const double py : {0.0, y}) out.push_back(bar(fmt::format("post {}", ++n), {px, py, 0}, {px, py, h}, 50, 50, 3, Vec3::UnitY()));
    n = 0;
    for (const double z : {25.0, h - 25}) {
        for (const double py : {0.0, y}) out.push_back(bar(fmt::format("rail {}", ++n), {25, py, z}, {x - 25, py, z}, 50, 50, 3, Vec3::UnitZ()));
        for (const double px : {0.0, x}) out.push_back(bar(fmt::format("rail {}", ++n), {px, 25, z}, {px, y - 25, z}, 50, 50, 3, Vec3::UnitZ()));
    }
    out.push_back({"roof", box({-25, -25, h}, {x + 50, y + 50, 3})});
    out.push_back({"side", cut(box({-25, y + 25, 0}, {x + 50, 2, h}), {box({300, y, 600}, {800, 50, 600})})});
    out.push_back({"floor", box({-25, -25, -4}, {x + 50, y + 50, 4})});
    return {"", out, {}};
}

Scene heat_sink() {
    std::vector<make::Solid> parts{box({0, 0, 0}, {200, 120, 6})};
    for (int k = 0; k < 20; ++k) parts.push_back(box({5 + 9.8 * k, 0, 6}, {2, 120, 30}));
    return {"", {{"sink", unify(fuse(parts))}, {"plate", box({-20, -20, -3}, {240, 160, 3})}}, {}};
}

Scene duct() {
    // A rectangular duct of 1.5 mm with a flange of folded sheet round either end.
    Items out{{"duct", cut(box({0, 0, 0}, {400, 300, 900}), {box({1.5, 1.5, -10}, {397, 297, 920})})}};
    for (const double z : {0.0, 870.0}) {
        const make::Solid inside = box({0, 0, z - 1}, {400, 300, 40});
        const make::Solid collar = cut(box({-1.5, -1.5, z}, {403, 303, 30}), {inside}),
                          flange = cut(box({-31.5, -31.5, z == 0 ? z : z + 28.5}, {463, 363, 1.5}), {inside});
        out.push_back({z == 0 ? "lower flange" : "upper flange", unify(fuse({collar, flange}))});
    }
    return {"", out, {}};
}

Scene gussets() {
    // A cover whose ribs are stiffened by small triangular gussets.
    std::vector<make::Solid> parts{box({0, 0, 0}, {300, 200, 3}), box({0, 0, 3}, {300, 3, 40}), box({0, 197, 3}, {300, 3, 40})};
    for (int k = 0; k < 6; ++k)
        for (const double y : {3.0, 197.0})
            parts.push_back(make::moved(make::extrude({make::polygon({{0, 0}, {18, 0}, {0, 18}})}, 2.5),
                                        make::place({20 + 48.0 * k, y, 3}, y < 100 ? Vec3(Vec3::UnitX()) : Vec3(-Vec3::UnitX()),
                                                    y < 100 ? Vec3(Vec3::UnitY()) : Vec3(-Vec3::UnitY()))));
    return {"", {{"cover", unify(fuse(parts))}, {"seat", box({-20, -20, -6}, {340, 240, 6})}}, {}};
}

Scene wheel() {
    const auto ring = [](double d, double wall, double z, double h) { return make::moved(make::extrude(make::tube(d, wall), h), make::place({0, 0, z})); };
    Items out{{"rim", ring(600, 8, -60, 120)},
              {"disc", cut(cylinder({0, 0, -5}, Vec3::UnitZ(), 292, 10), {cylinder({0, 0, -10}, Vec3::UnitZ(), 60, 20)})},
              {"hub", ring(120, 35, -50, 100)}};
    return {"", out, {}};
}

std::vector<Curve> raised(std::vector<Curve> loop, double z, double turn = 0) {
    for (Curve& c : loop) c = c.moved(Eigen::Isometry3d(Eigen::Translation3d(0, 0, z) * Eigen::AngleAxisd(turn, Vec3::UnitZ())));
    return loop;
}

// Round by four arcs that start at the diagonals, as a square's corners do.
std::vector<Curve> round_of_four(double radius) {
    std::vector<Curve> out;
    for (int k = 0; k < 4; ++k) {
        Curve c;
        c.shape = CircleCurve{Frame(), radius}, c.t0 = -0.75 * pi + 0.5 * pi * k, c.t1 = c.t0 + 0.5 * pi;
        out.push_back(c);
    }
    return out;
}

// From a square flange to a round one, 3 mm, lofted.
Scene transition() {
    const auto skin = [](double off) {
        const double a = 150 - off;
        return make::loft({make::polygon({{-a, -a}, {a, -a}, {a, a}, {-a, a}}), raised(round_of_four(110 - off), 400)}, true);
    };
    Items out{{"transition", cut(skin(0), {skin(3)})},
              {"square flange", cut(box({-190, -190, -6}, {380, 380, 6}), {box({-147, -147, -20}, {294, 294, 40})})},
              {"round flange", cut(cylinder({0, 0, 400}, Vec3::UnitZ(), 150, 6), {cylinder({0, 0, 390}, Vec3::UnitZ(), 107, 40)})}};
    return {"", out, {}};
}

// Blades twisted by 40 degrees from a hub to a shroud.
Scene blades() {
    std::vector<make::Solid> parts;
    Items out{{"hub", pipe({0, 0, -60}, {0, 0, 60}, 200, 8)}, {"shroud", pipe({0, 0, -60}, {0, 0, 60}, 612, 6)}};
    for (int k = 0; k < 5; ++k) {
        std::vector<std::vector<Curve>> loops;
        for (int i = 0; i <= 4; ++i) {
            const double r = 90 + (310 - 90) * i / 4.0, turn = (20 + 10 * i) * pi / 180;
            const Eigen::Isometry3d at =
                Eigen::Isometry3d(Eigen::AngleAxisd(2 * pi * k / 5, Vec3::UnitZ()) * Eigen::Translation3d(r, 0, 0) * Eigen::AngleAxisd(turn, Vec3::UnitX()));
            // In the plane across the radius: 90 long, 5 thick.
            const auto p = [&](double y, double z) { return Vec3(at * Vec3(0, y, z)); };
            const std::vector<Vec3> q{p(-45, -2.5), p(45, -2.5), p(45, 2.5), p(-45, 2.5)};
            std::vector<Curve> loop;
            for (std::size_t c = 0; c < 4; ++c) loop.push_back(Curve::segment(q[c], q[(c + 1) % 4]));
            loops.push_back(loop);
        }
        const make::Solid blade = make::loft(loops, false);
        out.push_back({fmt::format("blade {}", k + 1), cut(cut(blade, {rod({0, 0, -200}, {0, 0, 200}, 200)}),
                                                           {cut(box({-500, -500, -300}, {1000, 1000, 600}), {rod({0, 0, -400}, {0, 0, 400}, 600)})})});
    }
    return {"", out, {}};
}

Scene slotted_stack() {
    return {"", hood_with_rails(), {}};
}

Scene frame_welded() {
    Plan plan;
    plan.join.reach = 3;
    return {"", welded_frame(), plan};
}

const std::vector<std::pair<std::string, Scene (*)()>>& scenes() {
    static const std::vector<std::pair<std::string, Scene (*)()>> list = {{"portal", portal_bolted},
                                                                          {"bolted cleats", bolted_cleats},
                                                                          {"bolted lap", bolted_lap},
                                                                          {"coped frame", coped_frame},
                                                                          {"coped tee", coped_tee_shells},
                                                                          {"vessel", vessel},
                                                                          {"oblique nozzle", oblique_nozzle},
                                                                          {"corrugated core", corrugated_core},
                                                                          {"hats", hats},
                                                                          {"folded feet", folded_feet},
                                                                          {"curved ribs", curved_ribs},
                                                                          {"grillage", grillage},
                                                                          {"ship panel", ship_panel},
                                                                          {"stairs", stairs},
                                                                          {"ladder", ladder},
                                                                          {"hopper", hopper},
                                                                          {"tank", tank},
                                                                          {"box girder", box_girder},
                                                                          {"rack", rack},
                                                                          {"trailer", trailer},
                                                                          {"cabin", cabin},
                                                                          {"heat sink", heat_sink},
                                                                          {"duct", duct},
                                                                          {"gussets", gussets},
                                                                          {"wheel", wheel},
                                                                          {"transition", transition},
                                                                          {"blades", blades},
                                                                          {"hood", slotted_stack},
                                                                          {"welded frame", frame_welded}};
    return list;
}

}  // namespace

const std::vector<std::string>& scene_names() {
    static const std::vector<std::string> names = [] {
        std::vector<std::string> out;
        for (const auto& s : scenes()) out.push_back(s.first);
        return out;
    }();
    return names;
}

Scene scene(const std::string& name) {
    for (const auto& [known, made] : scenes())
        if (known == name) {
            Scene s = made();
            s.name = name;
            return s;
        }
    throw std::invalid_argument("no scene " + name);
}

Job job_of(const Scene& scene, int way) {
    Items items = scene.items;
    if (way == 1) items = moved(items);
    if (way == 3) items = moved(items, Eigen::Isometry3d(Eigen::AngleAxisd(pi / 2, Vec3::UnitX())));
    if (way == 4) std::reverse(items.begin(), items.end());
    return job_of(items, scene.plan, way == 2 ? "INCH" : way == 3 ? "M" : "MM");
}

namespace {

// For each rigid element: how much longer it is than the way from its one end to the nearest node of the other end's body, less half an
// element there.
double stray_of(const Job& job) {
    const Mesh& mesh = job.mesh;
    std::map<BodyId, std::vector<int>> nodes;
    std::map<BodyId, double> size;
    std::vector<std::set<BodyId>> bodies(mesh.nodes.size());
    std::vector<bool> lines(mesh.nodes.size());
    for (const Element& e : mesh.elements) {
        if (e.kind == ElementKind::rigid || !e.body) continue;
        for (int k = 0; k < e.count; ++k) {
            bodies[static_cast<std::size_t>(e.nodes[static_cast<std::size_t>(k)])].insert(e.body);
            if (e.kind == ElementKind::beam) lines[static_cast<std::size_t>(e.nodes[static_cast<std::size_t>(k)])] = true;
            const Vec3 a = mesh.nodes[static_cast<std::size_t>(e.nodes[static_cast<std::size_t>(k)])],
                       b = mesh.nodes[static_cast<std::size_t>(e.nodes[static_cast<std::size_t>((k + 1) % e.count)])];
            size[e.body] = std::max(size[e.body], (a - b).norm());
        }
    }
    for (std::size_t n = 0; n < bodies.size(); ++n)
        for (const BodyId b : bodies[n]) nodes[b].push_back(static_cast<int>(n));
    double worst = 0;
    for (const Element& e : mesh.elements) {
        if (e.kind != ElementKind::rigid) continue;
        const Vec3 a = mesh.nodes[static_cast<std::size_t>(e.nodes[0])], b = mesh.nodes[static_cast<std::size_t>(e.nodes[1])];
        double least = std::numeric_limits<double>::infinity();
        for (const auto& [from, own, to] : {std::tuple{a, e.nodes[0], e.nodes[1]}, {b, e.nodes[1], e.nodes[0]}})
            for (BodyId body : bodies[static_cast<std::size_t>(to)]) {
                // A footprint goes from one end of a line to many nodes of a sheet: there the sheet's nodes ask.
                if (bodies[static_cast<std::size_t>(own)].empty() || bodies[static_cast<std::size_t>(own)].contains(body) ||
                    (lines[static_cast<std::size_t>(own)] && !lines[static_cast<std::size_t>(to)]))
                    continue;
                double nearest = std::numeric_limits<double>::infinity();
                for (int n : nodes[body]) nearest = std::min(nearest, (mesh.nodes[static_cast<std::size_t>(n)] - from).norm());
                least = std::min(least, (a - b).norm() - nearest - 0.5 * size[body]);
            }
        if (std::isfinite(least)) worst = std::max(worst, least);
    }
    return worst;
}

double lost_of(const Job& job) {
    std::vector<double> area(job.model.sheets.size(), 0);
    for (const Element& e : job.mesh.elements) {
        if (e.kind != ElementKind::shell) continue;
        const auto at = [&](int k) { return job.mesh.nodes[static_cast<std::size_t>(e.nodes[static_cast<std::size_t>(k)])]; };
        // On the surface: chords of round walls are a little short of it.
        const Chart& chart = job.model.sheets[e.sheet.index()].chart;
        constexpr int n = 4;
        for (int k = 1; k + 1 < e.count; ++k)
            for (int i = 0; i < n; ++i)
                for (int j = 0; i + j < n; ++j) {
                    const Vec3 u = (at(k) - at(0)) / n, v = (at(k + 1) - at(0)) / n, p = chart.foot(at(0) + i * u + j * v),
                               q = chart.foot(at(0) + (i + 1) * u + j * v), r = chart.foot(at(0) + i * u + (j + 1) * v),
                               s = chart.foot(at(0) + (i + 1) * u + (j + 1) * v);
                    area[e.sheet.index()] += 0.5 * ((q - p).cross(r - p).norm() + (i + j < n - 1 ? (q - s).cross(r - s).norm() : 0));
                }
    }
    double worst = 0;
    for (std::size_t s = 0; s < area.size(); ++s)
        if (const double own = job.model.sheets[s].area(); own > 0) worst = std::max(worst, 1 - area[s] / own);
    return worst;
}

}  // namespace

SceneFigures figures_of(const Job& job) {
    SceneFigures f;
    f.bodies = job.solids.bodies.size(), f.sheets = job.model.sheets.size(), f.members = job.model.members.size();
    f.joints = static_cast<std::size_t>(std::ranges::count_if(job.model.joints, [](const JointRecord& j) { return j.state == EntryState::applied; }));
    f.nodes = job.mesh.nodes.size(), f.elements = job.mesh.elements.size(), f.parts = job.mesh.parts;
    f.links = static_cast<std::size_t>(std::ranges::count_if(job.mesh.elements, [](const Element& e) { return e.kind == ElementKind::rigid; }));
    for (std::size_t b = 0; b < job.proof.bodies.size(); ++b) {
        const double error = job.proof.bodies[b].mesh_error;
        if (std::abs(error) > std::abs(f.worst_mesh)) f.worst_mesh = error, f.worst_body = job.solids.bodies[b].label;
    }
    f.stray_link = stray_of(job), f.lost_area = lost_of(job);
    for (const Element& e : job.mesh.elements) {
        if (e.kind != ElementKind::shell) continue;
        const double j = measures(job.mesh, e).scaled_jacobian;
        f.least_jacobian = std::min(f.least_jacobian, j), f.poor += j < 0.3;
    }
    f.findings = findings_of(job).size();
    for (const auto& [stage, seconds] : job.timing)
        if (stage != "read") f.seconds += seconds;
    f.within = job.proof.within_bounds;
    return f;
}

}  // namespace test
