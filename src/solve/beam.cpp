// Stiffness from the flexibility of the end: what section forces in equilibrium with it strain, integrated along the line (Przemieniecki, Theory of
// Matrix Structural Analysis, 1968, with Timoshenko's shear strain). Unsymmetric sections and the shear centre are in the flexibility of the section.
#include "solve/beam.hpp"

#include <Eigen/LU>

#include <algorithm>
#include <cmath>

namespace halvo {
namespace {

using Matrix6 = Eigen::Matrix<double, 6, 6>;
using Vector6 = Eigen::Matrix<double, 6, 1>;

// Strains of a section (stretch, shear y, shear z, twist, curvature y, curvature z) over its forces (N Vy Vz T My Mz).
Matrix6 section_flexibility(const BeamSection& s, const Material& m) {
    Matrix6 c = Matrix6::Zero();
    const double g = m.shear_modulus();
    c(0, 0) = 1 / (m.young * s.area);
    c.block<2, 2>(1, 1) = s.shear_share / (g * s.area);
    Eigen::Matrix2d bending;
    bending << s.iyy, -s.iyz, -s.iyz, s.izz;
    c.block<2, 2>(4, 4) = bending.inverse() / m.young;
    // Torque about the shear centre: T - y Vz + z Vy.
    Vec3 torque(s.shear_centre.y(), -s.shear_centre.x(), 1);
    c.block<3, 3>(1, 1) += torque * torque.transpose() / (g * s.j);
    return c;
}

// Section forces at a distance `left` from the second end over the forces there.
Matrix6 carried(double left) {
    Matrix6 h = Matrix6::Identity();
    h(4, 2) = -left, h(5, 1) = left;
    return h;
}

// Stiffness of the second end where the first is held, along the beam's own axes.
Matrix6 end_stiffness(double length, const Matrix6& flexibility) {
    Matrix6 f = Matrix6::Zero();
    for (const double at : {0.5 - 0.5 / std::sqrt(3.0), 0.5 + 0.5 / std::sqrt(3.0)}) {
        const Matrix6 h = carried(length * at);
        f += 0.5 * length * h.transpose() * flexibility * h;
    }
    return f.inverse();
}

Matrix12 own_stiffness(const BeamShape& shape, const BeamSection& section, const Material& material) {
    const Matrix6 k = end_stiffness(shape.length, section_flexibility(section, material));
    Matrix6 r = Matrix6::Identity();  // the second end moved with the first as one body
    r(1, 5) = shape.length, r(2, 4) = -shape.length;
    Matrix12 out;
    out << r.transpose() * k * r, -r.transpose() * k, -k * r, k;
    return out;
}

// Own axes at the centroid, over movements of the nodes along the file's axes.
Matrix12 turned(const BeamShape& shape) {
    Matrix12 t = Matrix12::Zero();
    Eigen::Matrix3d c;
    const Vec3& a = shape.arm;
    c << 0, -a.z(), a.y(), a.z(), 0, -a.x(), -a.y(), a.x(), 0;
    const Eigen::Matrix3d r = shape.axes.transpose();
    for (Eigen::Index e = 0; e < 2; ++e) t.block<3, 3>(6 * e, 6 * e) = r, t.block<3, 3>(6 * e, 6 * e + 3) = -r * c, t.block<3, 3>(6 * e + 3, 6 * e + 3) = r;
    return t;
}

std::vector<Eigen::Index> released_of(const BeamShape& shape) {
    std::vector<Eigen::Index> out;
    for (Eigen::Index e = 0; e < 2; ++e)
        for (Eigen::Index k = 0; k < 6; ++k)
            if (shape.released[static_cast<std::size_t>(e)][static_cast<std::size_t>(k)]) out.push_back(6 * e + k);
    return out;
}

// Movements that are released carry nothing: each is eliminated. Returns nothing to do where none is.
void release(const BeamShape& shape, Matrix12& k, Vector12& f) {
    for (const Eigen::Index i : released_of(shape)) {
        if (!(k(i, i) > 0)) continue;
        const Vector12 column = k.col(i) / k(i, i);
        f -= column * f[i];
        k -= (column * k.row(i)).eval();
        k.row(i).setZero(), k.col(i).setZero(), f[i] = 0;
    }
}

// Forces at both ends that an even load on a beam held there asks for, along its own axes.
Vector12 own_load(const BeamShape& shape, const BeamSection& section, const Material& material, const Vec3& force, double kelvin) {
    Vector12 f = Vector12::Zero();
    const Vec3 q = shape.axes.transpose() * force;
    const double l = shape.length;
    const Vec3 turn = l * l / 12 * Vec3::UnitX().cross(q);
    f.segment<3>(0) = f.segment<3>(6) = 0.5 * l * q;
    f.segment<3>(3) = turn, f.segment<3>(9) = -turn;
    const double push = material.young * section.area * material.expansion * kelvin;
    f[0] -= push, f[6] += push;
    return f;
}

}  // namespace

BeamShape beam_shape(const std::array<Vec3, 2>& ends, const BeamPart& part) {
    BeamShape s;
    s.nodes = ends, s.arm = part.arm, s.released = part.released;
    const Vec3 d = ends[1] - ends[0];
    s.length = d.norm();
    const Vec3 x = d / s.length;
    Vec3 y = part.y - x * x.dot(part.y);
    if (!(y.norm() > 1e-9)) y = x.unitOrthogonal();
    s.axes.col(0) = x, s.axes.col(1) = y.normalized(), s.axes.col(2) = x.cross(s.axes.col(1));
    return s;
}

Matrix12 beam_stiffness(const BeamShape& shape, const BeamSection& section, const Material& material) {
    Matrix12 k = own_stiffness(shape, section, material);
    Vector12 none = Vector12::Zero();
    release(shape, k, none);
    const Matrix12 t = turned(shape);
    return t.transpose() * k * t;
}

Matrix12 beam_mass(const BeamShape& shape, const BeamSection& section, double density, bool lumped) {
    Matrix12 m = Matrix12::Zero();
    const double l = shape.length, per_length = density * section.area;
    Eigen::Matrix3d turning = Eigen::Matrix3d::Zero();
    turning(0, 0) = section.iyy + section.izz, turning(1, 1) = section.iyy, turning(2, 2) = section.izz;
    turning(1, 2) = turning(2, 1) = -section.iyz;
    turning *= density;
    if (lumped) {
        for (Eigen::Index e = 0; e < 2; ++e)
            m.block<3, 3>(6 * e, 6 * e) = 0.5 * l * per_length * Eigen::Matrix3d::Identity(), m.block<3, 3>(6 * e + 3, 6 * e + 3) = 0.5 * l * turning;
    } else {
        // Three points: exact for linear shapes squared, and to the fifth degree of cubic ones squared.
        for (const auto& [at, weight] : {std::pair(0.5 - std::sqrt(0.15), 5.0 / 18), std::pair(0.5, 8.0 / 18), std::pair(0.5 + std::sqrt(0.15), 5.0 / 18)}) {
            Eigen::Matrix<double, 6, 12> n = Eigen::Matrix<double, 6, 12>::Zero();
            const double a = 1 - at, b = at;
            const double h1 = 1 - 3 * b * b + 2 * b * b * b, h2 = l * (b - 2 * b * b + b * b * b), h3 = 3 * b * b - 2 * b * b * b, h4 = l * (b * b * b - b * b);
            n(0, 0) = a, n(0, 6) = b;
            n(1, 1) = h1, n(1, 5) = h2, n(1, 7) = h3, n(1, 11) = h4;
            n(2, 2) = h1, n(2, 4) = -h2, n(2, 8) = h3, n(2, 10) = -h4;
            for (Eigen::Index k = 3; k < 6; ++k) n(k, k) = a, n(k, k + 6) = b;
            Matrix6 density6 = Matrix6::Zero();
            density6.topLeftCorner<3, 3>() = per_length * Eigen::Matrix3d::Identity(), density6.bottomRightCorner<3, 3>() = turning;
            m += l * weight * n.transpose() * density6 * n;
        }
    }
    const Matrix12 t = turned(shape);
    return t.transpose() * m * t;
}

Vector12 beam_load(const BeamShape& shape, const BeamSection& section, const Material& material, const Vec3& force, double kelvin) {
    Matrix12 k = own_stiffness(shape, section, material);
    Vector12 f = own_load(shape, section, material, force, kelvin);
    release(shape, k, f);
    return turned(shape).transpose() * f;
}

BeamState beam_state(const BeamShape& shape, const BeamSection& section, const Material& material, const Vector12& movement, const Vec3& force, double kelvin,
                     Vector12& forces) {
    Matrix12 k = own_stiffness(shape, section, material);
    Vector12 f = own_load(shape, section, material, force, kelvin);
    release(shape, k, f);
    const Matrix12 turn = turned(shape);
    const Vector12 u = turn * movement, ends = k * u - f;
    forces = turn.transpose() * ends;
    BeamState out;
    out.axes = shape.axes;
    out.energy = 0.5 * u.dot(k * u);
    out.force[0] = -ends.head<6>(), out.force[1] = ends.tail<6>();
    const double det = section.iyy * section.izz - section.iyz * section.iyz;
    for (std::size_t e = 0; e < 2; ++e) {
        const Vector6& p = out.force[e];
        // Curvatures times E, from both moments together.
        const double ky = (section.izz * p[4] + section.iyz * p[5]) / det, kz = (section.iyz * p[4] + section.iyy * p[5]) / det;
        double most = p[0] / section.area, least = most;
        for (std::size_t i = 0; i < section.outline.size(); ++i) {
            const double s = p[0] / section.area + section.outline[i].y() * ky - section.outline[i].x() * kz;
            most = i == 0 ? s : std::max(most, s), least = i == 0 ? s : std::min(least, s);
        }
        out.most_stress[e] = most, out.least_stress[e] = least;
        const double normal = std::max(std::abs(most), std::abs(least));
        const double torque = p[3] - section.shear_centre.x() * p[2] + section.shear_centre.y() * p[1];
        const double shear = std::abs(torque) * section.torsion_radius / section.j + std::hypot(p[1], p[2]) / section.area;
        out.von_mises[e] = std::sqrt(normal * normal + 3 * shear * shear);
    }
    return out;
}

Eigen::MatrixXd beam_stiffness(const std::array<Vec3, 2>& ends, const BeamPart& part, const BeamSection& section, const Material& material) {
    return beam_stiffness(beam_shape(ends, part), section, material);
}

}  // namespace halvo
