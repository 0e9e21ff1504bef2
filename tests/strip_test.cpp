// What goes leaves the part as it was before it was made: volumes, faces and edges are compared with the same part built without.
#include "site_parts.hpp"
#include "step_text.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <cmath>

using namespace test;

namespace {

constexpr double to_rounding = 1e-9;  // of the volume

// Without bolt holes: all of its edges can be rounded.
make::Solid tray() {
    return make::unify(make::fuse({make::cut(make::box({0, 0, 0}, {120, 80, 25}), {make::box({3, 3, 3}, {114, 74, 30})}), make::box({58, 3, 3}, {3, 74, 15})}));
}

StripOptions limits() {
    StripOptions o;
    o.holes = 4, o.rounds = 3, o.raised = 1;
    return o;
}

Stripped stripped(const Assembly& solids, const StripOptions& options) {
    return strip(solids, survey(solids), options);
}

int holes_in(const Body& b, double diameter) {
    StripOptions all;
    int n = 0;
    for (const Feature& f : find_features(b, all, 0, 1e-5)) n += f.kind == FeatureKind::hole && std::abs(f.size - diameter) < 1e-6 ? 1 : 0;
    return n;
}

// Taken away from the one, what is left is the other.
void expect_restored(const make::Solid& with, const make::Solid& without, const StripOptions& options, const char* what, double tolerance = to_rounding) {
    SCOPED_TRACE(what);
    const Assembly read = solids_of({{"part", with}}), reference = solids_of({{"part", without}});
    const Stripped out = stripped(read, options);
    const Body &b = out.solids.bodies[0], &r = reference.bodies[0];
    EXPECT_TRUE(out.findings.empty()) << out.findings[0].about;
    EXPECT_NEAR(b.mass.volume, r.mass.volume, tolerance * r.mass.volume);
    EXPECT_NEAR(b.mass.area, r.mass.area, std::max(tolerance, 1e-8) * r.mass.area);
    EXPECT_EQ(b.faces.size(), r.faces.size());
    EXPECT_EQ(b.edges.size(), r.edges.size());
    // Once more, and there is nothing to do.
    EXPECT_FALSE(stripped(out.solids, options).changed);
}

}  // namespace

TEST(Strip, TrayLosesPinHolesRoundsAndEmblemsWhereverItStands) {
    const make::Solid part = make::logger_tray();
    const double volume = make::volume(make::plain_logger_tray());
    const std::size_t faces = solids_of({{"tray", make::plain_logger_tray()}}).bodies[0].faces.size();
    for (const bool moved : {false, true})
        for (const char* unit : {"MM", "INCH"}) {
            const make::Solid s = moved ? make::moved(part, anywhere()) : part;
            const Stripped out = stripped(solids_of({{"tray", s}}, unit), limits());
            const Body& b = out.solids.bodies[0];
            EXPECT_TRUE(out.findings.empty());
            // So far off, a file of 15 digits gives places to 1e-10 mm.
            EXPECT_NEAR(b.mass.volume, volume, (moved ? 1e-8 : to_rounding) * volume);
            EXPECT_EQ(b.faces.size(), faces);
            EXPECT_EQ(holes_in(b, 11), 4);
            EXPECT_EQ(holes_in(b, 2), 0);
        }
}

TEST(Strip, BodiesOfOnePartAreDealtWithAlike) {
    const make::Solid part = make::logger_tray();
    std::vector<make::Item> items;
    std::vector<Eigen::Isometry3d> places;
    for (int i = 0; i < 5; ++i) {
        Eigen::Isometry3d m = anywhere();
        m.pretranslate(Vec3(0, 0, 200.0 * i));
        places.push_back(m);
    }
    Folder folder;
    make::write_step_assembly((folder / "rack.step").string(), "rack", {"tray", part}, places);
    const Assembly read = halvo::read(folder / "rack.step");
    StripOptions o = limits();
    // One of them keeps an emblem.
    const Stripped looked = stripped(read, {});
    for (const Feature& f : looked.features)
        if (f.kind == FeatureKind::raised && f.body.index() == 2 && o.keep.empty()) o.keep.push_back(f.key);
    ASSERT_EQ(o.keep.size(), 1u);
    const Stripped out = stripped(read, o);
    const double volume = make::volume(make::plain_logger_tray());
    for (std::size_t i = 0; i < 5; ++i)
        if (i != 2) {
            EXPECT_NEAR(out.solids.bodies[i].mass.volume, volume, 1e-8 * volume);
        }
    EXPECT_GT(out.solids.bodies[2].mass.volume, volume + 20);
    EXPECT_EQ(out.solids.bodies[0].part, out.solids.bodies[4].part);
    EXPECT_NE(out.solids.bodies[0].part, out.solids.bodies[2].part);
}

