#include "geom/fit_free.hpp"

#include "core/index.hpp"
#include "geom/dense.hpp"
#include "geom/flatten.hpp"
#include "geom/sparse.hpp"

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

constexpr double steepest = 0.3;  // cosine between the mean normal and any other

// Uniform cubic basis functions of one span at a share t of it, with first and second derivatives by the share.
std::array<std::array<double, 4>, 3> cubic(double t) {
    const double s = 1 - t;
    return {{{s * s * s / 6, (3 * t * t * t - 6 * t * t + 4) / 6, (-3 * t * t * t + 3 * t * t + 3 * t + 1) / 6, t * t * t / 6},
             {-s * s / 2, (3 * t * t - 4 * t) / 2, (-3 * t * t + 2 * t + 1) / 2, t * t / 2},
             {s, 3 * t - 2, -3 * t + 1, t}}};
}

// Points over a rectangle, as a sum of uniform bicubic basis functions.
class Field {
public:
    Field(const Box2& range, int nu, int nv) : range_(range), n_{nu, nv}, poles_(Eigen::MatrixX3d::Zero(static_cast<Eigen::Index>(nu + 3) * (nv + 3), 3)) {}

    void fit(std::span<const Vec3> points, const std::vector<Vec2>& at) {
        const Eigen::Index size = poles_.rows();
        std::vector<SparseTerm> entries;
        Eigen::MatrixX3d b = Eigen::MatrixX3d::Zero(size, 3);
        const double share = 1.0 / static_cast<double>(points.size());
        for (std::size_t k = 0; k < points.size(); ++k) {
            const auto [where, w] = weights(at[k], 0, 0);
            for (std::size_t i = 0; i < 16; ++i) {
                b.row(where[i]) += share * w[i] * points[k];
                for (std::size_t j = 0; j < 16; ++j) entries.emplace_back(where[i], where[j], share * w[i] * w[j]);
            }
        }
        // Bending energy of the whole field, in shares of its size: far too little to be seen where there are points.
        constexpr double stiffness = 1e-11;
        for (int u = 0; u < n_[0]; ++u)
            for (int v = 0; v < n_[1]; ++v)
                for (const auto& [du, dv, factor] : {std::tuple(2, 0, 1.0), std::tuple(1, 1, 2.0), std::tuple(0, 2, 1.0)}) {
                    const Vec2 middle = range_.min() + Vec2((u + 0.5) / n_[0], (v + 0.5) / n_[1]).cwiseProduct(range_.sizes());
                    const auto [where, w] = weights(middle, du, dv);
                    const double scale = stiffness * factor * std::pow(n_[0], 2 * du) * std::pow(n_[1], 2 * dv) / (n_[0] * n_[1]);
                    for (std::size_t i = 0; i < 16; ++i)
                        for (std::size_t j = 0; j < 16; ++j) entries.emplace_back(where[i], where[j], scale * w[i] * w[j]);
                }
        const SparseSymmetric a(size, entries);
        if (a.factorized()) poles_ = a.solve(b);
    }

    // Point, and how it moves along both directions.
    [[nodiscard]] std::array<Vec3, 3> at(const Vec2& q) const {
        std::array<Vec3, 3> out;
        for (const auto& [k, du, dv] : {std::tuple(0U, 0, 0), std::tuple(1U, 1, 0), std::tuple(2U, 0, 1)}) {
            const auto [where, w] = weights(q, du, dv);
            Vec3 sum = Vec3::Zero();
            for (std::size_t i = 0; i < 16; ++i) sum += w[i] * poles_.row(where[i]).transpose();
            out[k] = sum * std::pow(n_[0] / range_.sizes().x(), du) * std::pow(n_[1] / range_.sizes().y(), dv);
        }
        return out;
    }

    // Nearest place from a near one, by Gauss and Newton's steps.
    [[nodiscard]] Vec2 foot(const Vec3& p, Vec2 q) const {
        for (int step = 0; step < 4; ++step) {
            const auto [s, du, dv] = at(q);
            const double a = du.squaredNorm(), b = du.dot(dv), c = dv.squaredNorm(), det = a * c - b * b;
            if (!(det > 0)) break;
            const double x = (p - s).dot(du), y = (p - s).dot(dv);
            q = (q + Vec2(c * x - b * y, a * y - b * x) / det).cwiseMax(range_.min()).cwiseMin(range_.max());
        }
        return q;
    }

