#include "body/bends.hpp"

#include "body/round_faces.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/pipe.hpp"
#include "geom/rounds.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double far_enough = 3;       // of the walls' thickness: rounds further apart are no two sides of one bend
constexpr double least_facing = 0.5;   // cosine between opposed rounds, of no matter how unlike radii
constexpr double bend_off = 0.2;       // of the thickness, between a bend's midsurface and equal distance
constexpr double all_over = 0.9;       // of its larger side, that a patch which fills a corner sees the other one from
constexpr double bend_off_all = 0.01;  // of the thickness, for one in place of their equal distance
constexpr double no_rib = 1.5;         // times as thick as a wall: what is thicker may be the depth of a rib on it
constexpr int passes = 4;              // bends beside bends are found one after the other

class Search {
public:
    Search(const Body& body, const Skin& skin, const std::vector<Wall>& walls, double tol) : body_(body), skin_(skin), walls_(walls), faces_(body), tol_(tol) {
        for (std::size_t i = 0; i < walls.size(); ++i)
            for (const FacePair& p : walls[i].pairs) at_[p.top].push_back({i, true}), at_[p.bottom].push_back({i, false});
    }

    std::vector<Bend> run() {
        collect();
        agree_on_radii();
        for (int pass = 0; pass < passes; ++pass) {
            bool any = false;
            for (Pair& p : pairs_)
                if (!p.mid && between_walls(p)) any = true;
            if (!any) break;
        }
        for (Pair& p : pairs_)
            if (!p.mid) half_way(p);
        for (Pair& p : pairs_) trim(p);
        std::vector<Bend> out;
        for (Pair& p : pairs_)
            if (p.mid && !known(p)) out.push_back({p.a, p.b, std::move(p.ridge), *p.mid, p.error, std::move(p.seen), std::move(p.own)});
        return out;
    }

private:
    struct Use {
        std::size_t wall;
        bool top;
    };
    struct Pair {
        int a, b;
        std::vector<const Probe*> seen;
        std::vector<Vec3> middles;
        std::set<std::size_t> beside;  // walls that both go on in
        std::set<std::size_t> bends;   // and other pairs
        double thickness = 0;
        std::optional<Surface> mid;
        double error = 0;
        std::vector<PlaneSurface> planes;  // that the midsurface touches
        std::vector<int> ridge;            // faces that meet sharply opposite to the round `a`
        double radius = 0;                 // of its midsurface
        double wall = 0;                   // thickness of the walls beside such a one
        std::vector<Probe> own;            // and rays over it
    };

    [[nodiscard]] const Surface& surface(int face) const { return faces_.surface(face); }
    [[nodiscard]] std::optional<double> radius_of(int face) const { return faces_.radius(face); }
    [[nodiscard]] std::optional<Vec3> spine_of(int face, const Vec3& p) const { return faces_.spine(face, p); }
    [[nodiscard]] bool bulges(int face) const { return faces_.bulges(face); }

    // Faces that see each other, are rounds of one kind with one bulging out and one in, and have smooth neighbours.
    void collect() {
        std::map<std::pair<int, int>, std::vector<const Probe*>> seen;
        for (const Probe& p : skin_.probes)
            if (p.opposite >= 0 && p.face != p.opposite && p.facing >= least_facing && rounds(p.face, p.opposite))
                seen[std::minmax(p.face, p.opposite)].push_back(&p);
        for (auto& [faces, list] : seen) {
            Pair p{faces.first, faces.second, std::move(list), {}, {}, {}, 0, {}, 0, {}, {}, 0, 0, {}};
            keep_finer_side(p);
            measure(p);
            pairs_.push_back(std::move(p));
        }
        for (Pair& p : pairs_) p.beside = walls_beside(p);
        collect_ridges();
        link();
    }

    static void measure(Pair& p) {
        double area = 0;
        for (const Probe* q : p.seen)
            p.middles.emplace_back(q->point - 0.5 * q->distance * q->normal), p.thickness += q->weight * q->distance, area += q->weight;
        p.thickness /= area;
    }

