// A model without any CAD file: a base plate, a rib on it, a post under it; joined, meshed, written for a viewer.
#include <halvo/halvo.hpp>

#include <cstdio>

int main() try {
    halvo::Model model;
    halvo::add_plate(model, {{0, 0, 0}, {600, 0, 0}, {600, 400, 0}, {0, 400, 0}}, 10, {{{450, 250, 0}, {550, 250, 0}, {550, 350, 0}, {450, 350, 0}}});
    halvo::add_plate(model, {{0, 200, 5}, {600, 200, 5}, {600, 200, 85}, {0, 200, 85}}, 6);

    // A round tube 60 x 4: outer circle counter-clockwise, inner one clockwise.
    const auto circle = [](double r) { return halvo::Curve{halvo::CircleCurve{halvo::Frame{}, r}, 0, 2 * halvo::pi}; };
    const halvo::Section tube = halvo::section_of_profile({{circle(30)}, {circle(26).reversed()}});
    halvo::add_member(model, {150, 100, -900}, {150, 100, -5}, tube, halvo::Vec3::UnitX());

    halvo::join(model);
    for (const halvo::Seam& s : halvo::seams(model)) std::printf("%s of %.0f mm\n", halvo::kind_name(s.kind), model.length(s.edge));
    halvo::MeshOptions options;
    options.size = 25;
    const halvo::Mesh mesh = halvo::mesh(model, options);
    std::printf("%d quads, %d trias, %d lines; %d connected part\n", mesh.quads, mesh.trias, mesh.lines, mesh.parts);
    halvo::write_vtu("by_hand.vtu", mesh, halvo::Vec3::Zero());
    return mesh.parts == 1 ? 0 : 1;
} catch (const halvo::Error& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
}
