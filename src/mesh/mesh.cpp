#include <halvo/mesh.hpp>
#include <halvo/quality.hpp>

#include "core/groups.hpp"
#include "core/index.hpp"
#include "core/parallel.hpp"
#include "mesh/divisions.hpp"
#include "mesh/idle_vertices.hpp"
#include "mesh/mesh_notes.hpp"
#include "mesh/planar.hpp"
#include "mesh/size_rules.hpp"
#include "mesh/thickness_rules.hpp"
#include "mesh/ties.hpp"
#include "model/sheet_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <set>

namespace halvo {
namespace {

constexpr double longest_on_bend = 4;          // times as long along a cylinder as the curvature lets elements be round it
constexpr double free_step = 22.5 * pi / 180;  // an element of a free region spans at most this of a bent sheet

class Mesher {
public:
    Mesher(const Model& model, const MeshOptions& options, const Observer& observer)
        : model_(model),
          observer_(observer),
          options_(options),
          size_(options.size ? *options.size : default_size(model)),
          sizes_(sheet_sizes(model, options)),
          divisions_(edge_divisions(model, options)) {}

    // Sheets that could not be meshed, and the size asked of one.
    [[nodiscard]] const std::set<std::size_t>& failed() const { return failed_; }
    [[nodiscard]] double size_of(std::size_t sheet) const { return sizes_[sheet]; }

    Mesh run() {
        vertex_node_.assign(model_.vertices.size(), -1);
        edge_nodes();
        sheets();
        members();
        links();
        finish();
        return std::move(mesh_);
    }

private:
    int add_node(const Vec3& p) {
        mesh_.nodes.push_back(p);
        return static_cast<int>(mesh_.nodes.size()) - 1;
    }

    int node_of(VertexId v) {
        int& n = vertex_node_[v.index()];
        if (n >= 0) return n;
        const VertexId place(divisions_.vertex[v.index()]);
        n = place == v ? add_node(model_.vertices[v.index()].point) : node_of(place);
        return n;
    }

    void edge_nodes() {
        for (std::size_t e = 0; e < model_.edges.size(); ++e) {
            const Edge& edge = model_.edges[e];
            std::vector<int> nodes{node_of(edge.vertices[0])};
            if (divisions_.counts[e] == 0) {
                on_edge_.push_back(std::move(nodes));
                continue;
            }
            const auto& places = divisions_.places[e];
            for (int i = 1; i < divisions_.counts[e]; ++i) {
                const double share = places.empty() ? static_cast<double>(i) / divisions_.counts[e] : places[ix(i) - 1];
                nodes.push_back(add_node(edge.curve.point(edge.curve.parameter_at(share))));
            }
            nodes.push_back(node_of(edge.vertices[1]));
            on_edge_.push_back(std::move(nodes));
        }
        for (const Sheet& s : model_.sheets)
            for (const Region& r : s.regions)
                for (VertexId v : r.points) node_of(v);
        for (const Link& l : model_.links) node_of(l.a), node_of(l.b);
        for (const Coupling& c : model_.couplings) {
            node_of(c.centre);
            for (VertexId v : c.vertices) node_of(v);
        }
    }

    std::vector<int> along(const EdgeUse& u) const {
        auto nodes = on_edge_[u.edge.index()];
        if (u.reversed) std::reverse(nodes.begin(), nodes.end());
        return nodes;
    }

    struct Patch {
        std::size_t sheet, region;
        std::vector<int> global;  // node of each fixed point
        PlanarInput in;
        PlanarMesh out;
    };

