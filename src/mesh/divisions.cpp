#include "mesh/divisions.hpp"

#include "core/groups.hpp"
#include "geom/rounds.hpp"
#include "mesh/corners.hpp"
#include "mesh/edge_grading.hpp"
#include "mesh/idle_vertices.hpp"
#include "model/sets.hpp"
#include "model/sheet_values.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>

namespace halvo {
namespace {

constexpr double arc_step = 46 * pi / 180;   // an element spans at most this on an arc
constexpr double bend_step = 31 * pi / 180;  // and this where the sheet itself is bent
constexpr double agree = 1.6;                // opposite sides whose lengths differ by less get the same count

Vec3 tangent(const Model& model, const EdgeUse& u, bool at_end) {
    const Curve& c = model.edges[u.edge.index()].curve;
    const bool end = at_end != u.reversed;
    const Vec3 d = c.derivative(end ? c.t1 : c.t0).normalized();
    return u.reversed ? Vec3(-d) : d;
}

VertexId first_vertex(const Model& model, const EdgeUse& u) {
    return model.edges[u.edge.index()].vertices[u.reversed ? 1 : 0];
}

constexpr double widest_turn = 1.6;  // of one element, however small: a little more than a right angle

// The angle that a curve turns by on its way.
double curve_turn(const Curve& c) {
    if (c.is_line()) return 0;
    if (std::holds_alternative<CircleCurve>(c.shape)) return c.t1 - c.t0;
    std::vector<Vec3> tangents;
    if (const auto* p = std::get_if<PolylineCurve>(&c.shape)) tangents = p->tangents;
    else
        for (int k = 0; k <= 64; ++k) tangents.push_back(c.derivative(c.t0 + (c.t1 - c.t0) * k / 64));
    double turn = 0;
    for (std::size_t i = 0; i + 1 < tangents.size(); ++i) turn += std::atan2(tangents[i].cross(tangents[i + 1]).norm(), tangents[i].dot(tangents[i + 1]));
    return turn;
}

int least_on(const Curve& c, double step) {
    return std::max(1, static_cast<int>(std::ceil(curve_turn(c) / step - 1e-9)));
}

}  // namespace

namespace {

// The chains that a region's only loop falls into at its corners; empty when it has other loops, turns that are neither corner nor none,
// or no corner.
std::vector<std::vector<std::size_t>> sides_of(const Model& model, const Sheet& sheet, const Region& region, double least) {
    if (region.loops.size() != 1 || !region.embedded.empty() || !region.points.empty()) return {};
    std::vector<EdgeUse> loop;
    std::vector<std::size_t> place;
    for (std::size_t i = 0; i < region.loops[0].size(); ++i)
        if (const EdgeUse& u = region.loops[0][i]; least <= 0 || model.length(u.edge) >= least) loop.push_back(u), place.push_back(i);
    std::vector<std::size_t> corners;
    for (std::size_t i = 0; i < loop.size(); ++i) {
        const Vec3 in = tangent(model, loop[(i + loop.size() - 1) % loop.size()], true), out = tangent(model, loop[i], false);
        const Vec3 normal = sheet.chart.normal(model.vertices[first_vertex(model, loop[i]).index()].point);
        const double turn = std::atan2(normal.dot(in.cross(out)), in.dot(out));
        if (turn > corner_turn) corners.push_back(i);
        else if (std::abs(turn) > smooth_turn) return {};
    }
    const std::size_t n = corners.size();
    std::vector<std::vector<std::size_t>> sides(n);
    for (std::size_t k = 0; k < n; ++k)
        for (std::size_t i = corners[k]; i != corners[(k + 1) % n]; i = (i + 1) % loop.size()) sides[k].push_back(place[i]);
    return sides;
}

}  // namespace

std::vector<std::vector<std::size_t>> four_sides(const Model& model, const Sheet& sheet, const Region& region, double least) {
    auto sides = sides_of(model, sheet, region, least);
    if (sides.size() != 4) return {};
    return sides;
}

bool holds_diameter(const HoleRule& rule, double diameter) {
    return diameter >= rule.from * (1 - 1e-6) && diameter <= rule.to * (1 + 1e-6);
}

double default_size(const Model& model) {
    Box3 box;
    double thick = 0;
    for (const Vertex& v : model.vertices) box.extend(v.point);
    for (const Sheet& s : model.sheets) thick = std::max(thick, s.thickness.max);
    if (box.isEmpty()) return 1;
    Vec3 centre = Vec3::Zero();
    for (const Vertex& v : model.vertices) centre += v.point / static_cast<double>(model.vertices.size());
    double radius = 0;
    for (const Vertex& v : model.vertices) radius = std::max(radius, (v.point - centre).norm());
    return std::max({radius / 50, 2 * thick, 1e-6});
}

namespace {

constexpr double askew = 0.2;  // of a bend's radius: larger quads that lie askew to its axis fold too much

// Of a sheet that is small against the model: a sixteenth of it, so that its shape shows, but not under twice its thickness or a quarter
// of the model's own size. Where lines end inside a bent sheet, quads beside them lie askew.
double default_size(const Model& model, const Sheet& sheet, double of_model) {
    std::vector<Vec3> points;
    for (const Region& r : sheet.regions)
        for (const auto& loop : r.loops)
            for (const EdgeUse& u : loop) {
                const Curve& c = model.edges[u.edge.index()].curve;
                points.insert(points.end(), {c.start(), c.middle(), c.end()});
            }
    Vec3 centre = Vec3::Zero();
    for (const Vec3& p : points) centre += p / static_cast<double>(points.size());
    double radius = 0;
    for (const Vec3& p : points) radius = std::max(radius, (p - centre).norm());
    const double size = std::min(of_model, std::max({radius / 8, 2 * sheet.thickness.max, of_model / 4}));
    const auto bend = spine_radius(sheet.chart.surface());
    const bool lines_inside = std::any_of(sheet.regions.begin(), sheet.regions.end(), [](const Region& r) { return !r.embedded.empty(); });
    return bend && lines_inside ? std::min(size, std::max(askew * *bend, sheet.thickness.max)) : size;
}

// About the width of a strip; of a square a third of its side.
double across(const Model& model, const Region& r) {
    double round = 0;
    for (const auto& loop : r.loops)
        for (const EdgeUse& u : loop) round += model.length(u.edge);
    return round > 0 ? 2 * r.area / round : 0;
}

bool fits(const SizeRule& rule, const Model& model, SheetId sheet) {
    if (!rule.points.empty() || rule.count > 0) return false;  // it speaks of edges or members
    if (!rule.sheet.empty() && !is_meant(model, sheet, rule.sheet)) return false;
    if (!rule.within) return true;
    for (const Region& r : model.sheets[sheet.index()].regions)
        for (const auto& loop : r.loops)
            for (const EdgeUse& u : loop)
                if (!rule.within->contains(model.edges[u.edge.index()].curve.box())) return false;
    return true;
}

bool fits(const SizeRule& rule, const Model& model, MemberId member) {
    if (!rule.points.empty() || (rule.sheet.empty() && !rule.within)) return false;
    if (!rule.sheet.empty() && !is_meant(model, member, rule.sheet)) return false;
    const auto& chain = model.members[member.index()].chain;
    return !rule.within ||
           std::all_of(chain.begin(), chain.end(), [&](const EdgeUse& u) { return rule.within->contains(model.edges[u.edge.index()].curve.box()); });
}

class Divider {
public:
    Divider(const Model& model, const MeshOptions& options)
        : model_(model),
          options_(options),
          size_(options.size ? *options.size : default_size(model)),
          groups_(model.edges.size()),
          edge_size_(model.edges.size(), size_),
          bent_(model.edges.size(), false),
          hole_(model.edges.size(), false),
          bounded_(model.edges.size(), false) {}

