// STEP read straight from its entities: the same bodies as the CAD kernel makes of a file, closed forms where it cannot read one in
// reasonable time, and texts as the standard allows them.
#include "curved_parts.hpp"
#include "scenes.hpp"
#include "spoilt.hpp"
#include "step_text.hpp"

#include "io/bytes.hpp"
#include "io/reader_process.hpp"
#include "io/step_products.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <fstream>
#include <set>

using namespace test;
using make::box;

namespace {

using Point = std::array<double, 3>;

Point exact(const Vec3& p) {
    return {p.x(), p.y(), p.z()};
}

void expect_same_body(const Body& own, const Body& kernel) {
    EXPECT_NEAR(own.mass.volume / kernel.mass.volume, 1, 1e-6);
    EXPECT_NEAR(own.mass.area / kernel.mass.area, 1, 4e-6);  // blades twisted by splines differ by 2.6e-6; all else by less than 1e-6
    EXPECT_EQ(own.faces.size(), kernel.faces.size());
    EXPECT_EQ(own.edges.size(), kernel.edges.size());
    EXPECT_EQ(own.vertices.size(), kernel.vertices.size());
    EXPECT_EQ(own.closed, kernel.closed);
    std::multiset<std::string> a, b;
    for (const Face& f : own.faces) a.insert(surface_name(f.surface));
    for (const Face& f : kernel.faces) b.insert(surface_name(f.surface));
    EXPECT_EQ(a, b);
}

// Every side of a facet is that of one more, the other way round, to the last digit; but for those of no length, at poles.
void expect_no_gaps(const Body& b) {
    if (!b.closed) return;
    std::map<std::pair<Point, Point>, int> sides;
    for (const Facet& f : b.facets)
        for (std::size_t k = 0; k < 3; ++k) {
            const Point p = exact(b.points[static_cast<std::size_t>(f.corners[k])]), q = exact(b.points[static_cast<std::size_t>(f.corners[(k + 1) % 3])]);
            if (p != q) ++sides[{p, q}];
        }
    std::size_t open = 0;
    for (const auto& [side, n] : sides) {
        const auto other = sides.find({side.second, side.first});
        open += other == sides.end() || other->second != n ? 1 : 0;
    }
    EXPECT_EQ(open, 0U) << b.name;
}

void expect_both_ways(const fs::path& file) {
    SCOPED_TRACE(file.string());
    const auto bytes = io::load(file);
    io::KernelFile own;
    try {
        own = io::read_step(bytes.data, {});
    } catch (const io::NotUnderstood& e) {
        FAIL() << "not understood: " << e.what();
    }
    io::KernelFile kernel = io::read_in_process(file, io::FileKind::step, file.string(), bytes.data.size(), {});
    EXPECT_EQ(own.tree.unit, kernel.tree.unit);
    ASSERT_EQ(own.tree.instances.size(), kernel.tree.instances.size());
    ASSERT_EQ(own.parts.size(), kernel.parts.size());
    const bool spoilt = file.filename().string().starts_with("spoilt");  // its faces do not meet in the file either
    for (Body& b : own.parts) {
        if (!spoilt) expect_no_gaps(b);
        finish_body(b);
    }
    for (Body& b : kernel.parts) finish_body(b);
    for (std::size_t i = 0; i < own.tree.instances.size(); ++i) {
        const io::Instance &p = own.tree.instances[i], &q = kernel.tree.instances[i];
        SCOPED_TRACE(p.name);
        EXPECT_EQ(p.name, q.name);
        EXPECT_EQ(p.path, q.path);
        EXPECT_EQ(p.layer, q.layer);
        for (std::size_t k = 0; k < 3; ++k) EXPECT_NEAR(p.colour[k], q.colour[k], 1e-3);
        EXPECT_TRUE(p.place.isApprox(q.place, 1e-9));
        expect_same_body(own.parts[static_cast<std::size_t>(p.part)], kernel.parts[static_cast<std::size_t>(q.part)]);
    }
}

Assembly assembly_of(const std::string& text) {
    const Folder folder;
    std::ofstream(folder / "a.step") << text;
    return read(folder / "a.step");
}

void expect_perforated(const Assembly& a, int n) {
    ASSERT_EQ(a.bodies.size(), 1U);
    const double w = 10.0 * n, bores = n * n;
    EXPECT_NEAR(a.bodies[0].mass.volume / (2 * (w * w - bores * pi * 9)), 1, 1e-9);
    EXPECT_NEAR(a.bodies[0].mass.area / (2 * (w * w - bores * pi * 9) + 8 * w + bores * 12 * pi), 1, 1e-9);
    EXPECT_TRUE(a.bodies[0].closed);
    EXPECT_EQ(a.bodies[0].faces.size(), static_cast<std::size_t>(n * n + 6));
    EXPECT_TRUE(a.notes.empty()) << a.notes[0];
    expect_no_gaps(a.bodies[0]);
}

}  // namespace

TEST(StepBothWays, DemoFiles) {
    for (const auto& f : fs::directory_iterator(fs::path(HALVO_SOURCE) / "demo"))
        if (f.path().extension() == ".step") expect_both_ways(f.path());
}

TEST(StepBothWays, Structures) {
    const Folder folder;
    for (const char* name : {"blades", "coped frame", "vessel", "transition", "wheel", "hood", "bolted lap", "gussets"})
        for (const char* unit : {"MM", "INCH"}) {
            make::write_step((folder / "a.step").string(), scene(name).items, unit);
            SCOPED_TRACE(name);
            expect_both_ways(folder / "a.step");
        }
}

