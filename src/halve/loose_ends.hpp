#pragma once
/// Small pieces of walls where several meet, decided by what they leave loose.

#include "halve/cell_index.hpp"

namespace halvo {

/// Where tubes or walls meet at a node, rays from a small piece of one hit the others, and do not tell whether it is a part of the sheet or
/// a stub beyond a seam. What is left loose tells: an edge with one sheet on it, past which that sheet's material goes on. All pieces that
/// could be are taken first; those that hang loose and one of those round each pocket are given up, those least between their own sides
/// first (a collapse to a skeleton, as of J. H. C. Whitehead, 1939, keeps what hangs together and what it encloses); so are those that
/// nothing needs. At last single ones are taken or dropped as long as less is loose.
class LooseEnds {
public:
    /// Refers to all that it is given, and changes `keep`.
    LooseEnds(const CellIndex& cells, Surroundings solid, std::vector<std::vector<Keep>>& keep)
        : cells_(cells), walls_(cells.walls), solid_(std::move(solid)), keep_(keep), known_(cells.walls.size()) {}

    void settle();
    /// Would others be loose along more than a little, if these were dropped?
    [[nodiscard]] bool needed(const std::vector<CellAt>& cells);

private:
    /// Rays kept it or not, and left it open.
    struct Piece {
        CellAt at;
        bool by_rays;
        double share;
    };
    [[nodiscard]] double loose(int edge);
    [[nodiscard]] double loose_round(const CellAt& c);
    [[nodiscard]] bool kept(const CellAt& c) const { return keep_[c.first][c.second].kept; }
    [[nodiscard]] bool small(const CellAt& c) const;
    [[nodiscard]] bool strip(const CellAt& c) const;
    [[nodiscard]] std::vector<Piece> open_pieces() const;
    [[nodiscard]] bool hangs_loose(const Piece& p);
    void collapse(const std::vector<Piece>& open);
    void drop_unneeded(const std::vector<Piece>& open, bool across);
    [[nodiscard]] bool meets_another(const CellAt& c) const;
    [[nodiscard]] bool goes_on_from(const CellAt& c) const;
    bool settle(const CellAt& c);

    const CellIndex& cells_;
    const std::vector<WallCells>& walls_;
    Surroundings solid_;
    std::vector<std::vector<Keep>>& keep_;
    std::vector<std::map<int, bool>> known_;  // of each wall's half-edges: does the material go on past it?
};

}  // namespace halvo
