#include "halve/loose_ends.hpp"

#include "core/index.hpp"
#include "halve/chambers.hpp"
#include "halve/limits.hpp"

#include <algorithm>
#include <numeric>
#include <set>

namespace halvo {
namespace {

constexpr double least_gain = 0.5;   // thicknesses of loose edge
constexpr double widest_strip = 2;   // thicknesses, of a strip
constexpr double strip_gain = 0.4;   // of its outline
constexpr double least_hung = 0.25;  // thicknesses of edge that nothing else is at
constexpr double least_long = 0.75;  // of the thickest wall beside it: shorter edges are where a border runs into that
constexpr int rounds = 10;           // ends that go may loosen others: bounds the time

}  // namespace

void LooseEnds::settle() {
    if (const auto open = open_pieces(); !open.empty()) {
        for (const Piece& p : open) keep_[p.at.first][p.at.second].kept = true;
        collapse(open);
        drop_unneeded(open, true);
        drop_unneeded(open, false);
    }
    for (int round = 0; round < rounds; ++round) {
        bool any = false;
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (std::size_t c = 0; c < keep_[i].size(); ++c) any = settle({i, c}) || any;
        if (!any) return;
    }
}

bool LooseEnds::needed(const std::vector<CellAt>& cells) {
    std::set<int> edges;
    double thickness = 0;
    for (const auto& [i, c] : cells) {
        thickness = std::max(thickness, walls_[i].thickness);
        for (int half : cells_.halves[i][c]) edges.insert(half / 2);
    }
    const auto sum = [&] { return std::accumulate(edges.begin(), edges.end(), 0.0, [&](double s, int e) { return s + loose(e); }); };
    const double before = sum();
    for (const auto& [i, c] : cells) keep_[i][c].kept = false;
    const double after = sum();
    for (const auto& [i, c] : cells) keep_[i][c].kept = true;
    return after > before + least_gain * thickness;
}

// Length of the edge, if but one sheet has it and the material goes on past it.
double LooseEnds::loose(int e) {
    const CellIndex::Side* only = nullptr;
    for (const CellIndex::Side& s : cells_.at[ix(e)]) {
        if (!cells_.kept(s)) continue;
        if (only) return 0;
        only = &s;
    }
    const double length = cells_.length[ix(e)];
    if (!only || length < least_long * walls_[only->wall].thickest_near) return 0;
    const auto [it, fresh] = known_[only->wall].try_emplace(only->half, false);
    if (fresh) it->second = solid_.goes_on(only->wall, only->half);
    return it->second ? length : 0;
}

double LooseEnds::loose_round(const CellAt& c) {
    double sum = 0;
    for (int half : cells_.halves[c.first][c.second]) sum += loose(half / 2);
    return sum;
}

bool LooseEnds::small(const CellAt& c) const {
    const double t = walls_[c.first].thickness;
    return cells_.area(c) <= largest_piece * t * t;
}

// Between two crossings, which may be long.
bool LooseEnds::strip(const CellAt& c) const {
    return 2 * cells_.area(c) <= widest_strip * walls_[c.first].thickness * cells_.outline(c);
}

// Those to be given up first come first.
std::vector<LooseEnds::Piece> LooseEnds::open_pieces() const {
    std::vector<Piece> out;
    for (std::size_t i = 0; i < walls_.size(); ++i)
        for (std::size_t c = 0; c < keep_[i].size(); ++c) {
            const WallCells::Cell& cell = walls_[i].cells[c];
            const bool by_rays = keep_[i][c].kept;
            if (walls_[i].fixed || cell.held || (!by_rays && !cell.open)) continue;
            if (small({i, c}) || (!by_rays && strip({i, c}))) out.push_back({{i, c}, by_rays, cell.share});
        }
    std::stable_sort(out.begin(), out.end(), [](const Piece& a, const Piece& b) { return std::pair(a.by_rays, a.share) < std::pair(b.by_rays, b.share); });
    return out;
}

// What rays did not keep goes for any edge that it alone is at.
bool LooseEnds::hangs_loose(const Piece& p) {
    const double t = walls_[p.at.first].thickness;
    if (p.by_rays) return loose_round(p.at) > least_gain * t;
    double sum = 0;
    for (int half : cells_.halves[p.at.first][p.at.second]) {
        const auto& all = cells_.at[ix(half / 2)];
        if (std::count_if(all.begin(), all.end(), [&](const CellIndex::Side& s) { return cells_.kept(s); }) == 1) sum += cells_.length[ix(half / 2)];
    }
    return sum > least_hung * t;
}

void LooseEnds::collapse(const std::vector<Piece>& open) {
    Chambers chambers(cells_, solid_);
    std::map<CellAt, std::size_t> place;
    for (std::size_t k = 0; k < open.size(); ++k) place[open[k].at] = k;
    std::set<std::size_t> ask;  // pieces that may hang loose
    for (std::size_t k = 0; k < open.size(); ++k) ask.insert(k);
    const auto drop = [&](std::size_t k) {
        const auto& [i, c] = open[k].at;
        chambers.open(open[k].at);
        keep_[i][c].kept = false;
        for (int half : cells_.halves[i][c])
            for (const CellIndex::Side& s : cells_.at[ix(half / 2)])
                if (const int o = cells_.cell(s); o >= 0)
                    if (const auto it = place.find({s.wall, ix(o)}); it != place.end()) ask.insert(it->second);
    };
    for (bool any = true; any;) {
        while (!ask.empty()) {
            const std::size_t k = *ask.begin();
            ask.erase(ask.begin());
            if (kept(open[k].at) && hangs_loose(open[k])) drop(k);
        }
        const auto next = std::find_if(open.begin(), open.end(), [&](const Piece& p) { return kept(p.at) && chambers.walls_a_pocket(p.at); });
        any = next != open.end();
        if (any) drop(static_cast<std::size_t>(next - open.begin()));
    }
}

// Pieces that hang together, on one wall or across all, that rays did not keep and nothing needs.
void LooseEnds::drop_unneeded(const std::vector<Piece>& open, bool across) {
    std::vector<CellAt> taken;
    std::map<CellAt, int> number;
    for (const Piece& p : open)
        if (!p.by_rays && kept(p.at)) number[p.at] = static_cast<int>(taken.size()), taken.push_back(p.at);
    Groups groups(taken.size());
    for (const CellAt& c : taken)
        for (int half : cells_.halves[c.first][c.second])
            for (const CellIndex::Side& s : cells_.at[ix(half / 2)])
                if (const int o = cells_.cell(s); o >= 0 && (across || s.wall == c.first))
                    if (const auto it = number.find({s.wall, ix(o)}); it != number.end()) groups.tie(number[c], it->second);
    std::map<int, std::vector<CellAt>> together;
    for (std::size_t k = 0; k < taken.size(); ++k) together[groups.root(static_cast<int>(k))].push_back(taken[k]);
    for (const auto& [root, group] : together)
        if (!needed(group))
            for (const auto& [i, c] : group) keep_[i][c].kept = false;
}

// Is there another wall's sheet at its border? In the material of a solid region beside it a wall ends.
bool LooseEnds::meets_another(const CellAt& c) const {
    const auto& halves = cells_.halves[c.first][c.second];
    return std::any_of(halves.begin(), halves.end(), [&](int half) {
        const auto& all = cells_.at[ix(half / 2)];
        return std::any_of(all.begin(), all.end(), [&](const CellIndex::Side& s) { return s.wall != c.first && cells_.kept(s); });
    });
}

// Is it beside what the wall's own sheet is already?
bool LooseEnds::goes_on_from(const CellAt& c) const {
    const auto& halves = cells_.halves[c.first][c.second];
    return std::any_of(halves.begin(), halves.end(), [&](int half) { return cells_.kept({c.first, half ^ 1}); });
}

bool LooseEnds::settle(const CellAt& c) {
    const WallCells& w = walls_[c.first];
    const WallCells::Cell& cell = w.cells[c.second];
    Keep& k = keep_[c.first][c.second];
    if (w.fixed || (k.kept ? cell.held : !cell.open)) return false;
    if (!meets_another(c) || (!k.kept && !goes_on_from(c))) return false;
    // A strip may be as long as the crossings are, if one of its sides is loose without it.
    const bool is_small = small(c);
    if (!is_small && !strip(c)) return false;
    const double before = loose_round(c);
    k.kept = !k.kept;
    if (loose_round(c) < before - (is_small ? least_gain * w.thickness : strip_gain * cells_.outline(c))) return true;
    k.kept = !k.kept;
    return false;
}

}  // namespace halvo
