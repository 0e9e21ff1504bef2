// Broken skins become sound: compared with the solid that they were made from.
#include "site_parts.hpp"
#include "support.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

using namespace test;

namespace {

constexpr double rounding = 1e-9;  // of the volume

make::Solid open_tray() {
    return make::cut(make::box({0, 0, 0}, {120, 80, 25}), {make::box({3, 3, 3}, {114, 74, 30})});
}

Mended mended(const Assembly& solids, double sew = 0) {
    MendOptions o;
    if (sew > 0) o.sew = sew;
    return mend(solids, o);
}

std::size_t entries(const Mended& m, EntryKind kind, EntryState state = EntryState::applied) {
    std::size_t n = 0;
    for (const LedgerEntry& e : m.ledger) n += e.kind == kind && e.state == state ? 1 : 0;
    return n;
}

Assembly iges_of(const make::Solid& s) {
    Folder folder;
    make::write_iges((folder / "part.igs").string(), {{"part", s}}, false);
    return halvo::read(folder / "part.igs");
}

// One solid again, of this volume and so many faces.
void expect_solid(const Mended& m, double volume, std::size_t faces, double within, const char* what) {
    SCOPED_TRACE(what);
    ASSERT_EQ(m.solids.bodies.size(), 1u);
    const Body& b = m.solids.bodies[0];
    EXPECT_TRUE(b.closed);
    EXPECT_NEAR(b.mass.volume, volume, within * volume);
    EXPECT_EQ(b.faces.size(), faces);
    for (const Finding& f : m.findings) ADD_FAILURE() << f.about;
    // Once more, and there is nothing to do.
    EXPECT_FALSE(mended(m.solids).changed);
}

make::Solid blocks(int nx, int ny, int nz) {
    std::vector<make::Solid> list;
    for (int i = 0; i < nx; ++i)
        for (int j = 0; j < ny; ++j)
            for (int k = 0; k < nz; ++k) list.push_back(make::box({10.0 * i, 8.0 * j, 7.0 * k}, {10, 8, 7}));
    return make::fuse(list);
}

}  // namespace

TEST(Mend, FacesInPiecesBecomeOne) {
    const make::Solid box = blocks(5, 4, 4);
    for (const bool moved : {false, true})
        for (const char* unit : {"MM", "INCH"}) {
            const Assembly read = solids_of({{"box", moved ? make::moved(box, anywhere()) : box}}, unit);
            ASSERT_EQ(read.bodies[0].faces.size(), 112u);
            const Mended m = mended(read);
            expect_solid(m, 50.0 * 32 * 28, 6, 1e-8, "a box of 80 blocks");
            EXPECT_EQ(m.solids.bodies[0].edges.size(), 12u);
            EXPECT_FALSE(m.reshaped);
            EXPECT_EQ(entries(m, EntryKind::one_face), 6u);
            for (int f : m.faces[0]) EXPECT_TRUE(f >= 0 && f < 6);
        }
    std::vector<make::Solid> quarters;
    for (int i = 0; i < 4; ++i)
        quarters.push_back(make::moved(make::revolve({make::polygon({{20, 0}, {30, 0}, {30, 50}, {20, 50}})}, {0, 0, 0}, {0, 1, 0}, pi / 2),
                                       Eigen::Isometry3d(Eigen::AngleAxisd(i * pi / 2, Vec3::UnitY()))));
    const Mended tube = mended(solids_of({{"tube", make::fuse(quarters)}}));
    expect_solid(tube, pi * (900 - 400) * 50, 4, rounding, "a tube in four strips");
}

