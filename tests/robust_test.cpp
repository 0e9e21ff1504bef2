// Damaged files of every kind: one clear line or a named finding, never a crash, a hang or memory without end.
#include "site_parts.hpp"
#include "support.hpp"

#include "io/facet_file.hpp"
#include "io/reader_process.hpp"

#include <fmt/format.h>

#include <chrono>
#include <random>

using namespace test;
using make::box;

namespace {

// What reading a file came to: "" when it was read, else the line that says why not.
std::string outcome(const fs::path& file) {
    try {
        const Assembly a = read(file);
        (void)survey(a);
        return "";
    } catch (const Error& e) {
        EXPECT_EQ(e.kind(), ErrorKind::input) << e.what();
        EXPECT_EQ(std::string(e.what()).find('\n'), std::string::npos) << e.what();
        EXPECT_GT(std::string(e.what()).size(), 20u);
        return e.what();
    }
}

struct Sample {
    std::string name, bytes;
};

std::vector<Sample> samples() {
    const Folder folder;
    const auto part = make::cut(box({0, 0, 0}, {40, 30, 3}), {make::cylinder({20, 15, -5}, Vec3::UnitZ(), 6, 20)});
    make::write_step((folder / "p.step").string(), {{"plate", part}});
    make::write_iges((folder / "p.igs").string(), {{"plate", part}}, true);
    const make::Facets f = make::scan(read(folder / "p.step").bodies[0], 8, 0);
    make::write_stl((folder / "b.stl").string(), {f}, true);
    make::write_stl((folder / "t.stl").string(), {f}, false);
    make::write_obj((folder / "p.obj").string(), {f});
    make::write_ply((folder / "a.ply").string(), f, "ascii");
    make::write_ply((folder / "l.ply").string(), f, "binary_little_endian");
    std::vector<Sample> out;
    for (const char* n : {"p.step", "p.igs", "b.stl", "t.stl", "p.obj", "a.ply", "l.ply"}) out.push_back({n, slurp(folder / n)});
    return out;
}

}  // namespace

TEST(Damaged, CutAnywhereIsAnErrorOrAFinding) {
    const Folder folder;
    for (const Sample& s : samples()) {
        int refused = 0;
        for (int i = 0; i < 100; ++i) {
            spit(folder / s.name, s.bytes.substr(0, s.bytes.size() * static_cast<std::size_t>(i) / 100));
            refused += !outcome(folder / s.name).empty();
        }
        // Text formats of loose records have no end mark: what is there is read, and what is missing shows as an open body.
        EXPECT_GE(refused, s.name == "p.obj" ? 1 : 95) << s.name;
    }
}

TEST(Damaged, CutObjFilesShowAsOpenBodies) {
    const Folder folder;
    const auto all = samples();
    const auto obj = std::find_if(all.begin(), all.end(), [](const Sample& s) { return s.name == "p.obj"; });
    const std::size_t end = obj->bytes.rfind("\nf ", obj->bytes.size() - 40);
    spit(folder / "p.obj", obj->bytes.substr(0, end + 1));
    const Survey s = survey(read(folder / "p.obj"));
    EXPECT_TRUE(std::any_of(s.findings.begin(), s.findings.end(), [](const Finding& f) { return f.kind == FindingKind::open_body; }));
}

class Flipped : public testing::TestWithParam<std::string> {};

TEST_P(Flipped, BitsNeverCrashHangOrEatMemory) {
    const Folder folder;
    const auto all = samples();
    const auto s = *std::find_if(all.begin(), all.end(), [](const Sample& k) { return k.name == GetParam(); });
    std::mt19937 random(4711);
    const auto start = std::chrono::steady_clock::now();
    const int rounds = s.name == "p.step" || s.name == "p.igs" ? 150 : 200;
    for (int i = 0; i < rounds; ++i) {
        std::string bytes = s.bytes;
        for (unsigned k = 0; k <= random() % 4; ++k) bytes[random() % bytes.size()] ^= static_cast<char>(1U << (random() % 8));
        spit(folder / s.name, bytes);
        (void)outcome(folder / s.name);
    }
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    EXPECT_LT(seconds, 240) << s.name;
}

