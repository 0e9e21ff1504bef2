#include "solve/gaps.hpp"

#include "core/index.hpp"
#include "geom/facet_tree.hpp"
#include "solve/shell_facets.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double widest = 1;          // gap over the thicker of both: what is further off stands for itself
constexpr double narrowest = 1e-3;    // and what is nearer touches
constexpr double facing = 0.85;       // cosine between the way across the gap and the sheet's normal
constexpr double least_long = 5;      // thicknesses of the sheet, of edge beside it
constexpr double apart = 0.05;        // of the largest displacement, by which what is not joined moves against each other
constexpr double past_itself = 0.01;  // thicknesses: what is met nearer than that is where the ray starts

// A stretch of an edge, or a beam, and the place on a sheet across the gap.
struct OverGap {
    std::int32_t edge_of = -1, beside = -1;
    std::int32_t shell = -1;
    std::array<std::int32_t, 2> nodes{-1, -1};  // of the edge
    Vec3 from, foot;                            // its middle, and the place on the sheet's reference surface
    double length = 0, width = 0;
};

class Gaps {
public:
    Gaps(const Built& built, const Solution& solution) : built_(built), solution_(solution), s_(built.structure), facets_(shell_facets(built.structure)) {
        for (const ShellPart& p : s_.shells) thickest_ = std::max(thickest_, p.thickness);
    }

    [[nodiscard]] std::vector<Gap> run() const {
        if (facets_.corners.empty() || solution_.cases.empty()) return {};
        const FacetTree tree(s_.nodes, facets_.corners);
        std::map<std::pair<std::int32_t, std::int32_t>, std::vector<OverGap>> runs;
        for (const auto& side : free_sides())
            if (const auto a = across(tree, side)) runs[{a->edge_of, a->beside}].push_back(*a);
        std::vector<char> on_shell(s_.nodes.size(), 0);
        for (const ShellPart& p : s_.shells)
            for (int k = 0; k < p.count(); ++k) on_shell[ix(p.nodes[ix(k)])] = 1;
        for (std::size_t i = 0; i < s_.beams.size(); ++i)
            if (const auto a = across(tree, i, on_shell)) runs[{a->edge_of, a->beside}].push_back(*a);
        std::vector<Gap> out;
        for (const auto& [who, list] : runs)
            if (const auto g = moving(list)) out.push_back(*g);
        std::stable_sort(out.begin(), out.end(), [](const Gap& a, const Gap& b) { return a.length > b.length; });
        return out;
    }

private:
    struct Side {
        std::int32_t shell = -1;
        std::array<std::int32_t, 2> nodes{-1, -1};
    };

    // Sides of one shell alone, with nothing at their nodes that joins them to others.
    [[nodiscard]] std::vector<Side> free_sides() const {
        std::vector<char> joined(s_.nodes.size(), 0);
        for (const RigidArm& a : s_.arms) joined[ix(a.master)] = joined[ix(a.slave)] = 1;
        for (const BeamPart& b : s_.beams)
            for (const std::int32_t n : b.nodes) joined[ix(n)] = 1;
        for (const MotionEquation& e : s_.equations)
            for (const auto& [m, f] : e.terms) joined[ix(m / 6)] = 1;
        std::vector<Side> out;
        for (const auto& [nodes, shells] : shells_at_sides(s_))
            if (shells.size() == 1 && !(joined[ix(nodes.first)] && joined[ix(nodes.second)])) out.push_back({shells.front(), {nodes.first, nodes.second}});
        return out;
    }

    // What lies ahead of an edge in the plane of its sheet.
    [[nodiscard]] std::optional<OverGap> across(const FacetTree& tree, const Side& side) const {
        const ShellPart& p = s_.shells[ix(side.shell)];
        Vec3 centre = Vec3::Zero();
        for (int k = 0; k < p.count(); ++k) centre += s_.nodes[ix(p.nodes[ix(k)])] / p.count();
        const Vec3 &a = s_.nodes[ix(side.nodes[0])], &b = s_.nodes[ix(side.nodes[1])];
        const Vec3 along = (b - a).normalized(), middle = 0.5 * (a + b);
        Vec3 out = middle - centre;
        out = (out - along * along.dot(out)).normalized();
        const auto hit = tree.shoot(middle, out, past_itself * p.thickness, 2 * thickest_);
        if (!hit) return std::nullopt;
        const std::int32_t other = facets_.shell[ix(hit->facet)];
        const ShellPart& q = s_.shells[ix(other)];
        if (q.group == p.group) return std::nullopt;
        const auto& c = facets_.corners[ix(hit->facet)];
        const Vec3 normal = (s_.nodes[ix(c[1])] - s_.nodes[ix(c[0])]).cross(s_.nodes[ix(c[2])] - s_.nodes[ix(c[0])]).normalized();
        const double thick = std::max(p.thickness, q.thickness), width = hit->distance * std::abs(out.dot(normal)) - 0.5 * q.thickness;
        if (std::abs(out.dot(normal)) < facing || width < narrowest * thick || width > widest * thick) return std::nullopt;
        OverGap r;
        r.edge_of = built_.shell_properties[ix(side.shell)], r.beside = built_.shell_properties[ix(other)], r.shell = other, r.nodes = side.nodes;
        r.from = middle, r.foot = middle + hit->distance * out, r.length = (b - a).norm(), r.width = width;
        return r;
    }

