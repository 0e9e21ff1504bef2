#include "mesh/mesh_notes.hpp"

#include "core/index.hpp"
#include "core/keys.hpp"
#include "mesh/size_rules.hpp"

#include <halvo/quality.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace halvo {
namespace {

constexpr double much_shorter = 0.25;  // of what is usual in a sheet

void note_bridged(std::vector<LedgerEntry>& list, const Model& model, const MeshOptions& options) {
    const auto bridged = bridged_edges(model, options);
    if (bridged.empty()) return;
    const auto longest = *std::max_element(bridged.begin(), bridged.end(), [&](EdgeId a, EdgeId b) { return model.length(a) < model.length(b) - 1e-12; });
    const double length = model.length(longest);
    list.push_back({make_key("bridged", "", {length}), "mesh", EntryKind::edges_bridged, EntryState::applied,
                    fmt::format("{} edge(s) up to {:.3g} mm long are closed to a node each: there the mesh stands off the outline by as much; mesh.bridge "
                                "= 0 keeps them",
                                bridged.size(), length),
                    length, model.edges[longest.index()].curve.middle(), ""});
}

template <class Each>
void each_side(const Mesh& mesh, const Element& e, const Each& each) {
    for (std::size_t k = 0; k < e.count; ++k) each(mesh.nodes[ix(e.nodes[k])], mesh.nodes[ix(e.nodes[(k + 1) % e.count])]);
}

// The usual length of an element edge in each sheet: the median.
std::vector<double> usual_lengths(const Model& model, const Mesh& mesh) {
    std::vector<std::vector<double>> of_sheet(model.sheets.size());
    for (const Element& e : mesh.elements)
        if (e.kind == ElementKind::shell) each_side(mesh, e, [&](const Vec3& a, const Vec3& b) { of_sheet[ix(e.sheet)].push_back((a - b).norm()); });
    std::vector<double> out;
    for (auto& lengths : of_sheet) {
        const std::size_t half = lengths.size() / 2;
        if (!lengths.empty()) std::nth_element(lengths.begin(), lengths.begin() + static_cast<std::ptrdiff_t>(half), lengths.end());
        out.push_back(lengths.empty() ? 0 : lengths[half]);
    }
    return out;
}

void note_short(std::vector<LedgerEntry>& list, const Model& model, const Mesh& mesh) {
    const auto usual = usual_lengths(model, mesh);
    int count = 0;
    double least = std::numeric_limits<double>::max();
    Vec3 place = Vec3::Zero();
    for (const Element& e : mesh.elements) {
        if (e.kind != ElementKind::shell) continue;
        const double limit = much_shorter * usual[ix(e.sheet)];
        bool is_short = false;
        each_side(mesh, e, [&](const Vec3& a, const Vec3& b) {
            const double l = (a - b).norm();
            is_short = is_short || l < limit;
            if (l < limit && l < least) least = l, place = 0.5 * (a + b);
        });
        count += is_short;
    }
    if (count > 0)
        list.push_back({make_key("short", "", {least}), "mesh", EntryKind::short_element_edges, EntryState::applied,
                        fmt::format("{} element(s) have an edge shorter than a quarter of what is usual in their sheet, {:.3g} mm at least: short edges of the "
                                    "geometry ask for them",
                                    count, least),
                        least, place, ""});
}

std::vector<LedgerEntry> thickness_entries(const Model& model, const MeshOptions& options) {
    std::vector<LedgerEntry> out;
    const auto wanted = wanted_thicknesses(model, options);
    for (std::size_t i = 0; i < wanted.size(); ++i)
        if (wanted[i] > 0)
            out.push_back(
                {"thickness-" + model.sheets[i].key, "mesh", EntryKind::thickness, EntryState::applied,
                 fmt::format("{}: {:.3f} mm in the mesh by the plan, {:.3f} mm in the solid", model.sheets[i].key, wanted[i], model.sheets[i].thickness.mean),
                 wanted[i], model.sheets[i].chart.plane().origin, ""});
    return out;
}

}  // namespace

void note_mesh(Mesh& mesh, const Model& model, const MeshOptions& placed) {
    mesh.ledger = thickness_entries(model, placed);
    note_bridged(mesh.ledger, model, placed);
    note_short(mesh.ledger, model, mesh);
    mesh.findings = quality_findings(assess(mesh, placed.limits), placed.limits);
    const auto idle = idle_rules(placed, model);
    mesh.findings.insert(mesh.findings.end(), idle.begin(), idle.end());
}

void note_other_thicknesses(Mesh& mesh, const Model& model, const MeshOptions& placed) {
    std::erase_if(mesh.ledger, [](const LedgerEntry& e) { return e.kind == EntryKind::thickness; });
    const auto entries = thickness_entries(model, placed);
    mesh.ledger.insert(mesh.ledger.begin(), entries.begin(), entries.end());
    std::erase_if(mesh.findings, [](const Finding& f) { return f.kind == FindingKind::rule_without_effect; });
    const auto idle = idle_rules(placed, model);
    mesh.findings.insert(mesh.findings.end(), idle.begin(), idle.end());
}

}  // namespace halvo
