#pragma once
/// What the words of a set's expression mean for one thing at one place.

#include "model/expression.hpp"
#include "model/frames.hpp"

namespace halvo {

struct Thing {
    Vec3 at = Vec3::Zero(), normal = Vec3::Zero();  ///< a normal of zero: it has none
    std::string kind;
    const BodyNames* body = nullptr;
    std::string wall, sheet, member, surface, section;
    double thickness = std::numeric_limits<double>::quiet_NaN(), radius = thickness, area = thickness, length = thickness;
    int sheets = 0;  ///< sides of sheets on an edge
    bool round = false;
};
[[nodiscard]] ExpressionValue value_of(std::string_view word, const Thing& thing, const LocalFrame& frame);

/// What a sheet, member or edge says of itself, whatever the place.
[[nodiscard]] Thing thing_of(const Model& model, SheetId sheet);
[[nodiscard]] Thing thing_of(const Model& model, MemberId member);
[[nodiscard]] Thing thing_of(const Model& model, EdgeId edge, int sides);

}  // namespace halvo
