// Elements of the structure: patch tests, rigid motions, and the classic problems of shells and beams against their published values.
#include "support.hpp"

#include <halvo/structure.hpp>

#include <Eigen/Eigenvalues>

#include <cmath>

namespace test {
namespace {

// A mesh of quads (or triangles) over the unit square, carried into space.
struct Mapped {
    Structure s;
    int nx = 0, ny = 0;
    [[nodiscard]] std::int32_t at(int i, int j) const { return j * (nx + 1) + i; }
    void hold(std::int32_t node, std::initializer_list<int> directions, double value = 0) {
        for (const int k : directions) s.equations.push_back({{{6 * std::int64_t{node} + k, 1.0}}, value, 0});
    }
    [[nodiscard]] StructureLoads none() const {
        StructureLoads l;
        l.forces = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * s.nodes.size()));
        return l;
    }
    // A force in all, shared out along one side i = const.
    [[nodiscard]] StructureLoads on_side(int i, const Vec3& force) const {
        StructureLoads l = none();
        for (int j = 0; j <= ny; ++j) l.forces.segment<3>(6 * at(i, j)) += force / ny * (j == 0 || j == ny ? 0.5 : 1.0);
        return l;
    }
};

Material material(double young, double poisson) {
    Material m;
    m.name = "test", m.young = young, m.poisson = poisson, m.density = 1e-9;
    return m;
}

template <class Place>
Mapped mapped(int nx, int ny, double thickness, const Material& m, const Place& place, bool trias = false) {
    Mapped g;
    g.nx = nx, g.ny = ny, g.s.materials = {m};
    for (int j = 0; j <= ny; ++j)
        for (int i = 0; i <= nx; ++i) g.s.nodes.push_back(place(static_cast<double>(i) / nx, static_cast<double>(j) / ny));
    const auto add = [&](std::array<std::int32_t, 4> nodes) {
        ShellPart p;
        p.nodes = nodes, p.thickness = thickness;
        g.s.shells.push_back(p);
    };
    for (int j = 0; j < ny; ++j)
        for (int i = 0; i < nx; ++i) {
            const auto a = g.at(i, j), b = g.at(i + 1, j), c = g.at(i + 1, j + 1), d = g.at(i, j + 1);
            if (trias) add({a, b, c, -1}), add({a, c, d, -1});
            else add({a, b, c, d});
        }
    return g;
}

double moved(const StructureState& s, std::int32_t node, int direction) {
    return s.movement[6 * std::int64_t{node} + direction];
}

StructureState solved(const Mapped& g, const StructureLoads& l) {
    return Equations(g.s).solve(l);
}

