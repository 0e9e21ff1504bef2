#include "body/skin.hpp"

#include "body/folds.hpp"
#include "body/round_faces.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/facet_tree.hpp"
#include "geom/spread.hpp"

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double smooth_turn = 0.17;     // sine: faces that meet at less than ten degrees continue each other
constexpr double uneven_turn = 0.03;     // sine: between the ends of an edge at which two faces are not tangent
constexpr double much_differing = 2.03;  // times as thick; no round number, which parts have
constexpr double mostly = 0.7;           // of a group's area, where ray and ball agree
constexpr double rim_of_wall = 1.5;      // ball at a rim over the thickness of the wall beside it
const double scatter_angle = std::cos(pi / 6);

std::vector<SkinPair> collect_pairs(Skin& skin, const WallLimits& limits) {
    std::map<std::pair<int, int>, int> known;
    std::vector<SkinPair> pairs;
    skin.pair.assign(skin.probes.size(), -1);
    for (std::size_t i = 0; i < skin.probes.size(); ++i) {
        const Probe& p = skin.probes[i];
        if (p.opposite < 0 || p.face == p.opposite || p.facing < std::cos(limits.draft)) continue;
        const auto [it, fresh] = known.try_emplace(std::minmax(p.face, p.opposite), static_cast<int>(pairs.size()));
        if (fresh) {
            SkinPair q;
            std::tie(q.a, q.b) = std::minmax(p.face, p.opposite);
            q.thinnest = std::numeric_limits<double>::max();
            pairs.push_back(q);
        }
        skin.pair[i] = it->second;
    }
    return pairs;
}

// Area, thickness and how much of each pair is a wall's: where ray and ball agree.
void measure(Skin& skin, const WallLimits& limits) {
    std::vector<double> agreed(skin.pairs.size(), 0);
    for (std::size_t i = 0; i < skin.probes.size(); ++i) {
        if (skin.pair[i] < 0) continue;
        SkinPair& q = skin.pairs[ix(skin.pair[i])];
        const Probe& p = skin.probes[i];
        q.area += p.weight, q.mean += p.weight * p.distance;
        if (!skin.agrees(i)) continue;
        agreed[ix(skin.pair[i])] += p.weight;
        q.thinnest = std::min(q.thinnest, p.distance), q.thickest = std::max(q.thickest, p.distance);
    }
    for (std::size_t k = 0; k < skin.pairs.size(); ++k) {
        SkinPair& q = skin.pairs[k];
        q.mean /= q.area;
        // Much of a face may be the tops of ribs, where they disagree; what is left can be a wall nevertheless, from both sides.
        q.wall = agreed[k] > 0 && (agreed[k] >= 0.3 * q.area || agreed[k] >= 2 * std::pow(q.mean / limits.slimness, 2));
        if (agreed[k] <= 0) q.thinnest = q.thickest = q.mean;
    }
}

// Pairs that share a face, or whose faces go on smoothly, are one group; its width decides for all of them.
void judge_width(const FaceNeighbours& next, Skin& skin, const WallLimits& limits) {
    Groups groups(skin.pairs.size());
    std::map<int, std::vector<int>> at_face;
    for (std::size_t k = 0; k < skin.pairs.size(); ++k)
        if (skin.pairs[k].wall) at_face[skin.pairs[k].a].push_back(static_cast<int>(k)), at_face[skin.pairs[k].b].push_back(static_cast<int>(k));
    // Pairs of much differing thickness on one face are a wall and something behind it.
    const auto alike = [&](int i, int j) {
        const double a = skin.pairs[ix(i)].mean, b = skin.pairs[ix(j)].mean;
        return std::max(a, b) < much_differing * std::min(a, b);
    };
    const auto tie_all = [&](const std::vector<int>& a, const std::vector<int>& b) {
        for (int i : a)
            for (int j : b)
                if (i != j && alike(i, j)) groups.tie(i, j);
    };
    for (const auto& [face, list] : at_face) {
        if (list.size() <= 64) tie_all(list, list);
        else
            for (std::size_t k = 1; k < list.size(); ++k)
                if (alike(list[k - 1], list[k])) groups.tie(list[k - 1], list[k]);
        for (const FaceNeighbours::Link& l : next.of[ix(face)])
            if (l.smooth)
                if (const auto it = at_face.find(l.other); it != at_face.end() && it->second.size() * list.size() <= 4096) tie_all(list, it->second);
    }
    struct Extent {
        std::vector<Vec3> points;
        double area = 0;
        [[nodiscard]] double width() const { return points.empty() ? 0 : area / std::max({spread(points), std::sqrt(area), 1e-12}); }
    };
    std::map<int, std::array<Extent, 2>> extents;  // all of it, and where ray and ball agree
    std::vector<Extent> own(skin.pairs.size());
    for (std::size_t i = 0; i < skin.probes.size(); ++i) {
        if (skin.pair[i] < 0 || !skin.pairs[ix(skin.pair[i])].wall) continue;
        auto& both = extents[groups.root(skin.pair[i])];
        for (Extent* e : {&both[0], skin.agrees(i) ? &both[1] : nullptr, &own[ix(skin.pair[i])]})
            if (e) e->points.push_back(skin.probes[i].point), e->area += 0.5 * skin.probes[i].weight;
    }
    std::map<int, double> width;
    for (const auto& [root, e] : extents) width[root] = e[1].area < mostly * e[0].area ? std::max(e[0].width(), e[1].width()) : e[0].width();
    for (std::size_t k = 0; k < skin.pairs.size(); ++k) {
        SkinPair& q = skin.pairs[k];
        if (!q.wall) continue;
        // Pieces far apart, as arms with a gap between, are no narrower for it.
        q.width = std::max(width[groups.root(static_cast<int>(k))], own[k].width());
        q.wall = q.mean <= limits.slimness * q.width;
    }
}

