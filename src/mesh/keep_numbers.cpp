#include <halvo/mesh.hpp>

#include "core/index.hpp"

#include <algorithm>
#include <cstring>
#include <map>
#include <unordered_map>

namespace halvo {
namespace {

struct PlaceHash {
    std::size_t operator()(const std::array<std::uint64_t, 3>& p) const {
        std::uint64_t h = 1469598103934665603ULL;
        for (std::uint64_t v : p) h = (h ^ v) * 1099511628211ULL, h ^= h >> 29;
        return h;
    }
};

std::array<std::uint64_t, 3> bits(const Vec3& p) {
    std::array<std::uint64_t, 3> out{};
    for (int k = 0; k < 3; ++k) {
        const double v = p[k] + 0.0;  // no negative zero
        std::memcpy(&out[ix(k)], &v, sizeof v);
    }
    return out;
}

// New number of each thing: its old one where it had one below the new count, else the lowest free one.
std::vector<int> numbered(const std::vector<int>& old) {
    const std::size_t n = old.size();
    std::vector<int> out(n, -1);
    std::vector<bool> taken(n, false);
    for (std::size_t i = 0; i < n; ++i)
        if (old[i] >= 0 && ix(old[i]) < n && !taken[ix(old[i])]) out[i] = old[i], taken[ix(old[i])] = true;
    std::size_t next = 0;
    for (std::size_t i = 0; i < n; ++i) {
        if (out[i] >= 0) continue;
        while (taken[next]) ++next;
        out[i] = static_cast<int>(next), taken[next] = true;
    }
    return out;
}

// What an element is, whatever node it starts with.
std::array<std::int32_t, 7> identity(const Element& e) {
    std::array<std::int32_t, 4> nodes = e.nodes;
    std::sort(nodes.begin(), nodes.begin() + e.count);
    return {nodes[0], nodes[1], nodes[2], nodes[3], e.sheet.value, e.member.value, static_cast<std::int32_t>(e.kind)};
}

}  // namespace

int keep_numbers(Mesh& mesh, const Mesh& before) {
    std::unordered_map<std::array<std::uint64_t, 3>, int, PlaceHash> at;
    for (std::size_t i = 0; i < before.nodes.size(); ++i) at.try_emplace(bits(before.nodes[i]), static_cast<int>(i));
    std::vector<int> old;
    for (const Vec3& p : mesh.nodes) {
        const auto it = at.find(bits(p));
        old.push_back(it == at.end() ? -1 : it->second);
    }
    const std::vector<int> node = numbered(old);
    std::vector<Vec3> nodes(mesh.nodes.size());
    int kept = 0;
    for (std::size_t i = 0; i < nodes.size(); ++i) nodes[ix(node[i])] = mesh.nodes[i], kept += node[i] == old[i];
    mesh.nodes = std::move(nodes);
    for (Element& e : mesh.elements)
        for (std::size_t k = 0; k < e.count; ++k) e.nodes[k] = node[ix(e.nodes[k])];
    std::map<std::array<std::int32_t, 7>, int> known;
    for (std::size_t i = 0; i < before.elements.size(); ++i) known.try_emplace(identity(before.elements[i]), static_cast<int>(i));
    old.clear();
    for (const Element& e : mesh.elements) {
        const auto it = known.find(identity(e));
        old.push_back(it == known.end() ? -1 : it->second);
    }
    const std::vector<int> element = numbered(old);
    std::vector<Element> elements(mesh.elements.size());
    for (std::size_t i = 0; i < elements.size(); ++i) elements[ix(element[i])] = mesh.elements[i];
    mesh.elements = std::move(elements);
    for (TiedNode& t : mesh.ties) t.node = node[ix(t.node)], t.element = element[ix(t.element)];
    return kept;
}

}  // namespace halvo
