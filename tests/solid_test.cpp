// Solid elements, the solid beside its shells, closed forms beside probes, thickness sweeps and factorization on several processes.
#include "solved_part.hpp"

#include <halvo/halvo.hpp>

#include <Eigen/Eigenvalues>

#include <cmath>

namespace test {
namespace {

Material elastic(double young, double poisson) {
    Material m;
    m.name = "test", m.young = young, m.poisson = poisson, m.density = 7.85e-9, m.expansion = 1.2e-5;
    return m;
}

// A block of nx by ny by nz elements, carried into space.
struct SolidBlock {
    Structure s;
    int nx, ny, nz;
    SolidBlock(int x, int y, int z, const Material& m, const std::function<Vec3(const Vec3&)>& place) : nx(x), ny(y), nz(z) {
        s.materials = {m};
        for (int k = 0; k <= nz; ++k)
            for (int j = 0; j <= ny; ++j)
                for (int i = 0; i <= nx; ++i) s.nodes.push_back(place(Vec3(double(i) / nx, double(j) / ny, double(k) / nz)));
        for (int k = 0; k < nz; ++k)
            for (int j = 0; j < ny; ++j)
                for (int i = 0; i < nx; ++i)
                    s.solids.push_back({{at(i, j, k), at(i + 1, j, k), at(i + 1, j + 1, k), at(i, j + 1, k), at(i, j, k + 1), at(i + 1, j, k + 1),
                                         at(i + 1, j + 1, k + 1), at(i, j + 1, k + 1)}});
    }
    [[nodiscard]] std::int32_t at(int i, int j, int k) const { return (k * (ny + 1) + j) * (nx + 1) + i; }
    void hold(std::int32_t node, int direction, double value = 0) { s.equations.push_back({{{6 * std::int64_t{node} + direction, 1.0}}, value, 0}); }
    [[nodiscard]] StructureLoads none() const {
        StructureLoads l;
        l.forces = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * s.nodes.size()));
        return l;
    }
};

// Off the place of an even mesh by up to a fifth, the same in every run.
Vec3 shaken(const Vec3& p) {
    const auto off = [&](double a) { return 0.07 * std::sin(19 * p.x() + 23 * p.y() + 31 * p.z() + a); };
    const auto inside = [](double v) { return v > 0.01 && v < 0.99; };
    return inside(p.x()) && inside(p.y()) && inside(p.z()) ? Vec3(p + Vec3(off(0), off(1), off(2))) : p;
}

// Held at one end, pushed down and to the side at the other; beside a solid.
std::string cantilever_plan(double size, const std::string& root, const std::string& tip) {
    return fmt::format(R"(mesh.size = "{} mm"
[[material]]
young = "210 GPa"
poisson = 0.3
density = "7850 kg/m3"
[reference]
solid = true
[[set]]
name = "root"
of = "nodes"
where = "{}"
[[set]]
name = "tip"
of = "nodes"
where = "{}"
[[support]]
id = "set=root"
fix = "all"
[[load]]
id = "set=tip"
force = [0, "-1 kN", 0]
case = "down"
[[load]]
id = "set=tip"
force = ["1 kN", 0, 0]
case = "side"
[[probe]]
name = "tip"
id = "set=tip"
of = "displacement total"
)",
                       size, root, tip);
}

void agrees(const Json& summary, double energy, double moved, double stress) {
    ASSERT_TRUE(summary.contains("reference"));
    for (const Json& f : summary["reference"]["figures"]) {
        const std::string what = f["what"];
        const double within = what == "strain energy" ? energy : what.starts_with("von Mises") ? stress : moved;
        EXPECT_LT(std::abs(f["difference"].get<double>()), within) << what << " " << f["case"];
    }
}

}  // namespace

