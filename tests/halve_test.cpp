// Walls of plane faces to sheets, straight bars to members: areas, thickness and seams against closed forms.
#include "geom/facet_tree.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

using namespace test;
using make::box;

namespace {

Model halved(const make::Solid& solid, const HalveOptions& options = {}) {
    return halve(solids_of({{"part", solid}}), options);
}

}  // namespace

TEST(Halve, PlateWithHolesKeepsAreaAndThickness) {
    const auto plate = make::cut(box({0, 0, 0}, {300, 200, 6}), {make::cylinder({60, 60, -5}, Vec3::UnitZ(), 15, 20),
                                                                 make::cylinder({200, 120, -5}, Vec3::UnitZ(), 22.5, 20), box({120, 20, -5}, {40, 12, 20})});
    const Model m = halved(plate);
    ASSERT_EQ(m.sheets.size(), 1u);
    const double area = 300 * 200 - pi * (15 * 15 + 22.5 * 22.5) - 40 * 12;
    EXPECT_NEAR(m.sheets[0].area() / area, 1, 1e-6);
    EXPECT_NEAR(m.sheets[0].area() / area, 1, 1e-10) << "arcs are exact, so better than asked";
    EXPECT_NEAR(m.sheets[0].thickness.min, 6, 6e-9);
    EXPECT_NEAR(m.sheets[0].thickness.max, 6, 6e-9);
    ASSERT_EQ(m.sheets[0].regions.size(), 1u);
    EXPECT_EQ(m.sheets[0].regions[0].loops.size(), 4u);
    EXPECT_TRUE(m.findings.empty());
}

TEST(Halve, ObroundSlotKeepsItsArcs) {
    halvo::Frame left, right;
    left.origin = {-20, 0, 0}, right.origin = {20, 0, 0};
    const std::vector<Curve> slot = {Curve::segment({-20, -6, 0}, {20, -6, 0}), Curve{CircleCurve{right, 6}, -pi / 2, pi / 2},
                                     Curve::segment({20, 6, 0}, {-20, 6, 0}), Curve{CircleCurve{left, 6}, pi / 2, 3 * pi / 2}};
    const auto plate = make::extrude({make::polygon({{-80, -50}, {80, -50}, {80, 50}, {-80, 50}}), make::reversed(slot)}, 4);
    const Model m = halved(plate);
    ASSERT_EQ(m.sheets.size(), 1u);
    EXPECT_NEAR(m.sheets[0].area(), 160 * 100 - (40 * 12 + pi * 36), 1e-6);
    int arcs = 0;
    for (const Edge& e : m.edges) arcs += std::holds_alternative<CircleCurve>(e.curve.shape);
    EXPECT_EQ(arcs, 2);
}

TEST(Halve, TeeSeamLiesOnTheBasesMidPlane) {
    const auto tee = make::unify(make::fuse({box({0, 0, 0}, {200, 120, 8}), box({0, 57, 8}, {200, 6, 70})}));
    const Model m = halved(tee);
    ASSERT_EQ(m.sheets.size(), 2u);
    const auto list = seams(m);
    ASSERT_EQ(list.size(), 1u);
    EXPECT_EQ(list[0].kind, SeamKind::tee);
    EXPECT_NEAR(m.length(list[0].edge), 200, 1e-9);
    const Edge& e = m.edges[list[0].edge.index()];
    // Both ends at z = 4, y = 60 in the file's coordinates.
    const Assembly solids = solids_of({{"part", tee}});
    for (const Vec3& p : {e.curve.start(), e.curve.end()}) {
        EXPECT_NEAR((p + solids.shift).z(), 4, 1e-9);
        EXPECT_NEAR((p + solids.shift).y(), 60, 1e-9);
    }
    EXPECT_NEAR(total_area(m), 200 * 120 + 200 * 74, 1e-6);
}