// A distorted mesh of both kinds, 24 by 12, whose border moves as a state of constant strain or curvature asks; the inside must follow exactly.
double patch_error(int state, bool trias, const Eigen::Isometry3d& place, double offset) {
    Mapped g = mapped(
        4, 3, 0.8, material(1e6, 0.25), [](double a, double b) { return Vec3(24 * a, 12 * b, 0); }, trias);
    if (!trias) {
        auto mixed = g.s.shells;
        mixed.clear();
        for (std::size_t i = 0; i < g.s.shells.size(); ++i) {
            ShellPart a = g.s.shells[i], b = a;
            if (i % 4 != 1) {
                mixed.push_back(a);
                continue;
            }
            a.nodes = {b.nodes[0], b.nodes[1], b.nodes[2], -1}, b.nodes = {b.nodes[0], b.nodes[2], b.nodes[3], -1};
            mixed.push_back(a), mixed.push_back(b);
        }
        g.s.shells = mixed;
    }
    const std::array<Vec2, 6> shifts{Vec2(1.1, -0.7), Vec2(-1.3, 0.9), Vec2(0.6, 1.1), Vec2(-0.8, -1.0), Vec2(1.4, 0.5), Vec2(-0.4, -0.8)};
    for (int j = 1; j < g.ny; ++j)
        for (int i = 1; i < g.nx; ++i) g.s.nodes[static_cast<std::size_t>(g.at(i, j))].head<2>() += shifts[static_cast<std::size_t>((j - 1) * 3 + i - 1)];
    const auto exact = [&](const Vec3& p) {
        Vec3 u = Vec3::Zero(), r = Vec3::Zero();
        const double x = p.x(), y = p.y(), e = 1e-3;
        if (state == 0) u = Vec3(e * (x + y / 2), e * (y + x / 2), 0);
        if (state == 1) u = Vec3(e * y, 0, 0), r.z() = -e / 2;
        if (state == 2) u.z() = e * x * x / 2, r.y() = -e * x;
        if (state == 3) u.z() = e * x * y, r = Vec3(e * x, -e * y, 0);
        if (state == 4) u.z() = e * (x * x + x * y + y * y) / 2, r = Vec3(e * (x / 2 + y), -e * (x + y / 2), 0);
        // The state is that of the middle, which the nodes are `offset` below.
        u -= r.cross(offset * Vec3::UnitZ());
        return std::pair(Vec3(place.linear() * u), Vec3(place.linear() * r));
    };
    std::vector<std::pair<Vec3, Vec3>> wanted;
    for (Vec3& p : g.s.nodes) wanted.push_back(exact(p)), p = place * p;
    for (ShellPart& p : g.s.shells) p.offset = offset;
    for (int j = 0; j <= g.ny; ++j)
        for (int i = 0; i <= g.nx; ++i) {
            if (i > 0 && j > 0 && i < g.nx && j < g.ny) continue;
            const auto& [u, r] = wanted[static_cast<std::size_t>(g.at(i, j))];
            for (int k = 0; k < 3; ++k) g.hold(g.at(i, j), {k}, u[k]), g.hold(g.at(i, j), {3 + k}, r[k]);
        }
    const StructureState s = solved(g, g.none());
    double error = 0, size = 0;
    for (std::size_t n = 0; n < wanted.size(); ++n) {
        error = std::max(error, (Vec3(s.movement.segment<3>(static_cast<Eigen::Index>(6 * n))) - wanted[n].first).norm());
        size = std::max(size, wanted[n].first.norm());
    }
    // And the section forces are the same everywhere.
    for (const ShellState& k : s.shells) {
        const auto& first = s.shells[0];
        const double scale = first.force.norm() + first.moment.norm();
        const auto invariant = [](const Eigen::Vector3d& v) { return v[0] + v[1]; };
        error = std::max(error, size * std::abs(invariant(k.force) - invariant(first.force)) / scale);
        error = std::max(error, size * std::abs(invariant(k.moment) - invariant(first.moment)) / scale);
    }
    return error / size;
}

class Patch : public testing::TestWithParam<std::tuple<int, bool>> {};

}  // namespace

TEST_P(Patch, IsExactOnDistortedMeshes) {
    const auto [state, trias] = GetParam();
    EXPECT_LT(patch_error(state, trias, Eigen::Isometry3d::Identity(), 0), 1e-10);
    EXPECT_LT(patch_error(state, trias, Eigen::Isometry3d(anywhere().linear()), 0), 1e-10);
    EXPECT_LT(patch_error(state, trias, Eigen::Isometry3d::Identity(), 0.7), 1e-10);
}

INSTANTIATE_TEST_SUITE_P(All, Patch, testing::Combine(testing::Range(0, 5), testing::Bool()));

