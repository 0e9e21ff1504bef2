// Every kind of file an analyst is handed: what is read is what was written, wherever the format comes from.
#include "site_parts.hpp"
#include "support.hpp"

#include "core/wildcard.hpp"
#include "io/body_blob.hpp"
#include "io/bytes.hpp"
#include "run/select.hpp"

#include <fmt/format.h>
#include <zlib.h>

#include <set>

using namespace test;
using make::box;

namespace {

void gzip(const fs::path& from, const fs::path& to) {
    const std::string bytes = slurp(from);
    gzFile out = gzopen(to.c_str(), "wb6");
    ASSERT_NE(out, nullptr);
    ASSERT_EQ(gzwrite(out, bytes.data(), static_cast<unsigned>(bytes.size())), static_cast<int>(bytes.size()));
    gzclose(out);
}

std::string error_of(const fs::path& file, const SourceOptions& options = {}) {
    try {
        (void)read(file, options);
    } catch (const Error& e) {
        EXPECT_EQ(e.kind(), ErrorKind::input);
        return e.what();
    }
    return "";
}

double total_volume(const Assembly& a) {
    double v = 0;
    for (const Body& b : a.bodies) v += b.mass.volume;
    return v;
}

make::Solid wavy_panel() {
    std::vector<std::vector<double>> heights(9, std::vector<double>(7));
    for (std::size_t i = 0; i < 9; ++i)
        for (std::size_t j = 0; j < 7; ++j)
            heights[i][j] = 18 * std::sin(0.45 * static_cast<double>(i)) * std::cos(0.4 * static_cast<double>(j)) + 0.8 * static_cast<double>(j);
    return make::panel(heights, 40, 3);
}

make::Solid spline_prism() {
    // A lens of two arcs turned into splines: extruded and revolved spline surfaces.
    return make::as_splines(make::extrude(make::rectangular_tube(60, 40, 3, 8), 200));
}

std::map<std::string, int> surfaces(const Body& b) {
    std::map<std::string, int> n;
    for (const Face& f : b.faces) ++n[surface_name(f.surface)];
    return n;
}

}  // namespace

TEST(ReadMass, FreeformAgreesWithTheKernelToAMillionth) {
    const std::vector<make::Solid> parts = {wavy_panel(), make::cut(wavy_panel(), {make::cylinder({150, 110, -100}, Vec3(0.1, 0.2, 1), 30, 200)}),
                                            make::rounded_edges(wavy_panel(), 0.8, [](const Vec3& m) { return std::abs(m.x()) < 1 && m.z() > 0; })};
    for (std::size_t i = 0; i < parts.size(); ++i) {
        const Assembly a = solids_of({{"panel", parts[i]}});
        ASSERT_EQ(a.bodies.size(), 1u);
        EXPECT_GE(surfaces(a.bodies[0])["free"], 2) << i;
        EXPECT_NEAR(a.bodies[0].mass.volume / make::volume(parts[i]), 1, i < 1 ? 1e-6 : 1e-5) << i;
        EXPECT_NEAR(a.bodies[0].mass.area / make::area(parts[i]), 1, i < 1 ? 1e-6 : 1e-5) << i;
    }
}

TEST(ReadMass, SweptAndConvertedSurfacesToo) {
    const std::vector<make::Solid> parts = {spline_prism(), make::as_splines(make::bent_sensor_arm()[0].solid), make::bent_sensor_arm()[0].solid,
                                            make::as_splines(make::ball({3, 4, 5}, 20)),
                                            make::as_splines(make::cut(box({0, 0, 0}, {60, 60, 20}), {make::cylinder({30, 30, -5}, Vec3::UnitZ(), 12, 40)}))};
    for (std::size_t i = 0; i < parts.size(); ++i) {
        const Assembly a = solids_of({{"part", parts[i]}});
        ASSERT_EQ(a.bodies.size(), 1u) << i;
        EXPECT_TRUE(a.bodies[0].closed) << i;
        EXPECT_NEAR(a.bodies[0].mass.volume / make::volume(parts[i]), 1, 1e-6) << i;
        EXPECT_NEAR(a.bodies[0].mass.area / make::area(parts[i]), 1, 1e-6) << i;
    }
    // Splines that are plain surfaces are read as what they are.
    const auto kinds = surfaces(solids_of({{"part", spline_prism()}}).bodies[0]);
    EXPECT_EQ(kinds.at("plane"), 10);
    EXPECT_EQ(kinds.at("cylinder"), 8);
    EXPECT_EQ(kinds.count("free"), 0u);
}