TEST(Strip, RoundsGoWhateverTheyLieBetween) {
    StripOptions o;
    o.rounds = 4;
    const auto all = [](const Vec3&) { return true; };
    const make::Solid box = make::box({0, 0, 0}, {60, 40, 20}), plate = make::box({0, 0, 0}, {100, 60, 4});
    expect_restored(make::rounded_edges(box, 2, all), box, o, "a block round on all edges: no edge is left to begin with");
    expect_restored(make::rounded_edges(tray(), 0.8, all), tray(), o, "a tray round all over");
    expect_restored(make::rounded_edges(tray(), 2, make::logger_tray_root), tray(), o, "roots and corners where three rounds meet");
    const make::Solid wedge = make::taper({{0, 0}, {60, 0}, {60, 40}, {0, 40}}, {{5, 4}, {52, 6}, {54, 35}, {6, 37}}, 30);
    expect_restored(make::rounded_edges(wedge, 2, all), wedge, o, "between free faces");
    const make::Solid boss = make::unify(make::fuse({plate, make::cylinder({40, 30, 4}, Vec3::UnitZ(), 8, 12)}));
    expect_restored(make::rounded_edges(boss, 2, [](const Vec3& m) { return std::abs(m.z() - 4) < 1e-6 && std::hypot(m.x() - 40, m.y() - 30) < 9; }), boss, o,
                    "the foot of a boss");
    const make::Solid cylinder = make::cylinder(Vec3::Zero(), Vec3::UnitZ(), 20, 30);
    expect_restored(make::rounded_edges(cylinder, 2, all), cylinder, o, "both ends of a cylinder");
    const make::Solid rib = make::unify(make::fuse({make::cylinder(Vec3::Zero(), Vec3::UnitZ(), 20, 60), make::box({-3, 15, 0}, {6, 20, 60})}));
    expect_restored(
        make::rounded_edges(rib, 2,
                            [](const Vec3& m) { return std::abs(std::hypot(m.x(), m.y()) - 20) < 1e-3 && std::abs(m.x()) < 3.1 && m.z() > 1 && m.z() < 59; }),
        rib, o, "a rib on a cylinder");
    const make::Solid nozzle = make::fuse({make::cylinder(Vec3::Zero(), Vec3::UnitZ(), 30, 100), make::cylinder({0, 0, 50}, Vec3::UnitX(), 10, 60)});
    expect_restored(make::rounded_edges(nozzle, 3, [](const Vec3& m) { return std::hypot(m.y(), m.z() - 50) < 10.5 && m.x() > 20 && m.x() < 35; }), nozzle, o,
                    "round a nozzle's foot");
}

TEST(Strip, HolesGoWhereverTheyRunOut) {
    StripOptions o;
    o.holes = 4.5;
    const make::Solid plate = make::box({0, 0, 0}, {100, 60, 4});
    const make::Solid angle = make::unify(make::fuse({plate, make::box({0, 0, 0}, {4, 60, 50})}));
    expect_restored(make::cut(angle, {make::cylinder({-5, 30, -3}, {1, 0, 1}, 1.5, 20)}), angle, o, "through the edge of an angle");
    const make::Solid tube = make::cut(make::cylinder(Vec3::Zero(), Vec3::UnitZ(), 30, 100), {make::cylinder({0, 0, -1}, Vec3::UnitZ(), 27, 102)});
    expect_restored(make::cut(tube, {make::cylinder({0, 0, 50}, Vec3::UnitX(), 2, 60), make::cylinder({0, 0, 30}, Vec3::UnitY(), 2, 60)}), tube, o,
                    "in a tube, on its seam and off it");
    const make::Solid slot =
        make::cut(plate, {make::moved(make::extrude({make::rounded({{0, 0}, {4, 0}, {4, 2}, {0, 2}}, {1, 1, 1, 1})}, 10), make::place({30, 20, -2}))});
    expect_restored(slot, plate, o, "a slot");
    expect_restored(make::cut(plate, {make::cylinder({20, 20, 2}, Vec3::UnitZ(), 1, 5)}), plate, o, "blind");
    StripOptions raised;
    raised.raised = 1;
    const make::Solid ring = make::cut(make::cylinder({0, 0, 40}, Vec3::UnitZ(), 30.6, 10), {make::cylinder({0, 0, 39}, Vec3::UnitZ(), 29, 14)});
    const make::Solid letter =
        make::cut(ring, {make::box({-40, -40, 30}, {60, 80, 40}), make::box({-40, -40, 30}, {80, 35, 40}), make::box({-40, 5, 30}, {80, 35, 40})});
    expect_restored(make::unify(make::fuse({tube, letter})), tube, raised, "raised on a cylinder, over its seam");
}