TEST(StepBothWays, CurvedPartsAnywhere) {
    const Folder folder;
    for (const CurvedPart& p : curved_parts()) {
        if (p.name == "ribs on a cone" || p.name == "ring tube") continue;  // a hyperbola, a torus bounded by a point: the kernel's still
        SCOPED_TRACE(p.name);
        make::write_step((folder / "a.step").string(), {{p.name, make::moved(p.solid(), anywhere())}}, "M", "AP242DIS");
        expect_both_ways(folder / "a.step");
    }
}

TEST(StepBothWays, SplinesAndPartsInManyPlaces) {
    const Folder folder;
    make::write_step((folder / "a.step").string(), {{"prism", make::as_splines(make::extrude(make::rectangular_tube(60, 40, 3, 8), 200))}});
    expect_both_ways(folder / "a.step");
    std::vector<Eigen::Isometry3d> places;
    for (int i = 0; i < 5; ++i)
        places.push_back(Eigen::Translation3d(200.0 * i, -30, 7) * Eigen::Isometry3d(Eigen::AngleAxisd(0.7 * i, Vec3(1, 2, -1).normalized())));
    make::write_step_assembly((folder / "b.step").string(), "frame", {"bracket", make::box({0, 0, 0}, {30, 20, 2})}, places);
    expect_both_ways(folder / "b.step");
}

TEST(StepEntities, BoresWithAndWithoutSeams) {
    for (const make::Bores kind : {make::Bores::with_seam, make::Bores::no_seam, make::Bores::turned}) {
        SCOPED_TRACE(static_cast<int>(kind));
        const Assembly a = assembly_of(make::perforated(4, kind));
        expect_perforated(a, 4);
        // 12 of the plate, two circles and a seam for each bore; a circle in two pieces where its own start is not the seam's.
        EXPECT_EQ(a.bodies[0].edges.size(), static_cast<std::size_t>(12 + 16 * (kind == make::Bores::turned ? 4 : 3)));
    }
}

TEST(StepEntities, AFaceOfThousandsOfLoops) {
    expect_perforated(assembly_of(make::perforated(45, make::Bores::with_seam)), 45);
}

TEST(StepEntities, BallsAreWhole) {
    const Assembly a = solids_of({{"ball", make::ball({3, 4, 5}, 20)}});
    EXPECT_TRUE(a.notes.empty());
    EXPECT_NEAR(a.bodies[0].mass.volume / (4.0 / 3 * pi * 8000), 1, 1e-9);
    EXPECT_NEAR(a.bodies[0].mass.area / (4 * pi * 400), 1, 1e-9);
    expect_no_gaps(a.bodies[0]);
}

TEST(StepText, CommentsSpacesAndFarNumbersChangeNothing) {
    const std::string plain = make::perforated(2, make::Bores::with_seam);
    std::string odd;
    for (std::size_t i = 0; i < plain.size(); ++i) {
        const bool data = i > plain.find("DATA;");
        if (data && plain[i] == ',') odd += " /* a comment; with '#1=' in it */\n ,\t";
        else if (data && plain[i] == '#') odd += "#90000000";
        else odd += plain[i];
    }
    const Assembly a = assembly_of(plain), b = assembly_of(odd);
    EXPECT_TRUE(b.notes.empty()) << b.notes[0];
    EXPECT_EQ(a.bodies[0].mass.volume, b.bodies[0].mass.volume);
    EXPECT_EQ(a.bodies[0].edges.size(), b.bodies[0].edges.size());
}

TEST(StepText, NamesAreDecoded) {
    const std::vector<std::pair<std::string, std::string>> names{{"it''s", "it's"},
                                                                 {"Tr\\X2\\00E4\\X0\\ger", "Tr\xC3\xA4ger"},
                                                                 {"Tr\\X\\E4ger", "Tr\xC3\xA4ger"},
                                                                 {"Tr\\S\\dger", "Tr\xC3\xA4ger"},
                                                                 {"a\\\\b", "a\\b"},
                                                                 {"\\X4\\0001F600\\X0\\", "\xF0\x9F\x98\x80"},
                                                                 {"a;b", "a;b"}};
    for (const auto& [written, read] : names) EXPECT_EQ(assembly_of(make::perforated(1, make::Bores::with_seam, written)).bodies[0].name, read) << written;
}

TEST(StepText, WhatIsNotUnderstoodIsReadByTheKernelWithANote) {
    const Assembly a = assembly_of(make::perforated(2, make::Bores::with_seam, "sheet", ",#1"));
    EXPECT_TRUE(a.notes.empty());  // a point beside the solid is nothing
    std::string text = make::perforated(2, make::Bores::with_seam, "sheet", ",#99999");
    text.insert(text.find("ENDSEC;\nEND-"), "#99999=GEOMETRIC_CURVE_SET('',(#1));\n");
    const Assembly b = assembly_of(text);
    ASSERT_EQ(b.notes.size(), 1U);
    EXPECT_NE(b.notes[0].find("GEOMETRIC_CURVE_SET"), std::string::npos) << b.notes[0];
    EXPECT_NEAR(b.bodies[0].mass.volume, a.bodies[0].mass.volume, 1e-9 * a.bodies[0].mass.volume);
}