TEST(ReadMass, FreeformIsTheSameAnywhere) {
    const Assembly a = solids_of({{"panel", wavy_panel()}}), b = solids_of({{"panel", make::moved(wavy_panel(), anywhere())}});
    EXPECT_NEAR(a.bodies[0].mass.volume / b.bodies[0].mass.volume, 1, 1e-8);
    EXPECT_EQ(a.bodies[0].key, b.bodies[0].key);
    const Survey s = survey(a), t = survey(b);
    ASSERT_FALSE(s.bodies[0].bands.empty());
    EXPECT_NEAR(s.bodies[0].bands[0].mean, t.bodies[0].bands[0].mean, 1e-2);
    EXPECT_EQ(s.bodies[0].kind, BodyClass::thin);
}

TEST(ReadStep, EverySchemaAndUnit) {
    const Folder folder;
    for (const char* schema : {"AP203", "AP214IS", "AP242DIS"})
        for (const char* unit : {"MM", "INCH", "M"}) {
            const std::string file = (folder / "part.step").string();
            make::write_step(file, {{"plate", box({1, 2, 3}, {100, 60, 4})}}, unit, schema);
            const Assembly a = read(file);
            EXPECT_NEAR(total_volume(a), 24000, 1e-6) << schema << " " << unit;
            EXPECT_EQ(a.bodies[0].name, "plate") << schema;
        }
}

TEST(ReadStep, RepeatedPartsAreOnePartInManyPlaces) {
    const Folder folder;
    const std::string file = (folder / "many.step").string();
    std::vector<Eigen::Isometry3d> places;
    for (int i = 0; i < 12; ++i)
        places.push_back(Eigen::Translation3d(200.0 * i, -30.0 * i, 7) * Eigen::Isometry3d(Eigen::AngleAxisd(0.3 * i, Vec3(1, 2, -1).normalized())));
    make::write_step_assembly(file, "frame", {"bracket", make::bracket()}, places);
    const Assembly a = read(file);
    ASSERT_EQ(a.bodies.size(), 12u);
    for (const Body& b : a.bodies) {
        EXPECT_EQ(b.part, a.bodies[0].part);
        EXPECT_EQ(b.path, "frame/bracket");
        EXPECT_NEAR(b.mass.volume / make::volume(make::bracket()), 1, 1e-9);
    }
    // Each stands where it was put: its place takes the part's own box corner to its corner in space.
    for (const Eigen::Isometry3d& m : places) {
        const Vec3 corner = m * Vec3(60, 0, 0) - a.shift;
        double nearest = 1e300;
        for (const Body& b : a.bodies)
            for (const Vec3& v : b.vertices) nearest = std::min(nearest, (v - corner).norm());
        EXPECT_LT(nearest, 1e-6);
    }
    const Survey s = survey(a);
    for (const BodySurvey& b : s.bodies) EXPECT_EQ(b.thinnest, s.bodies[0].thinnest);
}

TEST(ReadIges, SolidsAndLooseSurfaces) {
    const Folder folder;
    const auto part = make::cut(box({0, 0, 0}, {120, 80, 5}), {make::cylinder({40, 40, -5}, Vec3::UnitZ(), 15, 20)});
    for (const char* unit : {"MM", "INCH"}) {
        const std::string solid = (folder / "solid.igs").string(), loose = (folder / "loose.igs").string();
        make::write_iges(solid, {{"plate", part}}, true, unit);
        make::write_iges(loose, {{"plate", part}}, false, unit);
        const Assembly a = read(solid), b = read(loose);
        EXPECT_EQ(a.format, "IGES");
        EXPECT_EQ(a.unit, unit == std::string("MM") ? "mm" : "inch");
        ASSERT_EQ(a.bodies.size(), 1u);
        EXPECT_TRUE(a.bodies[0].closed);
        EXPECT_NEAR(a.bodies[0].mass.volume / make::volume(part), 1, 1e-6) << unit;
        // Loose faces that touch are one body, not sewn: open, with all its area.
        ASSERT_EQ(b.bodies.size(), 1u);
        EXPECT_FALSE(b.bodies[0].closed);
        EXPECT_NEAR(b.bodies[0].mass.area / make::area(part), 1, 1e-6) << unit;
        const Survey s = survey(b);
        const auto& f = s.findings;
        EXPECT_TRUE(std::any_of(f.begin(), f.end(), [](const Finding& k) { return k.kind == FindingKind::unconnected_edges; }));
    }
}