TEST(Halve, CornerMeetsOnBothMidPlanes) {
    const auto angle = make::unify(make::fuse({box({0, 0, 0}, {150, 100, 5}), box({0, 0, 0}, {5, 100, 80})}));
    const Model m = halved(angle);
    ASSERT_EQ(m.sheets.size(), 2u);
    EXPECT_EQ(seam_count(m, "corner"), 1);
    EXPECT_NEAR(seam_length(m, "corner"), 100, 1e-9);
    EXPECT_NEAR(total_area(m), 147.5 * 100 + 77.5 * 100, 1e-6);
}

TEST(Halve, ObliqueTeeIsExact) {
    // A rib leaning by 30 degrees from upright on a base.
    const double lean = 30 * pi / 180;
    auto rib = make::moved(box({-3, 0, 0}, {6, 160, 120}), make::place({100, 0, 4}, {std::sin(lean), 0, std::cos(lean)}, {std::cos(lean), 0, -std::sin(lean)}));
    rib = make::cut(rib, {box({-500, -500, -500}, {2000, 2000, 504})});
    const auto part = make::unify(make::fuse({box({0, 0, 0}, {220, 160, 8}), rib}));
    const Model m = halved(part);
    ASSERT_EQ(m.sheets.size(), 2u);
    EXPECT_NEAR(seam_length(m, "tee"), 160, 1e-8);
    // From where its own mid plane passes z = 4 (the origin of the placement) to the tip, 120 along.
    EXPECT_NEAR(total_area(m), 220 * 160 + 120 * 160, 1e-6);
}

TEST(Halve, ShelfHasEverySeamAtItsLength) {
    const make::ShelfSize s;
    const Model m = halved(make::instrument_shelf(s));
    ASSERT_EQ(m.sheets.size(), 7u);
    const double l = s.length - s.upstand, w = s.width - s.upstand;  // between mid planes
    const double rib = s.rib_height - s.base / 2, up = s.height - s.base / 2;
    EXPECT_NEAR(seam_length(m, "cross"), rib, 1e-3 * rib);
    EXPECT_NEAR(seam_length(m, "tee"), (l + w) + 4 * rib, 1e-3 * (l + w));
    EXPECT_NEAR(seam_length(m, "corner"), 2 * (l + w) + 4 * up, 1e-3 * (l + w));
    EXPECT_NEAR(total_area(m), l * w + 2 * (l + w) * up + (l + w) * rib, 1e-6 * l * w);
    EXPECT_EQ(connected_parts(m).count, 1);
}

TEST(Halve, EggCrateIsTwentySheets) {
    std::vector<make::Solid> ribs;
    for (int i = 0; i < 10; ++i) {
        ribs.push_back(box({i * 40.0 + 19, 0, 0}, {2, 400, 30}));
        ribs.push_back(box({0, i * 40.0 + 18.5, 0}, {400, 3, 30}));
    }
    const Model m = halved(make::unify(make::fuse(ribs)));
    EXPECT_EQ(m.sheets.size(), 20u);
    EXPECT_EQ(seam_count(m, "cross"), 100);
    EXPECT_NEAR(seam_length(m, "cross"), 100 * 30, 1e-6);
    EXPECT_NEAR(total_area(m), 20 * 400 * 30, 1e-5);
}

TEST(Halve, DraftedRibIsBisectorWithLinearThickness) {
    const double height = 60, foot = 6, draft = 1.5 * pi / 180, tip = foot - 2 * height * std::tan(draft);
    const auto rib =
        make::taper({{0, -foot / 2}, {200, -foot / 2}, {200, foot / 2}, {0, foot / 2}}, {{0, -tip / 2}, {200, -tip / 2}, {200, tip / 2}, {0, tip / 2}}, height);
    const Model m = halved(rib);
    ASSERT_EQ(m.sheets.size(), 1u);
    EXPECT_NEAR(m.sheets[0].area(), 200 * height, 1e-6);
    EXPECT_NEAR(m.sheets[0].thickness.max, foot, 1e-7);
    EXPECT_NEAR(m.sheets[0].thickness.min, tip, 1e-7);
    EXPECT_NEAR(m.sheets[0].thickness.mean, 0.5 * (foot + tip), 1e-7);
}

