// The geometry under reading and survey: splines, fits, trees, facets, skins.
#include "body/contacts.hpp"
#include "body/facet_body.hpp"
#include "body/facet_regions.hpp"
#include "body/loose.hpp"
#include "body/skin.hpp"
#include "geom/box_tree.hpp"
#include "geom/facet_tree.hpp"
#include "geom/fit.hpp"
#include "geom/heights.hpp"
#include "geom/net_spline.hpp"
#include "geom/spread.hpp"
#include "site_parts.hpp"
#include "support.hpp"

#include <random>

using namespace test;
using make::box;

namespace {

// A wavy panel of 100 by 100.
NurbsSurface wave() {
    constexpr std::size_t n = 13;
    std::vector<Vec3> net;
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t j = 0; j < n; ++j) {
            const double x = 100.0 * static_cast<double>(i) / (n - 1), y = 100.0 * static_cast<double>(j) / (n - 1);
            net.emplace_back(x, y, 6 * std::sin(x / 20) * std::cos(y / 25));
        }
    return through_net(net, n, n);
}

// A quarter of a cylinder as a rational surface: exact circles of radius 10 about z, height 6.
NurbsSurface quarter_cylinder() {
    NurbsSurface s;
    s.degree_u = 2, s.degree_v = 1;
    s.knots_u = {0, 0, 0, 1, 1, 1}, s.knots_v = {0, 0, 1, 1};
    for (const Vec2& p : {Vec2(10, 0), Vec2(10, 10), Vec2(0, 10)})
        for (double z : {0.0, 6.0}) s.poles.emplace_back(p.x(), p.y(), z);
    const double w = std::sqrt(0.5);
    s.weights = {1, 1, w, w, 1, 1};
    return s;
}

std::vector<Vec3> scattered(const Surface& s, double noise, unsigned seed, std::vector<Vec3>& normals) {
    std::mt19937 random(seed);
    std::normal_distribution<double> deviate(0, 1);
    std::uniform_real_distribution<double> even(0, 1);
    std::vector<Vec3> points;
    normals.clear();
    for (int i = 0; i < 400; ++i) {
        const Vec3 p = surface_point(s, {0.2 + 1.4 * even(random), 0.1 + 0.9 * even(random)});
        const Vec3 n = *surface_normal(s, p);
        points.push_back(p + noise * deviate(random) * n), normals.push_back(n);
    }
    return points;
}

FacetMesh one_mesh(const std::vector<Vec3>& points, const std::vector<std::array<int, 3>>& facets) {
    auto all = facet_meshes(points, facets, std::vector<int>(facets.size(), 0), {"m"}, false);
    EXPECT_EQ(all.size(), 1u);
    return all[0];
}

const std::vector<Vec3> cube_points = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {0, 0, 1}, {1, 0, 1}, {1, 1, 1}, {0, 1, 1}};
const std::vector<std::array<int, 3>> cube_facets = {{0, 2, 1}, {0, 3, 2}, {4, 5, 6}, {4, 6, 7}, {0, 1, 5}, {0, 5, 4},
                                                     {1, 2, 6}, {1, 6, 5}, {2, 3, 7}, {2, 7, 6}, {3, 0, 4}, {3, 4, 7}};

}  // namespace

TEST(Nurbs, RationalQuarterCircleIsExact) {
    const NurbsSurface s = quarter_cylinder();
    for (double u : {0.0, 0.13, 0.5, 0.77, 1.0})
        for (double v : {0.0, 0.4, 1.0}) {
            const auto j = s.jet({u, v});
            EXPECT_NEAR(std::hypot(j.p.x(), j.p.y()), 10, 1e-12);
            EXPECT_NEAR(j.p.z(), 6 * v, 1e-12);
            EXPECT_NEAR(std::abs(j.normal().dot(Vec3(j.p.x(), j.p.y(), 0).normalized())), 1, 1e-12);
        }
}

