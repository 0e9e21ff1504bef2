#include "station.hpp"

#include <cmath>

namespace make {
namespace {

using halvo::pi;

constexpr double deck_bottom = 1500, deck_thickness = 5, deck_top = deck_bottom + deck_thickness;
constexpr double base_thickness = 12;
constexpr double post_x = 700, post_y = 500, post_width = 80;

Solid slot(const Vec2& at, double length, double width) {
    const double h = length / 2 - width / 2, r = width / 2;
    halvo::Frame left, right;
    left.origin = {at.x() - h, at.y(), 0}, right.origin = {at.x() + h, at.y(), 0};
    const std::vector<Curve> loop = {
        Curve::segment({at.x() - h, at.y() - r, 0}, {at.x() + h, at.y() - r, 0}), Curve{halvo::CircleCurve{right, r}, -pi / 2, pi / 2},
        Curve::segment({at.x() + h, at.y() + r, 0}, {at.x() - h, at.y() + r, 0}), Curve{halvo::CircleCurve{left, r}, pi / 2, 3 * pi / 2}};
    return moved(extrude({loop}, 40), place({0, 0, deck_bottom - 20}));
}

// Plate with ribs 6 mm along and 4 mm across underneath, drain slots and bolt holes; one welded solid.
Solid service_deck() {
    std::vector<Solid> parts = {box({-800, -600, deck_bottom}, {1600, 1200, deck_thickness})};
    for (double y : {-300.0, 0.0, 300.0}) parts.push_back(box({-800, y - 3, deck_bottom - 60}, {1600, 6, 60}));
    for (double x : {-400.0, 0.0, 400.0}) parts.push_back(box({x - 2, -600, deck_bottom - 60}, {4, 1200, 60}));
    std::vector<Solid> tools;
    for (double x : {-600.0, 200.0, 600.0})
        for (double y : {-150.0, 150.0, 420.0}) tools.push_back(slot({x, y}, 90, 14));
    for (double x : {-765.0, -260.0, 260.0, 765.0})
        for (double y : {-565.0, 565.0}) tools.push_back(cylinder({x, y, deck_bottom - 20}, Vec3::UnitZ(), 9, 40));
    return unify(cut(unify(fuse(parts)), tools));
}

// Plate with four gussets in the planes of the post's axis and four anchor holes.
Solid base_plate() {
    std::vector<Solid> parts = {box({-130, -130, 0}, {260, 260, base_thickness})};
    const double foot = post_width / 2;
    const auto gusset = extrude({polygon({{foot, 0}, {foot + 70, 0}, {foot + 70, 12}, {foot + 12, 140}, {foot, 140}})}, 8);
    for (int k = 0; k < 4; ++k) {
        const double a = k * pi / 2;
        const Vec3 out(std::cos(a), std::sin(a), 0);
        const Vec3 side = Vec3::UnitZ().cross(out);
        // Profile x outwards, profile y upwards: its normal is -side.
        parts.push_back(moved(gusset, place(Vec3(0, 0, base_thickness) + 4 * side, -side, out)));
    }
    std::vector<Solid> holes;
    for (double x : {-95.0, 95.0})
        for (double y : {-95.0, 95.0}) holes.push_back(cylinder({x, y, -10}, Vec3::UnitZ(), 11, 40));
    return unify(cut(unify(fuse(parts)), holes));
}

Solid square_tube(double side, double wall, const Vec3& from, const Vec3& to, const Vec3& x) {
    return moved(extrude(rectangular_tube(side, side, wall, 2 * wall), (to - from).norm()), place(from, to - from, x));
}

// Round tube between two upright planes x = -limit and x = limit, cut to lie flat on both.
Solid brace(const Vec3& from, const Vec3& to, double limit, double diameter, double wall) {
    const Vec3 d = (to - from).normalized();
    const Solid whole = moved(extrude(tube(diameter, wall), (to - from).norm() + 400), place(from - 200 * d, d));
    return cut(whole, {box({-5000, -5000, -5000}, {5000 - limit, 10000, 10000}), box({limit, -5000, -5000}, {5000 - limit, 10000, 10000})});
}

}  // namespace

Solid instrument_shelf(const ShelfSize& s) {
    const double l = s.length / 2, w = s.width / 2;
    std::vector<Solid> parts = {box({-l, -w, 0}, {s.length, s.width, s.base})};
    for (double side : {-1.0, 1.0}) {
        parts.push_back(box({side < 0 ? -l : l - s.upstand, -w, 0}, {s.upstand, s.width, s.height}));
        parts.push_back(box({-l, side < 0 ? -w : w - s.upstand, 0}, {s.length, s.upstand, s.height}));
    }
    parts.push_back(box({-l, -s.rib / 2, 0}, {s.length, s.rib, s.rib_height}));
    parts.push_back(box({-s.rib / 2, -w, 0}, {s.rib, s.width, s.rib_height}));
    return unify(fuse(parts));
}

std::vector<Item> weather_station() {
    const std::array<double, 3> steel{0.55, 0.60, 0.66}, zinc{0.70, 0.74, 0.76}, ochre{0.75, 0.55, 0.25}, dark{0.35, 0.40, 0.46};
    std::vector<Item> items;
    items.push_back({"service deck", service_deck(), zinc});
    int n = 0;
    for (double x : {-post_x, post_x})
        for (double y : {-post_y, post_y}) {
            ++n;
            items.push_back({"base plate " + std::to_string(n), moved(base_plate(), place({x, y, 0})), dark});
            items.push_back({"post " + std::to_string(n), square_tube(post_width, 4, {x, y, base_thickness}, {x, y, deck_bottom}, Vec3::UnitX()), steel});
        }
    const double clear_x = post_x - post_width / 2, clear_y = post_y - post_width / 2;
    n = 0;
    for (double y : {-post_y, post_y})
        items.push_back({"rail " + std::to_string(++n), square_tube(60, 3, {-clear_x, y, 1050}, {clear_x, y, 1050}, Vec3::UnitZ()), steel});
    for (double x : {-post_x, post_x})
        items.push_back({"rail " + std::to_string(++n), square_tube(60, 3, {x, -clear_y, 1050}, {x, clear_y, 1050}, Vec3::UnitZ()), steel});
    n = 0;
    for (double y : {-post_y, post_y})
        items.push_back({"brace " + std::to_string(++n), brace({-clear_x, y, 250}, {clear_x, y, 900}, clear_x, 48.3, 3.2), steel});
    // The shelf stands askew on four legs.
    const Eigen::Isometry3d askew = Eigen::Translation3d(-230, 160, deck_top) * Eigen::Isometry3d(Eigen::AngleAxisd(23 * pi / 180, Vec3::UnitZ()));
    n = 0;
    for (double x : {-150.0, 150.0})
        for (double y : {-95.0, 95.0}) items.push_back({"leg " + std::to_string(++n), moved(moved(extrude(tube(25, 2), 220), place({x, y, 0})), askew), zinc});
    items.push_back({"instrument shelf", moved(instrument_shelf(), askew * Eigen::Translation3d(0, 0, 220)), ochre});
    // Mast with two stays and a sensor arm at an odd angle.
    const Vec3 foot(450, -230, deck_top);
    const double mast_radius = 30.15, mast_height = 1400;
    items.push_back({"mast", moved(extrude(tube(2 * mast_radius, 2.9), mast_height), place(foot)), zinc});
    n = 0;
    for (double azimuth : {105.0, 210.0}) {
        const double a = azimuth * pi / 180;
        const Vec3 top = foot + Vec3(0, 0, 800), bottom = foot + Vec3(300 * std::cos(a), 300 * std::sin(a), 0);
        const Vec3 d = (bottom - top).normalized();
        const Solid rod = moved(extrude({circle(8)}, (bottom - top).norm() + 60), place(top, d));
        items.push_back({"stay " + std::to_string(++n),
                         cut(rod, {cylinder(foot, Vec3::UnitZ(), mast_radius, mast_height), box({-2000, -2000, deck_top - 500}, {4000, 4000, 500})}), steel});
    }
    const Vec3 along(std::cos(33 * pi / 180), std::sin(33 * pi / 180), 0);
    const Vec3 middle = foot + Vec3(0, 0, mast_height + 20);
    items.push_back({"sensor arm", square_tube(40, 3, middle - 450 * along, middle + 450 * along, Vec3::UnitZ()), ochre});
    // On the ridge nothing stands square to the survey grid, nor near its origin.
    const Eigen::Isometry3d site = Eigen::Translation3d(12480, -8360, 2310) * Eigen::Isometry3d(Eigen::AngleAxisd(17 * pi / 180, Vec3::UnitZ()));
    for (Item& i : items) i.solid = moved(i.solid, site);
    return items;
}

}  // namespace make