TEST(Halve, WallCutInThreeIsOneSheet) {
    // The same plate with its faces split by the author: no edge of the split is left.
    const auto whole = make::fuse({box({0, 0, 0}, {100, 80, 4}), box({100, 0, 0}, {90, 80, 4}), box({190, 0, 0}, {60, 80, 4})});
    const Model m = halved(whole);
    ASSERT_EQ(m.sheets.size(), 1u);
    EXPECT_EQ(m.sheets[0].regions.size(), 1u);
    EXPECT_EQ(m.edges.size(), 4u);
    EXPECT_NEAR(m.sheets[0].area(), 250 * 80, 1e-7);
}

TEST(Halve, TwoThicknessesInOneBodyStayApart) {
    const auto part = make::unify(make::fuse({box({0, 0, 0}, {200, 150, 3}), box({0, 0, 0}, {10, 150, 90})}));
    const Model m = halved(part);
    ASSERT_EQ(m.sheets.size(), 2u);
    std::vector<double> t{m.sheets[0].thickness.mean, m.sheets[1].thickness.mean};
    std::sort(t.begin(), t.end());
    EXPECT_NEAR(t[0], 3, 1e-8);
    EXPECT_NEAR(t[1], 10, 1e-8);
}

TEST(Halve, BoxGirderKeepsItsInside) {
    const auto girder = make::extrude(make::rectangular_tube(120, 200, 5, 0), 900);
    HalveOptions shells;
    shells.slender = SlenderAs::shells;
    const Model m = halved(girder, shells);
    ASSERT_EQ(m.sheets.size(), 4u);
    EXPECT_NEAR(total_area(m), 900 * 2 * (115 + 195), 1e-5);
    EXPECT_NEAR(seam_length(m, "corner"), 4 * 900, 1e-6);
    EXPECT_TRUE(m.members.empty());
}

TEST(Halve, ThicknessRangeOfThePlanIsKept) {
    const auto part = make::unify(make::fuse({box({0, 0, 0}, {200, 150, 3}), box({0, 0, 0}, {10, 150, 90})}));
    HalveOptions thin;
    thin.survey.thickest = 5;
    const Model m = halved(part, thin);
    ASSERT_EQ(m.sheets.size(), 1u);
    EXPECT_NEAR(m.sheets[0].thickness.mean, 3, 1e-8);
    bool named = false;
    for (const Finding& f : m.findings) named = named || f.kind == FindingKind::wall_outside_the_thickness_range;
    EXPECT_TRUE(named);
}

TEST(Halve, BlocksAndBallsGiveNoSheetsAndSayWhy) {
    for (const auto& solid : {box({0, 0, 0}, {60, 50, 55}), make::ball({0, 0, 0}, 40)}) {
        const Model m = halved(solid);
        EXPECT_TRUE(m.sheets.empty());
        EXPECT_TRUE(m.members.empty());
        ASSERT_EQ(m.findings.size(), 1u);
        EXPECT_EQ(m.findings[0].kind, FindingKind::not_idealized);
    }
}

TEST(Halve, OpenSkinIsNamed) {
    const Model m = halved(make::opened(box({0, 0, 0}, {100, 80, 4})));
    EXPECT_TRUE(m.sheets.empty());
    ASSERT_EQ(m.findings.size(), 1u);
    EXPECT_NE(m.findings[0].about.find("not closed"), std::string::npos);
}

TEST(Halve, WallRefusedByKeyIsLeftOut) {
    const auto part = make::unify(make::fuse({box({0, 0, 0}, {200, 150, 3}), box({0, 0, 0}, {10, 150, 90})}));
    const Model all = halved(part);
    std::string thick;
    for (const LedgerEntry& e : all.ledger)
        if (e.kind == EntryKind::wall && e.about.find("10.00") != std::string::npos) thick = e.key;
    ASSERT_FALSE(thick.empty());
    HalveOptions options;
    options.refuse = {thick};
    const Model m = halved(part, options);
    ASSERT_EQ(m.sheets.size(), 1u);
    EXPECT_NEAR(m.sheets[0].thickness.mean, 3, 1e-8);
}