TEST(Nurbs, DerivativesAreThoseOfDifferences) {
    const NurbsSurface s = quarter_cylinder();
    const double h = 1e-5;
    const Vec2 at(0.37, 0.6), u(h, 0), v(0, h);
    const auto j = s.jet(at);
    EXPECT_LT((j.du - (s.point(at + u) - s.point(at - u)) / (2 * h)).norm(), 1e-7);
    EXPECT_LT((j.dv - (s.point(at + v) - s.point(at - v)) / (2 * h)).norm(), 1e-7);
    EXPECT_LT((j.duu - (s.point(at + u) - 2 * j.p + s.point(at - u)) / (h * h)).norm(), 1e-3);
    EXPECT_LT((j.duv - (s.jet(at + v).du - s.jet(at - v).du) / (2 * h)).norm(), 1e-6);
    EXPECT_LT(j.dvv.norm(), 1e-9);
}

TEST(Nurbs, FootIsTheNearestPoint) {
    const NurbsSurface s = quarter_cylinder();
    for (const Vec3& p : {Vec3(12, 5, 2), Vec3(3, 4, 5), Vec3(7, 7, 3)}) {
        const Vec3 foot = s.point(s.foot(p, {0.5, 0.5}));
        const Vec2 out = Vec2(p.x(), p.y()).normalized() * 10;
        EXPECT_LT((foot - Vec3(out.x(), out.y(), p.z())).norm(), 1e-9);
    }
    // Beyond its edge the nearest point lies on the edge.
    EXPECT_LT((s.point(s.foot({4, 12, 9}, {0.5, 0.5})) - Vec3(10 * 4 / std::hypot(4, 12), 10 * 12 / std::hypot(4, 12), 6)).norm(), 1e-9);
    const NurbsSurface m = s.moved(anywhere());
    EXPECT_LT((m.point({0.3, 0.2}) - anywhere() * s.point({0.3, 0.2})).norm(), 1e-9);
}

TEST(Nurbs, FeetAreNearerThanAnyPointOfAFineNet) {
    const NurbsSurface s = wave();
    const BaseSurface base{FreeSurface{std::make_shared<const NurbsSurface>(s)}};
    std::mt19937 random(11);
    std::uniform_real_distribution<double> even(0, 1);
    for (int i = 0; i < 200; ++i) {
        const Vec3 p(5 + 90 * even(random), 5 + 90 * even(random), 24 * even(random) - 12);
        double least = std::numeric_limits<double>::max();
        for (int u = 0; u <= 150; ++u)
            for (int v = 0; v <= 150; ++v) least = std::min(least, (s.point(s.domain().min() + s.domain().sizes().cwiseProduct(Vec2(u, v) / 150)) - p).norm());
        const SkinPoint foot = base.foot(p);
        EXPECT_LE((foot.point - p).norm(), least + 1e-9);
        if (foot.point.x() > 0.01 && foot.point.x() < 99.99 && foot.point.y() > 0.01 && foot.point.y() < 99.99) {
            EXPECT_LT((p - foot.point).cross(foot.normal).norm(), 1e-8);
        }
    }
}

TEST(Nurbs, BeyondTheBorderFeetLieOnWhatIsCarriedOnStraight) {
    const NurbsSurface s = wave();
    const BaseSurface base{FreeSurface{std::make_shared<const NurbsSurface>(s)}};
    for (const Vec3& p : {Vec3(-3, 40, 2), Vec3(103, 55, -1), Vec3(30, -4, 3), Vec3(70, 105, 0), Vec3(-2, -3, 1), Vec3(104, 102, 5)}) {
        const Vec2 uv = base.parameters(p);
        EXPECT_FALSE(Box2(s.domain()).contains(uv));
        const auto j = s.extended(uv);
        EXPECT_NEAR((p - j.p).dot(j.du.normalized()), 0, 1e-7);
        EXPECT_NEAR((p - j.p).dot(j.dv.normalized()), 0, 1e-7);
    }
}

