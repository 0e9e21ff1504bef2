#include "solve/shell.hpp"

#include "solve/shell_points.hpp"

#include <Eigen/LU>

#include <cmath>

namespace halvo {
namespace {

constexpr double shear_factor = 5.0 / 6;  // of a homogeneous plate
constexpr double drilling_share = 1e-3;   // of the shear modulus: holds the rotation, and does not stiffen bending in the plane (docs/method/solving.md)
constexpr double least_in_plane = 0.05;   // sine between a direction and the normal below which it says nothing of the plane

Eigen::Matrix<double, 8, 8> resultants(const ShellShape& shape, const ShellLaw& law) {
    Eigen::Matrix<double, 8, 8> d = Eigen::Matrix<double, 8, 8>::Zero();
    const double t = shape.thickness;
    d.topLeftCorner<3, 3>() = t * law.plane;
    d.block<3, 3>(3, 3) = t * t * t / 12 * law.plane;
    d.bottomRightCorner<2, 2>() = t * law.across;
    return d;
}

Eigen::Matrix3d cross_of(const Vec3& a) {
    Eigen::Matrix3d m;
    m << 0, -a.z(), a.y(), a.z(), 0, -a.x(), -a.y(), a.x(), 0;
    return m;
}

// Movement of the middle is that of the node plus its rotation times the arm: stiffness and loads as the nodes see them.
void carry_to_nodes(Matrix24& k, const std::array<Vec3, 4>& arm, int count) {
    for (Eigen::Index i = 0; i < count; ++i) {
        const Eigen::Matrix3d c = cross_of(arm[static_cast<std::size_t>(i)]);
        k.middleCols<3>(6 * i + 3) -= k.middleCols<3>(6 * i) * c;
    }
    for (Eigen::Index i = 0; i < count; ++i) {
        const Eigen::Matrix3d c = cross_of(arm[static_cast<std::size_t>(i)]);
        k.middleRows<3>(6 * i + 3) += c * k.middleRows<3>(6 * i);
    }
}
void carry_to_nodes(Vector24& f, const std::array<Vec3, 4>& arm, int count) {
    for (Eigen::Index i = 0; i < count; ++i) f.segment<3>(6 * i + 3) += arm[static_cast<std::size_t>(i)].cross(Vec3(f.segment<3>(6 * i)));
}
Vector24 at_middle(const Vector24& u, const std::array<Vec3, 4>& arm, int count) {
    Vector24 m = u;
    for (Eigen::Index i = 0; i < count; ++i) m.segment<3>(6 * i) += Vec3(u.segment<3>(6 * i + 3)).cross(arm[static_cast<std::size_t>(i)]);
    return m;
}

// Movements within the element over those of its nodes: they follow without force.
struct Inner {
    Eigen::Matrix<double, 24, 4> coupling = Eigen::Matrix<double, 24, 4>::Zero();
    Eigen::Matrix<double, 4, 24> follows = Eigen::Matrix<double, 4, 24>::Zero();
};

Inner inner_of(const ShellPoints& points, const Eigen::Matrix<double, 8, 8>& d) {
    Inner out;
    Eigen::Matrix4d k = Eigen::Matrix4d::Zero();
    for (int q = 0; q < points.count; ++q) {
        const ShellPoint& p = points.point[static_cast<std::size_t>(q)];
        const Eigen::Matrix<double, 8, 4> db = p.area * d * p.inner;
        out.coupling.noalias() += p.strain.transpose() * db;
        k.noalias() += p.inner.transpose() * db;
    }
    for (int i = points.inner; i < 4; ++i) k(i, i) = 1;
    out.follows.noalias() = -k.inverse() * out.coupling.transpose();
    return out;
}

Matrix24 middle_stiffness(const ShellPoints& points, const Eigen::Matrix<double, 8, 8>& d, double drilling) {
    Matrix24 k = Matrix24::Zero();
    for (int q = 0; q < points.count; ++q) {
        const ShellPoint& p = points.point[static_cast<std::size_t>(q)];
        const Eigen::Matrix<double, 8, 24> db = p.area * d * p.strain;
        k.noalias() += p.strain.transpose() * db;
        k.noalias() += (p.area * drilling * p.drilling.transpose()) * p.drilling;
    }
    const Inner inner = inner_of(points, d);
    k.noalias() += inner.coupling * inner.follows;
    return k;
}

Stress along_file(const Eigen::Matrix3d& axes, const Eigen::Vector3d& plane) {
    const Eigen::Matrix2d s = (Eigen::Matrix2d() << plane[0], plane[2], plane[2], plane[1]).finished();
    const Eigen::Matrix3d g = axes.leftCols<2>() * s * axes.leftCols<2>().transpose();
    return {g(0, 0), g(1, 1), g(2, 2), g(0, 1), g(1, 2), g(2, 0)};
}

// Values at the corners of a quad from those at its four points, as the bilinear field through them has it.
void to_corners(std::array<Stress, 4>& of) {
    const double a = 1 + std::sqrt(3.0) / 2, b = -0.5, c = 1 - std::sqrt(3.0) / 2;
    const auto in = of;
    for (std::size_t i = 0; i < 4; ++i)
        for (std::size_t k = 0; k < 6; ++k) of[i][k] = a * in[i][k] + b * (in[(i + 1) % 4][k] + in[(i + 3) % 4][k]) + c * in[(i + 2) % 4][k];
}

}  // namespace

Eigen::Matrix3d axes_along(const Vec3& n, const Vec3& direction) {
    Vec3 x = direction - n * n.dot(direction);
    if (x.norm() < least_in_plane * direction.norm()) {
        const Vec3 other = Vec3(direction.z(), direction.x(), direction.y());
        x = other - n * n.dot(other);
    }
    Eigen::Matrix3d axes;
    axes.col(0) = x.normalized(), axes.col(2) = n, axes.col(1) = n.cross(axes.col(0));
    return axes;
}

Eigen::Matrix3d plane_strains(const Eigen::Matrix2d& a) {
    Eigen::Matrix3d t;
    t << a(0, 0) * a(0, 0), a(0, 1) * a(0, 1), a(0, 0) * a(0, 1),  //
        a(1, 0) * a(1, 0), a(1, 1) * a(1, 1), a(1, 0) * a(1, 1),   //
        2 * a(0, 0) * a(1, 0), 2 * a(0, 1) * a(1, 1), a(0, 0) * a(1, 1) + a(0, 1) * a(1, 0);
    return t;
}

ShellLaw shell_law(const Material& m) {
    ShellLaw law;
    const double e1 = m.young, e2 = m.young2 > 0 ? m.young2 : m.young, nu = m.poisson, g = m.shear_modulus();
    const double q = 1 - nu * nu * e2 / e1;
    law.plane << e1 / q, nu * e2 / q, 0, nu * e2 / q, e2 / q, 0, 0, 0, g;
    law.across = shear_factor * g * Eigen::Matrix2d::Identity();
    law.drilling = drilling_share * g;
    law.direction = m.direction;
    law.warming = {m.expansion, m.expansion, 0};
    return law;
}

Matrix24 shell_stiffness(const ShellShape& shape, const ShellLaw& law) {
    const ShellPoints points = shell_points(shape, law.direction);
    Matrix24 k = middle_stiffness(points, resultants(shape, law), shape.thickness * law.drilling);
    if (shape.offset != 0) carry_to_nodes(k, points.arm, shape.count);
    return k;
}

Matrix24 shell_mass(const ShellShape& shape, double density, bool lumped) {
    const ShellPlaces places = shell_places(shape);
    Matrix24 m = Matrix24::Zero();
    const double per_area = density * shape.thickness, turning = per_area * shape.thickness * shape.thickness / 12;
    for (int q = 0; q < places.count; ++q) {
        const ShellPlace& p = places.place[static_cast<std::size_t>(q)];
        const Vec3& n = p.normal;
        const Eigen::Matrix3d flat = Eigen::Matrix3d::Identity() - n * n.transpose();  // turning about the normal moves nothing
        for (Eigen::Index i = 0; i < shape.count; ++i)
            for (Eigen::Index j = 0; j < shape.count; ++j) {
                const double w = p.area * p.shape[i] * (lumped ? 1 : p.shape[j]);
                const Eigen::Index to = lumped ? i : j;
                m.block<3, 3>(6 * i, 6 * to) += (lumped ? 1.0 / shape.count : 1) * w * per_area * Eigen::Matrix3d::Identity();
                m.block<3, 3>(6 * i + 3, 6 * to + 3) += (lumped ? 1.0 / shape.count : 1) * w * turning * flat;
            }
    }
    if (shape.offset != 0) carry_to_nodes(m, places.arm, shape.count);
    return m;
}

Vector24 shell_load(const ShellShape& shape, double pressure, const Vec3& traction) {
    const ShellPlaces places = shell_places(shape);
    Vector24 f = Vector24::Zero();
    for (int q = 0; q < places.count; ++q) {
        const ShellPlace& p = places.place[static_cast<std::size_t>(q)];
        for (Eigen::Index i = 0; i < shape.count; ++i) f.segment<3>(6 * i) += p.area * p.shape[i] * (pressure * p.normal + traction);
    }
    if (shape.offset != 0) carry_to_nodes(f, places.arm, shape.count);
    return f;
}

std::array<double, 4> shell_areas(const ShellShape& shape) {
    const ShellPlaces places = shell_places(shape);
    std::array<double, 4> out{};
    for (int q = 0; q < places.count; ++q)
        for (std::size_t i = 0; i < 4; ++i)
            out[i] += places.place[static_cast<std::size_t>(q)].area * places.place[static_cast<std::size_t>(q)].shape[static_cast<Eigen::Index>(i)];
    return out;
}

namespace {

// What an element's strains are made of, for any number of cases.
struct ShellReading {
    const ShellShape& shape;
    const ShellLaw& law;
    ShellPoints points;
    Eigen::Matrix<double, 8, 8> d;
    Eigen::Matrix<double, 4, 24> follows;
    Eigen::Matrix3d axes;  // of the whole element

