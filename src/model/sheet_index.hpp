#pragma once
#include "geom/box_tree.hpp"
#include "geom/outline.hpp"

#include <halvo/model.hpp>

namespace halvo {

/// Sheets of a body, with what it takes to look at them for many points. Refers to the model's own.
class SheetIndex {
public:
    /// Each is near up to `margin` times its thickness beyond its box.
    SheetIndex(const Model& model, BodyId body, double margin);
    /// Numbers of the sheets that a point is near, rising.
    [[nodiscard]] std::vector<int> near(const Vec3& p) const { return tree_.touching(Box3(p)); }
    [[nodiscard]] const Sheet& sheet(int k) const { return *sheets_[static_cast<std::size_t>(k)]; }
    /// Of the sheet's own outline, in its chart.
    [[nodiscard]] const OutlineIndex& outline(int k) const { return outlines_[static_cast<std::size_t>(k)]; }

private:
    std::vector<const Sheet*> sheets_;
    std::vector<OutlineIndex> outlines_;
    BoxTree tree_{{}};
};

}  // namespace halvo