TEST(ReadIges, SeparateGroupsOfLooseSurfacesAreSeparateBodies) {
    const Folder folder;
    const std::string file = (folder / "loose.igs").string();
    make::write_iges(file, {{"a", box({0, 0, 0}, {50, 40, 3})}, {"b", box({0, 0, 20}, {30, 30, 2})}}, false);
    EXPECT_EQ(read(file).bodies.size(), 2u);
}

TEST(ReadGzip, StepIgesAndFacetsComeOutTheSame) {
    const Folder folder;
    make::write_step((folder / "part.step").string(), {{"bracket", make::bracket()}});
    make::write_iges((folder / "part.igs").string(), {{"bracket", make::bracket()}}, true);
    const Assembly plain = read(folder / "part.step");
    make::write_stl((folder / "part.stl").string(), {make::scan(plain.bodies[0], 4, 0)}, true);
    for (const char* name : {"part.step", "part.igs", "part.stl"}) {
        const std::string packed = std::string(name) + ".gz";
        gzip(folder / name, folder / packed);
        const Assembly a = read(folder / name), b = read(folder / packed);
        EXPECT_EQ(a.format, b.format);
        EXPECT_EQ(a.sha256, b.sha256);
        EXPECT_EQ(total_volume(a), total_volume(b)) << name;
    }
    const std::string bytes = slurp(folder / "part.step.gz");
    spit(folder / "cut.step.gz", bytes.substr(0, bytes.size() / 2));
    EXPECT_NE(error_of(folder / "cut.step.gz").find("gzip file is damaged"), std::string::npos);
}

TEST(ReadKind, ContentDecidesAndTheNameIsOnlyNoted) {
    const Folder folder;
    make::write_step((folder / "part.igs").string(), {{"plate", box({0, 0, 0}, {50, 40, 3})}});
    const Assembly a = read(folder / "part.igs");
    EXPECT_EQ(a.format, "STEP");
    ASSERT_EQ(a.notes.size(), 1u);
    EXPECT_NE(a.notes[0].find("the name says IGES"), std::string::npos);
    for (const char* text : {"hello\n", "{\"a\": 1}", "<html></html>"}) {
        spit(folder / "x.dat", text);
        EXPECT_NE(error_of(folder / "x.dat").find("neither STEP, IGES, STL, OBJ nor PLY"), std::string::npos);
    }
    spit(folder / "x.step", "solid? no\n");
    EXPECT_NE(error_of(folder / "x.step").find("not a STEP file"), std::string::npos);
}

TEST(ReadFacets, FormatsAgreeWithEachOther) {
    const Folder folder;
    const Assembly solid = solids_of({{"bracket", make::bracket()}});
    const make::Facets f = make::scan(solid.bodies[0], 2, 0);
    make::write_stl((folder / "b.stl").string(), {f}, true);
    make::write_stl((folder / "t.stl").string(), {f}, false);
    make::write_obj((folder / "o.obj").string(), {f});
    for (const char* form : {"ascii", "binary_little_endian", "binary_big_endian"}) make::write_ply((folder / (std::string(form) + ".ply")).string(), f, form);
    SourceOptions mm;
    mm.unit = "mm";
    for (const char* name : {"b.stl", "t.stl", "o.obj", "ascii.ply", "binary_little_endian.ply", "binary_big_endian.ply"}) {
        const Assembly a = read(folder / name, mm);
        ASSERT_EQ(a.bodies.size(), 1u) << name;
        EXPECT_TRUE(a.bodies[0].closed) << name;
        EXPECT_EQ(a.bodies[0].facets.size(), f.facets.size()) << name;
        const auto kinds = surfaces(a.bodies[0]);
        EXPECT_EQ(kinds.at("plane"), 8) << name;
        EXPECT_EQ(kinds.at("cylinder"), 6) << name;
        EXPECT_NEAR(a.bodies[0].mass.volume / solid.bodies[0].mass.volume, 1, 2e-3) << name;
        EXPECT_TRUE(a.unit_stated);
    }
}

