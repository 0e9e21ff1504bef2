#include "mesh/ties.hpp"

#include "core/index.hpp"
#include "geom/box_tree.hpp"

#include <Eigen/LU>

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <set>

namespace halvo {
namespace {

constexpr double outside = 0.02;  // of an element, by which a node may lie past its border

struct Foot {
    std::array<double, 4> weights{};
    Vec3 point = Vec3::Zero();
    double past = 0;  // how far outside the element, in its own parameters
};

// s of least |d s - r|; none along a direction in which nothing changes.
Vec2 least_step(const Eigen::Matrix<double, 3, 2>& d, const Vec3& r) {
    const Eigen::Matrix2d normal = d.transpose() * d;
    const Vec2 right = d.transpose() * r;
    const double det = normal.determinant(), size = normal.trace();
    constexpr double flat = 1e-14;  // of the square of the trace: both columns point the same way
    if (det > flat * size * size) return normal.inverse() * right;
    return size > 0 ? Vec2(right / size) : Vec2(0, 0);
}

// Foot of a point on a triangle (barycentric) or a bilinear quad (Gauss-Newton), clamped to the element.
Foot foot_on(const std::vector<Vec3>& x, const Vec3& p) {
    Foot out;
    if (x.size() == 3) {
        Eigen::Matrix<double, 3, 2> d;
        d.col(0) = x[1] - x[0], d.col(1) = x[2] - x[0];
        const Vec2 s = least_step(d, p - x[0]);
        std::array<double, 3> w{1 - s.x() - s.y(), s.x(), s.y()};
        out.past = std::max({0.0, -w[0], -w[1], -w[2]});
        double sum = 0;
        for (double& k : w) k = std::max(k, 0.0), sum += k;
        for (std::size_t i = 0; i < 3; ++i) out.weights[i] = w[i] / sum;
    } else {
        Vec2 s(0.5, 0.5);
        const auto weights = [](const Vec2& q) {
            return std::array<double, 4>{(1 - q.x()) * (1 - q.y()), q.x() * (1 - q.y()), q.x() * q.y(), (1 - q.x()) * q.y()};
        };
        for (int i = 0; i < 30; ++i) {
            const auto w = weights(s);
            Vec3 at = Vec3::Zero();
            for (std::size_t k = 0; k < 4; ++k) at += w[k] * x[k];
            Eigen::Matrix<double, 3, 2> d;
            d.col(0) = (1 - s.y()) * (x[1] - x[0]) + s.y() * (x[2] - x[3]);
            d.col(1) = (1 - s.x()) * (x[3] - x[0]) + s.x() * (x[2] - x[1]);
            const Vec2 step = least_step(d, p - at);
            s += step;
            if (!(s.norm() < 10)) break;
            if (step.norm() < 1e-13) break;
        }
        out.past = std::max({0.0, -s.x(), -s.y(), s.x() - 1, s.y() - 1});
        out.weights = weights(s.cwiseMax(0).cwiseMin(1));
        if (!(s.norm() < 10)) out.past = 1;
    }
    for (std::size_t i = 0; i < x.size(); ++i) out.point += out.weights[i] * x[i];
    return out;
}

}  // namespace

// Shell elements of one sheet, with a tree over their boxes.
struct SheetElements {
    std::vector<int> elements;
    std::vector<Box3> boxes;
    std::set<int> nodes;
    std::optional<BoxTree> tree;
};

std::map<SheetId, SheetElements> elements_of_tied_sheets(const Model& model, const Mesh& mesh) {
    std::map<SheetId, SheetElements> out;
    for (const Tie& t : model.ties) out[t.onto];
    for (std::size_t e = 0; e < mesh.elements.size() && !out.empty(); ++e) {
        const Element& k = mesh.elements[e];
        const auto it = k.kind == ElementKind::shell ? out.find(k.sheet) : out.end();
        if (it == out.end()) continue;
        it->second.elements.push_back(static_cast<int>(e));
        Box3& box = it->second.boxes.emplace_back();
        for (std::size_t i = 0; i < k.count; ++i) box.extend(mesh.nodes[ix(k.nodes[i])]), it->second.nodes.insert(k.nodes[i]);
    }
    for (auto& [sheet, s] : out) s.tree.emplace(s.boxes);
    return out;
}

std::vector<TiedNode> tied_nodes(const Model& model, const Mesh& mesh, const std::vector<std::vector<int>>& on_edge) {
    const auto sheets = elements_of_tied_sheets(model, mesh);
    std::vector<TiedNode> out;
    for (const Tie& t : model.ties) {
        const SheetElements& onto = sheets.at(t.onto);
        if (onto.elements.empty()) continue;
        std::set<int> nodes;
        for (EdgeId e : t.edges) nodes.insert(on_edge[e.index()].begin(), on_edge[e.index()].end());
        for (int n : nodes) {
            if (onto.nodes.count(n)) continue;
            const Vec3& p = mesh.nodes[ix(n)];
            const Vec3 foot = model.sheets[t.onto.index()].chart.foot(p);
            Box3 near(foot, foot);
            const double beside = 0.5 * model.sheets[t.onto.index()].thickness.max;  // a rim may lie past the other's border by that
            const double slack = std::max(0.05 * onto.boxes[0].diagonal().norm(), beside);
            near.min().array() -= slack, near.max().array() += slack;
            TiedNode best{n, -1, {}, Vec3::Zero()};
            double least = std::numeric_limits<double>::max();
            for (int i : onto.tree->touching(near)) {
                const Element& k = mesh.elements[ix(onto.elements[ix(i)])];
                std::vector<Vec3> x;
                for (std::size_t j = 0; j < k.count; ++j) x.push_back(mesh.nodes[ix(k.nodes[j])]);
                const Foot f = foot_on(x, foot);
                const double off = (foot - f.point).norm(), rank = f.past <= outside ? f.past : outside + off;
                if ((f.past > outside && off > beside) || rank >= least) continue;
                least = rank;
                best = {n, onto.elements[ix(i)], f.weights, p - f.point};
            }
            if (best.element >= 0) out.push_back(best);
        }
    }
    return out;
}

}  // namespace halvo
