#include "body/folds.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <iterator>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double shortest = 1;       // of its thickness: the width of a wall between two folds
constexpr double alike_thick = 1.5;  // times as thick: walls that a folded wall may go on in

class Folds {
public:
    Folds(Skin& skin, const std::vector<bool>& agreed) : next_(skin.neighbours), skin_(skin) {
        for (std::size_t k = 0; k < skin.pairs.size(); ++k) {
            const SkinPair& q = skin.pairs[k];
            if (q.wall || (agreed[k] && q.mean <= shortest * q.width)) of_faces_[{q.a, q.b}] = k;
        }
    }

    void run() {
        std::map<std::size_t, std::set<std::size_t>> on;  // pairs that short ones go on in
        for (const auto& [faces, k] : of_faces_)
            if (!skin_.pairs[k].wall) on[k] = goes_on_in(faces.first, faces.second);
        for (bool any = true; any;) {
            any = false;
            for (auto it = on.begin(); it != on.end();) {
                std::erase_if(it->second, [&](std::size_t o) { return !skin_.pairs[o].wall && !on.count(o); });
                any = any || it->second.size() < 2;
                it = it->second.size() < 2 ? on.erase(it) : std::next(it);
            }
        }
        for (bool any = true; any;) {
            any = false;
            for (const auto& [k, others] : on)
                if (!skin_.pairs[k].wall && std::any_of(others.begin(), others.end(), [&](std::size_t o) { return skin_.pairs[o].wall; }))
                    any = skin_.pairs[k].wall = true;
        }
    }

private:
    // Faces past the sharp edges of one; past outer ones also those beyond a round.
    [[nodiscard]] std::set<int> past(int face, bool convex) const {
        std::set<int> out;
        for (const FaceNeighbours::Link& l : next_.of[ix(face)]) {
            if (!l.smooth && l.convex == convex) out.insert(l.other);
            if (!l.smooth || !convex) continue;
            for (const FaceNeighbours::Link& m : next_.of[ix(l.other)])
                if (m.smooth && m.other != face) out.insert(m.other);
        }
        return out;
    }

    [[nodiscard]] std::set<std::size_t> goes_on_in(int a, int b) const {
        std::set<std::size_t> out;
        const double t = skin_.pairs[of_faces_.at({a, b})].mean;
        for (const bool turned : {false, true})
            for (int outer : past(turned ? b : a, true))
                for (int inner : past(turned ? a : b, false)) {
                    const auto it = of_faces_.find(std::minmax(outer, inner));
                    if (it == of_faces_.end()) continue;
                    const double other = skin_.pairs[it->second].mean;
                    if (std::max(t, other) < alike_thick * std::min(t, other)) out.insert(it->second);
                }
        return out;
    }

    const FaceNeighbours& next_;
    Skin& skin_;
    std::map<std::pair<int, int>, std::size_t> of_faces_;  // walls, and what would be walls but for their width
};

}  // namespace

void walls_between_folds(Skin& skin, const std::vector<bool>& agreed) {
    Folds(skin, agreed).run();
}

}  // namespace halvo
