// Eight-node solid: trilinear, with nine movements within the element that let it bend (Wilson, Taylor, Doherty and Ghaboussi 1973), their strains taken
// with the Jacobian of the centre so that constant strain stays exact in any shape (Taylor, Beresford and Wilson 1976).
#include "solve/solid.hpp"

#include "core/index.hpp"

#include <Eigen/LU>

#include <cmath>

namespace halvo {
namespace {

constexpr std::array<std::array<double, 3>, 8> corner{{{-1, -1, -1}, {1, -1, -1}, {1, 1, -1}, {-1, 1, -1}, {-1, -1, 1}, {1, -1, 1}, {1, 1, 1}, {-1, 1, 1}}};
constexpr double gauss = 0.57735026918962576;  // place of two points in each direction: one over the root of 3

using Strain = Eigen::Matrix<double, 6, 24>;
using InnerStrain = Eigen::Matrix<double, 6, 9>;

struct SolidPoint {
    Eigen::Matrix<double, 8, 1> shape;
    Strain strain;
    InnerStrain inner;
    double volume = 0;
};

// Derivatives of the eight shape functions along r, s, t.
Eigen::Matrix<double, 8, 3> slopes(const Vec3& at) {
    Eigen::Matrix<double, 8, 3> d;
    for (std::size_t i = 0; i < 8; ++i) {
        const auto k = static_cast<Eigen::Index>(i);
        const double r = 1 + corner[i][0] * at.x(), s = 1 + corner[i][1] * at.y(), t = 1 + corner[i][2] * at.z();
        d(k, 0) = corner[i][0] * s * t / 8, d(k, 1) = corner[i][1] * r * t / 8, d(k, 2) = corner[i][2] * r * s / 8;
    }
    return d;
}

// Strains of a movement whose gradient along the axes is `g`, in its three directions.
template <class Rows>
void put_strains(Rows&& e, Eigen::Index column, const Vec3& g) {
    e(0, column) = g.x(), e(1, column + 1) = g.y(), e(2, column + 2) = g.z();
    e(3, column) = g.y(), e(3, column + 1) = g.x();
    e(4, column + 1) = g.z(), e(4, column + 2) = g.y();
    e(5, column) = g.z(), e(5, column + 2) = g.x();
}

class SolidReading {
public:
    SolidReading(const std::array<Vec3, 8>& nodes, const SolidLaw& law) : law_(law) {
        Eigen::Matrix<double, 8, 3> x;
        for (std::size_t i = 0; i < 8; ++i) x.row(static_cast<Eigen::Index>(i)) = nodes[i].transpose();
        const Eigen::Matrix3d j0 = slopes(Vec3::Zero()).transpose() * x;  // rows: base vectors
        const double volume0 = j0.determinant();
        const Eigen::Matrix3d to_axes0 = j0.inverse();
        for (std::size_t q = 0; q < 8; ++q) {
            SolidPoint& p = point[q];
            const Vec3 at = gauss * Vec3(corner[q][0], corner[q][1], corner[q][2]);
            const auto d = slopes(at);
            const Eigen::Matrix3d j = d.transpose() * x;
            p.volume = j.determinant();
            const Eigen::Matrix3d to_axes = j.inverse();
            p.strain.setZero(), p.inner.setZero();
            for (Eigen::Index i = 0; i < 8; ++i) {
                p.shape[i] = (1 + corner[ix(i)][0] * at.x()) * (1 + corner[ix(i)][1] * at.y()) * (1 + corner[ix(i)][2] * at.z()) / 8;
                put_strains(p.strain, 3 * i, to_axes * d.row(i).transpose());
            }
            for (Eigen::Index i = 0; i < 3; ++i) put_strains(p.inner, 3 * i, volume0 / p.volume * to_axes0.col(i) * (-2 * at[i]));
        }
        condense();
    }

    [[nodiscard]] Matrix24 stiffness() const {
        Matrix24 k = Matrix24::Zero();
        for (const SolidPoint& p : point) k.noalias() += p.strain.transpose() * (p.volume * law_.stress * p.strain);
        k.noalias() += coupling_ * follows_;
        return k;
    }

