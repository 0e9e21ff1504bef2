#include "halve/bores.hpp"

#include "core/index.hpp"
#include "core/parallel.hpp"
#include "geom/facet_tree.hpp"
#include "halve/limits.hpp"
#include "halve/wall_neighbours.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

std::vector<bool> sides_of_walls(const Body& body, const std::vector<WallSurface>& walls) {
    std::vector<bool> out(body.faces.size(), false);
    for (const WallSurface& w : walls)
        for (const auto* sides : {&w.tops, &w.bottoms})
            for (int f : *sides) out[ix(f)] = true;
    return out;
}

}  // namespace

Bores::Bores(const Body& body, const BodyBoxes& boxes, const std::vector<WallSurface>& walls, double tol)
    : body_(body), walls_(walls), tol_(tol), is_side_(sides_of_walls(body, walls)) {
    std::vector<int> others;
    for (std::size_t f = 0; f < is_side_.size(); ++f)
        if (!is_side_[f]) others.push_back(static_cast<int>(f));
    std::vector<std::vector<Box3>> found(walls.size());
    parallel_for(walls.size(), [&](std::size_t i) { found[i] = ceilings_of(walls[i], others, boxes); });
    for (const auto& list : found) ceilings_.emplace_back(list);
}

// A ray along the normal meets a void of the wall at skin over the midsurface that looks down on it, and at skin under it that looks up.
std::vector<Box3> Bores::ceilings_of(const WallSurface& w, const std::vector<int>& faces, const BodyBoxes& boxes) const {
    const Box3 near = widened(w.box, w.thickest + tol_);
    const auto looks_at_middle = [&](std::size_t i) {
        const Vec3 out = body_.facet_normal(i);
        const auto& corners = body_.facets[i].corners;
        return std::any_of(corners.begin(), corners.end(), [&](int c) {
            const SkinPoint foot = w.chart.on(body_.points[ix(c)]);
            const double h = (body_.points[ix(c)] - foot.point).dot(foot.normal);
            return std::abs(h) <= w.thickest + tol_ && h * out.dot(foot.normal) < 0;
        });
    };
    std::vector<Box3> out;
    for (const int f : faces) {
        if (!near.intersects(boxes.faces[ix(f)])) continue;
        const Face& face = body_.faces[ix(f)];
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            Box3 box;
            for (const int c : body_.facets[i].corners) box.extend(body_.points[ix(c)]);
            if (!near.intersects(box) || !looks_at_middle(i)) continue;
            // It is met from along the wall's normal; on curved walls that is not everywhere the same.
            const Vec3 reach = w.thickest * (w.chart.flat() ? Vec3(w.chart.plane().z.cwiseAbs()) : Vec3::Ones()) + tol_ * Vec3::Ones();
            out.emplace_back(box.min() - reach, box.max() + reach);
        }
    }
    return out;
}

std::optional<VoidInside> Bores::at(std::size_t i, const Vec3& p) const {
    const WallSurface& w = walls_[i];
    if (!ceilings_[i].touched_by(p)) return std::nullopt;
    const Vec3 n = w.chart.normal(p);
    const auto along = [&](std::size_t up) { return up ? n : Vec3(-n); };
    VoidInside out;
    std::array<double, 2> in{};
    for (const std::size_t up : {1U, 0U}) {
        const auto ceiling = body_.tree->shoot(p, along(up), 0, w.thickest);
        if (!ceiling || is_side_[ix(out.faces[up] = body_.facets[ix(ceiling->facet)].face)]) return std::nullopt;
        out.depth += in[up] = ceiling->distance;
    }
    const double half = 0.5 * w.field.at(w.chart, w.chart.local2(p));
    if (in[0] > half || in[1] > half || out.depth > most_of_void * 2 * half) return std::nullopt;
    bool any = false;
    for (const std::size_t up : {1U, 0U}) {
        const auto skin = body_.tree->shoot(p, along(up), in[up] + 10 * tol_);
        if (!skin || skin->distance < half - 10 * tol_) return std::nullopt;
        const auto& side = up ? w.tops : w.bottoms;
        const bool own = std::find(side.begin(), side.end(), body_.facets[ix(skin->facet)].face) != side.end();
        any = any || own, out.own = out.own && own;  // over the foot of a rib the material goes on
    }
    return any ? std::optional(out) : std::nullopt;
}

bool Bores::hold(std::size_t i, const Vec3& p) const {
    if (at(i, p)) return true;
    return std::any_of(walls_[i].near.begin(), walls_[i].near.end(), [&](std::size_t j) {
        const WallSurface& w = walls_[j];
        if (!widened(w.box, w.thickest).contains(p)) return false;
        if (std::abs(w.chart.height(p)) > 0.5 * w.thickest + tol_) return false;
        const Vec3 foot = w.chart.foot(p);
        return !in_material(body_, w, foot) && at(j, foot) && (p - foot).norm() <= 0.5 * w.field.at(w.chart, w.chart.local2(foot)) + tol_;
    });
}

}  // namespace halvo
