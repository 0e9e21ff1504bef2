#pragma once
#include <halvo/types.hpp>

#include <Eigen/Core>

/// Small dense systems, solved in one place: what stands behind them takes long to compile.
namespace halvo {

/// Values (ascending) and unit vectors (columns) of a symmetric matrix's principal axes.
template <int n>
struct PrincipalAxes {
    Eigen::Matrix<double, n, 1> values;
    Eigen::Matrix<double, n, n> vectors;
};
PrincipalAxes<2> principal_axes(const Eigen::Matrix2d& symmetric);
PrincipalAxes<3> principal_axes(const Eigen::Matrix3d& symmetric);
PrincipalAxes<6> principal_axes(const Eigen::Matrix<double, 6, 6>& symmetric);

/// x of a x = b for a symmetric, semidefinite matrix (LDLT with pivoting); of any size in the second form.
Vec3 solve_symmetric(const Eigen::Matrix3d& a, const Vec3& b);
Eigen::VectorXd solve_symmetric(const Eigen::MatrixXd& a, const Eigen::VectorXd& b);

/// x of least |a x - b| by QR with column pivoting, and how many columns are independent.
struct LeastSquares {
    Eigen::VectorXd x;
    Eigen::Index rank = 0;
};
LeastSquares least_squares(const Eigen::MatrixXd& a, const Eigen::VectorXd& b);

/// Singular values of a matrix, falling, and a direction (column) for each, from the eigenvalues of aTa: good to about 1e-8 of the largest.
/// There are as many as `a` has columns; directions of values that are zero span its null space.
struct SingularValues {
    Eigen::VectorXd values;
    Eigen::MatrixXd directions;
};
SingularValues singular_values(const Eigen::MatrixXd& a);

}  // namespace halvo
