#include "prove/mesh_mass.hpp"

#include "core/index.hpp"
#include "geom/box_tree.hpp"
#include "geom/facet_tree.hpp"
#include "model/volumes.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr int lines = 4;            // across the border of an element, along which its slab is followed
constexpr int layers = 4;           // through the thickness, and past the edge
constexpr int bisections = 14;      // to where the own solid begins
constexpr double most_carried = 3;  // times as thick as the thickest at a junction: further than this no slab is followed
constexpr double just_past = 1e-3;  // thicknesses

// A shell element as the plane piece with thickness that it stands for.
struct Slab {
    std::array<Vec3, 4> corners;
    std::size_t count = 0;
    Vec3 normal = Vec3::Zero(), centre = Vec3::Zero();
    double low = 0, high = 0;  // of the material over the element
    double area = 0;

    [[nodiscard]] bool holds(const Vec3& p) const {
        const double h = (p - centre).dot(normal), slack = 1e-6 * (high - low);
        if (h < low - slack || h > high + slack) return false;
        for (std::size_t k = 0; k < count; ++k) {
            const Vec3 &a = corners[k], &b = corners[(k + 1) % count];
            if (normal.dot((b - a).cross(p - a)) < -1e-9 * area) return false;
        }
        return true;
    }
};

class Weigher {
public:
    Weigher(const Assembly& solids, const Model& model, const Mesh& mesh) : solids_(solids), model_(model), mesh_(mesh), out_(solids.bodies.size()) {}

    std::vector<MeshMass> run() {
        for (const Element& e : mesh_.elements) {
            slabs_.push_back(e.kind == ElementKind::shell ? slab_of(e) : Slab{});
            if (!e.body) continue;
            if (e.kind == ElementKind::shell) out_[e.body.index()].raw += slabs_.back().area * e.thickness;
            else if (e.kind == ElementKind::beam) add_beam(e);
        }
        for (const Coupling& c : model_.couplings) out_[c.body.index()].raw += c.volume;
        junctions();
        beside_each_other();
        return std::move(out_);
    }

private:
    const Vec3& node(const Element& e, std::size_t k) const { return mesh_.nodes[ix(e.nodes[k % e.count])]; }

    Slab slab_of(const Element& e) const {
        Slab s;
        s.count = e.count;
        for (std::size_t k = 0; k < e.count; ++k) s.corners[k] = node(e, k), s.centre += node(e, k) / e.count;
        for (std::size_t k = 1; k + 1 < e.count; ++k) {
            const Vec3 twice = (node(e, k) - node(e, 0)).cross(node(e, k + 1) - node(e, 0));
            s.normal += twice, s.area += 0.5 * twice.norm();
        }
        s.normal.normalize();
        s.low = e.offset - 0.5 * e.thickness, s.high = e.offset + 0.5 * e.thickness;
        return s;
    }

    // A line past the ends of its member's own body stands for nothing of that.
    void add_beam(const Element& e) {
        const Member& m = model_.members[ix(e.member)];
        const double area = model_.sections[ix(e.section)].area, length = (node(e, 1) - node(e, 0)).norm();
        MeshMass& mass = out_[e.body.index()];
        mass.raw += area * length;
        if (m.axis.closed(10 * model_.tolerance.point)) return;
        const double p = m.axis.parameter(node(e, 0) + e.section_offset), q = m.axis.parameter(node(e, 1) + e.section_offset);
        const double lo = std::min(p, q), hi = std::max(p, q), own = std::max(0.0, std::min(hi, m.own_length()) - std::max(lo, 0.0));
        if (hi > lo) mass.beyond += area * length * (1 - own / (hi - lo));
    }

    struct Use {
        std::size_t element, side;
    };