TEST(Elements, RigidMotionsCostNoEnergy) {
    const Material m = material(2e5, 0.3);
    for (const std::size_t count : {4U, 3U})
        for (const double offset : {0.0, 3.0}) {
            std::vector<Vec3> corners{{0, 0, 0}, {10, 1, 0.5}, {11, 9, -1}, {-1, 8, 2}};
            corners.resize(count);
            const Eigen::VectorXd e = Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(shell_stiffness(corners, 1.3, offset, m)).eigenvalues();
            EXPECT_LT(std::abs(e[5]), 1e-13 * e[e.size() - 1]);
            EXPECT_GT(e[6], 1e-9 * e[e.size() - 1]) << "no motion but those is free";
        }
    BeamSection s;
    s.area = 100, s.iyy = 2000, s.izz = 5000, s.iyz = 900, s.j = 300, s.shear_centre = {3, -2}, s.shear_share = 1.2 * Eigen::Matrix2d::Identity();
    BeamPart part;
    part.y = Vec3(0.2, 1, 0.3), part.arm = Vec3(1, 2, 3);
    const Eigen::VectorXd e = Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd>(beam_stiffness({Vec3(0, 0, 0), Vec3(30, 20, 10)}, part, s, m)).eigenvalues();
    EXPECT_LT(std::abs(e[5]), 1e-13 * e[11]);
    EXPECT_GT(e[6], 1e-4 * e[11]);
}

// Barrel roof under its weight, between diaphragms (Scordelis and Lo 1964): 0.3024 at the middle of the free edge.
TEST(Obstacles, BarrelRoof) {
    constexpr int n = 16;
    Mapped g = mapped(n, n, 0.25, material(4.32e8, 0), [](double a, double b) {
        const double f = 40 * pi / 180 * a;
        return Vec3(25 * std::sin(f), 25 * b, 25 * std::cos(f));
    });
    for (int i = 0; i <= n; ++i) g.hold(g.at(i, 0), {0, 2}), g.hold(g.at(i, n), {1, 3, 5});
    for (int j = 0; j <= n; ++j) g.hold(g.at(0, j), {0, 4, 5});
    StructureLoads l;
    l.shell_traction.assign(g.s.shells.size(), Vec3(0, 0, -90));
    EXPECT_NEAR(-moved(solved(g, l), g.at(n, n), 2) / 0.3024, 1, 0.02);
}

// Pinched cylinder between diaphragms (Belytschko et al. 1985): 1.8248e-5 under the load.
TEST(Obstacles, PinchedCylinder) {
    constexpr int n = 32;
    Mapped g = mapped(n, n, 3, material(3e6, 0.3), [](double a, double b) {
        const double f = pi / 2 * a;
        return Vec3(300 * std::sin(f), 300 * b, 300 * std::cos(f));
    });
    for (int i = 0; i <= n; ++i) g.hold(g.at(i, 0), {0, 2}), g.hold(g.at(i, n), {1, 3, 5});
    for (int j = 0; j <= n; ++j) g.hold(g.at(0, j), {0, 4, 5}), g.hold(g.at(n, j), {2, 3, 4});
    StructureLoads l = g.none();
    l.forces[6 * g.at(0, n) + 2] = -0.25;
    EXPECT_NEAR(-moved(solved(g, l), g.at(0, n), 2) / 1.8248e-5, 1, 0.02);
}

// Hemisphere with a hole of 18 degrees (MacNeal and Harder 1985): 0.0924 to 0.0940 by different authors.
TEST(Obstacles, PinchedHemisphere) {
    constexpr int n = 16;
    Mapped g = mapped(n, n, 0.04, material(6.825e7, 0.3), [](double a, double b) {
        const double f = pi / 2 * a, p = 72 * pi / 180 * b;
        return Vec3(10 * std::cos(f) * std::cos(p), 10 * std::sin(f) * std::cos(p), 10 * std::sin(p));
    });
    for (int j = 0; j <= n; ++j) g.hold(g.at(0, j), {1, 3, 5}), g.hold(g.at(n, j), {0, 4, 5});
    g.hold(g.at(0, n), {2});
    StructureLoads l = g.none();
    l.forces[6 * g.at(0, 0)] = 1, l.forces[6 * g.at(n, 0) + 1] = -1;
    EXPECT_NEAR(moved(solved(g, l), g.at(0, 0), 0) / 0.0930, 1, 0.02);
}

