// Sizes, rows round holes, and the measures of elements.
#include "support.hpp"

#include <halvo/mesh.hpp>
#include <halvo/quality.hpp>

#include <gtest/gtest.h>

#include <set>

using namespace test;
using make::box;

namespace {

ElementMeasures measured(const std::vector<Vec3>& corners) {
    Mesh m;
    m.nodes = corners;
    Element e;
    e.count = static_cast<std::uint8_t>(corners.size());
    for (std::size_t i = 0; i < corners.size(); ++i) e.nodes[i] = static_cast<std::int32_t>(i);
    e.quality = scaled_jacobian(corners);
    return measures(m, e);
}

make::Solid perforated(int n, double pitch, double radius, double t) {
    std::vector<std::vector<Curve>> loops{make::polygon({{0, 0}, {n * pitch, 0}, {n * pitch, n * pitch}, {0, n * pitch}})};
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) loops.push_back(make::reversed(make::circle(radius, {(i + 0.5) * pitch, (j + 0.5) * pitch})));
    return make::extrude(loops, t);
}

Model model_of(const make::Solid& s) {
    const Assembly a = solids_of({{"part", s}});
    Model m = halve(a);
    join(m, a);
    return m;
}

double longest(const Mesh& m) {
    double l = 0;
    for (const Element& e : m.elements)
        if (e.kind == ElementKind::shell) l = std::max(l, measures(m, e).longest);
    return l;
}

}  // namespace

TEST(Quality, MeasuresOfKnownShapes) {
    const auto square = measured({{0, 0, 0}, {2, 0, 0}, {2, 2, 0}, {0, 2, 0}});
    EXPECT_NEAR(square.scaled_jacobian, 1, 1e-12);
    EXPECT_NEAR(square.aspect, 1, 1e-12);
    EXPECT_NEAR(square.warpage, 0, 1e-9);
    EXPECT_NEAR(square.skew, 0, 1e-9);
    EXPECT_NEAR(square.taper, 0, 1e-12);
    EXPECT_NEAR(square.least_angle, 90, 1e-9);
    const auto leaning = measured({{0, 0, 0}, {2, 0, 0}, {3, std::sqrt(3.0), 0}, {1, std::sqrt(3.0), 0}});
    EXPECT_NEAR(leaning.scaled_jacobian, std::sin(pi / 3), 1e-12);
    EXPECT_NEAR(leaning.skew, 30, 1e-9);
    EXPECT_NEAR(leaning.least_angle, 60, 1e-9);
    EXPECT_NEAR(leaning.most_angle, 120, 1e-9);
    const auto trapezoid = measured({{0, 0, 0}, {4, 0, 0}, {3, 2, 0}, {1, 2, 0}});
    EXPECT_NEAR(trapezoid.taper, 1 - 4.0 / 6, 1e-12);  // corner triangles 8, 8, 4, 4 (doubled)
    EXPECT_NEAR(trapezoid.aspect, 2, 1e-12);
    // One corner of a square lifted: 45 degrees about the one diagonal, acos(2/3) about the other.
    const auto lifted = measured({{0, 0, 0}, {1, 0, 0}, {1, 1, 0.5 * std::sqrt(2.0)}, {0, 1, 0}});
    EXPECT_NEAR(lifted.warpage, std::acos(2.0 / 3) * 180 / pi, 1e-9);
    const auto equal = measured({{0, 0, 0}, {1, 0, 0}, {0.5, 0.5 * std::sqrt(3.0), 0}});
    EXPECT_NEAR(equal.scaled_jacobian, 1, 1e-12);
    EXPECT_NEAR(equal.skew, 0, 1e-9);
    EXPECT_NEAR(equal.least_angle, 60, 1e-9);
}

