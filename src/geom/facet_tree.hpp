#pragma once
/// Bounding-volume hierarchy over triangles: nearest ray hit, nearest point, points inside.

#include <halvo/types.hpp>

#include <array>
#include <optional>

namespace halvo {

struct RayHit {
    double distance = 0;
    int facet = -1;
};
struct NearPoint {
    double distance = 0;
    int facet = -1;
    Vec3 point = Vec3::Zero();
};

class FacetTree {
public:
    /// `corners` index `points`; triangle i of the tree is element i of `corners`.
    FacetTree(const std::vector<Vec3>& points, const std::vector<std::array<int, 3>>& corners);

    /// First triangle met by the ray from `origin` along unit `direction`, further than `least` and no further than `reach`.
    [[nodiscard]] std::optional<RayHit> shoot(const Vec3& origin, const Vec3& direction, double least, double reach = 1e300) const;
    /// Nearest point of the triangles within `reach` of `p`.
    [[nodiscard]] std::optional<NearPoint> nearest(const Vec3& p, double reach) const;
    /// Is `p` enclosed? Majority of three parity counts along fixed unaligned directions.
    [[nodiscard]] bool encloses(const Vec3& p) const;
    /// Ids of all triangles whose boxes meet `box`, in rising order.
    [[nodiscard]] std::vector<int> touching(const Box3& box) const;
    /// The same, without those on one side of the plane.
    [[nodiscard]] std::vector<int> crossing(const Box3& box, const Vec3& normal, double offset) const;
    /// The tree of the same triangles in another place.
    [[nodiscard]] FacetTree moved(const Eigen::Isometry3d& m) const;
    [[nodiscard]] Box3 box() const { return nodes_.empty() ? Box3() : nodes_[0].box; }

private:
    struct Node {
        Box3 box;
        int first = 0, count = 0;  // leaf when count > 0
        int right = 0;             // left child is the next node
    };
    struct Triangle {
        Vec3 a, b, c;
        int id;
        [[nodiscard]] Box3 box() const {
            Box3 out;
            return out.extend(a).extend(b).extend(c);
        }
    };
    template <class NodeTest, class TriangleTest>
    [[nodiscard]] std::vector<int> collect(const NodeTest& node_passes, const TriangleTest& triangle_passes) const;
    int build(std::vector<int>& order, std::vector<Vec3>& centres, int first, int last);
    int parity(const Vec3& p, const Vec3& d) const;

    std::vector<Triangle> triangles_, source_;
    std::vector<Node> nodes_;
};

}  // namespace halvo
