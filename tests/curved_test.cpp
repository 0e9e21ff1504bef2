// Walls of every kind, one solid each: areas and thicknesses against closed forms, one connected part, nothing left out.
#include "curved_parts.hpp"
#include "spoilt.hpp"

#include <algorithm>
#include <cmath>

using namespace test;

namespace {

class CurvedWall : public testing::TestWithParam<int> {
protected:
    const CurvedPart& part() const { return curved_parts()[static_cast<std::size_t>(GetParam())]; }
};

std::string part_name(const testing::TestParamInfo<int>& info) {
    std::string s = curved_parts()[static_cast<std::size_t>(info.param)].name;
    std::replace(s.begin(), s.end(), ' ', '_');
    return s;
}

Job made(const CurvedPart& p) {
    Plan plan;
    plan.mesh.angle = p.angle;
    return job_of(p.solid(), plan);
}

void expect_curved_whole(const CurvedPart& p, const Job& job) {
    EXPECT_EQ(connected_parts(job.model).count, 1);
    EXPECT_TRUE(job.proof.within_bounds) << (job.proof.outside.empty() ? "" : job.proof.outside[0]);
    EXPECT_LT(std::abs(job.proof.volume_error), 0.01);
    EXPECT_GT(job.proof.coverage, p.coverage);
    EXPECT_LT(job.proof.thickness_error, p.thickness > 0 ? 1e-6 : 1e-3);
    if (p.sheets > 0) {
        EXPECT_EQ(job.model.sheets.size(), static_cast<std::size_t>(p.sheets));
    }
    if (p.area > 0) {
        EXPECT_NEAR(total_area(job.model) / p.area, 1, p.tolerance);
    }
    if (p.thickness > 0)
        for (const Sheet& s : job.model.sheets) {
            EXPECT_NEAR(s.thickness.min, p.thickness, 1e-6 * p.thickness);
            EXPECT_NEAR(s.thickness.max, p.thickness, 1e-6 * p.thickness);
        }
    check_mesh(job.model, job.mesh);
}

}  // namespace

TEST_P(CurvedWall, IsWhole) {
    expect_curved_whole(part(), made(part()));
}

TEST_P(CurvedWall, IsTheSameAnywhere) {
    const Job here = job_of(part().solid());
    const Job there = job_of(make::moved(part().solid(), anywhere()));
    EXPECT_EQ(here.model.sheets.size(), there.model.sheets.size());
    const double same = part().name == "freeform" ? 5e-6 : 1e-6;  // its midsurface is fitted, to points that facets choose
    EXPECT_NEAR(total_area(there.model) / total_area(here.model), 1, same);
    EXPECT_EQ(connected_parts(there.model).count, connected_parts(here.model).count);
    EXPECT_NEAR(there.proof.volume_error, here.proof.volume_error, same);
    EXPECT_EQ(there.proof.within_bounds, here.proof.within_bounds);
}

// As a mesh file has it: corners on the surfaces in single precision, nothing said of what the surfaces are.
TEST_P(CurvedWall, IsWholeFromFacets) {
    const CurvedPart& p = part();
    const Job exact = job_of(p.solid());
    const Folder folder;
    for (const auto& [chord, angle] : {std::pair(0.2, 0.35), std::pair(0.05, 0.15)}) {
        SCOPED_TRACE(chord);
        make::write_stl((folder / "part.stl").string(), {make::tessellated(p.solid(), chord, angle)}, true);
        Job job;
        job.plan.source.file = (folder / "part.stl").string(), job.plan.source.unit = "mm", job.plan.mesh.angle = p.angle;
        run(job);
        EXPECT_EQ(connected_parts(job.model).count, 1);
        EXPECT_GT(job.proof.coverage, p.coverage - 0.02);
        EXPECT_NEAR(total_area(job.model) / total_area(exact.model), 1, 2e-3);
        for (const Sheet& s : job.model.sheets) {
            if (p.thickness > 0) {
                EXPECT_NEAR(s.thickness.mean, p.thickness, 1e-3 * p.thickness);
            }
        }
        check_mesh(job.model, job.mesh);
    }
}

INSTANTIATE_TEST_SUITE_P(Every, CurvedWall, testing::Range(0, static_cast<int>(curved_parts().size())), part_name);

TEST(Curved, WavesOfArcsKeepTheirBends) {
    for (const CurvedPart& p : waved_parts()) {
        SCOPED_TRACE(p.name);
        expect_curved_whole(p, job_of(p.solid()));
        const Job there = job_of(make::moved(p.solid(), anywhere()));
        EXPECT_NEAR(total_area(there.model) / p.area, 1, p.tolerance);
        EXPECT_TRUE(there.proof.within_bounds);
    }
}

