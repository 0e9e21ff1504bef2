// Holes, and what is raised from a face or sunk into it: faces that are reached through a loop inside of one and lead nowhere else.
#include "core/index.hpp"
#include "geom/outline.hpp"
#include "strip/finders.hpp"

#include <halvo/chart.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {

Vec3 Searched::middle(int face) const {
    const Face& f = body.faces[ix(face)];
    Box3 box;
    for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
        for (int c : body.facets[i].corners) box.extend(body.points[ix(c)]);
    return box.isEmpty() ? body.mass.centre : Vec3(box.center());
}

namespace {

constexpr double most_area = 0.5;         // of the body's: more is the body itself, seen from the other side
constexpr double most_extent = 0.5;       // of the body's: wider ones are its shape
constexpr double deep = 0.5;              // of its width: a hollow that is less deep is sunk rather than a hole
constexpr std::size_t most_faces = 2000;  // of one feature

struct Loop {
    int face = -1, loop = -1;
    friend auto operator<=>(const Loop&, const Loop&) = default;
};

class Islands {
public:
    explicit Islands(const Searched& s) : s_(s), uses_(s.body.edges.size()) {
        for (std::size_t f = 0; f < s.body.faces.size(); ++f)
            for (std::size_t l = 0; l < s.body.faces[f].loops.size(); ++l)
                for (const Coedge& c : s.body.faces[f].loops[l]) uses_[c.edge.index()].push_back({static_cast<int>(f), static_cast<int>(l)});
        extent_ = s.body.box.isEmpty() ? 0 : s.body.box.diagonal().norm();
    }

    std::vector<Feature> run() {
        find_inner();
        std::vector<Island> all;
        std::set<std::vector<int>> known;
        for (const Loop& l : inner_)
            if (auto k = behind(l); k && known.insert(k->faces).second) all.push_back(std::move(*k));
        std::vector<Feature> out;
        for (const Island& k : all)
            if (auto f = feature_of(k)) out.push_back(std::move(*f));
        drop_parts(out);
        return out;
    }

private:
    struct Island {
        std::vector<int> faces;
        std::vector<Loop> hosts;  // the loops it lies behind
    };

    // Loops that run round something that is not of their face.
    void find_inner() {
        for (std::size_t f = 0; f < s_.body.faces.size(); ++f) {
            const Face& face = s_.body.faces[f];
            if (face.loops.size() < 2) continue;
            for (std::size_t l = 0; l < face.loops.size(); ++l)
                if (runs_round(face, face.loops[l])) inner_.insert({static_cast<int>(f), static_cast<int>(l)});
        }
    }

    [[nodiscard]] std::vector<Vec3> points_of(const std::vector<Coedge>& loop) const {
        constexpr int pieces = 12;  // of an edge
        std::vector<Vec3> out;
        for (const Coedge& c : loop) {
            const Curve& k = s_.body.edges[c.edge.index()].curve;
            for (int i = 0; i < pieces; ++i) {
                const double w = static_cast<double>(i) / pieces;
                out.push_back(k.point(k.t0 + (c.reversed ? 1 - w : w) * (k.t1 - k.t0)));
            }
        }
        return out;
    }

    [[nodiscard]] bool runs_round(const Face& face, const std::vector<Coedge>& loop) const {
        std::set<int> once;
        for (const Coedge& c : loop)
            if (s_.body.edges[c.edge.index()].degenerate || !once.insert(c.edge.value).second) return false;  // with a seam: all round the surface
        const std::vector<Vec3> points = points_of(loop);
        Box3 box;
        for (const Vec3& p : points) box.extend(p);
        const Chart chart(face.surface, box.center(), face.reversed);
        std::vector<Vec2> outline;
        for (const Vec3& p : points) outline.push_back(outline.empty() ? chart.local2(p) : chart.local2(p, outline.back()));
        return polygon_area(outline) < 0;
    }

