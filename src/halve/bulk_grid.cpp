#include "halve/bulk_grid.hpp"

#include "core/index.hpp"
#include "core/parallel.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

namespace halvo {
namespace {

constexpr int least_across = 10;    // cells along the shorter sides
constexpr int halves_each_way = 2;  // a cell is halved in each direction, with a point anywhere in each part

// A number from 0 to 1: where in its part of a cell a point lies, the same in every run.
double anywhere(std::uint64_t a, std::uint64_t b) {
    std::uint64_t h = a * 0x9e3779b97f4a7c15ULL + b * 0xbf58476d1ce4e5b9ULL;  // splitmix64 (Steele et al., 2014)
    h = (h ^ (h >> 30)) * 0xbf58476d1ce4e5b9ULL;
    h = (h ^ (h >> 27)) * 0x94d049bb133111ebULL;
    return static_cast<double>((h ^ (h >> 31)) >> 11) * 0x1.0p-53;
}

}  // namespace

BulkGrid::BulkGrid(const OrientedBox& box, int steps, const BulkSpace& space) : frame_(box.frame) {
    const Vec3 size = 2 * box.half;
    const double longest = size.maxCoeff();
    for (int k = 0; k < 3; ++k) {
        const int inside = std::clamp(static_cast<int>(std::ceil(steps * size[k] / longest)), std::min(least_across, steps), steps);
        pitch_[k] = std::max(size[k], 1e-6 * longest) / inside;
        n_[ix(k)] = inside + 2;
    }
    // Off the box's own sides, where skin lies.
    const Vec3 low = -box.half - Vec3(0.513, 0.491, 0.507).cwiseProduct(pitch_);
    frame_.origin = box.frame.at(low.x(), low.y(), low.z());
    cluster_.assign(ix(n_[0] * n_[1] * n_[2]), -1);
    parallel_for(cluster_.size(), [&](std::size_t i) {
        const Vec3 p = at(static_cast<int>(i));
        if (space.solid(p) && !space.wall(p)) cluster_[i] = free_cell;
    });
    find_clusters();
}

Vec3 BulkGrid::at(double x, double y, double z) const {
    return frame_.at(x * pitch_.x(), y * pitch_.y(), z * pitch_.z());
}

Vec3 BulkGrid::at(int cell) const {
    const auto p = place(cell);
    return at(p[0], p[1], p[2]);
}

int BulkGrid::cell_of(const Vec3& p) const {
    const Vec3 q = frame_.local(p);
    std::array<int, 3> k{};
    for (int d = 0; d < 3; ++d) {
        k[ix(d)] = static_cast<int>(std::lround(q[d] / pitch_[d]));
        if (k[ix(d)] < 0 || k[ix(d)] >= n_[ix(d)]) return -1;
    }
    return k[0] + n_[0] * (k[1] + n_[1] * k[2]);
}

std::vector<int> BulkGrid::around(int cell) const {
    std::vector<int> out;
    const auto [x, y, z] = place(cell);
    if (x > 0) out.push_back(cell - 1);
    if (x + 1 < n_[0]) out.push_back(cell + 1);
    if (y > 0) out.push_back(cell - n_[0]);
    if (y + 1 < n_[1]) out.push_back(cell + n_[0]);
    if (z > 0) out.push_back(cell - n_[0] * n_[1]);
    if (z + 1 < n_[2]) out.push_back(cell + n_[0] * n_[1]);
    return out;
}

void BulkGrid::find_clusters() {
    for (std::size_t i = 0; i < cluster_.size(); ++i) {
        if (cluster_[i] != free_cell) continue;
        std::vector<int> queue{static_cast<int>(i)};
        cluster_[i] = count_;
        for (std::size_t k = 0; k < queue.size(); ++k)
            for (int near : around(queue[k]))
                if (cluster_[ix(near)] == free_cell) cluster_[ix(near)] = count_, queue.push_back(near);
        ++count_;
    }
}

bool BulkGrid::beside(int cluster, const Vec3& p) const {
    const int cell = cell_of(p);
    if (cell < 0) return false;
    if (cluster_[ix(cell)] == cluster) return true;
    const auto near = around(cell);
    return std::any_of(near.begin(), near.end(), [&](int c) { return cluster_[ix(c)] == cluster; });
}

double BulkGrid::cells_off(int cluster, const Vec3& p) const {
    const Vec3 q = frame_.local(p).cwiseQuotient(pitch_);
    double best = std::numeric_limits<double>::max();
    for (std::size_t i = 0; i < cluster_.size(); ++i) {
        if (cluster_[i] != cluster) continue;
        const auto [x, y, z] = place(static_cast<int>(i));
        best = std::min(best, (q - Vec3(x, y, z)).norm());
    }
    return best;
}

void BulkGrid::unite(int cluster, int other) {
    std::replace(cluster_.begin(), cluster_.end(), other, cluster);
}

double BulkGrid::area_at(int cluster, int side) const {
    const int axis = side / 2, layer = side % 2 == 0 ? 0 : n_[ix(axis)] - 1;
    int count = 0;
    for (std::size_t i = 0; i < cluster_.size(); ++i) count += cluster_[i] == cluster && place(static_cast<int>(i))[ix(axis)] == layer ? 1 : 0;
    return count * pitch_.prod() / pitch_[axis];
}

double BulkGrid::pitch(const Vec3& direction) const {
    const Vec3 d = direction.normalized();
    return Vec3(d.dot(frame_.x) * pitch_.x(), d.dot(frame_.y) * pitch_.y(), d.dot(frame_.z) * pitch_.z()).norm();
}

Vec3 BulkGrid::centre(int cluster) const {
    Vec3 sum = Vec3::Zero();
    const std::vector<Vec3> all = points(cluster);
    for (const Vec3& p : all) sum += p;
    return sum / std::max<double>(1, static_cast<double>(all.size()));
}

std::vector<Vec3> BulkGrid::points(int cluster) const {
    std::vector<Vec3> out;
    for (std::size_t i = 0; i < cluster_.size(); ++i)
        if (cluster_[i] == cluster) out.push_back(at(static_cast<int>(i)));
    return out;
}

// Of the cluster with a neighbour that is not, or the other way round; corners count.
bool BulkGrid::at_border(int cell, int cluster) const {
    const auto [x, y, z] = place(cell);
    bool in = false, out = false;
    for (int k = std::max(z - 1, 0); k <= std::min(z + 1, n_[2] - 1); ++k)
        for (int j = std::max(y - 1, 0); j <= std::min(y + 1, n_[1] - 1); ++j)
            for (int i = std::max(x - 1, 0); i <= std::min(x + 1, n_[0] - 1); ++i) (cluster_[ix(i + n_[0] * (j + n_[1] * k))] == cluster ? in : out) = true;
    return in && out;
}

double BulkGrid::volume(int cluster, const BulkSpace& space) const {
    constexpr int parts = halves_each_way * halves_each_way * halves_each_way;
    std::vector<int> held(cluster_.size(), 0);
    parallel_for(cluster_.size(), [&](std::size_t i) {
        const int cell = static_cast<int>(i);
        const bool border = at_border(cell, cluster);
        if (!border && cluster_[i] != cluster) return;
        const auto [x, y, z] = place(cell);
        for (int k = 0; k < parts; ++k) {
            const auto along = [&](int number, int which, std::uint64_t axis) {
                return number - 0.5 + (which + anywhere(i, ix(k) * 3 + axis)) / halves_each_way;
            };
            const Vec3 p =
                at(along(x, k % halves_each_way, 0), along(y, k / halves_each_way % halves_each_way, 1), along(z, k / (halves_each_way * halves_each_way), 2));
            held[i] += (!border || space.solid(p)) && !space.taken(p);
        }
    });
    double sum = 0;
    for (int h : held) sum += h;
    return sum / parts * pitch_.prod();
}

}  // namespace halvo
