#include "body/named.hpp"

#include "core/wildcard.hpp"
#include "geom/facet_tree.hpp"

#include <algorithm>

namespace halvo {

bool is_named(const BodyNames& body, const std::vector<std::string>& patterns) {
    return patterns.empty() || std::any_of(patterns.begin(), patterns.end(), [&](const std::string& p) {
               return p == std::to_string(body.number) || p == body.key || p == body.label || wildcard_match(p, body.name) || wildcard_match(p, body.path);
           });
}

std::optional<SkinPlace> skin_at(const Assembly& solids, const Vec3& at, const std::vector<bool>& allowed) {
    std::optional<SkinPlace> best;
    double within = 0.01 * solids.box.sizes().norm();
    for (std::size_t b = 0; b < solids.bodies.size(); ++b) {
        if (!solids.bodies[b].tree || (!allowed.empty() && !allowed[b])) continue;
        const auto near = solids.bodies[b].tree->nearest(at, within);
        if (!near || (best && near->distance >= best->distance)) continue;
        best = {BodyId(b), near->facet, near->distance};
        within = near->distance;
    }
    return best;
}

std::optional<Box3> own_box(const std::optional<Box3>& box, const Vec3& shift) {
    if (!box) return std::nullopt;
    return Box3(box->min() - shift, box->max() - shift);
}

}  // namespace halvo
