// Bends whose rounds are no offsets of each other: channels, pots, moulded covers and trays, with bosses; the round surfaces under them.
#include "geom/net_spline.hpp"
#include "geom/pipe.hpp"
#include "geom/rounds.hpp"
#include "spoilt.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <cmath>

using namespace test;

namespace {

struct Rounds {
    double outside, inside;
};

void PrintTo(const Rounds& r, std::ostream* out) {
    *out << r.outside << " outside, " << r.inside << " inside";
}

std::vector<Vec2> plain_rectangle(double x, double y) {
    return {{-x, -y}, {x, -y}, {x, y}, {-x, y}};
}

// 60 wide, 40 high, wall of 2.
make::Solid channel(const Rounds& r, double length) {
    const double o = r.outside, i = r.inside;
    return make::extrude({make::rounded({{0, 0}, {60, 0}, {60, 40}, {58, 40}, {58, 2}, {2, 2}, {2, 40}, {0, 40}}, {o, o, 0, 0, i, i, 0, 0})}, length);
}

// Upside down, 160 x 120 x 40, wall of 2.5, drafted by 3 mm over its height.
make::Solid cover(const Rounds& r) {
    const auto above = [](const Vec3& m) { return m.z() > 1; };
    const make::Solid outer = make::rounded_edges(make::taper(plain_rectangle(80, 60), plain_rectangle(77, 57), 40), r.outside, above);
    const double in = 3 * 37.5 / 40;
    const make::Solid inner = make::taper(plain_rectangle(77.5, 57.5), plain_rectangle(77.5 - in, 57.5 - in), 37.5);
    return make::cut(outer, {r.inside > 0 ? make::rounded_edges(inner, r.inside, above) : inner});
}

// 160 x 120 x 30, wall of 2.5: rounds of the upright edges and of the edges round the floor.
make::Solid tray(const Rounds& upright, const Rounds& floor) {
    const auto side = [](const Vec3& m) { return std::abs(m.z() - 16) < 6; };
    const auto low = [](const Vec3& m) { return m.z() < 6; };
    make::Solid outer = make::box({-80, -60, 0}, {160, 120, 30});
    if (upright.outside > 0) outer = make::rounded_edges(outer, upright.outside, side);
    outer = make::rounded_edges(outer, floor.outside, low);
    make::Solid inner = make::box({-77.5, -57.5, 2.5}, {155, 115, 27.5});
    if (upright.inside > 0) inner = make::rounded_edges(inner, upright.inside, side);
    if (floor.inside > 0) inner = make::rounded_edges(inner, floor.inside, low);
    return make::cut(outer, {inner});
}

// 160 x 120 x 30 upside down, wall of 2.5, drafted by so many mm over its height: its corners are neither turned nor extruded.
make::Solid tray_with_draft(const Rounds& upright, const Rounds& floor, double draft) {
    const double in = draft * 27.5 / 30;
    const auto side = [](const Vec3& m) { return m.z() > 10 && m.z() < 20; };
    const auto high = [](const Vec3& m) { return m.z() > 24; };
    const make::Solid outer = make::taper(plain_rectangle(80, 60), plain_rectangle(80 - draft, 60 - draft), 30);
    const make::Solid inner = make::taper(plain_rectangle(77.5, 57.5), plain_rectangle(77.5 - in, 57.5 - in), 27.5);
    return make::cut(make::rounded_edges(make::rounded_edges(outer, upright.outside, side), floor.outside, high),
                     {make::rounded_edges(make::rounded_edges(inner, upright.inside, side), floor.inside, high)});
}

void expect_whole_sheets(const Job& j, int sheets) {
    EXPECT_EQ(j.mesh.parts, 1);
    EXPECT_EQ(j.model.sheets.size(), static_cast<std::size_t>(sheets));
    EXPECT_NEAR(j.proof.volume_error, 0, 2e-3);
    EXPECT_GT(j.proof.coverage, 0.999);
    EXPECT_TRUE(j.proof.within_bounds);
    EXPECT_GT(j.mesh.quality.quad_share, 0.97);
    EXPECT_GT(j.mesh.quality.min_scaled_jacobian, 0.3);
}

void expect_moulded(const Job& j, int sheets) {
    expect_whole_sheets(j, sheets);
    // Fine enough for the chords of the bends.
    MeshOptions fine;
    fine.size = 4, fine.angle = 10 * pi / 180;
    // Curves that meet tangentially, as at the ends of pipes, leave edges far below any size: the mesh closes them, and areas are off by that.
    const auto closed = bridged_edges(j.model, fine);
    const bool tangent = std::any_of(closed.begin(), closed.end(), [&](EdgeId e) { return j.model.length(e) < 1e-3; });
    if (tangent) {
        EXPECT_EQ(mesh(j.model, fine).parts, 1);
    } else {
        check_mesh(j.model, mesh(j.model, fine));
    }
}

class Unlike : public ::testing::TestWithParam<Rounds> {};

}  // namespace