// Beam twisted by 90 degrees (MacNeal and Harder 1985; the thin one by Belytschko et al. 1989): warped elements.
TEST(Obstacles, TwistedBeam) {
    struct Case {
        double thickness, force, in_plane, out_of_plane;
    };
    for (const Case& c : {Case{0.32, 1, 5.424e-3, 1.754e-3}, Case{0.0032, 1e-6, 5.256e-3, 1.294e-3}})
        for (const int direction : {2, 1}) {
            Mapped g = mapped(24, 4, c.thickness, material(2.9e7, 0.22), [](double a, double b) {
                const double f = pi / 2 * a, y = 1.1 * (b - 0.5);
                return Vec3(12 * a, y * std::cos(f), y * std::sin(f));
            });
            for (int j = 0; j <= g.ny; ++j) g.hold(g.at(0, j), {0, 1, 2, 3, 4, 5});
            const StructureState s = solved(g, g.on_side(g.nx, c.force * Vec3::Unit(direction)));
            EXPECT_NEAR(moved(s, g.at(g.nx, 2), direction) / (direction == 2 ? c.in_plane : c.out_of_plane), 1, 0.02);
        }
}

// Tapered membrane (Cook 1974): 23.96 at the middle of the loaded side.
TEST(Obstacles, TaperedMembrane) {
    constexpr int n = 16;
    Mapped g = mapped(n, n, 1, material(1, 1.0 / 3), [](double a, double b) { return Vec3(48 * a, 44 * a + (44 - 28 * a) * b, 0); });
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
            if (i == 0) g.hold(g.at(i, j), {0, 1, 5});
            g.hold(g.at(i, j), {2, 3, 4});
        }
    EXPECT_NEAR(moved(solved(g, g.on_side(n, Vec3::UnitY())), g.at(n, n / 2), 1) / 23.96, 1, 0.02);
}

// Skew plate of 30 degrees, simply supported, under pressure (Morley 1963): 0.000408 q L4 / D in the middle.
TEST(Obstacles, SkewPlate) {
    constexpr int n = 32;
    Mapped g =
        mapped(n, n, 1, material(1e7, 0.3), [](double a, double b) { return Vec3(100 * a + 100 * b * std::cos(pi / 6), 100 * b * std::sin(pi / 6), 0); });
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
            g.hold(g.at(i, j), {0, 1, 5});
            if (i == 0 || j == 0 || i == n || j == n) g.hold(g.at(i, j), {2});
        }
    StructureLoads l;
    l.shell_pressure.assign(g.s.shells.size(), 1.0);
    EXPECT_NEAR(moved(solved(g, l), g.at(n / 2, n / 2), 2) / (0.000408 * 1e8 / (1e7 / 12 / 0.91)), 1, 0.02);
}

// Raasch's hook (Knight 1997): 4.9352 at the tip by solids. What twists one element must bend the next.
TEST(Obstacles, Hook) {
    Mapped g = mapped(72, 10, 2, material(3300, 0.35), [](double a, double b) {
        const double s = a * (14 * pi / 3 + 46 * 5 * pi / 6);
        if (s <= 14 * pi / 3) return Vec3(14 * std::sin(s / 14), 14 * std::cos(s / 14) - 14, 20 * b);
        const double f = (s - 14 * pi / 3) / 46;
        const Vec2 start(14 * std::sin(pi / 3), 14 * std::cos(pi / 3) - 14), centre = start + 46 * Vec2(std::sin(pi / 3), std::cos(pi / 3));
        const Vec2 r = start - centre, turned(r.x() * std::cos(f) - r.y() * std::sin(f), r.x() * std::sin(f) + r.y() * std::cos(f));
        return Vec3(centre.x() + turned.x(), centre.y() + turned.y(), 20 * b);
    });
    for (int j = 0; j <= g.ny; ++j) g.hold(g.at(0, j), {0, 1, 2, 3, 4, 5});
    EXPECT_NEAR(moved(solved(g, g.on_side(g.nx, Vec3::UnitZ())), g.at(g.nx, 5), 2) / 4.9352, 1, 0.02);
}