INSTANTIATE_TEST_SUITE_P(Kinds, Flipped, testing::Values("p.step", "p.igs", "b.stl", "t.stl", "p.obj", "a.ply", "l.ply"), [](const auto& i) {
    std::string n = i.param;
    std::replace(n.begin(), n.end(), '.', '_');
    return n;
});

TEST(Damaged, NumbersBeyondAllSizeAndNotANumber) {
    const Folder folder;
    for (const char* bad : {"nan", "inf", "-inf", "1e400", "1e300", "1e13"}) {
        spit(folder / "x.stl",
             fmt::format("solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 {}\nendloop\nendfacet\nendsolid x\n", bad));
        EXPECT_NE(outcome(folder / "x.stl"), "") << bad;
        spit(folder / "x.obj", fmt::format("v 0 0 0\nv 1 0 0\nv 0 1 {}\nf 1 2 3\n", bad));
        EXPECT_NE(outcome(folder / "x.obj"), "") << bad;
        spit(folder / "x.ply", fmt::format("ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\n"
                                           "property list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 {}\n3 0 1 2\n",
                                           bad));
        EXPECT_NE(outcome(folder / "x.ply"), "") << bad;
    }
}

TEST(Damaged, AnnouncedSizesAreNotBelieved) {
    const Folder folder;
    spit(folder / "x.ply",
         "ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty float x\nproperty float y\nproperty float z\nend_header\n");
    EXPECT_NE(outcome(folder / "x.ply").find("announces more than the file can hold"), std::string::npos);
    std::string stl(84, '\0');
    stl[80] = stl[81] = stl[82] = stl[83] = '\x7f';
    spit(folder / "x.stl", stl + std::string(50, '\0'));
    EXPECT_NE(outcome(folder / "x.stl").find("ends early"), std::string::npos);
    spit(folder / "x.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n");
    EXPECT_NE(outcome(folder / "x.obj").find("corner 9 does not exist"), std::string::npos);
}

TEST(Damaged, MissingReferencesInStep) {
    const Folder folder;
    const auto all = samples();
    // Each line of data left out once: the file is whole but some reference leads nowhere.
    std::vector<std::string> lines;
    std::string rest = all[0].bytes;
    for (std::size_t at = 0; (at = rest.find(";\n")) != std::string::npos;) lines.push_back(rest.substr(0, at + 2)), rest.erase(0, at + 2);
    int refused = 0, tried = 0;
    for (std::size_t skip = 8; skip + 2 < lines.size(); skip += std::max<std::size_t>(1, lines.size() / 60)) {
        std::string text;
        for (std::size_t i = 0; i < lines.size(); ++i)
            if (i != skip) text += lines[i];
        spit(folder / "x.step", text + rest);
        ++tried;
        refused += !outcome(folder / "x.step").empty();
    }
    EXPECT_GT(tried, 40);
    EXPECT_GT(refused, 0);
}

TEST(Damaged, ALoopInTheProductTreeOrAHangEndsInTime) {
    // A request to stop reaches a reader that is busy.
    const Folder folder;
    std::vector<make::Item> items;
    for (int i = 0; i < 60; ++i)
        items.push_back({fmt::format("tube {}", i), make::moved(make::extrude(make::rectangular_tube(40, 40, 3, 6), 900), make::place({60.0 * i, 0, 0}))});
    make::write_step((folder / "many.step").string(), items);
    const auto start = std::chrono::steady_clock::now();
    Observer stop;
    int asked = 0;
    stop.cancelled = [&] { return ++asked > 4; };
    EXPECT_THROW((void)read(folder / "many.step", {}, stop), Error);
    EXPECT_LT(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count(), 2);
}

TEST(Damaged, CommandSaysOneLineAndLeavesNothing) {
    const Folder folder;
    const auto all = samples();
    for (const Sample& s : all) {
        spit(folder / s.name, s.bytes.substr(0, s.bytes.size() / 2));
        if (s.name == "p.obj") continue;
        const Ran r = halvo_command("run '" + (folder / s.name).string() + "' --quiet --out '" + (folder / "out").string() + "'");
        EXPECT_EQ(r.code, 3) << s.name;
        EXPECT_EQ(std::count(r.err.begin(), r.err.end(), '\n'), 1) << r.err;
        EXPECT_FALSE(fs::exists(folder / "out"));
    }
}