    [[nodiscard]] NurbsSurface surface() const {
        NurbsSurface s;
        s.degree_u = s.degree_v = 3;
        const auto knots = [](double low, double step, int n) {
            std::vector<double> k;
            for (int i = -3; i <= n + 3; ++i) k.push_back(low + i * step);
            return k;
        };
        const Vec2 step(range_.sizes().x() / n_[0], range_.sizes().y() / n_[1]);
        s.knots_u = knots(range_.min().x(), step.x(), n_[0]), s.knots_v = knots(range_.min().y(), step.y(), n_[1]);
        for (Eigen::Index i = 0; i < poles_.rows(); ++i) s.poles.emplace_back(poles_.row(i));
        return s;
    }

private:
    std::pair<std::array<Eigen::Index, 16>, std::array<double, 16>> weights(const Vec2& q, int du, int dv) const {
        const Vec2 g = (q - range_.min()).cwiseQuotient(range_.sizes());
        const int u = std::clamp(static_cast<int>(g.x() * n_[0]), 0, n_[0] - 1), v = std::clamp(static_cast<int>(g.y() * n_[1]), 0, n_[1] - 1);
        const auto a = cubic(g.x() * n_[0] - u)[ix(du)], b = cubic(g.y() * n_[1] - v)[ix(dv)];
        std::pair<std::array<Eigen::Index, 16>, std::array<double, 16>> out;
        for (std::size_t i = 0; i < 4; ++i)
            for (std::size_t j = 0; j < 4; ++j) {
                out.first[4 * i + j] = (u + static_cast<int>(i)) * (n_[1] + 3) + v + static_cast<int>(j);
                out.second[4 * i + j] = a[i] * b[j];
            }
        return out;
    }

    Box2 range_;
    std::array<int, 2> n_;
    Eigen::MatrixX3d poles_;
};

// Along the directions in which the places spread most and least.
void straighten(std::vector<Vec2>& at) {
    Vec2 middle = Vec2::Zero();
    for (const Vec2& q : at) middle += q / static_cast<double>(at.size());
    Eigen::Matrix2d spread = Eigen::Matrix2d::Zero();
    for (const Vec2& q : at) spread += (q - middle) * (q - middle).transpose();
    const Vec2 x = principal_axes(spread).vectors.col(1), y(-x.y(), x.x());
    for (Vec2& q : at) q = Vec2(x.dot(q - middle), y.dot(q - middle));
}

std::optional<Fit> fit_over(std::span<const Vec3> points, std::vector<Vec2> at, double noise, bool slides) {
    straighten(at);
    Box2 range;
    for (const Vec2& q : at) range.extend(q);
    const Vec2 more = (slides ? 0.03 : 0.01) * range.sizes();
    range.min() -= more, range.max() += more;
    if (range.sizes().minCoeff() <= 0) return std::nullopt;
    const double ratio = range.sizes().x() / range.sizes().y();
    const double fewest = noise > 0 ? 5 : 1.6;  // points to a span, so that scatter is not followed
    std::optional<Fit> best;
    for (int n = 3; n <= 64; n = n + (n + 1) / 2) {
        const int nu = std::max(2, static_cast<int>(std::lround(n * std::sqrt(ratio)))), nv = std::max(2, static_cast<int>(std::lround(n / std::sqrt(ratio))));
        if (best && static_cast<double>(points.size()) < fewest * nu * nv) break;
        Field field(range, nu, nv);
        field.fit(points, at);
        // Places that a map gave slide to the feet on what they gave (Hoschek, Intrinsic parametrization for approximation, 1988).
        for (int round = 0; slides && round < 3; ++round) {
            for (std::size_t k = 0; k < points.size(); ++k) at[k] = field.foot(points[k], at[k]);
            field.fit(points, at);
        }
        double sum = 0, worst = 0;
        for (std::size_t k = 0; k < points.size(); ++k) {
            const auto [p, du, dv] = field.at(at[k]);
            const double d = std::abs((points[k] - p).dot(du.cross(dv).normalized()));
            sum += d * d, worst = std::max(worst, d);
        }
        const double rms = std::sqrt(sum / static_cast<double>(points.size()));
        const bool better = !best || rms < (noise > 0 ? 0.97 : 1.0) * best->rms;
        if (!better) break;
        best = Fit{FreeSurface{std::make_shared<NurbsSurface>(field.surface())}, rms, worst};
        if (rms < 1e-9 * range.sizes().norm()) break;
    }
    return best;
}

// Over the mean plane, if all normals keep to its side.
std::vector<Vec2> over_plane(std::span<const Vec3> points, std::span<const Vec3> normals) {
    Vec3 mean = Vec3::Zero(), middle = Vec3::Zero();
    for (const Vec3& n : normals) mean += n;
    for (const Vec3& p : points) middle += p / static_cast<double>(points.size());
    if (mean.norm() < 0.1 * static_cast<double>(normals.size())) return {};
    mean.normalize();
    if (std::any_of(normals.begin(), normals.end(), [&](const Vec3& n) { return n.dot(mean) < steepest; })) return {};
    const Frame f = Frame::with_z(middle, mean);
    std::vector<Vec2> at;
    for (const Vec3& p : points) at.push_back(f.local2(p));
    return at;
}

}  // namespace

std::optional<Fit> fit_free(std::span<const Vec3> points, std::span<const Vec3> normals, double noise) {
    if (points.size() < 30) return std::nullopt;
    auto at = over_plane(points, normals);
    return at.empty() ? std::nullopt : fit_over(points, std::move(at), noise, false);
}

std::optional<Fit> fit_skin(std::span<const Vec3> points, std::span<const std::array<int, 3>> facets, std::span<const Vec3> normals, double noise) {
    if (auto over = fit_free(points, normals, noise)) return over;
    if (points.size() < 30) return std::nullopt;
    auto at = flattened(points, facets);
    return at ? fit_over(points, std::move(*at), noise, true) : std::nullopt;
}

}  // namespace halvo