TEST(Heights, AreThoseOfAllPointsWhereTheSurfacePasses) {
    const BaseSurface ball{SphereSurface{Frame::with_z({40, 45, 0}, Vec3::UnitZ()), 30}};
    constexpr int n = 60;
    std::vector<Vec3> points;
    std::vector<std::array<int, 3>> triangles;
    for (int i = 0; i <= n; ++i)
        for (int j = 0; j <= n; ++j) points.emplace_back(100.0 * i / n, 100.0 * j / n, 8 * std::sin(0.1 * i));
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < n; ++j) {
            const int a = i * (n + 1) + j, b = a + n + 1;
            triangles.push_back({a, b, b + 1}), triangles.push_back({a, b + 1, a + 1});
        }
    int calls = 0;
    const auto height = [&](const Vec3& p) {
        ++calls;
        const SkinPoint f = ball.foot(p);
        return (p - f.point).dot(f.normal);
    };
    const auto found = heights_near_zero(points, triangles, height);
    EXPECT_LT(calls, 0.5 * static_cast<double>(points.size()));
    std::vector<double> all;
    for (const Vec3& p : points) all.push_back(height(p));
    for (std::size_t p = 0; p < points.size(); ++p) EXPECT_EQ(found[p] >= 0, all[p] >= 0);
    for (const auto& t : triangles) {
        const auto above = [&](int p) { return all[static_cast<std::size_t>(p)] >= 0; };
        if (above(t[0]) == above(t[1]) && above(t[1]) == above(t[2])) continue;
        for (int p : t) EXPECT_EQ(found[static_cast<std::size_t>(p)], all[static_cast<std::size_t>(p)]);
    }
}

TEST(Fit, PlainSurfacesExactlyAndUnderScatter) {
    const Frame f = Frame::with_z({10, -20, 30}, Vec3(1, 2, 3));
    for (const Surface& s : {Surface(CylinderSurface{f, 12}), Surface(ConeSurface{f, 12, 0.3}), Surface(SphereSurface{f, 15}), Surface(TorusSurface{f, 40, 8}),
                             Surface(TorusSurface{f, 14, 18})})  // the last one meets its axis
        for (const double noise : {0.0, 0.02}) {
            std::vector<Vec3> normals;
            const auto points = scattered(s, noise, 3, normals);
            const auto fit = s.index() == 1   ? fit_cylinder(points, normals)
                             : s.index() == 2 ? fit_cone(points, normals)
                             : s.index() == 3 ? fit_sphere(points, normals)
                                              : fit_torus(points, points, normals);
            ASSERT_TRUE(fit.has_value()) << surface_name(s);
            EXPECT_NEAR(fit->rms, noise, noise > 0 ? 0.004 : 1e-8) << surface_name(s);
            if (const auto* c = std::get_if<CylinderSurface>(&fit->surface)) {
                EXPECT_NEAR(c->radius, 12, noise > 0 ? 0.05 : 1e-7);
            }
            if (const auto* c = std::get_if<SphereSurface>(&fit->surface)) {
                EXPECT_NEAR(c->radius, 15, noise > 0 ? 0.05 : 1e-7);
            }
            if (const auto* c = std::get_if<TorusSurface>(&fit->surface)) {
                const auto& t = std::get<TorusSurface>(s);
                EXPECT_NEAR(c->major, t.major, noise > 0 ? 0.2 : 1e-6);
                EXPECT_NEAR(c->minor, t.minor, noise > 0 ? 0.2 : 1e-6);
            }
        }
    std::vector<Vec3> line;
    for (int i = 0; i < 10; ++i) line.push_back(i * Vec3(1, 2, 3));
    EXPECT_FALSE(fit_plane(line).has_value()) << "a line has many planes";
}

