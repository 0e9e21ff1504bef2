// Cross-section values against closed forms that share no code with the library.
#include "support.hpp"

#include <gtest/gtest.h>

using namespace test;

namespace {

// Independent check of A and I: the polygon with its arcs cut into many triangles about the origin, summed with
// Simpson-exact triangle formulas and extrapolated from two resolutions (Richardson).
struct Moments {
    double a = 0, cy = 0, cz = 0, iyy = 0, izz = 0, iyz = 0;
};

Moments polygon_moments(const std::vector<std::vector<Curve>>& loops, int pieces) {
    double a = 0, sy = 0, sz = 0, yy = 0, zz = 0, yz = 0;
    for (const auto& loop : loops)
        for (const Curve& c : loop) {
            const int n = c.is_line() ? 1 : pieces;
            for (int i = 0; i < n; ++i) {
                const Vec3 p = c.point(c.t0 + (c.t1 - c.t0) * i / n), q = c.point(c.t0 + (c.t1 - c.t0) * (i + 1) / n);
                const double k = p.x() * q.y() - q.x() * p.y();
                a += k / 2;
                sy += k * (p.x() + q.x()) / 6, sz += k * (p.y() + q.y()) / 6;
                yy += k * (p.x() * p.x() + p.x() * q.x() + q.x() * q.x()) / 12;
                zz += k * (p.y() * p.y() + p.y() * q.y() + q.y() * q.y()) / 12;
                yz += k * (p.x() * q.y() + 2 * p.x() * p.y() + 2 * q.x() * q.y() + q.x() * p.y()) / 24;
            }
        }
    Moments m;
    m.a = a, m.cy = sy / a, m.cz = sz / a;
    m.iyy = zz - a * m.cz * m.cz, m.izz = yy - a * m.cy * m.cy, m.iyz = yz - a * m.cy * m.cz;
    return m;
}

Moments reference(const std::vector<std::vector<Curve>>& loops) {
    const Moments c = polygon_moments(loops, 2000), f = polygon_moments(loops, 4000);
    const auto mix = [](double a, double b) { return (4 * b - a) / 3; };
    return {mix(c.a, f.a), mix(c.cy, f.cy), mix(c.cz, f.cz), mix(c.iyy, f.iyy), mix(c.izz, f.izz), mix(c.iyz, f.iyz)};
}

void expect_area_values(const Section& s, const Moments& r) {
    EXPECT_NEAR(s.area / r.a, 1, 1e-6);
    EXPECT_NEAR(s.iyy / r.iyy, 1, 1e-6);
    EXPECT_NEAR(s.izz / r.izz, 1, 1e-6);
    EXPECT_NEAR(s.iyz, r.iyz, 1e-6 * (r.iyy + r.izz));
    EXPECT_NEAR(s.i1 + s.i2, r.iyy + r.izz, 1e-6 * (r.iyy + r.izz));
    EXPECT_NEAR(s.i1 * s.i2, r.iyy * r.izz - r.iyz * r.iyz, 1e-6 * r.iyy * r.izz);
}

std::vector<std::vector<Curve>> i_profile(double h, double b, double tw, double tf, double r) {
    const double w = tw / 2, y = h / 2;
    return {make::rounded({{-b / 2, -y},
                           {b / 2, -y},
                           {b / 2, -y + tf},
                           {w, -y + tf},
                           {w, y - tf},
                           {b / 2, y - tf},
                           {b / 2, y},
                           {-b / 2, y},
                           {-b / 2, y - tf},
                           {-w, y - tf},
                           {-w, -y + tf},
                           {-b / 2, -y + tf}},
                          {0, 0, 0, r, r, 0, 0, 0, 0, r, r, 0})};
}

std::vector<std::vector<Curve>> channel_profile(double h, double b, double tw, double tf, double r) {
    return {make::rounded({{0, 0}, {b, 0}, {b, tf}, {tw, tf}, {tw, h - tf}, {b, h - tf}, {b, h}, {0, h}}, {0, 0, 0, r, r, 0, 0, 0})};
}

std::vector<std::vector<Curve>> angle_profile(double a, double b, double t, double r) {
    return {make::rounded({{0, 0}, {b, 0}, {b, t}, {t, t}, {t, a}, {0, a}}, {0, 0, 0, r, 0, 0})};
}

}  // namespace

TEST(SectionValues, IWithRootFillets) {
    const auto loops = i_profile(200, 100, 5.6, 8.5, 12);
    const Section s = section_of_profile(loops);
    EXPECT_EQ(s.shape, "I");
    expect_area_values(s, reference(loops));
    // EN tables of rolled profiles give for these dimensions J = 6.98 cm4 (fillets by the Trayer-March formula).
    EXPECT_NEAR(s.j / 6.98e4, 1, 0.04);
    EXPECT_NEAR(s.shear_centre.norm(), 0, 1e-2);
    // Warping constant of the tables: 12.99e3 cm6.
    EXPECT_NEAR(s.warping / 12.99e9, 1, 0.02);
}

TEST(SectionValues, ChannelWithRootFillets) {
    const auto loops = channel_profile(120, 55, 7, 9, 9);
    const Section s = section_of_profile(loops);
    EXPECT_EQ(s.shape, "channel");
    expect_area_values(s, reference(loops));
}