    // Rounds that see nothing but faces which meet in sharp inner edges, each the far side of a wall or of a ridge that the round goes on
    // in: balls in corners are found after the rounds beside them.
    void collect_ridges() {
        std::set<int> paired;
        std::map<int, std::vector<int>> rounds;  // opposite to a face
        for (const Pair& p : pairs_)
            if (!p.beside.empty()) paired.insert({p.a, p.b}), rounds[p.a].push_back(p.b), rounds[p.b].push_back(p.a);
        std::map<int, std::vector<const Probe*>> of;
        for (const Probe& p : skin_.probes)
            if (p.face != p.opposite && !paired.count(p.face) && !std::holds_alternative<PlaneSurface>(body_.faces[ix(p.face)].surface))
                of[p.face].push_back(&p);
        std::map<int, Ridge> known;
        for (int pass = 0; pass < 2; ++pass) {
            std::map<int, Ridge> found;
            const auto others = pass > 0 ? rounds : std::map<int, std::vector<int>>();
            for (const auto& [face, list] : of) {
                if (known.count(face) || !spine_radius(surface(face)) || !bulges(face)) continue;  // no pipes: their sheets forget the spine
                // Corners come after the edges that run into them.
                auto p = over_ridge(face, list, known, others, std::numeric_limits<double>::infinity());
                if (!p) p = over_ridge(face, list, known, others, no_rib);
                if (p) found[face] = {p->ridge, p->wall}, pairs_.push_back(std::move(*p));
            }
            known.merge(found);
        }
    }

    struct Ridge {
        std::vector<int> faces;
        double wall = 0;  // thickness of the walls that meet there
    };

    // Walls more than `thickest` times as thick as the thinnest beside the same face say nothing.
    std::optional<Pair> over_ridge(int face, const std::vector<const Probe*>& list, const std::map<int, Ridge>& known,
                                   const std::map<int, std::vector<int>>& rounds, double thickest) const {
        std::set<std::size_t> walls;
        std::set<int> far;
        double wall = 0;
        std::size_t ridges = 0;
        for (const auto& l : skin_.neighbours.of[ix(face)]) {
            if (!l.smooth) continue;
            if (const auto r = known.find(l.other); r != known.end())
                ++ridges, far.insert(r->second.faces.begin(), r->second.faces.end()), wall = std::max(wall, r->second.wall);
            if (const auto r = rounds.find(l.other); r != rounds.end()) ++ridges, far.insert(r->second.begin(), r->second.end());
            const auto it = at_.find(l.other);
            if (it == at_.end()) continue;
            double thinnest = std::numeric_limits<double>::infinity();
            const auto each = [&](const auto& what) {
                for (const Use& u : it->second)
                    for (const FacePair& q : walls_[u.wall].pairs)
                        if ((u.top ? q.top : q.bottom) == l.other) what(u, q);
            };
            each([&](const Use&, const FacePair& q) { thinnest = std::min(thinnest, q.thickness); });
            each([&](const Use& u, const FacePair& q) {
                if (q.thickness <= thickest * thinnest) walls.insert(u.wall), far.insert(u.top ? q.bottom : q.top), wall = std::max(wall, q.thickness);
            });
        }
        if (walls.size() + ridges < 2) return std::nullopt;
        std::vector<int> ridge;
        for (int h : far)
            if (sharp_inside(h, far)) ridge.push_back(h);
        Pair p{face, -1, {}, {}, std::move(walls), {}, 0, {}, 0, {}, {}, 0, 0, {}};
        p.own = seen_over(ridge, list);
        if (p.own.size() < 2 || 2 * p.own.size() < list.size()) return std::nullopt;
        std::set<int> met;
        for (const Probe& q : p.own) p.seen.push_back(&q), met.insert(q.opposite);
        if (met.size() < 2) return std::nullopt;
        p.b = *met.begin(), p.ridge.assign(met.begin(), met.end());
        measure(p);
        p.wall = wall;
        std::erase_if(p.beside, [&](std::size_t w) { return p.thickness > far_enough * walls_[w].thickest; });
        return p;
    }

