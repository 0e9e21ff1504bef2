#include "halve/loose_ends.hpp"

#include <algorithm>
#include <map>
#include <numeric>
#include <set>

namespace halvo {
namespace {

constexpr double largest = 8;        // thicknesses squared, of a piece that may change
constexpr double least_gain = 0.5;   // thicknesses of loose edge
constexpr double widest = 2;         // thicknesses, of a strip
constexpr double strip_gain = 0.4;   // of its outline
constexpr double least_long = 0.75;  // of the thickest wall beside it: shorter edges are where a border runs into that
constexpr int rounds = 10;

std::size_t ix(int i) {
    return static_cast<std::size_t>(i);
}

}  // namespace

LooseEnds::LooseEnds(const Arrangement& a, const std::vector<WallCells>& walls, GoesOn goes_on, std::vector<std::vector<Keep>>& keep)
    : a_(a), walls_(walls), goes_on_(std::move(goes_on)), keep_(keep), at_(a.edges.size()), known_(walls.size()) {
    for (std::size_t e = 0; e < a.edges.size(); ++e) length_.push_back(a.edges[e].curve.length());
    for (std::size_t i = 0; i < walls.size(); ++i) {
        halves_.emplace_back(a.sheets[i].cells.size());
        for (const auto& [half, cell] : a.sheets[i].cell_of) {
            at_[ix(half / 2)].push_back({i, half});
            if (cell >= 0) halves_[i][ix(cell)].push_back(half);
        }
    }
}

void LooseEnds::settle() {
    for (int round = 0; round < rounds; ++round) {
        bool any = false;
        for (std::size_t i = 0; i < walls_.size(); ++i)
            for (std::size_t c = 0; c < keep_[i].size(); ++c) any = settle(i, c) || any;
        if (!any) return;
    }
}

bool LooseEnds::needed(std::size_t wall, const std::vector<std::size_t>& cells) {
    std::set<int> edges;
    for (std::size_t c : cells)
        for (int half : halves_[wall][c]) edges.insert(half / 2);
    const auto sum = [&] { return std::accumulate(edges.begin(), edges.end(), 0.0, [&](double s, int e) { return s + loose(e); }); };
    const double before = sum();
    for (std::size_t c : cells) keep_[wall][c].kept = false;
    const double after = sum();
    for (std::size_t c : cells) keep_[wall][c].kept = true;
    return after > before + least_gain * walls_[wall].thickness;
}

int LooseEnds::cell(const Side& s) const {
    const auto it = a_.sheets[s.wall].cell_of.find(s.half);
    return it == a_.sheets[s.wall].cell_of.end() ? -1 : it->second;
}

// Length of the edge, if but one sheet has it and the material goes on past it.
double LooseEnds::loose(int e) {
    const Side* only = nullptr;
    for (const Side& s : at_[ix(e)]) {
        const int c = cell(s);
        if (c < 0 || !keep_[s.wall][ix(c)].kept) continue;
        if (only) return 0;
        only = &s;
    }
    if (!only || length_[ix(e)] < least_long * walls_[only->wall].thickest_near) return 0;
    const auto [it, fresh] = known_[only->wall].try_emplace(only->half, false);
    if (fresh) it->second = goes_on_(only->wall, only->half);
    return it->second ? length_[ix(e)] : 0;
}

double LooseEnds::loose_round(std::size_t i, std::size_t c) {
    double sum = 0;
    for (int half : halves_[i][c]) sum += loose(half / 2);
    return sum;
}

// Is there another wall's sheet at its border? In the material of a solid region beside it a wall ends.
bool LooseEnds::meets_another(std::size_t i, std::size_t c) const {
    return std::any_of(halves_[i][c].begin(), halves_[i][c].end(), [&](int half) {
        const auto& all = at_[ix(half / 2)];
        return std::any_of(all.begin(), all.end(), [&](const Side& s) {
            const int k = cell(s);
            return s.wall != i && k >= 0 && keep_[s.wall][ix(k)].kept;
        });
    });
}

// Is it beside what the wall's own sheet is already?
bool LooseEnds::goes_on_from(std::size_t i, std::size_t c) const {
    return std::any_of(halves_[i][c].begin(), halves_[i][c].end(), [&](int half) {
        const int k = cell({i, half ^ 1});
        return k >= 0 && keep_[i][ix(k)].kept;
    });
}

bool LooseEnds::settle(std::size_t i, std::size_t c) {
    const WallCells& w = walls_[i];
    Keep& k = keep_[i][c];
    if (w.fixed || (k.kept ? w.cells[c].held : !w.cells[c].open)) return false;
    if (!meets_another(i, c) || (!k.kept && !goes_on_from(i, c))) return false;
    double outline = 0;
    for (int half : halves_[i][c]) outline += length_[ix(half / 2)];
    // A strip between two crossings may be as long as these are, if one of its sides is loose without it.
    const double t = w.thickness, area = a_.sheets[i].cells[c].area;
    const bool small = area <= largest * t * t, strip = 2 * area <= widest * t * outline;
    if (!small && !strip) return false;
    const double before = loose_round(i, c);
    k.kept = !k.kept;
    if (loose_round(i, c) < before - (small ? least_gain * t : strip_gain * outline)) return true;
    k.kept = !k.kept;
    return false;
}

}  // namespace halvo