TEST(Solids, ConstantStrainIsExactInAnyShape) {
    for (int state = 0; state < 6; ++state) {
        const Eigen::Isometry3d turned = make::place({40, -70, 1e4}, Vec3(1, 2, 3).normalized(), Vec3(3, 0, -1).normalized());
        SolidBlock b(3, 3, 2, elastic(210000, 0.3), [&](const Vec3& p) { return turned * Vec3(shaken(p).cwiseProduct(Vec3(30, 20, 10))); });
        Eigen::Matrix3d slope = Eigen::Matrix3d::Zero();
        constexpr std::array<std::array<int, 2>, 6> of{{{0, 0}, {1, 1}, {2, 2}, {0, 1}, {1, 2}, {2, 0}}};
        slope(of[size_t(state)][0], of[size_t(state)][1]) = 1e-3;
        const auto field = [&](const Vec3& x) { return Vec3(slope * (x - turned.translation())); };
        for (int k = 0; k <= 2; ++k)
            for (int j = 0; j <= 3; ++j)
                for (int i = 0; i <= 3; ++i)
                    if (i % 3 == 0 || j % 3 == 0 || k % 2 == 0)
                        for (int d = 0; d < 3; ++d) b.hold(b.at(i, j, k), d, field(b.s.nodes[size_t(b.at(i, j, k))])[d]);
        const StructureState s = Equations(b.s).solve(b.none());
        for (std::size_t n = 0; n < b.s.nodes.size(); ++n)
            EXPECT_LT((s.movement.segment<3>(Eigen::Index(6 * n)) - field(b.s.nodes[n])).norm(), 1e-10 * 0.03) << state;
        const Eigen::Matrix3d e = 0.5 * (slope + slope.transpose());
        const double lambda = 210000 * 0.3 / (1.3 * 0.4), g = 210000 / 2.6;
        const Eigen::Matrix3d stress = lambda * e.trace() * Eigen::Matrix3d::Identity() + 2 * g * e;
        for (const SolidState& q : s.solids)
            for (const Stress& c : q.corner)
                EXPECT_LT(std::abs(c[0] - stress(0, 0)) + std::abs(c[3] - stress(0, 1)) + std::abs(c[5] - stress(2, 0)), 1e-7) << state;
    }
}

TEST(Solids, RigidMotionsAloneCostNothing) {
    std::array<Vec3, 8> corners{Vec3(0, 0, 0), Vec3(3, 0.2, 0),   Vec3(2.8, 2, 0.3), Vec3(0.1, 1.7, 0),
                                Vec3(0, 0, 1), Vec3(3.1, 0, 1.2), Vec3(3, 2.2, 1),   Vec3(0, 2, 0.9)};
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> eigen(solid_stiffness(corners, elastic(1000, 0.3)));
    EXPECT_LT(std::abs(eigen.eigenvalues()[5]), 1e-9 * eigen.eigenvalues()[23]);
    EXPECT_GT(eigen.eigenvalues()[6], 1e-3 * eigen.eigenvalues()[23]);
}

TEST(Solids, OneRowBendsAsABeamDoes) {
    SolidBlock b(12, 1, 1, elastic(210000, 0), [](const Vec3& p) { return Vec3(120 * p.x(), 6 * p.y(), 4 * p.z()); });
    for (int j = 0; j <= 1; ++j)
        for (int k = 0; k <= 1; ++k)
            for (int d = 0; d < 3; ++d) b.hold(b.at(0, j, k), d);
    StructureLoads l = b.none();
    for (int j = 0; j <= 1; ++j)
        for (int k = 0; k <= 1; ++k) l.forces[6 * b.at(12, j, k) + 2] = -2.5;
    const StructureState s = Equations(b.s).solve(l);
    const double inertia = 6 * 64 / 12.0, shear = 10 * 120 / (210000 / 2.0 * 24 * 5 / 6);
    EXPECT_NEAR(-s.movement[6 * b.at(12, 0, 0) + 2] / (10 * std::pow(120, 3) / (3 * 210000 * inertia) + shear), 1, 5e-3);
    EXPECT_LT(s.residual, 1e-9);
}

TEST(Solids, WarmthStrainsWhatIsFreeAndStressesWhatIsHeld) {
    SolidBlock b(3, 2, 2, elastic(70000, 0.33), [](const Vec3& p) { return Vec3(shaken(p).cwiseProduct(Vec3(30, 20, 10))); });
    StructureLoads l = b.none();
    l.solid_warming.assign(b.s.solids.size(), 50.0);
    for (int j = 0; j <= 2; ++j)
        for (int k = 0; k <= 2; ++k) b.hold(b.at(0, j, k), 0);
    b.hold(b.at(0, 0, 0), 1), b.hold(b.at(0, 0, 0), 2), b.hold(b.at(0, 2, 0), 2);
    StructureState s = Equations(b.s).solve(l);
    EXPECT_NEAR(s.movement[6 * b.at(3, 1, 1)] / (1.2e-5 * 50 * 30), 1, 1e-9);
    EXPECT_LT(von_mises(s.solids[0].corner[3]), 1e-7);
    for (int j = 0; j <= 2; ++j)
        for (int k = 0; k <= 2; ++k) b.hold(b.at(3, j, k), 0);
    s = Equations(b.s).solve(l);
    for (const SolidState& q : s.solids) EXPECT_NEAR(q.corner[0][0], -70000 * 1.2e-5 * 50, 1e-6);
}