TEST(ReadFacets, UnitScalesAndAMissingOneIsAFinding) {
    const Folder folder;
    const Assembly solid = solids_of({{"bracket", make::bracket()}});
    make::write_stl((folder / "b.stl").string(), {make::scan(solid.bodies[0], 3, 0)}, true);
    SourceOptions inch;
    inch.unit = "inch";
    const Assembly a = read(folder / "b.stl"), b = read(folder / "b.stl", inch);
    EXPECT_NEAR(b.bodies[0].mass.volume / a.bodies[0].mass.volume, std::pow(25.4, 3), 1e-3);
    EXPECT_FALSE(a.unit_stated);
    const auto kinds = [](const Assembly& x) {
        std::set<std::string> out;
        for (const Finding& f : survey(x).findings) out.insert(kind_name(f.kind));
        return out;
    };
    EXPECT_EQ(kinds(a).count("unit not stated"), 1u);
    EXPECT_EQ(kinds(b).count("unit not stated"), 0u);
}

TEST(ReadFacets, SeveralSolidsNamesVoidsAndTurnedSkins) {
    const Folder folder;
    const auto facets = [&](const make::Solid& s, const std::string& name) {
        auto f = make::scan(solids_of({{name, s}}).bodies[0], 1000, 0);
        f.name = name;
        return f;
    };
    make::Facets outer = facets(box({0, 0, 0}, {40, 40, 40}), "case"), inner = facets(box({0, 0, 0}, {20, 20, 20}), "case"),
                 other = facets(box({0, 0, 0}, {10, 10, 10}), "knob");
    // The parts were moved to their middle on reading, so the small box lies in the middle of the large one; its skin looks inward.
    for (auto& c : inner.facets) std::swap(c[1], c[2]);
    const int base = static_cast<int>(outer.points.size());
    outer.points.insert(outer.points.end(), inner.points.begin(), inner.points.end());
    for (auto c : inner.facets) outer.facets.push_back({c[0] + base, c[1] + base, c[2] + base});
    for (Vec3& p : other.points) p += Vec3(100, 0, 0);
    for (auto& c : other.facets) std::swap(c[1], c[2]);
    make::write_stl((folder / "two.stl").string(), {outer, other}, false);
    const Assembly a = read(folder / "two.stl");
    ASSERT_EQ(a.bodies.size(), 2u);
    EXPECT_EQ(a.bodies[0].name, "case");
    EXPECT_NEAR(a.bodies[0].mass.volume, 64000 - 8000, 1e-6);
    EXPECT_EQ(a.bodies[0].faces.size(), 12u);
    EXPECT_EQ(a.bodies[1].name, "knob");
    EXPECT_NEAR(a.bodies[1].mass.volume, 1000, 1e-6);
    EXPECT_EQ(a.bodies[1].turned, 12);
}

TEST(ReadFacets, PolygonsOfObjFilesAreCutToTriangles) {
    const Folder folder;
    // An L-shaped prism: one six-cornered face that is not convex on each side; indices counted from the end as well.
    std::string text;
    const double x[] = {0, 30, 30, 10, 10, 0}, y[] = {0, 0, 10, 10, 30, 30};
    for (double z : {0.0, 5.0})
        for (int i = 0; i < 6; ++i) text += fmt::format("v {} {} {}\n", x[i], y[i], z);
    text += "f 6 5 4 3 2 1\nf -6 -5 -4 -3 -2 -1\n";
    for (int i = 1; i <= 6; ++i) text += fmt::format("f {} {} {} {}\n", i, i % 6 + 1, i % 6 + 7, i + 6);
    spit(folder / "l.obj", text);
    const Assembly a = read(folder / "l.obj");
    ASSERT_EQ(a.bodies.size(), 1u);
    EXPECT_TRUE(a.bodies[0].closed);
    EXPECT_EQ(a.bodies[0].faces.size(), 8u);
    EXPECT_NEAR(a.bodies[0].mass.volume, 500 * 5, 1e-9);
}

