// From solids and a plan to displacements, stress, reactions and frequencies, by the command line; checked against closed forms.
#include "solved_part.hpp"

#include "model/expression.hpp"

#include <cmath>
#include <fstream>

namespace test {
namespace {

Vec3 vector_of(const Json& j) {
    return {j[0].get<double>(), j[1].get<double>(), j[2].get<double>()};
}

make::Solid strip_of_steel() {
    return make::box({0, 0, 0}, {200, 40, 4});
}
const char* steel = "[[material]]\nname = \"steel\"\n";
const char* held_left = "[[support]]\nname = \"wall\"\nfix = \"all\"\nwithin = [[-1, -1e3, -1e3], [0.01, 1e3, 1e3]]\n";
const char* right_end = "within = [[199.9, -1e3, -1e3], [201, 1e3, 1e3]]\n";

}  // namespace

TEST(Solve, CantileverStripBendsAsABeamDoes) {
    const SolvedPart b({{"strip", strip_of_steel()}},
                       std::string("mesh.size = \"5 mm\"\n") + "[[material]]\nyoung = \"210 GPa\"\npoisson = 0\ndensity = \"7850 kg/m3\"\n" + held_left +
                           "[[load]]\nforce = [0, 0, \"-10 N\"]\n" + right_end + "[[probe]]\nname = \"tip\"\nof = \"displacement z\"\n" + right_end +
                           "[[probe]]\nname = \"root\"\nof = \"reaction z\"\nwithin = [[-1, -1e3, -1e3], [0.01, 1e3, 1e3]]\n[modes]\ncount = 2\n");
    const Json j = b.run();
    const double inertia = 40 * 64 / 12.0;
    EXPECT_NEAR(probe(j, "tip")["mean"].get<double>() / (-10 * 8e6 / (3 * 210000 * inertia)), 1, 2e-3);
    EXPECT_NEAR(probe(j, "root")["sum"].get<double>(), 10, 1e-8);
    const Json& r = j["results"][0];
    EXPECT_EQ(r["case"], "loads");
    EXPECT_LT(r["residual"].get<double>(), 1e-9);
    EXPECT_LT((vector_of(r["applied"]["force"]) + vector_of(r["reactions"]["force"])).norm(), 1e-8);
    EXPECT_LT((vector_of(r["applied"]["moment"]) + vector_of(r["reactions"]["moment"])).norm(), 1e-6);
    EXPECT_NEAR(r["energy"].get<double>() / (-0.5 * 10 * probe(j, "tip")["mean"].get<double>()), 1, 1e-3);
    EXPECT_NEAR(r["max_von_mises"].get<double>() / (10 * 200 * 2 / inertia), 1, 0.02);
    const double first = 3.516 / (2 * pi * 4e4) * std::sqrt(210000 * inertia / (7.85e-9 * 160));
    EXPECT_NEAR(j["modes"][0]["frequency"].get<double>() / first, 1, 5e-3);
    EXPECT_NEAR(j["solution"]["mass"].get<double>(), 7.85e-9 * 32000, 1e-9);
    for (const char* name : {"model.halvo", "mesh.vtu", "results.vtu", "summary.json", "ledger.csv"}) EXPECT_TRUE(fs::exists(b / "out" / name)) << name;
    for (const char* what : {"results", "reactions", "probes", "modes", "properties", "materials"}) {
        const Ran list = halvo_command(std::string("list ") + in_quotes(b / "out/model.halvo") + " " + what);
        EXPECT_EQ(list.code, 0) << list.err;
        EXPECT_GT(list.out.size(), 40U) << what;
    }
    for (const char* how : {"--colour displacement", "--colour von-mises --side top", "--colour principal-3", "--colour stress-x --deformed 0", "--mode 2"}) {
        const Ran drawn = halvo_command(std::string("draw ") + in_quotes(b / "out/model.halvo") + " -o " + in_quotes(b / "figure.png") + " " + how);
        EXPECT_EQ(drawn.code, 0) << how << drawn.err;
        EXPECT_GT(fs::file_size(b / "figure.png"), 5000U);
    }
    // From the solution on alone, with another load.
    const Json again = b.run("--from solve");
    EXPECT_EQ(again["results"].dump(), j["results"].dump());
}

// The same structure turned and far off, in inches: in a frame of its own the same plan gives the same answer.
TEST(Solve, IsTheSameAnywhereAndInAnyUnit) {
    const auto plan = [](const Vec3& o, const Vec3& x, const Vec3& z) {
        return fmt::format(
            "mesh.size = \"8 mm\"\n[[material]]\nname = \"aluminium\"\n[[frame]]\nname = \"own\"\norigin = [{}, {}, {}]\nx = [{}, {}, {}]\nz = [{}, {}, {}]\n"
            "[[set]]\nname = \"left\"\nof = \"nodes\"\nframe = \"own\"\nwhere = \"x < 0.01 mm\"\n"
            "[[set]]\nname = \"right\"\nof = \"nodes\"\nframe = \"own\"\nwhere = \"x > 199.9 mm\"\n"
            "[[support]]\nid = \"set=left\"\nfix = \"all\"\n"
            "[[load]]\nid = \"set=right\"\nframe = \"own\"\nforce = [\"20 N\", \"3 N\", \"-10 N\"]\n"
            "[[probe]]\nname = \"tip\"\nof = \"displacement z\"\nid = \"set=right\"\nframe = \"own\"\n"
            "[[probe]]\nname = \"stress\"\nof = \"von mises\"\n[modes]\ncount = 3\n",
            o.x(), o.y(), o.z(), x.x(), x.y(), x.z(), z.x(), z.y(), z.z());
    };
    const make::Solid part = strip_of_steel();  // its mesh is the same everywhere too
    const Eigen::Isometry3d m = anywhere();
    const Json a = SolvedPart({{"strip", part}}, plan(Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ())).run();
    const Json b = SolvedPart({{"strip", make::moved(part, m)}}, plan(m.translation(), m.linear().col(0), m.linear().col(2))).run();
    const Json c = SolvedPart({{"strip", part}}, plan(Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()), "INCH").run();
    for (const Json& other : {b, c}) {
        EXPECT_NEAR(probe(other, "tip")["mean"].get<double>() / probe(a, "tip")["mean"].get<double>(), 1, 1e-6);
        EXPECT_NEAR(probe(other, "stress")["max"].get<double>() / probe(a, "stress")["max"].get<double>(), 1, 1e-4);
        for (std::size_t k = 0; k < 3; ++k) EXPECT_NEAR(other["modes"][k]["frequency"].get<double>() / a["modes"][k]["frequency"].get<double>(), 1, 1e-6);
    }
}

TEST(Solve, IsTheSameOnAnyNumberOfThreads) {
    const SolvedPart b({{"strip", strip_of_steel()}}, std::string("mesh.size = \"4 mm\"\n") + steel + held_left +
                                                          "[[load]]\nforce = [\"5 N\", 0, \"-10 N\"]\n" + right_end + "[modes]\ncount = 3\n");
    const Json one = b.run("--threads 1"), two = b.run("--threads 2");
    EXPECT_EQ(one["results"].dump(), two["results"].dump());
    EXPECT_EQ(one["modes"].dump(), two["modes"].dump());
}

// A tube under pressure, a quarter of it by two planes of symmetry: pr/t round it and pr/2t along, the same at every place.
TEST(Solve, QuarterOfAVesselHasNoFalseVariation) {
    const make::Solid tube = make::cut(make::cylinder({0, 0, 0}, {0, 0, 1}, 102, 300), {make::cylinder({0, 0, -1}, {0, 0, 1}, 98, 302)});
    const SolvedPart b({{"tube", tube}}, std::string("mesh.size = \"10 mm\"\n") + steel +
                                             "[[cut]]\nnormal = [1, 0, 0]\nsymmetry = true\n[[cut]]\nnormal = [0, 1, 0]\nsymmetry = true\n"
                                             "[[support]]\nfix = [\"z\"]\nwithin = [[-200, -200, -0.1], [200, 200, 0.1]]\n"
                                             "[[frame]]\nname = \"axis\"\nkind = \"cylindrical\"\ncircle = [100, 0, 300]\n"
                                             "[[load]]\npressure = \"2 MPa\"\nfrom = [0, 0, 150]\n"
                                             "[[load]]\nforce = [0, 0, \"15707.963 N\"]\nwithin = [[-200, -200, 299.9], [200, 200, 300.1]]\n"
                                             "[[probe]]\nname = \"round\"\nof = \"stress along y\"\nframe = \"axis\"\nside = \"middle\"\n"
                                             "[[probe]]\nname = \"along\"\nof = \"stress along z\"\nside = \"middle\"\n"
                                             "[[probe]]\nname = \"growth\"\nof = \"displacement x\"\nframe = \"axis\"\n");
    const Json j = b.run();
    const Json round = probe(j, "round"), along = probe(j, "along"), growth = probe(j, "growth");
    EXPECT_NEAR(round["mean"].get<double>() / 50, 1, 0.01);
    EXPECT_NEAR(along["mean"].get<double>() / 25, 1, 0.01);
    for (const Json& p : {round, along, growth}) EXPECT_LT((p["max"].get<double>() - p["min"].get<double>()) / p["mean"].get<double>(), 5e-3) << p;
    EXPECT_NEAR(growth["mean"].get<double>() / (100.0 / 210000 * (50 - 0.3 * 25)), 1, 0.01);
}

// A rib along a deck as a member that stands off: the section of both together bends.
TEST(Solve, DeckAndRibCarryTogether) {
    const auto plan = [](double gap) {
        return std::string("mesh.size = \"10 mm\"\n") + steel +
               "[[set]]\nname = \"ends\"\nof = \"edges\"\nbody = \"deck\"\nwhere = \"free and (x < 1 mm or x > 599 mm)\"\n"
               "[[support]]\nfix = [\"y\", \"z\"]\nid = \"set=ends\"\n[[support]]\nfix = [\"x\"]\npoints = [[300, 50, 2.5]]\n"
               "[[load]]\npressure = \"1 kPa\"\nfrom = [150, 50, 1000]\nbody = \"deck\"\n"
               "[[probe]]\nname = \"mid\"\nof = \"displacement z\"\npoints = [[300, 50, 2.5]]\n" +
               (gap > 0 ? "" : "");
    };
    const auto parts = [](double gap) {
        return std::vector<make::Item>{{"deck", make::box({0, 0, 0}, {600, 100, 5})}, {"rib", make::box({0, 48, 5 + gap}, {600, 4, 30})}};
    };
    const Json j = SolvedPart(parts(0), plan(0)).run();
    const double centroid = 120 * 17.5 / 620, inertia = 100 * 125 / 12.0 + 500 * centroid * centroid + 4 * 27000 / 12.0 + 120 * std::pow(17.5 - centroid, 2);
    const double bending = 5 * 0.1 * std::pow(600, 4) / (384 * 210000 * inertia), shear = 0.1 * 600 * 600 / 8 / (80769 * 120 * 5 / 6.0);
    EXPECT_NEAR(probe(j, "mid")["mean"].get<double>() / -(bending + shear), 1, 0.03);
    // Three millimetres off it hangs in the air, and that is said by name.
    SolvedPart(parts(3), plan(3)).refuses(4, "rib is held by nothing");
}

// A portal of tubes: cases, their combination, reactions by support.
// Two strips end to end: what pulls and what bends goes through the one seam between them, and each passes on what it takes.
TEST(Solve, SeamAndJointCarryWhatIsPutOn) {
    const SolvedPart b({{"left", make::box({0, 0, 0}, {100, 40, 4})}, {"right", make::box({100, 0, 0}, {200, 40, 4})}},
                       std::string("mesh.size = \"10 mm\"\n") + steel + held_left + "[[load]]\ncase = \"pull\"\nforce = [\"1 kN\", 0, 0]\n" + right_end +
                           "[[load]]\ncase = \"bend\"\nforce = [0, 0, \"-10 N\"]\n" + right_end);
    const Json j = b.run();
    ASSERT_EQ(j["seams"].size(), 1U);
    ASSERT_EQ(j["joints"].size(), 1U);
    const Job job = read_model(b / "out/model.halvo");
    ASSERT_EQ(job.solution.cases.size(), 2U);
    for (const CaseResult& c : job.solution.cases) {
        const bool pull = c.name == "pull";
        const double load = pull ? 1000 : 10;
        EXPECT_NEAR(c.load / load, 1, 1e-9);
        // Uneven forces of single nodes round the clamped end and the corners add to the sum of magnitudes.
        EXPECT_NEAR(c.through_seam.at(0).force / load, 1, 0.03) << c.name;
        EXPECT_NEAR(c.through_joint.at(0).force / load, 1, 0.03) << c.name;
        if (!pull) {
            EXPECT_NEAR(c.through_seam[0].moment / (10 * 100), 1, 0.1);
        }
        // Half of what comes in at the seam and what the other end gives.
        for (const Carried& p : c.through_property) EXPECT_NEAR(p.force / (0.5 * load), 1, 0.03);
    }
    EXPECT_EQ(j["seams"][0]["carries"]["case"], job.solution.cases[0].through_seam[0].force / 1000 > job.solution.cases[1].through_seam[0].force / 10
                                                    ? job.solution.cases[0].name
                                                    : job.solution.cases[1].name);
    EXPECT_NE(halvo_command("list " + in_quotes(b / "out/model.halvo") + " joints").out.find("carries N"), std::string::npos);
}

// A rib under a strip that bends: the force that it has at the wall has come through its seam, as shear flow.
TEST(Solve, RibTakesItsForceThroughItsSeam) {
    const make::Solid tee = make::extrude({make::polygon({{-20, 0}, {20, 0}, {20, 4}, {2, 4}, {2, 24}, {-2, 24}, {-2, 4}, {-20, 4}})}, 300);
    const SolvedPart b({{"tee", tee}}, std::string("mesh.size = \"5 mm\"\n") + steel +
                                           "[[support]]\nfix = \"all\"\nwithin = [[-1e3, -1e3, -1], [1e3, 1e3, 0.01]]\n" +
                                           "[[load]]\nforce = [0, \"100 N\", 0]\nwithin = [[-1, -1e3, 299.9], [1, 1e3, 301]]\n");
    const Json j = b.run();
    // Put on the rib itself: of what is put on the flange a part would go through the seam to the rib besides. Of the midsurfaces: flange 40 x 4, rib 4 x 22
    // from the flange's middle.
    const double af = 160, ar = 88, d = 11, yc = ar * d / (af + ar),
                 inertia = 40 * 64 / 12.0 + af * yc * yc + 4 * 22 * 22 * 22 / 12.0 + ar * (d - yc) * (d - yc);
    const double expected = 100 * 300 * ar * (d - yc) / inertia;
    double through = 0;
    for (const Json& s : j["seams"])
        if (s["kind"] == "tee") through += s["carries"]["force"].get<double>();
    EXPECT_NEAR(through / expected, 1, 0.1);
}

TEST(Solve, CasesCombineAndReactionsBalance) {
    const auto tube = [](double length) { return make::extrude(make::rectangular_tube(40, 40, 3, 0), length); };
    const SolvedPart b({{"post a", tube(600)},
                        {"post b", make::moved(tube(600), make::place({800, 0, 0}))},
                        {"beam", make::moved(tube(760), make::place({20, 0, 580}, {1, 0, 0}, {0, 1, 0}))}},
                       std::string("mesh.size = \"50 mm\"\njoin.reach = \"1 mm\"\n") + steel +
                           "[[support]]\nname = \"feet\"\nfix = \"all\"\nwithin = [[-100, -100, -1], [1000, 100, 1]]\n"
                           "[[load]]\ncase = \"wind\"\nforce = [\"1 kN\", 0, 0]\npoints = [[0, 0, 580]]\n"
                           "[[load]]\ncase = \"weight\"\nacceleration = [0, 0, \"-9.81 m/s2\"]\n"
                           "[[load]]\ncase = \"deck\"\nbody = \"beam\"\nforce_per_length = [0, 0, \"-2 N/mm\"]\n"
                           "[[case]]\nname = \"all\"\nloads = { wind = 1.5, weight = 1, deck = -2 }\n"
                           "[[probe]]\nname = \"sway\"\nof = \"displacement x\"\nbody = \"beam\"\n[[probe]]\nname = \"foot\"\nof = \"bending moment\"\nbody = "
                           "\"post a\"\nwithin = [[-50, -50, -1], [50, 50, 1]]\n");
    const Json j = b.run();
    ASSERT_EQ(j["results"].size(), 4U);
    const auto sway = [&](const char* c) { return probe(j, "sway", c)["mean"].get<double>(); };
    EXPECT_NEAR(sway("all"), 1.5 * sway("wind") + sway("weight") - 2 * sway("deck"), 1e-9);
    // Frame with fixed feet (h = 580, l = 800, one section): P h3 / 12 EI (2 + 3k) / (1 + 6k), k = h / l.
    const double inertia = (std::pow(40, 4) - std::pow(34, 4)) / 12, k = 580.0 / 800, h = 580;
    const double rigid = 1000 * h * h * h / (12 * 210000 * inertia) * (2 + 3 * k) / (1 + 6 * k);
    EXPECT_NEAR(sway("wind") / rigid, 1, 0.06);  // with shear and axial strain
    for (const Json& r : j["results"]) {
        EXPECT_LT(r["residual"].get<double>(), 1e-9);
        EXPECT_EQ(r["supports"][0]["name"], "feet");
    }
    EXPECT_NEAR(vector_of(j["results"][2]["reactions"]["force"]).z(), 1600, 1e-6);
}

TEST(Solve, HalfByAPlaneOfSymmetryIsTheWhole) {
    const make::Solid plate = make::cut(make::box({-100, -30, 0}, {200, 60, 3}), {make::cylinder({0, 0, -1}, {0, 0, 1}, 12, 5)});
    const std::string common = std::string("mesh.size = \"2 mm\"\n") + steel +
                               "[[load]]\nforce_per_length = [\"10 N/mm\", 0, 0]\nid = \"set=right\"\n"
                               "[[set]]\nname = \"right\"\nof = \"edges\"\nwhere = \"x > 99.9 mm\"\n"
                               "[[support]]\nfix = [\"z\"]\n[[support]]\nfix = [\"y\"]\npoints = [[100, 0, 1.5]]\n"
                               "[[probe]]\nname = \"peak\"\nof = \"stress along x\"\nside = \"middle\"\n"
                               "[[probe]]\nname = \"end\"\nof = \"displacement x\"\nwithin = [[99.9, -50, -50], [101, 50, 50]]\n";
    const Json half = SolvedPart({{"plate", plate}}, common + "[[cut]]\nname = \"mirror\"\nnormal = [1, 0, 0]\nsymmetry = true\n").run();
    const Json whole = SolvedPart({{"plate", plate}}, common +
                                                          "[[support]]\nfix = [\"x\"]\nwithin = [[-101, -50, -50], [-99.9, 50, 50]]\n"
                                                          "[[support]]\nfix = [\"y\"]\npoints = [[-100, 0, 1.5]]\n")
                           .run();
    ASSERT_FALSE(half.is_null() || whole.is_null());
    EXPECT_NEAR(vector_of(half["results"][0]["applied"]["force"]).x(), 600, 1e-6);
    EXPECT_NEAR(2 * probe(half, "end")["mean"].get<double>() / probe(whole, "end")["mean"].get<double>(), 1, 5e-3);
    EXPECT_NEAR(probe(half, "peak")["max"].get<double>() / probe(whole, "peak")["max"].get<double>(), 1, 0.05);
    // A hole of two fifths of the width: 2.25 times the net stress (Peterson), within what this mesh can see.
    EXPECT_NEAR(probe(half, "peak")["max"].get<double>() / (10.0 / 3 * 60 / 36), 2.25, 0.25);
}

TEST(Solve, WarmthStrainsWhatIsFreeAndStressesWhatIsHeld) {
    const auto run = [](const std::string& supports) {
        return SolvedPart({{"strip", strip_of_steel()}}, std::string("mesh.size = \"10 mm\"\n") + steel + supports +
                                                             "[[load]]\ntemperature = \"50 K\"\n[[probe]]\nname = \"s\"\nof = \"stress along x\"\n" +
                                                             "[[probe]]\nname = \"end\"\nof = \"displacement x\"\n" + right_end)
            .run();
    };
    const Json free =
        run("[[support]]\nfix = [\"x\"]\nwithin = [[-1, -1e3, -1e3], [0.01, 1e3, 1e3]]\n[[support]]\nfix = [\"y\", \"z\", \"rx\", \"rz\"]\npoints = [[0, 20, "
            "2]]\n[[support]]\nfix=[\"z\"]\npoints = [[200, 20, 2]]\n");
    EXPECT_NEAR(probe(free, "end")["mean"].get<double>(), 200 * 1.2e-5 * 50, 1e-9);
    EXPECT_NEAR(probe(free, "s")["max"].get<double>(), 0, 1e-6);
    const Json held = run(std::string(held_left) + "[[support]]\nfix = \"all\"\n" + right_end);
    EXPECT_NEAR(probe(held, "s")["mean"].get<double>() / (-210000 * 1.2e-5 * 50), 1, 0.06);
}

TEST(Solve, PointsMassesSpringsAndMovesActAsTheySay) {
    const std::string base = std::string("mesh.size = \"10 mm\"\n") + steel + held_left;
    // A mass on a rigid point beyond the end, and a force there: as on a longer arm.
    const Json mass =
        SolvedPart({{"strip", strip_of_steel()}}, base + "[[point]]\nname = \"head\"\nat = [300, 20, 2]\nhow = \"rigid\"\n" + right_end +
                                                      "[[load]]\nforce = [0, 0, \"-1 N\"]\npoint = \"head\"\n[[mass]]\nmass = \"5 kg\"\npoint = \"head\"\n"
                                                      "[[probe]]\nname = \"head\"\nof = \"displacement z\"\npoint = \"head\"\n[modes]\ncount = 1\n")
            .run();
    const double ei = 210000 * 40 * 64 / 12.0;
    // Moment of the force over the strip: 300 at the wall, 100 at the end.
    const double soft = (std::pow(300, 3) - std::pow(100, 3)) / (3 * ei);
    EXPECT_NEAR(probe(mass, "head")["mean"].get<double>() / -soft, 1, 0.03);
    EXPECT_NEAR(mass["modes"][0]["frequency"].get<double>() / (std::sqrt(1 / soft / 5e-3) / (2 * pi)), 1, 0.03);
    // On average: the point goes where the end goes.
    const Json average =
        SolvedPart({{"strip", strip_of_steel()}},
                   base +
                       "[[point]]\nname = \"head\"\nat = [200, 20, 2]\nhow = \"average\"\nwithin = [[180, -1, -9], [201, 99, 9]]\n"
                       "[[load]]\nforce = [0, 0, \"-1 N\"]\npoint = \"head\"\n[[probe]]\nname = \"head\"\nof = \"displacement z\"\npoint = \"head\"\n")
            .run();
    EXPECT_NEAR(probe(average, "head")["mean"].get<double>() / (-8e6 / 3 / ei), 1, 0.05);
    EXPECT_NEAR(vector_of(average["results"][0]["reactions"]["force"]).z(), 1, 1e-9);
    // A spring much softer than the strip carries by its stiffness; a move forces the end where it is told.
    const Json moved =
        SolvedPart({{"strip", strip_of_steel()}},
                   base + "[[support]]\nname = \"jack\"\nmove = { z = \"2 mm\" }\ncase = \"jack\"\n" + right_end +
                       "[[support]]\nname = \"spring\"\nspring = { z = \"100 N/mm\" }\n" + right_end +
                       "[[load]]\ncase = \"push\"\nforce = [0, 0, \"-10 N\"]\n" + right_end +
                       "[[case]]\nname = \"both\"\nloads = { jack = 0.5, push = 1 }\n[[probe]]\nname = \"end\"\nof = \"displacement z\"\n" + right_end)
            .run();
    EXPECT_NEAR(probe(moved, "end", "jack")["mean"].get<double>(), 2, 1e-9);
    EXPECT_NEAR(probe(moved, "end", "both")["min"].get<double>(), 1, 1e-9);
    EXPECT_NEAR(probe(moved, "end", "push")["mean"].get<double>() / (-10 / (100 + 3 * ei / 8e6)), 1, 0.02);
}

TEST(Solve, SaysInOneLineWhatCannotBe) {
    const auto bad = [](const std::string& plan, int code, const std::string& part) { SolvedPart({{"strip", strip_of_steel()}}, plan).refuses(code, part); };
    const std::string load = std::string("[[load]]\nforce = [0, 0, -1]\n") + right_end, s = steel, h = held_left;
    bad(h + load, 4, "no material for strip");
    bad(s + load, 4, "strip is held by nothing");
    bad(s + "[[support]]\nfix = [\"x\", \"y\", \"z\"]\nwithin = [[-1, -1e3, -1e3], [0.01, 1e3, 1e3]]\n" + load, 4, "can turn about");
    bad(s + h, 4, "nothing that pushes");
    bad(s + h + "[[load]]\nforce = [0, 0, -1]\nwithin = [[500, 0, 0], [600, 1, 1]]\n", 4, "picks no nodes");
    bad(s + h + "[[load]]\nforce = [0, 0, -1]\nid = \"set=nowhere\"\n", 3, "no [[set]] is named");
    bad(s + h + "[[set]]\nname = \"none\"\nof = \"nodes\"\nwhere = \"x > 1 m\"\n[[load]]\nforce = [0, 0, -1]\nid = \"set=none\"\n", 4, "picks no nodes");
    bad(s + h + "[[support]]\nmove = { x = \"1 mm\" }\nwithin = [[-1, -1e3, -1e3], [0.01, 1e3, 1e3]]\n" + load, 4, "hold otherwise");
    bad(s + h + "[[load]]\nforce = [0, 0, nan]\n", 3, "finite");
    bad(s + h + "[[load]]\nforce = [0, 0, \"3 kg\"]\n", 3, "cannot be given in N");
    bad(s + h + "[[load]]\nforce = [0, 0, 1]\npressure = 2\nfrom = [0, 0, 0]\n", 3, "takes one of");
    bad(s + h + "[[load]]\npressure = 2\n", 3, "load.from is missing");
    bad(s + h + "[[load]]\ntemperature = \"20 degC\"\n", 3, "give it in K");
    bad("[[material]]\nname = \"unobtainium\"\n" + h + load, 3, "none of those known by name");
    bad("[[material]]\nname = \"mine\"\nyoung = 2e5\npoisson = 0.7\n" + h + load, 3, "less than 0.5");
    bad("[[material]]\nname = \"mine\"\nyoung = 2e5\npoisson = 0.3\ndensity = 7850\n" + h + load, 3, "weighs more than anything");
    bad(s + h + load + "[[probe]]\nname = \"p\"\nof = \"von misses\"\n", 3, "is none of");
    bad(s + h + load + "[[case]]\nname = \"c\"\nloads = { wind = 1 }\n", 4, "no load and no case is named \"wind\"");
    bad(s + h + load + "[[set]]\nname = \"a\"\nof = \"nodes\"\nwhere = \"x < 3 mm and thicknes = 2\"\n", 3,
        "at character 14: \"thicknes\" is not known; the nearest known word is thickness");
}

// Hoop stress of a tube tends to pr/t with the square of the element size, and a thickness that is varied does what it says.
TEST(Study, ExtrapolatesAndVariesAnyKey) {
    const make::Solid tube = make::cut(make::cylinder({0, 0, 0}, {0, 0, 1}, 51, 100), {make::cylinder({0, 0, -1}, {0, 0, 1}, 49, 102)});
    const SolvedPart b({{"tube", tube}}, std::string("mesh.size = \"10 mm\"\n") + steel +
                                             "[[cut]]\nnormal = [1, 0, 0]\nsymmetry = true\n[[cut]]\nnormal = [0, 1, 0]\nsymmetry = true\n"
                                             "[[support]]\nfix = [\"z\"]\nwithin = [[-200, -200, -0.1], [200, 200, 0.1]]\n"
                                             "[[frame]]\nname = \"axis\"\nkind = \"cylindrical\"\n[[load]]\npressure = \"1 MPa\"\nfrom = [0, 0, 50]\n"
                                             "[[thickness]]\nbody = \"tube\"\nthickness = \"2 mm\"\n"
                                             "[[probe]]\nname = \"round\"\nof = \"stress along y\"\nframe = \"axis\"\nside = \"middle\"\n");
    const std::string run = "study " + in_quotes(b / "plan.toml") + " --quiet --out " + in_quotes(b / "study") + " --vary ";
    Ran r = halvo_command(run + "mesh.size=12mm,6mm,3mm");
    ASSERT_EQ(r.code, 0) << r.err;
    std::ifstream csv(b / "study/study.csv");
    std::string heads, line, extrapolated, order;
    std::getline(csv, heads);
    int rows = 0;
    while (std::getline(csv, line)) {
        if (line.starts_with("extrapolated")) extrapolated = line;
        else if (line.starts_with("order")) order = line;
        else ++rows;
    }
    EXPECT_EQ(rows, 3);
    const auto column = [](const std::string& row, std::size_t n) {
        std::size_t at = 0;
        bool inside = false;
        std::string cell;
        for (const char c : row) {
            if (c == '"') inside = !inside;
            else if (c == ',' && !inside) ++at;
            else if (at == n) cell += c;
        }
        return cell;
    };
    std::size_t mean = 0;
    while (column(heads, mean).find("round: stress along y, loads, mean") == std::string::npos) ASSERT_LT(++mean, 40U) << heads;
    EXPECT_NEAR(std::stod(column(extrapolated, mean)), 25, 0.05);
    EXPECT_NEAR(std::stod(column(order, mean)), 2, 0.3);
    EXPECT_GT(fs::file_size(b / "study/study.png"), 5000U);
    // All combinations; half the thickness is twice the stress.
    r = halvo_command(run + "'thickness[1].thickness=1mm..2mm/2' --vary mesh.size=12mm,6mm");
    ASSERT_EQ(r.code, 0) << r.err;
    std::ifstream grid(b / "study/study.csv");
    std::getline(grid, heads);
    std::vector<double> stress;
    while (std::getline(grid, line)) stress.push_back(std::stod(column(line, mean + 1)));
    ASSERT_EQ(stress.size(), 4U);
    EXPECT_NEAR(stress[0] / stress[2], 2, 1e-2);
    for (const auto& [wrong, part] :
         std::initializer_list<std::pair<const char*, const char*>>{{"mesh.sise=1mm,2mm", "nearest known one is mesh.size"},
                                                                    {"mesh.size", "give KEY="},
                                                                    {"'thickness[3].thickness=1mm'", "the plan has 1 [[thickness]]"},
                                                                    {"mesh.size=1mm..2mm", "needs a count"}}) {
        r = halvo_command(run + wrong);
        EXPECT_EQ(r.code, 2) << wrong;
        EXPECT_NE(r.err.find(part), std::string::npos) << r.err;
    }
}

TEST(Expression, MeansWhatItSays) {
    const auto value = [](std::string_view w) -> ExpressionValue {
        if (w == "body") return std::string("deck plate");
        if (w == "free") return true;
        if (w == "shared") return false;
        if (w == "radius") return std::numeric_limits<double>::quiet_NaN();
        if (w == "x") return 30.0;
        if (w == "y") return -4.0;
        return 10.0;
    };
    const auto holds = [&](const char* text) { return Expression(text, "plan.toml:3").holds(value); };
    for (const char* yes : {"x = 30", "x = 3 cm", "x > 1 inch and x < 2 inch", "free and not shared", "body = 'deck*'", "body != 'rib'", "not (x < 5) or y > 0",
                            "abs(y) = 4", "sqrt(x*x + y*y) < 31", "min(x, y, z) = -4", "2 * (x - 10) / 4 = 10", "-y = 4", "x - 5 - 5 = 20",
                            "free or radius > 3 and shared", "area < 1 cm2", "not radius > 3 and not radius <= 3"})
        EXPECT_TRUE(holds(yes)) << yes;
    for (const char* no : {"x < 30", "shared", "body = 'rib'", "radius > 0", "radius <= 0", "free and shared or x = 2"}) EXPECT_FALSE(holds(no)) << no;
    for (const auto& [text, at] : std::initializer_list<std::pair<const char*, int>>{{"x", 1},
                                                                                     {"x <", 4},
                                                                                     {"x < 3 and", 10},
                                                                                     {"x < 3 kg", 5},
                                                                                     {"(x < 3", 1},
                                                                                     {"body < 'a'", 1},
                                                                                     {"x = 'a'", 1},
                                                                                     {"1 < x < 3", 7},
                                                                                     {"x < 3 free", 5},
                                                                                     {"fre", 1},
                                                                                     {"x # 3", 3},
                                                                                     {"", 1}}) {
        try {
            const Expression e(text, "plan.toml:3");
            FAIL() << text;
        } catch (const Error& e) {
            EXPECT_NE(std::string(e.what()).find(fmt::format("at character {}:", at)), std::string::npos) << text << ": " << e.what();
        }
    }
}

TEST(Sets, EdgesAndVerticesByExpressionAndAlgebra) {
    Plan plan;
    const auto set = [&](const std::string& name, SetOf of, const std::string& where) -> SetRule& {
        SetRule r;
        r.name = name, r.of = of, r.where = where;
        plan.join.sets.push_back(r);
        return plan.join.sets.back();
    };
    FrameRule ring;
    ring.name = "ring", ring.kind = FrameRule::Kind::cylindrical, ring.circle = Vec3(68, 20, 4);
    plan.join.frames.push_back(ring);
    set("rim", SetOf::edges, "round and radius < 9 mm");
    set("near", SetOf::vertices, "r < 70 mm").frame = "ring";
    set("all", SetOf::edges, "free");
    SetRule& rest = set("rest", SetOf::any, "");
    rest.of = SetOf::any, rest.plus = {"all"}, rest.minus = {"rim"};
    set("plates", SetOf::sheets, "thickness = 4 mm and surface = 'plane' and abs(nz) > 0.99");
    set("none", SetOf::sheets, "thickness > 5 mm");
    const Job job = job_of(make::cut(strip_of_steel(), {make::cylinder({60, 20, -1}, {0, 0, 1}, 8, 6)}), plan);
    const auto found_set = [&](const char* name) {
        return *std::find_if(job.model.sets.begin(), job.model.sets.end(), [&](const ModelSet& s) { return s.name == name; });
    };
    double rim = 0, all = 0, left = 0;
    for (EdgeId e : found_set("rim").edges) rim += job.model.length(e);
    for (EdgeId e : found_set("all").edges) all += job.model.length(e);
    for (EdgeId e : found_set("rest").edges) left += job.model.length(e);
    EXPECT_NEAR(rim, 2 * pi * 8, 1e-6);
    EXPECT_NEAR(all, 480 + 2 * pi * 8, 1e-6);
    EXPECT_NEAR(left, 480, 1e-6);
    for (VertexId v : found_set("near").vertices) EXPECT_LT((job.model.vertices[v.index()].point + job.model.shift - Vec3(60, 20, 2)).norm(), 70);
    EXPECT_GE(found_set("near").vertices.size(), 3U);
    EXPECT_EQ(found_set("plates").sheets.size(), 1U);
    EXPECT_EQ(count_findings(job, "rule without effect"), 1U);
}

}  // namespace test
