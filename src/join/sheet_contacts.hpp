#pragma once
/// Contacts between sheets, told from those between their bodies.
#include "join/steps.hpp"

namespace halvo {

/// Where two bodies touch, it is the walls whose skin touches there that meet. A wall that ends in another wall of its own body ends there:
/// what touches is that other wall, which lies on the other body (a foot, the flat of a corrugated core), and joins the two.
class SheetContacts {
public:
    SheetContacts(const Model& model, const ContactTable& contacts, const JoinWork& work);
    [[nodiscard]] bool known() const { return contacts_.known(); }
    [[nodiscard]] const ContactTable& of_bodies() const { return contacts_; }
    /// Places at which the skins touch that are the sheets' own: sides of theirs, or rims, which belong to no sheet. Faces of `a` first.
    [[nodiscard]] const std::vector<ContactPoint>& between(std::size_t a, std::size_t b) const;
    /// Does a side of the sheet's wall face a body that its own touches?
    [[nodiscard]] bool faces(std::size_t sheet, BodyId body) const;

private:
    [[nodiscard]] bool may_be_of(std::size_t sheet, int face) const;
    [[nodiscard]] bool at_foot(std::size_t sheet, const std::set<int>& facing, const ContactPoint& c) const;
    const Model& model_;
    const ContactTable& contacts_;
    const JoinWork& work_;
    std::map<std::pair<BodyId, int>, std::set<std::size_t>> side_of_;  // sheets that a body's face is a side of
    mutable std::map<std::pair<std::size_t, std::size_t>, std::vector<ContactPoint>> known_;
};

/// Joints of two sheets of which one is curved at least: along the curves in which their surfaces cross.
void meet_curved(const Model& model, const SheetContacts& contacts, JoinWork& work, std::size_t a, std::size_t b);

}  // namespace halvo