    // Rays from a round as they would pass the faces of a ridge, one after the other; those that leave the material before that are not
    // over it. Where the round's middle is the sharp edge itself, what a ray hits there is chance.
    [[nodiscard]] std::vector<Probe> seen_over(const std::vector<int>& ridge, const std::vector<const Probe*>& from) const {
        std::vector<BaseSurface> sides;
        for (int f : ridge) sides.emplace_back(surface(f));
        std::vector<Probe> out;
        for (const Probe* q : from) {
            Probe p = *q;
            p.opposite = -1, p.distance = p.facing = 0;
            for (std::size_t k = 0; k < sides.size(); ++k) {
                const double d = sides[k].along(q->point, -q->normal);
                const Vec3 n = sides[k].foot(q->point - d * q->normal).normal;
                const double facing = -q->normal.dot(body_.faces[ix(ridge[k])].reversed ? Vec3(-n) : n);
                // Where several are passed at once, the one that faces it best.
                const bool further = d > p.distance * (1 + 1e-6), as_far = d > p.distance * (1 - 1e-6) && facing > p.facing;
                if (facing > 0 && (further || as_far)) p.distance = std::max(d, p.distance), p.facing = facing, p.opposite = ridge[k];
            }
            if (p.opposite >= 0 && p.facing >= least_facing && q->distance >= 0.9 * p.distance) out.push_back(p);
        }
        return out;
    }

    // Does a face meet another one of these in an edge that the material goes round?
    [[nodiscard]] bool sharp_inside(int face, const std::set<int>& others) const {
        const auto& list = skin_.neighbours.of[ix(face)];
        return std::any_of(list.begin(), list.end(), [&](const auto& l) { return !l.smooth && !l.convex && others.count(l.other) > 0; });
    }

    void link() {
        std::map<int, std::vector<std::size_t>> at;  // pairs of each face
        for (std::size_t i = 0; i < pairs_.size(); ++i) at[pairs_[i].a].push_back(i), at[pairs_[i].b].push_back(i);
        for (std::size_t i = 0; i < pairs_.size(); ++i)
            for (const auto& l : skin_.neighbours.of[ix(pairs_[i].a)])
                if (const auto it = at.find(l.other); l.smooth && it != at.end())
                    for (const std::size_t j : it->second)
                        if (i != j && go_on(pairs_[i], pairs_[j])) pairs_[i].bends.insert(j);
        // In a wall that is itself a bend nothing is known yet; and who has but one neighbour is no bend.
        std::vector<bool> bend(pairs_.size(), false);
        for (std::size_t i = 0; i < pairs_.size(); ++i) bend[i] = pairs_[i].beside.size() + pairs_[i].bends.size() >= 2;
        for (std::size_t i = 0; i < pairs_.size(); ++i) std::erase_if(pairs_[i].bends, [&](std::size_t j) { return !bend[j]; });
        for (std::size_t i = 0; i < pairs_.size(); ++i)
            if (!bend[i]) pairs_[i].beside.clear(), pairs_[i].bends.clear();
        for (const Pair& p : pairs_)
            if (p.ridge.empty() && (!p.beside.empty() || !p.bends.empty())) of_bend_.insert({p.a, p.b});
        for (Pair& p : pairs_) std::erase_if(p.beside, [&](std::size_t w) { return is_bend(walls_[w]); });
    }

    bool rounds(int f, int g) {
        if (std::holds_alternative<PlaneSurface>(body_.faces[ix(f)].surface) || std::holds_alternative<PlaneSurface>(body_.faces[ix(g)].surface)) return false;
        const auto [it, fresh] = opposed_.try_emplace(std::minmax(f, g), false);
        if (fresh) {
            const bool free = std::holds_alternative<FreeSurface>(surface(f)) || std::holds_alternative<FreeSurface>(surface(g));
            it->second = (free || surface(f).index() == surface(g).index()) && radius_of(f) && radius_of(g) && bulges(f) != bulges(g) && !across(f, g);
        }
        return it->second;
    }

