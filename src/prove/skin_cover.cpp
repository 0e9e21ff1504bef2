#include "prove/skin_cover.hpp"

#include "body/skin.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"
#include "core/parallel.hpp"
#include "geom/box_tree.hpp"
#include "geom/facet_tree.hpp"
#include "geom/outline.hpp"
#include "geom/spread.hpp"
#include "model/sheet_values.hpp"
#include "model/slab.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>

namespace halvo {
namespace {

constexpr double least_patch = 1e-5;      // patches below this share of the body's skin are rounding of the facets
constexpr std::size_t most_patches = 50;  // that are named, largest first

struct Cover {
    const Sheet* sheet;
    Box3 box;
    std::shared_ptr<const OutlineIndex> outline;
};

// A side of the sheet, or a rim within its thickness.
bool over(const Cover& c, const Vec3& p, double slack) {
    if (!c.box.contains(p)) return false;
    const Sheet& s = *c.sheet;
    const double h = s.chart.height(p);
    if (std::abs(h) > s.thickness.max * 1.02 + slack) return false;
    const Vec2 q = s.chart.local2(p);
    if (!between_sides(s.chart, s.field, q, h, 0.05 * s.thickness.max, 0.01 * s.thickness.max + slack)) return false;
    return c.outline->inside(q) || c.outline->border_within(q, s.thickness.max + slack);
}

std::vector<std::vector<Cover>> covers_of(const Assembly& solids, const Model& model) {
    std::vector<std::vector<Cover>> of(solids.bodies.size());
    for (const Sheet& s : model.sheets) {
        if (!s.body) continue;
        Box3 box = sheet_box(model, s);
        box.min().array() -= 1.1 * s.thickness.max, box.max().array() += 1.1 * s.thickness.max;
        const auto outline = std::make_shared<const OutlineIndex>(s.own_outline);
        of[s.body.index()].push_back({&s, box, outline});
        for (const BodyShare& k : s.shares) of[k.body.index()].push_back({&s, box, outline});
    }
    return of;
}

// Fillets: faces no sheet has as a side, that go on smoothly from one that some sheet has. They belong to the junction they round.
std::vector<bool> fillets_of(const Body& body, const std::vector<Cover>& covers) {
    std::vector<bool> side(body.faces.size(), false), out(body.faces.size(), false);
    for (const Cover& c : covers)
        for (const std::vector<int>* faces : {&c.sheet->top_faces, &c.sheet->bottom_faces})
            for (int f : *faces) side[ix(f)] = true;
    const auto may = [&](std::size_t f) { return !side[f] && !std::holds_alternative<PlaneSurface>(body.faces[f].surface); };
    std::size_t any = 0;
    while (any < out.size() && !may(any)) ++any;
    if (any == out.size()) return out;
    const FaceNeighbours next = face_neighbours(body);
    for (std::size_t f = any; f < out.size(); ++f)
        if (may(f)) out[f] = std::any_of(next.of[f].begin(), next.of[f].end(), [&](const auto& l) { return l.smooth && side[ix(l.other)]; });
    return out;
}

// Share of a facet that is covered, at points spread over it. In bodies with solid regions that stand as rigid masses, skin with more
// than `solid` of material behind it is theirs.
double share_covered(const Body& body, std::size_t facet, const std::vector<Cover>& all_covers, const BoxTree& tree, double step, double slack, double solid) {
    const auto& k = body.facets[facet].corners;
    const Vec3 &a = body.points[ix(k[0])], ab = body.points[ix(k[1])] - a, ac = body.points[ix(k[2])] - a;
    const int n = std::clamp(static_cast<int>(std::ceil(std::max({ab.norm(), ac.norm(), (ac - ab).norm()}) / step)), 1, 6);
    Box3 box;
    box.extend(a).extend(Vec3(a + ab)).extend(Vec3(a + ac));
    std::vector<Cover> covers;
    for (int c : tree.touching(box)) covers.push_back(all_covers[ix(c)]);
    int all = 0, in = 0;
    for (const Vec3& p : middles_of_pieces(a, a + ab, a + ac, n)) {
        const SkinPoint s = body.on_skin(facet, p);
        ++all;
        if (std::any_of(covers.begin(), covers.end(), [&](const Cover& c) { return over(c, s.point, slack); })) {
            ++in;
            continue;
        }
        if (!std::isfinite(solid)) continue;
        const auto behind = body.tree->shoot(p, -s.normal, slack);
        in += behind && behind->distance > solid ? 1 : 0;
    }
    return static_cast<double>(in) / all;
}

void collect_patches(const Body& body, BodyId id, const std::vector<double>& share, std::vector<UncoveredPatch>& out) {
    Groups groups(body.facets.size());
    std::map<std::array<std::int64_t, 3>, int> at;  // facets of different faces meet in points of their own
    for (std::size_t i = 0; i < body.facets.size(); ++i) {
        if (share[i] >= 0.5) continue;
        for (int c : body.facets[i].corners) {
            const Vec3 p = body.points[ix(c)] * 1e3;
            const auto [it, fresh] = at.try_emplace({std::llround(p.x()), std::llround(p.y()), std::llround(p.z())}, static_cast<int>(i));
            if (!fresh) groups.tie(static_cast<int>(i), it->second);
        }
    }
    std::map<int, UncoveredPatch> patches;
    for (std::size_t i = 0; i < body.facets.size(); ++i) {
        if (share[i] >= 0.5) continue;
        UncoveredPatch& p = patches[groups.root(static_cast<int>(i))];
        Vec3 m = Vec3::Zero();
        for (int c : body.facets[i].corners) m += body.points[ix(c)] / 3;
        const double area = body.facet_area(i);
        p.body = id, p.area += area, p.place += area * m;
        p.facets.push_back(static_cast<int>(i));
    }
    for (auto& [root, p] : patches) {
        if (p.area < least_patch * body.mass.area) continue;
        // The facet nearest to the middle, so that the place lies on the patch.
        const Vec3 middle = p.place / p.area;
        double best = std::numeric_limits<double>::max();
        for (int f : p.facets) {
            Vec3 m = Vec3::Zero();
            for (int c : body.facets[ix(f)].corners) m += body.points[ix(c)] / 3;
            if ((m - middle).norm() < best) best = (m - middle).norm(), p.place = m;
        }
        out.push_back(std::move(p));
    }
}

}  // namespace

SkinCover cover_skin(const Assembly& solids, const Model& model, const std::vector<bool>& asked) {
    SkinCover out;
    const auto covers = covers_of(solids, model);
    const double slack = 10 * solids.tolerance.point;
    for (std::size_t b = 0; b < solids.bodies.size(); ++b) {
        if (!asked[b]) continue;
        const Body& body = solids.bodies[b];
        double thickest = 0;
        for (const Cover& c : covers[b]) thickest = std::max(thickest, c.sheet->thickness.max);
        std::vector<double> share(body.facets.size(), 0.0);
        const std::vector<bool> fillet = covers[b].empty() ? std::vector<bool>(body.faces.size(), false) : fillets_of(body, covers[b]);
        std::vector<Box3> boxes;
        for (const Cover& c : covers[b]) boxes.push_back(c.box);
        const BoxTree tree(boxes);
        const bool region =
            std::any_of(model.couplings.begin(), model.couplings.end(), [&](const Coupling& c) { return c.body == BodyId(b) && !c.faces.empty(); });
        if (!covers[b].empty())
            parallel_for(share.size(), [&](std::size_t i) {
                const double within = fillet[ix(body.facets[i].face)] ? slack + 0.75 * thickest : slack;
                share[i] = share_covered(body, i, covers[b], tree, 3 * thickest, within, region ? 1.5 * thickest : std::numeric_limits<double>::infinity());
            });
        const auto account_for = [&](const std::vector<int>& faces) {
            for (int f : faces) {
                const Face& face = body.faces[ix(f)];
                std::fill_n(share.begin() + static_cast<std::ptrdiff_t>(face.first_facet), face.facet_count, 1.0);
            }
        };
        for (const RootMaterial& r : model.roots)
            if (r.body == BodyId(b)) account_for(r.faces);
        // Skin of solid regions that stand as rigid masses.
        for (const Coupling& c : model.couplings)
            if (c.body == BodyId(b)) account_for(c.faces);
        for (const Face& f : body.faces) {
            double in = 0, total = 0;
            for (std::size_t i = f.first_facet; i < f.first_facet + f.facet_count; ++i) total += body.facet_area(i), in += share[i] * body.facet_area(i);
            out.all += f.area;
            if (total > 0) out.covered += f.area * in / total;
        }
        collect_patches(body, BodyId(b), share, out.uncovered);
    }
    std::stable_sort(out.uncovered.begin(), out.uncovered.end(), [](const UncoveredPatch& a, const UncoveredPatch& b) { return a.area > b.area * (1 + 1e-9); });
    if (out.uncovered.size() > most_patches) out.uncovered.resize(most_patches);
    return out;
}

}  // namespace halvo