TEST(ReadFacets, TessellatedCylinderGivesItsRadius) {
    for (const double radius : {5.0, 40.0})
        for (const int steps : {12, 24, 90}) {
            std::string text;
            for (double z : {0.0, 100.0})
                for (int i = 0; i < steps; ++i)
                    text += fmt::format("v {:.9g} {:.9g} {}\n", 7 + radius * std::cos(2 * pi * i / steps), radius * std::sin(2 * pi * i / steps) - 3, z);
            std::string top = "f", bottom = "f";
            for (int i = 1; i <= steps; ++i) top += fmt::format(" {}", steps + i), bottom += fmt::format(" {}", steps - i + 1);
            text += top + "\n" + bottom + "\n";
            for (int i = 1; i <= steps; ++i) text += fmt::format("f {} {} {} {}\n", i, i % steps + 1, i % steps + 1 + steps, i + steps);
            const Folder folder;
            spit(folder / "c.obj", text);
            const Assembly a = read(folder / "c.obj");
            ASSERT_EQ(a.bodies[0].faces.size(), 3u) << steps;
            const auto kinds = surfaces(a.bodies[0]);
            ASSERT_EQ(kinds.count("cylinder"), 1u);
            for (const Face& f : a.bodies[0].faces)
                if (const auto* c = std::get_if<CylinderSurface>(&f.surface)) {
                    EXPECT_NEAR(c->radius / radius, 1, 1e-3);
                }
        }
}

TEST(ReadFacets, ConesAndSpheresAreFoundAndABoxStaysABox) {
    const auto facets_of = [](const make::Solid& s) {
        const Assembly a = solids_of({{"part", s}});
        make::Facets f;
        f.name = "part", f.points = a.bodies[0].points;
        for (const Facet& k : a.bodies[0].facets) f.facets.push_back(k.corners);
        const Folder folder;
        make::write_ply((folder / "p.ply").string(), f, "binary_little_endian");
        return read(folder / "p.ply");
    };
    const Assembly ball = facets_of(make::ball({0, 0, 0}, 25));
    ASSERT_EQ(ball.bodies[0].faces.size(), 1u);
    EXPECT_NEAR(std::get<SphereSurface>(ball.bodies[0].faces[0].surface).radius, 25, 0.025);
    const Assembly cone = facets_of(make::revolve({make::polygon({{10, 0}, {40, 0}, {20, 60}, {10, 60}})}, {0, 0, 0}, Vec3::UnitY(), 2 * pi));
    EXPECT_EQ(surfaces(cone.bodies[0]).at("cone"), 1);
    EXPECT_EQ(surfaces(cone.bodies[0]).at("cylinder"), 1);
    EXPECT_EQ(surfaces(cone.bodies[0]).at("plane"), 2);
    const Assembly plain = facets_of(box({0, 0, 0}, {30, 30, 30}));
    EXPECT_EQ(surfaces(plain.bodies[0]).at("plane"), 6);
    EXPECT_EQ(plain.bodies[0].edges.size(), 12u);
    for (const BodyEdge& e : plain.bodies[0].edges) EXPECT_NEAR(e.curve.length(), 30, 1e-9);
}

TEST(ReadFacets, ScannedBracketKeepsItsFlatsAndBends) {
    const Assembly solid = solids_of({{"bracket", make::bracket()}});
    for (const unsigned seed : {1u, 2u, 3u})
        for (const double spacing : {1.2, 2.0}) {
            const Folder folder;
            make::Facets f = make::scan(solid.bodies[0], spacing, 0.02, seed);
            for (Vec3& p : f.points) p = anywhere().linear() * p + Vec3(200, -100, 50);
            make::write_stl((folder / "s.stl").string(), {f}, true);
            SourceOptions mm;
            mm.unit = "mm";
            const Assembly a = read(folder / "s.stl", mm);
            ASSERT_EQ(a.bodies.size(), 1u);
            const auto kinds = surfaces(a.bodies[0]);
            EXPECT_EQ(kinds.at("plane"), 8) << seed << " " << spacing;
            EXPECT_EQ(kinds.at("cylinder"), 6) << seed << " " << spacing;
            EXPECT_EQ(kinds.count("free"), 0u) << seed << " " << spacing;
            const Survey s = survey(a);
            EXPECT_EQ(s.bodies[0].kind, BodyClass::thin);
            ASSERT_FALSE(s.bodies[0].bands.empty());
            EXPECT_NEAR(s.bodies[0].bands[0].mean, 3, 0.06);
            EXPECT_GT(s.bodies[0].thinnest, 2.9);
            EXPECT_LT(s.bodies[0].thickest, 3.1);
            for (const Face& k : a.bodies[0].faces) EXPECT_NEAR(k.fit_error, 0.02, 0.015);
        }
}