// The merged face goes all round and gets a seam, which must not run over holes: facets then cover them.
TEST(Mend, AFaceAllRoundKeepsItsHoles) {
    std::vector<make::Solid> quarters;
    for (int i = 0; i < 4; ++i)
        quarters.push_back(make::moved(make::revolve({make::polygon({{20, 0}, {22, 0}, {22, 60}, {20, 60}})}, {0, 0, 0}, {0, 1, 0}, pi / 2),
                                       Eigen::Isometry3d(Eigen::AngleAxisd(i * pi / 2, Vec3::UnitY()))));
    const make::Solid tube = make::fuse(quarters);
    const auto hole = [](double turn, double y, double r) {
        return make::cylinder({0, y, 0}, {std::cos(turn * pi / 180), 0, std::sin(turn * pi / 180)}, r, 30);
    };
    std::vector<make::Solid> few{hole(0, 30, 8)}, many;
    for (int i = 0; i < 12; ++i) many.push_back(hole(30.0 * i + 4, i % 2 == 0 ? 15 : 45, 8));  // 44 degrees wide, every 30: none passes between
    for (const auto& tools : {few, many}) {
        const make::Solid part = make::cut(tube, tools);
        const Mended m = mended(solids_of({{"tube", part}}));
        expect_solid(m, make::volume(part), 4 + tools.size(), 1e-8, tools.size() > 1 ? "perforated" : "one hole");
        const Body& b = m.solids.bodies[0];
        for (const Face& f : b.faces) {
            double area = 0;
            for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i) area += b.facet_area(i);
            EXPECT_NEAR(area, f.area, 0.01 * f.area);
        }
    }
}

// Equal bodies have repairs with ids of their own: each can be refused alone.
TEST(Mend, EqualPartsAreMendedOneByOne) {
    const auto tray_at = [](double x) { return make::moved(make::without_face(open_tray(), make::face_at(open_tray(), {60, 40, 0})), make::place({x, 0, 0})); };
    const Assembly read = solids_of({{"tray", tray_at(0)}, {"tray", tray_at(300)}});
    const Mended all = mended(read);
    ASSERT_EQ(entries(all, EntryKind::filled), 2u);
    MendOptions o;
    o.refuse = {all.ledger[1].key};
    const Mended one = mend(read, o);
    EXPECT_EQ(entries(one, EntryKind::filled), 1u);
    EXPECT_EQ(entries(one, EntryKind::filled, EntryState::refused), 1u);
    EXPECT_NE(one.solids.bodies[0].closed, one.solids.bodies[1].closed);
    for (const Finding& f : one.findings) EXPECT_NE(f.kind, FindingKind::rule_without_effect) << f.about;
}

TEST(Mend, RefusedPiecesStay) {
    const Assembly read = solids_of({{"box", blocks(2, 1, 1)}});
    const Mended all = mended(read);
    ASSERT_EQ(entries(all, EntryKind::one_face), 4u);
    MendOptions o;
    o.refuse = {all.ledger[0].key};
    const Mended some = mend(read, o);
    EXPECT_EQ(some.solids.bodies[0].faces.size(), 7u);
    EXPECT_EQ(entries(some, EntryKind::one_face, EntryState::refused), 1u);
    o = {};
    o.merge = false;
    EXPECT_FALSE(mend(read, o).changed);
    o.refuse = {"one-face-zzzzzz"};
    ASSERT_EQ(mend(read, o).findings.size(), 1u);
    EXPECT_EQ(mend(read, o).findings[0].kind, FindingKind::rule_without_effect);
}