TEST(SectionValues, ThinChannelHasTheTextbookShearCentre) {
    // e = 3 b^2 / (h + 6 b) from the web's middle line, for equal thickness.
    const double h = 200, b = 80, t = 1;
    const Section s = section_of_profile(channel_profile(h + t, b + t / 2, t, t, 0));
    double left = 0;
    for (const Curve& c : s.profile[0]) left = std::min({left, c.start().x(), c.end().x()});
    const double from_web = left + t / 2 - s.shear_centre.x();
    EXPECT_NEAR(from_web, 3 * b * b / (h + 6 * b), 0.01 * b);
    // J of thin open profiles: sum of b t^3 / 3.
    EXPECT_NEAR(s.j / ((h + 2 * b) * t * t * t / 3), 1, 0.02);
}

TEST(SectionValues, AngleWithRootFillet) {
    const auto loops = angle_profile(80, 50, 6, 8);
    const Section s = section_of_profile(loops);
    EXPECT_EQ(s.shape, "angle");
    expect_area_values(s, reference(loops));
    EXPECT_GT(std::abs(s.iyz), 1e4);
}

TEST(SectionValues, RectangularTubeWithRoundCorners) {
    const auto loops = make::rectangular_tube(60, 100, 4, 8);
    const Section s = section_of_profile(loops);
    EXPECT_EQ(s.shape, "rectangular tube");
    expect_area_values(s, reference(loops));
    // Bredt with the wall's own part (as in EN 10219): J = t^3 p / 3 + 4 Am^2 t / p on the middle line.
    const double r = 6, p = 2 * (56 + 96) - (8 - 2 * pi) * r, am = 56.0 * 96 - (4 - pi) * r * r;
    EXPECT_NEAR(s.j / (64 * p / 3 + 4 * am * am * 4 / p), 1, 0.01);
}

TEST(SectionValues, RoundBarAndTubeAreClosedForms) {
    const Section bar = section_of_profile({make::circle(15)});
    EXPECT_EQ(bar.shape, "round");
    EXPECT_NEAR(bar.area / (pi * 225), 1, 1e-10);
    EXPECT_NEAR(bar.iyy / (pi * std::pow(15, 4) / 4), 1, 1e-10);
    EXPECT_NEAR(bar.j / (pi * std::pow(15, 4) / 2), 1, 0.01);
    const Section tube = section_of_profile(make::tube(48.3, 3.2));
    EXPECT_EQ(tube.shape, "tube");
    const double ro = 24.15, ri = 20.95;
    EXPECT_NEAR(tube.iyy / (pi / 4 * (std::pow(ro, 4) - std::pow(ri, 4))), 1, 1e-10);
    EXPECT_NEAR(tube.j / (pi / 2 * (std::pow(ro, 4) - std::pow(ri, 4))), 1, 0.01);
}

TEST(SectionValues, RectangleTorsionIsTheSeries) {
    // Timoshenko & Goodier, Theory of Elasticity, article 109: J = b1 a b^3 with b1 = 0.229 for a / b = 2, 0.141 for a square.
    const Section flat = section_of_profile({make::polygon({{0, 0}, {40, 0}, {40, 20}, {0, 20}})});
    EXPECT_EQ(flat.shape, "flat");
    EXPECT_NEAR(flat.j / (0.2287 * 40 * 20 * 20 * 20), 1, 0.005);
    const Section square = section_of_profile({make::polygon({{0, 0}, {30, 0}, {30, 30}, {0, 30}})});
    EXPECT_EQ(square.shape, "square");
    EXPECT_NEAR(square.j / (0.14058 * std::pow(30, 4)), 1, 0.005);
}

TEST(SectionValues, TeeAndZAreNamed) {
    EXPECT_EQ(section_of_profile({make::polygon({{-30, 0}, {30, 0}, {30, 6}, {3, 6}, {3, 60}, {-3, 60}, {-3, 6}, {-30, 6}})}).shape, "tee");
    EXPECT_EQ(section_of_profile({make::polygon({{0, 0}, {40, 0}, {40, 5}, {5, 5}, {5, 85}, {-35, 85}, {-35, 80}, {0, 80}})}).shape, "Z");
}

TEST(SectionValues, TurningAProfileTurnsItsTensorOnly) {
    const auto loops = angle_profile(90, 60, 8, 8);
    const Section a = section_of_profile(loops);
    auto turned = loops;
    const Eigen::Isometry3d m = Eigen::Translation3d(300, -70, 0) * Eigen::Isometry3d(Eigen::AngleAxisd(0.7, Vec3::UnitZ()));
    for (auto& loop : turned)
        for (Curve& c : loop) c = c.moved(m);
    const Section b = section_of_profile(turned);
    EXPECT_NEAR(a.i1 / b.i1, 1, 1e-9);
    EXPECT_NEAR(a.i2 / b.i2, 1, 1e-9);
    EXPECT_NEAR(a.j / b.j, 1, 5e-3);
    EXPECT_NEAR(a.shear_centre.norm(), b.shear_centre.norm(), 0.05);
}