// Walls first; then what lies at their rims.
void sort_kinds(const FaceNeighbours& next, Skin& skin) {
    std::vector<double> beside(next.of.size(), 0);  // thickness of the walls at a face or next to it
    for (const SkinPair& q : skin.pairs)
        if (q.wall)
            for (int f : {q.a, q.b}) {
                beside[ix(f)] = std::max(beside[ix(f)], q.thickest);
                for (const FaceNeighbours::Link& l : next.of[ix(f)]) beside[ix(l.other)] = std::max(beside[ix(l.other)], q.thickest);
            }
    // A rounded rim is a chain of narrow faces: what lies beside one counts for the next one too.
    std::vector<double> wider = beside;
    for (std::size_t f = 0; f < next.of.size(); ++f)
        if (beside[f] == 0)
            for (const FaceNeighbours::Link& l : next.of[f])
                if (l.smooth) wider[f] = std::max(wider[f], beside[ix(l.other)]);
    skin.kind.assign(skin.probes.size(), SkinKind::rest);
    for (std::size_t i = 0; i < skin.probes.size(); ++i) {
        const Probe& p = skin.probes[i];
        if (skin.pair[i] >= 0 && skin.pairs[ix(skin.pair[i])].wall) skin.kind[i] = SkinKind::wall;
        else if (skin.ball[i] <= rim_of_wall * wider[ix(p.face)]) skin.kind[i] = SkinKind::rim;
        (skin.kind[i] == SkinKind::wall ? skin.wall : skin.kind[i] == SkinKind::rim ? skin.rim : skin.rest) += p.weight;
    }
}

}  // namespace

double inscribed_ball(const Body& body, const Vec3& point, const Vec3& normal, double ray) {
    double r = 0.5 * ray;
    for (int i = 0; i < 24 && r > 0; ++i) {
        const Vec3 c = point - r * normal;
        const auto near = body.tree->nearest(c, r * (1 - 1e-3));
        if (!near) break;
        const Vec3 d = point - near->point;
        const double far = (near->point - c).norm();
        if (far > 0.8 * r && (point - c).dot(near->point - c) > scatter_angle * r * far) break;
        const double along = normal.dot(d);
        if (along <= 0) break;
        const double next = d.squaredNorm() / (2 * along);
        if (next >= r * (1 - 1e-6)) break;
        r = next;
    }
    return 2 * r;
}

namespace {

// Which edges two faces meet smoothly at, and on which side the material is.
class Links {
public:
    explicit Links(const Body& body) : body_(body), uses_(body.edges.size()), smooth_(body.edges.size(), false) {
        for (std::size_t f = 0; f < body.faces.size(); ++f)
            for (const auto& loop : body.faces[f].loops)
                for (const Coedge& u : loop) uses_[u.edge.index()].push_back({static_cast<int>(f), u.reversed});
    }

    FaceNeighbours run() {
        FaceNeighbours out;
        out.of.resize(body_.faces.size());
        std::vector<bool> convex(uses_.size(), false);
        for (std::size_t e = 0; e < uses_.size(); ++e) {
            if (!links(e)) continue;
            const Curve& c = body_.edges[e].curve;
            bool smooth = true;
            double turn = 0;
            for (double share : {0.2, 0.5, 0.8}) {
                const double t = c.t0 + share * (c.t1 - c.t0);
                const auto [a, b] = normals(e, c.point(t));
                if (a.cross(b).norm() > smooth_turn || a.dot(b) < 0) smooth = false;
                turn += a.cross(b).dot((uses_[e][0].reversed ? -1.0 : 1.0) * c.derivative(t));
            }
            smooth_[e] = smooth, convex[e] = turn > 0;
        }
        follow_sharp();
        for (std::size_t e = 0; e < uses_.size(); ++e)
            for (std::size_t k : {0U, 1U})
                if (links(e)) out.of[ix(uses_[e][k].face)].push_back({uses_[e][1 - k].face, static_cast<int>(e), smooth_[e], convex[e]});
        return out;
    }

private:
    struct Use {
        int face;
        bool reversed;
    };

    [[nodiscard]] bool links(std::size_t e) const { return uses_[e].size() == 2 && !body_.edges[e].degenerate && uses_[e][0].face != uses_[e][1].face; }