    // Rounds of edges that run across each other, of which the one looks past a corner at the other.
    bool across(int f, int g) const {
        const auto *a = std::get_if<CylinderSurface>(&surface(f)), *b = std::get_if<CylinderSurface>(&surface(g));
        return a && b && a->frame.z.cross(b->frame.z).norm() > least_facing;
    }

    // Rays from the rounder face spread over the other one; where both were probed, one side tells enough.
    void keep_finer_side(Pair& p) const {
        const auto from = [&](int f) { return std::count_if(p.seen.begin(), p.seen.end(), [&](const Probe* q) { return q->face == f; }); };
        const auto na = from(p.a), nb = from(p.b);
        const int lead = na == nb ? (*radius_of(p.a) < *radius_of(p.b) ? p.a : p.b) : na > nb ? p.a : p.b;
        std::erase_if(p.seen, [&](const Probe* q) { return q->face != lead; });
    }

    // Walls that one of the faces goes on in on their top and the other one on their bottom.
    std::set<std::size_t> walls_beside(const Pair& p) const {
        const auto sides = [&](int f) {
            std::set<std::pair<std::size_t, bool>> out;
            for (const auto& l : skin_.neighbours.of[ix(f)])
                if (const auto it = at_.find(l.other); l.smooth && it != at_.end())
                    for (const Use& u : it->second) out.insert({u.wall, u.top});
            return out;
        };
        const auto a = sides(p.a), b = sides(p.b);
        std::set<std::size_t> out;
        for (const auto& [wall, top] : a)
            if (b.count({wall, !top}) && !holds(walls_[wall], p.a) && !holds(walls_[wall], p.b) && p.thickness <= far_enough * walls_[wall].thickest)
                out.insert(wall);
        return out;
    }

    static bool holds(const Wall& w, int face) {
        return std::any_of(w.pairs.begin(), w.pairs.end(), [&](const FacePair& p) { return p.top == face || p.bottom == face; });
    }

    bool smooth(int f, int g) const {
        const auto& list = skin_.neighbours.of[ix(f)];
        return std::any_of(list.begin(), list.end(), [&](const auto& l) { return l.smooth && l.other == g; });
    }

    bool go_on(const Pair& p, const Pair& q) const {
        const auto in = [](const std::vector<int>& list, int f) { return std::find(list.begin(), list.end(), f) != list.end(); };
        const auto meets = [&](int f) { return in(q.ridge, f) || std::any_of(q.ridge.begin(), q.ridge.end(), [&](int g) { return smooth(f, g); }); };
        if (!p.ridge.empty() && !q.ridge.empty()) return smooth(p.a, q.a) && std::any_of(p.ridge.begin(), p.ridge.end(), meets);
        if (p.ridge.empty() && q.ridge.empty()) return (smooth(p.a, q.a) && smooth(p.b, q.b)) || (smooth(p.a, q.b) && smooth(p.b, q.a));
        const Pair &sharp = p.ridge.empty() ? q : p, &round = p.ridge.empty() ? p : q;
        return (smooth(sharp.a, round.a) && in(sharp.ridge, round.b)) || (smooth(sharp.a, round.b) && in(sharp.ridge, round.a));
    }

    bool is_bend(const Wall& w) const {
        return std::any_of(w.pairs.begin(), w.pairs.end(), [&](const FacePair& p) { return of_bend_.count(std::minmax(p.top, p.bottom)) > 0; });
    }

