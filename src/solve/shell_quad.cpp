// Four-node shell. Transverse shear by tying points (Dvorkin and Bathe 1984); membrane strains of warped shapes assumed as in Ko, Lee and Bathe
// (Computers and Structures 182, 2017); bending in the plane by four enhanced strains (Simo and Rifai 1990); drilling by a consistent penalty
// (Hughes and Brezzi 1989). Normals at the nodes are those of the shell, which elements of a smooth surface share.
#include "solve/shell_points.hpp"

#include <cmath>

namespace halvo {
namespace {

constexpr std::array<double, 4> corner_r{-1, 1, 1, -1}, corner_s{-1, -1, 1, 1};
constexpr double gauss_point = 0.57735026918962576;  // of two in each direction: one over the root of 3

struct QuadBase {
    Eigen::Vector4d n, nr, ns;
    Vec3 yr, ys;  // base vectors of the middle surface
};

class Quad {
public:
    explicit Quad(const ShellShape& shape) {
        for (std::size_t i = 0; i < 4; ++i) {
            const QuadBase b = base(shape.nodes, corner_r[i], corner_s[i]);
            const Vec3 c = b.yr.cross(b.ys);
            if (!shape.normals[i].isZero(0)) normal_[i] = shape.normals[i];
            else normal_[i] = c.norm() > 0 ? c.normalized() : Vec3::UnitZ();
        }
        for (std::size_t i = 0; i < 4; ++i) y_[i] = shape.nodes[i] + shape.offset * normal_[i];
    }
    // Strains that are assumed, from those at their tying points: before any strain is asked for.
    void tie() {
        const QuadBase a = at(0, 1), b = at(0, -1), c = at(1, 0), d = at(-1, 0), e = at(0, 0);
        err_a_ = 0.5 * stretch(a.nr, a.yr, a.nr, a.yr), err_b_ = 0.5 * stretch(b.nr, b.yr, b.nr, b.yr);
        ess_c_ = 0.5 * stretch(c.ns, c.ys, c.ns, c.ys), ess_d_ = 0.5 * stretch(d.ns, d.ys, d.ns, d.ys);
        ers_ = stretch(e.nr, e.yr, e.ns, e.ys);
        rz_a_ = across(a, a.nr, a.yr), rz_b_ = across(b, b.nr, b.yr), sz_c_ = across(c, c.ns, c.ys), sz_d_ = across(d, d.ns, d.ys);
        const Vec3 xd = 0.25 * (y_[0] - y_[1] + y_[2] - y_[3]), n = e.yr.cross(e.ys);
        const double nn = n.squaredNorm(), cr = xd.dot(e.ys.cross(n)) / nn, cs = xd.dot(n.cross(e.yr)) / nn, q = cr * cr + cs * cs - 1;
        aa_ = cr * (cr - 1) / (2 * q), ab_ = cr * (cr + 1) / (2 * q), ac_ = cs * (cs - 1) / (2 * q), ad_ = cs * (cs + 1) / (2 * q), ae_ = 2 * cr * cs / q;
    }
    [[nodiscard]] const Vec3& normal(std::size_t i) const { return normal_[i]; }
    [[nodiscard]] QuadBase at(double r, double s) const { return base(y_, r, s); }

    // Along the base vectors: strains rr, ss and shear rs of the middle surface.
    [[nodiscard]] Eigen::Matrix<double, 3, 24> membrane(double r, double s) const {
        Eigen::Matrix<double, 3, 24> e;
        e.row(0) = 0.5 * (1 - 2 * aa_ + s + 2 * aa_ * s * s) * err_a_ + 0.5 * (1 - 2 * ab_ - s + 2 * ab_ * s * s) * err_b_ +
                   (s * s - 1) * (ac_ * ess_c_ + ad_ * ess_d_ + 0.5 * ae_ * ers_);
        e.row(1) = (r * r - 1) * (aa_ * err_a_ + ab_ * err_b_ + 0.5 * ae_ * ers_) + 0.5 * (1 - 2 * ac_ + r + 2 * ac_ * r * r) * ess_c_ +
                   0.5 * (1 - 2 * ad_ - r + 2 * ad_ * r * r) * ess_d_;
        e.row(2) = 0.5 * ((r + 4 * aa_ * r * s) * err_a_ + (4 * ab_ * r * s - r) * err_b_ + (s + 4 * ac_ * r * s) * ess_c_ + (4 * ad_ * r * s - s) * ess_d_) +
                   (1 + ae_ * r * s) * ers_;
        return e;
    }

