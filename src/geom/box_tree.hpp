#pragma once
#include <halvo/types.hpp>

namespace halvo {

/// Bounding-volume hierarchy over boxes: which of them meet a box. Empty boxes are never met.
class BoxTree {
public:
    explicit BoxTree(const std::vector<Box3>& boxes);
    /// Indices in rising order.
    [[nodiscard]] std::vector<int> touching(const Box3& box) const;
    /// Does a point lie in any of them?
    [[nodiscard]] bool touched_by(const Vec3& p) const;

private:
    struct Node {
        Box3 box;
        int first = 0, count = 0, right = 0;
    };
    template <class Found>
    bool any(const Box3& box, const Found& found) const;
    int build(const std::vector<Box3>& boxes, int first, int last);
    std::vector<Node> nodes_;
    std::vector<int> order_;
    std::vector<Box3> leaf_;
};

}  // namespace halvo
