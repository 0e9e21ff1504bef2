// Chains of rounds and of chamfers.
#include "body/features.hpp"
#include "body/round_faces.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/facet_tree.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double half_turn = 0.95;      // of half a turn: a round that goes so far round has parallel neighbours, which meet nowhere
constexpr double same_size = 1e-3;      // of a radius or a leg, within a chain and a family
constexpr double chamfer_share = 0.34;  // of what the faces beside it are wide: a chamfer is narrow against them
constexpr double least_turn = 0.2;      // rad, at each side of a chamfer

Vec3 facet_middle(const Body& b, std::size_t i) {
    Vec3 m = Vec3::Zero();
    for (int c : b.facets[i].corners) m += b.points[ix(c)] / 3;
    return m;
}

// Another face round the same line or point on the other side of the material: the other skin of a bend.
class Bends {
public:
    explicit Bends(const Searched& s) : s_(s) {}

    [[nodiscard]] bool has_other_skin(int face) const {
        const Face& f = s_.body.faces[ix(face)];
        if (f.facet_count == 0) return false;
        const Vec3 p = facet_middle(s_.body, f.first_facet + f.facet_count / 2);
        const auto on = s_.body.on_skin(f.first_facet + f.facet_count / 2, p);
        // Through the material along the normal: what is met there is round about the same line.
        const auto hit = s_.body.tree->shoot(on.point, -on.normal, 10 * s_.tol);
        if (!hit) return false;
        const Face& g = s_.body.faces[ix(s_.body.facets[ix(hit->facet)].face)];
        return f.reversed != g.reversed && same_line(f.surface, g.surface);
    }

    // A bend whose inner edge is drawn sharp: the walls on both sides are no thicker than the round's radius.
    [[nodiscard]] bool over_sharp_edge(int face, double radius) const {
        constexpr double slack = 1.02;
        std::map<int, double> wall;  // by the face beside it
        for (const auto& l : s_.neighbours.of[ix(face)]) {
            if (!l.smooth || l.other == face) continue;
            const Vec3 p = s_.body.edges[ix(l.edge)].curve.middle();
            const auto hit = s_.body.tree->shoot(p, -s_.body.faces[ix(face)].outward_or(p, Vec3::UnitZ()), 10 * s_.tol);
            wall[l.other] = hit ? hit->distance : std::numeric_limits<double>::max();
        }
        return wall.size() >= 2 && std::all_of(wall.begin(), wall.end(), [&](const auto& w) { return w.second <= slack * radius; });
    }

private:
    [[nodiscard]] bool same_line(const Surface& a, const Surface& b) const {
        if (a.index() != b.index()) return false;
        const auto close = [&](const Frame& f, const Frame& g, double r, bool along) {
            return (!along || f.z.cross(g.z).norm() < 1e-3) && (along ? f.local2(g.origin).norm() : (f.origin - g.origin).norm()) < 0.02 * r + 10 * s_.tol;
        };
        if (const auto* c = std::get_if<CylinderSurface>(&a)) return close(c->frame, std::get<CylinderSurface>(b).frame, c->radius, true);
        if (const auto* k = std::get_if<SphereSurface>(&a)) return close(k->frame, std::get<SphereSurface>(b).frame, k->radius, false);
        if (const auto* t = std::get_if<TorusSurface>(&a)) {
            const auto& o = std::get<TorusSurface>(b);
            return std::abs(t->major - o.major) < 0.02 * t->minor + 10 * s_.tol && close(t->frame, o.frame, t->minor, false) &&
                   t->frame.z.cross(o.frame.z).norm() < 1e-3;
        }
        return false;
    }
    const Searched& s_;
};

class RoundChains {
public:
    RoundChains(const Searched& s, double largest) : s_(s), rounds_(s.body), bends_(s), largest_(largest), radius_(s.body.faces.size(), 0) {}

