// Plans: units, overrides, and errors with file and line.
#include "support.hpp"

#include <gtest/gtest.h>

using namespace test;

namespace {

Plan plan_of(const std::string& text) {
    const Folder folder;
    spit(folder / "plan.toml", text);
    return read_plan(folder / "plan.toml");
}

void expect_error(const std::string& text, int line, const std::string& part) {
    try {
        (void)plan_of(text);
        FAIL() << "accepted: " << text;
    } catch (const Error& e) {
        const std::string what = e.what();
        EXPECT_NE(what.find("plan.toml:" + std::to_string(line) + ":"), std::string::npos) << what;
        EXPECT_NE(what.find(part), std::string::npos) << what;
        EXPECT_EQ(what.find('\n'), std::string::npos);
        EXPECT_EQ(e.kind(), ErrorKind::input);
    }
}

const std::string source = "[source]\nfile = \"part.step\"\n";

}  // namespace

TEST(PlanFile, QuantitiesTakeUnits) {
    const Plan p = plan_of(source +
                           "[join]\nreach = \"0.05 inch\"\n[mesh]\nsize = \"2 cm\"\nlargest = 45\n[survey]\nthickest = \"0.01 m\"\n[halve]\ndraft = \"5 "
                           "degree\"\n[prove]\nvolume = \"2 %\"\n");
    EXPECT_NEAR(p.join.reach, 1.27, 1e-12);
    EXPECT_NEAR(p.mesh.size.value(), 20, 1e-12);
    EXPECT_NEAR(p.mesh.largest.value(), 45, 1e-12);
    EXPECT_NEAR(p.halve.survey.thickest, 10, 1e-12);
    EXPECT_NEAR(p.halve.draft, 5 * pi / 180, 1e-12);
    EXPECT_NEAR(p.prove.volume, 0.02, 1e-12);
}

TEST(PlanFile, SourceIsNamedFromThePlan) {
    const Plan p = plan_of(source);
    EXPECT_EQ(fs::path(p.source.file).filename(), "part.step");
    EXPECT_TRUE(fs::path(p.source.file).is_absolute());
}

TEST(PlanFile, BodiesAndKeysAreLists) {
    const Plan p = plan_of("[source]\nfile = \"part.step\"\nbody = [2, \"mast\"]\n[halve]\nslender = \"shells\"\nrefuse = \"wall-abc234\"\n");
    ASSERT_EQ(p.source.body.size(), 2u);
    EXPECT_EQ(p.source.body[0], "2");
    EXPECT_EQ(p.halve.slender, SlenderAs::shells);
    ASSERT_EQ(p.halve.refuse.size(), 1u);
}

TEST(PlanFile, ErrorsNameFileLineAndRemedy) {
    expect_error(source + "[join]\nreech = \"1 mm\"\n", 4, "join.reach");
    expect_error(source + "[jion]\nreach = \"1 mm\"\n", 4, "join.reach");
    expect_error(source + "[join]\nreach = \"1 kg\"\n", 4, "cannot be given in mm");
    expect_error(source + "[join]\nreach = \"1 frobs\"\n", 4, "no unit");
    expect_error(source + "[join]\nreach = \"wide\"\n", 4, "no number");
    expect_error(source + "[join]\nreach = true\n", 4, "length");
    expect_error(source + "[join]\nreach = -1\n", 4, "0 or more");
    expect_error(source + "[mesh]\nsize = 0\n", 4, "more than 0");
    expect_error(source + "[mesh]\nsize = \"nan mm\"\n", 4, "no number");
    expect_error(source + "[halve]\nslender = \"cables\"\n", 4, "\"beams\", \"shells\"");
    expect_error(source + "[halve]\nslender = 3\n", 4, "text");
    expect_error(source + "[prove]\nvolume = 3\n", 4, "share");
    expect_error(source + "[join\nreach = 1\n", 3, "TOML");
    expect_error("mesh = 5\n" + source, 1, "unknown key mesh");
    expect_error("[source]\nfile = 7\n", 2, "text");
}

