// Plates of several bodies that go on in one plane become one sheet, if the plan wants it.
#include "core/groups.hpp"
#include "join/steps.hpp"
#include "model/references.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace halvo {
namespace {

constexpr double same_thickness = 1e-6;  // relative

bool alike(const Sheet& a, const Sheet& b, double tol) {
    if (a.body == b.body || !a.chart.flat() || !b.chart.flat() || a.placed || b.placed || a.reference != b.reference) return false;
    if (a.chart.plane().z.cross(b.chart.plane().z).norm() > 1e-6 || std::abs(a.chart.height(b.chart.plane().origin)) > 10 * tol) return false;
    const double t = a.thickness.mean;
    return a.thickness.max - a.thickness.min <= same_thickness * t && std::abs(b.thickness.min - t) <= same_thickness * t &&
           std::abs(b.thickness.max - t) <= same_thickness * t;
}

std::vector<std::vector<Vec2>> carried(const std::vector<std::vector<Vec2>>& loops, const Chart& from, const Chart& to) {
    std::vector<std::vector<Vec2>> out;
    for (const auto& loop : loops) {
        out.emplace_back();
        for (const Vec2& q : loop) out.back().push_back(to.local2(from.at(q)));
    }
    return out;
}

void take_over(Sheet& to, Sheet& from) {
    const bool turned = to.chart.plane().z.dot(from.chart.plane().z) < 0;
    for (Region& r : from.regions) {
        for (auto& loop : r.loops) {
            if (!turned) continue;
            std::reverse(loop.begin(), loop.end());
            for (EdgeUse& u : loop) u.reversed = !u.reversed;
        }
        to.regions.push_back(std::move(r));
    }
    if (!to.own_outline.empty())
        for (ThicknessPiece& p : to.field.pieces) {
            if (p.top_outline.empty()) p.top_outline = to.own_outline;
            if (p.bottom_outline.empty()) p.bottom_outline = to.own_outline;
        }
    for (ThicknessPiece& p : from.field.pieces) {
        p.top_outline = carried(p.top_outline.empty() ? from.own_outline : p.top_outline.loops(), from.chart, to.chart);
        p.bottom_outline = carried(p.bottom_outline.empty() ? from.own_outline : p.bottom_outline.loops(), from.chart, to.chart);
        if (turned) std::swap(p.top, p.bottom), std::swap(p.top_outline, p.bottom_outline);
        to.field.pieces.push_back(std::move(p));
    }
    for (auto& loop : carried(from.own_outline, from.chart, to.chart)) to.own_outline.push_back(std::move(loop));
    to.trimmed_area += from.trimmed_area;
    to.shares.insert(to.shares.end(), from.shares.begin(), from.shares.end());
}

}  // namespace

bool unite_coplanar(Model& model, const Assembly& solids) {
    Groups groups(model.sheets.size());
    bool any = false;
    for (const auto& at : sheets_at_edges(model)) {
        if (at.size() != 2 || at[0].sides != 1 || at[1].sides != 1) continue;
        const auto a = at[0].sheet.index(), b = at[1].sheet.index();
        if (!alike(model.sheets[a], model.sheets[b], model.tolerance.point)) continue;
        groups.tie(static_cast<int>(a), static_cast<int>(b));
        any = true;
    }
    if (!any) return false;
    // Strips that bridge gaps between the pieces are part of the one sheet from now on: they count as less than nothing of its own.
    std::map<int, int> pieces;
    for (std::size_t i = 0; i < model.sheets.size(); ++i) ++pieces[groups.root(static_cast<int>(i))];
    for (std::size_t i = 0; i < model.sheets.size(); ++i)
        if (pieces[groups.root(static_cast<int>(i))] > 1) model.sheets[i].trimmed_area -= model.sheets[i].area() - model.sheets[i].own_area();
    std::vector<int> number(model.sheets.size(), -1);
    std::vector<Sheet> sheets;
    for (std::size_t i = 0; i < model.sheets.size(); ++i) {
        const auto root = static_cast<std::size_t>(groups.root(static_cast<int>(i)));
        if (number[root] < 0) {
            number[root] = static_cast<int>(sheets.size());
            sheets.push_back(std::move(model.sheets[i]));
        } else {
            Sheet &to = sheets[static_cast<std::size_t>(number[root])], &from = model.sheets[i];
            const double volume = from.thickness.mean * (from.area() + from.trimmed_area);
            const std::string name = from.body ? solids.bodies[from.body.index()].label : "";
            model.ledger.push_back({"one-" + from.key, "join", EntryKind::one_sheet, EntryState::applied,
                                    fmt::format("{} goes on in {}: one sheet", from.key, to.key), from.area(), from.chart.plane().origin, name});
            if (from.body != to.body && from.body) to.shares.push_back({from.body, volume});
            take_over(to, from);
        }
        number[i] = number[root];
    }
    each_sheet_reference(model, [&](SheetId& s) { s = SheetId(number[s.index()]); });
    model.sheets = std::move(sheets);
    return true;
}

}  // namespace halvo