    // All faces behind a loop, up to other loops inside of faces; nothing where that is most of the body, or leads back to the loop's own face.
    [[nodiscard]] std::optional<Island> behind(const Loop& from) const {
        std::set<int> seen;
        std::set<Loop> hosts{from};
        std::vector<int> queue;
        double area = 0;
        const auto enter = [&](int edge, int but) {
            for (const Loop& u : uses_[ix(edge)]) {
                if (u.face == but || seen.count(u.face)) continue;
                if (inner_.count(u)) hosts.insert(u);
                else seen.insert(u.face), queue.push_back(u.face);
            }
        };
        for (const Coedge& c : s_.body.faces[ix(from.face)].loops[ix(from.loop)]) enter(c.edge.value, from.face);
        for (std::size_t i = 0; i < queue.size(); ++i) {
            const Face& f = s_.body.faces[ix(queue[i])];
            area += f.area;
            if (queue.size() > most_faces || area > most_area * s_.body.mass.area) return std::nullopt;
            for (const auto& loop : f.loops)
                for (const Coedge& c : loop) enter(c.edge.value, queue[i]);
        }
        for (const Loop& h : hosts) {
            if (seen.count(h.face)) {
                // A step within it: not a host, but a place further in.
                if (h == from) return std::nullopt;
                continue;
            }
            for (const Coedge& c : s_.body.faces[ix(h.face)].loops[ix(h.loop)])
                for (const Loop& u : uses_[c.edge.index()])
                    if (u != h && !seen.count(u.face)) return std::nullopt;
        }
        Island out;
        out.faces.assign(seen.begin(), seen.end());
        for (const Loop& h : hosts)
            if (!seen.count(h.face)) out.hosts.push_back(h);
        return out;
    }

    // What is a part of another (the bore of a stepped hole) is told of with it.
    static void drop_parts(std::vector<Feature>& all) {
        std::map<int, std::vector<std::size_t>> with;
        for (std::size_t i = 0; i < all.size(); ++i)
            for (int f : all[i].faces) with[f].push_back(i);
        std::vector<bool> part(all.size(), false);
        for (std::size_t i = 0; i < all.size(); ++i)
            for (std::size_t k : with[all[i].faces[0]])
                part[i] = part[i] || (all[k].faces.size() > all[i].faces.size() &&
                                      std::includes(all[k].faces.begin(), all[k].faces.end(), all[i].faces.begin(), all[i].faces.end()));
        std::vector<Feature> left;
        for (std::size_t i = 0; i < all.size(); ++i)
            if (!part[i]) left.push_back(std::move(all[i]));
        all = std::move(left);
    }

    [[nodiscard]] std::optional<Feature> feature_of(const Island& k) const {
        const Face& host = s_.body.faces[ix(k.hosts[0].face)];
        const BaseSurface base(host.surface);
        double low = 0, high = 0;
        Box3 box;
        for (int f : k.faces) {
            const Face& face = s_.body.faces[ix(f)];
            for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i)
                for (int c : s_.body.facets[i].corners) {
                    const Vec3& p = s_.body.points[ix(c)];
                    const SkinPoint foot = base.foot(p);
                    const double h = (host.reversed ? -1 : 1) * (p - foot.point).dot(foot.normal);
                    low = std::min(low, h), high = std::max(high, h), box.extend(p);
                }
        }
        if (box.isEmpty()) return std::nullopt;
        Feature out;
        out.faces = k.faces, out.place = box.center();
        double widest = 0;
        for (const Loop& h : k.hosts) widest = std::max(widest, width_of(h));
        if (widest > most_extent * extent_ || (k.hosts.size() == 1 && std::max(high, -low) <= 10 * s_.tol)) return std::nullopt;
        // What turns towards the host's own inside by a hair is the chord of a curved one.
        const bool out_of = high > -low;
        if (k.hosts.size() == 1 && (out_of || -low < deep * widest) && !(round(k, out) && -low > high && -low >= deep * out.size)) {
            out.kind = out_of ? FeatureKind::raised : FeatureKind::sunk;
            out.size = std::max(high, -low), out.form = fmt::format("{} faces", k.faces.size());
            return out;
        }
        if (out_of && k.hosts.size() > 1) return std::nullopt;  // a bridge, a handle
        out.kind = FeatureKind::hole;
        const std::string depth = k.hosts.size() > 1 ? "through" : "blind";
        if (!round(k, out)) {
            out.size = widest;
            out.form = (slotted(k) ? "slotted " : "outlined ") + depth;
        } else {
            out.form += depth;
        }
        return out;
    }

