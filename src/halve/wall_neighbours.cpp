#include "halve/wall_neighbours.hpp"

#include "core/index.hpp"
#include "geom/facet_tree.hpp"
#include "halve/limits.hpp"

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {}  // namespace

Box3 widened(Box3 b, double by) {
    b.min().array() -= by, b.max().array() += by;
    return b;
}

std::set<int> going_on(const WallSurface& w) {
    std::set<int> out(w.tops.begin(), w.tops.end()), down(w.bottoms.begin(), w.bottoms.end());
    if (!w.field.ridge) out.merge(down);
    return w.field.ridge && down.size() == 1 ? down : out;
}

void find_neighbours(const Skin& skin, std::vector<WallSurface>& walls) {
    std::map<int, std::set<std::size_t>> at_face;
    for (WallSurface& w : walls) w.near.clear(), w.beside.clear(), w.smooth.clear();
    for (std::size_t i = 0; i < walls.size(); ++i)
        if (!walls[i].aside)
            for (int f : going_on(walls[i])) at_face[f].insert(i);
    for (std::size_t i = 0; i < walls.size(); ++i) {
        if (walls[i].aside) continue;
        std::set<std::size_t> smooth;
        for (int f : going_on(walls[i]))
            for (const auto& l : skin.neighbours.of[ix(f)])
                if (const auto it = at_face.find(l.other); l.smooth && it != at_face.end()) smooth.insert(it->second.begin(), it->second.end());
        smooth.erase(i);
        // A wall takes but a part of a large face: what that goes on in elsewhere is none of it.
        std::erase_if(smooth, [&](std::size_t j) {
            const WallSurface &a = walls[i], &b = walls[j];
            return !a.box.isEmpty() && !b.box.isEmpty() && !widened(a.box, a.thickest + b.thickest).intersects(b.box);
        });
        walls[i].smooth.assign(smooth.begin(), smooth.end());
    }
    // Boxes along x, so that only walls that may touch are compared.
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < walls.size(); ++i)
        if (!walls[i].aside && !walls[i].box.isEmpty()) order.push_back(i);
    const auto low = [&](std::size_t i) { return walls[i].box.min().x() - walls[i].thickest; };
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return low(a) < low(b); });
    for (std::size_t k = 0; k < order.size(); ++k)
        for (std::size_t m = k + 1; m < order.size() && low(order[m]) <= walls[order[k]].box.max().x() + walls[order[k]].thickest; ++m) {
            WallSurface &a = walls[order[k]], &b = walls[order[m]];
            if (a.wall->twin == static_cast<int>(order[m])) continue;  // two halves of a ball
            if (!widened(a.box, a.thickest + b.thickest).intersects(b.box)) continue;
            const bool linked = std::find(a.smooth.begin(), a.smooth.end(), order[m]) != a.smooth.end();
            const bool flat = a.chart.flat() && b.chart.flat();
            const bool along = flat && a.chart.plane().z.cross(b.chart.plane().z).norm() < least_crossing;
            if (along && std::abs(a.chart.height(b.chart.plane().origin)) >= a.thickest + b.thickest) continue;
            if (along || !flat) a.beside.push_back(order[m]), b.beside.push_back(order[k]);
            if (!along && !linked) a.near.push_back(order[m]), b.near.push_back(order[k]);
        }
    for (WallSurface& w : walls) std::sort(w.near.begin(), w.near.end()), std::sort(w.beside.begin(), w.beside.end());
}

bool foreign(const Body& body, const std::vector<WallSurface>& walls, std::size_t i, const Vec3& p, double tol) {
    const WallSurface& w = walls[i];
    if (supported(body, w, p)) return false;
    const Vec3 n = w.chart.normal(p);
    // A smooth neighbour takes over where its own sides do, at whatever angle its midsurface has come to by then.
    const auto taken = [&](std::size_t j, bool along) {
        const WallSurface& o = walls[j];
        if (!widened(o.box, o.thickest).contains(p)) return false;
        const SkinPoint f = o.chart.on(p);
        if ((p - f.point).norm() > 0.5 * o.thickest + tol || (along && f.normal.cross(n).norm() >= least_crossing)) return false;
        return supported(body, o, f.point);
    };
    for (std::size_t j : w.beside)
        if (taken(j, true)) return true;
    for (std::size_t j : w.smooth)
        if (taken(j, false)) return true;
    const auto up = body.tree->shoot(p, n, 0), down = body.tree->shoot(p, -n, 0);
    const double filled = (up ? up->distance : 0) + (down ? down->distance : 0);
    return filled < filled_share * w.field.at(w.chart, w.chart.local2(p));
}

bool bend_between(const std::vector<WallSurface>& walls, std::size_t i, std::size_t j, const Vec3& at) {
    return std::any_of(walls[i].smooth.begin(), walls[i].smooth.end(), [&](std::size_t s) {
        // Bends along two edges of one flat floor run into each other at its corner.
        if (walls[s].chart.flat() && !walls[i].chart.flat() && !walls[j].chart.flat()) return false;
        return std::find(walls[j].smooth.begin(), walls[j].smooth.end(), s) != walls[j].smooth.end() &&
               walls[s].box.squaredExteriorDistance(at) <= walls[s].thickest * walls[s].thickest;
    });
}

std::vector<std::size_t> near_at(const std::vector<WallSurface>& walls, std::size_t i, const Vec3& p) {
    std::vector<std::size_t> out;
    for (std::size_t j : walls[i].near) {
        const double both = walls[i].thickest + walls[j].thickest;
        if (walls[j].box.squaredExteriorDistance(p) <= both * both && std::abs(walls[j].chart.height(p)) <= both) out.push_back(j);
    }
    return out;
}

bool goes_on_all_round(const Skin& skin, const std::vector<WallSurface>& walls, std::size_t i) {
    const WallSurface& w = walls[i];
    if (w.chart.flat()) return false;
    std::set<int> own(w.tops.begin(), w.tops.end()), others;
    own.insert(w.bottoms.begin(), w.bottoms.end());
    for (std::size_t j : w.smooth)
        for (const std::vector<int>* faces : {&walls[j].tops, &walls[j].bottoms}) others.insert(faces->begin(), faces->end());
    return std::all_of(own.begin(), own.end(), [&](int f) {
        const auto& links = skin.neighbours.of[ix(f)];
        return std::all_of(links.begin(), links.end(), [&](const auto& l) { return own.count(l.other) > 0 || others.count(l.other) > 0; });
    });
}

bool fills_corner(const Skin& skin, const std::vector<WallSurface>& walls, std::size_t i) {
    return std::holds_alternative<FreeSurface>(walls[i].chart.surface()) && goes_on_all_round(skin, walls, i);
}

}  // namespace halvo