TEST(Solids, LayoutIsKeptWhereShapesAreTheSame) {
    SolidBlock b(4, 1, 1, elastic(210000, 0.3), [](const Vec3& p) { return Vec3(40 * p.x(), 6 * p.y(), 4 * p.z()); });
    for (int j = 0; j <= 1; ++j)
        for (int k = 0; k <= 1; ++k)
            for (int d = 0; d < 3; ++d) b.hold(b.at(0, j, k), d);
    StructureLoads l = b.none(), twice = b.none();
    l.forces[6 * b.at(4, 0, 0) + 2] = 1, twice.forces[6 * b.at(4, 0, 0) + 2] = 2;
    const Equations first(b.s);
    Structure softer = b.s;
    softer.materials[0].young /= 2;
    const Equations second(softer, {}, first.layout());
    EXPECT_EQ(first.layout(), second.layout());
    const auto states = first.solve({l, twice});
    EXPECT_LT((second.solve(l).movement - states[1].movement).norm(), 1e-10 * states[1].movement.norm());
    EXPECT_LT((2 * states[0].movement - states[1].movement).norm(), 1e-12 * states[1].movement.norm());
    softer.nodes[0].x() -= 1;
    EXPECT_NE(Equations(softer, {}, first.layout()).layout(), first.layout());
}

TEST(SolidReference, ProfilesBendAndTwistAlike) {
    const auto angle = make::extrude({make::polygon({{0, 0}, {60, 0}, {60, 5}, {5, 5}, {5, 90}, {0, 90}})}, 500);
    SolvedShells c({{"angle", angle}}, cantilever_plan(12, "z < 0.1 mm", "z > 499.9 mm"));
    const Json here = c.run();
    agrees(here, 0.02, 0.03, 0.04);
    EXPECT_NEAR(here["reference"]["volume"].get<double>() / (5 * (60 + 85) * 500.0), 1, 1e-9);
    const auto hat = make::extrude(
        {make::polygon(
            {{-60, 0}, {-28, 0}, {-20, 40}, {20, 40}, {28, 0}, {60, 0}, {60, 2.5}, {29.9, 2.5}, {21.9, 42.5}, {-21.9, 42.5}, {-29.9, 2.5}, {-60, 2.5}})},
        300);
    SolvedShells h({{"hat", hat}}, cantilever_plan(10, "z < 0.1 mm", "z > 299.9 mm"));
    agrees(h.run(), 0.02, 0.03, 0.04);
    SolvedShells g({{"girder", make::extrude(make::rectangular_tube(100, 150, 6, 0), 800)}}, cantilever_plan(18, "z < 0.1 mm", "z > 799.9 mm"));
    agrees(g.run(), 0.01, 0.02, 0.05);
}

TEST(SolidReference, IsTheSameTurnedAndFarAway) {
    const auto angle = make::extrude({make::polygon({{0, 0}, {60, 0}, {60, 5}, {5, 5}, {5, 90}, {0, 90}})}, 300);
    const auto plan = [](const std::string& frame) {
        std::string p = cantilever_plan(15, "z < 0.1 mm", "z > 299.9 mm");
        for (const char* name : {"name = \"root\"", "name = \"tip\"\nof = \"nodes\"", "case = \"down\"", "case = \"side\""}) {
            const auto at = p.find(name) + std::string(name).size();
            p.insert(at, "\nframe = \"own\"");
        }
        return p + frame;
    };
    SolvedShells here({{"angle", angle}}, plan("[[frame]]\nname = \"own\"\norigin = [0, 0, 0]\n"));
    const Eigen::Isometry3d away = make::place({1e5, -2e4, 300}, Vec3(2, -1, 2).normalized(), Vec3(1, 2, 0).normalized());
    const Vec3 z = away.linear().col(2), x = away.linear().col(0);
    SolvedShells there(
        {{"angle", make::moved(angle, away)}},
        plan(fmt::format("[[frame]]\nname = \"own\"\norigin = [1e5, -2e4, 300]\nz = [{:.15g}, {:.15g}, {:.15g}]\nx = [{:.15g}, {:.15g}, {:.15g}]\n", z.x(),
                         z.y(), z.z(), x.x(), x.y(), x.z())));
    const Json a = here.run(), b = there.run();
    ASSERT_EQ(a["reference"]["figures"].size(), b["reference"]["figures"].size());
    for (std::size_t i = 0; i < a["reference"]["figures"].size(); ++i) {
        const Json &p = a["reference"]["figures"][i], &q = b["reference"]["figures"][i];
        // Nodes on the line halfway between the two sheets belong to either, as rounding has it: their forces come in a little differently.
        EXPECT_NEAR(q["solid"].get<double>() / p["solid"].get<double>(), 1, 1e-4) << p["what"];
    }
}