TEST(Strip, BendsOfSheetAreNoRounds) {
    StripOptions o;
    o.rounds = 10;
    const Assembly read = halvo::read(fs::path(HALVO_SOURCE) / "demo" / "cabinet.step");
    const Stripped out = stripped(read, o);
    EXPECT_FALSE(out.changed);
}

TEST(Strip, RulesByLikenessAndById) {
    std::vector<make::Solid> tools;
    for (int i = 0; i < 5; ++i) {
        tools.push_back(make::cylinder({20 + 40.0 * i, 15, -1}, Vec3::UnitZ(), 2.75, 8));
        tools.push_back(make::moved(make::revolve({make::polygon({{0, 0}, {2.75, 0}, {5.85, 3.1}, {0, 3.1}})}, {0, 0, 0}, {0, 1, 0}, 2 * pi),
                                    Eigen::Isometry3d(Eigen::Translation3d(20 + 40.0 * i, 15, 2) * Eigen::AngleAxisd(pi / 2, Vec3::UnitX()))));
    }
    const make::Solid row = make::cut(make::box({0, 0, 0}, {200, 30, 5}), tools);
    std::vector<make::Solid> pins;
    for (int i = 0; i < 4; ++i) pins.push_back(make::cylinder({40 + 40.0 * i, 15, -1}, Vec3::UnitZ(), 1, 8));
    const Assembly read = solids_of({{"bar", make::cut(row, pins)}});
    const auto features = stripped(read, {}).features;
    std::string pin, bore;
    for (const Feature& f : features) {
        if (f.form == "round through") {
            pin = f.key;
            EXPECT_EQ(f.alike, 4);
            EXPECT_EQ(f.pattern, "4 in a row");
        }
        if (f.form == "countersunk through") {
            bore = f.key;
            EXPECT_EQ(f.alike, 5);
            EXPECT_NEAR(f.size, 5.5, 1e-9);
        }
    }
    ASSERT_FALSE(pin.empty() || bore.empty());
    StripOptions o;
    o.rules.push_back({});
    o.rules[0].like = {pin};
    const Stripped out = stripped(read, o);
    EXPECT_NEAR(out.solids.bodies[0].mass.volume, make::volume(row), to_rounding * make::volume(row));
    // One of them refused stays, alone.
    o.refuse = {pin};
    const Stripped but_one = stripped(read, o);
    EXPECT_NEAR(but_one.solids.bodies[0].mass.volume, make::volume(row) - 5 * pi, 1e-8 * make::volume(row));
    // A rule that fits nothing is said.
    StripOptions none;
    none.rules.push_back({});
    none.rules[0].feature = "chamfers";
    none.force = {"hole-nowhere"};
    EXPECT_EQ(stripped(read, none).findings.size(), 2u);
}

TEST(Strip, WhatCannotGoStaysWholeAndIsNamed) {
    // A full round between parallel faces: nothing meets behind it.
    StripOptions o;
    o.rounds = 4;
    const make::Solid bar = make::extrude({make::rounded({{0, 0}, {60, 0}, {60, 6}, {0, 6}}, {0, 3, 3, 0})}, 20);
    const Assembly read = solids_of({{"bar", bar}});
    const Stripped out = stripped(read, o);
    const double before = read.bodies[0].mass.volume, after = out.solids.bodies[0].mass.volume;
    EXPECT_EQ(out.findings.empty(), out.changed);
    EXPECT_NEAR(after, before, 1e-3 * before);
    for (const Finding& f : out.findings) EXPECT_EQ(f.kind, FindingKind::feature_stays);
}

