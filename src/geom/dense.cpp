#include "geom/dense.hpp"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/QR>

namespace halvo {
namespace {

template <int n>
PrincipalAxes<n> axes_of(const Eigen::Matrix<double, n, n>& symmetric) {
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix<double, n, n>> solver(symmetric);
    return {solver.eigenvalues(), solver.eigenvectors()};
}

}  // namespace

PrincipalAxes<3> principal_axes(const Eigen::Matrix3d& symmetric) {
    return axes_of<3>(symmetric);
}

PrincipalAxes<6> principal_axes(const Eigen::Matrix<double, 6, 6>& symmetric) {
    return axes_of<6>(symmetric);
}

Vec3 solve_symmetric(const Eigen::Matrix3d& a, const Vec3& b) {
    return a.ldlt().solve(b);
}

Eigen::VectorXd solve_symmetric(const Eigen::MatrixXd& a, const Eigen::VectorXd& b) {
    return a.ldlt().solve(b);
}

LeastSquares least_squares(const Eigen::MatrixXd& a, const Eigen::VectorXd& b) {
    const Eigen::ColPivHouseholderQR<Eigen::MatrixXd> qr(a);
    return {qr.solve(b), qr.rank()};
}

}  // namespace halvo