TEST(SolidReference, PlatesAndTurnedShellsToo) {
    const auto plate = make::cut(make::box({0, 0, 0}, {240, 160, 6}), {make::cylinder({120, 80, -5}, {0, 0, 1}, 30, 20)});
    SolvedShells p({{"plate", plate}}, cantilever_plan(10, "x < 0.1 mm", "x > 239.9 mm"));
    const Json j = p.run();
    agrees(j, 0.01, 0.01, 0.08);
    EXPECT_NEAR(j["reference"]["volume"].get<double>() / ((240 * 160 - pi * 900) * 6), 1, 5e-4);  // the hole has chords
    // A quarter of a belt of a sphere, cut by two planes and open at the pole: one cap turned by 90 degrees.
    const auto dome = make::cut(make::ball({0, 0, 0}, 203),
                                {make::ball({0, 0, 0}, 197), make::cylinder({0, 0, -300}, {0, 0, 1}, 60, 600), make::box({-300, -300, -300}, {600, 600, 300}),
                                 make::box({-300, -300, -300}, {300, 600, 600}), make::box({-300, -300, -300}, {600, 300, 600})});
    SolvedShells d({{"dome", dome}}, cantilever_plan(12, "z < 0.1 mm", "z > 187.9 mm"));
    const Json k = d.run();
    agrees(k, 0.02, 0.03, 0.08);
    EXPECT_NE(k["reference"]["sweep"].get<std::string>().find("turned by 90 degrees"), std::string::npos);
}

TEST(SolidReference, SaysInOneLineWhatItIsNotFor) {
    const auto box = make::box({0, 0, 0}, {200, 40, 4});
    const std::string plan = cantilever_plan(10, "x < 0.1 mm", "x > 199.9 mm");
    SolvedShells({{"a", box}, {"b", make::box({100, 18, 4}, {4, 4, 60})}}, plan).refuses(4, "there are 2 bodies");
    SolvedShells({{"cup", make::cut(make::box({0, 0, 0}, {200, 80, 40}), {make::box({3, 3, 3}, {194, 74, 60})})}},
                 cantilever_plan(10, "x < 3 mm", "x > 197 mm"))
        .refuses(4, "cup is none");
}

TEST(Known, FormsHaveTheirPublishedValues) {
    const auto value = [](const std::string& form, std::map<std::string, double> v) { return known_value({form, std::move(v), "mean"}); };
    // Theory of Plates and Shells, table 8: 0.00406 for a square, 0.01013 for one twice as long; table of the cantilever: 1.8751, 4.6941.
    const double d = 210000 * 1000 / (12 * 0.91);
    EXPECT_NEAR(
        value("resting rectangular plate middle", {{"pressure", 1}, {"length", 100}, {"width", 100}, {"thickness", 10}, {"young", 210000}, {"poisson", 0.3}}) *
            d / 1e8,
        0.00406, 5e-6);
    EXPECT_NEAR(
        value("resting rectangular plate middle", {{"pressure", 1}, {"length", 200}, {"width", 100}, {"thickness", 10}, {"young", 210000}, {"poisson", 0.3}}) *
            d / 1e8,
        0.01013, 5e-6);
    const std::map<std::string, double> unit{{"young", 1}, {"inertia", 1}, {"density", 1}, {"area", 1}, {"length", 1}};
    for (const auto& [number, root] : {std::pair{1.0, 1.87510407}, {2.0, 4.69409113}, {3.0, 7.85475744}}) {
        auto v = unit;
        v["number"] = number;
        EXPECT_NEAR(std::sqrt(2 * pi * value("cantilever frequency", v)), root, 1e-7);
    }
    EXPECT_THROW((void)value("cylinder hoop stress", {{"pressure", 1}, {"radius", 2}}), Error);
    EXPECT_THROW((void)value("cylinder hop stress", {}), Error);
    for (const KnownForm& f : known_forms()) EXPECT_FALSE(f.formula.empty() || f.source.empty() || f.quantities.empty()) << f.name;
}