    // Midsurfaces next to the pair that are settled, with the planes these touch.
    struct Base {
        Surface surface;
        std::vector<PlaneSurface> planes;
    };
    std::vector<Base> bases(const Pair& p) const {
        std::vector<Base> out;
        for (std::size_t w : p.beside) {
            Base b{walls_[w].chart.surface(), {}};
            if (const auto* plane = std::get_if<PlaneSurface>(&b.surface)) b.planes.push_back(*plane);
            out.push_back(std::move(b));
        }
        for (std::size_t j : p.bends)
            if (pairs_[j].mid) out.push_back({*pairs_[j].mid, pairs_[j].planes});
        return out;
    }

    [[nodiscard]] double mean_radius(const Pair& p) const { return 0.5 * (*radius_of(p.a) + (p.ridge.empty() ? *radius_of(p.b) : 0)); }

    // Bends that go on in each other with radii that differ by no more than splines scatter about theirs have one: that of those known
    // exactly, or the mean.
    void agree_on_radii() {
        Groups groups(pairs_.size());
        for (Pair& p : pairs_) p.radius = mean_radius(p);
        for (std::size_t i = 0; i < pairs_.size(); ++i)
            for (const std::size_t j : pairs_[i].bends)
                if (std::abs(pairs_[i].radius - pairs_[j].radius) <= 1.5 * RoundFaces::like * pairs_[i].radius)
                    groups.tie(static_cast<int>(i), static_cast<int>(j));
        struct Sums {
            double exact = 0, all = 0;
            int exact_count = 0, count = 0;
        };
        std::map<int, Sums> sums;
        const auto own = [&](int face) { return !std::holds_alternative<FreeSurface>(body_.faces[ix(face)].surface); };
        for (std::size_t i = 0; i < pairs_.size(); ++i) {
            Sums& s = sums[groups.root(static_cast<int>(i))];
            s.all += pairs_[i].radius, ++s.count;
            if (own(pairs_[i].a) && (own(pairs_[i].b) || !pairs_[i].ridge.empty())) s.exact += pairs_[i].radius, ++s.exact_count;
        }
        for (std::size_t i = 0; i < pairs_.size(); ++i) {
            const Sums& s = sums[groups.root(static_cast<int>(i))];
            pairs_[i].radius = s.exact_count > 0 ? s.exact / s.exact_count : s.all / s.count;
        }
        for (Pair& p : pairs_)
            if (!p.ridge.empty()) lead_through(p);
    }

    // A corner that is sharp inside, of the ball that was rolled along an edge which is round there: it has that one's radius, and an edge that
    // is sharp inside and runs into it none that is smaller, so that the ball finds room.
    void lead_through(Pair& corner) {
        const double outside = *radius_of(corner.a);
        double r = 0;
        for (const std::size_t j : corner.bends) {
            const Pair& q = pairs_[j];
            if (q.ridge.empty() && std::abs(*radius_of(bulges(q.a) ? q.a : q.b) - outside) <= 1.5 * RoundFaces::like * outside) r = std::max(r, q.radius);
        }
        if (r == 0) return;
        corner.radius = r;
        for (const std::size_t j : corner.bends)
            if (!pairs_[j].ridge.empty()) pairs_[j].radius = std::max(pairs_[j].radius, r);
    }

    // How far from equal distance a midsurface may be. Free patches that face each other all over, as where rounds of unlike radii run together
    // in a corner, were rolled by no ball, even if one comes close: their equal distance is known and fits their neighbours better.
    [[nodiscard]] double limit(const Pair& p) const {
        const double wide = bend_off * std::max(p.thickness, p.wall);
        const auto free = [&](int f) { return std::holds_alternative<FreeSurface>(body_.faces[ix(f)].surface); };
        if (!p.ridge.empty() || !free(p.a) || !free(p.b)) return wide;
        const double area = std::max(body_.faces[ix(p.a)].area, body_.faces[ix(p.b)].area);
        for (const Wall& w : walls_)
            for (const FacePair& q : w.pairs)
                if (std::minmax(q.top, q.bottom) == std::minmax(p.a, p.b) && q.area >= all_over * area && w.fit_error <= 0.1 * bend_off_all * p.thickness)
                    return bend_off_all * p.thickness;
        return wide;
    }

