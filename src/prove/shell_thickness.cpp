#include <halvo/thickness.hpp>

#include "core/index.hpp"
#include "core/parallel.hpp"
#include "geom/facet_tree.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double least_facing = 0.5;  // cosine between the element's normal and a side it may belong to
constexpr double beside = 0.55;       // an element may stand this many thicknesses off the middle: on a skin, or just outside

// A stretch of material on the line, lengths from its origin.
struct Stretch {
    double from = 0, to = 0;
};

class Line {
public:
    Line(const Body& body, const Vec3& origin, const Vec3& direction, double tiny) : body_(body), o_(origin), d_(direction), tiny_(tiny) {}

    // The stretch around the origin or next to it on either side, with both sides facing the line.
    std::optional<Stretch> material() const {
        const auto ahead = hit(0, 1), behind = hit(0, -1);
        if (ahead && behind && leaves(*ahead, 1) && leaves(*behind, -1)) return checked(at(*behind, -1), at(*ahead, 1), *behind, *ahead);
        std::optional<Stretch> best;
        for (const double sense : {1.0, -1.0}) {
            const auto& in = sense > 0 ? ahead : behind;
            if (!in || leaves(*in, sense)) continue;
            const auto out = hit(in->distance + 3 * tiny_, sense);
            if (!out) continue;
            const auto s = sense > 0 ? checked(at(*in, sense), at(*out, sense), *in, *out) : checked(at(*out, sense), at(*in, sense), *out, *in);
            if (s && (!best || std::min(std::abs(s->from), std::abs(s->to)) < std::min(std::abs(best->from), std::abs(best->to)))) best = s;
        }
        return best;
    }

private:
    std::optional<RayHit> hit(double beyond, double sense) const {
        // From a little before, so that an element on the very skin finds it.
        auto h = body_.tree->shoot(o_ + sense * (beyond - tiny_) * d_, sense * d_, 0);
        if (h) h->distance += beyond - tiny_;
        return h;
    }
    bool leaves(const RayHit& h, double sense) const { return body_.facet_normal(ix(h.facet)).dot(sense * d_) > 0; }

    // Where the line meets the exact surface behind the facet.
    double at(const RayHit& h, double sense) const {
        const SkinPoint p = body_.on_skin(ix(h.facet), o_ + sense * h.distance * d_);
        const double rate = p.normal.dot(d_);
        return std::abs(rate) > 0.1 ? (p.point - o_).dot(p.normal) / rate : sense * h.distance;
    }

    std::optional<Stretch> checked(double from, double to, const RayHit& first, const RayHit& last) const {
        for (const RayHit* h : {&first, &last})
            if (std::abs(body_.facet_normal(ix(h->facet)).dot(d_)) < least_facing) return std::nullopt;
        const double t = to - from;
        if (t <= tiny_ || std::abs(0.5 * (from + to)) > beside * t + tiny_) return std::nullopt;
        return Stretch{from, to};
    }

    const Body& body_;
    Vec3 o_, d_;
    double tiny_;
};

ShellThickness measure(const Assembly& solids, const std::vector<Vec3>& nodes, const std::array<std::int64_t, 4>& e) {
    const std::size_t n = e[3] < 0 ? 3 : 4;
    const auto node = [&](std::size_t k) -> const Vec3& { return nodes[static_cast<std::size_t>(e[k])]; };
    Vec3 centre = Vec3::Zero(), normal = Vec3::Zero();
    Box3 box;
    for (std::size_t k = 0; k < n; ++k) centre += node(k) / static_cast<double>(n), box.extend(node(k));
    for (std::size_t k = 0; k < n; ++k) normal += (node(k) - centre).cross(node((k + 1) % n) - centre);
    if (normal.norm() == 0) return {};
    normal.normalize();
    std::vector<Vec3> from{centre};
    for (std::size_t k = 0; k < n; ++k) from.push_back(0.45 * centre + 0.55 * node(k));
    ShellThickness best;
    const double tiny = 10 * solids.tolerance.point;
    for (std::size_t b = 0; b < solids.bodies.size(); ++b) {
        const Body& body = solids.bodies[b];
        if (!body.tree || body.facets.empty()) continue;
        Box3 near = body.box;
        near.min().array() -= 0.5 * body.box.sizes().maxCoeff(), near.max().array() += 0.5 * body.box.sizes().maxCoeff();
        if (!near.intersects(box)) continue;
        for (const Vec3& o : from)
            if (const auto s = Line(body, o, normal, tiny).material(); s && (!best.body || s->to - s->from < best.thickness * (1 - 1e-9)))
                best = {s->to - s->from, 0.5 * (s->from + s->to), BodyId(b)};
        // The middle of the element says most where it agrees.
        if (best.body == BodyId(b))
            if (const auto s = Line(body, centre, normal, tiny).material(); s && s->to - s->from < 1.2 * best.thickness)
                best = {s->to - s->from, 0.5 * (s->from + s->to), BodyId(b)};
    }
    return best;
}

}  // namespace

std::vector<ShellThickness> shell_thickness(const Assembly& solids, const std::vector<Vec3>& nodes, const std::vector<std::array<std::int64_t, 4>>& elements) {
    std::vector<ShellThickness> out(elements.size());
    parallel_for(elements.size(), [&](std::size_t i) { out[i] = measure(solids, nodes, elements[i]); });
    return out;
}

}  // namespace halvo
