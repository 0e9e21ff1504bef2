// Every part and assembly of the collection: at several sizes the mesh is right, and turned, far away, with shuffled
// faces and in inches the model is the same.
#include "curved_parts.hpp"
#include "parts.hpp"
#include "structures.hpp"

#include <halvo/quality.hpp>

#include <gtest/gtest.h>

using namespace test;

namespace {

struct Figures {
    std::size_t sheets, members, joints, links, edge_links;
    int parts;
    double area, length, seam;
};

Figures figures(const Job& j) {
    Figures f{j.model.sheets.size(),
              j.model.members.size(),
              j.model.joints.size(),
              j.model.links.size(),
              j.model.edge_links.size(),
              j.proof.parts,
              total_area(j.model),
              0,
              0};
    for (const Member& m : j.model.members) f.length += j.model.length(m);
    for (const Seam& s : seams(j.model)) f.seam += j.model.length(s.edge);
    return f;
}

void expect_same_figures(const Figures& a, const Figures& b, const std::string& what) {
    EXPECT_EQ(a.sheets, b.sheets) << what;
    EXPECT_EQ(a.members, b.members) << what;
    EXPECT_EQ(a.joints, b.joints) << what;
    EXPECT_EQ(a.edge_links, b.edge_links) << what;
    EXPECT_EQ(a.parts, b.parts) << what;
    EXPECT_NEAR(a.area, b.area, 1e-9 * (1 + a.area)) << what;
    EXPECT_NEAR(a.length, b.length, 1e-9 * (1 + a.length)) << what;
    EXPECT_NEAR(a.seam, b.seam, 1e-9 * (1 + a.seam)) << what;
}

class Collection : public testing::TestWithParam<Named> {};

std::string name_of(const testing::TestParamInfo<Named>& info) {
    std::string s = info.param.name;
    std::replace(s.begin(), s.end(), ' ', '_');
    return s;
}

Plan sized(double size) {
    Plan p;
    p.mesh.size = size;
    p.mesh.limits.tria_share = 0.15;  // a plate of a few elements with a profile imprinted has some more
    return p;
}

}  // namespace

class JoinedAssembly : public Collection {};
class FlatSolid : public Collection {};

TEST_P(JoinedAssembly, IsOnePartWithNothingOpen) {
    for (const double size : {12.0, 35.0}) {
        const Job j = job_of(GetParam().items, sized(size));
        EXPECT_EQ(j.proof.parts, 1);
        EXPECT_EQ(j.mesh.parts, 1);
        EXPECT_TRUE(j.proof.within_bounds) << (j.proof.outside.empty() ? "" : j.proof.outside[0]);
        EXPECT_LT(std::abs(j.proof.worst_body_error), 1e-6);
        EXPECT_TRUE(findings_of(j).empty()) << findings_of(j)[0].about;
        check_mesh(j.model, j.mesh);
    }
}

TEST_P(JoinedAssembly, IsTheSameAnywhere) {
    const Figures plain = figures(job_of(GetParam().items, sized(30)));
    auto moved = GetParam().items, shuffled = GetParam().items;
    for (auto& i : moved) i.solid = make::moved(i.solid, anywhere());
    for (auto& i : shuffled) i.solid = make::shuffled(i.solid, 11);
    expect_same_figures(plain, figures(job_of(moved, sized(30))), "moved");
    expect_same_figures(plain, figures(job_of(shuffled, sized(30))), "shuffled");
    expect_same_figures(plain, figures(job_of(GetParam().items, sized(30), "INCH")), "inch");
}

TEST_P(JoinedAssembly, JoiningAgainChangesNothing) {
    const Assembly solids = solids_of(GetParam().items);
    Model once = halve(solids);
    join(once, solids);
    Model twice = once;
    join(twice, solids);
    EXPECT_EQ(once.edges.size(), twice.edges.size());
    EXPECT_EQ(once.joints.size(), twice.joints.size());
    EXPECT_EQ(once.links.size(), twice.links.size());
    EXPECT_EQ(once.edge_links.size(), twice.edge_links.size());
    EXPECT_NEAR(total_area(once), total_area(twice), 1e-6);
    EXPECT_EQ(connected_parts(twice).count, 1);
}

TEST_P(FlatSolid, MeshesAtEverySize) {
    for (const double size : {4.0, 9.0, 20.0, 45.0, 120.0}) {
        const Job j = job_of(GetParam().items, sized(size));
        check_mesh(j.model, j.mesh);
        EXPECT_EQ(j.mesh.parts, 1) << size;
        EXPECT_GT(j.mesh.quality.min_scaled_jacobian, 0) << size;
        EXPECT_LT(std::abs(j.proof.volume_error), 0.005) << size;
        // Few elements in a sharp corner cannot all be quads.
        if (size < 10) {
            EXPECT_GT(j.mesh.quality.quad_share, 0.85) << size;
        }
    }
}

TEST_P(FlatSolid, IsTheSameAnywhere) {
    const Figures plain = figures(job_of(GetParam().items, sized(20)));
    auto moved = GetParam().items;
    for (auto& i : moved) i.solid = make::moved(i.solid, anywhere());
    expect_same_figures(plain, figures(job_of(moved, sized(20))), "moved");
}

INSTANTIATE_TEST_SUITE_P(Every, JoinedAssembly, testing::ValuesIn(joined_assemblies()), name_of);
INSTANTIATE_TEST_SUITE_P(Every, FlatSolid, testing::ValuesIn(flat_solids()), name_of);

// What an analyst asks of a mesh, over all parts and structures at the size that comes by itself.
TEST(MeshQuality, OverEveryPartAndStructure) {
    std::vector<Named> all = joined_assemblies();
    for (const Named& n : flat_solids()) all.push_back(n);
    for (const CurvedPart& p : curved_parts()) all.push_back({p.name, {{p.name, p.solid()}}});
    for (const auto& [name, items] : {std::pair("plates", three_plates(0.4)), std::pair("frame", welded_frame()), std::pair("hats", hats_on_plate()),
                                      std::pair("posts", deck_on_posts()), std::pair("hood", hood_with_rails()), std::pair("saddle", pipe_with_saddle())})
        all.push_back({name, items});
    Plan plan;
    plan.join.reach = 4;
    int shells = 0, quads = 0, low = 0, folded = 0;
    for (const Named& n : all) {
        SCOPED_TRACE(n.name);
        const Job j = job_of(n.items, plan);
        for (const Element& e : j.mesh.elements) {
            if (e.kind != ElementKind::shell) continue;
            const ElementMeasures m = measures(j.mesh, e);
            ++shells, quads += e.count == 4, low += m.scaled_jacobian<0.6, folded += m.warpage> 15;
            EXPECT_GE(m.scaled_jacobian, 0.3);
        }
    }
    EXPECT_GE(quads, 0.97 * shells);
    EXPECT_LE(low, 0.01 * shells);
    EXPECT_EQ(folded, 0);
}
