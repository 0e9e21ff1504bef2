#include "halve/patches.hpp"

#include "body/named.hpp"
#include "core/index.hpp"
#include "core/keys.hpp"
#include "geom/facet_tree.hpp"
#include "geom/fit_free.hpp"
#include "geom/foot_curve.hpp"
#include "geom/nearest_curve.hpp"
#include "model/arrangement.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr int places_between = 12;    // places on the skin between two given points
constexpr int on_edge = 8;            // places of an edge that is a side, whose distances from the patch are told
constexpr double facing_least = 0.3;  // cosine to the patch's mean normal, of skin that belongs to it

class Patcher {
public:
    Patcher(Model& model, const Assembly& solids, const PatchRule& rule, std::size_t number)
        : model_(model), solids_(solids), rule_(rule), number_(number), id_(body_of()), body_(solids.bodies[id_]) {}

    void run() {
        walk_sides();
        gather_skin();
        double noise = 0, area = 0;
        for (const Face& f : body_.faces) noise += f.fit_error * f.area, area += f.area;
        const auto fit = fit_free(points_, normals_, body_.faceted && area > 0 ? noise / area : 0);
        if (!fit) fail("its points do not lie over a plane within 70 degrees; cut it into smaller patches");
        make_sheet(Chart(fit->surface, points_[0]));
    }

private:
    [[noreturn]] void fail(const std::string& what) const { throw Error(ErrorKind::input, fmt::format("[[patch]] entry {}: {}", number_, what)); }

    std::size_t body_of() const {
        std::vector<std::size_t> found;
        for (std::size_t b = 0; b < solids_.bodies.size(); ++b)
            if (solids_.bodies[b].tree && (rule_.body.empty() || is_named(solids_.bodies[b], {rule_.body}))) found.push_back(b);
        if (found.size() != 1) fail(found.empty() ? "no such body; halvo survey lists them" : "several bodies fit; say which one with patch.body");
        return found[0];
    }

    // The skin's point next to p.
    SkinPoint on_skin(const Vec3& p) const {
        const auto near = body_.tree->nearest(p, std::numeric_limits<double>::max());
        if (!near) fail("its body has no skin");
        const SkinPoint s = body_.on_skin(ix(near->facet), p);
        return {s.point, s.normal};
    }

    // The edge of the body that a point of the plan lies on.
    const Curve& edge_at(const Vec3& given) const {
        const Vec3 p = given - solids_.shift;
        const auto own = [&](std::size_t e) { return body_.edges[e].degenerate ? nullptr : &body_.edges[e].curve; };
        const NearestCurve near = nearest_curve(body_.edges.size(), p, own, 0.05 * body_.box.diagonal().norm());
        const Curve* best = near.number < 0 ? nullptr : &body_.edges[static_cast<std::size_t>(near.number)].curve;
        if (!best) fail(fmt::format("no edge of {} near ({:g}, {:g}, {:g})", body_.label, given.x(), given.y(), given.z()));
        if (best->closed(1e-6 * body_.box.diagonal().norm()))
            fail(fmt::format("the edge at ({:g}, {:g}, {:g}) closes on itself; give points along it instead", given.x(), given.y(), given.z()));
        return *best;
    }

    // Edges as rows of points, each turned so that it ends where the next one begins.
    std::vector<std::vector<Vec3>> sides_along_edges() const {
        std::vector<Curve> edges;
        for (const Vec3& p : rule_.edges) edges.push_back(edge_at(p));
        const std::size_t n = edges.size();
        const auto gap = [](const Vec3& p, const Curve& c) { return std::min((p - c.start()).norm(), (p - c.end()).norm()); };
        if (gap(edges[0].start(), edges[1]) < gap(edges[0].end(), edges[1])) edges[0] = edges[0].reversed();
        std::vector<std::vector<Vec3>> out;
        for (std::size_t k = 0; k < n; ++k) {
            if (k > 0 && (edges[k].end() - edges[k - 1].end()).norm() < (edges[k].start() - edges[k - 1].end()).norm()) edges[k] = edges[k].reversed();
            auto& side = out.emplace_back();
            for (int j = 0; j <= on_edge; ++j) side.push_back(edges[k].point(edges[k].parameter_at(static_cast<double>(j) / on_edge)) + solids_.shift);
        }
        for (std::size_t k = 0; k < n; ++k)
            if ((out[k].back() - out[(k + 1) % n].front()).norm() > 1e-3 * edges[k].length())
                fail(fmt::format("the edges at points {} and {} do not meet; name them in their order round the patch", k + 1, (k + 1) % n + 1));
        return out;
    }

    // Given points, and between them places on the skin.
    void walk_sides() {
        const auto given = rule_.edges.empty() ? rule_.sides : sides_along_edges();
        for (std::size_t k = 0; k < given.size(); ++k) {
            const auto& side = given[k];
            const auto& next = given[(k + 1) % given.size()];
            double size = 0;
            for (const Vec3& p : side) size = std::max(size, (p - side[0]).norm());
            if ((side.back() - next[0]).norm() > 1e-3 * size) fail(fmt::format("side {} does not end where the next one begins", k + 1));
            auto& walked = sides_.emplace_back();
            for (std::size_t i = 0; i < side.size(); ++i) {
                const Vec3 p = (i + 1 == side.size() ? next[0] : side[i]) - solids_.shift;
                if (i > 0) {
                    const Vec3 from = walked.back();
                    for (int j = 1; j < places_between; ++j) walked.push_back(on_skin(from + (p - from) * j / places_between).point);
                }
                walked.push_back(p);
                if (i + 1 < side.size()) given_.push_back(p);
            }
        }
        Vec3 middle = Vec3::Zero();
        std::size_t count = 0;
        for (const auto& side : sides_)
            for (const Vec3& p : side) middle += p, ++count;
        middle /= static_cast<double>(count);
        // On an edge of the body two faces meet: the one meant is that on the patch's side.
        constexpr double aside = 0.01;
        for (const auto& side : sides_)
            for (const Vec3& p : side) add(p, on_skin(rule_.edges.empty() ? p : Vec3(p + aside * (middle - p))).normal);
    }