TEST(PlanFile, MissingSourceAndMissingFile) {
    EXPECT_THROW((void)plan_of("[mesh]\nsize = 5\n"), Error);
    EXPECT_THROW((void)read_plan("/nowhere/plan.toml"), Error);
}

TEST(PlanFile, CommandLineOverrides) {
    Plan p;
    set_plan_value(p, "join.reach=2mm");
    EXPECT_NEAR(p.join.reach, 2, 1e-12);
    set_plan_value(p, "join.reach=\"0.1 inch\"");
    EXPECT_NEAR(p.join.reach, 2.54, 1e-12);
    set_plan_value(p, "halve.slender=shells");
    EXPECT_EQ(p.halve.slender, SlenderAs::shells);
    set_plan_value(p, "source.body=[1, 3]");
    EXPECT_EQ(p.source.body.size(), 2u);
    for (const char* bad : {"join.reach", "=3", "join.rech=3", "join.reach=3 kg", "mesh.size=0"}) {
        try {
            set_plan_value(p, bad);
            ADD_FAILURE() << bad;
        } catch (const Error& e) {
            EXPECT_EQ(e.kind(), ErrorKind::usage) << bad;
        }
    }
}

TEST(PlanFile, WallsByHand) {
    const Plan p =
        plan_of(source +
                "[[wall]]\nbody = \"duct\"\nfaces = [3, 7]\n[[wall]]\npoints = [0, \"1 cm\", 3]\nthickness = 2\noffset = \"-1 mm\"\n"
                "[[wall]]\nwithin = [[0, 0, 0], [100, -50, 20]]\nreference = \"outer\"\nmethod = \"fitted\"\n[[wall]]\nid = \"wall-a\"\nrefuse = true\n");
    ASSERT_EQ(p.halve.walls.size(), 4u);
    EXPECT_TRUE(p.halve.walls[0].pair());
    EXPECT_EQ(p.halve.walls[0].faces, (std::vector<int>{3, 7}));
    EXPECT_TRUE(p.halve.walls[1].face_alone());
    EXPECT_EQ(p.halve.walls[1].points.at(0), Vec3(0, 10, 3));
    EXPECT_EQ(p.halve.walls[1].offset, -1.0);
    EXPECT_EQ(p.halve.walls[2].within->min(), Vec3(0, -50, 0));
    EXPECT_EQ(p.halve.walls[2].reference, Reference::outer);
    EXPECT_EQ(p.halve.walls[2].method, MidMethod::fitted);
    EXPECT_TRUE(p.halve.walls[3].refuse);
}

TEST(PlanFile, WallsByHandThatMakeNoSense) {
    expect_error(source + "[wall]\nfaces = [1, 2]\n", 3, "[[wall]]");
    expect_error(source + "[[wall]]\nfaces = [1, 2]\nthicknes = 3\n", 5, "wall.thickness");
    expect_error(source + "[[wall]]\nbody = \"a\"\n", 3, "nothing to do");
    expect_error(source + "[[wall]]\nfaces = [1, 2, 3]\n", 3, "two that are opposed");
    expect_error(source + "[[wall]]\nfaces = [1, 2]\nthickness = 3\n", 3, "one face taken alone");
    expect_error(source + "[[wall]]\nfaces = [0, 2]\n", 4, "whole number");
    expect_error(source + "[[wall]]\npoints = [[0, 0], [1, 1, 1]]\n", 4, "must be points");
    expect_error(source + "[[wall]]\nfaces = 1\nthickness = 2\noffset = \"3 kg\"\n", 6, "kg");
    expect_error(source + "[[wall]]\nfaces = [1, 2]\nrefuse = \"yes\"\n", 5, "true or false");
    Plan p;
    EXPECT_THROW(set_plan_value(p, "wall.refuse=true"), Error);
}

