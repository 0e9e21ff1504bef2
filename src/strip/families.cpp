// Features that are alike, how they stand to each other, and which holes look like bolt holes.
#include "strip/families.hpp"
#include "core/index.hpp"
#include "geom/facet_tree.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

constexpr double equal_size = 1e-3;   // of a size, within a family
constexpr double equal_place = 2e-3;  // of a distance, within a pattern
constexpr double coaxial = 0.1;       // of a hole's diameter, that one facing it may stand off its axis
constexpr double across = 2;          // diameters of both, at most between holes that face each other

// How places in a plane stand.
std::string pattern_of(const std::vector<Vec2>& p) {
    const std::size_t n = p.size();
    if (n < 3) return {};
    Vec2 centre = Vec2::Zero();
    for (const Vec2& q : p) centre += q / static_cast<double>(n);
    double least = std::numeric_limits<double>::max();
    Vec2 step = Vec2::UnitX();
    for (std::size_t i = 1; i < n; ++i)
        if (const double d = (p[i] - p[0]).norm(); d < least) least = d, step = p[i] - p[0];
    if (least <= 0) return {};
    const Vec2 u = step / least, v(-u.y(), u.x());
    // Lines of a lattice along u and across it.
    const auto lines = [&](const Vec2& w) {
        std::vector<double> at;
        for (const Vec2& q : p) at.push_back(w.dot(q));
        std::sort(at.begin(), at.end());
        std::vector<double> out;
        for (double t : at)
            if (out.empty() || t - out.back() > equal_place * least * 5) out.push_back(t);
        return out;
    };
    const auto even = [&](const std::vector<double>& t) {
        for (std::size_t i = 2; i < t.size(); ++i)
            if (std::abs((t[i] - t[i - 1]) - (t[1] - t[0])) > 10 * equal_place * (t[1] - t[0])) return false;
        return true;
    };
    const auto a = lines(u), b = lines(v);
    if (b.size() == 1 && a.size() == n && even(a)) return fmt::format("{} in a row", n);
    if (a.size() > 1 && b.size() > 1 && a.size() * b.size() == n && even(a) && even(b))
        return fmt::format("{} x {} on a grid", std::max(a.size(), b.size()), std::min(a.size(), b.size()));
    std::vector<double> turn;
    const double r = (p[0] - centre).norm();
    for (const Vec2& q : p) {
        if (std::abs((q - centre).norm() - r) > equal_place * r) return {};
        turn.push_back(std::atan2(q.y() - centre.y(), q.x() - centre.x()));
    }
    std::sort(turn.begin(), turn.end());
    for (std::size_t i = 1; i < n; ++i)
        if (std::abs(turn[i] - turn[i - 1] - 2 * pi / static_cast<double>(n)) > 10 * equal_place) return {};
    return fmt::format("{} on a circle of {:.4g} mm", n, 2 * r);
}

bool alike(const Feature& a, const Feature& b) {
    return a.kind == b.kind && a.form == b.form && std::abs(a.size - b.size) <= equal_size * std::max(a.size, b.size);
}

bool is_round_hole(const Feature& f) {
    return f.kind == FeatureKind::hole && !f.axis.isZero();
}

class BoltHoles {
public:
    BoltHoles(const Assembly& solids, std::vector<Feature>& features) : solids_(solids), features_(features) {
        for (std::size_t i = 0; i < features.size(); ++i)
            if (is_round_hole(features[i])) cell_ = std::max(cell_, 2 * across * features[i].size);
        for (std::size_t i = 0; i < features.size(); ++i)
            if (is_round_hole(features[i])) cells_[key(features[i].place)].push_back(i);
    }

    void run() {
        for (Feature& f : features_) {
            if (!is_round_hole(f)) continue;
            if (faces_another(f)) f.bolt = "faces a hole of another body";
            else if (const Body* b = what_is_in(f)) f.bolt = "holds " + b->label;
            else if (f.pattern.find("on a circle") != std::string::npos) f.bolt = "stands on a bolt circle";
        }
    }

private:
    using Cell = std::array<long, 3>;
    [[nodiscard]] Cell key(const Vec3& p) const {
        Cell out{};
        for (std::size_t k = 0; k < 3; ++k) out[k] = std::lround(std::floor(p[static_cast<Eigen::Index>(k)] / std::max(cell_, 1e-9)));
        return out;
    }

    [[nodiscard]] bool faces_another(const Feature& f) const {
        const Cell c = key(f.place);
        for (long i = -1; i <= 1; ++i)
            for (long j = -1; j <= 1; ++j)
                for (long k = -1; k <= 1; ++k) {
                    const auto it = cells_.find({c[0] + i, c[1] + j, c[2] + k});
                    if (it == cells_.end()) continue;
                    for (std::size_t o : it->second) {
                        const Feature& g = features_[o];
                        if (g.body == f.body || g.axis.cross(f.axis).norm() > equal_place) continue;
                        const Vec3 d = g.place - f.place;
                        const double along = std::abs(d.dot(f.axis));
                        if (along <= across * (f.size + g.size) && (d - d.dot(f.axis) * f.axis).norm() <= coaxial * std::min(f.size, g.size)) return true;
                    }
                }
        return false;
    }

    [[nodiscard]] const Body* what_is_in(const Feature& f) const {
        for (std::size_t i = 0; i < solids_.bodies.size(); ++i) {
            const Body& b = solids_.bodies[i];
            if (i == f.body.index() || !b.tree || !b.box.contains(f.place)) continue;
            if (b.tree->encloses(f.place)) return &b;
        }
        return nullptr;
    }

    const Assembly& solids_;
    std::vector<Feature>& features_;
    double cell_ = 0;
    std::map<Cell, std::vector<std::size_t>> cells_;
};

}  // namespace

void sort_families(const Assembly& solids, std::vector<Feature>& features) {
    std::vector<std::size_t> order(features.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        const Feature &f = features[a], &g = features[b];
        return std::tie(f.kind, f.form, f.size) < std::tie(g.kind, g.form, g.size);
    });
    int family = 0;
    for (std::size_t i = 0; i < order.size();) {
        std::size_t end = i + 1;
        while (end < order.size() && alike(features[order[i]], features[order[end]])) ++end;
        ++family;
        std::map<BodyId, std::vector<std::size_t>> of_body;
        for (; i < end; ++i) {
            features[order[i]].family = family;
            of_body[features[order[i]].body].push_back(order[i]);
        }
        int count = 0;
        for (const auto& [b, list] : of_body) count += static_cast<int>(list.size());
        for (const auto& [b, list] : of_body) {
            for (std::size_t k : list) features[k].alike = count;
            // Along one axis each.
            std::vector<std::vector<std::size_t>> groups;
            for (std::size_t k : list) {
                if (!is_round_hole(features[k])) continue;
                const auto same = std::find_if(groups.begin(), groups.end(), [&](const auto& g) {
                    return features[g[0]].axis.cross(features[k].axis).norm() < equal_place &&
                           std::abs((features[k].place - features[g[0]].place).dot(features[k].axis)) < features[k].size;
                });
                if (same == groups.end()) groups.push_back({k});
                else same->push_back(k);
            }
            for (const auto& g : groups) {
                const Frame f = Frame::with_z(features[g[0]].place, features[g[0]].axis);
                std::vector<Vec2> places;
                for (std::size_t k : g) places.push_back(f.local2(features[k].place));
                const std::string pattern = pattern_of(places);
                for (std::size_t k : g) features[k].pattern = pattern;
            }
        }
    }
    BoltHoles(solids, features).run();
}

}  // namespace halvo