TEST(Trees, BoxesAndTrianglesFoundAreThoseOfAPlainSearch) {
    std::mt19937 random(5);
    std::uniform_real_distribution<double> even(0, 100);
    const auto point = [&] { return Vec3(even(random), even(random), even(random)); };
    std::vector<Box3> boxes;
    std::vector<Vec3> points;
    std::vector<std::array<int, 3>> corners;
    for (int i = 0; i < 300; ++i) {
        const Vec3 p = point();
        boxes.emplace_back(p, p + 0.05 * point());
        const int k = static_cast<int>(points.size());
        for (const Vec3& q : {p, Vec3(p + 0.1 * point()), Vec3(p + 0.1 * point())}) points.push_back(q);
        corners.push_back({k, k + 1, k + 2});
    }
    boxes.emplace_back();  // an empty one is never met
    const BoxTree tree(boxes);
    const FacetTree facets(points, corners);
    const FacetTree turned = facets.moved(anywhere());
    for (int round = 0; round < 50; ++round) {
        const Vec3 p = point();
        const Box3 ask(p, p + 0.2 * point());
        std::vector<int> plain, triangles;
        for (std::size_t i = 0; i + 1 < boxes.size(); ++i) {
            if (boxes[i].intersects(ask)) plain.push_back(static_cast<int>(i));
            Box3 b;
            for (int c : corners[i]) b.extend(points[static_cast<std::size_t>(c)]);
            if (b.intersects(ask)) triangles.push_back(static_cast<int>(i));
        }
        EXPECT_EQ(tree.touching(ask), plain);
        EXPECT_EQ(tree.touched_by(p), !tree.touching(Box3(p, p)).empty());
        EXPECT_EQ(facets.touching(ask), triangles);
        const auto a = facets.nearest(p, 1e300), b = turned.nearest(anywhere() * p, 1e300);
        EXPECT_NEAR(a->distance, b->distance, 1e-9);
        EXPECT_EQ(a->facet, b->facet);
    }
    EXPECT_TRUE(BoxTree({}).touching(Box3(Vec3(0, 0, 0), Vec3(1, 1, 1))).empty());
}

// Rays along the edges of boxes in the tree, which hold the triangles' own edges and corners: facets in planes x = k, a metre of them.
TEST(Trees, RaysThatRunAlongBoxesMeetEveryFacetInTheirWay) {
    for (const Vec3& origin : {Vec3(0, 0, 0), Vec3(1e5, -2e5, 1e5)}) {
        std::vector<Vec3> points;
        std::vector<std::array<int, 3>> corners;
        const int n = 40;
        for (int k = 0; k < n; ++k) {
            const int first = static_cast<int>(points.size());
            for (const Vec3& q : {Vec3(k, 0, 0), Vec3(k, 1, 0), Vec3(k, 1, 1), Vec3(k, 0, 1)}) points.push_back(origin + q);
            corners.push_back({first, first + 1, first + 2}), corners.push_back({first, first + 2, first + 3});
        }
        const FacetTree tree(points, corners);
        for (const double y : {0.0, 0.5, 1.0})
            for (const double z : {0.0, 0.25, 1.0})
                for (int k = 0; k + 1 < n; ++k) {
                    const Vec3 from = origin + Vec3(k + 0.25, y, z);
                    const auto up = tree.shoot(from, Vec3::UnitX(), 0), down = tree.shoot(from, -Vec3::UnitX(), 0);
                    ASSERT_TRUE(up && down) << k << " " << y << " " << z;
                    EXPECT_NEAR(up->distance, 0.75, 1e-9);
                    EXPECT_NEAR(down->distance, 0.25, 1e-9);
                    EXPECT_FALSE(tree.shoot(from, Vec3::UnitX(), 0, 0.74).has_value()) << "beyond its reach";
                    EXPECT_TRUE(tree.shoot(from, Vec3::UnitX(), 0, 0.76).has_value());
                }
    }
}

TEST(Spread, IsTheDiameterWithinAFewPerCent) {
    std::vector<Vec3> ring;
    for (int i = 0; i < 100; ++i) ring.emplace_back(50 * std::cos(0.0628 * i), 50 * std::sin(0.0628 * i), 0);
    EXPECT_NEAR(spread(ring), 100, 3);
}

TEST(FacetMeshes, WeldNeighboursAndVolume) {
    const FacetMesh m = one_mesh(cube_points, cube_facets);
    EXPECT_EQ(m.points.size(), 8u);
    EXPECT_NEAR(m.volume(), 1, 1e-12);
    EXPECT_EQ(m.turned, 0);
    for (const auto& a : m.across)
        for (int g : a) EXPECT_GE(g, 0);
}