    bool between_walls(Pair& p) {
        if (p.beside.size() + p.bends.size() < 2) return false;
        const auto u = spine_of(p.a, p.middles[0]), v = p.ridge.empty() ? spine_of(p.b, p.middles[0]) : u;
        if (!u || !v) return false;
        const Vec3 inside = 0.5 * (*u + *v);
        const double r = p.radius;
        const auto known = bases(p);
        const auto offer = [&](const std::optional<Surface>& s, const std::vector<PlaneSurface>& planes) {
            const bool ball = s && std::holds_alternative<SphereSurface>(*s) && !p.ridge.empty();  // where a corner's torus has no hole left
            if (!s || (!ball && s->index() != surface(p.a).index())) return;
            const double off = p.ridge.empty() ? off_by(p, *s) : off_ridge(p, *s);
            if (off <= limit(p) && (!p.mid || off < p.error)) p.mid = *s, p.error = off, p.planes = planes;
        };
        // A ball as large as the round that it comes down along.
        const auto* torus = p.ridge.empty() ? nullptr : std::get_if<TorusSurface>(&surface(p.a));
        const bool fills = torus && std::any_of(known.begin(), known.end(), [&](const Base& b) {
                               const auto* k = std::get_if<CylinderSurface>(&b.surface);
                               return k && k->radius <= r + 10 * tol_ && k->frame.z.cross(torus->frame.z).norm() * r <= 10 * tol_;
                           });
        if (fills || std::holds_alternative<SphereSurface>(surface(p.a))) {
            std::vector<PlaneSurface> planes;
            for (const Base& b : known)
                for (const PlaneSurface& s : b.planes)
                    if (std::none_of(planes.begin(), planes.end(), [&](const PlaneSurface& o) { return s.frame.z.cross(o.frame.z).norm() < 1e-3; }))
                        planes.push_back(s);
            for (std::size_t i = 0; i < planes.size(); ++i)
                for (std::size_t j = i + 1; j < planes.size(); ++j)
                    for (std::size_t k = j + 1; k < planes.size(); ++k)
                        offer(ball_between({planes[i], planes[j], planes[k]}, r, inside), {planes[i], planes[j], planes[k]});
            return p.mid.has_value();
        }
        for (std::size_t i = 0; i < known.size(); ++i)
            for (std::size_t j = i + 1; j < known.size(); ++j) {
                std::vector<PlaneSurface> planes = known[i].planes;
                planes.insert(planes.end(), known[j].planes.begin(), known[j].planes.end());
                offer(round_between(known[i].surface, known[j].surface, r, inside, 10 * tol_), planes);
            }
        if (p.mid || !p.ridge.empty()) return p.mid.has_value();
        // Along what is neither extruded nor turned, as round the corners of drafted trays: the ball is rolled.
        for (std::size_t i = 0; i < known.size(); ++i)
            for (std::size_t j = i + 1; j < known.size(); ++j) {
                const auto s = pipe_between(known[i].surface, known[j].surface, r, inside, p.middles, 10 * tol_);
                const double off = s ? off_by(p, *s) : std::numeric_limits<double>::max();
                if (off <= limit(p) && (!p.mid || off < p.error)) p.mid = s, p.error = off, p.planes.clear();
            }
        return p.mid.has_value();
    }

    // A pipe ends where the bends it goes on in begin.
    void trim(Pair& p) const {
        auto* free = p.mid ? std::get_if<FreeSurface>(&*p.mid) : nullptr;
        if (!free || !free->pipe) return;
        std::vector<Surface> next;
        for (std::size_t j : p.bends)
            if (pairs_[j].mid) next.push_back(*pairs_[j].mid);
        Vec3 middle = Vec3::Zero();
        for (const Vec3& m : p.middles) middle += m / static_cast<double>(p.middles.size());
        free->pipe = std::make_shared<const Pipe>(trimmed(*free->pipe, next, middle, 10 * tol_));
    }

