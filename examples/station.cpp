// From a STEP file to a proven model in ten lines.
#include <halvo/halvo.hpp>

#include <cstdio>

int main(int argc, char** argv) try {
    const halvo::Plan plan;
    auto solids = halvo::read(argc > 1 ? argv[1] : HALVO_DEMO "/station.step");
    auto model = halvo::halve(solids, plan.halve);
    halvo::join(model, solids, plan.join);
    auto mesh = halvo::mesh(model, plan.mesh);
    auto proof = halvo::prove(solids, model, mesh);
    std::printf("%zu sheets, %zu members, %zu nodes, %d part, volume error %+.3f %%\n", model.sheets.size(), model.members.size(), mesh.nodes.size(),
                proof.parts, 100 * proof.volume_error);
    return proof.within_bounds ? 0 : 5;
} catch (const halvo::Error& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 3;
}