    EdgeDivisions run() {
        look_at_sheets();
        look_at_edges();
        const EdgeGrading graded = grading();
        tie_opposite_sides();
        for (const EdgeLink& l : model_.edge_links) groups_.tie(l.a.value, l.b.value);
        auto out = counts(graded);
        follow_chains(out);
        make_even(out);
        divide_members(out);
        EdgeDivisions all{std::move(out), {}, {}};
        for (std::size_t e = 0; e < all.counts.size(); ++e) all.places.push_back(graded.places(e, all.counts[e]));
        close_short_edges(all);
        return all;
    }

private:
    void look_at_sheets() {
        const std::vector<double> sizes = sheet_sizes(model_, options_);
        for (std::size_t i = 0; i < model_.sheets.size(); ++i) {
            const Sheet& s = model_.sheets[i];
            for (const Region& r : s.regions) {
                for (std::size_t l = 0; l < r.loops.size(); ++l)
                    for (const EdgeUse& u : r.loops[l]) {
                        edge_size_[u.edge.index()] = std::min(edge_size_[u.edge.index()], sizes[i]);
                        if (!s.chart.flat()) bent_[u.edge.index()] = true;
                        if (l > 0) hole_[u.edge.index()] = true;
                        bounded_[u.edge.index()] = true;
                    }
                const auto sides = sides_of(model_, s, r, options_.bridge * sizes[i]);
                if (sides.size() == 4) {
                    auto& uses = mapped_.emplace_back(4);
                    for (std::size_t k = 0; k < 4; ++k)
                        for (std::size_t n : sides[k]) uses[k].push_back(r.loops[0][n]);
                }
                // A ball's corner between three bends: even counts let it be three blocks.
                const bool three = sides.size() == 3 && !s.chart.flat() && std::all_of(sides.begin(), sides.end(), [](const auto& k) { return k.size() == 1; });
                if (three)
                    for (const auto& k : sides) even_.insert(r.loops[0][k[0]].edge.index());
            }
        }
    }

