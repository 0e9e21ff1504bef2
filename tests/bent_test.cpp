// Members bent along arcs: recognised, joined and meshed along their curve.
#include "structures.hpp"

#include <gtest/gtest.h>

using namespace test;
using make::box;

namespace {

constexpr double quarter = pi / 2;

const Member& only_member(const Job& j) {
    if (j.model.members.size() != 1) throw std::runtime_error("not one member");
    return j.model.members[0];
}

struct BentCase {
    std::string name;
    std::vector<std::vector<Curve>> profile;
    std::vector<Move> moves;
    std::string shape;
};

// Arc lengths are those at the profile's centroid: all these profiles have it at their origin.
const std::vector<BentCase>& cases() {
    static const std::vector<BentCase> all = {
        {"round bar hook", {make::circle(8)}, {{200}, {0, 40, pi}, {60}}, "round"},
        {"tube in space", make::tube(33.7, 2.6), {{300}, {0, 100, quarter}, {250}, {0, 80, pi / 3, quarter}, {150}}, "tube"},
        {"square tube", make::rectangular_tube(40, 40, 3, 6), {{300}, {0, 120, quarter}, {300}}, "rectangular tube"},
        {"flat side tube", make::rectangular_tube(60, 30, 3, 0), {{400}, {0, 150, pi / 3, quarter}, {500}}, "rectangular tube"},
        {"hoop of tube", make::tube(48.3, 3.2), {{0, 500, 1.5 * pi}}, "tube"},
        {"hoop of square tube", make::rectangular_tube(50, 50, 4, 0), {{0, 600, pi}}, "rectangular tube"},
        {"s bend", {make::circle(12)}, {{100}, {0, 90, pi / 3}, {0, 90, pi / 3, pi}, {120}}, "round"},
    };
    return all;
}

double length_of(const std::vector<Move>& moves) {
    double sum = 0;
    for (const Move& m : moves) sum += m.angle > 0 ? m.radius * m.angle : m.length;
    return sum;
}

class BentMember : public testing::TestWithParam<std::size_t> {};

}  // namespace

