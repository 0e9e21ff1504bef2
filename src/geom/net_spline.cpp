#include "geom/net_spline.hpp"

#include <Eigen/LU>

#include <algorithm>

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

struct Line {
    std::vector<double> knots;
    Eigen::PartialPivLU<Eigen::MatrixXd> lu;  // of the basis at even parameters
};

Line line_of(std::size_t n) {
    std::vector<double> t;
    for (std::size_t i = 0; i < n; ++i) t.push_back(static_cast<double>(i) / static_cast<double>(n - 1));
    Line out;
    out.knots = knots_for(t);
    Eigen::MatrixXd m = Eigen::MatrixXd::Zero(static_cast<Eigen::Index>(n), static_cast<Eigen::Index>(n));
    constexpr std::size_t beside = 4;  // places at which a parameter's basis functions may be
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t j = i < beside ? 0 : i - beside; j < std::min(n, i + beside + 1); ++j)
            m(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = basis(out.knots, j, 3, t[i]);
    out.lu.compute(m);
    return out;
}

}  // namespace

NurbsSurface through_net(const std::vector<Vec3>& net, std::size_t n, std::size_t m) {
    const Line u = line_of(n), v = n == m ? u : line_of(m);
    NurbsSurface s;
    s.degree_u = s.degree_v = 3;
    s.knots_u = u.knots, s.knots_v = v.knots;
    s.poles.resize(n * m);
    for (int k = 0; k < 3; ++k) {
        Eigen::MatrixXd x(static_cast<Eigen::Index>(n), static_cast<Eigen::Index>(m));
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t j = 0; j < m; ++j) x(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j)) = net[i * m + j][k];
        const Eigen::MatrixXd across = u.lu.solve(x);
        const Eigen::MatrixXd poles = v.lu.solve(across.transpose()).transpose();
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t j = 0; j < m; ++j) s.poles[i * m + j][k] = poles(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(j));
    }
    return s;
}

}  // namespace halvo
