#pragma once
/// The rooms that cells enclose.

#include "core/groups.hpp"
#include "halve/cell_index.hpp"

namespace halvo {

/// Kept cells divide space into chambers: what lies between two of them at an edge, one after the other round it, is one. A chamber in which
/// no cell sees air is a pocket: all of it is material, which two or more sheets would stand for where one is enough.
class Chambers {
public:
    Chambers(const CellIndex& cells, const Surroundings& solid);

    /// Is there a pocket on one side of the cell, and another chamber on its other side?
    [[nodiscard]] bool walls_a_pocket(const CellAt& c);
    /// Without the cell, what lies on both sides of it is one.
    void open(const CellAt& c);

private:
    [[nodiscard]] int side(const CellAt& c, bool over) const { return 2 * (first_[c.first] + static_cast<int>(c.second)) + static_cast<int>(over); }
    void tie_round(std::size_t edge);
    void find_air(const Surroundings& solid);

    const CellIndex& cells_;
    std::vector<int> first_;  // of each wall's cells, in one row
    Groups groups_;           // of the cells' sides
    std::vector<char> air_;   // by root
};

}  // namespace halvo