TEST(FacetMeshes, MixedSensesAreMadeToAgree) {
    auto facets = cube_facets;
    for (std::size_t i : {1U, 4U, 7U}) std::swap(facets[i][0], facets[i][1]);
    const FacetMesh m = one_mesh(cube_points, facets);
    EXPECT_NEAR(m.volume(), 1, 1e-12);
    EXPECT_EQ(m.turned, 3);
}

TEST(FacetMeshes, BodiesThatTouchAlongASideStayApart) {
    // Two cubes with one edge in common: four facets share it, two of each cube.
    auto points = cube_points;
    auto facets = cube_facets;
    for (const Vec3& p : cube_points) points.push_back(p + Vec3(1, 1, 0));
    for (const auto& f : cube_facets) facets.push_back({f[0] + 8, f[1] + 8, f[2] + 8});
    const auto all = facet_meshes(points, facets, std::vector<int>(facets.size(), 0), {"m"}, false);
    ASSERT_EQ(all.size(), 2u);
    for (const FacetMesh& m : all) EXPECT_NEAR(m.volume(), 1, 1e-12);
}

TEST(FacetMeshes, ABandWithOneSideIsCutNotLooped) {
    std::vector<Vec3> points;
    std::vector<std::array<int, 3>> facets;
    const int n = 24;
    for (int i = 0; i < n; ++i) {
        const double t = 2 * pi * i / n;
        for (double s : {-1.0, 1.0})
            points.emplace_back((10 + s * std::cos(t / 2)) * std::cos(t), (10 + s * std::cos(t / 2)) * std::sin(t), s * std::sin(t / 2));
    }
    for (int i = 0; i < n; ++i) {
        const int a = 2 * i, b = 2 * i + 1, c = i + 1 < n ? 2 * i + 2 : 1, d = i + 1 < n ? 2 * i + 3 : 0;
        facets.push_back({a, b, c}), facets.push_back({b, d, c});
    }
    const Body b = body_from_facets(one_mesh(points, facets));
    EXPECT_FALSE(b.closed);
    EXPECT_EQ(b.facets.size(), facets.size());
}

TEST(FacetRegions, ACubeHasSixPlanesAndNoScatter) {
    const FacetRegions r = facet_regions(one_mesh(cube_points, cube_facets));
    EXPECT_EQ(r.regions.size(), 6u);
    EXPECT_EQ(r.noise, 0);
    for (const FacetRegion& k : r.regions) {
        EXPECT_TRUE(std::holds_alternative<PlaneSurface>(k.surface));
        EXPECT_LT(k.rms, 1e-12);
    }
}

TEST(FacetRegions, ScatterIsEstimated) {
    const Assembly solid = solids_of({{"bracket", make::bracket()}});
    for (const double noise : {0.01, 0.03}) {
        const make::Facets f = make::scan(solid.bodies[0], 1.5, noise, 5);
        EXPECT_NEAR(facet_regions(one_mesh(f.points, f.facets)).noise, noise, 0.35 * noise);
    }
}

TEST(FacetBody, EdgesAreLinesAndArcsAndCornersMeet) {
    const Assembly solid = solids_of({{"bracket", make::bracket()}});
    const make::Facets f = make::scan(solid.bodies[0], 1.5, 0.02, 9);
    const Body b = body_from_facets(one_mesh(f.points, f.facets));
    EXPECT_TRUE(b.closed);
    std::vector<int> uses(b.edges.size(), 0);
    for (const Face& k : b.faces)
        for (const auto& loop : k.loops)
            for (const Coedge& u : loop) ++uses[u.edge.index()];
    for (int n : uses) EXPECT_EQ(n, 2);
    double off = 0;
    for (const BodyEdge& e : b.edges) {
        EXPECT_LT((e.curve.start() - b.vertices[static_cast<std::size_t>(e.vertices[0])]).norm(), 0.2);
        EXPECT_LT((e.curve.end() - b.vertices[static_cast<std::size_t>(e.vertices[1])]).norm(), 0.2);
    }
    // Corners of the plane faces lie where those of the solid do.
    for (const Vec3& v : solid.bodies[0].vertices) {
        double least = 1e300;
        for (const Vec3& w : b.vertices) least = std::min(least, (v - w).norm());
        const bool sharp = std::abs(std::abs(v.z()) - 20) < 1e-6 && least < 5;
        if (sharp) off = std::max(off, least);
    }
    EXPECT_LT(off, 1.6) << "tangent lines are known to a facet, sharp corners far better";
}

