// Three-node shell: bending with a bubble of rotation and the assumed shear of Lee, Lee and Bathe (Computers and Structures 138, 2014), after
// Lee and Bathe (2004); constant membrane strain, so that its sides move as those of four-node shells do; drilling as there.
#include "solve/shell_points.hpp"

namespace halvo {
namespace {

// Six points, exact to the fourth degree (Dunavant 1985): r, s, weight (half the sum is the triangle's area).
constexpr std::array<std::array<double, 3>, 6> rule{{{0.091576213509771, 0.091576213509771, 0.054975871827661},
                                                     {0.816847572980459, 0.091576213509771, 0.054975871827661},
                                                     {0.091576213509771, 0.816847572980459, 0.054975871827661},
                                                     {0.445948490915965, 0.445948490915965, 0.111690794839005},
                                                     {0.108103018168070, 0.445948490915965, 0.111690794839005},
                                                     {0.445948490915965, 0.108103018168070, 0.111690794839005}}};

constexpr double off_centre = 1e-4;  // where shear is tied near the centre, as the paper has it

struct Across {  // shear along both sides from the first corner, over the nodes' movements and over the bubble's two rotations
    Row24 r = Row24::Zero(), s = Row24::Zero();
    Eigen::RowVector2d inner_r = Eigen::RowVector2d::Zero(), inner_s = Eigen::RowVector2d::Zero();
    Across operator+(const Across& o) const { return {r + o.r, s + o.s, inner_r + o.inner_r, inner_s + o.inner_s}; }
};

struct Tria {
    Vec3 yr, ys, n;
    std::array<Vec3, 3> normal;  // of the shell at the nodes
    Eigen::Matrix3d axes;
    Eigen::Matrix2d dual;
    static Eigen::Vector3d shape(double r, double s) { return {1 - r - s, r, s}; }
    static double bubble(double r, double s) { return 27 * r * s * (1 - r - s); }