TEST(Mend, LooseFacesAreSewn) {
    const make::Solid tray = open_tray();
    const double volume = make::volume(tray);
    for (const bool moved : {false, true}) {
        const make::Solid s = moved ? make::moved(tray, anywhere()) : tray;
        expect_solid(mended(solids_of({{"tray", make::as_loose_faces(s)}})), volume, 11, 1e-8, "side by side");
        const Mended apart = mended(solids_of({{"tray", make::as_faces_with_gaps(s, 0.05)}}), 0.1);
        expect_solid(apart, volume, 11, 1e-8, "with gaps");
        EXPECT_EQ(entries(apart, EntryKind::sewn), 24u);
        expect_solid(mended(iges_of(make::as_faces_with_gaps(s, 0.05)), 0.1), volume, 11, 1e-8, "with gaps, IGES");
    }
    for (unsigned seed = 1; seed < 4; ++seed)
        expect_solid(mended(solids_of({{"tray", make::as_faces_with_gaps(make::shuffled(tray, seed), 0.05)}}), 0.1), volume, 11, rounding, "in another order");
    const make::Solid round = make::plain_logger_tray();
    const Assembly whole = solids_of({{"tray", round}});
    expect_solid(mended(solids_of({{"tray", make::as_faces_with_gaps(round, 0.02)}}), 0.05), make::volume(round), whole.bodies[0].faces.size(), 1e-4,
                 "with holes");
    const make::Solid rounds = make::rounded_edges(tray, 2, [](const Vec3& m) { return m.x() > 1 && m.x() < 119 && m.y() > 1 && m.y() < 79 && m.z() < 24; });
    expect_solid(mended(solids_of({{"tray", make::as_loose_faces(rounds)}})), make::volume(rounds), solids_of({{"tray", rounds}}).bodies[0].faces.size(), 1e-8,
                 "with rounds");
}

TEST(Mend, WiderGapsAreProposed) {
    const Assembly read = solids_of({{"tray", make::as_faces_with_gaps(open_tray(), 0.05)}});
    const Mended m = mended(read);
    EXPECT_FALSE(m.changed);
    ASSERT_EQ(m.findings.size(), 1u);
    EXPECT_EQ(m.findings[0].kind, FindingKind::could_be_sewn);
    EXPECT_NE(m.findings[0].advice.find("mend.sew = \"0.0"), std::string::npos) << m.findings[0].advice;
    EXPECT_EQ(entries(m, EntryKind::sewn, EntryState::proposed), 24u);
}

TEST(Mend, OneSeamRefusedIsLeftOpenAlone) {
    const Assembly read = solids_of({{"tray", make::as_faces_with_gaps(open_tray(), 0.05)}});
    const Mended all = mended(read, 0.1);
    MendOptions o;
    o.sew = 0.1;
    for (const LedgerEntry& e : all.ledger)
        if (e.kind == EntryKind::sewn && o.refuse.empty()) o.refuse.push_back(e.key);
    const Mended some = mend(read, o);
    EXPECT_EQ(entries(some, EntryKind::sewn), 23u);
    ASSERT_EQ(some.solids.bodies.size(), 1u);
    EXPECT_FALSE(some.solids.bodies[0].closed);
}

TEST(Mend, MissingFacesComeBack) {
    const make::Solid tray = open_tray();
    const double volume = make::volume(tray);
    for (const Vec3& at : {Vec3(60, 40, 0), Vec3(60, 40, 3), Vec3(0, 40, 12.5), Vec3(60, 40, 25)}) {
        const Mended m = mended(solids_of({{"tray", make::without_face(tray, make::face_at(tray, at))}}));
        expect_solid(m, volume, 11, rounding, "a plane face");
        EXPECT_EQ(entries(m, EntryKind::filled), 1u);
    }
    const Mended loose = mended(solids_of({{"tray", make::as_faces_with_gaps(make::without_face(tray, make::face_at(tray, {0, 40, 12.5})), 0.05)}}), 0.1);
    // The faces beside the opening end early all round: there too.
    expect_solid(loose, volume, 11, 1e-6, "loose faces and one missing");
    // Two faces side by side: what is round them goes on until it meets.
    const make::Solid corner = make::without_faces(make::box({0, 0, 0}, {60, 40, 20}), [](const Vec3& m) { return m.x() > 59 || m.z() > 19; });
    EXPECT_FALSE(mended(solids_of({{"box", corner}})).solids.bodies.empty());
}