TEST(Known, StandsBesideTheProbe) {
    const std::string probe = "[[probe]]\nname = \"tip\"\nof = \"displacement z\"\nwithin = [[199.9, -1, -10], [201, 50, 10]]\n";
    const auto plan = [&](const std::string& known) {
        return "mesh.size = \"5 mm\"\n[modes]\ncount = 1\n[[material]]\nyoung = \"210 GPa\"\npoisson = 0\ndensity = \"7850 kg/m3\"\n"
               "[[support]]\nfix = \"all\"\nwithin = [[-1, -1, -10], [0.01, 50, 10]]\n[[load]]\nforce = [0, 0, \"10 N\"]\nwithin = [[199.9, -1, -10], [201, "
               "50, 10]]\n" +
               probe + known +
               "[[probe]]\nname = \"first\"\nof = \"frequency 1\"\nknown = { form = \"cantilever frequency\", young = \"210 GPa\", inertia = \"213.33333333 "
               "mm4\", density = "
               "\"7850 kg/m3\", area = \"160 mm2\", length = \"200 mm\", number = 1 }\n";
    };
    const auto strip = make::box({0, 0, 0}, {200, 40, 4});
    SolvedShells c(
        {{"strip", strip}},
        plan("known = { form = \"cantilever tip under force\", force = \"10 N\", length = \"0.2 m\", young = \"210 GPa\", inertia = \"213.33333333 mm4\" }\n"));
    const Json j = c.run();
    const Json& tip = j["probes"][0]["known"];
    EXPECT_NEAR(tip["value"].get<double>(), 10 * 8e6 / (3 * 210000 * 640 / 3.0), 1e-9);
    EXPECT_LT(std::abs(tip["difference"].get<double>()), 2e-3);
    EXPECT_NEAR(tip["difference"].get<double>(), j["probes"][0]["mean"].get<double>() / tip["value"].get<double>() - 1, 1e-12);
    EXPECT_LT(std::abs(j["probes"][1]["known"]["difference"].get<double>()), 2e-3);
    const Ran list = halvo_command("list " + in_quotes(c / "out/model.halvo") + " known");
    EXPECT_NE(list.out.find("cantilever tip under force"), std::string::npos) << list.err;
    for (const auto& [known, part] :
         {std::pair<std::string, std::string>{"known = { form = \"cantilever tip under fore\", force = \"10 N\" }\n", "the nearest is"},
          {"known = { form = \"bar stretch\", force = \"10 N\" }\n", "needs length"},
          {"known = { form = \"bar stretch\", forse = \"10 N\" }\n", "the nearest known one is force"},
          {"known = { form = \"bending stress\", moment = \"10 N m\", distance = \"2 mm\", inertia = \"640 mm4\" }\n", "is in MPa"}}) {
        const Ran r = SolvedShells({{"strip", strip}}, plan(known)).ran();
        EXPECT_TRUE(r.code == 3 || r.code == 4) << known;
        EXPECT_NE(r.err.find(part), std::string::npos) << r.err;
    }
}

