#pragma once
#include <halvo/types.hpp>

#include <cmath>
#include <unordered_map>

namespace halvo {

/// Gives one number to all points closer than the tolerance; the first one registered keeps its place.
class PointRegistry {
public:
    explicit PointRegistry(double tol) : tol_(tol) {}

    int at(const Vec3& p) {
        const auto cell = [&](double v) { return static_cast<std::int64_t>(std::floor(v / (2 * tol_))); };
        const std::int64_t cx = cell(p.x()), cy = cell(p.y()), cz = cell(p.z());
        int best = -1;
        double best_d = tol_;
        for (std::int64_t dx = -1; dx <= 1; ++dx)
            for (std::int64_t dy = -1; dy <= 1; ++dy)
                for (std::int64_t dz = -1; dz <= 1; ++dz) {
                    const auto [lo, hi] = grid_.equal_range(key(cx + dx, cy + dy, cz + dz));
                    for (auto it = lo; it != hi; ++it) {
                        const double d = (points_[static_cast<std::size_t>(it->second)] - p).norm();
                        if (d < best_d || (d == best_d && it->second < best)) best_d = d, best = it->second;
                    }
                }
        if (best >= 0) return best;
        const int id = static_cast<int>(points_.size());
        points_.push_back(p);
        grid_.emplace(key(cx, cy, cz), id);
        return id;
    }

    [[nodiscard]] const std::vector<Vec3>& points() const { return points_; }

private:
    static std::uint64_t key(std::int64_t x, std::int64_t y, std::int64_t z) {
        return static_cast<std::uint64_t>(x) * 73856093ULL ^ static_cast<std::uint64_t>(y) * 19349663ULL ^ static_cast<std::uint64_t>(z) * 83492791ULL;
    }
    double tol_;
    std::vector<Vec3> points_;
    std::unordered_multimap<std::uint64_t, int> grid_;
};

}  // namespace halvo
