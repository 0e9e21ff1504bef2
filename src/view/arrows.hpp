#pragma once
/// Forces at nodes as few arrows.

#include <halvo/types.hpp>

namespace halvo::view {

struct ForceArrow {
    Vec3 place, force, moment;
};

/// Forces and moments (6 a node), those of nodes that lie close together as one arrow: in cells of a thirtieth of `size`, at the middle of their nodes.
[[nodiscard]] std::vector<ForceArrow> force_arrows(const std::vector<Vec3>& nodes, const Eigen::VectorXd& forces, double size);

}  // namespace halvo::view
