#include "geom/facet_tree.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

namespace halvo {
namespace {

constexpr int leaf_size = 4;        // triangles in a leaf
constexpr double farthest = 1e300;  // a ray without an end

// One over each component; where that is nothing, so much that 0 times it is still 0.
Vec3 inverse_of(const Vec3& d) {
    constexpr double most = 1e308;
    return d.unaryExpr([](double x) { return std::abs(x) < 1 / most ? std::copysign(most, x) : 1 / x; });
}

// Where the ray enters the box, if it does within `reach`; infinity otherwise. What runs along a face of the box touches it.
double entry(const Box3& b, const Vec3& o, const Vec3& inv, double reach) {
    constexpr double touching = 1e-12;
    double lo = 0, hi = reach;
    for (int k = 0; k < 3; ++k) {
        const double t0 = (b.min()[k] - o[k] - touching) * inv[k], t1 = (b.max()[k] - o[k] + touching) * inv[k];
        lo = std::max(lo, std::min(t0, t1)), hi = std::min(hi, std::max(t0, t1));
    }
    const double in = lo * (1 - 1e-15) - touching;
    return in <= hi * (1 + 1e-15) + touching ? in : std::numeric_limits<double>::infinity();
}

// Moeller & Trumbore, Fast, minimum storage ray/triangle intersection, 1997.
std::optional<double> ray_triangle(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& o, const Vec3& d) {
    const Vec3 e1 = b - a, e2 = c - a, h = d.cross(e2);
    const double det = e1.dot(h);
    if (std::abs(det) < 1e-300) return std::nullopt;
    const Vec3 s = o - a;
    const double u = s.dot(h) / det;
    if (u < -1e-12 || u > 1 + 1e-12) return std::nullopt;
    const Vec3 q = s.cross(e1);
    const double v = d.dot(q) / det;
    if (v < -1e-12 || u + v > 1 + 1e-12) return std::nullopt;
    return e2.dot(q) / det;
}

// Ericson, Real-Time Collision Detection, section 5.1.5.
Vec3 triangle_foot(const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& p) {
    const Vec3 ab = b - a, ac = c - a, ap = p - a;
    const double d1 = ab.dot(ap), d2 = ac.dot(ap);
    if (d1 <= 0 && d2 <= 0) return a;
    const Vec3 bp = p - b;
    const double d3 = ab.dot(bp), d4 = ac.dot(bp);
    if (d3 >= 0 && d4 <= d3) return b;
    const double vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return a + d1 / (d1 - d3) * ab;
    const Vec3 cp = p - c;
    const double d5 = ab.dot(cp), d6 = ac.dot(cp);
    if (d6 >= 0 && d5 <= d6) return c;
    const double vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return a + d2 / (d2 - d6) * ac;
    const double va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) return b + (d4 - d3) / ((d4 - d3) + (d5 - d6)) * (c - b);
    const double den = 1 / (va + vb + vc);
    return a + ab * (vb * den) + ac * (vc * den);
}

}  // namespace

FacetTree::FacetTree(const std::vector<Vec3>& points, const std::vector<std::array<int, 3>>& corners) {
    std::vector<Vec3> centres;
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const auto& k = corners[i];
        const auto at = [&](int c) -> const Vec3& { return points[static_cast<std::size_t>(c)]; };
        source_.push_back({at(k[0]), at(k[1]), at(k[2]), static_cast<int>(i)});
        centres.push_back((at(k[0]) + at(k[1]) + at(k[2])) / 3);
    }
    std::vector<int> order(corners.size());
    std::iota(order.begin(), order.end(), 0);
    if (!order.empty()) build(order, centres, 0, static_cast<int>(order.size()));
    for (int i : order) triangles_.push_back(source_[static_cast<std::size_t>(i)]);
    source_.clear();
    source_.shrink_to_fit();
}