    // Rules for members, for the edges next to given points, and for those of sets.
    void look_at_edges() {
        for (const SizeRule& rule : options_.sizes) {
            for (std::size_t m = 0; m < model_.members.size(); ++m)
                if (fits(rule, model_, MemberId(m))) size_member(model_.members[m], rule);
            std::vector<EdgeId> edges = edges_meant(model_, rule.sheet);
            for (const Vec3& p : rule.points)
                if (const EdgeId e = edge_next_to(model_, p)) edges.push_back(e);
            for (const EdgeId e : edges) {
                if (rule.count) forced_[e.index()] = *rule.count;
                else if (rule.size) edge_size_[e.index()] = *rule.size;
            }
        }
        // Arcs of a bend: round it, between two straight sides.
        if (options_.bend_rows)
            for (const auto& sides : mapped_)
                for (std::size_t k : {0U, 1U}) {
                    const auto round = [&](std::size_t side) {
                        const Edge& e = model_.edges[sides[side][0].edge.index()];
                        return sides[side].size() == 1 && std::holds_alternative<CircleCurve>(e.curve.shape) && bent_[sides[side][0].edge.index()] &&
                               curve_turn(e.curve) < pi * (1 + 1e-9);
                    };
                    const auto straight = [&](std::size_t side) {
                        return std::all_of(sides[side].begin(), sides[side].end(),
                                           [&](const EdgeUse& u) { return model_.edges[u.edge.index()].curve.is_line(); });
                    };
                    if (round(k) && round(k + 2) && straight(k + 1) && straight((k + 3) % 4))
                        for (std::size_t side : {k, k + 2}) forced_[sides[side][0].edge.index()] = *options_.bend_rows;
                }
    }