    // Between others, half-way by normals keeps to what is half-way between their neighbours.
    void half_way(Pair& p) const {
        if (!p.ridge.empty() || p.beside.size() + p.bends.size() < 2) return;
        double reach = p.thickness;
        for (const Vec3& m : p.middles) reach = std::max(reach, (m - p.middles[0]).norm());
        const auto s = mean_by_normal(surface(p.a), surface(p.b), p.middles[0], reach, 10 * tol_);
        if (!s) return;
        const double off = off_by(p, *s);
        if (off <= limit(p)) p.mid = s, p.error = off;
    }

    // Half the difference between the distances to both sides.
    double off_by(const Pair& p, const Surface& mid) const {
        const BaseSurface middle(mid), a(surface(p.a)), b(surface(p.b));
        double off = 0;
        for (const Vec3& m : p.middles) {
            const Vec3 c = middle.foot(m).point;
            off = std::max({off, 0.5 * std::abs((a.foot(c).point - c).norm() - (b.foot(c).point - c).norm()), (c - m).norm() > p.thickness ? p.thickness : 0});
        }
        return off;
    }

    // The same with the sides of a ridge: the further one counts. None where its middle line lies in the material: a corner, not a bend.
    double off_ridge(const Pair& p, const Surface& mid) const {
        constexpr double none = std::numeric_limits<double>::max();
        double off = 0;
        std::vector<BaseSurface> sides;
        for (int f : p.ridge) sides.emplace_back(surface(f));
        std::vector<const BaseSurface*> far;
        for (const BaseSurface& s : sides) far.push_back(&s);
        const BaseSurface outside(surface(p.a));
        for (const Vec3& m : p.middles) {
            const auto c = surface_foot(mid, m);
            const auto spine = spine_point(mid, m);
            if (!c || !spine || (*c - m).norm() > p.thickness) return none;
            const Vec3 inward = (*spine - *c).normalized();
            bool between = true;  // the lines along which it touches the walls' midsurfaces
            for (std::size_t k = 0; k < sides.size(); ++k) {
                const bool turned = body_.faces[ix(p.ridge[k])].reversed;
                const SkinPoint at_spine = sides[k].foot(*spine), here = sides[k].foot(*c);
                if ((turned ? -1 : 1) * (*spine - at_spine.point).dot(at_spine.normal) < -std::max(1e-4 * p.thickness, 10 * tol_)) return none;
                between = between && (turned ? -1 : 1) * inward.dot(here.normal) > 0;
            }
            if (!between) continue;
            off = std::max(off, 0.5 * std::abs(outside.along(*c, -inward) - past_ridge(mid, far, *c)));
        }
        return off;
    }

    // Does the wall the pair is in have this midsurface already?
    bool known(const Pair& p) const {
        if (!p.ridge.empty()) return false;
        double reach = p.thickness;
        for (const Vec3& m : p.middles) reach = std::max(reach, (m - p.middles[0]).norm());
        for (const Wall& w : walls_)
            for (const FacePair& q : w.pairs)
                if (std::minmax(q.top, q.bottom) == std::minmax(p.a, p.b)) return same_surface(w.chart.surface(), *p.mid, p.middles[0], reach, 10 * tol_);
        return false;
    }

    const Body& body_;
    const Skin& skin_;
    const std::vector<Wall>& walls_;
    RoundFaces faces_;
    double tol_;
    std::map<std::pair<int, int>, bool> opposed_;
    std::map<int, std::vector<Use>> at_;
    std::vector<Pair> pairs_;
    std::set<std::pair<int, int>> of_bend_;
};

}  // namespace

std::vector<Bend> find_bends(const Body& body, const Skin& skin, const std::vector<Wall>& walls, double tol) {
    return Search(body, skin, walls, tol).run();
}

}  // namespace halvo
