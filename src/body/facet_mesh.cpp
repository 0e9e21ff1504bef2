#include "body/facet_mesh.hpp"

#include "core/groups.hpp"
#include "core/index.hpp"
#include "geom/facet_tree.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <tuple>

namespace halvo {
namespace {

// New index of each point: equal coordinates (and groups, when they are separate) give one.
std::vector<int> weld(const std::vector<Vec3>& points, const std::vector<int>& owner, std::vector<Vec3>& out) {
    std::vector<int> order(points.size()), to(points.size());
    std::iota(order.begin(), order.end(), 0);
    const auto key = [&](int i) {
        const Vec3& p = points[ix(i)];
        return std::tuple(owner[ix(i)], p.x(), p.y(), p.z());
    };
    std::sort(order.begin(), order.end(), [&](int a, int b) { return key(a) != key(b) ? key(a) < key(b) : a < b; });
    // Numbered in the order they first appear, so that nothing depends on where the part lies.
    std::vector<int> first(points.size());
    for (std::size_t i = 0; i < order.size(); ++i) first[ix(order[i])] = i > 0 && key(order[i]) == key(order[i - 1]) ? first[ix(order[i - 1])] : order[i];
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (first[i] == static_cast<int>(i)) to[i] = static_cast<int>(out.size()), out.push_back(points[i]);
        else to[i] = to[ix(first[i])];
    }
    return to;
}

struct Side {
    int facet = -1;
    int corner = 0;
    bool forward = true;  // runs from the lower to the higher point
};

// Turn about the side from one facet through its material to another, 0 to 2 pi.
double turn_through_material(const FacetMesh& m, const Side& from, const Side& to) {
    const Vec3 axis = (m.at(ix(from.facet), ix(from.corner) + 1) - m.at(ix(from.facet), ix(from.corner))).normalized();
    const auto inward = [&](const Side& s) {
        const Vec3 d = m.at(ix(s.facet), ix(s.corner) + 2) - m.at(ix(s.facet), ix(s.corner));
        return Vec3(d - axis.dot(d) * axis);
    };
    const Vec3 a = inward(from), b = inward(to);
    // Material lies behind the facet: turn from the facet towards minus its normal.
    double angle = std::atan2(-axis.dot(a.cross(b)), a.dot(b));
    if (angle <= 1e-12) angle += 2 * pi;
    return angle;
}

void link(FacetMesh& m) {
    std::map<std::pair<int, int>, std::vector<Side>> sides;
    for (std::size_t f = 0; f < m.facets.size(); ++f)
        for (int k = 0; k < 3; ++k) {
            const int a = m.facets[f][ix(k)], b = m.facets[f][ix((k + 1) % 3)];
            sides[std::minmax(a, b)].push_back({static_cast<int>(f), k, a < b});
        }
    m.across.assign(m.facets.size(), {-1, -1, -1});
    const auto tie = [&](const Side& a, const Side& b) { m.across[ix(a.facet)][ix(a.corner)] = b.facet, m.across[ix(b.facet)][ix(b.corner)] = a.facet; };
    for (const auto& [points, list] : sides) {
        if (list.size() == 2) tie(list[0], list[1]);
        if (list.size() < 3) continue;
        std::vector<bool> used(list.size(), false);
        for (std::size_t i = 0; i < list.size(); ++i) {
            if (!list[i].forward) continue;
            std::size_t best = list.size();
            double least = 1e9;
            for (std::size_t j = 0; j < list.size(); ++j) {
                if (list[j].forward || used[j]) continue;
                const double t = turn_through_material(m, list[i], list[j]);
                if (t < least) least = t, best = j;
            }
            if (best < list.size()) used[best] = true, tie(list[i], list[best]);
        }
    }
}

void flip(FacetMesh& m, std::size_t f) {
    std::swap(m.facets[f][1], m.facets[f][2]);
    std::swap(m.across[f][0], m.across[f][2]);
}

bool agree(const FacetMesh& m, std::size_t f, int k, std::size_t g) {
    const int a = m.facets[f][ix(k)], b = m.facets[f][ix((k + 1) % 3)];
    for (int j = 0; j < 3; ++j)
        if (m.facets[g][ix(j)] == b && m.facets[g][ix((j + 1) % 3)] == a) return true;
    return false;
}

// Makes neighbours agree; the larger share by area keeps its sense.
void orient(FacetMesh& m) {
    std::vector<int> sense(m.facets.size(), 0);
    std::vector<std::size_t> queue{0};
    sense[0] = 1;
    double kept = 0, other = 0;
    std::vector<std::size_t> turned;
    for (std::size_t i = 0; i < queue.size(); ++i) {
        const std::size_t f = queue[i];
        (sense[f] > 0 ? kept : other) += m.cross(f).norm();
        for (int k = 0; k < 3; ++k) {
            const int g = m.across[f][ix(k)];
            if (g < 0 || sense[ix(g)] != 0) continue;
            sense[ix(g)] = agree(m, f, k, ix(g)) ? sense[f] : -sense[f];
            queue.push_back(ix(g));
        }
    }
    for (std::size_t f = 0; f < sense.size(); ++f)
        if (sense[f] == (kept >= other ? -1 : 1)) flip(m, f), ++m.turned;
    // A skin with one side only (or a side three facets share) cannot agree everywhere: it is cut where it does not.
    for (std::size_t f = 0; f < m.facets.size(); ++f)
        for (int k = 0; k < 3; ++k) {
            const int g = m.across[f][ix(k)];
            if (g < 0 || agree(m, f, k, ix(g))) continue;
            m.across[f][ix(k)] = -1;
            for (int& back : m.across[ix(g)])
                if (back == static_cast<int>(f)) back = -1;
        }
}

// The facets of one piece with only the points they use.
FacetMesh piece(const FacetMesh& all, const std::vector<int>& which) {
    FacetMesh out;
    std::map<int, int> local;
    for (int f : which) {
        std::array<int, 3> c{};
        for (std::size_t k = 0; k < 3; ++k) {
            const auto [it, fresh] = local.try_emplace(all.facets[ix(f)][k], static_cast<int>(out.points.size()));
            if (fresh) out.points.push_back(all.points[ix(it->first)]);
            c[k] = it->second;
        }
        out.facets.push_back(c);
    }
    return out;
}

void append(FacetMesh& to, const FacetMesh& from) {
    const int dp = static_cast<int>(to.points.size()), df = static_cast<int>(to.facets.size());
    to.points.insert(to.points.end(), from.points.begin(), from.points.end());
    for (auto c : from.facets) to.facets.push_back({c[0] + dp, c[1] + dp, c[2] + dp});
    for (auto a : from.across) {
        for (int& k : a) k = k < 0 ? k : k + df;
        to.across.push_back(a);
    }
    to.turned += from.turned;
}

// Inward skins inside another piece are its voids; other inward pieces are turned.
std::vector<FacetMesh> nest(std::vector<FacetMesh> pieces) {
    const auto closed = [](const FacetMesh& m) {
        return std::all_of(m.across.begin(), m.across.end(), [](const auto& a) { return a[0] >= 0 && a[1] >= 0 && a[2] >= 0; });
    };
    std::vector<double> volume;
    for (const FacetMesh& m : pieces) volume.push_back(m.volume());
    std::vector<int> inside(pieces.size(), -1);
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        if (volume[i] >= 0) continue;
        double smallest = std::numeric_limits<double>::max();
        for (std::size_t j = 0; j < pieces.size(); ++j) {
            if (volume[j] < -volume[i] || volume[j] >= smallest || !closed(pieces[j])) continue;
            if (FacetTree(pieces[j].points, pieces[j].facets).encloses(pieces[i].points[0])) smallest = volume[j], inside[i] = static_cast<int>(j);
        }
    }
    std::vector<FacetMesh> out;
    std::vector<int> at(pieces.size(), -1);
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        if (inside[i] >= 0) continue;
        if (volume[i] < 0) {
            for (std::size_t f = 0; f < pieces[i].facets.size(); ++f) flip(pieces[i], f);
            pieces[i].turned = static_cast<int>(pieces[i].facets.size());
        }
        at[i] = static_cast<int>(out.size());
        out.push_back(std::move(pieces[i]));
    }
    for (std::size_t i = 0; i < pieces.size(); ++i)
        if (inside[i] >= 0) append(out[ix(at[ix(inside[i])])], pieces[i]);
    return out;
}

}  // namespace

