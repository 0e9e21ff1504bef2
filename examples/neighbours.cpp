// From a sheet to its neighbours, and the nodes on the seams between.
#include <halvo/halvo.hpp>

#include <cstdio>

int main(int argc, char** argv) try {
    halvo::Plan plan;
    plan.mesh.size = 40;
    const halvo::Job job = halvo::run(plan, halvo::read(argc > 1 ? argv[1] : HALVO_DEMO "/shelf.step"));
    const halvo::Topology topology(job.model);
    const halvo::MeshIndex index(job.model, job.mesh);
    const halvo::SheetId from(0);
    std::printf("%s: %zu free edges\n", job.model.sheets[0].key.c_str(), topology.edges_of(from, halvo::EdgeKind::free).size());
    for (const auto& [sheet, edge] : topology.neighbours(from)) {
        std::printf("  %s along a %s edge of %.1f mm, nodes", job.model.sheets[sheet.index()].key.c_str(), halvo::edge_kind_name(topology.kind(edge)),
                    job.model.length(edge));
        for (const halvo::NodeId n : index.nodes_along({edge, false})) std::printf(" %d", n.value);
        std::printf("\n");
    }
    return 0;
} catch (const halvo::Error& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 3;
}