    // A size along a member, or a count of elements shared out over its pieces by their lengths.
    void size_member(const Member& m, const SizeRule& rule) {
        if (!rule.count) {
            if (!rule.size) return;
            for (const EdgeUse& u : m.chain)
                edge_size_[u.edge.index()] = bounded_[u.edge.index()] ? std::min(edge_size_[u.edge.index()], *rule.size) : *rule.size;
            return;
        }
        const double length = model_.length(m);
        double passed = 0;
        int given = 0;
        for (const EdgeUse& u : m.chain) {
            passed += model_.length(u.edge);
            const int n = std::max(1, static_cast<int>(std::lround(*rule.count * passed / length)) - given);
            forced_[u.edge.index()] = n, given += n;
        }
    }

    // Nodes of edges that are linked to others, or whose number the plan gives, stand evenly.
    EdgeGrading grading() const {
        std::vector<bool> even(model_.edges.size(), false);
        for (const EdgeLink& l : model_.edge_links) even[l.a.index()] = even[l.b.index()] = true;
        for (const auto& [e, n] : forced_) even[e] = true;
        return {model_, edge_size_, even, hole_, options_.growth};
    }

    // Divided for its members alone: their least counts are no business of its neighbours.
    bool member_only(std::size_t e) const { return groups_.root(static_cast<int>(e)) == static_cast<int>(e) && count_[e] == 1 && !bounded_[e]; }

    void tie_opposite_sides() {
        for (const auto& sides : mapped_)
            for (std::size_t k : {0U, 1U}) {
                if (sides[k].size() != 1 || sides[k + 2].size() != 1) continue;
                const double a = model_.length(sides[k][0].edge), b = model_.length(sides[k + 2][0].edge);
                const double p = edge_size_[sides[k][0].edge.index()], q = edge_size_[sides[k + 2][0].edge.index()];
                const bool alike = std::max(a, b) <= agree * std::min(a, b) || fan(sides[k][0].edge.index(), sides[k + 2][0].edge.index());
                if (alike && std::max(p, q) <= agree * std::min(p, q)) groups_.tie(sides[k][0].edge.value, sides[k + 2][0].edge.value);
            }
    }

    // Arcs across a corner's torus, of one angle about its axis: the inner one may be short, as long as its elements are not too small.
    bool fan(std::size_t e, std::size_t f) const {
        constexpr double smallest = 0.1;  // of the size
        const Curve &a = model_.edges[e].curve, &b = model_.edges[f].curve;
        const auto *u = std::get_if<CircleCurve>(&a.shape), *v = std::get_if<CircleCurve>(&b.shape);
        if (!u || !v || !bent_[e] || !bent_[f] || std::abs(curve_turn(a) - curve_turn(b)) > 0.1 * curve_turn(a) || u->frame.z.cross(v->frame.z).norm() > 0.01)
            return false;
        return std::min(a.length(), b.length()) >= smallest * std::max(least(e), least(f)) * std::min(edge_size_[e], edge_size_[f]);
    }

    // Curves are divided by angle, but not finer than the smallest size allows; closed ones evenly and at least in six.
    int least(std::size_t e) const {
        const Curve& c = model_.edges[e].curve;
        const double length = c.length();
        double step = options_.angle.value_or(bent_[e] ? bend_step : arc_step);
        if (options_.chord) {
            const double radius = c.is_line() ? 0 : mean_radius(c);
            if (radius > *options_.chord) step = std::min(step, 2 * std::acos(1 - *options_.chord / radius));
        }
        // Without bounds of the plan's own, tight curves are divided no finer than a fifth of the size.
        const double smallest = options_.smallest.value_or(edge_size_[e] / (options_.angle || options_.chord ? 100 : 5));
        const double largest = options_.largest.value_or(edge_size_[e] * 1.5);
        const int round = length > options_.bridge * edge_size_[e] ? least_on(c, widest_turn) : 1;
        int n = std::min(least_on(c, step), std::max(round, static_cast<int>(length / smallest)));
        const int around = hole_[e] && !c.is_line() ? around_hole(c) : 0;
        if (closed(e)) n = std::max({n, 6, around});
        else if (around > 0) n = std::max(n, static_cast<int>(std::ceil(around * curve_turn(c) / (2 * pi) - 1e-9)));
        return std::max(n, static_cast<int>(std::ceil(length / largest - 1e-9)));
    }

