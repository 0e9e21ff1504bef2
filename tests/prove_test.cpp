// The proof must be able to fail: each figure is checked on a model that is right and on one made wrong on purpose.
#include "site_parts.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

using namespace test;
using make::box;

namespace {

struct ProofCase {
    Assembly solids;
    Model model;
    Mesh mesh;
    Proof prove() const { return halvo::prove(solids, model, mesh); }
};

ProofCase rib_on_base() {
    ProofCase c{solids_of({{"base", box({0, 0, 0}, {300, 200, 10})}, {"rib", box({50, 97, 10}, {180, 6, 80})}}), {}, {}};
    c.model = halve(c.solids);
    join(c.model, c.solids);
    c.mesh = mesh(c.model, {20});
    return c;
}

int open_contacts(const Proof& p) {
    int n = 0;
    for (const ContactProof& c : p.contacts) n += !c.joined;
    return n;
}

}  // namespace

TEST(Prove, PlatesStandForTheirVolume) {
    const Proof p = rib_on_base().prove();
    EXPECT_NEAR(p.volume_error, 0, 1e-9);
    EXPECT_NEAR(p.coverage, 1, 1e-6);
    EXPECT_NEAR(p.thickness_error, 0, 1e-9);
    EXPECT_EQ(p.parts, 1);
    EXPECT_EQ(p.contacts.size(), 1u);
    EXPECT_EQ(open_contacts(p), 0);
    EXPECT_TRUE(p.within_bounds);
    // The rib runs on to the base's mid plane: that much is counted twice, and said so.
    double bridged = 0;
    for (const BodyProof& b : p.bodies) bridged += b.bridged;
    EXPECT_NEAR(bridged, 180 * 5 * 6, 1e-3);
}

TEST(Prove, LostSheetShows) {
    ProofCase c = rib_on_base();
    c.model.sheets[0].regions.clear();
    c.mesh = mesh(c.model, {20});
    const Proof p = c.prove();
    EXPECT_LT(std::abs(p.volume_error), 1) << "only bodies with a model count";
    ProofCase half = rib_on_base();
    half.model.sheets[0].regions[0].own_area *= 0.5;
    EXPECT_NEAR(half.prove().worst_body_error, -0.5, 0.01);
    EXPECT_FALSE(half.prove().within_bounds);
}

TEST(Prove, AMeshThatIsNotTheModelsShows) {
    ASSERT_TRUE(rib_on_base().prove().within_bounds);
    ProofCase holed = rib_on_base();
    const SheetId sheet = holed.mesh.elements[0].sheet;
    int n = 0;
    std::erase_if(holed.mesh.elements, [&](const Element& e) { return e.sheet == sheet && n++ % 5 == 0; });
    EXPECT_FALSE(holed.prove().within_bounds) << "a fifth of a sheet has no elements";
    ProofCase stray = rib_on_base();
    stray.mesh.nodes[static_cast<std::size_t>(stray.mesh.elements[0].nodes[0])] += Vec3(0, 400, 0);
    EXPECT_FALSE(stray.prove().within_bounds) << "a node far off makes large elements";
    ProofCase apart = rib_on_base();
    apart.mesh.parts = 2;
    EXPECT_FALSE(apart.prove().within_bounds);
}

TEST(Prove, WrongThicknessShows) {
    ProofCase c = rib_on_base();
    for (Element& e : c.mesh.elements) e.thickness *= 1.1;
    EXPECT_NEAR(c.prove().thickness_error, 0.1, 1e-6);
}

TEST(Prove, ShiftedMeshShows) {
    ProofCase c = rib_on_base();
    const double before = c.prove().centroid_error;
    for (Vec3& p : c.mesh.nodes) p.x() += 30;
    EXPECT_GT(c.prove().centroid_error, before + 20);
}

TEST(Prove, MissingJointShows) {
    ProofCase c{solids_of({{"base", box({0, 0, 0}, {300, 200, 10})}, {"rib", box({50, 97, 10}, {180, 6, 80})}}), {}, {}};
    c.model = halve(c.solids);
    c.mesh = mesh(c.model, {20});
    const Proof p = c.prove();
    EXPECT_EQ(open_contacts(p), 1);
    EXPECT_EQ(p.parts, 2);
    EXPECT_FALSE(p.within_bounds);
    ASSERT_EQ(p.outside.size(), 1u);
    EXPECT_NE(p.outside[0].find("rib"), std::string::npos);
}