TEST(Halve, MemberRunsThroughTheCentroid) {
    // An angle: its centroid is off its corner by a closed form.
    const double b = 60, t = 6, length = 800;
    const auto loop = make::polygon({{0, 0}, {b, 0}, {b, t}, {t, t}, {t, b}, {0, b}});
    const Assembly solids = solids_of({{"part", make::extrude({loop}, length)}});
    const Model m = halve(solids);
    ASSERT_EQ(m.members.size(), 1u);
    const double area = t * (2 * b - t), c = (b * t * t / 2 + (b - t) * t * (t + (b - t) / 2)) / area;
    const Vec3 p = m.members[0].axis.at(0) + solids.shift;
    EXPECT_NEAR(p.x(), c, 1e-7);
    EXPECT_NEAR(p.y(), c, 1e-7);
    EXPECT_NEAR(m.members[0].own_length(), length, 1e-7);
    EXPECT_EQ(m.sections[0].shape, "angle");
}

TEST(Halve, MitredTubeEndsWhereItsLineLeavesIt) {
    auto tube = make::extrude(make::rectangular_tube(50, 80, 4, 8), 1000);
    // Cut at 45 degrees through the centroid line at z = 0 ... 900.
    const auto knife = make::moved(box({-500, -500, 0}, {1000, 1000, 1000}), make::place({0, 0, 900}, Vec3(0, 1, 1).normalized(), Vec3::UnitX()));
    const Model m = halved(make::cut(tube, {knife}));
    ASSERT_EQ(m.members.size(), 1u);
    EXPECT_NEAR(m.members[0].own_length(), 900, 1e-6);
    EXPECT_EQ(m.sections[0].shape, "rectangular tube");
}

TEST(Halve, FlatBarIsAMemberAndAStripAPlate) {
    EXPECT_EQ(halved(box({0, 0, 0}, {40, 8, 600})).members.size(), 1u);
    const Model plate = halved(box({0, 0, 0}, {60, 4, 600}));
    EXPECT_TRUE(plate.members.empty());
    EXPECT_EQ(plate.sheets.size(), 1u);
}

TEST(Halve, PlateCoplanarWithAnothersMidPlaneIsNoTrouble) {
    // The top of the low plate lies exactly on the mid plane of the thick one.
    const auto part = make::unify(make::fuse({box({0, 0, 0}, {200, 150, 8}), box({200, 0, 0}, {150, 150, 4}), box({96, 0, 8}, {8, 150, 80})}));
    HalveOptions options;
    options.steps = StepsAs::separate;
    const Model m = halved(part, options);
    EXPECT_EQ(m.sheets.size(), 3u);
    double thick = 0;
    for (const Sheet& s : m.sheets)
        if (std::abs(s.thickness.mean - 8) < 1e-6 && s.area() > 20000) thick = s.area();
    EXPECT_NEAR(thick, 200 * 150, 1e-6);
}

TEST(Halve, FilletsAtARibsFootDoNotCutTheBase) {
    const auto profile = make::rounded({{-60, 0}, {60, 0}, {60, 6}, {2, 6}, {2, 50}, {-2, 50}, {-2, 6}, {-60, 6}}, {0, 0, 0, 4, 0, 0, 4, 0});
    const Model m = halved(make::extrude({profile}, 300));
    ASSERT_EQ(m.sheets.size(), 2u);
    EXPECT_NEAR(total_area(m), 300 * (120 + 47), 1e-6);
    EXPECT_EQ(connected_parts(m).count, 1);
}

TEST(Halve, RoundedRimEndsTheSheetAndIsNoWall) {
    const auto profile = make::rounded({{0, 0}, {200, 0}, {200, 6}, {0, 6}}, {2.9, 2.9, 2.9, 2.9});
    const Model m = halved(make::extrude({profile}, 150));
    ASSERT_EQ(m.sheets.size(), 1u);
    EXPECT_NEAR(m.sheets[0].area(), 200 * 150, 1e-6) << "up to the rim's outermost line";
    EXPECT_NEAR(m.sheets[0].thickness.max, 6, 1e-9);
}