int FacetTree::build(std::vector<int>& order, std::vector<Vec3>& centres, int first, int last) {
    const int id = static_cast<int>(nodes_.size());
    nodes_.push_back({});
    Box3 box, spread;
    for (int i = first; i < last; ++i) {
        const auto k = static_cast<std::size_t>(order[static_cast<std::size_t>(i)]);
        box.extend(source_[k].a), box.extend(source_[k].b), box.extend(source_[k].c);
        spread.extend(centres[k]);
    }
    nodes_[static_cast<std::size_t>(id)].box = box;
    if (last - first <= leaf_size) {
        nodes_[static_cast<std::size_t>(id)].first = first;
        nodes_[static_cast<std::size_t>(id)].count = last - first;
        return id;
    }
    Eigen::Index axis = 0;
    spread.sizes().maxCoeff(&axis);
    const int middle = (first + last) / 2;
    std::nth_element(order.begin() + first, order.begin() + middle, order.begin() + last, [&](int a, int b) {
        const double ca = centres[static_cast<std::size_t>(a)][axis], cb = centres[static_cast<std::size_t>(b)][axis];
        return ca != cb ? ca < cb : a < b;
    });
    build(order, centres, first, middle);
    const int right = build(order, centres, middle, last);
    nodes_[static_cast<std::size_t>(id)].right = right;
    return id;
}

std::optional<RayHit> FacetTree::shoot(const Vec3& origin, const Vec3& direction, double least, double reach) const {
    std::optional<RayHit> best;
    if (nodes_.empty()) return best;
    const Vec3 inv = inverse_of(direction);
    struct Waiting {
        int node;
        double entry;
    };
    std::array<Waiting, 128> stack;
    std::size_t top = 0;
    const auto push = [&](const Waiting& w) {
        if (w.entry <= reach) stack[top++] = w;
    };
    const auto seen = [&](int node) { return Waiting{node, entry(nodes_[static_cast<std::size_t>(node)].box, origin, inv, reach)}; };
    push(seen(0));
    while (top > 0) {
        const Waiting w = stack[--top];
        if (w.entry > reach) continue;  // something nearer was met since
        const Node& n = nodes_[static_cast<std::size_t>(w.node)];
        if (n.count == 0) {
            const Waiting a = seen(w.node + 1), b = seen(n.right);
            push(a.entry <= b.entry ? b : a), push(a.entry <= b.entry ? a : b);
            continue;
        }
        for (int i = n.first; i < n.first + n.count; ++i) {
            const Triangle& t = triangles_[static_cast<std::size_t>(i)];
            const auto d = ray_triangle(t.a, t.b, t.c, origin, direction);
            if (!d || *d <= least || *d > reach) continue;
            if (!best || *d < best->distance || (*d == best->distance && t.id < best->facet)) best = RayHit{*d, t.id}, reach = *d;
        }
    }
    return best;
}

std::optional<NearPoint> FacetTree::nearest(const Vec3& p, double reach) const {
    std::optional<NearPoint> best;
    if (nodes_.empty()) return best;
    double limit = reach * reach;
    std::array<int, 128> stack{};
    int top = 0;
    stack[static_cast<std::size_t>(top++)] = 0;
    while (top > 0) {
        const int id = stack[static_cast<std::size_t>(--top)];
        const Node& n = nodes_[static_cast<std::size_t>(id)];
        if (n.box.squaredExteriorDistance(p) > limit) continue;
        if (n.count == 0) {
            int near = id + 1, far = n.right;
            if (nodes_[static_cast<std::size_t>(far)].box.squaredExteriorDistance(p) < nodes_[static_cast<std::size_t>(near)].box.squaredExteriorDistance(p))
                std::swap(near, far);
            stack[static_cast<std::size_t>(top++)] = far;
            stack[static_cast<std::size_t>(top++)] = near;
            continue;
        }
        for (int i = n.first; i < n.first + n.count; ++i) {
            const Triangle& t = triangles_[static_cast<std::size_t>(i)];
            const Vec3 q = triangle_foot(t.a, t.b, t.c, p);
            const double d = (q - p).squaredNorm();
            if (d < limit || (d == limit && (!best || t.id < best->facet))) {
                limit = d;
                best = NearPoint{std::sqrt(d), t.id, q};
            }
        }
    }
    return best;
}

