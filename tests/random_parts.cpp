#include "random_parts.hpp"

#include "spoilt.hpp"
#include "support.hpp"

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <random>
#include <stdexcept>

namespace test {
namespace {

using make::Curve;
using make::Solid;
using make::Vec2;
using make::Vec3;

constexpr double pi = 3.14159265358979323846;

// Draws by the C++ standard's engine and arithmetic of our own, so that a number means the same part everywhere.
class Draw {
public:
    explicit Draw(unsigned seed) : engine_(seed) {}

    double from(double a, double b) { return a + (b - a) * (static_cast<double>(engine_()) / 4294967296.0); }
    // A multiple of `step`, as on drawings.
    double from(double a, double b, double step) { return std::round(from(a, b) / step) * step; }
    int number(int a, int b) { return a + static_cast<int>(from(0, 1) * (b - a + 1)); }
    bool chance(double share) { return from(0, 1) < share; }
    Vec3 direction() {
        const double z = from(-1, 1), a = from(0, 2 * pi), r = std::sqrt(1 - z * z);
        return {r * std::cos(a), r * std::sin(a), z};
    }

private:
    std::mt19937 engine_;
};

std::vector<Vec2> rectangle(double x0, double y0, double x1, double y1) {
    return {{x0, y0}, {x1, y0}, {x1, y1}, {x0, y1}};
}

// Length, width and height, growing by `draft` (tangent) on all sides upward.
Solid drafted_block(const Vec3& at, const Vec3& size, double draft) {
    const double d = draft * size.z();
    return make::moved(make::taper(rectangle(0, 0, size.x(), size.y()), rectangle(-d, -d, size.x() + d, size.y() + d), size.z()), make::place(at));
}

// What is in both.
Solid common(const Solid& a, const Solid& b) {
    return make::cut(a, {make::cut(make::box({-2000, -2000, -2000}, {4000, 4000, 4000}), {b})});
}

// A moulded tray: drafted sides, rounds, ribs with drafted sides and fillets at their roots, bosses, holes.
Solid drafted_tray(Draw& d) {
    const double t = d.from(1.5, 3, 0.25), length = d.from(80, 200, 10), width = d.from(60, 150, 10), height = d.from(20, 50, 5);
    const double draft = std::tan(d.from(0.5, 3, 0.5) * pi / 180);
    const double corner = d.from(2, 8, 0.5), floor = d.chance(0.3) ? 0 : d.from(0.5, std::min(corner, 4.0), 0.5);
    const auto hollow = [&](Solid s, double low, double round, double lower) {
        s = make::rounded_edges(s, round, [&](const Vec3& m) { return m.z() > low + 0.3 * height && m.z() < low + 0.7 * height; });
        return lower > 0 ? make::rounded_edges(s, lower, [&](const Vec3& m) { return m.z() < low + 0.1; }) : s;
    };
    const Solid outer = hollow(drafted_block({0, 0, 0}, {length, width, height}, draft), 0, corner + t, floor > 0 ? floor + t : 0);
    const double in = t * (std::sqrt(1 + draft * draft) - draft);  // of the floor's inner side
    const Solid inner = hollow(drafted_block({in, in, t}, {length - 2 * in, width - 2 * in, height}, draft), t, corner, floor);
    std::vector<Solid> inside;
    for (int k = d.number(0, 3); k > 0; --k) {
        const double foot = d.from(0.5 * t, 0.75 * t, 0.05), high = d.from(0.3, 0.9) * height, lean = std::min(draft, 0.4 * foot / high);
        const bool across = d.chance(0.5);
        const double at = d.from(0.2, 0.8) * (across ? length : width), over = (across ? width : length) + 100;
        const auto profile = make::polygon({{-0.5 * foot, 0}, {0.5 * foot, 0}, {0.5 * foot - lean * high, high}, {-0.5 * foot + lean * high, high}});
        const Vec3 along = across ? Vec3::UnitY() : Vec3::UnitX(), side = across ? Vec3(-Vec3::UnitX()) : Vec3::UnitY();
        const Vec3 start = across ? Vec3(at, -50, 0.5 * t) : Vec3(-50, at, 0.5 * t);
        inside.push_back(make::moved(make::extrude({profile}, over), make::place(start, along, side)));
    }
    std::vector<Solid> bores;
    for (int k = d.number(0, 2); k > 0; --k) {
        const double r = d.from(3, 5, 0.5);
        const Vec3 at(d.from(0.15, 0.85) * length, d.from(0.2, 0.8) * width, 0.5 * t);
        inside.push_back(make::cylinder(at, Vec3::UnitZ(), r, d.from(0.4, 0.8) * height));
        bores.push_back(make::cylinder({at.x(), at.y(), t + d.from(0, 0.5)}, Vec3::UnitZ(), r - d.from(1, 1.5, 0.25), height));
    }
    Solid out = make::cut(outer, {inner});
    if (!inside.empty()) out = make::fuse({out, common(inside.size() > 1 ? make::fuse(inside) : inside[0], outer)});
    if (!bores.empty()) out = make::cut(out, bores);
    std::vector<Solid> holes;
    for (int k = d.number(0, 3); k > 0; --k)
        holes.push_back(make::cylinder({d.from(0.1, 0.9) * length, d.from(0.1, 0.9) * width, -1}, Vec3::UnitZ(), d.from(1, 4, 0.5), t + 2));
    if (!holes.empty()) out = make::cut(out, holes);
    return make::unify(out);
}

// A flange of sheet along the side of a plate, seen along that side: a bend, a leg, perhaps another bend and a leg back in.
std::vector<Curve> flange_profile(Draw& d, double t, double inner, double leg) {
    const double r = inner + t;
    std::vector<Vec2> corners{{0, 0}, {r, 0}, {r, leg}};
    std::vector<double> radius{0, r, 0};
    if (d.chance(0.4)) {
        const double back = d.from(10, 20, 1), top = leg;
        const double way = d.chance(0.5) ? 1 : -1;  // outward or inward
        corners = way > 0 ? std::vector<Vec2>{{0, 0}, {r, 0}, {r, top - t}, {r + back, top - t}, {r + back, top}, {r - t, top}, {r - t, t}, {0, t}}
                          : std::vector<Vec2>{{0, 0}, {r, 0}, {r, top}, {r - t - back, top}, {r - t - back, top - t}, {r - t, top - t}, {r - t, t}, {0, t}};
        radius = way > 0 ? std::vector<double>{0, r, inner, 0, 0, r, inner, 0} : std::vector<double>{0, r, r, 0, 0, inner, inner, 0};
        return make::rounded(corners, radius);
    }
    return make::rounded({{0, 0}, {r, 0}, {r, leg}, {r - t, leg}, {r - t, t}, {0, t}}, {0, r, 0, 0, inner, 0});
}

// Sheet metal: a plate with flanges on some of its sides, with or without room at the corners, holes and slots.
Solid flanged_plate(Draw& d) {
    const double t = d.from(0.8, 3, 0.2), length = d.from(60, 200, 10), width = d.from(50, 150, 10), inner = d.from(0.5 * t, 2.5 * t, 0.1);
    std::vector<Solid> parts{make::box({0, 0, 0}, {length, width, t})};
    const double leg = d.from(15, 40, 1) + inner + t;
    for (int side = 0; side < 4; ++side) {
        if (!d.chance(side == 0 ? 1.0 : 0.6)) continue;
        const bool along_x = side % 2 == 0;
        const double whole = along_x ? length : width, gap = d.chance(0.6) ? d.from(1, 4, 0.5) : d.from(8, 20, 1);
        const Solid flange = make::extrude({flange_profile(d, t, inner, leg)}, whole - 2 * gap);
        // The profile's x points away from the plate, its y up.
        const Vec3 out = side == 0 ? Vec3(0, -1, 0) : side == 1 ? Vec3(1, 0, 0) : side == 2 ? Vec3(0, 1, 0) : Vec3(-1, 0, 0);
        const Vec3 run = out.cross(Vec3::UnitZ());
        const Vec3 edge(side == 1 ? length : 0, side == 2 ? width : 0, 0);
        const Vec3 along = along_x ? Vec3::UnitX() : Vec3::UnitY();
        const Vec3 start = edge + (run.dot(along) > 0 ? gap : whole - gap) * along;
        parts.push_back(make::moved(flange, make::place(start, run, out)));
    }
    Solid out = make::unify(make::fuse(parts));
    std::vector<Solid> holes;
    for (int k = d.number(0, 4); k > 0; --k) {
        const Vec2 at(d.from(0.2, 0.8) * length, d.from(0.2, 0.8) * width);
        if (d.chance(0.6)) holes.push_back(make::cylinder({at.x(), at.y(), -1}, Vec3::UnitZ(), d.from(1.5, 6, 0.5), t + 2));
        else holes.push_back(make::box({at.x(), at.y(), -1}, {d.from(8, 20, 1), d.from(3, 8, 1), t + 2}));
    }
    if (d.chance(0.4)) holes.push_back(make::box({d.from(0.3, 0.6) * length, -leg, t + inner + 3}, {d.from(8, 20, 1), 3 * leg, d.from(4, 10, 1)}));
    return holes.empty() ? out : make::cut(out, holes);
}

// An extruded profile of several chambers: an outer tube with webs, lips and screw channels, cut off straight or at an angle.
Solid chamber_profile(Draw& d) {
    const double t = d.from(1.5, 3, 0.5), b = d.from(40, 120, 10), h = d.from(30, 80, 10), web = d.from(1, t, 0.25), length = d.from(100, 400, 20);
    const double r = d.chance(0.5) ? 0 : d.from(t, 3 * t, 0.5);
    std::vector<Solid> parts{make::extrude(make::rectangular_tube(b, h, t, r), length)};
    for (int k = d.number(0, 3); k > 0; --k) {
        const double x = d.from(-0.35, 0.35) * b;
        parts.push_back(make::box({x, -0.5 * h + 0.5 * t, 0}, {web, h - t, length}));
    }
    if (d.chance(0.5)) {
        const double y = d.from(-0.3, 0.3) * h;
        parts.push_back(make::box({-0.5 * b + 0.5 * t, y, 0}, {b - t, web, length}));
    }
    if (d.chance(0.5)) parts.push_back(make::box({0.5 * b - 0.5 * t, -0.5 * h + r, 0}, {d.from(8, 25, 1) + 0.5 * t, t, length}));
    if (d.chance(0.3)) {
        const double s = d.from(3, 5, 0.5);
        parts.push_back(
            make::moved(make::extrude({make::circle(s + web), make::reversed(make::circle(s))}, length), make::place({0, 0.5 * h + s + web - 0.5 * t, 0})));
    }
    Solid out = make::unify(make::fuse(parts));
    std::vector<Solid> off;
    if (d.chance(0.5)) {
        const Vec3 n = Vec3(d.from(-0.8, 0.8), d.from(-0.5, 0.5), 1).normalized();
        off.push_back(make::moved(make::box({-500, -500, 0}, {1000, 1000, 1000}), make::place({0, 0, 0.7 * length}, n)));
    }
    for (int k = d.number(0, 2); k > 0; --k)
        off.push_back(make::cylinder({d.from(-0.3, 0.3) * b, -h, d.from(0.15, 0.5) * length}, Vec3::UnitY(), d.from(3, 8, 0.5), 2 * h));
    return off.empty() ? out : make::cut(out, off);
}

// A vessel: a cylinder with dished or flat ends, nozzles, rings, a skirt or saddles.
Solid vessel(Draw& d) {
    const double r = d.from(60, 150, 10), t = d.from(3, 6, 0.5), length = d.from(2, 4) * r;
    std::vector<Solid> outside{make::cylinder({0, 0, 0}, Vec3::UnitZ(), r, length)}, hollow{make::cylinder({0, 0, 0}, Vec3::UnitZ(), r - t, length)};
    for (const bool top : {false, true}) {
        const Vec3 at(0, 0, top ? length : 0), way(0, 0, top ? 1 : -1);
        if (d.chance(0.5)) {
            // A dish of radius R whose ball passes through the cylinder's end circle, inside and outside of one centre.
            const double ball = r * d.from(1.0, 1.6), deep = std::sqrt(std::max(0.0, ball * ball - r * r));
            const Vec3 centre = at - deep * way;
            const Solid beyond = top ? make::box({-2 * r, -2 * r, length}, {4 * r, 4 * r, 4 * r}) : make::box({-2 * r, -2 * r, -4 * r}, {4 * r, 4 * r, 4 * r});
            outside.push_back(common(make::ball(centre, ball), beyond));
            hollow.push_back(common(make::ball(centre, ball - t), beyond));
        } else if (d.chance(0.5)) {
            outside.push_back(make::cylinder(at, way, r, t));
        }
    }
    std::vector<Solid> added, bores;
    for (int k = d.number(0, 3); k > 0; --k) {
        const double a = d.from(0, 2 * pi), rn = d.from(0.1, 0.3) * r, tn = d.from(2, t, 0.5);
        const Vec3 way = Vec3(std::cos(a), std::sin(a), d.chance(0.3) ? d.from(-0.5, 0.5) : 0).normalized();
        const Vec3 at(0, 0, d.from(0.25, 0.75) * length);
        added.push_back(make::cylinder(at, way, rn, 1.4 * r));
        bores.push_back(make::cylinder(at, way, rn - tn, 1.5 * r));
    }
    if (d.chance(0.5)) added.push_back(make::cylinder({0, 0, d.from(0.2, 0.8) * length}, Vec3::UnitZ(), r + d.from(10, 25, 1), d.from(3, 8, 1)));
    std::vector<Solid> all = outside;
    all.insert(all.end(), added.begin(), added.end());
    std::vector<Solid> out_of = hollow;
    out_of.insert(out_of.end(), bores.begin(), bores.end());
    return make::unify(make::cut(all.size() > 1 ? make::fuse(all) : all[0], out_of));
}

// Smooth closed outline of a wing section or a housing: points of a distorted ellipse, at an offset inward.
std::vector<Curve> smooth_outline(const std::vector<double>& shape, double a, double b, double inward) {
    constexpr int n = 48;
    std::vector<Vec3> points, tangents;
    const auto at = [&](double u) {
        const double k = 1 + shape[0] * std::cos(2 * u + shape[1]) + shape[2] * std::cos(3 * u + shape[3]);
        return Vec3(a * k * std::cos(u), b * k * std::sin(u), 0);
    };
    for (int i = 0; i <= n; ++i) {
        const double u = 2 * pi * i / n, h = 1e-5;
        const Vec3 tangent = (at(u + h) - at(u - h)).normalized();
        points.push_back(at(u) - inward * Vec3(tangent.y(), -tangent.x(), 0));
        tangents.push_back(tangent);
    }
    points.back() = points.front(), tangents.back() = tangents.front();
    return {Curve::polyline(points, tangents)};
}

// A smooth hollow profile with webs: wing box, fairing.
Solid smooth_tube(Draw& d) {
    const double a = d.from(60, 150, 10), b = d.from(0.35, 0.8) * a, t = d.from(1.5, 4, 0.5), length = d.from(80, 250, 10);
    const std::vector<double> shape{d.from(0, 0.1), d.from(0, 6.3), d.from(0, 0.04), d.from(0, 6.3)};
    const Solid outer = make::extrude({smooth_outline(shape, a, b, 0)}, length), inner = make::extrude({smooth_outline(shape, a, b, t)}, length);
    Solid out = make::cut(outer, {inner});
    std::vector<Solid> webs;
    for (int k = d.number(0, 3); k > 0; --k) webs.push_back(make::box({d.from(-0.6, 0.6) * a, -2 * b, 0}, {d.from(1, t, 0.5), 4 * b, length}));
    if (d.chance(0.4)) webs.push_back(make::box({-2 * a, -2 * b, d.from(0.2, 0.8) * length}, {4 * a, 4 * b, d.from(1, t, 0.5)}));
    if (!webs.empty()) out = make::fuse({out, common(webs.size() > 1 ? make::fuse(webs) : webs[0], outer)});
    if (d.chance(0.4)) out = make::cut(out, {make::cylinder({0, 0, 0.5 * length}, Vec3::UnitY(), d.from(5, 15, 1), 3 * b)});
    return make::unify(out);
}

// Tubes that meet at one node, round or square, open inside.
Solid tube_node(Draw& d) {
    const int count = d.number(2, 5);
    const bool square = d.chance(0.2);
    const double size = d.from(20, 60, 5), t = d.from(1.5, 4, 0.5);
    std::vector<Vec3> ways;
    while (static_cast<int>(ways.size()) < count) {
        Vec3 way = d.direction();
        if (d.chance(0.3)) way = Vec3::Unit(d.number(0, 2)) * (d.chance(0.5) ? 1.0 : -1.0);
        if (std::none_of(ways.begin(), ways.end(), [&](const Vec3& w) { return w.dot(way) > 0.8; })) ways.push_back(way);
    }
    std::vector<Solid> outside, inside;
    for (const Vec3& way : ways) {
        const double own = d.chance(0.5) ? size : std::max(15.0, d.from(0.5 * size, size, 5)), length = d.from(4, 8) * size, half = 0.5 * own;
        const auto at = make::place(Vec3::Zero(), way);
        outside.push_back(square ? make::moved(make::extrude({make::polygon(rectangle(-half, -half, half, half))}, length), at)
                                 : make::cylinder(Vec3::Zero(), way, half, length));
        const double in = half - t;
        inside.push_back(square ? make::moved(make::extrude({make::polygon(rectangle(-in, -in, in, in))}, length + 1), at)
                                : make::cylinder(Vec3::Zero(), way, in, length + 1));
    }
    return make::unify(make::cut(make::fuse(outside), inside));
}

// A round tube, or a square one with a side along `up`; from `at` on along `way`. Its bore reaches a little further at the far end.
struct Tube {
    Vec3 at, way, up;
    double width, t, length;
    bool square;