TEST(Halve, ThicknessStepGivesEachPieceItsOwnMiddle) {
    for (const double low : {0.0, 2.0, 1.0}) {
        // Flush below, symmetric, and in between.
        const auto part = make::unify(make::fuse({box({0, 0, low}, {200, 100, 4}), box({200, 0, 0}, {150, 100, 8})}));
        HalveOptions options;
        options.steps = StepsAs::separate;
        const Model m = halved(part, options);
        ASSERT_EQ(m.sheets.size(), 2u) << low;
        for (const Sheet& s : m.sheets) {
            EXPECT_NEAR(s.area(), s.thickness.mean > 6 ? 150 * 100 : 200 * 100, 1e-5) << low;
            EXPECT_NEAR(s.thickness.max - s.thickness.min, 0, 1e-8);
        }
    }
}

TEST(Halve, ThicknessStepIsOneSheetWithAnOffset) {
    for (const double low : {0.0, 2.0, 1.0}) {
        const auto part = make::unify(make::fuse({box({0, 0, low}, {200, 100, 4}), box({200, 0, 0}, {150, 100, 8})}));
        const Assembly solids = solids_of({{"part", part}});
        const Model m = halve(solids);
        ASSERT_EQ(m.sheets.size(), 1u) << low;
        const Sheet& s = m.sheets[0];
        ASSERT_EQ(s.regions.size(), 2u) << low;
        const Mesh k = mesh(m, {20});
        // Each element at its own thickness and, with the offset, at its own middle; the step lies between elements.
        double volume = 0;
        for (const Element& e : k.elements) {
            Vec3 c = Vec3::Zero(), n = Vec3::Zero();
            for (std::size_t i = 0; i < e.count; ++i) c += k.nodes[static_cast<std::size_t>(e.nodes[i])] / e.count;
            for (std::size_t i = 0; i + 2 < e.count; ++i)
                n += 0.5 * (k.nodes[static_cast<std::size_t>(e.nodes[i + 1])] - k.nodes[static_cast<std::size_t>(e.nodes[0])])
                               .cross(k.nodes[static_cast<std::size_t>(e.nodes[i + 2])] - k.nodes[static_cast<std::size_t>(e.nodes[0])]);
            volume += n.norm() * e.thickness;
            const Vec3 place = c + solids.shift;
            const bool thick = place.x() > 200;
            EXPECT_NEAR(e.thickness, thick ? 8 : 4, 1e-9);
            EXPECT_NEAR(place.z() + e.offset * s.chart.plane().z.z(), thick ? 4 : low + 2, 1e-9);
        }
        EXPECT_NEAR(volume, 200 * 100 * 4 + 150 * 100 * 8, 1e-4);
    }
}

TEST(Halve, ThreeWallsOnOneLineShareIt) {
    std::vector<make::Solid> walls;
    for (int k = 0; k < 3; ++k) {
        const double a = k * 2 * pi / 3;
        walls.push_back(make::moved(box({0, -2.5, 0}, {150, 5, 200}), make::place({0, 0, 0}, Vec3::UnitZ(), Vec3(std::cos(a), std::sin(a), 0))));
    }
    const Model m = halved(make::unify(make::fuse(walls)));
    ASSERT_EQ(m.sheets.size(), 3u);
    EXPECT_EQ(seam_count(m, "star"), 1);
    EXPECT_NEAR(total_area(m), 3 * 150 * 200, 1e-5);
}

TEST(Halve, MouldedTrayWithDraftOnEverySide) {
    const auto outer = make::taper({{-100, -60}, {100, -60}, {100, 60}, {-100, 60}}, {{-104, -64}, {104, -64}, {104, 64}, {-104, 64}}, 80);
    const auto inner =
        make::moved(make::taper({{-97, -57}, {97, -57}, {97, 57}, {-97, 57}}, {{-102, -62}, {102, -62}, {102, 62}, {-102, 62}}, 80), make::place({0, 0, 3}));
    const Model m = halved(make::cut(outer, {inner}));
    ASSERT_EQ(m.sheets.size(), 5u);
    EXPECT_EQ(seam_count(m, "corner"), 8);
    EXPECT_EQ(connected_parts(m).count, 1);
}

