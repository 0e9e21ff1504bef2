// Cross-section values: contour integrals for area moments, finite elements for Saint-Venant torsion.
#include "geom/gauss.hpp"
#include "geom/sparse.hpp"
#include "geom/triangulation.hpp"
#include "model/shapes.hpp"

#include <halvo/halve.hpp>

#include <algorithm>
#include <cmath>
#include <map>

namespace halvo {
namespace {

struct AreaMoments {
    double a = 0, y = 0, z = 0, yy = 0, zz = 0, yz = 0;  // integrals of 1, y, z, y2, z2, yz
};

// Green: integral of f dA = contour integral of (antiderivative in y) dz, material on the left.
AreaMoments moments(const std::vector<std::vector<Curve>>& loops) {
    AreaMoments m;
    for (const auto& loop : loops)
        for (const Curve& c : loop) {
            std::vector<double> cuts{c.t0};
            if (const auto* p = std::get_if<PolylineCurve>(&c.shape)) {
                cuts.assign(p->at.begin(), p->at.end());
            } else {
                const int n = c.is_line() ? 1 : std::max(1, static_cast<int>(std::ceil((c.t1 - c.t0) / 0.4)));
                for (int i = 1; i <= n; ++i) cuts.push_back(c.t0 + (c.t1 - c.t0) * i / n);
            }
            for (std::size_t i = 0; i + 1 < cuts.size(); ++i)
                for (std::size_t k = 0; k < gauss_at.size(); ++k) {
                    const double h = cuts[i + 1] - cuts[i], t = cuts[i] + h * gauss_at[k];
                    const Vec3 p = c.point(t);
                    const double dz = c.derivative(t).y() * h * gauss_weight[k];
                    const double y = p.x(), z = p.y();
                    m.a += y * dz;
                    m.y += y * y / 2 * dz;
                    m.z += y * z * dz;
                    m.yy += y * y * y / 3 * dz;
                    m.zz += y * z * z * dz;
                    m.yz += y * y * z / 2 * dz;
                }
        }
    return m;
}

double perimeter(const std::vector<std::vector<Curve>>& loops) {
    double p = 0;
    for (const auto& loop : loops)
        for (const Curve& c : loop) p += c.length();
    return p;
}

struct TorsionMesh {
    std::vector<Vec2> points;                  // corners, then edge middles
    std::vector<std::array<int, 6>> elements;  // six-node triangles
};

double element_size(double area, double outline) {
    const double wall = 2 * area / outline;
    double h = wall / 2;
    const double per_element = 0.43;
    const auto count = [&] { return area / (per_element * h * h); };
    if (count() < 800) h = std::sqrt(area / (per_element * 800));
    if (count() > 20000) h = std::sqrt(area / (per_element * 20000));
    return h;
}

TorsionMesh torsion_mesh(const std::vector<std::vector<Curve>>& loops, double h) {
    std::vector<Vec2> pts;
    std::vector<std::array<int, 2>> segments;
    std::vector<std::vector<Vec2>> polygons;
    for (const auto& loop : loops) {
        const int first = static_cast<int>(pts.size());
        std::vector<Vec2> polygon;
        for (const Curve& c : loop) {
            int n = std::max(1, static_cast<int>(std::ceil(c.length() / h)));
            if (!c.is_line()) n = std::max(n, static_cast<int>(std::ceil((c.t1 - c.t0) / 0.07)));
            for (int i = 0; i < n; ++i) {
                const Vec3 p = c.point(c.parameter_at(static_cast<double>(i) / n));
                polygon.emplace_back(p.x(), p.y());
            }
        }
        for (const Vec2& p : polygon) pts.push_back(p);
        for (int i = first; i < static_cast<int>(pts.size()); ++i) segments.push_back({i, i + 1 < static_cast<int>(pts.size()) ? i + 1 : first});
        polygons.push_back(std::move(polygon));
    }
    Box2 box;
    for (const Vec2& p : pts) box.extend(p);
    // Interior points on a triangular lattice, kept off the outline by a bucket grid of outline samples.
    std::map<std::pair<int, int>, std::vector<Vec2>> grid;
    const auto cell = [&](const Vec2& p) { return std::pair(static_cast<int>(std::floor(p.x() / h)), static_cast<int>(std::floor(p.y() / h))); };
    for (const auto& s : segments) {
        const Vec2 &a = pts[static_cast<std::size_t>(s[0])], &b = pts[static_cast<std::size_t>(s[1])];
        for (int i = 0; i < 4; ++i) grid[cell(a + (b - a) * i / 4)].push_back(a + (b - a) * i / 4);
    }
    const auto clear = [&](const Vec2& p) {
        const auto [cx, cy] = cell(p);
        for (int i = -1; i <= 1; ++i)
            for (int j = -1; j <= 1; ++j)
                if (const auto it = grid.find({cx + i, cy + j}); it != grid.end())
                    for (const Vec2& q : it->second)
                        if ((p - q).norm() < 0.55 * h) return false;
        return true;
    };
    int row = 0;
    for (double y = box.min().y() + 0.5 * h; y < box.max().y(); y += 0.8660254 * h, ++row)
        for (double x = box.min().x() + (row % 2 ? 0.25 : 0.75) * h; x < box.max().x(); x += h)
            if (const Vec2 p(x, y); clear(p) && inside(polygons, p)) pts.push_back(p);
    TorsionMesh m;
    m.points = pts;
    std::map<std::pair<int, int>, int> middles;
    for (const Triangle& t : triangulate(pts, segments)) {
        std::array<int, 6> e{t.v[0], t.v[1], t.v[2], 0, 0, 0};
        for (std::size_t k = 0; k < 3; ++k) {
            const int a = t.v[k], b = t.v[(k + 1) % 3];
            const auto [it, fresh] = middles.try_emplace(std::minmax(a, b), static_cast<int>(m.points.size()));
            if (fresh) m.points.push_back(0.5 * (m.points[static_cast<std::size_t>(a)] + m.points[static_cast<std::size_t>(b)]));
            e[3 + k] = it->second;
        }
        m.elements.push_back(e);
    }
    return m;
}

struct Torsion {
    double j = 0, warping = 0, radius = 0;
    Vec2 shear_centre = Vec2::Zero();
    Eigen::Matrix2d shear_share = Eigen::Matrix2d::Zero();
};

// Warping function w: laplace(w) = 0, dw/dn = z ny - y nz; J = Iy + Iz - w.K.w. Shear of bending as the gradient of p: laplace(p) = - growth of
// normal stress along the member, dp/dn = 0 (Gruttmann and Wagner, Computational Mechanics 27, 2001, without lateral contraction).
Torsion solve_torsion(const TorsionMesh& mesh) {
    static constexpr double tri[6][3] = {{0.816847572980459, 0.091576213509771, 0.109951743655322}, {0.091576213509771, 0.816847572980459, 0.109951743655322},
                                         {0.091576213509771, 0.091576213509771, 0.109951743655322}, {0.108103018168070, 0.445948490915965, 0.223381589678011},
                                         {0.445948490915965, 0.108103018168070, 0.223381589678011}, {0.445948490915965, 0.445948490915965, 0.223381589678011}};
    const auto n = static_cast<Eigen::Index>(mesh.points.size());
    std::vector<SparseTerm> k;
    Eigen::VectorXd f = Eigen::VectorXd::Zero(n);
    struct Point {
        std::array<double, 6> shape;
        double weight;
        Vec2 at;
        Eigen::Matrix<double, 2, 6> grad;
    };
    std::vector<std::vector<Point>> points;
    double area = 0, yy = 0, zz = 0, yz = 0;
    for (const auto& e : mesh.elements) {
        const Vec2 &a = mesh.points[static_cast<std::size_t>(e[0])], &b = mesh.points[static_cast<std::size_t>(e[1])],
                   &c = mesh.points[static_cast<std::size_t>(e[2])];
        const double d = (b - a).x() * (c - a).y() - (c - a).x() * (b - a).y();
        const Vec2 g[3] = {Vec2(b.y() - c.y(), c.x() - b.x()) / d, Vec2(c.y() - a.y(), a.x() - c.x()) / d, Vec2(a.y() - b.y(), b.x() - a.x()) / d};
        Eigen::Matrix<double, 6, 6> ke = Eigen::Matrix<double, 6, 6>::Zero();
        Eigen::Matrix<double, 6, 1> fe = Eigen::Matrix<double, 6, 1>::Zero();
        auto& list = points.emplace_back();
        for (const auto& q : tri) {
            const double l[3] = {q[0], q[1], 1 - q[0] - q[1]};
            const double w = 0.5 * d * q[2];
            Point p;
            Eigen::Matrix<double, 2, 6> grad;
            for (int i = 0; i < 3; ++i) {
                const int j = (i + 1) % 3;
                p.shape[static_cast<std::size_t>(i)] = l[i] * (2 * l[i] - 1);
                p.shape[3 + static_cast<std::size_t>(i)] = 4 * l[i] * l[j];
                grad.col(i) = (4 * l[i] - 1) * g[i];
                grad.col(3 + i) = 4 * (l[i] * g[j] + l[j] * g[i]);
            }
            p.weight = w;
            p.at = l[0] * a + l[1] * b + l[2] * c;
            ke += w * grad.transpose() * grad;
            p.grad = grad;
            fe += w * grad.transpose() * Vec2(p.at.y(), -p.at.x());
            area += w, yy += w * p.at.x() * p.at.x(), zz += w * p.at.y() * p.at.y(), yz += w * p.at.x() * p.at.y();
            list.push_back(p);
        }
        for (int i = 0; i < 6; ++i) {
            f[e[static_cast<std::size_t>(i)]] += fe[i];
            for (int j = 0; j < 6; ++j) k.emplace_back(e[static_cast<std::size_t>(i)], e[static_cast<std::size_t>(j)], ke(i, j));
        }
    }
    // The warping function is free by a constant: one value is held.
    k.emplace_back(0, 0, 1.0);
    const double det = zz * yy - yz * yz;
    Eigen::MatrixXd right = Eigen::MatrixXd::Zero(n, 3);
    right.col(0) = f;
    if (det > 0)
        for (std::size_t i = 0; i < mesh.elements.size(); ++i)
            for (const Point& p : points[i])
                for (std::size_t s = 0; s < 6; ++s) {
                    const double share = p.weight * p.shape[s] / det;
                    right(mesh.elements[i][s], 1) += share * (zz * p.at.x() - yz * p.at.y());
                    right(mesh.elements[i][s], 2) += share * (yy * p.at.y() - yz * p.at.x());
                }
    const Eigen::MatrixXd solved = SparseSymmetric(n, k).solve(right);
    const Eigen::VectorXd w = solved.col(0);
    Torsion t;
    double wy = 0, wz = 0, w0 = 0, ww = 0;
    for (std::size_t i = 0; i < mesh.elements.size(); ++i)
        for (const Point& p : points[i]) {
            double v = 0;
            Vec2 slope = Vec2::Zero();
            for (std::size_t s = 0; s < 6; ++s)
                v += p.shape[s] * w[mesh.elements[i][s]], slope += w[mesh.elements[i][s]] * p.grad.col(static_cast<Eigen::Index>(s));
            t.radius = std::max(t.radius, (slope - Vec2(p.at.y(), -p.at.x())).norm());
            w0 += p.weight * v, wy += p.weight * v * p.at.x(), wz += p.weight * v * p.at.y(), ww += p.weight * v * v;
        }
    t.j = yy + zz - f.dot(w);
    t.shear_share = area * right.rightCols(2).transpose() * solved.rightCols(2);
    t.shear_share = (0.5 * (t.shear_share + t.shear_share.transpose())).eval();
    if (det > 0) t.shear_centre = Vec2(yz * wy - yy * wz, zz * wy - yz * wz) / det;
    t.warping = std::max(0.0, ww - w0 * w0 / area - t.shear_centre.y() * wy + t.shear_centre.x() * wz);
    return t;
}

}  // namespace

void fill_area_values(Section& s) {
    AreaMoments m = moments(s.profile);
    const Eigen::Isometry3d back(Eigen::Translation3d(-m.y / m.a, -m.z / m.a, 0));
    for (auto& loop : s.profile)
        for (Curve& c : loop) c = c.moved(back);
    m = moments(s.profile);
    s.area = m.a;
    s.iyy = m.zz, s.izz = m.yy, s.iyz = m.yz;
    const double mean = 0.5 * (s.iyy + s.izz), half = 0.5 * (s.iyy - s.izz);
    const double radius = std::hypot(half, s.iyz);
    s.i1 = mean + radius, s.i2 = mean - radius;
    s.principal_angle = radius > 1e-9 * mean ? 0.5 * std::atan2(-s.iyz, half) : 0;
    Box2 box;
    for (const auto& loop : s.profile)
        for (const Curve& c : loop)
            for (const Vec3& p : c.sampled(1e-3, 16)) box.extend(Vec2(p.x(), p.y()));
    s.depth = box.sizes().maxCoeff();
}

Section section_of_profile(std::vector<std::vector<Curve>> loops) {
    Section s;
    s.profile = std::move(loops);
    fill_area_values(s);
    name_shape(s);
    const Torsion t = solve_torsion(torsion_mesh(s.profile, element_size(s.area, perimeter(s.profile))));
    s.j = t.j, s.warping = t.warping, s.shear_centre = t.shear_centre, s.shear_share = t.shear_share, s.torsion_radius = t.radius;
    return s;
}

}  // namespace halvo
