// Holes, and what is raised from a face or sunk into it: faces that are reached through a loop inside of one and lead nowhere else.
#include "body/features.hpp"
#include "body/trace_loops.hpp"
#include "core/index.hpp"
#include "geom/outline.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
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

constexpr double most_area = 0.2;                // of the body's: more is its shape, or the body itself seen from the other side
constexpr double most_extent = 0.5;              // of the body's: wider ones are its shape
constexpr double deep = 0.5;                     // of its width: a hollow that is less deep is sunk rather than a hole
constexpr std::size_t most_island_faces = 2000;  // of one feature

// Coedges of a face that follow each other, seams left out: where a seam runs through a hole, the hole's border is one loop still.
struct Loop {
    int face = -1;
    std::vector<Coedge> edges;
};

class Islands {
public:
    explicit Islands(const Searched& s) : s_(s), at_edge_(s.body.edges.size()) {
        for (std::size_t f = 0; f < s.body.faces.size(); ++f) add_loops(static_cast<int>(f));
        extent_ = s.body.box.isEmpty() ? 0 : s.body.box.diagonal().norm();
    }

    std::vector<Feature> run() {
        std::vector<Island> all;
        std::set<std::vector<int>> known;
        for (std::size_t l = 0; l < loops_.size(); ++l)
            if (inner_[l])
                if (auto k = behind(l); k && known.insert(k->faces).second) all.push_back(std::move(*k));
        std::vector<Feature> out;
        for (const Island& k : all)
            if (auto f = feature_of(k)) out.push_back(std::move(*f));
        drop_parts(out);
        add_bores(out);
        return out;
    }

private:
    struct Island {
        std::vector<int> faces;
        std::vector<std::size_t> hosts;  // the loops it lies behind
    };

    [[nodiscard]] int end_of(const Coedge& c, bool end) const { return s_.body.edges[c.edge.index()].vertices[c.reversed == end ? 0 : 1]; }