TEST(Mend, RoundsThatAreMissingComeBack) {
    // A cup: turned profile with a round between wall and floor inside and outside.
    const make::Solid cup =
        make::revolve({make::rounded({{0, 0}, {40, 0}, {40, 60}, {37, 60}, {37, 3}, {0, 3}}, {0, 8, 0, 0, 5, 0})}, {0, 0, 0}, {0, 1, 0}, 2 * pi);
    const double volume = make::volume(cup);
    const std::size_t faces = solids_of({{"cup", cup}}).bodies[0].faces.size();
    for (const bool both : {false, true}) {
        const make::Solid spoilt =
            make::without_faces(cup, [&](const Vec3& m) { return m.y() > 0.1 && m.y() < (both ? 6 : 2.95) && std::abs(m.y() - 3) > 1e-6; });
        const Mended m = mended(solids_of({{"cup", spoilt}}));
        expect_solid(m, volume, faces, rounding, both ? "both rounds" : "one round");
    }
    const make::Solid block = make::rounded_edges(make::box({0, 0, 0}, {60, 40, 20}), 5, [](const Vec3& m) { return m.x() > 59 && m.y() > 39; });
    const make::Solid without = make::without_faces(block, [](const Vec3& m) { return m.x() > 57 && m.x() < 59.9 && m.y() > 37; });
    expect_solid(mended(solids_of({{"block", without}})), make::volume(block), 7, rounding, "a round along an edge");
    const make::Solid plate = make::cut(make::box({0, 0, 0}, {60, 40, 4}), {make::cylinder({20, 20, -1}, Vec3::UnitZ(), 6, 6)});
    expect_solid(mended(solids_of({{"plate", make::without_faces(plate, [](const Vec3& m) { return (m - Vec3(20, 20, 2)).norm() < 0.1; })}})),
                 make::volume(plate), 7, rounding, "a bore");
}

// Between four straight edges the patch is the ruled surface that was there; round a corner it leaves both sides as they come.
TEST(Mend, FreeFacesComeBackAsPatches) {
    const make::Solid wedge = make::taper({{0, 0}, {60, 0}, {60, 40}, {0, 40}}, {{5, 4}, {52, 6}, {54, 35}, {6, 37}}, 30);
    const make::Solid open = make::without_face(wedge, make::face_at(wedge, {30, 3, 15}));
    for (const bool moved : {false, true}) {
        const Mended m = mended(solids_of({{"wedge", moved ? make::moved(open, anywhere()) : open}}));
        expect_solid(m, make::volume(wedge), 6, 1e-6, "a ruled face");
        ASSERT_EQ(entries(m, EntryKind::filled), 1u);
        EXPECT_NE(m.ledger[0].about.find("patch"), std::string::npos);
    }
}

// Inner and outer skin without rims are the wall that they mean; one skin alone is a surface, and no bar.
TEST(Mend, SleevesGetTheirRims) {
    const std::vector<std::pair<const char*, std::vector<std::vector<Curve>>>> profiles{{"round", make::tube(30, 2)},
                                                                                        {"rectangular", make::rectangular_tube(40, 30, 2, 4)}};
    for (const auto& [name, profile] : profiles)
        for (const bool moved : {false, true}) {
            SCOPED_TRACE(name);
            const make::Solid tube = moved ? make::moved(make::extrude(profile, 200), anywhere()) : make::extrude(profile, 200);
            const Assembly whole = solids_of({{"tube", make::extrude(profile, 200)}});
            const auto at_end = [&](const Vec3& m) {
                const Vec3 p = moved ? Vec3(anywhere().inverse() * m) : m;
                return p.z() < 1 || p.z() > 199;
            };
            const Mended m = mended(solids_of({{"tube", make::as_loose_faces(make::without_faces(tube, at_end))}}));
            expect_solid(m, make::volume(tube), whole.bodies[0].faces.size(), 1e-8, "both skins");
            if (moved) continue;
            const make::Solid outer = make::extrude({profile[0]}, 200);
            const Mended alone = mended(solids_of({{"tube", make::as_loose_faces(make::without_faces(outer, at_end))}}));
            ASSERT_EQ(alone.solids.bodies.size(), 1u);
            EXPECT_FALSE(alone.solids.bodies[0].closed);
            EXPECT_EQ(entries(alone, EntryKind::filled), 0u);
            EXPECT_FALSE(alone.findings.empty());
        }
}