    // Least number of elements round the hole that a curve is part of.
    int around_hole(const Curve& c) const {
        int out = options_.around.value_or(0);
        for (const HoleRule& r : options_.holes)
            if (r.around && holds_diameter(r, 2 * mean_radius(c))) out = *r.around;
        return out;
    }

    bool closed(std::size_t e) const { return model_.edges[e].vertices[0] == model_.edges[e].vertices[1]; }

    static double mean_radius(const Curve& c) {
        const double turn = curve_turn(c);
        return turn > 1e-9 ? c.length() / turn : 0;
    }

    std::vector<int> counts(const EdgeGrading& graded) {
        const std::size_t n = model_.edges.size();
        std::vector<double> wanted(n, 0.0);
        std::vector<int> needed(n, 1), of_group(n, 1);
        count_.assign(n, 0);
        for (std::size_t e = 0; e < n; ++e) {
            const auto g = root(e);
            wanted[g] += model_.edges[e].curve.length() / edge_size_[e], ++count_[g];
            needed[g] = std::max(needed[g], least(e));
        }
        for (const auto& [e, elements] : graded.elements())
            if (!member_only(e)) needed[root(e)] = std::max(needed[root(e)], static_cast<int>(std::lround(elements - 1e-6)));
        if (options_.across > 1)
            for (const auto& sides : mapped_)
                for (const auto& side : sides)
                    if (side.size() == 1) needed[root(side[0].edge.index())] = std::max(needed[root(side[0].edge.index())], options_.across);
        std::set<std::size_t> even;
        for (const std::size_t e : even_) even.insert(root(e));
        std::map<std::size_t, int> forced;
        for (const auto& [e, k] : forced_) forced[root(e)] = std::max(forced[root(e)], k);
        for (std::size_t e = 0; e < n; ++e) {
            const auto g = root(e);
            int k = std::max(needed[g], static_cast<int>(std::lround(wanted[g] / count_[g])));
            if ((closed(e) || even.count(g)) && k % 2) ++k;
            if (const auto it = forced.find(g); it != forced.end()) k = it->second;
            of_group[g] = forced.count(g) ? k : std::max(of_group[g], k);
        }
        std::vector<int> out(n);
        for (std::size_t e = 0; e < n; ++e) out[e] = of_group[root(e)];
        return out;
    }

    // Where one side is a chain, the single edge opposite follows its count.
    void follow_chains(std::vector<int>& out) const {
        for (int round = 0; round < 3; ++round)
            for (const auto& sides : mapped_)
                for (std::size_t k = 0; k < 4; ++k) {
                    if (sides[k].size() != 1 || sides[(k + 2) % 4].size() < 2) continue;
                    if (count_[root(sides[k][0].edge.index())] > 1) continue;
                    int n = 0;
                    double length = 0;
                    for (const EdgeUse& u : sides[(k + 2) % 4]) n += out[u.edge.index()], length += model_.length(u.edge);
                    const double own = model_.length(sides[k][0].edge);
                    if (std::max(own, length) <= agree * std::min(own, length)) out[sides[k][0].edge.index()] = n;
                }
    }