TEST(Quality, ReportCountsWhatIsOutside) {
    Mesh m;
    m.nodes = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {20, 0, 0}, {20, 1, 0}};
    for (const auto& n : {std::array<std::int32_t, 4>{0, 1, 2, 3}, std::array<std::int32_t, 4>{1, 4, 5, 2}}) {
        Element e;
        e.count = 4, e.nodes = n;
        m.elements.push_back(e);
    }
    const QualityLimits limits;
    const QualityReport r = assess(m, limits);
    EXPECT_EQ(r.shells, 2);
    EXPECT_EQ(r.outside, 1);
    EXPECT_EQ(r.histogram[9], 2);
    const auto aspect = std::find_if(r.measures.begin(), r.measures.end(), [](const MeasureSummary& s) { return s.name == "aspect ratio"; });
    ASSERT_NE(aspect, r.measures.end());
    EXPECT_NEAR(aspect->worst, 19, 1e-12);
    EXPECT_EQ(aspect->outside, 1);
    EXPECT_EQ(aspect->element, 1);
    EXPECT_EQ(quality_findings(r, limits).size(), 1u);
}

TEST(MeshSize, FourHundredHolesHaveTheirRows) {
    const Model model = model_of(perforated(20, 30, 6, 3));
    for (const int rings : {1, 2}) {
        MeshOptions o;
        o.size = 8, o.rings = rings, o.ring_width = 3, o.around = 12;
        const Mesh m = mesh(model, o);
        check_mesh(model, m);
        EXPECT_GT(m.quality.min_scaled_jacobian, 0.5);
        // Elements with two nodes on a hole's edge: quads only, one for each of its segments.
        std::set<int> on_hole;
        for (std::size_t i = 0; i < m.nodes.size(); ++i)
            for (const Edge& e : model.edges)
                if (!e.curve.is_line() && e.curve.box().squaredExteriorDistance(m.nodes[i]) < 1e-9 &&
                    (e.curve.point(e.curve.nearest(m.nodes[i])) - m.nodes[i]).norm() < 1e-9)
                    on_hole.insert(static_cast<int>(i));
        EXPECT_EQ(on_hole.size(), 400u * 12u);
        int rows = 0;
        for (const Element& e : m.elements) {
            int n = 0;
            for (std::size_t k = 0; k < e.count; ++k) n += on_hole.count(e.nodes[k]) > 0;
            if (n < 2) continue;
            EXPECT_EQ(e.count, 4);
            EXPECT_EQ(n, 2);
            ++rows;
        }
        EXPECT_EQ(rows, 400 * 12);
    }
}

TEST(MeshSize, RowsByTheHolesDiameter) {
    const Model model =
        model_of(make::extrude({make::polygon({{0, 0}, {200, 0}, {200, 100}, {0, 100}}), make::circle(10, {50, 50}), make::circle(20, {140, 50})}, 4));
    MeshOptions o;
    o.size = 7;
    HoleRule small, large;
    small.from = 15, small.to = 25, small.rings = 2, small.share = 0.5, small.around = 16;
    large.from = 30, large.width = 5;
    o.holes = {small, large};
    const Mesh m = mesh(model, o);
    check_mesh(model, m);
    const Vec3 at = model.sheets[0].chart.plane().z;
    std::map<double, int> radii[2];  // of nodes near each hole, rounded
    for (std::size_t h : {0U, 1U}) {
        Vec3 c = Vec3::Zero();
        for (const Edge& e : model.edges)
            if (const auto* k = std::get_if<CircleCurve>(&e.curve.shape); k && std::abs(k->radius - (h == 0 ? 10 : 20)) < 1e-9) c = k->frame.origin;
        for (const Vec3& n : m.nodes) {
            const Vec3 d = n - c;
            ++radii[h][std::round((d - d.dot(at) * at).norm() * 1e6) / 1e6];
        }
    }
    for (const double r : {10.0, 15.0, 20.0}) EXPECT_EQ(radii[0][r], 16) << "rows of half the radius, 16 elements round";
    EXPECT_GE(radii[1][25.0], 12) << "one row of 5 mm";
    EXPECT_EQ(radii[1][25.0], radii[1][20.0]);
}