TEST_P(Unlike, ChannelHasBendsOfTheMeanRadius) {
    const Rounds rounds = GetParam();
    const double r = 0.5 * (rounds.outside + rounds.inside), length = 200;
    for (const bool turned : {false, true}) {
        const make::Solid s = channel(rounds, length);
        Plan plan;
        plan.halve.slender = SlenderAs::shells;
        const Job j = job_of({{"channel", turned ? make::moved(s, anywhere()) : s}}, plan);
        EXPECT_EQ(j.model.sheets.size(), 5u);
        EXPECT_EQ(seam_count(j.model, "smooth"), 4);
        // The mid line: 58 and twice 39, each corner rounded.
        EXPECT_NEAR(total_area(j.model) / length, 58 + 2 * 39 - 4 * r + pi * r, 1e-6);
        EXPECT_NEAR(j.proof.volume_error, 0, 4e-3);
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_EQ(j.mesh.quality.quad_share, 1);
        MeshOptions fine;
        fine.size = 4, fine.angle = 10 * pi / 180;
        check_mesh(j.model, mesh(j.model, fine));
    }
}

TEST_P(Unlike, MouldedCoverIsOneMesh) {
    for (const bool turned : {false, true}) expect_moulded(job_of(turned ? make::moved(cover(GetParam()), anywhere()) : cover(GetParam())), 17);
}

INSTANTIATE_TEST_SUITE_P(Radii, Unlike, ::testing::Values(Rounds{4, 1.5}, Rounds{4, 2}, Rounds{5, 2}, Rounds{4, 1}, Rounds{6, 2}));

TEST(Tray, WideUprightRoundsMeetNarrowOnesInTori) {
    for (const bool turned : {false, true}) {
        const make::Solid s = tray({10, 8}, {4, 2});
        expect_moulded(job_of(turned ? make::moved(s, anywhere()) : s), 17);
    }
}

// Sharp inside: the bend counts as one with no radius there.
INSTANTIATE_TEST_SUITE_P(SharpInside, Unlike, ::testing::Values(Rounds{3, 0}, Rounds{4, 0}, Rounds{6, 0}));

TEST(Tray, SharpInsideEdgesHaveBendsOutside) {
    expect_moulded(job_of(tray({10, 8}, {4, 0})), 17);
    for (const bool turned : {false, true}) {
        const make::Solid s = tray({4, 0}, {4, 0});
        expect_moulded(job_of(turned ? make::moved(s, anywhere()) : s), 17);
    }
}

TEST(Tray, CornersTighterThanTheFloorsRoundHaveSmoothPatches) {
    // CAD fills the corner where no ball finds room; the patch between both sides goes on smoothly in all three bends.
    for (const auto& [upright, floor] : {std::pair(Rounds{4, 1.5}, Rounds{6, 3.5}), std::pair(Rounds{4, 2}, Rounds{6, 3.5}),
                                         std::pair(Rounds{3, 0.5}, Rounds{6, 4}), std::pair(Rounds{4, 1.5}, Rounds{10, 7.5})})
        for (const bool turned : {false, true}) {
            const make::Solid s = tray(upright, floor);
            const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
            expect_whole_sheets(j, 17);
            for (const Sheet& k : j.model.sheets) EXPECT_LT(k.deviation, 0.02 * k.thickness.mean);
            EXPECT_EQ(seam_count(j.model, "smooth"), 28);
        }
}

