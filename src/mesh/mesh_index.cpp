#include <halvo/mesh_index.hpp>

#include "core/index.hpp"
#include "geom/box_tree.hpp"

#include <algorithm>
#include <set>

namespace halvo {
namespace {

constexpr double on_curve = 20;  // tolerances of the model, that a node on an edge may stand off its curve

}  // namespace

MeshIndex::MeshIndex(const Model& model, const Mesh& mesh)
    : model_(model),
      mesh_(mesh),
      of_sheet_(model.sheets.size()),
      of_member_(model.members.size()),
      at_node_(mesh.nodes.size()),
      vertex_(model.vertices.size()),
      along_(model.edges.size()) {
    for (std::size_t i = 0; i < mesh.elements.size(); ++i) {
        const Element& e = mesh.elements[i];
        if (e.sheet) of_sheet_[ix(e.sheet)].push_back(i);
        if (e.member) of_member_[ix(e.member)].push_back(i);
        for (std::size_t k = 0; k < e.count; ++k) at_node_[ix(e.nodes[k])].push_back(i);
    }
    // Nodes of every sheet and member on an edge are its own: others may stand at the same place and be apart.
    std::vector<std::vector<std::pair<bool, std::size_t>>> users(model.edges.size());
    const auto at = sheets_at_edges(model);
    for (std::size_t e = 0; e < at.size(); ++e)
        for (const SheetAtEdge& s : at[e]) users[e].emplace_back(true, s.sheet.index());
    for (std::size_t m = 0; m < model.members.size(); ++m)
        for (const EdgeUse& u : model.members[m].chain) users[u.edge.index()].emplace_back(false, m);
    std::vector<std::set<SheetId>> sheets(mesh.nodes.size());
    std::vector<std::set<MemberId>> members(mesh.nodes.size());
    for (const Element& e : mesh.elements)
        for (std::size_t k = 0; k < e.count; ++k) {
            if (e.sheet) sheets[ix(e.nodes[k])].insert(e.sheet);
            if (e.member) members[ix(e.nodes[k])].insert(e.member);
        }
    std::vector<Box3> boxes;
    for (const Vec3& p : mesh.nodes) boxes.emplace_back(p);
    const BoxTree tree(boxes);
    const double off = on_curve * model.tolerance.point;
    for (std::size_t e = 0; e < model.edges.size(); ++e) {
        const Curve& c = model.edges[e].curve;
        Box3 box = c.box();
        box.min().array() -= off, box.max().array() += off;
        std::vector<std::pair<double, NodeId>> found;
        for (const int n : tree.touching(box)) {
            const bool own = std::all_of(users[e].begin(), users[e].end(), [&](const auto& u) {
                return u.first ? sheets[ix(n)].contains(SheetId(u.second)) : members[ix(n)].contains(MemberId(u.second));
            });
            const double t = c.nearest(mesh.nodes[ix(n)]);
            if (own && !users[e].empty() && (c.point(t) - mesh.nodes[ix(n)]).norm() <= off) found.emplace_back(t, NodeId(n));
        }
        std::sort(found.begin(), found.end());
        for (const auto& [t, n] : found) along_[e].push_back(n);
        if (along_[e].empty()) continue;
        // A closed edge comes back to the node it starts from.
        if (model.edges[e].vertices[0] == model.edges[e].vertices[1]) {
            const Vec3& start = model.vertices[model.edges[e].vertices[0].index()].point;
            if ((mesh.nodes[along_[e].back().index()] - start).norm() <= off && along_[e].size() > 1) along_[e].insert(along_[e].begin(), along_[e].back());
            else if ((mesh.nodes[along_[e].front().index()] - start).norm() <= off) along_[e].push_back(along_[e].front());
        }
        for (const bool end : {false, true}) {
            const VertexId v = model.edges[e].vertices[end ? 1 : 0];
            const NodeId n = end ? along_[e].back() : along_[e].front();
            if ((mesh.nodes[n.index()] - model.vertices[v.index()].point).norm() <= off) vertex_[v.index()] = n;
        }
    }
    // Vertices on no edge: points inside sheets, centres of couplings.
    for (std::size_t v = 0; v < model.vertices.size(); ++v) {
        if (vertex_[v]) continue;
        Box3 box(model.vertices[v].point);
        box.min().array() -= off, box.max().array() += off;
        const auto near = tree.touching(box);
        if (near.size() == 1) vertex_[v] = NodeId(near[0]);
    }
}

std::vector<NodeId> MeshIndex::nodes_along(const EdgeUse& use) const {
    auto out = along_[use.edge.index()];
    if (use.reversed) std::reverse(out.begin(), out.end());
    return out;
}

std::vector<NodeId> MeshIndex::nodes_of(const std::vector<std::size_t>& elements) const {
    std::set<NodeId> out;
    for (const std::size_t i : elements)
        for (std::size_t k = 0; k < mesh_.elements[i].count; ++k) out.insert(NodeId(mesh_.elements[i].nodes[k]));
    return {out.begin(), out.end()};
}

std::vector<NodeId> MeshIndex::nodes_of(SheetId s) const {
    return nodes_of(elements_of(s));
}

std::vector<NodeId> MeshIndex::nodes_of(MemberId m) const {
    return nodes_of(elements_of(m));
}

std::vector<NodeId> MeshIndex::nodes_of(BodyId b) const {
    return nodes_of(elements_of(b));
}

std::vector<NodeId> MeshIndex::nodes_of(const ModelSet& set) const {
    const auto by_element = nodes_of(elements_of(set));
    std::set<NodeId> out(by_element.begin(), by_element.end());
    for (const EdgeId e : set.edges) out.insert(along_[e.index()].begin(), along_[e.index()].end());
    for (const VertexId v : set.vertices)
        if (const NodeId n = node_of(v)) out.insert(n);
    return {out.begin(), out.end()};
}

NodeId MeshIndex::node_next_to(const Vec3& p) const {
    NodeId best;
    double least = std::numeric_limits<double>::max();
    for (std::size_t n = 0; n < mesh_.nodes.size(); ++n)
        if (const double d = (mesh_.nodes[n] - p).squaredNorm(); d < least) least = d, best = NodeId(n);
    return best;
}

std::vector<std::size_t> MeshIndex::elements_of(BodyId b) const {
    std::vector<std::size_t> out;
    for (std::size_t i = 0; i < mesh_.elements.size(); ++i)
        if (mesh_.elements[i].body == b) out.push_back(i);
    return out;
}

std::vector<std::size_t> MeshIndex::elements_of(const ModelSet& set) const {
    std::set<std::size_t> out;
    for (const SheetId s : set.sheets) out.insert(of_sheet_[s.index()].begin(), of_sheet_[s.index()].end());
    for (const MemberId m : set.members) out.insert(of_member_[m.index()].begin(), of_member_[m.index()].end());
    return {out.begin(), out.end()};
}

}  // namespace halvo