TEST(Curved, InchesAreTheSamePart) {
    const CurvedPart& p = curved_parts()[0];
    const Job mm = job_of({{"part", p.solid()}}), inch = job_of({{"part", p.solid()}}, {}, "INCH");
    EXPECT_EQ(mm.model.sheets.size(), inch.model.sheets.size());
    EXPECT_NEAR(total_area(inch.model) / total_area(mm.model), 1, 1e-7);
}

TEST(Curved, FreeformPanelKeepsToEqualDistance) {
    const auto& parts = curved_parts();
    const auto p = std::find_if(parts.begin(), parts.end(), [](const CurvedPart& k) { return k.name == "freeform"; });
    const Job j = job_of(p->solid());
    EXPECT_LT(j.proof.deviation.worst, 0.005);
    EXPECT_GT(j.proof.deviation.count, 500);
    EXPECT_LT(j.model.sheets.at(0).deviation, 0.005);
    // Volume over mean thickness is the area, to the second order of thickness times curvature.
    EXPECT_NEAR(j.proof.volume_error, 0, 1e-3);
}

TEST(Curved, TubeMiddleIsExact) {
    const Job j = job_of(pipe(30, 4, 200));
    ASSERT_EQ(j.model.sheets.size() + j.model.members.size(), 1u);
    Plan shells;
    shells.halve.slender = SlenderAs::shells;
    const Job s = job_of(pipe(30, 4, 600), shells);
    ASSERT_EQ(s.model.sheets.size(), 1u);
    const auto* c = std::get_if<CylinderSurface>(&s.model.sheets[0].chart.surface());
    ASSERT_NE(c, nullptr);
    EXPECT_NEAR(c->radius, 28, 1e-9);
    EXPECT_NEAR(total_area(s.model), 2 * pi * 28 * 600, 1e-5);
    EXPECT_NEAR(s.proof.volume_error, 0, 1e-9);
}

TEST(Curved, FinsOfABlockAreSheetsAndTheBlockIsNamed) {
    Plan plan;
    plan.halve.bulk = BulkAs::named;
    const Job j = job_of(finned_block(), plan);
    EXPECT_EQ(j.model.sheets.size(), 5u);
    for (const Sheet& s : j.model.sheets) EXPECT_NEAR(s.area(), 80 * 50, 1e-6);
    bool named = false;
    for (const Finding& f : findings_of(j)) named = named || f.kind == FindingKind::skin_without_sheet;
    EXPECT_TRUE(named);
    EXPECT_FALSE(j.proof.uncovered.empty());
    EXPECT_FALSE(j.proof.within_bounds);
}

TEST(Curved, BlocksAndBallsGetNoSheetAndSayWhy) {
    for (const make::Solid& s : {make::box({0, 0, 0}, {60, 50, 40}), make::ball({0, 0, 0}, 30)}) {
        const Job j = job_of(s);
        EXPECT_TRUE(j.model.sheets.empty());
        ASSERT_FALSE(findings_of(j).empty());
        EXPECT_EQ(findings_of(j)[0].kind, FindingKind::not_idealized);
    }
    Plan thin;
    thin.survey.thickest = thin.halve.survey.thickest = 1.5;
    const Job j = job_of(curved_parts()[0].solid(), thin);
    EXPECT_TRUE(j.model.sheets.empty());
    EXPECT_TRUE(std::ranges::any_of(findings_of(j), [](const Finding& f) { return f.kind == FindingKind::wall_outside_the_thickness_range; }));
}

TEST(Curved, OpeningsBelowASizeAreIgnored) {
    const auto plate = make::cut(make::fuse({make::box({0, 0, 0}, {200, 120, 4}), make::box({0, 58, 4}, {200, 4, 50})}),
                                 {make::cylinder({40, 20, -1}, Vec3::UnitZ(), 3, 10), make::cylinder({100, 30, -1}, Vec3::UnitZ(), 12, 10),
                                  make::box({90, 50, 45}, {9, 20, 20}), make::box({150, 40, 40}, {30, 30, 30})});
    const double holes = pi * 12 * 12, small = pi * 3 * 3, notch = 9 * 9, wide = 30 * 14;
    const Job open = job_of(plate);
    EXPECT_NEAR(total_area(open.model), 200 * 120 + 200 * 52 - holes - small - notch - wide, 1e-6);
    Plan plan;
    plan.halve.openings = 10;
    const Job closed = job_of(plate, plan);
    EXPECT_NEAR(total_area(closed.model), 200 * 120 + 200 * 52 - holes - wide, 1e-6);
    int entries = 0;
    for (const LedgerEntry& e : ledger_of(closed)) entries += e.kind == EntryKind::opening && e.state == EntryState::applied;
    EXPECT_EQ(entries, 2);
    check_mesh(closed.model, closed.mesh);
}

