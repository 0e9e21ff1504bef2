#include "join/sheet_contacts.hpp"
#include "model/slab.hpp"

#include <algorithm>

namespace halvo {

SheetContacts::SheetContacts(const Model& model, const ContactTable& contacts, const JoinWork& work) : model_(model), contacts_(contacts), work_(work) {
    for (std::size_t i = 0; i < model.sheets.size(); ++i)
        for (const auto* faces : {&model.sheets[i].top_faces, &model.sheets[i].bottom_faces})
            for (const int f : *faces) side_of_[{model.sheets[i].body, f}].insert(i);
}

bool SheetContacts::may_be_of(std::size_t sheet, int face) const {
    const auto it = side_of_.find({model_.sheets[sheet].body, face});
    return it == side_of_.end() || it->second.contains(sheet);
}

// Where the skins do not face each other: at the border of a face of another wall of the body that does face the other body? Webs touch it
// there too, along the edge that they share with their foot.
bool SheetContacts::at_foot(std::size_t sheet, const std::set<int>& facing, const ContactPoint& c) const {
    if (c.area > 0) return false;
    return std::ranges::any_of(facing, [&](int f) {
        const auto it = side_of_.find({model_.sheets[sheet].body, f});
        if (it == side_of_.end() || it->second.contains(sheet)) return false;
        return std::ranges::any_of(it->second, [&](std::size_t k) {
            const Sheet& foot = model_.sheets[k];
            const SlabPlace in = slab_place(foot, c.place);
            return in.from_side() <= std::abs(c.gap) + 10 * work_.tol && on_sheet(foot, work_.sheets[k], in.foot.point, foot.thickness.max);
        });
    });
}

bool SheetContacts::faces(std::size_t sheet, BodyId body) const {
    const Sheet& s = model_.sheets[sheet];
    return std::ranges::any_of(contacts_.between(s.body, body), [&](const ContactPoint& c) {
        const auto it = side_of_.find({s.body, c.face_a});
        return c.area > 0 && it != side_of_.end() && it->second.contains(sheet);
    });
}

const std::vector<ContactPoint>& SheetContacts::between(std::size_t a, std::size_t b) const {
    const auto [it, fresh] = known_.try_emplace({a, b});
    if (fresh) {
        it->second = contacts_.between(model_.sheets[a].body, model_.sheets[b].body);
        std::set<int> facing_a, facing_b;
        for (const ContactPoint& c : it->second)
            if (c.area > 0) facing_a.insert(c.face_a), facing_b.insert(c.face_b);
        std::erase_if(it->second, [&](const ContactPoint& c) {
            return !may_be_of(a, c.face_a) || !may_be_of(b, c.face_b) || at_foot(a, facing_a, c) || at_foot(b, facing_b, c);
        });
    }
    return it->second;
}

}  // namespace halvo
