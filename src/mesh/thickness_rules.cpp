// Thicknesses that the plan gives sheets instead of their walls' own: a matter of the finished mesh, whose nodes and elements do not depend on them.
#include "mesh/thickness_rules.hpp"

#include "core/index.hpp"
#include "mesh/mesh_notes.hpp"
#include "mesh/size_rules.hpp"

#include <algorithm>

namespace halvo {
namespace {

// Does the section reach past its line?
bool reaches_through(const Model& model, const Member& m) {
    const Vec2 up = -m.offset.normalized();
    double reach = 0;
    for (const auto& loop : model.sections[ix(m.section)].profile)
        for (const Curve& c : loop)
            for (const Vec3& p : c.sampled(0.01 * c.length(), 8)) reach = std::max(reach, up.dot(Vec2(p.x(), p.y())));
    return reach > m.offset.norm();
}

// A section on the skin of a sheet that the plan makes thicker moves out with the skin; one that reaches to its far side, with that.
double widening(const Model& model, const Member& m, const std::vector<double>& wanted, const std::vector<std::vector<SheetAtEdge>>& at_edges) {
    if (m.offset == Vec2::Zero()) return 0;
    double by = 0;
    for (const EdgeUse& e : m.chain)
        for (const SheetAtEdge& u : at_edges[ix(e.edge)])
            if (const double t = wanted[ix(u.sheet)]; t > 0) by = 0.5 * (t - model.sheets[ix(u.sheet)].thickness.mean);
    return reaches_through(model, m) ? -by : by;
}

MeshOptions without_thicknesses(MeshOptions o) {
    o.thicknesses.clear();
    return o;
}

}  // namespace

void give_thicknesses(Mesh& mesh, const Model& model, const MeshOptions& placed) {
    const std::vector<double> wanted = wanted_thicknesses(model, placed);
    std::vector<double> wider(model.members.size(), 0.0);
    if (!placed.thicknesses.empty()) {
        const auto at_edges = sheets_at_edges(model);
        for (std::size_t m = 0; m < wider.size(); ++m) wider[m] = widening(model, model.members[m], wanted, at_edges);
    }
    for (Element& e : mesh.elements) {
        if (e.kind == ElementKind::shell && e.sheet) {
            const double t = wanted[ix(e.sheet)];
            e.thickness = t > 0 ? t : e.own_thickness, e.offset = e.own_offset;
            // The side on which a sheet was placed stays where it is.
            if (t > 0 && model.sheets[ix(e.sheet)].placed && e.own_thickness > 0) e.offset *= t / e.own_thickness;
        } else if (e.kind == ElementKind::beam && e.member) {
            const Vec3 middle = 0.5 * (mesh.nodes[ix(e.nodes[0])] + mesh.nodes[ix(e.nodes[1])]);
            e.section_offset = section_offset(model.members[ix(e.member)], middle);
            if (const double by = wider[ix(e.member)]; by != 0) e.section_offset += by * e.section_offset.normalized();
        }
    }
}

bool change_thicknesses(Mesh& mesh, const Model& model, const MeshOptions& options, const MeshOptions& before) {
    const bool known = std::none_of(mesh.elements.begin(), mesh.elements.end(),
                                    [](const Element& e) { return e.kind == ElementKind::shell && e.sheet && !(e.own_thickness > 0); });
    if (!known || without_thicknesses(options) != without_thicknesses(before)) return false;
    const MeshOptions placed = placed_rules(options, model);
    give_thicknesses(mesh, model, placed);
    note_other_thicknesses(mesh, model, placed);
    return true;
}

}  // namespace halvo