TEST(Mend, DoubledAndTurnedFaces) {
    const make::Solid tray = open_tray();
    const double volume = make::volume(tray);
    const int floor = make::face_at(tray, {60, 40, 0});
    const Mended doubled = mended(solids_of({{"tray", make::with_doubled_face(tray, floor)}}));
    expect_solid(doubled, volume, 11, rounding, "a face twice");
    EXPECT_EQ(entries(doubled, EntryKind::doubled_face), 1u);
    const Mended turned = mended(solids_of({{"tray", make::with_turned_face(tray, floor)}}));
    expect_solid(turned, volume, 11, rounding, "a face inside out");
    EXPECT_EQ(entries(turned, EntryKind::turned_face), 1u);
    const Mended twice = mended(solids_of({{"tray", tray}, {"copy", open_tray()}}));
    expect_solid(twice, volume, 11, rounding, "a body twice");
    EXPECT_EQ(entries(twice, EntryKind::doubled_body), 1u);
}

TEST(Mend, AVoidIsPartOfItsSolid) {
    const make::Solid hollow = make::cut(make::box({0, 0, 0}, {60, 40, 30}), {make::box({5, 5, 5}, {50, 30, 20})});
    const Mended m = mended(solids_of({{"box", make::as_loose_faces(hollow)}}));
    expect_solid(m, make::volume(hollow), 12, rounding, "a hollow box as loose faces");
    EXPECT_EQ(entries(m, EntryKind::void_in_solid), 1u);
}

TEST(Mend, OverlapsAreCutWhereThePlanSaysSo) {
    const make::Solid plate = make::box({0, 0, 0}, {100, 60, 4}), rib = make::box({48, 10, 3.7}, {4, 40, 30});
    for (const bool moved : {false, true}) {
        const auto at = [&](const make::Solid& s) { return moved ? make::moved(s, anywhere()) : s; };
        const Assembly read = solids_of({{"plate", at(plate)}, {"rib", at(rib)}});
        EXPECT_FALSE(mended(read).changed);
        MendOptions o;
        o.overlap = OverlapAs::cut;
        const Mended m = mend(read, o);
        ASSERT_EQ(m.solids.bodies.size(), 2u);
        EXPECT_NEAR(m.solids.bodies[0].mass.volume + m.solids.bodies[1].mass.volume, 100 * 60 * 4 + 4 * 40 * 29.7, 1e-9 * 24000 * (moved ? 10 : 1));
        ASSERT_EQ(entries(m, EntryKind::overlap_cut), 1u);
        EXPECT_NEAR(m.ledger[0].value, 4 * 40 * 0.3, moved ? 1e-3 : 1e-6);
        EXPECT_FALSE(mend(m.solids, o).changed);
    }
    // Two slabs side by side in part: no plane parts what is inside.
    MendOptions o;
    o.overlap = OverlapAs::cut;
    const Mended m = mend(solids_of({{"plate", plate}, {"slab", make::box({50, 30, 3.7}, {100, 60, 4})}}), o);
    ASSERT_EQ(m.findings.size(), 1u);
    EXPECT_EQ(m.findings[0].kind, FindingKind::defect_stays);
}

