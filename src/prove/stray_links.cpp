#include "prove/stray_links.hpp"

#include "core/index.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace halvo {
namespace {

class Finder {
public:
    explicit Finder(const Mesh& mesh) : mesh_(mesh), bodies_(mesh.nodes.size()), line_(mesh.nodes.size(), false) {
        for (const Element& e : mesh.elements) {
            if (e.kind == ElementKind::rigid || !e.body) continue;
            for (std::size_t k = 0; k < e.count; ++k) {
                bodies_[ix(e.nodes[k])].insert(e.body);
                if (e.kind == ElementKind::beam) line_[ix(e.nodes[k])] = true;
                size_[e.body] = std::max(size_[e.body], (at(e.nodes[k]) - at(e.nodes[(k + 1) % e.count])).norm());
            }
        }
        for (std::size_t n = 0; n < bodies_.size(); ++n)
            for (const BodyId b : bodies_[n]) nodes_[b].push_back(static_cast<int>(n));
        for (auto& [body, list] : nodes_) std::ranges::sort(list, [&](int a, int b) { return at(a).x() < at(b).x(); });
    }

    std::vector<StrayLink> run() const {
        std::vector<StrayLink> out;
        for (std::size_t i = 0; i < mesh_.elements.size(); ++i) {
            const Element& e = mesh_.elements[i];
            if (e.kind != ElementKind::rigid) continue;
            const auto there = beyond(e.nodes[0], e.nodes[1]), back = beyond(e.nodes[1], e.nodes[0]);
            const double least = std::min(there.value_or(0), back.value_or(there.value_or(0)));
            if ((there || back) && least > 1e-6 * (at(e.nodes[0]) - at(e.nodes[1])).norm()) out.push_back({static_cast<int>(i), least});
        }
        std::ranges::stable_sort(out, [](const StrayLink& a, const StrayLink& b) { return a.beyond > b.beyond; });
        return out;
    }

private:
    [[nodiscard]] const Vec3& at(int node) const { return mesh_.nodes[ix(node)]; }

    // From one end: how much further than the nearest node of the other's body, and half an element, the other is. Nothing where this end
    // does not ask.
    [[nodiscard]] std::optional<double> beyond(int from, int to) const {
        if (bodies_[ix(from)].empty() || (line_[ix(from)] && !line_[ix(to)])) return std::nullopt;  // the centre of a rigid block asks for nothing
        std::optional<double> out;
        const double length = (at(from) - at(to)).norm();
        for (const BodyId body : bodies_[ix(to)]) {
            if (bodies_[ix(from)].contains(body)) continue;
            const double more = length - nearest(body, at(from), length) - 0.5 * size_.at(body);
            if (!out || more < *out) out = more;
        }
        return out;
    }

    [[nodiscard]] double nearest(BodyId body, const Vec3& p, double within) const {
        const std::vector<int>& list = nodes_.at(body);
        double best = within;
        for (auto it = std::ranges::lower_bound(list, p.x() - within, {}, [&](int n) { return at(n).x(); }); it != list.end() && at(*it).x() <= p.x() + best;
             ++it)
            best = std::min(best, (at(*it) - p).norm());
        return best;
    }

    const Mesh& mesh_;
    std::vector<std::set<BodyId>> bodies_;
    std::vector<bool> line_;
    std::map<BodyId, double> size_;
    std::map<BodyId, std::vector<int>> nodes_;  // by x
};

}  // namespace

std::vector<StrayLink> stray_links(const Mesh& mesh) {
    return Finder(mesh).run();
}

std::set<BodyPair> connected_bodies(const Mesh& mesh) {
    std::vector<std::set<BodyId>> at(mesh.nodes.size());
    for (const Element& e : mesh.elements)
        if (e.kind != ElementKind::rigid && e.body)
            for (std::size_t k = 0; k < e.count; ++k) at[ix(e.nodes[k])].insert(e.body);
    std::set<BodyPair> out;
    const auto pairs = [&](const std::set<BodyId>& x, const std::set<BodyId>& y) {
        for (const BodyId a : x)
            for (const BodyId b : y)
                if (a != b) out.insert(std::minmax(a, b));
    };
    for (const auto& bodies : at) pairs(bodies, bodies);
    for (const Element& e : mesh.elements)
        if (e.kind == ElementKind::rigid) pairs(at[ix(e.nodes[0])], at[ix(e.nodes[1])]);
    for (const TiedNode& t : mesh.ties) pairs(at[ix(t.node)], {mesh.elements[ix(t.element)].body});
    return out;
}

}  // namespace halvo