TEST(Strip, WithoutALimitItIsProposed) {
    const Stripped out = stripped(solids_of({{"tray", make::logger_tray()}}), {});
    EXPECT_FALSE(out.changed);
    int offered = 0;
    for (const Feature& f : out.features) offered += f.offered ? 1 : 0;
    EXPECT_GE(offered, 14);  // the pin holes and the emblems
    for (const LedgerEntry& e : out.ledger) EXPECT_EQ(e.state, EntryState::proposed);
}

TEST(Strip, HolesThatLookLikeBoltHolesAreNotProposed) {
    const auto holed = [](double z, bool pins) {
        std::vector<make::Solid> tools;
        for (const double x : {20.0, 80.0})
            for (const double y : {15.0, 45.0}) tools.push_back(make::cylinder({x, y, z - 1}, Vec3::UnitZ(), 2, 8));
        if (pins)
            for (int i = 0; i < 3; ++i) tools.push_back(make::cylinder({35.0 + 15 * i, 30, z - 1}, Vec3::UnitZ(), 1.5, 8));
        return make::cut(make::box({0, 0, z}, {100, 60, 6}), tools);
    };
    const Assembly read = solids_of({{"lower", holed(0, true)}, {"upper", holed(6, false)}});
    const Stripped out = stripped(read, {});
    int bolts = 0, pins = 0;
    for (const Feature& f : out.features) {
        if (std::abs(f.size - 4) < 1e-9) {
            ++bolts;
            EXPECT_EQ(f.bolt, "faces a hole of another body");
            EXPECT_EQ(f.pattern, "2 x 2 on a grid");
            EXPECT_EQ(f.alike, 8);
            EXPECT_FALSE(f.offered);
        } else if (std::abs(f.size - 3) < 1e-9) {
            ++pins;
            EXPECT_EQ(f.pattern, "3 in a row");
            EXPECT_TRUE(f.bolt.empty() && f.offered);
        }
    }
    EXPECT_EQ(bolts, 8);
    EXPECT_EQ(pins, 3);
    // An order is one all the same.
    StripOptions o;
    o.holes = 4;
    EXPECT_NEAR(stripped(read, o).solids.bodies[0].mass.volume, 100 * 60 * 6, 1e-6);
}

TEST(Strip, ChamfersGo) {
    // A bar whose four long edges are cut off at 45 degrees, two of them at 2 mm and two at 3.
    const make::Solid bar = make::extrude({make::polygon({{2, 0}, {38, 0}, {40, 2}, {40, 17}, {37, 20}, {3, 20}, {0, 17}, {0, 2}})}, 100);
    const Assembly read = solids_of({{"bar", make::moved(bar, anywhere())}});
    StripOptions o;
    o.chamfers = 2.5;
    const Stripped some = stripped(read, o);
    EXPECT_NEAR(some.solids.bodies[0].mass.volume, (40 * 20 - 9) * 100, 1e-8 * 80000);
    EXPECT_EQ(some.solids.bodies[0].faces.size(), 8u);
    o.chamfers = 3;
    const Stripped all = stripped(read, o);
    EXPECT_NEAR(all.solids.bodies[0].mass.volume, 40 * 20 * 100, 1e-8 * 80000);
    EXPECT_EQ(all.solids.bodies[0].edges.size(), 12u);
}

TEST(Strip, ManyHoles) {
    Folder folder;
    spit(folder / "sheet.step", make::perforated(22, make::Bores::no_seam));
    StripOptions o;
    o.holes = 8;
    const Assembly read = halvo::read(folder / "sheet.step");
    const Stripped out = stripped(read, o);
    EXPECT_EQ(out.solids.bodies[0].faces.size(), 6u);
    const double gained = 22 * 22 * 9 * pi * 2;
    EXPECT_NEAR(out.solids.bodies[0].mass.volume, read.bodies[0].mass.volume + gained, to_rounding * read.bodies[0].mass.volume);
}