TEST_P(BentMember, LengthAndSectionHereAndAnywhere) {
    const BentCase& c = cases()[GetParam()];
    for (const bool away : {false, true}) {
        make::Item item = bent(c.name, c.profile, c.moves, {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
        const double area = make::volume(make::extrude(c.profile, 1));
        if (away) item.solid = make::moved(item.solid, anywhere());
        const Job j = job_of({item});
        const Member& m = only_member(j);
        const double length = length_of(c.moves);
        EXPECT_NEAR(m.own_length(), length, 1e-6 * length);
        EXPECT_NEAR(j.model.length(m), length, 1e-6 * length);
        const Section& s = j.model.sections[m.section.index()];
        EXPECT_EQ(s.shape, c.shape);
        EXPECT_NEAR(s.area, area, 1e-6 * area);
        EXPECT_NEAR(j.proof.volume_error, 0, 1e-4);
        EXPECT_LT(j.proof.centroid_error, 0.02 * length) << "lines of the mesh are straight";
        EXPECT_TRUE(j.proof.within_bounds);
        // Elements follow the arcs: nodes lie on them.
        for (const Element& e : j.mesh.elements)
            for (int n : {e.nodes[0], e.nodes[1]}) {
                const Vec3& p = j.mesh.nodes[static_cast<std::size_t>(n)];
                EXPECT_NEAR((m.axis.at(m.axis.parameter(p)) - p).norm(), 0, 1e-6);
            }
    }
}
INSTANTIATE_TEST_SUITE_P(All, BentMember, testing::Range<std::size_t>(0, 7), [](const auto& chosen) {
    std::string n = cases()[chosen.param].name;
    for (char& k : n) k = k == ' ' ? '_' : k;
    return n;
});

TEST(BentFrame, FarEndCutAtAnAngle) {
    for (const double degrees : {30.0, 50.0}) {
        const auto tube = bent("tube", make::tube(42.4, 3), {{300}, {0, 120, quarter}, {400}}, {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX());
        // The long leg runs along x at z = 420; cut through its axis at x = 450.
        const Eigen::Isometry3d at = Eigen::Translation3d(450, 0, 420) * Eigen::AngleAxisd(degrees * pi / 180, Vec3::UnitY());
        const make::Solid cut = make::cut(tube.solid, {make::moved(box({0, -200, -200}, {400, 400, 400}), at)});
        for (const bool away : {false, true}) {
            const Job j = job_of(away ? make::moved(cut, anywhere()) : cut);
            EXPECT_NEAR(only_member(j).own_length(), 300 + quarter * 120 + 330, 1e-5) << degrees;
            EXPECT_NEAR(j.proof.volume_error, 0, 1e-5);
        }
    }
}

TEST(BentFrame, BracketsOfFlatBarStayShells) {
    const Job j = job_of({bent("bracket", {make::polygon({{-12, -2}, {12, -2}, {12, 2}, {-12, 2}})}, {{120}, {0, 8, quarter, quarter}, {120}}, {0, 0, 0},
                               Vec3::UnitZ(), Vec3::UnitX())});
    EXPECT_TRUE(j.model.members.empty());
    EXPECT_EQ(j.model.sheets.size(), 3u);
    EXPECT_TRUE(j.proof.within_bounds);
}

TEST(BentFrame, HoopOnAPlateWithABarAcross) {
    // Feet on the plate's top, a straight bar between both legs, one from the crown to a post.
    Items parts{{"plate", box({-400, -200, -8}, {800, 400, 8})}};
    parts.push_back(bent("hoop", make::tube(42.4, 3), {{300}, {0, 250, pi}, {300}}, {-250, 0, 0}, Vec3::UnitZ(), Vec3::UnitX()));
    parts.push_back(
        {"bar", make::moved(make::extrude(make::tube(33.7, 2.6), 500 - 42.4 + 1), make::place({-250 + 20.7, 0, 200}, Vec3::UnitX(), Vec3::UnitY()))});
    parts.push_back(bar("strut", {0, 0, 0}, {0, 0, 550 - 21}, 30, 30, 3, Vec3::UnitY()));
    for (const bool away : {false, true}) {
        Plan p;
        p.join.reach = 1;
        const Job j = job_of(away ? moved(parts) : parts, p);
        expect_whole(j);
        for (const Member& m : j.model.members) {
            const std::string& name = j.solids.bodies[m.body.index()].name;
            // Both of the hoop's feet go to the plate's middle; the strut from there to the crown's axis.
            const double length = name == "hoop" ? 600 + pi * 250 + 8 : name == "bar" ? 500 : 550 + 4;
            EXPECT_NEAR(j.model.length(m), length, 1e-5) << name;
        }
    }
}

TEST(BentFrame, RailRoundACurvedHoodSharesItsNodes) {
    // A square tube bent round the outside of half a pipe, skin on skin.
    const double r = 400, t = 3, depth = 30;
    const make::Solid ring = make::extrude({make::circle(r), make::reversed(make::circle(r - t))}, 600);
    const make::Solid half = make::cut(ring, {box({-500, -500, -10}, {1000, 500, 700})});
    const double axis = r + depth / 2;
    Items parts{{"hood", half}, bent("rail", make::rectangular_tube(depth, depth, 3, 0), {{0, axis, pi}}, {axis, 0, 300}, Vec3::UnitY(), -Vec3::UnitX())};
    // Its line lies in the hood, shorter than the rail's own centroid line: the mesh holds as much less of it, and the proof says so.
    EXPECT_FALSE(job_of(parts).proof.within_bounds);
    Plan plan;
    plan.prove.mesh = 0.05;
    const Job j = job_of(parts, plan);
    EXPECT_NEAR(j.proof.worst_mesh_error, (r - t / 2) / axis - 1, 1e-3);
    expect_whole(j);
    const Member& m = only_member(j);
    EXPECT_NEAR(m.offset.norm(), (depth + t) / 2, 1e-6);
    EXPECT_NEAR(j.model.length(m), pi * (r - t / 2), 1e-5);
    std::set<int> shells;
    for (const Element& e : j.mesh.elements)
        if (e.kind == ElementKind::shell) shells.insert(e.nodes.begin(), e.nodes.begin() + e.count);
    for (const Element& e : j.mesh.elements) {
        if (e.kind != ElementKind::beam) continue;
        for (int k : {0, 1}) EXPECT_TRUE(shells.count(e.nodes[static_cast<std::size_t>(k)]));
        // The section stands off radially.
        const Vec3 middle = 0.5 * (j.mesh.nodes[static_cast<std::size_t>(e.nodes[0])] + j.mesh.nodes[static_cast<std::size_t>(e.nodes[1])]) + j.solids.shift;
        const Vec3 radial = Vec3(middle.x(), middle.y(), 0).normalized();
        EXPECT_NEAR(e.section_offset.dot(radial), (depth + t) / 2, 1e-6);
    }
}

TEST(BentFrame, ModelFileKeepsTheAxis) {
    const Job j = job_of({bent("hook", {make::circle(8)}, {{200}, {0, 40, pi}, {60}}, {0, 0, 0}, Vec3::UnitZ(), Vec3::UnitX())});
    const Folder f;
    write_model(f / "model.halvo", j);
    const Job back = read_model(f / "model.halvo");
    ASSERT_EQ(back.model.members.size(), 1u);
    const Axis &a = j.model.members[0].axis, &b = back.model.members[0].axis;
    ASSERT_EQ(a.pieces().size(), b.pieces().size());
    for (const double s : {-10.0, 0.0, 150.0, 250.0, 330.0, 400.0}) {
        EXPECT_EQ(a.at(s), b.at(s));
        EXPECT_EQ(a.frame(s).x, b.frame(s).x);
    }
}
