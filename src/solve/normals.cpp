#include "solve/normals.hpp"

#include "core/groups.hpp"
#include "core/index.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

constexpr double smooth_within = 0.64;   // cosine of 50 degrees: elements of one sheet, which the mesher bends by at most 46 degrees
constexpr double smooth_between = 0.94;  // cosine of 20 degrees: elements of different sheets

struct Corner {
    std::size_t shell;
    int place;
};

Vec3 own_normal(const Structure& s, const ShellPart& p, int place) {
    if (!p.normals[ix(place)].isZero(0)) return p.normals[ix(place)];
    const int n = p.count();
    const Vec3& x = s.nodes[ix(p.nodes[ix(place)])];
    const Vec3 next = s.nodes[ix(p.nodes[ix((place + 1) % n)])] - x, last = s.nodes[ix(p.nodes[ix((place + n - 1) % n)])] - x;
    const Vec3 c = next.cross(last);
    return c.norm() > 0 ? Vec3(c.normalized()) : Vec3(Vec3::UnitZ());
}

}  // namespace

std::vector<std::array<Vec3, 4>> smooth_normals(const Structure& s) {
    std::vector<std::array<Vec3, 4>> out(s.shells.size());
    std::vector<std::vector<Corner>> at(s.nodes.size());
    for (std::size_t e = 0; e < s.shells.size(); ++e) {
        out[e].fill(Vec3::Zero());
        for (int k = 0; k < s.shells[e].count(); ++k) {
            out[e][ix(k)] = own_normal(s, s.shells[e], k);
            at[ix(s.shells[e].nodes[ix(k)])].push_back({e, k});
        }
    }
    const auto own = out;
    const auto side = [&](const Corner& c, int step) {  // the node next to the corner
        const ShellPart& p = s.shells[c.shell];
        return p.nodes[ix((c.place + step + p.count()) % p.count())];
    };
    for (const auto& corners : at) {
        if (corners.size() < 2) continue;
        // Over each side from this node the two that turn least go on in each other, if they turn little.
        Groups groups(corners.size());
        struct Pair {
            double cosine;
            std::size_t a, b;
            std::int32_t over;
        };
        std::vector<Pair> pairs;
        for (std::size_t i = 0; i < corners.size(); ++i)
            for (std::size_t j = i + 1; j < corners.size(); ++j) {
                std::int32_t over = -1;
                for (const int a : {-1, 1})
                    for (const int b : {-1, 1})
                        if (side(corners[i], a) == side(corners[j], b)) over = side(corners[i], a);
                if (over < 0) continue;
                const bool one = s.shells[corners[i].shell].group == s.shells[corners[j].shell].group;
                const double cosine = own[corners[i].shell][ix(corners[i].place)].dot(own[corners[j].shell][ix(corners[j].place)]);
                if (std::abs(cosine) >= (one ? smooth_within : smooth_between)) pairs.push_back({std::abs(cosine), i, j, over});
            }
        std::stable_sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.cosine > b.cosine; });
        std::vector<std::pair<std::size_t, std::int32_t>> taken;  // a corner goes on in one other over each of its sides
        for (const Pair& p : pairs) {
            const std::pair<std::size_t, std::int32_t> a{p.a, p.over}, b{p.b, p.over};
            if (std::find(taken.begin(), taken.end(), a) != taken.end() || std::find(taken.begin(), taken.end(), b) != taken.end()) continue;
            taken.push_back(a), taken.push_back(b);
            groups.tie(static_cast<int>(p.a), static_cast<int>(p.b));
        }
        for (std::size_t i = 0; i < corners.size(); ++i) {
            const int root = groups.root(static_cast<int>(i));
            const Vec3& n = own[corners[i].shell][ix(corners[i].place)];
            Vec3 sum = Vec3::Zero();
            for (std::size_t j = 0; j < corners.size(); ++j) {
                if (groups.root(static_cast<int>(j)) != root) continue;
                const Vec3& m = own[corners[j].shell][ix(corners[j].place)];
                sum += m.dot(n) < 0 ? Vec3(-m) : m;
            }
            out[corners[i].shell][ix(corners[i].place)] = sum.normalized();
        }
    }
    return out;
}

}  // namespace halvo
