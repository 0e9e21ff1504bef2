#include "geom/flatten.hpp"

#include "core/index.hpp"
#include "geom/sparse.hpp"

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

using Triple = std::array<int, 3>;

// A facet laid into the plane: first corner at zero, first side along x.
using Flat = std::array<Vec2, 3>;

Flat laid_out(std::span<const Vec3> p, const Triple& t) {
    const Vec3 a = p[ix(t[1])] - p[ix(t[0])], b = p[ix(t[2])] - p[ix(t[0])];
    const double length = a.norm();
    if (!(length > 0)) return {Vec2(0, 0), Vec2(0, 0), Vec2(0, 0)};
    return {Vec2(0, 0), Vec2(length, 0), Vec2(a.dot(b) / length, a.cross(b).norm() / length)};
}

double twice_area(const Flat& f) {
    return f[1].x() * f[2].y();
}

double twice_area(const std::vector<Vec2>& q, const Triple& t) {
    const Vec2 a = q[ix(t[1])] - q[ix(t[0])], b = q[ix(t[2])] - q[ix(t[0])];
    return a.x() * b.y() - a.y() * b.x();
}

// Two points far apart: the farthest from the first, and the farthest from that.
std::array<int, 2> far_ends(std::span<const Vec3> p) {
    std::array<int, 2> out{0, 0};
    for (int& k : out) {
        const Vec3& from = p[ix(out[0])];
        for (std::size_t i = 0; i < p.size(); ++i)
            if ((p[i] - from).squaredNorm() > (p[ix(k)] - from).squaredNorm()) k = static_cast<int>(i);
        std::swap(out[0], out[1]);
    }
    return out;
}

std::optional<std::vector<Vec2>> conformal(std::span<const Vec3> p, std::span<const Triple> facets, const std::vector<Flat>& flat) {
    const auto ends = far_ends(p);
    const double apart = (p[ix(ends[0])] - p[ix(ends[1])]).norm();
    if (!(apart > 0)) return std::nullopt;
    // Columns of the free points, u then v; the two ends are fixed at zero and `apart` along u.
    std::vector<Eigen::Index> column(p.size(), -1);
    Eigen::Index count = 0;
    for (std::size_t i = 0; i < p.size(); ++i)
        if (static_cast<int>(i) != ends[0] && static_cast<int>(i) != ends[1]) column[i] = count++;
    std::vector<SparseTerm> entries;
    Eigen::VectorXd b = Eigen::VectorXd::Zero(2 * static_cast<Eigen::Index>(facets.size()));
    for (std::size_t f = 0; f < facets.size(); ++f) {
        const double area = twice_area(flat[f]);
        if (!(area > 0)) continue;
        const auto row = 2 * static_cast<Eigen::Index>(f);
        for (std::size_t k = 0; k < 3; ++k) {
            const Vec2 w = (flat[f][(k + 2) % 3] - flat[f][(k + 1) % 3]) / std::sqrt(area);
            const int at = facets[f][k];
            if (const auto c = column[ix(at)]; c >= 0) {
                entries.emplace_back(row, c, w.x()), entries.emplace_back(row, count + c, -w.y());
                entries.emplace_back(row + 1, c, w.y()), entries.emplace_back(row + 1, count + c, w.x());
            } else if (at == ends[1]) {
                b[row] -= w.x() * apart, b[row + 1] -= w.y() * apart;
            }
        }
    }
    const auto solved = sparse_least_squares(2 * count, entries, b);
    if (!solved) return std::nullopt;
    const Eigen::VectorXd& x = *solved;
    std::vector<Vec2> out(p.size(), Vec2(0, 0));
    out[ix(ends[1])] = Vec2(apart, 0);
    for (std::size_t i = 0; i < p.size(); ++i)
        if (column[i] >= 0) out[i] = Vec2(x[column[i]], x[count + column[i]]);
    return out;
}

// Cotangents of a facet's angles, bounded so that slivers do not rule.
std::array<double, 3> cotangents(const Flat& f) {
    std::array<double, 3> out{};
    for (std::size_t k = 0; k < 3; ++k) {
        const Vec2 a = f[(k + 1) % 3] - f[k], b = f[(k + 2) % 3] - f[k];
        out[k] = std::clamp(a.dot(b) / std::max(a.x() * b.y() - a.y() * b.x(), 1e-300), 0.02, 50.0);
    }
    return out;
}

void keep_lengths(std::span<const Triple> facets, const std::vector<Flat>& flat, std::vector<Vec2>& q) {
    const auto n = static_cast<Eigen::Index>(q.size());
    std::vector<SparseTerm> entries{{0, 0, 1.0}};  // one point stays about where it is
    std::vector<std::array<double, 3>> weights;
    for (std::size_t f = 0; f < facets.size(); ++f) {
        weights.push_back(cotangents(flat[f]));
        for (std::size_t k = 0; k < 3; ++k) {
            const int i = facets[f][(k + 1) % 3], j = facets[f][(k + 2) % 3];
            const double w = weights[f][k];
            entries.emplace_back(i, i, w), entries.emplace_back(j, j, w), entries.emplace_back(i, j, -w), entries.emplace_back(j, i, -w);
        }
    }
    const SparseSymmetric laplace(n, entries);
    if (!laplace.factorized()) return;
    constexpr int rounds = 12;
    for (int round = 0; round < rounds; ++round) {
        Eigen::MatrixX2d b = Eigen::MatrixX2d::Zero(n, 2);
        b.row(0) = q[0];
        for (std::size_t f = 0; f < facets.size(); ++f) {
            // The rotation nearest to what the facet has become.
            double cosine = 0, sine = 0;
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec2 was = flat[f][(k + 1) % 3] - flat[f][(k + 2) % 3], is = q[ix(facets[f][(k + 1) % 3])] - q[ix(facets[f][(k + 2) % 3])];
                cosine += weights[f][k] * was.dot(is), sine += weights[f][k] * (was.x() * is.y() - was.y() * is.x());
            }
            const double length = std::hypot(cosine, sine);
            if (!(length > 0)) continue;
            Eigen::Matrix2d turn;
            turn << cosine, -sine, sine, cosine;
            turn /= length;
            for (std::size_t k = 0; k < 3; ++k) {
                const int i = facets[f][(k + 1) % 3], j = facets[f][(k + 2) % 3];
                const Vec2 d = weights[f][k] * (turn * (flat[f][(k + 1) % 3] - flat[f][(k + 2) % 3]));
                b.row(i) += d, b.row(j) -= d;
            }
        }
        const Eigen::MatrixX2d x = laplace.solve(b);
        for (std::size_t i = 0; i < q.size(); ++i) q[i] = x.row(static_cast<Eigen::Index>(i));
    }
}

bool upright(std::span<const Triple> facets, const std::vector<Flat>& flat, const std::vector<Vec2>& q) {
    for (std::size_t f = 0; f < facets.size(); ++f)
        if (twice_area(flat[f]) > 0 && !(twice_area(q, facets[f]) > 0)) return false;
    return true;
}

}  // namespace

std::optional<std::vector<Vec2>> flattened(std::span<const Vec3> points, std::span<const Triple> facets) {
    std::vector<Flat> flat;
    for (const Triple& t : facets) flat.push_back(laid_out(points, t));
    auto q = conformal(points, facets, flat);
    if (!q || !upright(facets, flat, *q)) return std::nullopt;
    auto nearer = *q;
    keep_lengths(facets, flat, nearer);
    return upright(facets, flat, nearer) ? nearer : *q;
}

}  // namespace halvo