TEST(Curved, LooseSurfacesAreSheetsByThePlansThickness) {
    const std::vector<make::Item> loose{{"skins", make::as_loose_faces(make::box({0, 0, 0}, {100, 60, 40}))}};
    const Job without = job_of(loose);
    EXPECT_TRUE(without.model.sheets.empty());
    Plan plan;
    plan.halve.thickness = 2;
    const Job j = job_of(loose, plan);
    ASSERT_EQ(j.model.sheets.size(), 6u);
    EXPECT_NEAR(total_area(j.model), 2 * (100 * 60 + 100 * 40 + 60 * 40), 1e-6);
    EXPECT_EQ(connected_parts(j.model).count, 1);  // faces that touch share their edges
    EXPECT_EQ(seam_count(j.model, "corner"), 12);
    for (const Element& e : j.mesh.elements) EXPECT_EQ(e.thickness, 2);
    EXPECT_TRUE(j.proof.within_bounds);
    check_mesh(j.model, j.mesh);
    // A round one with a plane one standing on it.
    const auto tube = make::without_face(make::without_face(make::cylinder({0, 0, 0}, Vec3::UnitZ(), 30, 100), 2), 1);
    const Job round = job_of({{"pipe", tube}}, plan);
    ASSERT_EQ(round.model.sheets.size(), 1u);
    EXPECT_NEAR(total_area(round.model), 2 * pi * 30 * 100, 1e-4);
}

TEST(Curved, BentSheetsOfTwoBodiesAreJoinedWhereTheirSurfacesCross) {
    // A tube on a plate: the tube is carried on to the plate's middle, along a circle.
    const Job j = job_of({{"plate", make::box({-80, -80, -6}, {160, 160, 6})}, {"tube", pipe(40, 3, 90)}});
    EXPECT_EQ(connected_parts(j.model).count, 1);
    EXPECT_NEAR(seam_length(j.model, "tee"), 2 * pi * 38.5, 1e-6);
    EXPECT_TRUE(j.proof.within_bounds) << (j.proof.outside.empty() ? "" : j.proof.outside[0]);
    check_mesh(j.model, j.mesh);
    Model again = j.model;
    join(again, j.solids);
    EXPECT_EQ(again.edges.size(), j.model.edges.size());
    EXPECT_NEAR(total_area(again), total_area(j.model), 1e-6);
}

TEST(Curved, ConeBoredAHairTooWideIsStillOneWall) {
    // Ribs reach through the wall of a cone; the bore that cuts them off leaves 0.0003 mm of each inside: faces of two cones on one wall.
    const auto turned = [](const std::vector<Vec2>& profile) {
        return make::moved(make::revolve({make::polygon(profile)}, Vec3::Zero(), Vec3::UnitY(), 2 * pi), make::place({0, 0, 0}, -Vec3::UnitY(), Vec3::UnitX()));
    };
    std::vector<make::Solid> all{turned({{60, 0}, {63, 0}, {33, 90}, {30, 90}})};
    for (int i = 0; i < 8; ++i) {
        const make::Solid rib = make::moved(make::extrude({make::polygon({{58, 2}, {75, 2}, {75, 8}, {45, 80}, {36, 80}})}, 2.5),
                                            make::place({0, 1.25, 0}, -Vec3::UnitY(), Vec3::UnitX()));
        all.push_back(make::moved(rib, make::place({0, 0, 0}, Vec3::UnitZ(), {std::cos(pi * i / 4), std::sin(pi * i / 4), 0})));
    }
    const make::Solid s = make::unify(make::cut(make::fuse(all), {turned({{0, -1}, {60.333, -1}, {29.667, 91}, {0, 91}})}));
    for (const bool moved : {false, true}) {
        const Job j = job_of(moved ? make::moved(s, anywhere()) : s);
        EXPECT_EQ(j.model.sheets.size(), 9u);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_NEAR(j.proof.volume_error, 0, 1e-3);
        EXPECT_TRUE(j.proof.within_bounds);
        EXPECT_GT(j.mesh.quality.quad_share, 0.95);
    }
}