    // The sheet next to a member that has no node on it; the gap is that between the skins of both.
    [[nodiscard]] std::optional<OverGap> across(const FacetTree& tree, std::size_t beam, const std::vector<char>& on_shell) const {
        const BeamPart& p = s_.beams[beam];
        if (on_shell[ix(p.nodes[0])] || on_shell[ix(p.nodes[1])]) return std::nullopt;
        const Vec3 &a = s_.nodes[ix(p.nodes[0])], &b = s_.nodes[ix(p.nodes[1])];
        const BeamSection& section = s_.sections[ix(p.section)];
        double depth = 0;
        for (const Vec2& o : section.outline) depth = std::max(depth, o.norm());
        const Vec3 middle = 0.5 * (a + b) + p.arm, x = (b - a).normalized(), y = (p.y - x * x.dot(p.y)).normalized(), z = x.cross(y);
        const auto near = tree.nearest(middle, depth + 2 * thickest_);
        if (!near || near->distance <= 0) return std::nullopt;
        const Vec3 out = (near->point - middle) / near->distance;
        double reach = 0;
        for (const Vec2& o : section.outline) reach = std::max(reach, out.dot(o.x() * y + o.y() * z));
        OverGap r;
        r.shell = facets_.shell[ix(near->facet)];
        const ShellPart& q = s_.shells[ix(r.shell)];
        r.width = near->distance - reach - 0.5 * q.thickness;
        if (std::abs(out.dot(x)) > 1 - facing || r.width < narrowest * q.thickness || r.width > widest * q.thickness) return std::nullopt;
        r.edge_of = built_.beam_properties[beam], r.beside = built_.shell_properties[ix(r.shell)], r.nodes = p.nodes;
        r.from = middle + reach * out, r.foot = near->point, r.length = (b - a).norm();
        return r;
    }

    // Movement of the edge against that of the sheet, carried to the edge as if they were joined.
    [[nodiscard]] Vec3 slip(const OverGap& a, const Eigen::VectorXd& u) const {
        const auto move = [&](std::int32_t n) { return Vec3(u.segment<3>(Eigen::Index{6} * n)); };
        const auto turn = [&](std::int32_t n) { return Vec3(u.segment<3>(Eigen::Index{6} * n + 3)); };
        const auto carried = [&](std::int32_t n) { return Vec3(move(n) + turn(n).cross(a.from - s_.nodes[ix(n)])); };
        const ShellPart& q = s_.shells[ix(a.shell)];
        Vec3 moved = Vec3::Zero(), turned = Vec3::Zero();
        double sum = 0;
        for (int k = 0; k < q.count(); ++k) {
            const std::int32_t n = q.nodes[ix(k)];
            const double w = 1 / std::max((s_.nodes[ix(n)] - a.foot).squaredNorm(), 1e-12);
            moved += w * (move(n) + turn(n).cross(a.foot - s_.nodes[ix(n)])), turned += w * turn(n), sum += w;
        }
        return 0.5 * (carried(a.nodes[0]) + carried(a.nodes[1])) - (moved + turned.cross(a.from - a.foot)) / sum;
    }

    [[nodiscard]] std::optional<Gap> moving(const std::vector<OverGap>& list) const {
        Gap g;
        g.edge_of = list.front().edge_of, g.beside = list.front().beside;
        double thickness = 0;
        for (const OverGap& a : list)
            g.length += a.length, g.width = std::max(g.width, a.width), thickness = std::max(thickness, s_.shells[ix(a.shell)].thickness);
        if (g.length < least_long * thickness) return std::nullopt;
        for (const CaseResult& c : solution_.cases)
            for (const OverGap& a : list) {
                const double moved = slip(a, c.movement).norm(), share = c.max_displacement > 0 ? moved / c.max_displacement : 0;
                if (share > g.share) g.share = share, g.slip = moved, g.load_case = c.name, g.at = a.from;
            }
        return g.share >= apart ? std::optional(g) : std::nullopt;
    }

    const Built& built_;
    const Solution& solution_;
    const Structure& s_;
    ShellFacets facets_;
    double thickest_ = 0;
};

}  // namespace

std::vector<Gap> gaps_beside_sheets(const Built& built, const Solution& solution) {
    return Gaps(built, solution).run();
}

}  // namespace halvo