    std::vector<Feature> run() {
        for (std::size_t f = 0; f < radius_.size(); ++f) radius_[f] = round_radius(static_cast<int>(f));
        add_corners();
        Groups groups(radius_.size());
        for (std::size_t f = 0; f < radius_.size(); ++f)
            for (const auto& l : s_.neighbours.of[f])
                if (radius_[f] > 0 && radius_[ix(l.other)] > 0 && l.smooth && alike(static_cast<int>(f), l.other)) groups.tie(static_cast<int>(f), l.other);
        std::map<int, std::vector<int>> chains;
        for (std::size_t f = 0; f < radius_.size(); ++f)
            if (radius_[f] > 0) chains[groups.root(static_cast<int>(f))].push_back(static_cast<int>(f));
        std::vector<Feature> out;
        for (const auto& [root, faces] : chains) out.push_back(feature_of(faces));
        return out;
    }

private:
    // A face that goes on smoothly at two sides at least, round about a line or a point of its own.
    [[nodiscard]] double round_radius(int face) const {
        const Face& f = s_.body.faces[ix(face)];
        if (f.facet_count == 0 || std::holds_alternative<PlaneSurface>(f.surface) || std::holds_alternative<ConeSurface>(f.surface)) return 0;
        const auto& links = s_.neighbours.of[ix(face)];
        std::set<int> smooth;
        for (const auto& l : links)
            if (l.smooth && l.other != face) smooth.insert(l.other);
        if (smooth.size() < 2) return 0;
        const auto r = rounds_.radius(face);
        if (!r || *r > largest_ * (1 + 1e-9) || turn_of(f, *r) > half_turn * pi || bends_.has_other_skin(face)) return 0;
        if (rounds_.bulges(face) && bends_.over_sharp_edge(face, *r)) return 0;
        return *r;
    }

    // How far a cylinder goes round.
    [[nodiscard]] double turn_of(const Face& f, double r) const {
        const auto* c = std::get_if<CylinderSurface>(&f.surface);
        if (!c) return 0;
        double low = std::numeric_limits<double>::max(), high = -low;
        for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i)
            for (int k : s_.body.facets[i].corners) {
                const double h = c->frame.height(s_.body.points[ix(k)]);
                low = std::min(low, h), high = std::max(high, h);
            }
        return high > low ? f.area / (r * (high - low)) : 0;
    }

    // Patches all whose neighbours are rounds, or nearly: where rounds run together.
    void add_corners() {
        const std::vector<double> before = radius_;
        for (std::size_t f = 0; f < radius_.size(); ++f) {
            const Face& face = s_.body.faces[f];
            if (before[f] > 0 || face.facet_count == 0 || std::holds_alternative<PlaneSurface>(face.surface)) continue;
            const auto& links = s_.neighbours.of[f];
            std::set<int> rounds, others;
            double r = 0;
            for (const auto& l : links)
                if (l.smooth && before[ix(l.other)] > 0) rounds.insert(l.other), r = std::max(r, before[ix(l.other)]);
                else others.insert(l.other);
            constexpr double largest_patch = 6;  // radii squared: no larger than a corner of them
            if (rounds.size() >= 3 && others.size() <= rounds.size() && face.area < largest_patch * r * r) radius_[f] = r;
        }
    }

    [[nodiscard]] bool alike(int a, int b) const { return std::abs(radius_[ix(a)] - radius_[ix(b)]) <= same_size * radius_[ix(a)]; }

    [[nodiscard]] Feature feature_of(const std::vector<int>& faces) const {
        Feature out;
        out.kind = FeatureKind::round, out.faces = faces;
        double area = 0;
        int bulging = 0, hollow = 0, largest = faces[0];
        for (int f : faces) {
            out.size = std::max(out.size, radius_[ix(f)]), area += s_.body.faces[ix(f)].area;
            (rounds_.bulges(f) ? bulging : hollow) += 1;
            if (s_.body.faces[ix(f)].area > s_.body.faces[ix(largest)].area) largest = f;
        }
        out.form = hollow == 0 ? "convex" : bulging == 0 ? "concave" : "convex and concave";
        const Face& f = s_.body.faces[ix(largest)];
        out.place = facet_middle(s_.body, f.first_facet + f.facet_count / 2);
        return out;
    }

    const Searched& s_;
    RoundFaces rounds_;
    Bends bends_;
    double largest_;
    std::vector<double> radius_;  // of faces that are rounds
};

class Chamfers {
public:
    Chamfers(const Searched& s, double largest) : s_(s), largest_(largest), leg_(s.body.faces.size(), 0) {}