template <class NodeTest, class TriangleTest>
std::vector<int> FacetTree::collect(const NodeTest& node_passes, const TriangleTest& triangle_passes) const {
    std::vector<int> out;
    if (nodes_.empty()) return out;
    std::array<int, 128> stack{};
    int top = 0;
    stack[static_cast<std::size_t>(top++)] = 0;
    while (top > 0) {
        const int id = stack[static_cast<std::size_t>(--top)];
        const Node& n = nodes_[static_cast<std::size_t>(id)];
        if (!node_passes(n.box)) continue;
        if (n.count == 0) {
            stack[static_cast<std::size_t>(top++)] = n.right;
            stack[static_cast<std::size_t>(top++)] = id + 1;
            continue;
        }
        for (int i = n.first; i < n.first + n.count; ++i)
            if (const Triangle& t = triangles_[static_cast<std::size_t>(i)]; triangle_passes(t)) out.push_back(t.id);
    }
    std::sort(out.begin(), out.end());
    return out;
}

std::vector<int> FacetTree::touching(const Box3& box) const {
    return collect([&](const Box3& b) { return b.intersects(box); }, [&](const Triangle& t) { return t.box().intersects(box); });
}

std::vector<int> FacetTree::crossing(const Box3& box, const Vec3& normal, double offset) const {
    const auto on_both_sides = [&](const Box3& b) { return std::abs(normal.dot(b.center()) - offset) <= 0.5 * normal.cwiseAbs().dot(b.sizes()); };
    const auto cut = [&](const Triangle& t) {
        const double a = normal.dot(t.a) - offset, b = normal.dot(t.b) - offset, c = normal.dot(t.c) - offset;
        return !(a > 0 && b > 0 && c > 0) && !(a < 0 && b < 0 && c < 0);
    };
    return collect([&](const Box3& b) { return b.intersects(box) && on_both_sides(b); }, [&](const Triangle& t) { return cut(t) && t.box().intersects(box); });
}

FacetTree FacetTree::moved(const Eigen::Isometry3d& m) const {
    FacetTree out = *this;
    for (Triangle& t : out.triangles_) t.a = m * t.a, t.b = m * t.b, t.c = m * t.c;
    // Children come after their parent, so boxes are made anew from the back.
    for (std::size_t i = out.nodes_.size(); i-- > 0;) {
        Node& n = out.nodes_[i];
        n.box = Box3();
        if (n.count == 0) {
            n.box.extend(out.nodes_[i + 1].box), n.box.extend(out.nodes_[static_cast<std::size_t>(n.right)].box);
            continue;
        }
        for (int k = n.first; k < n.first + n.count; ++k) {
            const Triangle& t = out.triangles_[static_cast<std::size_t>(k)];
            n.box.extend(t.a), n.box.extend(t.b), n.box.extend(t.c);
        }
    }
    return out;
}

int FacetTree::parity(const Vec3& p, const Vec3& d) const {
    const Vec3 inv = inverse_of(d);
    int count = 0, top = 0;
    std::array<int, 128> stack{};
    stack[static_cast<std::size_t>(top++)] = 0;
    while (top > 0) {
        const int id = stack[static_cast<std::size_t>(--top)];
        const Node& n = nodes_[static_cast<std::size_t>(id)];
        if (std::isinf(entry(n.box, p, inv, farthest))) continue;
        if (n.count == 0) {
            stack[static_cast<std::size_t>(top++)] = n.right;
            stack[static_cast<std::size_t>(top++)] = id + 1;
            continue;
        }
        for (int i = n.first; i < n.first + n.count; ++i) {
            const Triangle& t = triangles_[static_cast<std::size_t>(i)];
            const auto hit = ray_triangle(t.a, t.b, t.c, p, d);
            if (hit && *hit > 0) ++count;
        }
    }
    return count & 1;
}

bool FacetTree::encloses(const Vec3& p) const {
    if (nodes_.empty() || !nodes_[0].box.contains(p)) return false;
    static const std::array<Vec3, 3> directions = {Vec3(0.5773, 0.2113, 0.7887).normalized(), Vec3(-0.3217, 0.8137, 0.4841).normalized(),
                                                   Vec3(0.1357, -0.6211, -0.7719).normalized()};
    const int first = parity(p, directions[0]), second = parity(p, directions[1]);
    return first == second ? first == 1 : parity(p, directions[2]) == 1;
}

}  // namespace halvo