TEST(Prove, UncoveredSkinShows) {
    // A dome on a plate whose wall the plan refuses: the proof says where the skin is that no sheet stands for.
    const auto part = make::fuse(
        {box({0, 0, 0}, {300, 200, 4}), make::cut(make::ball({150, 100, 0}, 50), {make::ball({150, 100, 0}, 47), box({0, 0, -100}, {300, 200, 100.5})})});
    const Assembly solids = solids_of({{"part", part}});
    const Model whole = halve(solids);
    EXPECT_GT(halvo::prove(solids, whole, mesh(whole, {20})).coverage, 0.999);
    HalveOptions options;
    for (const Sheet& s : whole.sheets)
        if (!s.chart.flat()) options.refuse.push_back(s.wall);
    ASSERT_EQ(options.refuse.size(), 1u);
    const Model m = halve(solids, options);
    const Proof p = halvo::prove(solids, m, mesh(m, {20}));
    EXPECT_LT(p.coverage, 0.95);
    EXPECT_GT(std::abs(p.worst_body_error), 0.015);
    EXPECT_FALSE(p.within_bounds);
    // Two patches, outside and inside of the dome: zones of the balls of 50 and 47 mm above the plate's 4 mm (Archimedes).
    ASSERT_GE(p.uncovered.size(), 2u);
    EXPECT_NEAR(p.uncovered[0].area / (2 * pi * 50 * 46), 1, 0.02);
    EXPECT_NEAR(p.uncovered[1].area / (2 * pi * 47 * 43), 1, 0.02);
}

TEST(Prove, MeasuresThicknessAndMiddle) {
    // A model 1 % too thin and 0.1 mm off the middle is told with both figures and where.
    const Assembly solids = solids_of({{"part", box({0, 0, 0}, {200, 150, 5})}});
    Model m = halve(solids);
    Mesh k = mesh(m, {20});
    const Proof good = halvo::prove(solids, m, k);
    EXPECT_LT(good.thickness.worst, 1e-9);
    EXPECT_LT(good.deviation.worst, 1e-9);
    EXPECT_EQ(good.thickness.count, k.quads + k.trias);
    Element& e = k.elements[5];
    e.thickness *= 0.99, e.offset += 0.1;
    const Proof bad = halvo::prove(solids, m, k);
    EXPECT_NEAR(bad.thickness.worst, 0.01, 1e-9);
    EXPECT_NEAR(bad.deviation.worst, 0.1, 1e-9);
    EXPECT_NEAR(bad.thickness.mean, 0.01 / bad.thickness.count, 1e-9);
    Vec3 centre = Vec3::Zero();
    for (std::size_t c = 0; c < e.count; ++c) centre += k.nodes[static_cast<std::size_t>(e.nodes[c])] / e.count;
    EXPECT_LT((bad.thickness.place - centre).norm(), 1e-6);
}

TEST(Prove, GapWithinReachIsAContactAndBeyondIsNot) {
    const auto contacts = [](double gap) {
        const Assembly solids = solids_of({{"a", box({0, 0, 0}, {100, 100, 5})}, {"b", box({0, 48, 5 + gap}, {100, 4, 60})}});
        Model m = halve(solids);
        join(m, solids);
        return halvo::prove(solids, m, mesh(m, {20})).contacts;
    };
    ASSERT_EQ(contacts(0.4).size(), 1u);
    EXPECT_NEAR(contacts(0.4)[0].gap, 0.4, 1e-6);
    EXPECT_TRUE(contacts(0.4)[0].joined);
    EXPECT_TRUE(contacts(0.6).empty());
}

TEST(Prove, SurveyMeasuresVolumeAreaAndCentre) {
    const auto part = make::cut(box({10, 20, 30}, {200, 100, 8}), {make::cylinder({80, 60, 0}, Vec3::UnitZ(), 20, 100)});
    const Assembly solids = solids_of({{"part", part}});
    const Body& b = solids.bodies[0];
    EXPECT_NEAR(b.mass.volume / ((200 * 100 - pi * 400) * 8), 1, 1e-9);
    EXPECT_NEAR(b.mass.area / (2 * (200 * 100 - pi * 400) + 2 * 300 * 8 + 2 * pi * 20 * 8), 1, 1e-9);
    const double x = (200 * 100 * 110 - pi * 400 * 80) / (200 * 100 - pi * 400);
    EXPECT_NEAR((b.mass.centre + solids.shift).x(), x, 1e-7);
    const Survey s = survey(solids);
    EXPECT_EQ(s.bodies[0].kind, BodyClass::thin);
    EXPECT_NEAR(s.bodies[0].thinnest, 8, 1e-9);
    EXPECT_NEAR(s.bodies[0].thickest, 8, 1e-9);
}

TEST(Prove, ClassesAreMeasured) {
    const auto kind = [](const make::Solid& s) { return survey(solids_of({{"x", s}})).bodies[0].kind; };
    EXPECT_EQ(kind(box({0, 0, 0}, {200, 150, 5})), BodyClass::thin);
    EXPECT_EQ(kind(make::extrude(make::tube(40, 3), 400)), BodyClass::slender);
    EXPECT_NE(kind(make::extrude(make::tube(40, 3), 300)), BodyClass::slender) << "7.5 times its depth is less than 8";
    EXPECT_EQ(kind(box({0, 0, 0}, {90, 80, 100})), BodyClass::bulk);
    EXPECT_EQ(kind(make::opened(box({0, 0, 0}, {90, 80, 5}))), BodyClass::open);
    EXPECT_EQ(kind(make::fuse({box({0, 0, 0}, {80, 80, 80}), box({38, 0, 80}, {4, 80, 160})})), BodyClass::mixed);
    EXPECT_EQ(kind(make::taper({{0, -3}, {200, -3}, {200, 3}, {0, 3}}, {{0, -1.5}, {200, -1.5}, {200, 1.5}, {0, 1.5}}, 60)), BodyClass::thin);
}

