#include "mend/cut_back.hpp"

#include "body/face_outlines.hpp"
#include "geom/facet_tree.hpp"

#include <halvo/cut.hpp>

namespace halvo {
namespace {

// Points on a body's skin: corners of its facets and their middles.
std::vector<Vec3> looks(const Body& b) {
    constexpr std::size_t most = 4000;  // facets that are looked at
    std::vector<Vec3> out = b.vertices;
    const std::size_t step = std::max<std::size_t>(1, b.facets.size() / most);
    for (std::size_t i = 0; i < b.facets.size(); i += step) {
        const auto& c = b.facets[i].corners;
        out.push_back((b.points[static_cast<std::size_t>(c[0])] + b.points[static_cast<std::size_t>(c[1])] + b.points[static_cast<std::size_t>(c[2])]) / 3);
    }
    return out;
}

// Deeper inside than the slack: 1; outside by more than it: -1; else 0.
int side_of(const Body& b, const Vec3& p, double slack) {
    Box3 box = b.box;
    box.min() -= Vec3::Constant(slack), box.max() += Vec3::Constant(slack);
    if (!box.contains(p)) return -1;
    if (b.tree->nearest(p, slack)) return 0;
    return b.tree->encloses(p) ? 1 : -1;
}

bool any_inside(const Body& body, const Body& other, double slack, Vec3* place = nullptr) {
    for (const Vec3& p : looks(body))
        if (side_of(other, p, slack) > 0) {
            if (place) *place = p;
            return true;
        }
    return false;
}

}  // namespace

std::optional<Vec3> run_into_each_other(const Body& a, const Body& b, double tol) {
    const double slack = 10 * tol;
    const Box3 common = a.box.intersection(b.box);
    if (common.isEmpty() || common.sizes().minCoeff() <= slack) return std::nullopt;
    Vec3 place = Vec3::Zero();
    return any_inside(a, b, slack, &place) || any_inside(b, a, slack, &place) ? std::optional(place) : std::nullopt;
}

CutBack cut_back(const Body& body, const Body& other, double tol) {
    CutBack out;
    const double slack = 10 * tol;
    for (const Face& f : other.faces) {
        const auto* plane = std::get_if<PlaneSurface>(&f.surface);
        if (!plane) continue;
        const Plane cut = Plane::through(plane->frame.origin, f.reversed ? Vec3(-plane->frame.z) : plane->frame.z);
        CutParts parts;
        try {
            parts = cut_by(body, cut, tol);
        } catch (const Error&) {
            continue;
        } catch (const NotLaid&) {
            continue;
        }
        if (!parts.crossed || !parts.front || !parts.back) continue;
        // All that goes lies in the other body, and nothing that stays.
        bool within = true;
        for (const Vec3& p : looks(*parts.back)) within = within && side_of(other, p, slack) >= 0;
        if (!within || any_inside(*parts.front, other, slack) || any_inside(other, *parts.front, slack)) continue;
        if (out.rest && parts.back->mass.volume >= out.lost) continue;
        out.lost = parts.back->mass.volume, out.rest = std::move(parts.front);
    }
    return out;
}

}  // namespace halvo