    // Curvatures: change of strain along the normal.
    [[nodiscard]] Eigen::Matrix<double, 3, 24> bending(const QuadBase& b) const {
        Eigen::Matrix<double, 3, 24> k;
        Vec3 vr = Vec3::Zero(), vs = Vec3::Zero();
        for (std::size_t i = 0; i < 4; ++i) vr += b.nr[ii(i)] * normal_[i], vs += b.ns[ii(i)] * normal_[i];
        for (std::size_t i = 0; i < 4; ++i) {
            const Eigen::Index u = ii(i) * 6, t = u + 3;
            const double nr = b.nr[ii(i)], ns = b.ns[ii(i)];
            const Vec3 cr = normal_[i].cross(b.yr), cs = normal_[i].cross(b.ys);  // base vector . (rotation x normal)
            k.block<1, 3>(0, u) = nr * vr.transpose(), k.block<1, 3>(0, t) = nr * cr.transpose();
            k.block<1, 3>(1, u) = ns * vs.transpose(), k.block<1, 3>(1, t) = ns * cs.transpose();
            k.block<1, 3>(2, u) = (ns * vr + nr * vs).transpose(), k.block<1, 3>(2, t) = (ns * cr + nr * cs).transpose();
        }
        return k;
    }

    // Shear across, tied at the middles of the sides.
    [[nodiscard]] Eigen::Matrix<double, 2, 24> shear(double r, double s) const {
        Eigen::Matrix<double, 2, 24> g;
        g.row(0) = 0.5 * (1 + s) * rz_a_ + 0.5 * (1 - s) * rz_b_;
        g.row(1) = 0.5 * (1 + r) * sz_c_ + 0.5 * (1 - r) * sz_d_;
        return g;
    }

private:
    static Eigen::Index ii(std::size_t i) { return static_cast<Eigen::Index>(i); }
    static QuadBase base(const std::array<Vec3, 4>& y, double r, double s) {
        QuadBase b;
        b.yr = b.ys = Vec3::Zero();
        for (std::size_t i = 0; i < 4; ++i) {
            b.n[ii(i)] = 0.25 * (1 + corner_r[i] * r) * (1 + corner_s[i] * s);
            b.nr[ii(i)] = 0.25 * corner_r[i] * (1 + corner_s[i] * s), b.ns[ii(i)] = 0.25 * corner_s[i] * (1 + corner_r[i] * r);
            b.yr += b.nr[ii(i)] * y[i], b.ys += b.ns[ii(i)] * y[i];
        }
        return b;
    }
    [[nodiscard]] static Row24 stretch(const Eigen::Vector4d& n1, const Vec3& y1, const Eigen::Vector4d& n2, const Vec3& y2) {
        Row24 row = Row24::Zero();
        for (Eigen::Index i = 0; i < 4; ++i) row.segment<3>(6 * i) = (n1[i] * y2 + n2[i] * y1).transpose();
        return row;
    }
    // y1 . (rotation x normal) + normal . u,1
    [[nodiscard]] Row24 across(const QuadBase& b, const Eigen::Vector4d& n1, const Vec3& y1) const {
        Vec3 v = Vec3::Zero();
        for (std::size_t i = 0; i < 4; ++i) v += b.n[ii(i)] * normal_[i];
        Row24 row;
        for (std::size_t i = 0; i < 4; ++i) {
            row.segment<3>(6 * ii(i)) = n1[ii(i)] * v.transpose();
            row.segment<3>(6 * ii(i) + 3) = b.n[ii(i)] * normal_[i].cross(y1).transpose();
        }
        return row;
    }