    void sheets() {
        std::vector<Patch> patches;
        for (std::size_t s = 0; s < model_.sheets.size(); ++s)
            for (std::size_t r = 0; r < model_.sheets[s].regions.size(); ++r) patches.push_back(patch(s, r));
        std::vector<std::exception_ptr> failed(patches.size());
        const std::size_t chunk = std::max<std::size_t>(8, patches.size() / 20);
        for (std::size_t first = 0; first < patches.size(); first += chunk) {
            observer_.tell("mesh", static_cast<double>(first) / static_cast<double>(patches.size()));
            parallel_for(std::min(chunk, patches.size() - first), [&](std::size_t k) {
                try {
                    patches[first + k].out = mesh_planar(patches[first + k].in);
                } catch (...) {
                    failed[first + k] = std::current_exception();
                }
            });
        }
        for (std::size_t k = 0; k < failed.size(); ++k)
            if (failed[k]) failed_.insert(patches[k].sheet);
        for (const auto& f : failed)
            if (f) std::rethrow_exception(f);
        for (const Patch& p : patches) add_patch(p);
    }

    Patch patch(std::size_t s, std::size_t r) const {
        const Sheet& sheet = model_.sheets[s];
        const Region& region = sheet.regions[r];
        Patch p{s, r, {}, {}, {}};
        // On closed surfaces a node on the cut stands in two places of the chart.
        std::map<int, std::vector<int>> local;
        const double same = 1e-3 * size_;
        const auto number = [&](int node, const Vec2& at) {
            auto& list = local[node];
            for (int i : list)
                if ((p.in.points[ix(i)] - at).norm() <= same) return i;
            list.push_back(static_cast<int>(p.global.size()));
            p.global.push_back(node);
            p.in.points.push_back(at);
            return list.back();
        };
        std::map<std::pair<std::size_t, std::size_t>, std::vector<int>> of_use;
        for (std::size_t l = 0; l < region.loops.size(); ++l) {
            std::vector<Vec3> points;
            std::vector<int> chain;
            std::vector<std::size_t> first;
            for (const EdgeUse& u : region.loops[l]) {
                const auto nodes = along(u);
                first.push_back(chain.size());
                for (std::size_t i = 0; i + 1 < nodes.size(); ++i) chain.push_back(nodes[i]), points.push_back(mesh_.nodes[ix(nodes[i])]);
            }
            const auto flat = unrolled(sheet.chart, points);
            auto& out = p.in.loops.emplace_back();
            for (std::size_t i = 0; i < chain.size(); ++i) out.push_back(number(chain[i], flat[i]));
            for (std::size_t k = 0; k < first.size(); ++k) {
                const std::size_t end = k + 1 < first.size() ? first[k + 1] : chain.size();
                auto& use = of_use[{l, k}];
                for (std::size_t i = first[k]; i <= end; ++i) use.push_back(out[i % out.size()]);
            }
        }
        std::vector<EdgeId> of_edges = region.embedded;
        for (const auto& loop : region.loops)
            for (const EdgeUse& u : loop) of_edges.push_back(u.edge);
        for (EdgeId e : region.embedded) {
            const auto& nodes = on_edge_[e.index()];
            const auto flat = continued(sheet.chart, nodes);
            for (std::size_t i = 0; i + 1 < nodes.size(); ++i) p.in.inner.push_back({number(nodes[i], flat[i]), number(nodes[i + 1], flat[i + 1])});
        }
        for (VertexId v : region.points) number(vertex_node_[v.index()], sheet.chart.local2(mesh_.nodes[ix(vertex_node_[v.index()])]));
        // Edges closed to a point are part of no side; one that stays makes the region no map.
        for (const auto& side : four_sides(model_, sheet, region, options_.bridge * sizes_[s])) {
            auto& chain = p.in.sides.emplace_back();
            for (std::size_t k : side) {
                const auto& nodes = of_use.at({0, k});
                chain.insert(chain.end(), nodes.begin() + (chain.empty() ? 0 : 1), nodes.end());
            }
        }
        if (std::any_of(p.in.sides.begin(), p.in.sides.end(), [](const auto& c) { return c.size() < 2; }) || !sides_meet(p.in.sides)) p.in.sides.clear();
        p.in.size = std::min(sizes_[s], curvature_size(sheet.chart, p));
        if (const auto* bend = std::get_if<CylinderSurface>(&sheet.chart.surface()); bend && p.in.size < sizes_[s] && !p.in.points.empty()) {
            const Vec3 at = sheet.chart.at(p.in.points[0]);
            p.in.axis = (sheet.chart.local2(at + 0.01 * size_ * bend->frame.z, p.in.points[0]) - p.in.points[0]).normalized();
            p.in.stretch = std::min(sizes_[s] / p.in.size, longest_on_bend);
        }
        if (!sheet.chart.flat())
            p.in.folds = [this, &chart = sheet.chart](const std::array<Vec2, 4>& e) {
                return folds({chart.at(e[0]), chart.at(e[1]), chart.at(e[2]), chart.at(e[3])});
            };
        const bool graded = std::any_of(of_edges.begin(), of_edges.end(), [&](EdgeId e) { return !divisions_.places[e.index()].empty(); });
        p.in.growth = graded || fine_outline(p.in) || !options_.sizes.empty() || options_.across >= 2 ? options_.growth : 0;
        for (std::size_t l = 1; l < p.in.loops.size(); ++l) p.in.holes.push_back(rows_round(p.in, l));
        return p;
    }

