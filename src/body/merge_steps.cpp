#include "body/merge_steps.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

namespace halvo {
namespace {

class StepMerger {
public:
    StepMerger(const Body& body, const Skin& skin, const std::function<double(double)>& like) : body_(body), skin_(skin), like_(like) {}

    // Where two walls run side by side and hang together through a step, they are one with a thickness that jumps. The
    // midsurface is that of the larger one where it lies well inside both, or else the middle of what both have in common.
    void run(std::vector<Wall>& walls, const std::vector<bool>& thin) const {
        std::map<int, std::set<std::size_t>> at_face;  // walls at each face
        for (std::size_t i = 0; i < walls.size(); ++i)
            for (const FacePair& p : walls[i].pairs)
                if (thin[i]) at_face[p.top].insert(i), at_face[p.bottom].insert(i);
        for (std::size_t i = 0; i < walls.size(); ++i) {
            if (!thin[i] || walls[i].pairs.empty()) continue;
            for (bool again = true; again;) {
                again = false;
                for (std::size_t j : hanging_at(walls[i], at_face)) {
                    if (j <= i || walls[j].pairs.empty()) continue;
                    const bool other_first = walls[j].area > walls[i].area * (1 + 1e-9);
                    Wall &a = other_first ? walls[j] : walls[i], &b = other_first ? walls[i] : walls[j];
                    const auto chart = common_chart(a, b);
                    if (!chart) continue;
                    for (const FacePair& p : walls[j].pairs) at_face[p.top].insert(i), at_face[p.bottom].insert(i);
                    merge(a, std::move(b), *chart);
                    if (other_first) walls[i] = std::move(a);
                    walls[j].pairs.clear();
                    again = true;  // those passed over may fit now
                    break;
                }
            }
        }
    }

private:
    // Walls with a common face, faces that go on from one to the other, or both beside one riser.
    std::set<std::size_t> hanging_at(const Wall& w, const std::map<int, std::set<std::size_t>>& at_face) const {
        std::set<std::size_t> out;
        std::set<int> own;
        const auto take = [&](int f) {
            if (const auto it = at_face.find(f); it != at_face.end()) out.insert(it->second.begin(), it->second.end());
        };
        for (const FacePair& p : w.pairs) own.insert(p.top), own.insert(p.bottom);
        for (int f : own) {
            take(f);
            for (const auto& l : skin_.neighbours.of[ix(f)]) {
                take(l.other);
                if (own.count(l.other)) continue;
                for (const auto& m : skin_.neighbours.of[ix(l.other)]) take(m.other);
            }
        }
        return out;
    }

    struct Slab {
        double low = 0, high = 0;  // heights of both sides over the chart
    };
    Slab slab(const Chart& chart, const FacePair& p) const {
        const Vec3 at = chart.foot(p.seen[p.seen.size() / 2]), n = chart.normal(at);
        const double u = BaseSurface(body_.faces[ix(p.top)].surface).along(at, n), v = BaseSurface(body_.faces[ix(p.bottom)].surface).along(at, n);
        return {std::min(u, v), std::max(u, v)};
    }

    // The midsurface both walls may have: that of `a`, or the middle of what all their slabs have in common.
    std::optional<Chart> common_chart(const Wall& a, const Wall& b) const {
        const double tol = like_(std::min(a.thickness, b.thickness));
        // The same kind of surface at another height?
        const Vec3 there = b.chart.foot(b.pairs[0].seen[0]);
        if (a.chart.normal(there).cross(b.chart.normal(there)).norm() > 1e-3) return std::nullopt;
        const double shift = a.chart.height(there);
        if (std::abs(shift) > a.thickest + b.thickest) return std::nullopt;
        double reach = b.thickness;
        for (const FacePair& p : b.pairs)
            for (const Vec3& q : p.seen) reach = std::max(reach, (q - there).norm());
        const auto moved = offset_surface(a.chart.surface(), a.chart.reversed() ? -shift : shift);
        if (!moved || !same_surface(*moved, b.chart.surface(), there, reach, tol)) return std::nullopt;
        Slab common{-1e300, 1e300};
        double thinnest = std::numeric_limits<double>::max();
        for (const Wall* w : {&a, &b})
            for (const FacePair& p : w->pairs) {
                const Slab s = slab(a.chart, p);
                common.low = std::max(common.low, s.low), common.high = std::min(common.high, s.high);
                thinnest = std::min(thinnest, s.high - s.low);
            }
        if (common.high - common.low < 0.5 * thinnest) return std::nullopt;
        const double margin = 0.2 * thinnest;
        if (common.low <= -margin && common.high >= margin) return a.chart;
        const double to = 0.5 * (common.low + common.high);
        const auto mid = offset_surface(a.chart.surface(), a.chart.reversed() ? -to : to);
        if (!mid) return std::nullopt;
        return Chart(*mid, a.chart.plane().origin, a.chart.reversed());
    }

    void merge(Wall& a, Wall b, const Chart& chart) const {
        a.chart = chart;
        a.thickness = (a.thickness * a.area + b.thickness * b.area) / (a.area + b.area);
        a.area += b.area, a.width = std::max(a.width, b.width);
        a.thinnest = std::min(a.thinnest, b.thinnest), a.thickest = std::max(a.thickest, b.thickest);
        for (FacePair& p : b.pairs) {
            if (turned(body_, a.chart, p)) std::swap(p.top, p.bottom);
            a.pairs.push_back(std::move(p));
        }
    }

    const Body& body_;
    const Skin& skin_;
    const std::function<double(double)>& like_;
};

}  // namespace

bool turned(const Body& body, const Chart& chart, const FacePair& p) {
    const Face& top = body.faces[ix(p.top)];
    const Vec3 at = chart.foot(p.seen[p.seen.size() / 2]);
    const SkinPoint f = BaseSurface(top.surface).foot(at);
    return chart.normal(at).dot(top.reversed ? Vec3(-f.normal) : f.normal) < 0;
}

void merge_steps(const Body& body, const Skin& skin, const std::function<double(double)>& like, std::vector<Wall>& walls, const std::vector<bool>& thin) {
    StepMerger(body, skin, like).run(walls, thin);
}

}  // namespace halvo