TEST(Loose, GroupsByTouchAndTurnsInsideOut) {
    const Assembly loose = solids_of({{"a", make::as_loose_faces(box({0, 0, 0}, {30, 20, 5}))}});
    ASSERT_EQ(loose.bodies.size(), 1u);
    EXPECT_EQ(split_by_touch(loose.bodies[0]).size(), 1u);
    Body inside = solids_of({{"b", make::inside_out(make::bracket())}}).bodies[0];
    EXPECT_GT(inside.mass.volume, 0);
    EXPECT_EQ(inside.turned, static_cast<int>(inside.faces.size()));
    const double before = inside.mass.volume;
    turn_outward(inside);
    EXPECT_EQ(inside.mass.volume, before) << "what looks outward stays";
}

TEST(Skin, WallsRimsAndRestOfAPlate) {
    const Body plate = solids_of({{"plate", box({0, 0, 0}, {120, 80, 4})}}).bodies[0];
    const Skin s = analyse_skin(plate, probe(plate, 1e-5), {});
    EXPECT_NEAR(s.wall, 2 * 120 * 80, 1e-6);
    EXPECT_NEAR(s.rim, 2 * 200 * 4, 1e-6);
    EXPECT_NEAR(s.rest, 0, 1e-9);
    ASSERT_EQ(std::count_if(s.pairs.begin(), s.pairs.end(), [](const SkinPair& q) { return q.wall; }), 1);
    EXPECT_NEAR(s.thin_share(), 1, 1e-12);
}

TEST(Skin, NarrowBendsBelongToTheirFlats) {
    // Inner radius 0.4 at 1.5 mm: the bend alone is thicker than wide.
    const auto sheet = make::extrude({make::rounded({{0, 0}, {60, 0}, {60, 1.5}, {1.5, 1.5}, {1.5, 50}, {0, 50}}, {1.9, 0, 0, 0.4, 0, 0})}, 40);
    const Body b = solids_of({{"sheet", sheet}}).bodies[0];
    const Skin s = analyse_skin(b, probe(b, 1e-5), {});
    // Both cylinders are in a wall, with each other.
    const auto round = [&](int f) { return std::holds_alternative<CylinderSurface>(b.faces[static_cast<std::size_t>(f)].surface); };
    EXPECT_TRUE(std::any_of(s.pairs.begin(), s.pairs.end(), [&](const SkinPair& q) { return q.wall && round(q.a) && round(q.b); }));
    for (const SkinPair& q : s.pairs)
        if (q.wall) {
            EXPECT_NEAR(q.mean, 1.5, 0.02);
        }
    EXPECT_NEAR(s.thin_share(), 1, 1e-9);
}

TEST(Skin, NeighboursKnowSmoothAndConvex) {
    const Body b = solids_of({{"bracket", make::bracket()}}).bodies[0];
    const FaceNeighbours n = face_neighbours(b);
    int smooth = 0, concave = 0;
    for (const auto& list : n.of)
        for (const auto& l : list) smooth += l.smooth, concave += !l.convex && !l.smooth;
    // Two bends with two tangent lines each, seen from both sides; nothing else in it is concave and sharp.
    EXPECT_EQ(smooth, 8);
    EXPECT_EQ(concave, 0);
}

TEST(Contacts, AreaOfAPatchIsThatOfTheSmallerFace) {
    const Assembly a = solids_of({{"plate", box({0, 0, 0}, {120, 80, 4})}, {"block", box({50, 20, 4}, {30, 17, 10})}});
    const auto found = find_contacts(a, 0.5);
    ASSERT_EQ(found.size(), 1u);
    EXPECT_NEAR(found[0].area, 510, 1);
    EXPECT_NEAR(found[0].gap, 0, 1e-9);
}
