#include "halve/orientation.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

// Groups with a parity: whether a member looks the other way than its root.
class Alike {
public:
    explicit Alike(std::size_t n) : up_(n), turned_(n, false) {
        for (std::size_t i = 0; i < n; ++i) up_[i] = i;
    }
    std::pair<std::size_t, bool> root(std::size_t i) const {
        bool turned = false;
        for (; up_[i] != i; i = up_[i]) turned = turned != turned_[i];
        return {i, turned};
    }
    void tie(std::size_t i, std::size_t j, bool opposite) {
        const auto [a, ta] = root(i);
        const auto [b, tb] = root(j);
        if (a == b) return;
        up_[std::max(a, b)] = std::min(a, b), turned_[std::max(a, b)] = opposite != (ta != tb);
    }

private:
    std::vector<std::size_t> up_;
    std::vector<bool> turned_;
};

// How two walls' sides border on each other.
struct Border {
    bool alike_top = false, alike_bottom = false, crossed_top = false, crossed_bottom = false, smooth = false;
    [[nodiscard]] bool alike() const { return alike_top && alike_bottom && !crossed_top && !crossed_bottom; }
    [[nodiscard]] bool crossed() const { return crossed_top && crossed_bottom && !alike_top && !alike_bottom; }
};

}  // namespace

std::vector<bool> to_turn_outward(const Body& body, const Skin& skin, const std::vector<Wall>& walls) {
    std::map<int, std::set<std::pair<std::size_t, bool>>> at_face;  // wall, and whether the face is its top
    for (std::size_t i = 0; i < walls.size(); ++i)
        for (const FacePair& p : walls[i].pairs) at_face[p.top].insert({i, true}), at_face[p.bottom].insert({i, false});
    std::map<std::pair<std::size_t, std::size_t>, Border> borders;
    for (const auto& [face, sides] : at_face)
        for (const auto& link : skin.neighbours.of[ix(face)]) {
            const auto other = at_face.find(link.other);
            if (other == at_face.end()) continue;
            for (const auto& [i, top] : sides)
                for (const auto& [j, other_top] : other->second) {
                    if (i >= j) continue;
                    Border& b = borders[{i, j}];
                    if (top == other_top) (top ? b.alike_top : b.alike_bottom) = true;
                    else (top ? b.crossed_top : b.crossed_bottom) = true;
                    b.smooth = b.smooth || link.smooth;
                }
        }
    Alike groups(walls.size());
    for (const bool smooth : {true, false})
        for (const auto& [pair, b] : borders)
            if (b.smooth == smooth && (b.alike() || b.crossed())) groups.tie(pair.first, pair.second, b.crossed());
    struct Sums {
        double up = 0, down = 0, away = 0;
    };
    std::map<std::size_t, Sums> of_group;
    for (std::size_t i = 0; i < walls.size(); ++i) {
        const auto [root, turned] = groups.root(i);
        double up = 0, down = 0;
        // Of a ridge each face is mostly another wall's side.
        if (!walls[i].ridge)
            for (const FacePair& p : walls[i].pairs) up += body.faces[ix(p.top)].area, down += body.faces[ix(p.bottom)].area;
        if (turned) std::swap(up, down);
        Sums& s = of_group[root];
        s.up += up, s.down += down;
        s.away -= (turned ? -1 : 1) * walls[i].chart.height(body.mass.centre) * walls[i].area;
    }
    std::vector<bool> out;
    for (std::size_t i = 0; i < walls.size(); ++i) {
        const auto [root, turned] = groups.root(i);
        const Sums& s = of_group.at(root);
        const bool clear = std::abs(s.up - s.down) > 1e-6 * (s.up + s.down);
        out.push_back((clear ? s.down > s.up : s.away < 0) != turned);
    }
    return out;
}

}  // namespace halvo
