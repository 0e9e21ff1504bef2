#include "geom/fit_free.hpp"

#include <Eigen/Eigenvalues>
#include <Eigen/SparseCholesky>

#include <algorithm>
#include <array>
#include <cmath>

namespace halvo {
namespace {

constexpr double steepest = 0.3;  // cosine between the mean normal and any other

std::size_t ix(int i) {
    return static_cast<std::size_t>(i);
}

// Uniform cubic basis functions of one span at a share t of it, with first and second derivatives by the share.
std::array<std::array<double, 4>, 3> cubic(double t) {
    const double s = 1 - t;
    return {{{s * s * s / 6, (3 * t * t * t - 6 * t * t + 4) / 6, (-3 * t * t * t + 3 * t * t + 3 * t + 1) / 6, t * t * t / 6},
             {-s * s / 2, (3 * t * t - 4 * t) / 2, (-3 * t * t + 2 * t + 1) / 2, t * t / 2},
             {s, 3 * t - 2, -3 * t + 1, t}}};
}

// Heights over a rectangle, as a sum of uniform bicubic basis functions.
class HeightField {
public:
    HeightField(const Box2& range, int nu, int nv) : range_(range), n_{nu, nv}, z_(Eigen::VectorXd::Zero((nu + 3) * (nv + 3))) {}

    void fit(const std::vector<Vec3>& local) {
        using Entry = Eigen::Triplet<double>;
        const Eigen::Index size = z_.size();
        std::vector<Entry> entries;
        Eigen::VectorXd b = Eigen::VectorXd::Zero(size);
        const double share = 1.0 / static_cast<double>(local.size());
        for (const Vec3& p : local) {
            const auto [at, w] = weights({p.x(), p.y()}, 0, 0);
            for (std::size_t i = 0; i < 16; ++i) {
                b[at[i]] += share * w[i] * p.z();
                for (std::size_t j = 0; j < 16; ++j) entries.emplace_back(at[i], at[j], share * w[i] * w[j]);
            }
        }
        // Bending energy of the whole field, in shares of its size: far too little to be seen where there are points.
        constexpr double stiffness = 1e-11;
        for (int u = 0; u < n_[0]; ++u)
            for (int v = 0; v < n_[1]; ++v)
                for (const auto& [du, dv, factor] : {std::tuple(2, 0, 1.0), std::tuple(1, 1, 2.0), std::tuple(0, 2, 1.0)}) {
                    const Vec2 middle = range_.min() + Vec2((u + 0.5) / n_[0], (v + 0.5) / n_[1]).cwiseProduct(range_.sizes());
                    const auto [at, w] = weights(middle, du, dv);
                    const double scale = stiffness * factor * std::pow(n_[0], 2 * du) * std::pow(n_[1], 2 * dv) / (n_[0] * n_[1]);
                    for (std::size_t i = 0; i < 16; ++i)
                        for (std::size_t j = 0; j < 16; ++j) entries.emplace_back(at[i], at[j], scale * w[i] * w[j]);
                }
        Eigen::SparseMatrix<double> a(size, size);
        a.setFromTriplets(entries.begin(), entries.end());
        Eigen::SimplicialLDLT<Eigen::SparseMatrix<double>> solver(a);
        if (solver.info() == Eigen::Success) z_ = solver.solve(b);
    }

    // Height and slopes.
    [[nodiscard]] Vec3 at(const Vec2& q) const {
        Vec3 out;
        for (const auto& [k, du, dv] : {std::tuple(0, 0, 0), std::tuple(1, 1, 0), std::tuple(2, 0, 1)}) {
            const auto [where, w] = weights(q, du, dv);
            double sum = 0;
            for (std::size_t i = 0; i < 16; ++i) sum += w[i] * z_[where[i]];
            out[k] = sum * std::pow(n_[0] / range_.sizes().x(), du) * std::pow(n_[1] / range_.sizes().y(), dv);
        }
        return out;
    }