    // The largest extent of a loop.
    [[nodiscard]] double width_of(const Loop& l) const {
        const auto points = points_of(s_.body.faces[ix(l.face)].loops[ix(l.loop)]);
        Box3 box;
        for (const Vec3& p : points) box.extend(p);
        double r = 0;
        for (const Vec3& p : points) r = std::max(r, (p - box.center()).norm());
        return 2 * r;
    }

    // Cylinders and cones on one axis alone, with floors across it: the narrowest is the bore.
    bool round(const Island& k, Feature& out) const {
        double least = std::numeric_limits<double>::max(), largest = 0;
        bool any = false, cone = false;
        Frame axis;
        const auto on_axis = [&](const Frame& f, double r) {
            if (!any) axis = f, any = true;
            return axis.z.cross(f.z).norm() < 1e-6 && axis.local2(f.origin).norm() < 1e-6 * r + 10 * s_.tol;
        };
        for (int f : k.faces) {
            const Face& face = s_.body.faces[ix(f)];
            if (const auto* c = std::get_if<CylinderSurface>(&face.surface)) {
                if (!face.reversed || !on_axis(c->frame, c->radius)) return false;
                least = std::min(least, c->radius), largest = std::max(largest, c->radius);
            } else if (const auto* n = std::get_if<ConeSurface>(&face.surface)) {
                if (!on_axis(n->frame, std::max(n->radius, s_.tol))) return false;
                cone = true;
            }
        }
        if (!any || largest == 0) return false;
        for (int f : k.faces) {
            const Face& face = s_.body.faces[ix(f)];
            if (const auto* p = std::get_if<PlaneSurface>(&face.surface)) {
                if (p->frame.z.cross(axis.z).norm() > 1e-6 && k.hosts.size() < 2) return false;
            } else if (std::holds_alternative<FreeSurface>(face.surface)) {
                return false;
            }
        }
        out.size = 2 * least, out.axis = axis.z;
        const Vec3 d = out.place - axis.origin;
        out.place = axis.origin + d.dot(axis.z) * axis.z;
        double widest = 0;
        for (const Loop& h : k.hosts) widest = std::max(widest, width_of(h));
        out.form = cone && widest > 2 * least * (1 + 1e-6) ? "countersunk " : largest > least * (1 + 1e-6) ? "counterbored " : "round ";
        return true;
    }

    // Two half cylinders of one radius and two planes between them.
    [[nodiscard]] bool slotted(const Island& k) const {
        std::vector<const CylinderSurface*> ends;
        int planes = 0;
        for (int f : k.faces) {
            const Face& face = s_.body.faces[ix(f)];
            if (const auto* c = std::get_if<CylinderSurface>(&face.surface)) ends.push_back(c);
            else if (std::holds_alternative<PlaneSurface>(face.surface)) ++planes;
            else return false;
        }
        if (ends.size() < 2 || planes < 2) return false;
        return std::all_of(ends.begin(), ends.end(),
                           [&](const auto* c) {
                               return std::abs(c->radius - ends[0]->radius) < 1e-6 * c->radius && c->frame.z.cross(ends[0]->frame.z).norm() < 1e-6;
                           }) &&
               planes <= 3;
    }

    const Searched& s_;
    std::vector<std::vector<Loop>> uses_;  // of edges
    std::set<Loop> inner_;
    double extent_ = 0;
};

}  // namespace

std::vector<Feature> find_islands(const Searched& s) {
    return Islands(s).run();
}

}  // namespace halvo
