#include <halvo/polygons.hpp>

#include "geom/outline.hpp"

#include <utility>

namespace halvo {

Polygons::Polygons(Loops loops) : loops_(std::move(loops)) {
    for (const auto& loop : loops_)
        for (const Vec2& p : loop) box_.extend(p);
    if (!loops_.empty()) index_ = std::make_shared<const OutlineIndex>(loops_);
}

bool Polygons::inside(const Vec2& p) const {
    return index_ && box_.contains(p) && index_->inside(p);
}

double Polygons::border_distance(const Vec2& p, double most) const {
    return index_ && box_.squaredExteriorDistance(p) < most * most ? index_->border_distance(p, most) : most;
}

}  // namespace halvo