    // Quads alone fill a region only when its outline has an even number of sides: where it is odd, the longest edge that no other
    // region and no rule has a say in gets one more.
    void make_even(std::vector<int>& out) const {
        std::vector<int> uses(out.size(), 0);
        std::set<int> linked;
        for (const EdgeLink& l : model_.edge_links) linked.insert(l.a.value), linked.insert(l.b.value);
        for (const Tie& t : model_.ties)
            for (EdgeId e : t.edges) linked.insert(e.value);
        for (const Member& m : model_.members)
            for (const EdgeUse& u : m.chain) linked.insert(u.edge.value);
        for (const Sheet& s : model_.sheets)
            for (const Region& r : s.regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) ++uses[u.edge.index()];
                for (EdgeId e : r.embedded) uses[e.index()] += 2;
            }
        for (const Sheet& s : model_.sheets)
            for (const Region& r : s.regions) {
                if (is_even_map(s, r, out)) continue;
                int sum = 0;
                std::size_t best = out.size();
                double longest = 0;
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) {
                        const std::size_t e = u.edge.index();
                        sum += out[e];
                        const double each = model_.length(u.edge) / out[e];
                        if (uses[e] == 1 && !linked.count(u.edge.value) && !forced_.count(e) && count_[root(e)] == 1 && !closed(e) && each > longest &&
                            each > 0.5 * edge_size_[e])
                            longest = each, best = e;
                    }
                if (sum % 2 && best < out.size()) ++out[best];
            }
    }

    bool is_even_map(const Sheet& s, const Region& r, const std::vector<int>& out) const {
        const auto sides = four_sides(model_, s, r, options_.bridge * size_);
        if (sides.empty()) return false;
        const auto count = [&](std::size_t k) {
            int n = 0;
            for (std::size_t i : sides[k]) n += out[r.loops[0][i].edge.index()];
            return n;
        };
        return count(0) == count(2) && count(1) == count(3);
    }

    // Edges far shorter than the elements beside them mean nothing to a mesh: both ends get one node, as far as nothing hangs on either
    // and a region keeps an outline.
    void close_short_edges(EdgeDivisions& all) const {
        const std::size_t n = model_.vertices.size();
        all.vertex.resize(n);
        std::iota(all.vertex.begin(), all.vertex.end(), 0);
        if (!(options_.bridge > 0)) return;
        auto [stays, held] = held_by_others(model_, false);
        std::vector<int> uses(n, 0);
        const std::vector<int> own = held;
        for (const Edge& e : model_.edges)
            for (VertexId v : e.vertices) ++uses[v.index()];
        Groups groups(n);
        std::vector<double> spread(n, 0.0);  // length closed in each group
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            const Edge& edge = model_.edges[e];
            const double length = edge.curve.length(), most = options_.bridge * edge_size_[e];
            const auto a = static_cast<std::size_t>(groups.root(edge.vertices[0].value)), b = static_cast<std::size_t>(groups.root(edge.vertices[1].value));
            if (stays[e] || forced_.count(e) || a == b || length + spread[a] + spread[b] > most || (held[a] && held[b])) continue;
            const int was = all.counts[e];
            all.counts[e] = 0;
            if (!outlines_left(e, all.counts)) {
                all.counts[e] = was;
                continue;
            }
            const bool any = held[a] || held[b];
            const double sum = length + spread[a] + spread[b];
            groups.tie(edge.vertices[0].value, edge.vertices[1].value);
            const auto r = static_cast<std::size_t>(groups.root(edge.vertices[0].value));
            held[r] = any, spread[r] = sum;
        }
        // Of each group the vertex that something hangs on, or that most edges meet at.
        std::map<int, int> best;
        for (int v = 0; v < static_cast<int>(n); ++v) {
            const auto worth = [&](int k) { return 1000 * own[static_cast<std::size_t>(k)] + uses[static_cast<std::size_t>(k)]; };
            const auto [it, fresh] = best.try_emplace(groups.root(v), v);
            if (!fresh && worth(v) > worth(it->second)) it->second = v;
        }
        for (int v = 0; v < static_cast<int>(n); ++v) all.vertex[static_cast<std::size_t>(v)] = best.at(groups.root(v));
    }

    // With these counts, has every loop that an edge is part of three sides left, and three edges?
    bool outlines_left(std::size_t edge, const std::vector<int>& counts) const {
        if (loops_of_.empty()) {
            loops_of_.resize(model_.edges.size());
            for (const Sheet& s : model_.sheets)
                for (const Region& r : s.regions)
                    for (const auto& loop : r.loops)
                        for (const EdgeUse& u : loop) loops_of_[u.edge.index()].push_back(&loop);
        }
        return std::all_of(loops_of_[edge].begin(), loops_of_[edge].end(), [&](const std::vector<EdgeUse>* loop) {
            int sides = 0, edges = 0;
            for (const EdgeUse& u : *loop) sides += counts[u.edge.index()], edges += counts[u.edge.index()] > 0;
            return sides >= 4 && edges >= 3;
        });
    }

    // Members shorter than so many elements get more on their longest pieces, as far as no sheet has a say there.
    void divide_members(std::vector<int>& out) const {
        if (options_.along_member < 2) return;
        std::vector<bool> shared(out.size(), false);
        for (const Sheet& s : model_.sheets)
            for (const Region& r : s.regions) {
                for (const auto& loop : r.loops)
                    for (const EdgeUse& u : loop) shared[u.edge.index()] = true;
                for (EdgeId e : r.embedded) shared[e.index()] = true;
            }
        for (const EdgeLink& l : model_.edge_links) shared[l.a.index()] = shared[l.b.index()] = true;
        for (const Member& m : model_.members)
            for (;;) {
                int sum = 0;
                int best = -1;
                double longest = 0;
                for (const EdgeUse& u : m.chain) {
                    sum += out[u.edge.index()];
                    const double each = model_.length(u.edge) / out[u.edge.index()];
                    if (!shared[u.edge.index()] && each > longest) longest = each, best = u.edge.value;
                }
                if (sum >= options_.along_member || best < 0) break;
                ++out[static_cast<std::size_t>(best)];
            }
    }

    std::size_t root(std::size_t e) const { return static_cast<std::size_t>(groups_.root(static_cast<int>(e))); }

    const Model& model_;
    const MeshOptions& options_;
    double size_;
    mutable Groups groups_;  // looking up a root shortens paths
    std::vector<double> edge_size_;
    std::vector<bool> bent_, hole_, bounded_;
    std::set<std::size_t> even_;         // edges that take an even count
    std::map<std::size_t, int> forced_;  // counts that the plan asks for
    std::vector<int> count_;
    std::vector<std::vector<std::vector<EdgeUse>>> mapped_;
    mutable std::vector<std::vector<const std::vector<EdgeUse>*>> loops_of_;
};

}  // namespace