    void junctions() {
        std::map<std::pair<int, int>, std::vector<Use>> at;
        for (std::size_t i = 0; i < mesh_.elements.size(); ++i) {
            const Element& e = mesh_.elements[i];
            if (e.kind != ElementKind::shell || !e.body) continue;
            for (std::size_t k = 0; k < e.count; ++k) at[std::minmax(e.nodes[k], e.nodes[(k + 1) % e.count])].push_back({i, k});
        }
        for (const auto& [nodes, uses] : at) {
            std::set<BodyId> bodies;
            std::set<SheetId> sheets;
            for (const Use& u : uses) sheets.insert(mesh_.elements[u.element].sheet), bodies.insert(mesh_.elements[u.element].body);
            if (sheets.size() < 2) continue;
            for (const SheetId i : sheets)
                for (const SheetId j : sheets)
                    if (i < j) meet_.insert({i, j});
            for (const BodyId b : bodies) within_body(b, uses);
            if (bodies.size() < 2) continue;
            double deepest = 0;
            for (const Use& u : uses) deepest = std::max(deepest, mesh_.elements[u.element].thickness);
            for (const Use& u : uses) into_others(u, deepest);
        }
    }

    // Slabs of one body that meet: in closed form, as their skins meet in sharp edges.
    void within_body(BodyId body, const std::vector<Use>& uses) {
        std::set<SheetId> sheets;
        std::vector<WallArm> arms;
        const Element& first = mesh_.elements[uses[0].element];
        const Vec3 a = node(first, uses[0].side), b = node(first, uses[0].side + 1), along = (b - a).normalized();
        const Frame across = Frame::with_z(a, along);
        for (const Use& u : uses) {
            const Element& e = mesh_.elements[u.element];
            if (e.body != body) continue;
            sheets.insert(e.sheet);
            const Slab& s = slabs_[u.element];
            const Vec3 run = node(e, u.side + 1) - node(e, u.side), way = s.normal.cross(run).normalized();
            const Vec2 d = across.local2(across.origin + way);
            const bool up_left = s.normal.dot(along.cross(way)) > 0;
            arms.push_back({std::atan2(d.y(), d.x()), up_left ? s.high : -s.low, up_left ? -s.low : s.high});
        }
        if (sheets.size() > 1) out_[ix(body)].doubled += doubled_area(arms) * (b - a).norm();
    }

    // An element at an edge that other bodies have, too: from there its slab is followed to where its own solid begins, and, where that goes on
    // past the edge, to where it ends.
    void into_others(const Use& u, double deepest) {
        const Element& e = mesh_.elements[u.element];
        const Body& own = solids_.bodies[e.body.index()];
        if (!own.closed || !own.tree) return;
        const Slab& s = slabs_[u.element];
        const Vec3 a = node(e, u.side), run = node(e, u.side + 1) - a, way = s.normal.cross(run).normalized();
        const double start = just_past * e.thickness, width = run.norm() / lines;
        for (int l = 0; l < lines; ++l) {
            const Vec3 from = a + (l + 0.5) / lines * run + 0.5 * (s.low + s.high) * s.normal;
            const auto inside = [&](double d) { return own.tree->encloses(from + d * way); };
            const auto ends = [&](double d) { return inside(d) || !held(e.body, from + d * way); };
            if (!ends(start)) out_[e.body.index()].beyond += turning_point(ends, start, most_carried * deepest) * width * e.thickness;
            else if (inside(-start)) spare(e, s, from, way, turning_point([&](double d) { return !inside(-d); }, start, deepest), width);
        }
    }

    // Where what does not hold at `lo` begins to hold, at most at `hi`.
    template <class Holds>
    static double turning_point(const Holds& holds, double lo, double hi) {
        constexpr int looks = 8;  // steps, so that what holds in between is seen
        const double step = (hi - lo) / looks;
        int k = 1;
        while (k < looks && !holds(lo + k * step)) ++k;
        if (k == looks && !holds(hi - 1e-6 * (hi - lo))) return hi;
        double low = lo + (k - 1) * step, high = lo + k * step;
        for (int i = 0; i < bisections; ++i) (holds(0.5 * (low + high)) ? high : low) = 0.5 * (low + high);
        return 0.5 * (low + high);
    }