TEST(ReadFacets, AFlatTessellationRunsLikeTheSolid) {
    // Fitted planes, straight edges and sharp corners: the whole job works on facets as on CAD.
    const Folder folder;
    const Assembly solid = solids_of({{"shelf", make::instrument_shelf()}});
    make::Facets f;
    f.name = "shelf", f.points = solid.bodies[0].points;
    for (const Facet& k : solid.bodies[0].facets) f.facets.push_back(k.corners);
    make::write_ply((folder / "shelf.ply").string(), f, "binary_little_endian");
    Job job;
    job.plan.source.file = (folder / "shelf.ply").string(), job.plan.source.unit = "mm";
    run(job);
    const Job of_solid = job_of(make::instrument_shelf());
    EXPECT_EQ(job.model.sheets.size(), of_solid.model.sheets.size());
    EXPECT_NEAR(total_area(job.model) / total_area(of_solid.model), 1, 1e-6);
    EXPECT_EQ(job.proof.parts, 1);
}

TEST(Select, NumbersRangesNamesSizesAndLayers) {
    const Folder folder;
    const std::string file = (folder / "site.step").string();
    std::vector<make::Item> items;
    for (int i = 1; i <= 3; ++i)
        items.push_back({fmt::format("bolt M{}", 4 * i), make::moved(make::cylinder({0, 0, 0}, Vec3::UnitZ(), 2.0 * i, 12), make::place({30.0 * i, 0, 0}))});
    items.push_back({"camera", box({0, 60, 0}, {40, 40, 40})});
    items.push_back({"deck", box({0, 0, -10}, {300, 200, 5})});
    items.push_back({"rail", box({0, 150, 0}, {300, 10, 10})});
    make::write_step(file, items);
    const auto names = [&](const SourceOptions& o) {
        std::string out;
        for (const Body& b : read(file, o).bodies) out += (out.empty() ? "" : ",") + b.name;
        return out;
    };
    const auto with = [](std::vector<std::string> body, std::vector<std::string> only, std::vector<std::string> skip) {
        SourceOptions o;
        o.body = std::move(body), o.only = std::move(only), o.skip = std::move(skip);
        return o;
    };
    EXPECT_EQ(names({}), "bolt M4,bolt M8,bolt M12,camera,deck,rail");
    EXPECT_EQ(names(with({}, {}, {"bolt*", "camera"})), "deck,rail");
    EXPECT_EQ(names(with({}, {"bolt M?"}, {})), "bolt M4,bolt M8");
    EXPECT_EQ(names(with({}, {"bolt M[48]"}, {"2"})), "bolt M4");
    EXPECT_EQ(names(with({"1-2", "deck"}, {}, {})), "bolt M4,bolt M8,deck");
    EXPECT_EQ(names(with({}, {}, {"size<50 mm"})), "deck,rail");
    EXPECT_EQ(names(with({}, {"size>10 cm"}, {})), "deck,rail");
    const Assembly a = read(file, with({}, {}, {"bolt*", "nut*"}));
    ASSERT_EQ(a.left_out.size(), 3u);
    EXPECT_EQ(a.left_out[0].name, "bolt M4");
    EXPECT_EQ(a.bodies[0].number, 4) << "numbers stay those of the whole file";
    ASSERT_EQ(a.notes.size(), 1u);
    EXPECT_NE(a.notes[0].find("nut*"), std::string::npos);
    EXPECT_NE(error_of(file, with({"nut*"}, {}, {})).find("no such body"), std::string::npos);
    EXPECT_NE(error_of(file, with({}, {}, {"*"})).find("leave no body"), std::string::npos);
    EXPECT_NE(error_of(file, with({}, {"class=wobbly"}, {})).find("classes are"), std::string::npos);
    Job job;
    job.plan.source = with({}, {}, {"class=bulk"});
    job.plan.source.file = file;
    run(job, Stage::read, Stage::survey);
    std::string left;
    for (const Body& b : job.solids.bodies) left += b.name + " ";
    EXPECT_EQ(left, "deck rail ");
    EXPECT_EQ(job.survey.bodies.size(), 2u);
}

