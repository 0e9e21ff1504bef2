// The survey: figures against closed forms; each kind of finding on a part that has it and on a close neighbour that has not.
#include "site_parts.hpp"
#include "support.hpp"

#include "geom/facet_tree.hpp"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

using namespace test;
using make::box;

namespace {

using Items = std::vector<make::Item>;

Items one(const make::Solid& s) {
    return {{"part", s}};
}

const Finding* found(const Survey& s, const std::string& kind) {
    for (const Finding& f : s.findings)
        if (kind_name(f.kind) == kind) return &f;
    return nullptr;
}

std::string warnings(const Survey& s) {
    std::string out;
    for (const Finding& f : s.findings)
        if (f.level == FindingLevel::warning) out += std::string(kind_name(f.kind)) + ": " + f.about + "\n";
    return out;
}

make::Solid flat_plate() {
    return box({0, 0, 0}, {120, 80, 4});
}

make::Solid with_holes(double diameter) {
    return make::cut(flat_plate(),
                     {make::cylinder({30, 40, -5}, Vec3::UnitZ(), diameter / 2, 20), make::cylinder({90, 40, -5}, Vec3::UnitZ(), diameter / 2, 20)});
}

make::Solid with_letter(double height) {
    return make::fuse({flat_plate(), box({50, 30, height > 0 ? 3.5 : 0}, {12, 3, std::abs(height) + 0.5})});
}

make::Solid with_step(double step) {
    return make::fuse({flat_plate(), box({100, 60, 0}, {20 + step, 20, 4})});
}

// One face alone: its free edges are its outline.
make::Solid surface() {
    make::Solid s = flat_plate();
    while (make::face_count(s) > 1) s = make::without_face(s, 0);
    return s;
}

// Parts are made when a test asks for them: naming the tests must cost nothing.
struct SurveyCase {
    std::string kind;
    std::function<Items()> has, has_not;
    SurveyOptions options = {};
};

Items plate_and(const std::string& name, const make::Solid& other) {
    return {{"plate", flat_plate()}, {name, other}};
}

make::Solid upright(double height) {
    return box({50, 20, height}, {4, 40, 60});
}

std::vector<SurveyCase> survey_cases() {
    const auto rim = [](const Vec3& m) { return m.z() > 3.9; };
    const auto clean = [] { return one(flat_plate()); };
    SurveyOptions thick, thin;
    thick.thickest = 3, thin.thinnest = 5;
    return {
        {"open body", [] { return one(make::without_face(flat_plate(), 2)); }, clean},
        {"missing face", [] { return one(make::without_face(flat_plate(), 2)); }, [] { return one(surface()); }},
        {"unconnected edges", [] { return one(make::with_loose_face(flat_plate(), 4)); }, clean},
        {"doubled faces", [] { return one(make::with_doubled_face(flat_plate(), 4)); }, clean},
        {"inverted orientation", [] { return one(make::with_turned_face(flat_plate(), 3)); }, clean},
        {"inverted orientation", [] { return one(make::inside_out(flat_plate())); }, clean},
        {"needless edges",
         [] {
             return one(make::fuse({box({0, 0, 0}, {60, 80, 4}), box({60, 0, 0}, {60, 80, 4})}));
         },
         clean},
        {"short edges", [] { return one(with_step(0.1)); }, [] { return one(with_step(5)); }},
        {"sliver faces", [] { return one(with_step(0.1)); }, [] { return one(with_step(5)); }},
        {"self-intersection",
         [] {
             return one(make::in_one_skin(flat_plate(), box({40, 20, -20}, {4, 30, 40})));
         },
         [] {
             return one(make::in_one_skin(flat_plate(), box({40, 20, 10}, {4, 30, 40})));
         }},
        {"tiny body",
         [] {
             return plate_and("grain", box({0, 0, 10}, {0.05, 0.05, 0.05}));
         },
         [] {
             return plate_and("cube", box({0, 0, 10}, {5, 5, 5}));
         }},
        {"overlap", [] { return plate_and("rib", upright(3.7)); }, [] { return plate_and("rib", upright(4)); }},
        {"near miss", [] { return plate_and("rib", upright(4.4)); }, [] { return plate_and("rib", upright(6)); }},
        {"contact", [] { return plate_and("rib", upright(4)); }, [] { return plate_and("rib", upright(6)); }},
        {"doubled bodies", [] { return plate_and("copy", flat_plate()); },
         [] {
             return plate_and("other", make::moved(flat_plate(), make::place({0, 0, 9})));
         }},
        {"wall too thick", clean,
         [] {
             return one(box({0, 0, 0}, {120, 80, 3}));
         },
         thick},
        {"wall too thin", clean,
         [] {
             return one(box({0, 0, 0}, {120, 80, 5}));
         },
         thin},
        {"small holes", [] { return one(with_holes(2)); }, [] { return one(with_holes(9)); }},
        {"small rounds", [=] { return one(make::rounded_edges(flat_plate(), 0.8, rim)); }, [=] { return one(make::rounded_edges(flat_plate(), 3.2, rim)); }},
        {"lettering", [] { return one(with_letter(0.6)); }, [] { return one(with_letter(20)); }},
        {"lettering",
         [] {
             return one(make::cut(flat_plate(), {box({50, 30, 3.4}, {12, 3, 5})}));
         },
         [] {
             return one(make::cut(flat_plate(), {box({50, 30, -2}, {12, 3, 9})}));
         }},
        {"unit suspicion",
         [] {
             return one(box({0, 0, 0}, {0.12, 0.08, 0.004}));
         },
         clean},
    };
}

}  // namespace