    // Is most of an outline finer than the size, as round arcs are that may turn by little from node to node?
    static bool fine_outline(const PlanarInput& in) {
        constexpr double fine = 0.5, most = 0.6;
        constexpr std::size_t least = 32;  // sides: round small holes a row of quads does
        return std::any_of(in.loops.begin(), in.loops.end(), [&](const std::vector<int>& loop) {
            std::size_t count = 0;
            for (std::size_t i = 0; i < loop.size(); ++i)
                count += (in.points[ix(loop[(i + 1) % loop.size()])] - in.points[ix(loop[i])]).norm() < fine * in.size ? 1 : 0;
            return loop.size() >= least && static_cast<double>(count) > most * static_cast<double>(loop.size());
        });
    }

    // What the plan says of holes as wide as a loop.
    HoleRows rows_round(const PlanarInput& in, std::size_t l) const {
        Vec2 centre = Vec2::Zero();
        for (int i : in.loops[l]) centre += in.points[ix(i)] / static_cast<double>(in.loops[l].size());
        double radius = 0;
        for (int i : in.loops[l]) radius = std::max(radius, (in.points[ix(i)] - centre).norm());
        HoleRows out{options_.rings, options_.ring_share ? *options_.ring_share * radius : options_.ring_width.value_or(0)};
        for (const HoleRule& r : options_.holes) {
            if (!holds_diameter(r, 2 * radius)) continue;
            if (r.rings) out.rows = *r.rings;
            if (r.width) out.width = *r.width;
            if (r.share) out.width = *r.share * radius;
        }
        return out;
    }

    static bool sides_meet(const std::vector<std::vector<int>>& sides) {
        for (std::size_t k = 0; k < sides.size(); ++k)
            if (sides[k].back() != sides[(k + 1) % sides.size()].front()) return false;
        return true;
    }

    // As fine as the plan's angle and chord ask for on the sheet's own surface, no finer than the smallest size.
    double curvature_size(const Chart& chart, const Patch& p) const {
        if (chart.flat() || p.in.points.empty()) return std::numeric_limits<double>::max();
        double bend = 0;
        const std::size_t every = std::max<std::size_t>(1, p.in.points.size() / 12);
        for (std::size_t i = 0; i < p.in.points.size(); i += every) {
            const SkinPoint on = chart.on(chart.at(p.in.points[i]));
            const Frame f = Frame::with_z(on.point, on.normal);
            const double step = 0.05 * sizes_[p.sheet];
            for (const Vec3& d : {f.x, f.y, Vec3((f.x + f.y).normalized())}) {
                const SkinPoint a = chart.on(on.point + step * d), b = chart.on(on.point - step * d);
                bend = std::max(bend, (a.normal - b.normal).norm() / std::max((a.point - b.point).norm(), 1e-300));
            }
        }
        if (bend <= 0) return std::numeric_limits<double>::max();
        double size = options_.angle.value_or(free_step) / bend;
        if (options_.chord && *options_.chord * bend < 1) size = std::min(size, 2 * std::acos(1 - *options_.chord * bend) / bend);
        return std::max(size, options_.smallest.value_or(sizes_[p.sheet] / (options_.angle || options_.chord ? 100 : 5)));
    }

