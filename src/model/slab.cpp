#include "model/slab.hpp"

namespace halvo {

SlabPlace slab_place(const Chart& chart, const ThicknessField& field, const Vec3& p) {
    SlabPlace out;
    out.foot = chart.on(p);
    out.at = chart.local2(out.foot.point);
    const Vec3 off = p - out.foot.point;  // along the normal, but past the end of a surface
    out.height = std::copysign(off.norm(), off.dot(out.foot.normal));
    out.sides = field.sides(chart, out.at);
    return out;
}

bool between_sides(const Chart& chart, const ThicknessField& field, const Vec2& at, double height, double beside, double slack, double share) {
    const auto within = [&](const Vec2& q) {
        const auto sides = field.sides(chart, q);
        return height <= share * sides.up + slack && height >= -share * sides.down - slack;
    };
    if (within(at)) return true;
    if (field.pieces.size() < 2) return false;
    return within(at + Vec2(beside, 0)) || within(at - Vec2(beside, 0)) || within(at + Vec2(0, beside)) || within(at - Vec2(0, beside));
}

double skin_gap(const Sheet& from, const Vec3& p, const SlabPlace& over) {
    const auto own = from.field.sides(from.chart, from.chart.local2(p));
    const double across = std::abs(over.foot.normal.dot(from.chart.normal(p)));
    return std::abs(over.height) - over.side() - std::max(own.up, own.down) * across;
}

}  // namespace halvo