    std::array<Vec3, 4> y_{}, normal_{};
    Row24 err_a_, err_b_, ess_c_, ess_d_, ers_, rz_a_, rz_b_, sz_c_, sz_d_;
    double aa_ = 0, ab_ = 0, ac_ = 0, ad_ = 0, ae_ = 0;
};

// Components of the dual base along the two axes in the plane.
Eigen::Matrix2d dual_base(const QuadBase& b, const Eigen::Matrix3d& axes) {
    Eigen::Matrix2d covariant;  // base vectors along the axes
    covariant << b.yr.dot(axes.col(0)), b.yr.dot(axes.col(1)), b.ys.dot(axes.col(0)), b.ys.dot(axes.col(1));
    return covariant.inverse();  // rows: axes; columns: r, s
}

}  // namespace

ShellPlaces quad_places(const ShellShape& shape) {
    const Quad quad(shape);
    ShellPlaces out;
    out.count = 4;
    for (std::size_t i = 0; i < 4; ++i) out.arm[i] = shape.offset * quad.normal(i);
    for (std::size_t k = 0; k < 4; ++k) {
        const QuadBase b = quad.at(corner_r[k] * gauss_point, corner_s[k] * gauss_point);
        const Vec3 n = b.yr.cross(b.ys);
        out.place[k].area = n.norm(), out.place[k].shape = b.n, out.place[k].normal = n / out.place[k].area;
    }
    return out;
}

ShellPoints quad_points(const ShellShape& shape, const Vec3& direction) {
    Quad quad(shape);
    quad.tie();
    ShellPoints out;
    out.count = 4, out.inner = 4;
    for (std::size_t i = 0; i < 4; ++i) out.arm[i] = shape.offset * quad.normal(i);
    const QuadBase centre = quad.at(0, 0);
    const Vec3 n0 = centre.yr.cross(centre.ys);
    const double j0 = n0.norm();
    const Eigen::Matrix3d axes0 = axes_along(n0 / j0, direction);
    const Eigen::Matrix3d turn0 = plane_strains(dual_base(centre, axes0));
    for (std::size_t k = 0; k < 4; ++k) {
        ShellPoint& p = out.point[k];
        const double r = corner_r[k] * gauss_point, s = corner_s[k] * gauss_point;
        const QuadBase b = quad.at(r, s);
        const Vec3 n = b.yr.cross(b.ys);
        p.area = n.norm(), p.shape = b.n;
        p.axes = axes_along(n / p.area, direction);
        const Eigen::Matrix2d dual = dual_base(b, p.axes);
        const Eigen::Matrix3d turn = plane_strains(dual);
        p.strain.topRows<3>() = turn * quad.membrane(r, s);
        p.strain.middleRows<3>(3) = turn * quad.bending(b);
        p.strain.bottomRows<2>() = dual * quad.shear(r, s);
        Eigen::Matrix<double, 3, 4> modes = Eigen::Matrix<double, 3, 4>::Zero();
        modes(0, 0) = r, modes(1, 1) = s, modes(2, 2) = r, modes(2, 3) = s;
        p.inner.topRows<3>() = j0 / p.area * turn0 * modes;
        for (Eigen::Index i = 0; i < 4; ++i) {
            const Eigen::Vector2d grad = dual * Eigen::Vector2d(b.nr[i], b.ns[i]);
            p.drilling.segment<3>(6 * i) = -0.5 * (grad.x() * p.axes.col(1) - grad.y() * p.axes.col(0)).transpose();
            p.drilling.segment<3>(6 * i + 3) = b.n[i] * p.axes.col(2).transpose();
        }
    }
    return out;
}

}  // namespace halvo