// Messages tell bodies of one name apart, and plans take what they say.
TEST(Select, BodiesOfOneNameHaveLabels) {
    const Folder folder;
    const std::string file = (folder / "row.step").string();
    make::write_step(file,
                     {{"deck", box({0, 0, -10}, {300, 200, 5})}, {"foot", box({0, 0, -40}, {20, 20, 30.5})}, {"foot", box({200, 0, -40}, {20, 20, 30.5})}});
    Job job;
    job.plan.source.file = file;
    run(job, Stage::read, Stage::survey);
    ASSERT_EQ(job.solids.bodies.size(), 3u);
    EXPECT_EQ(job.solids.bodies[0].label, "deck");
    EXPECT_EQ(job.solids.bodies[1].label, "foot (body 2)");
    EXPECT_EQ(job.solids.bodies[2].label, "foot (body 3)");
    std::set<std::string> overlaps;
    for (const Finding& f : job.survey.findings)
        if (f.kind == FindingKind::overlap) overlaps.insert(f.about.substr(0, f.about.find(" overlap")));
    EXPECT_EQ(overlaps, (std::set<std::string>{"deck and foot (body 2)", "deck and foot (body 3)"}));
    SourceOptions one;
    one.body = {"foot (body 3)"};
    const Assembly a = read(file, one);
    ASSERT_EQ(a.bodies.size(), 1u);
    EXPECT_EQ(a.bodies[0].number, 3);
    EXPECT_EQ(a.bodies[0].label, "foot") << "alone it needs none";
    write_model(folder / "row.halvo", job);
    EXPECT_EQ(read_model(folder / "row.halvo").solids.bodies[2].label, "foot (body 3)");
}

TEST(Select, Wildcards) {
    EXPECT_TRUE(wildcard_match("*", ""));
    EXPECT_TRUE(wildcard_match("a*c*e", "abcde"));
    EXPECT_TRUE(wildcard_match("frame/*/bolt ?", "frame/left/bolt 3"));
    EXPECT_TRUE(wildcard_match("[!a-c]x", "dx"));
    EXPECT_FALSE(wildcard_match("[!a-c]x", "bx"));
    EXPECT_FALSE(wildcard_match("bolt", "bolts"));
    EXPECT_FALSE(wildcard_match("a?", "a"));
    EXPECT_TRUE(wildcard_match("a[", "a["));
}

TEST(BodyBlob, ABodyCrossesWhole) {
    // What goes through the pipe comes out the same: surfaces, curves, parameters, facets.
    const std::vector<make::Solid> parts = {wavy_panel(), make::ball({3, 4, 5}, 20), make::bent_sensor_arm()[0].solid, make::bracket()};
    for (const make::Solid& s : parts) {
        const Body a = solids_of({{"part", s}}).bodies[0];
        Body b = io::unpack_body(io::pack(a));
        ASSERT_EQ(b.faces.size(), a.faces.size());
        ASSERT_EQ(b.edges.size(), a.edges.size());
        ASSERT_EQ(b.facets.size(), a.facets.size());
        EXPECT_EQ(b.closed, a.closed);
        for (std::size_t i = 0; i < a.edges.size(); ++i) {
            EXPECT_EQ(b.edges[i].degenerate, a.edges[i].degenerate);
            EXPECT_EQ(b.edges[i].vertices, a.edges[i].vertices);
            if (!a.edges[i].degenerate) {
                EXPECT_EQ((b.edges[i].curve.middle() - a.edges[i].curve.middle()).norm(), 0);
            }
        }
        for (std::size_t i = 0; i < a.faces.size(); ++i) {
            EXPECT_EQ(b.faces[i].surface.index(), a.faces[i].surface.index());
            EXPECT_EQ(b.faces[i].reversed, a.faces[i].reversed);
            EXPECT_EQ(b.faces[i].loops.size(), a.faces[i].loops.size());
        }
        // Measured from the same coordinates: a's own figures were carried along from where the part was read.
        Body again = a;
        finish_body(again), finish_body(b);
        EXPECT_EQ(b.mass.volume, again.mass.volume);
        EXPECT_EQ(b.mass.area, again.mass.area);
    }
}