// Simply supported square plate: frequencies of thin plate theory.
TEST(Obstacles, PlateFrequencies) {
    constexpr int n = 20;
    const double side = 1000, t = 5;
    Material m = material(210000, 0.3);
    m.density = 7.85e-9;
    Mapped g = mapped(n, n, t, m, [&](double a, double b) { return Vec3(side * a, side * b, 0); });
    for (int j = 0; j <= n; ++j)
        for (int i = 0; i <= n; ++i) {
            g.hold(g.at(i, j), {0, 1, 5});
            if (i == 0 || j == 0 || i == n || j == n) g.hold(g.at(i, j), {2});
        }
    const double d = m.young * t * t * t / 12 / (1 - 0.09), base = pi / 2 / (side * side) * std::sqrt(d / (m.density * t));
    for (const bool lumped : {false, true}) {
        const auto modes = Equations(g.s).modes(4, lumped);
        ASSERT_EQ(modes.size(), 4U);
        const std::array<double, 4> wanted{2, 5, 5, 8};
        for (std::size_t k = 0; k < 4; ++k) EXPECT_NEAR(modes[k].frequency / (wanted[k] * base), 1, 0.02) << k;
    }
}

TEST(Obstacles, FreePlateHasSixModesOfNoFrequency) {
    Material m = material(70000, 0.3);
    m.density = 2.7e-9;
    Mapped g = mapped(8, 6, 2, m, [](double a, double b) { return Vec3(1e5 + 300 * a, 200 * b, 20 * std::sin(3 * a)); });
    const Equations e(g.s);
    EXPECT_EQ(e.free_motions().size(), 6U);
    const auto modes = e.modes(9);
    for (std::size_t k = 0; k < 6; ++k) EXPECT_LT(modes[k].frequency, 1e-3 * modes[6].frequency) << k;
    EXPECT_GT(modes[6].frequency, 10);
    EXPECT_THROW((void)e.solve(g.none()), Error);
}

namespace {

// A cantilever of beams along x, 1000 long.
Structure cantilever(int n, const BeamSection& section, const Material& m) {
    Structure s;
    s.materials = {m}, s.sections = {section};
    for (int i = 0; i <= n; ++i) s.nodes.emplace_back(1000.0 * i / n, 0, 0);
    for (int i = 0; i < n; ++i) {
        BeamPart p;
        p.nodes = {i, i + 1};
        s.beams.push_back(p);
    }
    for (int k = 0; k < 6; ++k) s.equations.push_back({{{k, 1.0}}, 0, 0});
    return s;
}

}  // namespace

TEST(Beams, ExactForOneElementOrMany) {
    BeamSection b;
    b.area = 800, b.iyy = 20 * 40 * 40 * 40 / 12.0, b.izz = 40 * 20 * 20 * 20 / 12.0, b.j = 73000, b.shear_share = 1.2 * Eigen::Matrix2d::Identity();
    const Material m = material(210000, 0.3);
    const double shear = 1.2 / (m.shear_modulus() * b.area);
    for (const int n : {1, 7}) {
        const Structure s = cantilever(n, b, m);
        StructureLoads l;
        l.forces = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * s.nodes.size()));
        l.forces.tail<6>() << 3000, 200, -500, 9000, 0, 0;
        const StructureState r = Equations(s).solve(l);
        EXPECT_NEAR(r.movement.tail<6>()[0], 3000 * 1000 / (m.young * b.area), 1e-12);
        EXPECT_NEAR(r.movement.tail<6>()[1] / (200 * (1e9 / (3 * m.young * b.izz) + 1000 * shear)), 1, 1e-9);
        EXPECT_NEAR(r.movement.tail<6>()[2] / (-500 * (1e9 / (3 * m.young * b.iyy) + 1000 * shear)), 1, 1e-9);
        EXPECT_NEAR(r.movement.tail<6>()[3] / (9000 * 1000 / (m.shear_modulus() * b.j)), 1, 1e-9);
        EXPECT_NEAR(r.beams[0].force[0][4], 500 * 1000, 1e-4);  // moment about y at the wall
        EXPECT_NEAR(r.beams[0].force[0][5], 200 * 1000, 1e-4);
        EXPECT_LT(r.residual, 1e-12);
    }
}