    void add(const Vec3& p, const Vec3& n) { points_.push_back(p), normals_.push_back(n); }

    // Corners of the facets inside the sides, seen along the mean normal.
    void gather_skin() {
        Vec3 mean = Vec3::Zero(), middle = Vec3::Zero();
        for (const Vec3& n : normals_) mean += n;
        for (const Vec3& p : points_) middle += p / static_cast<double>(points_.size());
        if (mean.norm() < facing_least * static_cast<double>(normals_.size()))
            fail("its sides run round more than half of the body; cut it into smaller patches");
        const Frame f = Frame::with_z(middle, mean);
        std::vector<Vec2> outline;
        double low = std::numeric_limits<double>::max(), high = -low;
        for (const auto& side : sides_)
            for (std::size_t i = 0; i + 1 < side.size(); ++i)
                outline.push_back(f.local2(side[i])), low = std::min(low, f.height(side[i])), high = std::max(high, f.height(side[i]));
        Box2 box;
        for (const Vec2& q : outline) box.extend(q);
        const double deep = 0.5 * box.diagonal().norm();
        std::vector<char> seen(body_.points.size(), 0);
        const Vec2 centre = f.local2(middle);
        const auto anchor = body_.tree->nearest(f.at(centre), std::numeric_limits<double>::max());
        const double at = anchor ? f.height(body_.points[ix(body_.facets[ix(anchor->facet)].corners[0])]) : 0;
        for (std::size_t i = 0; i < body_.facets.size(); ++i) {
            const Vec3 n = body_.facet_normal(i);
            if (n.dot(f.z) < facing_least) continue;
            for (int c : body_.facets[i].corners) {
                const Vec3& p = body_.points[ix(c)];
                const double h = f.height(p);
                if (seen[ix(c)]++ || h < std::min(low, at) - deep || h > std::max(high, at) + deep || !inside({outline}, f.local2(p))) continue;
                add(p, n);
            }
        }
    }

    void make_sheet(const Chart& chart) {
        ArrangementInput in;
        in.sheets.push_back({chart, {}});
        std::vector<std::vector<Vec2>> outline(1);
        for (const auto& side : sides_) {
            std::vector<Vec3> feet;
            for (const Vec3& p : side) feet.push_back(chart.foot(p)), outline[0].push_back(chart.local2(feet.back()));
            outline[0].pop_back();
            in.sheets[0].curves.push_back(static_cast<int>(in.curves.size()));
            in.curves.push_back(curve_past(feet, solids_.tolerance.point));
        }
        const Arrangement a = arrange(in, 4 * solids_.tolerance.point);
        std::vector<std::vector<Keep>> keep(1);
        for (const Cell& c : a.sheets[0].cells) {
            const auto samples = spread_inside(cell_polygons(a, chart, c, solids_.tolerance.chord), 1);
            keep[0].push_back({!samples.empty() && inside(outline, samples[0].point), true});
        }
        Sheet s;
        s.regions = assemble(model_, a, in, keep, {}).regions[0];
        if (s.regions.empty()) fail("its sides enclose no area");
        s.body = BodyId(id_), s.chart = chart;
        take_as_it_is(model_, s, rule_.thickness);
        s.wall = make_key("wall", body_.key + " patch", {std::sqrt(s.area()), (chart.foot(points_[0]) - body_.mass.centre).norm()});
        s.key = make_key("sheet", s.wall, {std::sqrt(s.area())});
        record(s);
        model_.sheets.push_back(std::move(s));
    }

    void record(const Sheet& s) {
        double worst = 0;
        for (const Vec3& p : points_) worst = std::max(worst, std::abs(s.chart.height(p)));
        model_.ledger.push_back({s.wall, "halve", EntryKind::patch, EntryState::applied,
                                 fmt::format("{}: a patch of {} sides, {:.0f} mm2, {:.2f} mm thick by the plan, off the skin by {:.3g} mm at most", body_.label,
                                             sides_.size(), s.area(), rule_.thickness, worst),
                                 worst, s.chart.foot(points_[0]), body_.label});
        for (std::size_t i = 0; i < given_.size(); ++i) {
            const double off = std::abs(s.chart.height(given_[i]));
            model_.ledger.push_back({make_key("point", s.wall, {static_cast<double>(i + 1)}), "halve", EntryKind::patch_point, EntryState::applied,
                                     fmt::format("{}: point {} of the patch is {:.4g} mm off it", body_.label, i + 1, off), off, given_[i], body_.label});
        }
    }

    Model& model_;
    const Assembly& solids_;
    const PatchRule& rule_;
    std::size_t number_, id_;
    const Body& body_;
    std::vector<std::vector<Vec3>> sides_;
    std::vector<Vec3> given_, points_, normals_;
};

}  // namespace

void add_patches(Model& model, const Assembly& solids, const std::vector<PatchRule>& patches) {
    for (std::size_t i = 0; i < patches.size(); ++i) Patcher(model, solids, patches[i], i + 1).run();
}

}  // namespace halvo
