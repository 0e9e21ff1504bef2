#pragma once
#include "geom/oriented_box.hpp"
#include "halve/wall_surface.hpp"

#include <functional>

namespace halvo {

/// What the points of a body are near a solid region of it.
struct BulkSpace {
    std::function<bool(const Vec3&)> solid;  ///< inside the body
    std::function<bool(const Vec3&)> wall;   ///< where walls or sheets with skin of their own are, or a little beside: no region reaches there
    std::function<bool(const Vec3&)> taken;  ///< in what walls and sheets stand for: no volume of a region
};

/// A grid of cells over a place where solid regions may be, along the place's own sides, finer across than along. Cells of solid outside
/// walls hang together as clusters.
class BulkGrid {
public:
    /// `steps` along the longest side.
    BulkGrid(const OrientedBox& box, int steps, const BulkSpace& space);

    [[nodiscard]] int clusters() const { return count_; }
    /// Volume of a cluster without what is taken (mm3), from points in each of its cells; at its border the body's own side counts.
    [[nodiscard]] double volume(int cluster, const BulkSpace& space) const;
    [[nodiscard]] Vec3 centre(int cluster) const;
    [[nodiscard]] std::vector<Vec3> points(int cluster) const;
    /// Is a point's cell, or the next one to it, of the cluster?
    [[nodiscard]] bool beside(int cluster, const Vec3& p) const;
    /// How many cells from the nearest of a cluster.
    [[nodiscard]] double cells_off(int cluster, const Vec3& p) const;
    /// Makes cells of the second cluster those of the first.
    void unite(int cluster, int other);
    /// Area (mm2) with which a cluster lies in the outermost cells on a side of the box: 0 and 1 the low and high one along x, and so on.
    [[nodiscard]] double area_at(int cluster, int side) const;
    /// Distance between cells along a direction.
    [[nodiscard]] double pitch(const Vec3& direction) const;

private:
    [[nodiscard]] Vec3 at(double x, double y, double z) const;
    [[nodiscard]] std::array<int, 3> place(int cell) const { return {cell % n_[0], cell / n_[0] % n_[1], cell / (n_[0] * n_[1])}; }
    [[nodiscard]] Vec3 at(int cell) const;
    [[nodiscard]] int cell_of(const Vec3& p) const;
    [[nodiscard]] std::vector<int> around(int cell) const;
    void find_clusters();
    [[nodiscard]] bool at_border(int cell, int cluster) const;

    static constexpr int free_cell = -2;
    Frame frame_;
    Vec3 pitch_ = Vec3::Ones();
    std::array<int, 3> n_{};
    std::vector<int> cluster_;  // of each cell; -1 in no region
    int count_ = 0;
};

}  // namespace halvo