    // Chart places of a row of nodes, followed from the one furthest from the cut to both sides.
    std::vector<Vec2> continued(const Chart& chart, const std::vector<int>& nodes) const {
        std::vector<Vec2> out(nodes.size());
        std::size_t first = 0;
        double clear = -1;
        for (std::size_t i = 0; i < nodes.size(); ++i)
            if (const double c = chart.clear_of_cut(mesh_.nodes[ix(nodes[i])]); c > clear + 1e-9) clear = c, first = i;
        out[first] = chart.local2(mesh_.nodes[ix(nodes[first])]);
        for (std::size_t i = first + 1; i < nodes.size(); ++i) out[i] = chart.local2(mesh_.nodes[ix(nodes[i])], out[i - 1]);
        for (std::size_t i = first; i-- > 0;) out[i] = chart.local2(mesh_.nodes[ix(nodes[i])], out[i + 1]);
        return out;
    }

    void add_patch(const Patch& p) {
        const Sheet& s = model_.sheets[p.sheet];
        std::vector<int> global = p.global;
        for (std::size_t i = global.size(); i < p.out.points.size(); ++i) global.push_back(add_node(s.chart.at(p.out.points[i])));
        for (const auto& e : cut_to_limits(s, p, global)) {
            Element el;
            el.count = e[3] < 0 ? 3 : 4;
            el.sheet = SheetId(p.sheet), el.body = s.body;
            Vec2 centre = Vec2::Zero();
            for (std::size_t k = 0; k < el.count; ++k) {
                el.nodes[k] = global[ix(e[k])];
                centre += p.out.points[ix(e[k])] / el.count;
            }
            const auto sides = s.field.sides(s.chart, centre);
            el.thickness = sides.thickness();
            el.offset = s.offset + (std::abs(sides.offset()) > 1e-9 * el.thickness ? sides.offset() : 0);
            el.own_thickness = el.thickness, el.own_offset = el.offset;
            el.quality = quality_of(s, p, el, e);
            mesh_.elements.push_back(el);
        }
    }

    // Quads askew on a bent sheet fold along a diagonal; where that is too much, they are two triangles. On cylinders and cones rows
    // along the axis would not fold at all; other surfaces may be twisted themselves. So are quads beyond another limit, where the
    // triangles keep to theirs.
    std::vector<std::array<int, 4>> cut_to_limits(const Sheet& s, const Patch& p, const std::vector<int>& global) const {
        std::vector<std::array<int, 4>> out;
        for (const auto& e : p.out.elements) {
            const bool folded = e[3] >= 0 && !s.chart.flat() && folds({node(global, e[0]), node(global, e[1]), node(global, e[2]), node(global, e[3])});
            if (e[3] < 0 || (!folded && keeps_to_limits(s, p, global, e))) {
                out.push_back(e);
                continue;
            }
            // Along the diagonal that leaves the better triangles.
            std::array<std::array<int, 4>, 4> t{};
            double worst[2] = {1, 1};
            for (std::size_t k = 0; k < 2; ++k) {
                t[2 * k] = {e[k], e[k + 1], e[(k + 2) % 4], -1}, t[2 * k + 1] = {e[k], e[(k + 2) % 4], e[(k + 3) % 4], -1};
                for (std::size_t i : {2 * k, 2 * k + 1}) worst[k] = std::min(worst[k], planar_quality(p.out.points, t[i]));
            }
            const std::size_t k = worst[0] >= worst[1] ? 0 : 2;
            if (folded || (keeps_to_limits(s, p, global, t[k]) && keeps_to_limits(s, p, global, t[k + 1]))) out.push_back(t[k]), out.push_back(t[k + 1]);
            else out.push_back(e);
        }
        return out;
    }

