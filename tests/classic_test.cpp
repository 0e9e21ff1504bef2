// Classic problems, the whole way from a CAD solid: halved, meshed, solved, against their published values.
#include "solved_part.hpp"

#include <fmt/format.h>

#include <cmath>

namespace test {
namespace {

std::string classic_material(double young, double poisson) {
    return fmt::format("[[material]]\nyoung = {}\npoisson = {}\ndensity = \"7850 kg/m3\"\n", young, poisson);
}

double mean_of(const Json& summary, const std::string& name) {
    return probe(summary, name)["mean"].get<double>();
}

const char* resting_border = "[[set]]\nname = \"border\"\nof = \"edges\"\nwhere = \"free\"\n[[support]]\nid = \"set=border\"\nfix = [\"z\"]\n";

}  // namespace

// Scordelis and Lo 1964: 0.3024 ft for 25 ft, 50 ft, 3 in; here a hundred times as large in mm.
TEST(ClassicFromCad, BarrelRoof) {
    const double c = std::cos(50 * pi / 180), s = std::sin(50 * pi / 180);
    const auto outside = make::extrude({make::polygon({{0, 0}, {-8000 * c, 8000 * s}, {-8000, -8000}, {8000, -8000}, {8000 * c, 8000 * s}})}, 5002);
    const auto roof = make::cut(make::extrude(make::tube(5025, 25), 5000), {make::moved(outside, make::place({0, 0, -1}))});
    const SolvedShells p({{"roof", roof}},
                         "mesh.size = \"170 mm\"\n" + classic_material(4.32e8, 0) +
                             "[[support]]\nfix = [\"x\", \"y\"]\nwithin = [[-1e4, -1e4, -1], [1e4, 1e4, 1]]\n"
                             "[[support]]\nfix = [\"x\", \"y\"]\nwithin = [[-1e4, -1e4, 4999], [1e4, 1e4, 5001]]\n"
                             "[[support]]\nfix = [\"z\"]\npoints = [[0, 2500, 2500]]\n[[load]]\nforce_per_area = [0, -90, 0]\n" +
                             fmt::format("[[probe]]\nname = \"edge\"\nof = \"displacement y\"\npoints = [[{}, {}, 2500]]\n", 2500 * c, 2500 * s));
    EXPECT_NEAR(mean_of(p.run(), "edge") / -30.24, 1, 0.02);
}

// 1.8248e-5 under the load; radius 300, length 600, thickness 3.
TEST(ClassicFromCad, PinchedCylinder) {
    const SolvedShells p(
        {{"cylinder", make::extrude(make::tube(603, 3), 600)}},
        "mesh.size = \"12 mm\"\n" + classic_material(3e6, 0.3) +
            "[[support]]\nfix = [\"x\", \"y\"]\nwithin = [[-1e3, -1e3, -1], [1e3, 1e3, 0.1]]\n"
            "[[support]]\nfix = [\"x\", \"y\"]\nwithin = [[-1e3, -1e3, 599.9], [1e3, 1e3, 601]]\n[[support]]\nfix = [\"z\"]\npoints = [[0, 300, 300]]\n"
            "[[load]]\nforce = [-1, 0, 0]\npoints = [[300, 0, 300]]\n[[load]]\nforce = [1, 0, 0]\npoints = [[-300, 0, 300]]\n"
            "[[probe]]\nname = \"load\"\nof = \"displacement x\"\npoints = [[300, 0, 300]]\n");
    EXPECT_NEAR(mean_of(p.run(), "load") / -1.8248e-5, 1, 0.02);
}

// MacNeal and Harder 1985: 0.0924 for radius 10, thickness 0.04, forces of 2; here a hundred times as large.
TEST(ClassicFromCad, PinchedHemisphere) {
    const double top = 1000 * std::cos(18 * pi / 180);
    const auto shell = make::cut(make::ball({0, 0, 0}, 1002), {make::ball({0, 0, 0}, 998), make::box({-2000, -2000, -2000}, {4000, 4000, 2000}),
                                                               make::box({-2000, -2000, top}, {4000, 4000, 2000})});
    const SolvedShells p(
        {{"hemisphere", shell}},
        "mesh.size = \"50 mm\"\n" + classic_material(6.825e7, 0.3) +
            "[[support]]\nfix = [\"y\", \"z\"]\npoints = [[1000, 0, 0], [-1000, 0, 0]]\n[[support]]\nfix = [\"x\", \"z\"]\npoints = [[0, 1000, 0]]\n"
            "[[load]]\nforce = [2, 0, 0]\npoints = [[1000, 0, 0]]\n[[load]]\nforce = [-2, 0, 0]\npoints = [[-1000, 0, 0]]\n"
            "[[load]]\nforce = [0, -2, 0]\npoints = [[0, 1000, 0]]\n[[load]]\nforce = [0, 2, 0]\npoints = [[0, -1000, 0]]\n"
            "[[probe]]\nname = \"out\"\nof = \"displacement x\"\npoints = [[1000, 0, 0]]\n");
    EXPECT_NEAR(mean_of(p.run(), "out") / 9.24e-4, 1, 0.02);
}

// Cook 1974: 23.96 at the middle of the end for young 1.
TEST(ClassicFromCad, TaperedMembrane) {
    const SolvedShells p(
        {{"membrane", make::extrude({make::polygon({{0, 0}, {48, 44}, {48, 60}, {0, 44}})}, 1)}},
        "mesh.size = \"2 mm\"\n" + classic_material(1e3, 1.0 / 3) +
            "[[support]]\nfix = \"all\"\nwithin = [[-1, -1, -1], [0.01, 50, 2]]\n[[load]]\nforce = [0, 1, 0]\nwithin = [[47.99, 40, -1], [49, 70, 2]]\n"
            "[[probe]]\nname = \"end\"\nof = \"displacement y\"\npoints = [[48, 52, 0.5]]\n");
    EXPECT_NEAR(mean_of(p.run(), "end") / 0.02396, 1, 0.02);
}

// Morley 1963: 0.408e-3 q a^4 / D at the middle of a rhombic plate of 30 degrees that rests on its border.
TEST(ClassicFromCad, SkewPlate) {
    const double c = 100 * std::cos(pi / 6), s = 50;
    const SolvedShells p({{"plate", make::extrude({make::polygon({{0, 0}, {100, 0}, {100 + c, s}, {c, s}})}, 0.5)}},
                         "mesh.size = \"1.5 mm\"\n" + classic_material(1e7, 0.3) + resting_border +
                             "[[support]]\nfix = [\"x\", \"y\"]\npoints = [[0, 0, 0.25]]\n[[support]]\nfix = [\"y\"]\npoints = [[100, 0, 0.25]]\n"
                             "[[load]]\nforce_per_area = [0, 0, -1]\n" +
                             fmt::format("[[probe]]\nname = \"middle\"\nof = \"displacement z\"\npoints = [[{}, 25, 0.25]]\n", 0.5 * (100 + c)));
    const double stiffness = 1e7 * 0.125 / (12 * 0.91);
    EXPECT_NEAR(mean_of(p.run(), "middle") / (-0.408e-3 * 1e8 / stiffness), 1, 0.02);
}

TEST(ClassicFromCad, FrequenciesOfARestingPlate) {
    const auto known = [](int number, int across) {
        return fmt::format(
            "known = {{ form = \"resting rectangular plate frequency\", young = \"210 GPa\", poisson = 0.3, density = \"7850 kg/m3\", thickness = \"2 mm\", "
            "length = \"300 mm\", width = \"200 mm\", number = {}, across = {} }}\n",
            number, across);
    };
    const SolvedShells p({{"plate", make::box({0, 0, 0}, {300, 200, 2})}},
                         "mesh.size = \"8 mm\"\n" + classic_material(210000, 0.3) + resting_border +
                             "[[support]]\nfix = [\"x\", \"y\"]\npoints = [[0, 0, 1]]\n[[support]]\nfix = [\"y\"]\npoints = [[300, 0, 1]]\n[modes]\ncount = 3\n"
                             "[[probe]]\nname = \"first\"\nof = \"frequency 1\"\n" +
                             known(1, 1) + "[[probe]]\nname = \"second\"\nof = \"frequency 2\"\n" + known(2, 1) +
                             "[[probe]]\nname = \"third\"\nof = \"frequency 3\"\n" + known(1, 2));
    for (const Json& k : p.run()["probes"]) EXPECT_LT(std::abs(k["known"]["difference"].get<double>()), 0.02) << k["name"];
}

// A Z of 2 m by 1 m flanges, 10 m long, twisted at its end by forces along the flanges: NAFEMS, LE5: 108 MPa along it at the flange's tip, a quarter from the
// root.
TEST(ClassicFromCad, TwistedZCantilever) {
    const auto z =
        make::extrude({make::polygon({{-1000, 950}, {-50, 950}, {-50, -1050}, {1000, -1050}, {1000, -950}, {50, -950}, {50, 1050}, {-1000, 1050}})}, 10000);
    const SolvedShells p({{"z", z}}, "mesh.size = \"250 mm\"\n" + classic_material(210000, 0.3) +
                                         "[[support]]\nfix = \"all\"\nwithin = [[-2e3, -2e3, -1], [2e3, 2e3, 1]]\n"
                                         "[[load]]\nforce = [\"600 kN\", 0, 0]\nwithin = [[-1001, 999, 9999], [1, 1001, 10001]]\n"
                                         "[[load]]\nforce = [\"-600 kN\", 0, 0]\nwithin = [[-1, -1001, 9999], [1001, -999, 10001]]\n"
                                         "[[probe]]\nname = \"tip\"\nof = \"stress along z\"\nside = \"middle\"\npoints = [[-1000, 1000, 2500]]\n");
    // The value stands for a coarse mesh: from 1 m to 62 mm these shells have 110.5, 109.9, 110.2, 110.6, 110.9, and solid elements agree with them.
    EXPECT_NEAR(std::abs(mean_of(p.run(), "tip")) / 108, 1, 0.03);
}

TEST(ClassicFromCad, ClampedRoundPlate) {
    const auto plate = make::cylinder({0, 0, 0}, {0, 0, 1}, 200, 4);
    const SolvedShells p({{"plate", plate}},
                         "mesh.size = \"10 mm\"\n" + classic_material(210000, 0.3) +
                             "[[set]]\nname = \"border\"\nof = \"edges\"\nwhere = \"free\"\n[[support]]\nid = \"set=border\"\nfix = "
                             "\"all\"\n[[load]]\npressure = \"0.05 MPa\"\nfrom = [0, 0, 100]\n"
                             "[[probe]]\nname = \"middle\"\nof = \"displacement total\"\npoints = [[0, 0, 2]]\n"
                             "known = { form = \"clamped round plate middle\", pressure = \"0.05 MPa\", radius = \"200 mm\", thickness = \"4 "
                             "mm\", young = \"210 GPa\", poisson = 0.3 }\n");
    EXPECT_LT(std::abs(p.run()["probes"][0]["known"]["difference"].get<double>()), 0.02);
}

}  // namespace test