    // Rotation (about the axes) x normal along a base vector.
    [[nodiscard]] Eigen::RowVector2d turned(const Vec3& y) const {
        const Vec3 c = n.cross(y);
        return {c.dot(axes.col(0)), c.dot(axes.col(1))};
    }
    [[nodiscard]] Across across(double r, double s) const {
        Across a;
        const Eigen::Vector3d h = shape(r, s);
        const Eigen::Vector3d hr(-1, 1, 0), hs(-1, 0, 1);
        const Vec3 v = h[0] * normal[0] + h[1] * normal[1] + h[2] * normal[2];
        for (Eigen::Index i = 0; i < 3; ++i) {
            const Vec3& vi = normal[static_cast<std::size_t>(i)];
            a.r.segment<3>(6 * i) = hr[i] * v.transpose(), a.s.segment<3>(6 * i) = hs[i] * v.transpose();
            a.r.segment<3>(6 * i + 3) = h[i] * vi.cross(yr).transpose(), a.s.segment<3>(6 * i + 3) = h[i] * vi.cross(ys).transpose();
        }
        a.inner_r = bubble(r, s) * turned(yr), a.inner_s = bubble(r, s) * turned(ys);
        return a;
    }
};

// One shear strain with what multiplies the bubble beside it.
struct Tied {
    Row24 row;
    Eigen::RowVector2d inner;
    friend Tied operator*(double f, const Tied& t) { return {f * t.row, f * t.inner}; }
    Tied operator+(const Tied& o) const { return {row + o.row, inner + o.inner}; }
    Tied operator-(const Tied& o) const { return {row - o.row, inner - o.inner}; }
};
Tied along_r(const Across& a) {
    return {a.r, a.inner_r};
}
Tied along_s(const Across& a) {
    return {a.s, a.inner_s};
}

}  // namespace

ShellPlaces tria_places(const ShellShape& shape) {
    ShellPlaces out;
    out.count = 6;
    const Vec3 flat = (shape.nodes[1] - shape.nodes[0]).cross(shape.nodes[2] - shape.nodes[0]).normalized();
    for (std::size_t i = 0; i < 3; ++i) out.arm[i] = shape.offset * (shape.normals[i].isZero(0) ? flat : shape.normals[i]);
    const Vec3 n = (shape.nodes[1] + out.arm[1] - shape.nodes[0] - out.arm[0]).cross(shape.nodes[2] + out.arm[2] - shape.nodes[0] - out.arm[0]);
    for (std::size_t k = 0; k < 6; ++k) {
        out.place[k].shape.head<3>() = Tria::shape(rule[k][0], rule[k][1]);
        out.place[k].area = rule[k][2] * n.norm(), out.place[k].normal = n.normalized();
    }
    return out;
}

ShellPoints tria_points(const ShellShape& shape, const Vec3& direction) {
    ShellPoints out;
    out.count = 6, out.inner = 2;
    Tria t;
    const Vec3 flat = (shape.nodes[1] - shape.nodes[0]).cross(shape.nodes[2] - shape.nodes[0]).normalized();
    for (std::size_t i = 0; i < 3; ++i) {
        t.normal[i] = shape.normals[i].isZero(0) ? flat : shape.normals[i];
        out.arm[i] = shape.offset * t.normal[i];
    }
    t.yr = shape.nodes[1] + out.arm[1] - shape.nodes[0] - out.arm[0], t.ys = shape.nodes[2] + out.arm[2] - shape.nodes[0] - out.arm[0];
    const Vec3 n = t.yr.cross(t.ys);
    const double j = n.norm();
    t.n = n / j;
    t.axes = axes_along(t.n, direction);
    Eigen::Matrix2d covariant;
    covariant << t.yr.dot(t.axes.col(0)), t.yr.dot(t.axes.col(1)), t.ys.dot(t.axes.col(0)), t.ys.dot(t.axes.col(1));
    t.dual = covariant.inverse();
    const Eigen::Matrix3d turn = plane_strains(t.dual);
    const double d = off_centre, third = 1.0 / 3;
    const Across a = t.across(1.0 / 6, 2.0 / 3), b = t.across(2.0 / 3, 1.0 / 6), c = t.across(1.0 / 6, 1.0 / 6);
    const Across at_d = t.across(third + d, third - 2 * d), at_e = t.across(third - 2 * d, third + d), at_f = t.across(third + d, third + d);
    const Tied twist = along_r(at_f) - along_r(at_d) - along_s(at_f) + along_s(at_e);
    const Tied mean = third * (along_r(c) + along_s(c));
    const Tied base_r = 2 * third * (along_r(b) - 0.5 * along_s(b)) + mean, base_s = 2 * third * (along_s(a) - 0.5 * along_r(a)) + mean;
    const Eigen::Vector3d hr(-1, 1, 0), hs(-1, 0, 1);
    const Vec3 vr = t.normal[1] - t.normal[0], vs = t.normal[2] - t.normal[0];
    for (std::size_t k = 0; k < 6; ++k) {
        ShellPoint& p = out.point[k];
        const double r = rule[k][0], s = rule[k][1];
        p.area = rule[k][2] * j, p.axes = t.axes;
        p.shape.head<3>() = Tria::shape(r, s);
        Eigen::Matrix<double, 3, 24> membrane = Eigen::Matrix<double, 3, 24>::Zero(), bending = membrane;
        for (Eigen::Index i = 0; i < 3; ++i) {
            const Vec3 &vi = t.normal[static_cast<std::size_t>(i)], cr = vi.cross(t.yr), cs = vi.cross(t.ys);
            membrane.block<1, 3>(0, 6 * i) = hr[i] * t.yr.transpose(), membrane.block<1, 3>(1, 6 * i) = hs[i] * t.ys.transpose();
            membrane.block<1, 3>(2, 6 * i) = (hs[i] * t.yr + hr[i] * t.ys).transpose();
            bending.block<1, 3>(0, 6 * i) = hr[i] * vr.transpose(), bending.block<1, 3>(1, 6 * i) = hs[i] * vs.transpose();
            bending.block<1, 3>(2, 6 * i) = (hs[i] * vr + hr[i] * vs).transpose();
            bending.block<1, 3>(0, 6 * i + 3) = hr[i] * cr.transpose(), bending.block<1, 3>(1, 6 * i + 3) = hs[i] * cs.transpose();
            bending.block<1, 3>(2, 6 * i + 3) = (hs[i] * cr + hr[i] * cs).transpose();
            const Eigen::Vector2d grad = t.dual * Eigen::Vector2d(hr[i], hs[i]);
            p.drilling.segment<3>(6 * i) = -0.5 * (grad.x() * t.axes.col(1) - grad.y() * t.axes.col(0)).transpose();
            p.drilling.segment<3>(6 * i + 3) = p.shape[i] * t.n.transpose();
        }
        const double fr = 27 * s * (1 - 2 * r - s), fs = 27 * r * (1 - r - 2 * s);
        Eigen::Matrix<double, 3, 2> inner;
        inner.row(0) = fr * t.turned(t.yr), inner.row(1) = fs * t.turned(t.ys), inner.row(2) = fs * t.turned(t.yr) + fr * t.turned(t.ys);
        p.strain.topRows<3>() = turn * membrane;
        p.strain.middleRows<3>(3) = turn * bending;
        p.inner.block<3, 2>(3, 0) = turn * inner;
        const Tied rz = base_r + third * (3 * s - 1) * twist, sz = base_s + third * (1 - 3 * r) * twist;
        Eigen::Matrix<double, 2, 24> g;
        g << rz.row, sz.row;
        Eigen::Matrix2d gi;
        gi << rz.inner, sz.inner;
        p.strain.bottomRows<2>() = t.dual * g;
        p.inner.block<2, 2>(6, 0) = t.dual * gi;
    }
    return out;
}

}  // namespace halvo
