// Questions a user asks of a model and its mesh, against what is known of small ones and against the mesh itself.
#include "structures.hpp"
#include "support.hpp"

#include <set>

using namespace test;
using make::box;

namespace {

// A plate with a hole, a rib standing across it, a tube on it.
Job deck_with_rib(bool away) {
    const auto plate = make::cut(box({0, 0, 0}, {300, 200, 6}), {make::cylinder({220, 100, -5}, Vec3::UnitZ(), 30, 20)});
    const Items items{{"plate", plate}, {"rib", box({100, 0, 6}, {4, 200, 80})}, bar("post", {50, 100, 6}, {50, 100, 300}, 30, 30, 3, Vec3::UnitY())};
    Plan plan;
    plan.mesh.size = 20;
    SetRule set;
    set.name = "ribs", set.body = {"rib"};
    plan.join.sets = {set};
    return job_of(away ? moved(items) : items, plan);
}

SheetId sheet_of(const Job& j, const std::string& body) {
    for (std::size_t s = 0; s < j.model.sheets.size(); ++s)
        if (j.solids.bodies[j.model.sheets[s].body.index()].name == body) return SheetId(s);
    return {};
}

}  // namespace

TEST(Topology, NeighboursAndEdgesByKind) {
    for (const bool away : {false, true}) {
        const Job j = deck_with_rib(away);
        const Topology t(j.model);
        const SheetId plate = sheet_of(j, "plate"), rib = sheet_of(j, "rib");
        const auto beside = t.neighbours(plate);
        ASSERT_EQ(beside.size(), 1u);
        EXPECT_EQ(beside[0].sheet, rib);
        EXPECT_EQ(t.kind(beside[0].edge), EdgeKind::tee);
        EXPECT_NEAR(j.model.length(beside[0].edge), 200, 1e-6);
        double free = 0;
        for (const EdgeId e : t.edges_of(rib, EdgeKind::free)) free += j.model.length(e);
        EXPECT_NEAR(free, 200 + 2 * 83, 1e-6);
        EXPECT_EQ(t.edges_of(rib, EdgeKind::tee).size(), 1u);
        // The rib's free edges are one chain, from one end of the seam to the other.
        const auto chains = t.boundary_chains(rib, EdgeKind::free);
        ASSERT_EQ(chains.size(), 1u);
        EXPECT_EQ(chains[0].size(), 3u);
        const auto end = [&](const EdgeUse& u, bool last) { return j.model.edges[u.edge.index()].vertices[last != u.reversed ? 1 : 0]; };
        for (std::size_t k = 0; k + 1 < chains[0].size(); ++k) EXPECT_EQ(end(chains[0][k], true), end(chains[0][k + 1], false));
        const auto seam = j.model.edges[beside[0].edge.index()].vertices;
        EXPECT_EQ((std::set<VertexId>{end(chains[0].front(), false), end(chains[0].back(), true)}), (std::set<VertexId>{seam[0], seam[1]}));
        for (const VertexId v : seam) EXPECT_EQ(t.sheets_at(v), (std::vector<SheetId>{std::min(plate, rib), std::max(plate, rib)}));
        // The post's foot is a point inside the plate.
        const VertexId foot = end(j.model.members[0].chain.front(), false);
        const VertexId top = end(j.model.members[0].chain.back(), true);
        EXPECT_EQ(t.sheets_at(foot).size() + t.sheets_at(top).size(), 1u);
        EXPECT_EQ(t.members_at(foot), std::vector<MemberId>{MemberId(0)});
    }
}

TEST(Topology, NodesOfEdgesSheetsMembersBodiesAndSets) {
    for (const bool away : {false, true}) {
        const Job j = deck_with_rib(away);
        const Topology t(j.model);
        const MeshIndex index(j.model, j.mesh);
        const SheetId plate = sheet_of(j, "plate"), rib = sheet_of(j, "rib");
        // Every edge's nodes follow each other along it, as long as it is, and each pair is a side of an element of its sheets.
        for (std::size_t e = 0; e < j.model.edges.size(); ++e) {
            if (t.sheets_at(EdgeId(e)).empty() && t.members_at(EdgeId(e)).empty()) continue;
            const auto nodes = index.nodes_along({EdgeId(e), false});
            ASSERT_GE(nodes.size(), 2u) << e;
            double length = 0;
            for (std::size_t k = 0; k + 1 < nodes.size(); ++k) length += (j.mesh.nodes[nodes[k].index()] - j.mesh.nodes[nodes[k + 1].index()]).norm();
            EXPECT_NEAR(length, j.model.length(EdgeId(e)), 0.05 * j.model.length(EdgeId(e)));
            const auto back = index.nodes_along({EdgeId(e), true});
            EXPECT_TRUE(std::equal(nodes.begin(), nodes.end(), back.rbegin()));
            EXPECT_EQ(index.node_of(j.model.edges[e].vertices[0]), nodes.front());
            EXPECT_EQ(index.node_of(j.model.edges[e].vertices[1]), nodes.back());
        }
        // Nodes on the seam are those that both sheets have.
        const auto a = index.nodes_of(plate), b = index.nodes_of(rib);
        std::vector<NodeId> both;
        std::set_intersection(a.begin(), a.end(), b.begin(), b.end(), std::back_inserter(both));
        auto seam = index.nodes_along({t.neighbours(plate)[0].edge, false});
        std::sort(seam.begin(), seam.end());
        EXPECT_EQ(both, seam);
        EXPECT_EQ(index.elements_of(rib), index.elements_of(BodyId(j.model.sheets[rib.index()].body)));
        ASSERT_EQ(j.model.sets.size(), 1u);
        EXPECT_EQ(index.nodes_of(j.model.sets[0]), b);
        EXPECT_EQ(index.elements_of(j.model.sets[0]), index.elements_of(rib));
        const NodeId corner = index.node_of(j.model.edges[t.edges_of(plate)[0].index()].vertices[0]);
        EXPECT_EQ(index.node_next_to(j.mesh.nodes[corner.index()] + Vec3(0.3, -0.2, 0.1)), corner);
        EXPECT_FALSE(index.elements_at(corner).empty());
        EXPECT_EQ(index.nodes_of(MemberId(0)).size(), index.elements_of(MemberId(0)).size() + 1);
    }
}
