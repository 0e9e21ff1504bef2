// Faces so narrow that no element fits on them: steps of hundredths of a millimetre, leftovers of modelling.
#include "body/features.hpp"
#include "core/groups.hpp"
#include "core/index.hpp"

#include <algorithm>
#include <map>
#include <set>

namespace halvo {
namespace {

constexpr double most_of_body = 0.25;  // of its skin: what lies on one side of a step and is larger is the body's shape
constexpr double at_end = 4;           // widths: shorter edges of a sliver are its ends

class Slivers {
public:
    Slivers(const Searched& s, double widest, const std::vector<bool>& taken) : s_(s), widest_(widest), taken_(taken), width_(s.body.faces.size(), 0) {}

    std::vector<SliverFound> run() {
        Groups groups(width_.size());
        for (std::size_t f = 0; f < width_.size(); ++f) width_[f] = taken_[f] ? 0 : width_of(s_.body.faces[f]);
        for (std::size_t f = 0; f < width_.size(); ++f)
            if (width_[f] > 0)
                for (const auto& l : s_.neighbours.of[f])
                    if (width_[ix(l.other)] > 0) groups.tie(static_cast<int>(f), l.other);
        std::map<int, std::vector<int>> chains;
        for (std::size_t f = 0; f < width_.size(); ++f)
            if (width_[f] > 0) chains[groups.root(static_cast<int>(f))].push_back(static_cast<int>(f));
        std::vector<SliverFound> out;
        for (const auto& [root, faces] : chains) out.push_back(found(faces));
        return out;
    }

private:
    // Mean width of a face narrower than is looked for; else 0.
    [[nodiscard]] double width_of(const Face& f) const {
        double round = 0;
        for (const auto& loop : f.loops)
            for (const Coedge& c : loop)
                if (!s_.body.edges[c.edge.index()].degenerate) round += s_.body.edges[c.edge.index()].curve.length();
        const double width = round > 0 ? 2 * f.area / round : 0;
        return width <= widest_ * (1 + 1e-9) ? width : 0;
    }

    [[nodiscard]] SliverFound found(const std::vector<int>& chain) const {
        SliverFound out;
        Feature& k = out.feature;
        k.kind = FeatureKind::sliver, k.faces = chain;
        for (int f : chain) k.size = std::max(k.size, width_[ix(f)]);
        const Face& first = s_.body.faces[ix(chain[0])];
        k.place = s_.middle(chain[0]);
        if (first.facet_count > 0) k.place = s_.body.points[ix(s_.body.facets[first.first_facet].corners[0])];
        out.ways.push_back(chain);
        const auto sides = sides_of(chain);
        k.form = sides.size() == 2 && parallel(chain, sides) ? "step" : "narrow face";
        for (const auto& side : sides) {
            double area = 0;
            for (int f : side) area += s_.body.faces[ix(f)].area;
            if (area > most_of_body * s_.body.mass.area) continue;
            std::set<int> way(chain.begin(), chain.end());
            way.insert(side.begin(), side.end());
            out.ways.emplace_back(way.begin(), way.end());
            // A groove's other side, or a ridge's, goes with its bottom.
            const std::size_t before = way.size();
            for (int f : side)
                for (const auto& l : s_.neighbours.of[ix(f)])
                    if (width_[ix(l.other)] > 0) way.insert(l.other);
            if (way.size() > before) out.ways.emplace_back(way.begin(), way.end());
        }
        return out;
    }

    // Faces along the long edges of a chain, those that border on each other together, the smaller side first.
    [[nodiscard]] std::vector<std::vector<int>> sides_of(const std::vector<int>& chain) const {
        const std::set<int> own(chain.begin(), chain.end());
        std::set<int> beside;
        for (int f : chain) {
            for (const auto& l : s_.neighbours.of[ix(f)])
                if (!own.count(l.other) && s_.body.edges[ix(l.edge)].curve.length() > at_end * width_[ix(f)]) beside.insert(l.other);
        }
        const std::vector<int> list(beside.begin(), beside.end());
        std::map<int, int> number;
        for (std::size_t i = 0; i < list.size(); ++i) number[list[i]] = static_cast<int>(i);
        Groups groups(list.size());
        for (std::size_t i = 0; i < list.size(); ++i)
            for (const auto& l : s_.neighbours.of[ix(list[i])])
                if (const auto it = number.find(l.other); it != number.end()) groups.tie(static_cast<int>(i), it->second);
        std::map<int, std::vector<int>> by_root;
        for (std::size_t i = 0; i < list.size(); ++i) by_root[groups.root(static_cast<int>(i))].push_back(list[i]);
        std::vector<std::vector<int>> out;
        for (auto& [root, side] : by_root) out.push_back(std::move(side));
        const auto area = [&](const std::vector<int>& side) {
            double sum = 0;
            for (int f : side) sum += s_.body.faces[ix(f)].area;
            return sum;
        };
        std::stable_sort(out.begin(), out.end(), [&](const auto& a, const auto& b) { return area(a) < area(b) * (1 - 1e-9); });
        return out;
    }

    // Do the faces on both sides look the same way?
    [[nodiscard]] bool parallel(const std::vector<int>& chain, const std::vector<std::vector<int>>& sides) const {
        const std::set<int> one(sides[0].begin(), sides[0].end()), two(sides[1].begin(), sides[1].end());
        std::vector<Vec3> a, b;
        for (const auto& l : s_.neighbours.of[ix(chain[0])]) {
            const Vec3 n = s_.body.faces[ix(l.other)].outward_or(s_.body.edges[ix(l.edge)].curve.middle(), Vec3::Zero());
            if (one.count(l.other)) a.push_back(n);
            if (two.count(l.other)) b.push_back(n);
        }
        constexpr double alike = 0.9;  // cosine: within some 25 degrees
        return !a.empty() && std::any_of(b.begin(), b.end(), [&](const Vec3& n) { return n.dot(a[0]) > alike; });
    }

    const Searched& s_;
    double widest_;
    const std::vector<bool>& taken_;
    std::vector<double> width_;
};

}  // namespace

std::vector<SliverFound> find_slivers(const Searched& s, double widest, const std::vector<bool>& taken) {
    return widest > 0 ? Slivers(s, widest, taken).run() : std::vector<SliverFound>{};
}

}  // namespace halvo