    bool keeps_to_limits(const Sheet& s, const Patch& p, const std::vector<int>& global, const std::array<int, 4>& e) const {
        Element el;
        el.count = e[3] < 0 ? 3 : 4;
        for (std::size_t k = 0; k < el.count; ++k) el.nodes[k] = global[ix(e[k])];
        el.quality = quality_of(s, p, el, e);
        return within(options_.limits, measures(mesh_, el), el.count);
    }

    double quality_of(const Sheet& s, const Patch& p, const Element& el, const std::array<int, 4>& e) const {
        if (s.chart.flat()) return planar_quality(p.out.points, e);
        std::vector<Vec3> corners;
        for (std::size_t k = 0; k < el.count; ++k) corners.push_back(mesh_.nodes[ix(el.nodes[k])]);
        return scaled_jacobian(corners);
    }

    const Vec3& node(const std::vector<int>& global, int i) const { return mesh_.nodes[ix(global[ix(i)])]; }

    bool folds(const std::array<Vec3, 4>& corners) const { return quad_warpage(corners) > options_.limits.warpage; }

    Element line(int a, int b, ElementKind kind) const {
        Element e;
        e.count = 2, e.kind = kind;
        e.nodes[0] = a, e.nodes[1] = b;
        return e;
    }

    void members() {
        for (std::size_t m = 0; m < model_.members.size(); ++m) {
            for (const EdgeUse& u : model_.members[m].chain) {
                const auto nodes = along(u);
                for (std::size_t i = 0; i + 1 < nodes.size(); ++i) {
                    Element e = line(nodes[i], nodes[i + 1], ElementKind::beam);
                    e.member = MemberId(m), e.body = model_.members[m].body, e.section = model_.members[m].section;
                    e.section_offset = section_offset(model_.members[m], 0.5 * (mesh_.nodes[ix(nodes[i])] + mesh_.nodes[ix(nodes[i + 1])]));
                    mesh_.elements.push_back(e);
                }
            }
        }
    }

    void links() {
        std::set<std::pair<int, int>> made;
        const auto add = [&](int a, int b) {
            if (a != b && made.insert(std::minmax(a, b)).second) mesh_.elements.push_back(line(a, b, ElementKind::rigid));
        };
        for (const Link& l : model_.links) add(vertex_node_[l.a.index()], vertex_node_[l.b.index()]);
        for (const Coupling& c : model_.couplings) {
            const int centre = vertex_node_[c.centre.index()];
            for (VertexId v : c.vertices) add(centre, vertex_node_[v.index()]);
            for (EdgeId e : c.edges)
                for (int n : on_edge_[e.index()]) add(centre, n);
        }
        for (const EdgeLink& l : model_.edge_links) {
            const auto a = on_edge_[l.a.index()], b = along({l.b, l.reversed});
            for (std::size_t i = 0; i < std::min(a.size(), b.size()); ++i) add(a[i], b[i]);
        }
    }

