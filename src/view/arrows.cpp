#include "view/arrows.hpp"

#include <array>
#include <cmath>
#include <map>

namespace halvo::view {

std::vector<ForceArrow> force_arrows(const std::vector<Vec3>& nodes, const Eigen::VectorXd& forces, double size) {
    constexpr double cells = 30;  // over the model: denser arrows hide each other
    std::vector<ForceArrow> out;
    if (forces.size() == 0 || size <= 0) return out;
    const double least = 1e-9 * forces.cwiseAbs().maxCoeff();  // below it is rounding
    struct Cell {
        ForceArrow sum{Vec3::Zero(), Vec3::Zero(), Vec3::Zero()};
        double count = 0;
    };
    std::map<std::array<long, 3>, Cell> by_cell;
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        const auto f = forces.segment<6>(6 * static_cast<Eigen::Index>(i));
        if (f.cwiseAbs().maxCoeff() <= least) continue;
        const Vec3 at = (nodes[i] - nodes[0]) * (cells / size);
        Cell& c = by_cell[{std::lround(at.x()), std::lround(at.y()), std::lround(at.z())}];
        c.sum.place += nodes[i], c.sum.force += f.head<3>(), c.sum.moment += f.tail<3>(), c.count += 1;
    }
    for (auto& [key, c] : by_cell) {
        c.sum.place /= c.count;
        out.push_back(c.sum);
    }
    return out;
}

}  // namespace halvo::view