    // Material of the body past the edge that no slab of its own holds: a corner's outer half, an overhang that a joint cut off.
    void spare(const Element& e, const Slab& s, const Vec3& from, const Vec3& way, double depth, double width) {
        int free = 0;
        for (int i = 0; i < layers; ++i)
            for (int k = 0; k < layers; ++k)
                free += held(e.body, from - (i + 0.5) / layers * depth * way + ((k + 0.5) / layers - 0.5) * (s.high - s.low) * s.normal) ? 0 : 1;
        out_[e.body.index()].spared += depth * width * e.thickness * free / (layers * layers);
    }

    // Slabs of one body that run into each other without an edge in common, as where they are linked: by samples, each point for as many as hold it.
    void beside_each_other() {
        for (std::size_t i = 0; i < slabs_.size(); ++i) {
            const Element& e = mesh_.elements[i];
            const Slab& s = slabs_[i];
            if (s.count == 0 || !e.body) continue;
            const Index& index = index_of(e.body);
            std::vector<std::size_t> others;
            for (const int k : index.tree.touching(box_of(s))) {
                const Element& o = mesh_.elements[index.elements[ix(k)]];
                if (o.sheet != e.sheet && !meet_.count(std::minmax(o.sheet, e.sheet))) others.push_back(index.elements[ix(k)]);
            }
            if (!others.empty()) out_[e.body.index()].doubled += shared(s, others);
        }
    }

    // The part of a slab's volume that others stand for as well, shared out among all that do.
    double shared(const Slab& s, const std::vector<std::size_t>& others) const {
        double sum = 0;
        const Vec3 third = s.count == 4 ? s.corners[3] : s.corners[0];
        for (int i = 0; i < layers; ++i)
            for (int j = 0; j < layers; ++j)
                for (int k = 0; k < layers; ++k) {
                    const double u = (i + 0.5) / layers, v = (j + 0.5) / layers, h = s.low + (k + 0.5) / layers * (s.high - s.low);
                    const Vec3 on = (1 - v) * ((1 - u) * s.corners[0] + u * s.corners[1]) + v * ((1 - u) * third + u * s.corners[2]);
                    // A triangle is a quad with two corners in one: its places count by how far they stand apart there.
                    const double weight = s.count == 4 ? 1 : 2 * v;
                    const auto in = std::count_if(others.begin(), others.end(), [&](std::size_t o) { return slabs_[o].holds(on + h * s.normal); });
                    sum += weight * (1 - 1.0 / static_cast<double>(1 + in));
                }
        return s.area * (s.high - s.low) * sum / (layers * layers * layers);
    }

    static Box3 box_of(const Slab& s) {
        Box3 box;
        for (std::size_t k = 0; k < s.count; ++k)
            for (const double h : {s.low, s.high}) box.extend(s.corners[k] + h * s.normal);
        return box;
    }

    // In a slab of the body?
    bool held(BodyId body, const Vec3& p) {
        const Index& index = index_of(body);
        const auto near = index.tree.touching(Box3(p));
        return std::any_of(near.begin(), near.end(), [&](int k) { return slabs_[index.elements[ix(k)]].holds(p); });
    }

    struct Index {
        BoxTree tree{{}};
        std::vector<std::size_t> elements;
    };

    const Index& index_of(BodyId body) {
        const auto it = indices_.find(body);
        if (it != indices_.end()) return it->second;
        Index index;
        std::vector<Box3> boxes;
        for (std::size_t i = 0; i < slabs_.size(); ++i)
            if (mesh_.elements[i].body == body && slabs_[i].count > 0) boxes.push_back(box_of(slabs_[i])), index.elements.push_back(i);
        index.tree = BoxTree(boxes);
        return indices_.emplace(body, std::move(index)).first->second;
    }

    const Assembly& solids_;
    const Model& model_;
    const Mesh& mesh_;
    std::vector<MeshMass> out_;
    std::vector<Slab> slabs_;
    std::map<BodyId, Index> indices_;
    std::set<std::pair<SheetId, SheetId>> meet_;  // sheets with an edge in common
};

}  // namespace

std::vector<MeshMass> mesh_masses(const Assembly& solids, const Model& model, const Mesh& mesh) {
    return Weigher(solids, model, mesh).run();
}

}  // namespace halvo
