#include "halve/chambers.hpp"

#include "core/index.hpp"
#include "halve/limits.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double least_mouth = 0.25;  // thicknesses: what is open along less is closed

std::vector<int> first_of(const CellIndex& cells) {
    std::vector<int> out(1, 0);
    for (const auto& k : cells.keep) out.push_back(out.back() + static_cast<int>(k.size()));
    return out;
}

}  // namespace

Chambers::Chambers(const CellIndex& cells, const Surroundings& solid)
    : cells_(cells), first_(first_of(cells)), groups_(ix(2 * first_.back())), air_(ix(2 * first_.back()), 0) {
    for (std::size_t e = 0; e < cells.at.size(); ++e) tie_round(e);
    find_air(solid);
}

void Chambers::tie_round(std::size_t edge) {
    struct Leaf {
        double angle;
        int ahead, behind;  // its sides, turning about the edge
    };
    std::vector<Leaf> leaves;
    double thick = 0;
    const Curve& curve = cells_.a.edges[edge].curve;
    const double middle = 0.5 * (curve.t0 + curve.t1);
    const Vec3 p = curve.point(middle), along = curve.derivative(middle).normalized();
    const Vec3 x = along.unitOrthogonal(), y = along.cross(x);
    for (const CellIndex::Side& s : cells_.at[edge]) {
        if (!cells_.kept(s)) continue;
        const Vec3 n = cells_.walls[s.wall].chart->normal(p);
        const Vec3 inward = n.cross(along) * (s.half % 2 != 0 ? -1.0 : 1.0);
        const bool over = n.dot(along.cross(inward)) > 0;
        const CellAt c{s.wall, ix(cells_.cell(s))};
        leaves.push_back({std::atan2(inward.dot(y), inward.dot(x)), side(c, over), side(c, !over)});
        thick = std::max(thick, cells_.walls[s.wall].thickness);
    }
    if (leaves.size() == 1 && cells_.length[edge] <= least_mouth * thick) return;
    std::sort(leaves.begin(), leaves.end(), [](const Leaf& a, const Leaf& b) { return a.angle < b.angle; });
    for (std::size_t k = 0; k < leaves.size(); ++k) groups_.tie(leaves[k].ahead, leaves[(k + 1) % leaves.size()].behind);
}

void Chambers::find_air(const Surroundings& solid) {
    // Pieces between their own sides that are large have air there. Only where there is none of them it is looked for.
    for (const bool looked_for : {false, true})
        for (std::size_t i = 0; i < cells_.keep.size(); ++i)
            for (std::size_t c = 0; c < cells_.keep[i].size(); ++c) {
                if (!cells_.keep[i][c].kept) continue;
                const double t = cells_.walls[i].thickness;
                const bool large = cells_.walls[i].cells[c].held && cells_.area({i, c}) > largest_piece * t * t;
                for (const bool over : {false, true}) {
                    char& air = air_[ix(groups_.root(side({i, c}, over)))];
                    if (air == 0 && (looked_for ? solid.sees_air(i, c, over) : large)) air = 1;
                }
            }
}

bool Chambers::walls_a_pocket(const CellAt& c) {
    const int a = groups_.root(side(c, false)), b = groups_.root(side(c, true));
    return a != b && (air_[ix(a)] == 0 || air_[ix(b)] == 0);
}

void Chambers::open(const CellAt& c) {
    const int a = groups_.root(side(c, false)), b = groups_.root(side(c, true));
    const char air = std::max(air_[ix(a)], air_[ix(b)]);
    groups_.tie(a, b);
    air_[ix(groups_.root(a))] = air;
}

}  // namespace halvo