    void add_loops(int face) {
        std::map<int, int> uses;
        const Face& f = s_.body.faces[ix(face)];
        for (const auto& loop : f.loops)
            for (const Coedge& c : loop) ++uses[c.edge.value];
        std::vector<Coedge> list;
        std::multimap<int, std::size_t> from;
        for (const auto& loop : f.loops)
            for (const Coedge& c : loop)
                if (uses[c.edge.value] == 1 && !s_.body.edges[c.edge.index()].degenerate) from.emplace(end_of(c, false), list.size()), list.push_back(c);
        std::vector<bool> used(list.size(), false);
        const std::size_t before = loops_.size();
        for (std::size_t first = 0; first < list.size(); ++first) {
            if (used[first]) continue;
            Loop loop{face, {}};
            for (std::size_t i = first;;) {
                used[i] = true, loop.edges.push_back(list[i]);
                const auto [lo, hi] = from.equal_range(end_of(list[i], true));
                const auto next = std::find_if(lo, hi, [&](const auto& k) { return !used[k.second]; });
                if (next == hi) break;
                i = next->second;
            }
            for (const Coedge& c : loop.edges) at_edge_[c.edge.index()].push_back(loops_.size());
            loops_.push_back(std::move(loop));
        }
        const bool several = loops_.size() - before > 1;
        for (std::size_t l = before; l < loops_.size(); ++l) inner_.push_back(several && runs_round(f, loops_[l].edges));
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

    // Does the loop run round something that is not of its face, rather than round the face or all round the surface?
    [[nodiscard]] bool runs_round(const Face& face, const std::vector<Coedge>& loop) const {
        if (end_of(loop.back(), true) != end_of(loop.front(), false)) return false;
        return laid_loop(face.surface, face.reversed, loop, s_.body.edges).is_inner();
    }

    // All faces behind a loop, up to other loops inside of faces; nothing where that is most of the body, or leads back to the loop's own face.
    [[nodiscard]] std::optional<Island> behind(std::size_t from) const {
        std::set<int> seen;
        std::set<std::size_t> hosts{from};
        std::vector<int> queue;
        double area = 0;
        const auto enter = [&](int edge, int but) {
            for (const std::size_t l : at_edge_[ix(edge)]) {
                const int face = loops_[l].face;
                if (face == but || seen.count(face)) continue;
                if (inner_[l]) hosts.insert(l);
                else seen.insert(face), queue.push_back(face);
            }
        };
        for (const Coedge& c : loops_[from].edges) enter(c.edge.value, loops_[from].face);
        for (std::size_t i = 0; i < queue.size(); ++i) {
            const Face& f = s_.body.faces[ix(queue[i])];
            area += f.area;
            if (queue.size() > most_island_faces || area > most_area * s_.body.mass.area) return std::nullopt;
            for (const auto& loop : f.loops)
                for (const Coedge& c : loop) enter(c.edge.value, queue[i]);
        }
        for (const std::size_t h : hosts) {
            if (seen.count(loops_[h].face)) {
                // A step within it: not a host, but a place further in.
                if (h == from) return std::nullopt;
                continue;
            }
            for (const Coedge& c : loops_[h].edges)
                for (const std::size_t l : at_edge_[c.edge.index()])
                    if (l != h && !seen.count(loops_[l].face)) return std::nullopt;
        }
        Island out;
        out.faces.assign(seen.begin(), seen.end());
        for (const std::size_t h : hosts)
            if (!seen.count(loops_[h].face)) out.hosts.push_back(h);
        return out;
    }

    // Bores that run out over edges or rounds, so that no one face has a loop round them: hollow cylinders all round.
    void add_bores(std::vector<Feature>& out) const {
        std::set<int> known;
        for (const Feature& f : out) known.insert(f.faces.begin(), f.faces.end());
        std::vector<bool> seen(s_.body.faces.size(), false);
        for (std::size_t f = 0; f < s_.body.faces.size(); ++f) {
            if (seen[f] || known.count(static_cast<int>(f)) || !hollow(static_cast<int>(f))) continue;
            std::vector<int> band{static_cast<int>(f)};
            seen[f] = true;
            for (std::size_t i = 0; i < band.size(); ++i)
                for (const auto& l : s_.neighbours.of[ix(band[i])])
                    if (!seen[ix(l.other)] && hollow(l.other) &&
                        same_surface(s_.body.faces[ix(l.other)].surface, s_.body.faces[f].surface, s_.middle(l.other), extent_, 10 * s_.tol))
                        seen[ix(l.other)] = true, band.push_back(l.other);
            if (auto k = bore(band)) out.push_back(std::move(*k));
        }
    }

    [[nodiscard]] bool hollow(int face) const {
        const Face& f = s_.body.faces[ix(face)];
        return f.reversed && f.facet_count > 0 && std::holds_alternative<CylinderSurface>(f.surface);
    }

    [[nodiscard]] std::optional<Feature> bore(const std::vector<int>& band) const {
        const auto& c = std::get<CylinderSurface>(s_.body.faces[ix(band[0])].surface);
        constexpr std::size_t sectors = 12;
        std::array<bool, sectors> round{};
        double low = std::numeric_limits<double>::max(), high = -low, area = 0;
        for (int f : band) {
            const Face& face = s_.body.faces[ix(f)];
            area += face.area;
            for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
                Vec3 m = Vec3::Zero();
                for (int k : s_.body.facets[i].corners) {
                    const Vec3& p = s_.body.points[ix(k)];
                    m += p / 3, low = std::min(low, c.frame.height(p)), high = std::max(high, c.frame.height(p));
                }
                const Vec2 q = c.frame.local2(m);
                round[static_cast<std::size_t>((std::atan2(q.y(), q.x()) + pi) / (2 * pi) * (sectors - 1e-9))] = true;
            }
        }
        if (!std::all_of(round.begin(), round.end(), [](bool v) { return v; })) return std::nullopt;
        if (area > most_area * s_.body.mass.area || 2 * c.radius > most_extent * extent_) return std::nullopt;
        Feature out;
        out.kind = FeatureKind::hole, out.faces = band, out.size = 2 * c.radius, out.axis = c.frame.z;
        out.place = c.frame.at(0, 0, 0.5 * (low + high)), out.form = "round through";
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
        const Face& host = s_.body.faces[ix(loops_[k.hosts[0]].face)];
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
        out.faces = k.faces, out.place = box.center(), out.host = loops_[k.hosts[0]].face;
        double widest = 0;
        for (const std::size_t h : k.hosts) widest = std::max(widest, width_of(h));
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
    [[nodiscard]] double width_of(std::size_t l) const {
        const auto points = points_of(loops_[l].edges);
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
        for (const std::size_t h : k.hosts) widest = std::max(widest, width_of(h));
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
    std::vector<Loop> loops_;
    std::vector<bool> inner_;                        // loops that run round something that is not of their face
    std::vector<std::vector<std::size_t>> at_edge_;  // loops at edges
    double extent_ = 0;
};

}  // namespace

std::vector<Feature> find_islands(const Searched& s) {
    return Islands(s).run();
}

}  // namespace halvo