    ShellReading(const ShellShape& s, const ShellLaw& l) : shape(s), law(l), points(shell_points(s, l.direction)), d(resultants(s, l)) {
        follows = inner_of(points, d).follows;
        Vec3 normal = Vec3::Zero();
        for (int q = 0; q < points.count; ++q) normal += points.point[static_cast<std::size_t>(q)].area * points.point[static_cast<std::size_t>(q)].axes.col(2);
        axes = axes_along(normal.normalized(), law.direction);
    }

    [[nodiscard]] ShellState state(const Vector24& movement, double kelvin, Vector24& forces) const {
        forces.setZero();
        const Vector24 u = at_middle(movement, points.arm, shape.count);
        const Eigen::Vector4d inner = follows * u;
        const double t = shape.thickness;
        ShellState out;
        Eigen::Matrix<double, 8, 1> mean = Eigen::Matrix<double, 8, 1>::Zero();
        double area = 0;
        for (int q = 0; q < points.count; ++q) {
            const ShellPoint& p = points.point[static_cast<std::size_t>(q)];
            Eigen::Matrix<double, 8, 1> e = p.strain * u + p.inner * inner;
            e.head<3>() -= kelvin * law.warming;
            const Eigen::Matrix<double, 8, 1> r = d * e;
            const double twist = p.drilling.dot(u);
            out.energy += 0.5 * p.area * (e.dot(r) + t * law.drilling * twist * twist);
            forces += p.area * (p.strain.transpose() * r + t * law.drilling * twist * p.drilling.transpose());
            mean += p.area * r, area += p.area;
            if (shape.count == 4)
                for (std::size_t side = 0; side < 2; ++side)
                    out.corner[side][static_cast<std::size_t>(q)] = along_file(p.axes, r.head<3>() / t + (side == 0 ? 6 : -6) / (t * t) * r.segment<3>(3));
        }
        if (shape.offset != 0) carry_to_nodes(forces, points.arm, shape.count);
        mean /= area;
        out.force = mean.head<3>(), out.moment = mean.segment<3>(3), out.shear = mean.tail<2>(), out.x = axes.col(0), out.normal = axes.col(2);
        for (std::size_t side = 0; side < 2; ++side) {
            if (shape.count == 4) to_corners(out.corner[side]);
            else out.corner[side].fill(along_file(axes, out.force / t + (side == 0 ? 6 : -6) / (t * t) * out.moment));
        }
        return out;
    }
};

}  // namespace

void shell_states(const ShellShape& shape, const ShellLaw& law, std::span<const ShellMoved> cases, std::span<ShellHeld> out) {
    const ShellReading reading(shape, law);
    for (std::size_t c = 0; c < cases.size(); ++c) out[c].state = reading.state(cases[c].movement, cases[c].kelvin, out[c].forces);
}

Eigen::MatrixXd shell_stiffness(const std::vector<Vec3>& corners, double thickness, double offset, const Material& material) {
    ShellShape s;
    s.count = static_cast<int>(corners.size()), s.thickness = thickness, s.offset = offset;
    for (std::size_t i = 0; i < corners.size(); ++i) s.nodes[i] = corners[i];
    return shell_stiffness(s, shell_law(material)).topLeftCorner(6 * s.count, 6 * s.count);
}

}  // namespace halvo