    std::vector<Feature> run() {
        for (std::size_t f = 0; f < leg_.size(); ++f) leg_[f] = leg_of(static_cast<int>(f));
        Groups groups(leg_.size());
        for (std::size_t f = 0; f < leg_.size(); ++f)
            for (const auto& l : s_.neighbours.of[f])
                if (leg_[f] > 0 && leg_[ix(l.other)] > 0 && std::abs(leg_[f] - leg_[ix(l.other)]) <= same_size * leg_[f])
                    groups.tie(static_cast<int>(f), l.other);
        std::map<int, std::vector<int>> chains;
        for (std::size_t f = 0; f < leg_.size(); ++f)
            if (leg_[f] > 0) chains[groups.root(static_cast<int>(f))].push_back(static_cast<int>(f));
        std::vector<Feature> out;
        for (const auto& [root, faces] : chains) {
            Feature k;
            k.kind = FeatureKind::chamfer, k.faces = faces, k.form = convex_[faces[0]] ? "convex" : "concave";
            for (int f : faces) k.size = std::max(k.size, leg_[ix(f)]);
            const Face& f = s_.body.faces[ix(faces[0])];
            k.place = facet_middle(s_.body, f.first_facet + f.facet_count / 2);
            out.push_back(std::move(k));
        }
        return out;
    }

private:
    struct Side {
        int face = -1;
        double length = 0, turn = 0;
        bool convex = false;
    };

    // A narrow plane or cone between two wide faces, which turns a part of the way at each of two long edges.
    double leg_of(int face) {
        const Face& f = s_.body.faces[ix(face)];
        if (f.facet_count == 0 || !(std::holds_alternative<PlaneSurface>(f.surface) || std::holds_alternative<ConeSurface>(f.surface))) return 0;
        std::vector<Side> sides;
        for (const auto& l : s_.neighbours.of[ix(face)]) {
            if (l.other == face || l.smooth) continue;
            const Curve& c = s_.body.edges[ix(l.edge)].curve;
            const Vec3 p = c.middle();
            const Vec3 n = f.outward_or(p, Vec3::UnitZ()), m = s_.body.faces[ix(l.other)].outward_or(p, n);
            const Side side{l.other, c.length(), std::acos(std::clamp(n.dot(m), -1.0, 1.0)), l.convex};
            const auto same = std::find_if(sides.begin(), sides.end(), [&](const Side& k) { return k.face == l.other; });
            if (same == sides.end()) sides.push_back(side);
            else same->length += side.length;
        }
        std::sort(sides.begin(), sides.end(), [](const Side& a, const Side& b) { return a.length > b.length; });
        if (sides.size() < 2) return 0;
        const double width = f.area / (0.5 * (sides[0].length + sides[1].length));
        const auto far_end = [&](const Side& k) { return k.turn > least_turn && s_.body.faces[ix(k.face)].area * chamfer_share > width * k.length; };
        if (sides[0].convex != sides[1].convex || sides[0].turn + sides[1].turn > half_turn * pi || !far_end(sides[0]) || !far_end(sides[1])) return 0;
        if (width > 0.5 * sides[1].length || (sides.size() > 2 && sides[2].length > sides[1].length * chamfer_share * 2)) return 0;
        // Legs along both faces: of the triangle over the chamfer, the law of sines.
        const double whole = sides[0].turn + sides[1].turn;
        const double leg = width * std::max(std::sin(sides[0].turn), std::sin(sides[1].turn)) / std::sin(whole);
        if (leg > largest_ * (1 + 1e-9)) return 0;
        convex_[face] = sides[0].convex;
        return leg;
    }

    const Searched& s_;
    double largest_;
    std::vector<double> leg_;
    std::map<int, bool> convex_;
};

}  // namespace

std::vector<Feature> find_round_chains(const Searched& s, double largest) {
    return largest > 0 ? RoundChains(s, largest).run() : std::vector<Feature>{};
}

std::vector<Feature> find_chamfers(const Searched& s, double largest) {
    return largest > 0 ? Chamfers(s, largest).run() : std::vector<Feature>{};
}

}  // namespace halvo