class SurveyFinding : public testing::TestWithParam<std::size_t> {};

TEST_P(SurveyFinding, IsOnThePartThatHasItAndNotOnItsNeighbour) {
    const SurveyCase c = survey_cases()[GetParam()];
    const Survey with = survey(solids_of(c.has()), c.options), without = survey(solids_of(c.has_not()), c.options);
    const Finding* f = found(with, c.kind);
    ASSERT_NE(f, nullptr) << c.kind << "\n" << warnings(with);
    EXPECT_FALSE(f->key.empty());
    EXPECT_FALSE(f->about.empty());
    EXPECT_FALSE(f->advice.empty());
    EXPECT_EQ(found(without, c.kind), nullptr) << c.kind << "\n" << warnings(without);
}

TEST_P(SurveyFinding, IsTheSameOneAnywhere) {
    const SurveyCase c = survey_cases()[GetParam()];
    if (c.kind == "unit suspicion" || c.kind == "unconnected edges") GTEST_SKIP() << "its size is lost in the shift";
    auto moved = c.has();
    const Eigen::Isometry3d m = Eigen::Translation3d(300, -200, 500) * Eigen::Isometry3d(anywhere().linear());
    for (make::Item& i : moved) i.solid = make::moved(i.solid, m);
    const Assembly a = solids_of(c.has()), b = solids_of(moved);
    const Survey s = survey(a, c.options), t = survey(b, c.options);
    const Finding *f = found(s, c.kind), *g = found(t, c.kind);
    ASSERT_NE(f, nullptr);
    ASSERT_NE(g, nullptr) << c.kind << "\n" << warnings(t);
    EXPECT_NEAR(f->size, g->size, 0.03 * f->size) << c.kind;
}

INSTANTIATE_TEST_SUITE_P(All, SurveyFinding, testing::Range<std::size_t>(0, survey_cases().size()), [](const auto& i) {
    std::string name = survey_cases()[i.param].kind + std::to_string(i.param);
    std::replace_if(
        name.begin(), name.end(), [](char c) { return !std::isalnum(static_cast<unsigned char>(c)); }, '_');
    return name;
});

TEST(SurveyFigures, OverlapsHaveTheirVolumeAndDepth) {
    for (const double depth : {0.3, 2.0}) {
        const Survey s = survey(solids_of({{"plate", flat_plate()}, {"rib", box({50, 20, 4 - depth}, {4, 40, 60})}}));
        const Finding* f = found(s, "overlap");
        ASSERT_NE(f, nullptr);
        EXPECT_NEAR(f->size, depth, 0.02 * depth);
        EXPECT_NE(f->about.find(fmt::format("{:.4g} mm3", 160 * depth)), std::string::npos) << f->about;
    }
    // A ball half-way in a plate: the cap of a sphere.
    const double r = 10, h = 3;
    const Survey s = survey(solids_of({{"plate", box({0, 0, 0}, {120, 80, 20})}, {"ball", make::ball({60, 40, 20 + r - h}, r)}}));
    const Finding* f = found(s, "overlap");
    ASSERT_NE(f, nullptr);
    const double cap = pi * h * h * (3 * r - h) / 3;
    const double said = std::stod(f->about.substr(f->about.find("by ") + 3));
    EXPECT_NEAR(said, cap, 0.02 * cap);
}