TEST(MeshSize, OfOneSheetByItsIdOrPlace) {
    const std::vector<make::Item> items{{"base", box({0, 0, 0}, {300, 200, 6})}, {"rib", box({0, 97, 6}, {300, 6, 80})}};
    Plan plan;
    plan.mesh.size = 20;
    const Job coarse = job_of(items, plan);
    SizeRule rule;
    rule.body = {"rib"};
    rule.size = 5;
    plan.mesh.sizes = {rule};
    const Job fine = job_of(items, plan);
    const auto count = [](const Job& j, const std::string& body) {
        int n = 0;
        for (const Element& e : j.mesh.elements) n += e.sheet && j.solids.bodies[e.body.index()].name == body;
        return n;
    };
    EXPECT_GT(count(fine, "rib"), 10 * count(coarse, "rib"));
    EXPECT_LT(count(fine, "base"), 6 * count(coarse, "base"));
    check_mesh(fine.model, fine.mesh);
    rule.body.clear();
    rule.within = Box3(Vec3(-10, 90, -10), Vec3(310, 110, 100));
    plan.mesh.sizes = {rule};
    EXPECT_EQ(count(job_of(items, plan), "rib"), count(fine, "rib"));
}

TEST(MeshSize, ByAngleChordAndNumberAcross) {
    const Model tube = model_of(make::extrude(make::tube(120, 4), 200));
    MeshOptions o;
    o.size = 100, o.largest = 1000;
    o.angle = 10 * pi / 180;
    const Mesh by_angle = mesh(tube, o);
    EXPECT_EQ(by_angle.quads % 36, 0);
    o.angle.reset(), o.chord = 0.1;
    const Mesh by_chord = mesh(tube, o);
    // 2 acos(1 - 0.1 / 58) is 6.73 degrees: 54 round the tube.
    EXPECT_EQ(by_chord.quads % 54, 0);
    const Model strip = model_of(box({0, 0, 0}, {600, 30, 3}));
    MeshOptions a;
    a.size = 50;
    EXPECT_EQ(mesh(strip, a).quads, 12);
    a.across = 3;
    const Mesh m = mesh(strip, a);
    EXPECT_GE(m.quads, 3 * 12);
    EXPECT_NEAR(m.quality.min_scaled_jacobian, 1, 1e-9);
    EXPECT_LE(longest(m), 76);
}

TEST(MeshSize, MembersGetAtLeastSoManyElements) {
    const std::vector<make::Item> items{{"post", make::moved(make::extrude(make::rectangular_tube(40, 40, 3, 0), 500), make::place({0, 0, 0}))}};
    Plan plan;
    plan.mesh.size = 1000;
    EXPECT_EQ(job_of(items, plan).mesh.lines, 1);
    plan.mesh.along_member = 5;
    EXPECT_EQ(job_of(items, plan).mesh.lines, 5);
}

TEST(MeshQuality, BladesAskewOnATubeLeaveItQuadsThatDoNotFold) {
    // Six plates through the wall of a tube, turned against its axis: lines that end inside the tube's sheet.
    const auto rotor = [](double turn) {
        std::vector<make::Solid> all{make::extrude(make::tube(40, 3), 30)};
        for (int i = 0; i < 6; ++i) {
            const Vec3 out(std::cos(i * pi / 3), std::sin(i * pi / 3), 0), round(-out.y(), out.x(), 0);
            all.push_back(make::moved(box({-12, -0.75, 0}, {24, 1.5, 40}),
                                      make::place(18.5 * out + Vec3(0, 0, 15), out, std::cos(turn) * round + std::sin(turn) * Vec3::UnitZ())));
        }
        return make::unify(make::fuse(all));
    };
    for (const auto& [turn, size, share] :
         // The share differs by up to 0.026 with the facets that the part is read with.
         {std::tuple(pi / 3, 4.0, 0.95), std::tuple(pi / 6, 4.0, 0.93), std::tuple(pi / 4, 2.5, 0.97), std::tuple(pi / 6, 0.0, 0.90)}) {
        const Model m = model_of(rotor(turn));
        MeshOptions o;
        if (size > 0) o.size = size;
        const Mesh mesh = halvo::mesh(m, o);
        EXPECT_EQ(mesh.parts, 1);
        EXPECT_GT(mesh.quality.quad_share, share) << turn << " " << size;
        EXPECT_LE(mesh.quality.max_warpage, o.limits.warpage);
    }
}