TEST(Strip, ThePlanAndTheToolSayIt) {
    Folder folder;
    make::write_step((folder / "tray.step").string(), {{"tray", make::logger_tray()}});
    spit(folder / "plan.toml", "[source]\nfile = \"tray.step\"\n[strip]\nholes = \"4 mm\"\nrounds = \"3 mm\"\nraised = \"1 mm\"\n");
    const Ran run = halvo_command("run plan.toml --out out --quiet", folder.path());
    EXPECT_EQ(run.code, 0) << run.err;
    EXPECT_NE(run.out.find("12 holes up to 2 mm"), std::string::npos) << run.out;
    EXPECT_EQ(run.out.find("small holes"), std::string::npos);
    const Job job = read_model(folder / "out" / "model.halvo");
    ASSERT_TRUE(job.before_strip.has_value());
    EXPECT_GT(job.before_strip->solids.bodies[0].faces.size(), job.solids.bodies[0].faces.size());
    EXPECT_NE(halvo_command("list out/model.halvo features", folder.path()).out.find("gone"), std::string::npos);
    // From strip on, with another limit, the holes are back.
    const Ran again = halvo_command("run plan.toml --out out --quiet --from strip --set strip.holes=1mm", folder.path());
    EXPECT_EQ(again.code, 0) << again.err;
    EXPECT_EQ(again.out.find("12 holes up to"), std::string::npos) << again.out;
    EXPECT_EQ(holes_in(read_model(folder / "out" / "model.halvo").solids.bodies[0], 2), 12);
    for (const auto& [text, says] : {std::pair("holes = \"4 kg\"", "strip.holes"), std::pair("body = \"x\"", "[[strip]]")}) {
        spit(folder / "bad.toml", std::string("[source]\nfile = \"tray.step\"\n[strip]\n") + text + "\n");
        const Ran bad = halvo_command("run bad.toml --out bad", folder.path());
        EXPECT_EQ(bad.code, 3);
        EXPECT_NE(bad.err.find(says), std::string::npos) << bad.err;
    }
}

namespace {

CutRule plane(const Vec3& point, const Vec3& normal, CutKeeps keep = CutKeeps::front) {
    CutRule r;
    r.point = point, r.normal = normal, r.keep = keep;
    return r;
}

make::Solid vessel() {
    const make::Solid outer = make::fuse({make::cylinder(Vec3::Zero(), Vec3::UnitZ(), 100, 300), make::ball({0, 0, 300}, 100)});
    return make::unify(make::cut(outer, {make::cylinder({0, 0, -1}, Vec3::UnitZ(), 94, 301), make::ball({0, 0, 300}, 94)}));
}

}  // namespace

TEST(Cut, AQuarterHoldsAQuarter) {
    const Assembly read = solids_of({{"vessel", vessel()}});
    StripOptions o;
    o.cuts = {plane(Vec3::Zero(), Vec3::UnitX()), plane(Vec3::Zero(), Vec3::UnitY())};
    const Stripped out = stripped(read, o);
    ASSERT_EQ(out.solids.bodies.size(), 1u);
    EXPECT_NEAR(out.solids.bodies[0].mass.volume, read.bodies[0].mass.volume / 4, 1e-12 * read.bodies[0].mass.volume);
    o.cuts[1].normal = Vec3(-1, 2, 0);  // any angle
    const double angle = pi - std::acos(-1 / std::sqrt(5));
    EXPECT_NEAR(stripped(read, o).solids.bodies[0].mass.volume, read.bodies[0].mass.volume * angle / (2 * pi), 1e-9 * read.bodies[0].mass.volume);
}

TEST(Cut, BothSidesMakeUpTheWhole) {
    for (const Vec3& normal : {Vec3(0, 0, 1), Vec3(1, 0, 0), Vec3(1, 2, 3), Vec3(0, 3, 1)}) {
        const Assembly read = solids_of({{"tray", make::logger_tray()}});
        StripOptions o;
        o.cuts = {plane({50, 31, 12}, normal, CutKeeps::both)};
        const Stripped out = stripped(read, o);
        ASSERT_EQ(out.solids.bodies.size(), 2u);
        const double sum = out.solids.bodies[0].mass.volume + out.solids.bodies[1].mass.volume;
        EXPECT_NEAR(sum, read.bodies[0].mass.volume, 1e-8 * sum);
        for (const Body& b : out.solids.bodies) EXPECT_TRUE(b.closed);
    }
}