TEST(Halve, NotchesAndHolesInRibsComeOut) {
    const auto part = make::unify(make::cut(make::fuse({box({0, 0, 0}, {400, 150, 5}), box({0, 70, 5}, {400, 6, 60}), box({197, 0, 5}, {6, 150, 60})}),
                                            {box({90, 60, 45}, {40, 30, 40}), make::cylinder({300, 60, 35}, Vec3::UnitY(), 12, 40)}));
    const Model m = halved(part);
    ASSERT_EQ(m.sheets.size(), 3u);
    EXPECT_NEAR(total_area(m), 400 * 150 + 400 * 62.5 - 40 * 20 - pi * 144 + 150 * 62.5, 1e-5);
}

TEST(Halve, FusedTubesEndAtEachOther) {
    const auto through = make::extrude(make::rectangular_tube(60, 60, 4, 0), 800);
    const auto branch = make::cut(make::moved(make::extrude(make::rectangular_tube(60, 60, 4, 0), 500), make::place({0, 0, 400}, Vec3::UnitX())),
                                  {make::extrude({make::polygon({{-30, -30}, {30, -30}, {30, 30}, {-30, 30}})}, 800)});
    const Model m = halved(make::unify(make::fuse({through, branch})));
    EXPECT_EQ(m.sheets.size(), 6u) << "flush walls of both tubes are one sheet each";
    EXPECT_EQ(connected_parts(m).count, 1);
    // Four walls of the tube; two flush side walls run on into the branch, top and bottom of it end at the tube's wall.
    EXPECT_NEAR(total_area(m), 4 * 56 * 800 + 2 * 56 * (500 - 28) + 2 * 56 * (500 - 28), 1e-4);
}

TEST(Halve, RepeatedPartsAreIdealizedOnceAndPlaced) {
    // Twelve shelves, each turned another way, as one product in twelve places: the model of one, twelve times.
    const Folder folder;
    const std::string file = (folder / "many.step").string();
    std::vector<Eigen::Isometry3d> places;
    for (int i = 0; i < 12; ++i)
        places.push_back(Eigen::Translation3d(900.0 * (i % 4), 900.0 * (i / 4), 40.0 * i) *
                         Eigen::Isometry3d(Eigen::AngleAxisd(0.4 * i, Vec3(1, -2, 0.5).normalized())));
    make::write_step_assembly(file, "rack", {"shelf", make::instrument_shelf()}, places);
    const Assembly solids = read(file);
    const Model many = halve(solids), single = halve(solids_of({{"shelf", make::instrument_shelf()}}));
    ASSERT_EQ(many.sheets.size(), 12 * single.sheets.size());
    EXPECT_NEAR(total_area(many) / total_area(single), 12, 1e-9);
    std::set<std::string> keys;
    for (const Sheet& s : many.sheets) {
        EXPECT_TRUE(keys.insert(s.key).second);
        // Each sheet lies inside its own body.
        const Body& b = solids.bodies[s.body.index()];
        const Region& r = s.regions[0];
        const Vec3 on = many.edges[r.loops[0][0].edge.index()].curve.middle();
        EXPECT_LT(b.tree->nearest(on, 1e300)->distance, 4);
    }
    const auto posts = [&](const make::Solid& s) {
        make::write_step_assembly(file, "rack", {"post", s}, places);
        return halve(read(file));
    };
    const Model members = posts(make::extrude(make::rectangular_tube(60, 40, 3, 6), 700));
    ASSERT_EQ(members.members.size(), 12u);
    for (const Member& m : members.members) EXPECT_NEAR(members.length(m), 700, 1e-9);
    EXPECT_EQ(members.sections.size(), 1u);
}