    [[nodiscard]] std::pair<Vec3, Vec3> normals(std::size_t e, const Vec3& p) const { return {normal_at(uses_[e][0].face, p), normal_at(uses_[e][1].face, p)}; }

    // The facet of a face nearest to an edge gives the normal of spline faces.
    [[nodiscard]] Vec3 normal_at(int f, const Vec3& p) const {
        const Face& face = body_.faces[ix(f)];
        if (!std::holds_alternative<FreeSurface>(face.surface)) return face.outward_or(p, Vec3::Zero());
        std::size_t best = face.first_facet;
        double least = std::numeric_limits<double>::max();
        for (std::size_t i = face.first_facet; i < face.first_facet + face.facet_count; ++i) {
            const auto& c = body_.facets[i].corners;
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3 middle = 0.5 * (body_.points[ix(c[k])] + body_.points[ix(c[(k + 1) % 3])]);
                if (const double d = (middle - p).squaredNorm(); d < least) least = d, best = i;
            }
        }
        return face.facet_count > 0 ? body_.on_skin(best, p).normal : Vec3(0, 0, 0);
    }

    // Along the mitre of two tubes the faces turn by less and less towards its sides, and by nothing there: it is no smooth joint in these
    // pieces of it. Others of its pieces are sharp, or the tubes' axes tell.
    void follow_sharp() {
        std::map<std::pair<int, int>, std::pair<bool, std::vector<std::size_t>>> between;  // is any sharp; those that are not
        for (std::size_t e = 0; e < uses_.size(); ++e) {
            if (!links(e)) continue;
            auto& [sharp, smooth] = between[std::minmax(uses_[e][0].face, uses_[e][1].face)];
            if (smooth_[e]) smooth.push_back(e);
            else sharp = true;
        }
        for (const auto& [faces, edges] : between)
            for (std::size_t e : edges.second)
                if ((edges.first || at_an_angle(faces.first, faces.second)) && turns_unevenly(e)) smooth_[e] = false;
    }

    // Cylinders or cones with axes that are.
    [[nodiscard]] bool at_an_angle(int f, int g) const {
        const auto axis = [&](int k) -> Vec3 {
            const Surface& s = body_.faces[ix(k)].surface;
            if (const auto* c = std::get_if<CylinderSurface>(&s)) return c->frame.z;
            if (const auto* c = std::get_if<ConeSurface>(&s)) return c->frame.z;
            return Vec3::Zero();
        };
        return axis(f).cross(axis(g)).norm() > smooth_turn;
    }

    [[nodiscard]] bool turns_unevenly(std::size_t e) const {
        const Curve& c = body_.edges[e].curve;
        double least = 1, most = 0;
        for (double share : {0.0, 0.2, 0.5, 0.8, 1.0}) {
            const auto [a, b] = normals(e, c.point(c.t0 + share * (c.t1 - c.t0)));
            const double sine = a.cross(b).norm();
            least = std::min(least, sine), most = std::max(most, sine);
        }
        return most - least > uneven_turn;
    }

    const Body& body_;
    std::vector<std::vector<Use>> uses_;
    std::vector<bool> smooth_;
};

}  // namespace

FaceNeighbours face_neighbours(const Body& body) {
    return Links(body).run();
}

// A ring nearly as thick as its middle radius (a hub, a roller) is no wall bent round but a solid; bends of sheet, which are as tight, go round
// in part only.
bool thick_ring(const Body& body, const SkinPair& q) {
    constexpr double thick = 0.75, all_round = 0.9;
    const auto* a = std::get_if<CylinderSurface>(&body.faces[ix(q.a)].surface);
    const auto* b = std::get_if<CylinderSurface>(&body.faces[ix(q.b)].surface);
    if (!a || !b || a->frame.z.cross(b->frame.z).norm() > 1e-3) return false;
    if (std::abs(a->radius - b->radius) < thick * 0.5 * (a->radius + b->radius) || a->frame.local2(b->frame.origin).norm() > 0.05 * b->radius) return false;
    const RoundBand outer = band_round(body, *a), inner = band_round(body, *b);
    return outer.turns(outer.high - outer.low) > all_round && inner.turns(inner.high - inner.low) > all_round;
}

Skin analyse_skin(const Body& body, std::vector<Probe> probes, const WallLimits& limits) {
    Skin skin;
    skin.probes = std::move(probes);
    for (const Probe& p : skin.probes) skin.ball.push_back(inscribed_ball(body, p.point, p.normal, p.distance));
    skin.pairs = collect_pairs(skin, limits);
    measure(skin, limits);
    skin.neighbours = face_neighbours(body);
    std::vector<bool> agreed;
    for (const SkinPair& q : skin.pairs) agreed.push_back(q.wall);
    judge_width(skin.neighbours, skin, limits);
    walls_between_folds(skin, agreed);
    for (SkinPair& q : skin.pairs)
        if (q.wall && thick_ring(body, q)) q.wall = false;
    sort_kinds(skin.neighbours, skin);
    return skin;
}

}  // namespace halvo
