#include "geom/heights.hpp"

#include <algorithm>

namespace halvo {
namespace {

class Heights {
public:
    Heights(const std::vector<Vec3>& points, const std::function<double(const Vec3&)>& height)
        : points_(points), height_(height), values_(points.size(), 0), exact_(points.size(), false) {}

    void by_boxes(std::vector<int>& which) { part(which.data(), which.data() + which.size()); }

    // Where the surface passes through a triangle, and on where exact values change what is known of the neighbours.
    void settle(const std::vector<std::array<int, 3>>& triangles) {
        for (bool more = true; more;) {
            more = false;
            for (const auto& t : triangles) {
                const bool up = value(t[0]) >= 0;
                if (up == (value(t[1]) >= 0) && up == (value(t[2]) >= 0)) continue;
                for (int p : t)
                    if (!exact_[at(p)]) take(p), more = true;
            }
        }
    }

    std::vector<double> values() && { return std::move(values_); }

private:
    static std::size_t at(int p) { return static_cast<std::size_t>(p); }
    [[nodiscard]] double value(int p) const { return values_[at(p)]; }
    void take(int p) { values_[at(p)] = height_(points_[at(p)]), exact_[at(p)] = true; }

    void part(int* first, int* last) {
        constexpr std::ptrdiff_t few = 4;
        constexpr double clear = 1.5;  // of the reach of the box: distances from surfaces carried on are not quite distances
        if (last - first <= few) {
            std::for_each(first, last, [&](int p) { take(p); });
            return;
        }
        Box3 box;
        for (const int* p = first; p != last; ++p) box.extend(points_[at(*p)]);
        const double reach = 0.5 * box.diagonal().norm(), h = height_(box.center());
        if (std::abs(h) > clear * reach) {
            std::for_each(first, last, [&](int p) { values_[at(p)] = h; });
            return;
        }
        Eigen::Index axis = 0;
        box.sizes().maxCoeff(&axis);
        int* middle = first + (last - first) / 2;
        std::nth_element(first, middle, last, [&](int a, int b) {
            const double x = points_[at(a)][axis], y = points_[at(b)][axis];
            return x != y ? x < y : a < b;
        });
        part(first, middle), part(middle, last);
    }

    const std::vector<Vec3>& points_;
    const std::function<double(const Vec3&)>& height_;
    std::vector<double> values_;
    std::vector<bool> exact_;
};

}  // namespace

std::vector<double> heights_near_zero(const std::vector<Vec3>& points, const std::vector<std::array<int, 3>>& triangles,
                                      const std::function<double(const Vec3&)>& height) {
    std::vector<bool> used(points.size(), false);
    for (const auto& t : triangles)
        for (int p : t) used[static_cast<std::size_t>(p)] = true;
    std::vector<int> which;
    for (std::size_t p = 0; p < used.size(); ++p)
        if (used[p]) which.push_back(static_cast<int>(p));
    Heights out(points, height);
    out.by_boxes(which);
    out.settle(triangles);
    return std::move(out).values();
}

}  // namespace halvo