TEST(Cut, EdgesOnThePlaneAreASet) {
    Folder folder;
    make::write_step((folder / "v.step").string(), {{"vessel", vessel()}});
    spit(folder / "plan.toml",
         "[source]\nfile = \"v.step\"\n[[cut]]\nname = \"x plane\"\npoint = [0, 0, 0]\nnormal = [1, 0, 0]\nsymmetry = true\n"
         "[[cut]]\npoint = [0, 0, 0]\nnormal = [0, 1, 0]\nsymmetry = true\n");
    const Ran run = halvo_command("run plan.toml --out out --quiet", folder.path());
    EXPECT_EQ(run.code, 0) << run.err << run.out;
    const Job job = read_model(folder / "out" / "model.halvo");
    ASSERT_EQ(job.model.sets.size(), 2u);
    for (const ModelSet& s : job.model.sets) {
        double length = 0;
        for (EdgeId e : s.edges) length += job.model.length(e);
        EXPECT_NEAR(length, 300 + 97 * pi / 2, 1e-3 * length) << s.name;
    }
    EXPECT_EQ(job.model.sets[0].name, "x plane");
    EXPECT_NEAR(total_area(job.model), (2 * pi * 97 * 300 + 2 * pi * 97 * 97) / 4, 2e-3 * total_area(job.model));
    for (const auto& [point, code] : {std::pair("[500, 0, 0]", 3), std::pair("[-500, 0, 0]", 0)}) {
        spit(folder / "miss.toml", std::string("[source]\nfile = \"v.step\"\n[[cut]]\npoint = ") + point + "\nnormal = [1, 0, 0]\n");
        const Ran miss = halvo_command("run miss.toml --out miss --quiet --until strip", folder.path());
        EXPECT_EQ(miss.code, code) << miss.err;
        EXPECT_NE((miss.err + miss.out).find("cut 1"), std::string::npos) << miss.err << miss.out;
    }
}

// Housings come with steps of hundredths of a millimetre round their rims: what is left is the part without them, to that precision.
TEST(Strip, StepsAndSliversGo) {
    const auto ring = [](double out, double z, double height) {
        const double r = 5 + out;
        return make::moved(make::extrude({make::rounded({{-out, -out}, {60 + out, -out}, {60 + out, 40 + out}, {-out, 40 + out}}, {r, r, r, r})}, height),
                           make::place({0, 0, z}));
    };
    const make::Solid inside = ring(-2, 2, 30), step_inside = ring(-1.99, 18, 30);
    const make::Solid tray = make::cut(make::fuse({ring(0, 0, 10), ring(0.02, 10, 5), ring(0.05, 15, 5)}), {inside, step_inside});
    const make::Solid block = make::box({0, 0, 0}, {60, 40, 10});
    struct Case {
        const char* what;
        make::Solid part;
        std::size_t faces;
        double volume;
    };
    const std::vector<Case> cases{
        {"a tray stepped twice outside and once inside", tray, 19, 11460},
        {"a block stepped all round", make::fuse({block, make::box({-0.02, -0.02, 10}, {60.04, 40.04, 10})}), 6, 48040},
        {"a groove across", make::cut(block, {make::box({30, -1, 9.98}, {5, 50, 1})}), 6, 24000},
        {"a ridge across", make::fuse({block, make::box({30, 0, 10}, {5, 40, 0.03})}), 6, 24000},
    };
    StripOptions o;
    o.slivers = 0.05;
    for (const Case& c : cases)
        for (const bool moved : {false, true}) {
            SCOPED_TRACE(c.what);
            const Assembly read = solids_of({{"part", moved ? make::moved(c.part, anywhere()) : c.part}});
            const Stripped out = stripped(mend(read).solids, o);
            EXPECT_TRUE(out.findings.empty());
            EXPECT_EQ(out.solids.bodies[0].faces.size(), c.faces);
            EXPECT_NEAR(out.solids.bodies[0].mass.volume, c.volume, 0.006 * c.volume);
            EXPECT_FALSE(stripped(out.solids, o).changed);
            // Without a limit they are only proposed.
            const Stripped looked = stripped(read, {});
            EXPECT_FALSE(looked.changed);
            const bool found = std::any_of(looked.features.begin(), looked.features.end(), [](const Feature& f) { return f.kind == FeatureKind::sliver; });
            EXPECT_TRUE(found || c.faces == 6) << "a block has no wall that they could be small against";
        }
    const Job stepped = job_of(make::fuse({make::cut(ring(0, 0, 10), {inside}), make::cut(ring(0.02, 10, 10), {inside})}), [] {
        Plan plan;
        plan.strip.slivers = 0.05;
        return plan;
    }());
    EXPECT_GT(stepped.mesh.quality.min_scaled_jacobian, 0.4);
    EXPECT_TRUE(stepped.proof.within_bounds);
}
