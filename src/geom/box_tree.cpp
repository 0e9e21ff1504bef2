#include "geom/box_tree.hpp"

#include <algorithm>
#include <array>

namespace halvo {

BoxTree::BoxTree(const std::vector<Box3>& boxes) {
    for (std::size_t i = 0; i < boxes.size(); ++i)
        if (!boxes[i].isEmpty()) order_.push_back(static_cast<int>(i));
    if (!order_.empty()) build(boxes, 0, static_cast<int>(order_.size()));
    for (int i : order_) leaf_.push_back(boxes[static_cast<std::size_t>(i)]);
}

int BoxTree::build(const std::vector<Box3>& boxes, int first, int last) {
    constexpr int leaf_size = 4;
    const int id = static_cast<int>(nodes_.size());
    nodes_.push_back({});
    Box3 box, spread;
    const auto at = [&](int k) -> const Box3& { return boxes[static_cast<std::size_t>(k)]; };
    for (int i = first; i < last; ++i) {
        const Box3& b = at(order_[static_cast<std::size_t>(i)]);
        box.extend(b);
        spread.extend(Vec3(b.center()));
    }
    nodes_[static_cast<std::size_t>(id)].box = box;
    if (last - first <= leaf_size) {
        nodes_[static_cast<std::size_t>(id)].first = first, nodes_[static_cast<std::size_t>(id)].count = last - first;
        return id;
    }
    Eigen::Index axis = 0;
    spread.sizes().maxCoeff(&axis);
    const int middle = (first + last) / 2;
    std::nth_element(order_.begin() + first, order_.begin() + middle, order_.begin() + last, [&](int a, int b) {
        const double ca = at(a).center()[axis], cb = at(b).center()[axis];
        return ca != cb ? ca < cb : a < b;
    });
    build(boxes, first, middle);
    const int right = build(boxes, middle, last);
    nodes_[static_cast<std::size_t>(id)].right = right;
    return id;
}

template <class Found>
bool BoxTree::any(const Box3& box, const Found& found) const {
    if (nodes_.empty() || box.isEmpty()) return false;
    std::array<int, 128> stack{};
    std::size_t top = 1;
    while (top > 0) {
        const int id = stack[--top];
        const Node& n = nodes_[static_cast<std::size_t>(id)];
        if (!n.box.intersects(box)) continue;
        if (n.count == 0) {
            stack[top++] = n.right, stack[top++] = id + 1;
            continue;
        }
        for (int i = n.first; i < n.first + n.count; ++i)
            if (leaf_[static_cast<std::size_t>(i)].intersects(box) && found(order_[static_cast<std::size_t>(i)])) return true;
    }
    return false;
}

std::vector<int> BoxTree::touching(const Box3& box) const {
    std::vector<int> out;
    any(box, [&](int i) {
        out.push_back(i);
        return false;
    });
    std::sort(out.begin(), out.end());
    return out;
}

bool BoxTree::touched_by(const Vec3& p) const {
    return any(Box3(p, p), [](int) { return true; });
}

}  // namespace halvo
