#include "parts.hpp"

#include <cmath>

namespace test {
namespace {

using make::box;

make::Solid square_tube(double side, double wall, const Vec3& from, const Vec3& to, const Vec3& x = Vec3::UnitX()) {
    return make::moved(make::extrude(make::rectangular_tube(side, side, wall, 0), (to - from).norm()), make::place(from, to - from, x));
}

}  // namespace

std::vector<Named> joined_assemblies() {
    std::vector<Named> out;
    out.push_back({"rib on base", {{"base", box({0, 0, 0}, {310, 200, 10})}, {"rib", box({50, 90, 10}, {180, 6, 80})}}});
    out.push_back({"corner of plates", {{"base", box({0, 0, 0}, {200, 110, 6})}, {"upright", box({0, 0, 6}, {4, 110, 90})}}});
    out.push_back({"butt", {{"left", box({0, 0, 0}, {100, 80, 5})}, {"right", box({100.2, 0, 0}, {130, 80, 5})}}});
    out.push_back({"lap", {{"plate", box({0, 0, 0}, {300, 200, 6})}, {"doubler", box({80, 60, 6}, {90, 70, 4})}}});
    out.push_back({"post between plates",
                   {{"floor", box({-100, -90, 0}, {220, 200, 12})},
                    {"post", square_tube(50, 4, {0, 0, 12}, {0, 0, 812})},
                    {"roof", box({-100, -110, 812}, {190, 200, 6})}}});
    out.push_back({"beam between posts",
                   {{"left", square_tube(60, 4, {0, 0, 0}, {0, 0, 900})},
                    {"right", square_tube(70, 5, {1000, 0, 0}, {1000, 0, 950})},
                    {"beam", square_tube(40, 3, {30, 0, 500}, {965, 0, 500}, Vec3::UnitZ())}}});
    out.push_back(
        {"eccentric beam", {{"post", square_tube(60, 4, {0, 0, 0}, {0, 0, 900})}, {"beam", square_tube(40, 3, {30, 8, 500}, {600, 8, 500}, Vec3::UnitZ())}}});
    out.push_back({"rail under deck", {{"deck", box({0, 0, 0}, {900, 420, 5})}, {"rail", square_tube(60, 4, {0, 200, -30}, {900, 200, -30}, Vec3::UnitZ())}}});
    const auto gusset = make::moved(make::extrude({make::polygon({{30, 0}, {110, 0}, {30, 120}})}, 8), make::place({0, 4, 12}, -Vec3::UnitY(), Vec3::UnitX()));
    out.push_back({"gusset", {{"base", box({-150, -140, 0}, {300, 300, 12})}, {"post", square_tube(60, 4, {0, 0, 12}, {0, 0, 900})}, {"gusset", gusset}}});
    const auto holed = make::cut(box({-150, -130, 0}, {300, 300, 10}), {make::cylinder({0, 0, -5}, Vec3::UnitZ(), 20, 20)});
    out.push_back({"tube on a hole", {{"plate", holed}, {"post", make::moved(make::extrude(make::tube(60, 5), 700), make::place({0, 0, 10}))}}});
    out.push_back({"step", {{"plate", make::unify(make::fuse({box({0, 0, 0}, {200, 100, 4}), box({200, 0, 0}, {150, 100, 8})}))}}});
    const auto pierced = make::cut(box({-150, -140, 300}, {300, 300, 8}), {make::cylinder({0, 0, 0}, Vec3::UnitZ(), 30, 900)});
    out.push_back({"pipe through plate", {{"plate", pierced}, {"pipe", make::extrude(make::tube(60, 4), 900)}}});
    return out;
}

std::vector<Named> flat_solids() {
    std::vector<Named> out;
    out.push_back({"plate", {{"part", box({0, 0, 0}, {250, 170, 4})}}});
    out.push_back({"shelf", {{"part", make::instrument_shelf()}}});
    out.push_back({"tee", {{"part", make::unify(make::fuse({box({0, 0, 0}, {200, 120, 8}), box({0, 57, 8}, {200, 6, 70})}))}}});
    std::vector<make::Solid> holes;
    for (int i = 0; i < 5; ++i)
        for (int k = 0; k < 3; ++k) holes.push_back(make::cylinder({40 + 50.0 * i, 40 + 50.0 * k, -5}, Vec3::UnitZ(), 6 + 3 * k, 20));
    out.push_back({"holes", {{"part", make::cut(box({0, 0, 0}, {290, 190, 5}), holes)}}});
    out.push_back({"rib ending inside", {{"part", make::unify(make::fuse({box({0, 0, 0}, {300, 200, 6}), box({80, 98, 6}, {140, 4, 50})}))}}});
    out.push_back({"notches",
                   {{"part", make::unify(make::cut(make::fuse({box({0, 0, 0}, {400, 150, 5}), box({0, 70, 5}, {400, 6, 60}), box({197, 0, 5}, {6, 150, 60})}),
                                                   {box({90, 60, 45}, {40, 30, 40}), make::cylinder({300, 60, 35}, Vec3::UnitY(), 12, 40)}))}}});
    std::vector<make::Solid> walls;
    for (int k = 0; k < 3; ++k) {
        const double a = 0.3 + k * 2 * pi / 3;
        walls.push_back(make::moved(box({0, -2.5, 0}, {150, 5, 200}), make::place({0, 0, 0}, Vec3::UnitZ(), Vec3(std::cos(a), std::sin(a), 0))));
    }
    out.push_back({"three walls", {{"part", make::unify(make::fuse(walls))}}});
    out.push_back({"triangle", {{"part", make::extrude({make::polygon({{0, 0}, {300, 0}, {40, 180}})}, 5)}}});
    return out;
}

}  // namespace test