std::vector<double> sheet_sizes(const Model& model, const MeshOptions& options) {
    const double size = options.size ? *options.size : default_size(model);
    std::vector<double> out;
    for (std::size_t i = 0; i < model.sheets.size(); ++i) {
        double own = options.size ? size : default_size(model, model.sheets[i], size);
        for (const SizeRule& rule : options.sizes)
            if (rule.size && fits(rule, model, SheetId(i))) own = *rule.size;
        if (options.across > 1)
            for (const Region& r : model.sheets[i].regions)
                if (const double w = across(model, r); w > 0) own = std::min(own, std::max(w / options.across, 0.1 * own));
        out.push_back(own);
    }
    return out;
}

std::vector<double> wanted_thicknesses(const Model& model, const MeshOptions& options) {
    std::vector<double> out(model.sheets.size(), 0.0);
    for (std::size_t i = 0; i < out.size(); ++i)
        for (const SizeRule& rule : options.thicknesses)
            if (rule.size && fits(rule, model, SheetId(i))) out[i] = *rule.size;
    return out;
}

std::vector<EdgeId> bridged_edges(const Model& model, const MeshOptions& options) {
    std::vector<EdgeId> out;
    const auto joined = without_idle_vertices(model, options);
    const EdgeDivisions all = edge_divisions(joined ? joined->model : model, options);
    for (std::size_t e = 0; e < all.counts.size(); ++e)
        if (all.counts[e] == 0) out.push_back(joined ? joined->first[e] : EdgeId(e));
    return out;
}

EdgeDivisions edge_divisions(const Model& model, const MeshOptions& options) {
    return Divider(model, options).run();
}

}  // namespace halvo
