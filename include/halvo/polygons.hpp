#pragma once
/// Closed polygons in a plane or a chart, looked at for many points.

#include <halvo/types.hpp>

#include <memory>
#include <vector>

namespace halvo {

class OutlineIndex;

class Polygons {
public:
    using Loops = std::vector<std::vector<Vec2>>;

    Polygons() = default;
    Polygons(Loops loops);  // implicit: they are no more than their loops

    [[nodiscard]] const Loops& loops() const { return loops_; }
    [[nodiscard]] bool empty() const { return loops_.empty(); }
    [[nodiscard]] const Box2& box() const { return box_; }
    /// Even-odd, as halvo::inside of the same loops.
    [[nodiscard]] bool inside(const Vec2& p) const;
    /// Distance of a point from the nearest point of their sides, inside as well as outside, or `most` where none is nearer.
    [[nodiscard]] double border_distance(const Vec2& p, double most) const;

private:
    Loops loops_;
    Box2 box_;
    std::shared_ptr<const OutlineIndex> index_;  // of the loops; copies share it
};

}  // namespace halvo
