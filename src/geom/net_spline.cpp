#include "geom/net_spline.hpp"

#include <Eigen/LU>

namespace halvo {
namespace {

std::vector<double> knots_for(const std::vector<double>& t) {
    // Averaged (equation 9.8): four at each end, the mean of three parameters between.
    std::vector<double> k(4, t.front());
    for (std::size_t j = 1; j + 3 < t.size(); ++j) k.push_back((t[j] + t[j + 1] + t[j + 2]) / 3);
    k.insert(k.end(), 4, t.back());
    return k;
}

double basis(const std::vector<double>& k, std::size_t i, int p, double t) {
    if (p == 0) return (t >= k[i] && t < k[i + 1]) || (t == k.back() && k[i] < k[i + 1] && k[i + 1] == k.back()) ? 1 : 0;
    const auto q = static_cast<std::size_t>(p);
    const double a = k[i + q] - k[i], b = k[i + q + 1] - k[i + 1];
    return (a > 0 ? (t - k[i]) / a * basis(k, i, p - 1, t) : 0) + (b > 0 ? (k[i + q + 1] - t) / b * basis(k, i + 1, p - 1, t) : 0);
}

}  // namespace

NurbsSurface through_net(const std::vector<Vec3>& net, std::size_t n) {
    std::vector<double> t;
    for (std::size_t i = 0; i < n; ++i) t.push_back(static_cast<double>(i) / static_cast<double>(n - 1));
    NurbsSurface s;
    s.degree_u = s.degree_v = 3;
    s.knots_u = s.knots_v = knots_for(t);
    const auto size = static_cast<Eigen::Index>(n);
    Eigen::MatrixXd m(size, size);
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t j = 0; j < n; ++j) m(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = basis(s.knots_u, j, 3, t[i]);
    const Eigen::PartialPivLU<Eigen::MatrixXd> lu(m);
    s.poles.resize(n * n);
    for (int k = 0; k < 3; ++k) {
        Eigen::MatrixXd x(size, size);
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t j = 0; j < n; ++j) x(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = net[i * n + j][k];
        const Eigen::MatrixXd across = lu.solve(x);
        const Eigen::MatrixXd poles = lu.solve(across.transpose()).transpose();
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t j = 0; j < n; ++j) s.poles[i * n + j][k] = poles(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j));
    }
    return s;
}

}  // namespace halvo
