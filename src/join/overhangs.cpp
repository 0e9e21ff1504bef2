// Which overhangs joints cut. A sheet that runs on past a joint, no further than through the thickness of what it is joined to, ends at the
// joint; and it ends there all along its side, or nowhere: cut in part, its border would get a step of half a thickness, too small to mesh.
#include "join/steps.hpp"

#include <algorithm>

namespace halvo {
namespace {

// Share of a side that joints along one line must take for all of the side to end there.
constexpr double most_of_side = 0.5;

// A side of the sheet beside a seam line: where it is along the line.
struct SheetSide {
    double lo, hi;
    bool above;  // on the side of the partner's normal
};

class Overhangs {
public:
    Overhangs(const Model& model, JoinWork& work, std::size_t s) : state_(work.sheets[s]), model_(model), work_(work), sheet_(model.sheets[s]) {
        for (const SheetState& o : work.sheets) thickest_ = std::max(thickest_, o.thickest);
    }

    void settle() {
        const std::vector<SheetState::Trim> trims = state_.trims;
        for (std::size_t i = 0; i < trims.size(); ++i)
            for (const SheetSide& side : sides_beyond(trims[i])) settle(i, side, trims);
    }

private:
    // Straight borders along the line, within the partner's thickness of it; pieces that go on in each other are one side.
    std::vector<SheetSide> sides_beyond(const SheetState::Trim& t) const {
        const Sheet& other = model_.sheets[ix(t.partner)];
        const Vec3 across = sheet_.chart.plane().z.cross(t.direction).normalized();
        const double sine = std::abs(other.chart.plane().z.dot(across)), reach = (work_.sheets[ix(t.partner)].deepest + work_.reach) / std::max(sine, 1e-3);
        const bool with_normal = other.chart.plane().z.dot(across) > 0;
        std::vector<SheetSide> out;
        for (const BoundaryEdge& e : state_.edges) {
            const Vec3 run = (e.to - e.from).normalized();
            if (run.cross(t.direction).norm() > work_.tol / std::max((e.to - e.from).norm(), work_.tol) + 1e-6) continue;
            const double off = (e.from - t.point).dot(across);
            if (std::abs(off) > reach || std::abs(off) <= 10 * work_.tol || e.out.dot(across) * off <= 0 || state_.extended.count(e.edge.value)) continue;
            const double a = (e.from - t.point).dot(t.direction), b = (e.to - t.point).dot(t.direction);
            out.push_back({std::min(a, b), std::max(a, b), (off > 0) == with_normal});
        }
        std::sort(out.begin(), out.end(), [](const SheetSide& x, const SheetSide& y) { return std::pair(x.above, x.lo) < std::pair(y.above, y.lo); });
        std::vector<SheetSide> whole;
        for (const SheetSide& s : out)
            if (!whole.empty() && whole.back().above == s.above && s.lo <= whole.back().hi + 10 * work_.tol) whole.back().hi = std::max(whole.back().hi, s.hi);
            else whole.push_back(s);
        return whole;
    }

    void settle(std::size_t i, const SheetSide& side, const std::vector<SheetState::Trim>& trims) {
        const SheetState::Trim& t = trims[i];
        if (std::min(t.hi, side.hi) - std::max(t.lo, side.lo) <= 10 * work_.tol) return;
        double taken = 0, lo = side.hi, hi = side.lo;
        for (const SheetState::Trim& k : trims) {
            if (k.direction.cross(t.direction).norm() > 1e-6 || (k.point - t.point).cross(t.direction).norm() > 10 * work_.tol) continue;
            const double shift = (k.point - t.point).dot(t.direction), turn = k.direction.dot(t.direction) < 0 ? -1.0 : 1.0;
            const double a = std::max(side.lo, std::min(shift + turn * k.lo, shift + turn * k.hi)),
                         b = std::min(side.hi, std::max(shift + turn * k.lo, shift + turn * k.hi));
            if (b > a) taken += b - a, lo = std::min(lo, a), hi = std::max(hi, b);
        }
        SheetState::Trim& mine = state_.trims[i];
        if (taken < most_of_side * (side.hi - side.lo)) {
            (side.above ? mine.above : mine.below) = false;
            return;
        }
        // Past the ends of the side too: what its neighbours were carried on by there.
        const double past = 0.5 * thickest_ + work_.reach;
        mine.lo = std::min(mine.lo, side.lo - past), mine.hi = std::max(mine.hi, side.hi + past);
        if (lo <= side.lo + 10 * work_.tol && hi >= side.hi - 10 * work_.tol) return;
        state_.curves.push_back(work_.add_curve(Curve::segment(t.point + side.lo * t.direction, t.point + side.hi * t.direction)));
    }

    static std::size_t ix(int i) { return static_cast<std::size_t>(i); }

    SheetState& state_;
    const Model& model_;
    JoinWork& work_;
    const Sheet& sheet_;
    double thickest_ = 0;
};

}  // namespace

void settle_overhangs(const Model& model, JoinWork& work) {
    for (std::size_t s = 0; s < work.sheets.size(); ++s)
        if (!work.sheets[s].trims.empty()) Overhangs(model, work, s).settle();
}

}  // namespace halvo