    [[nodiscard]] SolidHeld state(const Vector24& u, double kelvin) const {
        SolidHeld out;
        out.forces.setZero();
        Eigen::Matrix<double, 6, 1> warm = Eigen::Matrix<double, 6, 1>::Zero();
        warm.head<3>().setConstant(kelvin * law_.warming);
        // What is within follows the warmth too.
        Eigen::Matrix<double, 9, 1> pushed = Eigen::Matrix<double, 9, 1>::Zero();
        for (const SolidPoint& p : point) pushed += p.volume * (p.inner.transpose() * (law_.stress * warm));
        const Eigen::Matrix<double, 9, 1> inner = follows_ * u + inverse_ * pushed;
        std::array<Eigen::Matrix<double, 6, 1>, 8> stress;
        for (std::size_t q = 0; q < 8; ++q) {
            const SolidPoint& p = point[q];
            const Eigen::Matrix<double, 6, 1> e = p.strain * u + p.inner * inner - warm;
            stress[q] = law_.stress * e;
            out.state.energy += 0.5 * p.volume * e.dot(stress[q]);
            out.forces += p.volume * (p.strain.transpose() * stress[q]);
        }
        // The trilinear field through the points, at the corners.
        for (std::size_t c = 0; c < 8; ++c) {
            Eigen::Matrix<double, 6, 1> at = Eigen::Matrix<double, 6, 1>::Zero();
            for (std::size_t q = 0; q < 8; ++q) {
                double w = 1;
                for (std::size_t k = 0; k < 3; ++k) w *= 0.5 * (1 + corner[c][k] * corner[q][k] / gauss);
                at += w * stress[q];
            }
            for (std::size_t k = 0; k < 6; ++k) out.state.corner[c][k] = at[static_cast<Eigen::Index>(k)];
        }
        return out;
    }

    std::array<SolidPoint, 8> point;

private:
    void condense() {
        coupling_.setZero();
        Eigen::Matrix<double, 9, 9> k = Eigen::Matrix<double, 9, 9>::Zero();
        for (const SolidPoint& p : point) {
            const Eigen::Matrix<double, 6, 9> db = p.volume * law_.stress * p.inner;
            coupling_.noalias() += p.strain.transpose() * db, k.noalias() += p.inner.transpose() * db;
        }
        inverse_ = k.inverse();
        follows_.noalias() = -inverse_ * coupling_.transpose();
    }
    const SolidLaw& law_;
    Eigen::Matrix<double, 24, 9> coupling_;
    Eigen::Matrix<double, 9, 9> inverse_;
    Eigen::Matrix<double, 9, 24> follows_;
};

}  // namespace

SolidLaw solid_law(const Material& m) {
    if (m.young2 > 0)
        throw Error(ErrorKind::stage, "the material \"" + m.name + "\" is given along two directions of a sheet; solids need one in all directions");
    SolidLaw law;
    const double lambda = m.young * m.poisson / ((1 + m.poisson) * (1 - 2 * m.poisson)), g = m.young / (2 * (1 + m.poisson));
    law.stress.topLeftCorner<3, 3>().setConstant(lambda);
    for (Eigen::Index k = 0; k < 3; ++k) law.stress(k, k) += 2 * g, law.stress(k + 3, k + 3) = g;
    law.warming = m.expansion;
    return law;
}

Matrix24 solid_stiffness(const std::array<Vec3, 8>& nodes, const SolidLaw& law) {
    return SolidReading(nodes, law).stiffness();
}

Matrix24 solid_mass(const std::array<Vec3, 8>& nodes, double density, bool lumped) {
    Material any;
    any.young = 1;
    const SolidLaw law = solid_law(any);
    const SolidReading reading(nodes, law);
    Matrix24 m = Matrix24::Zero();
    for (const SolidPoint& p : reading.point)
        for (Eigen::Index i = 0; i < 8; ++i)
            for (Eigen::Index j = 0; j < 8; ++j)
                m.block<3, 3>(3 * i, 3 * (lumped ? i : j)) += density * p.volume * p.shape[i] * p.shape[j] * Eigen::Matrix3d::Identity();
    return m;
}

SolidHeld solid_state(const std::array<Vec3, 8>& nodes, const SolidLaw& law, const Vector24& movement, double kelvin) {
    return SolidReading(nodes, law).state(movement, kelvin);
}

Eigen::MatrixXd solid_stiffness(const std::array<Vec3, 8>& corners, const Material& material) {
    return solid_stiffness(corners, solid_law(material));
}

}  // namespace halvo