TEST(SurveyFigures, ContactAndNearMissAreasAreExactBetweenPlanes) {
    const Survey touching = survey(
        solids_of({{"plate", flat_plate()}, {"block", make::moved(box({0, 0, 0}, {30, 17, 10}), make::place({50, 20, 4}, Vec3::UnitZ(), Vec3(1, 0.4, 0)))}}));
    EXPECT_NEAR(std::pow(found(touching, "contact")->size, 2), 30 * 17, 1e-6);
    const Survey near = survey(solids_of({{"plate", flat_plate()}, {"block", box({50, 20, 4.25}, {30, 17, 10})}}));
    const Finding* f = found(near, "near miss");
    EXPECT_NEAR(f->size, 0.25, 1e-9);
    EXPECT_NE(f->about.find("510 mm2"), std::string::npos) << f->about;
}

TEST(SurveyFigures, GapOfUnconnectedEdgesAndLengthOfFreeOnes) {
    const Survey s = survey(solids_of(one(make::with_loose_face(flat_plate(), 4, {0, 0, -0.02}))));
    const Finding* f = found(s, "unconnected edges");
    ASSERT_NE(f, nullptr);
    EXPECT_NEAR(f->size, 0.02, 1e-6);
    const auto block = box({0, 0, 0}, {60, 50, 40});
    const Assembly a = solids_of(one(make::without_face(block, make::face_at(block, {30, 25, 40}))));
    const Survey open = survey(a);
    ASSERT_NE(found(open, "open body"), nullptr);
    EXPECT_NEAR(found(open, "open body")->size, 220, 1e-9);
    ASSERT_NE(found(open, "missing face"), nullptr);
    EXPECT_LT((found(open, "missing face")->place + a.shift - Vec3(30, 25, 40)).norm(), 1e-9);
    EXPECT_NE(found(open, "missing face")->about.find("3000.0 mm2"), std::string::npos);
}

TEST(SurveyFigures, ThicknessBandsAndTheirShares) {
    const ThicknessBand none;
    const Survey s = survey(solids_of(one(make::instrument_shelf())));
    const auto& b = s.bodies[0].bands;
    ASSERT_EQ(b.size(), 3u);
    std::map<double, double> share;
    double sum = 0;
    for (const ThicknessBand& k : b) share[std::round(k.mean * 1e6) / 1e6] = k.share, sum += k.share;
    ASSERT_TRUE(share.count(2) && share.count(3) && share.count(4));
    EXPECT_NEAR(sum, 1, 0.02);
    // Base 420 x 300, four upstands 86 high, two ribs 56 high: areas of one side.
    const double base = 420 * 300, up = 2 * 86 * (420 + 294), rib = 56 * (414 + 294), all = base + up + rib;
    EXPECT_NEAR(share[4], base / all, 0.03);
    EXPECT_NEAR(share[3], up / all, 0.03);
    EXPECT_NEAR(share[2], rib / all, 0.03);
    EXPECT_EQ(none.share, 0);
}

TEST(SurveyFigures, DraftedPartsAreThinWithTheirRange) {
    const Assembly a = solids_of(one(make::rain_hood()));
    const Survey s = survey(a);
    EXPECT_EQ(s.bodies[0].kind, BodyClass::thin);
    // Ribs taper from 2.4 to 2.4 - 2 x 28 tan 1.5 degrees.
    EXPECT_NEAR(s.bodies[0].thinnest, 2.4 - 2 * 28 * std::tan(1.5 * pi / 180), 0.1);
    EXPECT_NEAR(s.bodies[0].thickest, 2.8, 0.03);
    EXPECT_EQ(warnings(s), "");
    // The thinnest place lies inside the material.
    EXPECT_TRUE(a.bodies[0].tree->encloses(s.bodies[0].thinnest_at));
}