TEST(Beams, EvenLoadAndItsMomentsAreExact) {
    BeamSection b;
    b.area = 800, b.iyy = 1e5, b.izz = 3e4, b.j = 7e4;
    const Material m = material(210000, 0.3);
    const Structure s = cantilever(3, b, m);
    StructureLoads l;
    l.beam_force.assign(3, Vec3(0, 0, -2));
    const StructureState r = Equations(s).solve(l);
    EXPECT_NEAR(r.movement.tail<6>()[2] / (-2 * 1e12 / (8 * m.young * b.iyy)), 1, 1e-9);
    EXPECT_NEAR(r.beams[0].force[0][4] / (2 * 1e6 / 2), 1, 1e-9);
    EXPECT_NEAR(r.beams[2].force[1].norm(), 0, 1e-6);
}

// A force through the centroid of a channel twists it, one through its shear centre does not.
TEST(Beams, ShearCentreAndUnsymmetricSections) {
    BeamSection b;
    b.area = 500, b.iyy = 2e5, b.izz = 6e4, b.iyz = 5e4, b.j = 900, b.shear_centre = {-18, 4};
    const Material m = material(70000, 0.33);
    const Structure s = cantilever(4, b, m);
    StructureLoads l;
    l.forces = Eigen::VectorXd::Zero(static_cast<Eigen::Index>(6 * s.nodes.size()));
    l.forces.tail<6>()[2] = 100;
    StructureState r = Equations(s).solve(l);
    const double det = b.iyy * b.izz - b.iyz * b.iyz, bend = 100 * 1e9 / (3 * m.young * det);
    const double twist = 100 * 18 * 1000.0 / (m.shear_modulus() * b.j);  // the force passes 18 mm beside the shear centre
    EXPECT_NEAR(r.movement.tail<6>()[3] / twist, 1, 1e-9);
    EXPECT_NEAR(r.movement.tail<6>()[2] / (bend * b.izz + 18 * twist), 1, 1e-9);
    EXPECT_NEAR(r.movement.tail<6>()[1] / (-bend * b.iyz + 4 * twist), 1, 1e-9);
    l.forces.tail<6>()[3] = -18 * 100;  // moved to the shear centre
    r = Equations(s).solve(l);
    EXPECT_NEAR(r.movement.tail<6>()[3], 0, 1e-9 * twist);
    EXPECT_NEAR(r.movement.tail<6>()[2] / (bend * b.izz), 1, 1e-9);
}

TEST(Beams, CantileverFrequenciesAndReleases) {
    BeamSection b;
    b.area = 400, b.iyy = b.izz = 400 * 400 / 12.0, b.j = 2.25e4;
    Material m = material(210000, 0.3);
    m.density = 7.85e-9;
    const auto modes = Equations(cantilever(10, b, m)).modes(4);
    const double first = 3.5160 / (2 * pi * 1e6) * std::sqrt(m.young * b.iyy / (m.density * b.area));
    EXPECT_NEAR(modes[0].frequency / first, 1, 0.01);
    EXPECT_NEAR(modes[1].frequency / first, 1, 0.01);
    EXPECT_NEAR(modes[2].frequency / (first * 22.034 / 3.516), 1, 0.01);
    // Held at both ends, one of them a hinge: the reaction there is 3/8 of an even load.
    Structure s = cantilever(8, b, m);
    for (int k = 0; k < 6; ++k) s.equations.push_back({{{48 + k, 1.0}}, 0, 1});
    s.beams.back().released[1] = {false, false, false, false, true, true};
    StructureLoads l;
    l.beam_force.assign(8, Vec3(0, 0, -1));
    const StructureState r = Equations(s).solve(l);
    EXPECT_NEAR(r.of_source.at(1)[2], 375, 1e-6);
    EXPECT_NEAR(r.of_source.at(0)[2], 625, 1e-6);
}

