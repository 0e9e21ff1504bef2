// The solids with what was found in them and what mend did, numbered as in the lists of findings and of the ledger.
#include "core/index.hpp"
#include "view/content.hpp"

#include <fmt/format.h>

#include <map>

namespace halvo::view {
namespace {

constexpr std::size_t most_places_marked = 40;
constexpr Colour plain_skin{0.86, 0.87, 0.88};

}  // namespace

Content compose_findings(const Job& job) {
    Content out;
    out.title = fmt::format("{}: findings and repairs", job.solids.file);
    double free_length = 0;
    for (const Body& body : job.solids.bodies) {
        for (const Facet& f : body.facets)
            out.scene.triangles.push_back({body.points[ix(f.corners[0])], body.points[ix(f.corners[1])], body.points[ix(f.corners[2])], plain_skin});
        std::vector<int> uses(body.edges.size(), 0);
        for (const Face& f : body.faces)
            for (const auto& loop : f.loops)
                for (const Coedge& c : loop) ++uses[c.edge.index()];
        for (std::size_t e = 0; e < body.edges.size(); ++e) {
            if (body.edges[e].degenerate) continue;
            const bool free = uses[e] == 1;
            if (free) free_length += body.edges[e].curve.length();
            out.scene.lines.push_back({body.edges[e].curve.sampled(0.2, 12), free ? free_edge : ink, free ? 3.0 : 0.8, false, false});
        }
    }
    if (free_length > 0) out.legend.push_back({"free edges", fmt::format("{:.4g} mm", free_length), free_edge, 3, false, false});
    std::size_t n = 0;
    const auto groups = grouped(findings_of(job));
    for (const FindingGroup& g : groups) {
        ++n;
        for (const Finding& f : g.findings)
            if (out.marks.size() < most_places_marked) out.marks.push_back({f.place, std::to_string(n)});
        out.list.push_back(fmt::format("{}. {}{}", n, kind_name(g.findings[0].kind), g.findings.size() > 1 ? fmt::format(" ({})", g.findings.size()) : ""));
    }
    // Repairs are told apart by a letter before their number.
    std::map<std::string, std::size_t> kinds;
    std::size_t k = 0;
    for (const LedgerEntry& e : job.mend.ledger) {
        ++k;
        if (e.state != EntryState::applied) continue;
        if (out.marks.size() < most_places_marked) out.marks.push_back({e.place, fmt::format("m{}", k)});
        ++kinds[entry_name(e)];
    }
    for (const auto& [kind, count] : kinds) out.list.push_back(fmt::format("m: {} {}", count, kind));
    if (out.list.empty()) out.list.push_back("no findings, nothing mended");
    const std::size_t all = findings_of(job).size();
    out.captions.push_back(fmt::format("{}; {}", all == 0 ? std::string("no findings") : fmt::format("{} findings of {} kinds and places", all, groups.size()),
                                       k == 0 ? std::string("nothing to mend") : fmt::format("{} repairs (m, numbered as in the ledger)", k)));
    return out;
}

}  // namespace halvo::view