TEST(SurveyFigures, ClassesSayWhy) {
    const auto kind_of = [](const make::Solid& solid, const SurveyOptions& o = {}) {
        const Survey s = survey(solids_of(one(solid)), o);
        EXPECT_FALSE(s.bodies[0].why.empty());
        return s.bodies[0].kind;
    };
    EXPECT_EQ(kind_of(make::anchor_block()), BodyClass::bulk);
    EXPECT_EQ(kind_of(make::ball({0, 0, 0}, 30)), BodyClass::bulk);
    EXPECT_EQ(kind_of(box({0, 0, 0}, {50, 50, 50})), BodyClass::bulk);
    EXPECT_EQ(kind_of(make::bracket()), BodyClass::thin);
    EXPECT_EQ(kind_of(make::bent_sensor_arm()[0].solid), BodyClass::slender);
    EXPECT_EQ(kind_of(make::cut(make::ball({0, 0, 0}, 60), {make::ball({0, 0, 0}, 57)})), BodyClass::thin);
    EXPECT_EQ(kind_of(make::extrude(make::tube(50, 3), 500)), BodyClass::slender);
    EXPECT_EQ(kind_of(make::extrude(make::tube(50, 3), 300)), BodyClass::thin) << "six times its depth";
    SurveyOptions six;
    six.slender = 5;
    EXPECT_EQ(kind_of(make::extrude(make::tube(50, 3), 300), six), BodyClass::slender);
    EXPECT_EQ(kind_of(make::without_face(flat_plate(), 1)), BodyClass::open);
}

TEST(SurveyFigures, ABlockWithAFinIsMixedAndToldApart) {
    // The fin's sides and rims; and, on the faces beside it, the strips along outer edges where no ball larger than one and a half
    // times the fin fits: 3 mm wide on two tops of 120 x 38 and two ends of 80 x 60.
    const double fin = 2 * 120 * 100 + 2 * 100 * 4 + 120 * 4 + 2 * (120 * 3 + 2 * 35 * 3) + 2 * (80 * 3 + 2 * 57 * 3 + 2 * 35 * 3);
    const Assembly a = solids_of(one(make::fuse({box({0, 0, 0}, {120, 80, 60}), box({0, 38, 60}, {120, 4, 100})})));
    const BodySurvey b = survey(a).bodies[0];
    EXPECT_EQ(b.kind, BodyClass::mixed);
    ASSERT_EQ(b.bands.size(), 1u);
    EXPECT_NEAR(b.bands[0].mean, 4, 1e-9);
    EXPECT_NEAR(b.wall_area + b.rim_area, fin, 0.04 * fin);
    ASSERT_EQ(b.bulk.size(), 1u);
    EXPECT_NEAR(b.bulk[0].size.z(), 60, 5);
    EXPECT_NEAR(b.bulk[0].across, 60, 2);
    EXPECT_NEAR(b.wall_area + b.rim_area + b.rest_area, a.bodies[0].mass.area, 1e-6 * a.bodies[0].mass.area);
}

TEST(SurveyFigures, RayAndBallDifferAtCornersOnly) {
    const Assembly a = solids_of(one(flat_plate()));
    const Body& b = a.bodies[0];
    const Vec3 top = Vec3(60, 40, 4) - a.shift;
    EXPECT_NEAR(inscribed_ball(b, top, Vec3::UnitZ(), 4), 4, 1e-6);
    // One millimetre from the rim the ball touches it there.
    EXPECT_NEAR(inscribed_ball(b, Vec3(60, 1, 4) - a.shift, Vec3::UnitZ(), 4), 2, 0.05);
    // On the rim the ray runs 80 mm through the plate, the ball is as large as the plate is thick.
    EXPECT_NEAR(inscribed_ball(b, Vec3(60, 0, 2) - a.shift, -Vec3::UnitY(), 80), 4, 0.05);
}

TEST(SurveyFigures, SlenderBodiesHaveLengthProfileAndDimensions) {
    const Survey s = survey(solids_of({{"post", make::extrude(make::rectangular_tube(60, 90, 4, 9), 1500)}}));
    EXPECT_NEAR(s.bodies[0].length, 1500, 1e-6);
    EXPECT_NEAR(s.bodies[0].depth, 90, 1e-6);
    EXPECT_EQ(s.bodies[0].profile, "rectangular tube");
    std::map<std::string, double> d(s.bodies[0].dimensions.begin(), s.bodies[0].dimensions.end());
    EXPECT_NEAR(d.at("thickness"), 4, 1e-6);
    EXPECT_NEAR(d.at("height"), 90, 1e-6);
}