    [[nodiscard]] Solid filled(double inward, double longer) const {
        const double half = 0.5 * width - inward;
        if (!square) return make::cylinder(at, way, half, length + longer);
        return make::moved(make::extrude({make::polygon(rectangle(-half, -half, half, half))}, length + longer), make::place(at, way, up));
    }
    [[nodiscard]] Solid outside() const { return filled(0, 0); }
    [[nodiscard]] Solid bore() const { return filled(t, 1); }
};

// A node of a welded frame in one solid: a tube that runs through, and others that end on it and, overlapping, on each other.
Solid frame_node(Draw& d) {
    const bool square = d.chance(0.3), open = d.chance(0.25);
    const double width = d.from(40, 90, 5), length = d.from(6, 9) * width;
    const Tube chord{{0, 0, -0.5 * length}, Vec3::UnitZ(), Vec3::UnitX(), width, d.from(3, 6, 0.5), length, square};
    std::vector<Tube> tubes{chord};
    for (int k = d.number(1, 4); k > 0; --k) {
        const double round = square ? d.number(0, 3) * 0.5 * pi : d.from(0, 2 * pi), angle = d.chance(0.3) ? 0.5 * pi : d.from(0.6, pi - 0.6);
        const double own = d.from(0.4, 0.9) * width, beside = d.chance(0.3) && !square ? d.from(0, 0.5) * (width - own) : 0;
        const Vec3 out(std::cos(round), std::sin(round), 0), across = Vec3::UnitZ().cross(out);
        tubes.push_back({Vec3(0, 0, d.from(-0.8, 0.8) * width) + beside * across, std::sin(angle) * out + std::cos(angle) * Vec3::UnitZ(), across, own,
                         d.from(2, std::min(chord.t, 4.5), 0.5), d.from(3, 5) * width, square && d.chance(0.7)});
    }
    std::vector<Solid> outside, hollow{make::moved(chord.bore(), make::place({0, 0, -0.5}))};
    for (const Tube& tube : tubes) outside.push_back(tube.outside());
    for (std::size_t k = 1; k < tubes.size(); ++k)
        hollow.push_back(open ? tubes[k].bore() : make::cut(tubes[k].bore(), std::vector<Solid>(outside.begin(), outside.begin() + static_cast<long>(k))));
    return make::unify(make::cut(make::fuse(outside), hollow));
}

// A member's profile, its middle at the origin: an I, a channel, a rectangular or a round tube.
std::vector<std::vector<Curve>> member_profile(int kind, double b, double h, double t, bool rounds) {
    const double x = 0.5 * b, y = 0.5 * h, w = 0.5 * t;
    if (kind == 0)
        return {make::polygon(
            {{-x, -y}, {x, -y}, {x, -y + t}, {w, -y + t}, {w, y - t}, {x, y - t}, {x, y}, {-x, y}, {-x, y - t}, {-w, y - t}, {-w, -y + t}, {-x, -y + t}})};
    if (kind == 1) return {make::polygon({{-x, -y}, {x, -y}, {x, -y + t}, {-x + t, -y + t}, {-x + t, y - t}, {x, y - t}, {x, y}, {-x, y}})};
    if (kind == 2) return make::rectangular_tube(b, h, t, rounds ? 2 * t : 0);
    return make::tube(h, t);
}

// A branch welded on a member in one solid, square or oblique, with an end plate or a stiffener.
Solid welded_branch(Draw& d) {
    const int kind = d.number(0, 3), other = d.number(0, 3);
    const double b = d.from(40, 100, 10), h = d.from(40, 120, 10), t = d.from(3, 6, 0.5), length = d.from(300, 600, 50);
    const double b2 = d.from(30, b, 5), t2 = d.from(2, 5, 0.5), length2 = d.from(100, 250, 10);
    const double angle = d.chance(0.6) ? 0 : d.from(-0.7, 0.7), x = d.from(-0.2, 0.2) * length;
    std::vector<Solid> parts{
        make::moved(make::extrude(member_profile(kind, b, h, t, d.chance(0.5)), length), make::place({-0.5 * length, 0, 0}, Vec3::UnitX(), Vec3::UnitY()))};
    const Solid branch = make::moved(make::extrude(member_profile(other, b2, b2, t2, d.chance(0.5)), length2 + 0.5 * h + 40),
                                     make::place({x, 0, 0}, Vec3(std::sin(angle), 0, std::cos(angle)), Vec3::UnitY()));
    // From the middle of the member's wall on.
    const Solid below = kind == 3 ? make::cylinder({-length, 0, 0}, Vec3::UnitX(), 0.5 * (h - t), 2 * length)
                                  : make::box({-length, -500, -500}, {2 * length, 1000, 500 + 0.5 * (h - t)});
    parts.push_back(make::cut(branch, {below}));
    if (d.chance(0.5)) parts.push_back(make::box({0.5 * length - t, -b, -h}, {d.from(4, 10, 1), 2 * b, 2 * h}));
    if (d.chance(0.4) && kind <= 1) parts.push_back(make::box({x + 0.25 * length, -0.5 * b, -0.5 * h + 0.5 * t}, {t, b, h - t}));
    return make::unify(make::fuse(parts));
}

// A plate with uprights on it that cross each other anywhere, a second plate, a tube, holes.
Solid plate_with_uprights(Draw& d) {
    const double t = d.from(2, 5, 0.5), length = d.from(150, 400, 10), width = d.from(100, 300, 10);
    std::vector<Solid> parts{make::box({0, 0, 0}, {length, width, t})};
    for (int k = d.number(1, 6); k > 0; --k) {
        const double own = d.from(1.5, 5, 0.5), high = d.from(15, 80, 5);
        const double turn = d.chance(0.6) ? (d.chance(0.5) ? 0 : 0.5 * pi) : d.from(0, pi);
        const Vec3 along(std::cos(turn), std::sin(turn), 0), at(d.from(0.3, 0.7) * length, d.from(0.3, 0.7) * width, 0);
        const double half = d.from(0.15, 0.28) * std::min(length, width), tip = d.chance(0.5) ? half : 0.6 * half;
        const Solid upright = make::extrude({make::polygon({{-half, 0.5 * t}, {half, 0.5 * t}, {tip, high}, {-tip, high}})}, own);
        const Vec3 across = along.cross(Vec3::UnitZ());
        parts.push_back(make::moved(upright, make::place(at - 0.5 * own * across, across, along)));
    }
    if (d.chance(0.4)) parts.push_back(make::box({0, 0, d.from(20, 60, 5)}, {length, d.from(0.3, 1) * width, d.from(2, 4, 0.5)}));
    std::vector<Solid> holes;
    if (d.chance(0.4)) {
        const double r = d.from(10, 25, 1), own = d.from(2, 4, 0.5);
        const Vec3 at(d.from(0.3, 0.7) * length, d.from(0.3, 0.7) * width, 0);
        parts.push_back(make::moved(make::extrude(make::tube(2 * r, own), d.from(20, 60, 5)), make::place(at)));
        if (d.chance(0.5)) holes.push_back(make::cylinder(at - Vec3::UnitZ(), Vec3::UnitZ(), r - own, 200));
    }
    for (int k = d.number(0, 3); k > 0; --k)
        holes.push_back(make::cylinder({d.from(0.1, 0.9) * length, d.from(0.1, 0.9) * width, -1}, Vec3::UnitZ(), d.from(2, 8, 0.5), t + 2));
    const Solid out = make::fuse(parts);
    return make::unify(holes.empty() ? out : make::cut(out, holes));
}

const std::map<std::string, std::function<Solid(Draw&)>>& families() {
    static const std::map<std::string, std::function<Solid(Draw&)>> all{
        {"branch", welded_branch}, {"chambers", chamber_profile}, {"flanges", flanged_plate},        {"frame", frame_node}, {"node", tube_node},
        {"smooth", smooth_tube},   {"tray", drafted_tray},        {"uprights", plate_with_uprights}, {"vessel", vessel}};
    return all;
}

}  // namespace

const std::vector<std::string>& random_families() {
    static const std::vector<std::string> names = [] {
        std::vector<std::string> out;
        for (const auto& [name, make] : families()) out.push_back(name);
        return out;
    }();
    return names;
}

make::Solid make_random(const RandomPart& part) {
    Draw d(static_cast<unsigned>(1000 * part.number + 17));
    const Solid out = families().at(part.family)(d);
    if (!(make::volume(out) > 0)) throw std::runtime_error("no solid came of it");
    return out;
}

}  // namespace test