    void finish() {
        mesh_.ties = tied_nodes(model_, mesh_, on_edge_);
        drop_unused();
        Groups groups(mesh_.nodes.size());
        std::vector<std::pair<int, int>> shell_sides;
        std::set<std::pair<int, int>> lines_on;
        double sum = 0;
        for (const Element& e : mesh_.elements) {
            for (std::size_t k = 1; k < e.count; ++k) groups.tie(e.nodes[k], e.nodes[0]);
            if (e.kind != ElementKind::shell) {
                ++(e.kind == ElementKind::beam ? mesh_.lines : mesh_.links);
                lines_on.insert(std::minmax(e.nodes[0], e.nodes[1]));
                continue;
            }
            ++(e.count == 4 ? mesh_.quads : mesh_.trias);
            for (std::size_t k = 0; k < e.count; ++k) shell_sides.emplace_back(std::minmax(e.nodes[k], e.nodes[(k + 1) % e.count]));
            rate(e);
            sum += e.quality;
        }
        for (const TiedNode& t : mesh_.ties) groups.tie(t.node, mesh_.elements[ix(t.element)].nodes[0]);
        const int shells = mesh_.quads + mesh_.trias;
        if (shells > 0) {
            mesh_.quality.mean_scaled_jacobian = sum / shells;
            mesh_.quality.quad_share = static_cast<double>(mesh_.quads) / shells;
        }
        std::sort(shell_sides.begin(), shell_sides.end());
        for (std::size_t i = 0, j = 0; i < shell_sides.size(); i = j) {
            while (j < shell_sides.size() && shell_sides[j] == shell_sides[i]) ++j;
            const auto& [a, b] = shell_sides[i];
            if (j == i + 1 && !lines_on.count(shell_sides[i])) mesh_.free_edge_length += (mesh_.nodes[ix(a)] - mesh_.nodes[ix(b)]).norm();
        }
        for (int i = 0; i < static_cast<int>(mesh_.nodes.size()); ++i) mesh_.parts += groups.root(i) == i ? 1 : 0;
    }

    void rate(const Element& e) {
        double low = std::numeric_limits<double>::max(), high = 0;
        for (std::size_t k = 0; k < e.count; ++k) {
            const double l = (mesh_.nodes[ix(e.nodes[(k + 1) % e.count])] - mesh_.nodes[ix(e.nodes[k])]).norm();
            low = std::min(low, l), high = std::max(high, l);
        }
        mesh_.quality.min_scaled_jacobian = std::min(mesh_.quality.min_scaled_jacobian, e.quality);
        mesh_.quality.max_aspect = std::max(mesh_.quality.max_aspect, low > 0 ? high / low : 1e30);
        if (e.count == 4) {
            const auto at = [&](std::size_t k) -> const Vec3& { return mesh_.nodes[ix(e.nodes[k])]; };
            const Vec3 a = (at(1) - at(0)).cross(at(2) - at(0)).normalized(), b = (at(2) - at(0)).cross(at(3) - at(0)).normalized();
            mesh_.quality.max_warpage = std::max(mesh_.quality.max_warpage, std::atan2(a.cross(b).norm(), a.dot(b)) * 180 / pi);
        }
    }

    // Vertices that nothing meshed leave no node behind.
    void drop_unused() {
        std::vector<int> number(mesh_.nodes.size(), -1);
        for (const Element& e : mesh_.elements)
            for (std::size_t k = 0; k < e.count; ++k) number[ix(e.nodes[k])] = 0;
        std::vector<Vec3> nodes;
        for (std::size_t i = 0; i < number.size(); ++i)
            if (number[i] == 0) number[i] = static_cast<int>(nodes.size()), nodes.push_back(mesh_.nodes[i]);
        for (Element& e : mesh_.elements)
            for (std::size_t k = 0; k < e.count; ++k) e.nodes[k] = number[ix(e.nodes[k])];
        for (TiedNode& t : mesh_.ties) t.node = number[ix(t.node)];
        std::erase_if(mesh_.ties, [](const TiedNode& t) { return t.node < 0; });
        mesh_.nodes = std::move(nodes);
    }