    [[nodiscard]] NurbsSurface surface(const Frame& f) const {
        NurbsSurface s;
        s.degree_u = s.degree_v = 3;
        const auto knots = [](double low, double step, int n) {
            std::vector<double> k;
            for (int i = -3; i <= n + 3; ++i) k.push_back(low + i * step);
            return k;
        };
        const Vec2 step(range_.sizes().x() / n_[0], range_.sizes().y() / n_[1]);
        s.knots_u = knots(range_.min().x(), step.x(), n_[0]), s.knots_v = knots(range_.min().y(), step.y(), n_[1]);
        // The plane's own coordinates are linear in the parameters: their poles stand over the means of three knots.
        for (int i = 0; i < n_[0] + 3; ++i)
            for (int j = 0; j < n_[1] + 3; ++j)
                s.poles.push_back(f.at(range_.min().x() + (i - 1) * step.x(), range_.min().y() + (j - 1) * step.y(), z_[i * (n_[1] + 3) + j]));
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
    Eigen::VectorXd z_;
};

}  // namespace

std::optional<Fit> fit_free(std::span<const Vec3> points, std::span<const Vec3> normals, double noise) {
    if (points.size() < 30) return std::nullopt;
    Vec3 mean = Vec3::Zero(), middle = Vec3::Zero();
    for (const Vec3& n : normals) mean += n;
    for (const Vec3& p : points) middle += p / static_cast<double>(points.size());
    if (mean.norm() < 0.1 * static_cast<double>(normals.size())) return std::nullopt;
    mean.normalize();
    if (std::any_of(normals.begin(), normals.end(), [&](const Vec3& n) { return n.dot(mean) < steepest; })) return std::nullopt;
    // In the plane, along the directions in which the points spread most and least.
    Frame f = Frame::with_z(middle, mean);
    Eigen::Matrix2d spread = Eigen::Matrix2d::Zero();
    for (const Vec3& p : points) spread += f.local2(p) * f.local2(p).transpose();
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix2d> axes(spread);
    f = Frame::with_zx(middle, mean, axes.eigenvectors()(0, 1) * f.x + axes.eigenvectors()(1, 1) * f.y);
    std::vector<Vec3> local;
    Box2 range;
    for (const Vec3& p : points) local.push_back(f.local(p)), range.extend(Vec2(local.back().x(), local.back().y()));
    const Vec2 more = 0.01 * range.sizes();
    range.min() -= more, range.max() += more;
    if (range.sizes().minCoeff() <= 0) return std::nullopt;
    const double ratio = range.sizes().x() / range.sizes().y();
    const double fewest = noise > 0 ? 5 : 1.6;  // points to a span, so that scatter is not followed
    std::optional<Fit> best;
    for (int n = 3; n <= 64; n = n + (n + 1) / 2) {
        const int nu = std::max(2, static_cast<int>(std::lround(n * std::sqrt(ratio)))), nv = std::max(2, static_cast<int>(std::lround(n / std::sqrt(ratio))));
        if (best && static_cast<double>(points.size()) < fewest * nu * nv) break;
        HeightField field(range, nu, nv);
        field.fit(local);
        double sum = 0, worst = 0;
        for (const Vec3& p : local) {
            const Vec3 h = field.at({p.x(), p.y()});
            const double d = std::abs(p.z() - h.x()) / std::sqrt(1 + h.y() * h.y() + h.z() * h.z());
            sum += d * d, worst = std::max(worst, d);
        }
        const double rms = std::sqrt(sum / static_cast<double>(local.size()));
        const bool better = !best || rms < (noise > 0 ? 0.97 : 1.0) * best->rms;
        if (!better) break;
        best = Fit{FreeSurface{std::make_shared<NurbsSurface>(field.surface(f))}, rms, worst};
        if (rms < 1e-9 * range.sizes().norm()) break;
    }
    return best;
}

}  // namespace halvo