TEST(BodyBlob, DamagedBytesAreAnError) {
    const std::string bytes = io::pack(solids_of({{"part", make::bracket()}}).bodies[0]);
    for (std::size_t n : {std::size_t{0}, std::size_t{7}, bytes.size() / 3, bytes.size() - 1})
        EXPECT_THROW((void)io::unpack_body(bytes.substr(0, n)), Error) << n;
}

TEST(Bodies, MovedBodiesKeepTheirFiguresAndTheirTree) {
    for (const make::Solid& s : {wavy_panel(), make::bracket(), make::bent_sensor_arm()[0].solid}) {
        const Body a = solids_of({{"part", s}}).bodies[0];
        const Eigen::Isometry3d m = anywhere();
        Body b = moved(a, m);
        EXPECT_LT((b.mass.centre - m * a.mass.centre).norm(), 1e-9);
        const double volume = b.mass.volume, area = b.mass.area;
        finish_body(b);
        EXPECT_NEAR(b.mass.volume / volume, 1, 1e-9);
        EXPECT_NEAR(b.mass.area / area, 1, 1e-9);
        // A point of the skin and its normal go along.
        for (std::size_t i = 0; i < a.facets.size(); i += 1 + a.facets.size() / 40) {
            Vec3 p = Vec3::Zero();
            for (int c : a.facets[i].corners) p += a.points[static_cast<std::size_t>(c)] / 3;
            const SkinPoint q = a.on_skin(i, p), r = b.on_skin(i, m * p);
            EXPECT_LT((m * q.point - r.point).norm(), 1e-6);
            EXPECT_LT((m.linear() * q.normal - r.normal).norm(), 1e-6);
            EXPECT_LT((q.point - p).norm(), 0.3) << "facets stay near their surface";
        }
    }
}

TEST(Gzip, SeveralPiecesInOneFileAreOneStream) {
    const Folder folder;
    spit(folder / "a.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\n");
    spit(folder / "b.obj", "v 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n");
    gzip(folder / "a.obj", folder / "a.gz");
    gzip(folder / "b.obj", folder / "b.gz");
    spit(folder / "both.obj.gz", slurp(folder / "a.gz") + slurp(folder / "b.gz"));
    const Assembly a = read(folder / "both.obj.gz");
    ASSERT_EQ(a.bodies.size(), 1u);
    EXPECT_NEAR(a.bodies[0].mass.volume, 1.0 / 6, 1e-12);
}

TEST(PlanKeys, OfReadingAndSurvey) {
    Plan p;
    set_plan_value(p, "source.skip=[\"bolt*\", \"class=bulk\"]");
    set_plan_value(p, "source.only=deck");
    EXPECT_EQ(p.source.skip, (std::vector<std::string>{"bolt*", "class=bulk"}));
    EXPECT_EQ(p.source.only, std::vector<std::string>{"deck"});
    set_plan_value(p, "survey.near=0.5 inch");
    EXPECT_NEAR(p.survey.near, 12.7, 1e-12);
    EXPECT_NEAR(p.halve.survey.near, 12.7, 1e-12);
    EXPECT_THROW(set_plan_value(p, "survey.near=0"), Error);
    for (const auto& [key, value] : {std::pair{"survey.tiny", &SurveyOptions::tiny},
                                     {"survey.narrow", &SurveyOptions::narrow},
                                     {"strip.holes", &SurveyOptions::holes},
                                     {"strip.rounds", &SurveyOptions::rounds},
                                     {"strip.raised", &SurveyOptions::raised}}) {
        set_plan_value(p, std::string(key) + "=0.5 inch");
        EXPECT_NEAR((p.survey.*value).value(), 12.7, 1e-12) << key;
        EXPECT_NEAR((p.halve.survey.*value).value(), 12.7, 1e-12) << key;
        EXPECT_THROW(set_plan_value(p, std::string(key) + "=0"), Error) << key;
    }
}