TEST(Study, ThicknessSweepIsTheSameAsFreshRuns) {
    const auto tee = make::fuse({make::box({0, 0, 0}, {300, 120, 6}), make::box({0, 57, 6}, {300, 6, 60})});
    const std::string plan =
        "mesh.size = \"15 mm\"\n[modes]\ncount = 2\n[[material]]\nname = \"steel\"\n[[support]]\nfix = \"all\"\nwithin = [[-1, -1, -10], [0.01, 200, 100]]\n"
        "[[load]]\nforce = [0, 0, \"-100 N\"]\nwithin = [[299.9, -1, -10], [301, 200, 100]]\n[[thickness]]\nwithin = [[-10, -10, -10], [400, 200, "
        "10]]\nthickness = \"6 mm\"\n";
    SolvedShells c({{"tee", make::unify(tee)}}, plan);
    const Ran r = halvo_command("study " + in_quotes(c / "plan.toml") + " --vary 'thickness[1].thickness=4mm,6mm,9mm' --quiet --out " + in_quotes(c / "study"));
    ASSERT_EQ(r.code, 0) << r.err;
    const Study swept = read_study(c / "study/study.csv");
    for (std::size_t i = 0; i < 3; ++i) {
        const Json fresh = c.run("--set 'thickness[1].thickness=" + swept.runs[i][0] + "'");
        const auto figure = [&](const std::string& name) {
            for (const StudyFigure& f : swept.figures)
                if (f.name == name) return f.values[i];
            ADD_FAILURE() << name;
            return 0.0;
        };
        EXPECT_NEAR(figure("largest displacement, loads") / fresh["results"][0]["max_displacement"].get<double>(), 1, 1e-8);
        EXPECT_NEAR(figure("largest von Mises, loads") / fresh["results"][0]["max_von_mises"].get<double>(), 1, 1e-8);
        EXPECT_NEAR(figure("mode 1") / fresh["modes"][0]["frequency"].get<double>(), 1, 1e-8);
        EXPECT_NEAR(figure("mass") / (1000 * fresh["solution"]["mass"].get<double>()), 1, 1e-8);
    }
}

TEST(Study, ChangedThicknessesAreThoseOfANewMesh) {
    const auto tee = make::unify(make::fuse({make::box({0, 0, 0}, {300, 120, 6}), make::box({0, 57, 6}, {300, 6, 60})}));
    SolvedShells c({{"tee", tee}}, "");
    const Assembly solids = read(c / "part.step");
    Model model = halve(solids);
    join(model, solids);
    MeshOptions before, after;
    before.size = after.size = 12;
    SizeRule rule;
    rule.size = 9, rule.sheet = {model.sheets[0].key};
    after.thicknesses = {rule};
    Mesh changed = mesh(model, before);
    const Mesh fresh = mesh(model, after);
    ASSERT_TRUE(change_thicknesses(changed, model, after, before));
    ASSERT_EQ(changed.elements.size(), fresh.elements.size());
    for (std::size_t i = 0; i < fresh.elements.size(); ++i) {
        EXPECT_EQ(changed.elements[i].thickness, fresh.elements[i].thickness);
        EXPECT_EQ(changed.elements[i].offset, fresh.elements[i].offset);
        EXPECT_EQ(changed.elements[i].section_offset, fresh.elements[i].section_offset);
    }
    EXPECT_EQ(changed.ledger.size(), fresh.ledger.size());
    ASSERT_TRUE(change_thicknesses(changed, model, before, after));
    EXPECT_EQ(changed.elements[0].thickness, mesh(model, before).elements[0].thickness);
    after.size = 11;
    EXPECT_FALSE(change_thicknesses(changed, model, after, before));
}

TEST(SeamStrain, IsThatOfTheSheetsOnBothSides) {
    const auto tee = make::unify(make::fuse({make::box({0, 0, 0}, {300, 120, 6}), make::box({0, 57, 6}, {300, 6, 60})}));
    // Pulled evenly along the seam: strain is the movement over the length, and both sheets have it.
    SolvedShells c(
        {{"tee", tee}},
        "mesh.size = \"15 mm\"\n[[material]]\nyoung = \"210 GPa\"\npoisson = 0\ndensity = \"7850 kg/m3\"\n[[support]]\nfix = [\"x\"]\nwithin = [[-1, "
        "-1, -10], [0.01, 200, 100]]\n"
        "[[support]]\nmove = { x = \"0.3 mm\" }\nwithin = [[299.9, -1, -10], [301, 200, 100]]\n[[support]]\nfix = \"all\"\npoints = [[0, 60, 3]]\n");
    const Json j = c.run();
    ASSERT_FALSE(j["seams"].empty());
    EXPECT_NEAR(j["seams"][0]["strain"]["along"].get<double>(), 1e-3, 1e-9);
    EXPECT_LT(j["seams"][0]["strain"]["jump"].get<double>(), 1e-9);
}