    const Model& model_;
    const Observer& observer_;
    const MeshOptions& options_;
    double size_;
    std::vector<double> sizes_;
    std::set<std::size_t> failed_;
    EdgeDivisions divisions_;
    std::vector<int> vertex_node_;
    std::vector<std::vector<int>> on_edge_;
    Mesh mesh_;
};

}  // namespace

double scaled_jacobian(const std::vector<Vec3>& corners) {
    // Flattened on the element's own mean plane; exact for flat elements.
    Vec3 n = Vec3::Zero();
    for (std::size_t i = 0; i < corners.size(); ++i) n += (corners[i] - corners[0]).cross(corners[(i + 1) % corners.size()] - corners[0]);
    if (n.norm() == 0) return 0;
    const Frame f = Frame::with_z(corners[0], n);
    std::vector<Vec2> flat;
    for (const Vec3& p : corners) flat.push_back(f.local2(p));
    return planar_quality(flat, {0, 1, 2, corners.size() == 4 ? 3 : -1});
}

namespace {

// Sheets that elements cover in part only. Chords cost a round one a twentieth at most.
std::set<std::size_t> uncovered_sheets(const Model& model, const Mesh& mesh) {
    constexpr double least_covered = 0.85;
    std::vector<double> area(model.sheets.size(), 0.0);
    for (const Element& e : mesh.elements) {
        if (!e.sheet) continue;
        for (std::size_t k = 2; k < e.count; ++k) {
            const auto at = [&](std::size_t i) -> const Vec3& { return mesh.nodes[ix(e.nodes[i])]; };
            area[e.sheet.index()] += 0.5 * (at(k - 1) - at(0)).cross(at(k) - at(0)).norm();
        }
    }
    std::set<std::size_t> out;
    for (std::size_t s = 0; s < area.size(); ++s)
        if (area[s] < least_covered * model.sheets[s].area()) out.insert(s);
    return out;
}

// What is given must be something: an angle of 0 would divide edges without end.
void check(const MeshOptions& o) {
    for (const auto& [key, value] : {std::pair("mesh.size", o.size),
                                     {"mesh.smallest", o.smallest},
                                     {"mesh.largest", o.largest},
                                     {"mesh.angle", o.angle},
                                     {"mesh.chord", o.chord},
                                     {"mesh.ring_width", o.ring_width},
                                     {"mesh.ring_share", o.ring_share}})
        if (value && !(*value > 0)) throw Error(ErrorKind::usage, fmt::format("{} is {:g}; give a value greater than 0, or none", key, *value));
    for (const SizeRule& r : o.sizes)
        if (r.size && !(*r.size > 0)) throw Error(ErrorKind::usage, fmt::format("[[size]]: size is {:g}; give a length greater than 0", *r.size));
}

}  // namespace

// Edges that run close beside each other cross where few nodes stand on them, and regions may lose elements: then their sheet is divided more
// finely. What is not covered even so, the proof tells.
Mesh mesh(const Model& model, const MeshOptions& options, const Observer& observer) {
    constexpr int finer = 4;  // times as fine by two
    check(options);
    const MeshOptions placed = placed_rules(options, model);
    MeshOptions now = placed;
    std::set<std::size_t> were_lost;
    for (int round = 0;; ++round) {
        const auto joined = without_idle_vertices(model, now);
        const Model& all = joined ? joined->model : model;
        Mesher mesher(all, now, observer);
        const auto more_finely = [&](const std::set<std::size_t>& sheets) {
            for (const std::size_t s : sheets) {
                SizeRule rule;
                rule.sheet = {all.sheets[s].key}, rule.size = 0.5 * mesher.size_of(s);
                now.sizes.push_back(std::move(rule));
            }
        };
        try {
            Mesh m = mesher.run();
            const std::set<std::size_t> lost = uncovered_sheets(all, m);
            if (!lost.empty() && lost != were_lost && round < finer) {
                more_finely(lost), were_lost = lost;
                continue;
            }
            give_thicknesses(m, model, placed);
            note_mesh(m, model, placed);
            observer.tell("mesh", 1);
            return m;
        } catch (const Error& e) {
            if (mesher.failed().empty() || e.kind() != ErrorKind::stage || round == finer) throw;
            more_finely(mesher.failed());
        }
    }
}

}  // namespace halvo