TEST(Tray, CornersSharpInsideOverARoundFloorTakeTheFloorsBall) {
    for (const auto& [upright, floor] : {std::pair(Rounds{5, 0}, Rounds{4, 2}), std::pair(Rounds{6, 0}, Rounds{4, 2}), std::pair(Rounds{4, 0}, Rounds{4, 2}),
                                         std::pair(Rounds{5, 2.5}, Rounds{4, 0})})
        for (const bool turned : {false, true}) {
            const make::Solid s = tray(upright, floor);
            expect_whole_sheets(job_of(turned ? make::moved(s, anywhere()) : s), 17);
        }
}

TEST(Tray, SharpUprightsOverAHalfRoundFloorMeetInMitres) {
    for (const bool turned : {false, true}) {
        const make::Solid s = tray({0, 0}, {4, 0});
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        expect_whole_sheets(j, 9);
        EXPECT_EQ(j.mesh.quality.quad_share, 1);
        // Four mitres of an ellipse each: half axes of the bend's mean radius, and that times the root of two.
        const auto quarter = [](double a, double b) {
            return Curve{EllipseCurve{{Vec3::Zero(), Vec3::UnitX(), Vec3::UnitY(), Vec3::UnitZ()}, a, b}, 0, pi / 2}.length();
        };
        double mitres = 0;
        for (const Edge& e : j.model.edges)
            if (!e.curve.is_line() && !std::holds_alternative<CircleCurve>(e.curve.shape)) mitres += e.curve.length();
        EXPECT_NEAR(mitres, 4 * quarter(2 * std::sqrt(2.0), 2), 1e-3);
    }
}

TEST(Tray, DraftedOnesHaveCornersThatABallIsRolledAlong) {
    expect_moulded(job_of(tray_with_draft({10, 8}, {4, 2}, 2)), 17);
    expect_moulded(job_of(make::moved(tray_with_draft({6, 3}, {3, 1}, 1), anywhere())), 17);
}

TEST(Tray, DraftedOnesAsFacetsAreAsTheirSolids) {
    // Coarse ones have rounds of few facets as long as the tray; in fine ones the corners' balls are rolled along what only comes near a torus.
    const Folder folder;
    for (const auto& [upright, floor, draft, chord, angle] :
         {std::tuple(Rounds{6, 3}, Rounds{3, 1}, 1.0, 0.1, 0.25), std::tuple(Rounds{6, 3}, Rounds{3, 1}, 1.0, 0.02, 0.1),
          std::tuple(Rounds{10, 8}, Rounds{4, 2}, 2.0, 0.02, 0.1)}) {
        make::write_stl((folder / "tray.stl").string(), {make::tessellated(tray_with_draft(upright, floor, draft), chord, angle)}, true);
        Job j;
        j.plan.source.file = (folder / "tray.stl").string(), j.plan.source.unit = "mm";
        j.plan.halve.slender = SlenderAs::shells;
        run(j);
        expect_whole_sheets(j, 17);
    }
}

TEST(Tray, DraftedOnesOfEqualRoundsHaveBalls) {
    expect_moulded(job_of(make::moved(tray_with_draft({6, 4}, {6, 4}, 1), anywhere())), 17);
}

