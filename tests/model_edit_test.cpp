// A model that is changed loses nothing: places, meeting members, section offsets; what must hold is named where it does not.
#include "structures.hpp"
#include "support.hpp"

#include <halvo/halve.hpp>
#include <halvo/join.hpp>

using namespace test;
using make::box;

namespace {

bool has_node_at(const Mesh& mesh, const Vec3& p) {
    return std::ranges::any_of(mesh.nodes, [&](const Vec3& n) { return (n - p).norm() < 1e-6; });
}

Section square_bar(double side) {
    const double h = 0.5 * side;
    std::vector<Curve> loop;
    const Vec3 corners[] = {{-h, -h, 0}, {h, -h, 0}, {h, h, 0}, {-h, h, 0}};
    for (int k = 0; k < 4; ++k) loop.push_back(Curve::segment(corners[k], corners[(k + 1) % 4]));
    return section_of_profile({loop});
}

}  // namespace

TEST(ModelEdit, PlacesStayWhenTheModelIsWrittenAgain) {
    // Two plates in one plane become one sheet: all curves are split a second time.
    Plan plan;
    plan.join.coplanar = CoplanarAs::one_sheet;
    plan.join.points = {{137.3, 41.9, 2}, {200, 33.3, 2}, {400, 71.7, 2}};
    plan.mesh.size = 20;
    const Job job = job_of({{"left", box({0, 0, 0}, {200, 100, 4})}, {"right", box({200, 0, 0}, {200, 100, 4})}, {"rib", box({50, 0, 4}, {4, 100, 40})}}, plan);
    ASSERT_EQ(job.model.places.size(), 3u);
    for (std::size_t k = 0; k < 3; ++k) {
        const Vec3 p = plan.join.points[k] - job.solids.shift;
        EXPECT_LT((job.model.vertices[job.model.places[k].index()].point - p).norm(), 1e-6);
        EXPECT_TRUE(has_node_at(job.mesh, p)) << k;
    }
    // And when it is joined once more.
    Model again = job.model;
    join(again, job.solids, plan.join);
    expect_valid(again, "join");
    EXPECT_EQ(again.places.size(), 3u);
    EXPECT_EQ(again.bodies.size(), 3u);
}

TEST(ModelEdit, MembersMeetAtTheVertexThatASheetHolds) {
    // The post that misses comes first, so that its vertex has the lower number.
    Model m;
    m.tolerance = Tolerance::for_size(1000);
    add_member(m, {0.3, 0, 0}, {500, 0, 300}, square_bar(10), Vec3::UnitY());
    add_plate(m, {{0, 0, 0}, {-200, 0, 0}, {-200, 150, 0}, {0, 150, 0}}, 3);
    add_member(m, {0, 0, 0}, {0, 0, -400}, square_bar(10), Vec3::UnitY());
    JoinOptions o;
    o.members = MembersMeet::meet, o.reach = 0.5;
    join(m, o);
    expect_valid(m, "join");
    EXPECT_EQ(connected_parts(m).count, 1);
    MeshOptions size;
    size.size = 25;
    const Mesh meshed = mesh(m, size);
    EXPECT_EQ(meshed.parts, 1);
    EXPECT_EQ(meshed.links, 0);
}

TEST(ModelEdit, SectionOffsetsAreThoseOfTheMeshInTheModelFile) {
    // A bar along a plate that the plan makes thicker: its section moves out with the skin.
    Plan plan;
    plan.mesh.size = 25;
    SizeRule thicker;
    thicker.body = {"deck"}, thicker.size = 10;
    plan.mesh.thicknesses = {thicker};
    const Job job = job_of({{"deck", box({0, 0, 0}, {600, 200, 4})}, bar("bar", {0, 100, 24}, {600, 100, 24}, 40, 40, 3, Vec3::UnitZ())}, plan);
    const Folder folder;
    write_model(folder / "a.halvo", job);
    const Job back = read_model(folder / "a.halvo");
    ASSERT_EQ(job.mesh.elements.size(), back.mesh.elements.size());
    int beams = 0;
    for (std::size_t i = 0; i < job.mesh.elements.size(); ++i) {
        const Element &a = job.mesh.elements[i], &b = back.mesh.elements[i];
        EXPECT_EQ(a.section_offset, b.section_offset);
        if (a.kind != ElementKind::beam) continue;
        ++beams;
        EXPECT_NEAR(a.section_offset.norm(), 20 + 5, 1e-9);
    }
    EXPECT_GT(beams, 10);
}

TEST(ModelEdit, ValidateNamesWhatDoesNotHold) {
    Model m;
    m.tolerance = Tolerance::for_size(1000);
    add_plate(m, {{0, 0, 0}, {100, 0, 0}, {100, 50, 0}, {0, 50, 0}}, 2);
    add_member(m, {0, 0, 20}, {100, 0, 20}, square_bar(10), Vec3::UnitY());
    ASSERT_TRUE(validate(m).empty());
    const auto kind_of = [](const Model& broken) {
        const auto found = validate(broken);
        return found.empty() ? std::string("none") : std::string(violation_name(found[0].kind));
    };
    Model b = m;
    b.ties.push_back({{EdgeId(0)}, SheetId(7)});
    EXPECT_EQ(kind_of(b), "dangling id");
    b = m;
    b.sheets[0].regions[0].loops[0].pop_back();
    EXPECT_EQ(kind_of(b), "open loop");
    b = m;
    b.vertices[0].point.x() += 1;
    EXPECT_EQ(kind_of(b), "edge off its vertex");
    b = m;
    b.members[0].chain.push_back(b.members[0].chain[0]);
    EXPECT_EQ(kind_of(b), "broken member");
    b = m;
    add_plate(b, {{0, 0, 0}, {0, 50, 0}, {0, 50, 70}, {0, 0, 70}}, 2);
    for (Sheet& s : b.sheets) s.body = BodyId(0);
    EXPECT_EQ(kind_of(b), "vertices at one place");
    join(b);
    EXPECT_EQ(kind_of(b), "none");
}