double FacetMesh::volume() const {
    double v = 0;
    for (std::size_t f = 0; f < facets.size(); ++f) v += (at(f, 0) - points[0]).dot((at(f, 1) - points[0]).cross(at(f, 2) - points[0])) / 6;
    return v;
}

std::vector<FacetMesh> facet_meshes(const std::vector<Vec3>& points, const std::vector<std::array<int, 3>>& facets, const std::vector<int>& group,
                                    const std::vector<std::string>& names, bool separate) {
    std::vector<int> owner(points.size(), 0);
    if (separate)
        for (std::size_t f = 0; f < facets.size(); ++f)
            for (int c : facets[f]) owner[ix(c)] = group[f];
    FacetMesh all;
    const std::vector<int> to = weld(points, owner, all.points);
    std::vector<int> from;  // of the facets that keep three corners
    for (std::size_t f = 0; f < facets.size(); ++f) {
        const std::array<int, 3> c{to[ix(facets[f][0])], to[ix(facets[f][1])], to[ix(facets[f][2])]};
        if (c[0] == c[1] || c[1] == c[2] || c[2] == c[0]) continue;
        all.facets.push_back(c), from.push_back(static_cast<int>(f));
    }
    link(all);
    Groups groups(all.facets.size());
    for (std::size_t f = 0; f < all.facets.size(); ++f)
        for (int g : all.across[f])
            if (g >= 0) groups.tie(static_cast<int>(f), g);
    std::map<int, std::size_t> slot;
    std::vector<std::vector<int>> members;
    for (std::size_t f = 0; f < all.facets.size(); ++f) {
        const auto [it, fresh] = slot.try_emplace(groups.root(static_cast<int>(f)), members.size());
        if (fresh) members.emplace_back();
        members[it->second].push_back(static_cast<int>(f));
    }
    std::vector<FacetMesh> pieces;
    for (const auto& which : members) {
        FacetMesh m = piece(all, which);
        link(m);
        orient(m);
        m.name = names.empty() ? "" : names[ix(group[ix(from[ix(which[0])])])];
        pieces.push_back(std::move(m));
    }
    return nest(std::move(pieces));
}

}  // namespace halvo