TEST(Rounds, PipesTouchWhatTheyRollAlong) {
    // A floor and a leaning tube: no common axis. The ball's centre runs on an ellipse.
    const PlaneSurface floor{Frame::with_z(Vec3(0, 0, 0), Vec3::UnitZ())};
    const CylinderSurface tube{Frame::with_z(Vec3(0, 0, 0), Vec3(std::sin(0.1), 0, std::cos(0.1))), 30};
    const double r = 4;
    const auto s = pipe_between(floor, tube, r, Vec3(26, 0, 4), {Vec3(27, 3, 1), Vec3(20, 17, 1), Vec3(27, -4, 2)}, 1e-6);
    ASSERT_TRUE(s);
    const Pipe& pipe = *std::get<FreeSurface>(*s).pipe;
    const BaseSurface middle(*s);
    for (double k = 0.05; k < 1; k += 0.1) {
        const Vec3 c = pipe.spine.point(pipe.spine.parameter_at(k));
        EXPECT_NEAR(c.z(), r, 1e-7);
        EXPECT_NEAR((*surface_foot(tube, c) - c).norm(), r, 1e-7);
    }
    for (const Surface& other : {Surface(floor), Surface(tube)}) {
        const auto curve = touching_curve(*s, other, 1e-6);
        ASSERT_TRUE(curve);
        for (double k = 0.1; k < 1; k += 0.2) {
            const Vec3 p = curve->point(curve->parameter_at(k));
            EXPECT_NEAR((*surface_foot(other, p) - p).norm(), 0, 1e-6);
            EXPECT_NEAR((middle.foot(p).point - p).norm(), 0, 1e-4);
        }
    }
    EXPECT_FALSE(pipe_between(floor, PlaneSurface{Frame::with_z(Vec3(0, 0, 9), Vec3::UnitZ())}, r, Vec3(0, 0, 4), {Vec3(0, 0, 1)}, 1e-6));
}

TEST(Rounds, RollingBallOfASplineIsItsSmallRadius) {
    // A torus as a spline through its points: the ball is that of the small circle, whatever the large one.
    const TorusSurface t{Frame::with_z(Vec3(1, 2, 3), Vec3(1, 1, 2)), 20, 5};
    constexpr std::size_t n = 33;
    std::vector<Vec3> net, points;
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t j = 0; j < n; ++j) net.push_back(surface_point(t, Vec2(0.8 * static_cast<double>(i) / n, 0.2 + 1.2 * static_cast<double>(j) / n)));
    for (std::size_t k = 40; k < net.size(); k += 71) points.push_back(net[k]);
    const auto ball = rolling_ball(BaseSurface(FreeSurface{std::make_shared<const NurbsSurface>(through_net(net, n, n))}), points, 0.05);
    ASSERT_TRUE(ball);
    EXPECT_NEAR(ball->radius, 5, 1e-3);
}

TEST(Tray, EqualRoundsMeetInBalls) {
    const Job j = job_of(tray({6, 4}, {6, 4}));
    expect_moulded(j, 17);
    EXPECT_EQ(
        std::count_if(j.model.sheets.begin(), j.model.sheets.end(), [](const Sheet& s) { return std::holds_alternative<SphereSurface>(s.chart.surface()); }),
        4);
}

TEST(Moulded, PluggedBossesHangOnTheCover) {
    // Tubes of 8 x 2 under the cover, solid from half their height on: each plug holds its tube and the cover.
    for (const bool turned : {false, true}) {
        std::vector<make::Solid> parts{cover({4, 2})}, holes;
        for (const double x : {-60.0, 60.0})
            for (const double y : {-40.0, 40.0}) {
                parts.push_back(make::cylinder({x, y, 5}, Vec3::UnitZ(), 4, 33.75));
                holes.push_back(make::cylinder({x, y, 4}, Vec3::UnitZ(), 2, 20));
            }
        const make::Solid s = make::unify(make::cut(make::fuse(parts), holes));
        const Job j = job_of(turned ? make::moved(s, anywhere()) : s);
        expect_moulded(j, 21);
        ASSERT_EQ(j.model.couplings.size(), 4u);
        double plugs = 0;
        for (const Coupling& c : j.model.couplings) plugs += c.volume;
        // What the sheets leave of the solid, the cover's own thickness over the plugs included: the volume adds up to the whole.
        EXPECT_GT(plugs, 4 * pi * 16 * 13.5);
        EXPECT_LT(plugs, 1.01 * 4 * pi * 16 * 16);
    }
}