TEST(Prove, SolidInTwoPartsShows) {
    // A bend joins both flats; the plan refuses its wall.
    const auto bracket = make::extrude({make::rounded({{0, 0}, {80, 0}, {80, 3}, {3, 3}, {3, 60}, {0, 60}}, {8, 0, 0, 5, 0, 0})}, 70);
    Plan plan;
    const Job whole = job_of(bracket);
    EXPECT_TRUE(whole.proof.split_bodies.empty());
    for (const Sheet& s : whole.model.sheets)
        if (!s.chart.flat()) plan.halve.refuse.push_back(s.wall);
    const Job j = job_of(bracket, plan);
    EXPECT_EQ(j.proof.split_bodies.size(), 1u);
    EXPECT_FALSE(j.proof.within_bounds);
    EXPECT_EQ(std::ranges::count_if(findings_of(j), [](const Finding& f) { return f.kind == FindingKind::body_in_parts; }), 1);
}

TEST(Prove, CrossingsInOneSolidAreCountedOnce) {
    std::vector<make::Solid> ribs;
    for (int i = 0; i < 4; ++i) {
        ribs.push_back(box({i * 40.0 + 19, 0, 0}, {4, 160, 30}));
        ribs.push_back(box({0, i * 40.0 + 18.5, 0}, {160, 5, 30}));
    }
    const Job j = job_of(make::unify(make::fuse(ribs)));
    EXPECT_NEAR(j.proof.volume_error, 0, 1e-9);
    EXPECT_NEAR(j.proof.bodies[0].bridged, 16 * 4 * 5 * 30, 1e-3);
}

TEST(Prove, AThinBodyWithoutAnySheetIsOutsideTheBounds) {
    // A bent tube beside a plate, all its walls refused: that must not look like a full model.
    Plan plan;
    plan.halve.slender = SlenderAs::shells;
    const Job whole = job_of(make::bent_sensor_arm(), plan);
    EXPECT_TRUE(whole.proof.within_bounds);
    for (const Sheet& s : whole.model.sheets)
        if (whole.solids.bodies[s.body.index()].name == "bent sensor arm") plan.halve.refuse.push_back(s.wall);
    const Job j = job_of(make::bent_sensor_arm(), plan);
    EXPECT_FALSE(j.proof.within_bounds);
    EXPECT_LT(j.proof.coverage, 0.5);
    const auto& o = j.proof.outside;
    EXPECT_TRUE(std::any_of(o.begin(), o.end(), [](const std::string& s) { return s.find("bent sensor arm: it has walls") != std::string::npos; }));
}

TEST(Prove, ABodyIsNotTakenForAnotherOfItsName) {
    // A plate with a solid region that the plan only names, and a block that is no wall at all, by one name.
    const make::Solid plate = make::unify(make::fuse({make::box({0, 0, 0}, {200, 150, 3}), make::box({60, 50, 0}, {50, 50, 40})}));
    Plan plan;
    plan.halve.bulk = BulkAs::named;
    const Job j = job_of({{"part", plate}, {"part", make::box({300, 0, 0}, {60, 60, 60})}}, plan);
    EXPECT_TRUE(std::ranges::any_of(findings_of(j), [](const Finding& f) { return f.kind == FindingKind::skin_without_sheet; }));
    for (const std::string& s : j.proof.outside) EXPECT_EQ(s.find("it has walls"), std::string::npos) << s;
    // Refused walls are their own body's, too.
    Plan refused;
    WallRule rule;
    rule.within = Box3(Vec3(-1, -1, -1), Vec3(201, 151, 5));
    rule.refuse = true;
    refused.halve.walls.push_back(rule);
    const Job k = job_of({{"part", make::box({0, 0, 0}, {200, 150, 3})}, {"part", make::box({300, 0, 0}, {200, 150, 60})}}, refused);
    EXPECT_EQ(std::count_if(k.proof.outside.begin(), k.proof.outside.end(), [](const std::string& s) { return s.find("it has walls") != std::string::npos; }),
              1);
}

TEST(Prove, ElementsWithoutThicknessShow) {
    Job j = job_of(make::box({0, 0, 0}, {100, 60, 3}));
    ASSERT_TRUE(j.proof.within_bounds);
    j.mesh.elements[3].thickness = -0.5;
    const Proof p = prove(j.solids, j.model, j.mesh, j.plan.prove);
    EXPECT_FALSE(p.within_bounds);
    ASSERT_FALSE(p.outside.empty());
    EXPECT_NE(p.outside[0].find("no thickness"), std::string::npos);
}