TEST(Mend, FacesAreMovedToOtherBodies) {
    const make::Solid plate = make::box({0, 0, 0}, {100, 60, 4});
    struct Case {
        const char* what;
        make::Solid other;
        double volume;  // of it, once moved
    };
    MendOptions o;
    o.overlap = OverlapAs::move, o.gaps = 0.5;
    for (const Case& c :
         {Case{"slabs that overlap in part", make::box({50, 30, 3.7}, {100, 60, 3}), 100 * 60 * 2.7},
          Case{"a rib that stops short", make::box({48, 10, 4.2}, {4, 40, 30}), 4 * 40 * 30.2},
          Case{"a tube that stops short", make::moved(make::extrude(make::tube(30, 2), 50), make::place({50, 30, 4.4})), pi * (225 - 169) * 50.4},
          Case{"a drafted boss that reaches in",
               make::moved(make::taper({{0, 0}, {20, 0}, {20, 10}, {0, 10}}, {{2, 2}, {18, 2}, {18, 8}, {2, 8}}, 20), make::place({30, 20, 3.5})), 0}})
        for (const bool moved : {false, true}) {
            SCOPED_TRACE(c.what);
            const auto at = [&](const make::Solid& s) { return moved ? make::moved(s, anywhere()) : s; };
            const Assembly read = solids_of({{"plate", at(plate)}, {"what", at(c.other)}});
            const Mended m = mend(read, o);
            EXPECT_TRUE(m.findings.empty());
            ASSERT_EQ(entries(m, EntryKind::face_moved), 1u);
            ASSERT_EQ(m.solids.bodies.size(), 2u);
            const Body& b = m.solids.bodies[m.solids.bodies[0].name == "what" ? 0 : 1];
            if (c.volume > 0) {
                EXPECT_NEAR(b.mass.volume, c.volume, 1e-8 * c.volume);
            } else {
                EXPECT_LT(b.mass.volume, make::volume(c.other));
            }
            EXPECT_FALSE(mend(m.solids, o).changed);
            EXPECT_FALSE(mend(read, {}).changed);
        }
}

TEST(Mend, SurfacesWithAThicknessStaySurfaces) {
    const make::Solid tray = make::without_face(make::box({0, 0, 0}, {60, 40, 20}), make::face_at(make::box({0, 0, 0}, {60, 40, 20}), {30, 20, 20}));
    Plan plan;
    plan.halve.thickness = 2;
    const Job job = job_of({{"tray", make::as_loose_faces(tray)}}, plan);
    EXPECT_EQ(job.model.sheets.size(), 5u);
    EXPECT_NEAR(total_area(job.model), 60 * 40 + 2 * (60 + 40) * 20, 1e-6);
    EXPECT_EQ(job.mesh.parts, 1);
}

TEST(Mend, ABrokenPartIsIdealizedLikeTheSoundOne) {
    const make::Solid tray = open_tray();
    const Job sound = job_of(tray);
    Plan plan;
    plan.mend.sew = 0.1;
    const Job broken = job_of({{"tray", make::as_faces_with_gaps(tray, 0.05)}}, plan);
    EXPECT_EQ(broken.model.sheets.size(), sound.model.sheets.size());
    EXPECT_NEAR(total_area(broken.model), total_area(sound.model), 1e-6 * total_area(sound.model));
    EXPECT_LT(std::abs(broken.proof.volume_error - sound.proof.volume_error), 1e-6);
}

TEST(Mend, TheCommandStopsAfterItAndGoesOn) {
    Folder folder;
    make::write_step((folder / "tray.step").string(), {{"tray", make::as_faces_with_gaps(open_tray(), 0.05)}});
    spit(folder / "tray.toml", "[source]\nfile = \"tray.step\"\n[mend]\nsew = \"0.1 mm\"\n");
    const Ran first = halvo_command("run tray.toml --until mend --out out", folder.path());
    ASSERT_EQ(first.code, 0) << first.err;
    EXPECT_NE(first.out.find("24 pairs of edges sewn"), std::string::npos) << first.out;
    const Ran list = halvo_command("list out/model.halvo ledger", folder.path());
    EXPECT_NE(list.out.find("sewn"), std::string::npos);
    const Ran on = halvo_command("run tray.toml --from mend --out out", folder.path());
    ASSERT_EQ(on.code, 0) << on.err;
    const Ran strip = halvo_command("run tray.toml --from strip --out out --json", folder.path());
    ASSERT_EQ(strip.code, 0) << strip.err;
    EXPECT_NE(strip.out.find("\"faces\": 11"), std::string::npos) << strip.out.substr(0, 600);
}