TEST(PlanFile, JointsByRule) {
    const Plan p =
        plan_of(source +
                "[join]\nmembers = \"meet\"\noverhang = \"2 cm\"\nalong = \"link\"\nbulk = \"named\"\n[[joint]]\nbetween = \"web\"\nand = [\"fl*\", \"7\"]\n"
                "reach = \"3 mm\"\n[[joint]]\nid = \"joint-a\"\nrefuse = true\n");
    EXPECT_EQ(p.join.members, MembersMeet::meet);
    EXPECT_EQ(p.join.along, AlongSheet::link);
    EXPECT_EQ(p.join.bulk, BulkAs::named);
    EXPECT_NEAR(p.join.overhang.value(), 20, 1e-12);
    ASSERT_EQ(p.join.joints.size(), 2u);
    EXPECT_EQ(p.join.joints[0].between[1].size(), 2u);
    EXPECT_EQ(p.join.joints[0].reach, 3.0);
    EXPECT_TRUE(p.join.joints[1].refuse);
    const Plan kinds = plan_of(source +
                               "[join]\nalong = \"flush\"\n[[joint]]\nid = \"joint-a\"\nedges = \"tie\"\nalong = \"offset\"\nmembers = \"meet\"\n"
                               "[[joint]]\nedge = [[1, 2, 3]]\nto = [[4, 5, 6]]\nstrip = \"tangent\"\n");
    EXPECT_EQ(kinds.join.along, AlongSheet::flush);
    EXPECT_EQ(kinds.join.joints[0].edges, EdgesAs::tie);
    EXPECT_EQ(kinds.join.joints[0].along, AlongSheet::offset);
    EXPECT_EQ(kinds.join.joints[0].members, MembersMeet::meet);
    EXPECT_EQ(kinds.join.joints[1].strip, StripAs::tangent);
    expect_error(source + "[[joint]]\nbetween = \"a\"\n", 3, "nothing to do");
    expect_error(source + "[[joint]]\nid = \"a\"\nreach = 3\n", 3, "with bodies");
}

TEST(PlanFile, MeshKeysLimitsAndSizes) {
    const Plan p = plan_of(
        source +
        "[mesh]\nangle = 15\nchord = \"0.1 mm\"\nacross = 3\nrings = 2\nring_width = \"3 mm\"\naround = 12\nalong_member = 4\n[mesh.limits]\naspect = 6\n"
        "warpage = 10\n[[size]]\nbody = \"rib*\"\nsize = \"5 mm\"\n[halve]\nbulk = \"named\"\n[prove]\nstrict = true\n");
    EXPECT_NEAR(p.mesh.angle.value(), 15 * pi / 180, 1e-12);
    EXPECT_EQ(p.mesh.across, 3);
    EXPECT_EQ(p.mesh.rings, 2);
    EXPECT_EQ(p.mesh.around, 12);
    EXPECT_EQ(p.mesh.along_member, 4);
    EXPECT_EQ(p.mesh.limits.aspect, 6);
    EXPECT_EQ(p.mesh.limits.warpage, 10);
    ASSERT_EQ(p.mesh.sizes.size(), 1u);
    EXPECT_EQ(p.mesh.sizes[0].size, 5);
    EXPECT_EQ(p.halve.bulk, BulkAs::named);
    EXPECT_TRUE(p.prove.strict);
    expect_error(source + "[mesh.limits]\naspekt = 6\n", 4, "mesh.limits.aspect");
    expect_error(source + "[mesh]\nrings = 1.5\n", 4, "whole number");
    expect_error(source + "[[size]]\nbody = \"a\"\n", 3, "size.size");
    Plan q;
    set_plan_value(q, "mesh.limits.skew=50");
    EXPECT_EQ(q.mesh.limits.skew, 50);
    EXPECT_THROW(set_plan_value(q, "mesh.rings=0"), Error);
}
