#pragma once
#include "body/contacts.hpp"

#include <algorithm>
#include <map>

namespace halvo {

/// Contacts between two bodies, as far as the joints need them; empty list of pairs when a model was made by hand.
class ContactTable {
public:
    ContactTable() = default;
    explicit ContactTable(std::vector<Contact> contacts) : known_(true) {
        for (Contact& c : contacts) {
            auto& list = of_[{c.a, c.b}];
            list.insert(list.end(), c.points.begin(), c.points.end());
        }
    }
    [[nodiscard]] bool known() const { return known_; }
    /// Points of contact of the bodies, faces of `a` first.
    [[nodiscard]] std::vector<ContactPoint> between(BodyId a, BodyId b) const {
        const auto it = of_.find({std::min(a, b), std::max(a, b)});
        if (it == of_.end()) return {};
        auto list = it->second;
        if (a > b)
            for (ContactPoint& p : list) std::swap(p.face_a, p.face_b);
        return list;
    }
    [[nodiscard]] const std::map<BodyPair, std::vector<ContactPoint>>& all() const { return of_; }

private:
    bool known_ = false;
    std::map<BodyPair, std::vector<ContactPoint>> of_;
};

}  // namespace halvo