// Two plates at right angles by a rigid arm, turned and far off: reactions balance, whoever is master.
TEST(Constraints, ChainsOfRigidArmsCarryForcesAndMoments) {
    for (const bool other_way : {false, true}) {
        Structure s;
        s.materials = {material(1000, 0.3)};
        BeamSection b;
        b.area = 10, b.iyy = b.izz = 100, b.j = 200;
        s.sections = {b};
        const Eigen::Isometry3d m = anywhere();
        for (const Vec3& p : {Vec3(0, 0, 0), Vec3(10, 0, 0), Vec3(12, 5, 1), Vec3(15, 5, 4), Vec3(30, 5, 4)}) s.nodes.push_back(m * p);
        BeamPart p;
        p.y = m.linear() * Vec3(0, 1, 0.2);
        p.nodes = {0, 1}, s.beams.push_back(p);
        p.nodes = {3, 4}, s.beams.push_back(p);
        for (const auto& [a, c] : {std::pair(1, 2), std::pair(2, 3), std::pair(3, 1)})  // a ring of arms: one says nothing new
            s.arms.push_back(other_way ? RigidArm{c, a} : RigidArm{a, c});
        for (int k = 0; k < 6; ++k) s.equations.push_back({{{k, 1.0}}, 0, 0});
        StructureLoads l;
        l.forces = Eigen::VectorXd::Zero(30);
        l.forces.tail<6>() << 1, 2, 3, 40, 50, 60;
        const StructureState r = Equations(s).solve(l);
        EXPECT_LT(r.residual, 1e-12);
        const Vec3 arm = s.nodes[4] - s.nodes[0], force(1, 2, 3);
        EXPECT_LT((Vec3(r.reaction.head<3>()) + force).norm(), 1e-9);
        EXPECT_LT((Vec3(r.reaction.segment<3>(3)) + Vec3(40, 50, 60) + arm.cross(force)).norm(), 1e-6);
        // Both ends of the ring turn alike.
        EXPECT_LT((r.movement.segment<3>(9) - r.movement.segment<3>(21)).norm(), 1e-12 * (1 + r.movement.segment<3>(9).norm()));
    }
}

TEST(Constraints, ConflictsAndMotionsAreNamed) {
    Mapped g = mapped(2, 2, 1, material(1000, 0.3), [](double a, double b) { return Vec3(a, b, 0); });
    for (int j = 0; j <= 2; ++j) g.hold(g.at(0, j), {0, 1, 2});
    EXPECT_EQ(Equations(g.s).free_motions().size(), 1U);  // about the held side
    g.hold(g.at(2, 0), {2});
    EXPECT_TRUE(Equations(g.s).free_motions().empty());
    g.hold(g.at(2, 0), {2}, 0.5);
    EXPECT_EQ(Equations(g.s).conflicts().size(), 1U);
    // A hinge in the middle of a row of beams: nothing rigid is free, and yet it moves.
    BeamSection b;
    b.area = 10, b.iyy = b.izz = 100, b.j = 200;
    Structure s;
    s.materials = {material(1000, 0.3)}, s.sections = {b};
    for (int i = 0; i < 4; ++i) s.nodes.emplace_back(100.0 * i, 0, 0);
    for (int i = 0; i < 3; ++i) {
        BeamPart p;
        p.nodes = {i, i + 1};
        p.released[0] = p.released[1] = {false, false, false, false, i == 1, false};
        s.beams.push_back(p);
    }
    for (int k = 0; k < 3; ++k) s.equations.push_back({{{k, 1.0}}, 0, 0}), s.equations.push_back({{{18 + k, 1.0}}, 0, 0});
    s.equations.push_back({{{3, 1.0}}, 0, 0}), s.equations.push_back({{{5, 1.0}}, 0, 0});
    EXPECT_EQ(Equations(s).free_motions().size(), 2U);
}

}  // namespace test