TEST(SurveyFigures, NodeEstimateFollowsItsRule) {
    const Survey s = survey(solids_of(one(box({0, 0, 0}, {1000, 500, 10}))));
    // Size: twice the wall. Shells: one node a square; solid: four nodes for each half-thickness brick no longer than five times.
    EXPECT_NEAR(s.size, 20, 1e-6);
    EXPECT_NEAR(s.model_nodes, 1000 * 500 / 400.0 + 1, 1e-6);
    EXPECT_NEAR(s.solid_nodes, 4 * 5e6 / (5 * 20 * 20), 1e-6);
    EXPECT_FALSE(s.rule.empty());
}

TEST(SurveyDemo, CleanPartsHaveNoFindings) {
    for (const char* name : {"station.step", "shelf.step", "cabinet.step", "rain-hood.step", "sensor-arm.step", "anchor-block.step", "bracket.toml"}) {
        Job job;
        const fs::path file = fs::path(HALVO_SOURCE) / "demo" / name;
        if (file.extension() == ".toml") job.plan = read_plan(file);
        else job.plan.source.file = file.string();
        run(job, Stage::read, Stage::survey);
        EXPECT_EQ(warnings(job.survey), "") << name;
    }
}

TEST(SurveyDemo, SpoiltShelfShowsEveryKind) {
    const Survey s = survey(read(fs::path(HALVO_SOURCE) / "demo" / "spoilt-shelf.step"));
    for (const char* kind : {"open body", "missing face", "unconnected edges", "doubled faces", "inverted orientation", "short edges", "sliver faces",
                             "self-intersection", "tiny body", "overlap", "near miss", "contact", "doubled bodies", "small holes", "small rounds", "lettering"})
        EXPECT_NE(found(s, kind), nullptr) << kind;
    std::set<std::string> keys;
    for (const Finding& f : s.findings) EXPECT_TRUE(keys.insert(f.key).second) << f.key;
}

TEST(SurveyCommand, PageDataAndPicture) {
    const Folder folder;
    const std::string file = "'" HALVO_SOURCE "/demo/spoilt-shelf.step'";
    const Ran page = halvo_command("survey --all " + file + " --set 'source.skip=[\"lid*\", \"grain\"]'");
    ASSERT_EQ(page.code, 0) << page.err;
    for (const char* word :
         {"left out (6)", "lid open", "source.skip \"lid*\"", "thicknesses mm", "nodes: about", "findings:", "contacts:", "overlap by 48 mm3"})
        EXPECT_NE(page.out.find(word), std::string::npos) << word;
    const Ran data = halvo_command("survey " + file + " --json --quiet --draw '" + (folder / "s.png").string() + "'");
    ASSERT_EQ(data.code, 0) << data.err;
    const auto j = nlohmann::json::parse(data.out);
    EXPECT_EQ(j["format"], "halvo-survey");
    EXPECT_EQ(j["bodies"].size(), 12u);
    EXPECT_GE(j["findings"].size(), 16u);
    for (const auto& f : j["findings"])
        for (const char* key : {"id", "kind", "about", "advice", "place", "size", "body", "face"}) EXPECT_TRUE(f.contains(key)) << key;
    for (const auto& b : j["bodies"])
        for (const char* key : {"class", "why", "volume", "thicknesses", "skin", "nodes", "faces"}) EXPECT_TRUE(b.contains(key)) << key;
    EXPECT_GT(j["estimate"]["solid_nodes"].get<double>(), 0);
    EXPECT_EQ(slurp(folder / "s.png").substr(1, 3), "PNG");
}

TEST(SurveyMany, AThousandBodiesAreNotComparedPairByPair) {
    // 1,000 placed copies of one small part in a grid: found neighbours are those that touch, no others.
    const Folder folder;
    const std::string file = (folder / "grid.step").string();
    std::vector<Eigen::Isometry3d> places;
    for (int i = 0; i < 10; ++i)
        for (int j = 0; j < 10; ++j)
            for (int k = 0; k < 10; ++k) places.push_back(make::place({30.0 * i, 20.0 * j, 15.0 * k}));
    make::write_step_assembly(file, "grid", {"tile", box({0, 0, 0}, {30, 10, 3})}, places);
    const Assembly a = read(file);
    ASSERT_EQ(a.bodies.size(), 1000u);
    const Survey s = survey(a);
    int contacts = 0;
    for (const Finding& f : s.findings) contacts += f.kind == FindingKind::contact;
    EXPECT_EQ(contacts, 9 * 10 * 10);
    for (const Finding& f : s.findings)
        if (f.kind == FindingKind::contact) {
            EXPECT_NEAR(f.size * f.size, 30, 1e-6);
        }
}
