#include "solve/held.hpp"

#include "core/index.hpp"
#include "solve/building.hpp"

#include <map>

namespace halvo {

std::vector<HeldPlace> held_places(const Model& model, const Mesh& mesh, const SolveOptions& options, const JoinOptions& names) {
    Picker picker(model, mesh, names);
    const Built all = built(picker, options);  // points of the plan get their nodes there
    std::vector<HeldPlace> out;
    for (std::size_t r = 0; r < options.supports.size(); ++r) {
        Structure only;
        only.nodes = all.structure.nodes;
        add_support(only, picker, options.supports[r], static_cast<std::int32_t>(r));
        std::map<std::int32_t, HeldPlace> places;
        const auto place = [&](std::int32_t node) -> HeldPlace& {
            HeldPlace& p = places[node];
            p.at = only.nodes[ix(node)], p.support = r;
            return p;
        };
        for (const MotionEquation& e : only.equations) {
            if (e.terms.empty()) continue;
            HeldPlace& p = place(static_cast<std::int32_t>(e.terms[0].first / 6));
            Vec3 d = Vec3::Zero();
            for (const auto& [m, f] : e.terms) d[m % 3] += f;
            if (e.terms[0].first % 6 >= 3) p.turns = true;
            else p.moves.push_back(d.normalized());
        }
        for (const GroundSpring& s : only.springs)
            for (Eigen::Index k = 0; k < 3; ++k)
                if (s.stiffness.block<3, 3>(0, 0).col(k).norm() > 0) place(s.node).springs.push_back(Vec3::Unit(k));
        for (auto& [node, p] : places) out.push_back(std::move(p));
    }
    return out;
}

}  // namespace halvo
