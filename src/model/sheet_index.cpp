#include "model/sheet_index.hpp"

#include "model/sheet_values.hpp"

namespace halvo {

SheetIndex::SheetIndex(const Model& model, BodyId body, double margin) {
    std::vector<Box3> boxes;
    for (const Sheet& s : model.sheets) {
        if (s.body != body) continue;
        sheets_.push_back(&s), outlines_.emplace_back(s.own_outline);
        boxes.push_back(sheet_box(model, s));
        boxes.back().min().array() -= margin * s.thickness.max, boxes.back().max().array() += margin * s.thickness.max;
    }
    tree_ = BoxTree(boxes);
}

}  // namespace halvo
