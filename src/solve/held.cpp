#include "solve/held.hpp"

#include "core/index.hpp"

#include <map>

namespace halvo {

std::map<std::int32_t, HeldNode> held_by(const std::vector<Vec3>& nodes, const Picker& picker, const SupportRule& rule) {
    Structure only;
    only.nodes = nodes;
    add_support(only, picker, rule, 0);
    std::map<std::int32_t, HeldNode> out;
    for (const MotionEquation& e : only.equations) {
        if (e.terms.empty()) continue;
        HeldNode& h = out[static_cast<std::int32_t>(e.terms[0].first / 6)];
        if (e.terms[0].first % 6 >= 3) {
            h.turns = true, h.turned = h.turned || e.value != 0;
            continue;
        }
        Vec3 d = Vec3::Zero();
        for (const auto& [m, f] : e.terms) d[m % 6] += f;
        h.moves.emplace_back(d, e.value);
    }
    for (const GroundSpring& s : only.springs)
        for (Eigen::Index k = 0; k < 3; ++k)
            if (s.stiffness.block<3, 3>(0, 0).col(k).norm() > 0) out[s.node].springs.push_back(Vec3::Unit(k));
    return out;
}

std::vector<HeldPlace> held_places(const Model& model, const Mesh& mesh, const SolveOptions& options, const JoinOptions& names) {
    Picker picker(model, mesh, names);
    const Built all = built(picker, options);  // points of the plan get their nodes there
    std::vector<HeldPlace> out;
    for (std::size_t r = 0; r < options.supports.size(); ++r)
        for (auto& [node, how] : held_by(all.structure.nodes, picker, options.supports[r])) out.push_back({all.structure.nodes[ix(node)], r, how});
    return out;
}

}  // namespace halvo
