#include "geom/dense.hpp"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/QR>

namespace halvo {
namespace {

// Of any size: each fixed size would be compiled anew.
template <int n>
PrincipalAxes<n> axes_of(const Eigen::Matrix<double, n, n>& symmetric) {
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> solver(symmetric);
    return {solver.eigenvalues(), solver.eigenvectors()};
}

}  // namespace

PrincipalAxes<2> principal_axes(const Eigen::Matrix2d& symmetric) {
    return axes_of<2>(symmetric);
}

PrincipalAxes<3> principal_axes(const Eigen::Matrix3d& symmetric) {
    const Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d> solver(symmetric);  // asked often
    return {solver.eigenvalues(), solver.eigenvectors()};
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

SingularValues singular_values(const Eigen::MatrixXd& a) {
    const Eigen::SelfAdjointEigenSolver<Eigen::MatrixXd> solver(Eigen::MatrixXd(a.transpose() * a));
    return {solver.eigenvalues().reverse().cwiseMax(0).cwiseSqrt(), solver.eigenvectors().rowwise().reverse()};
}

}  // namespace halvo