// A stiffener that ends 3 mm above its plate, held by what it stands between, is named with figures; one that stands on it is not.
TEST(ActsAsOne, AStiffenerOffItsPlateIsNamed) {
    const auto plan = [](const std::string& body) {
        return "mesh.size = \"15 mm\"\n[[material]]\nname = \"steel\"\n[[support]]\nfix = [\"x\", \"y\", \"z\"]\nwithin = [[-1, -1, -100], [4.1, 400, 9]]\n"
               "[[support]]\nfix = [\"z\"]\nwithin = [[595.9, -1, -100], [700, 400, 9]]\n[[load]]\nforce_per_area = [0, 0, \"-10 kPa\"]\nbody = \"" +
               body + "\"\n";
    };
    const auto named = [](const Json& j) {
        int count = 0;
        for (const Json& f : j["findings"]) count += f["about"].get<std::string>().find("stands 3 mm off") != std::string::npos;
        return count;
    };
    const auto plate = make::box({0, 0, 0}, {600, 300, 8}), left = make::box({0, 0, 8}, {8, 300, 70}), right = make::box({592, 0, 8}, {8, 300, 70});
    const auto off = make::box({8, 146, 11}, {584, 8, 60}), on = make::box({8, 146, 8}, {584, 8, 63});
    EXPECT_EQ(named(SolvedShells({{"panel", make::unify(make::fuse({plate, off, left, right}))}}, plan("panel")).run()), 1);
    EXPECT_EQ(named(SolvedShells({{"panel", make::unify(make::fuse({plate, on, left, right}))}}, plan("panel")).run()), 0);
    EXPECT_EQ(named(SolvedShells({{"plate", plate}, {"rib", off}, {"end 1", left}, {"end 2", right}}, plan("plate")).run()), 1);
    EXPECT_EQ(named(SolvedShells({{"plate", plate}, {"rib", on}, {"end 1", left}, {"end 2", right}}, plan("plate")).run()), 0);
    // As a line it is named too.
    EXPECT_EQ(named(SolvedPart({{"plate", plate}, {"rib", off}, {"end 1", left}, {"end 2", right}}, "halve.slender = \"beams\"\n" + plan("plate")).run()), 1);
}

TEST(Distributed, TwoProcessesGiveTheSameAnswer) {
    if (!fs::exists(fs::path(HALVO_BUILD) / "halvo-distributed.so")) GTEST_SKIP() << "built without MUMPS and MPI";
    const auto strip = make::box({0, 0, 0}, {200, 40, 4});
    const std::string plan =
        "mesh.size = \"5 mm\"\n[modes]\ncount = 3\n[[material]]\nname = \"steel\"\n[[support]]\nfix = \"all\"\nwithin = [[-1, -1, -10], [0.01, 50, 10]]\n"
        "[[load]]\nforce = [\"3 N\", 0, \"10 N\"]\nwithin = [[199.9, -1, -10], [201, 50, 10]]\n";
    SolvedShells c({{"strip", strip}}, plan);
    const Json alone = c.run();
    const std::string with_two = "OMPI_ALLOW_RUN_AS_ROOT=1 OMPI_ALLOW_RUN_AS_ROOT_CONFIRM=1 mpirun --oversubscribe -n 2 " + in_quotes(HALVO_PROGRAM) + " run ";
    const Ran two = command(with_two + in_quotes(c / "plan.toml") + " --json --quiet --out " + in_quotes(c / "two"));
    ASSERT_EQ(two.code, 0) << two.err;
    const Json j = Json::parse(two.out);
    EXPECT_NEAR(j["results"][0]["max_displacement"].get<double>() / alone["results"][0]["max_displacement"].get<double>(), 1, 1e-9);
    EXPECT_NEAR(j["results"][0]["max_von_mises"].get<double>() / alone["results"][0]["max_von_mises"].get<double>(), 1, 1e-8);
    EXPECT_LT(j["results"][0]["residual"].get<double>(), 1e-9);
    for (std::size_t k = 0; k < 3; ++k) EXPECT_NEAR(j["modes"][k]["frequency"].get<double>() / alone["modes"][k]["frequency"].get<double>(), 1, 1e-8);
    // What cannot be solved is said as by one process, and all of them end.
    SolvedShells loose({{"strip", strip}}, plan.substr(0, plan.find("fix")) + "fix = [\"x\"]" + plan.substr(plan.find("\nwithin")));
    const Ran said = command(with_two + in_quotes(loose / "plan.toml") + " --quiet --out " + in_quotes(loose / "two"));
    EXPECT_NE(said.code, 0);
    EXPECT_NE(said.err.find("motions are left"), std::string::npos) << said.err;
}

}  // namespace test