TEST(Rounds, TouchWhatTheyAreBetween) {
    const PlaneSurface floor{Frame::with_z(Vec3(1, 2, 0), Vec3::UnitZ())}, wall{Frame::with_z(Vec3(50, -3, 7), Vec3(1, 0, 0.1))};
    const auto round = round_between(floor, wall, 4, Vec3(44, 0, 5), 1e-6);
    ASSERT_TRUE(round);
    const auto& c = std::get<CylinderSurface>(*round);
    EXPECT_NEAR(std::abs(floor.frame.height(c.frame.origin)), 4, 1e-12);
    EXPECT_NEAR(std::abs(wall.frame.height(c.frame.origin)), 4, 1e-12);
    for (const Surface& s : {Surface(floor), Surface(wall)}) {
        const auto line = touching_curve(*round, s, 1e-9);
        ASSERT_TRUE(line && line->is_line());
        for (const double t : {-30.0, 0.0, 17.0}) {
            EXPECT_NEAR((*surface_foot(s, line->point(t)) - line->point(t)).norm(), 0, 1e-9);
            EXPECT_NEAR((*surface_foot(*round, line->point(t)) - line->point(t)).norm(), 0, 1e-9);
        }
    }
    // A floor and an upright tube: a torus, which touches the tube along a circle of its radius.
    const CylinderSurface tube{Frame::with_z(Vec3(5, 6, 0), Vec3::UnitZ()), 30};
    const auto ring = round_between(floor, tube, 4, Vec3(5 + 26, 6, 4), 1e-6);
    ASSERT_TRUE(ring);
    EXPECT_NEAR(std::get<TorusSurface>(*ring).major, 26, 1e-12);
    EXPECT_NEAR(std::get<TorusSurface>(*ring).minor, 4, 1e-12);
    const auto circle = touching_curve(*ring, tube, 1e-9);
    ASSERT_TRUE(circle);
    EXPECT_NEAR(std::get<CircleCurve>(circle->shape).radius, 30, 1e-9);
    // The ball in a corner touches its three rounds along circles, and the planes in points.
    const PlaneSurface x{Frame::with_z(Vec3::Zero(), Vec3::UnitX())}, y{Frame::with_z(Vec3::Zero(), Vec3::UnitY())},
        z{Frame::with_z(Vec3::Zero(), Vec3::UnitZ())};
    const auto ball = ball_between({x, y, z}, 3, Vec3(2, 4, 3));
    ASSERT_TRUE(ball);
    EXPECT_NEAR((std::get<SphereSurface>(*ball).frame.origin - Vec3(3, 3, 3)).norm(), 0, 1e-12);
    const auto edge = round_between(x, y, 3, Vec3(3, 3, 9), 1e-6);
    const auto arc = touching_curve(*ball, *edge, 1e-9);
    ASSERT_TRUE(arc);
    EXPECT_NEAR(std::abs(std::get<CircleCurve>(arc->shape).frame.z.z()), 1, 1e-12);
    EXPECT_FALSE(touching_curve(*ball, tube, 1e-9));
}

TEST(Rounds, MeanByNormalIsHalfWayAlongEveryNormal) {
    const Vec3 z = Vec3(1, 2, 2).normalized();
    const TorusSurface a{Frame::with_z(Vec3(1, 0, 0), z), 20, 6}, b{Frame::with_zx(Vec3(1.5, 0.4, -0.2), -z, a.frame.x), 19, 3};
    const auto mean = mean_by_normal(a, b, a.frame.origin, 30, 1e-6);
    ASSERT_TRUE(mean);
    const auto point = [](const TorusSurface& t, const Vec3& n) {  // of the outer half, where the normal is n
        const Vec3 out = (n - n.dot(t.frame.z) * t.frame.z).normalized();
        return Vec3(t.frame.origin + t.major * out + t.minor * n);
    };
    for (const Vec3& d : {Vec3(1, 0.2, 0.1), Vec3(-0.4, 1, 0.3), Vec3(0.1, -0.7, 1)}) {
        const Vec3 n = d.normalized(), m = 0.5 * (point(a, n) + point(b, n));
        EXPECT_NEAR((m - point(std::get<TorusSurface>(*mean), n)).norm(), 0, 1e-12);
    }
}
